"""Gauges along the course: RMS, peak and true peak where a stage ends, gain of what moves by itself."""

import math
import statistics
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from core.routing.plan.measured import StageGauge
from core.routing.plan.model import Plan
from core.sample_loops import sample_loop
from core.units.decibel import decibels, power_decibels

if TYPE_CHECKING:
    from core.render.rig import Renderer

_REACH = 24
"""Samples on each side that a value between two samples is worked out from."""
_WORTH = 0.7
"""A stretch whose samples stay this far below the true peak so far cannot raise it by much."""
_CLOSE = 0.95
_MOST_CANDIDATES = 64


def _between() -> np.ndarray:
    """(3, 48): values a quarter, a half and three quarters on the way from one sample to the next."""
    places = np.arange(1 - _REACH, _REACH + 1)[None, :] - np.array([[0.25], [0.5], [0.75]])
    taps = np.sinc(places) * np.i0(9.0 * np.sqrt(1 - (places / (_REACH + 0.5)) ** 2)) / np.i0(9.0)
    return np.ascontiguousarray(taps / taps.sum(axis=1, keepdims=True))


_BETWEEN = _between()


@sample_loop(
    "float64(float64[::1], float64, float64[::1], float64[:, ::1])",
    fastmath={"contract", "reassoc", "nnan", "nsz"},
)
def _highest(x, top, tops, between):  # type: ignore[no-untyped-def]
    """True peak about the samples of x that come close to its largest one.

    tops: largest samples of its stretches of 64.
    """
    n, reach = len(x), between.shape[1] // 2
    best, seen = top, 0
    for stretch in range(len(tops)):
        if tops[stretch] < _CLOSE * top:
            continue
        for i in range(64 * stretch, min(n, 64 * stretch + 64)):
            here = abs(x[i])
            if here < _CLOSE * top:
                continue
            if (i > 0 and abs(x[i - 1]) > here) or (i + 1 < n and abs(x[i + 1]) > here):
                continue
            seen += 1
            if seen > _MOST_CANDIDATES:
                return best
            for first in (i - 1, i):
                low, high = max(0, first + 1 - reach), min(n, first + 1 + reach)
                for phase in range(3):
                    value = 0.0
                    for j in range(low, high):
                        value += between[phase, j - first - 1 + reach] * x[j]
                    best = max(best, abs(value))
    return best


@sample_loop(
    "float64(float64[::1], float64[::1])",
    fastmath={"contract", "reassoc", "nnan", "nsz"},
)
def _side(x, tops):  # type: ignore[no-untyped-def]
    """Sum of squares; the largest sample of each stretch of 64 goes to tops."""
    total, n, whole = 0.0, len(x), len(x) // 64
    for stretch in range(whole):
        # Four sums and four largest squares side by side: so it is done four samples at a time.
        a = b = c = d = top_a = top_b = top_c = top_d = 0.0
        for i in range(64 * stretch, 64 * stretch + 64, 4):
            p, q, r, s = x[i] * x[i], x[i + 1] * x[i + 1], x[i + 2] * x[i + 2], x[i + 3] * x[i + 3]
            a, b, c, d = a + p, b + q, c + r, d + s
            top_a = top_a if top_a > p else p
            top_b = top_b if top_b > q else q
            top_c = top_c if top_c > r else r
            top_d = top_d if top_d > s else s
        total += (a + b) + (c + d)
        tops[stretch] = math.sqrt(max(max(top_a, top_b), max(top_c, top_d)))
    if 64 * whole < n:
        top = 0.0
        for i in range(64 * whole, n):
            total += x[i] * x[i]
            top = max(top, abs(x[i]))
        tops[whole] = top
    return total


@sample_loop(
    "void(float64[::1], float64[::1], int64, boolean, float64[:, ::1], float64[::1], "
    "float64[:, ::1])",
)
def _read(left, right, channels, counting, held, tops, between):  # type: ignore[no-untyped-def]
    """held: (3, 2) sum of squares, largest sample and true peak so far, a side each."""
    for side in range(channels):
        x = left if side == 0 else right
        stretches = tops[: -(-len(x) // 64)]
        power = _side(x, stretches)
        if counting:
            held[0, side] += power
        top = stretches.max()
        held[1, side] = max(held[1, side], top)
        if top > _WORTH * held[2, side] and top > 1e-6:
            held[2, side] = max(held[2, side], _highest(x, top, stretches, between))


@sample_loop(
    "void(float64[:, :], float64[:, :], int64, int64, float64[::1], float64[::1])",
    fastmath={"contract", "reassoc", "nnan", "nsz"},
)
def _by_frame(before, after, done, step, came, went):  # type: ignore[no-untyped-def]
    """Adds squares of both sides to the frames that they fall in."""
    n, i = before.shape[1], 0
    while i < n:
        frame = (done + i) // step
        if frame >= len(came):
            break
        end = min(n, (frame + 1) * step - done)
        a = b = 0.0
        for j in range(i, end):
            a += before[0, j] * before[0, j] + before[1, j] * before[1, j]
            b += after[0, j] * after[0, j] + after[1, j] * after[1, j]
        came[frame] += a
        went[frame] += b
        i = end


@dataclass
class Gauge:
    """What passes a point: sums of squares, largest sample and true peak, a side each.

    The true peak is looked for about the largest samples of every stretch that could raise it. Once
    `counting` ends, as the clip does, peaks alone go on.
    """

    channels: int
    held: np.ndarray = field(default_factory=lambda: np.zeros((3, 2)))
    tops: np.ndarray = field(default_factory=lambda: np.zeros(0))

    def __call__(self, block: np.ndarray, counting: bool = True) -> None:
        """Read a block (2, n) of float64; of a mono point the left row."""
        if 64 * len(self.tops) < block.shape[1]:
            self.tops = np.zeros(-(-block.shape[1] // 64))
        left, right = block
        if not left.flags.c_contiguous:
            left, right = np.ascontiguousarray(left), np.ascontiguousarray(right)
        _read(left, right, self.channels, counting, self.held, self.tops, _BETWEEN)

    @property
    def power(self) -> np.ndarray:
        return self.held[0]

    @property
    def peak(self) -> np.ndarray:
        return self.held[1]

    @property
    def true(self) -> np.ndarray:
        return self.held[2]

    def rms_dbfs(self, frames: int) -> list[float | None]:
        """RMS over so many frames, one or two sides; None for silence."""
        return [
            power_decibels(p / frames) if frames and p / frames > 1e-15 else None
            for p in self.power[: self.channels]
        ]


FRAME_S = 0.05
MOST_FRAMES = 12_000
_ACTS_DB = 0.5
_QUIET = 1e-9


class GainGauge:
    """Gain over time of a stage that works by level: what leaves it against what comes in.

    A value every 50 ms (None where nothing comes in), up to ten minutes of them; `acting` is the
    share of the sounding time in which it stands half a decibel or more below its gain for what is
    quiet.
    """

    def __init__(self, rate_hz: int, resting_db: float) -> None:
        self.step, self.done, self.resting_db = max(1, round(FRAME_S * rate_hz)), 0, resting_db
        self.came, self.went = np.zeros(64), np.zeros(64)

    def __call__(self, before: np.ndarray, after: np.ndarray) -> None:
        count = before.shape[1]
        last = min(MOST_FRAMES - 1, (self.done + count - 1) // self.step)
        while last >= len(self.came):
            self.came = np.concatenate([self.came, np.zeros(len(self.came))])
            self.went = np.concatenate([self.went, np.zeros(len(self.went))])
        _by_frame(before, after, self.done, self.step, self.came, self.went)
        self.done += count

    def gains_db(self) -> list[float | None]:
        used = min(len(self.came), -(-self.done // self.step))
        return [
            round(power_decibels(max(b, 1e-30) / a), 2) if a > _QUIET else None
            for a, b in zip(self.came[:used], self.went[:used], strict=True)
        ]

    def levels_dbfs(self, sides: int) -> list[float | None]:
        """RMS of what left, over so many sides; of a point that feeds itself what goes round."""
        used = min(len(self.went), -(-self.done // self.step))
        power = self.went[:used] / (self.step * sides)
        return [round(power_decibels(p), 1) if p > 1e-10 else None for p in power]

    def acting(self) -> float:
        found = [g for g in self.gains_db() if g is not None]
        return sum(g < self.resting_db - _ACTS_DB for g in found) / len(found) if found else 0.0

    def reductions_db(self) -> tuple[float | None, float | None]:
        """The most that it is turned down against its gain for what is quiet, and the middle of what
        it is while it acts; None where it never acts.
        """
        taken = [self.resting_db - g for g in self.gains_db() if g is not None]
        acts = [t for t in taken if t > _ACTS_DB]
        return (max(acts), statistics.median(acts)) if acts else (None, None)


def _upstream(plan: Plan, point: int) -> set[int]:
    """Arcs (by identity) that lead to a point."""
    into: dict[int, list[tuple[int, int]]] = {}
    for arc in (*plan.arcs, *plan.back):
        into.setdefault(arc.target, []).append((id(arc), arc.source))
    found: set[int] = set()
    todo, seen = [point], {point}
    while todo:
        for arc_id, source in into.get(todo.pop(), ()):
            found.add(arc_id)
            if source not in seen:
                seen.add(source)
                todo.append(source)
    return found


def _louder(sides: list[float | None]) -> float | None:
    return max((s for s in sides if s is not None), default=None)


def _loop_levels(renderer: "Renderer", node: str) -> list[float | None]:
    plan = renderer.plan
    rows = [
        renderer.loop_gauges[point].levels_dbfs(plan.channels[point])
        for point, loop in plan.loops.items()
        if loop.owner == node and point in renderer.loop_gauges
    ]
    rows += [
        way.round.levels_dbfs(plan.channels[way.arc.target])
        for way in renderer.ways
        if way.round is not None and way.arc.node == node
    ]
    return [_louder(list(levels)) for levels in zip(*rows, strict=False)]


def _sizes_db(values: np.ndarray) -> list[float | None]:
    return [decibels(v) if v > 1e-8 else None for v in values]


def shared_out(plan: Plan, parts: Sequence[Plan]) -> list[frozenset[int]]:
    """Where each part of a plan is gauged: every point once, by the first part that holds all that
    leads to it.
    """
    arcs = [{id(a) for a in (*part.arcs, *part.back)} for part in parts]
    found: list[set[int]] = [set() for _ in parts]
    for point in {*plan.outlet.values(), *plan.outputs.values()}:
        needed = _upstream(plan, point)
        for mine, held in zip(found, arcs, strict=True):
            if needed <= held:
                mine.add(point)
                break
    return [frozenset(points) for points in found]


def stage_gauges(plan: Plan, renderers: "Sequence[Renderer]", frames: int) -> list[StageGauge]:
    """What left each node, from renders of parts of a plan; RMS over the clip's own frames.

    A part tells of a node only if all that leads to it is in the part: what lies behind the place
    where stems meet is heard in their sum alone, and left out.
    """
    found: list[StageGauge] = []
    arcs = {id(arc): arc for arc in (*plan.arcs, *plan.back)}
    for node in plan.order:
        point = plan.outputs.get(node, plan.outlet.get(f"{node}.0"))
        if point is None:
            continue
        needed = _upstream(plan, point)
        for one in renderers:
            gauge = one.gauges.get(point)
            if gauge is None or not needed <= {id(a) for a in (*one.plan.arcs, *one.plan.back)}:
                continue
            gains = next(
                (
                    way.gauge for way in one.ways
                    if way.gauge is not None and id(way.arc) in arcs and way.arc.owner == node
                ),
                None,
            )  # fmt: skip
            channels = gauge.channels
            most, typical = (None, None) if gains is None else gains.reductions_db()
            key = one.gauges.get(plan.keys.get(node, -1))
            found.append(
                StageGauge(
                    node=node, most_db=most, typical_db=typical,
                    resting_db=None if gains is None else gains.resting_db,
                    key_dbfs=None if key is None else _louder(key.rms_dbfs(frames)), rms_dbfs=gauge.rms_dbfs(frames),
                    peak_dbfs=_sizes_db(gauge.peak[:channels]),
                    true_peak_dbtp=_sizes_db(gauge.true[:channels]),
                    gain_db=[] if gains is None else gains.gains_db(),
                    loop_dbfs=_loop_levels(one, node),
                    acting=None if gains is None else gains.acting(),
                )
            )  # fmt: skip
            break
    return found
