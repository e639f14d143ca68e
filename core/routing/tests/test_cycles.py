"""What is drawn of a stage that goes round by itself, in the units of its own settings."""

import unittest

import numpy as np

from core.routing import Context, Evaluation, parse_rig
from core.units import TempoFrame

SONG = Context(TempoFrame(tempo_bpm=90))


def drawn(stage: str):
    rig = parse_rig(f"g: source > x: {stage} > o: output (stereo)")
    return Evaluation(rig, SONG).report().cycles.get("x")


class Cycles(unittest.TestCase):
    def test_each_in_its_unit_over_two_cycles(self):
        part = np.linspace(0, 2, 401) % 1
        for stage, unit, cycle_s, wanted in (
            ("tremolo (rate 4 Hz, depth 60 %, shape triangle)", "%", 0.25, 100 - 60 * (1 - abs(1 - 2 * part))),
            # An eighth at 90 BPM is a third of a second.
            ("tremolo (cycle 1/8, depth 100 %)", "%", 1 / 3, 50 + 50 * np.cos(2 * np.pi * part)),
            ("chorus (rate 0.5 Hz, depth 2 ms, centre 7 ms)", "ms", 2.0, 7 + 2 * np.sin(2 * np.pi * part)),
            ("ducker (way shape, dip every 1/4, depth 12 dB, dip shape half-sine)", "dB", 2 / 3, -12 * np.sin(np.pi * part)),
            ("swept (frequency 400 Hz, moved by lfo, range 2, rate 1 Hz)", "Hz", 1.0, 400 * 4 ** np.sin(2 * np.pi * part)),
        ):  # fmt: skip
            found = drawn(stage)
            self.assertEqual((found.unit, found.right), (unit, None), stage)
            self.assertAlmostEqual(found.cycle_s, cycle_s)
            self.assertAlmostEqual(found.seconds, 2 * cycle_s)
            np.testing.assert_allclose(found.left, wanted, atol=1e-3 * max(1, abs(wanted).max()))

    def test_sides_apart_are_drawn_apart(self):
        found = drawn("tremolo (rate 2 Hz, depth 100 %, sides apart 180 °, start 90 °)")
        np.testing.assert_allclose(np.add(found.left, found.right), 100, atol=1e-3)
        self.assertAlmostEqual(found.left[0], 50, places=3)
        self.assertIsNone(drawn("chorus (rate 1 Hz)").right)
        self.assertIsNotNone(drawn("chorus (rate 1 Hz, spread)").right)

    def test_what_does_not_go_round_is_not_drawn(self):
        for stage in ("swept (moved by level)", "swept", "ducker (way envelope)", "compressor"):
            self.assertIsNone(drawn(stage), stage)
