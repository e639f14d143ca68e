"""The strongest paths from a source to an output, found best first.

The bound is the path's gain so far times the best gain that any way on can still have; it never
falls short, so paths come out strongest first however many there are. Repeats of a feedback delay
and laps round a cycle are paths of their own, up to a limit.
"""

import heapq
import math
from dataclasses import dataclass

from core.routing.evaluate.network import Link, Network
from core.routing.plan.model import UNIT, Matrix, SelfLoop, size, times

MOST_PATHS = 64
MOST_REPEATS = 8
_MOST_LAPS = 3
_FLOOR = 1e-5
_MOST_STEPS = 30_000


@dataclass(slots=True)
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


def _path(
    links: tuple[Link, ...],
    rounds: tuple[tuple[SelfLoop, int], ...],
    matrix: Matrix,
    delay_s: float,
    channels: int,
) -> Path:
    wanted = sum(loop.delay_s * count for loop, count in rounds)
    wet = diffuse = False
    owners: list[str] = []
    for link in links:
        wanted += link.wanted_s
        wet = wet or link.wet
        diffuse = diffuse or link.diffuse
        owners += link.owners
    gain = path_gain(matrix, channels)
    sign = -1 if max(matrix, key=abs) < 0 else 1
    return Path(
        links, rounds, matrix, delay_s, gain, wanted, wet, diffuse, sign, tuple(owners),
        frozenset(owners),
    )  # fmt: skip


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
    found.sort(key=lambda p: (-round(p.gain, 9), p.delay_s))
    return found, not heap
