"""Simulated devices for the bench: what a test signal becomes in each; always named as simulated."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from core.bench.signal import (
    POSITIONS,
    TURN_S,
    BenchKind,
    TestSignal,
    position_name,
    sound_of,
)
from core.units.decibel import amplitude, decibels

_SEED = 92


@dataclass(frozen=True)
class Asked:
    """What the person has set on the simulated device."""

    time_ms: float = 319.0
    each_db: float = -3.2
    first_db: float = -6.5


def _cubic(x: np.ndarray, at: np.ndarray) -> np.ndarray:
    """x read at places between its samples, by a cubic through four of them; 0 before it begins."""
    inside = (at >= 1) & (at < len(x) - 3)
    place = np.where(inside, at, 1.0)
    whole = np.floor(place).astype(int)
    part = place - whole
    a, b, c, d = (x[whole + k] for k in (-1, 0, 1, 2))
    bend = 2 * a - 5 * b + 4 * c - d + part * (3 * (b - c) + d - a)
    return np.where(inside, b + 0.5 * part * (c - a + part * bend), 0.0)


def _noise(n: int, dbfs: float) -> np.ndarray:
    return float(amplitude(dbfs)) * np.random.default_rng(_SEED).standard_normal(n)


def _exactly_later(x: np.ndarray, samples: float) -> np.ndarray:
    """By a phase ramp: any constant part of a sample; (n,)."""
    size = 1 << int(np.ceil(np.log2(len(x) + samples + 4096)))
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(size) * samples)
    return np.asarray(np.fft.irfft(np.fft.rfft(x, size) * turn, size)[: len(x)])


def _long_delay(x: np.ndarray, rate: int, asked: Asked) -> np.ndarray:
    period = 1.018 * asked.time_ms * rate / 1e3
    out, level = x.copy(), asked.first_db
    k = 1
    while k * period < len(x) and level > -70:
        out += float(amplitude(level)) * _exactly_later(x, k * period)
        level += asked.each_db - 0.2
        k += 1
    return np.stack([out, out])


def _loop(x: np.ndarray, rate: int, asked: Asked) -> np.ndarray:
    """Two converters, and a compressor whose meter first moves 3 dB above where it begins."""
    sent = _exactly_later(x, 137.37)
    level = np.zeros(len(sent))
    up, down = np.exp(-1 / (0.008 * rate)), np.exp(-1 / (0.12 * rate))
    held = 0.0
    wanted = np.minimum(
        0.0, (1 / 2.5 - 1) * (np.maximum(decibels(np.abs(sent) + 1e-9), -27.0) + 27.0)
    )
    for i, goal in enumerate(wanted.tolist()):
        held = goal + (held - goal) * (up if goal < held else down)
        level[i] = held
    top = scipy.signal.butter(
        1, 21_000 if rate > 44_000 else 0.44 * rate, "lowpass", fs=rate, output="sos"
    )
    out = scipy.signal.sosfilt(top, sent * amplitude(level - 0.18))
    return np.stack([out, out])


def _line(x: np.ndarray, rate: int, asked: Asked) -> np.ndarray:
    """The same converters with nothing between them, as a loop is measured by itself."""
    out = float(amplitude(-0.18)) * _exactly_later(x, 137.37)
    return np.stack([out, out])


def _reverb(x: np.ndarray, rate: int, asked: Asked) -> np.ndarray:
    """1.4 s, shorter above 4 kHz, 26 ms after the dry sound, its time swaying by 0.1 ms at 0.4 Hz."""
    rng = np.random.default_rng(_SEED)
    n = round(2.4 * rate)
    t = np.arange(n) / rate
    sides = []
    for _ in range(2):
        noise = rng.standard_normal(n)
        low, high = (
            scipy.signal.sosfilt(scipy.signal.butter(4, 4000, which, fs=rate, output="sos"), noise)
            for which in ("lowpass", "highpass")
        )
        tail = 0.008 * (low * 10 ** (-3 * t / 1.4) + high * 10 ** (-3 * t / 0.8))
        wet = scipy.signal.fftconvolve(x, np.pad(tail, (round(0.026 * rate), 0)))[: len(x)]
        sway = 1e-4 * rate * (1 + np.sin(2 * np.pi * 0.4 * np.arange(len(x)) / rate))
        sides.append(x + _cubic(wet, np.arange(len(x)) - sway))
    return np.stack(sides)


def _cable(x: np.ndarray, rate: int, asked: Asked) -> np.ndarray:
    """A cable with its wires the wrong way round, and a top that its length dulls."""
    dull = scipy.signal.butter(1, min(18_000, 0.44 * rate), "lowpass", fs=rate, output="sos")
    out = -float(amplitude(-0.02)) * scipy.signal.sosfilt(dull, x)
    return np.stack([out, out])


def _clock(x: np.ndarray, rate: int, asked: Asked) -> np.ndarray:
    """A recorder with a clock of its own: 23 ppm slow, and jittering by 0.3 samples."""
    n = np.arange(len(x))
    sway = 23e-6 * n + 0.3 * np.sin(2 * np.pi * 1.7 * n / rate)
    fine = scipy.signal.resample_poly(x, 4, 1)
    out = _cubic(fine, 4 * (n - sway))
    return np.stack([out, out])


def _turned(x: np.ndarray, rate: int, asked: Asked) -> np.ndarray:
    """An echo whose mix control is turned from halt to halt: equal power, and late in its travel."""
    echo = float(amplitude(-2)) * _exactly_later(x, 0.35 * rate)
    dull = scipy.signal.butter(1, min(5000, 0.4 * rate), "lowpass", fs=rate, output="sos")
    echo = scipy.signal.sosfilt(dull, echo)
    halts = {h.name: h for h in TestSignal(kind="mix", rate_hz=rate).halts}
    turn = np.zeros(len(x))
    for percent in POSITIONS:
        # The hand is there half a second before the notes.
        turn[round((halts[position_name(percent)].start_s + TURN_S - 0.5) * rate) :] = percent / 100
    turn[round((halts["Back"].start_s + TURN_S - 0.5) * rate) :] = 0.0
    angle = 0.5 * np.pi * turn**1.25
    out = np.cos(angle) * x + np.sin(angle) * echo
    return np.stack([out, out])


@dataclass(frozen=True)
class StandIn:
    """A simulated device."""

    key: str
    name: str
    words: str
    kinds: tuple[BenchKind, ...]
    noise_dbfs: float
    run: Callable[[np.ndarray, int, Asked], np.ndarray]


STAND_INS: tuple[StandIn, ...] = (
    StandIn("long-delay", "Delay pedal that runs long", "its repeats come 1.8 % later than it reads", ("delay",), -84, _long_delay),
    StandIn("outboard", "Outboard loop with a compressor", "begins 3 dB below where its meter first moves", ("dynamics", "loop"), -92, _loop),
    StandIn("converters", "The same loop, compressor out", "137.37 samples there and back", ("loop", "filter"), -92, _line),
    StandIn("reverb", "Reverb with a swaying tail", "26 ms, then 1.4 s, less in the top", ("decay",), -90, _reverb),
    StandIn("cable", "Cable wired the wrong way round", "inverted, and dull from 18 kHz", ("cable", "filter", "loop"), -98, _cable),
    StandIn("mix-box", "Echo box with a mix control", "equal power, and its control runs late", ("mix",), -90, _turned),
    StandIn("clock", "Recorder with a clock of its own", "23 ppm slow and jittering", ("loop", "cable"), -96, _clock),
)  # fmt: skip


def take_of(key: str, signal: TestSignal, asked: Asked | None = None) -> np.ndarray:
    """The signal through a stand-in, with its noise: (2, frames). Raises KeyError for another key."""
    device = {d.key: d for d in STAND_INS}[key]
    x = sound_of(signal)
    # Played and recorded together, and on until what is late has come.
    out = device.run(np.pad(x, (0, signal.rate_hz // 4)), signal.rate_hz, asked or Asked())
    return out + _noise(out.shape[1], device.noise_dbfs)
