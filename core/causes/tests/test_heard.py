"""What each correction leaves can be heard: held against subtractions made by NumPy alone."""

import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.causes import explained_test
from core.causes.tests.catalogue import RATE, Notes, compressed, shelf
from core.errors import MeasureError
from core.measure import NullOptions
from core.measure.matched import MatchedAudio, kept_wav
from core.measure.tests.pairs import write

LATE, GAIN = 100, 10 ** (-2 / 20)


def db(rest: np.ndarray, whole: np.ndarray) -> float:
    return float(10 * np.log10(np.sum(rest**2) / np.sum(whole**2)))


class EachStep(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def residual(self, a: Path, b: Path, found, after: int | None) -> np.ndarray:
        stream = MatchedAudio(a, b, NullOptions(), found, "residual", after=after)
        return soundfile.read(io.BytesIO(b"".join(stream.wav())), always_2d=True)[0]

    def test_matching_step_by_step(self):
        x = Notes(4, 21).at(np.arange(4 * RATE) / RATE)
        y = -GAIN * np.concatenate([np.zeros((LATE, 2)), x])[: len(x)]
        a, b = write(self.folder, "a.wav", x), write(self.folder, "b.wav", y)
        found = explained_test(a, b)
        self.assertEqual([s.code for s in found.to_set], ["offset", "polarity", "level"])
        self.assertIsNone(found.rests)
        moved, n = y[LATE:], len(x) - LATE
        wanted = [x[:n] - y[:n], x[:n] - moved, x[:n] + moved, x[:n] + moved / GAIN]
        for after, rest in enumerate(wanted):
            heard = self.residual(a, b, found, after)
            np.testing.assert_allclose(heard[:n], rest, atol=2e-6, err_msg=f"after {after}")
        np.testing.assert_allclose(self.residual(a, b, found, None)[:n], wanted[-1], atol=2e-6)
        with self.assertRaises(MeasureError):
            self.residual(a, b, found, 4)

    def test_what_a_fitted_cause_leaves_is_kept(self):
        x = Notes(6, 22).at(np.arange(6 * RATE) / RATE)
        squeezed, _ = compressed(x, -28, 3, 10, 120)
        y = 0.7 * shelf(squeezed, -3.0, 3000, True)
        a, b = write(self.folder, "a.wav", x), write(self.folder, "b.wav", y)
        keep = self.folder / "rests.flac"
        found = explained_test(a, b, keep=keep)
        later = [s.code for s in found.to_set if s.code in ("filter", "dynamics")]
        self.assertEqual(sorted(later), ["dynamics", "filter"])
        self.assertEqual(found.rests.codes, later)
        start = round((found.rests.start_s + found.compared_start_s) * RATE)
        whole = y[start : start + found.rests.frames]
        left = []
        for after, step in enumerate(found.to_set, 1):
            if step.code not in later:
                with self.assertRaises(MeasureError):
                    kept_wav(keep, found, after)
                continue
            rest, rate = soundfile.read(io.BytesIO(kept_wav(keep, found, after)), always_2d=True)
            self.assertEqual((rate, rest.shape), (RATE, (found.rests.frames, 2)))
            left.append(db(rest, whole))
        # One of two leaves much; both leave what the test says that they leave.
        self.assertGreater(left[0], left[1] + 10)
        self.assertAlmostEqual(left[1], found.explained_db, delta=2.0)

    def test_one_side_only_keeps_the_other_as_it_is(self):
        x = Notes(5, 23).at(np.arange(5 * RATE) / RATE)
        y = x.copy()
        y[:, 1] = np.clip(y[:, 1], -0.4 * np.abs(x[:, 1]).max(), 0.4 * np.abs(x[:, 1]).max())
        a, b = write(self.folder, "a.wav", x), write(self.folder, "b.wav", y)
        keep = self.folder / "rests.flac"
        found = explained_test(a, b, keep=keep)
        (after,) = [k for k, s in enumerate(found.to_set, 1) if s.code == "clipping"]
        rest, _ = soundfile.read(io.BytesIO(kept_wav(keep, found, after)), always_2d=True)
        self.assertLess(float(np.abs(rest[:, 0]).max()), 1e-5)
        self.assertLess(db(rest[:, 1], y[:, 1]), -45)


if __name__ == "__main__":
    unittest.main()
