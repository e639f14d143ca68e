"""Say what is being done, and what went wrong, in one line each."""

import os
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path


class Trouble(Exception):
    """Stops the command; its text is the one sentence that is shown."""


def say(text: str) -> None:
    print(text, flush=True)


class Step:
    """A named step: shows its progress on one line where a terminal is there to see it."""

    def __init__(self, name: str) -> None:
        self.name, self._began, self._live = name, time.monotonic(), sys.stdout.isatty()

    def __enter__(self) -> "Step":
        if self._live:
            print(f"  {self.name} ...", end="", flush=True)
        else:
            say(f"  {self.name} ...")
        return self

    def progress(self, text: str) -> None:
        if self._live:
            print(f"\r\033[K  {self.name} ... {text[:60]}", end="", flush=True)

    def __exit__(self, kind: object, *_: object) -> None:
        word = "failed" if kind else f"done, {time.monotonic() - self._began:.1f} s"
        if self._live:
            print(f"\r\033[K  {self.name}: {word}", flush=True)
        elif not kind:
            say(f"  {self.name}: {word}")


def run(
    command: Sequence[str | Path],
    trouble: str,
    *,
    env: dict[str, str] | None = None,
    cwd: Path | None = None,
    on_line: Callable[[str], None] = lambda line: None,
) -> str:
    """Run a command and return what it printed. Raises Trouble with a sentence and its last words."""
    lines: list[str] = []
    try:
        process = subprocess.Popen(
            [str(c) for c in command],
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            stdin=subprocess.DEVNULL,
            text=True,
            errors="replace",
            env={**os.environ, **(env or {})},
            cwd=cwd,
        )
    except OSError as error:
        raise Trouble(f"{trouble} ({error.strerror}: {command[0]})") from None
    assert process.stdout
    for line in process.stdout:
        lines.append(line)
        on_line(line.strip())
    if process.wait() != 0:
        text = "".join(lines)
        raise Trouble(f"{_reason(text) or trouble}\n\n{_tail(text)}")
    return "".join(lines)


def _reason(text: str) -> str | None:
    """A better sentence for the troubles that happen everywhere."""
    low = text.lower()
    if "no space left" in low or "enospc" in low:
        return "The disk is full. Make room and run the same command again; it goes on from here."
    unreachable = (
        "temporary failure",
        "enotfound",
        "eai_again",
        "connection refused",
        "network is unreachable",
        "could not resolve",
        "newconnectionerror",
        "etimedout",
        "econnrefused",
        "unable to connect",
        "could not find a version",
        "max retries exceeded",
    )
    if any(word in low for word in unreachable):
        return (
            "A package registry cannot be reached. Check the connection and run the same command "
            "again; what is there already is kept."
        )
    return None


def _tail(text: str) -> str:
    return "\n".join("    " + line for line in text.strip().splitlines()[-8:])
