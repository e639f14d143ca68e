"""Levels, pedals, coders, amplifiers, and devices of no special kind."""

from typing import ClassVar, Literal

from core.routing.document.fields import (
    choice,
    db,
    flag,
    percent,
    quantity,
)
from core.routing.document.kinds.base import Mixed, Stage


class VolumePedal(Stage):
    title: ClassVar[str] = "Volume pedal"
    kind: Literal["volume"] = "volume"
    position_percent: float = percent(100, "position", about="0 heel, 100 toe")
    taper: Literal["audio", "linear"] = choice("audio", "taper")
    pot_kohm: float = quantity(250, "pot", "kΩ", 1, 1000)
    second_output: Literal["none", "before", "after"] = choice(
        "none", "second output", "Where its second output taps: before or after the pot"
    )

    @property
    def most_outputs(self) -> int:
        return 1 if self.second_output == "none" else 2


class Level(Stage):
    title: ClassVar[str] = "Level"
    stands_in: ClassVar[Literal["own", "mixer", "beside"]] = "beside"
    transparent: ClassVar[bool] = True
    kind: Literal["level"] = "level"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")


class Fader(Stage):
    title: ClassVar[str] = "Fader"
    stands_in: ClassVar[Literal["own", "mixer", "beside"]] = "mixer"
    transparent: ClassVar[bool] = True
    kind: Literal["fader"] = "fader"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")


class MidSideEncoder(Stage):
    title: ClassVar[str] = "Mid/side coder"
    kind: Literal["ms_encode"] = "ms_encode"
    scale: Literal["half", "one", "root-half"] = choice("half", "scale")

    @property
    def stereo_by_nature(self) -> bool:
        return True


class MidSideDecoder(Stage):
    title: ClassVar[str] = "Mid/side decoder"
    kind: Literal["ms_decode"] = "ms_decode"
    scale: Literal["half", "one", "root-half"] = choice("one", "scale")

    @property
    def stereo_by_nature(self) -> bool:
        return True


class Preamp(Stage):
    title: ClassVar[str] = "Preamp"
    takes_by_kind: ClassVar[str | None] = "instrument"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["preamp"] = "preamp"
    gain_db: float = db(12, "gain", -20, 60)


class EffectsLoop(Stage):
    title: ClassVar[str] = "Effects loop"
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["effects_loop"] = "effects_loop"
    gain_db: float = db(0, "gain", -20, 20)


class PowerAmp(Stage):
    title: ClassVar[str] = "Power amp"
    processes: ClassVar[bool] = True
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "speaker"
    kind: Literal["power_amp"] = "power_amp"
    gain_db: float = db(0, "gain", -20, 60)
    valve: bool = flag("valve")


class Outboard(Mixed):
    title: ClassVar[str] = "Outboard loop"
    processes: ClassVar[bool] = True
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["outboard"] = "outboard"
    latency_ms: float = quantity(2, "latency", "ms", 0, 2000, "Round trip of the converters")


class Generic(Mixed):
    title: ClassVar[str] = "Stage"
    processes: ClassVar[bool] = True
    kind: Literal["generic"] = "generic"
    gain_db: float = db(0, "gain")
