"""A room's decay from its size and walls, and what the lines inside a reverb do."""

import math

from pydantic import Field

from core.edge import Edge
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


class RoomRequest(Edge):
    """A room, and a line inside a reverb."""

    volume_m3: float = Field(200, gt=0, le=1e6)
    surface_m2: float = Field(220, gt=0, le=1e6)
    absorption: float = Field(0.2, gt=0, lt=1, description="Mean share that the walls swallow")
    celsius: float = Field(20, ge=-40, le=60)
    distance_m: float = Field(4, ge=0, le=1000, description="To the wall that answers first")
    line_ms: float = Field(40, gt=0, le=2000)
    feedback_percent: float = Field(82, gt=0, lt=100)


class RoomOut(Edge):
    sabine_s: float
    eyring_s: float
    pre_delay_ms: float = Field(
        description="The wall's answer after the direct sound: there and back"
    )
    dense_after_ms: float = Field(description="Until 1000 echoes a second")
    line_rt60_s: float
    line_echoes_per_s: float
    warnings: list[str]


def room_view(request: RoomRequest) -> RoomOut:
    """A room's decay by both formulas, its density, and one line's decay, with what they warn of."""
    speed = speed_of_sound(request.celsius)
    dense = density_time_s(request.volume_m3, 1000, speed)
    echoes = 1000 / request.line_ms
    warnings = []
    if echoes < 30:
        warnings.append(
            f"One line of {request.line_ms:g} ms gives {echoes:.0f} echoes a second: grain. Raise the density, and "
            "take the short decay from less size."
        )
    if request.line_ms < 5:
        warnings.append(
            f"A line of {request.line_ms:g} ms rings at {1000 / request.line_ms:.0f} Hz and its multiples."
        )
    least = 4.84 * request.volume_m3 ** (2 / 3)
    if request.surface_m2 < least:
        warnings.append(
            f"No room of {request.volume_m3:g} m\u00b3 has less than {least:.0f} m\u00b2 of wall: a ball has that."
        )
    return RoomOut(
        sabine_s=sabine_s(request.volume_m3, request.surface_m2 * request.absorption, speed),
        eyring_s=eyring_s(request.volume_m3, request.surface_m2, request.absorption, speed),
        pre_delay_ms=1e3 * pre_delay_from_distance_s(2 * request.distance_m, request.celsius),
        dense_after_ms=1e3 * dense, line_rt60_s=loop_rt60_s(request.line_ms / 1e3, request.feedback_percent / 100),
        line_echoes_per_s=echoes, warnings=warnings,
    )  # fmt: skip
