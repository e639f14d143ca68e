"""The strongest paths from a source to an output, found best first.

The bound is the path's gain so far times the best gain that any way on can still have; it never
falls short, so paths come out strongest first however many there are. Repeats of a feedback delay
and laps round a cycle are paths of their own, up to a limit. Paths share their beginnings: each step
keeps what is known of the way to it, so that a thousand paths through one amplifier ask it once.
"""

import heapq
import math
import zlib
from dataclasses import dataclass

from core.routing.evaluate.network import Link, Network
from core.routing.evaluate.shapes import FLAT, SHAPES, Response, number_of
from core.routing.plan.carried import Power
from core.routing.plan.cells import pink
from core.routing.plan.laws import Heard, operate
from core.routing.plan.model import UNIT, Arc, Matrix, SelfLoop, scaled, size, times
from core.units.decibel import gain_db

MOST_PATHS = 64
MOST_REPEATS = 8
_MOST_LAPS = 3
_FLOOR = 1e-5
_MOST_STEPS = 30_000


@dataclass(slots=True, eq=False)
class Path:
    """One way through: what it delivers, and the last of its steps.

    `wanted_s` is the part of the delay that somebody wants; `owners` are the nodes and rails on
    the way, `mask` the same as bits; `polarity` is the sign of the largest gain.
    """

    last: "_Step"
    matrix: Matrix
    delay_s: float
    gain: float
    wanted_s: float
    wet: bool
    diffuse: bool
    polarity: int
    owners: tuple[str, ...]
    mask: int
    shape: Response = FLAT
    """All filters on it."""
    range_db: tuple[float, float] | None = None
    """Gain of the path for what is quiet and for what is loud, where it depends on level."""
    swings: bool = False
    """A modulated stage moves it: it makes no comb that stands."""
    wet_by: tuple[str, ...] = ()
    """Devices that make it wet, in order."""
    leaks: tuple[str, ...] = ()
    """Devices whose own dry share it is, in order."""
    laps: int = 0
    repeats: int = 0
    mark: int = 0
    """Stands for the parts that it goes through, and when."""

    @property
    def owner_set(self) -> frozenset[str]:
        return frozenset(self.owners)

    @property
    def links(self) -> tuple[Link, ...]:
        found = []
        step: _Step | None = self.last
        while step is not None:
            if step.link is not None:
                found.append(step.link)
            step = step.before
        return tuple(reversed(found))


class _Step:
    """A way so far: the step before, and the link or the lap of a self-loop that came last.

    What is asked of whole paths alone is found when the first path through a step is.
    """

    __slots__ = (
        "before", "delay_s", "diffuse", "gone", "laps", "leaks", "link", "loop", "mark", "mask",
        "matrix", "moved", "own", "own_power", "owners", "power", "ranges", "repeats", "shape", "swings",
        "turned", "wanted_s", "wet", "wet_by",
    )  # fmt: skip
    wanted_s: float
    wet: bool
    diffuse: bool
    swings: bool
    owners: tuple[str, ...]
    mask: int
    shape: Response
    mark: int
    wet_by: tuple[str, ...]
    leaks: tuple[str, ...]
    laps: int
    repeats: int
    power: Power | None
    """Left, right and common, behind what is diffuse."""
    own: Matrix
    """The matrix with the gains that this way by itself would meet, and its power the same way."""
    own_power: Power | None
    moved: bool
    """Whether those differ from what all that arrives meets."""
    ranges: tuple[float, float] | None
    """How far gains that depend on level may go from there (dB), for what is quiet and for loud."""

    def __init__(
        self, before: "_Step | None", link: Link | None, loop: SelfLoop | None, matrix: Matrix,
        delay_s: float, turned: int,
    ) -> None:  # fmt: skip
        self.before, self.link, self.loop = before, link, loop
        self.matrix, self.delay_s, self.turned = matrix, delay_s, turned
        self.gone = False

    def laps_over(self, rail: str) -> int:
        count, step = 0, self
        while step.before is not None:
            count += step.link is not None and step.link.closes == rail
            step = step.before
        return count


class _Ways:
    """What the steps of one source's paths know: it goes along with them."""

    def __init__(self, network: Network, source: str) -> None:
        self.network, self.plan = network, network.plan
        point = self.plan.sources[source]
        self.width = self.plan.channels[point]
        self.strength = self.plan.carried[point].by_source.get(source, (0.0, 0.0, 0.0))[0]

    def first(self) -> _Step:
        step = _Step(
            None, None, None, UNIT if self.width == 2 else (1.0, 0.0, 0.0, 0.0), 0.0, 0
        )  # fmt: skip
        step.wanted_s, step.wet, step.diffuse, step.swings = 0.0, False, False, False
        step.owners, step.mask, step.shape, step.mark = (), 0, FLAT, 0
        step.wet_by, step.leaks, step.laps, step.repeats = (), (), 0, 0
        step.power = step.own_power = None
        step.own, step.moved, step.ranges = step.matrix, False, None
        step.gone = True
        return step

    def path(self, last: _Step) -> Path:
        todo: list[_Step] = []
        step: _Step | None = last
        while step is not None and not step.gone:
            todo.append(step)
            step = step.before
        for step in reversed(todo):
            self._go(step)
        matrix, power = (last.own, last.own_power) if last.moved else (last.matrix, last.power)
        if power is not None:
            matrix = _unlike(power, self.width)
        gain = path_gain(matrix, self.width)
        range_db = None
        if last.ranges is not None:
            now = gain_db(gain, -180.0)
            range_db = (now + last.ranges[0], now + last.ranges[1])
        return Path(
            last, matrix, last.delay_s, gain, last.wanted_s, last.wet, last.diffuse,
            -1 if max(matrix, key=abs) < 0 else 1, last.owners, last.mask, last.shape, range_db,
            last.swings, last.wet_by, last.leaks, last.laps, last.repeats, last.mark,
        )  # fmt: skip

    def _go(self, step: _Step) -> None:
        """What is known of a step, from the one before it."""
        old, step.gone = step.before, True
        assert old is not None
        loop, link = step.loop, step.link
        step.own_power, step.moved, step.ranges = old.own_power, old.moved, old.ranges
        step.wet, step.diffuse, step.swings = old.wet, old.diffuse, old.swings
        step.owners, step.mask = old.owners, old.mask
        step.wet_by, step.leaks = old.wet_by, old.leaks
        step.laps, step.repeats = old.laps, old.repeats
        if loop is not None:
            step.wanted_s = old.wanted_s + loop.delay_s
            step.repeats += 1
            step.own = times(loop.matrix, old.own)
            step.power = old.power and through(loop.matrix, old.power)
            step.own_power = old.own_power and through(loop.matrix, old.own_power)
            step.shape = old.shape
            if loop.shape is not None:
                step.shape = SHAPES.joined(old.shape, number_of(loop.shape))
            step.mark = zlib.crc32(b"lap", old.mark)
            return
        assert link is not None
        step.wanted_s = old.wanted_s + link.wanted_s
        step.wet, step.diffuse = old.wet or link.wet, old.diffuse or link.diffuse
        step.swings = old.swings or link.modulated
        step.owners, step.mask = old.owners + link.owners, old.mask | link.mask
        step.shape = SHAPES.joined(old.shape, link.shape)
        if link.wet_by:
            fresh = link.wet_by[1:] if step.wet_by[-1:] == link.wet_by[:1] else link.wet_by
            step.wet_by = step.wet_by + fresh
        if link.leak:
            step.leaks = (*step.leaks, link.leak)
        step.laps += bool(link.closes)
        step.mark = zlib.crc32(link.mark, old.mark)
        forward = link.matrix
        diffuse = step.diffuse
        step.power = _behind(link, forward, old.power, old.matrix) if diffuse else None
        for arc in link.by_level:
            own, (quiet, loud) = self._asked_again(arc, old.own, old.own_power)
            if own != 1.0:
                step.moved, forward = True, scaled(forward, own)
            had = step.ranges or (0.0, 0.0)
            step.ranges = (had[0] + quiet, had[1] + loud)
        if step.moved:
            step.own = times(forward, old.own)
            step.own_power = _behind(link, forward, old.own_power, old.own) if diffuse else None
        else:
            step.own, step.own_power = step.matrix, step.power

    def _asked_again(
        self, arc: Arc, matrix: Matrix, power: Power | None
    ) -> tuple[float, tuple[float, float]]:
        """What a stage's gain has to be multiplied by for this path, and how far it may go from there.

        A repeat comes to a drive or a compressor at a level of its own, some time after what it
        repeats: each such stage is asked again, at the level of this path there. The strongest way
        to it keeps the level of all that arrives.
        """
        plan, spread = self.plan, arc.spread
        assert arc.stage is not None
        assert spread is not None
        here = _unlike(power, self.width) if power is not None else matrix
        own = path_gain(here, self.width) ** 2 * self.strength
        carried = plan.carried[arc.source]
        now = max(spread.rms)
        factor = 1.0
        if arc.stage.id not in plan.keys and 0 < own < max(carried.total[:2]) * _ALONE:
            beside = own if carried.channels == 2 else 0.0
            alone = operate(arc.stage, Heard(own, beside, cells=pink().weights * own), None)
            factor = max(alone.rms) / now if now > 0 else 1.0
            now = max(alone.rms)
        if spread.range_db is None or now <= 0:
            return factor, (0.0, 0.0)
        at = gain_db(now)
        return factor, (spread.range_db[0] - at, spread.range_db[1] - at)


_ALONE = 10**-0.3
"""Below this share of all that arrives, a path is taken to come by itself."""


def _behind(link: Link, forward: Matrix, power: Power | None, matrix: Matrix) -> Power:
    """Power behind a link that is diffuse, or has something diffuse before it.

    Behind a tail the sides are unlike, and add as powers. Of a stereo source both sides count, at
    equal level.
    """
    if power is None:
        a, b, c, d = matrix
        power = (a * a + b * b, c * c + d * d, a * c + b * d)
    left, right, common = through(forward, power)
    return left, right, 0.0 if link.diffuse else common


def through(matrix: Matrix, power: Power) -> Power:
    """Left, right and common power behind a real 2 x 2 matrix."""
    a, b, c, d = matrix
    left, right, common = power
    return (
        a * a * left + b * b * right + 2 * a * b * common,
        c * c * left + d * d * right + 2 * c * d * common,
        a * c * left + b * d * right + (a * d + b * c) * common,
    )


def _unlike(power: Power, width: int) -> Matrix:
    """Amplitudes that a diffuse path brings to left and right."""
    left, right = math.sqrt(max(0.0, power[0])), math.sqrt(max(0.0, power[1]))
    return (left, 0.0, right, 0.0) if width == 1 else (left, 0.0, 0.0, right)


def path_gain(matrix: Matrix, channels: int) -> float:
    """Gain of a path as the power that it delivers: a mono source by its own column."""
    a, b, c, d = matrix
    if channels == 1:
        return math.hypot(a, c)
    return math.sqrt((a * a + b * b + c * c + d * d) / 2)


def _best_onward(network: Network, end: int) -> dict[int, float]:
    """The largest product of link gains from each point to the output (cycles at most once)."""
    best = {end: 1.0}
    for _ in range(2 + len(network.back)):
        changed = False
        for link in (*network.back, *reversed(network.links)):
            onward = best.get(link.target)
            if onward is not None and link.norm * onward > best.get(link.source, 0.0) * (1 + 1e-12):
                best[link.source] = link.norm * onward
                changed = True
        if not changed:
            break
    return best


def strongest_paths(
    network: Network, source: str, output: str, most: int = MOST_PATHS
) -> tuple[list[Path], bool]:
    """The strongest paths, strongest first, and whether that is all there are above -100 dB.

    Repeats of a loop count up to eight; they never make the list incomplete.
    """
    plan = network.plan
    start, end = plan.sources[source], plan.outputs[output]
    onward = network.onward.get(end)
    if onward is None:
        onward = network.onward[end] = _best_onward(network, end)
    if start not in onward:
        return [], True
    ways = _Ways(network, source)
    floor = onward[start] * _FLOOR
    ticket = steps = 0
    heap: list[tuple[float, int, int, _Step]] = [(-onward[start], 0, start, ways.first())]
    found: list[Path] = []
    push, pop, leaving, loops = heapq.heappush, heapq.heappop, network.leaving, plan.loops
    while heap and len(found) < most and steps < _MOST_STEPS:
        steps += 1
        _, _, point, step = pop(heap)
        if point == end:
            found.append(ways.path(step))
            continue
        matrix, delay = step.matrix, step.delay_s
        loop = loops.get(point)
        if loop is not None and step.turned < MOST_REPEATS:
            again = times(loop.matrix, matrix)
            bound = size(again) * onward[point]
            if bound > floor:
                ticket -= 1
                after = _Step(step, None, loop, again, delay + loop.delay_s, step.turned + 1)
                push(heap, (-bound, ticket, point, after))
        for link in leaving.get(point, ()):
            ahead = onward.get(link.target)
            if ahead is None or (link.closes and step.laps_over(link.closes) >= _MOST_LAPS):
                continue
            passed = times(link.matrix, matrix)
            bound = size(passed) * ahead
            if bound > floor:
                ticket -= 1
                after = _Step(step, link, None, passed, delay + link.delay_s, 0)
                push(heap, (-bound, ticket, link.target, after))
    found.sort(key=lambda p: (-round(p.gain, 9), p.delay_s))
    return found, not heap
