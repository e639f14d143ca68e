"""What is told of a file, against what was put into it: where it stops, its bands, its notes at any level."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.audio.examine import examine
from core.audio.onsets import find_onsets
from core.audio.source import open_audio
from core.errors import TruncatedAudio

RATE = 48_000


class Files(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.path = Path(held.name) / "take.wav"

    def written(self, sound: np.ndarray, rate: int = RATE) -> Path:
        soundfile.write(self.path, sound, rate, subtype="PCM_16")
        return self.path


class Stopped(Files):
    def test_a_file_that_stops_early_says_when_and_how_much_is_missing(self):
        # 200 s promised, 75 s there.
        data = self.written(np.zeros(200 * 8000), 8000).read_bytes()
        self.path.write_bytes(data[: 44 + 2 * 75 * 8000])
        with self.assertRaises(TruncatedAudio) as caught:
            examine(self.path, "take.wav")
        self.assertIn("stops at 1:15.0", str(caught.exception))
        self.assertIn("says 3:20.0, so 62 % of it is missing", str(caught.exception))
        self.assertEqual(
            (caught.exception.usable_frames, caught.exception.promised_frames), (600_000, 1_600_000)
        )


class Bands(Files):
    def test_a_tone_20_db_softer_is_20_db_lower_in_its_band(self):
        t = np.arange(4 * RATE) / RATE
        low, high = np.sin(2 * np.pi * 250 * t), np.sin(2 * np.pi * 4000 * t)
        found = examine(self.written(0.5 * low + 0.05 * high))
        # 64 bands of equal ratio from 20 Hz to 20 kHz.
        loud, soft = (int(64 * np.log(hz / 20) / np.log(1000)) for hz in (250, 4000))
        self.assertEqual(found.spectrum_db[loud], 0.0)
        self.assertAlmostEqual(found.spectrum_db[soft], -20, delta=0.2)


class Notes(Files):
    def test_notes_are_where_they_were_put_however_soft_the_clip_is(self):
        rng = np.random.default_rng(4)
        t = np.arange(RATE // 2) / RATE
        sound = 1e-5 * rng.standard_normal(4 * RATE)
        places = (0.4, 1.1, 1.9, 2.65, 3.3)
        for k, at in enumerate(places):
            note = np.sin(2 * np.pi * 220 * (1 + k) * t) * np.exp(-t / 0.05)
            sound[round(at * RATE) :][: len(t)] += 0.5 * note
        for gain in (1.0, 0.02):
            with open_audio(self.written(gain * sound)) as source:
                found = find_onsets(source)
            self.assertEqual(len(found), len(places), (gain, found))
            np.testing.assert_allclose(found, places, atol=0.012)


if __name__ == "__main__":
    unittest.main()
