"""Loops at or above unity: which they are, and a limiter that holds them, as some part of a real one would."""

from dataclasses import dataclass, replace

import numpy as np

from core.render.moves import Moves
from core.render.processors.base import one_pole
from core.routing.evaluate.loops import loop_gains
from core.routing.evaluate.network import build_network
from core.routing.plan.model import Arc, Plan, size
from core.routing.plan.responses import peak
from core.sample_loops import sample_loop

_RELEASE_MS = 200.0
_UNITY = 1 - 1e-9
_ABOVE = 1 + 1e-6


@sample_loop("Tuple((float64, boolean))(float64[::1], float64[::1], float64, float64)")
def _limit(left, right, keep, level):  # type: ignore[no-untyped-def]
    """Level at the end, and whether anything was turned down on the way there: at 1, 0 dBFS, where a
    converter would clip.
    """
    acted = False
    for i in range(len(left)):
        level = max(abs(left[i]), abs(right[i]), keep * level)
        if level > 1.0:
            acted = True
            left[i] /= level
            right[i] /= level
    return level, acted


class Limiter:
    """Keeps blocks (2, n) at or below 0 dBFS, in place: at once down, back with 200 ms."""

    def __init__(self, rate_hz: int) -> None:
        self.keep, self.level, self.acted = one_pole(_RELEASE_MS, rate_hz), 0.0, False

    def __call__(self, block: np.ndarray) -> None:
        self.level, acted = _limit(block[0], block[1], self.keep, self.level)
        self.acted = self.acted or acted


@dataclass(frozen=True)
class Held:
    """A loop at or above unity: the node or rail that closes it, and whether it is above."""

    owner: str
    above: bool


def _loudest(plan: Plan, moves: Moves) -> Plan:
    """The plan with every moved arc at the largest matrix that it comes to."""
    if not moves.arcs:
        return plan

    def most(arc: Arc) -> Arc:
        moved = moves.of(arc)
        if moved is None:
            return arc
        a, b, c, d = max(moved.matrices.tolist(), key=size)
        return replace(arc, matrix=(a, b, c, d))

    return replace(plan, arcs=[most(a) for a in plan.arcs], back=[most(a) for a in plan.back])


def held_points(plan: Plan, moves: Moves) -> dict[int, Held]:
    """Points at which a loop comes round at or above unity. At unity nothing grows by itself."""
    found = {}
    for point, loop in plan.loops.items():
        moved = moves.loops.get(point)
        gains = [loop.matrix] if moved is None else [tuple(m) for m in moved.matrices]
        morph = moves.loop_shapes.get(point)
        shapes = [loop.shape] if morph is None else list(morph.shapes)
        shape_most = max(1.0 if s is None else peak(s) for s in shapes)
        most = max(size(m) for m in gains) * shape_most
        if most >= _UNITY:
            found[point] = Held(loop.owner, most > _ABOVE)
    if plan.back:
        back = {arc.owner: arc for arc in plan.back}
        for loop_gain in loop_gains(build_network(_loudest(plan, moves)))[0]:
            if loop_gain.gain_db is None or loop_gain.gain_db >= 0:
                arc = back.get(loop_gain.port)
                if arc is not None:
                    found[arc.target] = Held(arc.owner, True)
    return found
