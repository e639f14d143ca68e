"""Tap tempo: a straight line through the taps, with missed and stray ones dealt with."""

import numpy as np
from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.units import format as fmt
from core.units.quantity import TEMPO_BPM

RESET_S = 2.5
_OFF_GRID = 0.25
_MOST_MISSED = 8


class TapRequest(Edge):
    taps_ms: list[float] = Field(max_length=512, description="Times of the taps, ascending")


class TapTempo(Edge):
    bpm: float
    set_bpm: float = Field(description="The same to a tenth, as a hand can tell")
    standard_error_bpm: float | None = Field(description="Null with two taps: nothing to compare")
    taps_used: int
    taps_rejected: int
    missed: int = Field(description="Beats between taps that were not tapped")
    used: list[bool] = Field(description="For each tap given: counted, or stray, or before a reset")
    offsets_ms: list[float | None] = Field(description="Each used tap against the fitted line")
    started_over_at: int = Field(description="Index of the first tap after the last long silence")
    sentence: str


def _after_last_silence(times: np.ndarray) -> int:
    """Index of the first tap after the last silence of 2.5 s or 2.5 median intervals."""
    start = 0
    for i in range(1, len(times)):
        earlier = np.diff(times[start:i])
        limit = max(RESET_S, RESET_S * float(np.median(earlier)) if len(earlier) else 0.0)
        if times[i] - times[i - 1] > limit:
            start = i
    return start


def _indices_from(times: np.ndarray, first: int, period: float) -> list[int | None]:
    """Beat number of each tap counted from `first`; None for taps that sit between beats."""
    indices: list[int | None] = [None] * len(times)
    indices[first] = 0
    last_time, last_index = times[first], 0
    for i in range(first + 1, len(times)):
        beats = (times[i] - last_time) / period
        steps = round(beats)
        if 1 <= steps <= _MOST_MISSED and abs(beats - steps) <= _OFF_GRID:
            last_index += steps
            last_time = times[i]
            indices[i] = last_index
    return indices


def _fit(index: np.ndarray, times: np.ndarray) -> tuple[float, float, np.ndarray]:
    """Least-squares line: slope (s per beat), its standard error (s), residuals (s)."""
    centred = index - index.mean()
    spread = float(centred @ centred)
    slope = float(centred @ (times - times.mean())) / spread
    residual = times - times.mean() - slope * centred
    degrees = len(times) - 2
    error = float(np.sqrt(residual @ residual / degrees / spread)) if degrees > 0 else 0.0
    return slope, error, residual


def tap_tempo(request: TapRequest) -> TapTempo:
    """Tempo by least squares of tap time against beat number (domain: tap tempo).

    Missed taps (an interval near a whole multiple of the median) are counted; taps that sit
    between beats, or further from the line than three robust deviations and 4 % of a beat, are
    rejected. Taps before the last silence of 2.5 s or 2.5 median intervals do not count.
    Raises FonodromeError with fewer than two usable taps, for times that run backwards, and for
    a tempo outside 5 to 999.
    """
    times = np.asarray(request.taps_ms, dtype=float) / 1e3
    if len(times) > 1 and float(np.diff(times).min()) <= 0:
        raise FonodromeError("The taps run backwards in time; tap again.")
    start = _after_last_silence(times) if len(times) else 0
    recent = times[start:]
    if len(recent) < 2:
        raise FonodromeError("One tap gives no tempo: tap at least twice.")
    period = float(np.median(np.diff(recent)))
    tries = [_indices_from(recent, first, period) for first in range(min(3, len(recent) - 1))]
    indices = max(tries, key=lambda found: sum(i is not None for i in found))
    used = np.array([i is not None for i in indices])
    if used.sum() < 2:
        raise FonodromeError("These taps do not share a beat; tap again, evenly.")
    beat = np.array([i if i is not None else 0 for i in indices], dtype=float)
    slope, error, residual = _fit(beat[used], recent[used])
    if used.sum() >= 4:
        deviation = 1.4826 * float(np.median(np.abs(residual)))
        far = np.abs(residual) > max(3 * deviation, 0.04 * slope)
        if far.any() and (~far).sum() >= 3:
            used[np.flatnonzero(used)[far]] = False
            slope, error, residual = _fit(beat[used], recent[used])
    bpm = 60.0 / slope
    low, high = TEMPO_BPM
    if not low <= bpm <= high:
        raise FonodromeError(f"Taps at {fmt.significant(bpm, 5)} BPM are outside 5 to 999 BPM.")
    count = int(used.sum())
    used_beats = beat[used]
    missed = int(used_beats[-1] - used_beats[0]) + 1 - count
    rejected = len(recent) - count
    offsets: list[float | None] = [None] * len(times)
    for position, value in zip(np.flatnonzero(used), residual, strict=True):
        offsets[start + int(position)] = float(value * 1e3)
    bpm_error = bpm * error / slope if count > 2 else None
    said = f"{fmt.number(bpm, 2)} BPM from {fmt.plural(count, 'tap')}"
    if bpm_error is not None:
        said += f", give or take {fmt.number(bpm_error, 2)}"
    if rejected:
        said += f"; {rejected} rejected as stray"
    if missed > 0:
        said += f"; {fmt.plural(missed, 'beat')} not tapped"
    return TapTempo(
        bpm=bpm,
        set_bpm=round(bpm, 1),
        standard_error_bpm=bpm_error,
        taps_used=count,
        taps_rejected=rejected,
        missed=max(0, missed),
        used=[False] * start + [bool(u) for u in used],
        offsets_ms=offsets,
        started_over_at=start,
        sentence=said + ".",
    )
