"""What the first answers would load, loaded beside them: scipy's parts take longer than the program itself.

Then the sample loops, which only some answers need: who asks for one of those first, waits for that one.
"""

import gc
import importlib
import os
import threading
from collections.abc import Callable, Iterable
from typing import Any

from core.sample_loops import make_all

PARTS = ("fft", "signal", "optimize", "special", "ndimage", "interpolate", "sparse", "linalg")
_loaded = threading.Event()
_loaded.set()
thread: threading.Thread | None = None
"""What loads in this process."""


def load() -> None:
    try:
        for part in PARTS:
            importlib.import_module(f"scipy.{part}")
    finally:
        _loaded.set()
    make_all()
    # As in the web process: what stays for good is not looked through again and again.
    gc.freeze()


def after_fork() -> None:
    """Begins to load in each process that is forked from now on."""

    def begin() -> None:
        _loaded.clear()
        global thread
        thread = threading.Thread(target=load, name="warm", daemon=True)
        thread.start()

    os.register_at_fork(after_in_child=begin)


def waiting(application: Callable[..., Iterable[bytes]]) -> Callable[..., Iterable[bytes]]:
    """A WSGI application whose computed answers wait until the parts are there; pages and files do not.

    Two threads that load parts which need each other can find one half loaded.
    """

    def answer(environ: dict[str, Any], start_response: Any) -> Iterable[bytes]:
        if environ.get("PATH_INFO", "").startswith("/api/"):
            _loaded.wait()
        return application(environ, start_response)

    return answer
