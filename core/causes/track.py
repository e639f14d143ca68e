"""Where B lies against A from moment to moment: drift, steps and wander.

In short windows the whitened cross-correlation gives the place to the sample, the slope of the
cross-spectrum's phase the part of a sample (Knapp and Carter, 1976).
"""

import functools
from dataclasses import dataclass

import numpy as np
import scipy

_WHITEN = 0.7
_SHARP = 7.0


@dataclass(frozen=True)
class Lags:
    """Lags (samples, B late positive) at times (frames); `sharp`: peak over the rest; `agree`: how
    much of the window the two have in common at that lag, -1 to 1."""

    at: np.ndarray
    lag: np.ndarray
    sharp: np.ndarray
    agree: np.ndarray

    def sure(self, sharp: float = _SHARP) -> "Lags":
        keep = self.sharp > sharp
        return Lags(self.at[keep], self.lag[keep], self.sharp[keep], self.agree[keep])


@functools.lru_cache(4)
def _hann(frames: int) -> np.ndarray:
    window = np.hanning(frames)
    window.flags.writeable = False
    return window


def _slope(spectrum: np.ndarray, omega: np.ndarray) -> float:
    """The lag that a cross-spectrum's phase tells, by least squares, within one sample."""
    found = 0.0
    for _ in range(6):
        turned = spectrum * np.exp(1j * omega * found)
        up = -float((omega * turned.imag).sum())
        down = float((omega * omega * np.maximum(turned.real, 0)).sum())
        step = up / down if down > 0 else 0.0
        found = float(np.clip(found + step, -1.0, 1.0))
        if abs(step) < 1e-7:
            break
    return found


class Piece:
    """A window of A, (channels, n), which several stretches of B are held against: its spectra are made once."""

    def __init__(self, a: np.ndarray) -> None:
        window = _hann(a.shape[1])
        self.frames = a.shape[1]
        self.shaped = a * window
        self._level = (a - a.mean(axis=1, keepdims=True)) * window
        self._spectra: dict[int, np.ndarray] = {}
        self.short = scipy.fft.next_fast_len(self.frames, real=True)
        self.close = scipy.fft.rfft(self.shaped, self.short).conj()

    def level(self, size: int) -> np.ndarray:
        """Conjugate spectrum over `size` frames, its mean taken off."""
        if size not in self._spectra:
            self._spectra[size] = scipy.fft.rfft(self._level, size).conj()
        return self._spectra[size]


def lag_in(piece: Piece, b: np.ndarray, reach: int) -> tuple[float, float, float]:
    """Lag, sharpness and agreement of one window.

    b: (channels, n + 2 reach), starting `reach` before the piece. The channels are taken
    together, each with the sign that its own correlation has.
    """
    n = piece.frames
    size = scipy.fft.next_fast_len(b.shape[1], real=True)
    sb = scipy.fft.rfft(b - b.mean(axis=1, keepdims=True), size)
    cross = (sb * piece.level(size)).sum(axis=0)
    weight = np.abs(cross)
    top = float(weight.max(initial=0.0))
    if top <= 0:
        return 0.0, 0.0, 0.0
    white = cross / np.maximum(weight, 1e-9 * top) ** _WHITEN
    whole = scipy.fft.irfft(white, size)
    line = whole[: 2 * reach + 1]
    peak = int(np.argmax(np.abs(line)))
    level = np.sqrt(np.mean((line if reach > 64 else whole) ** 2))
    sharp = float(abs(line[peak]) / max(level, 1e-30))
    held = b[:, peak : peak + n] * _hann(n)
    near = (scipy.fft.rfft(held, piece.short) * piece.close).sum(axis=0)
    sign = -1.0 if line[peak] < 0 else 1.0
    size_near = np.abs(near)
    near = sign * near / np.maximum(size_near, 1e-9 * size_near.max(initial=1e-30)) ** _WHITEN
    omega = 2 * np.pi * np.arange(len(near)) / piece.short
    part = _slope(near, omega)
    shaped = piece.shaped
    both = float(np.sqrt((shaped * shaped).sum() * (held * held).sum()))
    agree = float((shaped * held).sum() / both) if both > 0 else 0.0
    return peak - reach + part, sharp, agree
