"""What every processor is given and what it answers to."""

import zlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np


@dataclass(frozen=True)
class Setting:
    """Where a processor stands: sample rate, channels of its block, and what only the plan knows."""

    rate_hz: int
    channels: int = 2
    nominal_dbfs: float = -20.0
    """Nominal RMS level of what it listens to."""
    times_s: Mapping[str, float] = field(default_factory=dict)
    """Note values of the plan in seconds, by stage."""
    impulses: Mapping[str, np.ndarray] = field(default_factory=dict)
    """Impulse responses (channels, n) at this rate, by the name that a stage gives."""
    moves: Mapping[str, "Curve"] = field(default_factory=dict)
    """Written moves of this stage's own fields, by field."""
    start_s: float = 0.0
    """Of the song, at which the clip begins: what goes round by itself goes by the song's time."""
    seed: int = 0
    own_lines: int = 0
    """Which set of lines a reverb has."""


@dataclass(frozen=True)
class Curve:
    """A value over time: straight between breakpoints, held before the first and after the last."""

    at: tuple[float, ...]
    """Samples, rising; two alike make a step."""
    values: tuple[float, ...]

    def over(self, start: int, count: int) -> np.ndarray:
        """Values for `count` samples from sample `start`."""
        return np.interp(np.arange(start, start + count), self.at, self.values)


class Processor(Protocol):
    """Takes and gives blocks of (2, n); `key` is what it listens to, None for its own input.

    `latency` in samples is made up for elsewhere; `own` is the part of the arc's delay (samples)
    that the processor makes itself.
    """

    latency: int
    own: float

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray: ...


def lfo_phase(id: str, locked: bool) -> float:
    """Where an LFO begins, in turns: 0 when locked, else its own for each device, as in life."""
    return 0.0 if locked else zlib.crc32(id.encode()) / 2**32


def one_pole(time_ms: float, rate_hz: float) -> float:
    """Coefficient `exp(-1 / (tau fs))` of a one-pole smoother: 63 % after `time_ms`."""
    return float(np.exp(-1 / (time_ms / 1e3 * rate_hz)))
