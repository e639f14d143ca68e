"""A delay over a map whose tempo goes down as well as up, and tempi out of range: worked out apart."""

import unittest

from core.tempo import TempoMapRequest, TempoSection, read_tempo_map
from core.tempo.midi import _held


class OneSetting(unittest.TestCase):
    def test_between_the_shortest_and_the_longest_wherever_a_ramp_has_them(self):
        # A quarter: 600 ms falling to 500, then 750 ms. Half-way lies 625: 125 late at one end, 125 early at the other.
        found = read_tempo_map(
            TempoMapRequest(
                sections=[
                    TempoSection(bars=4, tempo_bpm=100, ramp_to_bpm=120),
                    TempoSection(bars=4, tempo_bpm=80),
                ],
                delay="1/4",
            )
        )
        self.assertAlmostEqual(found.kept_ms, 625, places=6)
        self.assertEqual([round(s.kept_error_ms, 6) for s in found.sections], [125, -125])


class Held(unittest.TestCase):
    def test_a_tempo_out_of_range_is_taken_as_its_end_and_said(self):
        for given, taken in ((0.25, 1.0), (1500.0, 999.0)):
            notes: list[str] = []
            self.assertEqual(_held(given, notes), taken)
            self.assertIn(f"was taken as {taken:g}:", notes[0])
        notes = []
        self.assertEqual(_held(93.5, notes), 93.5)
        self.assertEqual(notes, [])


if __name__ == "__main__":
    unittest.main()
