"""Stages that treat loud and quiet differently."""

from typing import ClassVar, Literal

from core.routing.document.fields import (
    choice,
    db,
    duration,
    flag,
    hertz,
    percent,
    quantity,
)
from core.routing.document.kinds.base import Mixed, Stage, Waved


class Compressor(Mixed):
    title: ClassVar[str] = "Compressor"
    has_processor: ClassVar[bool] = True
    processes: ClassVar[bool] = True
    takes_key: ClassVar[bool] = True
    kind: Literal["compressor"] = "compressor"
    threshold_db: float = db(-24, "threshold", -80, 12)
    ratio: float = quantity(4, "ratio", "ratio", 1, 1000)
    knee_db: float = db(6, "knee", 0, 48)
    makeup_db: float = db(0, "make-up", -24, 48)
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(120, "release", "ms", 1, 5000)
    detector: Literal["peak", "rms"] = choice("peak", "detector", "Peak, or RMS over 10 ms")

    @property
    def linear(self) -> bool:
        return False


class ThreeBand(Mixed):
    title: ClassVar[str] = "Three-band compressor"
    has_processor: ClassVar[bool] = True
    processes: ClassVar[bool] = True
    kind: Literal["three_band"] = "three_band"
    low_hz: float = hertz(200, "low to", "Where the low band ends")
    high_hz: float = hertz(2500, "high from", "Where the high band begins")
    threshold_db: float = db(-18, "threshold", -80, 12, "Turns down what is louder")
    ratio: float = quantity(2, "ratio", "ratio", 1, 100)
    up_threshold_db: float = db(-36, "lift below", -80, 12, "Turns up what is quieter")
    up_ratio: float = quantity(1.5, "lift ratio", "ratio", 1, 20)
    up_most_db: float = db(12, "lift at most", 0, 30)
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(150, "release", "ms", 1, 5000)
    low_db: float = db(0, "low", -24, 24)
    mid_db: float = db(0, "mid", -24, 24)
    high_db: float = db(0, "high", -24, 24)

    @property
    def linear(self) -> bool:
        return False


DipShape = Literal[
    "ramp", "exponential", "half-sine", "sine", "triangle", "saw-up", "steps", "sample-and-hold"
]


class Ducker(Waved):
    title: ClassVar[str] = "Ducker"
    has_processor: ClassVar[bool] = True
    takes_key: ClassVar[bool] = True
    kind: Literal["ducker"] = "ducker"
    way: Literal["key", "envelope", "shape"] = choice(
        "key", "way", "By a key's level, by its envelope, or a dip in every note value"
    )
    depth_db: float = db(9, "depth", 0, 60, "How far it turns down while the key sounds")
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(250, "release", "ms", 1, 5000)
    sensitivity_percent: float = percent(
        60, "sensitivity", 0, 400, "Envelope: what a full envelope takes off the level"
    )
    follower_gain_db: float = db(
        6, "follower gain", -24, 60, "Envelope: gain before it is taken as full"
    )
    below_zero: bool = flag("below zero", "Envelope: a level below 0 turns the polarity over")
    dip_time: str = duration("1/4", "dip every", "Shape: one dip in this note value")
    dip_shape: DipShape = choice(
        "ramp", "dip shape", "How far it is down over a dip: a ramp falls at once and comes back"
    )

    @property
    def linear(self) -> bool:
        return self.way == "shape"

    @property
    def stereo_by_nature(self) -> bool:
        return self.way == "shape" and self.sides_deg % 360 != 0


class Drive(Stage):
    title: ClassVar[str] = "Drive"
    has_processor: ClassVar[bool] = True
    processes: ClassVar[bool] = True
    kind: Literal["drive"] = "drive"
    gain_db: float = db(18, "gain", 0, 60, "Gain before the shaper")
    shape: Literal["soft", "hard", "fold"] = choice("soft", "shape")
    ceiling_dbfs: float = db(-12, "ceiling", -60, 0, "Level that the shaper flattens to, dBFS")

    @property
    def linear(self) -> bool:
        return False
