"""Blocks through matrices, added up without a copy more than needed."""

from typing import Any

import numpy as np

from core.routing.plan.model import Matrix
from core.sample_loops import sample_loop

_QUICK: Any = {"fastmath": {"contract"}}


@sample_loop("void(float64[::1], float64[::1], float64)", **_QUICK)
def _set(out, x, a):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        out[i] = a * x[i]


@sample_loop("void(float64[::1], float64[::1], float64)", **_QUICK)
def _add(out, x, a):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        out[i] += a * x[i]


@sample_loop("void(float64[::1], float64[::1], float64[::1], float64, float64)", **_QUICK)
def _add_two(out, x, y, a, b):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        out[i] += a * x[i] + b * y[i]


@sample_loop(
    "void(float64[::1], float64[::1], float64[::1], float64[::1], float64, float64, "
    "float64, float64, boolean, boolean)",
    **_QUICK,
)
def _through(left, right, x, y, a, b, c, d, fresh, mono):  # type: ignore[no-untyped-def]
    if mono:
        if fresh:
            _set(left, x, a)
        else:
            _add(left, x, a)
        if b != 0.0:
            _add(left, y, b)
        return
    if fresh:
        _set(left, x, a)
        _set(right, x, c)
    elif b == 0.0 and c == 0.0:
        _add(left, x, a)
    else:
        _add_two(left, x, y, a, b)
        _add_two(right, x, y, c, d)
        return
    if fresh and b != 0.0:
        _add(left, y, b)
    if d != 0.0:
        _add(right, y, d)


class Sum:
    """What arrives at a point in one step: a single block as it is, or a sum in a buffer of its own.

    At a mono point the right side is silent and not computed.
    """

    def __init__(self, channels: int = 2) -> None:
        self.mono = channels == 1
        self.room = np.zeros((2, 0))
        self.block: np.ndarray | None = None
        self.owned = False

    def clear(self) -> None:
        self.block, self.owned = None, False

    def add(self, block: np.ndarray, matrix: Matrix) -> None:
        """Add a block (2, n) through a matrix. A block that comes alone and unchanged is not copied."""
        a, b, c, d = matrix
        if self.block is None and matrix == (1.0, 0.0, 0.0, 1.0):
            self.block = block
            return
        if self.block is not None and not self.owned:
            alone = self.block
            self.block = None
            self._put(alone, (1.0, 0.0, 0.0, 1.0))
        self._put(block, matrix)

    def own(self) -> np.ndarray:
        """The sum in memory of its own, to be changed in place."""
        assert self.block is not None
        if not self.owned:
            alone, self.block = self.block, None
            self._put(alone, (1.0, 0.0, 0.0, 1.0))
        return self.room

    def _put(self, block: np.ndarray, matrix: Matrix) -> None:
        count = block.shape[1]
        fresh = self.block is None
        if fresh:
            if self.room.shape[1] != count:
                self.room = np.zeros((2, count))
            self.block, self.owned = self.room, True
        assert self.block is not None
        x, y = np.ascontiguousarray(block[0]), np.ascontiguousarray(block[1])
        _through(self.block[0], self.block[1], x, y, *matrix, fresh, self.mono)

    def value(self, count: int) -> np.ndarray:
        """The sum; silence where nothing came."""
        if self.block is None:
            self._put(np.zeros((2, count)), (0.0, 0.0, 0.0, 0.0))
        assert self.block is not None
        return self.block
