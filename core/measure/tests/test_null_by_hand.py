"""Every figure of a null test against NumPy: what is left of A, once B stands where and as loud as the test says."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from core.measure import Limit, Measurement, judge, null_test
from core.measure.tests.pairs import band_limited, faded, moved, write

RATE = 8_000


def db(power: float) -> float:
    return float(10 * np.log10(power))


class Case(unittest.TestCase):
    def nulled(self, a: np.ndarray, b: np.ndarray, rate: int = RATE) -> Measurement:
        with tempfile.TemporaryDirectory() as held:
            folder = Path(held)
            return null_test(
                write(folder, "a.wav", a, "DOUBLE", rate), write(folder, "b.wav", b, "DOUBLE", rate)
            )


class InPlace(Case):
    """40 s and a bit: more frames than are drawn. A hit in A, a burst in what differs."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        rng = np.random.default_rng(5)
        n = 40 * RATE + 1234
        cls.a = 0.2 * rng.standard_normal((n, 2))
        cls.a[3 * RATE + 100, 0] = 1.1
        left = 0.01 * rng.standard_normal((n, 2))
        left[25 * RATE : 25 * RATE + 400] *= 8
        cls.b = 0.8 * cls.a + left
        cls.found = cls.nulled(cls(), cls.a, cls.b)
        gains = np.array([match.gain for match in cls.found.matched])
        cls.rest = cls.a - gains * cls.b

    def test_gain_is_what_leaves_least(self):
        best = (self.a * self.b).sum() / (self.b * self.b).sum()
        self.assertAlmostEqual(self.found.gain_db, -20 * np.log10(best), delta=0.05)
        self.assertEqual((self.found.offset_samples, self.found.polarity), (0.0, 1))

    def test_levels_of_what_is_left(self):
        power, whole = (self.rest**2).mean(), (self.a**2).mean()
        self.assertAlmostEqual(self.found.null_depth_db, db(power / whole), places=3)
        self.assertAlmostEqual(self.found.residual_rms_dbfs, db(power), places=3)
        self.assertAlmostEqual(self.found.reference_rms_dbfs, db(whole), places=3)
        self.assertAlmostEqual(
            self.found.residual_peak_dbfs, 20 * np.log10(np.abs(self.rest).max()), places=3
        )
        for k, channel in enumerate(self.found.channels):
            own = (self.rest[:, k] ** 2).sum() / (self.a[:, k] ** 2).sum()
            self.assertAlmostEqual(channel.null_depth_db, db(own), places=3)

    def test_what_each_step_left(self):
        depth = {step.id: step for step in self.found.steps}
        raw = db(((self.a - self.b) ** 2).sum() / (self.a**2).sum())
        self.assertAlmostEqual(self.found.raw_null_db, raw, places=4)
        for id in ("raw", "time", "polarity"):
            self.assertAlmostEqual(depth[id].null_db, raw, places=4)
        common = 10 ** (-self.found.gain_db / 20)
        whole = db(((self.a - common * self.b) ** 2).sum() / (self.a**2).sum())
        self.assertAlmostEqual(depth["gain"].null_db, whole, delta=0.01)
        self.assertAlmostEqual(depth["gain"].bought_db, raw - whole, delta=0.01)

    def test_over_time_the_loudest_of_two_frames_of_50_ms_each(self):
        line = self.found.timeline
        self.assertAlmostEqual(line.step_s, 0.1)
        self.assertEqual(len(line.a_dbfs), 402)
        for sound, shown in ((self.a, line.a_dbfs), (self.rest, line.residual_dbfs)):
            for k in (0, 17, 250, 399):
                frames = sound[800 * k : 800 * (k + 1)].reshape(2, 400, 2)
                self.assertAlmostEqual(
                    shown[k], db((frames**2).mean(axis=(1, 2)).max()), delta=0.02
                )
            # What remains at the end is shorter: its level is over what is there.
            end = sound[800 * 401 :]
            frames = [end[:400], end[400:]]
            self.assertAlmostEqual(
                shown[401], max(db((f**2).mean()) for f in frames if len(f)), delta=0.02
            )
        self.assertAlmostEqual(line.worst_at_s, 25.0)
        burst = self.rest[25 * RATE : 25 * RATE + 400]
        self.assertAlmostEqual(line.worst_dbfs, db((burst**2).mean()), places=2)

    def test_the_close_look_shows_the_samples_and_raises_the_rest_by_tens_up_to_half_of_a(self):
        look = self.found.overlay
        first, stride = round(look.start_s * RATE), round(look.step_ms * RATE / 1e3)
        side = {"left": 0, "right": 1}[look.channel]
        place = slice(first, first + stride * len(look.a), stride)
        np.testing.assert_allclose(look.a, self.a[place, side], atol=1e-5)
        np.testing.assert_allclose(look.b_delivered, self.b[place, side], atol=1e-5)
        rest = self.rest[place, side]
        np.testing.assert_allclose(look.b_matched, self.a[place, side] - rest, atol=1e-5)
        raised = 10 ** (look.raised_db / 20)
        np.testing.assert_allclose(look.residual, raised * rest, atol=1e-5)
        peak = np.abs(look.a).max()
        self.assertEqual(look.raised_db % 10, 0)
        self.assertLessEqual(raised * np.abs(rest).max(), 0.5 * peak)
        self.assertGreater(10**0.5 * raised * np.abs(rest).max(), 0.5 * peak)

    def test_bands_hold_all_of_the_power(self):
        """Third octaves from 20 Hz up to the end of the band: noise has little below."""
        for sound, shown in (
            (self.a, self.found.bands.a_dbfs),
            (self.rest, self.found.bands.residual_dbfs),
        ):
            total = sum(10 ** (level / 10) for level in shown if level is not None)
            self.assertAlmostEqual(db(total), db((sound**2).mean()), delta=0.3)

    def test_it_is_raised_for_the_ear_up_to_a_and_no_further_than_6_db_under_full_scale(self):
        peak = 20 * np.log10(np.abs(self.rest).max())
        self.assertAlmostEqual(self.found.residual_listening_gain_db, -6 - peak, delta=0.06)
        quiet = self.nulled(0.05 * self.a, 0.05 * self.b)
        self.assertAlmostEqual(quiet.residual_listening_gain_db, -quiet.null_depth_db, delta=0.06)

    def test_facts_of_the_files(self):
        for facts, sound in ((self.found.a, self.a), (self.found.b, self.b)):
            self.assertAlmostEqual(facts.seconds, len(sound) / RATE)
            self.assertAlmostEqual(facts.rms_dbfs, db((sound**2).mean()), places=3)
            self.assertEqual((facts.rate_hz, facts.channels), (RATE, 2))
        self.assertAlmostEqual(
            self.found.a.peak_dbfs, 20 * np.log10(np.abs(self.a).max()), places=3
        )
        self.assertEqual(self.found.compared_samples, len(self.a))
        self.assertAlmostEqual(self.found.compared_s, len(self.a) / RATE)


class Apart(Case):
    """Each side with a time, a level or a polarity of its own, and a single channel."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.a = faded(band_limited(4, 21))
        cls.rate = 48_000

    def said(self, b: np.ndarray, a: np.ndarray | None = None) -> tuple[Measurement, str]:
        found = self.nulled(self.a if a is None else a, b, self.rate)
        return found, judge(found, Limit()).sentence

    def test_both_sides_inverted_or_one(self):
        found, said = self.said(-self.a)
        self.assertEqual((found.polarity, [c.polarity for c in found.channels]), (-1, [-1, -1]))
        self.assertIn(", inverted:", said)
        found, said = self.said(self.a * [1, -1])
        self.assertEqual((found.polarity, [c.polarity for c in found.channels]), (1, [1, -1]))
        self.assertIn("right inverted", said)

    def test_a_time_and_a_level_for_each_side(self):
        late = moved(self.a, 7.25)
        found, said = self.said(np.stack([self.a[:, 0], 0.5 * late[:, 1]], axis=1))
        self.assertEqual([round(c.offset_samples, 3) for c in found.channels], [0.0, 7.25])
        gains = [c.gain_db for c in found.channels]
        self.assertAlmostEqual(gains[0], 0, places=3)
        self.assertAlmostEqual(gains[1], 20 * np.log10(0.5), places=3)
        self.assertIn("channels 6.02 dB from each other", said)
        self.assertIn("channels 7.25 samples from each other", said)
        self.assertLess(found.null_depth_db, -100)

    def test_one_channel_against_one(self):
        mono = self.a[:, :1]
        found, said = self.said(0.25 * moved(mono, -3), mono)
        self.assertEqual(len(found.channels), 1)
        self.assertAlmostEqual(found.offset_samples, -3, places=4)
        self.assertAlmostEqual(found.gain_db, 20 * np.log10(0.25), places=4)
        self.assertIn("3 samples early", said)

    def test_one_channel_serves_both_and_of_more_the_first_are_compared(self):
        mono, both = self.a[:, :1], self.a * [1, 0]
        both[:, 1] = 0.5 * self.a[:, 0]
        three = np.concatenate([both, self.a[:, 1:]], axis=1)
        for a, b, pairs, said in (
            (mono, both, [(1, 1), (1, 2)], "A is mono"),
            (both, mono, [(1, 1), (2, 1)], "B is mono"),
            (three, both, [(1, 1), (2, 2)], "first 2 channels"),
            (three, three, [(1, 1), (2, 2), (3, 3)], ""),
        ):
            found, _ = self.said(b, a)
            self.assertEqual([(c.a_channel, c.b_channel) for c in found.channels], pairs)
            self.assertIn(said, " ".join(found.notes))
            self.assertTrue(found.null_depth_db is None or found.null_depth_db < -100)

    def test_a_silent_side_is_left_out_of_what_is_said(self):
        found, said = self.said(-self.a * [1, 0], self.a * [1, 0])
        self.assertEqual([c.silent for c in found.channels], [False, True])
        self.assertIn(" inverted", said)
        self.assertNotIn("left inverted", said)

    def test_a_sound_that_repeats_takes_the_nearest_place_and_says_which_others_fit(self):
        """A tone of 480 Hz comes again every 100 samples, and upside down every 50: 30 late is 20 early, inverted."""
        t = np.arange(3 * self.rate)
        rng = np.random.default_rng(8)
        tone = 0.3 * np.sin(2 * np.pi * 480 * t / self.rate)[:, None]
        late = np.roll(tone, 30, axis=0) + 1e-4 * rng.standard_normal((len(t), 1))
        found, _ = self.said(late, tone)
        self.assertAlmostEqual(found.offset_samples, -20, delta=0.01)
        self.assertEqual(found.polarity, -1)
        self.assertLess(found.null_depth_db, -60)
        self.assertTrue(found.ambiguous)
        for other in found.ambiguous_offsets:
            self.assertAlmostEqual((other - 30) / 50, round((other - 30) / 50), delta=0.01)
        self.assertGreater(len(found.ambiguous_offsets), 0)


if __name__ == "__main__":
    unittest.main()
