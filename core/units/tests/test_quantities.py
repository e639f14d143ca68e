"""What people type, and what they read back."""

import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from core.errors import QuantityError
from core.units import (
    MODIFIERS,
    NoteValue,
    QuantityRequest,
    TempoFrame,
    parse_frequency_hz,
    parse_level_db,
    parse_note_value,
    parse_number,
    parse_percent,
    parse_quantity,
    parse_tempo_bpm,
    parse_time,
)
from core.units import format as fmt

SIX_EIGHT = TempoFrame(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8)


class Typed(unittest.TestCase):
    def test_times_in_every_habit(self):
        for text, ms in {
            "479": 479,
            "479 ms": 479,
            "0.479 s": 479,
            "0,479 s": 479,
            "1/8.": 319.1489362,
            "dotted eighth": 319.1489362,
            "eighth triplet": 141.8439716,
            "1/8T": 141.8439716,
            "1/4": 425.5319149,
            "beat": 638.2978723,
            "1 bar": 1276.5957447,
            "2 bars": 2553.1914894,
            "1280 samples": 26.6666667,
            "1,280 samples": 26.6666667,
            "15\u202f319 samples": 319.1458333,
            "2 Hz": 500,
        }.items():
            with self.subTest(text):
                self.assertAlmostEqual(parse_time(text, SIX_EIGHT)[0] * 1e3, ms, places=6)

    def test_other_kinds(self):
        self.assertEqual(parse_tempo_bpm("94,0"), 94)
        self.assertEqual(parse_level_db("\u22126,5 dB"), -6.5)
        self.assertEqual(parse_percent("50%"), 50)
        self.assertEqual(parse_frequency_hz("4.5k"), 4500)

    def test_bad_ones_name_the_part(self):
        for kind, text, part in [
            ("time", "1.2 m", "m"),
            ("time", "soon", "soon"),
            ("tempo", "0", "0"),
            ("tempo", "-94", "-94"),
            ("tempo", "10,000", "10,000"),
            ("tempo", "94 bmp", "bmp"),
            ("percent", "140 %", "140 %"),
            ("level", "loud", "loud"),
            ("time", "1/0", "1/0"),
            ("time", "99 bars", "99"),
        ]:
            with self.subTest(text), self.assertRaises(QuantityError) as caught:
                parse_quantity(QuantityRequest(kind=kind, text=text))
            self.assertEqual(caught.exception.part, part)
            self.assertTrue(caught.exception.sentence.rstrip().endswith((".", "?")))

    def test_reading_back(self):
        read = parse_quantity(QuantityRequest(kind="time", text="1/8.", frame=SIX_EIGHT))
        self.assertEqual(read.read_back, "dotted eighth = 319.149 ms")
        self.assertEqual(read.note_value, "1/8.")

    @given(st.floats(-9e6, 9e6))
    def test_numbers_come_back_as_they_were_written(self, value):
        self.assertAlmostEqual(parse_number(fmt.number(value, 3))[0], value, delta=6e-4)

    @given(st.integers(0, 6).map(lambda k: Fraction(1, 2**k)), st.sampled_from(sorted(MODIFIERS)))
    def test_note_values_come_back_from_both_forms(self, fraction, modifier):
        note = NoteValue(fraction, modifier)
        self.assertEqual(parse_note_value(note.id), note)
        self.assertEqual(parse_note_value(note.name), note)
