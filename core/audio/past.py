"""Rows of samples with their past at hand, without moving it all for every block."""

import numpy as np


class Past:
    """`rows` signals of which the last `reach` samples stay readable.

    `room(n)` makes place for n new samples behind the past and returns the index where they begin in
    `held` (rows, m); what was new before has become past. Fill them before the next call.
    """

    _SPARE = 4

    def __init__(self, rows: int, reach: int, dtype: type[np.floating] = np.float64) -> None:
        self.reach = max(1, reach)
        self.held: np.ndarray = np.zeros((rows, self.reach), dtype)
        self.end = self.reach

    def room(self, count: int) -> int:
        if self.end + count > self.held.shape[1]:
            # A short past is moved for every block, so that all of it stays near the processor.
            short = self.reach * self._SPARE <= count
            wider = self.reach + (count if short else max(self._SPARE * count, 2 * self.reach))
            old = self.held[:, self.end - self.reach : self.end]
            if wider > self.held.shape[1] or self.end < 2 * self.reach:
                fresh = np.zeros((len(self.held), wider), self.held.dtype)
                fresh[:, : self.reach] = old
                self.held = fresh
            else:
                self.held[:, : self.reach] = old
            self.end = self.reach
        start = self.end
        self.end += count
        return start

    def add(self, block: np.ndarray) -> int:
        """Room for a block of (rows, n), filled with it."""
        start = self.room(block.shape[1])
        self.held[:, start : self.end] = block
        return start
