"""A reverb: an early part, then a feedback delay network of eight lines.

Two all-pass diffusers thicken what comes in. Eight lines of unlike prime lengths are mixed by a
Hadamard matrix (Jot and Chaigne 1991): it keeps all energy, so a gain of `10^(-3 m / (fs RT60))`
behind a line of m samples makes every part of the tail lose 60 dB in RT60, whatever its pitch. Where
the decay depends on pitch, that gain becomes a filter: one pole for a shorter decay at the top
(Jot's absorbent filter), or five first-order shelves on the edges of the octaves, solved so that the
loss is as asked in the middle of all six (after Schlecht and Habets 2017, with shelves for bells).
"""

import math
import random
from functools import lru_cache

import numba
import numpy as np
import scipy.optimize

from core.audio.past import Past
from core.render.processors.base import Setting, lfo_phase
from core.routing import kinds as k

LINES = 8
OCTAVES_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0)
_LENGTHS_MS = (29.7, 33.1, 37.3, 41.9, 43.7, 47.3, 53.9, 59.3)
_DIFFUSERS_MS = (4.73, 7.91)
_MOST_DIFFUSION = 0.75
_EARLY_MS = (0.0, 5.3, 9.7, 14.9, 19.1, 24.7)
_UNLIKE = (0.39, 0.59, 0.74, 0.89, 1.04, 1.21, 1.41, 1.64)
_LOSS_AT_LEAST = 1e-5
_SEGMENT = 32
_MOST_SHELF_DB = 40.0
_MOST_AT_ONCE = 512


def _prime(n: int) -> int:
    """The first prime from `n` on."""
    while any(n % d == 0 for d in range(2, math.isqrt(n) + 1)):
        n += 1
    return n


_ROWS = numba.float32[:, ::1]
_FEW = numba.float32[::1]


@numba.njit(
    numba.void(
        _ROWS, numba.int64, numba.int64, _ROWS, numba.int64, numba.int64[:, ::1], numba.float32
    ),
    cache=True, nogil=True, fastmath={"contract"},
)  # fmt: skip
def _diffuse(fed, at, n, held, place, spans, share):  # type: ignore[no-untyped-def]
    """Two all-passes a side, in place in n samples of `fed` (2, m) from `at`; held has two rows a side."""
    for side in range(2):
        for d in range(2):
            span = spans[side, d]
            line = held[2 * side + d]
            start = 0
            while start < n:
                stop = min(n, start + span)
                old = line[place + start - span : place + stop - span]
                new = line[place + start : place + stop]
                x = fed[side, at + start : at + stop]
                for i in range(len(old)):
                    inner = x[i] - share * old[i]
                    new[i] = inner
                    x[i] = old[i] + share * inner
                start = stop


@numba.njit(numba.void(_ROWS, _ROWS, _FEW), cache=True, nogil=True, fastmath={"contract"})
def _absorb(s, taps, z):  # type: ignore[no-untyped-def]
    """One first-order section for all eight rows at once: taps (3, 8) b0, b1, a1; z (16,)."""
    b0, b1, a1 = taps[0], taps[1], taps[2]
    for j in range(0, 8, 4):
        p0, p1, p2, p3 = b0[j], b0[j + 1], b0[j + 2], b0[j + 3]
        q0, q1, q2, q3 = b1[j], b1[j + 1], b1[j + 2], b1[j + 3]
        r0, r1, r2, r3 = a1[j], a1[j + 1], a1[j + 2], a1[j + 3]
        u0, u1, u2, u3 = z[j], z[j + 1], z[j + 2], z[j + 3]
        y0, y1, y2, y3 = z[j + 8], z[j + 9], z[j + 10], z[j + 11]
        s0, s1, s2, s3 = s[j], s[j + 1], s[j + 2], s[j + 3]
        for i in range(s.shape[1]):
            x0, x1, x2, x3 = s0[i], s1[i], s2[i], s3[i]
            y0 = (p0 * x0 + q0 * u0) - r0 * y0
            y1 = (p1 * x1 + q1 * u1) - r1 * y1
            y2 = (p2 * x2 + q2 * u2) - r2 * y2
            y3 = (p3 * x3 + q3 * u3) - r3 * y3
            u0, u1, u2, u3 = x0, x1, x2, x3
            s0[i], s1[i], s2[i], s3[i] = y0, y1, y2, y3
        z[j], z[j + 1], z[j + 2], z[j + 3] = u0, u1, u2, u3
        z[j + 8], z[j + 9], z[j + 10], z[j + 11] = y0, y1, y2, y3


@numba.njit(numba.void(_ROWS, _FEW, _FEW), cache=True, nogil=True, fastmath={"contract"})
def _fade(s, pole, state):  # type: ignore[no-untyped-def]
    """One pole for all eight rows at once: `y = x + p y`; the gain before it is (1 - p)."""
    p0, p1, p2, p3 = pole[0], pole[1], pole[2], pole[3]
    p4, p5, p6, p7 = pole[4], pole[5], pole[6], pole[7]
    y0, y1, y2, y3 = state[0], state[1], state[2], state[3]
    y4, y5, y6, y7 = state[4], state[5], state[6], state[7]
    s0, s1, s2, s3, s4, s5, s6, s7 = s[0], s[1], s[2], s[3], s[4], s[5], s[6], s[7]
    for i in range(s.shape[1]):
        y0, y1, y2, y3 = s0[i] + p0 * y0, s1[i] + p1 * y1, s2[i] + p2 * y2, s3[i] + p3 * y3
        y4, y5, y6, y7 = s4[i] + p4 * y4, s5[i] + p5 * y5, s6[i] + p6 * y6, s7[i] + p7 * y7
        s0[i], s1[i], s2[i], s3[i] = y0, y1, y2, y3
        s4[i], s5[i], s6[i], s7[i] = y4, y5, y6, y7
    state[0], state[1], state[2], state[3] = y0, y1, y2, y3
    state[4], state[5], state[6], state[7] = y4, y5, y6, y7


@numba.njit(
    numba.void(_FEW, _FEW, _FEW, numba.int64, numba.int64, numba.float32),
    cache=True, nogil=True, fastmath={"contract"},
)  # fmt: skip
def _read_moving(line, out, late, first, origin, gain):  # type: ignore[no-untyped-def]
    """out[i] = gain line[origin + i - late], late every 32 samples from the block's start (cubic)."""
    for i in range(len(out)):
        place = first + i
        piece = place // 32
        here = late[piece]
        away = here + (late[piece + 1] - here) * np.float32(place - 32 * piece) / np.float32(32)
        whole = int(away)
        u = np.float32(1) - (away - np.float32(whole))
        index = origin + i - whole - 1
        y0, y1, y2, y3 = line[index - 1], line[index], line[index + 1], line[index + 2]
        a = (y3 - y0) / np.float32(6) + (y1 - y2) / np.float32(2)
        b = (y0 + y2) / np.float32(2) - y1
        c = y2 - y0 / np.float32(3) - y1 / np.float32(2) - y3 / np.float32(6)
        out[i] = gain * (((a * u + b) * u + c) * u + y1)


@numba.njit(
    numba.void(
        _ROWS, numba.int64, numba.float64[:, ::1], _ROWS, numba.int64, numba.int64[::1], _FEW, _FEW,
        numba.float32[:, :, ::1], _ROWS, _ROWS, numba.int64, numba.int64[:, ::1], _FEW, _ROWS,
        numba.float64,
    ),
    cache=True, nogil=True, fastmath={"contract"},
)  # fmt: skip
def _network(  # type: ignore[no-untyped-def]
    fed, at, out, lines, place, lengths, gains, pole, shelves, states, late, moved, taps, early,
    s, scale,
):  # fmt: skip
    """fed (2, m) from index `at` into the lines (8, m) from index `place`, the sum into out (2, n).

    s (9, chunk) is room to work in; `late` (8, segments + 1) the lengths where they are moved.
    """
    n, chunk = out.shape[1], s.shape[1]
    half, eighth = np.float32(0.5), np.float32(0.35355339059327373)
    start = 0
    while start < n:
        count = min(chunk, n - start)
        t = s[:8] if count == chunk else s[:8, :count].copy()
        for j in range(8):
            line, row, g = lines[j], t[j], gains[j]
            if moved:
                _read_moving(line, row, late[j], start, place + start, g)
            else:
                held = line[place + start - lengths[j] : place + start - lengths[j] + count]
                for i in range(count):
                    row[i] = g * held[i]
        if pole[0] > 0:
            _fade(t, pole, states[0])
        for m in range(shelves.shape[0]):
            _absorb(t, shelves[m], states[m + 1])
        for side in range(2):
            heard = s[8, :count]
            a, b, c, d = t[side], t[side + 2], t[side + 4], t[side + 6]
            for i in range(count):
                heard[i] = (a[i] + b[i]) + (c[i] + d[i])
            for m in range(0, len(early), 3):
                first = at + start
                x = fed[side, first - taps[side, m] : first - taps[side, m] + count]
                y = fed[side, first - taps[side, m + 1] : first - taps[side, m + 1] + count]
                z = fed[side, first - taps[side, m + 2] : first - taps[side, m + 2] + count]
                e, f, g = early[m], early[m + 1], early[m + 2]
                for i in range(count):
                    heard[i] += (e * x[i] + f * y[i]) + g * z[i]
            into = out[side, start : start + count]
            for i in range(count):
                into[i] = heard[i] * scale
        # The Hadamard matrix of eight: two rounds of sums and differences over four rows at once,
        # the third as the lines are fed.
        for j in range(0, 8, 4):
            a, b, c, d = t[j], t[j + 1], t[j + 2], t[j + 3]
            for i in range(count):
                p, q, u, v = a[i] + b[i], a[i] - b[i], c[i] + d[i], c[i] - d[i]
                a[i], b[i], c[i], d[i] = p + u, q + v, p - u, q - v
        for j in range(4):
            a, b = t[j], t[j + 4]
            upper = lines[j, place + start : place + start + count]
            lower = lines[j + 4, place + start : place + start + count]
            new = fed[j % 2, at + start : at + start + count]
            for i in range(count):
                fresh = half * new[i]
                upper[i] = (a[i] + b[i]) * eighth + fresh
                lower[i] = (a[i] - b[i]) * eighth + fresh
        start += count


def _shelf(gain: float, hz: float, rate_hz: float) -> tuple[float, float, float]:
    """First-order high shelf (b0, b1, a1): `gain` (linear) at the top, 1 at 0 Hz; bilinear."""
    t = 1 / math.tan(math.pi * hz / rate_hz)
    root = math.sqrt(gain)
    a0 = t / root + 1
    return (t * root + 1) / a0, (1 - t * root) / a0, (1 - t / root) / a0


def _sections(steps: np.ndarray, edges: np.ndarray, rate_hz: float) -> np.ndarray:
    return np.array(
        [_shelf(10 ** (g / 20), hz, rate_hz) for g, hz in zip(steps, edges, strict=True)]
    ).reshape(-1, 3)


class _Shelving:
    """Five first-order shelves in the lines, as a design problem in dB."""

    def __init__(self, lengths: tuple[int, ...], rate_hz: float) -> None:
        self.lengths, self.rate = lengths, rate_hz
        self.middles = np.array([hz for hz in OCTAVES_HZ if hz < 0.45 * rate_hz])
        self.edges = self.middles[1:] / math.sqrt(2)
        self.mean = float(np.mean(lengths))
        self.fine = self.middles[:, None] * 2 ** np.linspace(-1, 1, 33)[None, :]
        apart = self.fine / self.middles[:, None]
        # What an octave filter (Butterworth, fourth order) lets through of each pitch, per octave.
        self.weight = apart / (1 + ((apart - 1 / apart) / (2**0.5 - 2**-0.5)) ** 8)

    def level(self, values: np.ndarray, hz: np.ndarray) -> np.ndarray:
        """Response in dB at `hz` of a gain (dB) and shelves (dB)."""
        z = np.exp(-2j * np.pi * hz / self.rate)
        total = np.full(hz.shape, values[0])
        for b0, b1, a1 in _sections(values[1:], self.edges, self.rate):
            total = total + 20 * np.log10(np.abs((b0 + b1 * z) / (1 + a1 * z)))
        return total

    def solve(self, rt60_s: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Values for a line of mean length that come nearest in the octaves' middles; their slope."""
        wanted = -60 * self.mean / rt60_s / self.rate
        first = np.concatenate([wanted[:1], np.diff(wanted)])
        found = scipy.optimize.least_squares(
            lambda v: self.level(v, self.middles) - wanted,
            np.clip(first, -_MOST_SHELF_DB, _MOST_SHELF_DB),
            bounds=(-_MOST_SHELF_DB - 1, _MOST_SHELF_DB + 1), xtol=1e-6, ftol=1e-6, max_nfev=60,
        )  # fmt: skip
        return found.x, found.jac

    def heard(self, values: np.ndarray) -> np.ndarray:
        """RT60 that each octave filter would measure, from -5 to -35 dB: the slow part shows more."""
        loss = np.minimum(self.level(values, self.fine), -1e-3)
        rt60 = -60 * self.mean / loss / self.rate
        found = []
        for decay, weight in zip(rt60, self.weight, strict=True):
            t = np.linspace(0, 1.2 * decay.max(), 400)
            left = (weight * decay * np.exp(-13.8155 * t[:, None] / decay)).sum(axis=1)
            fall = 10 * np.log10(left / left[0])
            found.append(2 * (np.interp(35, -fall, t) - np.interp(5, -fall, t)))
        return np.array(found)


@lru_cache(maxsize=64)
def absorbing_shelves(
    rt60_s: tuple[float, ...], lengths: tuple[int, ...], rate_hz: float
) -> tuple[np.ndarray, np.ndarray]:
    """Gains (lines,) and five shelves (5, 3, lines) for so long a decay in each of the six octaves.

    Least squares on the shelves' gains, then four rounds in which what an octave filter would
    measure is brought to what was asked. A decay that rises or falls from octave to octave is met
    within some percent; shelves of first order cannot go up and down again within three octaves.
    """
    problem = _Shelving(lengths, rate_hz)
    asked = np.array(rt60_s[: len(problem.middles)])
    aim = asked.copy()
    values, slope = problem.solve(aim)
    for _ in range(4):
        aim = np.clip(aim * np.clip(asked / problem.heard(values), 0.7, 1.4), 0.05, 120)
        values, slope = problem.solve(aim)
    gains, shelves = [], []
    for length in lengths:
        # A line's loss is as its length; so, nearly, are its shelves: one step of Newton is left.
        wanted = -60 * length / aim / rate_hz
        plain = values * length / problem.mean
        missing = wanted - problem.level(plain, problem.middles)
        better = plain + np.clip(np.linalg.lstsq(slope, missing, rcond=1e-3)[0], -3, 3)
        off = [np.abs(problem.level(v, problem.middles) - wanted).max() for v in (plain, better)]
        chosen = better if off[1] < off[0] else plain
        gains.append(10 ** (chosen[0] / 20))
        shelves.append(_sections(chosen[1:], problem.edges, rate_hz))
    return np.array(gains), np.stack(shelves, axis=2)


class ReverbWork:
    """The tail of a reverb stage, with the energy that the plan counts it for.

    Scaled so that the whole response has the energy of its input (as the plan takes a diffuse arc).
    Size scales the lines and the early part, density the diffusers. Unless it is locked, the lines
    are swung by the depth at rates about the rate, the right side's by its phase apart, each device
    from a phase of its own, so that two of them never null.
    """

    latency = 0
    own = 0.0

    def __init__(self, stage: k.Reverb, setting: Setting) -> None:
        self.rate, self.stage, self.channels = setting.rate_hz, stage, setting.channels
        rate, rng = setting.rate_hz, random.Random(setting.seed)
        spread = [1 + 0.04 * (2 * rng.random() - 1) if setting.seed else 1.0 for _ in range(LINES)]
        size = stage.size_percent / 100
        lengths = [
            _prime(max(67, round(ms * size * one / 1e3 * rate)))
            for ms, one in zip(_LENGTHS_MS, spread, strict=True)
        ]
        self.lengths = np.array(lengths, dtype=np.int64)
        self.depth = 0.0 if stage.locked else stage.mod_depth_ms / 1e3 * rate
        self.depth = min(self.depth, 0.4 * min(lengths))
        self.spans = np.array(
            [
                [_prime(round(ms / 1e3 * rate) + 31 * side) for ms in _DIFFUSERS_MS]
                for side in (0, 1)
            ]
        )
        self.density = _MOST_DIFFUSION * stage.density_percent / 100
        times = np.array(_EARLY_MS) * size / 1e3
        self.taps = np.array([np.round(times * (1 + 0.07 * side) * rate) for side in (0, 1)], int)
        early = 10 ** ((stage.early_db - 6) / 20) * 10 ** (-3 * times / stage.rt60_s)
        self.early = early.astype(np.float32)
        phase = lfo_phase(stage.id, False)
        self.turns = np.array(
            [
                [
                    unlike * stage.mod_rate_hz / rate,
                    phase + j / LINES + (stage.mod_sides_deg / 360) * (j % 2),
                ]
                for j, unlike in enumerate(_UNLIKE)
            ]
        )
        self._losses()
        self._in_single()
        chunk = min(_MOST_AT_ONCE, int(min(lengths) - math.ceil(self.depth) - 3))
        self.room = np.empty((LINES + 1, chunk), np.float32)
        self.scale = 1.0
        self._empty()
        seconds = min(30.0, stage.rt60_s * 0.75 + 0.2)
        response = np.zeros((2, 8192))
        response[0, 0] = 1.0
        energy = 0.0
        for _ in range(math.ceil(seconds * rate / 8192)):
            heard = self._through(response)
            response[0, 0] = 0.0
            energy += float((heard[: self.channels] ** 2).sum())
        self.scale = 1 / math.sqrt(max(energy, 1e-12))
        self._empty()

    def _losses(self) -> None:
        """Gains, poles and shelves of the lines, from the decay asked for."""
        stage, rate = self.stage, self.rate
        decays = [getattr(stage, f"rt60_{int(hz)}_s") for hz in OCTAVES_HZ]
        losses = 60 * self.lengths / rate
        self.pole = np.zeros(LINES)
        self.shelves = np.zeros((0, 3, LINES))
        if any(d is not None for d in decays):
            wanted = tuple(stage.rt60_s if d is None else d for d in decays)
            self.gains, self.shelves = absorbing_shelves(
                wanted, tuple(int(n) for n in self.lengths), rate
            )
            self._hold_below_one()
            return
        self.gains = 10 ** (-losses / stage.rt60_s / 20)
        share = stage.high_decay_percent / 100
        if share < 1:
            # One pole that loses at half the rate what the shorter decay asks (Jot 1991).
            top = 10 ** (-losses / (stage.rt60_s * share) / 20) / self.gains
            self.pole = (1 - top) / (1 + top)

    def _in_single(self) -> None:
        """Gains before the poles are (1 - p); all in single precision."""
        self.gains = (self.gains * (1 - self.pole)).astype(np.float32)
        self.pole = self.pole.astype(np.float32)
        self.shelves = np.ascontiguousarray(self.shelves, dtype=np.float32)

    def _hold_below_one(self) -> None:
        """No line may keep more than it is given, at any pitch."""
        z = np.exp(-2j * np.pi * np.geomspace(5, self.rate / 2, 400) / self.rate)[:, None]
        total = np.abs(self.gains)[None, :] * np.ones((400, 1))
        for b0, b1, a1 in self.shelves:
            total = total * np.abs((b0 + b1 * z) / (1 + a1 * z))
        self.gains = self.gains * np.minimum(1, (1 - _LOSS_AT_LEAST) / total.max(axis=0))

    def _empty(self) -> None:
        reach = int(self.lengths.max()) + math.ceil(self.depth) + 4
        self.lines = Past(LINES, reach, np.float32)
        self.held = Past(4, int(self.spans.max()), np.float32)
        self.fed = Past(2, int(self.taps.max()) + 1, np.float32)
        self.states = np.zeros((len(self.shelves) + 1, 2 * LINES), np.float32)
        self.done = 0

    def _through(self, block: np.ndarray) -> np.ndarray:
        count = block.shape[1]
        at = self.fed.add(block)
        fed = self.fed.held
        place = self.held.room(count)
        _diffuse(fed, at, count, self.held.held, place, self.spans, np.float32(self.density))
        late = np.zeros((LINES, 1), np.float32)
        if self.depth:
            pieces = self.done + _SEGMENT * np.arange(-(-count // _SEGMENT) + 1)
            turn = self.turns[:, :1] * pieces[None, :] + self.turns[:, 1:]
            late = self.lengths[:, None] + self.depth * np.sin(2 * np.pi * turn)
        out = np.empty(block.shape)
        place = self.lines.room(count)
        _network(
            fed, at, out, self.lines.held, place, self.lengths, self.gains, self.pole, self.shelves,
            self.states, np.ascontiguousarray(late, dtype=np.float32), int(self.depth > 0),
            self.taps, self.early, self.room, self.scale,
        )  # fmt: skip
        self.done += count
        return out

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        out = self._through(block)
        if self.channels == 1:
            out[1] = 0.0
        return out
