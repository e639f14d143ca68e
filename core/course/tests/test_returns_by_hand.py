"""Returns at an output by hand: what each brings in every band, and when everything first arrives."""

import unittest

from core.course import returns_view
from core.routing import Context, parse_rig

RIG = """
s: source "Voice" > early: level "Desk" (latency 5 ms) > ways: split > sum: merge > o: output
ways > near: delay "Slap" (time 100 ms, feedback 0 %, mix 100 %) > sum [level -6 dB]
"""


class ByHand(unittest.TestCase):
    def setUp(self):
        self.out = returns_view(parse_rig(RIG), Context())

    def test_what_changes_no_band_is_level_in_every_band(self):
        bands = {one.name: one.power_db for one in self.out.bands}
        dry = bands.pop("dry")
        (wet,) = bands.values()
        self.assertGreater(len(dry), 10)
        # Against the dry sound as a whole: the dry sound 0 dB everywhere, a copy 6 dB down everywhere.
        for levels, wanted in ((dry, 0.0), (wet, -6.0)):
            self.assertLess(max(abs(level - wanted) for level in levels), 0.06, levels)

    def test_arrivals_count_from_the_first_whatever_all_of_them_wait_for(self):
        times = sorted((mark.kind, round(mark.time_ms, 2)) for mark in self.out.marks)
        self.assertEqual(times, [("dry", 0.0), ("echo", 100.0)])

    def test_headroom_is_what_is_left_under_the_outputs_own_ceiling(self):
        peaks = []
        for ceiling in (-1, -9):
            text = RIG.replace("o: output", f"o: output (ceiling {ceiling} dB)")
            out = returns_view(parse_rig(text), Context())
            self.assertAlmostEqual(out.headroom_db, ceiling - out.peak_dbfs)
            peaks.append(out.peak_dbfs)
        self.assertEqual(peaks[0], peaks[1])


if __name__ == "__main__":
    unittest.main()
