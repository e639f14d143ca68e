"""Balancing for peaks or for what rings on, against gains that were put there."""

import unittest

import numpy as np

from core.measure.balance import balance_of

RATE = 48_000


def notes(seconds: float = 6.0) -> np.ndarray:
    """A stroke every half second, ringing on: loud 40 ms, then 14 dB under it and dying slowly."""
    t = np.arange(round(seconds * RATE)) / RATE
    since = t % 0.5
    swell = np.where(since < 0.04, 1.0, 0.2 * np.exp(-(since - 0.04)))
    return (0.5 * swell * np.random.default_rng(2).standard_normal(len(t)))[None] * 0.3


def held(x: np.ndarray, loud_db: float, soft_db: float) -> np.ndarray:
    """B: strokes at one gain, the rest at another."""
    since = (np.arange(x.shape[1]) / RATE) % 0.5
    return x * 10 ** (np.where(since < 0.04, loud_db, soft_db) / 20)


def blocks(a: np.ndarray, b: np.ndarray, size: int = 10_007):
    for start in range(0, a.shape[1], size):
        yield a[:, start : start + size], b[:, start : start + size]


class ForPeaksOrForSustain(unittest.TestCase):
    def test_each_is_undone_where_it_was_done(self):
        a = np.concatenate([notes(), 0.5 * notes()])
        b = held(a, -2.0, 0.4)
        found = balance_of(blocks(a, b), RATE)
        self.assertAlmostEqual(found.peaks.trim_db, 2.0, places=2)
        self.assertAlmostEqual(found.sustain.trim_db, -0.4, places=2)
        self.assertAlmostEqual(found.apart_db, 2.4, places=2)
        self.assertIn("peaks are held down by 2.40 dB", found.sentence)
        # What stays over all, by a plain subtraction.
        rest = a - b * 10 ** (2.0 / 20)
        whole = 10 * np.log10(np.sum(rest**2) / np.sum(a**2))
        self.assertAlmostEqual(found.peaks.left_db, whole, delta=0.1)
        self.assertIsNone(found.sustain.own_left_db)

    def test_the_size_of_blocks_does_not_matter(self):
        a = notes()
        b = held(a, -1.0, 0.0)
        one = balance_of(blocks(a, b, a.shape[1]), RATE)
        self.assertEqual(one, balance_of(blocks(a, b, 777), RATE))

    def test_lifted_peaks_are_called_so(self):
        a = notes()
        found = balance_of(blocks(a, held(a, 1.5, 0.0)), RATE)
        self.assertAlmostEqual(found.apart_db, -1.5, places=2)
        self.assertIn("peaks are lifted by 1.50 dB", found.sentence)

    def test_steady_sound_and_silence_have_no_peaks_apart(self):
        rng = np.random.default_rng(1)
        for a in (0.1 * rng.standard_normal((1, RATE)), np.zeros((2, RATE)), np.zeros((1, 100))):
            found = balance_of([(a, 0.9 * a)], RATE)
            self.assertIsNone(found.peaks)
            self.assertIsNone(found.sustain)
            self.assertIn("no peaks", found.sentence)


if __name__ == "__main__":
    unittest.main()
