"""`fonodrome delay`: figures worked by hand, and a sentence for what cannot be."""

import contextlib
import io
import json
import math
import unittest

from core.delay.cli import main


def said(*words: str) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            code = main(list(words))
        except SystemExit as end:
            code = int(end.code or 0)
    return code, out.getvalue(), err.getvalue()


class Command(unittest.TestCase):
    def figures(self, *words: str) -> dict:
        code, out, err = said(*words, "--json")
        self.assertEqual((code, err), (0, ""))
        return json.loads(out)

    def test_times_by_hand(self):
        # A quarter is 60 000 / 94 ms, an eighth half of it, dotted three halves of that.
        for words, ms in (
            (("1/8.", "--tempo", "94"), 60_000 / 94 * 0.75),
            # Where a dotted quarter is the beat, an eighth is a third of it.
            (("1/8", "--tempo", "63", "--beat", "1/4.", "--metre", "6/8"), 60_000 / 63 / 3),
            (("1/16t", "--tempo", "171.5"), 60_000 / 171.5 / 6),
            (("350 ms",), 350.0),
        ):
            found = self.figures(*words, "--rate", "44100")
            self.assertAlmostEqual(found["ms"], ms, places=9)
            self.assertAlmostEqual(found["samples"], ms * 44.1, places=6)
            self.assertAlmostEqual(found["hz"], 1000 / ms, places=9)

    def test_repeats_by_hand(self):
        found = self.figures("478.7 ms", "--feedback", "55", "--first", "-3", "--gone", "40")
        per = 20 * math.log10(0.55)
        self.assertAlmostEqual(found["feedback_db"], per, places=9)
        # -3 - 5.19 (k - 1) stays above -40 up to the eighth.
        self.assertEqual(found["repeats"], 8)
        self.assertAlmostEqual(found["silence_s"], 8 * 0.4787, places=9)
        self.assertAlmostEqual(found["echoes"][3]["level_db"], -3 + 3 * per, places=9)
        self.assertAlmostEqual(found["echoes"][3]["time_ms"], 4 * 478.7, places=9)
        grown = self.figures("1/4", "--feedback", "120")
        self.assertIsNone(grown["repeats"])
        self.assertTrue(grown["cautions"])

    def test_what_to_set_on_a_device(self):
        found = self.figures("1/8.", "--tempo", "94", "--step", "1")["set"]
        self.assertEqual(found["set_ms"], 479)
        self.assertAlmostEqual(found["error_ms"], 479 - 60_000 / 94 * 0.75, places=9)
        # One that does 1.8 % more than it reads is set lower: 470 reads 478.46.
        long = self.figures("1/8.", "--tempo", "94", "--step", "1", "--reads", "1.8")["set"]
        self.assertEqual(long["set_ms"], 470)
        self.assertAlmostEqual(long["true_ms"], 470 * 1.018, places=9)
        far = self.figures("1/1", "--tempo", "40", "--step", "1", "--longest", "1000")["set"]
        self.assertFalse(far["in_reach"])

    def test_in_words(self):
        code, out, _ = said("1/8.", "--tempo", "94", "--step", "1", "--feedback", "55")
        self.assertEqual(code, 0)
        self.assertIn("478.723 ms", out)
        self.assertIn("set 479 ms. 0.277 ms late at the first repeat", out)
        self.assertIn("8 repeats, the last at 3.830 s", out)

    def test_what_cannot_be_is_one_sentence(self):
        for words, part in (
            (("nonsense",), "nonsense"),
            (("0 ms",), "above 0 ms"),
            (("1/4", "--tempo", "0"), "Tempo bpm"),
            (("1/4", "--tempo", "nan"), "Tempo bpm"),
            (("1/4", "--metre", "four"), "no metre"),
            (("1/4", "--metre", "4/5"), "Metre unit"),
            (("1/4", "--beat", "x"), "not a beat"),
            (("1/4", "--step", "0"), "Step ms"),
            (("1/4", "--gone", "0"), "Threshold db"),
            (("1/4", "--mode", "round"), "Argument --mode"),
            ((), "required"),
        ):
            with self.subTest(words):
                code, out, err = said(*words)
                self.assertEqual((code, out), (2, ""))
                self.assertEqual(err.count("\n"), 1)
                self.assertIn(part, err)
