"""Facts of a response that is convolved with: what arrives at once, what rings, and how loud it is made."""

import unittest

import numpy as np

from core.routing.plan.spread import _smooth, impulse_facts, pink_scale

RATE = 48_000


class Scaled(unittest.TestCase):
    def pink(self, power: np.ndarray, hz: np.ndarray) -> float:
        """Mean power over octaves: as much in each."""
        inside = (hz >= 20) & (hz <= 20_000)
        return float((power[inside] / hz[inside]).sum() / (1 / hz[inside]).sum())

    def test_pink_noise_leaves_as_loud_as_it_came(self):
        rng = np.random.default_rng(2)
        tail = rng.standard_normal((2, 8192)) * np.exp(-np.arange(8192) / 900)
        tail[1] *= 3
        scale = pink_scale(tail, RATE)
        power = (np.abs(np.fft.rfft(scale * tail, axis=1)) ** 2).mean(axis=0)
        self.assertAlmostEqual(self.pink(power, np.fft.rfftfreq(8192, 1 / RATE)), 1.0, delta=0.02)

    def test_a_click_of_any_size_is_all_early_and_comes_out_at_one(self):
        for size in (0.05, 0.5, 4.0):
            click = np.zeros((1, 9600))
            click[0, 0] = size
            facts = impulse_facts(click, RATE)
            self.assertEqual(facts.sides, 1)
            self.assertAlmostEqual(facts.seconds, 0.2)
            self.assertAlmostEqual(facts.most, 1.0, places=6)
            np.testing.assert_allclose(np.abs(facts.early), 1.0, atol=1e-6)
            np.testing.assert_allclose(facts.late, 0.0, atol=1e-6)

    def test_a_click_and_as_much_100_ms_later_is_half_early_and_half_late(self):
        both = np.zeros((1, 19_200))
        both[0, 0] = both[0, 4800] = 0.3
        facts = impulse_facts(both, RATE)
        # What is early is one click alone; of the whole, the waves between the two are smoothed out above.
        early = np.abs(facts.early[0]) ** 2
        np.testing.assert_allclose(early, early[0], rtol=1e-6)
        high = facts.late[0][-12:]
        np.testing.assert_allclose(high, early[-12:], rtol=0.1)
        self.assertAlmostEqual(facts.most, 2 * np.sqrt(early[0]), places=5)


class Smoothed(unittest.TestCase):
    def test_what_is_flat_stays_and_what_rises_is_the_mean_of_a_tenth_of_an_octave(self):
        hz = np.arange(20_001) * 1.0
        np.testing.assert_allclose(_smooth(np.full(20_001, 3.0), hz), 3.0)
        found = _smooth(hz**2, hz)
        for at in (500, 2000, 9000):
            low, high = int(at / 2**0.05), int(at * 2**0.05)
            self.assertAlmostEqual(found[at] / float((hz[low : high + 1] ** 2).mean()), 1, places=4)


if __name__ == "__main__":
    unittest.main()
