"""From a rig document to a plan: the only place where parameters become gains and seconds.

The plan that comes out is structure: what depends on level has its gain from the signal model
(`core.routing.evaluate.signal`), which `core.routing.compile_rig` runs behind this.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import partial

import numpy as np

from core.blend import law_gains, pan_gains
from core.routing.document import kinds as k
from core.routing.document.rig import PLAIN, Rig, RigError, Strip
from core.routing.plan import responses as rs
from core.routing.plan.cells import ClipFacts, Spectrum, pink
from core.routing.plan.digest import plan_digest
from core.routing.plan.measured import Measured
from core.routing.plan.model import UNIT, Arc, Matrix, Plan, scaled, times
from core.routing.plan.spread import Impulse, Spread, TailSettings
from core.routing.plan.timing import seconds_of
from core.routing.plan.walk import in_cycles, walk
from core.routing.plan.waves import CYCLE, FASTEST_HZ, Wave, wave_of
from core.units import TempoFrame
from core.units.decibel import db_gain

HALF_POWER = math.sqrt(0.5)
MOST_LOOPS = 24
_ROW = 101
NONE: Matrix = (0.0, 0.0, 0.0, 0.0)
OPENED: Matrix = (HALF_POWER, 0.0, HALF_POWER, 0.0)
"""One side as two equal ones of the same power."""
DOWN: dict[str, Matrix] = {
    "sum": (0.5, 0.5, 0.0, 0.0),
    "left": (1.0, 0.0, 0.0, 0.0),
    "right": (0.0, 1.0, 0.0, 0.0),
}


@dataclass(frozen=True)
class Context:
    """What a rig is computed under."""

    frame: TempoFrame = TempoFrame()
    delays: Mapping[str, str] = field(default_factory=dict)
    """The song's delay plan: how a named delay is written ('@slap') to its value."""
    feedback: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    """Least and most feedback (%) of the devices that named delays are set on, where one is known."""
    clips: Mapping[str, ClipFacts] = field(default_factory=dict)
    """Source to what is known of its clip; pink from 40 Hz to 16 kHz where there is none."""
    impulses: Mapping[str, Impulse] = field(default_factory=dict)
    """What is known of the impulse responses that stages name."""
    unfed: frozenset[str] = frozenset()
    """Sources that have no clip, where others of the rig have: they will not be heard."""
    measured: Measured | None = None
    """What a render of this very rig measured, where there is one."""

    def feedback_of(self, delay: k.Delay) -> tuple[float, float] | None:
        """What the device of a delay can be set to (%), where it is known."""
        return self.feedback.get(delay.time)

    def spectrum(self, source: str) -> Spectrum:
        """Of a source's clip, or the stated default."""
        clip = self.clips.get(source)
        return pink() if clip is None else clip.spectrum


def width_matrix(width: float) -> Matrix:
    """Mid and side put together again with the side times `width` (-1 to 1)."""
    return ((1 + width) / 2, (1 - width) / 2, (1 - width) / 2, (1 + width) / 2)


def taper_gain(position: float, taper: str) -> float:
    """Gain of a volume pedal at 0 (heel) to 1 (toe). The audio taper is -20 dB half way."""
    return position if taper == "linear" else position ** (1 / math.log10(2))


def speed_of_sound(celsius: float) -> float:
    """Metres per second in air: `331.3 sqrt(1 + T / 273.15)`."""
    return 331.3 * math.sqrt(1 + celsius / 273.15)


class Builder:
    """A plan being built; what expansions of kinds are given to add to it."""

    def __init__(self, rig: Rig, context: Context) -> None:
        self.rig, self.context = rig, context
        self.frame, self.delays = context.frame, context.delays
        self.plan = Plan(partial(plan_digest, rig, self.frame, self.delays))
        self.tails: dict[TailSettings, int] = {}
        self.tails_before: dict[int, int] = {}
        """Point to the most tails that lie one behind the other before it."""

    # Points and arcs -----------------------------------------------------------------------
    def point(self, channels: int) -> int:
        number = self.plan.points
        self.plan.points += 1
        self.plan.channels[number] = channels
        return number

    def arc(
        self, source: int, target: int, matrix: Matrix, owner: str, *, delay_s: float = 0.0,
        wanted_s: float = 0.0, wet: bool = False, leak: bool = False,
        shape: rs.Shaped | None = None, stage: k.Stage | None = None, spread: Spread | None = None,
        taps: tuple[tuple[float, float], ...] = ((1.0, 0.0),), own_lines: int = 0,
    ) -> None:  # fmt: skip
        """Add an arc; silent ones are left out. A spread's own gain goes on top of the matrix."""
        if matrix == NONE:
            return
        whole = matrix
        if spread is not None:
            whole = times(matrix, (spread.rms[0], 0.0, 0.0, spread.rms[1]))
        self.plan.arcs.append(
            Arc(source, target, whole, delay_s, owner, wanted_s, wet, leak, shape, stage, matrix, spread, taps, own_lines)
        )  # fmt: skip
        behind = self.tails_before.get(source, 0) + (stage is not None and stage.diffuse)
        self.tails_before[target] = max(behind, self.tails_before.get(target, 0))

    def seconds(self, text: str, node: k.Node) -> float:
        """A time as typed, under this tempo. Raises RigError where it cannot be read."""
        return seconds_of(text, node, self.frame, self.delays)

    def turning(self, node: k.Waved, fed: int, period_s: float | None = None) -> Wave:
        """What a stage goes through again and again. Raises RigError for a cycle that is too short."""
        cycle = getattr(node, "cycle", None)
        if period_s is None and cycle is not None:
            period_s = self.seconds(cycle, node)
            if period_s <= 0:
                raise RigError(f"{node.shown}: a cycle must last longer than 0 ms.", part=cycle)
            self.plan.times_s[f"{node.id}{CYCLE}"] = period_s
        if period_s is not None and period_s * FASTEST_HZ < 1 - 1e-9:
            raise RigError(
                f"{node.shown}: {1e3 * period_s:g} ms is too short a cycle: 0.5 ms is the least.",
                part=cycle,
            )
        if self.plan.channels[fed] == 1 and node.sides_deg % 360:
            self.idle(node.id, "sides apart")
        return wave_of(node, period_s)

    def own_lines(self, settings: TailSettings, here: int) -> int:
        """Which lines a reverb has: the same for equal settings, others behind another tail."""
        kind = self.tails.setdefault(settings, len(self.tails))
        return kind + _ROW * self.tails_before.get(here, 0)

    def idle(self, part: str, *labels: str) -> None:
        """Note settings that cannot act where they stand."""
        if labels:
            self.plan.idle[part] = (*self.plan.idle.get(part, ()), *labels)

    # The graph -----------------------------------------------------------------------------
    def build(self) -> Plan:
        plan, rig = self.plan, self.rig
        plan.order, plan.back_rails = walk(rig)
        plan.in_cycle = in_cycles(rig, plan.back_rails)
        if len(plan.back_rails) > MOST_LOOPS:
            raise RigError(
                f"This rig closes {len(plan.back_rails)} loops; up to {MOST_LOOPS} can be computed. "
                "The document is kept as it is."
            )
        for name in plan.order:
            node = rig.nodes[name]
            if node.many_inputs:
                self.join(node)
            else:
                feeders = [p for p in rig.inputs[name] if p not in plan.back_rails]
                plan.inlet[name] = (
                    plan.outlet[feeders[0]] if feeders else self.point(self.channels_from(node))
                )
            self.expand(node)
        for port in sorted(plan.back_rails):
            self.close(port)
        for keyed, key in rig.keys.items():
            out = f"{key.tap}.0"
            plan.keys[keyed] = (
                plan.inlet[key.tap]
                if key.at == "in" or out not in plan.outlet
                else plan.outlet[out]
            )
        return plan

    def channels_from(self, node: k.Node) -> int:
        return 2 if isinstance(node, k.Source) and node.stereo else 1

    def join(self, node: k.Node) -> None:
        """A merge, bus or output: a point of its own, each input through its strip."""
        plan, rig = self.plan, self.rig
        ports = [p for p in rig.inputs[node.id] if p not in plan.back_rails]
        strips = {p: rig.rails[p].strip for p in rig.inputs[node.id]}
        if isinstance(node, k.Output):
            channels = 2 if node.stereo else 1
        else:
            wide = any(plan.channels[plan.outlet[p]] == 2 for p in ports)
            channels = 2 if wide or any(s.pan_percent != 0 for s in strips.values()) else 1
        plan.inlet[node.id] = target = self.point(channels)
        soloed = any(s.solo for s in strips.values())
        fades = crossfade_gains(self.rig, node)
        for port in ports:
            source = plan.outlet[port]
            matrix = self.strip_matrix(node, port, plan.channels[source], channels)
            if soloed and not strips[port].solo and not self.solo_safe(port):
                matrix = NONE
            matrix = scaled(matrix, fades.get(port, 1.0))
            self.arc(source, target, matrix, port, delay_s=strips[port].delay_ms / 1e3)

    def solo_safe(self, port: str) -> bool:
        node = self.rig.nodes[port.rpartition(".")[0]]
        return isinstance(node, k.Return) and node.solo_safe

    def strip_matrix(self, node: k.Node, port: str, came: int, goes: int) -> Matrix:
        strip = self.rig.rails[port].strip if node.many_inputs else PLAIN
        self.idle(port, *_idle_in_strip(strip, came, goes))
        if strip.muted:
            return NONE
        total = db_gain(strip.level_db) * (-1 if strip.inverted else 1)
        if isinstance(node, k.PassiveMixer):
            total *= db_gain(node.loss_db)
        if came == 1 and goes == 1:
            return (total, 0.0, 0.0, 0.0)
        pan = strip.pan_percent / 100
        if came == 1:
            law = node.pan_law if isinstance(node, k.Output) else "-3"
            left, right = pan_gains(pan, law)
            return (total * left, 0.0, total * right, 0.0)
        wide = width_matrix(strip.width_percent / 100)
        balance: Matrix = (min(1.0, 1 - pan), 0.0, 0.0, min(1.0, 1 + pan))
        stereo = scaled(times(balance, wide), total)
        if goes == 2:
            return stereo
        self.plan.narrowed[node.id] = "sum"
        return times(DOWN["sum"], stereo)

    def close(self, port: str) -> None:
        """A rail that goes back to where the sound has been."""
        plan, rig = self.plan, self.rig
        node = rig.nodes[rig.rails[port].target]
        source, target = plan.outlet[port], plan.inlet[node.id]
        strip = rig.rails[port].strip if node.many_inputs else PLAIN
        came, goes = plan.channels[source], plan.channels[target]
        matrix = scaled(
            self.strip_matrix(node, port, came, goes),
            crossfade_gains(self.rig, node).get(port, 1.0),
        )
        if matrix != NONE:
            plan.back.append(Arc(source, target, matrix, strip.delay_ms / 1e3, port, bare=matrix))

    # Nodes ---------------------------------------------------------------------------------
    def expand(self, node: k.Node) -> None:
        plan = self.plan
        here = plan.inlet[node.id]
        if isinstance(node, k.Source):
            plan.sources[node.id] = here
            plan.outlet[f"{node.id}.0"] = here
        elif isinstance(node, k.Output):
            plan.outputs[node.id] = here
        elif isinstance(node, k.Send):
            plan.outlet[f"{node.id}.0"] = here
            tap = self.point(plan.channels[here])
            level = 0.0 if node.muted else db_gain(node.level_db)
            self.arc(here, tap, scaled(UNIT, level), node.id)
            plan.outlet[f"{node.id}.1"] = tap
        elif isinstance(node, k.Split):
            self.split(node, here)
        elif isinstance(node, (k.Merge, k.Bus)):
            level = 0.0 if k.field_of(node, "muted", False) else db_gain(node.level_db)
            out = here
            if level != 1.0:
                out = self.point(plan.channels[here])
                self.arc(here, out, scaled(UNIT, level), node.id)
            plan.outlet[f"{node.id}.0"] = out
        elif isinstance(node, k.PassiveMixer):
            plan.outlet[f"{node.id}.0"] = here
        elif isinstance(node, k.Stage):
            fed, out = self.through(node, here)
            plan.fed[node.id], plan.outlet[f"{node.id}.0"] = fed, out
            if isinstance(node, k.VolumePedal) and node.second_output != "none":
                plan.outlet[f"{node.id}.1"] = here if node.second_output == "before" else out
        plan.fed.setdefault(node.id, here)
        for number in range(node.most_outputs):
            plan.outlet.setdefault(f"{node.id}.{number}", here)

    def split(self, node: k.Split, here: int) -> None:
        plan, channels = self.plan, self.plan.channels[here]
        if node.mode == "full":
            for number in range(node.most_outputs):
                plan.outlet[f"{node.id}.{number}"] = here
            return
        matrices: list[Matrix] = [UNIT, UNIT]
        made: list[rs.Shaped | None] = [None, None]
        if node.mode == "balance":
            matrices = [scaled(UNIT, share) for share in split_shares(node)]
        elif node.mode == "mid-side":
            matrices = [DOWN["sum"], (0.5, -0.5, 0.0, 0.0)]
            if channels == 1:
                # One side is all mid.
                matrices = [UNIT, NONE]
                self.idle(node.id, "mode mid-side")
            channels = 1
        else:
            made = list(split_shapes(node))
        for number, (matrix, shape) in enumerate(zip(matrices, made, strict=True)):
            out = self.point(channels)
            self.arc(here, out, matrix, node.id, shape=shape)
            plan.outlet[f"{node.id}.{number}"] = out

    def through(self, node: k.Stage, here: int) -> tuple[int, int]:
        """A stage from a point on: where its own work begins, and where it ends."""
        plan = self.plan
        came = plan.channels[here]
        goes = self.sides_of(node, came)
        fed = here
        if came != goes:
            fed = self.point(goes)
            self.arc(here, fed, OPENED if goes == 2 else DOWN[node.down], node.id)
            if goes == 1:
                plan.narrowed[node.id] = node.down
        out = self.point(goes)
        after = db_gain(node.output_db) * (-1 if node.inverted else 1)
        if node.bypassed:
            if k.passes_input(node):
                self.arc(fed, out, UNIT, node.id)
        else:
            expand_stage(self, node, fed, out, after, opened=came < goes)
        return fed, out

    def sides_of(self, node: k.Stage, came: int) -> int:
        """On how many sides a stage works."""
        if isinstance(node, (k.MidSideDecoder, k.MidSideEncoder)):
            return 2
        if node.channels != "as-is":
            return 1 if node.channels == "mono" else 2
        known = (
            self.context.impulses.get(node.impulse or "")
            if isinstance(node, k.Convolution)
            else None
        )
        opens = node.stereo_by_nature or (known is not None and known.sides == 2)
        return 2 if opens and not node.bypassed else came


def crossfade_gains(rig: Rig, node: k.Node) -> dict[str, float]:
    """Gains of the two inputs that a merge fades between; empty where it fades nothing."""
    if not isinstance(node, k.Merge) or node.crossfade_percent is None:
        return {}
    pair = law_gains("equal-power", node.crossfade_percent / 100)
    return dict(zip(rig.in_order(node.id)[:2], pair, strict=False))


def split_shares(node: k.Split) -> tuple[float, ...]:
    """Gains of a full or balance split's outputs, in the order of its ports."""
    if node.mode == "balance":
        return law_gains("linear", node.balance_percent / 100)
    return (1.0,) * node.most_outputs


def _idle_in_strip(strip: Strip, came: int, goes: int) -> list[str]:
    """Settings of a strip that do nothing between so many channels."""
    found = []
    if strip.width_percent != 100 and came == 1:
        found.append("width")
    if strip.pan_percent != 0 and goes == 1 and came == 1:
        found.append("pan")
    return found


def split_shapes(node: k.Split) -> tuple[rs.Shaped | None, rs.Shaped | None]:
    """Filters of the first and second rail of a crossover or band split."""
    if node.mode == "band":
        band = (
            rs.Section("high_pass", node.crossover_hz), rs.Section("low_pass", node.upper_hz),
        )  # fmt: skip
        first, second = rs.shaped(band), rs.shaped(band, rest=True)
    else:
        apart = 2 ** (node.overlap_percent / 100)
        order = node.slope // 12
        low = rs.Section("low_pass", node.crossover_hz * apart, order)
        high = rs.Section("high_pass", node.crossover_hz / apart, order)
        # Linkwitz-Riley: two Butterworths in series.
        first, second = rs.shaped((low, low)), rs.shaped((high, high))
    return (second, first) if node.swapped else (first, second)


def split_responses(node: k.Split) -> tuple[np.ndarray, np.ndarray]:
    """Responses of the first and second rail of a crossover or band split, over the grid."""
    first, second = split_shapes(node)
    assert first is not None
    assert second is not None
    return first.response, second.response


def build_plan(rig: Rig, context: Context = Context()) -> Plan:
    """Structure of a rig. Raises RigError for a parameter that cannot be read under this tempo."""
    return Builder(rig, context).build()


from core.routing.plan.expand import expand_stage  # noqa: E402  (expansions are given a Builder)
