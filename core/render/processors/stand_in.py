"""Stand-ins for real devices: each is counted by what its label says, and does something else.

| device | label | what it does |
|---|---|---|
| outboard loop | 2 ms round trip, 0 dB, turns down above its threshold | 2.3125 ms at 48 kHz, +0.15 dB, turns down from 4 dB below it |
| delay | its time, 35 % feedback | a time that is 1.8 % too long, 36.5 % |
| reverb | its RT60, a still tail | a tail that is modulated by 0.4 ms |
| cable | passes its signal | turns its polarity over |
"""

import numpy as np

from core.render.delay_line import REACH, DelayLine
from core.render.processors.base import Processor, Setting
from core.render.processors.dynamics import CompressorWork
from core.render.processors.reverb import ReverbWork
from core.routing import kinds as k

LOOP_S = 0.0023125
LOOP_GAIN_DB = 0.15
LOOP_BELOW_DB = 4.0
LOOP_RATIO = 2.0
DELAY_OFF = 1.018
DELAY_FEEDBACK = 0.365
REVERB_SWING_MS = 0.4


class StandInWork:
    """A device by its true behaviour; the arc's delay is its label's, so all of it is its own."""

    latency = 0

    def __init__(self, stage: k.StandIn, setting: Setting) -> None:
        rate = setting.rate_hz
        self.device, self.own = stage.device, 0.0
        self.inner: Processor | None = None
        self.line: DelayLine | None = None
        if stage.device == "loop":
            self.own = k.LOOP_LABEL_S * rate
            self.line = DelayLine(max(float(REACH), LOOP_S * rate))
            self.inner = CompressorWork(
                k.Compressor(
                    id=stage.id, threshold_db=max(-80, stage.threshold_db - LOOP_BELOW_DB),
                    ratio=LOOP_RATIO, makeup_db=LOOP_GAIN_DB,
                ),
                setting,
            )  # fmt: skip
        elif stage.device == "delay":
            said = setting.times_s[stage.id]
            self.own = said * rate
            # To the next sample: it has to be known a block ahead.
            self.line = DelayLine(float(max(1, round(said * DELAY_OFF * rate))))
        elif stage.device == "reverb":
            self.inner = ReverbWork(
                k.Reverb(id=stage.id, rt60_s=stage.rt60_s, mod_depth_ms=REVERB_SWING_MS), setting
            )

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        if self.device == "cable":
            return -block
        if self.device == "delay":
            return self._repeats(block)
        if self.line is not None:
            self.line.push(block)
            block = np.array(self.line.read(block.shape[1]))
        assert self.inner is not None
        return self.inner(block, key)

    def _repeats(self, block: np.ndarray) -> np.ndarray:
        """In pieces no longer than the delay: each repeat feeds the next."""
        assert self.line is not None
        out, piece = np.empty_like(block), max(1, self.line.whole)
        for start in range(0, block.shape[1], piece):
            part = block[:, start : start + piece]
            count = part.shape[1]
            past = self.line.past
            back = np.array(past.held[:, past.end - self.line.whole : past.end][:, :count])
            self.line.push(part + DELAY_FEEDBACK * back)
            self.line.read(count)
            out[:, start : start + count] = back
        return out
