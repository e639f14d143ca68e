"""Both ways of connecting, rendered and compared with what each has to be by convolution alone."""

import unittest

import numpy as np

from core.render import render_clip
from core.routing import Context, Evaluation, RigError, compile_rig, orders_of, parse_rig, the_other
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))
CHAIN = """
g: source "Guitar" > d: delay "Echo" (time 100 ms, feedback 0 %, mix 100 %) > f: delay "Slap" (time 30 ms, feedback 0 %, mix 100 %) > o: output
"""
INSERT = 'g: source "Guitar" > d: delay "Echo" (time 50 ms, feedback 30 %, mix 40 %) > o: output'


def asked(text: str) -> Evaluation:
    return Evaluation(parse_rig(text), SONG)


def rendered(rig, x: np.ndarray) -> np.ndarray:
    plan = compile_rig(rig, SONG)
    return next(iter(render_clip(plan, RATE, {"g": x}, tail_s=0.5).values()))[0]


def click() -> np.ndarray:
    x = np.zeros((1, RATE // 2))
    x[0, 100] = 1.0
    return x


class SeriesOrParallel(unittest.TestCase):
    def test_side_by_side_each_hears_the_dry_sound(self):
        e = asked(CHAIN)
        order = next(o for o in orders_of(e) if o.question == "series")
        self.assertEqual(order.id, "series:d:f")
        self.assertIn("nothing of what Echo makes", order.expects)
        self.assertEqual(order.locks, [])
        series, beside = rendered(e.rig, click()), rendered(the_other(e, order.id), click())
        at = lambda y: [int(n) - 100 for n in np.flatnonzero(np.abs(y) > 0.5)]  # noqa: E731
        # One after the other the times add; side by side each stands at its own.
        self.assertEqual(at(series), [round(0.13 * RATE)])
        self.assertEqual(at(beside), [round(0.03 * RATE), round(0.1 * RATE)])

    def test_what_passes_the_dry_sound_twice_or_changes_its_work_is_told(self):
        e = asked("g: source > c: compressor (ratio 4) > t: drive (gain 6 dB) > o: output")
        (order,) = (o for o in orders_of(e) if o.question == "series")
        self.assertIn("comes twice", order.expects)
        self.assertIn("loud and quiet", order.expects)

    def test_what_moves_by_itself_is_named(self):
        e = asked('g: source > w: chorus "Sway" (mix 50 %) > d: delay (mix 50 %) > o: output')
        order = next(o for o in orders_of(e) if o.question == "series")
        self.assertEqual(len(order.locks), 1)
        self.assertIn("Sway moves by itself", order.locks[0])

    def test_no_question_where_a_rail_parts_or_a_device_is_off(self):
        text = (
            "g: source > d: delay (bypassed) > s: split > m: merge > o: output\ns > r: reverb > m"
        )
        self.assertEqual([o for o in orders_of(asked(text)) if o.question == "series"], [])


class InsertOrSend(unittest.TestCase):
    def test_a_linear_device_is_the_same_on_a_send(self):
        e = asked(INSERT)
        order = next(o for o in orders_of(e) if o.question == "send")
        self.assertIn("has to null", order.expects)
        x = np.random.default_rng(3).standard_normal((1, RATE)) * 0.1
        inserted, sent = rendered(e.rig, x), rendered(the_other(e, order.id), x)
        rest = inserted - sent[: len(inserted)]
        self.assertLess(10 * np.log10(np.sum(rest**2) / np.sum(inserted**2)), -120)
        # 60 % dry and 40 % of each repeat, by the samples of a click.
        y = rendered(the_other(e, order.id), click())
        self.assertAlmostEqual(y[100], 0.6, places=3)
        self.assertAlmostEqual(y[100 + 2400], 0.4, places=3)

    def test_a_question_about_what_is_gone_is_refused(self):
        e = asked(INSERT)
        for id in ("send:nothing", "series:d:gone", "series:d", "other:d"):
            with self.assertRaises(RigError):
                the_other(e, id)


if __name__ == "__main__":
    unittest.main()
