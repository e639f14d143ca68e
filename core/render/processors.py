"""What a matrix, a delay and filters do not say: stages whose gain moves with the signal or time."""

import math
from typing import Protocol

import numba
import numpy as np

from core.errors import FonodromeError
from core.routing import kinds as k


class Processor(Protocol):
    """Takes and gives blocks of (2, n); `latency` in samples."""

    latency: int

    def __call__(self, block: np.ndarray) -> np.ndarray: ...


@numba.njit("float64(float64[:], float64[:], float64, float64, float64)", cache=True, nogil=True)
def _follow(wanted, out, attack, release, state):  # type: ignore[no-untyped-def]
    """Gain reduction (dB, 0 or more) that follows the wanted one: attack while it grows."""
    for i in range(len(wanted)):
        rate = attack if wanted[i] > state else release
        state = wanted[i] + rate * (state - wanted[i])
        out[i] = state
    return state


class CompressorWork:
    """Feed-forward compressor with a soft knee, both sides turned down together.

    Static curve: Giannoulis, Massberg and Reiss 2012, eq. 4; the level is the peak of the louder
    side; the gain reduction in dB follows with one pole each for attack and release (smooth,
    branching: the same paper, eq. 16), time constants to 63 %.
    """

    latency = 0

    def __init__(self, stage: k.Compressor, rate_hz: int) -> None:
        self.threshold, self.ratio = stage.threshold_db, stage.ratio
        self.knee, self.makeup = stage.knee_db, stage.makeup_db
        self.attack = math.exp(-1 / (stage.attack_ms / 1e3 * rate_hz))
        self.release = math.exp(-1 / (stage.release_ms / 1e3 * rate_hz))
        self.state = 0.0

    def reduction_db(self, level_db: np.ndarray) -> np.ndarray:
        """What the static curve takes off (dB, 0 or more) at levels in dB."""
        over = level_db - self.threshold
        slope = 1 - 1 / self.ratio
        hard = slope * np.maximum(over, 0.0)
        if self.knee <= 0:
            return np.asarray(hard)
        soft = slope * (over + self.knee / 2) ** 2 / (2 * self.knee)
        return np.where(np.abs(2 * over) <= self.knee, soft, hard)

    def __call__(self, block: np.ndarray) -> np.ndarray:
        level = 20 * np.log10(np.maximum(np.abs(block).max(axis=0), 1e-9))
        wanted = self.reduction_db(level)
        taken = np.empty_like(wanted)
        self.state = _follow(wanted, taken, self.attack, self.release, self.state)
        return block * 10 ** ((self.makeup - taken) / 20)


class TremoloWork:
    """A sine on the level: from 1 down to 1 - depth and back. Its phase begins at the top."""

    latency = 0

    def __init__(self, stage: k.Tremolo, rate_hz: int) -> None:
        self.depth, self.step = stage.depth_percent / 100, stage.rate_hz / rate_hz
        self.done = 0

    def __call__(self, block: np.ndarray) -> np.ndarray:
        n = self.done + np.arange(block.shape[1])
        self.done += block.shape[1]
        return block * (1 - self.depth * 0.5 * (1 - np.cos(2 * np.pi * self.step * n)))


def processor_for(stage: k.Stage, rate_hz: int) -> Processor:
    """The processor of a stage. Raises FonodromeError for one that cannot be rendered yet."""
    if isinstance(stage, k.Compressor):
        return CompressorWork(stage, rate_hz)
    if isinstance(stage, k.Tremolo):
        return TremoloWork(stage, rate_hz)
    raise FonodromeError(f"{stage.shown} ({stage.title.lower()}) cannot be rendered yet.")
