"""The bench against captures made here: trains of clicks, decaying noise, loops, a compressor."""

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.fft
import scipy.signal
import soundfile

from core.bench import measure_decay, measure_delay, measure_dynamics, measure_loop
from core.causes.tests.catalogue import RATE, Notes, compressed
from core.errors import MeasureError

RINGS = 8192
"""How far from a click read between samples its ringing is kept, samples: beyond, it is 88 dB down."""


def delayed(sound: np.ndarray, samples: float, n: int) -> np.ndarray:
    """A line later by a part of a sample too, by an exact phase ramp; (n,). Whole samples are a matter of place."""
    whole = int(np.floor(samples))
    size = scipy.fft.next_fast_len(len(sound) + 2 * RINGS, real=True)
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(size) * (samples - whole))
    late = np.fft.irfft(np.fft.rfft(np.pad(sound, (RINGS, 0)), size) * turn, size)
    out = np.zeros(n)
    begin, end = max(0, whole - RINGS), max(0, min(n, whole - RINGS + size))
    out[begin:end] = late[begin - whole + RINGS : end - whole + RINGS]
    return out


class Files(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.rng = np.random.default_rng(3)

    def file(self, name: str, sound: np.ndarray, rate: int = RATE) -> Path:
        soundfile.write(self.folder / name, sound, rate, subtype="FLOAT")
        return self.folder / name

    def noise(self, shape, db: float) -> np.ndarray:
        return 10 ** (db / 20) * self.rng.standard_normal(shape)


class Delay(Files):
    def train(self, sound, ms, first_db, each_db, *, swap=False, seconds=5, repeats=7):
        n = seconds * RATE
        out = np.zeros((n, 2))
        for k in range(repeats + 1):
            level = 1.0 if k == 0 else 10 ** ((first_db + each_db * (k - 1)) / 20)
            line = level * delayed(sound, k * ms * RATE / 1e3, n)
            if swap and k:
                out[:, (k + 1) % 2] += line
            else:
                out += line[:, None]
        return out

    def burst(self) -> np.ndarray:
        sound = np.zeros(4000)
        sound[1000:1960] = 0.3 * self.rng.standard_normal(960) * np.hanning(960)
        return sound

    def test_time_first_repeat_and_feedback_of_a_burst(self):
        # 1.8 % long: 319 on the pedal.
        sound = self.train(self.burst(), 324.742, -6.4, -3.4)
        found = measure_delay(
            self.file("d.wav", sound + self.noise(sound.shape, -84)), planned_ms=319.149
        )
        self.assertAlmostEqual(found.time_ms, 324.742, delta=0.01)
        self.assertAlmostEqual(found.first_repeat_db, -6.4, delta=0.2)
        self.assertAlmostEqual(found.feedback_db, -3.4, delta=0.2)
        self.assertAlmostEqual(found.tempo_error_ms, 5.593, delta=0.01)
        self.assertEqual((found.mode, len(found.repeats)), ("stereo", 7))
        self.assertEqual(found.refused, [])

    def test_repeats_that_change_sides(self):
        sound = self.train(self.burst(), 250.1, -4, -4, swap=True)
        found = measure_delay(self.file("d.wav", sound + self.noise(sound.shape, -80)))
        self.assertEqual(found.mode, "ping-pong")
        self.assertEqual([r.side for r in found.repeats[:4]], ["left", "right", "left", "right"])
        self.assertAlmostEqual(found.time_ms, 250.1, delta=0.01)
        self.assertAlmostEqual(found.feedback_db, -4, delta=0.2)

    def test_a_phrase_with_its_dry_sound_whether_the_dry_comes_back_or_not(self):
        phrase = Notes(3, 4).at(np.arange(3 * RATE) / RATE).mean(axis=1)
        dry = self.file("dry.wav", phrase)
        both = self.train(phrase, 319.149, -6.5, -3.4, seconds=7)
        wet = both.copy()
        wet[: len(phrase)] -= phrase[:, None]
        for sound in (both, wet):
            found = measure_delay(self.file("d.wav", sound + self.noise(sound.shape, -80)), dry)
            self.assertAlmostEqual(found.time_ms, 319.149, delta=0.1)
            self.assertAlmostEqual(found.first_repeat_ms, 319.149, delta=0.1)
            self.assertAlmostEqual(found.first_repeat_db, -6.5, delta=0.2)
            self.assertAlmostEqual(found.feedback_db, -3.4, delta=0.2)

    def test_one_repeat_has_no_feedback_and_none_has_no_time(self):
        one = self.train(self.burst(), 180, -5, -5, repeats=1)
        found = measure_delay(self.file("d.wav", one + self.noise(one.shape, -80)))
        self.assertAlmostEqual(found.time_ms, 180, delta=0.01)
        self.assertIsNone(found.feedback_db)
        self.assertEqual([r.what for r in found.refused], ["feedback_db"])
        none = self.train(self.burst(), 180, -5, -5, repeats=0)
        found = measure_delay(self.file("d.wav", none + self.noise(none.shape, -80)))
        self.assertEqual((found.time_ms, found.repeats), (None, []))
        self.assertIn("No repeat", found.sentence)

    def test_repeats_that_a_loop_filter_dulls_are_still_repeats(self):
        top = scipy.signal.butter(1, 4000, "lowpass", fs=RATE, output="sos")
        line, sound = self.burst(), np.zeros((5 * RATE, 2))
        for k in range(6):
            sound += (0.5**k) * delayed(line, k * 0.3 * RATE, 5 * RATE)[:, None]
            line = scipy.signal.sosfilt(top, np.pad(line, (0, 200)))
        found = measure_delay(self.file("d.wav", sound + self.noise(sound.shape, -80)))
        self.assertAlmostEqual(found.time_ms, 300, delta=0.1)

    def test_what_is_no_recording_of_anything_is_refused_in_words_by_each_reading(self):
        broken = 0.1 * self.rng.standard_normal(RATE)
        broken[100] = np.nan
        click = np.zeros(RATE)
        click[-1] = 1.0
        for name, sound, why in (
            ("a sample", np.array([0.5]), "at least 50 ms"),
            ("two samples", np.array([0.5, -0.5]), "at least 50 ms"),
            ("an offset alone", np.full(RATE, 0.5), "silent"),
            ("no numbers", broken, "no numbers"),
            ("a click at its very end", click, "at the end|Less than 80 ms"),
        ):
            path = self.file("d.wav", sound)
            for read in (measure_delay, measure_decay):
                with (
                    self.subTest(name, by=read.__name__),
                    self.assertRaisesRegex(MeasureError, why),
                ):
                    read(path)
            if name != "a click at its very end":
                with self.subTest(name, by="its own dry"), self.assertRaises(MeasureError):
                    measure_delay(path, path)

    def test_silence_and_a_whole_song_are_refused_in_words(self):
        with self.assertRaisesRegex(MeasureError, "silent"):
            measure_delay(self.file("d.wav", np.zeros(RATE)))
        with self.assertRaisesRegex(MeasureError, "up to a minute"):
            measure_delay(self.file("d.wav", np.ones(61 * 8000) * 0.1, rate=8000))


class Decay(Files):
    def room(self, rt60_s: float, noise_db: float, pre_ms: float = 24.0) -> np.ndarray:
        n = round((0.5 + 2 * rt60_s) * RATE)
        k = 1000 + round(pre_ms * RATE / 1e3)
        sound = np.zeros(n)
        sound[1000] = 1
        sound[k:] += (
            0.1 * self.rng.standard_normal(n - k) * 10 ** (-3 * np.arange(n - k) / RATE / rt60_s)
        )
        return sound + self.noise(n, noise_db)

    def test_decay_and_pre_delay_of_an_impulse(self):
        for rt60_s in (0.5, 1.6):
            found = measure_decay(self.file("r.wav", self.room(rt60_s, -95)))
            self.assertAlmostEqual(found.t30_s / rt60_s, 1, delta=0.05)
            self.assertAlmostEqual(found.t20_s / rt60_s, 1, delta=0.06)
            self.assertAlmostEqual(found.pre_delay_ms, 24, delta=0.3)
            for band in found.bands:
                if band.hz >= 1000:
                    self.assertAlmostEqual(band.t30_s / rt60_s, 1, delta=0.05, msg=str(band.hz))

    def test_clarity_is_the_energy_before_against_after(self):
        room = self.room(1.0, -200)
        found = measure_decay(self.file("r.wav", room))
        split = 1000 + round(0.05 * RATE)
        wanted = 10 * np.log10((room[1000:split] ** 2).sum() / (room[split:] ** 2).sum())
        self.assertAlmostEqual(found.c50_db, wanted, delta=0.1)

    def test_bands_of_their_own(self):
        # Lows ring three times as long as the top.
        low = scipy.signal.butter(6, 700, "lowpass", fs=RATE, output="sos")
        high = scipy.signal.butter(6, 700, "highpass", fs=RATE, output="sos")
        sound = scipy.signal.sosfilt(low, self.room(1.5, -200)) + scipy.signal.sosfilt(
            high, np.pad(self.room(0.5, -200), (0, 2 * RATE))
        )
        n = len(self.room(1.5, -200))
        found = measure_decay(self.file("r.wav", sound[:n] + self.noise(n, -100)))
        by_hz = {band.hz: band.t30_s for band in found.bands}
        # One response of noise scatters by itself: 10 % at 250 Hz.
        self.assertAlmostEqual(by_hz[250.0] / 1.5, 1, delta=0.2)
        self.assertAlmostEqual(by_hz[4000.0] / 0.5, 1, delta=0.05)

    def test_a_sweep_gives_what_the_impulse_gives(self):
        n = 4 * RATE
        t = np.arange(n) / RATE
        rate = 4 / np.log(20_000 / 30)
        sweep = 0.25 * np.sin(2 * np.pi * 30 * rate * (np.exp(t / rate) - 1))
        sweep *= np.minimum(1, np.minimum(np.arange(n), n - np.arange(n)) / 480)
        back = scipy.signal.fftconvolve(sweep, self.room(0.9, -200))
        found = measure_decay(
            self.file("r.wav", 0.2 * back + self.noise(len(back), -90)), self.file("s.wav", sweep)
        )
        self.assertAlmostEqual(found.t30_s / 0.9, 1, delta=0.05)
        # The sweep ends at 20 kHz: its pulse rings into the gap, which is then not stated.
        self.assertIsNone(found.pre_delay_ms)
        self.assertIn("pre_delay_ms", [r.what for r in found.refused])

    def test_what_the_noise_hides_is_not_stated_and_why(self):
        found = measure_decay(self.file("r.wav", self.room(1.0, -52)))
        self.assertIsNone(found.t30_s)
        why = next(r.why for r in found.refused if r.what == "t30_s")
        self.assertRegex(why, r"T30 needs 43 dB over the noise, this has \d\d")
        with self.assertRaisesRegex(MeasureError, "record on"):
            measure_decay(self.file("r.wav", self.room(0.5, -90)[:2500]))


class Loop(Files):
    def test_latency_gain_polarity_response_and_noise(self):
        notes = Notes(6, 8)
        t = np.arange(7 * RATE) / RATE
        sent = np.where((t < 6)[:, None], notes.at(t), 0) * np.clip((6 - t) / 0.05, 0, 1)[:, None]
        late = 354.25
        back = -0.9 * np.stack([delayed(c, late, len(t)) for c in sent.T], axis=1)
        cut = scipy.signal.butter(1, 9000, "lowpass", fs=RATE, output="sos")
        back = scipy.signal.sosfilt(cut, back, axis=0) + self.noise(back.shape, -92)
        found = measure_loop(self.file("s.wav", sent), self.file("b.wav", back))
        self.assertAlmostEqual(found.latency_samples, late, delta=0.05)
        self.assertAlmostEqual(found.gain_db, 20 * np.log10(0.9), delta=0.02)
        self.assertEqual(found.polarity, -1)
        self.assertAlmostEqual(found.noise_dbfs, -92, delta=0.5)
        self.assertEqual(found.drift_ppm, 0)
        _, want = scipy.signal.sosfreqz(cut, [p.hz for p in found.response], fs=RATE)
        for point, value in zip(found.response, want, strict=True):
            if 100 < point.hz < 12_000:
                self.assertAlmostEqual(
                    point.db, 20 * np.log10(abs(value)), delta=0.2, msg=str(point.hz)
                )

    def test_another_song_is_refused(self):
        t = np.arange(3 * RATE) / RATE
        a = self.file("a.wav", Notes(3, 31).at(t))
        b = self.file("b.wav", self.noise((len(t), 2), -30))
        with self.assertRaisesRegex(MeasureError, "nothing to do with"):
            measure_loop(a, b)


class Dynamics(Files):
    def test_a_compressor_and_one_that_does_not_work(self):
        x = Notes(6, 9).at(np.arange(6 * RATE) / RATE)
        wet, _ = compressed(x, -25, 3, 10, 120)
        dry = self.file("d.wav", x)
        found = measure_dynamics(dry, self.file("w.wav", 0.8 * wet))
        self.assertAlmostEqual(found.threshold_db, -25, delta=1)
        self.assertAlmostEqual(found.ratio, 3, delta=0.3)
        self.assertAlmostEqual(found.attack_ms, 10, delta=2)
        self.assertAlmostEqual(found.release_ms, 120, delta=15)
        self.assertAlmostEqual(found.makeup_db, 20 * np.log10(0.8), delta=0.05)
        self.assertTrue(found.curve and found.gain_db)
        found = measure_dynamics(dry, self.file("w.wav", 0.8 * x))
        self.assertIsNone(found.threshold_db)
        self.assertIn("No change of gain", found.sentence)


class CommandLine(Files):
    def test_figures_by_their_agreed_names_and_a_sentence_where_it_cannot(self):
        sound = np.zeros(2 * RATE)
        sound[[1000, 13_000, 25_000]] = 0.5, 0.25, 0.125
        path = self.file("d.wav", sound + self.noise(len(sound), -90))
        run = [sys.executable, "-m", "core.bench.cli"]
        done = subprocess.run([*run, "delay", str(path), "--json"], capture_output=True)
        said = json.loads(done.stdout)
        self.assertAlmostEqual(said["time_ms"], 250, places=1)
        self.assertAlmostEqual(said["first_repeat_db"], -6.02, delta=0.1)
        self.assertAlmostEqual(said["feedback_db"], -6.02, delta=0.1)
        self.assertEqual({"time_ms", "level_db", "side"}, set(said["repeats"][0]))
        letter = self.folder / "letter.wav"
        letter.write_text("Dear engineer")
        done = subprocess.run([*run, "decay", str(letter)], capture_output=True, text=True)
        self.assertEqual(done.returncode, 2)
        self.assertIn("not audio", done.stderr)
        # Samples that are no numbers, in either place, whatever is asked.
        holed = sound.copy()
        holed[5000] = np.nan
        bad = self.file("bad.wav", holed)
        null = [sys.executable, "-m", "core.causes.cli"]
        for command in (
            [*run, "loop", path, bad], [*run, "dynamics", bad, path], [*null, path, bad], [*null, bad, path],
        ):  # fmt: skip
            done = subprocess.run(command, capture_output=True, text=True)
            self.assertEqual((done.returncode, done.stdout), (2, ""))
            self.assertEqual(
                done.stderr.strip(), "“bad.wav” holds samples that are no numbers: export it again."
            )
