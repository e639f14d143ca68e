"""The strongest paths from a source to an output, found best first.

The bound is the path's gain so far times the best gain that any way on can still have; it never
falls short, so paths come out strongest first however many there are. Repeats of a feedback delay
and laps round a cycle are paths of their own, up to a limit.
"""

import heapq
import math
from dataclasses import dataclass, replace

import numpy as np

from core.routing.evaluate.network import Link, Network
from core.routing.evaluate.shapes import SHAPES, number_of
from core.routing.plan.cells import pink
from core.routing.plan.laws import Heard, operate
from core.routing.plan.model import UNIT, Arc, Matrix, SelfLoop, scaled, size, times
from core.routing.plan.spread import of_matrix

MOST_PATHS = 64
MOST_REPEATS = 8
_MOST_LAPS = 3
_FLOOR = 1e-5
_MOST_STEPS = 30_000


@dataclass(slots=True, eq=False)
class Path:
    """One way through: links in order, with how often each self-loop was gone round.

    `wanted_s` is the part of the delay that somebody wants; `owners` are the nodes and rails on
    the way; `polarity` is the sign of the largest gain.
    """

    links: tuple[Link, ...]
    rounds: tuple[tuple[SelfLoop, int], ...]
    matrix: Matrix
    delay_s: float
    gain: float
    wanted_s: float
    wet: bool
    diffuse: bool
    polarity: int
    owners: tuple[str, ...]
    owner_set: frozenset[str]
    shape: int = 0
    """Number of all filters on it."""
    range_db: tuple[float, float] | None = None
    """Gain of the path for what is quiet and for what is loud, where it depends on level."""

    swings: bool = False
    """A modulated stage moves it: it makes no comb that stands."""

    @property
    def marks(self) -> str:
        """What tells two paths apart that go through the same parts: times and sides of links."""
        return ",".join(
            f"{round(link.delay_s * 1e7)}{'w' if link.wet else 'd'}{link.source}"
            for link in self.links
        )


def _path(
    links: tuple[Link, ...],
    rounds: tuple[tuple[SelfLoop, int], ...],
    matrix: Matrix,
    delay_s: float,
    channels: int,
) -> Path:
    wanted = sum(loop.delay_s * count for loop, count in rounds)
    wet = diffuse = swings = False
    owners: list[str] = []
    for link in links:
        wanted += link.wanted_s
        wet = wet or link.wet
        diffuse = diffuse or link.diffuse
        swings = swings or link.modulated
        owners += link.owners
    if diffuse:
        matrix = _unlike(links, rounds, channels)
    gain = path_gain(matrix, channels)
    sign = -1 if max(matrix, key=abs) < 0 else 1
    shape = 0
    for link in links:
        shape = SHAPES.joined(shape, link.shape)
    for loop, count in rounds:
        for _ in range(count if loop.shape is not None else 0):
            shape = SHAPES.joined(shape, number_of(loop.shape))
    return Path(
        links, rounds, matrix, delay_s, gain, wanted, wet, diffuse, sign, tuple(owners),
        frozenset(owners), shape, None, swings,
    )  # fmt: skip


def _unlike(
    links: tuple[Link, ...], rounds: tuple[tuple[SelfLoop, int], ...], channels: int
) -> Matrix:
    """Amplitudes that a diffuse path brings to left and right: behind its tail the sides are unlike,
    and add as powers. For a stereo source, of both its sides at equal level.
    """
    power = np.array([1.0, 0.0, 0.0]) if channels == 1 else np.array([1.0, 1.0, 0.0])
    going = {id(loop): count for loop, count in rounds}
    for link in links:
        for loop, count in rounds:
            if going.get(id(loop)) and link.source == loop.point:
                for _ in range(count):
                    power = _power_through(loop.matrix, power)
        power = _power_through(link.matrix, power)
        if link.diffuse:
            power[2] = 0.0
    left, right = math.sqrt(max(0.0, power[0])), math.sqrt(max(0.0, power[1]))
    if channels == 1:
        return left, 0.0, right, 0.0
    return left, 0.0, 0.0, right


def _power_through(matrix: Matrix, power: np.ndarray) -> np.ndarray:
    a, b, c, d = matrix
    return of_matrix(np.array([[a, b], [c, d]])) @ power


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
    onward = _best_onward(network, end)
    if start not in onward:
        return [], True
    width = plan.channels[start]
    first: Matrix = UNIT if width == 2 else (1.0, 0.0, 0.0, 0.0)
    floor = onward[start] * _FLOOR
    ticket = 0
    heap: list[
        tuple[
            float, int, int, Matrix, float, tuple[Link, ...], tuple[tuple[SelfLoop, int], ...], int
        ]
    ]
    heap = [(-onward[start], 0, start, first, 0.0, (), (), 0)]
    found: list[Path] = []
    steps = 0
    while heap and len(found) < most and steps < _MOST_STEPS:
        steps += 1
        _, _, point, matrix, delay, links, rounds, turned = heapq.heappop(heap)
        if point == end:
            found.append(_path(links, rounds, matrix, delay, width))
            continue
        loop = plan.loops.get(point)
        if loop is not None and turned < MOST_REPEATS:
            again = times(loop.matrix, matrix)
            bound = size(again) * onward[point]
            if bound > floor:
                ticket -= 1
                counted = rounds[:-1] if turned else rounds
                more = (*counted, (loop, turned + 1))
                heapq.heappush(
                    heap,
                    (-bound, ticket, point, again, delay + loop.delay_s, links, more, turned + 1),
                )
        for link in network.leaving.get(point, ()):
            ahead = onward.get(link.target)
            if ahead is None:
                continue
            if link.closes and sum(one.closes == link.closes for one in links) >= _MOST_LAPS:
                continue
            passed = times(link.matrix, matrix)
            bound = size(passed) * ahead
            if bound <= floor:
                continue
            ticket -= 1
            heapq.heappush(
                heap,
                (
                    -bound,
                    ticket,
                    link.target,
                    passed,
                    delay + link.delay_s,
                    (*links, link),
                    rounds,
                    0,
                ),
            )
    found = [at_own_level(network, path, source) if _by_level(path) else path for path in found]
    found.sort(key=lambda p: (-round(p.gain, 9), p.delay_s))
    return found, not heap


def _by_level(path: Path) -> bool:
    return any(link.by_level for link in path.links)


def at_own_level(network: Network, path: Path, source: str) -> Path:
    """A path with the gains that what it brings would meet by itself.

    A repeat comes to a drive or a compressor at a level of its own, some time after what it repeats:
    each such stage is asked again, at the level of this path there. The strongest way to it keeps
    the level of all that arrives.
    """
    plan = network.plan
    point = plan.sources[source]
    width = plan.channels[point]
    strength = plan.carried[point].by_source.get(source, (0.0, 0.0, 0.0))[0]
    rounds = {id(loop): count for loop, count in path.rounds}
    matrix: Matrix = UNIT if width == 2 else (1.0, 0.0, 0.0, 0.0)
    quiet = loud = 0.0
    moved = False
    for link in path.links:
        loop = plan.loops.get(link.source) if rounds else None
        if loop is not None:
            for _ in range(rounds.get(id(loop), 0)):
                matrix = times(loop.matrix, matrix)
        step = link.matrix
        for arc in link.by_level:
            own, share = _asked_again(network, arc, matrix, strength, width)
            if own != 1.0:
                moved, step = True, scaled(step, own)
            quiet, loud = quiet + share[0], loud + share[1]
        matrix = times(step, matrix)
    gain = path_gain(matrix, width) if moved else path.gain
    now = 20 * math.log10(gain or 1e-9)
    spread = (now + quiet, now + loud)
    if not moved:
        path.range_db = spread
        return path
    sign = -1 if max(matrix, key=abs) < 0 else 1
    return replace(path, matrix=matrix, gain=gain, polarity=sign, range_db=spread)


def _asked_again(
    network: Network, arc: Arc, matrix: Matrix, strength: float, width: int
) -> tuple[float, tuple[float, float]]:
    """What a stage's gain has to be multiplied by for this path, and how far it may go from there."""
    plan, spread = network.plan, arc.spread
    assert arc.stage is not None
    assert spread is not None
    own = path_gain(matrix, width) ** 2 * strength
    carried = plan.carried[arc.source]
    whole = max(carried.total[:2])
    now = max(spread.rms)
    factor = 1.0
    if arc.stage.id not in plan.keys and own > 0 and own < whole * _ALONE:
        alone = operate(
            arc.stage, Heard(own, own if carried.channels == 2 else 0.0, cells=_like(own)), None
        )
        factor = max(alone.rms) / now if now > 0 else 1.0
        now = max(alone.rms)
    if spread.range_db is None or now <= 0:
        return factor, (0.0, 0.0)
    here = 20 * math.log10(now)
    return factor, (spread.range_db[0] - here, spread.range_db[1] - here)


_ALONE = 10**-0.3
"""Below this share of all that arrives, a path is taken to come by itself."""


def _like(power: float) -> np.ndarray:
    return pink().weights * power
