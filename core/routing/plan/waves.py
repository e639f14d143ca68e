"""What a low-frequency oscillator goes through in a cycle, and how far a level moves it.

A wave is a level between 0 and 1 over turns (cycles, with fractions). Smoothing is its mean over a
share of a cycle about each instant, so that it delays nothing; what jumps is smoothed by an edge of
1 ms at least (an eighth of a cycle at most), or it would click. The means are exact: differences of
the wave's integral.
"""

import math
from dataclasses import dataclass

import numpy as np

from core.routing.document import kinds as k
from core.units.decibel import amplitude

CYCLE = ".cycle"
"""Behind a stage's name: the length of its cycle among the times of a plan."""
FASTEST_HZ = 2000.0
"""Of an oscillator, however its rate is given."""
EDGE_S, EDGE_SHARE = 1e-3, 0.125
_FALL = math.exp(-5)
"""What an exponential has come down to at the end of its cycle, before it is set to 0."""
JUMPING = ("saw-up", "saw-down", "exponential", "steps", "sample-and-hold")
_ABOUT_CENTRE = ("sine", "triangle")
"""Waves that are begun a quarter earlier where they swing both ways: from the centre upwards."""


@dataclass(frozen=True)
class Wave:
    """shape: as a stage has it, or 'half-sine'. rate_hz: for how long an edge is, in turns."""

    shape: str = "sine"
    rate_hz: float = 1.0
    steps: int = 4
    smooth: float = 0.0
    """Share of a cycle, 0 to 1."""
    seed: int = 1

    @property
    def width(self) -> float:
        """Share of a cycle that each value is the mean of."""
        edge = min(EDGE_SHARE, EDGE_S * self.rate_hz) if self.shape in JUMPING else 0.0
        return min(1.0, max(edge, self.smooth))

    def level(self, turns: np.ndarray) -> np.ndarray:
        """From 0 to 1, at turns of any sign. A sine and a triangle begin at 1, a falling saw too."""
        turns, width = np.asarray(turns, float), self.width
        if self.shape == "sine":
            return np.asarray(0.5 + 0.5 * np.sinc(width) * np.cos(2 * np.pi * turns))
        if self.shape == "sample-and-hold":
            return self._held(turns, width)
        if width == 0:
            return self._plain(turns - np.floor(turns))
        over = self._integral(turns + width / 2) - self._integral(turns - width / 2)
        return np.asarray(np.clip(over / width, 0.0, 1.0))

    def swing(self, turns: np.ndarray) -> np.ndarray:
        """From -1 to 1; a sine and a triangle from 0 upwards."""
        early = 0.25 if self.shape in _ABOUT_CENTRE else 0.0
        return 2 * self.level(np.asarray(turns, float) - early) - 1

    def _plain(self, part: np.ndarray) -> np.ndarray:
        if self.shape == "triangle":
            return np.abs(1 - 2 * part)
        if self.shape == "half-sine":
            return np.sin(np.pi * part)
        raise ValueError(self.shape)

    def _integral(self, turns: np.ndarray) -> np.ndarray:
        whole = np.floor(turns)
        return np.asarray(whole * self._upto(np.ones(1))[0] + self._upto(turns - whole))

    def _upto(self, p: np.ndarray) -> np.ndarray:
        """Integral of the wave from 0 to p, p from 0 to 1."""
        if self.shape == "triangle":
            return np.where(p < 0.5, p - p * p, 0.25 + (p - 0.5) ** 2)
        if self.shape == "saw-up":
            return p * p / 2
        if self.shape == "saw-down":
            return p - p * p / 2
        if self.shape == "exponential":
            return ((1 - np.exp(-5 * p)) / 5 - p * _FALL) / (1 - _FALL)
        if self.shape == "half-sine":
            return (1 - np.cos(np.pi * p)) / np.pi
        if self.shape == "steps":
            top = self.steps - 1
            k = np.minimum(np.floor(p * self.steps), top)
            return (k * (k - 1) / 2 / self.steps + (p - k / self.steps) * k) / top
        raise ValueError(self.shape)

    def _held(self, turns: np.ndarray, width: float) -> np.ndarray:
        """A new value every cycle; over the width of a change, a straight line to it."""
        n = np.floor(turns)
        part = turns - n
        before = np.clip(0.5 - part / width, 0, 1) if width else np.zeros(turns.shape)
        after = np.clip(0.5 - (1 - part) / width, 0, 1) if width else np.zeros(turns.shape)
        cycles = n.astype(np.int64)
        values = (drawn(self.seed, cycles + d) for d in (-1, 0, 1))
        old, now, new = values
        return before * old + (1 - before - after) * now + after * new


def drawn(seed: int, cycles: np.ndarray) -> np.ndarray:
    """Values from 0 to 1 of a seed, one a cycle: the same for the same cycle wherever one begins.

    The mixing of SplitMix64 (Steele, Lea and Flood, 2014), by its position in the sequence.
    """
    with np.errstate(over="ignore"):
        at = np.asarray(cycles, np.int64).astype(np.uint64)
        z = (at + np.uint64(seed) * np.uint64(0x2545F4914F6CDD1D)) * np.uint64(0x9E3779B97F4A7C15)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z ^= z >> np.uint64(31)
    return np.asarray((z >> np.uint64(11)) * 2.0**-53)


def follow_share(
    envelope: np.ndarray | float, threshold_dbfs: float, full_dbfs: float
) -> np.ndarray:
    """How far a follower has gone, 0 to 1: not at all up to its threshold, whole from `full` on."""
    low = amplitude(threshold_dbfs)
    span = max(amplitude(full_dbfs) - low, 1e-9)
    return np.asarray(np.clip((np.asarray(envelope) - low) / span, 0.0, 1.0))


def depth_share(share: np.ndarray | float, level_depth_percent: float) -> np.ndarray:
    """What is left of a depth: with a positive setting it comes with the level, with a negative
    one it goes."""
    by = level_depth_percent / 100
    return np.asarray(1 - by * (1 - np.asarray(share)) if by >= 0 else 1 + by * np.asarray(share))


_TURNS, _HELD_TURNS = 64, 256


def turns_of(shape: str, count: int = _TURNS) -> np.ndarray:
    """Turns over which a wave goes through all that it does."""
    if shape != "sample-and-hold":
        return np.asarray((np.arange(count) + 0.5) / count)
    return np.asarray((np.arange(max(count, 1024)) + 0.5) / max(count, 1024) * _HELD_TURNS)


_DIPS = {"ramp": "saw-down"}


def wave_of(stage: k.Waved, period_s: float | None = None) -> Wave:
    """The wave of a stage; period_s: of a cycle that is given as a time, in place of its rate."""
    shape = stage.dip_shape if isinstance(stage, k.Ducker) else getattr(stage, "wave", "sine")
    return Wave(
        _DIPS.get(shape, shape), rate_of(stage, period_s), stage.steps, stage.smooth_percent / 100,
        stage.seed,
    )  # fmt: skip


def rate_of(stage: k.Waved, period_s: float | None = None) -> float:
    """Cycles per second."""
    return 1 / period_s if period_s else float(getattr(stage, "rate_hz", 1.0))


def apart_of(stage: k.Waved) -> float:
    """Turns by which right is ahead of left."""
    half = 180.0 if isinstance(stage, k.Chorus) and stage.spread else 0.0
    return (stage.sides_deg + half) % 360 / 360
