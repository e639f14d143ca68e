"""Pre-delay, decay and length: any two give the third, three have to agree."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from core.errors import FonodromeError
from core.space import FitRequest, fit_length
from core.units import TempoFrame

SONG = TempoFrame(tempo_bpm=120)


class Fit(unittest.TestCase):
    @given(st.floats(0, 2), st.floats(0.051, 20))
    def test_each_of_the_three_is_found_from_the_others(self, pre, rt60):
        texts = {
            "pre_delay": f"{pre * 1e3:.9f} ms",
            "rt60_s": rt60,
            "length": f"{(pre + rt60) * 1e3:.9f} ms",
        }
        for left_out, found in (
            ("pre_delay", "pre-delay"),
            ("rt60_s", "RT60"),
            ("length", "length"),
        ):
            out = fit_length(
                FitRequest(frame=SONG, **{k: v for k, v in texts.items() if k != left_out})
            )
            self.assertEqual(out.found, found)
            self.assertAlmostEqual(out.pre_delay_ms, pre * 1e3, delta=1e-3)
            self.assertAlmostEqual(out.rt60_s, rt60, delta=1e-6)
            self.assertAlmostEqual(out.length_ms, (pre + rt60) * 1e3, delta=1e-3)
        self.assertEqual(fit_length(FitRequest(frame=SONG, **texts)).found, "")

    def test_a_bar_less_a_sixty_fourth(self):
        out = fit_length(FitRequest(frame=SONG, pre_delay="1/64", length="1 bar"))
        self.assertAlmostEqual(out.rt60_s, 2.0 - 0.03125, places=9)

    def test_what_cannot_be_is_said(self):
        for fields, words in (
            ({"pre_delay": "20 ms"}, "Fix two"),
            ({"pre_delay": "1/4", "rt60_s": 2.0, "length": "1 bar"}, "500.0 ms more than"),
            (
                {"pre_delay": "20 ms", "rt60_s": 0.5, "length": "1 bar"},
                "480.0 ms less than",
            ),
            ({"pre_delay": "1 bar", "length": "1/4"}, "for the decay"),
            ({"rt60_s": 3.0, "length": "1/4"}, "no room for a pre-delay"),
            ({"pre_delay": "soon", "rt60_s": 3.0}, "soon"),
        ):
            with self.subTest(words), self.assertRaisesRegex(FonodromeError, words):
                fit_length(FitRequest(frame=SONG, **fields))
