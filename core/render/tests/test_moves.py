"""Every setting that can be moved: once it is there, the sound is that of a rig that rests there."""

import typing
import unittest

import numpy as np

from core.render import render_clip
from core.render.moves import MoveError, MovePoint, WrittenMove, resolve_moves
from core.routing import Context, compile_rig, parse_rig
from core.routing.document import kinds as k
from core.routing.document.fields import parameters_of
from core.routing.document.kinds.registry import AnyNode
from core.tempo import TempoMap, TempoSection
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))
TEMPO = TempoMap([TempoSection(tempo_bpm=120, beat_unit="1/4", metre_count=4, metre_unit=4)])
# A bar lasts two seconds, a beat half of one.
NOISE = 0.2 * np.random.default_rng(1).standard_normal((2, round(1.5 * RATE)))
STAGES = [c for c in typing.get_args(typing.get_args(AnyNode)[0]) if issubclass(c, k.Stage)]
ELSEWHERE = {"latency_ms", "distance_m", "celsius", "centre_ms"}
"""At another value of these the sound arrives at another time: they are not moved."""
MEANT = {
    ("delay", "low_cut_hz"), ("delay", "high_cut_hz"), ("delay", "feedback_percent"),
    ("tremolo", "rate_hz"), ("tremolo", "depth_percent"), ("chorus", "rate_hz"),
    ("chorus", "depth_ms"), ("swept", "frequency_hz"), ("swept", "range_oct"), ("ducker", "depth_db"),
    ("compressor", "threshold_db"), ("reverb", "rt60_s"), ("filter", "low_cut_hz"),
    ("equaliser", "mid_db"), ("volume", "position_percent"),
}  # fmt: skip


def moved(rig, part: str, field: str, *points: MovePoint, sound=NOISE) -> np.ndarray:
    move = WrittenMove(part=part, field=field, points=points)
    plan, moves = resolve_moves(rig, SONG, [move], TEMPO, RATE)
    return render_clip(plan, RATE, {"a": sound}, tail_s=0.0, moves=moves)["o"]


def resting(rig, part: str, field: str, value, sound=NOISE) -> np.ndarray:
    node = type(rig.nodes[part]).model_validate(rig.nodes[part].model_dump() | {field: value})
    there = rig.model_copy(update={"nodes": {**rig.nodes, part: node}})
    return render_clip(compile_rig(there, SONG), RATE, {"a": sound}, tail_s=0.0)["o"]


class EveryMove(unittest.TestCase):
    def test_once_it_is_there_the_sound_is_that_of_the_value_at_rest(self):
        done, refused = set(), set()
        for kind in STAGES:
            name = kind.model_fields["kind"].default
            if name in ("frame", "convolution"):
                continue
            # A delay without feedback has nothing in its loop to be heard.
            said = " (feedback 40 %)" if name == "delay" else ""
            rig = parse_rig(f"a: source (stereo) > n: {name}{said} > o: output (stereo)")
            for one in parameters_of(kind):
                low, high, now = one.low, one.high, getattr(rig.nodes["n"], one.field)
                if one.sort != "number" or one.field in k.UNHEARD or None in (low, high):
                    continue
                # A filter that is off is switched on in the middle of what is heard.
                value = (
                    round(low + 0.05 * (high - low), 2)
                    if now is None
                    else round(now + ((high if high > now else low) - now) * 0.3, 2)
                )
                with self.subTest(f"{name} {one.field} {now} to {value}"):
                    try:
                        got = moved(rig, "n", one.field, MovePoint(bar=1, value=value))
                    except MoveError as refusal:
                        if "would not be heard" not in str(refusal.sentence):
                            refused.add(one.field)
                        continue
                    want = resting(rig, "n", one.field, value)
                    n = min(got.shape[1], want.shape[1])
                    last = slice(n - RATE // 2, n)
                    size = np.abs(want[:, last]).max()
                    apart = np.abs(got[:, last] - want[:, last]).max()
                    self.assertLess(apart, max(1e-7, 1e-3 * size))
                    done.add((name, one.field))
        self.assertLessEqual(refused, ELSEWHERE)
        self.assertGreaterEqual(len(done), 100)
        wanted = {
            (n, f)
            for n, f in MEANT
            if any(f in c.model_fields for c in STAGES if c.model_fields["kind"].default == n)
        }
        self.assertEqual(wanted - done, set())

    def test_before_it_moves_it_is_as_it_rests_and_in_between_it_is_between(self):
        rig = parse_rig("a: source > n: filter (low cut 100 Hz) > o: output")
        step = MovePoint(bar=1, beat=2, value=2000.0)
        got = moved(rig, "n", "low_cut_hz", step)
        before, after = (resting(rig, "n", "low_cut_hz", v) for v in (100.0, 2000.0))
        at = RATE // 2
        np.testing.assert_allclose(got[:, : at - 1], before[:, : at - 1], atol=1e-9)
        np.testing.assert_allclose(got[:, at + 400 : RATE], after[:, at + 400 : RATE], atol=1e-9)
        # A ramp of many values: its power goes from one to the other without a jump.
        tone = 0.3 * np.sin(2 * np.pi * 200 * np.arange(round(1.5 * RATE)) / RATE)[None]
        ramp = MovePoint(bar=1, beat=3, value=4000.0, ramp=True)
        heard = moved(
            rig, "n", "low_cut_hz", MovePoint(bar=1, beat=1, value=100.0), ramp, sound=tone
        )
        power = [np.square(heard[0, i : i + 2400]).mean() for i in range(0, RATE, 2400)]
        falls = 10 * np.log10(np.array(power[1:]) / power[:-1])
        self.assertLess(falls.max(), 0.2)
        self.assertGreater(falls.min(), -14)
        self.assertLess(10 * np.log10(power[-1] / power[0]), -18)

    def test_a_loop_filter_that_moves_is_heard_on_every_lap_after(self):
        rig = parse_rig("a: source > n: delay (time 100 ms, feedback 80 %, mix 100 %) > o: output")
        click = np.zeros((1, round(1.5 * RATE)))
        click[0, :8] = 0.5
        field = next(
            f for f in ("high_cut_hz", "loop_high_cut_hz") if f in type(rig.nodes["n"]).model_fields
        )
        got = moved(rig, "n", field, MovePoint(bar=1, beat=2, value=800.0), sound=click)
        plain = render_clip(compile_rig(rig, SONG), RATE, {"a": click}, tail_s=0.0)["o"]

        def lap(sound: np.ndarray, n: int) -> float:
            return float(np.abs(sound[0, n * 4800 : n * 4800 + 2400]).max())

        # Laps before half a second are those of the rig at rest; each one after loses its top.
        for n in (2, 4):
            self.assertAlmostEqual(lap(got, n), lap(plain, n), places=6)
        lost = [20 * np.log10(lap(got, n) / lap(plain, n)) for n in (6, 8, 10)]
        self.assertLess(lost[0], -1)
        self.assertTrue(all(b < a - 0.5 for a, b in zip(lost, lost[1:], strict=False)), lost)

    def test_what_would_arrive_at_another_time_is_refused_with_a_sentence(self):
        rig = parse_rig("a: source > n: air (distance 2 m) > o: output")
        with self.assertRaisesRegex(MoveError, "distance cannot be moved"):
            moved(rig, "n", "distance_m", MovePoint(bar=1, value=5.0))
        with self.assertRaisesRegex(MoveError, "no value"):
            moved(rig, "n", "distance_m", MovePoint(bar=1, value=-5.0))
