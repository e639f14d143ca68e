"""What is measured of a rendered sound while it streams past."""

import numpy as np
from pydantic import Field

from core.audio.loudness import EnergyMeter, loudness_of, momentary_lufs, short_term_lufs
from core.audio.oversample import LATENCY, Oversampler, true_peak
from core.edge import Edge
from core.measure.bands import BandMeter, third_octave_centres_hz
from core.units.decibel import decibels, power_decibels, power_of

COLUMNS = 600
_SILENT_DB = -150.0


class SoundReport(Edge):
    """Levels of a sound; null for silence. Curves have one value every 100 ms from its start."""

    seconds: float
    rate_hz: int
    channels: int
    loudness_lufs: float | None = Field(description="Integrated, ITU-R BS.1770")
    momentary_max_lufs: float | None = Field(None, description="Largest of any 400 ms")
    short_term_max_lufs: float | None = Field(None, description="Largest of any 3 s")
    range_lu: float | None = Field(None, description="Loudness range, EBU Tech 3342")
    peak_dbfs: float | None = Field(description="Largest sample")
    true_peak_dbtp: float | None = Field(description="Largest value between samples, 4 x")
    correlation: float | None = Field(description="Of left and right over the whole, -1 to 1")


class SoundCurves(Edge):
    """What is drawn of a sound."""

    low: list[float] = Field(description="Lowest sample of each of equal columns")
    high: list[float]
    momentary_lufs: list[float] = Field(description="Of the 400 ms that begin there")
    short_term_lufs: list[float] = Field([], description="Of the 3 s up to the end of each 100 ms")
    correlations: list[float]
    band_hz: list[float] = Field(description="Centres of third-octave bands")
    band_dbfs: list[float] = Field(
        description="RMS in each band, channels together; -150 for silence"
    )


def to_dbfs(size: float) -> float | None:
    """20 log of a size; null for nothing."""
    return decibels(float(size)) if size > 1e-12 else None


class SoundMeter:
    """Takes blocks (channels, n); gives the report and the curves when all have come."""

    def __init__(self, channels: int, rate_hz: int, frames: int) -> None:
        self.channels, self.rate, self.frames = channels, rate_hz, frames
        self.energy = EnergyMeter(rate_hz)
        self.over = Oversampler(channels)
        self.bands = BandMeter(channels, rate_hz, np.dtype(np.float32))
        self.peak = self.true = 0.0
        self.step = round(0.1 * rate_hz)
        self.sums = np.zeros((frames // self.step + 2, 3))
        width = max(1, -(-frames // COLUMNS))
        self.width, self.seen = width, 0
        self.low = np.zeros(-(-frames // width) if frames else 0)
        self.high = np.zeros_like(self.low)

    def push(self, block: np.ndarray) -> None:
        count = block.shape[1]
        self.energy.push(block[None])
        self.bands.push(block.astype(np.float32))
        self.peak = max(self.peak, float(np.abs(block).max(initial=0.0)))
        self.true = max(self.true, true_peak(block, self.over))
        at = (self.seen + np.arange(count)) // self.step
        left, right = block[0], block[-1]
        first = int(at[0])
        for column, product in enumerate((left * left, right * right, left * right)):
            sums = np.bincount(at - first, product)
            self.sums[first : first + len(sums), column] += sums
        columns = (self.seen + np.arange(count)) // self.width
        starts = np.flatnonzero(np.diff(columns, prepend=columns[0] - 1))
        index = columns[starts]
        lows = np.minimum.reduceat(block.min(axis=0), starts)
        highs = np.maximum.reduceat(block.max(axis=0), starts)
        self.low[index] = np.minimum(self.low[index], lows)
        self.high[index] = np.maximum(self.high[index], highs)
        self.seen += count

    def report(self) -> SoundReport:
        # What lies between the last samples is seen once silence has followed them.
        self.true = max(self.true, true_peak(np.zeros((self.channels, LATENCY)), self.over))
        ll, rr, lr = self.sums.sum(axis=0)
        both = float(np.sqrt(ll * rr))
        loud = loudness_of(self.energy)
        return SoundReport(
            seconds=self.seen / self.rate, rate_hz=self.rate, channels=self.channels,
            loudness_lufs=loud.integrated_lufs, momentary_max_lufs=loud.momentary_max_lufs,
            short_term_max_lufs=loud.short_term_max_lufs, range_lu=loud.range_lu,
            peak_dbfs=to_dbfs(self.peak),
            true_peak_dbtp=to_dbfs(max(self.peak, self.true)),
            correlation=float(lr / both) if both > 1e-15 else None,
        )  # fmt: skip

    def curves(self) -> SoundCurves:
        ll, rr, lr = self.sums[: -(-self.seen // self.step)].T
        both = np.sqrt(ll * rr)
        together = np.where(both > 1e-12, lr / np.maximum(both, 1e-12), 0.0)
        centres = third_octave_centres_hz(self.rate)
        energy = self.bands.third_octaves(self.bands.spectrum())
        # All channels together, as loudness counts them: mono on two sides is as loud as it was.
        power = energy / max(1, self.seen)
        tenths = self.energy.tenths()[:, 0, 0]
        return SoundCurves(
            low=_short(self.low, 4), high=_short(self.high, 4),
            momentary_lufs=_short(np.maximum(momentary_lufs(tenths), -150), 2),
            short_term_lufs=_short(np.maximum(short_term_lufs(tenths), -150), 2),
            correlations=_short(together, 3), band_hz=_short(centres, 2),
            band_dbfs=_short(power_decibels(np.maximum(power, power_of(_SILENT_DB))), 2),
        )  # fmt: skip


def _short(values: np.ndarray, digits: int) -> list[float]:
    return [round(float(v), digits) for v in values]
