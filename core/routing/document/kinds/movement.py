"""What an LFO moves: chorus and tremolo."""

from typing import ClassVar, Literal

from core.routing.document.fields import (
    flag,
    percent,
    quantity,
)
from core.routing.document.kinds.base import Mixed, Oscillated


class Chorus(Mixed, Oscillated):
    title: ClassVar[str] = "Chorus"
    has_processor: ClassVar[bool] = True
    kind: Literal["chorus"] = "chorus"
    mix_percent: float = percent(50, "mix", about="The device's own wet share")
    depth_ms: float = quantity(2, "depth", "ms", 0, 30)
    centre_ms: float = quantity(8, "centre", "ms", 0.5, 50, "Delay it swings round")
    spread: bool = flag("spread", "Left and right swing against each other")

    @property
    def wet_by_nature(self) -> bool:
        return True

    @property
    def stereo_by_nature(self) -> bool:
        return (self.sides_deg + 180 * self.spread) % 360 != 0


class Tremolo(Oscillated):
    title: ClassVar[str] = "Tremolo"
    has_processor: ClassVar[bool] = True
    processes: ClassVar[bool] = True
    kind: Literal["tremolo"] = "tremolo"
    rate_hz: float = quantity(5, "rate", "Hz", 0.01, 2000)
    depth_percent: float = percent(50, "depth")
