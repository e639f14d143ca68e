"""Where in the spectrum lies what a shaper makes of its own.

Behind a shaper without memory the autocorrelation of a normal process is a series in its own powers
(J. J. Bussgang 1952, R. Price 1958): the first term is what stays in step, the rest is distortion. A
soft shaper makes mostly the third power; a hard one tends to the arc sine; one that folds turns the
signal into a phase, whose autocorrelation is exponential.
"""

import math
from functools import lru_cache

import numpy as np

from core.routing.plan.cells import CELLS, EDGES_HZ

RATE_HZ = 48_000.0
_TOP_HZ = 48_000.0
"""Products are followed up to here; what lies above half the rate is filtered off."""
_POINTS = 4096
_STEP_HZ = 2 * _TOP_HZ / _POINTS
_BINS_HZ = np.clip((np.arange(_POINTS // 2 + 2) - 0.5) * _STEP_HZ, 0, _TOP_HZ)
_PASSES = 0.48 * RATE_HZ
_HARD_SHARE = 1 - 2 / math.pi
"""Share of distortion in the power of noise that is cut to a square wave."""


@lru_cache(maxsize=512)
def _correlation(shares: bytes) -> np.ndarray:
    """Autocorrelation (1 at 0) of a spectrum given by its powers over the cells."""
    cells = np.frombuffer(shares)
    below = np.concatenate([[0.0], np.cumsum(cells)])
    power = np.diff(np.interp(_BINS_HZ, EDGES_HZ, below))
    found = np.fft.irfft(power, _POINTS)
    return found / found[0]


def spectrum_made(
    cells: np.ndarray, shape: str, share: float, swing: float
) -> tuple[np.ndarray, float]:
    """Shares over the cells (they add up to 1) of what a shaper makes, and how much of it lies below
    half the rate.

    cells: power (CELLS,) that arrives; share: of distortion in what leaves, 0 to 1; swing: for a
    shaper that folds, how far its phase is turned at RMS (radians).
    """
    shares = (cells / cells.sum()).tobytes()
    return _made(shares, shape, round(share, 3), round(swing, 3) if shape == "fold" else 0.0)


@lru_cache(maxsize=1024)
def _made(shares: bytes, shape: str, share: float, swing: float) -> tuple[np.ndarray, float]:
    rho = _correlation(shares)
    if shape == "fold":
        square = min(swing * swing, 300.0)
        made = np.exp(square * (rho - 1)) - np.exp(-square * (rho + 1))
        made = made - 2 * square * rho * math.exp(-square)
    else:
        hard = min(1.0, share / _HARD_SHARE)
        made = (1 - hard) * rho**3 + hard * (np.arcsin(np.clip(rho, -1, 1)) - rho) / (
            math.pi / 2 - 1
        )
    power = np.maximum(np.fft.rfft(made).real, 0)
    below = np.concatenate([[0.0], np.cumsum(power)])
    over = np.diff(np.interp(np.minimum(EDGES_HZ, _PASSES), _BINS_HZ, below))
    over[0] += np.interp(EDGES_HZ[0], _BINS_HZ, below)
    heard = np.interp(_PASSES, _BINS_HZ, below)
    over[-1] += heard - np.interp(min(EDGES_HZ[-1], _PASSES), _BINS_HZ, below)
    total = float(over.sum())
    if total <= 0 or below[-1] <= 0:
        return np.full(CELLS, 1 / CELLS), 1.0
    return over / total, total / float(below[-1])
