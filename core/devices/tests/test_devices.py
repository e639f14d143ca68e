"""What a device can really be set to: steps, detents, dead zones, offsets, taps, clocks."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from core.devices import (
    SHIPPED,
    DeadZone,
    DeviceProfile,
    GlideRequest,
    ReachRequest,
    device_reach,
    glide,
    nearest_setting,
)
from core.units import TempoFrame

SONG = TempoFrame(tempo_bpm=94)


def device(**values) -> DeviceProfile:
    return DeviceProfile(**{"name": "d", "min_ms": 20, "max_ms": 1000, "step_ms": 1, **values})


class Settings(unittest.TestCase):
    def test_worked_numbers(self):
        for wanted, step, set_ms, error in ((478.723, 1, 479, 0.277), (212.77, 0.1, 212.8, 0.03)):
            found = nearest_setting(device(step_ms=step), wanted, 159.574)
            self.assertAlmostEqual(found.set_ms, set_ms)
            self.assertAlmostEqual(found.error_ms, error)

    def test_the_error_is_said_in_ms_and_in_shares_and_grows_with_each_repeat(self):
        # 479 ms for 478.723: 0.277 ms late, 0.0579 % of itself and 0.1736 % of a sixteenth of 159.574 ms.
        found = nearest_setting(device(step_ms=1), 478.723, 159.574)
        self.assertAlmostEqual(found.error_percent, 0.05786, places=4)
        self.assertAlmostEqual(found.error_of_sixteenth_percent, 0.17359, places=4)
        self.assertEqual([round(ms, 3) for ms in found.flam_ms[:3]], [0.277, 0.554, 0.831])
        # Eight times as much at the eighth, and in tenths of a millisecond from 10 ms on.
        self.assertIn("0.277 ms late at the first repeat, 2.216 ms at repeat 8", found.sentence)
        early = nearest_setting(device(step_ms=100), 545.4, 159.574)
        self.assertIn("25.4 ms early at the first repeat, 203.2 ms at repeat 8", early.sentence)

    def test_what_reads_long_is_set_short(self):
        # Reads 1.8 % short and adds 2 ms: to last 500 ms it has to read 489.2.
        found = nearest_setting(device(offset_percent=1.8, offset_ms=2), 500, 100)
        self.assertEqual(found.set_ms, 489)
        self.assertAlmostEqual(found.true_ms, 489 * 1.018 + 2)
        self.assertAlmostEqual(found.error_ms, found.true_ms - 500)
        self.assertAlmostEqual(
            nearest_setting(device(label_error_percent=2), 500, 100).tolerance_ms, 10
        )

    def test_both_ends_are_in_reach_and_what_lies_beyond_is_not(self):
        for wanted, reached in ((20, True), (1000, True), (19.99, False), (1000.01, False)):
            found = nearest_setting(device(), wanted, 100)
            self.assertEqual(found.in_reach, reached, wanted)
            said = "Set exactly" if reached else "d goes from 20 to 1\u202f000 ms"
            self.assertIn(said, found.sentence)

    def test_detents_and_dead_zones(self):
        self.assertEqual(nearest_setting(device(detents_ms=(100, 250, 400)), 320, 100).set_ms, 250)
        zone = device(dead_zones=(DeadZone(from_ms=300, to_ms=340),))
        self.assertEqual(nearest_setting(zone, 310, 100).set_ms, 300)
        self.assertEqual(nearest_setting(zone, 325, 100).set_ms, 340)
        with self.assertRaisesRegex(ValueError, "detent at 5 ms lies outside"):
            device(detents_ms=(5,))

    @given(st.floats(20, 1000), st.floats(0.1, 50))
    def test_no_step_is_nearer(self, wanted, step):
        found = nearest_setting(device(step_ms=step), wanted, 100)
        top = 20 + step * int((1000 - 20) / step + 1e-9)
        self.assertLessEqual(abs(found.error_ms), max(step / 2, wanted - top) + 1e-6)
        self.assertGreaterEqual(found.set_ms, 20)


class Reach(unittest.TestCase):
    def test_a_pedal_with_a_tap_alone(self):
        pedal = device(dialled=False, tap=True, subdivisions=("1/4", "1/8."), max_ms=1500)
        found = device_reach(ReachRequest(frame=SONG, device=pedal, wanted="1/8."))
        self.assertEqual(found.taps[0], "tap the beat (1/4), device on 1/8.")
        self.assertIn("tap every 1/8., device on 1/4", found.taps)
        rows = {r.id: r for r in found.rows}
        self.assertTrue(rows["1/8"].possible)
        self.assertEqual(rows["1/8"].how, "tap every 1/8, device on 1/4")
        self.assertFalse(rows["1/8T"].possible)
        self.assertEqual(rows["1/8T"].next_best, "1/16.")
        self.assertIn("1/8T", found.cannot)

    def test_a_ratio_acts_on_rate_or_on_time(self):
        for acts, can in (("time", "1/8."), ("rate", None)):
            box = device(dialled=False, clock=True, clock_acts_on=acts, subdivisions=("1/8.",))
            found = device_reach(ReachRequest(frame=SONG, device=box, wanted="1/8."))
            self.assertEqual(bool(found.taps), can is not None)
        double = device(dialled=False, clock=True, clock_acts_on="rate", subdivisions=("1/2",))
        half = device_reach(ReachRequest(frame=SONG, device=double, wanted="1/8"))
        self.assertIn("acting on the rate", half.taps[0])

    def test_without_a_tap_the_band_follows(self):
        knob = device(min_ms=40, max_ms=600, step_ms=5)
        found = device_reach(ReachRequest(frame=SONG, device=knob, wanted="1/8."))
        self.assertEqual(found.setting.set_ms, 480)
        # 93.75 BPM makes 480 ms a dotted eighth.
        self.assertAlmostEqual(found.count_in_bpm, 93.75)
        self.assertIn("count in at 93.75", found.sentence)
        out = device_reach(ReachRequest(frame=SONG, device=knob, wanted="1/2"))
        self.assertIn("cannot do this", out.sentence)
        self.assertEqual(out.wanted.next_best, "1/8.")

    def test_fixed_ratios_and_flam(self):
        heads = device(fixed_ratios=(0.5, 0.75))
        found = device_reach(ReachRequest(frame=SONG, device=heads, wanted="480 ms", repeats=5))
        self.assertEqual(found.ratios_ms, [240, 360])
        self.assertEqual(len(SHIPPED), 5)
        rows = {r.id: r for r in found.rows}
        self.assertAlmostEqual(rows["1/8."].flam_ms, 5 * rows["1/8."].error_ms)


class Gliding(unittest.TestCase):
    def test_pitch_while_gliding(self):
        found = glide(GlideRequest(from_ms=500, to_ms=375, ramp_ms=250))
        self.assertEqual(found.factor, 1.5)
        self.assertAlmostEqual(found.semitones, 7.019550008653875)
        back = glide(GlideRequest(from_ms=100, to_ms=700, ramp_ms=300))
        self.assertIsNone(back.semitones)
        self.assertIn("backwards", back.sentence)
