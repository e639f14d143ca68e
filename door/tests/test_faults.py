"""The fault run itself: what it kills may have ended a moment before, and it leaves nobody at work."""

import subprocess
import sys
import unittest
from pathlib import Path
from unittest import mock

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import faults


class Killing(unittest.TestCase):
    def sleeper(self) -> "subprocess.Popen[bytes]":
        made = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(600)"])
        self.addCleanup(made.wait)
        self.addCleanup(made.kill)
        return made

    def test_one_that_is_gone_already_keeps_none_of_the_others(self):
        gone = self.sleeper()
        gone.kill()
        gone.wait()
        there = self.sleeper()
        faults._kill([gone.pid, there.pid])
        self.assertEqual(there.wait(20), -9)

    def test_whoever_worked_meanwhile_ends_with_it_also_where_it_breaks(self):
        people = [self.sleeper(), self.sleeper()]
        with (
            mock.patch.object(faults.subprocess, "Popen", side_effect=list(people)),
            mock.patch.object(faults, "_killed_in_turn", side_effect=RuntimeError("broken")),
            self.assertRaisesRegex(RuntimeError, "broken"),
        ):
            faults._kill_all([mock.Mock(url="u", env={}) for _ in people], {})
        for one in people:
            self.assertEqual(one.wait(20), -9)


if __name__ == "__main__":
    unittest.main()
