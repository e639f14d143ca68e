"""Measure a delay: time, repeats, feedback, tone and sides, from a click, a known phrase, or its end."""

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from core.audio.channels import sounding
from core.bench.alone import Alone, measured_alone
from core.bench.events import QUIET_DB, Event, deconvolved_by, events_in, rings_on, template_of
from core.bench.repeats import (
    Spectra,
    Train,
    band_falls,
    fall_of,
    least_lossy,
    train_of,
)
from core.bench.results import BandFall, DelayMeasured, DelayMode, Refused, Repeat, Side
from core.bench.source import noise_of, read_short
from core.errors import MeasureError
from core.units import format as fmt
from core.units.decibel import amplitude, decibels

_CLICKS = 0.4
_KNOWN_S = 0.004


@dataclass(frozen=True)
class _Heard:
    """Lines in which the events of a delay were found, one of each channel."""

    lines: list[np.ndarray]
    events: list[list[Event]]
    template: np.ndarray
    begin: float
    """Where the dry sound begins in the lines, in samples."""
    known: bool
    """Whether the dry sound was given: lines are responses, the template is what a wire would give."""
    rate: int
    noise: float


def measure_delay(
    path: Path | str, dry: Path | str | None = None, *, name: str | None = None,
    planned_ms: float | None = None,
) -> DelayMeasured:  # fmt: skip
    """A delay from its recording. `dry`: the sound that was sent, on the same clock and start.

    Without it the first event stands for the dry sound; where there is no such event, the end of a
    phrase is read. Raises AudioError and MeasureError.
    """
    samples, rate = read_short(path, name)
    samples = sounding(samples)
    union = samples.mean(axis=0) if len(samples) == 1 else _sum_of(samples)
    noise = noise_of(union, rate)
    if dry is not None:
        source, _ = read_short(dry, None, rate)
        mono = source.mean(axis=0)
        half = round(_KNOWN_S * rate)
        lines = [deconvolved_by(row, mono, noise, 2 * half)[0] for row in samples]
        template = deconvolved_by(mono, mono, noise, half)[1]
        found = [events_in(line, template, 0, rate, noise_of(line, rate)) for line in lines]
        return _read(_Heard(lines, found, template, float(half), True, rate, noise), planned_ms)
    template, start = template_of(union, rate, noise)
    lines = list(samples)
    found = [events_in(row, template, 0, rate, noise_of(row, rate)) for row in lines]
    if rings_on(template, rate) or not _are_clicks(
        samples, found, float(template @ template), noise
    ):
        return _alone(measured_alone(union, rate, noise), rate, noise, planned_ms)
    return _read(_Heard(lines, found, template, float(start), False, rate, noise), planned_ms)


def _are_clicks(samples: np.ndarray, sides: list[list[Event]], energy: float, noise: float) -> bool:
    """Whether the first event and its repeats are more than a small part of the sound."""
    row = int(np.argmax((samples**2).sum(axis=1)))
    whole = float((samples[row] ** 2).sum()) - noise * noise * samples.shape[1]
    made = energy * sum(event.size**2 for event in sides[row])
    return made >= _CLICKS * whole


def _sum_of(samples: np.ndarray) -> np.ndarray:
    """Whichever side holds the first event; both where both do."""
    peaks = np.abs(samples).max(axis=1)
    both = samples[:2].mean(axis=0)
    return both if np.abs(both).max() > 0.4 * peaks.max() else samples[int(np.argmax(peaks))]


def _merged(heard: _Heard) -> list[tuple[float, tuple[float, float]]]:
    """Events of both sides in order: samples after the dry sound's beginning, and size left and right."""
    merged: list[tuple[float, tuple[float, float]]] = []
    spacing = 0.0004 * heard.rate
    flat = sorted(
        [(e.at, abs(e.size), k) for k, events in enumerate(heard.events[:2]) for e in events]
    )
    for at, size, k in flat:
        if merged and at - merged[-1][0] < spacing:
            old_at, pair = merged[-1]
            both = (size, pair[1]) if k == 0 else (pair[0], size)
            merged[-1] = ((old_at if max(pair) >= size else at), both)
        else:
            merged.append((at, (size, 0.0) if k == 0 else (0.0, size)))
    mono = len(heard.events) == 1
    events = [(at - heard.begin, (a, a) if mono else (a, b)) for at, (a, b) in merged]
    top = max((max(pair) for _, pair in events), default=0.0)
    return [(at, pair) for at, pair in events if max(pair) > top * amplitude(-60)]


def _side(levels: tuple[float, float]) -> Side:
    left, right = levels
    if left > right * 2:
        return "left"
    return "right" if right > left * 2 else "both"


def _falls(
    heard: _Heard, dry: tuple[float, int] | None, at: np.ndarray, rows: list[int], train: Train
) -> list[BandFall]:
    """By octave. `dry`: place and line of the dry sound where it comes back."""
    shift = heard.begin + (round(_KNOWN_S * heard.rate) if heard.known else 0)
    spectra = Spectra(heard.lines, heard.rate, train.period, 0.01 if heard.known else 0.002)
    filled = None
    if heard.known:
        template = heard.template / max(float(heard.template.max()), 1e-30)
        filled = spectra.shape(template) / np.maximum(spectra.shape(np.array([1.0])), 1e-30)
        filled = np.sqrt(filled / max(float(filled.max(initial=0.0)), 1e-30))
    energy = spectra.shape(heard.template) if dry is None else spectra.at(dry[1], dry[0] + shift)
    return band_falls(spectra, at + shift, rows, train.index, energy, filled)


def _read(heard: _Heard, planned_ms: float | None) -> DelayMeasured:
    rate, refused = heard.rate, list[Refused]()
    events = _merged(heard)
    dry_at, dry_size, dry_row = 0.0, 1.0, 0
    dry_back = bool(events) and (not heard.known or abs(events[0][0]) < 0.0015 * rate)
    if dry_back:
        dry_at, pair = events[0]
        dry_size, dry_row = max(pair), int(pair[1] > pair[0])
    repeats = events[1:] if dry_back else events
    if not repeats:
        floor = decibels(max(heard.noise, 1e-9)) + 17
        why = f"No repeat was found above {fmt.number(floor, 0)} dBFS: the wet may be off, or below the noise."
        return DelayMeasured(
            time_ms=None, first_repeat_ms=None, first_repeat_db=None, feedback_db=None, repeats=[],
            mode="unknown", tempo_error_ms=None, noise_dbfs=_dbfs(heard.noise),
            refused=[Refused(what="time_ms", why=why)], sentence="No repeat was found.",
        )  # fmt: skip
    if not heard.known and repeats[0][0] - dry_at < len(heard.template):
        raise MeasureError(
            "The first sound is longer than the delay: its repeats lie over each other. Send a click of "
            "one sample, or give the dry sound that was sent."
        )
    times = np.array([at - dry_at for at, _ in repeats])
    levels = np.array([decibels(max(pair) / dry_size) for _, pair in repeats])
    steep = float(np.sqrt((np.diff(heard.template) ** 2).sum())) * dry_size
    sigma = heard.noise / max(steep * float(amplitude(levels.max())), 1e-12)
    train = train_of(times, levels, sigma)
    if train is not None and len(times) > 2:
        # What is quiet and no repeat of the train is the phrase's own ripple.
        keep = (train.index > 0) | (levels > levels.max() - QUIET_DB)
        if not keep.all():
            times, levels = times[keep], levels[keep]
            repeats = [r for r, k in zip(repeats, keep, strict=True) if k]
            train = train_of(times, levels, sigma)
    which = [_side(pair) for _, pair in repeats]
    mode = _mode(which, times, len(heard.events) == 1)
    bands: list[BandFall] = []
    fall, first_db, read_at = None, float(levels[0]), None
    if train is not None:
        used = train.index > 0
        fall = fall_of(train.index[used], levels[used])
        if mode != "dual":
            rows = [int(b > a) if len(heard.lines) > 1 else 0 for _, (a, b) in repeats]
            dry = (dry_at, dry_row if len(heard.lines) > 1 else 0) if dry_back else None
            bands = _falls(heard, dry, np.array([at for at, _ in repeats]), rows, train)
            stands = least_lossy(bands)
            if stands is not None and stands.first_db is not None:
                fall, first_db, read_at = stands.each_db, stands.first_db, stands.hz
    if mode == "dual":
        why = "Left and right repeat at times of their own."
        refused.append(Refused(what="feedback_db", why=why))
        fall = None
    elif fall is None:
        why = "Only one repeat was found: its level is known, the fall to the next is not."
        refused.append(Refused(what="feedback_db", why=why))
    ms = 1e3 / rate
    rows_of = [
        Repeat(time_ms=round(ms * t, 4), level_db=round(float(level), 3), side=side)
        for t, level, side in zip(times, levels, which, strict=True)
    ]
    time_ms = None if train is None else ms * train.period
    wander = train.wander if train is not None and mode != "dual" else None
    return DelayMeasured(
        **_timed(time_ms, planned_ms), first_repeat_ms=rows_of[0].time_ms,
        first_repeat_db=round(first_db, 3), feedback_db=None if fall is None else round(fall, 3),
        growth_ms=round(ms * train.growth, 4) if train is not None and train.growth else None,
        wander_ms=None if wander is None else round(ms * wander, 4), read_at_hz=read_at,
        bands=bands, repeats=rows_of, mode=mode, noise_dbfs=_dbfs(heard.noise), refused=refused,
        sentence=_sentence(time_ms, fall, read_at, ms * (train.growth if train else 0.0)),
    )  # fmt: skip


def _timed(time_ms: float | None, planned_ms: float | None) -> dict[str, float | None]:
    error = None if time_ms is None or planned_ms is None else round(time_ms - planned_ms, 4)
    return {
        "time_ms": None if time_ms is None else round(time_ms, 4),
        "tempo_error_ms": error,
    }


def _sentence(
    time_ms: float | None, fall: float | None, read_at: float | None, growth_ms: float = 0.0
) -> str:
    said = f"{fmt.number(time_ms or 0.0, 2)} ms from repeat to repeat"
    if growth_ms:
        said += f", each {fmt.number(abs(growth_ms), 2)} ms {'longer' if growth_ms > 0 else 'shorter'} than the last"
    if fall is not None:
        said += f", {fmt.signed(fall, 1)} dB each"
        if read_at is not None:
            said += f" at {fmt.number(read_at, 0)} Hz and more elsewhere"
    return said + "."


def _alone(found: Alone, rate: int, noise: float, planned_ms: float | None) -> DelayMeasured:
    """A phrase whose dry sound is not known: figures of its end."""
    time_ms = 1e3 * found.period / rate
    bands = [
        BandFall(hz=hz, first_db=None, each_db=round(db, 3), repeats=None)
        for hz, db in found.by_octave
    ]
    stands = least_lossy(bands)
    filtered = stands is not None
    fall = stands.each_db if stands is not None else found.each_db
    refused = [
        Refused(what="repeats", why="The dry sound is not known: repeats lie over each other."),
        Refused(what="mode", why="Sides are told apart from a click, or with the dry sound."),
    ]
    if fall is None:
        why = "The end of the phrase is not even enough: send a click, or give the dry sound."
        refused.append(Refused(what="feedback_db", why=why))
    first = None if filtered else found.first_db
    if first is None:
        why = (
            "The loop is filtered: what the first repeat was against the source is lost in it."
            if filtered
            else "Too little is left of the end to tell it from the source."
        )
        refused.append(
            Refused(what="first_repeat_db", why=f"{why} Give the dry sound, or a click.")
        )
    return DelayMeasured(
        **_timed(time_ms, planned_ms), first_repeat_ms=None,
        first_repeat_db=None if first is None else round(first, 3), feedback_db=None if fall is None else round(fall, 3),
        read_at_hz=stands.hz if stands is not None else None, bands=bands, repeats=[],
        mode="unknown", noise_dbfs=_dbfs(noise), refused=refused,
        sentence=_sentence(time_ms, fall, stands.hz if stands is not None else None),
    )  # fmt: skip


def _dbfs(rms: float) -> float | None:
    return round(float(decibels(rms)), 2) if rms > 1e-12 else None


def _mode(sides: list[Side], times: np.ndarray, mono: bool) -> DelayMode:
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
