"""Digital filters for the analogue sections of a plan.

Cuts, crossovers and swept filters are bilinear, prewarped at each section's corner: there they agree
exactly, and branches that add up flat still do; towards Nyquist a filter of this kind is compressed.
Shelves and bells, which sound at the top, are matched to the size of the analogue ones instead: at 0
Hz, at Nyquist and about the corner or centre (for bells after M. Vicanek, "Matched Second Order
Digital Filters", 2016). Up to 20 kHz a shelf is within 0.5 dB of the analogue one, at 44.1 kHz and 15
dB; bilinear ones were 4 dB off.
"""

import cmath
import math
from functools import lru_cache

import numpy as np
import scipy

from core.audio.biquads import Biquads
from core.routing.plan.responses import RESONANT, Section, Shaped


def _bilinear(b: list[float], a: list[float], hz: float, rate_hz: float) -> np.ndarray:
    """An analogue section in s / (2 pi hz) as one second-order section, exact at `hz`."""
    k = 1 / math.tan(math.pi * hz / rate_hz)
    if len(b) == 2:
        numerator = [b[1] + b[0] * k, b[1] - b[0] * k, 0.0]
        denominator = [a[1] + a[0] * k, a[1] - a[0] * k, 0.0]
    else:
        numerator = [
            b[0] * k * k + b[1] * k + b[2],
            2 * (b[2] - b[0] * k * k),
            b[0] * k * k - b[1] * k + b[2],
        ]
        denominator = [
            a[0] * k * k + a[1] * k + a[2],
            2 * (a[2] - a[0] * k * k),
            a[0] * k * k - a[1] * k + a[2],
        ]
    return np.array([numerator + denominator]) / denominator[0]


def section_sos(section: Section, rate_hz: float) -> np.ndarray:
    """Second-order sections (n, 6) of one filter. Corners at or above Nyquist are held below it."""
    hz = min(section.hz, 0.49 * rate_hz)
    if section.kind in ("low_pass", "high_pass"):
        kind = "lowpass" if section.kind == "low_pass" else "highpass"
        sos: np.ndarray = scipy.signal.butter(section.order, hz, kind, fs=rate_hz, output="sos")
        return sos
    if section.kind in RESONANT:
        terms = (1.0, 1 / section.q, 1.0)
        kept = [t if on else 0.0 for t, on in zip(terms, RESONANT[section.kind], strict=True)]
        return _bilinear(kept, list(terms), hz, rate_hz)
    a = 10 ** (section.gain_db / 40)
    if section.kind == "bell":
        found = _matched_bell(a, section.q, hz, rate_hz)
        if found is None:
            return _bilinear([1, a / section.q, 1], [1, 1 / (a * section.q), 1], hz, rate_hz)
        return found
    if section.kind == "low_shelf":
        return _matched_shelf(a * a, 1 / a, section.hz, rate_hz)
    return _matched_shelf(1.0, a, section.hz, rate_hz)


def _matched_shelf(low: float, turn: float, hz: float, rate_hz: float) -> np.ndarray:
    """First-order shelf of gain `low` at 0 Hz and `low * turn^2` at the top, one section.

    Its pole and its zero are where the squares of sizes agree at 0 Hz, at Nyquist and at the corner
    (a quarter of the rate at most).
    """

    def power(f: float) -> float:
        square = (f / hz) ** 2
        return low * low * (turn * turn * square + 1) / (square / (turn * turn) + 1)

    if abs(turn - 1) < 1e-6:
        return np.array([[low, 0.0, 0.0, 1.0, 0.0, 0.0]])
    middle = min(hz, 0.25 * rate_hz)
    x = math.sin(math.pi * middle / rate_hz) ** 2
    start, there, end = power(0.0), power(middle), power(rate_hz / 2)
    # |H|^2 = (start + b x) / (1 + a x) with x = sin^2(w / 2).
    a = (start - there + x * (end - start)) / (x * (there - end))
    b = end * (1 + a) - start
    over, under = ((math.sqrt(c), math.sqrt(max(0.0, c + d))) for c, d in ((start, b), (1.0, a)))
    row = [
        (sum(over)) / 2,
        (over[0] - over[1]) / 2,
        0.0,
        sum(under) / 2,
        (under[0] - under[1]) / 2,
        0.0,
    ]
    return np.array([row]) / row[3]


def _matched_bell(a: float, q: float, hz: float, rate_hz: float) -> np.ndarray | None:
    """A bell of gain a^2 with the poles of the analogue one, and zeros by its size at 0 Hz and at its
    centre; None where there are no such zeros.
    """
    w, damping = 2 * math.pi * hz / rate_hz, 1 / (2 * a * q)
    fall, turn = math.exp(-damping * w), cmath.cos(cmath.sqrt(1 - damping * damping) * w).real
    a1, a2 = -2 * fall * turn, fall * fall
    p1 = math.sin(w / 2) ** 2
    p0 = 1 - p1
    under = ((1 + a1 + a2) ** 2, (1 - a1 + a2) ** 2, -4 * a2)
    gain = a**4
    value = (under[0] * p0 + under[1] * p1 + under[2] * 4 * p0 * p1) * gain
    slope = (under[1] - under[0] + 4 * (p0 - p1) * under[2]) * gain
    top = under[0]
    last = (value - slope * p1 - top) / (4 * p1 * p1)
    middle = slope + top - 4 * (p0 - p1) * last
    if middle < 0:
        return None
    w_sum = (math.sqrt(top) + math.sqrt(middle)) / 2
    if w_sum * w_sum + last < 0:
        return None
    b0 = (w_sum + math.sqrt(w_sum * w_sum + last)) / 2
    b1 = (math.sqrt(top) - math.sqrt(middle)) / 2
    return np.array([[b0, b1, -last / (4 * b0), 1.0, a1, a2]])


@lru_cache(maxsize=256)
def shape_sos(sections: tuple[Section, ...], rate_hz: float) -> np.ndarray:
    """All sections in series as (n, 6)."""
    return np.concatenate([section_sos(s, rate_hz) for s in sections])


class Filter:
    """A shape running over blocks of (2, n); with `rest`, what the sections leave of the signal."""

    def __init__(self, shape: Shaped, rate_hz: float) -> None:
        self.sections = Biquads(shape_sos(shape.sections, rate_hz))
        self.rest = shape.rest

    def __call__(self, block: np.ndarray) -> np.ndarray:
        out = self.sections(block)
        return block - out if self.rest else out


def response(shape: Shaped, hz: np.ndarray, rate_hz: float) -> np.ndarray:
    """The digital response (complex) of a shape at `hz`."""
    _, h = scipy.signal.sosfreqz(shape_sos(shape.sections, rate_hz), worN=hz, fs=rate_hz)
    return 1 - h if shape.rest else np.asarray(h)
