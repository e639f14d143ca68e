"""Repeats: counts, decay, silence by a bar line, growth, and the arrivals of every mode."""

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from core.delay import DelayLine, RepeatsRequest, check_lines, repeats, slug
from core.delay.repeats import (
    echo_times,
    feedback_for_repeats,
    loop_loss_db,
    repeats_above,
)
from core.devices import DeviceProfile
from core.errors import FonodromeError
from core.units import TempoFrame

LIGHTHOUSE = TempoFrame(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8)


def asked(threshold_db: float = 40, **line) -> RepeatsRequest:
    return RepeatsRequest(frame=LIGHTHOUSE, line=DelayLine(**line), threshold_db=threshold_db)


class Counting(unittest.TestCase):
    def test_worked_numbers(self):
        found = repeats(asked(40, value="478.7 ms", first_db=-3, feedback_percent=55))
        self.assertAlmostEqual(found.feedback_db, -5.192746210115122)
        self.assertEqual(found.count, 8)
        self.assertAlmostEqual(found.rt60_s, 5.531177307308312)
        slow = repeats(asked(60, value="250 ms", first_db=-6, feedback_percent=90))
        self.assertEqual(slow.count, 60)
        self.assertAlmostEqual(slow.rt60_s, 16.39075899508713)
        self.assertAlmostEqual(feedback_for_repeats(5, -4, 40), 0.35481338923357547)

    @given(st.integers(2, 60), st.floats(-20, 6), st.floats(25, 90))
    def test_feedback_for_a_number_of_repeats_leaves_that_many(self, count, first, threshold):
        g = feedback_for_repeats(count, first, threshold)
        self.assertEqual(repeats_above(first, 20 * math.log10(g * 1.0001), threshold), count)

    def test_two_sides_are_silent_when_the_longer_one_is(self):
        # 6.02 dB a pass from 0 dB: the seventh is 36.1 dB down, the eighth falls below 40. 7 x 450 ms.
        for value, second in (("300 ms", "450 ms"), ("450 ms", "300 ms")):
            found = repeats(
                asked(40, mode="dual", value=value, second=second, first_db=0, feedback_percent=50)
            )
            self.assertEqual(found.count, 7)
            self.assertAlmostEqual(found.silence_s, 7 * 0.45)
            self.assertAlmostEqual(found.rt60_s, 60 / 6.0206 * 0.45, places=4)
            self.assertAlmostEqual(
                next(b for b in found.bands if b.hz == 1000).rt60_s, 60 / 6.0206 * 0.45, places=4
            )

    def test_growth_and_unity(self):
        for percent, headroom, growth, steps in (
            (125, 12, 1.9382002601611283, 7), (102, 18, 0.17200343523835135, 105),
        ):  # fmt: skip
            request = asked(40, first_db=0, feedback_percent=percent)
            found = repeats(request.model_copy(update={"headroom_db": headroom}))
            self.assertAlmostEqual(found.runaway.growth_db, growth)
            self.assertEqual(found.runaway.repeats_to_full_scale, steps)
            self.assertIsNone(found.count)
            self.assertIn("monitors down", found.cautions[0])
        unity = repeats(asked(feedback_percent=100)).runaway
        self.assertEqual((unity.growth_db, unity.repeats_to_full_scale), (0, None))

    def test_silence_by_a_bar_line(self):
        # Dotted eighths at this tempo: four to the bar, so that echo 4 n falls on bar line n.
        found = repeats(asked(40, value="1/8.", first_db=-6.5, feedback_percent=69))
        need = [round(g.loop_db, 1) for g in found.gone_by]
        self.assertEqual(need, [-11.2, -4.8, -3.0, -2.2])
        for gone in found.gone_by:
            per = gone.loop_db
            k = 4 * gone.bars
            self.assertAlmostEqual(-6.5 + (k - 1) * per, -40)

    def test_loop_filter_takes_its_share_each_pass(self):
        found = repeats(asked(40, feedback_percent=70, low_cut_hz=250, high_cut_hz=2000))
        by_hz = {b.hz: b for b in found.bands}
        self.assertAlmostEqual(loop_loss_db(2000, None, 2000), 3.0103, places=4)
        self.assertGreater(by_hz[125].loss_db, by_hz[500].loss_db)
        self.assertLess(by_hz[8000].repeats, by_hz[1000].repeats)

    def test_a_device_that_cannot(self):
        box = DeviceProfile(name="Box", min_ms=1, max_ms=900, step_ms=1, feedback_max_percent=90)
        found = repeats(asked(feedback_percent=95, device=box))
        self.assertEqual(
            found.cautions, ["Box goes from 0 to 90 % feedback; 95 % cannot be set on it."]
        )
        with self.assertRaisesRegex(FonodromeError, "above 0 ms"):
            repeats(asked(value="0 ms"))


class Modes(unittest.TestCase):
    def train(self, mode, second="", offset=0.0):
        line = DelayLine(
            mode=mode, second=second, offset_ms=offset, feedback_percent=50, first_db=0
        )
        left, right = line.model_copy(update={"value": "300 ms"}).times_s(LIGHTHOUSE)
        return [
            (round(e.time_ms), round(e.level_db, 2), e.side)
            for e in echo_times(line, left, right, -13)
        ]

    def test_each_mode_is_a_list_of_time_level_and_side(self):
        self.assertEqual(
            self.train("single"),
            [(300, 0, "both"), (600, -6.02, "both"), (900, -12.04, "both")],
        )
        self.assertEqual(
            self.train("ping-pong"),
            [(300, 0, "left"), (600, -6.02, "right"), (900, -12.04, "left")],
        )
        self.assertEqual(
            self.train("dual", "400 ms", 10)[:4],
            [(300, 0, "left"), (410, 0, "right"), (600, -6.02, "left"), (820, -6.02, "right")],
        )
        cascade = self.train("cascade", "200 ms")
        # i TL + j TR: the right side repeats what every echo of the left one feeds it.
        for arrival in (
            (300, 0, "left"),
            (500, 0, "right"),
            (700, -6.02, "right"),
            (800, -6.02, "right"),
            (1000, -12.04, "right"),
        ):
            self.assertIn(arrival, cascade)

    def test_names_stay_apart(self):
        self.assertEqual(slug("Lead throw!"), "@lead_throw")
        with self.assertRaisesRegex(FonodromeError, "called “Slap” already"):
            check_lines([DelayLine(name="Slap"), DelayLine(name="slap ")])
