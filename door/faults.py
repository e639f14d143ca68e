"""`faults`: parts of a running installation are killed while people work in it. What was answered must be there
afterwards, and nothing may hang.
"""

import json
import os
import signal
import subprocess
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path

from database import free_port
from serve import Running
from setup import PYTHON, ROOT, set_up
from show import say

REST_S = 8.0
MOST_S = 60.0


def _children(pid: int) -> list[int]:
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                stat = (entry / "stat").read_text()
            except OSError:
                continue
            if int(stat.rsplit(")", 1)[1].split()[1]) == pid:
                found.append(int(entry.name))
    return found


def _answers(url: str) -> bool:
    try:
        with urllib.request.urlopen(f"{url}healthy", timeout=3) as answer:
            return answer.status == 200
    except (urllib.error.URLError, OSError):
        return False


def _kinds(running: Running) -> dict[str, Callable[[], list[int]]]:
    """What is killed, by name: the processes that it is."""
    assert running._cluster
    pids = {name: process.pid for name, (_, process) in running._children.items()}
    base = running._cluster.folder / "data" / "postmaster.pid"

    def backends() -> list[int]:
        return _children(int(base.read_text().splitlines()[0]))[-1:]

    return {
        "a web process": lambda: _children(pids["web"])[:1],
        "the web server": lambda: [running._children["web"][1].pid],
        "the front": lambda: [running._children["front"][1].pid],
        "the job worker": lambda: [running._children["worker"][1].pid],
        "a database process (all are started anew)": backends,
        "the job worker again": lambda: [running._children["worker"][1].pid],
    }


def faults() -> int:
    set_up(testing=True)
    os.environ.update({"FONODROME_MOST_DEMOS": "0", "FONODROME_WHAT_IF_CPU": "100"})
    with tempfile.TemporaryDirectory(prefix="fonodrome-faults-") as held:
        os.chmod(held, 0o755)
        running = Running(Path(held) / "data", free_port())
        ended = threading.Event()

        def supervise() -> None:
            while not ended.wait(0.2):
                running.supervise()

        try:
            running.start()
            threading.Thread(target=supervise, daemon=True).start()
            kinds = _kinds(running)
            seconds = (len(kinds) + 2) * (REST_S + 4)
            env = {**os.environ, **running.env, "PYTHONPATH": str(ROOT)}
            people = subprocess.Popen(
                [str(PYTHON), "-m", "benchmarks.steady", running.url, str(seconds)],
                cwd=ROOT, env=env, stdout=subprocess.PIPE, text=True,
            )  # fmt: skip
            time.sleep(REST_S + 6)
            say(f"\n{'killed':<44} {'answers again after':>20}")
            slow = 0
            for name, which in kinds.items():
                for pid in which():
                    os.kill(pid, signal.SIGKILL)
                began = time.monotonic()
                time.sleep(0.2)
                while not _answers(running.url) and time.monotonic() - began < MOST_S:
                    time.sleep(0.1)
                took = time.monotonic() - began
                slow += took >= MOST_S
                say(f"{name:<44} {took:>18.1f} s")
                time.sleep(max(1.0, REST_S - took))
            said, _ = people.communicate(timeout=600)
            found = json.loads(said.strip().splitlines()[-1])
            say("")
            for words, value in found.items():
                say(f"{words}: {value if not isinstance(value, dict) else json.dumps(value)}")
            return 1 if slow or people.returncode else 0
        finally:
            ended.set()
            running.stop()
