"""Integrated loudness: the standard's own tones and gates."""

import unittest

import numpy as np

from core.audio.loudness import (
    EnergyMeter,
    integrated_lufs,
    k_weighting,
    momentary_lufs,
    short_term_lufs,
)


def tone(level_db: float, seconds: float, rate: int = 48_000, hz: float = 997) -> np.ndarray:
    one = 10 ** (level_db / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate)
    return np.stack([one, one])


class Loudness(unittest.TestCase):
    def test_a_tone_of_minus_23_on_both_sides_reads_minus_23(self):
        for rate in (44_100, 48_000, 96_000):
            self.assertAlmostEqual(integrated_lufs(tone(-23, 5, rate), rate), -23.0, delta=0.1)

    def test_the_coefficients_are_those_of_the_standard(self):
        shelf, cut = k_weighting(48_000)
        for found, printed in zip(
            (*shelf[:3], *shelf[4:], *cut[4:]),
            (
                1.53512485958697,
                -2.69169618940638,
                1.19839281085285,
                -1.69065929318241,
                0.73248077421585,
                -1.99004745483398,
                0.99007225036621,
            ),
            strict=True,
        ):
            self.assertAlmostEqual(found, printed, places=6)

    def test_silence_and_quiet_stretches_do_not_count(self):
        loud = tone(-20, 5)
        with_pause = np.concatenate([loud, np.zeros((2, 48_000 * 10)), tone(-45, 5)], axis=1)
        self.assertAlmostEqual(
            integrated_lufs(with_pause, 48_000), integrated_lufs(loud, 48_000), delta=0.3
        )
        self.assertIsNone(integrated_lufs(np.zeros((2, 48_000)), 48_000))
        self.assertIsNone(integrated_lufs(tone(-20, 0.2), 48_000))

    def test_three_seconds_follow_a_step_and_four_tenths_follow_it_sooner(self):
        sound = np.concatenate([tone(-33, 5), tone(-23, 5)], axis=1)
        meter = EnergyMeter(48_000)
        for start in range(0, sound.shape[1], 10_007):
            meter.push(sound[None, :, start : start + 10_007])
        tenths = meter.tenths()[:, 0, 0]
        short, momentary = short_term_lufs(tenths), momentary_lufs(tenths)
        self.assertEqual(len(short), 100)
        self.assertAlmostEqual(short[49], -33, delta=0.1)
        self.assertAlmostEqual(short[-1], -23, delta=0.1)
        # One of three seconds loud: a third of its power, and two thirds of a tenth of it.
        self.assertAlmostEqual(short[59], -23 + 10 * np.log10(1 / 3 + 2 / 3 / 10), delta=0.1)
        self.assertAlmostEqual(momentary[50], -23, delta=0.1)
        # At the start what has not been heard counts as silence.
        self.assertAlmostEqual(short[9], -33 + 10 * np.log10(1 / 3), delta=0.1)
