"""Integrated loudness: the standard's own tones and gates."""

import io
import json
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import numpy as np
import pyloudnorm
import soundfile

from core.audio.cli import main, measure
from core.audio.loudness import (
    EnergyMeter,
    Loudness,
    integrated_lufs,
    k_weighting,
    loudness_of,
    momentary_lufs,
    short_term_lufs,
)
from core.errors import AudioError


def tone(level_db: float, seconds: float, rate: int = 48_000, hz: float = 997) -> np.ndarray:
    one = 10 ** (level_db / 20) * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate)
    return np.stack([one, one])


class Integrated(unittest.TestCase):
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


def one(level_db: float, seconds: float, rate: int = 48_000) -> np.ndarray:
    return tone(level_db, seconds, rate)[:1]


class Layouts(unittest.TestCase):
    def test_channels_count_as_the_standard_weighs_them(self):
        """Against pyloudnorm, which knows up to five channels, and against arithmetic for 5.1."""
        rng = np.random.default_rng(8)
        for channels in (1, 2, 3, 4, 5):
            noise = (
                0.1
                * rng.standard_normal((channels, 5 * 48_000))
                * (1 + np.arange(channels))[:, None]
            )
            theirs = pyloudnorm.Meter(48_000).integrated_loudness(noise.T)
            if channels == 4:
                # It takes the fourth of four for a surround and the third for a centre.
                noise = noise[[0, 1, 2, 3]]
                theirs = pyloudnorm.Meter(48_000).integrated_loudness(
                    np.stack([noise[0], noise[1], 0 * noise[0], noise[2], noise[3]]).T
                )
            self.assertAlmostEqual(integrated_lufs(noise, 48_000), theirs, delta=0.1)
        alone = one(-20, 5)
        for place, gain in ((0, 0.0), (2, 0.0), (4, 1.5), (5, 1.5)):
            wide = np.zeros((6, alone.shape[1]))
            wide[place] = alone[0]
            self.assertAlmostEqual(
                integrated_lufs(wide, 48_000), integrated_lufs(alone, 48_000) + gain, delta=0.02
            )
        wide = np.zeros((6, alone.shape[1]))
        wide[3] = alone[0]
        self.assertIsNone(integrated_lufs(wide, 48_000))

    def test_a_number_without_a_layout_is_refused_in_a_sentence(self):
        for channels in (7, 9):
            with self.assertRaises(AudioError) as said:
                integrated_lufs(np.ones((channels, 48_000)), 48_000)
            self.assertIn(f"{channels} channels", said.exception.sentence)


class Largest(unittest.TestCase):
    def meter(self, sound: np.ndarray, rate: int = 48_000) -> Loudness:
        meter = EnergyMeter(rate)
        for start in range(0, sound.shape[1], 9_973):
            meter.push(sound[None, :, start : start + 9_973])
        return loudness_of(meter)

    def test_a_burst_between_the_tenths_is_read_in_full(self):
        for late in (0.003, 0.055, 0.0871):
            quiet = np.zeros((2, round(late * 48_000)))
            rest = np.zeros((2, 48_000))
            found = self.meter(np.concatenate([quiet, tone(-23, 0.4), rest], axis=1))
            self.assertAlmostEqual(found.momentary_max_lufs, -23.0, delta=0.11)
            found = self.meter(np.concatenate([quiet, tone(-23, 3.0), rest], axis=1))
            self.assertAlmostEqual(found.short_term_max_lufs, -23.0, delta=0.05)

    def test_what_does_not_exist_is_none(self):
        short = self.meter(tone(-23, 0.3))
        self.assertEqual(
            (short.integrated_lufs, short.momentary_max_lufs, short.short_term_max_lufs, short.range_lu),
            (None,) * 4,
        )  # fmt: skip
        self.assertIsNone(self.meter(tone(-23, 2)).short_term_max_lufs)
        self.assertIsNone(self.meter(np.zeros((2, 480_000))).momentary_max_lufs)

    def test_every_rate_reads_the_standards_tone(self):
        for rate in (8000, 11_025, 22_050, 44_100, 96_000, 192_000):
            found = self.meter(tone(-23, 4, rate), rate)
            for value in (
                found.integrated_lufs, found.momentary_max_lufs, found.short_term_max_lufs
            ):  # fmt: skip
                self.assertAlmostEqual(value, -23.0, delta=0.1, msg=str(rate))

    def test_range_of_the_published_cases(self):
        """EBU Tech 3342, cases 1 to 4: tones of 20 s each."""
        for levels, expected in (
            ((-20, -30), 10), ((-20, -15), 5), ((-40, -20), 20),
            ((-50, -35, -20, -35, -50), 15),
        ):  # fmt: skip
            sound = np.concatenate([tone(level, 20, hz=1000) for level in levels], axis=1)
            self.assertAlmostEqual(self.meter(sound).range_lu, expected, delta=1.0)


class TruePeak(unittest.TestCase):
    def test_the_published_cases_at_every_rate(self):
        """EBU Tech 3341, cases 15 to 19 and their like at other rates: +0.2 and -0.4 dB."""
        for rate in (8000, 44_100, 48_000, 96_000, 192_000):
            for part, phase, level in (
                (4, 0, -6), (4, 45, -6), (6, 60, -6), (8, 67.5, -6), (4, 45, 3),
            ):  # fmt: skip
                n = np.arange(rate // 2)
                wave = 10 ** (level / 20) * np.sin(2 * np.pi * n / part + np.deg2rad(phase))
                fade = np.minimum(1, np.minimum(n, n[::-1]) / (0.1 * rate))
                with tempfile.TemporaryDirectory() as held:
                    path = Path(held) / "tone.wav"
                    soundfile.write(path, wave * fade, rate, subtype="FLOAT")
                    found = measure(path)["true_peak_dbtp"]
                self.assertGreater(found, level - 0.4)
                self.assertLess(found, level + 0.2)

    def test_the_last_samples_count(self):
        with tempfile.TemporaryDirectory() as held:
            path = Path(held) / "cut.wav"
            wave = np.zeros(4800)
            wave[-2:] = (0.7, 0.7)
            soundfile.write(path, wave, 48_000, subtype="FLOAT")
            self.assertGreater(measure(path)["true_peak_dbtp"], 20 * np.log10(0.8))


class ForScripts(unittest.TestCase):
    def run_with(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            try:
                code = main(list(words))
            except SystemExit as stop:
                code = int(stop.code or 0)
        return code, out.getvalue(), err.getvalue()

    def test_json_and_errors(self):
        with tempfile.TemporaryDirectory() as held:
            path = Path(held) / "tone.wav"
            soundfile.write(path, tone(-23, 4).T, 48_000, subtype="PCM_24")
            code, out, _ = self.run_with(str(path), "--json")
            found = json.loads(out)
            self.assertEqual(code, 0)
            self.assertAlmostEqual(found["integrated_lufs"], -23.0, delta=0.1)
            self.assertAlmostEqual(found["sample_peak_dbfs"], -23.0, delta=0.05)
            soundfile.write(path, np.zeros((480, 1)), 48_000)
            found = json.loads(self.run_with(str(path), "--json")[1])
            self.assertEqual(
                {v for k, v in found.items() if k != "layout"}, {None}
            )  # fmt: skip
            for bad in (str(Path(held) / "none.wav"), __file__):
                code, out, said = self.run_with(bad, "--json")
                self.assertEqual((code, out), (2, ""))
                self.assertEqual(len(said.strip().splitlines()), 1, said)
            self.assertEqual(self.run_with()[0], 2)
