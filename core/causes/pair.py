"""The stretch that is looked at closely: A and B side by side, in memory."""

from dataclasses import dataclass

import numpy as np

from core.measure.fractional import HALF_TAPS, FractionalReader
from core.measure.passes import ChannelMatch
from core.measure.view import View
from core.units.decibel import power_decibels

MARGIN = 4096


@dataclass
class Pair:
    """A and B on one clock, planar (channels, frames), float64; nothing but time was matched.

    `a` reaches MARGIN frames beyond `b` on both sides, so that filters have their surroundings.
    `start` is the frame of A's view that `b[:, 0]` lies at.
    """

    rate_hz: int
    a: np.ndarray
    b: np.ndarray
    start: int

    @property
    def frames(self) -> int:
        return int(self.b.shape[1])

    @property
    def inner(self) -> np.ndarray:
        """A over the frames of B."""
        return self.a[:, MARGIN : MARGIN + self.frames]

    def cut(self, first: int, end: int) -> "Pair":
        """The frames `first` to `end` of it."""
        return Pair(
            self.rate_hz,
            self.a[:, first : end + 2 * MARGIN],
            self.b[:, first:end],
            self.start + first,
        )


def read_pair(a: View, b: View, matches: list[ChannelMatch], first: int, end: int) -> Pair:
    """Frames `first` to `end` of A's view with what of B lies under them, gains left alone.

    B is taken as it is, moved by whole samples; the part of a sample is laid on A. What bent or cut
    B did so to its own samples: between them there are no flat tops.
    """
    count = end - first + 2 * MARGIN
    wide = np.empty((len(matches), count))
    under = np.empty((len(matches), end - first))
    for row, match in enumerate(matches):
        if match.fraction:
            around = a.read(first - MARGIN - HALF_TAPS, count + 2 * HALF_TAPS)[[match.a_channel]]
            reader = FractionalReader(-match.fraction)
            wide[row] = reader.apply(around.astype(np.float64))[0]
        else:
            wide[row] = a.read(first - MARGIN, count)[match.a_channel]
        under[row] = b.read(first + match.whole, end - first)[match.b_channel]
    return Pair(a.rate_hz, wide, under, first)


def power(x: np.ndarray) -> float:
    """Sum of squares."""
    flat = np.ascontiguousarray(x).ravel()
    return float(np.einsum("i,i->", flat, flat))


def depth_db(rest: np.ndarray, whole: np.ndarray) -> float:
    """Level of what is left against the whole, dB; -400 for nothing.

    >>> round(depth_db(np.full((1, 4), 0.1), np.ones((1, 4))), 6)
    -20.0
    """
    left, all_of_it = power(rest), power(whole)
    if all_of_it <= 0:
        return 0.0
    return float(power_decibels(max(left / all_of_it, 1e-40)))
