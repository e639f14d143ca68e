"""The early part and the tail of a reverb, each with its own low cut, tone, place and width."""

import math

import numpy as np
import scipy

from core.audio.biquads import Biquads
from core.units.decibel import amplitude


class PartWork:
    """Blocks of (2, n) through a low and a high cut (second order, Butterworth) and one matrix.

    The matrix is mid/side, then cross-talk, then balance: `S` times a gain, `L' = (L + c R) /
    sqrt(1 + c^2)` and the same for the right, which keeps the power of unlike sides, and each side
    turned down as the pan leaves it. Equal settings at rest cost nothing: `neutral` says so.
    """

    def __init__(
        self, rate_hz: int, low_cut_hz: float | None, high_cut_hz: float | None, pan_percent: float,
        side_db: float, cross_percent: float = 0.0,
    ) -> None:  # fmt: skip
        cuts = [
            scipy.signal.butter(2, min(hz, 0.45 * rate_hz), kind, fs=rate_hz, output="sos")
            for hz, kind in ((low_cut_hz, "highpass"), (high_cut_hz, "lowpass"))
            if hz is not None
        ]
        self.filter = Biquads(np.concatenate(cuts)) if cuts else None
        side, cross, pan = amplitude(side_db), cross_percent / 100, pan_percent / 100
        wide = np.array([[1 + side, 1 - side], [1 - side, 1 + side]]) / 2
        over = np.array([[1, cross], [cross, 1]]) / math.sqrt(1 + cross * cross)
        balance = np.diag([min(1.0, 1 - pan), min(1.0, 1 + pan)])
        self.matrix = balance @ over @ wide
        self.neutral = self.filter is None and bool(np.allclose(self.matrix, np.eye(2)))

    def __call__(self, block: np.ndarray) -> np.ndarray:
        out = block if self.filter is None else self.filter(block)
        return self.matrix @ out
