"""Measure a delay: time, first repeat, feedback and sides, from a click or from a known phrase."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import scipy.fft
import scipy.signal
import soxr

from core.audio.channels import sounding
from core.audio.source import open_audio
from core.bench.results import DelayMeasured, Refused, Repeat, Side
from core.errors import MeasureError
from core.units import format as fmt
from core.units.decibel import amplitude, decibels, power_of

LONGEST_S = 60.0
_EVENT_S = 0.04
_RING = 64
_MOST = 64
_SIGMAS = 7.0
_QUIET_DB = 34.0
_CLICKS = 0.4


@dataclass(frozen=True)
class _Event:
    at: float
    size: float


def read_short(
    path: Path | str, name: str | None = None, rate_hz: int | None = None
) -> tuple[np.ndarray, int]:
    """A file of up to a minute, (channels, frames) float64, at its own or another rate."""
    with open_audio(path, name) as source:
        if source.frames > LONGEST_S * source.rate_hz:
            raise MeasureError(
                f"“{source.name}” lasts {fmt.clock(source.seconds)}; a measurement takes up to a minute. "
                "Cut out the stretch with the test signal."
            )
        samples = np.asarray(source.read(0, source.frames), np.float64)
        rate = source.rate_hz
    if rate_hz and rate != rate_hz:
        samples, rate = soxr.resample(samples.T, rate, rate_hz, "VHQ").T, rate_hz
    if not np.any(samples):
        raise MeasureError("The recording is silent: check the cable, the input and its level.")
    return samples - np.median(samples, axis=1, keepdims=True), rate


def noise_of(x: np.ndarray, rate_hz: int) -> float:
    """RMS of the quietest eighth of 5 ms blocks that are not digital silence; (frames,)."""
    step = max(16, rate_hz // 200)
    n = len(x) // step
    blocks = np.sqrt((x[: n * step].reshape(n, step) ** 2).mean(axis=1))
    blocks = np.sort(blocks[blocks > 0])
    return float(np.median(blocks[: max(1, len(blocks) // 8)])) if len(blocks) else 0.0


def _deconvolved(
    y: np.ndarray, dry: np.ndarray, noise: float, before: int
) -> tuple[np.ndarray, np.ndarray]:
    """Response of y to the dry sound from `before` samples before it, and what a wire would give.

    `H = Y conj(X) / (|X|^2 + r)`: r from the noise, so that bands without sound stay out.
    """
    size = scipy.fft.next_fast_len(len(y) + len(dry), real=True)
    sx, sy = scipy.fft.rfft(dry, size), scipy.fft.rfft(y, size)
    energy = np.abs(sx) ** 2
    floor = max(1e-4 * float(energy.mean()), noise**2 * len(y))
    pulse = scipy.fft.irfft(energy / (energy + floor), size)
    line = scipy.fft.irfft(sy * sx.conj() / (energy + floor), size)
    wrapped = np.concatenate([line[-before:], line[: len(y)]])
    return wrapped, np.concatenate([pulse[-before:], pulse[: before + 1]])


def _top(values: np.ndarray, k: int) -> tuple[float, float]:
    """Place and height of the band-limited peak near an index, sign kept."""
    half = min(24, k, len(values) - 1 - k)
    if half < 4:
        return float(k), float(values[k])
    near = values[k - half : k + half + 1]
    at = np.linspace(-1, 1, 33)
    taps = np.sinc(at[:, None] - np.arange(-half, half + 1)) * np.kaiser(2 * half + 1, 8.0)
    fine = (taps / taps.sum(axis=1, keepdims=True)) @ near * np.sign(values[k])
    top = int(np.argmax(fine[1:-1])) + 1
    a, b, c = fine[top - 1 : top + 2]
    bow = a - 2 * b + c
    part = float(np.clip(0.5 * (a - c) / bow, -0.5, 0.5)) if abs(bow) > 1e-15 else 0.0
    return k + float(at[top]) + part / 16, float((b - 0.25 * (a - c) * part) * np.sign(values[k]))


def _events(
    x: np.ndarray, template: np.ndarray, lead: int, rate_hz: int, noise: float
) -> list[_Event]:
    """Matched filter, the strongest first, each taken away before the next is looked for."""
    energy = float(template @ template)
    size = scipy.fft.next_fast_len(len(x) + len(template), real=True)
    s_template = scipy.fft.rfft(template, size)
    rest = x.copy()
    near = round(0.5 * _EVENT_S * rate_hz)
    found: list[_Event] = []
    width = len(template)
    # A part of a sample later rings before the event as well.
    span = 2 * _RING + width
    whole = scipy.fft.next_fast_len(2 * span, real=True)
    spectrum = scipy.fft.rfft(np.pad(template, (_RING, 0)), whole)
    omega = 2j * np.pi * np.arange(len(spectrum)) / whole
    match = scipy.fft.irfft(scipy.fft.rfft(rest, size) * s_template.conj(), size)[: len(x)] / energy
    own = scipy.fft.irfft(np.abs(s_template) ** 2, size) / energy
    for _ in range(_MOST):
        k = int(np.argmax(np.abs(match[1:-1]))) + 1
        size_here = abs(match[k])
        if size_here * np.sqrt(energy) < _SIGMAS * noise or size_here < amplitude(-_QUIET_DB * 2.2):
            break
        part = _top(match, k)[0] - k
        turned = scipy.fft.irfft(spectrum * np.exp(-omega * part), whole)[:span]
        begin, end = max(0, k - _RING), min(len(rest), k + width + _RING)
        shape = turned[begin - k + _RING : end - k + _RING]
        # Read between the samples, a peak loses what lies near the top of the band: level by
        # projection.
        height = float(rest[begin:end] @ shape) / float(shape @ shape)
        found.append(_Event(k + part + lead, height))
        rest[begin:end] -= height * shape
        # The matched filter of what was taken away, where it reaches.
        low, high = max(0, k - width), min(len(match), k + width)
        lags = np.arange(low, high) - k - part
        match[low:high] -= height * np.interp(
            lags % len(own), np.arange(len(own)), own, period=len(own)
        )
        match[max(0, k - 2) : k + 3] = 0.0
    kept: list[_Event] = []
    for event in sorted(found, key=lambda e: -abs(e.size)):
        # What follows a stronger one closely is its ripple.
        shadow = any(
            abs(event.at - other.at) < near and abs(event.size) < 0.5 * abs(other.size)
            for other in kept
        )
        if not shadow:
            kept.append(event)
    return sorted(kept, key=lambda e: e.at)


def _template(x: np.ndarray, rate_hz: int, noise: float) -> tuple[np.ndarray, int]:
    """The first event of a capture: from its onset until it is 45 dB down or in the noise."""
    size = np.abs(x)
    top = float(size.max())
    over = np.flatnonzero(size > max(0.2 * top, 10 * noise))
    if len(over) == 0:
        raise MeasureError("No click stands out of the noise: send it louder, or nearer.")
    first = int(over[0])
    start = first
    while (
        start > 0
        and size[start - 1] > max(1e-4 * top, 4 * noise)
        and first - start < 0.005 * rate_hz
    ):
        start -= 1
    longest = round(_EVENT_S * rate_hz)
    piece = x[start : start + longest]
    tail = np.maximum.accumulate(np.abs(piece)[::-1])[::-1]
    quiet = np.flatnonzero(tail < max(top * amplitude(-45), 4 * noise))
    return piece[: int(quiet[0]) + 2 if len(quiet) else longest].copy(), start


def _side(levels: tuple[float, float]) -> Side:
    left, right = levels
    if left > right * 2:
        return "left"
    return "right" if right > left * 2 else "both"


def _train(times: np.ndarray, levels: np.ndarray) -> tuple[float, float | None, np.ndarray] | None:
    """Period (samples), fall from repeat to repeat (dB) and the indices of a train of repeats."""
    if len(times) == 0:
        return None
    if len(times) == 1:
        return float(times[0]), None, np.array([1])
    best: tuple[float, float, np.ndarray] | None = None
    energy = power_of(levels)
    for candidate in sorted({*times[:4], *np.diff(times)[:4]}):
        if candidate < 16:
            continue
        index = np.round(times / candidate)
        off = np.abs(times - index * candidate)
        fits = (index >= 1) & (off < 0.02 * candidate + 1.0)
        share = float(energy[fits].sum() / energy.sum())
        filled = len(np.unique(index[fits])) / max(1.0, float(index[fits].max(initial=1)))
        score = share * min(1.0, filled + 0.15)
        if best is None or score > best[0] + 1e-3:
            best = (score, float(candidate), index * fits)
    if best is None:
        return None
    index = best[2]
    used = index > 0
    weight = energy[used] / energy[used].max()
    # The first repeat may have a level of its own; time is the slope over all of them.
    n, t = index[used], times[used]
    mean_n, mean_t = np.average(n, weights=weight), np.average(t, weights=weight)
    spread = float((weight * (n - mean_n) ** 2).sum())
    period = float((weight * (n - mean_n) * (t - mean_t)).sum()) / spread if spread > 0 else best[1]
    fall = float(np.polyfit(n, levels[used], 1)[0]) if len(np.unique(n)) > 1 else None
    return period, fall, index


def measure_delay(
    path: Path | str, dry: Path | str | None = None, *, name: str | None = None,
    planned_ms: float | None = None,
) -> DelayMeasured:  # fmt: skip
    """A delay from its recording. `dry`: the sound that was sent, on the same clock and start.

    Without it the first event stands for the dry sound. Raises AudioError and MeasureError.
    """
    samples, rate = read_short(path, name)
    samples = sounding(samples)
    refused: list[Refused] = []
    union = samples.mean(axis=0) if len(samples) == 1 else _sum_of(samples)
    noise = noise_of(union, rate)
    if dry is not None:
        source, _ = read_short(dry, None, rate)
        mono = source.mean(axis=0)
        half = round(0.004 * rate)
        lines = [_deconvolved(row, mono, noise, 2 * half)[0] for row in samples]
        template = _deconvolved(mono, mono, noise, half)[1]
        noises = [noise_of(line, rate) for line in lines]
        sides = [_events(line, template, 0, rate, n) for line, n in zip(lines, noises, strict=True)]
        begin = float(half)
    else:
        template, start = _template(union, rate, noise)
        sides = [_events(row, template, 0, rate, noise_of(row, rate)) for row in samples]
        begin = float(start)
        _has_to_be_clicks(samples, sides, float(template @ template), noise)
    return _read(sides, begin, dry is not None, rate, noise, planned_ms, refused)


def _has_to_be_clicks(
    samples: np.ndarray, sides: list[list[_Event]], energy: float, noise: float
) -> None:
    """Raise MeasureError where the first event and its repeats are only a small part of the sound."""
    row = int(np.argmax((samples**2).sum(axis=1)))
    whole = float((samples[row] ** 2).sum()) - noise * noise * samples.shape[1]
    made = energy * sum(event.size**2 for event in sides[row])
    if made < _CLICKS * whole:
        raise MeasureError(
            "This is not a click with its repeats: what repeats the first sound is a small part of it. "
            "Send a click or a short burst, or give the dry sound that was sent."
        )


def _sum_of(samples: np.ndarray) -> np.ndarray:
    """Whichever side holds the first event; both where both do."""
    peaks = np.abs(samples).max(axis=1)
    both = samples[:2].mean(axis=0)
    return both if np.abs(both).max() > 0.4 * peaks.max() else samples[int(np.argmax(peaks))]


def _read(
    sides: list[list[_Event]], begin: float, known: bool, rate: int, noise: float,
    planned_ms: float | None, refused: list[Refused],
) -> DelayMeasured:  # fmt: skip
    merged: list[tuple[float, tuple[float, float]]] = []
    spacing = 0.0004 * rate
    flat = sorted([(e.at, abs(e.size), k) for k, events in enumerate(sides[:2]) for e in events])
    for at, size, k in flat:
        if merged and at - merged[-1][0] < spacing:
            old_at, pair = merged[-1]
            both = (size, pair[1]) if k == 0 else (pair[0], size)
            merged[-1] = ((old_at if max(pair) >= size else at), both)
        else:
            merged.append((at, (size, 0.0) if k == 0 else (0.0, size)))
    mono = len(sides) == 1
    events = [(at - begin, (a, a) if mono else (a, b)) for at, (a, b) in merged]
    top = max((max(pair) for _, pair in events), default=0.0)
    events = [(at, pair) for at, pair in events if max(pair) > top * amplitude(-60)]
    dry_at = 0.0
    dry_size = 1.0
    repeats = events
    if events and (not known or abs(events[0][0]) < 0.0015 * rate):
        dry_at, pair = events[0]
        dry_size = max(pair)
        repeats = events[1:]
    if not repeats:
        refused.append(Refused(what="time_ms", why=(
            f"No repeat was found above {fmt.number(decibels(max(noise, 1e-9)) + 17, 0)} dBFS: the wet "
            "may be off, or below the noise.")))  # fmt: skip
        return DelayMeasured(
            time_ms=None, first_repeat_ms=None, first_repeat_db=None, feedback_db=None, repeats=[],
            mode="unknown", tempo_error_ms=None, noise_dbfs=_dbfs(noise), refused=refused,
            sentence="No repeat was found.",
        )  # fmt: skip
    times = np.array([at - dry_at for at, _ in repeats])
    levels = np.array([decibels(max(pair) / dry_size) for _, pair in repeats])
    which = [_side(pair) for _, pair in repeats]
    train = _train(times, levels)
    if train is not None and len(times) > 2:
        # What is quiet and no repeat of the train is the phrase's own ripple.
        keep = (train[2] > 0) | (levels > levels.max() - _QUIET_DB)
        if not keep.all():
            times, levels = times[keep], levels[keep]
            repeats = [r for r, k in zip(repeats, keep, strict=True) if k]
            which = [w for w, k in zip(which, keep, strict=True) if k]
            train = _train(times, levels)
    period, fall = (train[0], train[1]) if train else (None, None)
    mode = _mode(which, times, mono)
    if mode == "dual":
        refused.append(
            Refused(what="feedback_db", why="Left and right repeat at times of their own.")
        )
        fall = None
    if fall is None and mode != "dual":
        refused.append(
            Refused(
                what="feedback_db",
                why="Only one repeat was found: its level is known, the fall to the next is not.",
            )
        )
    time_ms = None if period is None else 1e3 * period / rate
    rows = [
        Repeat(time_ms=round(1e3 * t / rate, 4), level_db=round(float(level), 3), side=side)
        for t, level, side in zip(times, levels, which, strict=True)
    ]
    error = None if time_ms is None or planned_ms is None else time_ms - planned_ms
    said = f"{fmt.number(time_ms or 0.0, 2)} ms from repeat to repeat"
    said += f", {fmt.signed(fall, 1)} dB each." if fall is not None else "."
    return DelayMeasured(
        time_ms=None if time_ms is None else round(time_ms, 4),
        first_repeat_ms=rows[0].time_ms, first_repeat_db=rows[0].level_db,
        feedback_db=None if fall is None else round(fall, 3), repeats=rows, mode=mode,
        tempo_error_ms=None if error is None else round(error, 4), noise_dbfs=_dbfs(noise),
        refused=refused, sentence=said,
    )  # fmt: skip


def _dbfs(rms: float) -> float | None:
    return round(float(decibels(rms)), 2) if rms > 1e-12 else None


def _mode(sides: list[Side], times: np.ndarray, mono: bool):  # type: ignore[no-untyped-def]
    if mono:
        return "mono"
    if all(side == "both" for side in sides):
        return "stereo"
    alternating = sum(
        a != b and "both" not in (a, b) for a, b in zip(sides, sides[1:], strict=False)
    )
    if alternating >= max(1, 0.7 * (len(sides) - 1)):
        left = times[[s == "left" for s in sides]]
        right = times[[s == "right" for s in sides]]
        gaps = [np.diff(v) for v in (left, right) if len(v) > 1]
        if len(gaps) == 2 and abs(gaps[0].mean() - gaps[1].mean()) > 0.03 * gaps[0].mean():
            return "dual"
        return "ping-pong"
    if "left" in sides and "right" in sides:
        return "dual"
    return "unknown" if len(set(sides)) > 1 else "stereo"
