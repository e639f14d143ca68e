"""Decibels: the one place where levels become gains and powers, and back."""

import math
from typing import Any, overload

import numpy as np

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


# Of numbers and of arrays alike, without a floor ---------------------------------------------------


@overload
def amplitude(level_db: np.ndarray) -> np.ndarray: ...
@overload
def amplitude(level_db: float) -> float: ...
def amplitude(level_db: Any) -> Any:
    """`10^(dB / 20)`: the gain of a level.

    >>> amplitude(20)
    10.0
    """
    return 10.0 ** (level_db / 20)


@overload
def power_of(level_db: np.ndarray) -> np.ndarray: ...
@overload
def power_of(level_db: float) -> float: ...
def power_of(level_db: Any) -> Any:
    """`10^(dB / 10)`: the power of a level.

    >>> power_of(20)
    100.0
    """
    return 10.0 ** (level_db / 10)


@overload
def decibels(gain: np.ndarray) -> np.ndarray: ...
@overload
def decibels(gain: float) -> float: ...
def decibels(gain: Any) -> Any:
    """`20 log` of gains above 0. Raises ValueError for a number that is not.

    >>> decibels(10)
    20.0
    """
    return 20 * np.log10(gain) if isinstance(gain, np.ndarray) else 20 * math.log10(gain)


@overload
def power_decibels(power: np.ndarray) -> np.ndarray: ...
@overload
def power_decibels(power: float) -> float: ...
def power_decibels(power: Any) -> Any:
    """`10 log` of powers above 0. Raises ValueError for a number that is not.

    >>> power_decibels(10)
    10.0
    """
    return 10 * np.log10(power) if isinstance(power, np.ndarray) else 10 * math.log10(power)
