"""What is known while a pair is being explained."""

from dataclasses import dataclass, field

import numpy as np

from core.causes.pair import Pair
from core.measure.passes import ChannelMatch
from core.measure.results import Cause, Sure, ToSet

DEEP_DB = -110.0

OWN_DB = -85.0

READER_DB = -78.0
"""What reading between samples may leave of itself, below the top of the band."""


@dataclass
class Explained:
    """What explaining found. `matches`: time and level as they are where nothing else works."""

    related: bool
    matches: list[ChannelMatch]
    causes: list[Cause] = field(default_factory=list)
    later: list[tuple[ToSet, float]] = field(default_factory=list)
    level_note: str = ""
    stem_notes: list[str] = field(default_factory=list)
    uncertain: bool = False
    offset_is_sure: bool = True
    left_db: float | None = None
    """What all causes together leave, where any was fitted."""
    rests: dict[str, np.ndarray] = field(default_factory=dict)
    """By the code of a later step: the residual of the excerpt once it is taken away, as B sounds."""
    excerpt: int = 0
    """The frame of A's view that the excerpt begins at."""


@dataclass
class State:
    """The excerpt under work: A on B's clock, B with its gains taken off, and what was said."""

    out: Explained
    pair: Pair
    y: np.ndarray
    gains: np.ndarray
    floor_db: float
    depth: float
    masked: np.ndarray
    apart: bool = False
    """Whether an effect in both moves on its own: what is left is neither's fault."""
    detectors: bool = True
    """Whether it is searched what a gain over time follows."""
    start_lag: float | None = None
    """The offset at A's start, where it does not stay."""

    def say(self, cause: Cause) -> None:
        self.out.causes.append(cause)

    def keep(
        self, code: str, made: np.ndarray | None = None, rows: list[int] | None = None
    ) -> None:
        """Keep what is left after a step, to be heard. `made`: the prediction of `rows` of B, whose
        gains are off; of the others, and by default, it is A itself.
        """
        rest = self.y - self.pair.inner
        if made is not None:
            rest[rows if rows is not None else slice(None)] = (
                self.y[rows] if rows is not None else self.y
            ) - made
        rest = np.where(self.masked, 0.0, rest) if self.masked.any() else rest
        self.out.rests[code] = (rest * self.gains.reshape(-1, 1)).astype(np.float32)
        self.out.excerpt = self.pair.start


def sureness(takes_db: float, rest_db: float) -> Sure:
    if takes_db >= 10 or (rest_db < -60 and takes_db >= 6):
        return "certain"
    return "likely" if takes_db >= 3 else "possible"
