"""The proof sheet says what was tested, by content, and nothing that was not measured."""

import hashlib
import tempfile
import unittest
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import soundfile

from core.bench import BenchPlan, TestSignal, measure_take
from core.bench.signal import sound_of
from core.causes import explained_test
from core.measure import Limit, NullOptions, judged
from core.proof import Proof, ProofFile, as_markdown, proof_of_bench, proof_of_null

NOW = datetime(2026, 3, 4, 5, 6, tzinfo=UTC)


class Sheets(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def file(self, name: str, sound: np.ndarray) -> Path:
        soundfile.write(self.folder / name, sound, 48_000, subtype="FLOAT")
        return self.folder / name

    def test_of_a_null_test(self):
        x = 0.1 * np.random.default_rng(1).standard_normal(96_000)
        a, b = self.file("a.wav", x), self.file("b.wav", np.concatenate([np.zeros(24), -0.5 * x]))
        found = judged(explained_test(a, b), Limit())
        files = [
            ProofFile(role=r, name=p.name, sha256=hashlib.sha256(p.read_bytes()).hexdigest())
            for r, p in (("A", a), ("B | wet", b))
        ]
        proof = proof_of_null(found, NullOptions(), files, "Tide Table", NOW)
        rows = {row.name: (row.value, row.beside) for row in proof.figures}
        self.assertEqual(rows["Offset of B"], ("+24.000 samples", "+0.50000 ms"))
        self.assertEqual(rows["Gain of B"][0], "\u22126.021 dB")
        self.assertEqual(rows["Polarity"][0], "inverted")
        self.assertEqual(rows["Residual against A"][0], "silent")
        self.assertEqual({c.title for c in proof.causes}, {c.title for c in found.causes})
        text = as_markdown(proof)
        for words in (
            files[0].sha256,
            "2026-03-04 05:06 UTC",
            "B \\| wet",
            "## What to set",
            "Tide Table",
        ):
            self.assertIn(words, text)
        self.assertEqual(Proof.model_validate_json(proof.model_dump_json()), proof)

    def test_of_a_measurement_with_what_was_not_stated(self):
        signal = TestSignal(kind="delay")
        sound = sound_of(signal)
        late = np.concatenate([np.zeros(12_000), 0.5 * sound[:-12_000]])
        noise = 1e-4 * np.random.default_rng(2).standard_normal(len(sound))
        plan = BenchPlan(device="Old box", label_ms=248, wanted_ms=248, wet_only=True)
        found = measure_take(self.file("t.wav", sound + late + noise), signal, plan)
        proof = proof_of_bench(found, signal, plan, [], "Tide Table", None, "")
        rows = {row.name: (row.value, row.beside) for row in proof.figures}
        self.assertNotIn("First repeat", rows)
        self.assertTrue(rows["Time"][0].startswith("250.00 ms"))
        self.assertIn("planned 248.00 ms", rows["Time"][1])
        self.assertEqual(proof.to_set[0].value, "246 ms")
        text = as_markdown(proof)
        self.assertIn("## Not stated", text)
        self.assertIn("not finished", text)
