"""What a reverb's tail does in the time between two phrases. RT60: the time for 60 dB."""

from core.errors import FonodromeError
from core.units.decibel import power_decibels

LONGEST_RT60_S = 60.0


def tail_db(seconds: float, pre_delay_s: float, rt60_s: float, start_db: float = 0.0) -> float:
    """Level of the tail `seconds` after the note ends: `L0 - 60 (t - p) / RT60` for t beyond p.

    >>> round(tail_db(1.1, 0.030, 1.8, -12), 3)
    -47.667
    """
    return start_db - 60 * max(0.0, seconds - pre_delay_s) / rt60_s


def longest_rt60_s(gap_s: float, pre_delay_s: float, drop_db: float) -> float:
    """The longest decay that is `drop_db` down at the end of a gap: `60 (gap - p) / drop`.

    >>> round(longest_rt60_s(1.277, 0.040, 20), 3)
    3.711
    """
    if drop_db <= 0:
        raise FonodromeError("How far the tail has to be down must be above 0 dB.")
    return 60 * max(0.0, gap_s - pre_delay_s) / drop_db


def ducking_needed_db(level_db: float, drop_db: float) -> float:
    """What ducking has to take off a tail at this level (dB below its start, negative), 0 if none."""
    return max(0.0, drop_db + level_db)


def low_end_sum_db(returns: int) -> float:
    """What n returns of equal and unrelated level add up to below their low cuts: `10 log n`.

    >>> round(low_end_sum_db(3), 2)
    4.77
    """
    return power_decibels(returns) if returns > 0 else 0.0
