"""Put together what the application runs on; everything that is up to date is skipped."""

import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import IO

from show import Step, Trouble, run

ROOT = Path(__file__).resolve().parent.parent
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"
NEEDED_MB = 2500
NGINX = Path("/usr/sbin/nginx")
LOOPS = VENV / "loops"
"""The compiled sample loops: kept with the environment, so that another data folder need not wait for them."""


def digest(paths: list[Path]) -> str:
    """A fingerprint of files and folders, by relative name and content."""
    total = hashlib.sha256()
    for base in paths:
        found = sorted(p for p in base.rglob("*") if p.is_file()) if base.is_dir() else [base]
        for path in found:
            if "__pycache__" in path.parts:
                continue
            total.update(str(path.relative_to(ROOT)).encode())
            total.update(path.read_bytes())
    return total.hexdigest()


def is_current(stamp: Path, value: str) -> bool:
    return stamp.is_file() and stamp.read_text() == value


def _as_root() -> list[str]:
    """The words before a command that needs an administrator. Raises LookupError without one."""
    if os.geteuid() == 0:
        return []
    if shutil.which("sudo") and (
        sys.stdin.isatty()
        or subprocess.run(["sudo", "-n", "true"], capture_output=True).returncode == 0
    ):
        return ["sudo"]
    raise LookupError


def _missing_packages(testing: bool) -> list[str]:
    missing = []
    if not postgres_bin():
        missing.append("postgresql")
    if not NGINX.exists():
        missing.append("nginx")
    try:
        import ensurepip  # noqa: F401
        import venv  # noqa: F401
    except ImportError:
        missing.append("python3-venv")
    if testing:
        if not shutil.which("chromium"):
            missing.append("chromium")
        if not Path("/usr/bin/chromedriver").exists():
            missing.append("chromium-driver")
        if not any(Path("/usr/share/fonts").rglob("*.ttf")):
            missing.append("fonts-dejavu-core")
    return missing


def postgres_bin() -> Path | None:
    """The folder with initdb and pg_ctl of the newest PostgreSQL from Debian's packages."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[-3]))
    return found[-1].parent if found else None


def debian_packages(testing: bool) -> None:
    missing = _missing_packages(testing)
    if not missing:
        return
    names = " ".join(missing)
    try:
        before = _as_root()
    except LookupError:
        raise Trouble(
            f"Fonodrome needs Debian's packages {names}. Run: sudo apt-get install -y {names}, then "
            "the same command again."
        ) from None
    if not shutil.which("apt-get"):
        raise Trouble(f"Fonodrome needs {names}; this system has no apt-get to install them with.")
    failed = f"Debian's packages {names} could not be installed."
    with Step(f"Debian packages: {names}") as step:
        if "postgresql" in missing:
            # Fonodrome has a database server of its own; the package need not start one.
            rule = "mkdir -p /etc/postgresql-common/createcluster.d && echo 'create_main_cluster = false' > /etc/postgresql-common/createcluster.d/fonodrome.conf"
            run([*before, "sh", "-c", rule], failed)
        run([*before, "apt-get", "update", "-qq"], failed, on_line=step.progress)
        # Fonodrome runs a front of its own as well: the package's need not start, now or later.
        held = "nginx" in missing and not Path("/usr/sbin/policy-rc.d").exists()
        if held:
            rule = "printf '#!/bin/sh\\nexit 101\\n' > /usr/sbin/policy-rc.d && chmod 755 /usr/sbin/policy-rc.d"
            run([*before, "sh", "-c", rule], failed)
        try:
            run(
                [
                    *before,
                    "env",
                    "DEBIAN_FRONTEND=noninteractive",
                    "apt-get",
                    "install",
                    "-y",
                    "-q",
                    "--no-install-recommends",
                    *missing,
                ],
                failed,
                on_line=step.progress,
            )
        finally:
            if held:
                rule = "rm -f /usr/sbin/policy-rc.d; ! command -v systemctl || systemctl disable -q nginx"
                run([*before, "sh", "-c", rule], failed)


def still_runs(environment: Path) -> bool:
    """Whether an environment's Python is there, and of the version that its packages were put in for: the system's may
    have gone on to the next since.
    """
    asked = "import sys; print('%d.%d' % sys.version_info[:2])"
    try:
        lines = (environment / "pyvenv.cfg").read_text().splitlines()
        now = subprocess.run(
            [environment / "bin" / "python", "-c", asked], capture_output=True, text=True
        )
    except OSError:
        return False
    made = [line.partition("=")[2].strip() for line in lines if line.startswith("version")]
    return now.returncode == 0 and any(f"{m}.".startswith(f"{now.stdout.strip()}.") for m in made)


def python_packages(testing: bool) -> None:
    """The Python environment in .venv, from the locked lists."""
    if sys.version_info < (3, 11):
        raise Trouble(f"Fonodrome needs Python 3.11 or newer; this is {sys.version.split()[0]}.")
    # One that runs is kept, whichever Python made it: this machine may have no way to the packages today.
    if VENV.exists() and not still_runs(VENV):
        with Step("The Python environment does not run any more: made anew"):
            VENV.unlink() if VENV.is_symlink() else shutil.rmtree(VENV)
    lists = [ROOT / "requirements.txt"] + ([ROOT / "requirements-dev.txt"] if testing else [])
    for place in lists:
        stamp = VENV / f".{place.stem}.stamp"
        wanted = digest([place])
        if is_current(stamp, wanted):
            continue
        _room(ROOT)
        total = sum("==" in line for line in place.read_text().splitlines())
        seen = 0
        with Step(f"Python packages ({place.name})") as step:

            def count(line: str, step: Step = step, total: int = total) -> None:
                nonlocal seen
                if line.startswith(("Collecting", "Requirement already")):
                    seen += 1
                    step.progress(f"{min(seen, total)} of {total}")

            if not PYTHON.exists():
                run([sys.executable, "-m", "venv", VENV], "The Python environment cannot be made.")
            run(
                [
                    PYTHON,
                    "-m",
                    "pip",
                    "install",
                    "--require-hashes",
                    "--no-input",
                    "--disable-pip-version-check",
                    "-r",
                    place,
                ],
                "The Python packages could not be installed.",
                on_line=count,
            )
            stamp.write_text(wanted)


def _room(place: Path) -> None:
    free = shutil.disk_usage(place).free // 1024**2
    if free < NEEDED_MB:
        raise Trouble(
            f"The disk has {free} MB left; setting up takes about {NEEDED_MB} MB. Make room and "
            "run the same command again."
        )


def node_env() -> dict[str, str]:
    return {"PATH": f"{VENV / 'bin'}:{os.environ.get('PATH', '')}", "CI": "true"}


def front_end() -> None:
    """Install the front end's packages and build it, if its sources changed."""
    lock = digest([WEB / "package-lock.json", WEB / "package.json"])
    stamp = WEB / "node_modules" / ".fonodrome-stamp"
    if not is_current(stamp, lock):
        _room(ROOT)
        with Step("Front end packages") as step:
            run(
                [VENV / "bin" / "npm", "ci", "--no-progress"],
                "The front end's packages could not be installed.",
                env=node_env(),
                cwd=WEB,
                on_line=step.progress,
            )
            stamp.write_text(lock)
    sources = [WEB / name for name in ("index.html", "vite.config.ts", "tsconfig.json", "src")]
    built = digest([*sources, WEB / "package-lock.json"])
    stamp = WEB / "dist" / ".fonodrome-stamp"
    if not is_current(stamp, built):
        with Step("Building the front end"):
            run(
                [VENV / "bin" / "npm", "run", "build"],
                "The front end could not be built.",
                env=node_env(),
                cwd=WEB,
            )
            run(
                [PYTHON, "-m", "whitenoise.compress", "-q", WEB / "dist"],
                "The front end could not be compressed.",
            )
            stamp.write_text(built)


class Loops:
    """The sample loops, compiled once for each state of the code, beside what else is set up."""

    def __init__(self) -> None:
        self._wanted = digest([ROOT / "core", ROOT / "requirements.txt"])
        self._stamp = LOOPS / ".stamp"
        self._said: IO[bytes] | None = None
        self._process: subprocess.Popen[bytes] | None = None
        if is_current(self._stamp, self._wanted):
            return
        LOOPS.mkdir(parents=True, exist_ok=True)
        self._said = tempfile.TemporaryFile()  # noqa: SIM115
        self._process = subprocess.Popen(
            [PYTHON, "manage.py", "warm_up"],
            cwd=ROOT,
            env={**os.environ, "NUMBA_CACHE_DIR": str(LOOPS), "FONODROME_SECRET_KEY": "none-yet"},
            stdin=subprocess.DEVNULL,
            stdout=self._said,
            stderr=subprocess.STDOUT,
        )

    def wait(self) -> None:
        """Until they are there. Raises Trouble where they could not be compiled."""
        if self._process is None or self._said is None:
            return
        with Step("Compiling the sample loops"):
            if self._process.wait() != 0:
                self._said.seek(0)
                last = self._said.read().decode(errors="replace").strip().splitlines()[-12:]
                raise Trouble("The sample loops could not be compiled.\n\n" + "\n".join(last))
        self._stamp.write_text(self._wanted)

    def give_up(self) -> None:
        if self._process is not None and self._process.poll() is None:
            self._process.terminate()
            self._process.wait()


def set_up(testing: bool = False) -> None:
    """Everything that commands with a server need, apart from the database."""
    debian_packages(testing)
    python_packages(testing)
    loops = Loops()
    try:
        front_end()
        loops.wait()
    finally:
        loops.give_up()
