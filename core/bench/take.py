"""Find a test signal in a recording, and say what is wrong with the take before it is read."""

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import scipy
import soxr
from pydantic import Field

from core.audio.source import AudioSource, open_audio
from core.bench.signal import LEAD_S, MARKER_S, TestSignal, marker
from core.bench.source import noise_of
from core.edge import Edge
from core.errors import MeasureError
from core.units import format as fmt
from core.units.decibel import amplitude, decibels

LONGEST_TAKE_S = 600.0
RATIOS = (1.0, 48 / 44.1, 44.1 / 48, 0.5, 2.0)
"""Recorded seconds for one of the signal's: 1, or a device or program that runs at another rate."""
CALM_DB, ENOUGH_DB, LOUD_DBFS = 18.0, 40.0, -1.0
_FOUND = 12.0
_EARLIEST = 0.5
_ZEROS = 32
_COARSE_HZ = 16_000
_AIR_S, _NEAR_S = 0.1, 0.02
"""Read around the signal; how far off the coarse look may be."""
_AS_LOUD = 0.2
_RATE_OFF = 2e-3


class TakeReport(Edge):
    """Where the signal lies in a recording, and how good the take is."""

    found_s: float = Field(description="Where the signal begins in the recording; may be below 0")
    ratio: float = Field(
        description="Recorded seconds for one of the signal's; 1 unless rates are mixed up"
    )
    clock_ppm: float = Field(description="From marker to marker, against the ratio")
    peak_dbfs: float
    noise_dbfs: float | None = Field(description="In the stillness")
    range_db: float | None = Field(description="Peak over noise")
    polarity: int = Field(description="Of the marker: 1 or -1")
    warnings: list[str]


@dataclass(frozen=True)
class Take:
    """A recording brought to the time of its signal."""

    samples: np.ndarray
    """(channels, frames) from the signal's start, at the signal's rate, at the recorded level."""
    report: TakeReport
    signal: TestSignal
    first: float
    """Where its start lies in the recording, in samples of the signal's rate."""

    def cut(self, name: str, before_s: float = 0.0) -> np.ndarray:
        """One halt, (channels, frames), from `before_s` before it."""
        halt, rate = self.signal.halt(name), self.signal.rate_hz
        first = round((halt.start_s - before_s) * rate)
        return self.samples[:, first : first + round((halt.length_s + before_s) * rate)]


def _matched(line: np.ndarray, template: np.ndarray) -> np.ndarray:
    """Correlation against a template, by where the template begins; (frames,)."""
    if len(line) < len(template):
        return np.zeros(len(line))
    found = scipy.signal.oaconvolve(line, template[::-1], "full")
    return np.asarray(found[len(template) - 1 :])


def _first_of(match: np.ndarray) -> tuple[int, float]:
    """Place and distinctness of the earliest peak that is at least half the highest."""
    size = np.abs(match)
    top, rms = float(size.max()), float(np.sqrt(np.mean(size**2)))
    early = int(np.argmax(size >= _EARLIEST * top))
    place = early + int(np.argmax(size[early : early + 64]))
    return place, top / rms if rms > 0 else 0.0


def _between(match: np.ndarray, k: int) -> float:
    size = np.abs(match)
    if not 0 < k < len(size) - 1:
        return float(k)
    a, b, c = size[k - 1 : k + 2]
    bow = a - 2 * b + c
    return k + (float(np.clip(0.5 * (a - c) / bow, -0.5, 0.5)) if bow < 0 else 0.0)


def _coarse(source: AudioSource) -> tuple[np.ndarray, int]:
    """The loudest channel at a rate that the marker needs, read in pieces; (frames,) and its rate."""
    rate = min(_COARSE_HZ, source.rate_hz)
    channels = min(2, source.channels)
    stream = soxr.ResampleStream(source.rate_hz, rate, channels, dtype="float32")
    step = 10 * source.rate_hz
    pieces = []
    for start in range(0, source.frames, step):
        count = min(step, source.frames - start)
        block = np.asarray(source.read(start, count)[:channels].T, np.float32)
        last = start + count >= source.frames
        pieces.append(stream.resample_chunk(np.ascontiguousarray(block), last=last))
    lines = np.concatenate(pieces).reshape(-1, channels).T
    return lines[int(np.argmax((lines**2).sum(axis=1)))], rate


def _evened(line: np.ndarray, rate: int) -> np.ndarray:
    """As loud everywhere: what is loud elsewhere in a recording does not hide a faint signal."""
    power = scipy.ndimage.uniform_filter1d(line**2, max(1, round(MARKER_S * rate)), mode="nearest")
    floor = max(float(power.max()) * 1e-9, 1e-18)
    return np.asarray(line / np.sqrt(np.maximum(power, floor)), np.float32)


def _look_for(line: np.ndarray, rate: int, signal: TestSignal) -> tuple[float, float]:
    """Seconds at which the first marker begins, and the ratio. Raises MeasureError."""
    even = _evened(line, rate)
    best: tuple[float, float, float, float] | None = None
    for ratio in RATIOS:
        template = marker(rate)
        if ratio != 1.0:
            template = soxr.resample(template, rate, rate * ratio, "HQ")
        match = _matched(even, (template / np.linalg.norm(template)).astype(np.float32))
        place, clear = _first_of(match)
        # The two markers together tell a rate from chance.
        wanted = (signal.end_marker_s - LEAD_S) * ratio * rate
        low, high = (max(0, round(place + wanted * (1 + off))) for off in (-_RATE_OFF, _RATE_OFF))
        near = np.abs(match[low : high + 1])
        score = abs(float(match[place])) + (float(near.max()) if len(near) else 0.0)
        if best is None or score > best[0]:
            best = (score, place / rate, ratio, clear)
    assert best is not None
    _, place_s, ratio, clear = best
    if clear < _FOUND:
        raise MeasureError(
            "The test signal is not in this recording, or too faint: its marker was not found. Check that the "
            "take is of this signal, and that the device lets it through."
        )
    have = len(line) / rate - place_s
    if have < (signal.end_marker_s - LEAD_S) * ratio * (1 - _RATE_OFF):
        raise MeasureError(
            f"The take is cut off after {fmt.number(have / ratio + LEAD_S, 1)} of {fmt.number(signal.seconds, 1)} s "
            "of the signal: record on until its end."
        )
    return place_s, ratio


def read_take(path: Path | str, signal: TestSignal, name: str | None = None) -> Take:
    """Find the signal in a recording of any length, level and rate.

    The whole is looked through at a low rate; only the stretch that holds the signal is read as it is,
    and judged. Raises AudioError for what is no audio, and MeasureError where the signal is not in it, is
    cut off, or is too faint to be read.
    """
    rate = signal.rate_hz
    with open_audio(path, name) as source:
        if source.seconds > LONGEST_TAKE_S:
            raise MeasureError(
                f"“{source.name}” lasts {fmt.clock(source.seconds)}; a take may last ten minutes. "
                "Cut out the stretch with the test signal."
            )
        line, coarse = _coarse(source)
        if not np.any(line):
            raise MeasureError(
                "The recording is silent: check the cable, the input that was chosen, and its level."
            )
        place_s, ratio = _look_for(line, coarse, signal)
        begin = math.floor((place_s - (LEAD_S + _AIR_S) * ratio) * source.rate_hz)
        count = math.ceil((signal.seconds + 2 * _AIR_S) * ratio * source.rate_hz)
        samples = np.asarray(source.read(begin, count), np.float64)[:2]
        own = source.rate_hz * ratio
    peak = float(np.abs(samples).max())
    clipped, zeros = _clipped(samples, peak), _dropped(samples)
    samples = samples - np.median(samples, axis=1, keepdims=True)
    if own != rate:
        samples = soxr.resample(samples.T, own, rate, "VHQ").T
    line = samples[int(np.argmax((samples**2).sum(axis=1)))]
    template = marker(rate)
    match = _matched(line, template / np.linalg.norm(template))
    near = round((_AIR_S + LEAD_S) * rate)
    low = max(0, near - round(_NEAR_S * rate))
    place = low + int(np.argmax(np.abs(match[low : near + round(_NEAR_S * rate)])))
    start = _between(match, place)
    wanted = (signal.end_marker_s - LEAD_S) * rate
    low = round(start + wanted * (1 - _RATE_OFF))
    last = np.abs(match[low : round(start + wanted * (1 + _RATE_OFF)) + 1])
    if len(last) == 0 or last.max() < _AS_LOUD * abs(match[place]):
        raise MeasureError(
            "The marker at the end is not where it should be: the rate changed in the middle, a part is missing, "
            "or two takes are joined. Record it again in one go."
        )
    ppm = 1e6 * ((_between(match, low + int(np.argmax(last))) - start) / wanted - 1)
    first = round(start - LEAD_S * rate)
    out = samples[:, max(0, first) : first + round(signal.seconds * rate)]
    out = np.pad(out, ((0, 0), (max(0, -first), 0)))
    out = np.pad(out, ((0, 0), (0, max(0, round(signal.seconds * rate) - out.shape[1]))))

    still = signal.halt("Stillness")
    a, b = (round(t * rate) for t in (still.start_s + 0.2, still.start_s + still.length_s - 0.1))
    noise = noise_of(out[int(np.argmax((out**2).sum(axis=1)))][a:b], rate)
    quiet = float(decibels(noise)) if noise > 1e-12 else None
    span = None if quiet is None else float(decibels(peak)) - quiet
    if span is not None and span < CALM_DB:
        raise MeasureError(
            f"The signal stands only {fmt.number(span, 0)} dB over the noise: turn the send or the input up, and "
            f"record it again. It takes {fmt.number(CALM_DB, 0)} dB."
        )
    begun = first + begin * rate / own
    return Take(
        out,
        TakeReport(
            found_s=round(begun * ratio / rate, 5), ratio=round(ratio, 6), clock_ppm=round(ppm, 2),
            peak_dbfs=round(float(decibels(peak)), 2), noise_dbfs=None if quiet is None else round(quiet, 2),
            range_db=None if span is None else round(span, 1), polarity=1 if match[place] > 0 else -1,
            warnings=list(_warnings(peak, clipped, zeros, span, ratio, ppm)),
        ),
        signal,
        begun,
    )  # fmt: skip


def _warnings(peak: float, clipped: int, zeros: int, span: float | None, ratio: float, ppm: float):  # type: ignore[no-untyped-def]
    if clipped:
        yield (
            f"Clipped in {clipped} places: levels there are “at least”. Turn the input down and record it again."
        )
    elif peak > float(amplitude(LOUD_DBFS)):
        yield "Its peak is above \u22121 dBFS: a little lower leaves room."
    if zeros:
        yield (
            f"{zeros} gaps of digital silence inside the signal: blocks were lost. Close other programs, take a "
            "larger buffer, and record it again."
        )
    if span is not None and span < ENOUGH_DB:
        yield f"Only {fmt.number(span, 0)} dB over the noise: what is quiet cannot be stated."
    if ratio != 1.0:
        yield (
            f"It runs {fmt.number(100 / ratio, 1)} % as fast as it was sent: one side is set to another rate. It "
            "was read at its own."
        )
    elif abs(ppm) > 300:
        yield f"Its clock is {fmt.signed(ppm, 0)} ppm off between the markers: the clocks are not locked, or samples were lost."


def _clipped(samples: np.ndarray, peak: float) -> int:
    """Runs of three or more samples at the file's own peak."""
    if peak < float(amplitude(-30)):
        return 0
    count = 0
    for line in samples:
        at_top = np.abs(line) >= peak * (1 - 1e-6)
        runs = np.convolve(at_top.astype(int), np.ones(3, int), "valid") == 3
        count += int(np.count_nonzero(np.diff(np.concatenate([[0], runs.astype(int)])) == 1))
    return count


def _dropped(samples: np.ndarray) -> int:
    """Runs of 32 or more zeros between two loud samples, in a recording that is never silent else."""
    line = samples[int(np.argmax((samples**2).sum(axis=1)))]
    sounding = np.flatnonzero(line)
    # A digital line is silent between its halts: only what cuts into sound counts.
    gaps = np.flatnonzero(np.diff(sounding) > _ZEROS)
    loud = float(amplitude(-40)) * float(np.abs(line).max())
    count = 0
    for k in gaps:
        a, b = sounding[k], sounding[k + 1]
        before, after = line[max(0, a - 255) : a + 1], line[b : b + 256]
        going = min(np.count_nonzero(before), np.count_nonzero(after)) > 200
        edge = min(np.abs(before[-8:]).max(), np.abs(after[:8]).max())
        count += bool(going and edge > loud and b - a < 20_000)
    return count
