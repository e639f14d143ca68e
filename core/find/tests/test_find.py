"""Words of the trade and what else they are called; what a phrase asks to do."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from core.find import asked_of, fits, wanted_of
from core.routing import TEMPLATES
from core.units import TempoFrame

NAMES = [(t.id, t.name) for t in TEMPLATES]
FRAME = TempoFrame(tempo_bpm=120)


class Words(unittest.TestCase):
    def test_a_thing_is_found_by_what_others_call_it(self):
        for typed, title in (
            ("aux", "Send to the hall"), ("flip", "Return, inverted"), ("phase invert", "Inverted copy"),
            ("Phase", "Polarity of the left amp"), ("verb", "Reverb"), ("echo", "Guitar delay"),
            ("mic", "Microphone"), ("bpm", "Tempo 96"), ("EQ", "Equaliser"), ("cafe", "Café, take 2"),
        ):  # fmt: skip
            with self.subTest(typed):
                self.assertIsNotNone(fits(wanted_of(typed), title))

    def test_all_words_are_needed_in_any_order(self):
        wanted = wanted_of("hall aux")
        self.assertIsNotNone(fits(wanted, "Send to the hall"))
        self.assertIsNone(fits(wanted, "Send to the plate", "nothing else"))
        self.assertIsNotNone(fits(wanted, "Send", "feeds the Hall"))

    def test_the_word_itself_goes_first_then_its_others_then_what_is_about_it(self):
        wanted = wanted_of("echo")
        marks = [fits(wanted, *texts) for texts in (("Echo",), ("Echo two",), ("Delay two",), ("Hall", "after the echo"))]  # fmt: skip
        self.assertEqual(marks, sorted(marks, reverse=True))
        self.assertEqual(len(set(marks)), 4)

    def test_words_that_belong_together_are_one(self):
        self.assertEqual(len(wanted_of("phase invert").groups), 1)
        self.assertEqual(len(wanted_of("power amp left").groups), 2)
        self.assertEqual(wanted_of("  ").groups, ())

    @settings(deadline=None)
    @given(st.text(max_size=400), st.text(max_size=60), st.text(max_size=60))
    def test_whatever_is_typed_is_read(self, typed, title, about):
        found = fits(wanted_of(typed), title, about)
        self.assertTrue(found is None or found > -1)
        asked_of(typed, NAMES, FRAME)


class Wishes(unittest.TestCase):
    def wishes(self, text):
        return [(w.does, w.value) for w in asked_of(text, NAMES, FRAME)]

    def test_tempo_in_every_way_of_saying_it(self):
        for text in ("set tempo 96", "Set the tempo to 96", "tempo 96 BPM", "96 bpm", "bpm 96"):
            self.assertEqual(self.wishes(text), [("tempo", "96.0")], text)
        self.assertEqual(self.wishes("tempo 94,5"), [("tempo", "94.5")])
        for text in ("tempo 0", "tempo 5000", "tempo fast", "tempo 96 ms", "tempo"):
            self.assertEqual(self.wishes(text), [], text)

    def test_a_delay_with_its_time_at_the_songs_tempo(self):
        found = asked_of("set delay 1/8.", NAMES, FRAME)
        # A dotted eighth at 120 is 375 ms.
        self.assertEqual(
            [(w.value, w.title) for w in found], [("1/8.", "Set the delay to 1/8., 375.00 ms")]
        )
        self.assertEqual(self.wishes("delay pedal"), [])

    def test_a_rig_from_the_template_that_is_meant(self):
        best = self.wishes("new rig from parallel compression")[0]
        name = dict(NAMES)[best[1]]
        self.assertIn("compress", name.lower())
        self.assertLessEqual(len(self.wishes("new rig")), 3)
        self.assertEqual(self.wishes("new rig from a teapot"), [])

    def test_a_song_keeps_its_letters(self):
        self.assertEqual(self.wishes("new song Low Tide"), [("song", "Low Tide")])
