"""Files that come from outside are opened in a process of their own, with limits on memory and time.

What reads a sound file is a library in C: a file made to break it takes that process with it and nothing
else. What comes back is JSON, never an object. A file that was read through once is read in the ordinary
process from then on: its bytes are stored by content and cannot change.
"""

import contextlib
import json
import multiprocessing
import os
import resource
import signal
import threading
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from pathlib import Path
from typing import Any

from core.audio.examine import ClipReport, Progress, examine, salvage
from core.errors import AudioError, FonodromeError, TruncatedAudio

_CHILDREN = multiprocessing.get_context("forkserver")
_CHILDREN.set_forkserver_preload(["core.audio.apart"])
_WAIT_S = 0.2
_KINDS: dict[str, type[FonodromeError]] = {
    kind.__name__: kind for kind in (AudioError, TruncatedAudio, FonodromeError)
}


@dataclass(frozen=True)
class Limits:
    """What the process may take: bytes of memory beyond what it begins with, seconds of CPU."""

    memory_bytes: int = 1 << 30
    cpu_s: int = 600


def examine_apart(
    path: Path | str, name: str, *, progress: Progress, limits: Limits = Limits()
) -> ClipReport:
    """As `examine`, in a process of its own. Raises AudioError too where it broke or took too much."""
    told = run_apart(_examined, str(path), name, name=name, progress=progress, limits=limits)
    return ClipReport.model_validate(told)


def salvage_apart(
    path: Path | str, name: str, target: Path, *, progress: Progress, limits: Limits = Limits()
) -> None:
    """As `salvage`, in a process of its own; nothing stays at `target` where it fails."""
    try:
        run_apart(
            _salvaged, str(path), name, str(target), name=name, progress=progress, limits=limits
        )
    except BaseException:
        target.unlink(missing_ok=True)
        raise


def _examined(path: str, name: str, *, progress: Progress) -> Any:
    return examine(path, name, progress=progress).model_dump(mode="json")


def _salvaged(path: str, name: str, target: str, *, progress: Progress) -> None:
    salvage(path, name, Path(target))


def run_apart(
    work: Callable[..., Any], *given: str, name: str, progress: Progress, limits: Limits
) -> Any:
    """What `work(*given, progress=...)` gives, through JSON. It is ended when `progress` raises.

    Raises the core's errors as `work` raised them, and AudioError where the process ended by itself.
    """
    here, there = _CHILDREN.Pipe(duplex=False)
    process = _CHILDREN.Process(target=_child, args=(there, work, given, limits), daemon=True)
    try:
        process.start()
        there.close()
        while True:
            if not here.poll(_WAIT_S):
                continue
            try:
                told = json.loads(here.recv_bytes())
            except EOFError:
                raise _ended(name, process) from None
            if "share" in told:
                progress(told["share"], told["stage"])
            elif "error" in told:
                raise _KINDS[told["error"]](told["sentence"], **told["more"])
            elif "too_much" in told:
                raise AudioError(_TOO_MUCH.format(name))
            else:
                return told["result"]
    finally:
        here.close()
        if process.pid is not None:
            process.join(0.5)
            if process.is_alive():
                process.kill()
            process.join()
            process.close()


_TOO_MUCH = "“{}” takes more memory to open than a sound file does. Export it again as WAV."
_TOO_LONG = "“{}” takes longer to open than a sound file does. Export it again as WAV."
_BROKE = "“{}” breaks what reads it: it is damaged, or no sound. Export it again as WAV."


def _ended(name: str, process: Any) -> AudioError:
    process.join(5)
    too_long = process.exitcode in (-signal.SIGXCPU, -signal.SIGKILL)
    return AudioError((_TOO_LONG if too_long else _BROKE).format(name))


def _child(
    out: Connection, work: Callable[..., Any], given: tuple[str, ...], limits: Limits
) -> None:
    _bound(limits)

    def tell(**words: Any) -> None:
        out.send_bytes(json.dumps(words).encode())

    def progress(share: float, stage: str) -> None:
        tell(share=share, stage=stage)

    with contextlib.suppress(BrokenPipeError):
        try:
            tell(result=work(*given, progress=progress))
        except TruncatedAudio as error:
            fields = ("usable_frames", "promised_frames", "rate_hz")
            more = {field: int(getattr(error, field)) for field in fields}
            tell(error="TruncatedAudio", sentence=error.sentence, more=more)
        except FonodromeError as error:
            kind = "AudioError" if isinstance(error, AudioError) else "FonodromeError"
            tell(error=kind, sentence=error.sentence, more={})
        except MemoryError:
            tell(too_much=True)


def _end_with_asker() -> None:
    asker = multiprocessing.parent_process()
    if asker is not None:
        wait([asker.sentinel])
        os._exit(1)


def _bound(limits: Limits) -> None:
    """Nothing that this process does from here on takes more; it ends with the one that asked."""
    threading.Thread(target=_end_with_asker, daemon=True).start()
    held = resource.getpagesize() * int(Path("/proc/self/statm").read_text().split()[5])
    for what, most in (
        (resource.RLIMIT_DATA, held + limits.memory_bytes),
        (resource.RLIMIT_CPU, int(sum(os.times()[:2])) + limits.cpu_s),
        (resource.RLIMIT_CORE, 0),
        (resource.RLIMIT_NOFILE, 64),
    ):
        resource.setrlimit(what, (most, most))
