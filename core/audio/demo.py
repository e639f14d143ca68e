"""The made-up sounds of the demo: plucked string, reed and frame drum, always the same bytes.

Plucked string after Karplus and Strong (1983) with a lossy averaging loop; the reed is odd
harmonics that soften with time; the drum is two decaying membrane modes and a noise touch.
"""

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import scipy
import soundfile

from core.units.decibel import amplitude, decibels

RATE = 48_000
_STEP = 2.0**-23


@dataclass(frozen=True)
class DemoClip:
    """A demo file: what it is called, and how its samples (frames, 2) are made."""

    name: str
    make: Callable[[], np.ndarray]


@dataclass(frozen=True)
class DemoPair:
    """Two demo clips and what there is to find between them."""

    title: str
    finding: str
    a: str
    b: str


def _place(track: np.ndarray, note: np.ndarray, at_s: float) -> None:
    start = round(at_s * RATE)
    end = min(len(track), start + len(note))
    track[start:end] += note[: end - start]


def pluck(hz: float, seconds: float, seed: int, brightness: float = 0.86) -> np.ndarray:
    """A plucked string; (samples,), peak 1."""
    rng = np.random.default_rng(seed)
    period = RATE / hz - 0.5
    whole = int(period)
    part = period - whole
    n = round(seconds * RATE)
    burst = np.zeros(n)
    burst[:whole] = scipy.signal.lfilter(
        [1 - brightness], [1, -brightness], rng.uniform(-1, 1, whole)
    )
    loss = 0.5 * 0.9965
    loop = np.zeros(whole + 3)
    loop[0] = 1.0
    loop[whole : whole + 3] -= loss * np.array([1 - part, 1.0, part])
    tone = scipy.signal.lfilter([1.0], loop, burst)
    tone *= np.minimum(1.0, (n - np.arange(n)) / (0.05 * RATE))
    return tone / np.abs(tone).max()


def reed(hz: float, seconds: float, seed: int) -> np.ndarray:
    """A reed note: odd harmonics, breath, a soft start; (samples,), peak 1."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * RATE)) / RATE
    bend = 2 * np.pi * hz * (t + 0.0006 * np.sin(2 * np.pi * 4.7 * t) * np.clip(t - 0.3, 0, 1))
    tone = np.zeros(len(t))
    for k in range(1, 18, 2):
        if k * hz < 16_000:
            tone += np.sin(k * bend + k) * np.exp(-0.22 * k * (1 + 0.4 * t)) / np.sqrt(k)
    breath = scipy.signal.sosfilt(
        scipy.signal.butter(2, [900, 5000], "bandpass", fs=RATE, output="sos"),
        rng.standard_normal(len(t)),
    )
    tone += 0.02 * breath
    tone *= np.clip(t / 0.04, 0, 1) * np.clip((seconds - t) / 0.09, 0, 1)
    return tone / np.abs(tone).max()


def frame_drum(hz: float, seconds: float, seed: int) -> np.ndarray:
    """One stroke on a frame drum; (samples,), peak 1."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(seconds * RATE)) / RATE
    tone = np.sin(2 * np.pi * hz * t * (1 + 0.3 * np.exp(-30 * t))) * np.exp(-7 * t)
    tone += 0.5 * np.sin(2 * np.pi * 1.59 * hz * t + 1) * np.exp(-12 * t)
    touch = scipy.signal.lfilter([1, -1], [1, -0.4], rng.standard_normal(len(t)))
    tone += 0.12 * touch * np.exp(-90 * t)
    return tone / np.abs(tone).max()


def _line(
    pitches: list[float | None],
    eighth_s: float,
    voice: Callable[[float, float, int], np.ndarray],
    hold_s: float,
    pan: float,
) -> np.ndarray:
    track = np.zeros(round((len(pitches) * eighth_s + 2.2) * RATE))
    rng = np.random.default_rng(len(pitches))
    for k, hz in enumerate(pitches):
        if hz:
            level = 0.75 + 0.25 * (k % 3 == 0)
            at = max(0.0, 0.3 + k * eighth_s + rng.normal(0, 0.004))
            _place(track, level * voice(hz, hold_s, 100 + k), at)
    left, right = np.cos((pan + 1) * np.pi / 4), np.sin((pan + 1) * np.pi / 4)
    room = np.roll(track, round(0.0031 * RATE))
    return np.stack([left * track + 0.1 * room, right * track - 0.1 * room], axis=1)


def _finish(sound: np.ndarray, rms_db: float = -20.0) -> np.ndarray:
    """At a level, with nothing above 20 kHz, silent at both ends, on the 24-bit grid."""
    spectrum = np.fft.rfft(sound, axis=0)
    hz = np.fft.rfftfreq(len(sound), 1 / RATE)
    spectrum *= (np.clip((20_000 - hz) / 800, 0, 1) * np.clip((hz - 15) / 10, 0, 1))[:, None]
    clean = np.fft.irfft(spectrum, len(sound), axis=0)
    edge = np.clip(np.arange(len(clean)) / (0.1 * RATE), 0, 1)
    clean *= (edge * edge[::-1])[:, None]
    clean *= amplitude(rms_db) / np.sqrt(np.mean(clean**2))
    clean *= min(1.0, 0.85 / np.abs(clean).max())
    return _on_grid(clean)


def _on_grid(sound: np.ndarray) -> np.ndarray:
    return np.round(sound / _STEP) * _STEP


def _later(sound: np.ndarray, samples: float) -> np.ndarray:
    """Moved by an exact phase ramp; the silent ends keep it from wrapping round."""
    spectrum = np.fft.rfft(sound, axis=0)
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(len(sound)) * samples)
    return np.fft.irfft(spectrum * turn[:, None], len(sound), axis=0)


_EIGHTH = 60 / 94 / 3
_A1 = 55.0


def _hz(steps: float) -> float:
    return float(_A1 * 2 ** (steps / 12))


@lru_cache(maxsize=1)
def _guitar() -> np.ndarray:
    figure = [0, 7, 12, 15, 12, 7, -2, 5, 10, 14, 10, 5, -4, 3, 8, 12, 15, 12, 0, 7, 10, 15, 19, 15]
    line = [_hz(12 + step) for step in figure * 2]
    return _finish(_line([*line], _EIGHTH, pluck, 2.0, -0.2))


@lru_cache(maxsize=1)
def _clarinet(take: int) -> np.ndarray:
    phrases = {
        1: [
            24,
            None,
            27,
            29,
            None,
            31,
            34,
            None,
            None,
            31,
            None,
            29,
            27,
            None,
            24,
            None,
            None,
            None,
        ],
        2: [
            31,
            None,
            34,
            36,
            None,
            34,
            31,
            None,
            None,
            29,
            None,
            27,
            26,
            None,
            27,
            None,
            None,
            None,
        ],
    }
    pitches = [None if step is None else _hz(12 + step) for step in phrases[take] * 2]
    return _finish(_line(pitches, _EIGHTH, reed, 2.1 * _EIGHTH, 0.25))


def _drum() -> np.ndarray:
    strokes = [1, 0, 0, 1, 0, 1, 1, 0, 1, 1, 0, 0] * 4
    pitches = [92.0 if s else None for s in strokes]
    return _finish(_line(pitches, _EIGHTH, frame_drum, 0.9, 0.0), -23.0)


# Phrases and the gaps behind them (s): two are too short for a tail of 1.8 s.
_PHRASES = (
    (0.34, 2.5, 0.96),
    (0, 2.1, 0.42),
    (0, 1.8, 0.74),
    (0, 1.9, 0.31),
    (0, 1.25, 1.66),
    (0, 1.0, 0.0),
)


def _phrases() -> np.ndarray:
    """A clarinet line in six phrases, as played to a click in another room: stereo, dry."""
    track = np.zeros(round(15.3 * RATE))
    tune, at, seed = (0, 3, 7, 5, 3, -2, 0, 2, 3, 0, -5, -2), 0.0, 40
    for before, length, gap in _PHRASES:
        at += before
        count = max(2, round(length / 0.55))
        for note in range(count):
            seed += 1
            hz = _hz(36 + tune[seed % len(tune)])
            level = 0.55 + 0.45 * ((7 * seed) % 5) / 4
            _place(track, level * reed(hz, length / count + 0.02, seed), at + note * length / count)
        at += length + gap
    return _finish(np.stack([track, 0.94 * track], axis=1))


def _drop(gain_db: float, sound: np.ndarray) -> np.ndarray:
    return _on_grid(sound * amplitude(gain_db))


def _through_a_loop(sound: np.ndarray) -> np.ndarray:
    """Inverted, 65.37 samples late, 1.1 dB down, with the faint hiss of two converters."""
    hiss = amplitude(-118) * np.random.default_rng(65).standard_normal(sound.shape)
    return _on_grid(-_later(_drop(-1.1, sound), 65.37) + hiss)


def _through_outboard(sound: np.ndarray) -> np.ndarray:
    """Brighter, gently compressed, inverted, 23.37 samples late and 1.7 dB down.

    The compressor reduces from -30.5 dBFS on, 12 ms in and 140 ms out, by 1.15:1: less than its
    meter would show.
    """
    warp = 2 * RATE * np.tan(np.pi * 6200 / RATE)
    root = amplitude(2.1 / 2)
    b, a = scipy.signal.bilinear([root, warp], [1 / root, warp], fs=RATE)
    bright = scipy.signal.lfilter(b, a, sound, axis=0)
    level = decibels(np.maximum(np.abs(bright).max(axis=1), 1e-5))
    wanted = np.maximum(0.0, level + 30.5) * (1 - 1 / 1.15)
    keep_in, keep_out = (float(np.exp(-1e3 / (ms * RATE))) for ms in (12, 140))
    state, taken = 0.0, []
    for value in wanted.tolist():
        keep = keep_in if value > state else keep_out
        state = keep * state + (1 - keep) * value
        taken.append(state)
    squeezed = bright * amplitude(-np.array(taken))[:, None]
    return _on_grid(-_later(_drop(-1.7, squeezed), 23.37))


DEMO_CLIPS: tuple[DemoClip, ...] = (
    DemoClip("Guitar, print 1.wav", _guitar),
    DemoClip("Guitar, print 2.wav", _guitar),
    DemoClip("Guitar, lower print.wav", lambda: _drop(-0.42, _guitar())),
    DemoClip("Guitar, through the loop.wav", lambda: _through_a_loop(_guitar())),
    DemoClip("Guitar, outboard.wav", lambda: _through_outboard(_guitar())),
    DemoClip("Clarinet, take 1.wav", lambda: _clarinet(1)),
    DemoClip("Clarinet, second cable.wav", lambda: _clarinet(1) * [1.0, -1.0]),
    DemoClip("Clarinet, take 2.wav", lambda: _clarinet(2)),
    DemoClip("Hand drum.wav", _drum),
    DemoClip("Clarinet, phrases.wav", _phrases),
)

DEMO_PAIRS: tuple[DemoPair, ...] = (
    DemoPair("Two prints", "the same file twice", "Guitar, print 1.wav", "Guitar, print 2.wav"),
    DemoPair(
        "A lower print", "only the level differs", "Guitar, print 1.wav", "Guitar, lower print.wav"
    ),
    DemoPair(
        "Through a loop",
        "late by part of a sample, and inverted",
        "Guitar, print 1.wav",
        "Guitar, through the loop.wav",
    ),
    DemoPair(
        "Through outboard",
        "five things at once",
        "Guitar, print 1.wav",
        "Guitar, outboard.wav",
    ),
    DemoPair(
        "A second cable",
        "one side inverted",
        "Clarinet, take 1.wav",
        "Clarinet, second cable.wav",
    ),
    DemoPair("Two takes", "different", "Clarinet, take 1.wav", "Clarinet, take 2.wav"),
)


def write_demo_clips(folder: Path) -> Iterator[tuple[DemoClip, Path]]:
    """Write the demo clips as 24-bit WAV, one after the other; existing ones are kept."""
    folder.mkdir(parents=True, exist_ok=True)
    for clip in DEMO_CLIPS:
        path = folder / clip.name
        if not path.exists():
            # Two may begin at once: each writes its own, and the last one stays.
            part = path.with_suffix(f".{os.getpid()}.part")
            soundfile.write(part, clip.make(), RATE, subtype="PCM_24", format="WAV")
            part.rename(path)
        yield clip, path
