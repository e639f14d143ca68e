"""`start`: run the web server and the job worker until told to stop."""

import contextlib
import ctypes
import fcntl
import hashlib
import os
import secrets
import signal
import socket
import subprocess
import tempfile
import time
import urllib.error
import urllib.request
from pathlib import Path
from typing import IO

import front
import prepared
from database import LEAST_LINES, Cluster, free_port
from setup import LOOPS, PYTHON, ROOT, VENV, digest, is_current, set_up
from show import Step, Trouble, run, say

# Samples come in blocks of some hundred kilobytes. Without these the C library gives each back to the
# system, and takes it again for the next: a tenth of a render's time.
KEEP_MEMORY = {"MALLOC_MMAP_THRESHOLD_": str(64 << 20), "MALLOC_TRIM_THRESHOLD_": str(128 << 20)}


FEWEST_WEB, MOST_WEB = 2, 8
THREADS, SPARE_LINES = 4, 40
"""Threads of a web process, each with a line to the database of its own; what the worker, a backup and a hand need."""
BEHIND = 15
"""Niceness of what works in the background: about a thirtieth of a core that is wanted by both."""


def lines_for(web: int) -> int:
    """How many lines the database holds open for so many web processes."""
    return max(LEAST_LINES, web * (THREADS + 1) + SPARE_LINES)


def web_command(application: str, port: int, web: int) -> list[str]:
    """What starts so many web processes, which ask `application` in turn.

    A process takes as many requests as it has threads, and no more: the others wait where each process takes from,
    for whichever is free first. Left alone it takes every one that comes while it computes, and the process beside
    it stands idle.
    """
    options = {
        "bind": f"127.0.0.1:{port}",
        "workers": web,
        "threads": THREADS,
        "worker-connections": THREADS,
        # The front asks over a new line each time.
        "keep-alive": 0,
        "graceful-timeout": 5,
        "timeout": 120,
    }
    words = [f"--{name}={value}" for name, value in options.items()]
    return [str(VENV / "bin" / "gunicorn"), application, *words, "--preload", "--no-control-socket"]


def web_processes() -> int:
    """As many as were asked for; else one for each core, within bounds. Raises Trouble for what is no such number."""
    asked = os.environ.get("FONODROME_WEB_PROCESSES", "").strip()
    if not asked:
        return min(MOST_WEB, max(FEWEST_WEB, len(os.sched_getaffinity(0))))
    if not (asked.isascii() and asked.isdigit() and 1 <= int(asked) <= 64):
        raise Trouble(f"FONODROME_WEB_PROCESSES is “{asked[:20]}”: it takes a number from 1 to 64.")
    return int(asked)


class Running:
    """The processes of one application, for `start`, the screenshots and the benchmarks."""

    def __init__(self, data: Path, port: int, *, demo: bool = True) -> None:
        self.data, self.port, self.demo = data, port, demo
        self.web = web_processes()
        self.env: dict[str, str] = {}
        self._cluster: Cluster | None = None
        self._children: dict[str, tuple[list[str], subprocess.Popen[bytes]]] = {}
        self._lock: IO[str] | None = None
        self._held: tempfile.TemporaryDirectory[str] | None = None

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}/"

    @property
    def is_up(self) -> bool:
        return bool(self._children)

    def start(self) -> None:
        _writable(self.data)
        self._take_lock()
        _port_is_free(self.port)
        self._keep_secret()
        # One that several machines share is named by its address; without one there is our own.
        if not os.environ.get("FONODROME_DB_HOST"):
            self._cluster = Cluster(self.data / "pg", lines=lines_for(self.web))
            with Step("Database"):
                self._cluster.start()
        self.env = {
            "FONODROME_DATA": str(self.data),
            "NUMBA_CACHE_DIR": str(LOOPS if os.access(LOOPS, os.W_OK) else self.data / "numba"),
            "FONODROME_TRUSTED_PROXIES": os.environ.get("FONODROME_TRUSTED_PROXIES", "127.0.0.1"),
            "OPENBLAS_NUM_THREADS": "1",
            "FONODROME_WEB_PROCESSES": str(self.web),
            **(self._cluster.environment() if self._cluster else {}),
        }
        behind = free_port()
        # It has much to load: meanwhile the database is prepared. Nobody reaches it before that.
        self._launch("web", web_command("server.config.wsgi", behind, self.web))
        self._prepare()
        self._launch(
            "worker",
            [str(PYTHON), "manage.py", "procrastinate", "worker", "--concurrency", "2"],
        )
        self._held = tempfile.TemporaryDirectory(prefix="fonodrome-front-")
        log = self.data / "log" / "front.log"
        self._launch("front", front.command(Path(self._held.name), log, self.port, behind))
        with Step("Waiting for the first answer"):
            self._wait()

    def _take_lock(self) -> None:
        self._lock = (self.data / "lock").open("a+")
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._lock.seek(0)
            raise Trouble(
                f"Fonodrome already runs on this data: {self._lock.read().strip()}. Stop it first, "
                "or use --data with another folder."
            ) from None
        self._lock.truncate(0)
        self._lock.write(f"process {os.getpid()}, {self.url}")
        self._lock.flush()

    def _keep_secret(self) -> None:
        kept = self.data / "secret-key"
        if not kept.is_file():
            with os.fdopen(os.open(kept, os.O_WRONLY | os.O_CREAT, 0o600), "w") as out:
                out.write(secrets.token_urlsafe(50))

    def manage(self, *words: str, trouble: str, step: Step | None = None) -> str:
        return run(
            [PYTHON, "manage.py", *words],
            trouble,
            env=self.env,
            cwd=ROOT,
            on_line=step.progress if step else lambda line: None,
        )

    def _prepare(self) -> None:
        """Migrate and lay out the demo, each only when something changed."""
        stamp = self.data / "prepared"
        code = digest([ROOT / "core", ROOT / "server", ROOT / "requirements.txt"])
        wanted = f"{code} {self._cluster.folder if self._cluster else ''} {self.demo}"
        if is_current(stamp, wanted):
            return
        key = hashlib.sha256(f"{code} {self.demo}".encode()).hexdigest()[:16]
        own = self._cluster if not os.environ.get("FONODROME_OBJECTS") else None
        fresh = own is not None and own.is_empty
        if own is not None and fresh and prepared.bring(own, self.data, key):
            stamp.write_text(wanted)
            return
        # Both in one process: each of its own would load all of the program once more.
        words = ("prepare_demo", "--migrate") if self.demo else ("migrate", "--no-input")
        with Step("Database and demo data" if self.demo else "Bringing the database up to date") as step:  # fmt: skip
            self.manage(
                *words,
                trouble="The database could not be brought up to date; nothing was lost.",
                step=step,
            )
        if own is not None and fresh:
            prepared.keep(own, self.data, key)
        stamp.write_text(wanted)

    def _launch(self, name: str, command: list[str]) -> None:
        folder = self.data / "log"
        folder.mkdir(exist_ok=True)
        with (folder / f"{name}.log").open("ab") as log:
            process = subprocess.Popen(
                command,
                cwd=ROOT,
                env={
                    **os.environ,
                    **self.env,
                    **(KEEP_MEMORY if name == "worker" else {}),
                },
                stdout=log,
                stderr=log,
                stdin=subprocess.DEVNULL,
                start_new_session=True,
                preexec_fn=_behind if name == "worker" else _end_with_parent,
            )
        self._children[name] = (command, process)

    def _wait(self) -> None:
        for _ in range(600):
            try:
                with urllib.request.urlopen(f"{self.url}healthy", timeout=2) as answer:
                    if answer.status == 200:
                        return
            except (urllib.error.URLError, OSError):
                pass
            for name in ("web", "front"):
                if self._children[name][1].poll() is not None:
                    log = self.data / "log" / f"{name}.log"
                    raise Trouble(f"The web server did not answer; {log} says why.")
            time.sleep(0.1)
        raise Trouble(f"The web server did not answer; {self.data / 'log'} says why.")

    def supervise(self) -> None:
        """Start a part again that ended by itself, but not faster than every two seconds."""
        for name, (command, process) in list(self._children.items()):
            if process.poll() is not None:
                say(f"  The {name} process ended by itself and is started again.")
                # What it left running holds its port, or works for nobody.
                with contextlib.suppress(ProcessLookupError):
                    os.killpg(process.pid, signal.SIGKILL)
                time.sleep(2)
                self._launch(name, command)

    def stop(self) -> None:
        for _, process in self._children.values():
            if process.poll() is None:
                process.terminate()
        end = time.monotonic() + 10
        for _, process in self._children.values():
            try:
                process.wait(max(0.1, end - time.monotonic()))
            except subprocess.TimeoutExpired:
                os.killpg(process.pid, signal.SIGKILL)
                process.wait()
        self._children.clear()
        if self._held:
            self._held.cleanup()
        if self._cluster and self._cluster.port:
            self._cluster.stop()
        if self._lock:
            self._lock.close()


def _end_with_parent() -> None:
    """Ask the kernel to end this process when the front door dies, however it dies (Linux)."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)


def _behind() -> None:
    """Besides: whoever waits for an answer goes before what is made in the background.

    A process's own niceness counts within its session alone where the kernel groups by sessions, and each part has
    one: that of the group counts between them.
    """
    _end_with_parent()
    os.nice(BEHIND)
    with contextlib.suppress(OSError):
        Path("/proc/self/autogroup").write_text(str(BEHIND))


def _writable(data: Path) -> None:
    try:
        data.mkdir(parents=True, exist_ok=True)
        probe = data / ".probe"
        probe.write_bytes(b"0" * 4096)
        probe.unlink()
    except OSError as error:
        if error.errno == 28:
            raise Trouble(f"The disk of {data} is full. Make room; nothing was lost.") from None
        raise Trouble(f"{data} cannot be written to ({error.strerror}). Use --data DIR.") from None


def _port_is_free(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError as error:
            reason = (
                "needs an administrator" if error.errno == 13 else "is taken by another program"
            )
            raise Trouble(
                f"Port {port} {reason}. Choose another: --port {(port + 1000) % 60000}"
            ) from None


def start(data: Path, port: int, demo: bool) -> int:
    say("Fonodrome: setting up what is not there yet.")
    set_up()
    running = Running(data, port, demo=demo)
    stop = False

    def on_signal(*_: object) -> None:
        nonlocal stop
        stop = True

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, on_signal)
    try:
        running.start()
        if not stop:
            say(f"Fonodrome is ready: {running.url}")
        while not stop:
            running.supervise()
            time.sleep(0.3)
        return 0
    finally:
        if running.is_up:
            say("Stopping ...")
        was_up = running.is_up
        running.stop()
        if was_up:
            say("Stopped. Everything is kept.")
