"""Filters: at rest, and swept."""

from typing import ClassVar, Literal

from core.routing.document.fields import (
    choice,
    db,
    flag,
    hertz,
    percent,
    quantity,
)
from core.routing.document.kinds.base import Mixed, Oscillated, Stage


class Filter(Stage):
    title: ClassVar[str] = "Filter"
    processes: ClassVar[bool] = True
    has_low_cut: ClassVar[bool] = True
    kind: Literal["filter"] = "filter"
    low_cut_hz: float | None = hertz(None, "low cut")
    high_cut_hz: float | None = hertz(None, "high cut")
    order: Literal[1, 2, 4] = choice(2, "order", "6, 12 or 24 dB per octave")  # type: ignore[arg-type]


class Swept(Mixed, Oscillated):
    title: ClassVar[str] = "Swept filter"
    has_processor: ClassVar[bool] = True
    processes: ClassVar[bool] = True
    kind: Literal["swept"] = "swept"
    mode: Literal["low", "high", "band", "notch", "comb"] = choice(
        "low", "mode", "What passes: below, above or about the frequency; notch and comb take out"
    )
    frequency_hz: float = hertz(800, "frequency")
    q: float = quantity(
        1.2, "Q", "", 0.3, 30, "How narrow it is; of a comb, from 2 on, its peaks ring"
    )
    comb_percent: float | None = percent(
        None, "feedback", -95, 95, "Of a comb: what it gives back to itself, in place of Q"
    )
    comb_minus: bool = flag("minus", "Comb: takes the late sound away; no peak at 0 Hz then")
    moved_by: Literal["nothing", "level", "lfo"] = choice("nothing", "moved by")
    range_oct: float = quantity(2, "range", "", 0, 6, "Octaves that it is moved by")
    rate_hz: float = quantity(0.5, "rate", "Hz", 0.01, 2000)

    @property
    def linear(self) -> bool:
        return self.moved_by == "nothing" or (self.moved_by == "lfo" and not self.by_level)

    @property
    def moving(self) -> bool:
        return self.moved_by == "lfo" and super().moving

    @property
    def stereo_by_nature(self) -> bool:
        return self.moved_by == "lfo" and super().stereo_by_nature


class Equaliser(Stage):
    title: ClassVar[str] = "Equaliser"
    processes: ClassVar[bool] = True
    kind: Literal["equaliser"] = "equaliser"
    low_db: float = db(0, "low", -24, 24)
    low_hz: float = hertz(120, "low at")
    mid_db: float = db(0, "mid", -24, 24)
    mid_hz: float = hertz(1000, "mid at")
    mid_q: float = quantity(0.8, "mid Q", "", 0.1, 20)
    high_db: float = db(0, "high", -24, 24)
    high_hz: float = hertz(6000, "high at")
