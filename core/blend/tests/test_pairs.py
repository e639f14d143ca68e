"""Inserts back to pairs, bursts, detector gain, three channels: properties and worked figures."""

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from core.blend import (
    InsertRequest,
    ParallelSettings,
    StereoRequest,
    insert_view,
    law_gains,
    parallel_db,
    parallel_view,
    stereo_view,
)
from core.blend.laws import LAWS
from core.errors import FonodromeError


def linear(db):
    return 0.0 if db is None else 10 ** (db / 20)


class BackToAPair(unittest.TestCase):
    @given(st.sampled_from(LAWS), st.floats(2, 98), st.floats(-20, 10), st.floats(20, 100))
    def test_the_pair_has_the_gains_of_the_insert_or_cannot_be(self, law, mix, trim, device):
        request = InsertRequest(law=law, mix_percent=mix, trim_db=trim, device_mix_percent=device)
        out = insert_view(request)
        dry, wet = (10 ** (trim / 20) * g for g in law_gains(law, mix / 100))
        p = device / 100
        if out.impossible:
            self.assertLess(dry, wet * (1 - p) / p)
            return
        d, w = linear(out.dry_db), linear(out.wet_db)
        self.assertAlmostEqual(d + w * (1 - p), dry, delta=1e-5)
        self.assertAlmostEqual(w * p, wet, delta=1e-9)
        for row in out.rows:
            made = [10 ** (row.trim_db / 20) * g for g in law_gains(row.law, row.mix_percent / 100)]
            self.assertAlmostEqual(made[0], dry, delta=1e-6)
            self.assertAlmostEqual(made[1], wet, delta=1e-6)

    def test_the_null_to_expect_is_that_of_the_faders_steps(self):
        out = insert_view(InsertRequest(mix_percent=40, level_step_db=0.5))
        made = (linear(out.set_dry_db), linear(out.set_wet_db))
        left = math.hypot(made[0] - 0.6, made[1] - 0.4) / math.hypot(0.6, 0.4)
        self.assertAlmostEqual(out.null_db, 20 * math.log10(left), places=6)
        with self.assertRaisesRegex(FonodromeError, "no mix law"):
            insert_view(InsertRequest(law="round"))
        dead = insert_view(InsertRequest(device_mix_percent=0))
        self.assertIn("nothing wet comes out", dead.impossible)


class Bursts(unittest.TestCase):
    def test_a_burst_overshoots_by_what_the_attack_lets_through_and_settles_on_the_curve(self):
        slow = ParallelSettings(
            threshold_db=-30, ratio=4, knee_db=0, attack_ms=20, dry_db=0, wet_db=0
        )
        out = parallel_view(slow).burst
        # 20 dB above the threshold, 4:1: 15 dB come off in the end.
        self.assertAlmostEqual(out.overshoot_db, 15, delta=0.6)
        self.assertAlmostEqual(out.compressor_db[145], -25, delta=0.05)
        self.assertAlmostEqual(out.sum_db[145], parallel_db(-10, slow), delta=0.05)
        # After one attack time 63 % are taken.
        at = round((60 + 20) / out.step_ms)
        self.assertAlmostEqual(-10 - out.compressor_db[at], 15 * (1 - math.exp(-1)), delta=0.6)
        fast = parallel_view(slow.model_copy(update={"attack_ms": 0.1})).burst
        self.assertLess(fast.overshoot_db, 1)
        self.assertLess(out.sum_overshoot_db, out.overshoot_db)

    def test_gain_into_the_detector_lowers_the_threshold_by_as_much(self):
        plain = ParallelSettings(threshold_db=-42, ratio=3)
        driven = ParallelSettings(threshold_db=-30, ratio=3, detector_db=12)
        for level in (-60, -40, -20, -5):
            self.assertEqual(parallel_db(level, plain), parallel_db(level, driven))
        out = parallel_view(driven)
        self.assertEqual(out.reaches_db, -42)
        self.assertTrue(any("works from \u221242 dBFS" in c for c in out.cautions))


class ThreeChannels(unittest.TestCase):
    def test_two_wet_sides_beside_a_dry_centre(self):
        out = stereo_view(StereoRequest(wet_side_db=-9, wanted_wet_db=-4, sides_correlation=0))
        self.assertAlmostEqual(out.wet_db, -9 + 3.0103, places=3)
        self.assertAlmostEqual(out.mono_wet_db, -9, places=3)
        self.assertAlmostEqual(out.side_needed_db, -7.0103, places=3)
        alike = stereo_view(StereoRequest(wet_side_db=-9, sides_correlation=1))
        self.assertAlmostEqual(alike.mono_wet_db, alike.wet_db, places=6)
        against = stereo_view(StereoRequest(wet_side_db=-9, sides_correlation=-1))
        self.assertLess(against.mono_wet_db, -60)

    def test_width_and_pan(self):
        out = stereo_view(StereoRequest(width_percent=0, pan_percent=0))
        self.assertIsNone(out.width_side_db)
        self.assertAlmostEqual(out.width_mono_db, 3.0103, places=3)
        centres = {p.law: p.left_db for p in out.pans}
        for law, level in (("-3", -3.0103), ("-6", -6.0206), ("-4.5", -4.5154), ("0", 0.0)):
            self.assertAlmostEqual(centres[law], level, places=3)
        hard = {p.law: p for p in stereo_view(StereoRequest(pan_percent=100)).pans}
        self.assertIsNone(hard["-3"].left_db)
        self.assertAlmostEqual(hard["-3"].mono_db, -3.0103, places=3)
        self.assertAlmostEqual(hard["-6"].mono_db, 0, places=6)
