"""Find where B lies against A: a coarse search in a few loud windows, then exact fitting.

Conventions: `lag` is in samples of A, positive where B is late, so a[n] belongs to b[n + lag].
Channels of B are mapped to those of A by `pairs`: [(channel of A, channel of B), ...].
"""

from dataclasses import dataclass

import numpy as np
import scipy

from core.errors import MeasureError
from core.measure.view import View
from core.units.decibel import power_of

WINDOW_S = 3.0
_PROBES = 48
_PROBE_S = 0.1
_FINE = 1 << 15
_MARGIN = 2048
_ROOM = 64
_TIE_DB = 0.5
_LEAST_CORRELATION = 0.1
_LEAST_TO_TIE = 0.6
Pairs = list[tuple[int, int]]


@dataclass(frozen=True)
class Window:
    """A stretch of A: frame numbers in its view."""

    start: int
    frames: int


@dataclass(frozen=True)
class Coarse:
    """Where the search landed. `rivals`: other lags that fit as well (periodic material)."""

    lag: float
    correlation: float
    rivals: tuple[float, ...]


@dataclass(frozen=True)
class Fit:
    """One lag for all pairs, one signed gain each (b * gain matches a), residual power ratio."""

    lag: float
    gains: tuple[float, ...]
    ratio: float


def _energy(block: np.ndarray) -> float:
    return float(np.einsum("ij,ij->", block, block, dtype=np.float64))


def _dot(x: np.ndarray, y: np.ndarray) -> float:
    """Dot product in float64 on one thread (BLAS would wake all cores for this little work)."""
    return float(np.einsum("i,i->", x, y))


def loud_windows(view: View, letter: str, count: int = 3) -> list[Window]:
    """The loudest stretches of a view, apart from each other, loudest first.

    Probes evenly; scans everything only where all probes are silent. Raises MeasureError for
    a view that is silent throughout.
    """
    length = min(view.frames, round(WINDOW_S * view.rate_hz))
    probe = min(length, round(_PROBE_S * view.rate_hz))
    starts = np.unique(np.linspace(0, view.frames - probe, _PROBES).astype(int))
    levels = np.array([_energy(view.inside(int(s), probe)) for s in starts])
    if levels.max() <= 0:
        starts = np.arange(0, view.frames, length)
        levels = np.array([_energy(view.inside(int(s), length)) for s in starts])
    if levels.max() <= 0:
        raise MeasureError(
            f"{letter} (“{view.name}”) is silent: there is nothing to compare. Nothing was changed."
        )
    windows: list[Window] = []
    for index in np.argsort(-levels):
        if levels[index] <= 0 or len(windows) == count:
            break
        middle = int(starts[index]) + probe // 2
        start = min(max(0, middle - length // 2), view.frames - length)
        if all(abs(start - w.start) >= length for w in windows):
            windows.append(Window(start, length))
    return windows


def _interpolated_peak(values: np.ndarray, index: int) -> tuple[float, float]:
    """Position and height of the band-limited peak of |values| near an index."""
    half = 24
    if index < half or index + half >= len(values):
        return float(index), float(abs(values[index]))
    near = values[index - half : index + half + 1]
    at = np.linspace(-1, 1, 65)
    k = np.arange(-half, half + 1)
    weights = np.sinc(at[:, None] - k) * np.kaiser(2 * half + 1, 8.0)
    # Each place weighs 1 in all: else a deep tone's flat top would ripple more than it falls.
    curve = (weights / weights.sum(axis=1, keepdims=True)) @ near
    top = int(np.argmax(np.abs(curve)))
    return index + float(at[top]), float(abs(curve[top]))


def _peaks(values: np.ndarray, most: int) -> list[int]:
    """Indices of the highest local maxima of |values|, both ends among them, highest first."""
    size = np.pad(np.abs(values), 1, constant_values=-1.0)
    found = np.flatnonzero((size[1:-1] >= size[:-2]) & (size[1:-1] > size[2:]) & (size[1:-1] > 0))
    order = np.argsort(-size[found])[:most]
    return [int(i) for i in found[order]]


def search(a: np.ndarray, b: np.ndarray, reach: int) -> list[tuple[float, float]]:
    """Lags at which a window matches: (lag, |correlation coefficient|), best first.

    a: (n,), b: (n + 2 * reach,) starting `reach` before a. Plain normalised correlation decides;
    its whitened form (Knapp and Carter, 1976) adds candidates where the plain one is blunt.
    """
    n = len(a)
    size = scipy.fft.next_fast_len(len(b), real=True)
    cross = scipy.fft.rfft(b, size) * scipy.fft.rfft(a, size).conj()
    plain = scipy.fft.irfft(cross, size)[: 2 * reach + 1]
    weight = np.abs(cross)
    cross /= weight + 1e-3 * weight.mean() + 1e-30
    white = scipy.fft.irfft(cross, size, overwrite_x=True)[: 2 * reach + 1]
    sums = np.concatenate([[0.0], np.cumsum(b.astype(np.float64) ** 2)])
    energy = np.maximum(sums[n : n + 2 * reach + 1] - sums[: 2 * reach + 1], 0.0)
    energy = np.maximum(energy, max(1e-6 * energy.max(), 1e-30))
    a_energy = max(_dot(a.astype(np.float64), a), 1e-30)
    rho = plain / np.sqrt(energy * a_energy)
    # No offset at all is always among them: whatever fits as well has to be better than that.
    candidates = {reach} | set(_peaks(rho, 3)) | set(_peaks(white, 2))
    top = float(np.abs(rho).max())
    near = _peaks(np.where(np.abs(rho) > 0.97 * top, rho, 0.0), len(rho))
    candidates |= set(sorted(near, key=lambda i: abs(i - reach))[:3])
    found = []
    for index in candidates:
        place, height = _interpolated_peak(rho, index)
        found.append((place - reach, min(height, 1.0)))
    return sorted(found, key=lambda item: -item[1])


def coarse_lag(a: View, b: View, windows: list[Window], reach: int, pairs: Pairs) -> Coarse:
    """Search in the windows one after the other; stop when two agree.

    Both ends of the range count: it is searched with some room beyond them, so that a peak there
    has two sides, and what lies further out than the range is dropped.
    """
    seen: list[list[tuple[float, float]]] = []
    wide = reach + _ROOM
    for window in windows:
        block_a = a.inside(window.start, window.frames)
        block_b = b.inside(window.start - wide, window.frames + 2 * wide)
        loud = [(_energy(block_a[[i]]) * _energy(block_b[[j]]), i, j) for i, j in pairs]
        strength, i, j = max(loud)
        if strength <= 0:
            continue
        found = search(block_a[i], block_b[j], wide)
        seen.append([item for item in found if abs(item[0]) <= reach + 0.5])
        best = seen[-1][0]
        if len(seen) > 1 and best[1] > 0.3 and abs(best[0] - seen[-2][0][0]) < 1.0:
            break
    if not seen:
        return Coarse(0.0, 0.0, ())
    scores: dict[float, float] = {}
    for lag, _ in [item for found in seen for item in found]:
        close = [max((h for x, h in found if abs(x - lag) < 1.0), default=0.0) for found in seen]
        scores[lag] = float(np.mean(close))
    best_lag = max(scores, key=lambda lag: scores[lag])
    best = (best_lag, scores[best_lag])
    if best[1] < _LEAST_CORRELATION:
        # Nothing fits: stay where both were given, rather than at a chance peak near an end.
        return Coarse(0.0, best[1], ())
    if best[1] < _LEAST_TO_TIE:
        # Where nothing fits well, that several places fit as badly tells nothing.
        return Coarse(best[0], best[1], ())
    limit = (1 - best[1] ** 2) * power_of(_TIE_DB) + 2e-4
    rivals = sorted(
        {round(x, 1): x for x, h in scores.items() if 1 - h * h <= limit}.values(), key=abs
    )
    apart = [x for k, x in enumerate(rivals) if all(abs(x - y) > 1.0 for y in rivals[:k])]
    return Coarse(best[0], best[1], tuple(x for x in apart if abs(x - best[0]) > 1.0))


class _FinePiece:
    """A short stretch of one pair, with B's spectrum at hand so that it can be moved exactly."""

    def __init__(self, a: np.ndarray, b: np.ndarray) -> None:
        self.a = a.astype(np.float64)
        self.n = len(a)
        ramp = 0.5 - 0.5 * np.cos(np.pi * (np.arange(_MARGIN) + 0.5) / _MARGIN)
        held = b.astype(np.float64)
        held[:_MARGIN] *= ramp
        held[-_MARGIN:] *= ramp[::-1]
        self.size = scipy.fft.next_fast_len(len(held), real=True)
        self.spectrum = scipy.fft.rfft(held, self.size)
        self.omega = 2j * np.pi * np.arange(len(self.spectrum)) / self.size

    def moved(self, fraction: float) -> tuple[np.ndarray, np.ndarray]:
        """B read `fraction` samples later, and its slope per sample."""
        turned = self.spectrum * np.exp(self.omega * fraction)
        both = scipy.fft.irfft(np.stack([turned, turned * self.omega]), self.size, axis=-1)
        cut = both[:, _MARGIN : _MARGIN + self.n]
        return cut[0], cut[1]


def fit_lag(
    a: View, b: View, windows: list[Window], lag: float, pairs: Pairs, *, move: bool = True
) -> Fit:
    """Refine one shared lag and a gain per pair by Gauss-Newton least squares.

    Iterates until the lag moves by less than 1e-9 sample. Two windows of up to 32768 samples;
    the lag stays within 2 samples of where the search put it. Without `move` only the gains
    are fitted.
    """
    whole = round(lag)
    pieces: list[list[_FinePiece]] = [[] for _ in pairs]
    for window in windows[:2]:
        n = min(window.frames, _FINE)
        start = window.start + (window.frames - n) // 2
        start = max(start, b.first_possible() - whole) if n < window.frames else start
        block_a = a.inside(start, n)
        block_b = b.read(start + whole - _MARGIN, n + 2 * _MARGIN)
        for k, (i, j) in enumerate(pairs):
            pieces[k].append(_FinePiece(block_a[i], block_b[j]))
    fraction, gains, ratio = lag - whole, [0.0] * len(pairs), 1.0
    for _ in range(12):
        up = down = left = total = 0.0
        for k, group in enumerate(pieces):
            parts = [(piece.a, *piece.moved(fraction)) for piece in group]
            bb = sum(_dot(y, y) for _, y, _ in parts)
            ab = sum(_dot(x, y) for x, y, _ in parts)
            gain = ab / bb if bb > 0 else 0.0
            gains[k] = gain
            for x, y, slope in parts:
                rest = x - gain * y
                left += _dot(rest, rest)
                total += _dot(x, x)
                up += gain * _dot(rest, slope)
                down += gain * gain * _dot(slope, slope)
        ratio = left / total if total > 0 else 1.0
        step = up / down if down > 0 else 0.0
        moved = float(np.clip(fraction + np.clip(step, -0.5, 0.5), -2.0, 2.0))
        if not move or abs(moved - fraction) < 1e-9:
            break
        fraction = moved
    return Fit(whole + fraction, tuple(gains), ratio)
