"""Power over frequency through a plan, everything out of step: what tails and echoes add up to."""

import numpy as np

from core.routing.plan.model import Arc, Matrix, Plan
from core.routing.plan.responses import GRID_HZ, GRID_POINTS

LOW_HZ = (20.0, 200.0)
LOW = (LOW_HZ[0] <= GRID_HZ) & (LOW_HZ[1] >= GRID_HZ)


def _spread(matrix: Matrix, power: np.ndarray) -> np.ndarray:
    a, b, c, d = (x * x for x in matrix)
    return np.stack([a * power[0] + b * power[1], c * power[0] + d * power[1]])


def _through(arc: Arc, power: np.ndarray) -> np.ndarray:
    out = _spread(arc.matrix, power)
    return out if arc.response is None else out * np.abs(arc.response) ** 2


def output_power(plan: Plan, output: str) -> np.ndarray:
    """Power (2, F) over the shared grid at an output, for flat sources at their nominal levels.

    Paths are added as powers, which is what diffuse tails and far echoes do. A self-loop multiplies
    by `1 / (1 - g^2)`; rails that close a cycle are left out.
    """
    power = np.zeros((plan.points, 2, GRID_POINTS))
    for point in plan.sources.values():
        dry = plan.carried[point].dry
        power[point] = np.array(dry)[:, None]
    for point in _order(plan):
        loop = plan.loops.get(point)
        if loop is not None:
            g = max(abs(x) for x in loop.matrix) ** 2
            shape = 1.0 if loop.response is None else np.abs(loop.response) ** 2
            power[point] = power[point] / np.maximum(1 - g * shape, 1e-3)
        for arc in plan.arcs:
            if arc.source == point:
                power[arc.target] += _through(arc, power[point])
    return power[plan.outputs[output]]


def _order(plan: Plan) -> list[int]:
    """Points so that each is whole before it is read."""
    waiting = [0] * plan.points
    for arc in plan.arcs:
        waiting[arc.target] += 1
    ready = [p for p in range(plan.points) if not waiting[p]]
    order = []
    while ready:
        point = ready.pop()
        order.append(point)
        for arc in plan.arcs:
            if arc.source == point:
                waiting[arc.target] -= 1
                if not waiting[arc.target]:
                    ready.append(arc.target)
    return order


def band_mean(power: np.ndarray, inside: np.ndarray | None = None) -> float:
    """Mean over the grid, the same weight for every octave, both sides added."""
    both = power.sum(axis=0)
    return float((both if inside is None else both[inside]).mean())
