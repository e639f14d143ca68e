"""The null test against pairs whose difference is known because it was made here."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.signal
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from core.causes import explained_test
from core.errors import AudioError, Cancelled, MeasureError
from core.measure import Limit, NullOptions, Region, judge, null_test
from core.measure.tests.pairs import RATE, band_limited, faded, moved, rounded_16, write


class PairCase(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def pair(self, a, b, *, subtypes=("FLOAT", "FLOAT"), rates=(RATE, RATE), options=NullOptions()):
        paths = [
            write(self.folder, f"{name}.wav", sound, subtype, rate)
            for name, sound, subtype, rate in zip("ab", (a, b), subtypes, rates, strict=True)
        ]
        return explained_test(*paths, options)

    def codes(self, found) -> set[str]:
        return {cause.code for cause in found.causes}


class KnownDifferences(PairCase):
    def test_a_late_fraction_nulls_a_hundred_down_and_more(self):
        a = faded(band_limited(6, 1))
        found = self.pair(a, moved(a, 0.37))
        self.assertLess(found.null_depth_db, -100)
        self.assertAlmostEqual(found.offset_samples, 0.37, places=5)
        self.assertEqual(self.codes(found), {"offset"})

    def test_every_step_says_what_it_bought(self):
        a = faded(band_limited(6, 2))
        found = self.pair(a, -moved(a, 12_000.25) * 10 ** (-3.37 / 20))
        self.assertAlmostEqual(found.offset_samples, 12_000.25, places=4)
        self.assertAlmostEqual(found.gain_db, -3.37, places=4)
        self.assertEqual(found.polarity, -1)
        depth = {step.id: step.null_db for step in found.steps}
        # Inverted and 3.37 dB down adds to |1 + 0.678|; turned upright it leaves |1 - 0.678|.
        self.assertAlmostEqual(depth["time"], 20 * np.log10(1 + 10 ** (-3.37 / 20)), places=2)
        self.assertAlmostEqual(depth["polarity"], 20 * np.log10(1 - 10 ** (-3.37 / 20)), places=2)
        self.assertLess(depth["gain"], -100)
        self.assertEqual(self.codes(found), {"level", "offset", "polarity"})
        said = judge(found, Limit()).sentence
        self.assertIn("3.37 dB apart, 12\u202f000.25 samples late and inverted", said)

    def test_identical_files_are_bit_identical_whatever_the_word_length(self):
        a = rounded_16(band_limited(3, 3), None)
        found = self.pair(a, a, subtypes=("PCM_16", "PCM_24"))
        self.assertTrue(found.bit_identical)
        self.assertIsNone(found.null_depth_db)
        self.assertIsNone(found.raw_null_db)
        self.assertTrue(judge(found, Limit()).passed)
        self.assertEqual(self.codes(found), {"identical"})

    def test_one_flipped_side_is_named_and_undone(self):
        a = band_limited(5, 4)
        found = self.pair(a, a * [1, -1])
        self.assertEqual([c.polarity for c in found.channels], [1, -1])
        self.assertTrue(found.bit_identical)
        gain_step = next(s for s in found.steps if s.id == "gain")
        self.assertGreater(gain_step.null_db, -3)
        self.assertIn("channel_polarity", self.codes(found))
        self.assertIn("right inverted", judge(found, Limit()).sentence)

    def test_swapped_sides(self):
        a = band_limited(5, 5)
        found = self.pair(a, a[:, ::-1])
        self.assertTrue(found.swapped and found.bit_identical)
        self.assertIn("channel_swap", self.codes(found))

    def test_sides_with_a_time_and_level_of_their_own(self):
        a = faded(band_limited(5, 6))
        b = np.stack([a[:, 0] * 0.8, moved(a[:, [1]], 31.5)[:, 0] * 0.7], axis=1)
        found = self.pair(a, b)
        self.assertLess(found.null_depth_db, -100)
        left, right = found.channels
        self.assertAlmostEqual(left.offset_samples, 0, places=4)
        self.assertAlmostEqual(right.offset_samples, 31.5, places=4)
        self.assertAlmostEqual(left.gain_db - right.gain_db, 20 * np.log10(8 / 7), places=3)

    def test_mono_against_stereo(self):
        a = band_limited(4, 7, channels=1)
        found = self.pair(np.repeat(a, 2, axis=1), a * 0.5)
        self.assertTrue(found.bit_identical)
        self.assertLessEqual({"level", "channels"}, self.codes(found))

    def test_unrelated_material(self):
        found = self.pair(band_limited(5, 8), band_limited(5, 9))
        result = judge(found, Limit())
        self.assertEqual((result.verdict, result.passed), ("unrelated", False))
        self.assertEqual(found.causes[0].code, "unrelated")
        self.assertEqual((found.offset_samples, found.gain_db, found.to_set), (None, None, []))

    def test_unrelated_short_noise_is_not_pushed_to_a_chance_peak(self):
        rng = np.random.default_rng(3)
        a = rng.standard_normal((24_000, 2)) * 0.1
        found = self.pair(a, a[::-1])
        self.assertGreater(found.compared_s, 0.4)
        self.assertEqual(judge(found, Limit()).verdict, "unrelated")

    def test_a_filtered_copy_is_changed_sound_and_the_filter_is_named(self):
        a = band_limited(5, 10)
        b = scipy.signal.lfilter([1, 0.2], [1], a, axis=0)
        found = self.pair(a, b)
        self.assertTrue(-60 < found.null_depth_db < -10)
        self.assertEqual(found.causes[0].code, "filter")
        self.assertLess(found.explained_db, -70)

    def test_periodic_material_takes_the_smallest_offset_and_says_so(self):
        t = np.arange(5 * RATE)
        tone = 0.2 * np.sin(2 * np.pi * t / 96) + 0.1 * np.sin(2 * np.pi * t / 48 + 1)
        a = tone[:, None]
        found = self.pair(a, np.roll(a, 20, axis=0))
        self.assertAlmostEqual(found.offset_samples, 20, places=3)
        self.assertLess(found.null_depth_db or -999, -100)
        self.assertTrue(found.ambiguous and found.ambiguous_offsets)
        self.assertTrue(any("repeats" in note for note in found.notes))

    def test_other_lengths_and_rates(self):
        a = faded(band_limited(4, 11, top_hz=18_000))
        b = scipy.signal.resample(a, len(a) * 2)[: -2 * RATE]
        found = self.pair(a, b, rates=(RATE, 2 * RATE))
        self.assertLess(found.null_depth_db, -80)
        self.assertAlmostEqual(found.offset_samples, 0, places=2)
        self.assertLessEqual({"rate", "length"}, self.codes(found))


class Rounding(PairCase):
    def test_two_roundings_null_to_the_floor_and_no_further(self):
        sound = band_limited(6, 12)
        a, b = rounded_16(sound, None), rounded_16(sound * 0.9, None)
        found = self.pair(a, b, subtypes=("PCM_16", "PCM_16"))
        step = 2.0**-15
        floor = 10 * np.log10(step**2 / 12 * (1 + 1 / 0.81))
        self.assertAlmostEqual(found.residual_rms_dbfs, floor, delta=0.3)
        self.assertEqual(judge(found, Limit()).verdict, "rounding")
        self.assertTrue(judge(found, Limit(value_db=90)).passed)

    def test_two_dithered_files_null_to_about_73_down(self):
        sound = band_limited(6, 13)
        found = self.pair(rounded_16(sound, 1), rounded_16(sound, 2), subtypes=("PCM_16", "PCM_16"))
        self.assertAlmostEqual(found.null_depth_db, -73.3, delta=0.5)
        self.assertEqual(judge(found, Limit()).verdict, "rounding")

    def test_a_change_above_the_floor_is_not_called_rounding(self):
        sound = band_limited(6, 14)
        hum = 3e-4 * np.sin(np.arange(len(sound)) * 2 * np.pi * 50 / RATE)[:, None]
        found = self.pair(
            rounded_16(sound, None), rounded_16(sound + hum, None), subtypes=("PCM_16", "PCM_16")
        )
        self.assertEqual(judge(found, Limit()).verdict, "changed")


class Measures(PairCase):
    def test_bands_and_frames_add_up_to_the_total(self):
        a = band_limited(5, 15, top_hz=15_000)
        found = self.pair(a, a + band_limited(5, 16, top_hz=15_000) * 0.01)
        self.assertAlmostEqual(found.residual_rms_dbfs, -60, delta=0.1)
        total = 10 * np.log10(sum(10 ** (v / 10) for v in found.bands.residual_dbfs))
        self.assertAlmostEqual(total, found.residual_rms_dbfs, delta=0.2)
        frames = [v for v in found.timeline.residual_dbfs if v is not None]
        self.assertTrue(min(frames) < found.residual_rms_dbfs < max(frames))

    def test_a_tone_lands_in_its_band(self):
        t = np.arange(4 * RATE)[:, None]
        a = band_limited(4, 17, channels=1)
        found = self.pair(a, a + 1e-3 * np.sin(2 * np.pi * 1000 * t / RATE))
        loudest = int(np.argmax([v or -400 for v in found.bands.residual_dbfs]))
        self.assertAlmostEqual(found.bands.centre_hz[loudest], 1000)
        self.assertAlmostEqual(found.bands.residual_dbfs[loudest], -63.0, delta=0.3)

    def test_the_limit_is_relative_or_in_dbfs_and_never_mixed(self):
        a = faded(band_limited(4, 18))
        found = self.pair(a, a + band_limited(4, 19) * 1e-4)
        # 80 dB down on a clip at -20 dBFS is a residual of -100 dBFS.
        self.assertAlmostEqual(found.null_depth_db, -80, delta=0.3)
        self.assertFalse(judge(found, Limit(kind="relative", value_db=90)).passed)
        self.assertTrue(judge(found, Limit(kind="dbfs", value_db=90)).passed)

    def test_regions_choose_what_is_compared(self):
        a = band_limited(8, 20)
        b = np.concatenate([band_limited(2, 21), a])
        options = NullOptions(
            search_s=0.5,
            region_a=Region(start_s=1, length_s=4),
            region_b=Region(start_s=3, length_s=4),
        )
        found = self.pair(a, b, options=options)
        self.assertTrue(found.bit_identical)
        self.assertEqual(found.offset_samples, 0)
        self.assertAlmostEqual(found.compared_s, 4)

    @settings(max_examples=8, deadline=None, suppress_health_check=list(HealthCheck))
    @given(
        offset=st.floats(-3000, 3000).map(lambda v: round(v, 3)),
        gain_db=st.floats(-20, 6),
        sign=st.sampled_from([1, -1]),
        seed=st.integers(0, 10_000),
    )
    def test_a_shifted_scaled_flipped_copy_gives_back_exactly_that(
        self, offset, gain_db, sign, seed
    ):
        a = faded(band_limited(3, seed))
        found = self.pair(a, sign * moved(a, offset) * 10 ** (gain_db / 20))
        self.assertAlmostEqual(found.offset_samples, offset, places=4)
        self.assertAlmostEqual(found.gain_db, gain_db, places=4)
        self.assertEqual(found.polarity, sign)
        self.assertTrue(found.null_depth_db is None or found.null_depth_db < -100)


class Refusals(PairCase):
    def test_silence_is_named_with_its_side(self):
        a = band_limited(2, 22)
        with self.assertRaisesRegex(MeasureError, "B .* is silent"):
            self.pair(a, a * 0)
        with self.assertRaisesRegex(MeasureError, "A .* is silent"):
            self.pair(a * 0, a)

    def test_too_little_to_measure(self):
        with self.assertRaisesRegex(MeasureError, "A is 1 sample long"):
            self.pair(band_limited(1, 23)[:1], band_limited(1, 23))

    def test_region_beyond_the_end(self):
        a = band_limited(2, 24)
        with self.assertRaisesRegex(MeasureError, "starts at 0:05.0, but .* lasts 0:02.0"):
            self.pair(a, a, options=NullOptions(region_a=Region(start_s=5)))

    def test_not_audio(self):
        path = self.folder / "letter.wav"
        path.write_text("Dear engineer")
        with self.assertRaisesRegex(AudioError, "not audio"):
            null_test(path, path)

    def test_cancelling_stops_at_the_next_block(self):
        a = band_limited(2, 25)
        paths = [write(self.folder, f"{n}.wav", a) for n in "ab"]

        def stop(share: float, stage: str) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            null_test(*paths, progress=stop)
