"""The word that says how this processor takes tiny numbers, read and set (Intel 64 and IA-32 only: elsewhere there is
none). Loads Numba, so it is imported where the word is wanted.
"""

from typing import Any

import numba
from llvmlite import ir  # type: ignore[import-untyped]
from numba.core import cgutils
from numba.extending import intrinsic

from core.audio.flush import KNOWN


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
    # Compiled as they are defined: whoever loads this on another processor gets neither.
    @numba.njit(numba.uint32(), cache=True)
    def read():  # type: ignore[no-untyped-def]
        return _read()  # type: ignore[call-arg]

    @numba.njit(numba.void(numba.uint32), cache=True)
    def write(value):  # type: ignore[no-untyped-def]
        _write(value)  # type: ignore[call-arg]
