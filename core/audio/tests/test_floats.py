"""Files of floats: the same sound is the same file, whenever it is written."""

import ast
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np
import soundfile

import core
from core.audio.floats import float_wav, write_float


class Floats(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.sound = np.random.default_rng(3).standard_normal((2, 999)).astype(np.float32)

    def written(self, name: str) -> list[bytes]:
        paths = [self.folder / f"{name}-{k}.wav" for k in range(2)]
        write_float(paths[0], self.sound, 44_100)
        with float_wav(paths[1], 44_100, 2, "RF64") as out:
            out.write(self.sound.T)
        return [path.read_bytes() for path in paths]

    def test_a_second_later_the_bytes_are_the_same(self):
        first, began = self.written("a"), int(time.time())
        while int(time.time()) == began:
            time.sleep(0.02)
        self.assertEqual(self.written("b"), first)

    def test_the_samples_are_all_there(self):
        for k, _ in enumerate(self.written("c")):
            found, rate = soundfile.read(self.folder / f"c-{k}.wav", dtype="float32")
            self.assertEqual(rate, 44_100)
            np.testing.assert_array_equal(found.T, self.sound)

    def test_a_single_row_is_a_mono_file(self):
        write_float(self.folder / "mono.wav", self.sound[0], 48_000)
        self.assertEqual(soundfile.info(self.folder / "mono.wav").channels, 1)

    def test_samples_that_spell_a_chunk_are_left_alone(self):
        spelled = np.frombuffer(b"PEAK\x10\0\0\0\1\0\0\0\7\7\7\7", np.float32)
        write_float(self.folder / "spelled.wav", spelled, 48_000)
        found, _ = soundfile.read(self.folder / "spelled.wav", dtype="float32")
        np.testing.assert_array_equal(found, spelled)

    def test_nowhere_else_are_floats_written(self):
        """Reads core and server: a call that names "FLOAT" belongs to one module."""
        root = Path(core.__file__).parents[1]
        found = []
        for path in [*root.glob("core/**/*.py"), *root.glob("server/**/*.py")]:
            if "tests" in path.parts or path.name in ("floats.py", "testing.py"):
                continue
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.Call):
                    said = [*node.args, *(k.value for k in node.keywords)]
                    if any(isinstance(a, ast.Constant) and a.value == "FLOAT" for a in said):
                        found.append(f"{path.relative_to(root)}:{node.lineno}")
        self.assertEqual(found, [])
