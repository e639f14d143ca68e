"""How requests are dealt out to the web processes: with gunicorn itself, on a program that answers when it is told to."""

import contextlib
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import urllib.request
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import serve
from database import free_port

HOLDS = """
import os, time
from pathlib import Path

FOLDER = Path(os.environ["HELD"])

def application(environ, start_response):
    if environ["PATH_INFO"].startswith("/hold"):
        begun = FOLDER / f"{os.getpid()}.{environ['PATH_INFO'].rpartition('/')[2]}"
        begun.touch()
        while not (FOLDER / f"free.{os.getpid()}").exists():
            time.sleep(0.01)
    start_response("200 OK", [("Content-Type", "text/plain")])
    return [str(os.getpid()).encode()]
"""


class DealtOut(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        (self.folder / "holds.py").write_text(HOLDS)
        self.port = free_port()
        process = subprocess.Popen(
            serve.web_command("holds", self.port, 2), cwd=self.folder,
            env={**os.environ, "HELD": held.name, "PYTHONPATH": held.name},
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
        self.addCleanup(process.wait, 20)
        self.addCleanup(os.killpg, process.pid, signal.SIGKILL)
        self.until(lambda: self.asked("/"), "no answer")

    def asked(self, path: str) -> str:
        with contextlib.suppress(OSError):
            address = f"http://127.0.0.1:{self.port}{path}"
            with urllib.request.urlopen(address, timeout=60) as answer:
                return answer.read().decode()
        return ""

    def until(self, holds, words: str) -> None:
        end = time.monotonic() + 30
        while not holds():
            self.assertLess(time.monotonic(), end, words)
            time.sleep(0.02)

    def begun(self) -> list[str]:
        return sorted(
            p.name.partition(".")[0] for p in self.folder.glob("*.*") if p.name[0].isdigit()
        )

    def test_what_waits_goes_to_whichever_process_is_free_first(self):
        answers: list[str] = []

        def ask(path: str) -> threading.Thread:
            thread = threading.Thread(target=lambda: answers.append(self.asked(path)), daemon=True)
            thread.start()
            return thread

        most = 2 * serve.THREADS
        held = [ask(f"/hold/{n}") for n in range(most)]
        self.until(lambda: len(self.begun()) == most, "not all threads work")
        first, second = sorted(set(self.begun()))
        self.assertEqual([self.begun().count(one) for one in (first, second)], [serve.THREADS] * 2)
        waiting = [ask("/who") for _ in range(12)]
        # Each has sent its request in whole by now, and nobody took one that could not be answered.
        time.sleep(0.3)
        self.assertEqual(answers, [])
        (self.folder / f"free.{second}").touch()
        self.until(
            lambda: answers.count(second) == len(waiting) + serve.THREADS,
            "some wait for the busy process",
        )
        (self.folder / f"free.{first}").touch()
        for thread in (*held, *waiting):
            thread.join(20)
        self.assertEqual(len(answers), len(held) + len(waiting))


if __name__ == "__main__":
    unittest.main()
