"""A clip under a parallel compressor and under ducking, against what the curves say."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.blend import (
    LevelRequest,
    ParallelSettings,
    StereoRequest,
    level_view,
    local_slope,
    parallel_db,
    parallel_view,
    stereo_view,
)  # fmt: skip
from core.blend.equal import BlendRequest, blend_view
from core.errors import FonodromeError
from core.render.ducking import DuckingSettings, DuckingTail, fit_ducking, measure_ducking
from core.render.simulate import measure_parallel
from core.space.gaps import Phrase

RATE = 48_000


class Clips(unittest.TestCase):
    def clip(self, sound: np.ndarray, rate: int = RATE) -> Path:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        path = Path(held.name) / "a.wav"
        soundfile.write(path, sound, rate, subtype="FLOAT")
        return path


class Parallel(Clips):
    def test_the_slope_is_the_derivative_of_the_curve(self):
        for s in (
            ParallelSettings(),
            ParallelSettings(ratio=10, knee_db=0.5, wet_db=4, makeup_db=6),
        ):
            for x in (-60.0, -34.2, -30.0, -12.0):
                numerical = (parallel_db(x + 1e-4, s) - parallel_db(x - 1e-4, s)) / 2e-4
                self.assertAlmostEqual(local_slope(x, s), numerical, places=4)

    def test_the_drawn_pair(self):
        # Dry -3.0, 4:1 from -34 without a knee, return +2.2: quiet +6.0, equal at -27.1.
        out = parallel_view(ParallelSettings(knee_db=0, dry_db=-3, wet_db=2.2))
        self.assertAlmostEqual(out.quiet_boost_db, 6.0, delta=0.05)
        self.assertAlmostEqual(out.equal_at_db, -27.1, delta=0.05)
        self.assertAlmostEqual(out.equal_ratio, 1.6, delta=0.05)
        self.assertAlmostEqual(out.most_ratio, 1.9, delta=0.05)
        with self.assertRaisesRegex(FonodromeError, "no sum"):
            parallel_view(ParallelSettings(dry_db=-120, wet_db=-120))

    def test_a_steady_clip_gains_what_the_curve_says(self):
        steady = 10 ** (-20 / 20) * np.sign(np.sin(2 * np.pi * 200 * np.arange(2 * RATE) / RATE))
        s = ParallelSettings(attack_ms=1, dry_db=-3, wet_db=0)
        found = measure_parallel(self.clip(steady), "a", s)
        change = found.after.loudness_lufs - found.before.loudness_lufs
        self.assertAlmostEqual(change, parallel_db(-20, s) + 20, delta=0.1)
        self.assertAlmostEqual(found.match_db, -change, places=6)
        self.assertEqual(max(zip(found.histogram, found.histogram_db, strict=True))[1], -20)

    def test_loud_and_quiet_come_nearer_and_silence_is_said(self):
        rng = np.random.default_rng(1)
        shape = np.where(np.arange(12 * RATE) // (3 * RATE) % 2, 0.04, 0.2)
        s = ParallelSettings(threshold_db=-44, ratio=6, attack_ms=1, dry_db=-6, makeup_db=20)
        found = measure_parallel(self.clip(shape * rng.standard_normal(12 * RATE)), "a", s)
        self.assertLess(found.after.range_lu, found.before.range_lu - 2.5)
        quiet = measure_parallel(self.clip(np.zeros(RATE)), "a", s)
        self.assertIn("silent", quiet.cautions[0])
        self.assertIsNone(quiet.before.loudness_lufs)


class Stretch(Clips):
    """A clip that lasts longer than can be waited for: figures are of its first two minutes, and say so."""

    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(3)
        bursts = (np.arange(150 * 8_000) // 8_000 % 3 > 0) * 0.2
        cls.sound = bursts * rng.standard_normal(150 * 8_000)
        # What comes after the stretch is 12 dB louder: no figure may know of it.
        cls.sound[120 * 8_000 :] *= 4

    def both(self, measure):
        whole, cut = (self.clip(part, 8_000) for part in (self.sound, self.sound[: 120 * 8_000]))
        return measure(whole), measure(cut)

    def test_parallel_compression_and_ducking_are_those_of_the_stretch(self):
        long, short = self.both(lambda path: measure_parallel(path, "a", ParallelSettings()))
        self.assertEqual(long.seconds, 120)
        self.assertEqual(long, short)
        phrases = [Phrase(start_s=s, end_s=s + 2) for s in range(1, 149, 3)]
        settings = DuckingSettings(way="key", depth_db=9)
        long, short = self.both(lambda path: measure_ducking(path, "a", settings, phrases, -20))
        self.assertEqual((long.seconds, len(long.gain_db)), (120, 6_000))
        self.assertEqual(long, short)
        # Entries are read at phrases within it: 1, 4 ... 118 s are 40 phrases, 39 after a gap.
        self.assertEqual(len(long.at_entries_db), 39)
        long, short = self.both(lambda path: fit_ducking(path, "a", settings, "envelope", -20))
        self.assertEqual(long, short)

    def test_more_samples_a_second_are_a_shorter_stretch(self):
        path = self.clip(np.full(96_000 * 61, 0.1, np.float32), 96_000)
        self.assertEqual(measure_parallel(path, "a", ParallelSettings()).seconds, 60)


class Releases(Clips):
    def test_a_short_release_pumps_between_hits_and_a_long_one_holds(self):
        t = np.arange(4 * RATE) / RATE
        hits = np.exp(-12 * (t % 0.5)) * np.sin(2 * np.pi * 180 * t)
        path = self.clip(0.5 * hits)
        short, long = (
            measure_parallel(
                path, "a", ParallelSettings(threshold_db=-30, ratio=6, attack_ms=1, release_ms=r)
            )
            for r in (60, 3000)
        )
        self.assertGreater(short.hits, 6)
        self.assertGreater(short.released_percent, 80)
        self.assertIn("pumps", short.release_said)
        self.assertLess(long.released_percent, 30)
        self.assertIn("holds", long.release_said)
        self.assertGreater(short.pumping_db, long.pumping_db + 5)

    def test_the_noise_between_notes_is_lifted_by_the_quiet_boost(self):
        sound = 1e-4 * np.random.default_rng(2).standard_normal(4 * RATE)
        sound[RATE : 2 * RATE] += 0.3 * np.sin(np.arange(RATE) / 20)
        s = ParallelSettings(threshold_db=-40, ratio=4, dry_db=0, wet_db=0, makeup_db=12)
        out = measure_parallel(self.clip(sound), "a", s)
        self.assertAlmostEqual(out.floor_dbfs, -80, delta=0.6)
        self.assertAlmostEqual(out.floor_lift_db, 20 * np.log10(1 + 10 ** (12 / 20)), delta=0.01)
        self.assertTrue(any("noise and spill" in c for c in out.cautions))
        # The loud second, and the release after it.
        self.assertTrue(25 <= out.reduced_percent <= 40, out.reduced_percent)


class Ducked(Clips):
    PHRASES = [Phrase(start_s=0.5, end_s=1.5), Phrase(start_s=2.5, end_s=3.5)]

    def key(self) -> Path:
        sound = np.zeros(4 * RATE)
        for p in self.PHRASES:
            at = slice(round(p.start_s * RATE), round(p.end_s * RATE))
            sound[at] = 0.3 * np.sin(2 * np.pi * 300 * np.arange(at.stop - at.start) / RATE)
        return self.clip(sound)

    def test_each_way_goes_down_under_phrases_and_comes_back_between(self):
        for settings, low in (
            (DuckingSettings(way="key", depth_db=12, release_ms=100), -12),
            (
                DuckingSettings(
                    way="envelope", sensitivity_percent=60, follower_gain_db=30, release_ms=100
                ),
                -8,
            ),
            (DuckingSettings(way="compressor", threshold_db=-30, ratio=4, release_ms=100), -14),
        ):
            out = measure_ducking(self.key(), "a", settings, self.PHRASES, -20)
            with self.subTest(settings.way):
                middle = out.gain_db[round(1.2 / 0.02)]
                self.assertAlmostEqual(middle, low, delta=1.2)
                self.assertAlmostEqual(out.gain_db[round(2.4 / 0.02)], 0, delta=0.2)
                self.assertLess(out.in_phrases_db, out.in_gaps_db - 3)
                self.assertLess(out.recovery_s, 0.35)
                self.assertGreater(out.recovery_s, 0.05)
                self.assertAlmostEqual(out.at_entries_db[0], 0, delta=0.2)

    def test_below_nothing_is_said_to_be_inverted(self):
        over = DuckingSettings(
            way="envelope", sensitivity_percent=180, follower_gain_db=40, below_zero=True
        )
        self.assertTrue(measure_ducking(self.key(), "a", over, self.PHRASES, -20).inverted)

    def test_one_way_is_made_like_another_and_says_what_is_left(self):
        target = DuckingSettings(way="key", depth_db=9, attack_ms=20, release_ms=200)
        # A steady key: every way can hold 9 dB there; the edges differ a little.
        for way in ("envelope", "compressor"):
            with self.subTest(way):
                fit = fit_ducking(self.key(), "a", target, way, -20)
                self.assertEqual(fit.settings.way, way)
                self.assertLess(fit.difference_db, 1.0)
                out = measure_ducking(self.key(), "a", fit.settings, self.PHRASES, -20)
                self.assertAlmostEqual(out.gain_db[round(1.2 / 0.02)], -9, delta=0.8)
        again = fit_ducking(self.key(), "a", target, "key", -20)
        self.assertLess(again.difference_db, 0.2)
        self.assertAlmostEqual(again.settings.depth_db, 9, delta=0.3)
        shape = fit_ducking(self.key(), "a", target, "shape", -20)
        self.assertGreater(shape.difference_db, 2)
        self.assertIn("another movement", shape.sentence)
        silent = self.clip(np.zeros(RATE))
        with self.assertRaisesRegex(FonodromeError, "silent"):
            fit_ducking(silent, "a", target, "envelope", -20)

    def test_a_pre_gain_is_solved_and_the_ratio_of_wet_to_dry_follows_the_tail(self):
        settings = DuckingSettings(
            way="envelope", sensitivity_percent=50, follower_gain_db=0, attack_ms=5, release_ms=100
        )
        out = measure_ducking(self.key(), "a", settings, self.PHRASES, -20)
        solved = settings.model_copy(update={"follower_gain_db": out.solved_follower_gain_db})
        full = measure_ducking(self.key(), "a", solved, self.PHRASES, -20)
        self.assertAlmostEqual(full.gain_db[round(1.2 / 0.02)], 20 * np.log10(0.5), delta=0.1)
        self.assertGreater(out.gain_db[round(1.2 / 0.02)], -3)
        # Not ducked, a long note's tail comes to its start; after it falls by 60 dB in RT60.
        tail = DuckingTail(rt60_s=0.5, pre_delay_s=0, start_db=-6)
        off = DuckingSettings(way="key", depth_db=0)
        free = measure_ducking(self.key(), "a", off, self.PHRASES, -20, tail=tail)
        self.assertAlmostEqual(free.ratio_db[round(1.4 / 0.02)], -6, delta=0.2)
        self.assertLess(free.ratio_in_gaps_db, free.ratio_in_phrases_db)
        ducked = measure_ducking(
            self.key(), "a", DuckingSettings(way="key", depth_db=12), self.PHRASES, -20, tail=tail
        )
        self.assertAlmostEqual(free.ratio_in_phrases_db - ducked.ratio_in_phrases_db, 12, delta=1.5)
        # Keyed by another clip, silent but for its beginning.
        burst = np.zeros(4 * RATE)
        burst[: RATE // 2] = 0.3
        other = measure_ducking(
            self.key(), "a", DuckingSettings(way="key", depth_db=12, release_ms=50), self.PHRASES, -20,
            key=(self.clip(burst), "b"),
        )  # fmt: skip
        self.assertLess(other.gain_db[round(0.4 / 0.02)], -11)
        self.assertAlmostEqual(other.gain_db[round(1.2 / 0.02)], 0, delta=0.1)


class Equal(unittest.TestCase):
    def test_the_drawn_insert(self):
        # Wet -2.5 against dry: linear 42.9 %, +4.86; nearest settings null at -45.9.
        out = blend_view(BlendRequest())
        rows = {r.law: r for r in out.rows}
        self.assertAlmostEqual(rows["linear"].mix_percent, 42.9, delta=0.05)
        self.assertAlmostEqual(rows["linear"].trim_db, 4.86, delta=0.01)
        self.assertAlmostEqual(rows["linear"].null_db, -45.9, delta=0.05)
        self.assertAlmostEqual(rows["equal-power"].trim_db, 1.94, delta=0.01)
        self.assertAlmostEqual(rows["full"].mix_percent, 37.5, delta=0.05)

    def test_what_breaks_it_is_said_first(self):
        out = blend_view(BlendRequest(latency_apart_ms=2, moving=True))
        self.assertFalse(out.exact)
        self.assertIn("2 ms later", out.sentence)
        leak = blend_view(BlendRequest(device_mix_percent=32)).leak_db
        self.assertGreater(leak, 3)
        with self.assertRaisesRegex(FonodromeError, "turned off"):
            blend_view(BlendRequest(dry_db=-120, wet_db=-120))


class Sides(unittest.TestCase):
    def test_the_drawn_comb_has_its_notches(self):
        out = stereo_view(StereoRequest(apart_ms=9))
        np.testing.assert_allclose(out.notches_hz[:3], [55.56, 166.67, 277.78], atol=0.01)
        self.assertIsNone(out.notch_db)
        lowest = out.response_hz[int(np.argmin(out.response_db[:200]))]
        self.assertAlmostEqual(lowest, 55.56, delta=2)
        self.assertTrue(out.fused)
        turned = stereo_view(StereoRequest(apart_ms=9, inverted=True, level_db=-6))
        self.assertAlmostEqual(turned.notches_hz[0], 111.11, delta=0.01)
        self.assertAlmostEqual(turned.notch_db, -6.04, delta=0.02)

    def test_levels_convert_there_and_back(self):
        for unit, field in (("dBFS", "dbfs"), ("dBu", "dbu"), ("dBV", "dbv")):
            out = level_view(LevelRequest(value=-12.5, unit=unit, full_scale_dbu=20))
            self.assertAlmostEqual(getattr(out, field), -12.5, places=9)
        self.assertAlmostEqual(
            level_view(LevelRequest(value=0, unit="dBu")).volts, 0.7746, places=4
        )
