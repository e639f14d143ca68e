"""The front end's own logic: its unit tests, run by Node on the sources as they are."""

import re
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
NODE = Path(sys.executable).parent / "node"


class FrontEnd(unittest.TestCase):
    def test_its_unit_tests_pass(self):
        run = subprocess.run(
            [str(NODE), "--import", "./tests/resolve.mjs", "--test", "tests/*.test.ts"],
            cwd=ROOT / "web", capture_output=True, text=True, check=False,
        )  # fmt: skip
        said = run.stdout + run.stderr
        self.assertEqual(run.returncode, 0, said[-4000:])
        counted = re.search(r"^ℹ pass (\d+)", said, re.M)
        self.assertIsNotNone(counted, said[-2000:])
        self.assertGreater(int(counted[1]), 0)
