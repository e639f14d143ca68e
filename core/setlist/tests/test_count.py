"""Count-ins against arithmetic by hand, and never more than three flashes in a second."""

import unittest
from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st

from core.setlist import count_in
from core.units import TempoFrame


def frame(bpm, beat="1/4", count=4, unit=4):
    return TempoFrame(tempo_bpm=bpm, beat_unit=beat, metre_count=count, metre_unit=unit)


class Count(unittest.TestCase):
    def test_by_hand(self):
        # (frame, pulses, ms of one, strong ones, one lights up of how many)
        cases = [
            # 94 dotted quarters: 60/94/3 s an eighth, 4.7 a second; a beat is 638 ms.
            (frame(94, "1/4.", 6, 8), 6, 212.766, [1, 4], 3),
            # 120 quarters: half a second.
            (frame(120), 4, 500.0, [1], 1),
            # 180 quarters: three a second, and not one more.
            (frame(180), 4, 333.333, [1], 1),
            (frame(181), 4, 331.492, [1], 4),
            # Seven eighths with a quarter as the beat: the bar is no whole number of beats.
            (frame(140, "1/4", 7, 8), 7, 214.286, [1], 7),
            # Twelve eighths in four.
            (frame(60, "1/4.", 12, 8), 12, 333.333, [1, 4, 7, 10], 1),
            # One eighth at 400 a minute: a bar is 150 ms, two are 300: nothing may light.
            (frame(400, "1/8", 1, 8), 1, 150.0, [1], 0),
        ]
        for given_frame, pulses, ms, strong, lit in cases:
            with self.subTest(given_frame):
                found = count_in(given_frame, 2)
                self.assertEqual(
                    (found.pulses, found.strong, found.lit_every), (pulses, strong, lit)
                )
                self.assertAlmostEqual(found.pulse_ms, ms, 3)

    def test_a_bar_of_sixty_four_is_counted_in_its_beats(self):
        found = count_in(frame(60, "1/2", 64, 16), 2)
        self.assertEqual(found.pulses, 8)
        self.assertAlmostEqual(found.pulse_ms, 1000.0)
        self.assertLessEqual(count_in(frame(60, "1/4", 64, 4), 1).pulses, 16)

    @settings(deadline=None)
    @given(
        st.floats(1, 999), st.sampled_from(["1/4", "1/8", "1/4.", "1/2", "1/8.", "1/16", "1/8T"]),
        st.integers(1, 64), st.sampled_from([1, 2, 4, 8, 16, 32]),
    )  # fmt: skip
    def test_never_more_than_three_flashes_a_second_and_a_bar_stays_a_bar(
        self, bpm, beat, count, unit
    ):
        made = frame(bpm, beat, count, unit)
        found = count_in(made, 2)
        if found.lit_every:
            self.assertLessEqual(1000 / (found.lit_every * found.pulse_ms), 3 + 1e-6)
        # Length of a bar, worked out apart: whole notes of it over whole notes a minute.
        words = {"1/4": "1/4", "1/8": "1/8", "1/4.": "3/8", "1/2": "1/2", "1/8.": "3/16", "1/16": "1/16", "1/8T": "1/12"}  # fmt: skip
        bar_ms = float(Fraction(count, unit)) / (bpm * float(Fraction(words[beat]))) * 60_000
        self.assertAlmostEqual(found.pulses * found.pulse_ms / bar_ms, 1, 9)
        self.assertLessEqual(found.pulses, 16)
