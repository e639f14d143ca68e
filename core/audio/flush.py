"""Numbers too small to matter count as nothing: where a filter rings out, they take many times as long.

After a second of silence the state of a filter is below 1e-308, where a processor works by hand: 20 to
160 times as long for each sample. A thread can be told to take such numbers for zero.
"""

import functools
import importlib
import platform
from collections.abc import Iterator
from contextlib import contextmanager
from types import ModuleType

from core.sample_loops import numba

_TO_ZERO = 0x8040
"""Flush to zero, and denormals are zero: bits of MXCSR (Intel 64 and IA-32 manual, volume 1, 10.2.3)."""
KNOWN = platform.machine().lower() in ("x86_64", "amd64")
"""Elsewhere nothing is changed: the same sound, later."""


@functools.cache
def _word() -> ModuleType:
    numba()
    return importlib.import_module("core.audio.flush_word")


@contextmanager
def tiny_is_nothing() -> Iterator[None]:
    """In this thread and until the end, what is below 1e-308 (1e-38 in single precision) is 0."""
    if not KNOWN:
        yield
        return
    word = _word()
    before = word.read()
    word.write(before | _TO_ZERO)
    try:
        yield
    finally:
        word.write(before)
