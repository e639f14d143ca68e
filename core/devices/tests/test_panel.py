"""What a device shows for a value of the plan, worked out by hand."""

import json
import unittest
from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from core.devices import Control, ControlMark, Panel, Panels, clock_text, read_control


class Clock(unittest.TestCase):
    def test_a_knob_from_seven_to_five_by_half_hours(self):
        knob = Control(field="mix_percent", shows="clock", low=0, high=100, step=0.5)
        # Ten hours of travel for 100 %: one hour is 10 %, half an hour 5 %.
        for value, text, does in (
            (0, "7:00", 0), (100, "5:00", 100), (50, "12:00", 50), (32, "10:00", 30),
            (33, "10:30", 35), (65, "1:30", 65),
        ):  # fmt: skip
            with self.subTest(value):
                read = read_control(knob, value)
                self.assertEqual((read.text, round(read.does, 9)), (text, does))
                self.assertAlmostEqual(read.error, does - value)

    def test_hours_count_round_twelve(self):
        self.assertEqual([clock_text(h) for h in (7, 11.5, 12.25, 13.5, 17)], ["7:00", "11:30", "12:15", "1:30", "5:00"])  # fmt: skip


class Numbers(unittest.TestCase):
    def test_a_log_knob_of_ten_marks_over_four_octaves(self):
        # 125 Hz to 2 kHz is four octaves over 0 to 10: 2.5 a octave. 250 Hz stands at 2.5, 500 Hz at 5.
        knob = Control(
            field="low_cut_hz", low=125, high=2000, log=True, shown_low=0, shown_high=10, step=0.5
        )
        self.assertEqual(read_control(knob, 500).text, "5")
        read = read_control(knob, 300)
        # log2(300 / 125) * 2.5 = 3.158: nearest half is 3, which is 125 * 2^1.2 = 287.17 Hz.
        self.assertEqual(read.text, "3")
        self.assertAlmostEqual(read.does, 287.175, places=3)
        self.assertAlmostEqual(read.error, -12.825, places=3)
        self.assertFalse(read_control(knob, -3).in_reach)

    def test_a_scale_that_counts_down_has_its_steps_from_its_own_low_end(self):
        tape = Control(field="time", low=600, high=60, shown_low=10, shown_high=1, step=1)
        # 540 ms over nine steps: 60 ms a step, downwards.
        self.assertEqual([read_control(tape, ms).text for ms in (600, 319, 60)], ["10", "5", "1"])
        self.assertAlmostEqual(read_control(tape, 319).error, 300 - 319)

    def test_beyond_its_travel_it_is_the_end_and_is_said(self):
        fader = Control(field="level_db", low=-10, high=10, unit="dB", step=0.5)
        read = read_control(fader, 12.3)
        self.assertEqual((read.text, read.in_reach, round(read.error, 6)), ("10 dB", False, -2.3))

    def test_steps_that_do_not_fill_the_travel_never_go_beyond_it(self):
        knob = Control(field="mix_percent", shows="percent", low=0, high=100, step=30)
        self.assertEqual(read_control(knob, 100).text, "90 %")

    @settings(deadline=None)
    @given(
        st.floats(-50, 50), st.floats(0.5, 100), st.floats(0.25, 3), st.booleans(), st.floats(0, 1)
    )
    def test_no_step_is_nearer_than_the_one_taken(self, low, wide, step, down, share):
        ends = (low + wide, low) if down else (low, low + wide)
        step = min(step, wide)
        control = Control(field="level_db", low=ends[0], high=ends[1], step=step)
        wanted = ends[0] + share * (ends[1] - ends[0])
        read = read_control(control, wanted)
        # All that can be set, in exact fractions.
        sign = -1 if down else 1
        count = int(Fraction(wide) / Fraction(step) + Fraction(1, 10**9))
        grid = [Fraction(ends[0]) + sign * n * Fraction(step) for n in range(count + 1)]
        best = min(abs(float(g) - wanted) for g in grid)
        self.assertAlmostEqual(abs(read.error), best, places=6)


class Marks(unittest.TestCase):
    def test_the_nearest_mark_by_the_travel_of_the_knob(self):
        marks = (ControlMark(name="slow", value=100), ControlMark(name="fast", value=1000))
        knob = {"field": "time", "shows": "marks", "low": 50, "high": 2000, "marks": marks}
        # 400 is nearer to 100 in ms; in ratios it is 4 from 100 and 2.5 from 1000.
        self.assertEqual(read_control(Control(**knob), 400).text, "slow")
        self.assertEqual(read_control(Control(**knob, log=True), 400).text, "fast")


class Bad(unittest.TestCase):
    def test_each_bad_control_gets_a_sentence(self):
        base = {"field": "mix_percent", "low": 0, "high": 100}
        for more, words in (
            ({"high": 0}, "two values"), ({"log": True}, "above 0"), ({"shows": "marks"}, "at least one"),
            ({"shown_low": 1, "shown_high": 1}, "another number"), ({"step": 101}, "larger than the whole"),
            ({"marks": [{"name": "a", "value": 1}, {"name": "A", "value": 2}]}, "one name"),
            ({"field": "Mix %"}, "match"), ({"low": float("nan")}, "finite"),
        ):  # fmt: skip
            with self.subTest(more), self.assertRaises(ValidationError) as said:
                Control(**{**base, **more})
            self.assertIn(words, str(said.exception))
        with self.assertRaises(ValidationError):
            Panel(name="  ")
        with self.assertRaises(ValidationError):
            Panel(name="x", controls=(Control(**base), Control(**base)))

    def test_a_file_is_read_again_as_it_was(self):
        knob = Control(field="mix_percent", shows="clock", low=0, high=100, step=0.25)
        file = Panels(panels=(Panel(name=" Grey box ", controls=(knob,)),))
        again = Panels.model_validate(json.loads(file.model_dump_json()))
        self.assertEqual((again, again.panels[0].name), (file, "Grey box"))
        with self.assertRaises(ValidationError):
            Panels.model_validate({**json.loads(file.model_dump_json()), "version": 2})
