"""`test`: every check there is, with one closing line that counts them."""

import os
import re
import subprocess
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from database import Cluster
from setup import LOOPS, PYTHON, ROOT, VENV, WEB, node_env, set_up
from show import Trouble, say

BIN = VENV / "bin"


@dataclass(frozen=True)
class Check:
    """One command. Counts as one check, or as many as its test runner says."""

    part: str
    name: str
    command: tuple[str, ...]
    cwd: Path = ROOT
    database: bool = False


def _checks() -> list[Check]:
    npm = str(BIN / "npm")
    python = str(PYTHON)
    return [
        Check("format", "Python formatting", (str(BIN / "ruff"), "format", "--check", ".")),
        Check("format", "front end formatting", (npm, "run", "-s", "format"), WEB),
        Check("lint", "Python lint", (str(BIN / "ruff"), "check", ".")),
        Check("lint", "front end lint", (npm, "run", "-s", "lint"), WEB),
        Check("types", "Python types, the core's strict", (str(BIN / "mypy"), "core", "server")),
        Check("types", "front end types", (npm, "run", "-s", "types"), WEB),
        Check("imports", "import rules", (str(BIN / "lint-imports"), "--no-cache")),
        Check("api", "generated types are fresh", (python, "-m", "door.generated", "--check")),
        Check(
            "core",
            "core tests",
            (
                python,
                "-W",
                "error::RuntimeWarning",
                "-m",
                "unittest",
                "discover",
                "-s",
                "core",
                "-t",
                ".",
            ),
        ),
        Check(
            "server",
            "deployment check",
            (
                python,
                "manage.py",
                "check",
                "--deploy",
                "--settings",
                "server.config.production",
                "--fail-level",
                "WARNING",
            ),
            database=True,
        ),
        Check(
            "server", "server tests", (python, "manage.py", "test", "server", "door"), database=True
        ),
        Check("e2e", "browser tests", (python, "manage.py", "test", "e2e"), database=True),
    ]


PARTS = tuple(dict.fromkeys(check.part for check in _checks()))
AT_A_TIME = 2
LONG = {"core", "server"}
FIRST = "e2e"
BEHIND = ("nice", "-n", "19")
"""A third of the browser tests' time is waiting: the rest is computed in it, and gives way."""


def _count(output: str, code: int) -> tuple[int, int]:
    """Passed and failed of one command."""
    ran = re.findall(r"^Ran (\d+) tests? in", output, re.M)
    if not ran:
        return (1, 0) if code == 0 else (0, 1)
    total = int(ran[-1])
    bad = sum(int(n) for n in re.findall(r"(?:failures|errors|unexpected successes)=(\d+)", output))
    if total == 0 or (code != 0 and bad == 0):
        bad = max(1, bad)
    return max(0, total - bad), bad


def test(parts: list[str]) -> int:
    unknown = [p for p in parts if p not in PARTS]
    if unknown:
        raise Trouble(f"There is no part “{unknown[0]}”. Parts: {', '.join(PARTS)}.")
    set_up(testing=True)
    checks = [c for c in _checks() if not parts or c.part in parts]
    # Longest first, so that two at a time end together.
    order = sorted(checks, key=lambda c: (c.part != FIRST, c.part not in LONG))
    with tempfile.TemporaryDirectory(prefix="fonodrome-check-") as held:
        os.chmod(held, 0o755)
        cluster = None
        env = {
            **os.environ,
            **node_env(),
            "DJANGO_SETTINGS_MODULE": "server.config.test_settings",
            "FONODROME_DATA": held,
            "FONODROME_SECRET_KEY": "a-key-for-the-tests-alone-" * 3,
            "NUMBA_CACHE_DIR": str(LOOPS),
            "OPENBLAS_NUM_THREADS": "1",
            "PYTHONDONTWRITEBYTECODE": "1",
        }
        try:
            if any(c.database for c in checks):
                # Two parts at a time; and a browser keeps its lines to the server of each class for minutes after it.
                cluster = Cluster(Path(held) / "pg", throwaway=True, lines=500)
                cluster.start()
                env |= cluster.environment()
            with ThreadPoolExecutor(AT_A_TIME) as pool:
                counts = list(pool.map(lambda item: _run(*item, env), enumerate(order)))
        finally:
            if cluster and cluster.port:
                cluster.stop()
    passed, failed = (sum(column) for column in zip(*counts, strict=True))
    say(f"\n{passed} passed, {failed} failed")
    return 1 if failed else 0


def _run(number: int, check: Check, env: dict[str, str]) -> tuple[int, int]:
    """One command, with a database name of its own; what it said is shown in one piece."""
    began = time.monotonic()
    if check.database and "test" in check.command:
        env = {**env, "FONODROME_DB_NAME": f"{env['FONODROME_DB_NAME']}_{number}"}
    done = subprocess.run(
        check.command if check.part == FIRST else (*BEHIND, *check.command),
        cwd=check.cwd,
        env=env,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        errors="replace",
        check=False,
    )
    good, bad = _count(done.stdout, done.returncode)
    said = f"{done.stdout.rstrip()}\n" if bad else ""
    say(
        f"\n== {check.name}\n{said}   {good} passed, {bad} failed; {time.monotonic() - began:.0f} s"
    )
    return good, bad
