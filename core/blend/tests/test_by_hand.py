"""Figures of Blend worked out apart: found missing when the arithmetic was changed and no test noticed."""

import math
import unittest

from core.blend import ParallelSettings, parallel_view
from core.blend.laws import pan_gains, pan_position
from core.blend.stereo import StereoRequest, stereo_view


class Instead(unittest.TestCase):
    def test_a_plain_compressor_ends_where_the_sum_does(self):
        # Both paths at 0 dB, from -40 dBFS at 100:1 without a knee: quiet gains 6.02 dB; full scale comes
        # out of the copy at -39.6 dBFS, so the sum stands 0.09 dB above it.
        out = parallel_view(
            ParallelSettings(threshold_db=-40, ratio=100, knee_db=0, dry_db=0, wet_db=0)
        ).instead
        quiet, loud = 20 * math.log10(2), 20 * math.log10(1 + 10 ** (-39.6 / 20))
        self.assertAlmostEqual(out.makeup_db, quiet, places=3)
        self.assertAlmostEqual(out.ratio, 1 / (1 - (quiet - loud) / 40), places=3)
        self.assertAlmostEqual(out.out_db[-1], loud, places=2)
        # Where they differ most: the sum of the paths there, against the straight line from -40 dBFS.
        x = out.at_db
        here = 20 * math.log10(10 ** (x / 20) + 10 ** ((-40 + (x + 40) / 100) / 20))
        plain = -40 + (x + 40) / out.ratio + quiet
        self.assertAlmostEqual(out.most_apart_db, here - plain, places=2)
        self.assertLess(out.most_apart_db, -2)


class Sums(unittest.TestCase):
    def test_where_both_bring_the_same_the_sum_has_half_of_each_slope(self):
        # 4:1 from -30 dBFS with 9 dB of make-up: the copy is as loud as the dry sound 12 dB above the threshold.
        out = parallel_view(
            ParallelSettings(threshold_db=-30, ratio=4, knee_db=0, makeup_db=9, dry_db=0, wet_db=0)
        )
        self.assertAlmostEqual(out.equal_at_db, -18, delta=0.01)
        # There a decibel in is half of one and half of a quarter: 1 / (0.5 + 0.125).
        self.assertAlmostEqual(out.equal_ratio, 1.6, delta=0.01)


class Positions(unittest.TestCase):
    def test_a_position_is_found_again_from_its_gains_under_every_law(self):
        for law, gains in (
            ("-6", (0.25, 0.75)),
            ("0", (0.5, 1.0)),
            ("-3", (math.cos(0.75 * math.pi / 2), math.sin(0.75 * math.pi / 2))),
        ):
            with self.subTest(law):
                # Half-way to the right.
                self.assertAlmostEqual(pan_position(*gains, law), 0.5)
                self.assertAlmostEqual(pan_position(gains[1], gains[0], law), -0.5)
        for law in ("-6", "0", "-3", "-4.5"):
            for place in (-0.9, -0.3, 0.0, 0.2, 0.8):
                self.assertAlmostEqual(pan_position(*pan_gains(place, law), law), place, places=6)


class Notches(unittest.TestCase):
    def test_louder_or_softer_by_as_much_is_the_same_notch(self):
        # 6 dB apart: 1 - 0.501 of the louder is left in a notch, 1 + 0.501 of it on a peak.
        for level in (6.0, -6.0):
            out = stereo_view(StereoRequest(apart_ms=10, level_db=level))
            self.assertAlmostEqual(out.notch_db, 20 * math.log10(1 - 10 ** (-6 / 20)), places=6)
            self.assertAlmostEqual(out.peak_db, 20 * math.log10(1 + 10 ** (-6 / 20)), places=6)
            self.assertEqual([round(f) for f in out.notches_hz], [50, 150, 250, 350])


if __name__ == "__main__":
    unittest.main()
