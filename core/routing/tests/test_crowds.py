"""Many arrivals of one sound: what they have in common, against sums that are written out here."""

import unittest

import numpy as np

from core.routing import Evaluation, compile_rig, parse_rig
from core.routing.evaluate.shapes import FLAT, TICKS
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
            key = (int(draw.integers(0, int(0.01 * TICKS))), FLAT, bool(draw.random() < 0.4))
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


class Multiplying(unittest.TestCase):
    """A loop on which paths part and meet: with each lap there are twice as many of them."""

    TEXT = (
        "s: source > m0: bus > x0: split > a0: delay (time 11 ms) > m1: merge > x1: split > "
        "a1: delay (time 17 ms) > r1: reverb (locked) > m2: merge > x2: split > m3: merge > "
        "t: split > o: output\n"
        "x0 > b0: reverb (rt60 0.7 s, locked) > m1\nx1 > b1: chorus > m2\n"
        "x2 > a2: delay (time 29 ms) > m3\nx2 > b2: reverb (rt60 0.4 s, locked) > m3\n"
        "t > g: level (level {} dB) > m0"
    )

    def test_its_laps_are_followed_only_while_they_are_few(self):
        carried = compile_rig(parse_rig(self.TEXT.format(-12))).carried
        self.assertLess(sum(state.count for state in carried.states), 12_000)

    def test_its_level_grows_with_what_goes_back_and_comes_down_to_none(self):
        levels = []
        for back in (-120, -24, -18, -12, -9):
            out = Evaluation(parse_rig(self.TEXT.format(back))).report().outputs[0]
            levels.append(out.nominal_dbfs)
            self.assertGreater(out.peak_dbfs, out.nominal_dbfs)
        self.assertEqual(levels, sorted(levels))
        # What comes round at -24 dB is some hundredths of the power that goes once.
        self.assertLess(levels[1] - levels[0], 0.5)
