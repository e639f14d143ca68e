"""Two paths against sums that are made here, sample by sample."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.signal
import soundfile

from core.errors import MeasureError
from core.measure.two_paths import two_paths

RATE = 48_000


def later(x: np.ndarray, samples: float) -> np.ndarray:
    size = 1 << int(np.ceil(np.log2(len(x) + abs(samples) + 8192)))
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(size) * samples)
    return np.fft.irfft(np.fft.rfft(x, size) * turn, size)[: len(x)]


def level_db(x: np.ndarray) -> float:
    return float(10 * np.log10(np.mean(x**2)))


class TwoPathsOfOneSound(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        rng = np.random.default_rng(8)
        # Band-limited, falling, as a speaker gives it, with phrases that come and go.
        sound = scipy.signal.lfilter([1], [1, -0.9], rng.standard_normal(12 * RATE))
        taps = scipy.signal.firwin(511, [60, 9000], pass_zero=False, fs=RATE)
        swell = 0.55 + 0.45 * np.sin(2 * np.pi * 0.4 * np.arange(len(sound)) / RATE)
        self.sound = 0.05 * scipy.signal.fftconvolve(sound, taps, "same") * swell
        self.rng = rng

    def of(self, a: np.ndarray, b: np.ndarray, rate: int = RATE, **more):
        paths = [self.folder / "a.wav", self.folder / "b.wav"]
        soundfile.write(paths[0], a, RATE, subtype="FLOAT")
        soundfile.write(paths[1], b, rate, subtype="FLOAT")
        return two_paths(*paths, **more)

    def test_delay_polarity_and_what_they_bring(self):
        for late, turned, gain in ((73.37, -1, 0.7), (-41.5, 1, 1.3), (211.0, 1, 0.4)):
            b = turned * gain * later(self.sound, late)
            found = self.of(self.sound, b)
            self.assertAlmostEqual(found.late_samples, late, delta=0.004)
            self.assertEqual(found.polarity, turned)
            self.assertAlmostEqual(found.b_against_a_db, 20 * np.log10(gain), delta=0.05)
            # The sums themselves, made here.
            best = self.sound + turned * later(b, -late)
            wanted = level_db(best) - level_db(self.sound + b)
            self.assertAlmostEqual(found.gain_db, wanted, delta=0.1)
            self.assertAlmostEqual(found.mono_loss_db, -found.gain_db, places=6)
            self.assertIn("earlier" if late > 0 else "later", found.sentence)
            self.assertEqual("polarity" in found.sentence, turned < 0)
            # Of (1 + g^2) of power, 2 g is what a sum in step adds.
            shared = 100 * 2 * gain / (1 + gain**2)
            self.assertIn(f"{shared:.0f} % of their power", found.notes[0])

    def test_what_comes_later_than_was_asked_for_is_not_taken(self):
        # 62.5 ms late: beyond 30 ms, within 100.
        b = later(self.sound, 3000.0)
        near, far = self.of(self.sound, b), self.of(self.sound, b, most_ms=100.0)
        self.assertAlmostEqual(far.late_ms, 62.5, delta=0.001)
        self.assertLessEqual(abs(near.late_ms or 0.0), 30.0)

    def test_by_band_as_the_filtered_sums_are(self):
        b = -0.8 * later(self.sound, 60)
        found = self.of(self.sound, b)
        for band in found.bands:
            if not 125 <= band.hz <= 4000:
                continue
            edges = [band.hz / 2**0.5, band.hz * 2**0.5]
            sos = scipy.signal.butter(8, edges, "bandpass", fs=RATE, output="sos")
            x, y = (scipy.signal.sosfiltfilt(sos, s) for s in (self.sound, b))
            alone = 10 * np.log10(np.mean(x**2) + np.mean(y**2))
            self.assertAlmostEqual(
                band.now_db, level_db(x + y) - alone, delta=0.4, msg=str(band.hz)
            )
            moved = level_db(x - scipy.signal.sosfiltfilt(sos, later(b, -60))) - alone
            self.assertAlmostEqual(band.set_db, moved, delta=0.1, msg=str(band.hz))
            self.assertGreaterEqual(band.best_db, band.now_db)
            self.assertEqual((band.best_ms, band.polarity), (1.25, -1))

    def test_a_delay_that_brings_nothing_is_not_asked_for(self):
        found = self.of(self.sound, -later(self.sound, 0.3))
        self.assertAlmostEqual(found.late_samples, 0.3, delta=0.05)
        self.assertTrue(found.sentence.startswith("Turn its polarity over: together"))

    def test_what_is_as_it_should_be_is_left(self):
        found = self.of(self.sound, 0.5 * self.sound)
        self.assertAlmostEqual(found.late_ms, 0, delta=0.001)
        self.assertIn("leave them", found.sentence)
        self.assertEqual(found.mono_loss_db, 0)

    def test_a_room_beside_the_direct_sound_and_another_rate(self):
        # Half of B has nothing in common with A; 44.1 kHz against 48.
        other = self.rng.standard_normal(len(self.sound))
        other *= np.std(self.sound) / np.std(other)
        b = later(self.sound, 96) + 0.7 * other
        slow = scipy.signal.resample_poly(b, 147, 160)
        found = self.of(self.sound, slow, 44_100)
        self.assertAlmostEqual(found.late_ms, 2.0, delta=0.01)
        self.assertTrue(found.related)

    def test_stereo_is_not_added_up_before_it_is_compared(self):
        # Two sides of their own; B late by 50 samples on both, and both turned over.
        other = np.roll(self.sound, 5 * RATE)[::-1]
        a = np.stack([self.sound, other], axis=1)
        b = -0.9 * np.stack([later(self.sound, 50), later(other, 50)], axis=1)
        found = self.of(a, b)
        self.assertAlmostEqual(found.late_samples, 50, delta=0.05)
        self.assertEqual(found.polarity, -1)
        # A mono beside one side of a stereo, whose other side is silent.
        found = self.of(self.sound, np.stack([0 * other, later(self.sound, 50)], axis=1))
        self.assertAlmostEqual(found.late_samples, 50, delta=0.05)
        self.assertAlmostEqual(found.b_against_a_db, 0, delta=0.05)

    def test_one_side_turned_over_is_said_before_anything_else(self):
        other = np.roll(self.sound, 5 * RATE)[::-1]
        a = np.stack([self.sound, other], axis=1)
        b = np.stack([self.sound, -other], axis=1)
        self.assertIn("Left and right want different polarities", self.of(a, b).sentence)
        self.assertNotIn("want different", self.of(a, -b[:, :1] * [1, 1]).sentence)

    def test_correlation_over_time_turns_over_with_the_sound(self):
        b = self.sound.copy()
        b[len(b) // 2 :] *= -1
        line = self.of(self.sound, b).pictures[1].series[0]
        half = len(line.y) // 2
        self.assertTrue(all(v > 0.99 for v in line.y[: half - 1]))
        self.assertTrue(all(v < -0.99 for v in line.y[half + 1 :]))

    def test_what_has_nothing_in_common_is_silent_or_short_is_said(self):
        found = self.of(self.sound, 0.05 * self.rng.standard_normal(len(self.sound)))
        self.assertEqual((found.related, found.late_ms), (False, None))
        self.assertIn("No delay brings these two together", found.sentence)
        with self.assertRaisesRegex(MeasureError, "silent"):
            self.of(self.sound, np.zeros(len(self.sound)))
        with self.assertRaisesRegex(MeasureError, "half a second"):
            self.of(self.sound[:9000], self.sound[:9000])
        with self.assertRaisesRegex(MeasureError, "up to 100 ms"):
            self.of(self.sound, self.sound, most_ms=5000)
