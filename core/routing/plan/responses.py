"""Frequency responses of the linear stages, on one shared grid.

Analogue prototypes (s = j w): what a device on a desk does; a renderer near Nyquist says itself how
it differs. All functions return complex arrays of the shape of `hz`.
"""

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np

from core.routing.plan.cells import MIDDLE_HZ

GRID_POINTS = 241
_LEAST_RATE_HZ = 44_100.0
"""Lowest rate that sound is rendered at."""
GRID_HZ = np.geomspace(20.0, 20_000.0, GRID_POINTS)
_OMEGA = 2j * np.pi * GRID_HZ


def _butterworth_low(order: int, corner_hz: float, hz: np.ndarray) -> np.ndarray:
    s = 1j * hz / corner_hz
    if order == 1:
        return 1 / (1 + s)
    if order == 2:
        return 1 / (1 + np.sqrt(2) * s + s * s)
    return 1 / ((1 + 0.765366865 * s + s * s) * (1 + 1.847759065 * s + s * s))


def low_pass(order: int, corner_hz: float, hz: np.ndarray = GRID_HZ) -> np.ndarray:
    """Butterworth low-pass of order 1, 2 or 4: -3.01 dB at the corner."""
    return _butterworth_low(order, corner_hz, hz)


def high_pass(order: int, corner_hz: float, hz: np.ndarray = GRID_HZ) -> np.ndarray:
    """Butterworth high-pass of order 1, 2 or 4: the low-pass with s turned into 1/s."""
    s = 1j * hz / corner_hz
    inverse = -1j * corner_hz / hz
    if order == 1:
        return s / (1 + s)
    if order == 2:
        return 1 / (1 + np.sqrt(2) * inverse + inverse * inverse)
    first = 1 + 0.765366865 * inverse + inverse * inverse
    return 1 / (first * (1 + 1.847759065 * inverse + inverse * inverse))


def linkwitz_riley(
    slope: int, corner_hz: float, hz: np.ndarray = GRID_HZ
) -> tuple[np.ndarray, np.ndarray]:
    """Low and high branch of a Linkwitz-Riley crossover: two Butterworth filters in series.

    24 dB per octave adds up flat; 12 dB per octave does so with one branch inverted.
    """
    order = slope // 12
    low = low_pass(order, corner_hz, hz) ** 2
    high = high_pass(order, corner_hz, hz) ** 2
    return low, high


def bell(gain_db: float, centre_hz: float, q: float, hz: np.ndarray = GRID_HZ) -> np.ndarray:
    """Peaking filter: `gain_db` at the centre, unity far away."""
    a = 10 ** (gain_db / 40)
    s = 1j * hz / centre_hz
    return (s * s + s * a / q + 1) / (s * s + s / (a * q) + 1)


def low_shelf(gain_db: float, corner_hz: float, hz: np.ndarray = GRID_HZ) -> np.ndarray:
    """First-order shelf: `gain_db` at 0 Hz, unity at the top; half way in dB at the corner."""
    a = 10 ** (gain_db / 40)
    s = 1j * hz / corner_hz
    return (s + a) / (s + 1 / a)


def high_shelf(gain_db: float, corner_hz: float, hz: np.ndarray = GRID_HZ) -> np.ndarray:
    """First-order shelf: `gain_db` at the top, unity at 0 Hz; half way in dB at the corner."""
    a = 10 ** (gain_db / 40)
    s = 1j * hz / corner_hz
    return (a * s + 1) / (s / a + 1)


RESONANT: dict[str, tuple[bool, bool, bool]] = {
    "low": (False, False, True),
    "high": (True, False, False),
    "band": (False, True, False),
    "notch": (True, False, True),
}
"""Which terms of `s^2 + s / Q + 1` a resonant filter keeps above the line."""


def resonant(kind: str, hertz: float, q: float, hz: np.ndarray = GRID_HZ) -> np.ndarray:
    """Second-order filter of a kind of RESONANT about `hertz`; a band is 0 dB at its centre."""
    s = 1j * hz / hertz
    terms = (s * s, s / q, np.ones_like(s))
    over = sum((t for t, kept in zip(terms, RESONANT[kind], strict=True) if kept), np.zeros_like(s))
    return np.asarray(over / (terms[0] + terms[1] + terms[2]))


def comb_feedback(q: float) -> float:
    """Share that a comb gives back to itself, so that its first peak above 0 Hz has a Q.

    Half the power is passed where `cos(2 pi f T) = 2 g / (1 + g^2)`: with peaks `1 / T` apart the Q of
    the first is `pi / acos(...)`, so `g = tan(pi / 4 - pi / (2 Q))`. Without feedback it is 2.

    >>> round(comb_feedback(4), 4)
    0.4142
    """
    return math.tan(math.pi / 4 - math.pi / (2 * q)) if q > 2 else 0.0


def comb_of(q: float, percent: float | None, minus: bool) -> tuple[float, int]:
    """What a comb gives back to itself, and with which sign (1, -1) the late sound is added."""
    return (comb_feedback(q) if percent is None else percent / 100), -1 if minus else 1


def comb_start(back: float, sign: int) -> float:
    """Gain of a comb's first tap, so that its peaks are 0 dB: `(1 - back sign) / 2`."""
    return 0.5 * (1 - back * sign)


def combed(hertz: float, back: float, sign: int, hz: np.ndarray = GRID_HZ) -> np.ndarray:
    """A comb `late = 1 / (2 hertz)`: `w = in + back w[-late]`, out of `w + sign w[-late]`."""
    turn = np.exp(-1j * np.pi * hz / hertz)
    return np.asarray(comb_start(back, sign) * (1 + sign * turn) / (1 - back * turn))


@dataclass(frozen=True, slots=True)
class Section:
    """One filter: what a renderer needs to build it, and its analogue response."""

    kind: Literal[
        "low_pass", "high_pass", "bell", "low_shelf", "high_shelf", "low", "high", "band", "notch"
    ]
    hz: float
    order: int = 2
    gain_db: float = 0.0
    q: float = 1.0

    def response(self, hz: np.ndarray = GRID_HZ) -> np.ndarray:
        if self.kind == "low_pass":
            return low_pass(self.order, self.hz, hz)
        if self.kind == "high_pass":
            return high_pass(self.order, self.hz, hz)
        if self.kind == "bell":
            return bell(self.gain_db, self.hz, self.q, hz)
        if self.kind in RESONANT:
            return resonant(self.kind, self.hz, self.q, hz)
        shelf = low_shelf if self.kind == "low_shelf" else high_shelf
        return shelf(self.gain_db, self.hz, hz)


@dataclass(frozen=True, slots=True, eq=False)
class Shaped:
    """Sections in series over the grid; with `rest`, what they leave of the signal: 1 - H."""

    sections: tuple[Section, ...]
    response: np.ndarray
    cells: np.ndarray
    """The same in the middles of the cells."""
    rest: bool = False
    top: float = 1.0
    """Largest magnitude."""


def peak(shape: Shaped) -> float:
    """Largest magnitude at any frequency. A digital low cut passes all of its upper end, so one cut
    by itself has 1, and two of first order `1 / (1 + f1 / f2)` at frequencies as they are warped.
    """
    sections = shape.sections
    cuts_only = all(s.kind in ("high_pass", "low_pass") and s.order == 1 for s in sections)
    if shape.rest or not cuts_only or len(sections) > 2:
        return max(shape.top, 1.0) if shape.rest else shape.top
    if len({s.kind for s in sections}) < 2:
        return 1.0
    low, high = (
        math.tan(math.pi * min(s.hz / _LEAST_RATE_HZ, 0.49))
        for s in sorted(sections, key=lambda s: s.kind)
    )
    return 1 / (1 + low / high)


@lru_cache(maxsize=512)
def shaped(sections: tuple[Section, ...], rest: bool = False) -> Shaped | None:
    """Sections as one shape; None where there are none."""
    if not sections:
        return None
    found = []
    for hz in (GRID_HZ, MIDDLE_HZ):
        total = np.ones(len(hz), dtype=complex)
        for section in sections:
            total = total * section.response(hz)
        if rest:
            total = 1 - total
        total.flags.writeable = False
        found.append(total)
    return Shaped(sections, found[0], found[1], rest, float(np.abs(found[0]).max()))


def cuts(low_cut_hz: float | None, high_cut_hz: float | None, order: int) -> Shaped | None:
    """Low and high cut together, or None where there is neither."""
    sections = []
    if low_cut_hz is not None:
        sections.append(Section("high_pass", low_cut_hz, order))
    if high_cut_hz is not None:
        sections.append(Section("low_pass", high_cut_hz, order))
    return shaped(tuple(sections))


def three_bands(
    low_db: float, low_hz: float, mid_db: float, mid_hz: float, mid_q: float, high_db: float,
    high_hz: float,
) -> Shaped | None:  # fmt: skip
    """An equaliser of a low shelf, a bell and a high shelf; None where all are flat."""
    sections = []
    if low_db:
        sections.append(Section("low_shelf", low_hz, gain_db=low_db))
    if mid_db:
        sections.append(Section("bell", mid_hz, gain_db=mid_db, q=mid_q))
    if high_db:
        sections.append(Section("high_shelf", high_hz, gain_db=high_db))
    return shaped(tuple(sections))


def turn(delay_s: float) -> np.ndarray:
    """The phase of a delay over the grid."""
    return np.exp(-_OMEGA * delay_s)
