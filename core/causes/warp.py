"""Read a sound at places between its samples that are not evenly spaced."""

from functools import cache

import numpy as np

from core.sample_loops import sample_loop

HALF = 40
_PHASES = 1024
_BETA = 11.0


@cache
def _table() -> np.ndarray:
    k = np.arange(-HALF + 1, HALF + 1)
    rows = []
    for step in range(_PHASES + 1):
        at = k - step / _PHASES
        inside = np.clip(1 - (at / HALF) ** 2, 0, 1)
        taps = np.sinc(at) * np.i0(_BETA * np.sqrt(inside)) / np.i0(_BETA)
        rows.append(taps / taps.sum())
    return np.array(rows)


@sample_loop(
    "void(float64[::1], float64[::1], float64[:, ::1], float64[::1])",
    fastmath={"reassoc", "contract", "nsz"},
)
def _read(x, places, taps, out):  # type: ignore[no-untyped-def]
    last = len(x)
    for i in range(len(places)):
        whole = int(np.floor(places[i]))
        step = (places[i] - whole) * (len(taps) - 1)
        row = int(step)
        share = step - row
        below, above = taps[row], taps[min(row + 1, len(taps) - 1)]
        total = 0.0
        first = whole - HALF + 1
        if first >= 0 and first + 2 * HALF <= last:
            for k in range(2 * HALF):
                total += x[first + k] * (below[k] + share * (above[k] - below[k]))
        out[i] = total


def read_at(x: np.ndarray, places: np.ndarray) -> np.ndarray:
    """A line of samples at places given in samples (any order); 0 within 40 samples of its ends.

    Windowed sinc of 80 taps (Kaiser, beta 11), errors below -100 dB up to 0.9 of Nyquist.
    """
    out = np.empty(len(places))
    _read(
        np.ascontiguousarray(x, np.float64), np.ascontiguousarray(places, np.float64), _table(), out
    )
    return out
