"""Filters: at rest, and swept."""

from typing import ClassVar, Literal

from core.routing.document.fields import (
    choice,
    db,
    flag,
    hertz,
    quantity,
)
from core.routing.document.kinds.base import Mixed, Stage


class Filter(Stage):
    title: ClassVar[str] = "Filter"
    processes: ClassVar[bool] = True
    has_low_cut: ClassVar[bool] = True
    kind: Literal["filter"] = "filter"
    low_cut_hz: float | None = hertz(None, "low cut")
    high_cut_hz: float | None = hertz(None, "high cut")
    order: Literal[1, 2, 4] = choice(2, "order", "6, 12 or 24 dB per octave")  # type: ignore[arg-type]


class Swept(Mixed):
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
    moved_by: Literal["nothing", "level", "lfo"] = choice("nothing", "moved by")
    range_oct: float = quantity(2, "range", "", 0, 6, "Octaves that it is moved by")
    full_dbfs: float = db(
        -6, "full at", -60, 0, "Peak level (dBFS) that moves it by its whole range"
    )
    rate_hz: float = quantity(0.5, "rate", "Hz", 0.01, 50)
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(120, "release", "ms", 1, 5000)
    locked: bool = flag("locked", "Modulation locked in phase, or off")

    @property
    def linear(self) -> bool:
        return self.moved_by != "level"

    @property
    def moving(self) -> bool:
        return self.moved_by != "nothing" and not self.locked


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
