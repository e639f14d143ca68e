"""A delay of any length, whole or between samples, over blocks of (2, n)."""

import math

import numpy as np

from core.audio.past import Past
from core.sample_loops import sample_loop

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


@sample_loop(
    "void(float64[::1], float64[::1], int64, float64[::1])",
    fastmath={"contract", "reassoc"},
)
def _fir(out, x, start, taps):  # type: ignore[no-untyped-def]
    """out[i] = sum of taps[k] x[start + i - k]; in stretches that stay near the processor."""
    for first in range(0, len(out), 1024):
        n = min(1024, len(out) - first)
        y = out[first : first + n]
        y[:] = 0.0
        for k in range(0, len(taps), 4):
            a, b, c, d = taps[k], taps[k + 1], taps[k + 2], taps[k + 3]
            at = start + first - k
            x0, x1 = x[at : at + n], x[at - 1 : at - 1 + n]
            x2, x3 = x[at - 2 : at - 2 + n], x[at - 3 : at - 3 + n]
            for i in range(n):
                y[i] += (a * x0[i] + b * x1[i]) + (c * x2[i] + d * x3[i])


class DelayLine:
    """Reads `samples` late. Between samples it reaches 64 samples ahead, so it must be longer.

    With one channel only the first row is computed. `push` then `read` for the same block, or `read` first where the delay is at least a block. What
    `read` gives may be a part of the line itself: it is good until the next `push`.
    """

    def __init__(self, samples: float, channels: int = 2) -> None:
        self.channels = channels
        self.whole = math.floor(samples + _WHOLE)
        fraction = samples - self.whole
        self.taps = None if is_whole(samples) else between(fraction)
        ahead = 0 if self.taps is None else REACH
        if self.taps is not None and self.whole < REACH:
            raise ValueError("A delay between samples needs at least 64 samples.")
        self.reach = self.whole + ahead + 1
        self.shortest = max(1, self.whole - ahead)
        """Samples that can be read before they are pushed."""
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
        out = np.empty((2, count))
        out[self.channels :] = 0.0
        for side in range(self.channels):
            _fir(out[side], held[side], start + REACH - 1, self.taps)
        return out
