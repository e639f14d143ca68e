"""What an LFO or an envelope moves: tremolo, chorus, swept filters.

An LFO is computed every 32 samples and taken as straight between: at 10 Hz and 48 kHz within a
millionth.
"""

import math

import numba
import numpy as np

from core.audio.past import Past
from core.render.processors.base import Curve, Setting, lfo_phase
from core.render.processors.dynamics import EnvelopeFollower
from core.routing.document import kinds as k
from core.routing.plan.responses import comb_feedback
from core.units.decibel import amplitude

SEGMENT = 32


def segments(start: int, count: int) -> np.ndarray:
    """Samples at which a slow value is computed: every 32nd from `start`, one beyond the end."""
    return start + SEGMENT * np.arange(-(-count // SEGMENT) + 1)


class TremoloWork:
    """A sine on the level: from 1 down to 1 - depth and back. Its phase begins at the top."""

    latency = 0
    own = 0.0

    def __init__(self, stage: k.Tremolo, setting: Setting) -> None:
        self.depth, self.step = stage.depth_percent / 100, stage.rate_hz / setting.rate_hz
        self.done, self.phase = 0, lfo_phase(stage.id, stage.locked)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        n = self.done + np.arange(block.shape[1])
        self.done += block.shape[1]
        turn = 2 * np.pi * (self.step * n + self.phase)
        return block * (1 - self.depth * 0.5 * (1 - np.cos(turn)))


@numba.njit(
    numba.void(numba.float64[::1], numba.float64[::1], numba.float64[::1], numba.int64),
    cache=True, nogil=True, fastmath={"contract"},
)  # fmt: skip
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


class ChorusWork:
    """A delay that swings round its centre by a sine, read between samples by a cubic (Lagrange).

    Delay: `centre + depth sin`, never below one sample; with spread, the right side the other way.
    """

    latency = 0
    _SPARE = 4

    def __init__(self, stage: k.Chorus, setting: Setting) -> None:
        rate = setting.rate_hz
        self.centre = stage.centre_ms / 1e3 * rate
        self.own = self.centre
        self.depth = stage.depth_ms / 1e3 * rate
        self.step, self.phase = stage.rate_hz / rate, lfo_phase(stage.id, stage.locked)
        self.turn = (1.0, -1.0 if stage.spread else 1.0)
        self.done, self.channels = 0, setting.channels
        self.past = Past(setting.channels, math.ceil(self.centre + self.depth) + self._SPARE)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        count = block.shape[1]
        origin = self.past.add(block[: self.channels])
        n = segments(self.done, count)
        self.done += count
        away = self.depth * np.sin(2 * np.pi * (self.step * n + self.phase))
        out = np.empty(block.shape)
        out[self.channels :] = 0.0
        for side in range(self.channels):
            late = np.maximum(self.centre + self.turn[side] * away, 1.0)
            swing(self.past.held[side, : self.past.end], out[side], late, origin)
        return out


@numba.njit(
    numba.void(
        numba.float64[:, ::1], numba.float64[:, ::1], numba.float64[::1], numba.float64,
        numba.float64[::1], numba.float64[:, ::1],
    ),
    cache=True, nogil=True,
)  # fmt: skip
def _state_variable(block, out, g, damping, taps, state):  # type: ignore[no-untyped-def]
    """Both sides through a filter whose g = tan(pi f / fs) is given every 32 samples.

    The trapezoidal state-variable filter: `out = taps[0] in + taps[1] band + taps[2] low`; standing
    still it is the bilinear transform, prewarped at f.
    """
    n = block.shape[1]
    for side in range(block.shape[0]):
        one, two = state[side, 0], state[side, 1]
        x, y = block[side], out[side]
        for s in range(len(g) - 1):
            start = s * 32
            stop = min(n, start + 32)
            first = g[s]
            slope = (g[s + 1] - first) / 32
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


@numba.njit(
    numba.void(
        numba.float64[::1], numba.float64[::1], numba.float64[::1], numba.float64[::1], numba.int64,
        numba.float64,
    ),
    cache=True, nogil=True,
)  # fmt: skip
def _ringing(block, whole, out, late, origin, back):  # type: ignore[no-untyped-def]
    """A comb that feeds itself: whole gets `w = in + back w[-late]` from `origin` on, out gets
    `(1 - back) / 2 (w + w[-late])`; late every 32 samples, read by a cubic (Lagrange).
    """
    for i in range(len(block)):
        s = i // 32
        at = origin + i - (late[s] + (late[s + 1] - late[s]) * (i - 32 * s) / 32)
        index = int(at)
        u = at - index
        z0, z1, z2, z3 = whole[index - 1], whole[index], whole[index + 1], whole[index + 2]
        a = (z3 - z0) / 6 + (z1 - z2) / 2
        b = (z0 + z2) / 2 - z1
        c = z2 - z0 / 3 - z1 / 2 - z3 / 6
        old = ((a * u + b) * u + c) * u + z1
        new = block[i] + back * old
        whole[origin + i] = new
        out[i] = 0.5 * (1 - back) * (new + old)


class SweptWork:
    """A resonant filter that stands still, or is moved by an LFO, by the level, or by written moves.

    Low, high, band (0 dB at its centre) and notch are one second-order filter; a comb adds the
    signal to itself half a period of its frequency later (notches at its odd multiples), and from a Q
    of 2 on gives some of it back to itself. Moved, the frequency goes up to `range` octaves from where
    it rests: by a sine both ways, by the envelope of what it listens to upwards.
    """

    latency = 0
    own = 0.0
    _LOWEST_HZ = 20.0
    _SHORTEST = 4.0
    """Samples that a comb which feeds itself needs at least."""

    def __init__(self, stage: k.Swept, setting: Setting) -> None:
        rate = setting.rate_hz
        self.stage, self.rate, self.done = stage, rate, 0
        self.highest = 0.45 * rate
        self.step, self.phase = stage.rate_hz / rate, lfo_phase(stage.id, stage.locked)
        self.follower = EnvelopeFollower(stage.attack_ms, stage.release_ms, rate)
        self.curve: Curve | None = setting.moves.get("frequency_hz")
        self.state = np.zeros((2, 2))
        self.full, self.back = amplitude(stage.full_dbfs), comb_feedback(stage.q)
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
        self.past = Past(2, math.ceil(rate / 2 / self._LOWEST_HZ) + 8)

    def hertz(self, heard: np.ndarray) -> np.ndarray:
        """The frequency every 32 samples, one more than needed."""
        n = segments(self.done, heard.shape[1])
        rest = np.full(len(n), self.stage.frequency_hz)
        if self.curve is not None:
            rest = np.interp(n, self.curve.at, self.curve.values)
        octaves = np.zeros(len(n))
        if self.stage.moved_by == "lfo":
            octaves = self.stage.range_oct * np.sin(2 * np.pi * (self.step * n + self.phase))
        elif self.stage.moved_by == "level":
            envelope = self.follower(heard)
            at = np.minimum(n - self.done, heard.shape[1] - 1)
            octaves = self.stage.range_oct * np.minimum(1, envelope[at] / self.full)
        return np.clip(rest * 2**octaves, self._LOWEST_HZ, self.highest)

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        hz = self.hertz(block if key is None else key)
        self.done += block.shape[1]
        out = np.empty_like(block)
        if self.stage.mode != "comb":
            g = np.tan(np.pi * hz / self.rate)
            _state_variable(
                np.ascontiguousarray(block), out, g, self.damping, self.taps, self.state
            )
            return out
        if self.back == 0.0:
            origin = self.past.add(block)
            for side in range(2):
                late = np.maximum(self.rate / (2 * hz), 1.0)
                swing(self.past.held[side, : self.past.end], out[side], late, origin)
            return 0.5 * (block + out)
        origin = self.past.room(block.shape[1])
        late = np.maximum(self.rate / (2 * hz), self._SHORTEST)
        for side in range(2):
            whole = self.past.held[side, : self.past.end]
            _ringing(np.ascontiguousarray(block[side]), whole, out[side], late, origin, self.back)
        return out
