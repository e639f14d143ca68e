"""Evaluate a compiled rig: the arrivals boards with their sums, loops, levels and alignment."""

import math
import zlib
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from core.blend.laws import pan_position
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.evaluate.cycles import cycles_of
from core.routing.evaluate.loops import BANDS_HZ, LoopGain, loop_gains
from core.routing.evaluate.network import (
    NEAR_S,
    Network,
    build_network,
    near_amplitudes,
    path_counts,
    transfers,
)
from core.routing.evaluate.paths import MOST_PATHS, Path, strongest_paths
from core.routing.evaluate.report import (
    AlignOut,
    ArrivalOut,
    BoardOut,
    LoopOut,
    NotchOut,
    OutputLevel,
    RailOut,
    RigReport,
    SumsOut,
)
from core.routing.evaluate.signal import Carrying, compile_rig
from core.routing.evaluate.summing import coupling, in_step
from core.routing.plan.build import Context
from core.routing.plan.model import Plan
from core.routing.plan.responses import GRID_HZ
from core.space.lines import OCTAVES_HZ
from core.units.decibel import audible_db, db_gain, decibels, power_decibels

_HZ = [round(float(hz), 3) for hz in GRID_HZ]
_FLOOR = 1e-6


class Evaluation:
    """A rig, its plan, its network and the paths, at hand for the report and the checks."""

    def __init__(self, rig: Rig, context: Context = Context()) -> None:
        self.rig, self.context = rig, context
        self.plan: Plan = compile_rig(rig, context)
        self.network: Network = build_network(self.plan)
        self.loops, self.radius = loop_gains(self.network)
        self.paths: dict[tuple[str, str], list[Path]] = {}
        self.coupled: dict[tuple[str, str], np.ndarray] = {}
        """Power that the listed paths bring together, by output and source."""
        self.boards: list[BoardOut] = []
        # Looked up for every path: names of processors at work, and of what tells paths apart.
        self._working = {
            id: node.shown
            for id, node in rig.nodes.items()
            if getattr(node, "processes", False) and not k.is_bypassed(node)
        }
        self._told = {
            id: node.shown
            for id, node in rig.nodes.items()
            if not node.transparent
            or node.many_inputs
            or isinstance(node, (k.Level, k.Fader, k.Source))
        }
        for output in self.plan.outputs:
            self._boards_at(output)

    @property
    def stable(self) -> bool:
        """Whether everything dies away, as far as bounds can say: no loop at or above unity."""
        ringing = any(loop.most >= 1 for loop in self.plan.loops.values())
        return (self.radius is None or self.radius < 1) and not ringing

    def _boards_at(self, output: str) -> None:
        near = transfers(self.network, output, near=True)
        whole = transfers(self.network, output)
        counts, amplitudes = (
            path_counts(self.network, output),
            near_amplitudes(self.network, output),
        )
        carried = self.plan.carried[self.plan.outputs[output]]
        sides = 2 if self.plan.channels[self.plan.outputs[output]] == 2 else 1
        units: dict[int, float] = {}
        found = []
        for source, point in self.plan.sources.items():
            paths, complete = strongest_paths(self.network, source, output)
            self.paths[output, source] = paths
            if not paths:
                continue
            dry = [p for p in paths if not p.wet]
            reference = max(dry or paths, key=lambda p: p.gain)
            units[point] = reference.gain
            found.append((source, point, paths, complete, reference))
        signals = self.plan.carried
        assert isinstance(signals, Carrying)
        apart = signals.apart(self.plan.outputs[output])
        near_curves = _curves(near, units, self.plan.channels, sides)
        all_curves = _curves(whole, units, self.plan.channels, sides)
        for source, point, paths, complete, reference in found:
            arrivals = self._name(paths, reference, output)
            notches, comb, cancels = _comb(paths, arrivals)
            spectrum = self.context.spectrum(source)
            within = _within(paths)
            together = in_step(within, sides, spectrum)
            self.coupled[output, source] = coupled = coupling(paths, sides, spectrum)
            near_places = [paths.index(path) for path in within]
            near_level = math.sqrt(max(0.0, float(coupled[np.ix_(near_places, near_places)].sum())))
            if counts[source] > MOST_PATHS:
                # Not all are listed: the recursion over near arcs bounds them.
                together = amplitudes[source]
            at = near_curves[point]
            strength = self._strength(source)
            unit = reference.gain * strength
            left, right, _ = carried.by_source.get(source, (0.0, 0.0, 0.0))
            heard = math.sqrt(left + right)
            power = apart.get(source, 0.0) / strength if strength else 0.0
            self.boards.append(
                BoardOut(
                    output=output,
                    source=source,
                    reference=arrivals[paths.index(reference)].name,
                    reference_gain_db=_db(reference.gain),
                    reference_ms=reference.delay_s * 1e3,
                    arrivals=arrivals,
                    path_count=counts[source],
                    complete=complete,
                    sums=SumsOut(
                        headroom_db=_or_none(together / reference.gain),
                        level_db=None if carried.grows else _or_none(heard / unit if unit else 0.0),
                        near_level_db=_or_none(near_level / reference.gain),
                        power_db=None if carried.grows else _or_none(power / reference.gain),
                        grows=carried.grows,
                        mono_db=at.mono_loss if sides == 2 else None,
                        notches=notches,
                        comb=comb,
                        cancels=cancels,
                        near_db=at.level_db,
                        all_db=all_curves[point].level_db,
                        mono_near_db=at.mono_db,
                    ),
                )
            )

    def _strength(self, source: str) -> float:
        """RMS amplitude of a source, the mean of its sides."""
        left, right, _ = self.plan.carried[self.plan.sources[source]].total
        return math.sqrt(
            left if self.plan.channels[self.plan.sources[source]] == 1 else (left + right) / 2
        )

    def power_of_source(self, source: str) -> float:
        """What the listed paths' coupled power is against: a stereo source is two sides of its level and
        listed as one.
        """
        node = self.rig.nodes[source]
        assert isinstance(node, k.Source)
        return db_gain(node.level_dbfs) ** 2 * (2 if node.stereo else 1)

    # Names -------------------------------------------------------------------------------------
    def _name(self, paths: list[Path], reference: Path, output: str) -> list[ArrivalOut]:
        bits, everywhere, everything, dry = self.network.bits, -1, 0, -1
        for path in paths:
            everywhere &= path.mask
            everything |= path.mask
            dry &= path.mask if not path.wet else -1
        # Names of processors that a path goes through and not all do.
        working = {o: name for o, name in self._working.items() if not bits.get(o, 0) & everywhere}
        known = {o: name for o, name in self._told.items() if not bits.get(o, 0) & everywhere}
        at_work = sum(bits.get(o, 0) for o in working)
        plain = any(not p.wet and not p.mask & at_work for p in paths)
        # Parts that some dry path goes round.
        beside = everything & ~dry
        out: list[ArrivalOut] = []
        told: dict[tuple[str, str], int] = {}
        marks: set[int] = set()
        for path in paths:
            name, detail = self._title(path, working if plain else {}, beside)
            if not detail:
                route = list(dict.fromkeys([known[o] for o in path.owners if o in known]))
                detail = "by " + ", ".join(route[:3]) if route else "straight through"
            count = told[name, detail] = told.get((name, detail), 0) + 1
            if count > 1:
                # Two ways through the same parts: told apart by what carries them, else by number.
                rails = [
                    o for o in path.owners if o in self.rig.rails and not bits[o] & everywhere
                ]  # fmt: skip
                detail += (
                    f", way {count}" if not rails else f", from {self._from(rails[0])}, way {count}"
                )
            # Through the same parts at the same time: the stronger one is named first.
            mark = path.mark
            while mark in marks:
                mark = zlib.crc32(b"again", mark)
            marks.add(mark)
            out.append(self._arrival(mark, name, detail, path, reference, output))
        return out

    def _pan(self, left: float, right: float, output: str) -> float:
        """Where an output's own pan law puts such a pair of gains."""
        node = self.rig.nodes[output]
        assert isinstance(node, k.Output)
        if not node.stereo or left == right:
            return 0.0
        return 100 * pan_position(left, right, node.pan_law)

    def _from(self, port: str) -> str:
        id, _, number = port.rpartition(".")
        return f"{self.rig.nodes[id].shown} {int(number) + 1}"

    def _title(self, path: Path, working: dict[str, str], beside: int) -> tuple[str, str]:
        """working: names of the processors that set a path apart, where a plain one stands beside it."""
        nodes = self.rig.nodes
        if path.wet:
            name = " into ".join(dict.fromkeys([nodes[owner].shown for owner in path.wet_by]))
            if path.laps:
                return f"{name}, lap {path.laps + 1}", "round the loop"
            if path.repeats:
                return f"{name}, repeat {path.repeats + 1}", ""
            return name, "first wet sound" if path.diffuse else ""
        for leak in reversed(path.leaks):
            # Only beside another dry path is a device's own dry share a leak; alone it is its mix.
            if self.network.bits[leak] & beside:
                node = nodes[leak]
                if isinstance(node, k.Stage) and node.wet_by_nature and not node.bypassed:
                    return "Dry leak", f"inside {node.shown}"
        worked = [working[owner] for owner in path.owners if owner in working]
        name = " into ".join(dict.fromkeys(worked[:2])) if worked else "Dry"
        if path.laps:
            return f"{name}, lap {path.laps + 1}", "round the loop"
        return name, "processed beside the dry rail" if worked else ""

    def _arrival(
        self, mark: int, name: str, detail: str, path: Path, reference: Path, board: str
    ) -> ArrivalOut:
        a, b, c, d = path.matrix
        left, right = math.hypot(a, b), math.hypot(c, d)
        latency = path.delay_s - path.wanted_s
        level, gain = _db(path.gain / reference.gain), _db(path.gain)
        ranges = path.range_db
        return ArrivalOut(
            id=f"{mark:08x}",
            name=name,
            detail=detail,
            level_db=level,
            gain_db=gain,
            time_ms=path.delay_s * 1e3,
            latency_ms=latency * 1e3,
            polarity=path.polarity,
            wet_percent=100.0 if path.wet else 0.0,
            pan_percent=self._pan(left, right, board),
            diffuse=path.diffuse,
            leak=name == "Dry leak",
            intended=path.wanted_s > 1e-9,
            through=list(dict.fromkeys(path.owners)),
            quiet_db=None if ranges is None else ranges[0] - gain + level,
            loud_db=None if ranges is None else ranges[1] - gain + level,
        )

    # The rest ----------------------------------------------------------------------------------
    def rails(self) -> list[RailOut]:
        found = []
        for port in self.rig.rails:
            point = self.plan.outlet.get(port)
            if point is None:
                continue
            carried = self.plan.carried[point]
            found.append(
                RailOut(
                    port=port,
                    channels=self.plan.channels[point],
                    level_dbfs=carried.level_dbfs,
                    sides_dbfs=list(carried.sides_dbfs[: carried.channels]),
                    measured_dbfs=self._measured(port),
                    dry_dbfs=carried.dry_dbfs,
                    wet_dbfs=carried.wet_dbfs,
                    dry_ms=_ms(carried.dry_s),
                    wet_ms=_ms(carried.wet_s),
                )
            )
        return found

    def _measured(self, port: str) -> float | None:
        measured = self.context.measured
        node, _, number = port.rpartition(".")
        # What is gauged is a node's first output; a full split's others carry the same.
        same = number == "0" or self.plan.outlet.get(port) == self.plan.outlet.get(f"{node}.0")
        return measured.level_dbfs(node) if measured is not None and same else None

    def align(self) -> list[AlignOut]:
        return self._align

    @cached_property
    def _align(self) -> list[AlignOut]:
        """Delays that make latencies meet at every merge, the later inputs left as they are.

        Wanted delays and tails do not count. What is added at one merge is carried on, so that
        the next one downstream sees it.
        """
        found = []
        for name in self.plan.order:
            node = self.rig.nodes[name]
            if not node.many_inputs:
                continue
            late: dict[str, float] = {}
            for port in self.rig.inputs[name]:
                if port in self.plan.back_rails or self.rig.rails[port].strip.muted:
                    continue
                latency = self.plan.carried[self.plan.outlet[port]].latency_s
                if latency is not None:
                    late[port] = latency + self.rig.rails[port].strip.delay_ms / 1e3
            if not late:
                continue
            # Only what comes from the same source can comb.
            latest: dict[str, float] = {}
            for port, time in late.items():
                for source in self._fed_by[port.rpartition(".")[0]]:
                    latest[source] = max(latest.get(source, time), time)
            for port, time in late.items():
                feeding = self._fed_by[port.rpartition(".")[0]]
                last = max((latest[source] for source in feeding), default=time)
                if last - time > 1e-7:
                    found.append(AlignOut(rail=port, add_ms=(last - time) * 1e3, joins=name))
        return found

    @cached_property
    def _fed_by(self) -> dict[str, frozenset[str]]:
        """Node to the sources that feed it, rails that close a cycle left out."""
        found: dict[str, frozenset[str]] = {}
        for name in self.plan.order:
            own = {name} if name in self.plan.sources else set()
            for port in self.rig.inputs[name]:
                if port not in self.plan.back_rails:
                    own |= found[port.rpartition(".")[0]]
            found[name] = frozenset(own)
        return found

    def output_levels(self) -> list[OutputLevel]:
        return self._output_levels

    @cached_property
    def _output_levels(self) -> list[OutputLevel]:
        found = []
        for name, point in self.plan.outputs.items():
            node = self.rig.nodes[name]
            assert isinstance(node, k.Output)
            carried = self.plan.carried[point]
            found.append(
                OutputLevel(
                    output=name,
                    nominal_dbfs=carried.level_dbfs,
                    sides_dbfs=list(carried.sides_dbfs[: carried.channels]),
                    peak_dbfs=carried.peak_dbfs,
                    peaks_dbfs=[
                        audible_db(p * p) if math.isfinite(p) else None
                        for p in carried.peak[: carried.channels]
                    ],
                    mono_dbfs=audible_db(carried.mono_power) if carried.channels == 2 else None,
                    ceiling_dbfs=node.ceiling_dbfs,
                )
            )
        return found

    def _tails_in(self, loop: LoopGain) -> list[float]:
        """RT60 at each band of the longest tail on a loop (s); 0 without one."""
        at = np.array(BANDS_HZ)
        longest = np.zeros(len(at))
        for name in self.plan.in_cycle:
            node = self.rig.nodes[name]
            if isinstance(node, k.Stage) and node.diffuse and not node.bypassed:
                longest = np.maximum(longest, decay_at(node, at))
        return [float(s) for s in longest]

    def lap_s(self, loop: LoopGain) -> float:
        """The quickest way round, and the mean delay of a tail on it (RT60 / 13.8)."""
        return loop.lap_s + max(self._tails_in(loop), default=0.0) / (6 * math.log(10))

    def report(self) -> RigReport:
        return RigReport(
            measured_clip=None if self.context.measured is None else self.context.measured.clip,
            hz=_HZ,
            boards=self.boards,
            loops=[
                LoopOut(
                    rail=loop.port,
                    gain_db=loop.gain_db,
                    hz=loop.hz,
                    lap_ms=self.lap_s(loop) * 1e3,
                    bands_db=list(loop.bands_db),
                    laps_to_60_db=(
                        60 / -loop.gain_db
                        if loop.gain_db is not None and loop.gain_db < 0
                        else None
                    ),
                    grows=loop.gain_db is None or loop.gain_db >= 0,
                    decay_s=[
                        loop_decay_s(band, loop.lap_s, tail)
                        for band, tail in zip(loop.bands_db, self._tails_in(loop), strict=False)
                    ],
                )
                for loop in self.loops
            ],
            stable=self.stable,
            rails=self.rails(),
            align=self.align(),
            outputs=self.output_levels(),
            times_ms={name: time * 1e3 for name, time in self.plan.times_s.items()},
            cycles=cycles_of(self.rig, self.plan),
        )


def loop_decay_s(gain_db: float, lap_s: float, tail_s: float) -> float | None:
    """Time for 60 dB of a loop of so much gain and lap, with a tail of its own RT60 on it.

    A delay alone loses the gain every lap: `60 / -G * lap`. A tail near a peak of its response is a
    resonance of time constant RT60 / 6.9; closed with gain g, it takes `RT60 / (1 - g)`. None where
    it does not die.

    >>> loop_decay_s(-6, 0.2, 0.0)
    2.0
    """
    if gain_db >= 0:
        return None
    return 60 / -gain_db * lap_s + tail_s / (1 - db_gain(gain_db))


def evaluate(rig: Rig, context: Context = Context()) -> RigReport:
    """Arrivals, sums, loops and levels of a rig under a tempo.

    Raises RigError where a parameter cannot be read.
    """
    return Evaluation(rig, context).report()


def decay_at(node: k.Stage, hz: np.ndarray) -> np.ndarray:
    """RT60 (s) of a stage with a tail at frequencies."""
    if isinstance(node, k.Reverb):
        octaves = tuple(getattr(node, f"rt60_{int(middle)}_s") for middle in OCTAVES_HZ)
        if any(s is not None for s in octaves):
            given = [node.rt60_s if s is None else s for s in octaves]
            return np.interp(np.log(hz), np.log(OCTAVES_HZ), given)
        return np.full(len(hz), node.rt60_s)
    return np.full(len(hz), float(k.field_of(node, "rt60_s", 0.0)))


def _db(gain: float) -> float:
    return decibels(max(gain, _FLOOR))


def _or_none(gain: float) -> float | None:
    return decibels(gain) if gain > _FLOOR else None


def _ms(seconds: float) -> float | None:
    return seconds * 1e3 if math.isfinite(seconds) else None


def _within(paths: list[Path]) -> list[Path]:
    """The stretch of 10 ms whose gains add up to most."""
    ordered = sorted((p for p in paths), key=lambda p: p.delay_s)
    best: list[Path] = []
    most, start, total = 0.0, 0, 0.0
    for end, path in enumerate(ordered):
        total += path.gain
        while path.delay_s - ordered[start].delay_s > NEAR_S:
            total -= ordered[start].gain
            start += 1
        if total > most:
            most, best = total, ordered[start : end + 1]
    return best


@dataclass(frozen=True)
class _Curves:
    """Louder side and mono in dB against the reference, and the mono loss over all."""

    level_db: list[float] = field(default_factory=list)
    mono_db: list[float] = field(default_factory=list)
    mono_loss: float | None = None


def _curves(
    transfers: dict[int, np.ndarray], units: dict[int, float], channels: dict[int, int], sides: int
) -> dict[int, _Curves]:
    """The curves of several points (transfers of (2, 2, F)) at once; empty where none reaches."""
    points = [p for p in units if p in transfers]
    found = {p: _Curves() for p in units}
    if not points:
        return found
    whole = np.array([transfers[p] for p in points])
    wide = np.array([channels[p] == 2 for p in points])[:, None, None]
    # A stereo source is taken as the same on both sides: the case that folds down worst.
    both = np.where(wide, whole.sum(axis=2) / math.sqrt(2), whole[:, :, 0])
    left, right = both[:, 0], both[:, 1]
    unit = np.array([units[p] for p in points])[:, None]
    if sides == 1:
        levels = to_db(np.abs(left) / unit)
        return found | {p: _Curves(levels[i], levels[i]) for i, p in enumerate(points)}
    power = np.abs(left) ** 2 + np.abs(right) ** 2
    mono = np.abs((left + right) / 2)
    lost = 2 * (mono**2).sum(axis=1) / np.maximum(power.sum(axis=1), 1e-300)
    levels = to_db(np.sqrt(power) / unit)
    monos = to_db(mono * math.sqrt(2) / unit)
    for i, p in enumerate(points):
        loss = power_decibels(max(float(lost[i]), 1e-12)) if power[i].any() else None
        found[p] = _Curves(levels[i], monos[i], loss)
    return found


def to_db(gain: np.ndarray) -> list[Any]:
    """Levels in dB to 0.01, as lists of the array's shape; no lower than -120 dB."""
    level: list[Any] = np.round(decibels(np.maximum(gain, _FLOOR)), 2).tolist()
    return level


def comb_notches(
    apart_s: float, ratio: float, same_polarity: bool, count: int = 3
) -> list[tuple[float, float | None]]:
    """First notches (Hz, depth in dB) of two arrivals `apart_s` apart, gain ratio at most 1.

    Same polarity: odd multiples of 1/(2 tau); opposite: multiples of 1/tau. At 0 Hz, where opposite
    ones begin, nothing is heard: the first one listed can be.

    >>> [round(hz, 1) for hz, _ in comb_notches(0.009, 1.0, True)]
    [55.6, 166.7, 277.8]
    >>> [round(hz, 1) for hz, _ in comb_notches(0.009, 1.0, False)]
    [111.1, 222.2, 333.3]
    """
    depth = decibels(1 - ratio) if ratio < 1 else None
    if same_polarity:
        return [((2 * n + 1) / (2 * apart_s), depth) for n in range(count)]
    return [((n + 1) / apart_s, depth) for n in range(count)]


def _comb(paths: list[Path], arrivals: list[ArrivalOut]) -> tuple[list[NotchOut], str, str]:
    """The comb of the strongest pair within 10 ms of each other, and which pair cancels."""
    near = [
        (p, a) for p, a in zip(paths, arrivals, strict=True) if not p.diffuse and not p.swings
    ]  # fmt: skip
    if not near:
        return [], "", ""
    first, first_name = near[0]
    for other, name in near[1:]:
        apart = abs(other.delay_s - first.delay_s)
        if apart > NEAR_S or other.gain <= 0.03 * first.gain or _elsewhere(first, other):
            continue
        same = first.polarity == other.polarity
        label = f"{first_name.name} and {name.name} ({name.detail})"
        if apart > 1e-6:
            found = comb_notches(apart, min(1.0, other.gain / first.gain), same)
            return (
                [NotchOut(hz=hz, depth_db=depth) for hz, depth in found if hz <= 20_000],
                label,
                "",
            )
        if not same and other.gain > 0.5 * first.gain and not _shaped_apart(first, other):
            return [], "", label
    return [], "", ""


def _elsewhere(one: Path, other: Path) -> bool:
    """Whether two paths meet on no side."""
    left = one.matrix[0] * other.matrix[0] + one.matrix[1] * other.matrix[1]
    right = one.matrix[2] * other.matrix[2] + one.matrix[3] * other.matrix[3]
    return abs(left) < 1e-9 and abs(right) < 1e-9


def _shaped_apart(one: Path, other: Path) -> bool:
    """Whether filters keep two paths from meeting at every pitch."""
    return any(link.response is not None for path in (one, other) for link in path.links)
