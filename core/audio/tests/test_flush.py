"""What rings out costs no more than what sounds, and nothing outside of it is changed."""

import unittest

import numpy as np

from core.audio.biquads import Biquads
from core.audio.flush import KNOWN, tiny_is_nothing

_TINY = np.array([3e-310, -3e-310, 3e-300])


class FlushTests(unittest.TestCase):
    def test_tiny_numbers_are_nothing_inside_and_numbers_again_after_it(self):
        with tiny_is_nothing():
            inside = (_TINY * 0.5).tolist()
        self.assertEqual(inside, [0.0, 0.0, 1.5e-300] if KNOWN else (_TINY * 0.5).tolist())
        self.assertGreater((_TINY * 0.5)[0], 0)

    def test_it_ends_with_what_fails_and_may_lie_in_itself(self):
        with self.assertRaises(ZeroDivisionError), tiny_is_nothing():
            with tiny_is_nothing():
                pass
            self.assertEqual(float((_TINY * 0.5)[0]) == 0, KNOWN)
            raise ZeroDivisionError
        self.assertGreater((_TINY * 0.5)[0], 0)

    def test_a_filter_that_rings_out_forgets_and_sounds_as_it_did(self):
        sections = np.array([[1.0, -2, 1, 1, -1.972, 0.9724], [1.0, 0, 0, 1, -0.99, 0]])
        burst = np.zeros((2, 9600))
        burst[:, :50] = np.random.default_rng(1).standard_normal((2, 50))

        def rung(much):
            work = Biquads(sections)
            return [work(burst) for _ in range(2)], [work(0 * burst) for _ in range(much)], work

        plain, _, _ = rung(1)
        with tiny_is_nothing():
            flushed, after, work = rung(20)
        for a, b in zip(plain, flushed, strict=True):
            np.testing.assert_allclose(a, b, rtol=0, atol=1e-290)
        if KNOWN:
            self.assertFalse(after[-1].any())
            self.assertFalse(work.state.any())
