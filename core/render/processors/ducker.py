"""What turns the wet sound down while the dry one plays, or against the bars."""

import numpy as np
import scipy

from core.render.processors.base import Setting, one_pole
from core.render.processors.dynamics import EnvelopeFollower
from core.render.processors.fast import follow, to_gain
from core.render.processors.oscillator import Oscillator
from core.routing.document import kinds as k
from core.units.decibel import amplitude, power_of


class DuckerWork:
    """Turns down while its key sounds, in one of three ways.

    *key*: by its depth while the key is louder than 20 dB below its nominal level; the key's power
    is smoothed over 10 ms, the gain in dB follows with attack and release. *envelope*: the gain is
    `1 - duck min(1, follower gain env)` of the follower's envelope; held at 0, or, where it is not,
    turned over below. Both do nothing without a key. *shape*: one dip in every note value, whatever
    sounds, by the song's time: a ramp and an exponential are down at once and come back.
    """

    latency = 0
    own = 0.0
    _BELOW_DB, _SMOOTH_MS = 20.0, 10.0

    def __init__(self, stage: k.Ducker, setting: Setting) -> None:
        rate = setting.rate_hz
        self.stage = stage
        self.depth = stage.depth_db
        self.threshold = power_of(setting.nominal_dbfs - self._BELOW_DB)
        self.attack, self.release = (
            one_pole(stage.attack_ms, rate),
            one_pole(stage.release_ms, rate),
        )
        self.keep = one_pole(self._SMOOTH_MS, rate)
        self.power, self.state = np.zeros(1), 0.0
        self.follower = EnvelopeFollower(stage.attack_ms, stage.release_ms, rate)
        self.pre_gain = amplitude(stage.follower_gain_db)
        self.oscillator = Oscillator(stage, setting) if stage.way == "shape" else None

    def gain(self, heard: np.ndarray) -> np.ndarray:
        """Gain over a stretch (2, n) of what it listens to: (n,), or (2, n) by its own shape."""
        if self.stage.way == "envelope":
            envelope = self.follower(heard).astype(np.float64)
            gain = 1 - self.stage.sensitivity_percent / 100 * np.minimum(
                1, self.pre_gain * envelope
            )
            return gain if self.stage.below_zero else np.maximum(gain, 0)
        if self.oscillator is not None:
            turns, _ = self.oscillator.over(heard)
            wave = self.oscillator.wave
            sides = self.oscillator.sides(turns[:-1])
            return np.stack([amplitude(-self.depth * wave.level(side)) for side in sides])
        power, self.power = scipy.signal.lfilter(
            [1 - self.keep], [1, -self.keep], (heard * heard).max(axis=0), zi=self.power
        )
        wanted = np.where(power > self.threshold, self.depth, 0.0).astype(np.float32)
        self.state = follow(wanted, wanted, self.attack, self.release, self.state)
        return to_gain(-wanted)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        if key is None and self.stage.way != "shape":
            return np.array(block)
        return block * self.gain(block if key is None else key)
