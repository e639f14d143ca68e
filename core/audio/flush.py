"""Numbers too small to matter count as nothing: where a filter rings out, they take many times as long.

After a second of silence the state of a filter is below 1e-308, where a processor works by hand: 20 to
160 times as long for each sample. A thread can be told to take such numbers for zero.
"""

import platform
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numba
from llvmlite import ir  # type: ignore[import-untyped]
from numba.core import cgutils
from numba.extending import intrinsic

_TO_ZERO = 0x8040
"""Flush to zero, and denormals are zero: bits of MXCSR (Intel 64 and IA-32 manual, volume 1, 10.2.3)."""
KNOWN = platform.machine().lower() in ("x86_64", "amd64")
"""Elsewhere nothing is changed: the same sound, later."""


def _at(context: Any, builder: Any, name: str, value: Any = None) -> Any:
    word = cgutils.alloca_once(builder, ir.IntType(32))
    if value is not None:
        builder.store(value, word)
    byte = ir.IntType(8).as_pointer()
    kind = ir.FunctionType(ir.VoidType(), [byte])
    call = cgutils.get_or_insert_function(builder.module, kind, f"llvm.x86.sse.{name}")
    builder.call(call, [builder.bitcast(word, byte)])
    return builder.load(word)


@intrinsic
def _read(_):  # type: ignore[no-untyped-def]
    return numba.uint32(), lambda context, builder, _s, _a: _at(context, builder, "stmxcsr")


@intrinsic
def _write(_, value):  # type: ignore[no-untyped-def]
    def code(context, builder, _s, args):  # type: ignore[no-untyped-def]
        _at(context, builder, "ldmxcsr", args[0])
        return context.get_dummy_value()

    return numba.void(numba.uint32), code


if KNOWN:
    # Compiled as they are defined: elsewhere there is no such word to read.
    @numba.njit(numba.uint32(), cache=True)
    def _word():  # type: ignore[no-untyped-def]
        return _read()  # type: ignore[call-arg]

    @numba.njit(numba.void(numba.uint32), cache=True)
    def _set(value):  # type: ignore[no-untyped-def]
        _write(value)  # type: ignore[call-arg]


@contextmanager
def tiny_is_nothing() -> Iterator[None]:
    """In this thread and until the end, what is below 1e-308 (1e-38 in single precision) is 0."""
    if not KNOWN:
        yield
        return
    before = _word()
    _set(before | _TO_ZERO)
    try:
        yield
    finally:
        _set(before)
