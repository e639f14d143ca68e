"""A point that feeds itself: a feedback delay's loop."""

import math

import numpy as np

from core.audio.past import Past
from core.render.delay_line import REACH, DelayLine, is_whole
from core.render.filters import Filter, section_sos
from core.render.holding import Limiter
from core.render.moves import LoopMorph, Moved
from core.render.moving_line import MovingLine
from core.render.processors.base import Curve, Processor
from core.routing.plan.model import SWAP, UNIT, SelfLoop, scaled
from core.sample_loops import sample_loop
from core.units.decibel import amplitude


@sample_loop(
    "void(float64[::1], float64[::1], float64[:, ::1], int64, int64, float64, int64, "
    "float64[:, ::1], float64[:, ::1])",
    fastmath={"contract"},
)
def _go_round(x, y, held, past, delay, gain, swapped, sections, state):  # type: ignore[no-untyped-def]
    """held (2, m) gets what the point carries from index `past` on; x and y are what enters it.

    sections (m, 3): b0, b1, a1 of first-order filters in the loop, both sides at once; state (m, 4).
    """
    n = len(x)
    left = held[1 if swapped else 0, past - delay : past - delay + n]
    right = held[0 if swapped else 1, past - delay : past - delay + n]
    x_in, y_in = held[0, past : past + n], held[1, past : past + n]
    if sections.shape[0] == 0:
        for i in range(n):
            x_in[i] = x[i] + gain * left[i]
        for i in range(n):
            y_in[i] = y[i] + gain * right[i]
        return
    b0, b1, a1 = gain * sections[0, 0], gain * sections[0, 1], sections[0, 2]
    u, v = state[0, 0], state[0, 1]
    if sections.shape[0] == 1:
        # Direct form: only one multiplication waits for the sample before. u, v hold what went in
        # last, w, z what came out.
        w, z = state[0, 2], state[0, 3]
        for i in range(n):
            p, q = left[i], right[i]
            w = (b0 * p + b1 * u) - a1 * w
            z = (b0 * q + b1 * v) - a1 * z
            u, v = p, q
            x_in[i] = x[i] + w
            y_in[i] = y[i] + z
        state[0, 2], state[0, 3] = w, z
    else:
        c0, c1, d1 = sections[1, 0], sections[1, 1], sections[1, 2]
        w, z = state[1, 0], state[1, 1]
        for i in range(n):
            p, q = left[i], right[i]
            s, t = b0 * p + u, b0 * q + v
            u, v = b1 * p - a1 * s, b1 * q - a1 * t
            f, g = c0 * s + w, c0 * t + z
            w, z = c1 * s - d1 * f, c1 * t - d1 * g
            x_in[i] = x[i] + f
            y_in[i] = y[i] + g
        state[1, 0], state[1, 1] = w, z
    state[0, 0], state[0, 1] = u, v


class Ring:
    """Adds to each block (2, n) what comes back round; n must not be longer than `longest`.

    Whole samples, one gain for both sides (straight or swapped) and filters of first order go
    through one compiled loop; all else through a delay line, filters and an insert one after
    another. What comes back may be a part of the loop's own memory: it is good until the next block.
    What an insert takes of time is taken off the line, so that a lap lasts as it should.
    """

    def __init__(
        self, loop: SelfLoop, rate_hz: int, insert: Processor | None = None,
        gain: Moved | None = None, time: Curve | None = None, fade: bool = False,
        limiter: Limiter | None = None, morph: LoopMorph | None = None,
    ) -> None:  # fmt: skip
        self.loop, self.insert, self.moved, self.done = loop, insert, gain, 0
        self.limiter = limiter
        spent = 0.0 if insert is None else insert.latency + insert.own
        samples = loop.delay_s * rate_hz - spent
        if not is_whole(samples) and samples < 2 * REACH:
            samples = float(max(1, round(samples)))
        self.longest = lap_room(samples)
        biggest = max(loop.matrix, key=abs)
        sections = () if loop.shape is None else loop.shape.sections
        plain = loop.matrix in (scaled(UNIT, biggest), scaled(SWAP, biggest))
        first = all(s.order == 1 and s.kind.endswith("_pass") for s in sections)
        rest = loop.shape is not None and loop.shape.rest
        still = insert is None and gain is None and time is None and morph is None
        self.quick = (
            still and is_whole(samples) and plain and first and len(sections) <= 2 and not rest
        )
        self.gain, self.swapped = biggest, loop.matrix[1] != 0
        self.line: DelayLine | MovingLine = DelayLine(max(1.0, samples))
        if time is not None:
            self.line = MovingLine(time, -spent, fade, rate_hz)
            self.longest = max(1, math.floor(min(time.values) - spent) - 4)
        self.filter: Filter | None = None
        if self.quick:
            self.delay = round(samples)
            self.past = Past(2, self.delay)
            self.state = np.zeros((len(sections), 4))
            self.sections = np.array(
                [
                    [sos[0, 0], sos[0, 1], sos[0, 4]]
                    for sos in (section_sos(s, rate_hz) for s in sections)
                ]
            ).reshape(-1, 3)
        elif morph is None and loop.shape is not None:
            self.filter = Filter(loop.shape, rate_hz)
        self.morph = morph
        self.versions = [
            None if shape is None else Filter(shape, rate_hz)
            for shape in (() if morph is None else morph.shapes)
        ]

    def __call__(self, block: np.ndarray) -> np.ndarray:
        count = block.shape[1]
        if count > self.longest:
            raise ValueError("A block is longer than the loop it goes round.")
        if self.quick:
            start = self.past.room(count)
            held = self.past.held
            _go_round(
                block[0], block[1], held, start, self.delay, self.gain, self.swapped,
                self.sections, self.state,
            )  # fmt: skip
            now = held[:, start : start + count]
            if self.limiter is not None:
                self.limiter(now)
            return now
        out = np.array(block)
        back = self.line.read(count)
        if self.filter is not None:
            back = self.filter(back)
        if self.morph is not None:
            shares = self.morph.weights.over(self.done, count)
            back = np.sum(
                [w * (back if f is None else f(back)) for w, f in zip(shares, self.versions, strict=True)],
                axis=0,
            )  # fmt: skip
        if self.insert is not None:
            back = self.insert(np.ascontiguousarray(back)) * amplitude(self.insert_db)
        if self.moved is not None:
            back = self.moved.over(back, self.done)
        else:
            a, b, c, d = self.loop.matrix
            back = np.array([[a, b], [c, d]]) @ back
        self.done += count
        out += back
        if self.limiter is not None:
            self.limiter(out)
        self.line.push(out)
        return out

    @property
    def insert_db(self) -> float:
        return 0.0 if self.loop.insert is None else self.loop.insert.output_db


def lap_room(samples: float) -> int:
    """The longest block that goes into a lap of so many samples."""
    return max(1, math.floor(samples) - (0 if is_whole(samples) else REACH))
