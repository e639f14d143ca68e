"""Every kind of difference, made by other arithmetic: the first cause, its figures, nothing false."""

import json
import math
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from core.causes import explained_test
from core.causes.tests.catalogue import RATE, cases, compressed
from core.measure.tests.pairs import write

SECONDS, SEED = 5.0, 11
_BESIDE = {"length", "rounding", "offset"}


class Catalogue(unittest.TestCase):
    """One pass over all cases; each is a subtest by its name."""

    def test_causes_figures_time_and_level(self):
        for case in cases(SECONDS, SEED):
            kinds = ("PCM_24", "PCM_16") if case.codes == ("rounding",) else ("FLOAT", "FLOAT")
            with self.subTest(case.name), tempfile.TemporaryDirectory() as held:
                found = explained_test(
                    write(Path(held), "a.wav", case.a, kinds[0]),
                    write(Path(held), "b.wav", case.b, kinds[1]),
                )
                first = found.causes[0]
                self.assertIn(first.code, case.codes, [c.title for c in found.causes])
                for name, (value, off) in case.figures.items():
                    self.assertAlmostEqual(first.figures[name], value, delta=off, msg=name)
                if not math.isnan(case.offset) and first.code != "channel_offset":
                    self.assertAlmostEqual(found.offset_samples or 0.0, case.offset, delta=0.1)
                if not math.isnan(case.gain_db):
                    self.assertAlmostEqual(found.gain_db or 0.0, case.gain_db, delta=0.05)
                false = [
                    c.title
                    for c in found.causes
                    if c.code not in case.codes and c.code not in _BESIDE and c.sure == "certain"
                ]
                self.assertEqual(false, [])
                if found.to_set and found.explained_db is not None:
                    self.assertAlmostEqual(found.to_set[-1].leaves_db, found.explained_db, places=2)


class Recovered(unittest.TestCase):
    """What is drawn is what was done: gain over time against the gain that made the pair."""

    def test_the_gain_over_time_within_a_third_of_a_decibel(self):
        from core.causes.tests.catalogue import Notes

        x = Notes(6, 5).at(np.arange(6 * RATE) / RATE)
        b, gain = compressed(x, -28, 3, 10, 120)
        with tempfile.TemporaryDirectory() as held:
            found = explained_test(write(Path(held), "a.wav", x), write(Path(held), "b.wav", b))
        picture = found.causes[0].pictures[0]
        series = next(s for s in picture.series if s.name == "recovered")
        at = np.array([t for t, y in zip(series.x, series.y, strict=True) if y is not None])
        seen = np.array([y for y in series.y if y is not None])
        true = np.interp(at, np.arange(len(gain)) / RATE, gain)
        late = at > 0.2
        self.assertGreater(late.sum(), 300)
        self.assertLess(float(np.sqrt(np.mean((seen - true)[late] ** 2))), 0.3)
        self.assertIn("where nothing is compressed", found.level_note)

    def test_the_command_line_says_the_same(self):
        from core.causes.tests.catalogue import Notes

        x = Notes(4, 6).at(np.arange(4 * RATE) / RATE)
        with tempfile.TemporaryDirectory() as held:
            a = write(Path(held), "a.wav", x)
            b = write(Path(held), "b.wav", -0.8 * x + 0.003)
            run = [sys.executable, "-m", "core.causes.cli", str(a), str(b)]
            said = json.loads(subprocess.run([*run, "--json"], capture_output=True).stdout)
            table = subprocess.run(run, capture_output=True, text=True)
        self.assertEqual({c["code"] for c in said["causes"]}, {"level", "polarity", "dc"})
        self.assertEqual([s["code"] for s in said["to_set"]], ["polarity", "level", "dc"])
        self.assertFalse(said["ambiguous"] or said["uncertain"])
        self.assertAlmostEqual(said["gain_db"], 20 * math.log10(0.8), places=2)
        self.assertIn("To set, in this order", table.stdout)
        self.assertEqual(table.returncode, 1)
