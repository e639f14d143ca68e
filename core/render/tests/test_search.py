"""A delay searched for the deepest null: against sums of samples that were shifted here."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.errors import FonodromeError
from core.render.search import late
from core.render.stems import find_places
from core.routing import Context, compile_rig, parse_rig

RATE = 48_000


def shifted(sound: np.ndarray, samples: float) -> np.ndarray:
    """By its spectrum, all round; what comes round at the end is silent."""
    hz = np.fft.rfftfreq(sound.shape[-1])
    return np.fft.irfft(np.fft.rfft(sound) * np.exp(-2j * np.pi * hz * samples), sound.shape[-1])


class Late(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        rng = np.random.default_rng(4)
        n = 3 * RATE
        spectrum = np.fft.rfft(rng.standard_normal((4, n)))
        spectrum[:, np.fft.rfftfreq(n, 1 / RATE) > 15_000] = 0
        sound = 0.1 * np.fft.irfft(spectrum, n)
        sound[:, : RATE // 2] = sound[:, -RATE // 2 :] = 0
        self.dry, self.wet = sound[:2], sound[2:]

    def write(self, name: str, *stems: np.ndarray) -> Path:
        path = self.folder / f"{name}.wav"
        soundfile.write(path, np.concatenate(stems).T, RATE, subtype="DOUBLE")
        return path

    def left(self, a: np.ndarray, b: np.ndarray) -> float:
        return float(10 * np.log10(max(np.square(a - b).sum() / np.square(a).sum(), 1e-30)))

    def test_the_depth_over_a_delay_is_that_of_the_samples_shifted(self):
        a = self.dry + shifted(self.wet, 37.4)
        paths = self.write("a", a), self.write("b", self.dry, self.wet)
        found = late(paths[0], [], paths[1], [1, 1], [False, True], 0.001, 2.0)
        for ms, depth in list(zip(found.changes_ms, found.depths_db, strict=True))[::25]:
            wanted = self.left(a, self.dry + shifted(self.wet, ms * RATE / 1e3))
            self.assertAlmostEqual(depth, wanted, delta=0.02)
        self.assertAlmostEqual(found.best_ms, 0.779, places=9)
        wanted = self.left(a, self.dry + shifted(self.wet, 0.779 * 48))
        self.assertAlmostEqual(found.best_depth_db, wanted, delta=0.3)
        self.assertAlmostEqual(found.depth_db, self.left(a, self.dry + self.wet), delta=0.02)

    def test_a_coarse_control_stands_at_its_own_steps_and_either_way_counts(self):
        for samples, step in ((-48.0, 0.01), (30.0, 0.5), (240.0, 1.0)):
            whole = self.dry + 0.5 * shifted(self.wet, samples)
            wanted = samples / 48
            if step == 0.5:
                steps = np.arange(-10, 11) * 0.5
                wanted = min(
                    steps,
                    key=lambda ms: self.left(whole, self.dry + 0.5 * shifted(self.wet, ms * 48)),
                )
            a = self.write("a", whole)
            b = self.write("b", self.dry, self.wet)
            found = late(a, [], b, [1, 0.5], [False, True], step, 5.0)
            self.assertAlmostEqual(found.best_ms, wanted, places=9)
            level = 0.5 * shifted(self.wet, wanted * 48)
            told = self.left(self.dry + 0.5 * shifted(self.wet, samples), self.dry + level)
            self.assertAlmostEqual(
                found.best_depth_db, max(told, -160), delta=60 if told < -90 else 0.05
            )

    def test_what_cannot_be_searched_is_said(self):
        a, b = self.write("a", self.dry), self.write("b", self.dry, 0 * self.wet)
        for asked, words in (
            ((a, [], b, [1, 1], [False, True], 0.01, 5.0), "silent"),
            ((self.write("z", 0 * self.dry), [], b, [1, 1], [True, False], 0.01, 5.0), "silent"),
            ((a, [], b, [1, 1], [True, False], 0.01, 90.0), "20 ms"),
            ((a, [], b, [1, 1, 1], [True, False, False], 0.01, 5.0), "gains are needed"),
        ):
            with self.assertRaises(FonodromeError) as caught:
                late(*asked)
            self.assertIn(words, caught.exception.sentence)


class OwnLevels(unittest.TestCase):
    """A level of a path is known by itself only where nothing else hears it."""

    def level(self, text: str) -> float | None:
        rig = parse_rig(text)
        place = next(p for p in find_places(rig, compile_rig(rig, Context()), "o") if p.id == "o")
        return next(s.owner_db for s in place.stems if s.id.startswith("r."))

    def test_what_a_strip_was_set_to_is_kept_with_its_stem(self):
        rig = parse_rig(
            "g: source > s: split > o: output\ns > o [level -3.5 dB, delay 2.71 ms, inverted]"
        )
        place = find_places(rig, compile_rig(rig, Context()), "o")[0]
        told = [(s.level_db, s.delay_ms, s.inverted) for s in place.stems]
        self.assertEqual(told, [(0.0, 0.0, False), (-3.5, 2.71, True)])

    def test_of_a_fader_a_return_or_a_level_that_one_rail_leaves(self):
        start = "g: source > s: split > o: output\ns > d: delay > r: {} > o"
        for kind in ("fader", "level", "return"):
            self.assertEqual(self.level(start.format(f"{kind} (level -7 dB)")), -7.0)
        self.assertIsNone(self.level(start.format("fader (level -7 dB, muted)")))
        self.assertIsNone(self.level(start.format("reverb")))
        keyed = start.replace("s > d", "k: source > c: compressor > o\nkey r > c\ns > d")
        self.assertIsNone(self.level(keyed.format("fader (level -7 dB)")))
