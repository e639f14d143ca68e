"""A named delay of a song: its time, mode, repeats and device, as later steps use it."""

import re
from typing import Literal

from pydantic import Field

from core.devices import DeviceProfile
from core.edge import Edge
from core.errors import FonodromeError
from core.units import TempoFrame, parse_time

Mode = Literal["single", "dual", "ping-pong", "cascade"]
MOST_DELAYS = 32


class DelayLine(Edge):
    """A delay typed in ms stays when the tempo changes; a note value follows it."""

    name: str = Field("Delay", min_length=1, max_length=40)
    value: str = Field("1/8.", min_length=1, max_length=60, description="Note value or time")
    mode: Mode = "single"
    second: str = Field(
        "", max_length=60, description="Right side's own time in dual and cascade; empty: the same"
    )
    offset_ms: float = Field(0, ge=-200, le=200, description="Added to the right side in dual")
    feedback_percent: float = Field(0, ge=0, le=200)
    first_db: float = Field(-3, ge=-60, le=12, description="Repeat 1 against dry")
    low_cut_hz: float | None = Field(None, ge=20, le=20_000, description="In the loop")
    high_cut_hz: float | None = Field(None, ge=20, le=20_000, description="In the loop")
    device: DeviceProfile | None = None

    def left_s(self, frame: TempoFrame) -> float:
        """Seconds of the time that it is called by; whatever the right side adds to it, and wherever
        another tempo would take that. Raises FonodromeError for a time of 0.
        """
        left, _ = parse_time(self.value, frame)
        if left <= 0:
            raise FonodromeError("A delay time must be above 0 ms.", part=self.value)
        return left

    def times_s(self, frame: TempoFrame) -> tuple[float, float]:
        """Seconds of the left and the right side. Raises FonodromeError for a time of 0."""
        left = self.left_s(frame)
        right = parse_time(self.second, frame)[0] if self.second.strip() else left
        if self.mode == "dual":
            right += self.offset_ms / 1e3
        if right <= 0:
            raise FonodromeError("A delay time must be above 0 ms.", part=self.value)
        return left, right


def slug(name: str) -> str:
    """How a named delay is written in a rig: '@lead_throw' for 'Lead throw'."""
    return "@" + (re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") or "delay")


def check_lines(lines: list[DelayLine]) -> None:
    """Raise FonodromeError where names clash or there are too many."""
    if not 1 <= len(lines) <= MOST_DELAYS:
        raise FonodromeError(f"A song holds 1 to {MOST_DELAYS} delays.")
    seen: dict[str, str] = {}
    for line in lines:
        short = slug(line.name)
        if short in seen:
            raise FonodromeError(
                f"There is a delay called “{seen[short]}” already: give this one another name.",
                part=line.name,
            )
        seen[short] = line.name
