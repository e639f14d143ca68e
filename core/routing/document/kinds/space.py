"""Delays, reverbs, impulse responses, and the small simulated devices."""

from typing import ClassVar, Literal

from core.routing.document.fields import (
    choice,
    db,
    duration,
    flag,
    hertz,
    percent,
    quantity,
    text,
)
from core.routing.document.kinds.base import Mixed

LOOP_RATIO = 2.0
"""Of the outboard stand-in, by its label."""
LOOP_LABEL_S = 0.002
"""Round trip that the outboard stand-in's label claims."""
STAND_IN_DELAYS = ("delay", "clock")


class Delay(Mixed):
    title: ClassVar[str] = "Delay"
    processes: ClassVar[bool] = True
    kind: Literal["delay"] = "delay"
    time: str = duration("1/8.", "time")
    feedback_percent: float = percent(0, "feedback", 0, 200, "Share that goes round again")
    mode: Literal["single", "dual", "ping-pong", "cascade"] = choice("single", "mode")
    offset_ms: float = quantity(0, "offset", "ms", -500, 500, "Right side later than left (dual)")
    side: Literal["both", "left", "right"] = choice("both", "side")
    low_cut_hz: float | None = hertz(None, "loop low cut")
    high_cut_hz: float | None = hertz(None, "loop high cut")
    hold: bool = flag("hold", "Repeats are meant to go on for ever")
    on_change: Literal["glide", "crossfade"] = choice(
        "glide", "on change", "When its time is moved: the pitch glides, or old and new crossfade"
    )
    insert: Literal["none", "drive", "chorus"] = choice(
        "none", "insert", "What each repeat goes through once more, inside the loop"
    )
    insert_percent: float = percent(30, "insert amount", about="How much of it")
    trails: bool = flag("trails", "Repeats ring on when it is switched off")

    @property
    def wet_by_nature(self) -> bool:
        return True

    @property
    def stereo_by_nature(self) -> bool:
        return self.side != "both" or self.mode != "single"

    @property
    def has_tail(self) -> bool:
        return True


class Reverb(Mixed):
    title: ClassVar[str] = "Reverb"
    has_processor: ClassVar[bool] = True
    has_low_cut: ClassVar[bool] = True
    kind: Literal["reverb"] = "reverb"
    pre_delay: str = duration("20 ms", "pre-delay")
    rt60_s: float = quantity(1.8, "RT60", "s", 0.05, 60)
    low_cut_hz: float | None = hertz(None, "low cut")
    locked: bool = flag("locked", "Its tail is not modulated")
    trails: bool = flag("trails", "The tail rings on when it is switched off")
    high_decay_percent: float = percent(
        100, "high decay", 5, 100, "RT60 at the very top, as a share of RT60"
    )
    size_percent: float = percent(100, "size", 20, 300, "Length of its lines and early part")
    density_percent: float = percent(80, "density", 0, 100)
    early_db: float = db(0, "early", -60, 12, "Early part against the tail")
    early_size_percent: float = percent(
        100, "early size", 20, 300, "Times of its early part, besides its size"
    )
    early_low_cut_hz: float | None = hertz(None, "early low cut")
    early_high_cut_hz: float | None = hertz(None, "early tone", "High cut of the early part")
    early_pan_percent: float = percent(0, "early pan", -100, 100)
    early_side_db: float = db(0, "early side", -60, 12, "Side against mid of the early part")
    early_cross_percent: float = percent(
        0, "early cross-talk", 0, 100, "What each side of the early part gives the other"
    )
    tail_low_cut_hz: float | None = hertz(None, "tail low cut")
    tail_high_cut_hz: float | None = hertz(None, "tail tone", "High cut of the tail")
    tail_pan_percent: float = percent(0, "tail pan", -100, 100)
    tail_side_db: float = db(0, "tail side", -60, 12, "Side against mid of the tail")
    mod_rate_hz: float = quantity(0.8, "modulation rate", "Hz", 0.01, 10)
    mod_depth_ms: float = quantity(0.25, "modulation depth", "ms", 0, 5)
    mod_sides_deg: float = quantity(
        0, "sides apart", "°", 0, 180, "Phase of right to left, degrees"
    )
    rt60_125_s: float | None = quantity(None, "decay at 125", "s", 0.05, 60, "RT60 about 125 Hz")
    rt60_250_s: float | None = quantity(None, "decay at 250", "s", 0.05, 60, "RT60 about 250 Hz")
    rt60_500_s: float | None = quantity(None, "decay at 500", "s", 0.05, 60, "RT60 about 500 Hz")
    rt60_1000_s: float | None = quantity(None, "decay at 1k", "s", 0.05, 60, "RT60 about 1 kHz")
    rt60_2000_s: float | None = quantity(None, "decay at 2k", "s", 0.05, 60, "RT60 about 2 kHz")
    rt60_4000_s: float | None = quantity(None, "decay at 4k", "s", 0.05, 60, "RT60 about 4 kHz")

    @property
    def wet_by_nature(self) -> bool:
        return True

    @property
    def diffuse(self) -> bool:
        return True

    @property
    def stereo_by_nature(self) -> bool:
        return True

    @property
    def moving(self) -> bool:
        return not self.locked

    @property
    def has_tail(self) -> bool:
        return True


class Convolution(Mixed):
    title: ClassVar[str] = "Impulse response"
    has_processor: ClassVar[bool] = True
    has_low_cut: ClassVar[bool] = True
    kind: Literal["convolution"] = "convolution"
    impulse: str | None = text("impulse", "Name of the song's clip that holds the response")
    pre_delay: str = duration("0 ms", "pre-delay")
    low_cut_hz: float | None = hertz(None, "low cut")

    @property
    def wet_by_nature(self) -> bool:
        return True

    @property
    def diffuse(self) -> bool:
        return True

    @property
    def has_tail(self) -> bool:
        return True


class StandIn(Mixed):
    """A small simulated device: counted by its label, heard as it truly is."""

    title: ClassVar[str] = "Stand-in"
    has_processor: ClassVar[bool] = True
    processes: ClassVar[bool] = True
    kind: Literal["stand_in"] = "stand_in"
    device: Literal["loop", "delay", "reverb", "cable", "clock", "switcher"] = choice(
        "loop",
        "device",
        "Outboard compressor loop, delay, reverb, cable, delay on a clock, or pedal switcher",
    )
    time: str = duration("1/8.", "time", "What the delay's label says")
    rt60_s: float = quantity(1.6, "RT60", "s", 0.05, 60, "What the reverb's label says")
    threshold_db: float = db(-18, "threshold", -80, 12, "Where the loop's meter starts to show")
    program: float = quantity(1, "program", "", 1, 128, "The switcher's; write moves to change it")

    @property
    def linear(self) -> bool:
        return self.device != "loop"

    @property
    def wet_by_nature(self) -> bool:
        return self.device in (*STAND_IN_DELAYS, "reverb")

    @property
    def diffuse(self) -> bool:
        return self.device == "reverb"

    @property
    def stereo_by_nature(self) -> bool:
        return self.device == "reverb"

    @property
    def moving(self) -> bool:
        return self.device in ("reverb", "clock")

    @property
    def has_tail(self) -> bool:
        return self.device in (*STAND_IN_DELAYS, "reverb")
