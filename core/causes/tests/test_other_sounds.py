"""Sounds that are not the catalogue's notes: tonal to the top of the band, hits, a low bass."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.fft
import scipy.signal
import soundfile

from core.causes import explained_test
from core.causes.families import BEFORE, TAPS, FilterFit, convolved
from core.causes.pair import MARGIN
from core.causes.tests.catalogue import bell
from core.measure.tests.pairs import write

RATE = 48_000


def pad(seconds: float) -> np.ndarray:
    """Steady partials under slow swells, with noise that reaches half the rate 34 dB under them."""
    rng = np.random.default_rng(31)
    t = np.arange(round(seconds * RATE)) / RATE
    x = 0.05 * rng.standard_normal(len(t))
    for k, hz in enumerate(rng.uniform(100, 900, 6)):
        swell = 1 + 0.5 * np.sin(2 * np.pi * rng.uniform(0.1, 0.5) * t + k)
        for h in range(1, 9):
            x += np.sin(2 * np.pi * hz * h * t + rng.uniform(0, 6.3)) / h**1.2 * swell
    return (0.4 * x / np.abs(x).max())[:, None]


def hits(seconds: float) -> np.ndarray:
    """Bursts of noise that reach their peak for a sample or two."""
    rng = np.random.default_rng(32)
    x = np.zeros(round(seconds * RATE))
    for start in range(0, len(x) - RATE // 2, RATE // 4):
        n = int(rng.uniform(0.05, 0.3) * RATE)
        burst = rng.standard_normal(n) * np.exp(-np.arange(n) / (n / 5))
        low = rng.uniform(100, 3000)
        band = scipy.signal.butter(2, [low, 3 * low], "bandpass", fs=RATE, output="sos")
        x[start : start + n] += scipy.signal.sosfilt(band, burst) * rng.uniform(0.3, 1)
    return (0.5 * x / np.abs(x).max())[:, None]


def bass(seconds: float) -> np.ndarray:
    """A saw between 41 and 73 Hz, plucked twice a second."""
    rng = np.random.default_rng(33)
    n = round(seconds * RATE)
    hz = np.repeat(rng.choice([41.2, 55.0, 61.7, 73.4], n // (RATE // 2) + 1), RATE // 2)[:n]
    saw = scipy.signal.sawtooth(2 * np.pi * np.cumsum(hz) / RATE)
    low = scipy.signal.butter(2, 1200, fs=RATE, output="sos")
    pluck = np.exp(-((np.arange(n) / RATE) % 0.5) * 4)
    return (0.4 * scipy.signal.sosfilt(low, saw) * pluck)[:, None]


def later(x: np.ndarray, samples: float) -> np.ndarray:
    """Moved by the phase of its whole spectrum: exact for what lies under half the rate."""
    size = scipy.fft.next_fast_len(len(x) + 8192, real=True)
    turn = np.exp(-2j * np.pi * np.arange(size // 2 + 1) / size * samples)
    moved = scipy.fft.irfft(scipy.fft.rfft(x, size, axis=0) * turn[:, None], size, axis=0)
    return moved[: len(x)]


class OtherSounds(unittest.TestCase):
    def found(self, a: np.ndarray, b: np.ndarray, subtype: str = "FLOAT"):
        with tempfile.TemporaryDirectory() as held:
            return explained_test(
                write(Path(held), "a.wav", a, subtype), write(Path(held), "b.wav", b, subtype)
            )

    def certain(self, found) -> set[str]:
        return {c.code for c in found.causes if c.sure == "certain"} - {"rounding", "length"}

    def test_reading_between_samples_is_no_cause(self):
        for make in (pad, hits):
            for subtype in ("FLOAT", "PCM_16"):
                x = make(5)
                found = self.found(x, -0.8 * later(x, 547.047), subtype)
                self.assertEqual(self.certain(found), {"offset", "polarity", "level"}, subtype)
                self.assertEqual({c.code for c in found.causes} - {"rounding"}, self.certain(found))
                self.assertAlmostEqual(found.offset_samples, 547.047, delta=0.01)
                self.assertAlmostEqual(found.gain_db, 20 * np.log10(0.8), delta=0.01)

    def test_a_filter_on_a_sound_of_few_lines(self):
        x = pad(6)
        found = self.found(x, bell(x, 4.2, 3200, 0.8))
        self.assertEqual([c.code for c in found.causes], ["filter"])
        figures = found.causes[0].figures
        self.assertAlmostEqual(figures["gain_db"], 4.2, delta=0.2)
        self.assertAlmostEqual(figures["hz"], 3200, delta=60)
        self.assertAlmostEqual(figures["q"], 0.8, delta=0.05)
        self.assertAlmostEqual(found.offset_samples, 0.0, delta=0.1)
        self.assertAlmostEqual(found.gain_db, 0.0, delta=0.05)

    def test_a_few_samples_at_the_ceiling_are_clipping(self):
        x = hits(5)
        ceiling = np.sort(np.abs(x[:, 0]))[-14]
        found = self.found(x, np.clip(x, -ceiling, ceiling))
        self.assertEqual(found.causes[0].code, "clipping")
        self.assertAlmostEqual(
            found.causes[0].figures["ceiling_dbfs"], 20 * np.log10(ceiling), delta=0.1
        )

    def test_a_hum_beside_a_bass_is_no_gain_over_time(self):
        x = bass(7)
        t = np.arange(len(x)) / RATE
        hum = sum(np.sin(2 * np.pi * 50 * h * t + h) / h for h in (1, 2, 3))
        level = 0.01 * float(np.sqrt(np.mean(x**2)))
        found = self.found(x, x + level * hum[:, None])
        self.assertNotIn("level_moves", self.certain(found))
        self.assertNotIn("dynamics", self.certain(found))
        self.assertEqual(found.causes[0].code, "added_sound")

    def test_a_real_codec_is_never_taken_for_something_else(self):
        x = np.concatenate([pad(6), hits(6)])
        with tempfile.TemporaryDirectory() as held:
            path = Path(held) / "b.ogg"
            with soundfile.SoundFile(
                path, "w", RATE, 1, "VORBIS", format="OGG", compression_level=0.9
            ) as out:
                for start in range(0, len(x), 4096):
                    out.write(x[start : start + 4096])
            y = soundfile.read(path, always_2d=True)[0][: len(x)]
        found = self.found(x[: len(y)], y)
        self.assertTrue(
            found.uncertain or found.causes[0].code == "codec", [c.title for c in found.causes]
        )
        self.assertLessEqual(self.certain(found), {"level", "offset"})


if __name__ == "__main__":
    unittest.main()


class Equations(unittest.TestCase):
    """The filter's fit against sums written out."""

    def setUp(self) -> None:
        rng = np.random.default_rng(6)
        self.wide = rng.standard_normal((2, 2 * MARGIN + 6000))
        self.fit = FilterFit(self.wide)

    def test_a_filter_goes_through_as_it_is_written(self):
        taps = np.zeros(TAPS)
        taps[[0, BEFORE, BEFORE + 7, TAPS - 1]] = 0.25, 1.0, -0.5, 0.125
        for row in range(2):
            for n in (0, 1, 2999, 5999):
                at = MARGIN + n + BEFORE - np.array([0, BEFORE, BEFORE + 7, TAPS - 1])
                want = float(np.array([0.25, 1.0, -0.5, 0.125]) @ self.wide[row, at])
                self.assertAlmostEqual(self.fit._through(taps)[row, n], want, places=9)
        np.testing.assert_allclose(
            self.fit._through(taps), convolved(self.wide, taps, BEFORE), atol=1e-9
        )

    def test_products_of_a_residual_under_every_tap(self):
        rest = np.random.default_rng(7).standard_normal((2, 6000))
        found = self.fit._against(rest)
        for k in (0, BEFORE, BEFORE + 31, TAPS - 1):
            first = MARGIN + BEFORE - k
            want = float((rest * self.wide[:, first : first + 6000]).sum())
            self.assertAlmostEqual(found[k], want, places=6)

    def test_a_known_filter_comes_back_tap_by_tap(self):
        taps = np.zeros(TAPS)
        taps[BEFORE : BEFORE + 5] = 0.9, -0.4, 0.2, 0.1, -0.05
        target = convolved(self.wide, taps, BEFORE)
        before = target.copy()
        found, made = self.fit.fit(target)
        np.testing.assert_allclose(found, taps, atol=1e-5)
        np.testing.assert_allclose(made, target, atol=1e-3)
        # What is given is left as it was.
        np.testing.assert_array_equal(target, before)
