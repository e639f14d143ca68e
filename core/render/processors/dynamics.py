"""Gain that follows a level: compressors, three ways of ducking, the envelope follower.

Levels are taken in single precision (a ten-thousandth of a dB); only what has to go sample by
sample, a recursion of one pole, is a compiled loop.
"""

import math

import numpy as np
import scipy

from core.audio.biquads import Biquads
from core.blend.dynamics import SILENT_DB
from core.render.processors.base import Setting, one_pole
from core.render.processors.fast import (
    Scratch,
    compress,
    follow,
    loudest,
    reduce_into,
    rows,
    to_db,
    to_gain,
)  # fmt: skip
from core.routing.document import kinds as k


class Detector:
    """Level in dB of the louder side: its peak, or its RMS over a time constant."""

    RMS_MS = 10.0

    def __init__(self, way: str, rate_hz: int) -> None:
        self.keep = one_pole(self.RMS_MS, rate_hz) if way == "rms" else None
        self.power = np.zeros(1)

    def __call__(self, heard: np.ndarray) -> np.ndarray:
        if self.keep is None:
            return to_db(loudest(heard))
        power = np.max(heard * heard, axis=0)
        power, self.power = scipy.signal.lfilter(
            [1 - self.keep], [1, -self.keep], power, zi=self.power
        )
        return to_db(np.sqrt(np.maximum(power, 0)).astype(np.float32))


def _knee(knee_db: float) -> np.float32:
    """A knee that single precision can divide by, or none."""
    return np.float32(knee_db if knee_db > 1e-3 else 0.0)


def static_reduction(
    level_db: np.ndarray, threshold_db: float, ratio: float, knee_db: float
) -> np.ndarray:
    """What the static curve takes off (dB, 0 or more) at levels in dB.

    Giannoulis, Massberg and Reiss 2012, eq. 4, written as one piece: with `u` the part of the knee
    that the level has passed (0 to K), `(1 - 1/R) (u^2 / (2 K) + what lies beyond the knee)`.
    """
    out = np.array(level_db, dtype=np.float32)
    reduce_into(out, np.float32(threshold_db), np.float32(1 - 1 / ratio), _knee(knee_db))
    return out


class CompressorWork:
    """Feed-forward compressor with a soft knee, both sides turned down together; no look-ahead.

    The level is the peak or the RMS (10 ms) of the louder side; the reduction in dB follows the
    static curve with one pole each for attack and release (smooth, branching: the same paper,
    eq. 16), time constants to 63 %.
    """

    latency = 0
    own = 0.0

    def __init__(self, stage: k.Compressor, setting: Setting) -> None:
        rate = setting.rate_hz
        self.threshold, self.ratio = stage.threshold_db, stage.ratio
        self.knee, self.makeup = stage.knee_db, np.float32(stage.makeup_db)
        self.attack, self.release = (
            one_pole(stage.attack_ms, rate),
            one_pole(stage.release_ms, rate),
        )
        self.detector = Detector(stage.detector, rate)
        self.peak, self.scratch = stage.detector == "peak", Scratch()
        self.state = 0.0

    def reduction(self, heard: np.ndarray) -> np.ndarray:
        """Gain reduction (dB, 0 or more) over a stretch of what it listens to."""
        taken = static_reduction(self.detector(heard), self.threshold, self.ratio, self.knee)
        self.state = follow(taken, taken, self.attack, self.release, self.state)
        return taken

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        heard = block if key is None else key
        if not self.peak:
            return block * to_gain(self.makeup - self.reduction(heard))
        out, room = np.empty(block.shape), self.scratch
        self.state = compress(
            *rows(block), *rows(heard), out, room.level,
            room.level_bits, room.as_float, room.mantissa, room.exponents,
            np.float32(self.threshold), np.float32(1 - 1 / self.ratio), _knee(self.knee),
            self.makeup, self.attack, self.release, self.state,
        )  # fmt: skip
        return out


class EnvelopeFollower:
    """Full-wave rectifier, then one pole with its own attack and release (63 %).

    With equal times a unit sine reads 2 / pi = 0.64; with a short attack and a long release it
    nears 1. `reading` says what it reads, so that it can be compensated.
    """

    def __init__(self, attack_ms: float, release_ms: float, rate_hz: int) -> None:
        self.attack, self.release = one_pole(attack_ms, rate_hz), one_pole(release_ms, rate_hz)
        self.rate_hz, self.state = rate_hz, 0.0

    def __call__(self, heard: np.ndarray) -> np.ndarray:
        out = loudest(heard)
        self.state = follow(out, out, self.attack, self.release, self.state)
        return out

    def reading(self, hz: float = 440.0) -> float:
        """Mean reading of a unit sine once it has settled."""
        own = EnvelopeFollower(1, 1, self.rate_hz)
        own.attack, own.release = self.attack, self.release
        slow = -1 / math.log(max(self.attack, self.release, 1e-9)) / self.rate_hz
        count = round((min(5.0, 8 * slow) + 1.0) * self.rate_hz)
        sine = np.sin(2 * np.pi * hz * np.arange(count) / self.rate_hz)
        return float(own(sine[None, :])[-round(0.5 * self.rate_hz) :].mean())


class ThreeBandWork:
    """Compresses downwards above one threshold and upwards below another, in three bands.

    Linkwitz-Riley crossovers of 24 dB per octave; the low band passes the upper crossover's
    all-pass, so that the three add up flat when nothing is done. Upwards it lifts by
    `(1 - 1/R) (T - x)`, at most `up to`, and leaves alone what is below -70 dBFS.
    """

    latency = 0
    own = 0.0
    _HOLD_MS = 60.0

    def __init__(self, stage: k.ThreeBand, setting: Setting) -> None:
        rate = setting.rate_hz
        # Crossovers above what the rate can hold stand at its top.
        low = min(stage.low_hz, 0.3 * rate)
        high = min(max(stage.high_hz, low * 1.5), 0.45 * rate)

        def butter(kind: str, hz: float) -> np.ndarray:
            one = scipy.signal.butter(2, hz, kind, fs=rate, output="sos")
            return np.concatenate([one, one])

        through = scipy.signal.butter(2, high, fs=rate)[1]
        around = np.concatenate([through[::-1], through])[None, :]
        self.low = Biquads(np.concatenate([butter("low", low), around]))
        self.above = Biquads(butter("high", low))
        self.mid, self.high = Biquads(butter("low", high)), Biquads(butter("high", high))
        self.trims = (stage.low_db, stage.mid_db, stage.high_db)
        self.stage, self.follow, self.level = stage, [0.0, 0.0, 0.0], [0.0, 0.0, 0.0]
        # Levels are held over the zeros of a wave, or quiet would be seen twice in every period.
        self.at_once, self.hold = one_pole(0.05, rate), one_pole(self._HOLD_MS, rate)
        self.attack, self.release = (
            one_pole(stage.attack_ms, rate),
            one_pole(stage.release_ms, rate),
        )

    def lift(self, level: np.ndarray) -> np.ndarray:
        """Gain in dB at levels in dB, before attack and release."""
        s = self.stage
        down = static_reduction(level.copy(), s.threshold_db, s.ratio, 6.0)
        up = (1 - 1 / s.up_ratio) * np.maximum(s.up_threshold_db - level, 0)
        up = np.where(level > SILENT_DB, np.minimum(up, s.up_most_db), 0)
        return np.asarray(up - down, dtype=np.float32)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        out = np.zeros(block.shape)
        above = self.above(block)
        for band, part in enumerate((self.low(block), self.mid(above), self.high(above))):
            size = loudest(part)
            self.level[band] = follow(size, size, self.at_once, self.hold, self.level[band])
            taken = -self.lift(to_db(size))
            self.follow[band] = follow(taken, taken, self.attack, self.release, self.follow[band])
            out += part * to_gain(np.float32(self.trims[band]) - taken)
        return out
