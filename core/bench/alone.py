"""A delay from a phrase through it, without the dry sound: what is left once the phrase has ended.

Behind the end of the source every moment is the one a period before, by the feedback: y(t) = f y(t - T).
The period is the shortest that explains the end, the first repeat the one that leaves nothing of the
source behind its end.
"""

from dataclasses import dataclass

import numpy as np
import scipy
import soxr

from core.bench.repeats import OCTAVES_HZ
from core.errors import MeasureError
from core.units.decibel import amplitude, power_decibels, power_of

SHORTEST_S, LONGEST_S = 0.03, 5.0
_MARGIN_DB, _STRETCH_S, _BLOCK_S = 12.0, 0.4, 0.05
_DROWNED = 0.12
_FITS, _CLEAN = 0.02, 3e-4
_TAPS = 4
_MOST_F = 1.2
_SURE = 0.002
"""Share of the end that may stay unexplained where its fall is told to 0.2 dB."""
_AS_GOOD_DB = 6.0
_MOST_PEAKS = 24
_FALLS_DB = 8.0
_EMPTY_DB = 10.0


@dataclass(frozen=True)
class Alone:
    """Period in samples; levels in dB, None where they cannot be told."""

    period: float
    each_db: float | None
    first_db: float | None
    by_octave: list[tuple[float, float]]
    """Middle of the octave (Hz) and the fall there (dB)."""


def _falls_silent(y: np.ndarray, rate_hz: int, noise: float) -> int:
    """Where the last of the sound is lost in the noise, in samples."""
    step = round(_BLOCK_S * rate_hz)
    n = len(y) // step
    level = np.sqrt((y[: n * step].reshape(n, step) ** 2).mean(axis=1))
    floor = max(noise * amplitude(_MARGIN_DB), 1e-5 * float(level.max()))
    over = np.flatnonzero(level > floor)
    return int(over[-1] + 1) * step if len(over) else 0


def _candidates(y: np.ndarray, rate_hz: int) -> list[int]:
    """Lags at which the whitened sound looks like itself, their halves and thirds; samples."""
    size = scipy.fft.next_fast_len(2 * len(y), real=True)
    power = np.abs(scipy.fft.rfft(y, size)) ** 2
    wide = max(3, size // 2000)
    smooth = scipy.signal.oaconvolve(power, np.ones(wide) / wide, "same")
    own = scipy.fft.irfft(power / (smooth + 1e-6 * float(smooth.mean())), size)
    low, high = round(SHORTEST_S * rate_hz), min(round(LONGEST_S * rate_hz), len(y) // 2)
    if high - low < 16:
        return []
    peaks, _ = scipy.signal.find_peaks(own[:high], distance=8)
    peaks = peaks[peaks >= low]
    strongest = peaks[np.argsort(own[peaks])[::-1][:_MOST_PEAKS]]
    parts = {round(p / k) for p in strongest.tolist() for k in (1, 2, 3)}
    return sorted(p for p in parts if p >= low)


def _left(y: np.ndarray, lag: int, first: int, end: int) -> float:
    """Share of [first, end) that is no filter of the moment about `lag` before: any part of a sample."""
    a = y[first:end]
    rows = np.stack([y[first - k : end - k] for k in range(lag - _TAPS, lag + _TAPS + 1)])
    gram = rows @ rows.T
    own = float(a @ a)
    if own <= 0 or own > _MOST_F**2 * float(gram[_TAPS, _TAPS]):
        return 1.0
    taps = np.linalg.lstsq(gram, rows @ a, rcond=1e-12)[0]
    return float(((a - taps @ rows) ** 2).sum()) / own


def _unexplained(y: np.ndarray, lag: int, first: int, end: int, noise: float) -> float:
    """Share of [first, end) that the moment `lag` before, by any factor, does not explain; no noise."""
    a, b = y[first:end], y[first - lag : end - lag]
    quiet = noise * noise * len(a)
    own, other = float(a @ a), float(b @ b)
    if own <= 2 * quiet or other <= 2 * quiet:
        return 1.0
    f = float(a @ b) / (other - quiet)
    rest = float(((a - f * b) ** 2).sum()) - quiet * (1 + f * f)
    return max(0.0, rest) / (own - quiet)


def measured_alone(y: np.ndarray, rate_hz: int, noise: float) -> Alone:
    """The delay on a phrase, (frames,). Raises MeasureError where the end of it is no train of repeats."""
    end = _falls_silent(y, rate_hz, noise)
    length = round(_STRETCH_S * rate_hz)
    first = end - length
    lags = [lag for lag in _candidates(y[:end], rate_hz) if lag + _TAPS <= first]
    judged = [(_left(y, lag, first, end), lag) for lag in lags]
    best = min(judged, default=(1.0, 0))[0]
    drowned = 2 * noise * noise / max(float(np.mean(y[max(0, first) : end] ** 2)), 1e-30)
    if best > max(_FITS, min(drowned, _DROWNED)):
        raise MeasureError(
            "This is not a click with its repeats, nor a phrase that ends in them: send a click or a "
            "short burst, let a phrase stop and record on until its repeats have died away, or give "
            "the dry sound that was sent."
        )
    # A tail that has not died away is no noise: no more than the best of them leaves.
    noise = min(noise, float(np.sqrt(best * np.mean(y[first:end] ** 2))))
    good = sorted(k for left, k in judged if left < best * float(power_of(_AS_GOOD_DB)))
    period = good[0]
    if any(abs(k / period - round(k / period)) > 0.02 for k in good):
        raise MeasureError(
            "The end is a steady tone: its own period fits as well as a delay's. Send a click, a burst "
            "or a phrase of short notes."
        )
    # Backwards as far as it holds, block by block.
    step = round(_BLOCK_S * rate_hz)
    exact = _exact(y, period, first, end)
    # On a grid on which the period is a whole number of samples.
    whole = round(exact)
    even = soxr.resample(y[:end], exact, whole, "VHQ") if abs(exact - whole) > 1e-4 else y[:end]
    scale = whole / exact
    begin, last = round(first * scale), len(even)
    holds = min(_FITS, max(4 * _unexplained(even, whole, begin, last, noise), _CLEAN))
    while begin - step - whole > 0 and (
        _unexplained(even, whole, begin - step, begin, noise) < holds
    ):
        begin -= step
    a, b = even[begin:last], even[begin - whole : last - whole]
    quiet = noise * noise * len(a)
    f = float(a @ b) / max(float(b @ b) - quiet, 1e-30)
    falls = power_decibels(float(b @ b) / max(float(a @ a), 1e-30))
    bands = _by_octave(even, whole, begin, rate_hz * scale, noise)
    first_db = _first(even, whole, begin, f) if falls < 40 else None
    sure = _unexplained(even, whole, begin, last, noise) < _SURE
    return Alone(
        period=exact, each_db=float(power_decibels(f * f)) if sure else None,
        first_db=first_db if sure else None, by_octave=bands,
    )  # fmt: skip


def _exact(y: np.ndarray, lag: int, first: int, end: int) -> float:
    """The lag to a part of a sample: the top of the band-limited correlation of the end."""
    whole, y = y, np.diff(y)
    end -= 1
    a = y[first:end]
    span = np.arange(lag - 24, lag + 25)
    line = np.array([float(a @ y[first - k : end - k]) if k <= first else 0.0 for k in span])
    near = int(np.argmax(np.abs(line[16:33])))
    if near != 8 and 0 < near < 16:
        return _exact(whole, lag + near - 8, first, end + 1)
    at = np.linspace(-1, 1, 201)
    taps = np.sinc(at[:, None] - (span - lag)) * np.kaiser(len(span), 8.0)
    fine = (taps / taps.sum(axis=1, keepdims=True)) @ (line * np.sign(line[24]))
    top = int(np.argmax(fine[1:-1])) + 1
    left, middle, right = fine[top - 1 : top + 2]
    bow = left - 2 * middle + right
    part = float(np.clip(0.5 * (left - right) / bow, -0.5, 0.5)) if abs(bow) > 1e-15 else 0.0
    return lag + float(at[top]) + part / 100


def _by_octave(
    y: np.ndarray, period: int, begin: int, rate_hz: float, noise: float
) -> list[tuple[float, float]]:
    found = []
    for hz in OCTAVES_HZ:
        if hz * np.sqrt(2) > 0.46 * rate_hz:
            continue
        sos = scipy.signal.butter(
            4, [hz / np.sqrt(2), hz * np.sqrt(2)], "bandpass", fs=rate_hz, output="sos"
        )
        band = scipy.signal.sosfiltfilt(sos, y)
        a, b = band[begin:], band[begin - period : -period]
        quiet = noise * noise * len(a) * hz / np.sqrt(2) / (rate_hz / 2)
        known = float(b @ b) - quiet
        f = float(a @ b) / max(known, 1e-30)
        left = float(((a - f * b) ** 2).sum()) - quiet * (1 + f * f)
        if known > 20 * quiet and abs(f) > 1e-3 and left < _SURE * float(a @ a):
            found.append((hz, float(power_decibels(f * f))))
    return found


def _first(y: np.ndarray, period: int, begin: int, f: float) -> float | None:
    """The first repeat against the source, dB: what leaves nothing of it behind its end."""
    end_of_source = begin - period
    if end_of_source < period:
        return None
    u = y.copy()
    u[period:] -= f * y[:-period]
    low, high = end_of_source + period // 10, begin
    rows = -(-high // period)
    # Each moment of a period beside those a period before it.
    table = np.concatenate([np.zeros(rows * period - high), u[:high]]).reshape(rows, period)
    keep = slice(period - (high - low), period)

    def left(d: float) -> float:
        source = np.zeros(period)
        for row in table:
            source = row - d * source
        return float((source[keep] ** 2).sum())

    grid = np.linspace(-0.98, 0.98, 99)
    values = np.array([left(float(d)) for d in grid])
    k = int(np.argmin(values))
    found = scipy.optimize.minimize_scalar(
        left, bounds=(grid[max(0, k - 1)], grid[min(98, k + 1)]), method="bounded"
    )
    before = float((u[low - period : high - period] ** 2).sum())
    if power_decibels(before / max(float(found.fun), 1e-30)) < _FALLS_DB + _EMPTY_DB:
        return None
    first = float(found.x) + f
    return float(power_decibels(first * first)) if abs(first) > 1e-3 else None
