"""A signal is found wherever it lies, and every stand-in is measured as what it is made to be."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.signal
import soundfile

from core.bench import BenchPlan, TestSignal, measure_take
from core.bench.signal import KINDS, sound_of
from core.bench.stand_in import STAND_INS, take_of
from core.bench.take import read_take
from core.bench.tests.test_bench import delayed
from core.errors import MeasureError

RATE = 48_000


class Files(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.rng = np.random.default_rng(21)

    def file(self, sound: np.ndarray, rate: int = RATE) -> Path:
        soundfile.write(self.folder / "take.wav", sound, rate, subtype="FLOAT")
        return self.folder / "take.wav"


class Anywhere(Files):
    def test_each_kind_at_random_places_levels_polarities_and_noises(self):
        for kind in KINDS:
            signal = TestSignal(kind=kind, room_s=1.0)
            before = float(self.rng.uniform(0, 4))
            level = 10 ** (self.rng.uniform(-30, 6) / 20) * self.rng.choice([-1, 1])
            part = float(self.rng.uniform(0, 1))
            n = round((before + signal.seconds + 2) * RATE)
            line = np.zeros(n)
            whole = round(before * RATE)
            line[whole : whole + round(signal.seconds * RATE)] = level * sound_of(signal)
            line = delayed(line, part, n)
            # The noise stands 45 dB under the marker.
            line += abs(level) * 10 ** (-57 / 20) * self.rng.standard_normal(n)
            found = read_take(self.file(line), signal).report
            self.assertAlmostEqual(found.found_s, (whole + part) / RATE, delta=1 / RATE, msg=kind)
            self.assertEqual(found.polarity, int(np.sign(level)), kind)
            self.assertAlmostEqual(found.clock_ppm, 0, delta=1, msg=kind)
            wanted = 20 * np.log10(abs(level)) - 57
            self.assertAlmostEqual(found.noise_dbfs, wanted, delta=1, msg=kind)

    def test_what_else_a_recording_holds_is_not_judged_with_it(self):
        # A faint take behind clipped noise 34 dB louder, and behind a gap in it.
        signal = TestSignal(kind="cable")
        music = np.clip(0.6 * self.rng.standard_normal(6 * RATE), -0.99, 0.99)
        music[RATE : RATE + 500] = 0
        faint = 0.05 * sound_of(signal)
        line = np.concatenate([music, np.zeros(RATE), faint, np.zeros(RATE), music])
        line += 1e-6 * self.rng.standard_normal(len(line))
        found = read_take(self.file(line), signal).report
        self.assertAlmostEqual(found.found_s, 7, delta=1e-4)
        wanted = 20 * np.log10(0.05 * np.abs(sound_of(signal)).max())
        self.assertAlmostEqual(found.peak_dbfs, wanted, delta=0.1)
        self.assertEqual(found.warnings, [])

    def test_a_clock_is_read_between_the_markers(self):
        signal = TestSignal(kind="delay", room_s=1.0)
        sound = sound_of(signal)
        for ppm in (-180, 40, 260):
            # Longer by the clock: read off a fine grid, straight between its points.
            fine = scipy.signal.resample_poly(sound, 8, 1)
            at = np.arange(len(sound)) * (1 - 1e-6 * ppm) * 8
            slow = np.interp(at, np.arange(len(fine)), fine)
            slow += 1e-5 * self.rng.standard_normal(len(slow))
            found = read_take(self.file(np.pad(slow, (999, 9999))), signal).report
            self.assertAlmostEqual(found.clock_ppm, ppm, delta=2)

    def test_the_first_of_two_takes_in_one_recording_is_read(self):
        signal = TestSignal(kind="cable")
        sound = sound_of(signal)
        both = np.concatenate([sound, np.zeros(RATE), 0.9 * sound])
        both += 1e-5 * self.rng.standard_normal(len(both))
        self.assertAlmostEqual(read_take(self.file(both), signal).report.found_s, 0, delta=1e-4)

    def test_another_kind_s_signal_is_not_taken_for_this_one(self):
        sound = sound_of(TestSignal(kind="delay"))
        sound = sound + 1e-5 * self.rng.standard_normal(len(sound))
        with self.assertRaises(MeasureError):
            measure_take(self.file(np.pad(sound, (0, 9 * RATE))), TestSignal(kind="dynamics"))


class StandInsAsTheyAreMade(Files):
    def measured(self, key: str, kind: str, **plan):
        signal = TestSignal(kind=kind)
        path = self.file(take_of(key, signal).T)
        return measure_take(path, signal, BenchPlan(starts_together=True, **plan))

    def test_converters_there_and_back(self):
        found = self.measured("converters", "loop")
        rows = {row.name: row for row in found.compared}
        self.assertAlmostEqual(rows["Latency"].measured, 1e3 * 137.37 / RATE, delta=0.01 / 48)
        self.assertAlmostEqual(rows["Gain"].measured, -0.18, delta=0.01)
        self.assertAlmostEqual(rows["Noise"].measured, -92, delta=1)
        self.assertLess(max(abs(p.db) for p in found.loop.response if 30 < p.hz < 20_000), 0.2)

    def test_a_clock_of_its_own(self):
        found = self.measured("clock", "loop")
        self.assertAlmostEqual(found.loop.drift_ppm, 23, delta=0.5)
        self.assertIn("ppm off", found.sentence)

    def test_a_reverb_that_is_shorter_at_the_top(self):
        found = self.measured("reverb", "decay")
        by_hz = {band.hz: band.t30_s for band in found.decay.bands}
        self.assertAlmostEqual(found.decay.t30_s / 1.4, 1, delta=0.05)
        # What lies under 4 kHz leaks into the octave above it, a little longer than its own 0.8 s.
        self.assertTrue(0.78 < by_hz[8000.0] < 0.95 < by_hz[2000.0], by_hz)
        self.assertAlmostEqual(found.decay.pre_delay_ms, 26.1, delta=0.4)

    def test_each_is_loud_enough_and_never_clips(self):
        for device in STAND_INS:
            for kind in device.kinds:
                take = take_of(device.key, TestSignal(kind=kind))
                peak = 20 * np.log10(np.abs(take).max())
                self.assertTrue(-30 < peak < 0, f"{device.key}, {kind}: {peak:.1f} dBFS")
