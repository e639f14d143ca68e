"""From a rig document to a plan: the only place where parameters become gains and seconds."""

import hashlib
import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from core.blend import compressed_db, law_gains, pan_gains
from core.errors import QuantityError
from core.routing.document import kinds as k
from core.routing.document.rig import PLAIN, Rig, RigError, Strip, ports_of
from core.routing.plan import responses as rs
from core.routing.plan.model import SWAP, UNIT, Arc, Carried, Matrix, Plan, SelfLoop, scaled, times
from core.units import TempoFrame, parse_time

HALF_POWER = math.sqrt(0.5)
SILENT_DB = -120.0
FUSED_S = 0.035
MOST_LOOPS = 24
_DUPLICATE: Matrix = (HALF_POWER, 0.0, HALF_POWER, 0.0)
_DOWN: dict[str, Matrix] = {
    "sum": (0.5, 0.5, 0.0, 0.0),
    "left": (1.0, 0.0, 0.0, 0.0),
    "right": (0.0, 1.0, 0.0, 0.0),
}
# What a matrix, a delay and filters do not say all of: a renderer has a processor for each.
_RENDERED = (
    k.Compressor, k.ThreeBand, k.Ducker, k.Drive, k.Reverb, k.Convolution, k.Chorus, k.Tremolo,
    k.Swept, k.StandIn,
)  # fmt: skip
_MS_SCALE = {"half": 0.5, "one": 1.0, "root-half": HALF_POWER}


@dataclass(frozen=True)
class Context:
    """What a rig is computed under."""

    frame: TempoFrame = TempoFrame()
    delays: Mapping[str, str] = field(default_factory=dict)
    """The song's delay plan: how a named delay is written ('@slap') to its value."""


def gain(level_db: float) -> float:
    """Linear gain of a level in dB; -120 dB and below is silence."""
    return 0.0 if level_db <= SILENT_DB else 10 ** (level_db / 20)


def width_matrix(width: float) -> Matrix:
    """Mid and side put together again with the side times `width` (-1 to 1)."""
    return ((1 + width) / 2, (1 - width) / 2, (1 - width) / 2, (1 + width) / 2)


def taper_gain(position: float, taper: str) -> float:
    """Gain of a volume pedal at 0 (heel) to 1 (toe). The audio taper is -20 dB half way."""
    return position if taper == "linear" else position ** (1 / math.log10(2))


def speed_of_sound(celsius: float) -> float:
    """Metres per second in air: `331.3 sqrt(1 + T / 273.15)`."""
    return 331.3 * math.sqrt(1 + celsius / 273.15)


def walk(rig: Rig) -> tuple[list[str], set[str]]:
    """Nodes in an order in which feeders come first, and the rails that close a cycle."""
    colour: dict[str, int] = {}
    done: list[str] = []
    back: set[str] = set()
    starts = sorted(n.id for n in rig.of_kind("source"))
    starts += [n for n in sorted(rig.nodes) if not rig.inputs[n] and n not in starts]
    starts += sorted(rig.nodes)
    for start in starts:
        if start in colour:
            continue
        colour[start] = 1
        stack = [(start, iter(rig.outputs_of(start)))]
        while stack:
            node, ports = stack[-1]
            port = next(ports, None)
            if port is None:
                colour[node] = 2
                done.append(node)
                stack.pop()
                continue
            target = rig.rails[port].target
            state = colour.get(target, 0)
            if state == 1:
                back.add(port)
            elif state == 0:
                colour[target] = 1
                stack.append((target, iter(rig.outputs_of(target))))
    return done[::-1], back


def _in_cycles(rig: Rig, back_rails: set[str]) -> set[str]:
    """Nodes on a cycle: those that the end of a closing rail reaches and that reach its start."""
    found: set[str] = set()
    for port in back_rails:
        start = port.rpartition(".")[0]
        forward, todo = set(), [rig.rails[port].target]
        while todo:
            node = todo.pop()
            if node not in forward:
                forward.add(node)
                todo += [rig.rails[p].target for p in rig.outputs_of(node)]
        backward, todo = set(), [start]
        while todo:
            node = todo.pop()
            if node not in backward:
                backward.add(node)
                todo += [p.rpartition(".")[0] for p in rig.inputs[node]]
        found |= forward & backward
    return found


def _over(matrix: Matrix, power: tuple[float, float], lift: float) -> tuple[float, float]:
    a, b, c, d = matrix
    left, right = power[0] * lift, power[1] * lift
    return (a * a * left + b * b * right, c * c * left + d * d * right)


class _Builder:
    def __init__(self, rig: Rig, context: Context) -> None:
        self.rig, self.frame, self.delays = rig, context.frame, context.delays
        digest = hashlib.sha256(
            (rig.model_dump_json(exclude_defaults=True) + context.frame.model_dump_json()).encode()
        ).hexdigest()
        self.plan = Plan(digest)
        self.in_cycle: set[str] = set()

    # Points and arcs -----------------------------------------------------------------------
    def point(self, channels: int) -> int:
        number = self.plan.points
        self.plan.points += 1
        self.plan.channels[number] = channels
        self.plan.carried[number] = Carried()
        return number

    def arc(
        self, source: int, target: int, matrix: Matrix, owner: str, *, delay_s: float = 0.0,
        wanted_s: float = 0.0, wet: bool = False, diffuse: bool = False, modulated: bool = False,
        leak: bool = False, shape: rs.Shaped | None = None, stage: k.Stage | None = None,
        bare: Matrix = UNIT,
    ) -> None:  # fmt: skip
        """Add an arc and carry levels and times over it. Silent arcs are left out."""
        if matrix == (0.0, 0.0, 0.0, 0.0):
            return
        self.plan.arcs.append(
            Arc(source, target, matrix, delay_s, owner, wanted_s, wet, diffuse, modulated, leak, shape, stage, bare)
        )  # fmt: skip
        before, after = self.plan.carried[source], self.plan.carried[target]
        loop = self.plan.loops.get(source)
        lift = 1.0
        if loop is not None:
            g = min(0.999, max(abs(x) for x in loop.matrix))
            lift = 1 / (1 - g * g)
        dry, moist = _over(matrix, before.dry, lift), _over(matrix, before.wet, lift)
        if wet:
            moist, dry = (moist[0] + dry[0], moist[1] + dry[1]), (0.0, 0.0)
        after.dry = (after.dry[0] + dry[0], after.dry[1] + dry[1])
        after.wet = (after.wet[0] + moist[0], after.wet[1] + moist[1])
        if not wet:
            after.dry_s = min(after.dry_s, before.dry_s + delay_s)
        reached = min(before.wet_s, before.dry_s) if wet else before.wet_s
        after.wet_s = min(after.wet_s, reached + delay_s)
        if not wet and not diffuse and before.latency_s is not None:
            late = before.latency_s + delay_s - wanted_s
            after.latency_s = late if after.latency_s is None else max(after.latency_s, late)

    def level(self, point: int) -> float:
        """Nominal RMS level at a point in dBFS, the louder side; -120 for silence."""
        return self.plan.carried[point].level_dbfs or SILENT_DB

    def seconds(self, text: str, node: k.Node) -> float:
        if text.startswith("@"):
            value = self.delays.get(text)
            if value is None:
                raise RigError(
                    f"{node.shown}: this song has no delay written {text}. "
                    f"It has {', '.join(sorted(self.delays)) or 'none'}.",
                    part=text,
                )
            text = value
        try:
            return parse_time(text, self.frame)[0]
        except QuantityError as error:
            raise RigError(f"{node.shown}: {error.sentence}", part=text) from None

    # The graph -----------------------------------------------------------------------------
    def build(self) -> Plan:
        plan, rig = self.plan, self.rig
        plan.order, plan.back_rails = walk(rig)
        self.in_cycle = _in_cycles(rig, plan.back_rails)
        plan.in_cycle = self.in_cycle
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
        for place, port in enumerate(ports):
            source = plan.outlet[port]
            matrix = self.strip_matrix(node, strips[port], plan.channels[source], channels)
            if soloed and not strips[port].solo and not self.solo_safe(port):
                matrix = (0.0, 0.0, 0.0, 0.0)
            if isinstance(node, k.Merge) and node.crossfade_percent is not None and place < 2:
                fade = law_gains("equal-power", node.crossfade_percent / 100)[place]
                matrix = scaled(matrix, fade)
            self.arc(source, target, matrix, port, delay_s=strips[port].delay_ms / 1e3)

    def solo_safe(self, port: str) -> bool:
        node = self.rig.nodes[port.rpartition(".")[0]]
        return isinstance(node, k.Return) and node.solo_safe

    def strip_matrix(self, node: k.Node, strip: Strip, came: int, goes: int) -> Matrix:
        if strip.muted:
            return (0.0, 0.0, 0.0, 0.0)
        total = gain(strip.level_db) * (-1 if strip.inverted else 1)
        if isinstance(node, k.PassiveMixer):
            total *= gain(node.loss_db)
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
        return times(_DOWN["sum"], stereo)

    def close(self, port: str) -> None:
        """A rail that goes back to where the sound has been."""
        plan, rig = self.plan, self.rig
        node = rig.nodes[rig.rails[port].target]
        source, target = plan.outlet[port], plan.inlet[node.id]
        strip = rig.rails[port].strip if node.many_inputs else PLAIN
        came, goes = plan.channels[source], plan.channels[target]
        matrix = self.strip_matrix(node, strip, came, goes)
        if matrix != (0.0, 0.0, 0.0, 0.0):
            plan.back.append(Arc(source, target, matrix, strip.delay_ms / 1e3, port))

    # Nodes ---------------------------------------------------------------------------------
    def expand(self, node: k.Node) -> None:
        plan = self.plan
        here = plan.inlet[node.id]
        if isinstance(node, k.Source):
            power = 10 ** (node.level_dbfs / 10)
            carried = plan.carried[here]
            carried.dry = (power, power if node.stereo else 0.0)
            carried.dry_s, carried.latency_s = 0.0, 0.0
            plan.sources[node.id] = here
            plan.outlet[f"{node.id}.0"] = here
        elif isinstance(node, k.Output):
            plan.outputs[node.id] = here
        elif isinstance(node, k.Send):
            plan.outlet[f"{node.id}.0"] = here
            tap = self.point(plan.channels[here])
            level = 0.0 if node.muted else gain(node.level_db)
            self.arc(here, tap, scaled(UNIT, level), node.id)
            plan.outlet[f"{node.id}.1"] = tap
        elif isinstance(node, k.Split):
            self.split(node, here)
        elif isinstance(node, (k.Merge, k.Bus)):
            level = 0.0 if k.field_of(node, "muted", False) else gain(node.level_db)
            out = here
            if level != 1.0:
                out = self.point(plan.channels[here])
                self.arc(here, out, scaled(UNIT, level), node.id)
            plan.outlet[f"{node.id}.0"] = out
        elif isinstance(node, k.PassiveMixer):
            plan.outlet[f"{node.id}.0"] = here
        elif isinstance(node, k.Stage):
            self.stage(node, here)
        for number in range(ports_of(node)):
            plan.outlet.setdefault(f"{node.id}.{number}", here)

    def split(self, node: k.Split, here: int) -> None:
        plan, mono = self.plan, self.plan.channels[here]
        if node.mode == "full":
            for number in range(16):
                plan.outlet[f"{node.id}.{number}"] = here
            return
        matrices, made, channels = [UNIT, UNIT], [None, None], mono
        if node.mode == "balance":
            shares = law_gains("linear", node.balance_percent / 100)
            matrices = [scaled(UNIT, share) for share in shares]
        elif node.mode == "mid-side":
            matrices, channels = [_DOWN["sum"], (0.5, -0.5, 0.0, 0.0)], 1
        else:
            made = list(split_shapes(node))  # type: ignore[arg-type]
        for number, (matrix, shape) in enumerate(zip(matrices, made, strict=True)):
            out = self.point(channels)
            self.arc(here, out, matrix, node.id, shape=shape)
            plan.outlet[f"{node.id}.{number}"] = out

    def stage(self, node: k.Stage, here: int) -> None:
        plan = self.plan
        came = plan.channels[here]
        goes = {"as-is": came, "mono": 1, "stereo": 2}[node.channels]
        if isinstance(node, k.Delay) and not node.bypassed and _widens(node):
            goes = 2
        if isinstance(node, (k.MidSideDecoder, k.MidSideEncoder)):
            goes = 2
        before = UNIT
        if came == 2 and goes == 1:
            before = _DOWN[node.down]
            plan.narrowed[node.id] = node.down
        elif came == 1 and goes == 2:
            before = _DUPLICATE
        out = self.point(goes)
        after = gain(node.output_db) * (-1 if node.inverted else 1)
        if node.bypassed:
            if k.passes_input(node):
                self.arc(here, out, before, node.id)
        else:
            self.process(node, here, out, scaled(before, after), came)
        level_in, level_out = self.level(here), self.level(out)
        plan.nominal_db[node.id] = level_out - level_in if level_in > SILENT_DB else 0.0
        plan.outlet[f"{node.id}.0"] = out
        if isinstance(node, k.VolumePedal) and node.second_output != "none":
            plan.outlet[f"{node.id}.1"] = here if node.second_output == "before" else out

    def process(self, node: k.Stage, here: int, out: int, shape: Matrix, came: int) -> None:
        late = node.latency_ms / 1e3
        # A latency that the person calls intended is left alone like any wanted delay.
        wanted = late if node.delay_is == "intended" else 0.0
        if isinstance(node, k.Delay):
            self.delay(node, here, out, shape, late, wanted)
            return
        if isinstance(node, k.Frame):
            self.frame_chain(node, here, out, shape, late, wanted)
            return
        matrix, delay, filters = self.simple(node, here)
        both = times(shape, matrix) if matrix is not UNIT else shape
        if isinstance(node, k.Mixed):
            self.mixed(node, here, out, shape, both, late, wanted, delay, filters)
            return
        spent = wanted + (delay if node.delay_is == "intended" else 0.0)
        self.arc(
            here, out, both, node.id, delay_s=late + delay, wanted_s=spent, shape=filters,
            wet=node.counts_as == "wet", modulated=isinstance(node, k.Tremolo) and not node.locked,
            stage=node if isinstance(node, _RENDERED) else None, bare=shape,
        )  # fmt: skip

    def mixed(
        self, node: k.Mixed, here: int, out: int, dry_shape: Matrix, wet_shape: Matrix,
        late: float, wanted: float, delay: float, filters: rs.Shaped | None,
    ) -> None:  # fmt: skip
        """A dry and a wet arc, by the device's own mix."""
        dry, wet = law_gains(node.mix_law, node.mix_percent / 100)
        by_kind = isinstance(node, (k.Reverb, k.Convolution, k.Chorus)) or (
            isinstance(node, k.StandIn) and node.device in (*k.STAND_IN_DELAYS, "reverb")
        )
        is_wet = node.counts_as == "wet" or (by_kind and node.counts_as == "auto")
        moving = (
            isinstance(node, (k.Modulated, k.Reverb, k.Swept))
            and not node.locked
            and (not isinstance(node, k.Swept) or node.moved_by != "nothing")
        )
        diffuse = isinstance(node, (k.Reverb, k.Convolution)) or (
            isinstance(node, k.StandIn) and node.device == "reverb"
        )
        meant = delay if node.delay_is != "latency" else 0.0
        self.arc(
            here, out, scaled(dry_shape, dry), node.id, delay_s=late, wanted_s=wanted,
            leak=node.mix_percent > 0,
        )  # fmt: skip
        self.arc(
            here, out, scaled(wet_shape, wet), node.id, delay_s=late + delay,
            wanted_s=wanted + meant, wet=is_wet, diffuse=diffuse,
            modulated=moving, shape=filters, stage=node if isinstance(node, _RENDERED) else None,
            bare=scaled(dry_shape, wet),
        )  # fmt: skip

    def simple(self, node: k.Stage, here: int) -> tuple[Matrix, float, rs.Shaped | None]:
        """Gain matrix, delay (s) and filters of the processed signal of a plain stage."""
        level = 0.0 if k.field_of(node, "muted", False) else 1.0
        if isinstance(node, (k.Level, k.Fader, k.Return)):
            return scaled(UNIT, level * gain(node.level_db)), 0.0, None
        if isinstance(node, (k.Preamp, k.EffectsLoop, k.PowerAmp, k.Generic)):
            return scaled(UNIT, gain(node.gain_db)), 0.0, None
        if isinstance(node, k.VolumePedal):
            return scaled(UNIT, taper_gain(node.position_percent / 100, node.taper)), 0.0, None
        if isinstance(node, k.Compressor):
            if node.id in self.in_cycle:
                return scaled(UNIT, gain(node.makeup_db)), 0.0, None
            x = self.level(here)
            y = compressed_db(x, node.threshold_db, node.ratio, node.knee_db, node.makeup_db)
            return scaled(UNIT, gain(y - x) if x > SILENT_DB else gain(node.makeup_db)), 0.0, None
        if isinstance(node, k.Drive):
            if node.id in self.in_cycle:
                return scaled(UNIT, gain(node.gain_db)), 0.0, None
            x = self.level(here)
            pushed = x + node.gain_db
            lift = min(pushed, node.ceiling_dbfs) - x if x > SILENT_DB else node.gain_db
            return scaled(UNIT, gain(lift)), 0.0, None
        if isinstance(node, k.Filter):
            return UNIT, 0.0, rs.cuts(node.low_cut_hz, node.high_cut_hz, node.order)
        if isinstance(node, k.Cabinet):
            return UNIT, 0.0, rs.cuts(node.low_cut_hz, node.high_cut_hz, 2)
        if isinstance(node, k.Equaliser):
            return UNIT, 0.0, rs.three_bands(
                node.low_db, node.low_hz, node.mid_db, node.mid_hz, node.mid_q, node.high_db,
                node.high_hz,
            )  # fmt: skip
        if isinstance(node, k.MidSideEncoder):
            scale = _MS_SCALE[node.scale]
            return (scale, scale, scale, -scale), 0.0, None
        if isinstance(node, k.MidSideDecoder):
            scale = _MS_SCALE[node.scale]
            return (scale, scale, scale, -scale), 0.0, None
        if isinstance(node, (k.Microphone, k.Air)):
            return UNIT, node.distance_m / speed_of_sound(node.celsius), None
        if isinstance(node, k.Reverb):
            wanted = self.seconds(node.pre_delay, node)
            self.plan.times_s[node.id] = wanted
            return UNIT, wanted, rs.cuts(node.low_cut_hz, None, 2)
        if isinstance(node, k.Convolution):
            wanted = self.seconds(node.pre_delay, node)
            self.plan.times_s[node.id] = wanted
            return UNIT, wanted, rs.cuts(node.low_cut_hz, None, 2)
        if isinstance(node, k.Chorus):
            return UNIT, node.centre_ms / 1e3, None
        if isinstance(node, k.Swept) and node.mode != "comb":
            return UNIT, 0.0, rs.shaped((rs.Section(node.mode, node.frequency_hz, q=node.q),))
        if isinstance(node, k.StandIn):
            return self.stand_in(node)
        if isinstance(node, k.Ducker) and node.way == "shape":
            dip = self.seconds(node.dip_time, node)
            if dip <= 0:
                raise RigError(
                    f"{node.shown}: a dip must last longer than 0 ms.", part=node.dip_time
                )
            self.plan.times_s[node.id] = dip
        return UNIT, 0.0, None

    def stand_in(self, node: k.StandIn) -> tuple[Matrix, float, rs.Shaped | None]:
        """A stand-in by its label, as the plan has to take it: what it truly does is heard."""
        if node.device in k.STAND_IN_DELAYS:
            wanted = self.seconds(node.time, node)
            if wanted <= 0:
                raise RigError(f"{node.shown}: a delay time must be above 0 ms.", part=node.time)
            self.plan.times_s[node.id] = wanted
            return UNIT, wanted, None
        return UNIT, k.LOOP_LABEL_S if node.device == "loop" else 0.0, None

    def delay(
        self, node: k.Delay, here: int, out: int, shape: Matrix, late: float, wanted: float
    ) -> None:
        """Dry arc, and a wet one into a point that feeds itself."""
        dry, wet = law_gains(node.mix_law, node.mix_percent / 100)
        time = self.seconds(node.time, node)
        if time <= 0:
            raise RigError(f"{node.shown}: a delay time must be above 0 ms.", part=node.time)
        self.plan.times_s[node.id] = time
        back = node.feedback_percent / 100
        width_only = (
            back == 0 and node.mix_percent == 100 and node.side != "both" and time <= FUSED_S
        )
        is_wet = node.counts_as == "wet" or (node.counts_as == "auto" and not width_only)
        loop = rs.cuts(node.low_cut_hz, node.high_cut_hz, 1)
        meant = wanted + (time if node.delay_is != "latency" else 0.0)

        def leg(target: int, matrix: Matrix, after: float) -> None:
            self.arc(
                here, target, matrix, node.id, delay_s=late + after, wet=is_wet,
                wanted_s=meant + after - time if node.delay_is != "latency" else wanted,
            )  # fmt: skip

        def ring(matrix: Matrix, after: float) -> int:
            point = self.point(self.plan.channels[out])
            if back > 0:
                self.plan.loops[point] = SelfLoop(
                    scaled(matrix, back), after, node.id, loop, loop_insert(node)
                )
            return point

        self.arc(
            here, out, scaled(shape, dry), node.id, delay_s=late, wanted_s=wanted,
            leak=node.mix_percent > 0,
        )  # fmt: skip
        if node.side != "both":
            own: Matrix = (1.0, 0.0, 0.0, 0.0) if node.side == "left" else (0.0, 0.0, 0.0, 1.0)
            other: Matrix = (0.0, 0.0, 0.0, 1.0) if node.side == "left" else (1.0, 0.0, 0.0, 0.0)
            self.arc(here, out, times(other, shape), node.id, delay_s=late, wanted_s=wanted)
            point = ring(UNIT, time)
            leg(point, times(own, scaled(shape, wet)), time)
            self.arc(point, out, UNIT, node.id, wet=is_wet)
        elif node.mode == "dual":
            right = time + node.offset_ms / 1e3
            if right <= 0:
                raise RigError(f"{node.shown}: the offset makes the right side early.")
            for after, keep in ((time, (1.0, 0.0, 0.0, 0.0)), (right, (0.0, 0.0, 0.0, 1.0))):
                point = ring(UNIT, after)
                leg(point, times(keep, scaled(shape, wet)), after)
                self.arc(point, out, UNIT, node.id, wet=is_wet)
        elif node.mode == "ping-pong":
            point = ring(SWAP, time)
            gather: Matrix = (1.0, 0.0, 0.0, 0.0)
            if shape[1] or shape[3]:
                gather = (0.5, 0.5, 0.0, 0.0)
            elif shape[2]:
                gather = (1 / HALF_POWER, 0.0, 0.0, 0.0)
            leg(point, times(gather, scaled(shape, wet)), time)
            self.arc(point, out, UNIT, node.id, wet=is_wet)
        elif node.mode == "cascade":
            second = time + node.offset_ms / 1e3
            left_point, right_point = ring(UNIT, time), ring(UNIT, max(second, 1e-3))
            gather = (0.5, 0.5, 0.0, 0.0) if shape[1] or shape[3] else (1.0, 0.0, 0.0, 0.0)
            leg(left_point, times(gather, scaled(shape, wet)), time)
            self.arc(left_point, out, UNIT, node.id, wet=is_wet)
            across: Matrix = (0.0, 0.0, 1.0, 0.0)
            self.arc(
                left_point,
                right_point,
                across,
                node.id,
                delay_s=second,
                wanted_s=second,
                wet=is_wet,
            )
            self.arc(right_point, out, UNIT, node.id, wet=is_wet)
        else:
            point = ring(UNIT, time)
            leg(point, scaled(shape, wet), time)
            self.arc(point, out, UNIT, node.id, wet=is_wet)

    def frame_chain(
        self, node: k.Frame, here: int, out: int, shape: Matrix, late: float, wanted: float
    ) -> None:
        """The processors of a frame in their order, parallel sections laid over their slots."""
        held = {slot.label: slot.stage for slot in node.slots}
        letters = list(node.order or "".join(held))
        half = (len(letters) + 1) // 2
        kept = {"whole": letters, "first": letters[:half], "second": letters[half:]}[node.half]
        at = here
        for letter in kept:
            if letter not in held:
                raise RigError(f"{node.shown} has no processor in slot {letter}.", part=letter)
            stage = held[letter].model_copy(update={"id": node.id})
            place = letters.index(letter) + 1
            section = next(
                (s for s in node.sections if s.at in ((letter,) if s.follows == "processor" else (str(place),))),
                None,
            )  # fmt: skip
            end = self.point(self.plan.channels[at])
            if section is None:
                self.process(stage, at, end, scaled(UNIT, gain(stage.output_db)), 0)
            else:
                dry, wet = law_gains("linear", section.mix_percent / 100)
                level = gain(section.level_db)
                self.arc(at, end, scaled(UNIT, dry * level), node.id)
                inner = self.point(self.plan.channels[at])
                self.process(stage, at, inner, scaled(UNIT, gain(stage.output_db)), 0)
                self.arc(inner, end, scaled(UNIT, wet * level), node.id)
            at = end
        self.arc(at, out, shape, node.id, delay_s=late, wanted_s=wanted)


def loop_insert(node: k.Delay) -> k.Stage | None:
    """The stage in a delay's loop: a soft drive of up to 24 dB from -12 dBFS, or a slow chorus."""
    amount = node.insert_percent / 100
    if node.insert == "drive":
        gain_db = 24 * amount
        return k.Drive(id=node.id, gain_db=gain_db, ceiling_dbfs=-12, output_db=-gain_db)
    if node.insert == "chorus":
        return k.Chorus(id=node.id, depth_ms=2 * amount, centre_ms=4, rate_hz=0.6, mix_percent=100)
    return None


def _widens(node: k.Delay) -> bool:
    return node.side != "both" or node.mode != "single"


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


def compile_rig(rig: Rig, context: Context = Context()) -> Plan:
    """Compile a rig. Raises RigError for a parameter that cannot be read under this tempo."""
    return _Builder(rig, context).build()
