"""The parts that a delay is read with, each against arithmetic that can be done on paper."""

import unittest

import numpy as np

from core.bench.events import events_in, rings_on, template_of
from core.bench.mixing import law_of, measured_mix
from core.bench.repeats import Spectra, band_falls, fall_of, least_lossy, train_of
from core.bench.results import BandFall
from core.errors import MeasureError

RATE = 48_000


class Trains(unittest.TestCase):
    def test_one_repeat_is_a_time_and_no_fall(self):
        train = train_of(np.array([4800.0]), np.array([-6.0]), 0.01)
        self.assertEqual((train.period, train.growth, train.wander), (4800.0, 0.0, None))
        self.assertIsNone(fall_of(train.index, np.array([-6.0])))
        self.assertIsNone(train_of(np.array([]), np.array([]), 0.01))

    def test_a_missing_repeat_is_counted_and_a_stray_one_is_not(self):
        times = np.array([1000.0, 2000.0, 2340.0, 4000.0, 5000.0])
        levels = np.array([-3.0, -6.0, -30.0, -12.0, -15.0])
        train = train_of(times, levels, 0.01)
        self.assertEqual(train.index.tolist(), [1, 2, 0, 4, 5])
        self.assertAlmostEqual(train.period, 1000.0)
        used = train.index > 0
        self.assertAlmostEqual(fall_of(train.index[used], levels[used]), -3.0)

    def test_a_first_repeat_with_a_time_of_its_own_leaves_the_period_alone(self):
        # 20 ms late as a whole: times are 1060, 2060, ...; from one to the next it is 1000.
        times = 60.0 + 1000.0 * np.arange(1, 8)
        train = train_of(times, -3.0 * np.arange(1, 8), 0.01)
        self.assertAlmostEqual(train.period, 1000.0, places=6)
        self.assertAlmostEqual(train.wander, 0.0, places=6)

    def test_growth_needs_more_than_what_noise_would_make(self):
        n = np.arange(1, 9)
        times = 1000.0 * n + 2.0 * n * (n - 1) / 2
        levels = -1.0 * n
        self.assertAlmostEqual(train_of(times, levels, 0.01).growth, 2.0, places=3)
        # The same times, where each is only known to 30 samples.
        self.assertEqual(train_of(times, levels, 30.0).growth, 0.0)


class Bands(unittest.TestCase):
    def band(self, hz, first, each):
        return BandFall(hz=hz, first_db=first, each_db=each, repeats=4)

    def test_the_octave_that_loses_least_stands_for_the_control_only_where_they_differ(self):
        even = [self.band(500, -6, -3.1), self.band(1000, -6, -3.0)]
        self.assertIsNone(least_lossy(even))
        dull = [*even, self.band(4000, -9, -5.5)]
        self.assertEqual(least_lossy(dull).hz, 1000)
        one = [self.band(500, -6, None), self.band(4000, -9, None)]
        self.assertEqual(least_lossy(one).hz, 500)
        self.assertIsNone(least_lossy([self.band(500, None, None)]))

    def test_an_octave_is_read_as_far_as_it_stands_out_of_the_noise(self):
        rng = np.random.default_rng(2)
        line = 1e-4 * rng.standard_normal(3 * RATE)
        places = np.array([4800, 9600, 14_400, 19_200, 24_000])
        for k, at in enumerate(places):
            line[at] += 0.5 * 10 ** (-10 * k / 20)
        spectra = Spectra([line], RATE, 4800.0, 0.002)
        bands = band_falls(
            spectra, places[1:].astype(float), [0] * 4, np.arange(1.0, 5.0), spectra.at(0, 4800.0)
        )
        # In a share s of the band a click of 0.5 holds s / 4, at repeat k 10^-k of it; noise of 1e-4
        # over 2016 samples s * 2e-5. Sixteen times that is passed by the first two.
        top = bands[-1]
        self.assertEqual((top.hz, top.repeats), (8000, 2))
        self.assertAlmostEqual(top.first_db, -10, delta=0.1)
        self.assertAlmostEqual(top.each_db, -10, delta=0.3)
        self.assertLessEqual(max(b.repeats for b in bands), 3)


class Events(unittest.TestCase):
    def test_a_click_ends_before_the_repeat_that_follows_it_closely(self):
        x = np.zeros(RATE)
        x[1000:1003] = 0.5, -0.3, 0.1
        x[1000 + 300 : 1003 + 300] = 0.25, -0.15, 0.05
        template, start = template_of(x, RATE, 1e-6)
        self.assertEqual(start, 1000)
        self.assertLess(len(template), 10)
        found = events_in(x, template, 0, RATE, 1e-6)
        self.assertEqual([round(e.at) for e in found], [1000, 1300])
        self.assertAlmostEqual(found[1].size / found[0].size, 0.5, places=3)

    def test_a_tone_rings_on_and_a_burst_does_not(self):
        t = np.arange(RATE) / RATE
        tone, _ = template_of(np.sin(2 * np.pi * 220 * t), RATE, 1e-6)
        self.assertTrue(rings_on(tone, RATE))
        burst = np.zeros(RATE)
        burst[500:1460] = np.hanning(960) * np.random.default_rng(1).standard_normal(960)
        template, _ = template_of(burst, RATE, 1e-6)
        self.assertFalse(rings_on(template, RATE))


class Laws(unittest.TestCase):
    def test_a_law_is_how_two_gains_stand_to_each_other(self):
        # Half and half: linear keeps their sum, equal power the sum of their squares.
        off = law_of([(0.5, 0.5)])
        self.assertAlmostEqual(off["linear"], 0.0, places=6)
        self.assertAlmostEqual(off["equal-power"], 3.0103, places=3)
        self.assertAlmostEqual(off["full"], 6.0206, places=3)
        self.assertAlmostEqual(off["compromise"], 1.5051, places=3)
        self.assertAlmostEqual(law_of([(0.6, 0.8)])["equal-power"], 0.0, places=6)

    def test_two_positions_at_the_ends_tell_nothing(self):
        rng = np.random.default_rng(4)
        dry, wet = rng.standard_normal((2, 4000))
        with self.assertRaisesRegex(MeasureError, "sound the same"):
            measured_mix([dry, dry, dry, dry, 0.5 * dry], 0.0)
        found = measured_mix([dry, dry, dry, wet, wet], 0.0)
        self.assertIsNone(found.law)
        self.assertEqual([(p.dry, p.wet) for p in found.positions[1:4]], [(1, 0), (1, 0), (0, 1)])
        self.assertIn("cannot be told", found.sentence)
