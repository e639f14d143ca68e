"""Responses known by number, so that arrivals can be compared, and what pairs of them share is kept.

What is kept depends on nothing but the responses, the time between two arrivals and the spectrum: an
edit that changes one stage finds all other pairs again.
"""

import itertools
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
_MOST_SPECTRA, _MOST_TABLES = 5_000, 2_000


class Response(int):
    """A complex response over the cells, by a number that no other ever has: equal where it is the same one.

    It brings its cells with it, so that whatever is forgotten of it meanwhile, by whichever thread, no arrival
    is ever taken for another.
    """

    cells: np.ndarray

    def __new__(cls, cells: np.ndarray) -> "Response":
        made = super().__new__(cls, next(_NUMBERS))
        made.cells = cells
        return made


_NUMBERS = itertools.count()
FLAT = Response(np.ones(CELLS, complex))
"""The first: its number is 0."""


class Shapes:
    """What is known of responses, for all threads. All of it can be found anew: nothing here is needed."""

    def __init__(self) -> None:
        self.seen: dict[Response, np.ndarray] = {}
        self.known: dict[object, Response] = {}
        self.pairs: dict[tuple[Response, Response], Response] = {}
        self.common: dict[tuple[int, Response, Response, int], float] = {}
        self.spectra: dict[object, int] = {}
        self.tables: dict[tuple[int, tuple[tuple[int, Response], ...]], np.ndarray] = {}

    def number(self, key: object, cells: np.ndarray) -> Response:
        """A response by what makes it (kept alive, so that it stays the same)."""
        found = self.known.get(key)
        return self.known.setdefault(key, Response(cells)) if found is None else found

    def power(self, response: Response) -> np.ndarray:
        """|H|^2 of a response over the cells."""
        found = self.seen.get(response)
        if found is None:
            found = self.seen[response] = np.abs(response.cells) ** 2
        return found

    def joined(self, a: Response, b: Response) -> Response:
        """One behind the other."""
        if a == 0 or b == 0:
            return a or b
        pair = (a, b) if a < b else (b, a)
        found = self.pairs.get(pair)
        if found is None:
            found = self.pairs.setdefault(pair, Response(a.cells * b.cells))
        return found

    def spectrum(self, key: object) -> int:
        """The number of a spectrum, which no other ever has."""
        found = self.spectra.get(key)
        return self.spectra.setdefault(key, next(_NUMBERS)) if found is None else found

    def trim(self) -> None:
        """Forget everything once too much is held."""
        if (
            len(self.known) + len(self.pairs) > _MOST
            or len(self.common) > 20 * _MOST
            or len(self.spectra) > _MOST_SPECTRA
        ):
            self.forget()
        if len(self.tables) > _MOST_TABLES:
            self.tables.clear()

    def forget(self) -> None:
        for held in (self.seen, self.known, self.pairs, self.common, self.spectra, self.tables):
            held.clear()


SHAPES = Shapes()


def number_of(shape: Shaped | None, spread: Spread | None = None) -> Response:
    """Of filters, and of what a spread leaves in step."""
    found = FLAT if shape is None else SHAPES.number(shape, shape.cells)
    if spread is not None and spread.shape is not None:
        found = SHAPES.joined(found, SHAPES.number(spread, spread.shape))
    return found


def spectrum_number(spectrum: Spectrum) -> int:
    return SHAPES.spectrum(spectrum)


def weights_number(weights: np.ndarray) -> int:
    """Of a spectrum that was found on the way, by its shares over the cells."""
    return SHAPES.spectrum(weights.tobytes())


def shared_power(number: int, weights: np.ndarray, a: Response, b: Response, apart: int) -> float:
    """Share of a source's power that two responses have in common, so many ticks apart (a later)."""
    if a > b:
        a, b, apart = b, a, -apart
    key = (number, a, b, apart)
    found = SHAPES.common.get(key)
    if found is None:
        product = a.cells * np.conj(b.cells)
        if apart:
            product = product * in_common(np.array(apart / TICKS))
        found = SHAPES.common[key] = float((weights * product.real).sum())
    return found


def pair_table(
    number: int, weights: np.ndarray, arriving: tuple[tuple[int, Response], ...]
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


def fine_response(response: Response) -> np.ndarray:
    """A response at the fine places: that of their cell."""
    return np.repeat(response.cells, FINE)


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
