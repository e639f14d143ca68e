"""Third-octave levels by overlapped FFTs whose powers add up to the total."""

import numpy as np
import scipy.fft

SHORTEST_WINDOW_S = 0.4
_BATCH = 4


def third_octave_centres_hz(rate_hz: float) -> np.ndarray:
    """Exact base-ten centres from 25 Hz to 20 kHz that fit below Nyquist (IEC 61260-1)."""
    centres = 1000.0 * 10.0 ** (np.arange(-16, 14) / 10.0)
    return centres[centres * 10**0.05 <= rate_hz / 2 * 1.0001]


class BandMeter:
    """Adds up the power spectrum of one planar signal, pushed in blocks of any size.

    Windows are at least 0.4 s long and overlap by a quarter with sine edges, so their squares
    add up to 1 and the powers of all bins add up to the energy that was pushed.
    """

    def __init__(self, channels: int, rate_hz: float, dtype: np.dtype) -> None:
        self.rate_hz = rate_hz
        self.size = 1 << int(np.ceil(np.log2(SHORTEST_WINDOW_S * rate_hz)))
        edge = self.size // 4
        self.hop = self.size - edge
        slope = np.sin((np.arange(edge) + 0.5) / edge * np.pi / 2)
        self._window = np.concatenate([slope, np.ones(self.size - 2 * edge), slope[::-1]])
        self._window = self._window.astype(dtype)
        self._held = np.zeros((channels, edge), dtype)
        self._power = np.zeros(self.size // 2 + 1)
        self._energy = 0.0

    def push(self, block: np.ndarray) -> None:
        self._held = np.concatenate([self._held, block], axis=1)
        ready = (self._held.shape[1] - self.size) // self.hop + 1
        if ready >= _BATCH:
            self._take(ready)

    def _take(self, count: int) -> None:
        cut = self._held[:, : (count - 1) * self.hop + self.size]
        views = np.lib.stride_tricks.sliding_window_view(cut, self.size, axis=1)[:, :: self.hop]
        spectrum = scipy.fft.rfft((views * self._window).reshape(-1, self.size), axis=-1)
        pairs = spectrum.view(spectrum.real.dtype)
        power = np.einsum("ij,ij->j", pairs, pairs)
        self._power += power[0::2].astype(np.float64) + power[1::2]
        self._held = np.ascontiguousarray(self._held[:, count * self.hop :])

    def spectrum(self) -> np.ndarray:
        """Energy per bin, one-sided (size / 2 + 1); call once, after the last block."""
        rest = self._held.shape[1]
        count = max(1, -(-rest // self.hop))
        pad = (count - 1) * self.hop + self.size - rest
        self._held = np.concatenate(
            [self._held, np.zeros((self._held.shape[0], max(0, pad)), self._held.dtype)], axis=1
        )
        self._take(count)
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
