"""Digital filters for the analogue sections of a plan: bilinear, prewarped at each section's corner.

At the corner they agree exactly; towards Nyquist a digital filter of this kind is compressed: with
the corner below a tenth of the sample rate it is within 0.1 dB of the analogue one up to there.
"""

import math
from functools import lru_cache

import numpy as np
import scipy.signal

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
        return _bilinear([1, a / section.q, 1], [1, 1 / (a * section.q), 1], hz, rate_hz)
    if section.kind == "low_shelf":
        return _bilinear([1, a], [1, 1 / a], hz, rate_hz)
    return _bilinear([a, 1], [1 / a, 1], hz, rate_hz)


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
