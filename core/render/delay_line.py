"""A delay of any length, whole or between samples, over blocks of (2, n)."""

import math

import numpy as np
from scipy.signal import oaconvolve

# Samples on each side of a point between samples; a Kaiser window of beta 12 keeps the response
# within 0.001 dB and the time within 0.0001 sample up to 20 kHz at 48 kHz.
REACH = 64
_BETA = 12.0
_WHOLE = 1e-6


def is_whole(samples: float) -> bool:
    return abs(samples - round(samples)) < _WHOLE


def between(fraction: float) -> np.ndarray:
    """Taps (2 * REACH,) that read a signal `fraction` of a sample later than tap REACH - 1."""
    n = np.arange(-REACH + 1, REACH + 1) - fraction
    window = np.kaiser(2 * REACH + 1, _BETA)
    at = np.interp(n, np.arange(-REACH, REACH + 1), window)
    taps: np.ndarray = np.sinc(n) * at
    return taps / taps.sum()


class DelayLine:
    """Reads `samples` late. Between samples it reaches 64 samples ahead, so it must be longer.

    `push` then `read` for the same block, or `read` first where the delay is at least a block.
    """

    def __init__(self, samples: float) -> None:
        self.whole = math.floor(samples + _WHOLE)
        fraction = samples - self.whole
        self.taps = None if is_whole(samples) else between(fraction)
        ahead = 0 if self.taps is None else REACH
        if self.taps is not None and self.whole < REACH:
            raise ValueError("A delay between samples needs at least 64 samples.")
        self.held = np.zeros((2, self.whole + ahead + 1))
        self.pushed = 0
        self.taken = 0

    def push(self, block: np.ndarray) -> None:
        self.held = np.concatenate([self.held, block], axis=1)
        self.pushed += block.shape[1]

    def read(self, count: int) -> np.ndarray:
        """The next `count` delayed samples."""
        # held[:, end] is the newest sample; sample index taken is at position `start`.
        newest = self.held.shape[1]
        start = newest - (self.pushed - self.taken) - self.whole
        if self.taps is None:
            out = self.held[:, start : start + count].copy()
        else:
            stretch = self.held[:, start - REACH : start + count + REACH - 1]
            out = oaconvolve(stretch, self.taps[None, :], mode="valid", axes=1)
        self.taken += count
        keep = self.whole + (0 if self.taps is None else REACH) + (self.pushed - self.taken) + 1
        if newest > 2 * keep + 65_536:
            self.held = self.held[:, newest - keep :].copy()
        return out
