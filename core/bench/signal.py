"""The test signals of the bench: a marker, the halts of one kind of measurement, stillness, the marker.

A recording is found by its markers, so that it may begin anywhere, at another level or rate; what lies
between them is cut by the halts' own times.
"""

from functools import cache
from typing import Literal

import numpy as np
import scipy
from pydantic import Field

from core.edge import Edge
from core.units.decibel import amplitude

BenchKind = Literal["delay", "decay", "loop", "dynamics", "filter", "cable", "mix"]
KINDS: tuple[BenchKind, ...] = ("delay", "decay", "loop", "dynamics", "filter", "cable", "mix")
LEVEL_DBFS = -12.0
CLICK_DBFS = -6.0
LEAD_S, MARKER_S, GAP_S, STILL_S, END_S = 1.0, 0.15, 0.5, 1.5, 0.3
SWEEP_HZ = (20.0, 22_000.0)
SWEEP_S, PROGRAMME_S, LEVELS_S = 4.0, 5.0, 9.0
POSITIONS = (0, 25, 50, 75, 100)
TURN_S, POSITION_S, RINGS_S = 4.0, 2.5, 1.5
"""Time to turn a control, notes at its position, and what they leave."""
_MARKER_HZ = (500.0, 6000.0)
_SEED = 417


class Halt(Edge):
    """One stretch of a test signal."""

    name: str
    words: str
    start_s: float
    length_s: float = Field(description="With the room that it is given to die away")


class TestSignal(Edge):
    """What is sent through a device."""

    kind: BenchKind
    rate_hz: int = Field(48_000, ge=8_000, le=192_000)
    room_s: float = Field(
        4.0, ge=0.2, le=15, description="What a delay or reverb is given to die away"
    )

    @property
    def halts(self) -> list[Halt]:
        """Marker, halts and stillness in order, in seconds from the signal's start."""
        rings = self.kind in ("delay", "decay")
        found = [
            Halt(
                name="Marker", words="finds the take", start_s=LEAD_S,
                length_s=MARKER_S + (self.room_s if rings else GAP_S),
            )
        ]  # fmt: skip
        for name, words, length in self._inner():
            last = found[-1]
            found.append(
                Halt(name=name, words=words, start_s=last.start_s + last.length_s, length_s=length)
            )
        last = found[-1]
        found.append(
            Halt(name="Stillness", words="noise and hum", start_s=last.start_s + last.length_s, length_s=STILL_S)
        )  # fmt: skip
        return found

    def _inner(self) -> list[tuple[str, str, float]]:
        room = self.room_s
        sweep = f"{SWEEP_S:g} s, 20 Hz to 22 kHz"
        return {
            "delay": [("Click", "one sample", room), ("Burst", "20 ms of noise", 0.02 + room)],
            "decay": [("Sweep", sweep, SWEEP_S + room), ("Click", "one sample", room)],
            "mix": [
                *(
                    (position_name(p), turn_words(p), TURN_S + POSITION_S + RINGS_S)
                    for p in POSITIONS
                ),
                # Through the wet alone the marker at the end would come late.
                ("Back", turn_words(0), TURN_S),
            ],
            "dynamics": [("Levels", "\u221248 to \u22126 dBFS, up and down", LEVELS_S + GAP_S)],
        }.get(
            self.kind,
            [
                ("Notes", "plucked, all registers", PROGRAMME_S + GAP_S),
                ("Sweep", sweep, SWEEP_S + GAP_S),
            ],
        )

    @property
    def end_marker_s(self) -> float:
        last = self.halts[-1]
        return last.start_s + last.length_s

    @property
    def seconds(self) -> float:
        return self.end_marker_s + MARKER_S + END_S

    def halt(self, name: str) -> Halt:
        """Raises StopIteration for a halt that this kind does not have."""
        return next(h for h in self.halts if h.name == name)


def position_name(percent: int) -> str:
    """The halt of a position of a mix control."""
    return f"At {percent} %"


def turn_words(percent: int) -> str:
    """What the hand does before a position."""
    whole = {0: "all dry", 100: "all wet"}
    return f"turn it to {whole.get(percent, percent)}"


def marker(rate_hz: int) -> np.ndarray:
    """A chirp of 150 ms, 500 to 6000 Hz, of full scale; (frames,)."""
    t = np.arange(round(MARKER_S * rate_hz)) / rate_hz
    sound = scipy.signal.chirp(t, _MARKER_HZ[0], MARKER_S, min(_MARKER_HZ[1], 0.4 * rate_hz))
    return np.asarray(sound * scipy.signal.windows.tukey(len(t), 0.2))


def sweep(rate_hz: int) -> np.ndarray:
    """An exponential sine sweep of full scale with fades of 10 ms; (frames,)."""
    n = round(SWEEP_S * rate_hz)
    t = np.arange(n) / rate_hz
    low, high = SWEEP_HZ[0], min(SWEEP_HZ[1], 0.46 * rate_hz)
    sound = scipy.signal.chirp(t, low, SWEEP_S, high, method="logarithmic", phi=-90)
    return np.asarray(sound * _fades(n, round(0.01 * rate_hz)))


def _fades(n: int, k: int) -> np.ndarray:
    edge = np.minimum(np.arange(n), np.arange(n)[::-1])
    return np.minimum(1.0, edge / k)


def _notes(seconds: float, rate_hz: int, every_s: float) -> np.ndarray:
    """Plucked notes over the whole range, each with its own attack; (frames,), peak 1."""
    rng = np.random.default_rng(_SEED)
    n = round(seconds * rate_hz)
    sound = np.zeros(n)
    for begin in np.arange(0.0, seconds - 0.2, every_s):
        first = round(begin * rate_hz)
        t = np.arange(n - first) / rate_hz
        base = 55 * 2 ** rng.uniform(0, 4)
        k = np.arange(1, 1 + min(39, int(0.42 * rate_hz / base)))
        phases = np.exp(2j * np.pi * rng.uniform(size=len(k)))
        note = partials((2j * np.pi * base * k - (3 + k / 2)) / rate_hz, phases / k, len(t))
        note += 0.5 * rng.standard_normal(len(t)) * np.exp(-t / 0.03)
        sound[first:] += note * np.minimum(1, t / 0.002) * rng.uniform(0.5, 1)
    sound = _banded(sound, rate_hz) * _fades(n, round(0.02 * rate_hz))
    return np.asarray(sound / np.abs(sound).max())


def partials(poles: np.ndarray, sizes: np.ndarray, n: int) -> np.ndarray:
    """The imaginary part of the sum of sizes exp(poles m), m from 0 to n - 1; (n,).

    poles, sizes: complex, (partials,), per sample. Of two short tables, the one at every so many samples and the one
    between: their product is two products of matrices, where a sine and a power at each sample cost fifty times that.
    """
    short = max(1, round(n**0.5))
    between = np.exp(poles[:, None] * np.arange(short))
    at = sizes[:, None] * np.exp(poles[:, None] * short * np.arange(-(-n // short)))
    return np.asarray(at.real.T @ between.imag + at.imag.T @ between.real).ravel()[:n]


def _banded(sound: np.ndarray, rate_hz: int) -> np.ndarray:
    """Without what lies at the very end of the band, which no converter passes as it came."""
    taps = scipy.signal.firwin(255, min(20_500, 0.43 * rate_hz), fs=rate_hz)
    return np.asarray(scipy.signal.fftconvolve(sound, taps, "same"))


def _levels(rate_hz: int) -> np.ndarray:
    """The notes at levels that rise and fall in steps; peak 1."""
    steps = np.concatenate([np.arange(-42, 1, 6.0), np.arange(-3, -43, -6.0)])
    sound = _notes(LEVELS_S, rate_hz, 0.25)
    at = np.minimum(len(steps) - 1, np.arange(len(sound)) * len(steps) // len(sound))
    return sound * np.asarray(amplitude(steps))[at]


@cache
def _inside(kind: BenchKind, name: str, rate_hz: int) -> np.ndarray:
    if name == "Click":
        return np.array([1.0])
    if name == "Burst":
        n = round(0.02 * rate_hz)
        sound = np.random.default_rng(_SEED).standard_normal(n) * np.hanning(n)
        return sound / np.abs(sound).max()
    if name == "Sweep":
        return sweep(rate_hz)
    if name == "Levels":
        return _levels(rate_hz)
    return _notes(POSITION_S if kind == "mix" else PROGRAMME_S, rate_hz, 0.3)


def sound_of(signal: TestSignal) -> np.ndarray:
    """The whole signal, (frames,), peak under -6 dBFS."""
    rate = signal.rate_hz
    out = np.zeros(round(signal.seconds * rate))

    def put(sound: np.ndarray, at_s: float, dbfs: float) -> None:
        first = round(at_s * rate)
        out[first : first + len(sound)] += sound * float(amplitude(dbfs))

    put(marker(rate), LEAD_S, LEVEL_DBFS)
    put(marker(rate), signal.end_marker_s, LEVEL_DBFS)
    for halt in signal.halts[1:-1]:
        if halt.name == "Back":
            continue
        loud = halt.name in ("Click", "Burst", "Levels")
        inside = _inside(signal.kind, halt.name, rate)
        turn_s = TURN_S if signal.kind == "mix" else 0.0
        put(inside, halt.start_s + turn_s, CLICK_DBFS if loud else LEVEL_DBFS)
    return out
