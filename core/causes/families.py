"""Three ways in which B can be made of A: a filter, a gain over time, a curve of levels.

Each is fitted by least squares on a whole stretch, all channels together. A pair with one of these
causes falls far with the right one and stays high with the others: that gap is the evidence.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy

from core.causes.pair import MARGIN, power
from core.sample_loops import sample_loop

TAPS, BEFORE = 2048, 512
BLOCK = 32
WINDOWS = (8, 16, 32, 64, 128, 256, 512)
KNOTS = 129
_IDLE = 2e-4


def convolved(wide: np.ndarray, taps: np.ndarray, before: int) -> np.ndarray:
    """`sum_k taps[k] x[n - k + before]` over the frames MARGIN from both ends of `wide`."""
    n = wide.shape[1] - 2 * MARGIN
    size = scipy.fft.next_fast_len(wide.shape[1] + len(taps), real=True)
    shape = scipy.fft.rfft(taps, size)
    out = np.empty((len(wide), n))
    for row, line in zip(out, wide, strict=True):
        whole = scipy.fft.irfft(scipy.fft.rfft(line, size) * shape, size)
        row[:] = whole[MARGIN + before : MARGIN + before + n]
    return out


class FilterFit:
    """Least squares with a filter of 2048 taps, 512 of them before zero, for one A."""

    def __init__(self, wide: np.ndarray) -> None:
        self.wide = wide
        self.frames = wide.shape[1] - 2 * MARGIN
        self._size = scipy.fft.next_fast_len(wide.shape[1] + 2 * TAPS, real=True)
        self._spectrum = scipy.fft.rfft(wide, self._size, axis=1)

    @cached_property
    def _auto(self) -> np.ndarray:
        """Autocorrelation of A over the taps, (TAPS,), a little more at 0: what A lacks stays as it is."""
        energy = np.zeros(self._spectrum.shape[1])
        for row in self._spectrum:
            energy += row.real**2 + row.imag**2
        auto = scipy.fft.irfft(energy, self._size)[:TAPS]
        auto[0] += 3e-10 * auto[0] + 1e-30
        return np.asarray(auto)

    def _solved(self, pull: np.ndarray) -> np.ndarray:
        return np.asarray(scipy.linalg.solve_toeplitz(self._auto, pull, check_finite=False))

    def _through(self, taps: np.ndarray) -> np.ndarray:
        """`convolved` of A, by the spectrum that is known already."""
        shape = scipy.fft.rfft(taps, self._size)
        out = np.empty((len(self.wide), self.frames))
        for row, spectrum in zip(out, self._spectrum, strict=True):
            whole = scipy.fft.irfft(spectrum * shape, self._size)
            row[:] = whole[MARGIN + BEFORE : MARGIN + BEFORE + self.frames]
        return out

    def _against(self, rest: np.ndarray) -> np.ndarray:
        """Products of a residual (channels, frames) with A under every tap."""
        cross = np.zeros(self._spectrum.shape[1], complex)
        for row, spectrum in zip(rest, self._spectrum, strict=True):
            part = scipy.fft.rfft(np.pad(row, (MARGIN, self._size - len(row) - MARGIN)))
            np.conjugate(part, out=part)
            part *= spectrum
            cross += part
        line = scipy.fft.irfft(np.conjugate(cross, out=cross), self._size)
        return np.concatenate([line[-BEFORE:], line[: TAPS - BEFORE]])

    def fit(
        self, target: np.ndarray, rounds: int = 10, *, from_nothing: bool = False
    ) -> tuple[np.ndarray, np.ndarray]:
        """The taps, and A through them, for a target (channels, frames).

        Begins at A itself with one gain, or at nothing: what A does not sound in stays as it was.

        Conjugate gradients on the exact normal equations; the autocorrelation, which leaves out what
        happens at the ends, is the preconditioner (Golub and Van Loan, 'Matrix Computations', 11.5).
        """
        taps = np.zeros(TAPS)
        made = np.zeros_like(target)
        inner = self.wide[:, MARGIN : MARGIN + self.frames]
        if not from_nothing:
            taps[BEFORE] = float(np.vdot(inner, target)) / max(power(inner), 1e-30)
            made = taps[BEFORE] * inner
        pull = self._against(target - made)
        step = self._solved(pull)
        way, gain = step, float(pull @ step)
        idle = 0
        for _ in range(rounds):
            moved = self._through(way)
            size = power(moved)
            if gain <= 0 or size <= 0:
                break
            far = gain / size
            taps = taps + far * way
            moved *= far
            made += moved
            # Its own room holds what is left: a stretch of all channels is large.
            rest = np.subtract(target, made, out=moved)
            # What two rounds in a row hardly lower has been reached.
            idle = idle + 1 if far * gain < _IDLE * power(rest) else 0
            if idle == 2:
                break
            pull = self._against(rest)
            del moved, rest
            step = self._solved(pull)
            before, gain = gain, float(pull @ step)
            if gain < 1e-13 * before:
                break
            way = step + gain / before * way
        return taps, made


@dataclass(frozen=True)
class GainFit:
    """A gain every 32 samples, smoothed by a Hann window of `window` blocks."""

    gain: np.ndarray
    window: int

    def over(self, frames: int) -> np.ndarray:
        """The gain at every sample."""
        at = (np.arange(len(self.gain)) + 0.5) * BLOCK - 0.5
        return np.interp(np.arange(frames), at, self.gain)


def block_sums(x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Sums of x y, x x and y y over blocks of 32 samples, channels added."""
    n = -(-x.shape[1] // BLOCK)
    fill = n * BLOCK - x.shape[1]
    if fill:
        x, y = (np.pad(v, ((0, 0), (0, fill))) for v in (x, y))
    parts = [v.reshape(len(v), n, BLOCK) for v in (x, y)]
    return (
        np.einsum("cnb,cnb->n", parts[0], parts[1]),
        np.einsum("cnb,cnb->n", parts[0], parts[0]),
        np.einsum("cnb,cnb->n", parts[1], parts[1]),
    )


def smooth(line: np.ndarray, window: int) -> np.ndarray:
    """A line smoothed by a Hann window of so many places, ends repeated."""
    if window < 3:
        return line
    kernel = np.hanning(window + 2)[1:-1]
    kernel /= kernel.sum()
    padded = np.pad(line, (window, window), mode="reflect" if len(line) > window else "edge")
    size = scipy.fft.next_fast_len(len(padded) + window, real=True)
    made = scipy.fft.irfft(scipy.fft.rfft(padded, size) * scipy.fft.rfft(kernel, size), size)
    first = window + (window - 1) // 2
    return made[first : first + len(line)]


def fit_gain(x: np.ndarray, y: np.ndarray, windows: tuple[int, ...] = WINDOWS) -> GainFit:
    """The gain over time that brings x nearest to y.

    Products and energies are smoothed apart, so that silence has no say. The window is the one
    with the least residual for its freedom (generalised cross-validation, Craven and Wahba, 1979).
    """
    products, energies, wanted = block_sums(x, y)
    whole = float(energies.sum())
    count = x.size
    best: tuple[float, GainFit] | None = None
    floor = 1e-5 * whole / max(1, len(energies)) + 1e-30
    level = float(products.sum()) / max(whole, 1e-30)
    for window in windows:
        if window > len(energies):
            break
        d = np.maximum(smooth(energies, window), 0.0)
        gain = (smooth(products, window) + level * floor) / (d + floor)
        left = float((wanted - 2 * gain * products + gain * gain * energies).sum())
        share = min(0.9, 2.0 * x.shape[1] / (BLOCK * window) / count)
        score = max(left, 1e-12 * float(wanted.sum())) / (1 - share) ** 2
        if best is None or score < best[0]:
            best = (score, GainFit(gain, window))
    if best is None:
        return GainFit(np.full(max(1, len(energies)), level), 1)
    return best[1]


@sample_loop("void(float64[::1], float64[::1], float64, float64[:, ::1], float64[::1])")
def _hats(x, y, scale, matrix, right):  # type: ignore[no-untyped-def]
    knots = len(right)
    for i in range(len(x)):
        place = (x[i] / scale + 1.0) * 0.5 * (knots - 1)
        k = min(max(int(place), 0), knots - 2)
        high = place - k
        low = 1.0 - high
        matrix[1, k] += low * low
        matrix[1, k + 1] += high * high
        matrix[0, k + 1] += low * high
        right[k] += low * y[i]
        right[k + 1] += high * y[i]


@dataclass(frozen=True)
class CurveFit:
    """What goes out over what comes in: `level_out` at `level_in`, evenly spaced, -top to top."""

    level_in: np.ndarray
    level_out: np.ndarray

    def of(self, x: np.ndarray) -> np.ndarray:
        return np.interp(x, self.level_in, self.level_out)

    def slopes(self) -> np.ndarray:
        return np.diff(self.level_out) / np.diff(self.level_in)


def fit_curve(x: np.ndarray, y: np.ndarray) -> CurveFit:
    """The memoryless curve that brings x nearest to y: straight between 129 knots."""
    scale = float(np.abs(x).max(initial=0.0)) * 1.000001 + 1e-30
    matrix, right = np.zeros((2, KNOTS)), np.zeros(KNOTS)
    for row_x, row_y in zip(x, y, strict=True):
        _hats(np.ascontiguousarray(row_x), np.ascontiguousarray(row_y), scale, matrix, right)
    # A little stiffness holds knots that no sample came near.
    stiff = 1e-7 * float(matrix[1].sum())
    bend = np.diff(np.eye(KNOTS), 2, axis=0)
    full = np.diag(matrix[1]) + np.diag(matrix[0, 1:], 1) + np.diag(matrix[0, 1:], -1)
    out = np.linalg.solve(full + stiff * bend.T @ bend + 1e-12 * stiff * np.eye(KNOTS), right)
    return CurveFit(np.linspace(-scale, scale, KNOTS), out)


@dataclass(frozen=True)
class Made:
    """A prediction of B from A and what it consists of."""

    kinds: str
    made: np.ndarray
    taps: np.ndarray | None = None
    gain: GainFit | None = None
    curve: CurveFit | None = None

    def left(self, y: np.ndarray) -> float:
        return power(y - self.made)
