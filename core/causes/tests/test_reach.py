"""The best null within reach of a device's steps, against sound that was set in those steps."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from core.causes.tests.catalogue import RATE, Notes
from core.errors import MeasureError
from core.measure import Steps, null_test, reach_of
from core.measure.reach import null_of_errors_in_bands_db
from core.measure.tests.pairs import band_limited, write


class Predicted(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.notes = Notes(4, 41)
        cls.t = np.arange(4 * RATE) / RATE
        cls.x = cls.notes.at(cls.t)

    def nulled(self, b):
        with tempfile.TemporaryDirectory() as held:
            return null_test(write(Path(held), "a.wav", self.x), write(Path(held), "b.wav", b))

    def test_what_is_predicted_is_measured_within_1_db(self):
        late_ms, down_db = 0.487, -1.72
        b = self.notes.at(self.t - late_ms / 1e3) * 10 ** (down_db / 20)
        found = self.nulled(b)
        for steps in (Steps(level_db=0.1, time_ms=0.01), Steps(level_db=0.5, time_ms=0.001),
                      Steps(level_db=0.01, time_ms=0.1)):  # fmt: skip
            reach = reach_of(found, steps)
            # The same sound made anew with those very settings laid on.
            set_b = self.notes.at(self.t - (late_ms + reach.time_set_ms) / 1e3)
            set_b *= 10 ** ((down_db + reach.level_set_db) / 20)
            rest = self.x - set_b
            measured = 10 * np.log10(np.mean(rest**2) / np.mean(self.x**2))
            self.assertAlmostEqual(reach.best_db, measured, delta=1.0, msg=str(steps))
            self.assertLessEqual(abs(reach.level_off_db), steps.level_db / 2 + 1e-9)
            self.assertLessEqual(abs(reach.time_off_ms), steps.time_ms / 2 + 1e-9)
            self.assertFalse(reach.at_resolution)

    def test_within_half_a_step_it_is_the_knob(self):
        found = self.nulled(self.x * 10 ** (0.04 / 20))
        reach = reach_of(found, Steps(level_db=0.1))
        self.assertTrue(reach.at_resolution)
        self.assertIn("knob's resolution", reach.sentence)
        self.assertEqual(reach.level_set_db, 0)
        self.assertFalse(reach_of(found, Steps(level_db=0.05)).at_resolution)

    def test_steps_too_coarse_for_any_null_are_said_to_be_so(self):
        found = self.nulled(self.notes.at(self.t - 0.487e-3))
        reach = reach_of(found, Steps(time_ms=1.0))
        self.assertGreater(reach.best_db, -3)
        self.assertIn("no null is within reach", reach.sentence)

    def test_nothing_to_set_where_nothing_relates_them(self):
        found = self.nulled(band_limited(4, 85)).model_copy(update={"gain_db": None})
        with self.assertRaisesRegex(MeasureError, "nothing to set"):
            reach_of(found, Steps())

    def test_a_band_above_a_quarter_turn_adds_rather_than_nulls(self):
        # Half a turn at 10 kHz: twice the sound, 6 dB over; the mean over a third is a little less.
        level = null_of_errors_in_bands_db([10_000.0], [-30.0], 0.0, 0.5 / 10_000)
        self.assertTrue(5.7 < level < 6.02)
