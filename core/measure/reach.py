"""How deep a null a device's steps allow: the nearest settings and what they leave."""

import math

from pydantic import Field

from core.edge import Edge
from core.errors import MeasureError
from core.measure.results import Measurement
from core.units import format as fmt
from core.units.decibel import amplitude, power_decibels, power_of

RESOLUTION_DB = 3.0
_DEEPEST_DB = -200.0
_SOME_NULL_DB = 3.0
"""What takes less than this away is none."""


class Steps(Edge):
    """The steps of the controls that B will be corrected with."""

    level_db: float = Field(0.1, gt=0, le=12, description="Step of the level control, dB")
    time_ms: float = Field(0.01, gt=0, le=1000, description="Step of the time control, ms")


class Reach(Edge):
    """The best null with these steps, and whether the test is already there."""

    level_set_db: float = Field(description="Nearest correction of B's level")
    level_off_db: float = Field(description="What stays: error of that setting")
    time_set_ms: float = Field(description="Nearest correction of B's time; negative is earlier")
    time_off_ms: float
    best_db: float = Field(description="Residual against A to expect, dB; negative")
    at_resolution: bool = Field(description="Level and time lie within half a step already")
    sentence: str


def null_of_errors_in_bands_db(
    centres_hz: list[float], levels_db: list[float | None], error_db: float, error_s: float
) -> float:
    """Residual for an error in level and one in time of a sound whose third-octave levels are known.

    `sum p |1 - r e^(-i w t)|^2 / sum p`, the middle of a band standing for it below 1/4 turn, the
    mean over the band above.

    >>> round(null_of_errors_in_bands_db([1000.0], [-20.0], 0.01, 0.0), 2)
    -58.77
    """
    r = amplitude(error_db)
    left = whole = 0.0
    for hz, level in zip(centres_hz, levels_db, strict=True):
        if level is None:
            continue
        power = power_of(level)
        low, high = (2 * math.pi * hz * 2 ** (s / 6) * error_s for s in (-1, 1))
        # Mean of cos over the band.
        turn = math.cos(low) if high == low else (math.sin(high) - math.sin(low)) / (high - low)
        left += power * max(1 + r * r - 2 * r * turn, 0.0)
        whole += power
    if whole <= 0 or left <= 0:
        return _DEEPEST_DB
    return max(power_decibels(left / whole), _DEEPEST_DB)


def reach_of(found: Measurement, steps: Steps) -> Reach:
    """The nearest settings of controls with steps. Raises MeasureError where nothing was matched."""
    if found.gain_db is None or found.offset_ms is None:
        raise MeasureError("Nothing relates the two sounds: there is nothing to set.")
    level = round(-found.gain_db / steps.level_db) * steps.level_db
    time = round(-found.offset_ms / steps.time_ms) * steps.time_ms
    level_off, time_off = found.gain_db + level, found.offset_ms + time
    own = found.explained_db if found.explained_db is not None else found.null_depth_db
    by_steps = null_of_errors_in_bands_db(
        found.bands.centre_hz, found.bands.a_dbfs, level_off, time_off / 1e3
    )
    floor = _DEEPEST_DB if own is None else own
    best = power_decibels(power_of(by_steps) + power_of(floor))
    there = (
        abs(found.gain_db) <= 0.5 * steps.level_db + 1e-6
        and abs(found.offset_ms) <= 0.5 * steps.time_ms + 1e-6
    )
    raw = found.raw_null_db
    too_coarse = best > -_SOME_NULL_DB
    at = there and not too_coarse and (raw is None or raw <= best + RESOLUTION_DB)
    if at:
        said = "This is the knob's resolution: level and time lie within half a step."
    elif too_coarse:
        said = (
            f"With steps of {fmt.significant(steps.level_db, 3)} dB and {fmt.significant(steps.time_ms, 3)} ms "
            "no null is within reach: set the time on something finer."
        )
    else:
        said = (
            f"With steps of {fmt.significant(steps.level_db, 3)} dB and {fmt.significant(steps.time_ms, 3)} ms "
            f"the best null within reach is {fmt.number(-best, 0)} dB down."
        )
    return Reach(
        level_set_db=round(level, 6), level_off_db=round(level_off, 6),
        time_set_ms=round(time, 6), time_off_ms=round(time_off, 6),
        best_db=round(best, 3), at_resolution=at, sentence=said,
    )  # fmt: skip
