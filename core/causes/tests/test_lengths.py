"""Clips of lengths that no transform likes: 99,991 frames is a prime number. By hand, on noise whose power lies evenly."""

import unittest

import numpy as np

from core.causes.in_sound import _below_top_db
from core.causes.track import Piece, lag_in

FRAMES = 99_991


class Lengths(unittest.TestCase):
    def setUp(self) -> None:
        self.rng = np.random.default_rng(12)
        self.noise = self.rng.standard_normal((2, FRAMES))

    def test_half_of_the_band_holds_half_of_white_noise_and_a_tenth_a_tenth(self):
        for share in (0.5, 0.1):
            found = _below_top_db(self.noise, self.noise, share)
            self.assertAlmostEqual(found, 10 * np.log10(share), delta=0.1)

    def test_what_lies_above_is_not_counted(self):
        at = np.arange(FRAMES)
        # A tone at 0.45 of the rate, 0.9 of the band, without edges; below it noise 60 dB down.
        tone = np.sin(2 * np.pi * 0.45 * at) * np.hanning(FRAMES)
        quiet = 1e-3 * self.noise[0]
        found = _below_top_db((tone + quiet)[None], tone[None], 0.8)
        wanted = 10 * np.log10(0.8 * np.sum(quiet**2) / np.sum(tone**2))
        self.assertAlmostEqual(found, wanted, delta=0.2)

    def test_a_window_held_against_several_places_finds_each_as_if_it_were_the_only_one(self):
        """Late by 5, turned over and early by 3, and far away by 700: in any order, with reaches of their own."""
        size = 4099
        a = self.noise[:, 2000 : 2000 + size]
        piece = Piece(a)
        for late, sign, reach in ((5, 1, 64), (-3, -1, 512), (700, 1, 1024), (5, 1, 64)):
            # Beyond the window there is something else, so that no end tells the place.
            b = 0.1 * self.rng.standard_normal((2, size + 2 * reach))
            b[:, reach + late : reach + late + size] = sign * a
            lag, sharp, agree = lag_in(piece, b, reach)
            with self.subTest(late=late, reach=reach):
                self.assertAlmostEqual(lag, late, delta=1e-3)
                self.assertAlmostEqual(agree, sign, delta=1e-6)
                self.assertGreater(sharp, 9)
