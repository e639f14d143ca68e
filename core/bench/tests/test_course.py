"""Takes of test signals through devices made here, with arithmetic of this file's own.

What is played is the application's signal; what it becomes (time, level, rate, faults) is done by
NumPy and SciPy alone, and the figures are held against the numbers that were put in.
"""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.signal
import soundfile

from core.bench import BenchPlan, TestSignal, measure_loop, measure_take, signal_wav
from core.bench.plan import Reading, readings_of
from core.bench.signal import KINDS, partials, sound_of
from core.bench.stand_in import STAND_INS, Asked, take_of
from core.bench.take import read_take
from core.bench.tests.test_bench import delayed
from core.causes.tests.catalogue import compressed
from core.devices import DeviceProfile
from core.errors import MeasureError

RATE = 48_000
PEDAL = DeviceProfile(name="Pedal", min_ms=10, max_ms=2000, step_ms=1)


class Takes(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.rng = np.random.default_rng(11)

    def file(self, sound: np.ndarray, rate: int = RATE) -> Path:
        soundfile.write(self.folder / "take.wav", sound, rate, subtype="FLOAT")
        return self.folder / "take.wav"

    def noise(self, n: int, db: float) -> np.ndarray:
        return 10 ** (db / 20) * self.rng.standard_normal(n)

    def repeats(self, ms: float, first_db: float, each_db: float) -> np.ndarray:
        sound = sound_of(TestSignal(kind="delay"))
        out = sound.copy()
        for k in range(1, 9):
            level = 10 ** ((first_db + (k - 1) * each_db) / 20)
            out += level * delayed(sound, k * ms * RATE / 1e3, len(sound))
        return out


class Signals(Takes):
    def test_a_note_is_the_sum_of_its_partials_sample_by_sample(self):
        poles = np.array([0.3j - 1e-3, 2.9j - 4e-3, 1.1j])
        sizes = np.array([0.5 + 0.2j, -0.1j, 1.0])
        for n in (1, 2, 997):
            found = partials(poles, sizes, n)
            self.assertEqual(found.shape, (n,))
            for m in {0, n // 3, n - 1}:
                by_hand = sum(
                    abs(c)
                    * math.exp(p.real * m)
                    * math.sin(p.imag * m + math.atan2(c.imag, c.real))
                    for p, c in zip(poles.tolist(), sizes.tolist(), strict=True)
                )
                self.assertAlmostEqual(found[m], by_hand, delta=1e-11)

    def test_each_has_two_equal_markers_and_stays_under_its_level(self):
        for kind in KINDS:
            signal = TestSignal(kind=kind)
            sound, rate = soundfile.read(self.write(signal_wav(signal)))
            self.assertEqual((rate, len(sound)), (RATE, round(signal.seconds * RATE)), kind)
            self.assertLess(20 * math.log10(np.abs(sound).max()), -5.99, kind)
            self.assertFalse(np.any(sound[: RATE - 1]), kind)
            n, end = round(0.15 * RATE), round(signal.end_marker_s * RATE)
            np.testing.assert_allclose(sound[RATE : RATE + n], sound[end : end + n], atol=1e-6)
            # Halts lie one after the other, and the last of them is still.
            for a, b in zip(signal.halts, signal.halts[1:], strict=False):
                self.assertAlmostEqual(a.start_s + a.length_s, b.start_s, places=9)
            still = round(signal.halts[-1].start_s * RATE)
            self.assertFalse(np.any(sound[still : end - 1]), kind)

    def write(self, data: bytes) -> Path:
        (self.folder / "s.wav").write_bytes(data)
        return self.folder / "s.wav"


class Found(Takes):
    def test_in_a_longer_recording_at_another_level_upside_down_and_at_another_rate(self):
        signal = TestSignal(kind="delay")
        sound = np.pad(-0.3 * sound_of(signal), (7 * RATE + 311, 3 * RATE))
        for rate in (RATE, 44_100):
            other = scipy.signal.resample_poly(sound, rate // 300, RATE // 300)
            found = read_take(self.file(other + self.noise(len(other), -85), rate), signal).report
            self.assertAlmostEqual(found.found_s, 7 + 311 / RATE, delta=2e-4)
            self.assertEqual((found.ratio, found.polarity), (1.0, -1))
            self.assertAlmostEqual(found.noise_dbfs, -85, delta=1)
            self.assertEqual(found.warnings, [])

    def test_played_at_a_rate_that_was_not_meant(self):
        # A player that takes 48 kHz for 44.1: longer by 48/44.1.
        signal = TestSignal(kind="delay")
        slow = scipy.signal.resample_poly(self.repeats(250, -6, -4), 160, 147)
        take = read_take(self.file(slow + self.noise(len(slow), -85)), signal)
        self.assertAlmostEqual(take.report.ratio, 160 / 147, places=5)
        self.assertIn("91.9 % as fast", take.report.warnings[0])
        found = measure_take(self.file(slow + self.noise(len(slow), -85)), signal)
        self.assertAlmostEqual(found.delay.time_ms, 250, delta=0.05)

    def test_what_is_wrong_is_said_and_nothing_is_stated(self):
        signal = TestSignal(kind="cable")
        sound = sound_of(signal)
        n = len(sound)
        another = 0.2 * self.rng.standard_normal(n)
        half = np.concatenate([sound[: n // 2], sound[n // 2 + RATE :], np.zeros(2 * RATE)])
        for wrong, words in (
            (np.zeros(n), "silent"),
            (another, "not in this recording"),
            (sound[: n // 2] + self.noise(n // 2, -80), "cut off after"),
            (half + self.noise(len(half), -80), "marker at the end is not where it should be"),
            (0.01 * sound + self.noise(n, -62), "dB over the noise"),
        ):
            with self.assertRaisesRegex(MeasureError, words):
                measure_take(self.file(wrong), signal)
        letter = self.folder / "letter.wav"
        letter.write_text("Dear engineer")
        with self.assertRaisesRegex(Exception, "not audio"):
            read_take(letter, signal)

    def test_clipping_and_lost_blocks_are_noticed_and_a_clean_take_says_nothing(self):
        signal = TestSignal(kind="loop")
        sound = sound_of(signal) + self.noise(round(signal.seconds * RATE), -90)
        self.assertEqual(read_take(self.file(sound), signal).report.warnings, [])
        clipped = np.clip(4 * sound, -0.9, 0.9)
        self.assertIn("Clipped in", read_take(self.file(clipped), signal).report.warnings[0])
        lost = sound.copy()
        at = round((signal.halt("Sweep").start_s + 1) * RATE)
        lost[at : at + 512] = 0
        lost[at + 20_000 : at + 20_256] = 0
        said = read_take(self.file(lost), signal).report.warnings
        self.assertTrue(any(w.startswith("2 gaps of digital silence") for w in said), said)


class Devices(Takes):
    def test_a_delay_beside_its_plan_and_what_to_set(self):
        # 337 on the pedal does 1.8 % more and 0.7 ms.
        does = 337 * 1.018 + 0.7
        sound = self.repeats(does, -5.2, -2.7)
        plan = BenchPlan(
            device="Grey pedal", profile=PEDAL, label_ms=337, wanted_ms=340, first_db=-6, each_db=-3,
            earlier=(Reading(label_ms=100, does_ms=102.5), Reading(label_ms=800, does_ms=815.1)),
        )  # fmt: skip
        found = measure_take(
            self.file(sound + self.noise(len(sound), -84)), TestSignal(kind="delay"), plan
        )
        self.assertAlmostEqual(found.delay.time_ms, does, delta=0.01)
        self.assertAlmostEqual(found.delay.first_repeat_db, -5.2, delta=0.05)
        self.assertAlmostEqual(found.delay.feedback_db, -2.7, delta=0.05)
        # 333 gives 339.694, 334 gives 340.712: 333 is nearer.
        self.assertAlmostEqual(found.readings.offset_percent, 1.8, delta=0.01)
        self.assertAlmostEqual(found.readings.offset_ms, 0.7, delta=0.03)
        self.assertEqual(found.readings.nearest.label_ms, 333)
        self.assertAlmostEqual(found.readings.nearest.error_ms, -0.306, delta=0.02)
        self.assertAlmostEqual(found.readings.now.error_ms, does - 340, delta=0.02)
        self.assertIn("set 333 and it does 339.69 ms", found.sentence)
        rows = {row.name: row for row in found.compared}
        self.assertEqual((rows["Time"].planned, rows["Each repeat"].planned), (337, -3))
        wet = plan.model_copy(update={"wet_only": True})
        found = measure_take(
            self.file(sound + self.noise(len(sound), -84)), TestSignal(kind="delay"), wet
        )
        self.assertIsNone(found.delay.first_repeat_db)
        self.assertIn("No dry sound", found.refused[-1].why)

    def test_one_reading_is_a_share_and_one_that_is_right_stays(self):
        plan = BenchPlan(profile=PEDAL, label_ms=400, wanted_ms=400.3)
        one = readings_of(plan, 404.0)
        self.assertEqual((one.offset_percent, one.offset_ms, one.steady), (1.0, 0.0, False))
        self.assertEqual(one.nearest.label_ms, 396)
        self.assertAlmostEqual(one.nearest.does_ms, 399.96)
        self.assertIn("stays at 400", readings_of(plan, 400.1).sentence)
        self.assertIsNone(readings_of(BenchPlan(label_ms=400), 404.0))

    def test_a_room_by_octave_and_its_gap_read_from_a_click(self):
        n = round(2.5 * RATE)
        t = np.arange(n) / RATE
        tail = 0.02 * self.rng.standard_normal(n) * 10 ** (-3 * t / 0.9)
        room = np.concatenate([[1.0], np.zeros(round(0.031 * RATE) - 1), tail])
        sound = scipy.signal.fftconvolve(sound_of(TestSignal(kind="decay")), room)
        plan = BenchPlan(device="Plate", rt60_s=1.2, pre_delay_ms=30)
        found = measure_take(
            self.file(0.3 * sound + self.noise(len(sound), -92)), TestSignal(kind="decay"), plan
        )
        self.assertAlmostEqual(found.decay.t30_s / 0.9, 1, delta=0.05)
        self.assertAlmostEqual(found.decay.pre_delay_ms, 31, delta=0.3)
        for band in found.decay.bands:
            if band.hz >= 1000:
                self.assertAlmostEqual(band.t30_s / 0.9, 1, delta=0.06, msg=str(band.hz))
        self.assertRegex(found.sentence, r"2\d % shorter than planned")

    def test_distortion_is_told_by_order_as_the_bend_makes_it(self):
        signal = TestSignal(kind="loop")
        sound = np.pad(sound_of(signal), (0, RATE // 2))
        level = 10 ** (-12 / 20)
        # x + a x^2 + b x^3 of a sine of this level: harmonics by the half- and triple-angle formulas.
        for a, b in ((0.02, 0.0), (0.004, 0.003), (0.0, 0.0)):
            with self.subTest(a=a, b=b):
                bent = delayed(sound + a * sound**2 + b * sound**3, 33.3, len(sound))
                found = measure_take(self.file(bent + self.noise(len(bent), -94)), signal)
                own = level + 0.75 * b * level**3
                for order, size in ((2, a * level**2 / 2), (3, b * level**3 / 4)):
                    (one,) = [h for h in found.loop.harmonics if h.order == order]
                    if size:
                        self.assertFalse(one.below)
                        self.assertAlmostEqual(one.db, 20 * math.log10(size / own), delta=0.5)
                        self.assertAlmostEqual(one.percent, 100 * size / own, delta=0.005)
                    else:
                        self.assertTrue(one.below)
                        self.assertLess(one.db, -90)
                rows = [r.name for r in found.compared if r.name.startswith("Distortion, order")]
                self.assertEqual(len(rows), (a > 0) + (b > 0))

    def test_a_loop_whose_gain_moves_states_none(self):
        signal = TestSignal(kind="loop")
        sound = np.pad(sound_of(signal), (0, RATE // 2))
        wet = compressed(sound[:, None], -34, 3.0, 8, 90)[0][:, 0]
        found = measure_take(self.file(wet + self.noise(len(wet), -94)), signal)
        rows = {row.name: row for row in found.compared}
        self.assertEqual((rows["Gain"].measured, rows["Gain"].words), (None, "moves"))
        self.assertIn("gain moves with the sound", found.sentence)
        self.assertEqual(found.loop.harmonics, [])
        # So does whatever else is measured by what passes through it.
        for kind in ("filter", "cable"):
            other = measure_take(self.file(wet + self.noise(len(wet), -94)), TestSignal(kind=kind))
            self.assertIn("gain moves with the sound", other.sentence + other.about.lower())
            self.assertNotRegex(other.sentence + other.about, r"\d dB[.;]")

    def test_a_short_delay_is_read_from_the_click_where_the_burst_lies_over_itself(self):
        sound = self.repeats(14.3, -5.0, -3.0)
        plan = BenchPlan(label_ms=14, wanted_ms=14)
        found = measure_take(
            self.file(sound + self.noise(len(sound), -86)), TestSignal(kind="delay"), plan
        )
        self.assertAlmostEqual(found.delay.time_ms, 14.3, delta=0.01)
        self.assertAlmostEqual(found.delay.first_repeat_db, -5, delta=0.1)
        self.assertAlmostEqual(found.delay.feedback_db, -3, delta=0.1)

    def test_a_loop_gives_latency_gain_polarity_and_response(self):
        signal = TestSignal(kind="loop")
        late = 211.61
        sound = -0.8 * delayed(sound_of(signal), late, round(signal.seconds * RATE) + 400)
        cut = scipy.signal.butter(1, 9000, "lowpass", fs=RATE, output="sos")
        sound = scipy.signal.sosfilt(cut, sound) + self.noise(len(sound), -95)
        plan = BenchPlan(starts_together=True, home_ms=1.0)
        found = measure_take(self.file(sound), signal, plan)
        rows = {row.name: row for row in found.compared}
        self.assertAlmostEqual(rows["Latency"].measured, 1e3 * late / RATE - 1, delta=0.05 / 48)
        self.assertAlmostEqual(found.loop.gain_db, 20 * math.log10(0.8), delta=0.02)
        self.assertEqual(rows["Polarity"].words, "inverted")
        self.assertAlmostEqual(found.loop.noise_dbfs, -95, delta=0.6)
        _, want = scipy.signal.sosfreqz(cut, [p.hz for p in found.loop.response], fs=RATE)
        for point, value in zip(found.loop.response, want, strict=True):
            if 100 < point.hz < 15_000:
                self.assertAlmostEqual(point.db, 20 * math.log10(abs(value)), delta=0.2)
        found = measure_take(self.file(np.pad(sound, (RATE, 0))), signal)
        self.assertIsNone(next(r for r in found.compared if r.name == "Latency").measured)
        self.assertIn("latency_ms", [r.what for r in found.refused])

    def test_a_cable_says_its_polarity_and_where_its_top_ends(self):
        signal = TestSignal(kind="cable")
        dull = scipy.signal.butter(1, 14_000, "lowpass", fs=RATE, output="sos")
        sound = scipy.signal.sosfilt(dull, -sound_of(signal))
        found = measure_take(self.file(sound + self.noise(len(sound), -95)), signal)
        self.assertIn("inverted", found.sentence)
        edge = next(r for r in found.compared if r.unit == "Hz")
        self.assertAlmostEqual(edge.measured / 14_000, 1, delta=0.01)


class OneSide(Takes):
    """An input that was not plugged in is beside the device, whatever is measured."""

    def both_ways(self, kind: str, sound: np.ndarray):
        for quiet in (0.0, 1e-5):
            empty = quiet * self.rng.standard_normal(len(sound))
            yield measure_take(self.file(np.stack([empty, sound], axis=1)), TestSignal(kind=kind))

    def test_a_delay_a_cable_and_a_room(self):
        repeats = self.repeats(250, -6, -4)
        for found in self.both_ways("delay", repeats + self.noise(len(repeats), -84)):
            self.assertAlmostEqual(found.delay.time_ms, 250, delta=0.01)
            self.assertEqual(found.delay.mode, "mono")
        wire = -0.5 * sound_of(TestSignal(kind="cable"))
        for found in self.both_ways("cable", wire + self.noise(len(wire), -95)):
            self.assertAlmostEqual(found.loop.gain_db, -6.02, delta=0.01)
            self.assertEqual(found.loop.polarity, -1)
            flat = [abs(p.db) for p in found.loop.response if 30 < p.hz < 20_000]
            self.assertLess(max(flat), 0.2)

    def test_what_scripts_measure_as_well(self):
        wire = 0.5 * sound_of(TestSignal(kind="cable"))
        sent, back = self.folder / "sent.wav", self.folder / "back.wav"
        soundfile.write(sent, wire, RATE, subtype="FLOAT")
        soundfile.write(back, np.stack([0 * wire, 0.25 * wire], axis=1), RATE, subtype="FLOAT")
        found = measure_loop(sent, back, search_s=0.5)
        self.assertAlmostEqual(found.gain_db, 20 * math.log10(0.25), delta=0.01)
        self.assertAlmostEqual(found.latency_samples, 0, delta=0.01)


class StandIns(Takes):
    def test_they_do_what_they_say(self):
        x = sound_of(TestSignal(kind="delay"))
        take = take_of("long-delay", TestSignal(kind="delay"), Asked(time_ms=200))[0]
        click = round(TestSignal(kind="delay").halt("Click").start_s * RATE)
        at = click + 1000 + int(np.argmax(np.abs(take[click + 1000 : click + 15_000])))
        self.assertAlmostEqual((at - click) / RATE * 1e3, 203.6, delta=0.02)
        self.assertEqual(len({d.key for d in STAND_INS}), len(STAND_INS))
        self.assertTrue(all(any(k in d.kinds for d in STAND_INS) for k in KINDS))
        cable = take_of("cable", TestSignal(kind="cable"))[0]
        y = sound_of(TestSignal(kind="cable"))
        self.assertLess(float(cable[: len(y)] @ y), 0)
        self.assertGreater(len(take), len(x))

    def test_a_compressor_begins_below_its_meter(self):
        signal = TestSignal(kind="dynamics")
        path = self.file(take_of("outboard", signal).T)
        found = measure_take(path, signal, BenchPlan(threshold_db=-24, ratio=2.5))
        self.assertAlmostEqual(found.dynamics.threshold_db, -27, delta=1)
        self.assertAlmostEqual(found.dynamics.ratio, 2.5, delta=0.25)
        self.assertIn("3.0 dB below where its meter first moves", found.sentence)
        self.assertEqual([p.title for p in found.pictures], ["Static curve", "Gain over time"])
