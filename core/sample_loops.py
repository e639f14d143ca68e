"""Sample loops: written as plain functions, compiled by Numba when one of them is first called.

Numba takes a second to load and each loop some milliseconds to be read from its cache; who never calls a
loop (a page that asks for arithmetic, a command that writes a rig) does not wait for it.
"""

import importlib
import threading
from typing import Any

_LOADING = threading.Lock()
KNOWN: list["SampleLoop"] = []


def numba() -> Any:
    """The package, loaded by one thread: two that load what needs each other can find one half loaded."""
    with _LOADING:
        return importlib.import_module("numba")


class SampleLoop:
    """A function that is compiled at its first call. Others may call it inside their own loops.

    signatures: the types it is made for, as Numba writes them: `void(float64[::1], int64)`.
    """

    def __init__(self, function: Any, signatures: tuple[str, ...], options: dict[str, Any]) -> None:
        self.py_func = function
        self.__doc__, self.__name__ = function.__doc__, function.__name__
        self.signatures, self.options = signatures, options
        self._made: Any = None
        KNOWN.append(self)

    def __call__(self, *values: Any) -> Any:
        return (self._made or self.made())(*values)

    @property
    def _numba_type_(self) -> Any:
        """What Numba asks for where another loop names this one."""
        return self.made()._numba_type_

    @property
    def named(self) -> list["SampleLoop"]:
        """The loops that it calls."""
        known = self.py_func.__globals__
        found = (known.get(name) for name in self.py_func.__code__.co_names)
        return [one for one in found if isinstance(one, SampleLoop)]

    @property
    def is_made(self) -> bool:
        return self._made is not None

    def made(self) -> Any:
        """The compiled function; made once, whoever asks first."""
        compiler = numba()
        # Numba's own lock and no other: it is held where a loop that is being compiled asks for this one.
        with compiler.core.compiler_lock.global_compiler_lock:
            if self._made is None:
                make = compiler.njit(list(self.signatures), cache=True, **self.options)
                self._made = make(self.py_func)
        return self._made


def sample_loop(signature: str, *others: str, **options: Any) -> Any:
    """Decorator: the function is a sample loop, compiled for each of the signatures.

    options: Numba's. Other threads go on while one is at work.
    """
    signatures = (signature, *others)
    return lambda function: SampleLoop(function, signatures, {"nogil": True, **options})


def make_all() -> None:
    """Whatever loop is known by now is compiled, or read from the cache."""
    for one in list(KNOWN):
        one.made()


def shares(count: int) -> list[list[SampleLoop]]:
    """Whatever loop is known by now, dealt out about evenly to `count` that compile beside each other.

    Loops that call each other stay together: two that compile the same one can spoil its cache.
    """
    groups: list[list[SampleLoop]] = []
    for one in KNOWN:
        near = [group for group in groups if any(_touch(one, other) for other in group)]
        groups = [group for group in groups if group not in near]
        groups.append([one, *(other for group in near for other in group)])
    dealt: list[list[SampleLoop]] = [[] for _ in range(count)]
    for group in sorted(groups, key=_length, reverse=True):
        min(dealt, key=_length).extend(group)
    return dealt


def _touch(one: SampleLoop, other: SampleLoop) -> bool:
    return other in one.named or one in other.named


def _length(loops: list[SampleLoop]) -> int:
    """What they take to compile goes with what there is to be compiled."""
    return sum(len(one.py_func.__code__.co_code) * len(one.signatures) for one in loops)
