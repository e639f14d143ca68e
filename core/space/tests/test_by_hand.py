"""Figures of Space at 120 BPM in 4/4: a bar lasts 2 s, a quarter 500 ms."""

import math
import unittest

from core.space import KeptSpace, SpaceRequest, space_view
from core.space.gaps import Levels, Phrase
from core.units import TempoFrame

SONG = TempoFrame(tempo_bpm=120)


def viewed(**values):
    space = KeptSpace(
        **{
            "phrases": [Phrase(start_s=0, end_s=1), Phrase(start_s=2.02, end_s=3)],
            "pre_delay": "20 ms", "rt60_s": 1.5, "start_db": -6, "drop_db": 20, **values,
        }
    )  # fmt: skip
    return space_view(
        SpaceRequest(space=space, frame=SONG), Levels(seconds=4, db=[], low=[], high=[])
    )


class Figures(unittest.TestCase):
    def test_how_long_it_is_and_when_it_has_fallen(self):
        found = viewed()
        self.assertAlmostEqual(found.pre_delay_ms, 20)
        self.assertAlmostEqual(found.falls_db_per_s, 40)
        self.assertAlmostEqual(found.whole_ms, 1520)
        self.assertAlmostEqual(found.bar_ms, 2000)
        space = KeptSpace(rt60_s=1.5)
        self.assertEqual(found.octave_rt60_s, [1.5 * share for share in space.ratios])
        # From 6 dB down to 20: 14 of the 60 dB that take 1.5 s.
        self.assertAlmostEqual(found.drop_after_ms, 20 + 350)

    def test_the_gap_of_a_second_and_a_bit(self):
        (gap,) = viewed().gaps
        self.assertAlmostEqual(gap.length_s, 1.02)
        self.assertAlmostEqual(gap.tail_db, -6 - 40)
        self.assertAlmostEqual(gap.longest_rt60_s, 60 * 1.0 / 14)
        self.assertTrue(gap.clear)

    def test_marked_are_the_lengths_that_are_left_after_the_pre_delay(self):
        lengths = {one.name: one.ms for one in viewed().lengths}
        wanted = {"1/4": 480, "1/2": 980, "½ bar": 980, "1 bar": 1980, "2 bars": 3980, "4 bars": 7980}  # fmt: skip
        self.assertEqual(set(lengths), set(wanted))
        for name, ms in wanted.items():
            self.assertAlmostEqual(lengths[name], ms, msg=name)

    def test_the_pre_delay_of_a_school_is_the_note_that_is_nearest_in_ratio(self):
        # 20 ms lies between 1/128 (15.6, a ratio of 1.28) and its dotted value (23.4, 1.17).
        fits = next(s for s in viewed().schools if s.school == "fits")
        self.assertEqual(fits.take_pre_delay, "1/128.")
        # Of half a bar, one and two, less 20 ms, one second and a bit fits 1.5 best in ratio: 0.98, 1.98, 3.98.
        self.assertEqual([round(s, 3) for s in fits.rt60_s], [0.98, 1.98, 3.98])
        best = min(fits.rt60_s, key=lambda s: abs(math.log(s / 1.5)))
        self.assertAlmostEqual(fits.take_rt60_s, best + 0.02 - 60 / 120 / 32 * 1.5, places=3)

    def test_what_is_said_of_a_decay_that_is_too_short_and_a_pre_delay_that_is_too_long(self):
        self.assertEqual(viewed().notes, [])
        (short,) = viewed(rt60_s=0.2).notes
        self.assertIn("may ring", short)
        (late,) = viewed(pre_delay="31 ms").notes
        self.assertIn("above about 30 ms is heard as a first echo", late)


if __name__ == "__main__":
    unittest.main()
