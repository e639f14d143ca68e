"""Third-octave levels by overlapped FFTs whose powers add up to the total."""

import math

import numpy as np
import scipy

from core.measure import kernel

SHORTEST_WINDOW_S = 0.4
_BATCH = 4


def third_octave_centres_hz(rate_hz: float) -> np.ndarray:
    """Exact base-ten centres from 25 Hz to 20 kHz that lie below Nyquist (IEC 61260-1)."""
    centres = 1000.0 * 10.0 ** (0.1 * np.arange(-16, 14))
    return centres[centres < rate_hz / 2]


class BandMeter:
    """Adds up the power spectrum of one planar signal, pushed in blocks of any size.

    Windows are at least 0.4 s long and overlap by an eighth with sine edges, so their squares
    add up to 1 and the powers of all bins add up to the energy that was pushed. With `sparse`
    every second window is left out; the caller scales what comes out to the energy it knows.
    """

    def __init__(
        self, channels: int, rate_hz: float, dtype: np.dtype, *, sparse: bool = False
    ) -> None:
        self.rate_hz = rate_hz
        self.size = scipy.fft.next_fast_len(2 * math.ceil(SHORTEST_WINDOW_S * rate_hz / 2), True)
        self.size += self.size % 2
        self._edge = self.size // 8
        self.hop = self.size - self._edge
        rise = np.sin((np.arange(self._edge) + 0.5) / self._edge * np.pi / 2)
        self._rise = rise.astype(dtype)
        self._windows = np.zeros((_BATCH, channels, self.size), dtype)
        self._at, self._fill = 0, self._edge
        self._left_out = self.hop - self._edge if sparse else 0
        self._skip = 0
        self._power = np.zeros(self.size // 2 + 1)

    def push(self, block: np.ndarray) -> None:
        taken, size, edge = 0, self.size, self._edge
        while taken < block.shape[1]:
            if self._skip:
                passed = min(self._skip, block.shape[1] - taken)
                self._skip -= passed
                taken += passed
                continue
            window = self._windows[self._at]
            n = min(size - self._fill, block.shape[1] - taken)
            window[:, self._fill : self._fill + n] = block[:, taken : taken + n]
            self._fill += n
            taken += n
            if self._fill == size:
                last = window[:, size - edge :].copy()
                self._at += 1
                if self._at == _BATCH:
                    self._take(_BATCH)
                    self._at = 0
                self._skip = self._left_out
                self._fill = 0 if self._skip else edge
                if self._fill:
                    self._windows[self._at, :, :edge] = last

    def _take(self, count: int) -> None:
        """Shape the first `count` windows and add up their spectra; they are spent then."""
        windows = self._windows[:count]
        windows[:, :, : self._edge] *= self._rise
        windows[:, :, -self._edge :] *= self._rise[::-1]
        spectrum = scipy.fft.rfft(windows.reshape(-1, self.size), axis=-1)
        kernel.add_power(spectrum, self._power)

    def spectrum(self) -> np.ndarray:
        """Energy per bin, one-sided (size / 2 + 1); call once, after the last block."""
        tail = None
        if self._skip:
            self._windows[self._at] = 0
        else:
            self._windows[self._at, :, self._fill :] = 0
            if self._fill > self.hop and not self._left_out:
                # What lies in the falling edge rises again in a window of its own.
                tail = self._windows[self._at, :, self.hop :].copy()
        self._take(self._at + 1)
        if tail is not None:
            self._windows[0] = 0
            self._windows[0, :, : self._edge] = tail
            self._take(1)
        energy = self._power / self.size
        energy[1:-1] *= 2
        return energy

    def third_octaves(self, energy: np.ndarray) -> np.ndarray:
        """Energy in each band of `third_octave_centres_hz`, bins shared out at the band edges."""
        centres = third_octave_centres_hz(self.rate_hz)
        bin_hz = self.rate_hz / self.size
        edges = np.concatenate([centres * 10**-0.05, centres[-1:] * 10**0.05]) / bin_hz + 0.5
        total = np.concatenate([[0.0], np.cumsum(energy)])
        at_edges = np.interp(np.minimum(edges, len(energy)), np.arange(len(total)), total)
        return np.diff(at_edges)
