"""Decibels: the one place where levels become gains and powers, and back."""

import math

SILENT_DB = -120.0
"""A level at or below this is silence."""


def db_gain(level_db: float) -> float:
    """Linear gain of a level in dB; -120 dB and below is silence.

    >>> db_gain(-20)
    0.1
    """
    return 0.0 if level_db <= SILENT_DB else 10 ** (level_db / 20)


def gain_db(gain: float, floor_db: float = SILENT_DB) -> float:
    """Level in dB of a linear gain of either sign, no lower than `floor_db`.

    >>> gain_db(-0.1)
    -20.0
    """
    size = abs(gain)
    return max(floor_db, 20 * math.log10(size)) if size > 0 else floor_db


def power_db(power: float, floor_db: float = SILENT_DB) -> float:
    """Level in dB of a power (0 or more), no lower than `floor_db`.

    >>> power_db(0.01)
    -20.0
    """
    return max(floor_db, 10 * math.log10(power)) if power > 0 else floor_db


def audible_db(power: float) -> float | None:
    """Level in dB of a power; None at or below -120 dB, where nothing is heard."""
    return 10 * math.log10(power) if power > 1e-12 else None
