"""Many arrivals of one sound: what they have in common, against sums that are written out here."""

import unittest

import numpy as np

from core.routing.evaluate.shapes import TICKS
from core.routing.evaluate.state import Signal, Signals, State
from core.routing.plan.cells import _CENTRE, _WIDTH, CELLS


class Crowds(unittest.TestCase):
    def crowd(self, count: int, seed: int) -> tuple[Signals, State]:
        draw = np.random.default_rng(seed)
        signals = Signals()
        weights = draw.uniform(0.1, 1, CELLS)
        signals.known.append(Signal("v", 0.3, weights / weights.sum(), 4.0, 0))
        state = State()
        arriving = state.arriving.setdefault(0, {})
        for _ in range(count):
            key = (int(draw.integers(0, int(0.01 * TICKS))), 0, bool(draw.random() < 0.4))
            arriving[key] = [*draw.uniform(-1, 1, 2), 1.0]
        return signals, state

    def written_out(self, signals: Signals, state: State) -> np.ndarray:
        """Power of left and right: the mean of |sum of g exp(-2j pi f t)|^2 over each cell, by 400 places
        in it.
        """
        one = signals.known[0]
        places = (np.arange(400) + 0.5) / 400 - 0.5
        hz = _CENTRE[:, None] + _WIDTH[:, None] * places
        sides = []
        for side in (0, 1):
            whole = sum(
                gains[side] * np.exp(-2j * np.pi * hz * at / TICKS)
                for (at, _, _), gains in state.arriving[0].items()
            )
            sides.append((np.abs(whole) ** 2).mean(axis=1) * one.weights * one.amplitude**2)
        return np.array(sides)

    def test_few_and_many_add_up_to_what_is_heard(self):
        for count, seed in ((3, 1), (4, 2), (30, 3), (60, 4)):
            with self.subTest(count=count):
                signals, state = self.crowd(count, seed)
                found = sum(signals.cells(state).values())
                expected = self.written_out(signals, state)
                np.testing.assert_allclose(found[:2].sum(axis=1), expected.sum(axis=1), rtol=2e-3)
