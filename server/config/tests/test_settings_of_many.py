"""Limits that a process holds are its share of what all of them may give."""

import os
import subprocess
import sys
import unittest

_ASK = "from server.config import settings as s; print(s.WHAT_IF_CPU_A_SECOND, s.WHAT_IF_CPU_AT_ONCE_S)"


class Shares(unittest.TestCase):
    def told(self, **env: str) -> list[float]:
        known = {
            k: v
            for k, v in os.environ.items()
            if not k.startswith(("FONODROME_WEB", "FONODROME_WHAT"))
        }
        done = subprocess.run(
            [sys.executable, "-c", _ASK], env={**known, **env}, capture_output=True, text=True, check=True
        )  # fmt: skip
        return [float(word) for word in done.stdout.split()]

    def test_two_processes_give_no_more_together_than_one(self):
        self.assertEqual(self.told(), [1.5, 30])
        self.assertEqual(self.told(FONODROME_WEB_PROCESSES="2"), [0.75, 15])
        self.assertEqual(
            self.told(FONODROME_WEB_PROCESSES="4", FONODROME_WHAT_IF_CPU="6"), [1.5, 7.5]
        )
        self.assertEqual(self.told(FONODROME_WEB_PROCESSES="0"), [1.5, 30])
