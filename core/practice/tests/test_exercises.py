"""Exercises are found when, and only when, what they ask for is on the screen."""

import math
import unittest

from core.blend import ParallelSettings, parallel_view
from core.devices import DeviceProfile
from core.practice import (
    by_ear,
    clear_the_gaps,
    every_cause,
    follow_the_caution,
    lift_the_quiet,
    longest_dotted,
)
from core.routing import Context, parse_rig
from core.routing.show.view import rig_view
from core.space import SpaceOut
from core.tempo.ruler import TimeRulerRequest, time_ruler
from core.units import TempoFrame

LEAK = """\
in: source "Voice" > ways: split > m: merge "Sum" > out: output "Main"
ways > plate: reverb "Plate" (mix 40 %) > m
"""


def checks(text):
    return rig_view(parse_rig(text), Context()).checks


class Route(unittest.TestCase):
    def test_the_leak_is_found_by_selecting_it_or_the_way_out_of_it(self):
        report = checks(LEAK)
        for selected, met in (("plate", True), ("plate.0", True), ("in", False), ("", False)):
            found = follow_the_caution(report, selected)
            self.assertEqual((found.id, found.met), ("route parallel-not-wet", met), selected)

    def test_a_rig_without_cautions_has_nothing_to_find(self):
        self.assertIsNone(follow_the_caution(checks("in: source > out: output"), "in"))


class Time(unittest.TestCase):
    def test_the_longest_dotted_value_within_a_device(self):
        # 100 quarters a minute: 600 ms; dotted half 1800, dotted whole 3600.
        device = DeviceProfile(name="Box", min_ms=20, max_ms=2000, step_ms=1)
        frame = TempoFrame(tempo_bpm=100)
        for chosen, met in (("1/2.", True), ("1/4.", False), ("1800 ms", False), ("1/1.", False)):
            found = longest_dotted(
                time_ruler(TimeRulerRequest(frame=frame, device=device, chosen=chosen)), "Box"
            )
            self.assertEqual(found.met, met, chosen)
        self.assertIn(
            "dotted half is 1 800.0 ms".replace(" ", "\u202f", 0),
            found.explain.replace("\u202f", " "),
        )
        self.assertIn("3 600.0 ms", found.explain.replace("\u202f", " "))

    def test_without_a_device_nothing_is_within_reach(self):
        ruler = time_ruler(TimeRulerRequest(frame=TempoFrame(), chosen="1/8."))
        self.assertIsNone(longest_dotted(ruler, ""))


def space(*longest, clear):
    gaps = [
        {"start_s": i, "entry_s": i + 0.5, "length_s": 0.5, "tail_db": -20, "longest_rt60_s": v,
         "ducking_db": 0, "clear": i < clear}
        for i, v in enumerate(longest)
    ]  # fmt: skip
    return SpaceOut.model_construct(
        gaps=[type("G", (), g) for g in gaps], clear=clear,
    )  # fmt: skip


class Space(unittest.TestCase):
    def test_the_shortest_gap_decides_within_three_percent(self):
        for rt60, clear, met in (
            (0.8, 2, True),
            (0.78, 2, True),
            (0.77, 2, False),
            (0.9, 1, False),
        ):
            found = clear_the_gaps(space(2.0, 0.8, clear=clear), rt60)
            self.assertEqual(found.met, met, rt60)
        self.assertIn("0.80 s", found.explain)

    def test_no_gap_and_a_gap_that_nothing_clears_ask_for_nothing(self):
        self.assertIsNone(clear_the_gaps(space(clear=0), 1))
        self.assertIsNone(clear_the_gaps(space(1.0, 0.01, clear=1), 1))


class Blend(unittest.TestCase):
    def test_equal_shares_under_a_high_ratio_lift_quiet_sounds_by_six(self):
        # Both ways at 0 dB and make-up 0: 20 log 2 = 6.02 dB under the threshold. At full scale the
        # compressed way ends at -40 + 40/100 = -39.6 dB: 20 log(1 + 0.0105) = 0.09 dB.
        held = ParallelSettings(threshold_db=-40, ratio=100, knee_db=0, dry_db=0, wet_db=0)
        view = parallel_view(held)
        self.assertAlmostEqual(view.quiet_boost_db, 20 * math.log10(2), places=1)
        self.assertTrue(lift_the_quiet(view).met)
        for other in ({"wet_db": -6}, {"ratio": 1.1}, {"wet_db": 6}):
            self.assertFalse(
                lift_the_quiet(parallel_view(held.model_copy(update=other))).met, other
            )


class ListenAndVerify(unittest.TestCase):
    def test_they_are_found_by_what_was_done(self):
        self.assertIsNone(by_ear(1, 20))
        self.assertEqual([by_ear(2, n).met for n in (0, 7, 8)], [False, False, True])
        self.assertEqual([every_cause(n, 0, False).met for n in (0, 1)], [False, True])
        self.assertEqual([every_cause(3, n, True).met for n in (0, 1)], [False, True])

    def test_seven_of_eight_are_as_rare_as_is_said(self):
        # (8 + 1) of 256 ways: 3.5 %.
        self.assertLess((math.comb(8, 7) + 1) / 2**8, 0.05)


class EveryExercise(unittest.TestCase):
    def test_it_explains_in_two_sentences(self):
        every = [
            follow_the_caution(checks(LEAK), ""), clear_the_gaps(space(1.0, clear=1), 1), by_ear(2, 0),
            lift_the_quiet(parallel_view(ParallelSettings())), every_cause(0, 0, True),
            every_cause(0, 0, False),
        ]  # fmt: skip
        for one in every:
            ends = one.explain.replace(". ", ".|").count("|")
            self.assertEqual(ends, 1, one.explain)
            self.assertTrue(one.explain.endswith("."))
