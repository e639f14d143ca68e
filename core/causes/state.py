"""What is known while a pair is being explained."""

from dataclasses import dataclass, field

import numpy as np

from core.causes.pair import Pair
from core.measure.passes import ChannelMatch
from core.measure.results import Cause, Sure, ToSet

DEEP_DB = -110.0

OWN_DB = -85.0


@dataclass
class Explained:
    """What explaining found. `matches`: time and level as they are where nothing else works."""

    related: bool
    matches: list[ChannelMatch]
    causes: list[Cause] = field(default_factory=list)
    later: list[tuple[ToSet, float]] = field(default_factory=list)
    level_note: str = ""
    uncertain: bool = False
    offset_is_sure: bool = True
    left_db: float | None = None
    """What all causes together leave, where any was fitted."""


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
    start_lag: float | None = None
    """The offset at A's start, where it does not stay."""

    def say(self, cause: Cause) -> None:
        self.out.causes.append(cause)


def sureness(takes_db: float, rest_db: float) -> Sure:
    if takes_db >= 10 or rest_db < -60:
        return "certain"
    return "likely" if takes_db >= 3 else "possible"
