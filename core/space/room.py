"""A room's decay from its size and walls, and what the lines inside a reverb do."""

import math

from core.errors import FonodromeError


def speed_of_sound(celsius: float = 20.0) -> float:
    """Metres per second in air: `331.3 sqrt(1 + T / 273.15)`."""
    return 331.3 * math.sqrt(1 + celsius / 273.15)


def sabine_s(
    volume_m3: float, absorption_m2: float, speed_m_s: float = 343.0, air_per_m: float = 0.0
) -> float:
    """RT60 of a live room: `(24 ln 10 / c) V / (A + 4 m V)`.

    >>> round(sabine_s(200, 45), 4)
    0.7161
    """
    if volume_m3 <= 0 or absorption_m2 + 4 * air_per_m * volume_m3 <= 0:
        raise FonodromeError("A room needs a volume and something that absorbs.")
    return 24 * math.log(10) / speed_m_s * volume_m3 / (absorption_m2 + 4 * air_per_m * volume_m3)


def eyring_s(
    volume_m3: float, surface_m2: float, mean_absorption: float, speed_m_s: float = 343.0,
    air_per_m: float = 0.0,
) -> float:  # fmt: skip
    """RT60 of a room that absorbs more: Sabine with `-S ln(1 - a)` for A.

    >>> round(eyring_s(200, 220, 0.3), 4) < round(sabine_s(200, 66), 4)
    True
    """
    if not 0 < mean_absorption < 1:
        raise FonodromeError("The mean absorption lies between 0 and 1: 0 is bare, 1 is open air.")
    return sabine_s(volume_m3, -surface_m2 * math.log(1 - mean_absorption), speed_m_s, air_per_m)


def loop_rt60_s(loop_s: float, gain: float) -> float:
    """RT60 of one line that feeds itself: `3 tau / -log g`.

    >>> round(loop_rt60_s(0.0373, 0.82), 4)
    1.2984
    """
    if not 0 < gain < 1:
        raise FonodromeError("A loop dies away only with a gain between 0 and 1.")
    return 3 * loop_s / -math.log10(gain)


def density_time_s(
    volume_m3: float, echoes_per_s: float = 1000.0, speed_m_s: float = 343.0
) -> float:
    """When a room's echoes come as densely as that: `4 pi c^3 t^2 / V` a second.

    >>> round(1000 * density_time_s(60), 3)
    10.878
    """
    if volume_m3 <= 0 or echoes_per_s <= 0:
        raise FonodromeError("A room needs a volume, and the density must be above 0.")
    return math.sqrt(echoes_per_s * volume_m3 / (4 * math.pi * speed_m_s**3))


def pre_delay_from_distance_s(extra_path_m: float, celsius: float = 20.0) -> float:
    """Time of an extra path; a wall at distance d adds about 2 d."""
    return extra_path_m / speed_of_sound(celsius)
