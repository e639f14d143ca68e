"""`bench` and `screenshots`: a server of their own on a free port, with fresh demo data."""

import os
import subprocess
import tempfile
from pathlib import Path

from database import free_port
from serve import KEEP_MEMORY, Running
from setup import PYTHON, ROOT, set_up
from show import Trouble, say

BENCHES = (
    "null",
    "causes",
    "memory",
    "compute",
    "rig",
    "texts",
    "lattice",
    "drag",
    "render",
    "page",
    "hearing",
    "wishes",
    "worst",
)


def _with_server(command: list[str], env: dict[str, str], *, asked: bool = False) -> int:
    """asked: the command gets the address and the process of the server as words."""
    with tempfile.TemporaryDirectory(prefix="fonodrome-run-") as held:
        os.chmod(held, 0o755)
        running = Running(Path(held) / "data", free_port())
        try:
            running.start()
            more = {**os.environ, **running.env, **env, "FONODROME_BENCH_URL": running.url}
            if asked:
                command = [*command, running.url, str(os.getpid())]
            return subprocess.run(command, cwd=ROOT, env=more, check=False).returncode
        finally:
            running.stop()


def bench(names: list[str]) -> int:
    unknown = [name for name in names if name not in BENCHES]
    if unknown:
        raise Trouble(f"There is no benchmark “{unknown[0]}”. There are: {', '.join(BENCHES)}.")
    set_up(testing=True)
    command = [str(PYTHON), "-m", "benchmarks.run", *names]
    one_thread = {"OPENBLAS_NUM_THREADS": "1", "PYTHONPATH": str(ROOT), **KEEP_MEMORY}
    if not names or {"compute", "drag", "hearing"} & set(names):
        return _with_server(command, one_thread)
    return subprocess.run(
        command, cwd=ROOT, env={**os.environ, **one_thread}, check=False
    ).returncode


def load() -> int:
    """Fifty people at once, who may ask for as much as they like."""
    set_up(testing=True)
    os.environ.update({"FONODROME_MOST_DEMOS": "0", "FONODROME_WHAT_IF_CPU": "100"})
    command = [str(PYTHON), "-m", "benchmarks.load"]
    return _with_server(command, {"PYTHONPATH": str(ROOT)}, asked=True)


def screenshots() -> int:
    set_up(testing=True)
    target = ROOT / "docs" / "screenshots"
    done = _with_server([str(PYTHON), "-m", "e2e.screenshots", str(target)], {})
    if done == 0:
        say(f"The pictures are in {target.relative_to(ROOT)}.")
    return done
