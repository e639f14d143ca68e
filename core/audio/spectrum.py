"""The long-term spectrum of a sound in 64 bands of equal ratio, and how alike its two sides are."""

import numpy as np
import scipy

from core.units.decibel import power_decibels

BANDS = 64
EDGES_HZ = np.geomspace(20.0, 20_000.0, BANDS + 1)
_SIZE = 8192
_FLOOR_DB = -150.0


class SpectrumMeter:
    """Takes blocks (channels, n): powers of half-overlapping Hann windows, sides added.

    Of more than two channels the first two count: they are what goes through a rig.
    """

    def __init__(self, channels: int, rate_hz: float) -> None:
        self.rate_hz, self.power = rate_hz, np.zeros(_SIZE // 2 + 1)
        self.window = np.hanning(_SIZE)
        self.rest = np.zeros((min(2, channels), 0))
        self.sides = np.zeros(3)
        self.mono = 0.0

    def push(self, block: np.ndarray) -> None:
        block = block[:2]
        first, last = block[0].astype(np.float64), block[-1].astype(np.float64)
        self.sides += (float(first @ first), float(last @ last), float(first @ last))
        middle = block.mean(axis=0, dtype=np.float64)
        self.mono += float(middle @ middle)
        held = np.concatenate([self.rest, block], axis=1)
        while held.shape[1] >= _SIZE:
            spectrum = scipy.fft.rfft(held[:, :_SIZE] * self.window, axis=1)
            self.power += (np.abs(spectrum) ** 2).sum(axis=0)
            held = held[:, _SIZE // 2 :]
        self.rest = held

    def bands_db(self) -> list[float]:
        """Power of each band in dB, against the strongest; a short sound is taken as it is."""
        power = self.power
        if not power.any() and self.rest.shape[1]:
            short = np.zeros((len(self.rest), _SIZE))
            short[:, : self.rest.shape[1]] = self.rest
            power = (np.abs(scipy.fft.rfft(short, axis=1)) ** 2).sum(axis=0)
        total = np.concatenate([[0.0], np.cumsum(power)])
        places = EDGES_HZ / self.rate_hz * _SIZE + 0.5
        at = np.interp(np.minimum(places, len(power)), np.arange(len(total)), total)
        bands = np.diff(at)
        top = float(bands.max(initial=0.0))
        if top <= 0:
            return []
        return [
            round(float(v), 2)
            for v in np.maximum(power_decibels(np.maximum(bands / top, 1e-15)), _FLOOR_DB)
        ]

    def alike(self) -> float:
        """Correlation of the first and the last channel, -1 to 1; 0 for silence."""
        left, right, both = self.sides
        return round(float(both / np.sqrt(left * right)), 4) if left > 0 and right > 0 else 0.0
