"""The parts of the null test by themselves: filter, bands, search, sentences, signals made again."""

import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.signal
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from core.errors import MeasureError
from core.measure import Limit, NullOptions, Region, judge, judged, null_test
from core.measure.align import search
from core.measure.bands import BandMeter, third_octave_centres_hz
from core.measure.fractional import HALF_TAPS, FractionalReader, delay_taps
from core.measure.matched import MatchedAudio
from core.measure.report import grid_bits
from core.measure.tests.pairs import RATE, band_limited, faded, moved, write


class Filter(unittest.TestCase):
    def test_it_is_a_pure_delay_up_to_20_khz(self):
        for fraction in (0.37, -0.5, 0.001):
            hz, response = scipy.signal.freqz(delay_taps(fraction), worN=4096, fs=RATE)
            wanted = np.exp(-2j * np.pi * hz / RATE * (HALF_TAPS + fraction))
            error = np.abs(response - wanted)[hz <= 20_000]
            self.assertLess(20 * np.log10(error.max()), -130)

    def test_blocks_join_without_a_seam(self):
        rng = np.random.default_rng(2)
        x = rng.standard_normal((2, 60_000 + 2 * HALF_TAPS))
        reader = FractionalReader(0.25)
        whole = reader.apply(x).copy()
        first = reader.apply(x[:, : 33_333 + 2 * HALF_TAPS]).copy()
        rest = reader.apply(x[:, 33_333:]).copy()
        np.testing.assert_allclose(np.concatenate([first, rest], axis=1), whole, atol=1e-12)


class BandsAlone(unittest.TestCase):
    @settings(max_examples=15, deadline=None)
    @given(st.lists(st.integers(1, 60_000), min_size=1, max_size=5), st.integers(0, 99))
    def test_the_powers_add_up_to_the_energy_however_it_is_cut(self, sizes, seed):
        rng = np.random.default_rng(seed)
        meter = BandMeter(2, RATE, np.dtype(np.float64))
        energy = 0.0
        for size in sizes:
            block = rng.standard_normal((2, size))
            energy += float((block**2).sum())
            meter.push(block)
        self.assertAlmostEqual(meter.spectrum().sum() / energy, 1.0, places=9)

    def test_every_second_window_tells_the_same_spectrum_of_steady_sound(self):
        rng = np.random.default_rng(6)
        sound = rng.standard_normal((1, 40 * RATE))
        bands = []
        for sparse in (False, True):
            meter = BandMeter(1, RATE, np.dtype(np.float64), sparse=sparse)
            for start in range(0, sound.shape[1], 50_001):
                meter.push(sound[:, start : start + 50_001])
            energy = meter.spectrum()
            bands.append(10 * np.log10(meter.third_octaves(energy / energy.sum())))
        self.assertLess(np.abs(bands[0] - bands[1])[10:].max(), 0.35)

    def test_centres_follow_the_rate(self):
        centres = third_octave_centres_hz(44_100)
        self.assertAlmostEqual(centres[0], 25.1189, places=3)
        self.assertAlmostEqual(centres[-1], 19_952.6, places=0)
        self.assertLess(third_octave_centres_hz(8_000)[-1], 4_000)

    def test_windows_are_long_enough(self):
        for rate in (8_000, 44_100, 48_000, 192_000):
            meter = BandMeter(1, rate, np.dtype(np.float32))
            self.assertGreaterEqual(meter.size / rate, 0.4)


class Searching(unittest.TestCase):
    @settings(max_examples=15, deadline=None)
    @given(st.floats(-900, 900), st.sampled_from([1, -1]), st.integers(0, 50))
    def test_the_best_lag_is_the_one_that_was_made(self, lag, sign, seed):
        a = faded(band_limited(1.2, seed, channels=1), 2000)
        b = sign * moved(a, lag)
        n, reach = 40_000, 1000
        start = 5_000
        window = a[start : start + n, 0]
        around = b[start - reach : start + n + reach, 0]
        found, height = search(window, around, reach)[0]
        self.assertAlmostEqual(found, lag, delta=0.05)
        self.assertGreater(height, 0.99)


class Grid(unittest.TestCase):
    def test_the_word_length_that_all_samples_fit_into(self):
        rng = np.random.default_rng(5)
        for bits in (8, 16, 20, 24):
            steps = 2 ** (bits - 1)
            block = np.round(rng.uniform(-0.9, 0.9, (2, 5000)) * steps) / steps
            self.assertEqual(grid_bits(block, None), bits)
        self.assertIsNone(grid_bits(rng.standard_normal((1, 5000)), None))
        self.assertEqual(grid_bits(rng.standard_normal((1, 5000)), 16), 16)


class Words(unittest.TestCase):
    """Sentences and limits on one real measurement, bent into every verdict."""

    @classmethod
    def setUpClass(cls):
        with tempfile.TemporaryDirectory() as folder:
            a = faded(band_limited(2, 30))
            paths = [write(Path(folder), f"{n}.wav", s) for n, s in (("a", a), ("b", a * 0.8))]
            cls.found = null_test(*paths)

    def bent(self, **changes):
        return self.found.model_copy(update={"bit_identical": False, **changes})

    def test_the_scale(self):
        for depth, verdict in [
            (-3, "unrelated"),
            (-10, "related"),
            (-29.9, "related"),
            (-30, "changed"),
            (-60, "nearly_same"),
            (-89.99, "nearly_same"),
            (-90, "same"),
            (-140, "same"),
        ]:
            bent = self.bent(null_depth_db=float(depth), within_rounding=False)
            self.assertEqual(judge(bent, Limit()).verdict, verdict, depth)
            # Once causes were looked for, far apart is not different material: that is said only
            # where nothing relates the two.
            known = bent.model_copy(update={"explained": True})
            wanted = "related" if verdict == "unrelated" else verdict
            self.assertEqual(judge(known, Limit()).verdict, wanted, depth)
            apart = known.model_copy(update={"related": False})
            self.assertEqual(judge(apart, Limit()).verdict, "unrelated", depth)

    def test_the_sentence_carries_the_numbers(self):
        bent = self.bent(null_depth_db=-97.2, within_rounding=False, gain_db=-0.42)
        self.assertEqual(
            judge(bent, Limit()).sentence,
            "Same sound, 0.42 dB apart: matched, the residual is 97 dB down.",
        )
        bent = self.bent(
            null_depth_db=-41.0, within_rounding=False, gain_db=0.0, offset_samples=-1.0
        )
        self.assertEqual(
            judge(bent, Limit()).sentence,
            "Same part, changed sound, 1 sample early: matched, the residual is 41 dB down.",
        )

    def test_limits_of_both_kinds(self):
        bent = self.bent(null_depth_db=-85.0, residual_rms_dbfs=-105.0, within_rounding=False)
        for limit, passed in [
            (Limit(value_db=85), True),
            (Limit(value_db=85.1), False),
            (Limit(kind="dbfs", value_db=105), True),
            (Limit(kind="dbfs", value_db=106), False),
        ]:
            self.assertEqual(judge(bent, limit).passed, passed, limit)

    def test_the_flat_result_is_both(self):
        result = judged(self.found, Limit())
        self.assertEqual(result.offset_samples, self.found.offset_samples)
        self.assertEqual(result.verdict, judge(self.found, Limit()).verdict)
        self.assertNotIn("NaN", result.model_dump_json())


class MadeAgain(unittest.TestCase):
    """What is heard and downloaded is the subtraction that was measured."""

    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def signals(self, a, b, options, found, **part):
        out = {}
        for which in ("a", "b", "residual"):
            audio = MatchedAudio(a, b, options, found, which, **part)
            data = b"".join(audio.wav())
            self.assertEqual(len(data), audio.size_bytes)
            out[which] = soundfile.read(io.BytesIO(data), always_2d=True)[0]
        return out

    def test_of_a_region_late_by_a_part_of_a_sample(self):
        sound = faded(band_limited(5, 31))
        a = write(self.folder, "a.wav", sound)
        b = write(self.folder, "b.wav", -moved(sound, 40.37) + 1e-3 * band_limited(5, 32))
        options = NullOptions(region_a=Region(start_s=1, length_s=3), region_b=Region(start_s=1))
        found = null_test(a, b, options)
        heard = self.signals(a, b, options, found)
        np.testing.assert_allclose(heard["a"] - heard["b"], heard["residual"], atol=3e-7)
        level = 10 * np.log10(np.mean(heard["residual"] ** 2))
        self.assertAlmostEqual(level, found.residual_rms_dbfs, places=2)
        part = self.signals(a, b, options, found, start_s=0.5, length_s=0.5)
        np.testing.assert_allclose(part["residual"], heard["residual"][24_000:48_000], atol=3e-7)
        with self.assertRaisesRegex(MeasureError, "outside what was compared"):
            MatchedAudio(a, b, options, found, "a", start_s=50)

    def test_of_files_at_different_rates(self):
        sound = faded(band_limited(4, 33, top_hz=16_000))
        a = write(self.folder, "a.wav", sound)
        double = scipy.signal.resample(sound, 2 * len(sound))
        b = write(self.folder, "b.wav", double * 0.5, rate=2 * RATE)
        found = null_test(a, b)
        heard = self.signals(a, b, NullOptions(), found, start_s=1.0, length_s=1.0)
        power = np.mean(heard["residual"] ** 2) / np.mean(heard["a"] ** 2)
        self.assertLess(10 * np.log10(power), -80)
