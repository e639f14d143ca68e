"""Responses known by number, so that arrivals can be compared, and what pairs of them share is kept.

What is kept depends on nothing but the responses, the time between two arrivals and the spectrum: an
edit that changes one stage finds all other pairs again.
"""

from functools import lru_cache

import numpy as np

from core.routing.plan.cells import CELLS, FINE, FINE_HZ, Spectrum, in_common
from core.routing.plan.responses import Shaped
from core.routing.plan.spread import Spread

TICKS = 1e7
"""A second in the whole numbers that times are compared by."""
FAR_TICKS = 0.25 * TICKS
"""Arrivals further apart add as powers; what cells have in common has died away by then."""
_MOST = 20_000
_MOST_TABLES = 2_000


class Shapes:
    """Complex responses over the cells by number; 0 is flat."""

    def __init__(self) -> None:
        self.held: list[np.ndarray] = [np.ones(CELLS, complex)]
        self.seen: dict[int, np.ndarray] = {}
        self.known: dict[object, int] = {}
        self.pairs: dict[tuple[int, int], int] = {}
        self.common: dict[tuple[int, int, int, int], float] = {}
        self.spectra: dict[object, int] = {}
        self.tables: dict[tuple[int, tuple[tuple[int, int], ...]], np.ndarray] = {}

    def number(self, key: object, response: np.ndarray) -> int:
        """The number of a response, by what makes it (kept alive, so that it stays the same)."""
        found = self.known.get(key)
        if found is None:
            found = self.known[key] = len(self.held)
            self.held.append(response)
        return found

    def power(self, number: int) -> np.ndarray:
        """|H|^2 of a response over the cells."""
        found = self.seen.get(number)
        if found is None:
            found = self.seen[number] = np.abs(self.held[number]) ** 2
        return found

    def joined(self, a: int, b: int) -> int:
        """One behind the other."""
        if a == 0 or b == 0:
            return a or b
        pair = (a, b) if a < b else (b, a)
        found = self.pairs.get(pair)
        if found is None:
            found = self.pairs[pair] = len(self.held)
            self.held.append(self.held[a] * self.held[b])
        return found

    def trim(self) -> None:
        """Forget everything once too much is held; only between two rigs."""
        if len(self.held) > _MOST or len(self.common) > 20 * _MOST or len(self.spectra) > 5000:
            Shapes.__init__(self)
        if len(self.tables) > _MOST_TABLES:
            self.tables.clear()


SHAPES = Shapes()


def number_of(shape: Shaped | None, spread: Spread | None = None) -> int:
    """Of filters, and of what a spread leaves in step."""
    found = 0 if shape is None else SHAPES.number(shape, shape.cells)
    if spread is not None and spread.shape is not None:
        found = SHAPES.joined(found, SHAPES.number(spread, spread.shape))
    return found


def spectrum_number(spectrum: Spectrum) -> int:
    return SHAPES.spectra.setdefault(spectrum, len(SHAPES.spectra))


def weights_number(weights: np.ndarray) -> int:
    """Of a spectrum that was found on the way, by its shares over the cells."""
    return SHAPES.spectra.setdefault(weights.tobytes(), len(SHAPES.spectra))


def shared_power(number: int, weights: np.ndarray, a: int, b: int, apart: int) -> float:
    """Share of a source's power that two responses have in common, so many ticks apart (a later)."""
    if a > b:
        a, b, apart = b, a, -apart
    key = (number, a, b, apart)
    found = SHAPES.common.get(key)
    if found is None:
        product = SHAPES.held[a] * np.conj(SHAPES.held[b])
        if apart:
            product = product * in_common(np.array(apart / TICKS))
        found = SHAPES.common[key] = float((weights * product.real).sum())
    return found


def pair_table(
    number: int, weights: np.ndarray, arriving: tuple[tuple[int, int], ...]
) -> np.ndarray:
    """(n, n) of `shared_power` between arrivals (ticks, response), rising in time; 0 where far apart."""
    found = SHAPES.tables.get((number, arriving))
    if found is None:
        found = np.zeros((len(arriving), len(arriving)))
        for i, (at, response) in enumerate(arriving):
            for j, (other_at, other) in enumerate(arriving[: i + 1]):
                if at - other_at <= FAR_TICKS:
                    shared = shared_power(number, weights, response, other, at - other_at)
                    found[i, j] = found[j, i] = shared
        SHAPES.tables[number, arriving] = found
    return found


def fine_response(number: int) -> np.ndarray:
    """A response at the fine places: that of their cell."""
    return np.repeat(SHAPES.held[number], FINE)


@lru_cache(maxsize=256)
def fine_delay(delay_s: float) -> np.ndarray:
    """The phase of a delay at the fine places."""
    return np.exp(-2j * np.pi * FINE_HZ * delay_s)


@lru_cache(maxsize=64)
def fine_delays(ticks: tuple[int, ...]) -> np.ndarray:
    """(n, places): the phases of several delays."""
    return np.exp(np.outer(ticks, -2j * np.pi / TICKS * FINE_HZ))


def cell_power(transfer: np.ndarray) -> np.ndarray:
    """(4, CELLS): mean over each cell of left, right and common power of a transfer (2, places)."""
    left, right = transfer
    common = left * np.conj(right)
    found = np.stack([np.abs(left) ** 2, np.abs(right) ** 2, common.real, common.imag])
    return found.reshape(4, CELLS, FINE).mean(axis=2)
