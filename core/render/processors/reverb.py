"""A reverb: an early part, then a feedback delay network of eight lines.

Two all-pass diffusers thicken what comes in. Eight lines of unlike prime lengths are mixed by a
Hadamard matrix (Jot and Chaigne 1991): it keeps all energy, so a gain of `10^(-3 m / (fs RT60))`
behind a line of m samples makes every part of the tail lose 60 dB in RT60, whatever its pitch. Where
the decay depends on pitch, that gain becomes a filter: one pole for a shorter decay at the top
(Jot's absorbent filter), or five first-order shelves on the edges of the octaves, solved so that the
loss is as asked in the middle of all six (after Schlecht and Habets 2017, with shelves for bells).
"""

import math
from typing import Any

import numpy as np
import scipy

from core.render.processors.base import Setting, lfo_phase
from core.render.processors.fast import rows
from core.render.processors.parts import PartWork
from core.routing.document import kinds as k
from core.sample_loops import sample_loop
from core.space.absorb import line_losses
from core.space.lines import (
    EARLY_DB,
    LINES,
    MOST_DIFFUSION,
    OCTAVES_HZ,
    diffuser_spans,
    early_times,
    line_lengths,
    lines_size,
)
from core.units.decibel import amplitude

_UNLIKE = (0.39, 0.59, 0.74, 0.89, 1.04, 1.21, 1.41, 1.64)
_PINK_HZ = (40.0, 16_000.0)
_SEGMENT = 32
_MOST_AT_ONCE = 2048
_PAD = 24
"""Rows whose lengths are powers of two would all fall on the same lines of the cache."""


_QUICK: Any = {"fastmath": {"contract"}}


# Buffers are rings of `size` samples. What was written to their first samples stands behind their
# end as well, so that a stretch is read in one piece from wherever it begins.
@sample_loop("void(float32[::1], int64, int64, int64)", **_QUICK)
def _mirror(row, size, place, count):  # type: ignore[no-untyped-def]
    """What was written at `place` once more behind the end, as far as there is room."""
    stop = min(place + count, len(row) - size)
    if stop > place:
        new, again = row[place:stop], row[size + place : size + stop]
        for i in range(len(new)):
            again[i] = new[i]


@sample_loop("void(float32[::1], float32[:, ::1], int64, int64, int64[::1], float32)", **_QUICK)
def _diffuse(x, rings, size, place, spans, share):  # type: ignore[no-untyped-def]
    """Two all-passes in series over x, in place; two rings."""
    n = len(x)
    for d in range(2):
        span, ring = spans[d], rings[d]
        start = 0
        while start < n:
            stop = min(n, start + span)
            come = place + start - span
            if come < 0:
                come += size
            old = ring[come : come + stop - start]
            new = ring[place + start : place + stop]
            part = x[start:stop]
            for i in range(len(part)):
                inner = part[i] - share * old[i]
                new[i] = inner
                part[i] = old[i] + share * inner
            _mirror(ring, size, place + start, stop - start)
            start = stop


@sample_loop("void(float32[:, ::1], int64, float32[:, ::1], float32[::1])", **_QUICK)
def _absorb(s, count, taps, z):  # type: ignore[no-untyped-def]
    """One first-order section for all eight rows at once: taps (3, 8) b0, b1, a1; z (16,)."""
    b0, b1, a1 = taps[0], taps[1], taps[2]
    for j in range(0, 8, 4):
        p0, p1, p2, p3 = b0[j], b0[j + 1], b0[j + 2], b0[j + 3]
        q0, q1, q2, q3 = b1[j], b1[j + 1], b1[j + 2], b1[j + 3]
        r0, r1, r2, r3 = a1[j], a1[j + 1], a1[j + 2], a1[j + 3]
        u0, u1, u2, u3 = z[j], z[j + 1], z[j + 2], z[j + 3]
        y0, y1, y2, y3 = z[j + 8], z[j + 9], z[j + 10], z[j + 11]
        s0, s1, s2, s3 = s[j], s[j + 1], s[j + 2], s[j + 3]
        for i in range(count):
            x0, x1, x2, x3 = s0[i], s1[i], s2[i], s3[i]
            y0 = (p0 * x0 + q0 * u0) - r0 * y0
            y1 = (p1 * x1 + q1 * u1) - r1 * y1
            y2 = (p2 * x2 + q2 * u2) - r2 * y2
            y3 = (p3 * x3 + q3 * u3) - r3 * y3
            u0, u1, u2, u3 = x0, x1, x2, x3
            s0[i], s1[i], s2[i], s3[i] = y0, y1, y2, y3
        z[j], z[j + 1], z[j + 2], z[j + 3] = u0, u1, u2, u3
        z[j + 8], z[j + 9], z[j + 10], z[j + 11] = y0, y1, y2, y3


@sample_loop("void(float32[:, ::1], int64, float32[::1], float32[::1])", **_QUICK)
def _fade(s, count, pole, state):  # type: ignore[no-untyped-def]
    """One pole for all eight rows at once: `y = x + p y`; the gain before it is (1 - p)."""
    p0, p1, p2, p3 = pole[0], pole[1], pole[2], pole[3]
    p4, p5, p6, p7 = pole[4], pole[5], pole[6], pole[7]
    y0, y1, y2, y3 = state[0], state[1], state[2], state[3]
    y4, y5, y6, y7 = state[4], state[5], state[6], state[7]
    s0, s1, s2, s3, s4, s5, s6, s7 = s[0], s[1], s[2], s[3], s[4], s[5], s[6], s[7]
    for i in range(count):
        y0, y1, y2, y3 = s0[i] + p0 * y0, s1[i] + p1 * y1, s2[i] + p2 * y2, s3[i] + p3 * y3
        y4, y5, y6, y7 = s4[i] + p4 * y4, s5[i] + p5 * y5, s6[i] + p6 * y6, s7[i] + p7 * y7
        s0[i], s1[i], s2[i], s3[i] = y0, y1, y2, y3
        s4[i], s5[i], s6[i], s7[i] = y4, y5, y6, y7
    state[0], state[1], state[2], state[3] = y0, y1, y2, y3
    state[4], state[5], state[6], state[7] = y4, y5, y6, y7


def _between() -> np.ndarray:
    """(6, 3): what a value between two samples is worked out from, by powers 0 to 5 of the way from
    their middle; of sums of the three pairs about it for even powers, of differences for odd ones.

    Least squares up to a quarter of the rate, most of all below a fifth of it. A cubic loses a tenth of
    a decibel a lap at 8 kHz, which makes a long tail a third too short there; this is within 0.004 dB
    up to 9 kHz at 48 kHz.
    """
    away = np.linspace(-0.5, 0.5, 33)
    turn = 2 * np.pi * np.linspace(0, 0.24, 48)
    s, w = (grid.ravel() for grid in np.meshgrid(away, turn, indexing="ij"))
    columns = []
    for power in range(6):
        for pair in range(3):
            at = w * (pair + 0.5)
            columns.append(s**power * (2 * np.cos(at) if power % 2 == 0 else 2 * np.sin(at)))
    even, odd = np.arange(18) // 3 % 2 == 0, np.arange(18) // 3 % 2 == 1
    weight = np.where(w < 2 * np.pi * 0.19, 30.0, 1.0)
    rows, found = np.array(columns).T * weight[:, None], np.zeros(18)
    # exp(j w s): its even part in s is a cosine, its odd part a sine.
    found[even] = np.linalg.lstsq(rows[:, even], weight * np.cos(w * s), rcond=None)[0]
    found[odd] = np.linalg.lstsq(rows[:, odd], weight * np.sin(w * s), rcond=None)[0]
    return np.ascontiguousarray(found.reshape(6, 3), dtype=np.float32)


_BETWEEN = _between()


@sample_loop(
    "void(float32[::1], float32[::1], float32[::1], int64, int64, float32, float32[:, ::1])",
    fastmath={"contract", "reassoc"},
)
def _read_moving(line, out, late, first, origin, gain, k):  # type: ignore[no-untyped-def]
    """out[i] = gain line[origin + i - late], late every 32 samples from the block's start; k as
    `_between` has it.

    Where the whole part of the length stays the same over a segment, the samples read are
    neighbours.
    """
    n, start, half = len(out), 0, np.float32(0.5)
    a0, a1, a2 = gain * k[0, 0], gain * k[0, 1], gain * k[0, 2]
    b0, b1, b2 = gain * k[1, 0], gain * k[1, 1], gain * k[1, 2]
    c0, c1, c2 = gain * k[2, 0], gain * k[2, 1], gain * k[2, 2]
    d0, d1, d2 = gain * k[3, 0], gain * k[3, 1], gain * k[3, 2]
    e0, e1, e2 = gain * k[4, 0], gain * k[4, 1], gain * k[4, 2]
    f0, f1, f2 = gain * k[5, 0], gain * k[5, 1], gain * k[5, 2]
    while start < n:
        place = first + start
        piece = place // 32
        stop = min(n, start + 32 - (place - 32 * piece))
        here = late[piece]
        slope = (late[piece + 1] - here) / np.float32(32)
        # Length at the segment's first and last sample.
        begin = here + slope * np.float32(place - 32 * piece)
        end = begin + slope * np.float32(stop - 1 - start)
        whole = int(begin)
        into = out[start:stop]
        count = stop - start
        if int(end) == whole:
            base = origin + start - whole - 1
            part = line[base - 2 : base + 3 + count]
            ahead = half - (begin - np.float32(whole))
            for i in range(count):
                u = ahead - slope * np.float32(i)
                v = u * u
                p, q = part[i + 3] + part[i + 2], part[i + 3] - part[i + 2]
                r, s = part[i + 4] + part[i + 1], part[i + 4] - part[i + 1]
                t, w = part[i + 5] + part[i], part[i + 5] - part[i]
                even = (a0 * p + a1 * r + a2 * t) + v * (
                    (c0 * p + c1 * r + c2 * t) + v * (e0 * p + e1 * r + e2 * t)
                )
                odd = (b0 * q + b1 * s + b2 * w) + v * (
                    (d0 * q + d1 * s + d2 * w) + v * (f0 * q + f1 * s + f2 * w)
                )
                into[i] = even + u * odd
        else:
            for i in range(count):
                away = begin + slope * np.float32(i)
                whole = int(away)
                u = half - (away - np.float32(whole))
                at = origin + start + i - whole - 1
                v = u * u
                p, q = line[at + 1] + line[at], line[at + 1] - line[at]
                r, s = line[at + 2] + line[at - 1], line[at + 2] - line[at - 1]
                t, w = line[at + 3] + line[at - 2], line[at + 3] - line[at - 2]
                even = (a0 * p + a1 * r + a2 * t) + v * (
                    (c0 * p + c1 * r + c2 * t) + v * (e0 * p + e1 * r + e2 * t)
                )
                odd = (b0 * q + b1 * s + b2 * w) + v * (
                    (d0 * q + d1 * s + d2 * w) + v * (f0 * q + f1 * s + f2 * w)
                )
                into[i] = even + u * odd
        start = stop


# Compilers vectorise a loop over several arrays only while few pairs of them could overlap: these
# loops take no more than four rows each.
@sample_loop(
    "void(float32[::1], float32[::1])",
    fastmath={"contract"},
)
def _round(a, b):  # type: ignore[no-untyped-def]
    """Sum and difference of two rows, in place: a round of the Hadamard matrix."""
    for i in range(len(a)):
        p, q = a[i] + b[i], a[i] - b[i]
        a[i], b[i] = p, q


@sample_loop(
    "void(float32[::1], float32[::1], float32, float32, float32[::1], float32[::1])",
    fastmath={"contract"},
)
def _read_round(a, b, e, f, s, t):  # type: ignore[no-untyped-def]
    """Two lines at gains e and f, through the first round, into s and t."""
    for i in range(len(s)):
        p, q = e * a[i], f * b[i]
        s[i], t[i] = p + q, p - q


@sample_loop(
    "void(float32[::1], float32[::1], float32[::1], float32[::1], float32[::1])",
    fastmath={"contract"},
)
def _feed(a, b, new, upper, lower):  # type: ignore[no-untyped-def]
    """The last round of the Hadamard matrix, and what comes in, into two lines."""
    half, eighth = np.float32(0.5), np.float32(0.35355339059327373)
    for i in range(len(a)):
        fresh = half * new[i]
        upper[i] = (a[i] + b[i]) * eighth + fresh
        lower[i] = (a[i] - b[i]) * eighth + fresh


@sample_loop(
    "void(float32[::1], float32[::1], float32[::1], float32[::1], float32[::1], "
    "float32[::1], float32[::1], float32[::1], float32[::1], float64[::1], float64)",
    fastmath={"contract"},
)
def _heard(a, b, early, t0, t1, t2, t3, t4, t5, into, scale):  # type: ignore[no-untyped-def]
    """One side of what is heard: all lines with the signs of a row of the matrix, and the early part."""
    e0, e1, e2, e3, e4, e5 = early[0], early[1], early[2], early[3], early[4], early[5]
    root = np.float32(0.70710678)
    for i in range(len(into)):
        late = root * (a[i] + b[i])
        soon = (e0 * t0[i] + e1 * t1[i]) + (e2 * t2[i] + e3 * t3[i]) + (e4 * t4[i] + e5 * t5[i])
        into[i] = scale * (late + soon)


@sample_loop("void(float32[::1], float32[::1], float64[::1], float64)", **_QUICK)
def _tail_alone(a, b, into, scale):  # type: ignore[no-untyped-def]
    """One side of the tail: all lines with the signs of a row of the matrix."""
    root = np.float32(0.70710678)
    for i in range(len(into)):
        into[i] = scale * (root * (a[i] + b[i]))


@sample_loop(
    "void(float32[::1], float32[::1], float32[::1], float32[::1], float32[::1], "
    "float32[::1], float32[::1], float64[::1], float64)",
    **_QUICK,
)
def _early_alone(early, t0, t1, t2, t3, t4, t5, into, scale):  # type: ignore[no-untyped-def]
    """One side of the early part."""
    e0, e1, e2, e3, e4, e5 = early[0], early[1], early[2], early[3], early[4], early[5]
    for i in range(len(into)):
        into[i] = scale * (
            (e0 * t0[i] + e1 * t1[i]) + (e2 * t2[i] + e3 * t3[i]) + (e4 * t4[i] + e5 * t5[i])
        )


@sample_loop(
    "void(float64[::1], float64[::1], float64[:, ::1], float64[:, ::1], int64[::1], "
    "int64[::1], float32[:, ::1], float32[:, ::1], float32[:, ::1], int64[:, ::1], float32, "
    "int64[::1], float32[::1], float32[::1], float32[:, :, ::1], float32[:, ::1], "
    "float32[:, ::1], int64, int64[:, ::1], float32[::1], float32[:, ::1], float64, "
    "float32[:, ::1])",
    **_QUICK,
)
def _network(  # type: ignore[no-untyped-def]
    left, right, out, soon, sizes, places, fed, held, lines, spans, share, lengths, gains, pole,
    shelves, states, late, depth, taps, early, t, scale, between,
):  # fmt: skip
    """left and right (n,) through diffusers and eight lines into out (2, n).

    Where soon (2, n) is as long, the early part goes there, and out holds the tail alone.

    The rings fed (2), held (4) and lines (8 rows) have `sizes` and go on at `places`.
    t (8, chunk + 24) is to work in; `late` (8, segments + 1) the lengths where they are
    moved by up to `depth` samples. Each side hears all lines, with the signs of a row of its own of
    the Hadamard matrix.
    """
    n, chunk = len(left), t.shape[1] - _PAD
    filtered = pole[0] > 0 or shelves.shape[0] > 0
    start = 0
    while start < n:
        count = min(chunk, n - start)
        for r in range(3):
            count = min(count, sizes[r] - places[r])
        at, place = places[0], places[2]
        for side in range(2):
            x = fed[side, at : at + count]
            come = left[start : start + count] if side == 0 else right[start : start + count]
            for i in range(count):
                x[i] = come[i]
            _diffuse(x, held[2 * side : 2 * side + 2], sizes[1], places[1], spans[side], share)
            _mirror(fed[side], sizes[0], at, count)
        if depth == 0 and not filtered:
            for j in range(0, 8, 2):
                k, m = place - lengths[j], place - lengths[j + 1]
                k, m = k if k >= 0 else k + sizes[2], m if m >= 0 else m + sizes[2]
                _read_round(
                    lines[j, k : k + count], lines[j + 1, m : m + count], gains[j], gains[j + 1],
                    t[j, :count], t[j + 1, :count],
                )  # fmt: skip
        else:
            for j in range(8):
                row, g, back = t[j, :count], gains[j], lengths[j] + depth + 3
                k = place - back
                if k < 0:
                    k += sizes[2]
                if depth:
                    stretch = lines[j, k : k + count + 2 * depth + 8]
                    _read_moving(stretch, row, late[j], start, back, g, between)
                else:
                    old = lines[j, k + 3 : k + 3 + count]
                    for i in range(count):
                        row[i] = g * old[i]
            if pole[0] > 0:
                _fade(t, count, pole, states[0])
            for m in range(shelves.shape[0]):
                _absorb(t, count, shelves[m], states[m + 1])
            for j in range(0, 8, 2):
                _round(t[j, :count], t[j + 1, :count])
        for j in (0, 1, 4, 5):
            _round(t[j, :count], t[j + 2, :count])
        for side in range(2):
            x, ways = fed[side], taps[side]
            a0, a1, a2 = at - ways[0], at - ways[1], at - ways[2]
            a3, a4, a5 = at - ways[3], at - ways[4], at - ways[5]
            size = sizes[0]
            a0, a1 = a0 if a0 >= 0 else a0 + size, a1 if a1 >= 0 else a1 + size
            a2, a3 = a2 if a2 >= 0 else a2 + size, a3 if a3 >= 0 else a3 + size
            a4, a5 = a4 if a4 >= 0 else a4 + size, a5 if a5 >= 0 else a5 + size
            x0, x1, x2 = x[a0 : a0 + count], x[a1 : a1 + count], x[a2 : a2 + count]
            x3, x4, x5 = x[a3 : a3 + count], x[a4 : a4 + count], x[a5 : a5 + count]
            into = out[side, start : start + count]
            if soon.shape[1] == n:
                _tail_alone(t[side, :count], t[side + 4, :count], into, scale)
                _early_alone(
                    early, x0, x1, x2, x3, x4, x5, soon[side, start : start + count], scale
                )
            else:
                _heard(
                    t[side, :count], t[side + 4, :count], early, x0, x1, x2, x3, x4, x5, into, scale
                )
        for j in range(4):
            _feed(
                t[j, :count], t[j + 4, :count], fed[j % 2, at : at + count],
                lines[j, place : place + count], lines[j + 4, place : place + count],
            )  # fmt: skip
        for j in range(8):
            _mirror(lines[j], sizes[2], place, count)
        for r in range(3):
            places[r] = (places[r] + count) % sizes[r]
        start += count


class ReverbWork:
    """The tail of a reverb stage, with the energy that the plan counts it for.

    Scaled so that pink noise comes out with the power that it brings in (as the plan takes it).
    Size scales the lines and the early part, density the diffusers. Unless it is locked, the lines
    are swung by the depth at rates about the rate, the right side's by its phase apart, each device
    from a phase of its own, so that two of them never null.
    """

    latency = 0
    own = 0.0

    def __init__(self, stage: k.Reverb, setting: Setting) -> None:
        self.rate, self.stage, self.channels = setting.rate_hz, stage, setting.channels
        rate, size = setting.rate_hz, stage.size_percent / 100
        asked = (getattr(stage, f"rt60_{int(hz)}_s") for hz in OCTAVES_HZ)
        longest = max(stage.rt60_s, *(s for s in asked if s is not None), 0.0)
        lengths = line_lengths(lines_size(size, longest), rate, setting.own_lines, setting.seed)
        self.lengths = np.array(lengths, dtype=np.int64)
        self.depth = 0.0 if stage.locked else stage.mod_depth_ms / 1e3 * rate
        self.depth = min(self.depth, 0.4 * min(lengths))
        self.spans = diffuser_spans(rate, setting.own_lines)
        self.density = MOST_DIFFUSION * stage.density_percent / 100
        times = early_times(size * stage.early_size_percent / 100, setting.own_lines)
        self.taps = np.array([np.round(times * (1 + 0.07 * side) * rate) for side in (0, 1)], int)
        early = amplitude(stage.early_db + EARLY_DB) * 10 ** (-3 * times / stage.rt60_s)
        self.early = early.astype(np.float32)
        phase = lfo_phase(stage.id, False)
        self.turns = np.array(
            [
                [
                    unlike * stage.mod_rate_hz / rate,
                    phase
                    + j / LINES
                    + (stage.mod_sides_deg / 360) * (j % 2)
                    + unlike * stage.mod_rate_hz * setting.start_s,
                ]
                for j, unlike in enumerate(_UNLIKE)
            ]
        )
        self._losses()
        self.chunk = min(_MOST_AT_ONCE, int(min(lengths) - math.ceil(self.depth) - 3))
        self.room = np.empty((LINES, self.chunk + _PAD), np.float32)
        self.scale, self.apart = 1.0, False
        self._empty()
        self.scale = 1 / math.sqrt(max(self._energy(), 1e-12))
        self._empty()
        self.parts = (
            PartWork(
                rate, stage.early_low_cut_hz, stage.early_high_cut_hz, stage.early_pan_percent,
                stage.early_side_db, stage.early_cross_percent,
            ),
            PartWork(
                rate, stage.tail_low_cut_hz, stage.tail_high_cut_hz, stage.tail_pan_percent,
                stage.tail_side_db,
            ),
        )  # fmt: skip
        # Apart only where they differ from rest: the energy that the plan counts is that at rest.
        self.apart = not all(part.neutral for part in self.parts)

    def _energy(self) -> float:
        """Energy of the whole response for pink noise: the mean of all octaves from 40 Hz to 16 kHz.

        A tail that is darker or shorter at the top is as loud as an even one, by that measure.
        """
        seconds = min(30.0, self.stage.rt60_s * 0.75 + 0.2)
        block, parts = np.zeros((2, 8192)), []
        block[0, 0] = 1.0
        for _ in range(math.ceil(seconds * self.rate / 8192)):
            parts.append(self._through(block)[: self.channels].astype(np.float32))
            block[0, 0] = 0.0
        power = (np.abs(scipy.fft.rfft(np.concatenate(parts, axis=1))) ** 2).sum(axis=0)
        hz = np.fft.rfftfreq(2 * len(power) - 2, 1 / self.rate)
        inside = (hz >= _PINK_HZ[0]) & (hz <= _PINK_HZ[1])
        return float((power[inside] / hz[inside]).sum() / (1 / hz[inside]).sum())

    def _losses(self) -> None:
        """Gains, poles and shelves of the lines, from the decay asked for."""
        stage = self.stage
        found = line_losses(
            stage.rt60_s, stage.high_decay_percent / 100,
            tuple(getattr(stage, f"rt60_{int(hz)}_s") for hz in OCTAVES_HZ),
            tuple(int(n) for n in self.lengths), self.rate,
        )  # fmt: skip
        self.gains = found.gains.astype(np.float32)
        self.pole = found.poles.astype(np.float32)
        self.shelves = np.ascontiguousarray(found.shelves, dtype=np.float32)

    def _empty(self) -> None:
        depth, chunk, single = math.ceil(self.depth), self.chunk, np.float32
        reaches = (self.taps.max(), self.spans.max(), self.lengths.max() + 2 * depth + 8)
        # Whole chunks, so that a stretch seldom meets the end of a ring.
        self.sizes = np.array([chunk * (int(reach) // chunk + 2) for reach in reaches])
        self.places = np.zeros(3, np.int64)
        spare = chunk + 2 * depth + 8
        self.fed, self.held, self.lines = (
            np.zeros((rows, size + spare), single)
            for rows, size in zip((2, 4, LINES), self.sizes, strict=True)
        )
        self.states = np.zeros((len(self.shelves) + 1, 2 * LINES), single)
        self.done = 0

    def _through(self, block: np.ndarray) -> np.ndarray:
        count = block.shape[1]
        late = np.zeros((LINES, 1), np.float32)
        if self.depth:
            pieces = self.done + _SEGMENT * np.arange(-(-count // _SEGMENT) + 1)
            turn = self.turns[:, :1] * pieces[None, :] + self.turns[:, 1:]
            swung = self.lengths[:, None] + self.depth * np.sin(2 * np.pi * turn)
            late = np.ascontiguousarray(swung, dtype=np.float32)
        out = np.empty(block.shape)
        soon = np.empty((2, count if self.apart else 0))
        _network(
            *rows(block), out, soon, self.sizes, self.places, self.fed, self.held, self.lines,
            self.spans, np.float32(self.density), self.lengths, self.gains, self.pole,
            self.shelves, self.states, late, math.ceil(self.depth), self.taps, self.early,
            self.room, self.scale, _BETWEEN,
        )  # fmt: skip
        self.done += count
        if not self.apart:
            return out
        early, tail = self.parts
        return early(soon) + tail(out)

    def later(self, samples: int) -> None:
        """What it is given is so much behind the song."""
        self.turns[:, 1] -= samples * self.turns[:, 0]

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        out = self._through(block)
        if self.channels == 1:
            out[1] = 0.0
        return out
