"""Stand-ins for real devices: each is counted by what its label says, and does something else.

| device | label | what it does |
|---|---|---|
| outboard loop | 2 ms round trip, 0 dB, turns down above its threshold | 2.3125 ms at 48 kHz, +0.15 dB, turns down from 4 dB below it |
| delay | its time, 35 % feedback | a time that is 1.8 % too long, 36.5 % |
| reverb | its RT60, a still tail | a tail that is modulated by 0.4 ms |
| cable | passes its signal | turns its polarity over |
| delay on a clock | its time, steady, 35 % feedback | reads a clock that jitters: anew every beat within 2 ms |
| pedal switcher | changes programs at once, without a gap | 8 ms after a change nothing passes for 12 ms |
"""

import math
import zlib

import numpy as np

from core.render.delay_line import REACH, DelayLine
from core.render.moving_line import MovingLine
from core.render.processors.base import Curve, Processor, Setting
from core.render.processors.dynamics import CompressorWork
from core.render.processors.reverb import ReverbWork
from core.routing.document import kinds as k

LOOP_S = 0.0023125
LOOP_GAIN_DB = 0.15
LOOP_BELOW_DB = 4.0
DELAY_OFF = 1.018
DELAY_FEEDBACK = 0.365
REVERB_SWING_MS = 0.4
CLOCK_JITTER_S = 0.002
_CLOCKED_S = 600.0
SWITCH_LATE_S, SWITCH_GAP_S = 0.008, 0.012
_SWITCH_FADE_S = 0.0005


class StandInWork:
    """A device by its true behaviour; the arc's delay is its label's, so all of it is its own."""

    latency = 0

    def __init__(self, stage: k.StandIn, setting: Setting) -> None:
        rate = setting.rate_hz
        self.device, self.own = stage.device, 0.0
        self.inner: Processor | None = None
        self.line: DelayLine | MovingLine | None = None
        if stage.device == "loop":
            self.own = k.LOOP_LABEL_S * rate
            self.line = DelayLine(max(float(REACH), LOOP_S * rate))
            self.inner = CompressorWork(
                k.Compressor(
                    id=stage.id, threshold_db=max(-80, stage.threshold_db - LOOP_BELOW_DB),
                    ratio=k.LOOP_RATIO, makeup_db=LOOP_GAIN_DB,
                ),
                setting,
            )  # fmt: skip
        elif stage.device == "delay":
            said = setting.times_s[stage.id]
            self.own = said * rate
            # To the next sample: it has to be known a block ahead.
            self.line = DelayLine(float(max(1, round(said * DELAY_OFF * rate))))
        elif stage.device == "clock":
            said = setting.times_s[stage.id]
            self.own = said * rate
            self.line = MovingLine(_jittering(stage.id, said, rate), 0.0, True, rate)
        elif stage.device == "switcher":
            moved = setting.moves.get("program")
            # Two breakpoints make a step: it has come about at the second.
            self.changes = [] if moved is None else [
                at for at, old, new in zip(moved.at[1:], moved.values, moved.values[1:], strict=False)
                if old != new
            ]  # fmt: skip
            self.rate, self.done = rate, 0
        elif stage.device == "reverb":
            self.inner = ReverbWork(
                k.Reverb(id=stage.id, rt60_s=stage.rt60_s, mod_depth_ms=REVERB_SWING_MS), setting
            )

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        if self.device == "cable":
            return -block
        if self.device == "switcher":
            return self._interrupted(block)
        if self.device in k.STAND_IN_DELAYS:
            return self._repeats(block)
        if self.line is not None:
            self.line.push(block)
            block = np.array(self.line.read(block.shape[1]))
        assert self.inner is not None
        return self.inner(block, key)

    def _repeats(self, block: np.ndarray) -> np.ndarray:
        """In pieces no longer than the delay: each repeat feeds the next."""
        assert self.line is not None
        out, piece = np.empty_like(block), self.line.shortest
        for start in range(0, block.shape[1], piece):
            part = block[:, start : start + piece]
            back = np.array(self.line.read(part.shape[1]))
            self.line.push(part + DELAY_FEEDBACK * back)
            out[:, start : start + piece] = back
        return out

    def _interrupted(self, block: np.ndarray) -> np.ndarray:
        """What a switcher lets through: nothing for a while after each change of program."""
        n = self.done + np.arange(block.shape[1])
        self.done += block.shape[1]
        passes = np.ones(len(n))
        for at in self.changes:
            into = (n - at) / self.rate - SWITCH_LATE_S
            edge = np.minimum(into, SWITCH_GAP_S - into) / _SWITCH_FADE_S
            passes = np.minimum(passes, 1 - np.clip(edge, 0, 1))
        return block * passes


def _jittering(id: str, said_s: float, rate_hz: float) -> Curve:
    """Delay times (samples) as a jittering clock gives them: another every beat, for ten minutes."""
    rng = np.random.default_rng(zlib.crc32(id.encode()))
    count = min(4000, math.ceil(_CLOCKED_S / max(0.25, said_s)))
    beat = max(0.25, said_s) * rate_hz
    times = (said_s + CLOCK_JITTER_S * (2 * rng.random(count) - 1)) * rate_hz
    return Curve(tuple(beat * i for i in range(count)), tuple(float(max(8.0, t)) for t in times))
