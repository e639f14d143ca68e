"""Delays that are filtered, short, growing or swaying, and phrases without their dry sound.

Trains are made here by exact phase ramps and by SciPy's filters; what each repeat should be is known
from that alone.
"""

import numpy as np
import scipy.signal

from core.bench import measure_delay
from core.bench.tests.test_bench import Files, delayed
from core.causes.tests.catalogue import RATE, Notes
from core.errors import MeasureError


class Trains(Files):
    def train(self, sound, times_ms, first_db, each_db, *, sos=None, seconds=6, noise_db=-84):
        """Each repeat once more through the loop's filter; (frames, 2)."""
        n = seconds * RATE
        out = np.zeros(n)
        out[: len(sound)] += sound
        line = np.pad(sound, (0, 4000))
        for k, ms in enumerate(times_ms):
            if sos is not None:
                line = scipy.signal.sosfilt(sos, line)
            out += 10 ** ((first_db + each_db * k) / 20) * delayed(line, ms * RATE / 1e3, n)
        both = np.stack([out, out], axis=1)
        return both + self.noise(both.shape, noise_db)

    def measured(self, *given, **named):
        return measure_delay(self.file("d.wav", self.train(*given, **named)))

    def click(self) -> np.ndarray:
        sound = np.zeros(2000)
        sound[1000] = 0.5
        return sound

    def burst(self) -> np.ndarray:
        sound = np.zeros(4000)
        sound[1000:1960] = 0.3 * self.rng.standard_normal(960) * np.hanning(960)
        return sound


class Loops(Trains):
    def test_a_filtered_loop_is_told_by_octave_and_its_control_by_the_octave_that_loses_least(self):
        edges = {
            "low-pass": scipy.signal.butter(1, 4000, fs=RATE, output="sos"),
            "both": np.vstack(
                [
                    scipy.signal.butter(1, 4000, fs=RATE, output="sos"),
                    scipy.signal.butter(1, 200, "highpass", fs=RATE, output="sos"),
                ]
            ),
        }
        for name, sos in edges.items():
            for sound in (self.click(), self.burst()):
                with self.subTest(name, frames=len(sound)):
                    found = self.measured(sound, np.arange(1, 9) * 300.37, -6, -3, sos=sos)
                    self.assertAlmostEqual(found.time_ms, 300.37, delta=0.1)
                    by_hz = {b.hz: b for b in found.bands}
                    for hz in (1000, 2000, 4000):
                        # What the filter does within the octave, to a sound as strong at each Hz.
                        at = hz * 2 ** np.linspace(-0.5, 0.5, 201)
                        power = np.abs(scipy.signal.sosfreqz(sos, at, fs=RATE)[1]) ** 2
                        lost = 10 * np.log10(np.average(power, weights=at))
                        self.assertAlmostEqual(by_hz[hz].first_db, -6 + lost, delta=0.4)
                    middle = np.abs(scipy.signal.sosfreqz(sos, [found.read_at_hz], fs=RATE)[1])
                    lost = 20 * np.log10(middle[0])
                    self.assertLess(abs(lost), 0.5)
                    self.assertAlmostEqual(found.feedback_db, -3 + lost, delta=0.2)
                    self.assertAlmostEqual(found.first_repeat_db, -6 + lost, delta=0.2)
                    self.assertIn("more elsewhere", found.sentence)

    def test_an_even_loop_has_one_level_for_all_octaves(self):
        found = self.measured(self.burst(), np.arange(1, 9) * 300.37, -6, -3)
        self.assertIsNone(found.read_at_hz)
        self.assertEqual([b.hz for b in found.bands], [125, 250, 500, 1000, 2000, 4000, 8000])
        for band in found.bands:
            self.assertAlmostEqual(band.each_db, -3, delta=0.1)

    def test_times_that_grow_from_repeat_to_repeat_are_followed(self):
        for grows in (4.0, 15.0, -2.5):
            with self.subTest(grows):
                times = np.cumsum(300.37 + np.arange(8) * grows)
                found = self.measured(self.click(), times, -6, -3)
                self.assertAlmostEqual(found.time_ms, 300.37, delta=0.05)
                self.assertAlmostEqual(found.growth_ms, grows, delta=0.02)
                self.assertAlmostEqual(found.feedback_db, -3, delta=0.2)
                self.assertIn("longer" if grows > 0 else "shorter", found.sentence)

    def test_a_swaying_time_is_wander_and_no_growth(self):
        even = np.arange(1, 9) * 300.37
        sway = 0.4 * np.sin(2 * np.pi * 0.7 * even / 1e3)
        off = sway[:7] - np.polyval(np.polyfit(np.arange(7), sway[:7], 1), np.arange(7))
        found = self.measured(self.click(), even + sway, -6, -3)
        self.assertIsNone(found.growth_ms)
        self.assertAlmostEqual(found.wander_ms, np.abs(off).max(), delta=0.02)
        steady = self.measured(self.click(), even, -6, -3)
        self.assertLess(steady.wander_ms, 0.005)

    def test_delays_shorter_than_a_hit(self):
        for ms in (8.3, 15.2, 25.4, 35.7):
            with self.subTest(ms):
                found = self.measured(self.click(), np.arange(1, 12) * ms, -6, -3)
                self.assertAlmostEqual(found.time_ms, ms, delta=0.01)
                self.assertAlmostEqual(found.first_repeat_db, -6, delta=0.2)
                self.assertEqual(len(found.repeats), 11)
        # A burst that is longer than the delay cannot be told from its repeats.
        for ms in (8.3, 15.2):
            with self.subTest(burst=ms), self.assertRaises(MeasureError):
                self.measured(self.burst(), np.arange(1, 12) * ms, -6, -3)


class Alone(Trains):
    def phrase(self, seed: int) -> np.ndarray:
        sound = Notes(3, seed).at(np.arange(3 * RATE) / RATE).mean(axis=1)
        sound[-480:] *= np.linspace(1, 0, 480)
        return sound

    def test_a_phrase_is_read_from_its_end(self):
        for seed, ms, first, each in (
            (1, 319.149, -6.5, -3.4), (5, 120.7, -4, -5), (3, 500.3, -8, -2), (1, 250.0, -3, -6),
        ):  # fmt: skip
            with self.subTest(ms):
                times = np.arange(1, int(8900 / ms)) * ms
                levels = first + each * np.arange(len(times))
                found = self.measured(
                    self.phrase(seed), times[levels > -90], first, each, seconds=9
                )
                self.assertAlmostEqual(found.time_ms, ms, delta=0.1)
                self.assertAlmostEqual(found.feedback_db, each, delta=0.2)
                if found.first_repeat_db is not None:
                    self.assertAlmostEqual(found.first_repeat_db, first, delta=0.2)
                self.assertEqual([r.what for r in found.refused][:2], ["repeats", "mode"])

    def test_a_filtered_loop_behind_a_phrase_is_told_by_octave_or_not_at_all(self):
        sos = scipy.signal.butter(1, 4000, fs=RATE, output="sos")
        for seed in (1, 3):
            found = self.measured(
                self.phrase(seed), np.arange(1, 24) * 350.2, -6, -3, sos=sos, seconds=9
            )
            self.assertAlmostEqual(found.time_ms, 350.2, delta=0.1)
            if found.feedback_db is not None:
                self.assertAlmostEqual(found.feedback_db, -3, delta=0.2)
            self.assertIsNone(found.first_repeat_db)

    def test_what_does_not_end_in_repeats_is_refused_and_not_guessed_at(self):
        t = np.arange(3 * RATE) / RATE
        tone = np.sin(2 * np.pi * 110 * t) * np.exp(-t)
        goes_on = Notes(8, 2).at(np.arange(8 * RATE) / RATE).mean(axis=1)
        for name, sound, why in (
            ("dry alone", np.pad(self.phrase(1), (0, 2 * RATE)), "not a click"),
            ("a phrase that goes on", goes_on, "record on until"),
            ("a tone", tone, "steady tone"),
        ):
            with self.subTest(name), self.assertRaisesRegex(MeasureError, why):
                measure_delay(self.file("d.wav", sound + self.noise(sound.shape, -84)))
