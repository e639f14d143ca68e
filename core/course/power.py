"""Power over frequency at an output, of a whole rig or of what one way brings to it."""

import numpy as np

from core.routing import Context
from core.routing.document.rig import Rig
from core.routing.evaluate.signal import Carrying
from core.routing.plan.cells import EDGES_HZ
from core.routing.plan.model import Plan

LOW_HZ = 200.0
LOW = EDGES_HZ[1:] <= LOW_HZ * 1.001


def output_power(rig: Rig, plan: Plan, context: Context, output: str) -> np.ndarray:
    """Power (2, CELLS) at an output of a part of a plan, for the sources' spectra and levels.

    What works by level keeps the gain that it has in the whole.
    """
    signals = Carrying(rig, plan, context, hold=True)
    return np.maximum(signals.cells(plan.outputs[output])[:2], 0)


def band_power(power: np.ndarray, inside: np.ndarray | None = None) -> float:
    """Sum over cells, of all or of those inside, both sides added."""
    both = power.sum(axis=0)
    return float((both if inside is None else both[inside]).sum())
