"""One pass over both clips: subtract the matched B from A and measure what is left."""

import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np

from core.audio.examine import Progress
from core.errors import MeasureError
from core.measure import kernel
from core.measure.bands import BandMeter
from core.measure.fractional import BEST_BLOCK, HALF_TAPS, FractionalReader
from core.measure.view import View

BLOCK = BEST_BLOCK
FRAME_S = 0.05
SPARSE_FROM_S = 60.0
_SLOPES_EVERY = 4
WHOLE = 1e-6


@dataclass(frozen=True)
class ChannelMatch:
    """How one channel of B is brought onto a channel of A: a[n] against gain * b[n + lag]."""

    a_channel: int
    b_channel: int
    lag: float
    gain: float

    @property
    def whole(self) -> int:
        return round(self.lag)

    @property
    def fraction(self) -> float:
        rest = self.lag - self.whole
        return 0.0 if abs(rest) < WHOLE else rest


@dataclass
class PassResult:
    """Sums over the compared stretch [first, end) of A's view; rows are channels."""

    first: int
    end: int
    sums: np.ndarray
    frame_frames: int
    frame_a: np.ndarray
    frame_r: np.ndarray
    raw: np.ndarray = field(default_factory=lambda: np.zeros((0, 3)))
    raw_frames: int = 0
    band_a: np.ndarray = field(default_factory=lambda: np.zeros(0))
    band_r: np.ndarray = field(default_factory=lambda: np.zeros(0))

    @property
    def frames(self) -> int:
        return self.end - self.first

    def total(self, column: int) -> float:
        return float(self.sums[:, column].sum())


def compared_stretch(a: View, b: View, matches: list[ChannelMatch]) -> tuple[int, int]:
    """Frames of A for which every matched channel of B exists.

    Where B must be read between its samples or was resampled, half a filter length is left out at the ends of
    its file, as nobody knows what would stand there.
    """
    first, end = 0, a.frames
    for match in matches:
        guard = HALF_TAPS if match.fraction or b.resampled else 0
        low = max(-match.whole, b.first_possible() - match.whole + guard)
        high = min(b.frames - match.whole, b.end_possible() - match.whole - guard)
        first, end = max(first, low), min(end, high)
    if end - first < 16:
        raise MeasureError(
            "A and B do not overlap once B is moved into place. Choose a longer region, or a "
            "shorter search range."
        )
    return first, end


class _Forward:
    """Reads a view in rising order, decoding nothing twice: overlaps come from memory.

    Samples are appended to one buffer; only when it is full does the newest stretch move to its
    start, so that each sample is copied about once.
    """

    def __init__(self, view: View, keep: int, dtype: np.dtype) -> None:
        self._view, self._keep, self._dtype = view, keep, dtype
        self._held = np.empty((view.channels, 4 * (keep + BLOCK)), dtype)
        self._start, self._have = 0, 0

    def read(self, start: int, count: int) -> np.ndarray:
        """Planar samples; may reach back by up to `keep` frames before the newest."""
        newest = self._start + self._have
        if self._have == 0 or not self._start <= start <= newest:
            self._start, self._have, newest = start, 0, start
        missing = start + count - newest
        if missing > 0:
            if self._have + missing > self._held.shape[1]:
                kept = min(self._have, max(self._keep, newest - start))
                if kept + missing > self._held.shape[1]:
                    return self._view.read(start, count).astype(self._dtype, copy=False)
                self._held[:, :kept] = self._held[:, self._have - kept : self._have].copy()
                self._start, self._have = newest - kept, kept
            self._held[:, self._have : self._have + missing] = self._view.read(newest, missing)
            self._have += missing
        place = start - self._start
        return self._held[:, place : place + count]


class MatchedReader:
    """Reads B moved onto A's clock (without its gain), block by block in order."""

    def __init__(self, b: "View | _Forward", matches: list[ChannelMatch], dtype: np.dtype) -> None:
        self._b, self._matches, self._dtype = b, matches, dtype
        self._filters = {m.fraction: FractionalReader(m.fraction) for m in matches if m.fraction}

    def read(self, start: int, count: int) -> np.ndarray:
        """Planar (matches, count) at frame `start` of A's view."""
        out = np.empty((len(self._matches), count), self._dtype)
        places: dict[tuple[int, float], list[int]] = {}
        for row, match in enumerate(self._matches):
            places.setdefault((match.whole, match.fraction), []).append(row)
        for (whole, fraction), rows in places.items():
            channels = [self._matches[row].b_channel for row in rows]
            if fraction == 0.0:
                out[rows] = self._b.read(start + whole, count)[channels]
            else:
                wide = self._b.read(start + whole - HALF_TAPS, count + 2 * HALF_TAPS)
                taken = wide if channels == list(range(len(wide))) else wide[channels]
                moved = self._filters[fraction].apply(taken.astype(self._dtype, copy=False))
                if len(rows) == len(self._matches):
                    return moved
                out[rows] = moved
        return out


def run_pass(
    a: View,
    b: View,
    matches: list[ChannelMatch],
    *,
    bands: bool = True,
    raw: bool = False,
    progress: Progress = lambda share, stage: None,
    stage: str = "subtracting",
) -> PassResult:
    """Measure the residual a - gain * b over everything that both have.

    `raw` adds the difference with nothing matched, which is what two files subtract to as they
    were delivered. Sums are float64 whatever the samples are.
    """
    first, end = compared_stretch(a, b, matches)
    dtype = np.result_type(a.source.dtype, b.source.dtype)
    frame_frames = max(1, round(FRAME_S * a.rate_hz))
    count = -(-(end - first) // frame_frames)
    rows = len(matches)
    result = PassResult(
        first, end, np.zeros((rows, kernel.SUMS)), frame_frames, np.zeros(count), np.zeros(count)
    )
    result.raw = np.zeros((rows, 3))
    result.raw_frames = min(a.frames, b.frames) if raw else 0
    # A is there to be compared with: of a long clip, every second window tells its spectrum.
    long = end - first > SPARSE_FROM_S * a.rate_hz
    meters = [BandMeter(rows, a.rate_hz, dtype, sparse=s) for s in (long, False)] if bands else []
    reach = max(abs(m.whole) for m in matches) + BLOCK + 2 * HALF_TAPS
    forward = _Forward(b, reach, dtype) if reach < 8 * BLOCK else b
    reader = MatchedReader(forward, matches, dtype)
    order = [m.a_channel for m in matches]
    straight = order if a.channels == b.channels else [m.b_channel for m in matches]
    unmoved = all(m.lag == 0.0 for m in matches) and straight == [m.b_channel for m in matches]
    residual = np.empty((rows, BLOCK), dtype)
    sampled = 0.0
    for start, block in _blocks(a, order, dtype, min(first, 0), max(end, result.raw_frames)):
        n = block.shape[1]
        low, high = max(start, first), min(start + n, end)
        moved = reader.read(low, high - low) if high > low else block[:, :0]
        if start < result.raw_frames:
            take = min(n, result.raw_frames - start)
            if unmoved and low == start and high - low >= take:
                plain = moved
            else:
                plain = forward.read(start, take).astype(dtype, copy=False)[straight]
            for row in range(rows):
                apart = residual[row, :take]
                rr, aa = kernel.difference(block[row, :take], plain[row, :take], apart)
                result.raw[row] += (rr, aa, 0.0)
                result.raw[row, 2] = max(result.raw[row, 2], kernel.largest(apart))
        if high > low:
            cut = block[:, low - start : high - start]
            for row, match in enumerate(matches):
                kernel.accumulate(
                    cut[row],
                    moved[row],
                    match.gain,
                    low - first,
                    frame_frames,
                    result.sums[row],
                    result.frame_a,
                    result.frame_r,
                    residual[row, : high - low],
                )
                row_sums, rest = result.sums[row], residual[row, : high - low]
                row_sums[kernel.PEAK_R] = max(row_sums[kernel.PEAK_R], kernel.largest(rest))
                row_sums[kernel.PEAK_A] = max(row_sums[kernel.PEAK_A], kernel.largest(cut[row]))
                if start // BLOCK % _SLOPES_EVERY == 0 and high - low > 2:
                    kernel.slopes(residual[row, : high - low], moved[row], result.sums[row])
                    sampled += (high - low) / rows
            if bands:
                meters[0].push(cut)
                meters[1].push(residual[:, : high - low])
        progress(min(1.0, (start + n) / a.frames), stage)
    if sampled:
        result.sums[:, [kernel.RD, kernel.DD]] *= result.frames / sampled
    if bands:
        spectrum = meters[0].spectrum()
        known, seen = result.total(kernel.AA), float(spectrum.sum())
        result.band_a = meters[0].third_octaves(spectrum * (known / seen if seen > 0 else 1.0))
        result.band_r = meters[1].third_octaves(meters[1].spectrum())
    return result


def _blocks(
    a: View, order: list[int], dtype: np.dtype, first: int, end: int
) -> Iterator[tuple[int, np.ndarray]]:
    for start in range(first, min(end, a.frames), BLOCK):
        block = a.read(start, min(BLOCK, a.frames - start)).astype(dtype, copy=False)
        yield start, (block if order == list(range(len(block))) else block[order])


def improvement_left(result: PassResult) -> float:
    """How much of the residual's power a better lag and gain would still remove, 0 to 1."""
    s = result.sums
    rr = float(s[:, kernel.RR].sum())
    if rr <= 0:
        return 0.0
    by_gain = sum(float(row[kernel.RB]) ** 2 / row[kernel.BB] for row in s if row[kernel.BB] > 0)
    by_lag = sum(float(row[kernel.RD]) ** 2 / row[kernel.DD] for row in s if row[kernel.DD] > 0)
    return min(1.0, (by_gain + by_lag) / rr)


def refined(result: PassResult, matches: list[ChannelMatch]) -> list[ChannelMatch]:
    """Matches moved by one least-squares step in gain and lag, from the sums of a pass.

    Channels that shared a lag keep sharing it; whole lags stay whole.
    """
    steps: dict[float, float] = {}
    for lag in {m.lag for m in matches}:
        rows = [k for k, m in enumerate(matches) if m.lag == lag]
        up = sum(matches[k].gain * result.sums[k, kernel.RD] for k in rows)
        down = sum(matches[k].gain ** 2 * result.sums[k, kernel.DD] for k in rows)
        whole = matches[rows[0]].fraction == 0.0
        steps[lag] = 0.0 if whole or down <= 0 else float(np.clip(up / down, -0.5, 0.5))
    out = []
    for k, match in enumerate(matches):
        row = result.sums[k]
        change = row[kernel.RB] / row[kernel.BB] if row[kernel.BB] > 0 else 0.0
        gain = match.gain + (0.0 if math.isnan(change) else float(change))
        out.append(
            ChannelMatch(match.a_channel, match.b_channel, match.lag + steps[match.lag], gain)
        )
    return out
