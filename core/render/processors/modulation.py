"""What an LFO or an envelope moves: tremolo, chorus, swept filters.

Up to 20 Hz an LFO of a chorus or a filter is computed every 32 samples and taken as straight between:
at 10 Hz and 48 kHz within a millionth; a faster one for every sample.
"""

import math

import numpy as np

from core.audio.past import Past
from core.render.processors.base import Curve, Setting
from core.render.processors.dynamics import EnvelopeFollower
from core.render.processors.oscillator import SEGMENT, Oscillator, segments
from core.routing.document import kinds as k
from core.routing.plan.responses import comb_of
from core.routing.plan.spread import LOWEST_HZ
from core.routing.plan.waves import follow_share
from core.sample_loops import sample_loop


class TremoloWork:
    """A wave on the level: from 1 down to 1 - depth and back. A sine begins at the top."""

    latency = 0
    own = 0.0

    def __init__(self, stage: k.Tremolo, setting: Setting) -> None:
        self.depth, self.oscillator = stage.depth_percent / 100, Oscillator(stage, setting)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        turns, share = self.oscillator.over(block if key is None else key)
        wave, depth = self.oscillator.wave, self.depth * share[:-1]
        levels = (wave.level(side[:-1]) for side in self.oscillator.sides(turns))
        return block * np.stack([1 - depth * (1 - level) for level in levels])


@sample_loop(
    "void(float64[::1], float64[::1], float64[::1], int64)",
    fastmath={"contract"},
)
def swing(whole, out, late, origin):  # type: ignore[no-untyped-def]
    """out[i] = whole at `origin + i - late`, late given every 32 samples; cubic between samples.

    Lagrange through four samples, in Horner's form. Where the whole part of the delay stays the same
    over a segment, the samples read are neighbours.
    """
    n, newest = len(out), len(whole) - 3
    for s in range(len(late) - 1):
        start = s * 32
        stop = min(n, start + 32)
        slope = (late[s + 1] - late[s]) / 32
        shift = origin - late[s] + slope * start
        step = 1 - slope
        first, last = int(shift + step * start) - start, int(shift + step * (stop - 1)) - (stop - 1)
        if first == last and first + stop - 1 <= newest:
            base = start + first
            y0, y1 = whole[base - 1 : base + 31], whole[base : base + 32]
            y2, y3 = whole[base + 1 : base + 33], whole[base + 2 : base + 34]
            into = out[start:stop]
            ahead = shift - first - slope * start
            for i in range(len(into)):
                u = ahead - slope * i
                a = (y3[i] - y0[i]) / 6 + (y1[i] - y2[i]) / 2
                b = (y0[i] + y2[i]) / 2 - y1[i]
                c = y2[i] - y0[i] / 3 - y1[i] / 2 - y3[i] / 6
                into[i] = ((a * u + b) * u + c) * u + y1[i]
            continue
        for i in range(start, stop):
            at = shift + step * i
            index = min(int(at), newest)
            u = at - index
            z0, z1, z2, z3 = whole[index - 1], whole[index], whole[index + 1], whole[index + 2]
            a = (z3 - z0) / 6 + (z1 - z2) / 2
            b = (z0 + z2) / 2 - z1
            c = z2 - z0 / 3 - z1 / 2 - z3 / 6
            out[i] = ((a * u + b) * u + c) * u + z1


@sample_loop("void(float64[::1], float64[::1], float64[::1], int64)")
def swing_each(whole, out, late, origin):  # type: ignore[no-untyped-def]
    """As `swing`, `late` given for every sample."""
    newest = len(whole) - 3
    for i in range(len(out)):
        at = origin + i - late[i]
        index = min(int(at), newest)
        u = at - index
        z0, z1, z2, z3 = whole[index - 1], whole[index], whole[index + 1], whole[index + 2]
        a = (z3 - z0) / 6 + (z1 - z2) / 2
        b = (z0 + z2) / 2 - z1
        c = z2 - z0 / 3 - z1 / 2 - z3 / 6
        out[i] = ((a * u + b) * u + c) * u + z1


class ChorusWork:
    """A delay that swings round its centre by a wave, read between samples by a cubic (Lagrange).

    Delay: `centre + depth wave`, never below one sample; with spread, right half a cycle ahead.
    """

    latency = 0
    _SPARE = 4

    def __init__(self, stage: k.Chorus, setting: Setting) -> None:
        rate = setting.rate_hz
        self.centre = stage.centre_ms / 1e3 * rate
        self.own = self.centre
        self.depth = stage.depth_ms / 1e3 * rate
        self.oscillator, self.channels = Oscillator(stage, setting), setting.channels
        self.past = Past(setting.channels, math.ceil(self.centre + self.depth) + self._SPARE)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        origin = self.past.add(block[: self.channels])
        oscillator = self.oscillator
        turns, share = oscillator.over(block if key is None else key, oscillator.every)
        read = swing_each if oscillator.every == 1 else swing
        out = np.empty(block.shape)
        out[self.channels :] = 0.0
        for side, at in zip(range(self.channels), oscillator.sides(turns), strict=False):
            late = np.maximum(self.centre + self.depth * share * oscillator.wave.swing(at), 1.0)
            read(self.past.held[side, : self.past.end], out[side], late, origin)
        return out


@sample_loop(
    "void(float64[:, ::1], float64[:, ::1], float64[:, ::1], int64, float64, float64[::1], "
    "float64[:, ::1])",
)
def _state_variable(block, out, g, every, damping, taps, state):  # type: ignore[no-untyped-def]
    """Both sides through a filter whose g = tan(pi f / fs), by side, is given at every so many samples.

    The trapezoidal state-variable filter: `out = taps[0] in + taps[1] band + taps[2] low`; standing
    still it is the bilinear transform, prewarped at f.
    """
    n = block.shape[1]
    for side in range(block.shape[0]):
        one, two = state[side, 0], state[side, 1]
        x, y = block[side], out[side]
        for s in range(g.shape[1] - 1):
            start = s * every
            stop = min(n, start + every)
            first = g[side, s]
            slope = (g[side, s + 1] - first) / every
            for i in range(start, stop):
                here = first + slope * (i - start)
                a1 = 1 / (1 + here * (here + damping))
                a2 = here * a1
                v3 = x[i] - two
                band = a1 * one + a2 * v3
                low = two + a2 * one + here * a2 * v3
                one = 2 * band - one
                two = 2 * low - two
                y[i] = taps[0] * x[i] + taps[1] * band + taps[2] * low
        state[side, 0], state[side, 1] = one, two


@sample_loop(
    "void(float64[::1], float64[::1], float64[::1], float64[::1], int64, int64, float64, float64)"
)
def _ringing(block, whole, out, late, every, origin, back, sign):  # type: ignore[no-untyped-def]
    """A comb that feeds itself: whole gets `w = in + back w[-late]` from `origin` on, out gets
    `(1 - back sign) / 2 (w + sign w[-late])`; late at every so many samples, read by a cubic.
    """
    for i in range(len(block)):
        s = i // every
        at = origin + i - (late[s] + (late[s + 1] - late[s]) * (i - every * s) / every)
        index = int(at)
        u = at - index
        z0, z1, z2, z3 = whole[index - 1], whole[index], whole[index + 1], whole[index + 2]
        a = (z3 - z0) / 6 + (z1 - z2) / 2
        b = (z0 + z2) / 2 - z1
        c = z2 - z0 / 3 - z1 / 2 - z3 / 6
        old = ((a * u + b) * u + c) * u + z1
        new = block[i] + back * old
        whole[origin + i] = new
        out[i] = 0.5 * (1 - back * sign) * (new + sign * old)


class SweptWork:
    """A resonant filter that stands still, or is moved by an LFO, by the level, or by written moves.

    Low, high, band (0 dB at its centre) and notch are one second-order filter; a comb adds the
    signal to itself half a period of its frequency later (notches at its odd multiples), or takes it
    away, and can give some of it back to itself. Moved, the frequency goes up to `range` octaves from
    where it rests: by a wave both ways, by the envelope of what it listens to upwards.
    """

    latency = 0
    own = 0.0
    _SHORTEST = 4.0
    """Samples that a comb which feeds itself needs at least."""

    def __init__(self, stage: k.Swept, setting: Setting) -> None:
        rate = setting.rate_hz
        self.stage, self.rate, self.done = stage, rate, 0
        self.highest = 0.45 * rate
        self.oscillator: Oscillator | None = None
        if stage.moved_by == "lfo":
            self.oscillator = Oscillator(stage, setting)
        self.every = self.oscillator.every if self.oscillator else SEGMENT
        self.follower = EnvelopeFollower(stage.attack_ms, stage.release_ms, rate)
        self.curve: Curve | None = setting.moves.get("frequency_hz")
        self.state = np.zeros((2, 2))
        self.back, self.sign = comb_of(stage.q, stage.comb_percent, stage.comb_minus)
        damping = 1 / stage.q
        self.damping = damping
        self.taps = np.array(
            {
                "low": (0.0, 0.0, 1.0),
                "high": (1.0, -damping, -1.0),
                "band": (0.0, damping, 0.0),
                "notch": (1.0, -damping, 0.0),
            }.get(stage.mode, (0.0, 0.0, 0.0))
        )
        self.past = Past(2, math.ceil(rate / 2 / LOWEST_HZ) + 8)

    def hertz(self, heard: np.ndarray) -> np.ndarray:
        """Frequencies (2, m) of both sides at every so many samples, one more than needed."""
        count = heard.shape[1]
        at = segments(0, count, self.every)
        rest = np.full(len(at), self.stage.frequency_hz)
        if self.curve is not None:
            rest = np.interp(self.done + at, self.curve.at, self.curve.values)
        octaves = np.zeros((2, len(at)))
        if self.oscillator is not None:
            turns, share = self.oscillator.over(heard, self.every)
            reach = self.stage.range_oct * share
            for side, turned in enumerate(self.oscillator.sides(turns)):
                octaves[side] = reach * self.oscillator.wave.swing(turned)
        elif self.stage.moved_by == "level":
            envelope = self.follower(heard)[np.minimum(at, count - 1)]
            octaves[:] = self.stage.range_oct * follow_share(
                envelope, self.stage.threshold_dbfs, self.stage.full_dbfs
            )
        return np.clip(rest * 2**octaves, LOWEST_HZ, self.highest)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        hz = self.hertz(block if key is None else key)
        self.done += block.shape[1]
        out = np.empty_like(block)
        if self.stage.mode != "comb":
            g = np.tan(np.pi * hz / self.rate)
            _state_variable(
                np.ascontiguousarray(block), out, g, self.every, self.damping, self.taps, self.state
            )
            return out
        late = self.rate / (2 * hz)
        if self.back == 0.0:
            origin = self.past.add(block)
            read = swing_each if self.every == 1 else swing
            for side in range(2):
                whole = self.past.held[side, : self.past.end]
                read(whole, out[side], np.maximum(late[side], 1.0), origin)
            return 0.5 * (block + self.sign * out)
        origin = self.past.room(block.shape[1])
        for side in range(2):
            whole = self.past.held[side, : self.past.end]
            _ringing(
                np.ascontiguousarray(block[side]), whole, out[side],
                np.maximum(late[side], self._SHORTEST), self.every, origin, self.back, self.sign,
            )  # fmt: skip
        return out
