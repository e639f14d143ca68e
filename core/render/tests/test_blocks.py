"""What is heard does not depend on how it is cut into blocks, nor on which buffers are reused."""

import random
import unittest

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from core.audio.past import Past
from core.render.holding import Limiter, held_points
from core.render.mixing import Sum
from core.render.moves import Moves, resolve_moves
from core.render.processors import Setting, processor_for
from core.render.ring import Ring
from core.render.run import render_clip
from core.routing import Context, compile_rig, parse_rig
from core.routing.document import kinds as k
from core.routing.plan.model import SWAP, UNIT, SelfLoop, scaled
from core.routing.plan.responses import cuts
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))
_OCTAVES = {f"rt60_{hz}_s": 2.0 - 0.2 * i for i, hz in enumerate((125, 250, 500, 1000, 2000, 4000))}
STAGES = {
    "even reverb": k.Reverb(id="r", locked=True),
    "one pole": k.Reverb(id="r", locked=True, high_decay_percent=30),
    "octaves": k.Reverb(id="r", locked=True, **_OCTAVES),
    "swung": k.Reverb(id="r", mod_depth_ms=2, mod_rate_hz=3),
    "small and swung": k.Reverb(id="r", size_percent=20, mod_depth_ms=5),
    "large": k.Reverb(id="r", size_percent=300, locked=True, early_size_percent=300),
    "in parts": k.Reverb(id="r", locked=True, tail_low_cut_hz=300, early_pan_percent=40),
    "compressor": k.Compressor(id="c", threshold_db=-40, ratio=6),
    "rms": k.Compressor(id="c", threshold_db=-40, ratio=6, detector="rms"),
    "drive": k.Drive(id="d", gain_db=20),
    "fold": k.Drive(id="d", gain_db=20, shape="fold"),
    "chorus": k.Chorus(id="h", depth_ms=4),
    "three bands": k.ThreeBand(id="t"),
    "clocked delay": k.StandIn(id="x", device="clock"),
    "outboard loop": k.StandIn(id="x", device="loop"),
}


def noise(count: int, seed: int = 1) -> np.ndarray:
    return 0.2 * np.random.default_rng(seed).standard_normal((2, count))


def cut(count: int, seed: int) -> list[int]:
    """Random lengths, from one sample on, that add up to `count`."""
    rng, left, sizes = random.Random(seed), count, []
    while left:
        size = min(left, rng.choice((1, 7, 31, 32, 33, 500, 1024, 3000, rng.randint(1, 6000))))
        sizes.append(size)
        left -= size
    return sizes


def run(work, sound, sizes):
    parts, at = [], 0
    for size in sizes:
        parts.append(np.array(work(sound[:, at : at + size])))
        at += size
    return np.concatenate(parts, axis=1)


class Processors(unittest.TestCase):
    def test_any_blocks_give_what_one_block_gives(self):
        sound = noise(24_000)
        setting = Setting(RATE, 2, times_s={"x": 0.13})
        for seed, (name, stage) in enumerate(STAGES.items()):
            with self.subTest(name):
                whole = run(processor_for(stage, setting), sound, [24_000])
                pieces = run(processor_for(stage, setting), sound, cut(24_000, seed))
                # An LFO is taken every 32 samples from a block's start: nearly, not to the bit.
                loose = stage.kind == "chorus" or getattr(stage, "mod_depth_ms", 0) > 0.3
                loose = loose or getattr(stage, "device", "") == "clock"
                np.testing.assert_allclose(pieces, whole, atol=2e-3 if loose else 2e-6)

    @settings(max_examples=15, deadline=None)
    @given(st.integers(0, 10_000), st.booleans(), st.sampled_from((0, 1, 2)))
    def test_a_loop_is_the_same_in_any_blocks_and_for_the_slow_way(self, seed, swapped, filters):
        shape = (None, cuts(None, 3000, 1), cuts(150, 3000, 1))[filters]
        loop = SelfLoop(scaled(SWAP if swapped else UNIT, 0.7), 0.07, "d", shape)
        sound = noise(12_000, seed)
        sizes = [min(s, 3000) for s in cut(12_000, seed)]
        left = 12_000 - sum(sizes)
        sizes += [3000] * (left // 3000) + [left % 3000]
        ring = Ring(loop, RATE)
        self.assertTrue(ring.quick)
        quick = run(ring, sound, sizes)
        slow = Ring(loop, RATE)
        slow.quick = False
        if shape is not None:
            from core.render.filters import Filter

            slow.filter = Filter(shape, RATE)
        np.testing.assert_allclose(run(slow, sound, sizes), quick, atol=1e-9)


class Buffers(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(1, 300), st.lists(st.integers(1, 2000), min_size=1, max_size=12))
    def test_the_past_stays_readable(self, reach, sizes):
        past, fed = Past(1, reach), np.zeros(0)
        for n, size in enumerate(sizes):
            block = np.arange(size)[None, :] + 1000.0 * n
            at = past.add(block)
            fed = np.concatenate([fed, block[0]])
            have = min(reach, len(fed) - size)
            np.testing.assert_array_equal(
                past.held[0, at - have : at + size], fed[len(fed) - size - have :]
            )

    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(
            st.tuples(*[st.sampled_from((0.0, 1.0, -0.5, 2.0)) for _ in range(4)]),
            min_size=1, max_size=5,
        ),
        st.integers(1, 40), st.booleans(),
    )  # fmt: skip
    def test_a_sum_is_that_of_its_matrices_and_leaves_what_came_in(self, matrices, count, mono):
        if mono:
            matrices = [
                (a, b, 0.0, 0.0) if (a, b) != (1.0, 0.0) else UNIT for a, b, _, _ in matrices
            ]
        total = Sum(1 if mono else 2)
        for step in range(2):
            total.clear()
            wanted = np.zeros((2, count))
            for n, matrix in enumerate(matrices):
                block = noise(count, n + step)
                if mono:
                    block[1] = 0
                before = block.copy()
                total.add(block, matrix)
                wanted += np.array(matrix).reshape(2, 2) @ block
                np.testing.assert_array_equal(block, before)
            np.testing.assert_allclose(total.value(count), wanted, atol=1e-12)


class Limits(unittest.TestCase):
    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 1000), st.floats(0.01, 50))
    @example(336, 1.15625)
    def test_a_limiter_holds_at_full_scale_and_leaves_what_is_below(self, seed, gain):
        sound = gain * noise(2000, seed)
        out, limiter = sound.copy(), Limiter(RATE)
        for start in range(0, 2000, 300):
            piece = np.ascontiguousarray(out[:, start : start + 300])
            limiter(piece)
            out[:, start : start + 300] = piece
        self.assertLessEqual(float(np.abs(out).max()), 1.0 + 1e-12)
        # Never turned over, never louder, and both sides by the same gain.
        self.assertTrue((out * sound >= 0).all())
        self.assertTrue((np.abs(out) <= np.abs(sound) + 1e-12).all())
        if np.abs(sound).max() <= 1:
            np.testing.assert_array_equal(out, sound)
            self.assertFalse(limiter.acted)
        else:
            self.assertTrue(limiter.acted)

    def test_which_loops_are_held(self):
        text = "g: source > d: delay (time 30 ms, mix 100 %, feedback {}) > o: output"
        around = "g: source > b: bus > d: delay (time 30 ms) > s: split > o: output\ns > l: level (level {}) > b"
        for notation, found in (
            (text.format("99 %"), []), (text.format("100 %"), [("d", False)]),
            (text.format("101 %"), [("d", True)]), (around.format("-1 dB"), []),
            (around.format("1 dB"), [("l.0", True)]),
        ):  # fmt: skip
            with self.subTest(notation):
                held = held_points(compile_rig(parse_rig(notation), SONG), Moves())
                self.assertEqual([(h.owner, h.above) for h in held.values()], found)

    def test_a_move_past_unity_counts(self):
        from core.render.moves import MovePoint, WrittenMove
        from core.tempo import TempoMap, TempoSection

        rig = parse_rig("g: source > d: delay (time 30 ms, feedback 40 %) > o: output")
        points = (MovePoint(bar=2, value=110.0),)
        plan, moves = resolve_moves(
            rig, SONG, [WrittenMove(part="d", field="feedback_percent", points=points)],
            TempoMap([TempoSection(tempo_bpm=120)]), RATE,
        )  # fmt: skip
        self.assertEqual([h.above for h in held_points(plan, moves).values()], [True])
        around = parse_rig(
            "g: source > b: bus > d: delay (time 30 ms, mix 100 %) > s: split > o: output\n"
            "s > l: level (level -6 dB) > b"
        )
        lifted = (MovePoint(bar=2, value=3.0), MovePoint(bar=4, value=-6.0))
        round_again, more = resolve_moves(
            around, SONG, [WrittenMove(part="l", field="level_db", points=lifted)],
            TempoMap([TempoSection(tempo_bpm=120)]), RATE,
        )  # fmt: skip
        self.assertEqual([h.owner for h in held_points(round_again, more).values()], ["l.0"])
        sound = render_clip(round_again, RATE, {"g": noise(RATE * 6)[:1]}, tail_s=2, moves=more)[
            "o"
        ]
        self.assertLessEqual(float(np.abs(sound).max()), 1.01)
        # Back at rest it dies away.
        self.assertLess(float(np.abs(sound[:, -RATE // 2 :]).max()), 1e-3)
        loud = render_clip(plan, RATE, {"g": noise(RATE * 4)[:1]}, tail_s=4, moves=moves)["o"]
        self.assertLess(float(np.abs(loud).max()), 2.0)
