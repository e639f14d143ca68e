"""A delay whose time is moved while it sounds: the pitch glides, or old and new crossfade."""

import math

import numpy as np

from core.audio.past import Past
from core.render.processors.base import Curve
from core.render.processors.modulation import swing
from core.render.processors.oscillator import segments

FADE_S = 0.05


class MovingLine:
    """Like a DelayLine whose delay (samples) is a curve plus `more`; cubic between samples.

    Gliding, a tape that changes speed: over a ramp from T1 to T2 of length R the pitch moves by the
    factor `1 - (T2 - T1) / R`. Crossfading, each new time comes in over 50 ms and ramps are steps.
    `read` what was pushed, or, before a push, as much as the shortest delay.
    """

    def __init__(self, curve: Curve, more: float, fade: bool, rate_hz: int) -> None:
        self.curve, self.more, self.fade = curve, more, fade
        self.ramp = round(FADE_S * rate_hz)
        self.past = Past(2, math.ceil(max(curve.values) + more) + 8)
        self.reach, self.behind, self.done = self.past.reach, 0, 0
        self.shortest = max(1, math.floor(min(curve.values) + more) - 4)

    def push(self, block: np.ndarray) -> None:
        if self.behind > 0:
            self.past.reach = max(self.past.reach, self.reach + self.behind)
        self.past.add(block)
        self.behind += block.shape[1]

    def _at(self, late: np.ndarray, count: int) -> np.ndarray:
        out = np.empty((2, count))
        held = self.past.held[:, : self.past.end]
        origin = self.past.end - self.behind
        for side in range(2):
            swing(held[side], out[side], late, origin)
        return out

    def read(self, count: int) -> np.ndarray:
        n = segments(self.done, count)
        if not self.fade:
            late = np.interp(n, self.curve.at, self.curve.values) + self.more
            out = self._at(np.maximum(late, 2.0), count)
        else:
            out = self._crossfaded(n, count)
        self.done += count
        self.behind -= count
        return out

    def _crossfaded(self, n: np.ndarray, count: int) -> np.ndarray:
        """The time that holds at the start, and each new one faded in from its breakpoint on."""
        at, values = self.curve.at, self.curve.values
        began = [i for i in range(len(at)) if at[i] <= self.done - self.ramp]
        index = began[-1] if began else 0
        out = self._at(np.full(len(n), max(2.0, values[index] + self.more)), count)
        time = self.done + np.arange(count)
        for i in range(index + 1, len(at)):
            if at[i] > self.done + count:
                break
            if values[i] == values[i - 1]:
                continue
            share = np.clip((time - at[i]) / self.ramp, 0, 1)
            new = self._at(np.full(len(n), max(2.0, values[i] + self.more)), count)
            out = (1 - share) * out + share * new
        return out
