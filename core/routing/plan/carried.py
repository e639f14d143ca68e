"""What a point of the plan carries: levels by side, what is dry and wet of it, times, a peak bound."""

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from core.units.decibel import audible_db

Power = tuple[float, float, float]
"""Left, right, and what they have in common (the real part of their cross power)."""
NOTHING: Power = (0.0, 0.0, 0.0)


@dataclass(slots=True)
class Carried:
    """Powers against full scale at a point, for the level that the sources are taken to have.

    `total` holds everything; arrivals of one source add as amplitudes where they are in step, so
    that `dry` and `wet`, each by itself, need not add up to it.
    """

    channels: int = 1
    total: Power = NOTHING
    dry: Power = NOTHING
    wet: Power = NOTHING
    by_source: dict[str, Power] = field(default_factory=dict)
    find_peak: Callable[[], tuple[float, float]] | None = None
    found_peak: tuple[float, float] | None = None
    dry_s: float = math.inf
    wet_s: float = math.inf
    latency_s: float | None = None
    grows: bool = False
    """A loop at or above unity feeds it: it has no level of its own."""

    @property
    def peak(self) -> tuple[float, float]:
        """Bound of the sample peak per side (linear); worked out when it is asked for."""
        if self.found_peak is None:
            self.found_peak = (0.0, 0.0) if self.find_peak is None else self.find_peak()
        return self.found_peak

    @property
    def sides_dbfs(self) -> tuple[float | None, float | None]:
        """RMS of left and right; None where nothing arrives. A mono point has its level in left."""
        return audible_db(self.total[0]), audible_db(self.total[1])

    @property
    def level_dbfs(self) -> float | None:
        """RMS of the louder side; None where nothing arrives."""
        return audible_db(max(self.total[0], self.total[1]))

    @property
    def dry_dbfs(self) -> float | None:
        return audible_db(max(self.dry[0], self.dry[1]))

    @property
    def wet_dbfs(self) -> float | None:
        return audible_db(max(self.wet[0], self.wet[1]))

    @property
    def peak_dbfs(self) -> float | None:
        """The louder side's bound; None where nothing arrives, and where there is no bound."""
        top = max(self.peak)
        return audible_db(top * top) if math.isfinite(top) else None

    @property
    def mono_power(self) -> float:
        """Power of (L + R) / 2; of a mono point its own."""
        left, right, common = self.total
        return left if self.channels == 1 else (left + right + 2 * common) / 4
