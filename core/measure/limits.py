"""How deep a null can be, given an error in gain, in time, or in both."""

import math

from core.units.decibel import amplitude, decibels, power_decibels


def null_of_gain_error_db(error_db: float) -> float:
    """Residual against the reference for a gain error alone: `20 log|10^(e/20) - 1|`.

    >>> round(null_of_gain_error_db(0.01), 3)
    -58.771
    """
    return decibels(abs(amplitude(error_db) - 1))


def null_of_time_error_db(error_s: float, hz: float) -> float:
    """Residual for a time error alone at a frequency: `20 log(2 |sin(pi f tau)|)`.

    >>> round(null_of_time_error_db(1 / 48_000, 1000), 3)
    -17.667
    """
    return decibels(2 * abs(math.sin(math.pi * hz * error_s)))


def null_of_errors_db(error_db: float, error_s: float, hz: float) -> float:
    """Residual for both: `10 log(1 + r^2 - 2 r cos(2 pi f tau))`, r the linear gain.

    >>> round(null_of_errors_db(0.1, 5e-6, 4000), 3)
    -17.935
    """
    r = amplitude(error_db)
    return power_decibels(1 + r * r - 2 * r * math.cos(2 * math.pi * hz * error_s))
