"""The ruler, tapping, and tempo from a delay."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from core.devices import SHIPPED, DeviceProfile
from core.errors import FonodromeError
from core.tempo import (
    TapRequest,
    TempoFromDelayRequest,
    TimeRulerRequest,
    tap_tempo,
    tempo_from_delay,
    time_ruler,
)
from core.units import TempoFrame

LIGHTHOUSE = TempoFrame(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8)


class Ruler(unittest.TestCase):
    def test_a_dotted_eighth_on_a_pedal_of_whole_milliseconds(self):
        ruler = time_ruler(TimeRulerRequest(frame=LIGHTHOUSE, device=SHIPPED[0], chosen="1/8."))
        self.assertAlmostEqual(ruler.chosen.ms, 319.148936, places=6)
        self.assertAlmostEqual(ruler.chosen.hz, 3.133333, places=6)
        self.assertEqual(ruler.chosen.nearest_samples, 15_319)
        self.assertEqual(ruler.setting.set_ms, 319)
        self.assertAlmostEqual(ruler.setting.flam_ms[7], -1.191489, places=6)
        self.assertEqual(len(ruler.setting.flam_ms), 8)
        self.assertAlmostEqual(ruler.bar_ms, 2 * ruler.beat_ms)

    def test_what_the_device_cannot_reach_is_said(self):
        ruler = time_ruler(TimeRulerRequest(frame=LIGHTHOUSE, device=SHIPPED[1], chosen="1 bar"))
        self.assertFalse(ruler.setting.in_reach)
        self.assertEqual(ruler.setting.set_ms, 600)
        self.assertIn("Out of reach", ruler.setting.sentence)
        reach = {n.id: n.in_reach for n in ruler.notes}
        self.assertTrue(reach["1/8."] and not reach["1/1"] and not reach["1/128"])

    def test_beyond_a_device_the_next_best_value_is_named(self):
        # 100 quarters a minute: 600 ms; dotted half 1800, whole 2400, half triplet 800.
        device = DeviceProfile(name="Short one", min_ms=100, max_ms=650, step_ms=1)
        for chosen, cannot, best in (
            ("1/2.", "cannot: longest 650 ms", "1/4"),
            ("2400 ms", "cannot: longest 650 ms", "1/4"),
            # A thirty-second lasts 75 ms, its triplet 50; a sixteenth triplet, 100 ms, just can.
            ("1/32", "cannot: shortest 100 ms", "1/16T"),
            ("1/4", "", None),
        ):
            ruler = time_ruler(
                TimeRulerRequest(frame=TempoFrame(tempo_bpm=100), device=device, chosen=chosen)
            )
            found = ruler.next_best and ruler.next_best.id
            self.assertEqual((ruler.cannot, found), (cannot, best), chosen)

    def test_rows_rise_and_dotted_is_half_as_long_again(self):
        notes = time_ruler(TimeRulerRequest(frame=LIGHTHOUSE)).notes
        by_id = {n.id: n.ms for n in notes}
        self.assertAlmostEqual(by_id["1/8."], 1.5 * by_id["1/8"])
        self.assertAlmostEqual(by_id["1/8T"] * 3, by_id["1/8"] * 2)
        for row in ("straight", "dotted", "triplet", "bars"):
            times = [n.ms for n in notes if n.row == row]
            self.assertEqual(times, sorted(times))

    @given(st.floats(1, 2999), st.sampled_from([0.1, 1.0, 5.0]))
    def test_the_error_is_never_more_than_half_a_step(self, wanted, step):
        device = DeviceProfile(name="x", min_ms=0, max_ms=3000, step_ms=step)
        ruler = time_ruler(
            TimeRulerRequest(frame=LIGHTHOUSE, device=device, chosen=f"{wanted:.6f}")
        )
        self.assertLessEqual(abs(ruler.setting.error_ms), step / 2 + 1e-6)

    def test_a_profile_upside_down_is_refused(self):
        with self.assertRaisesRegex(ValueError, "must be above the shortest"):
            DeviceProfile(name="x", min_ms=500, max_ms=100, step_ms=1)


class Tap(unittest.TestCase):
    def test_an_even_beat(self):
        found = tap_tempo(TapRequest(taps_ms=[k * 640.0 for k in range(6)]))
        self.assertAlmostEqual(found.bpm, 93.75)
        self.assertAlmostEqual(found.standard_error_bpm, 0)

    def test_standard_error_is_that_of_the_slope(self):
        rng = np.random.default_rng(4)
        taps = np.arange(9) * 500 + rng.normal(0, 8, 9)
        found = tap_tempo(TapRequest(taps_ms=list(taps)))
        x = np.arange(9) - 4.0
        slope = float(x @ taps / (x @ x))
        rest = taps - taps.mean() - slope * x
        error = 60_000 / slope**2 * float(np.sqrt(rest @ rest / 7 / (x @ x)))
        self.assertAlmostEqual(found.standard_error_bpm, error, places=9)

    def test_a_missed_and_a_stray_tap(self):
        found = tap_tempo(TapRequest(taps_ms=[0, 600, 1200, 1500, 1800, 3000, 3600]))
        self.assertAlmostEqual(found.bpm, 100)
        self.assertEqual((found.taps_rejected, found.missed), (1, 1))
        self.assertEqual(found.used.index(False), 3)

    def test_a_long_silence_starts_over(self):
        found = tap_tempo(TapRequest(taps_ms=[0, 500, 1000, 9000, 9600, 10_200]))
        self.assertAlmostEqual(found.bpm, 100)
        self.assertEqual(found.started_over_at, 3)

    def test_too_little_to_go_by(self):
        for taps in ([], [100.0], [0.0, 5000.0]):
            with self.assertRaisesRegex(FonodromeError, "tap at least twice"):
                tap_tempo(TapRequest(taps_ms=taps))
        with self.assertRaisesRegex(FonodromeError, "backwards"):
            tap_tempo(TapRequest(taps_ms=[500, 100]))

    @given(st.floats(40, 240), st.integers(0, 1000))
    def test_an_unsteady_hand_lands_near(self, bpm, seed):
        rng = np.random.default_rng(seed)
        taps = (np.arange(12) + rng.uniform(-0.01, 0.01, 12)) * 60_000 / bpm
        found = tap_tempo(TapRequest(taps_ms=list(taps)))
        self.assertAlmostEqual(found.bpm, bpm, delta=0.01 * bpm)


class FromDelay(unittest.TestCase):
    def test_candidates_stand_nearest_to_the_song_first(self):
        found = tempo_from_delay(TempoFromDelayRequest(delay="410", frame=TempoFrame()))
        self.assertEqual(found.candidates[0].note_value, "1/8.")
        self.assertAlmostEqual(found.candidates[0].bpm, 109.756098, places=5)
        self.assertTrue(all(40 <= c.bpm <= 240 for c in found.candidates))

    def test_the_song_s_beat_unit_counts(self):
        found = tempo_from_delay(TempoFromDelayRequest(delay="319.148936 ms", frame=LIGHTHOUSE))
        self.assertAlmostEqual(found.candidates[0].bpm, 94, places=5)
        self.assertEqual(found.candidates[0].note_value, "1/8.")

    def test_a_note_value_is_no_delay_time_here(self):
        with self.assertRaisesRegex(FonodromeError, "follows the tempo already"):
            tempo_from_delay(TempoFromDelayRequest(delay="1/8."))
