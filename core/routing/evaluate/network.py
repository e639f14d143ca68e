"""The plan with its chains drawn together, and exact sums over all paths by recursion.

The sums run backwards from an output: one pass gives the transfer from every point at once, so
that many sources cost no more than one. Where the rig has cycles, each rail that closes one becomes
an unknown of a small linear system (solve I - K); nothing is cut off.
"""

import math
from dataclasses import dataclass, field

import numpy as np

from core.routing.evaluate.shapes import FLAT, SHAPES, Response, number_of
from core.routing.plan.cells import CELLS, EDGES_HZ
from core.routing.plan.model import UNIT, Arc, Matrix, Plan, size, times
from core.routing.plan.responses import GRID_HZ, GRID_POINTS, turn

NEAR_S = 0.010


@dataclass(slots=True)
class Link:
    """A run of arcs without a branch between two points."""

    source: int
    target: int
    matrix: Matrix
    delay_s: float
    wanted_s: float
    wet: bool
    diffuse: bool
    modulated: bool
    leak: str
    owners: tuple[str, ...]
    wet_by: tuple[str, ...]
    response: np.ndarray | None
    closes: str = ""
    norm: float = 0.0
    by_level: tuple[Arc, ...] = ()
    """Arcs on it whose gain depends on the level that arrives."""
    shape: Response = FLAT
    """Its filters over the cells."""
    most: float = 1.0
    """What its amplitude may at most be more than its matrix says: for loops."""
    strongest: np.ndarray | None = None
    """(2, 2, 2, F) sizes of a reverb's own transfer, for left and right and for mid and side."""
    loops: bool = False
    """Whether something goes round through it."""
    turned: np.ndarray | None = None
    mask: int = 0
    """Its owners as bits."""
    mark: bytes = b""
    """Stands for its owners and its time."""

    def transfer(self) -> np.ndarray | None:
        """Phase and response over the grid; None where both are flat."""
        if self.turned is None:
            if self.delay_s == 0.0:
                self.turned = self.response
            else:
                phase = turn(self.delay_s)
                self.turned = phase if self.response is None else phase * self.response
        return self.turned


@dataclass
class Network:
    """Links in an order in which a link's source comes before its target."""

    plan: Plan
    links: list[Link]
    back: list[Link]
    leaving: dict[int, list[Link]] = field(default_factory=dict)
    onward: dict[int, dict[int, float]] = field(default_factory=dict)
    """By output: the best gain that is still to come from each point, once somebody asked."""
    bits: dict[str, int] = field(default_factory=dict)
    """The bit of each owner in the masks."""


def _link(arc: Arc, closes: str = "", in_loop: bool = False) -> Link:
    leak = arc.owner if arc.leak else ""
    wet_by = (arc.owner,) if arc.wet else ()
    response = arc.response
    if len(arc.taps) > 1:
        echoes = np.sum([g * turn(t) for g, t in arc.taps], axis=0)
        response = echoes if response is None else response * echoes
    return Link(
        arc.source, arc.target, arc.matrix, arc.delay_s, arc.wanted_s, arc.wet, arc.diffuse,
        arc.modulated, leak, (arc.owner,), wet_by, response, closes, size(arc.matrix),
        (arc,) if arc.by_level else (), _shape(arc), _most(arc) if in_loop else 1.0, _strongest(arc) if in_loop else None, in_loop,
    )  # fmt: skip


def _shape(arc: Arc) -> Response:
    own = arc.spread is not None and arc.spread.shape is not None and arc.stage is not None
    # A swept filter that moves is what it is on the mean, not what it rests at.
    return number_of(None if own and arc.by_level else arc.shape, arc.spread)


def _most(arc: Arc) -> float:
    rms = 0.0 if arc.spread is None else max(arc.spread.rms)
    return 1.0 if arc.spread is None else arc.spread.most / rms if rms > 0 else 0.0


def _strongest(arc: Arc) -> np.ndarray | None:
    """Over the grid, with the gain that stands behind it: the size of its matrix."""
    if arc.spread is None or arc.spread.find_most is None:
        return None
    tops = arc.spread.find_most().reshape(8, -1)
    over = tops[:, np.clip(np.searchsorted(EDGES_HZ, GRID_HZ, "right") - 1, 0, CELLS - 1)]
    return over.reshape(2, 2, 2, -1) * size(arc.bare)


def _joined(first: Link, second: Link) -> Link:
    response = first.response
    if second.response is not None:
        response = second.response if response is None else response * second.response
    matrix = times(second.matrix, first.matrix)
    wet_by = first.wet_by
    if second.wet_by and second.wet_by[-1:] != wet_by[-1:]:
        wet_by = wet_by + second.wet_by
    return Link(
        first.source, second.target, matrix, first.delay_s + second.delay_s,
        first.wanted_s + second.wanted_s, first.wet or second.wet,
        first.diffuse or second.diffuse, first.modulated or second.modulated,
        second.leak or first.leak, first.owners + second.owners, wet_by, response,
        first.closes or second.closes, size(matrix), first.by_level + second.by_level,
        SHAPES.joined(first.shape, second.shape), first.most * second.most,
        loops=first.loops and second.loops,
    )  # fmt: skip


def _going_round(plan: Plan) -> set[int]:
    """Points on a way from where a closing rail ends to where one begins: what is elsewhere is in no loop."""
    onward: dict[int, list[int]] = {}
    back: dict[int, list[int]] = {}
    for arc in plan.arcs:
        onward.setdefault(arc.source, []).append(arc.target)
        back.setdefault(arc.target, []).append(arc.source)
    reached = _reached([arc.target for arc in plan.back], onward)
    return reached & _reached([arc.source for arc in plan.back], back)


def _reached(starts: list[int], step: dict[int, list[int]]) -> set[int]:
    found, todo = set(starts), list(starts)
    while todo:
        for point in step.get(todo.pop(), ()):
            if point not in found:
                found.add(point)
                todo.append(point)
    return found


def build_network(plan: Plan) -> Network:
    """Draw chains together: points with one way in and one way out disappear."""
    entering = [0] * plan.points
    leaving = [0] * plan.points
    for arc in (*plan.arcs, *plan.back):
        entering[arc.target] += 1
        leaving[arc.source] += 1
    fixed = set(plan.sources.values()) | set(plan.outputs.values()) | set(plan.loops)
    for arc in plan.back:
        fixed |= {arc.source, arc.target}
    # Behind what is diffuse both sides go on as unlike ones: no chain is drawn across that.
    fixed |= {arc.target for arc in plan.arcs if arc.diffuse}
    if plan.back:
        fixed |= {arc.source for arc in plan.arcs if arc.diffuse}
    hidden = [entering[p] == 1 and leaving[p] == 1 and p not in fixed for p in range(plan.points)]
    pending: dict[int, Link] = {}
    links: list[Link] = []
    round_about = _going_round(plan) if plan.back else set[int]()
    for arc in plan.arcs:
        link = _link(arc, in_loop=arc.source in round_about and arc.target in round_about)
        before = pending.pop(arc.source, None) if hidden[arc.source] else None
        if before is not None:
            link = _joined(before, link)
        if hidden[arc.target]:
            pending[arc.target] = link
        else:
            links.append(link)
    back = [_link(arc, arc.owner, in_loop=True) for arc in plan.back]
    # A joined link is complete only when its last arc is reached: sort by where sources complete.
    rank = _ranks(plan.points, links)
    links.sort(key=lambda link: rank[link.source])
    network = Network(plan, links, back)
    bits = network.bits
    for link in (*links, *back):
        network.leaving.setdefault(link.source, []).append(link)
        for owner in link.owners:
            link.mask |= bits.setdefault(owner, 1 << len(bits))
        late = f"{round(link.delay_s * 1e7)}{'w' if link.wet else 'd'}"
        link.mark = "|".join((*link.owners, late)).encode()
    return network


def _ranks(points: int, links: list[Link]) -> list[int]:
    rank = [0] * points
    leaving: dict[int, list[int]] = {}
    entering = [0] * points
    for link in links:
        leaving.setdefault(link.source, []).append(link.target)
        entering[link.target] += 1
    ready = [p for p in range(points) if entering[p] == 0]
    while ready:
        point = ready.pop()
        for target in leaving.get(point, ()):
            rank[target] = max(rank[target], rank[point] + 1)
            entering[target] -= 1
            if entering[target] == 0:
                ready.append(target)
    return rank


# Transfers over frequency ---------------------------------------------------------------------


def _apply(total: np.ndarray, matrix: Matrix) -> np.ndarray:
    """(2, 2, F) times a real 2 x 2 matrix on the right."""
    a, b, c, d = matrix
    if b == 0.0 and c == 0.0:
        if a == d:
            return total * a
        return total * np.array([a, d])[None, :, None]
    return np.einsum("ijf,jk->ikf", total, np.array([[a, b], [c, d]]))


def _rung(total: np.ndarray, loop_gain: np.ndarray, swapped: bool) -> np.ndarray:
    """What a self-loop makes of a transfer: (I - Z) inverted, Z diagonal or swapping sides."""
    if not swapped:
        return total / (1 - loop_gain)
    scale = 1 / (1 - loop_gain * loop_gain)
    return (total + total[:, ::-1, :] * loop_gain) * scale


def _loop_gain(plan: Plan, point: int) -> tuple[np.ndarray, bool]:
    loop = plan.loops[point]
    swapped = loop.matrix[0] == 0.0 and loop.matrix[3] == 0.0
    gain = loop.matrix[1] if swapped else loop.matrix[0]
    z = gain * turn(loop.delay_s)
    return (z if loop.response is None else z * loop.response), swapped


def transfers(
    network: Network, output: str, *, near: bool = False, wanted: set[int] | None = None
) -> dict[int, np.ndarray]:
    """Transfer (2, 2, F) from points to an output, coherent arcs only (no diffuse ones).

    With `near`, arcs that bring the sound more than 10 ms later than the quickest way on are left
    out, and so are self-loops. `wanted` names the points to return (default: the sources).
    """
    plan = network.plan
    end = plan.outputs[output]
    quick = _time_to_go(network, end) if near else {}

    def taken(link: Link) -> bool:
        if link.diffuse:
            return False
        if not near:
            return True
        here, there = quick.get(link.source), quick.get(link.target)
        return (
            here is not None
            and there is not None
            and (link.delay_s + there - here <= NEAR_S + 1e-12)
        )

    back = [link for link in network.back if taken(link) and not near]

    def sweep(at: int) -> dict[int, np.ndarray]:
        found: dict[int, np.ndarray] = {at: _identity()}
        if at in plan.loops and not near and at != end:
            found[at] = _rung(found[at], *_loop_gain(plan, at))
        done: set[int] = set()
        for link in reversed(network.links):
            onward = found.get(link.target)
            if onward is None or not taken(link):
                continue
            part = _apply(onward, link.matrix)
            phase = link.transfer()
            if phase is not None:
                part = part * phase
            point = link.source
            if point in plan.loops and not near:
                part = _rung(part, *_loop_gain(plan, point))
            have = found.get(point)
            found[point] = part if have is None else have + part
            done.add(point)
        return found

    base = sweep(end)
    if not back:
        return {p: base[p] for p in (wanted or set(plan.sources.values())) if p in base}
    tails = [sweep(link.source) for link in back]
    k = len(back)
    zero = np.zeros((2, 2, GRID_POINTS), dtype=complex)
    crossing = []
    for link in back:
        matrix = np.array([[link.matrix[0], link.matrix[1]], [link.matrix[2], link.matrix[3]]])
        phase = link.transfer()
        crossing.append(matrix[:, :, None] * (1.0 if phase is None else phase))
    system = np.zeros((GRID_POINTS, 2 * k, 2 * k), dtype=complex)
    start = np.zeros((GRID_POINTS, 2, 2 * k), dtype=complex)
    for i, into in enumerate(back):
        start[:, :, 2 * i : 2 * i + 2] = np.moveaxis(base.get(into.target, zero), 2, 0)
        for j in range(k):
            part = np.einsum("ijf,jkf->fik", crossing[j], tails[j].get(into.target, zero))
            system[:, 2 * j : 2 * j + 2, 2 * i : 2 * i + 2] = part
    solved = start @ _without_end(system)
    result = {}
    for point in wanted or set(plan.sources.values()):
        total = base.get(point)
        total = zero.copy() if total is None else total.copy()
        for j in range(k):
            if point in tails[j]:
                y = np.moveaxis(solved[:, :, 2 * j : 2 * j + 2], 0, 2)
                total += np.einsum("ijf,jkf,klf->ilf", y, crossing[j], tails[j][point])
        result[point] = total
    return result


def _without_end(system: np.ndarray) -> np.ndarray:
    """1 / (1 - system): all rounds of a loop. One of exactly unity is taken a hair below it: it is said
    elsewhere that it has no end.
    """
    one = np.eye(system.shape[-1])[None]
    try:
        return np.asarray(np.linalg.inv(one - system))
    except np.linalg.LinAlgError:
        return np.asarray(np.linalg.inv(one - system * (1 - 1e-6)))


def _identity() -> np.ndarray:
    unit = np.zeros((2, 2, GRID_POINTS), dtype=complex)
    unit[0, 0] = unit[1, 1] = 1
    return unit


def _time_to_go(network: Network, end: int) -> dict[int, float]:
    """The quickest way from each point to an output, in seconds."""
    quick = {end: 0.0}
    for _ in range(1 + len(network.back)):
        for link in (*network.back, *reversed(network.links)):
            there = quick.get(link.target)
            if there is not None and not link.diffuse:
                time = link.delay_s + there
                if time < quick.get(link.source, math.inf):
                    quick[link.source] = time
    return quick


# Counts and amplitudes ---------------------------------------------------------------------------


def path_counts(network: Network, output: str) -> dict[str, int]:
    """Paths from each source to an output, repeats and laps left out."""
    end = network.plan.outputs[output]
    count: dict[int, int] = {end: 1}
    for link in reversed(network.links):
        if link.target in count:
            count[link.source] = count.get(link.source, 0) + count[link.target]
    return {name: count.get(point, 0) for name, point in network.plan.sources.items()}


def near_amplitudes(network: Network, output: str) -> dict[str, float]:
    """Per source: amplitudes of what arrives within 10 ms of the quickest way, added by size."""
    plan = network.plan
    found = _near_amplitude(network, plan.outputs[output])
    sums = {}
    for name, point in plan.sources.items():
        a, b, c, d = found.get(point, (0.0, 0.0, 0.0, 0.0))
        sums[name] = (
            math.hypot(a, c) if plan.channels[point] == 1 else math.hypot(a, b, c, d) / math.sqrt(2)
        )
    return sums


def _near_amplitude(network: Network, end: int) -> dict[int, Matrix]:
    quick = _time_to_go(network, end)
    found: dict[int, Matrix] = {end: UNIT}
    for link in reversed(network.links):
        if link.target not in found or link.diffuse:
            continue
        if link.delay_s + quick[link.target] - quick[link.source] <= NEAR_S + 1e-12:
            a, b, c, d = link.matrix
            strength = (abs(a), abs(b), abs(c), abs(d))
            _add(found, link.source, times(found[link.target], strength))
    return found


def _add(found: dict[int, Matrix], point: int, part: Matrix) -> None:
    a, b, c, d = found.get(point, (0.0, 0.0, 0.0, 0.0))
    found[point] = (a + part[0], b + part[1], c + part[2], d + part[3])
