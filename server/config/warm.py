"""What the first answers would load, loaded beside them: scipy's parts take longer than the program itself."""

import gc
import importlib
import os
import threading

PARTS = ("fft", "signal", "optimize", "special", "ndimage", "interpolate", "sparse", "linalg")


def load() -> None:
    for part in PARTS:
        importlib.import_module(f"scipy.{part}")
    # As in the web process: what stays for good is not looked through again and again.
    gc.freeze()


def after_fork() -> None:
    """Begins to load in each process that is forked from now on."""

    def begin() -> None:
        threading.Thread(target=load, name="warm", daemon=True).start()

    os.register_at_fork(after_in_child=begin)
