"""A compiled plan over streams: point by point, block by block, in the order of the signal.

Every arc is a delay, filters, a processor where it has one, and a matrix. Between samples a delay
reaches 64 samples ahead; that and a processor's own latency are made up for along all other ways to
the same point, and taken off again at the outputs, so that nothing comes late for being rendered.
A block is no longer than the shortest loop, so that what goes round is known when it is needed.
"""

import math
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
import scipy

from core.errors import FonodromeError
from core.render.delay_line import REACH, DelayLine, is_whole
from core.render.filters import Filter
from core.render.gauges import GainGauge, Gauge
from core.render.holding import Limiter, held_points
from core.render.mixing import Sum
from core.render.moves import Moved, Moves, Weights
from core.render.moving_line import MovingLine
from core.render.processors import Processor, Setting, begin_later, processor_for
from core.render.ring import Ring
from core.routing.document import kinds as k
from core.routing.plan.model import UNIT, Arc, Matrix, Plan, SelfLoop

if TYPE_CHECKING:
    from core.render.keeping import Keeping

LONGEST_BLOCK = 16_384
_FEW_SIZES = 1024


class RenderError(FonodromeError):
    """A rig cannot be made audible."""

    code = "render"


@dataclass
class _Way:
    """An arc at work."""

    arc: Arc
    samples: float
    line: DelayLine | MovingLine | None = None
    filter: Filter | None = None
    work: Processor | None = None
    key: int | None = None
    """The point that its processor listens to, and the delay that brings both to one time."""
    key_line: DelayLine | None = None
    late: bool = False
    """Longer than a block inside a cycle: read before its source is known."""
    moved: Moved | None = None
    gate: Moved | None = None
    """What it lets in, over time."""
    let_in: int = 0
    done: int = 0
    gauge: GainGauge | None = None
    round: GainGauge | None = None
    """Of a way that closes a loop: how loud it is what goes round."""
    weights: Weights | None = None
    versions: list[tuple[Filter | None, Processor | None, Matrix]] = field(default_factory=list)
    """What it is at several values of a setting that moves, and how much of each is heard."""

    def matrix(self) -> Matrix:
        return self.arc.bare if self.work is not None else self.arc.matrix

    def heard(self, block: np.ndarray, key: np.ndarray | None = None) -> tuple[np.ndarray, Matrix]:
        """`after`, gauged where it closes a loop."""
        block, matrix = self.after(block, key)
        if self.round is not None:
            a, b, c, d = matrix
            self.round(block, np.stack([a * block[0] + b * block[1], c * block[0] + d * block[1]]))
        return block, matrix

    def after(self, block: np.ndarray, key: np.ndarray | None = None) -> tuple[np.ndarray, Matrix]:
        """What comes after the delay, and the matrix that it goes through."""
        if self.weights is not None:
            return self._blended(block, key)
        if self.filter is not None:
            block = self.filter(block)
        if self.work is not None:
            if key is not None and self.key_line is not None:
                self.key_line.push(key)
                key = self.key_line.read(key.shape[1])
            before, block = block, self.work(block, key)
            if self.gauge is not None:
                self.gauge(before, block)
        if self.moved is not None:
            self.done += block.shape[1]
            return self.moved.over(block, self.done - block.shape[1]), UNIT
        return block, self.matrix()

    def _blended(self, block: np.ndarray, key: np.ndarray | None) -> tuple[np.ndarray, Matrix]:
        if key is not None and self.key_line is not None:
            self.key_line.push(key)
            key = self.key_line.read(key.shape[1])
        assert self.weights is not None
        count = block.shape[1]
        out = np.zeros((2, count))
        shares = self.weights.over(self.done, count)
        for share, (filtered, work, (a, b, c, d)) in zip(shares, self.versions, strict=True):
            some = block if filtered is None else filtered(block)
            some = some if work is None else work(some, key)
            if self.moved is None:
                some = np.stack([a * some[0] + b * some[1], c * some[0] + d * some[1]])
            out += share * some
        if self.gauge is not None:
            self.gauge(block, out)
        self.done += count
        if self.moved is not None:
            return self.moved.over(out, self.done - count), UNIT
        return out, UNIT


@dataclass
class Renderer:
    """Runs a plan. Feed it with `process`; what comes out is `latency` samples late until then.

    Raises RenderError for a cycle without delay or a stage that cannot be rendered.
    """

    plan: Plan
    rate_hz: int
    impulses: Mapping[str, np.ndarray] = field(default_factory=dict)
    moves: Moves = field(default_factory=Moves)
    seed: int = 0
    start_s: float = 0.0
    """Of the song, where the clip begins."""
    metered: bool = False
    """Keep gauges where every node ends, and of what works by level."""
    gauged: frozenset[int] | None = None
    """Points to gauge; None for all."""
    block: int = 0
    latency: dict[str, int] = field(default_factory=dict)
    gauges: dict[int, Gauge] = field(default_factory=dict)
    read_at: dict[int, Gauge] = field(default_factory=dict)
    """Of points that one sound passes unchanged, the first one's."""
    loop_gauges: dict[int, GainGauge] = field(default_factory=dict)
    """Of points that feed themselves."""
    told_at: dict[int, dict[str, GainGauge]] = field(default_factory=dict)
    """Gauges over time, by the point whose level they are told with."""
    measured_at: dict[int, set[int]] = field(default_factory=dict)
    """Points that have to be computed, and not read, to fill the gauges that are told with one."""
    counting: bool = True
    """Whether what passes counts for RMS: not once the clip has ended."""
    most_block: int = LONGEST_BLOCK
    """What the blocks of a plan's parts have in common with those of the whole."""
    keeping: "Keeping | None" = None
    """What is read from, and written to, the parts that are kept."""

    def __post_init__(self) -> None:
        plan = self.plan
        same: dict[int, int] = {}
        if self.metered:
            ends = set(plan.outlet.values()) | set(plan.outputs.values())
            reached = {a.target for a in (*plan.arcs, *plan.back)} | set(plan.sources.values())
            same = self._same_sound()
            kept: dict[int, Gauge] = {}
            if self.gauged is not None:
                ends &= self.gauged
            for point in sorted(ends & reached):
                first = same.get(point, point)
                if first not in kept:
                    kept[first] = Gauge(plan.channels[point])
                self.gauges[point] = kept[first]
            self.read_at = kept
        arcs = [*plan.arcs, *plan.back]
        self.parts = self._strong_parts(arcs)
        works = {id(a): self._work(a) for a in arcs if a.stage is not None}
        offsets = self.offsets = self._offsets(arcs, works)
        self.ways = [self._way(arc, offsets, works.get(id(arc))) for arc in arcs]
        self.growing = held_points(plan, self.moves)
        self.limiters = {point: Limiter(self.rate_hz) for point in self.growing}
        self.rings = {p: self._ring(p, loop) for p, loop in plan.loops.items()}
        self.sums = [Sum(plan.channels[p]) for p in range(plan.points)]
        self.block = self._block_size()
        for way in self.ways:
            inside = self._inside(way.arc)
            way.late = (
                inside and way.samples - (0 if is_whole(way.samples) else REACH) >= self.block
            )
            times = self.moves.delays.get(id(way.arc))
            if times is not None:
                held = way.samples - way.arc.delay_s * self.rate_hz
                fading = way.arc.owner in self.moves.fading
                way.line = MovingLine(times, held, fading, self.rate_hz)
            elif way.samples > 0:
                way.line = DelayLine(way.samples, plan.channels[way.arc.source])
            here = self.gauged is None or plan.outlet.get(f"{way.arc.owner}.0") in self.gauged
            if self.metered and here and way.arc.by_level and way.work is not None:
                resting = way.arc.spread.range_db if way.arc.spread is not None else None
                way.gauge = GainGauge(self.rate_hz, resting[0] if resting else 0.0)
        if self.metered:
            self._anchor(same)
        self.late = [way for way in self.ways if way.late]
        self.order = self._ordered()
        self.latency = {name: offsets[p] for name, p in plan.outputs.items()}

    def _anchor(self, same: Mapping[int, int]) -> None:
        """What is gauged over time is told with the level of its owner: where that is read."""

        def of(owner: str, otherwise: int) -> int:
            outlet = self.plan.outlet.get(f"{owner}.0", otherwise)
            first = same.get(outlet, outlet)
            return first if first in self.read_at else otherwise

        for way in self.ways:
            if way.gauge is not None:
                at = of(way.arc.owner, way.arc.target)
                place = self.told_at.setdefault(at, {})
                place[f"{way.arc.owner} {len(place)}"] = way.gauge
                self.measured_at.setdefault(at, set()).add(way.arc.target)
        closing = {id(arc) for arc in self.plan.back}
        for way in self.ways:
            node = way.arc.node
            outlet = self.plan.outlet.get(f"{node}.0")
            at = of(node, -1)
            if id(way.arc) not in closing or at < 0:
                continue
            if self.gauged is None or outlet in self.gauged:
                way.round = GainGauge(self.rate_hz, 0.0)
                place = self.told_at.setdefault(at, {})
                place[f"{node} round {len(place)}"] = way.round
                self.measured_at.setdefault(at, set()).add(way.arc.target)
        for point, loop in self.plan.loops.items():
            at = of(loop.owner, -1)
            outlet = self.plan.outlet.get(f"{loop.owner}.0")
            if at < 0 or (self.gauged is not None and outlet not in self.gauged):
                continue
            gauge = self.loop_gauges[point] = GainGauge(self.rate_hz, 0.0)
            place = self.told_at.setdefault(at, {})
            place[f"{loop.owner} loop {len(place)}"] = gauge
            self.measured_at.setdefault(at, set()).add(point)

    def _same_sound(self) -> dict[int, int]:
        """Points that hold what another one before them holds."""
        plan = self.plan
        ways = Counter(a.target for a in (*plan.arcs, *plan.back))
        found: dict[int, int] = {}
        for arc in plan.arcs:
            alone = ways[arc.target] == 1 and arc.target not in plan.loops
            moved = self.moves.of(arc) is not None or id(arc) in self.moves.gates
            still = not moved and id(arc) not in {**self.moves.delays, **self.moves.morphs}
            if alone and still and arc.changes_nothing(plan.channels):
                found[arc.target] = found.get(arc.source, arc.source)
        return found

    # Setting up ------------------------------------------------------------------------------
    def _strong_parts(self, arcs: list[Arc]) -> np.ndarray:
        n = max(1, self.plan.points)
        ones = np.ones(len(arcs))
        graph = scipy.sparse.csr_array(
            (ones, ([a.source for a in arcs], [a.target for a in arcs])), shape=(n, n)
        )
        _, labels = scipy.sparse.csgraph.connected_components(
            graph, directed=True, connection="strong"
        )
        return np.asarray(labels)

    def _inside(self, arc: Arc) -> bool:
        return bool(self.parts[arc.source] == self.parts[arc.target])

    def _samples(self, arc: Arc, own: float = 0.0) -> float:
        samples = arc.delay_s * self.rate_hz - own
        if self._inside(arc) and not is_whole(samples) and samples < REACH:
            # Nothing inside a cycle can be made up for: so short a time goes to the next sample.
            return float(round(samples))
        return samples

    def _offsets(self, arcs: list[Arc], works: dict[int, Processor]) -> list[int]:
        """Samples by which each point is held back, so that all ways into it agree."""
        offsets = [0] * self.plan.points
        for _ in range(self.plan.points + 1):
            changed = False
            for arc in arcs:
                if self._inside(arc):
                    continue
                work = works.get(id(arc))
                samples = self._samples(arc, work.own if work is not None else 0.0)
                need = 0 if is_whole(samples) else max(0, math.ceil(REACH - samples))
                need += work.latency if work is not None else 0
                at = offsets[arc.source] + need
                key = self._key_of(arc)
                if key is not None and work is not None:
                    at = max(at, offsets[key] + work.latency)
                if at > offsets[arc.target]:
                    part = self.parts[arc.target]
                    for p in np.flatnonzero(self.parts == part):
                        offsets[p] = max(offsets[p], at)
                    changed = True
            if not changed:
                return offsets
        raise RenderError("This rig's ways cannot be brought to one time.")

    def _way(self, arc: Arc, offsets: list[int], work: Processor | None) -> _Way:
        held = offsets[arc.target] - offsets[arc.source] - (work.latency if work else 0)
        own = work.own if work is not None else 0.0
        way = _Way(arc, self._samples(arc, own) + held, work=work)
        # What is heard at a time of the song passes here so much later.
        passed = offsets[arc.target] - (work.latency if work else 0)
        begin_later(work, passed)
        # A swept filter's shape is what it rests at: its processor is the filter itself.
        if arc.shape is not None and not isinstance(arc.stage, k.Swept):
            way.filter = Filter(arc.shape, self.rate_hz)
        key = self._key_of(arc)
        if key is not None and work is not None:
            way.key = key
            way.key_line = DelayLine(offsets[arc.target] - work.latency - offsets[key])
        morph = self.moves.morphs.get(id(arc))
        if morph is not None:
            way.weights = morph.weights.later(offsets[arc.target])
            way.versions = [
                self._version(one, times_s, work, passed)
                for one, times_s in zip(morph.arcs, morph.times_s, strict=True)
            ]
        gate = self.moves.gates.get(id(arc))
        if gate is not None:
            way.gate = gate.later(offsets[arc.source])
        moved = self.moves.of(arc)
        if moved is not None:
            # What is heard at a bar has been held back by the offsets until then.
            way.moved = moved.later(offsets[arc.target])
        return way

    def _version(
        self, arc: Arc, times_s: Mapping[str, float], like: Processor | None, passed: int
    ) -> tuple[Filter | None, Processor | None, Matrix]:
        """An arc at one value of a setting that moves. Raises RenderError where it comes later."""
        filtered = None
        if arc.shape is not None and not isinstance(arc.stage, k.Swept):
            filtered = Filter(arc.shape, self.rate_hz)
        if arc.stage is None:
            return filtered, None, arc.matrix
        work = self._work(arc, times_s)
        if like is None or (work.latency, work.own) != (like.latency, like.own):
            raise RenderError(f"{arc.stage.shown}: a setting of it that moves changes its time.")
        begin_later(work, passed)
        return filtered, work, arc.bare

    def _key_of(self, arc: Arc) -> int | None:
        return None if arc.stage is None else self.plan.keys.get(arc.stage.id)

    def _work(self, arc: Arc, times_s: Mapping[str, float] | None = None) -> Processor:
        assert arc.stage is not None
        key = self._key_of(arc)
        heard = self.plan.carried[arc.source if key is None else key].level_dbfs
        setting = Setting(
            self.rate_hz, self.plan.channels[arc.target], -20.0 if heard is None else heard,
            self.plan.times_s if times_s is None else times_s, self.impulses, self.moves.fields.get(arc.stage.id, {}),
            self.start_s, self.seed, arc.own_lines,
        )  # fmt: skip
        return processor_for(arc.stage, setting)

    def _block_size(self) -> int:
        shortest = float(self.most_block)
        for ring in self.rings.values():
            shortest = min(shortest, ring.longest)
        longest: dict[int, float] = {}
        for way in self.ways:
            if self._inside(way.arc):
                room = way.samples - (0 if is_whole(way.samples) else REACH)
                part = int(self.parts[way.arc.source])
                longest[part] = max(longest.get(part, 0.0), room)
        for room in longest.values():
            if room < 1:
                raise RenderError(
                    "This rig closes a loop without a delay in it; it is not rendered."
                )
            shortest = min(shortest, math.floor(room))
        size = max(1, int(shortest))
        # Few sizes, so that what is kept in parts does not depend on the last millisecond of a delay.
        return size if size < _FEW_SIZES else 1 << (size.bit_length() - 1)

    def _ring(self, point: int, loop: SelfLoop) -> Ring:
        insert = None
        if loop.insert is not None:
            setting = Setting(
                self.rate_hz, self.plan.channels[point], start_s=self.start_s, seed=self.seed
            )
            insert = processor_for(loop.insert, setting)
            begin_later(insert, self.offsets[point])
        moves = self.moves
        return Ring(
            loop, self.rate_hz, insert, moves.loops.get(point), moves.loop_delays.get(point),
            loop.owner in moves.fading, self.limiters.get(point), moves.loop_shapes.get(point),
        )  # fmt: skip

    def _ordered(self) -> list[_Way]:
        """Ways in an order in which a source is whole before it is read; late ones stand free."""
        entering = [0] * self.plan.points
        leaving: dict[int, list[_Way]] = {}
        waits: dict[int, int] = {}
        for way in self.ways:
            if not way.late:
                entering[way.arc.target] += 1
                needed = {way.arc.source} if way.key is None else {way.arc.source, way.key}
                waits[id(way)] = len(needed)
                for point in needed:
                    leaving.setdefault(point, []).append(way)
        ready = [p for p in range(self.plan.points) if entering[p] == 0]
        order: list[_Way] = []
        while ready:
            for way in leaving.get(ready.pop(), ()):
                waits[id(way)] -= 1
                if waits[id(way)]:
                    continue
                order.append(way)
                entering[way.arc.target] -= 1
                if entering[way.arc.target] == 0:
                    ready.append(way.arc.target)
        if len(order) != sum(not way.late for way in self.ways):
            raise RenderError(
                "This rig closes a loop without a delay in it, or taps a key behind what it keys; "
                "it is not rendered."
            )
        return order

    # Running -----------------------------------------------------------------------------------
    def process(self, sources: dict[str, np.ndarray]) -> dict[str, np.ndarray]:
        """One stretch of (2, n) per source in, the same stretch per output back."""
        count = next(iter(sources.values())).shape[1]
        heard = {name: np.empty((2, count)) for name in self.plan.outputs}
        for start in range(0, count, self.block):
            stop = min(count, start + self.block)
            some = {n: s[:, start:stop] for n, s in sources.items()}
            self._step(some, {n: out[:, start:stop] for n, out in heard.items()})
        return heard

    def _step(self, sources: dict[str, np.ndarray], heard: dict[str, np.ndarray]) -> None:
        plan, sums = self.plan, self.sums
        count = next(iter(sources.values())).shape[1]
        whole: dict[int, np.ndarray] = {}
        for one in sums:
            one.clear()

        kept = self.keeping

        def value(point: int) -> np.ndarray:
            block = whole.get(point)
            if block is None:
                if kept is not None and point in kept.given:
                    block = whole[point] = kept.given[point].block(kept.done, count)
                    return block
                block = sums[point].value(count)
                if point in self.rings:
                    entering, block = block, self.rings[point](block)
                    if point in self.loop_gauges:
                        self.loop_gauges[point](entering, block)
                elif point in self.limiters:
                    block = sums[point].own()
                    self.limiters[point](block)
                whole[point] = block
            return block

        for name, block in sources.items():
            sums[plan.sources[name]].add(block, UNIT)
        for way in self.late:
            assert way.line is not None
            sums[way.arc.target].add(*way.heard(way.line.read(count)))
        for way in self.order:
            block = value(way.arc.source)
            if way.gate is not None:
                block = way.gate.over(block, way.let_in)
                way.let_in += count
            if way.line is not None:
                way.line.push(block)
                block = way.line.read(count)
            key = None if way.key is None else value(way.key)
            sums[way.arc.target].add(*way.heard(block, key))
        for point, gauge in self.read_at.items():
            gauge(value(point), self.counting)
        # Before lines move on: a block may be a part of one.
        for name, point in plan.outputs.items():
            heard[name][:] = value(point)
        for way in self.late:
            assert way.line is not None
            way.line.push(value(way.arc.source))
        if kept is not None:
            kept.write(value, count)

    def held_back(self) -> list[str]:
        """Nodes and rails whose loops were held by a limiter so far."""
        return sorted({self.growing[p].owner for p, one in self.limiters.items() if one.acted})

    @property
    def listens(self) -> bool:
        """Whether any source is heard: not where all that follows them is read from kept parts."""
        reached = None if self.keeping is None else self.keeping.reached
        return reached is None or any(p in reached for p in self.plan.sources.values())

    def keep(self, keeping: "Keeping") -> None:
        """Read what is kept in its place, and compute what leads to the rest alone."""
        self.keeping = keeping
        self.order = [way for way in self.order if way.arc.target in keeping.reached]
        self.late = [way for way in self.late if way.arc.target in keeping.reached]
        self.read_at = {p: g for p, g in self.read_at.items() if p not in keeping.told}
