"""Distortion by order from a sweep: each order of it arrives before the linear response, apart from it.

An exponential sweep from f1 to f2 in T seconds reaches k times its frequency T ln(k) / ln(f2 / f1)
seconds later; divided by the sweep, order k so lies that much before the linear response (Farina, 2000).
"""

import numpy as np
import scipy

from core.bench.results import Harmonic
from core.bench.signal import SWEEP_HZ, SWEEP_S
from core.units.decibel import decibels, power_decibels

ORDERS = (2, 3, 4, 5)
_HALF_S = 0.02
_BASE_HZ = (60.0, 3000.0)
"""Sweep frequencies over which an order is read: its products must lie in the band."""
_OVER_DB = 10.0


def harmonics_of(sent: np.ndarray, back: np.ndarray, rate_hz: int) -> list[Harmonic]:
    """Level of orders 2 to 5 against the linear part, from the bench's sweep and what came back.

    (frames,) each, from the same start. An order within 10 dB of what is no order at all is "below":
    its level is then that floor.
    """
    size = scipy.fft.next_fast_len(len(sent) + len(back), real=True)
    sx, sy = scipy.fft.rfft(sent, size), scipy.fft.rfft(back, size)
    energy = np.abs(sx) ** 2
    line = scipy.fft.irfft(sy * sx.conj() / (energy + 1e-4 * float(energy.mean())), size)
    peak = int(np.argmax(np.abs(line)))
    high = min(SWEEP_HZ[1], 0.46 * rate_hz)
    stretch = SWEEP_S * rate_hz / np.log(high / SWEEP_HZ[0])
    half = round(_HALF_S * rate_hz)
    window = np.hanning(2 * half)
    hz = np.fft.rfftfreq(2 * half, 1 / rate_hz)

    def level(place: float, order: float) -> float:
        """Power by which products of an order stand at a place before the linear response."""
        first = round(peak - place) - half
        piece = np.take(line, np.arange(first, first + 2 * half), mode="wrap")
        power = np.abs(np.fft.rfft(piece * window)) ** 2
        top = min(_BASE_HZ[1] * order, 0.9 * high)
        inside = (hz >= _BASE_HZ[0] * order) & (hz <= top)
        return float(power[inside].mean()) if inside.any() else 0.0

    linear = level(0.0, 1.0)
    found = []
    for order in ORDERS:
        place = stretch * np.log(order)
        # Between two orders nothing of any order lies: what stands there is noise.
        between = [stretch * np.log(order + d) for d in (-0.45, 0.45)]
        floor = max(min(level(p, order) for p in between), 1e-30)
        own = max(level(place, order), 1e-30)
        below = power_decibels(own / floor) < _OVER_DB
        share = np.sqrt((floor if below else own - floor) / max(linear, 1e-30))
        found.append(
            Harmonic(
                order=order, db=round(float(decibels(max(share, 1e-9))), 2),
                percent=round(100 * float(share), 5), below=below,
            )
        )  # fmt: skip
    return found
