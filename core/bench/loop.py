"""Measure an outboard loop: what was sent against what came back; and what works on its level."""

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import scipy
import soxr

from core.audio.channels import sounding
from core.audio.floats import write_float
from core.audio.source import open_audio
from core.bench.results import (
    CurvePoint,
    DynamicsMeasured,
    GainPoint,
    LoopMeasured,
    Refused,
    ResponsePoint,
)
from core.bench.source import read_short
from core.causes import explained_test
from core.causes.families import FilterFit
from core.causes.pair import MARGIN
from core.causes.shapes import response_of
from core.errors import MeasureError
from core.measure import Measurement, NullOptions
from core.measure.results import Cause
from core.units import format as fmt
from core.units.decibel import amplitude, power_decibels

_STILL_DB = -100.0


@contextmanager
def _heard(*paths: Path | str) -> Iterator[list[Path | str]]:
    """The same files without channels in which nothing of the sound is, and without copies of a channel:
    an input that was not plugged in would be compared with what was sent, and win by its silence.
    """
    with tempfile.TemporaryDirectory(prefix="loop-") as folder:
        found: list[Path | str] = []
        for k, path in enumerate(paths):
            with open_audio(path) as source:
                several = source.channels > 1
            if several:
                samples, rate = read_short(path)
                kept = _no_copies(sounding(samples))
                if len(kept) < len(samples):
                    path = Path(folder) / f"{k}.wav"
                    write_float(path, kept, rate)
            found.append(path)
        yield found


def _no_copies(samples: np.ndarray) -> np.ndarray:
    """(channels, frames) without rows that are another's copy, sample for sample."""
    kept: list[np.ndarray] = []
    for row in samples:
        if not any(np.array_equal(row, other) for other in kept):
            kept.append(row)
    return np.stack(kept)


def _compared(
    sent: Path | str, returned: Path | str, search_s: float, detectors: bool = False
) -> Measurement:
    found = explained_test(sent, returned, NullOptions(search_s=search_s), detectors=detectors)
    if not found.related:
        raise MeasureError(
            "What came back has nothing to do with what was sent: check the cables and the take, or "
            "search further."
        )
    return found


def _cause(found: Measurement, *codes: str) -> Cause | None:
    return next((c for c in found.causes if c.code in codes), None)


def _quiet_noise(sent: np.ndarray, back: np.ndarray, lag: int, rate_hz: int) -> float | None:
    """RMS (dBFS) of what came back while nothing was sent; None where something always was."""
    step = rate_hz // 50
    level = np.abs(sent).max(axis=0)
    n = len(level) // step
    still = level[: n * step].reshape(n, step).max(axis=1) < amplitude(_STILL_DB)
    # A tenth of a second after the last sound, and before the next.
    calm = scipy.signal.convolve(still.astype(float), np.ones(11), "same") > 10.5
    power = []
    for k in np.flatnonzero(calm):
        first = k * step + lag
        if first >= 0 and first + step <= back.shape[1]:
            piece = back[:, first : first + step]
            power.append(float(np.var(piece)))
    if len(power) < 5:
        return None
    return round(float(power_decibels(max(np.median(power), 1e-30))), 2)


def measure_loop(sent: Path | str, returned: Path | str, *, search_s: float = 2.0) -> LoopMeasured:
    """A round trip. Latency and gain are those beside filter, distortion and noise.

    Channels 40 dB below the loudest are left out. Raises AudioError and MeasureError where the two
    cannot be compared.
    """
    with _heard(sent, returned) as (a, b):
        return _measured_loop(a, b, search_s)


def _measured_loop(sent: Path | str, returned: Path | str, search_s: float) -> LoopMeasured:
    found = _compared(sent, returned, search_s)
    a, rate = read_short(sent)
    b, _ = read_short(returned, None, rate)
    lag, gain = found.offset_samples or 0.0, found.gain_db or 0.0
    refused: list[Refused] = []
    if found.ambiguous:
        refused.append(
            Refused(
                what="latency_samples",
                why="What was sent repeats: other latencies fit as well. Send a sweep or music.",
            )
        )
    drift = _cause(found, "drift")
    # A filter is the same all the time only on one clock.
    locked = b if drift is None else _on_one_clock(b, drift.figures["ppm"], rate)
    response, distortion = _response(a, locked, lag, gain, rate)
    bent = _cause(found, "distortion", "clipping")
    if _cause(found, "dynamics", "level_moves") is not None:
        distortion = None
        why = "Its gain moves with the sound: take the compression out to state it."
        refused += [
            Refused(what=what, why=why) for what in ("distortion_percent", "steady_gain_db")
        ]
    elif bent is not None:
        distortion = bent.figures.get("percent")
    elif found.explained_db is not None and found.explained_db > -40:
        distortion = None
        refused.append(
            Refused(
                what="distortion_percent",
                why="Something else stays that is louder than distortion would be.",
            )
        )
    noise = _quiet_noise(a, b, round(lag), rate)
    if noise is None:
        refused.append(
            Refused(
                what="noise_dbfs",
                why="Something was sent all the time: leave half a second of stillness.",
            )
        )
    long_enough = found.compared_s >= 4.0
    if drift is None and not long_enough:
        refused.append(
            Refused(
                what="drift_ppm", why="Too short to tell a clock from a delay: send at least 4 s."
            )
        )
    ppm = drift.figures["ppm"] if drift is not None else (0.0 if long_enough else None)
    return LoopMeasured(
        latency_samples=round(lag, 4), latency_ms=round(1e3 * lag / rate, 5),
        polarity=found.polarity, gain_db=round(gain, 4), response=response,
        distortion_percent=distortion, noise_dbfs=noise, drift_ppm=ppm,
        null_depth_db=found.null_depth_db, refused=refused,
        sentence=(
            f"{fmt.number(lag, 2)} samples late, {fmt.signed(gain, 2)} dB"
            f"{', inverted' if found.polarity < 0 else ''}."
        ),
    )  # fmt: skip


def _on_one_clock(b: np.ndarray, ppm: float, rate: int) -> np.ndarray:
    return np.asarray(soxr.resample(b.T, rate * (1 + 1e-6 * ppm), rate, "VHQ").T)


def _response(
    a: np.ndarray, b: np.ndarray, lag: float, gain_db: float, rate: int
) -> tuple[list[ResponsePoint], float | None]:
    """Response in twelfths of an octave against the loop's own gain, by a filter of 2048 taps."""
    row = int(np.argmax((a**2).sum(axis=1)))
    x, y = a[row], b[min(row, len(b) - 1)]
    whole = round(lag)
    first, end = max(0, -whole), min(len(x), len(y) - whole)
    length = min(end - first, 20 * rate)
    wide = np.pad(x, MARGIN)[first : first + length + 2 * MARGIN]
    target = y[first + whole : first + whole + length]
    size = min(wide.shape[0], length)
    taps, made = FilterFit(wide[None]).fit(target[None, :size])
    _, spectrum = scipy.signal.welch(x[first : first + length], rate, nperseg=min(16_384, length))
    response = response_of(taps, spectrum, rate)
    points = []
    known = response.weight > 0
    at, db = np.log2(response.hz[known]), response.db[known]
    for hz in 25 * 2 ** (np.arange(0, 120) / 12):
        if hz < 0.46 * rate and len(at) and np.abs(at - np.log2(hz)).min() < 1 / 6:
            level = float(np.interp(np.log2(hz), at, db)) - gain_db
            points.append(ResponsePoint(hz=round(float(hz), 2), db=round(level, 3)))
    rest = float(((target[None, :size] - made) ** 2).sum() / max(float((made**2).sum()), 1e-30))
    return points, round(100 * float(np.sqrt(rest)), 4)


def measure_dynamics(
    dry: Path | str, wet: Path | str, *, search_s: float = 2.0
) -> DynamicsMeasured:
    """What a compressor or expander does, from the sound before and after it.

    Channels 40 dB below the loudest are left out. Raises AudioError and MeasureError where the two
    cannot be compared.
    """
    with _heard(dry, wet) as (a, b):
        found = _compared(a, b, search_s, detectors=True)
    cause = _cause(found, "dynamics")
    moves = _cause(found, "level_moves")
    refused: list[Refused] = []
    shown = cause or moves
    gains: list[GainPoint] = []
    curve: list[CurvePoint] = []
    if shown is not None:
        series = next(s for s in shown.pictures[0].series if s.name == "recovered")
        gains = [
            GainPoint(at_s=t, gain_db=g)
            for t, g in zip(series.x, series.y, strict=True)
            if g is not None
        ]
        for picture in shown.pictures[1:]:
            if picture.title == "Static curve":
                points = picture.series[0]
                curve = [
                    CurvePoint(level_dbfs=x, gain_db=y)
                    for x, y in zip(points.x, points.y, strict=True)
                    if y is not None
                ]
    if cause is None:
        why = (
            "The level moves, but not with the level of the dry sound."
            if moves is not None
            else "No change of gain over time was found: below 0.1 dB, or it does not work."
        )
        refused += [
            Refused(what=what, why=why)
            for what in ("threshold_db", "ratio", "attack_ms", "release_ms")
        ]
        said = why
    else:
        said = cause.evidence
    figures = cause.figures if cause is not None else {}
    return DynamicsMeasured(
        threshold_db=figures.get("threshold_db"), ratio=figures.get("ratio"),
        attack_ms=figures.get("attack_ms"), release_ms=figures.get("release_ms"),
        most_reduction_db=figures.get("most_reduction_db"), makeup_db=found.gain_db,
        curve=curve, gain_db=gains, refused=refused, sentence=said,
    )  # fmt: skip
