"""Decays of one slope and of two, made here from noise under exponentials of their own."""

import numpy as np
import scipy.signal

from core.bench import measure_decay
from core.bench.tests.test_bench import Files
from core.causes.tests.catalogue import RATE

OCTAVES = (125, 250, 500, 1000, 2000, 4000, 8000)


class Decays(Files):
    def response(self, slopes, seed, seconds, noise_db=-80):
        """A direct sound, then noise of its own under each exponential of (seconds, dB)."""
        rng = np.random.default_rng(seed)
        t = np.arange(round(seconds * RATE)) / RATE
        tail = np.zeros(len(t))
        for time_s, db in slopes:
            noise = rng.standard_normal(len(t))
            tail += noise * 10 ** (db / 20) * 10 ** (-3 * t / time_s)
        tail *= 0.4 / np.abs(tail).max()
        sound = np.pad(tail, (1200, 0))
        sound[1180] = 0.9
        return sound + 10 ** (noise_db / 20) * rng.standard_normal(len(sound))

    def measured(self, *given, **named):
        return measure_decay(self.file("d.wav", self.response(*given, **named)))

    def test_one_slope_within_a_twentieth_in_every_octave_and_as_sure_as_it_says(self):
        off = []
        for time_s in (0.25, 0.6, 1.4, 3.0):
            for seed in (1, 2, 3):
                found = self.measured([(time_s, 0)], seed, max(1.0, 2.2 * time_s))
                self.assertAlmostEqual(found.rt60_s / time_s, 1, delta=0.05)
                for band in found.bands:
                    self.assertIsNone(band.late_s)
                    if band.rt60_s is None:
                        continue
                    miss = band.rt60_s / time_s - 1
                    off.append(miss / (band.within_percent / 100))
                    if band.within_percent < 2.5:
                        self.assertLess(abs(miss), 0.075, f"{time_s} s at {band.hz} Hz")
        # What it says of itself: most within one deviation, hardly any beyond three.
        off = np.abs(off)
        self.assertGreater(len(off), 75)
        self.assertGreater(np.mean(off < 1), 0.5)
        self.assertGreater(np.mean(off < 3), 0.97)

    def test_two_slopes_are_told_apart_where_both_are_heard(self):
        for early, late, db in ((0.4, 2.0, -20), (1.0, 3.0, -25), (0.5, 1.5, -12)):
            with self.subTest((early, late)):
                found = self.measured([(early, 0), (late, db)], 5, 4.0)
                self.assertAlmostEqual(found.rt60_s / early, 1, delta=0.1)
                self.assertAlmostEqual(found.late_s / late, 1, delta=0.05)
                # Where the two lines cross: energy a - 60 t/early = b - 60 t/late.
                crossing = -db / (60 / early - 60 / late)
                self.assertAlmostEqual(found.bend_db, 60 * crossing / early, delta=2)
                self.assertIn("Two slopes", found.sentence)

    def test_a_late_slope_below_the_noise_is_not_said(self):
        found = self.measured([(0.5, 0), (1.5, -45)], 4, 2.0, noise_db=-45)
        self.assertIsNone(found.late_s)
        self.assertLess(abs(found.rt60_s / 0.5 - 1), 0.03 * found.within_percent)

    def test_a_longer_neighbour_does_not_lengthen_an_octave(self):
        rng = np.random.default_rng(8)
        t = np.arange(4 * RATE) / RATE
        sound = np.zeros(len(t))
        edge = scipy.signal.butter(8, 2000, "lowpass", fs=RATE, output="sos")
        top = scipy.signal.butter(8, 4000, "highpass", fs=RATE, output="sos")
        for sos, time_s in ((edge, 2.0), (top, 0.5)):
            noise = scipy.signal.sosfilt(sos, rng.standard_normal(len(t)))
            sound += 0.1 * noise * 10 ** (-3 * t / time_s)
        sound = np.pad(sound, (1200, 0))
        sound[1180] = 0.9
        found = measure_decay(self.file("d.wav", sound + self.noise(sound.shape, -85)))
        by_hz = {b.hz: b.rt60_s for b in found.bands}
        self.assertAlmostEqual(by_hz[1000] / 2.0, 1, delta=0.05)
        self.assertAlmostEqual(by_hz[8000] / 0.5, 1, delta=0.05)
