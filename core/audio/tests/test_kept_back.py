"""The filters of the true peak by their own response, and how much of a short file is told to be missing."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.audio import examine
from core.audio.oversample import _last
from core.errors import TruncatedAudio


class Response(unittest.TestCase):
    def test_flat_to_five_twelfths_of_the_slow_rate_and_80_db_down_from_half_of_it(self):
        taps = _last().astype(float)
        size = np.abs(np.fft.rfft(taps, 1 << 16))
        # Frequency over the slow rate: the taps stand at twice that.
        place = np.arange(len(size)) / (1 << 16) * 2
        self.assertLess(np.abs(20 * np.log10(size[place <= 5 / 12])).max(), 0.01)
        self.assertLess(20 * np.log10(size[place >= 0.5].max()), -79)


class Missing(unittest.TestCase):
    def test_what_is_missing_is_said_as_a_share_of_what_was_promised(self):
        for kept, words in ((0.998, "less than 1 %"), (0.75, "25 %"), (0.02, "98 %")):
            with tempfile.TemporaryDirectory() as held, self.subTest(kept):
                path = Path(held) / "a.wav"
                soundfile.write(path, np.full(100_000, 0.1), 48_000, "PCM_16")
                path.write_bytes(path.read_bytes()[: 44 + 2 * round(100_000 * kept)])
                with self.assertRaises(TruncatedAudio) as said:
                    examine(path, "a.wav")
                self.assertIn(f"so {words} of it is missing", said.exception.sentence)


if __name__ == "__main__":
    unittest.main()
