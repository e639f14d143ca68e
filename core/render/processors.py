"""What a matrix, a delay and filters do not say: stages whose gain moves with the signal or time."""

import math
import zlib
from collections.abc import Callable
from typing import Protocol

import numba
import numpy as np
from scipy.signal import lfilter, upfirdn

from core.errors import FonodromeError
from core.render.reverb import ReverbWork
from core.routing import kinds as k


class Processor(Protocol):
    """Takes and gives blocks of (2, n); `key` is what it listens to, None for its own input.

    `latency` in samples is made up for elsewhere; `own` is the part of the arc's delay (samples)
    that the processor makes itself.
    """

    latency: int
    own: float

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray: ...


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
    own = 0.0

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

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        heard = block if key is None else key
        level = 20 * np.log10(np.maximum(np.abs(heard).max(axis=0), 1e-9))
        wanted = self.reduction_db(level)
        taken = np.empty_like(wanted)
        self.state = _follow(wanted, taken, self.attack, self.release, self.state)
        return block * 10 ** ((self.makeup - taken) / 20)


class DuckerWork:
    """Turns down by its depth while the key sounds: louder than 20 dB below its nominal level.

    The key's power is smoothed over 10 ms; the gain in dB follows with one pole each for attack and
    release, time constants to 63 %, as a compressor's does.
    """

    latency = 0
    own = 0.0
    _BELOW_DB, _SMOOTH_S = 20.0, 0.01

    def __init__(self, stage: k.Ducker, rate_hz: int, nominal_dbfs: float) -> None:
        self.depth = stage.depth_db
        self.threshold = 10 ** ((nominal_dbfs - self._BELOW_DB) / 10)
        self.attack = math.exp(-1 / (stage.attack_ms / 1e3 * rate_hz))
        self.release = math.exp(-1 / (stage.release_ms / 1e3 * rate_hz))
        self.keep = math.exp(-1 / (self._SMOOTH_S * rate_hz))
        self.power, self.state = np.zeros(1), 0.0

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        heard = (block if key is None else key) ** 2
        power, self.power = lfilter(
            [1 - self.keep], [1, -self.keep], heard.max(axis=0), zi=self.power
        )
        wanted = np.where(power > self.threshold, self.depth, 0.0)
        taken = np.empty_like(wanted)
        self.state = _follow(wanted, taken, self.attack, self.release, self.state)
        return block * 10 ** (-taken / 20)


class TremoloWork:
    """A sine on the level: from 1 down to 1 - depth and back. Its phase begins at the top."""

    latency = 0
    own = 0.0

    def __init__(self, stage: k.Tremolo, rate_hz: int) -> None:
        self.depth, self.step = stage.depth_percent / 100, stage.rate_hz / rate_hz
        self.done, self.phase = 0, _phase(stage.id, stage.locked)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        n = self.done + np.arange(block.shape[1])
        self.done += block.shape[1]
        turn = 2 * np.pi * (self.step * n + self.phase)
        return block * (1 - self.depth * 0.5 * (1 - np.cos(turn)))


def _phase(id: str, locked: bool) -> float:
    """Where an LFO begins, in turns: 0 when locked, else its own for each device, as in life."""
    return 0.0 if locked else zlib.crc32(id.encode()) / 2**32


def _shaper(shape: str, ceiling: float) -> Callable[[np.ndarray], np.ndarray]:
    """Soft: `c tanh(x / c)`. Hard: cut at c. Fold: turned back at c, `2 c / pi asin sin`."""
    if shape == "soft":
        return lambda x: ceiling * np.tanh(x / ceiling)
    if shape == "hard":
        return lambda x: np.clip(x, -ceiling, ceiling)
    return lambda x: ceiling * 2 / np.pi * np.arcsin(np.sin(np.pi / 2 * x / ceiling))


class DriveWork:
    """Gain into a shaper, four times oversampled.

    One linear-phase low-pass of 449 taps (Kaiser, beta 12: flat to 20 kHz, 118 dB down from 24 kHz
    at a rate of 48 kHz) before and one after the shaper; together 112 samples late, which the
    renderer makes up for.
    """

    FACTOR, TAPS = 4, 449
    own = 0.0

    def __init__(self, stage: k.Drive, rate_hz: int) -> None:
        self.gain = 10 ** (stage.gain_db / 20)
        self.shape = _shaper(stage.shape, 10 ** (stage.ceiling_dbfs / 20))
        n = np.arange(self.TAPS) - self.TAPS // 2
        taps = np.sinc(n * (11 / 12) / self.FACTOR) * np.kaiser(self.TAPS, 12.0)
        self.taps = taps / taps.sum()
        self.latency = (self.TAPS - 1) // self.FACTOR
        self.before = np.zeros((2, self.TAPS // self.FACTOR))
        self.within = np.zeros((2, self.TAPS - 1))

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        reach = self.before.shape[1]
        whole = np.concatenate([self.before, block * self.gain], axis=1)
        self.before = whole[:, -reach:]
        risen = upfirdn(self.FACTOR * self.taps, whole, up=self.FACTOR, axis=1)
        first = self.FACTOR * reach
        bent = self.shape(risen[:, first : first + self.FACTOR * block.shape[1]])
        wide = np.concatenate([self.within, bent], axis=1)
        self.within = wide[:, -(self.TAPS - 1) :]
        fallen = upfirdn(self.taps, wide, down=self.FACTOR, axis=1)
        start = (self.TAPS - 1) // self.FACTOR
        return np.asarray(fallen[:, start : start + block.shape[1]])


class ChorusWork:
    """A delay that swings round its centre by a sine, read between samples by a cubic (Lagrange).

    Delay: `centre + depth sin`, never below one sample; with spread, the right side the other way.
    """

    latency = 0
    _SPARE = 4

    def __init__(self, stage: k.Chorus, rate_hz: int) -> None:
        self.centre = stage.centre_ms / 1e3 * rate_hz
        self.own = self.centre
        self.depth = stage.depth_ms / 1e3 * rate_hz
        self.step, self.phase = stage.rate_hz / rate_hz, _phase(stage.id, stage.locked)
        self.turn = (1.0, -1.0 if stage.spread else 1.0)
        self.done = 0
        self.held = np.zeros((2, math.ceil(self.centre + self.depth) + self._SPARE))

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        count, reach = block.shape[1], self.held.shape[1]
        whole = np.concatenate([self.held, block], axis=1)
        self.held = whole[:, -reach:]
        n = self.done + np.arange(count)
        self.done += count
        swing = self.depth * np.sin(2 * np.pi * (self.step * n + self.phase))
        out = np.empty_like(block)
        for side in range(2):
            late = np.maximum(self.centre + self.turn[side] * swing, 1.0)
            at = reach + np.arange(count) - late
            index = np.floor(at).astype(int)
            # The newest sample may be one too new for the cubic at the shortest delay.
            index = np.minimum(index, whole.shape[1] - 3)
            u = at - index
            y0, y1, y2, y3 = (whole[side, index + m] for m in (-1, 0, 1, 2))
            out[side] = (
                -u * (u - 1) * (u - 2) / 6 * y0
                + (u + 1) * (u - 1) * (u - 2) / 2 * y1
                - (u + 1) * u * (u - 2) / 2 * y2
                + (u + 1) * u * (u - 1) / 6 * y3
            )
        return out


def processor_for(
    stage: k.Stage, rate_hz: int, channels: int = 2, nominal_dbfs: float = -20.0
) -> Processor:
    """The processor of a stage; `nominal_dbfs` is the nominal level of what it listens to. Raises FonodromeError for one that cannot be rendered yet."""
    if isinstance(stage, k.Compressor):
        return CompressorWork(stage, rate_hz)
    if isinstance(stage, k.Ducker):
        return DuckerWork(stage, rate_hz, nominal_dbfs)
    if isinstance(stage, k.Tremolo):
        return TremoloWork(stage, rate_hz)
    if isinstance(stage, k.Drive):
        return DriveWork(stage, rate_hz)
    if isinstance(stage, k.Chorus):
        return ChorusWork(stage, rate_hz)
    if isinstance(stage, k.Reverb):
        return ReverbWork(stage, rate_hz, channels)
    raise FonodromeError(f"{stage.shown} ({stage.title.lower()}) cannot be rendered yet.")
