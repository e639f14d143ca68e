"""The front end's own logic: its unit tests, each told apart, run as part of one run."""

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
NPX = Path(sys.executable).parent / "npx"


class FrontEnd(unittest.TestCase):
    def test_its_unit_tests_pass(self):
        with tempfile.TemporaryDirectory() as folder:
            report = Path(folder) / "report.json"
            run = subprocess.run(
                [str(NPX), "vitest", "run", "--reporter=json", f"--outputFile={report}"],
                cwd=ROOT / "web", capture_output=True, text=True, check=False,
            )  # fmt: skip
            self.assertTrue(report.is_file(), run.stderr[-3000:])
            found = json.loads(report.read_text())
        tests = [(file, one) for file in found["testResults"] for one in file["assertionResults"]]
        for file, one in tests:
            with self.subTest(file=Path(file["name"]).name, test=one["title"]):
                self.assertEqual(one["status"], "passed", "\n".join(one["failureMessages"])[:2000])
        for file in found["testResults"]:
            with self.subTest(file=Path(file["name"]).name):
                self.assertTrue(file["assertionResults"], file.get("message", "")[:2000])
        self.assertEqual(run.returncode, 0, run.stderr[-2000:])
        self.assertGreater(len(tests), 50)
