"""A PostgreSQL server of our own on loopback, in a folder of its own."""

import hashlib
import os
import pwd
import secrets
import shutil
import socket
import subprocess
from pathlib import Path

from setup import postgres_bin
from show import Step, Trouble, run, say

_FAST = (
    "-c fsync=off -c synchronous_commit=off -c full_page_writes=off"  # the data of tests may die
)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


LEAST_LINES = 80
"""Web threads, worker and whoever looks in, of a small installation."""


class Cluster:
    """One database cluster. `start` makes it if needed; `stop` stops only what `start` started."""

    def __init__(self, folder: Path, *, throwaway: bool = False, lines: int = LEAST_LINES) -> None:
        """lines: connections that are open at once at most."""
        found = postgres_bin()
        if found is None:
            raise Trouble("PostgreSQL is not installed. Run: sudo apt-get install postgresql")
        self._bin, self._throwaway, self._lines = found, throwaway, lines
        self._as = ["runuser", "-u", "postgres", "--"] if os.geteuid() == 0 else []
        self.folder = self._reachable(folder)
        self.port = 0
        self._password = ""

    def _reachable(self, folder: Path) -> Path:
        """The folder, or another one where the database's user cannot get into it."""
        folder.mkdir(parents=True, exist_ok=True)
        if not self._as:
            return folder
        shutil.chown(folder, "postgres", "postgres")
        probe = subprocess.run([*self._as, "test", "-w", str(folder)], capture_output=True)
        if probe.returncode == 0:
            return folder
        folder.rmdir()
        mark = hashlib.sha256(str(folder).encode()).hexdigest()[:12]
        other = Path("/var/lib/fonodrome") / mark
        other.mkdir(parents=True, exist_ok=True)
        shutil.chown(other, "postgres", "postgres")
        say(f"  The database's user may not enter {folder.parent}; its data is in {other}.")
        return other

    @property
    def _data(self) -> Path:
        return self.folder / "data"

    def environment(self) -> dict[str, str]:
        return {
            "FONODROME_DB_PORT": str(self.port),
            "FONODROME_DB_PASSWORD": self._password,
            "FONODROME_DB_NAME": "fonodrome",
            "FONODROME_DB_USER": "fonodrome",
        }

    def _own(self, path: Path) -> None:
        if self._as:
            user = pwd.getpwnam("postgres")
            os.chown(path, user.pw_uid, user.pw_gid)

    def _secret(self) -> str:
        kept = self.folder / "password"
        if not kept.is_file():
            with os.fdopen(os.open(kept, os.O_WRONLY | os.O_CREAT, 0o600), "w") as out:
                out.write(secrets.token_hex(24))
            self._own(kept)
        return kept.read_text()

    def _make(self) -> None:
        fresh = self.folder / "data.new"
        if fresh.exists():
            shutil.rmtree(fresh)
        run(
            [
                *self._as,
                self._bin / "initdb",
                "-D",
                fresh,
                "-U",
                "fonodrome",
                "-A",
                "scram-sha-256",
                f"--pwfile={self.folder / 'password'}",
                "--no-locale",
                "-E",
                "UTF8",
            ],
            "The database could not be made.",
            cwd=Path("/"),
        )
        fresh.rename(self._data)

    def _running_port(self) -> int | None:
        """The port of a server that already runs on this data, left by a start that was killed."""
        status = subprocess.run(
            [*self._as, str(self._bin / "pg_ctl"), "-D", str(self._data), "status"],
            capture_output=True,
            cwd="/",
        )
        lines = self._data / "postmaster.pid"
        if status.returncode == 0 and lines.is_file():
            return int(lines.read_text().splitlines()[3])
        return None

    def start(self) -> None:
        self._password = self._secret()
        if not self._data.is_dir():
            with Step("Making the database"):
                self._make()
        running = self._running_port()
        if running:
            self.port = running
        else:
            self.port = free_port()
            log = self.folder / "log"
            options = (
                f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' "
                f"-c max_connections={self._lines} {_FAST if self._throwaway else ''}"
            )
            run(
                [
                    *self._as,
                    self._bin / "pg_ctl",
                    "-D",
                    self._data,
                    "-l",
                    log,
                    "-w",
                    "-t",
                    "60",
                    "-o",
                    options,
                    "start",
                ],
                f"The database did not start; {log} says why. Its data was not touched.",
                cwd=Path("/"),
            )
        self._ensure_database()

    @property
    def _where(self) -> list[str]:
        return ["-h", "127.0.0.1", "-p", str(self.port), "-U", "fonodrome"]

    def ask(self, words: str, database: str = "fonodrome") -> str:
        """What SQL answers, as psql prints it without frills."""
        return run(
            [self._bin / "psql", *self._where, "-d", database, "-Atc", words],
            "The database does not answer.",
            env={"PGPASSWORD": self._password},
        ).strip()

    def _ensure_database(self) -> None:
        there = self.ask("SELECT 1 FROM pg_database WHERE datname = 'fonodrome'", "postgres")
        if there != "1":
            run(
                [self._bin / "createdb", *self._where, "fonodrome"],
                "The database could not be made.",
                env={"PGPASSWORD": self._password},
            )

    @property
    def is_empty(self) -> bool:
        """Whether nothing was ever laid out in it."""
        return self.ask("SELECT count(*) FROM pg_tables WHERE schemaname = 'public'") == "0"

    def dump(self, to: Path) -> None:
        """All of it as it was at one moment, whatever is written meanwhile, in a file that nobody else may
        read: it holds everybody's songs. Raises Trouble.
        """
        env = {**os.environ, "PGPASSWORD": self._password}
        with os.fdopen(os.open(to, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as out:
            done = subprocess.run(
                [str(self._bin / "pg_dump"), *self._where, "-Fc", "fonodrome"],
                env=env, stdout=out, stderr=subprocess.PIPE,
            )  # fmt: skip
        if done.returncode:
            told = done.stderr.decode()[-300:].strip()
            raise Trouble(f"The database could not be read: {told}")

    def fill(self, dump: Path, trouble: str) -> None:
        """Read a dump into the empty database: all of it, or nothing. Raises Trouble."""
        run(
            [
                self._bin / "pg_restore", *self._where, "--no-owner", "--exit-on-error",
                "--single-transaction", "-d", "fonodrome", dump,
            ],
            trouble, env={"PGPASSWORD": self._password},
        )  # fmt: skip

    def stop(self) -> None:
        subprocess.run(
            [
                *self._as,
                str(self._bin / "pg_ctl"),
                "-D",
                str(self._data),
                "-m",
                "fast",
                "-w",
                "stop",
            ],
            capture_output=True,
            cwd="/",
        )
