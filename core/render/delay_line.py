"""A delay of any length, whole or between samples, over blocks of (2, n)."""

import math

import numpy as np
from scipy.signal import oaconvolve

from core.audio.past import Past

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

    `push` then `read` for the same block, or `read` first where the delay is at least a block. What
    `read` gives may be a part of the line itself: it is good until the next `push`.
    """

    def __init__(self, samples: float) -> None:
        self.whole = math.floor(samples + _WHOLE)
        fraction = samples - self.whole
        self.taps = None if is_whole(samples) else between(fraction)
        ahead = 0 if self.taps is None else REACH
        if self.taps is not None and self.whole < REACH:
            raise ValueError("A delay between samples needs at least 64 samples.")
        self.reach = self.whole + ahead + 1
        self.past = Past(2, self.reach)
        self.behind = 0
        """Samples pushed and not read yet."""

    def push(self, block: np.ndarray) -> None:
        if self.behind:
            # What was not read yet must stay too.
            self.past.reach = max(self.past.reach, self.reach + self.behind)
        self.past.add(block)
        self.behind += block.shape[1]

    def read(self, count: int) -> np.ndarray:
        """The next `count` delayed samples (2, count)."""
        start = self.past.end - self.behind - self.whole
        self.behind -= count
        held = self.past.held
        if self.taps is None:
            return held[:, start : start + count]
        stretch = held[:, start - REACH : start + count + REACH - 1]
        return np.asarray(oaconvolve(stretch, self.taps[None, :], mode="valid", axes=1))
