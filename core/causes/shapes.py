"""Name a filter: the shelf, cut, bell or second path whose response is nearest to what was found.

Shapes are those of the audio equaliser cookbook (second order) and Butterworth cuts, made at the
sample rate by the bilinear transform, so that they bend near half the rate as real ones do.
"""

import math
from dataclasses import dataclass

import numpy as np
import scipy

from core.causes.families import BEFORE, TAPS
from core.units.decibel import amplitude, decibels

_FFT = 16_384
_PER_OCTAVE = 12


@dataclass(frozen=True)
class Response:
    """B against A at third-of-a-third octaves: dB, how much each is to be trusted, complex too."""

    hz: np.ndarray
    db: np.ndarray
    weight: np.ndarray
    value: np.ndarray
    rate_hz: float


@dataclass(frozen=True)
class Shape:
    """One shape: `kind`, its level (dB) beside what it does, and how far it is off (dB RMS)."""

    kind: str
    level_db: float
    gain_db: float
    hz: float
    q: float
    order: int
    error_db: float

    def sos(self, rate_hz: float) -> np.ndarray:
        return sections(self.kind, self.gain_db, self.hz, self.q, self.order, rate_hz)


def shelf_or_bell(kind: str, gain_db: float, hz: float, q: float, rate_hz: float) -> np.ndarray:
    """One second-order section (6,) of the cookbook: 'low shelf', 'high shelf' or 'bell'."""
    a = amplitude(gain_db / 2)
    w = 2 * math.pi * min(hz, 0.497 * rate_hz) / rate_hz
    cos, alpha = math.cos(w), math.sin(w) / (2 * q)
    if kind == "bell":
        b = [1 + alpha * a, -2 * cos, 1 - alpha * a]
        den = [1 + alpha / a, -2 * cos, 1 - alpha / a]
    else:
        s = -1.0 if kind == "low shelf" else 1.0
        root = 2 * math.sqrt(a) * alpha
        b = [
            a * ((a + 1) + s * (a - 1) * cos + root),
            -2 * s * a * ((a - 1) + s * (a + 1) * cos),
            a * ((a + 1) + s * (a - 1) * cos - root),
        ]
        den = [
            (a + 1) - s * (a - 1) * cos + root,
            2 * s * ((a - 1) - s * (a + 1) * cos),
            (a + 1) - s * (a - 1) * cos - root,
        ]
    return np.array([*b, *den]) / den[0]


def sections(
    kind: str, gain_db: float, hz: float, q: float, order: int, rate_hz: float
) -> np.ndarray:
    """Second-order sections (n, 6) of a shape."""
    if kind in ("low cut", "high cut"):
        edge = min(max(hz, 1.0), 0.497 * rate_hz)
        word = "highpass" if kind == "low cut" else "lowpass"
        if order == 2:
            w = 2 * math.pi * edge / rate_hz
            cos, alpha = math.cos(w), math.sin(w) / (2 * q)
            side = (1 + cos) / 2 if kind == "low cut" else (1 - cos) / 2
            middle = -2 * side if kind == "low cut" else 2 * side
            row = np.array([side, middle, side, 1 + alpha, -2 * cos, 1 - alpha]) / (1 + alpha)
            return row[None]
        return scipy.signal.butter(order, edge, word, fs=rate_hz, output="sos")
    if order == 1:
        # First-order shelf: half of the rise at `hz`.
        g, k = amplitude(gain_db), math.tan(math.pi * min(hz, 0.497 * rate_hz) / rate_hz)
        root = math.sqrt(g)
        if kind == "low shelf":
            b, den = [root * (k * root + 1), root * (k * root - 1)], [k + root, k - root]
        else:
            b, den = [root * (k + root), root * (k - root)], [k * root + 1, k * root - 1]
        row = np.array([b[0], b[1], 0, den[0], den[1], 0]) / den[0]
        return row[None]
    return shelf_or_bell(kind, gain_db, hz, q, rate_hz)[None]


def response_of(taps: np.ndarray, spectrum: np.ndarray, rate_hz: float) -> Response:
    """The response of fitted taps in twelfths of an octave, where A has sound.

    spectrum: A's power in bins evenly spaced from 0 to half the rate; bands 70 dB under the
    strongest are left out.
    """
    held = np.zeros(_FFT)
    held[: TAPS - BEFORE] = taps[BEFORE:]
    held[-BEFORE:] = taps[:BEFORE]
    value = np.fft.rfft(held)
    grid = np.fft.rfftfreq(_FFT, 1 / rate_hz)
    own = np.interp(grid, np.linspace(0, rate_hz / 2, len(spectrum)), spectrum)
    steps = int(math.log2(0.46 * rate_hz / 20) * _PER_OCTAVE)
    centres = 20 * 2 ** (np.arange(steps + 1) / _PER_OCTAVE)
    edges = np.searchsorted(grid, np.array([centres * 2 ** (-1 / 24), centres * 2 ** (1 / 24)]))
    # Each band is read where A is strongest in it: between lines the taps are free to be anything.
    best = np.array([lo + int(np.argmax(own[lo : max(hi, lo + 1)])) for lo, hi in edges.T])
    best = np.unique(best)
    hz, at, energy = grid[best], value[best], own[best] * grid[best]
    keep = (energy > energy.max() * 1e-7) & (own[best] > 1e-6 * own.mean()) & (hz > 12)
    db = decibels(np.maximum(np.abs(at), 1e-6))
    weight = np.where(keep, np.clip((energy / energy.max()) ** 0.15, 0.05, 1), 0.0)
    return Response(hz, db, weight, at, rate_hz)


def _at(sos: np.ndarray, hz: np.ndarray, rate_hz: float) -> np.ndarray:
    """The complex response of sections."""
    z = np.exp(-2j * np.pi * hz / rate_hz)
    out = np.ones(len(hz), complex)
    for b0, b1, b2, a0, a1, a2 in sos:
        out *= (b0 + z * (b1 + z * b2)) / (a0 + z * (a1 + z * a2))
    return out


def _db_at(sos: np.ndarray, hz: np.ndarray, rate_hz: float) -> np.ndarray:
    return decibels(np.maximum(np.abs(_at(sos, hz, rate_hz)), 1e-6))


_TRIED: tuple[tuple[str, int], ...] = (
    ("bell", 2),
    ("low shelf", 2),
    ("high shelf", 2),
    ("low shelf", 1),
    ("high shelf", 1),
    ("low cut", 1),
    ("low cut", 2),
    ("low cut", 3),
    ("low cut", 4),
    ("high cut", 1),
    ("high cut", 2),
    ("high cut", 3),
    ("high cut", 4),
)


@dataclass(frozen=True)
class _Kind:
    """A shape whose settings are searched: level, edge, and what its kind has of gain and Q."""

    kind: str
    order: int
    rate_hz: float

    @property
    def cut(self) -> bool:
        return self.kind.endswith("cut")

    def read(self, v: np.ndarray) -> tuple[float, float, float, float]:
        """Level (dB), gain (dB), edge (Hz), Q of a search vector."""
        edge = float(np.exp(np.clip(v[1], np.log(8.0), np.log(0.49 * self.rate_hz))))
        gain = 0.0 if self.cut else float(np.clip(v[2], -40, 40))
        q = float(np.exp(np.clip(v[3], -1.6, 2.8))) if self.order == 2 else 0.7071
        return float(v[0]), gain, edge, q

    def errors(self, v: np.ndarray, hz: np.ndarray, db: np.ndarray, root: np.ndarray) -> np.ndarray:
        level, gain, edge, q = self.read(v)
        sos = sections(self.kind, gain, edge, q, self.order, self.rate_hz)
        return np.clip(level + _db_at(sos, hz, self.rate_hz) - db, -40, 40) * root


def fit_shapes(found: Response) -> list[Shape]:
    """The shapes fitted to a response, the nearest first; only the eight likeliest are fitted out."""
    keep = found.weight > 0
    hz, db, root = found.hz[keep], found.db[keep], np.sqrt(found.weight[keep])
    if len(hz) < 8:
        return []
    low, high = float(np.percentile(db, 5)), float(np.percentile(db, 95))
    middle = float(np.median(db))
    begun: list[tuple[float, _Kind, np.ndarray]] = []
    for name, order in _TRIED:
        kind = _Kind(name, order, found.rate_hz)
        starts = [
            np.array([middle, np.log(edge), gain, np.log(0.8)][: 4 if order == 2 else 3])
            for edge in np.geomspace(max(hz[0], 30), min(hz[-1], 0.4 * found.rate_hz), 9)
            for gain in ((0.0,) if kind.cut else (high - low, low - high))
        ]
        scores = [float(np.abs(kind.errors(v, hz, db, root)).sum()) for v in starts]
        best = int(np.argmin(scores))
        begun.append((scores[best], kind, starts[best]))
    out = []
    for _, kind, start in sorted(begun, key=lambda item: item[0])[:8]:
        done = scipy.optimize.least_squares(
            kind.errors, start, loss="soft_l1", f_scale=0.3, max_nfev=60, args=(hz, db, root)
        )
        level, gain, edge, q = kind.read(done.x)
        off = kind.errors(done.x, hz, db, root)
        error = float(np.sqrt((off**2).sum() / found.weight[keep].sum()))
        if 0.6 * hz[0] < edge < 1.5 * hz[-1]:
            out.append(Shape(kind.kind, level, gain, edge, q, kind.order, error))
    return sorted(out, key=lambda shape: shape.error_db)


def chosen(shapes: list[Shape], within_db: float = 0.02) -> list[Shape]:
    """The shapes as good as the best, the plainest reading first.

    A shelf up below and one down above are one shape at two levels. Without a level of its own is
    plainer; else the shelf that leaves the wider part of the range alone.
    """
    if not shapes:
        return []
    best = shapes[0].error_db
    near = [s for s in shapes if s.error_db <= max(1.25 * best, best + within_db)]

    def rank(s: Shape) -> tuple[float, ...]:
        wide = 0.0
        if s.kind.endswith("shelf"):
            wide = math.log2(s.hz / 632) * (1 if s.kind == "low shelf" else -1)
        parts = 2 if s.kind.endswith("cut") else 3
        return (0 if abs(s.level_db) < 0.03 else 1, parts, wide, s.order, s.error_db)

    return sorted(near, key=rank)


def minimum_phase(found: Response, sos: np.ndarray) -> tuple[float, float, float]:
    """Delay (samples) and sign that a response has beside a shape, and how far its phase is off.

    The shape's own phase is not called time. The delay is where all bands agree best (a coherent
    sum), then a weighted line; radians, weighted by what passes.
    """
    keep = found.weight > 0
    hz = found.hz[keep]
    rest = found.value[keep] * _at(sos, hz, found.rate_hz).conj()
    omega = 2 * np.pi * hz / found.rate_hz
    size = np.abs(found.value[keep])
    weight = found.weight[keep] * np.minimum(size / max(float(np.median(size)), 1e-12), 1.0)
    turned = weight * rest / np.maximum(np.abs(rest), 1e-12)
    tried = np.arange(-float(BEFORE), float(BEFORE), 0.25)
    sums = np.exp(1j * tried[:, None] * omega) @ turned
    # Nearest to nothing among those that agree as well.
    best = np.abs(sums).max()
    near = np.flatnonzero(np.abs(sums) > 0.998 * best)
    place = near[np.argmin(np.abs(tried[near]))]
    delay, sign = float(tried[place]), 1.0 if sums[place].real >= 0 else -1.0
    for _ in range(4):
        angle = np.angle(sign * turned * np.exp(1j * omega * delay))
        delay -= float((weight * omega * angle).sum() / (weight * omega * omega).sum())
    off = np.angle(sign * turned * np.exp(1j * omega * delay))
    return delay, float(np.sqrt((weight * off * off).sum() / weight.sum())), sign
