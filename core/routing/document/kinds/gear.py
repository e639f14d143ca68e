"""Cabinets, boxes between levels, microphones and the air before them."""

from typing import ClassVar, Literal

from core.routing.document.fields import (
    hertz,
    quantity,
)
from core.routing.document.kinds.base import Stage


class Cabinet(Stage):
    title: ClassVar[str] = "Cabinet"
    processes: ClassVar[bool] = True
    carries_load: ClassVar[bool] = True
    takes_by_kind: ClassVar[str | None] = "speaker"
    gives_by_kind: ClassVar[str | None] = "air"
    kind: Literal["cabinet"] = "cabinet"
    high_cut_hz: float | None = hertz(5000, "high cut")
    low_cut_hz: float | None = hertz(80, "low cut")


class CabinetModel(Stage):
    """What a cabinet and its microphone do to a line signal: no load, no speaker level."""

    title: ClassVar[str] = "Cabinet model"
    processes: ClassVar[bool] = True
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["cabinet_model"] = "cabinet_model"
    high_cut_hz: float | None = hertz(5000, "high cut")
    low_cut_hz: float | None = hertz(80, "low cut")


class LoadBox(Stage):
    title: ClassVar[str] = "Load box"
    carries_load: ClassVar[bool] = True
    takes_by_kind: ClassVar[str | None] = "speaker"
    gives_by_kind: ClassVar[str | None] = "line"
    kind: Literal["load_box"] = "load_box"


class DI(Stage):
    title: ClassVar[str] = "DI box"
    takes_by_kind: ClassVar[str | None] = "instrument"
    gives_by_kind: ClassVar[str | None] = "mic"
    kind: Literal["di"] = "di"


class ReampBox(Stage):
    title: ClassVar[str] = "Reamp box"
    takes_by_kind: ClassVar[str | None] = "line"
    gives_by_kind: ClassVar[str | None] = "instrument"
    kind: Literal["reamp"] = "reamp"


class Microphone(Stage):
    title: ClassVar[str] = "Microphone"
    takes_by_kind: ClassVar[str | None] = "air"
    gives_by_kind: ClassVar[str | None] = "mic"
    kind: Literal["microphone"] = "microphone"
    distance_m: float = quantity(0.05, "distance", "m", 0, 200)
    celsius: float = quantity(20, "temperature", "°C", -40, 60)


class Air(Stage):
    title: ClassVar[str] = "Air"
    takes_by_kind: ClassVar[str | None] = "air"
    gives_by_kind: ClassVar[str | None] = "air"
    kind: Literal["air"] = "air"
    distance_m: float = quantity(3, "distance", "m", 0, 200)
    celsius: float = quantity(20, "temperature", "°C", -40, 60)
