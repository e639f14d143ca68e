"""Where the sound comes from, parts, meets and ends."""

from typing import ClassVar, Literal

from core.routing.document.fields import (
    choice,
    db,
    flag,
    hertz,
    percent,
    quantity,
)
from core.routing.document.kinds.base import LevelKind, Node, Stage


class Source(Node):
    title: ClassVar[str] = "Source"
    transparent: ClassVar[bool] = True
    kind: Literal["source"] = "source"
    level_dbfs: float = quantity(-18, "level", "dB", -90, 0, "Nominal RMS level, dBFS")
    crest_db: float = db(12, "crest", 3, 40, "Peak above RMS that is expected of it")
    stereo: bool = flag("stereo", "Two sides, taken as unlike each other")
    gives: LevelKind = choice("line", "gives", "Level kind at its output")
    passive: bool = flag("passive", "Passive pickups: the load behind them matters")
    pickup_h: float = quantity(3, "pickup", "H", 0.5, 10, "Inductance of its pickups, 2 to 5 H")
    pickup_kohm: float = quantity(8, "winding", "kΩ", 0.1, 50, "Resistance of its pickups")
    cable_pf: float = quantity(700, "cable", "pF", 0, 20_000, "Capacitance of the cable behind it")


class Return(Stage):
    title: ClassVar[str] = "Return"
    stands_in: ClassVar[Literal["own", "mixer", "beside"]] = "mixer"
    transparent: ClassVar[bool] = True
    kind: Literal["return"] = "return"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")
    solo_safe: bool = flag("solo-safe", "Keeps sounding when another channel is soloed")


class Send(Node):
    """Taps a rail: the rail goes on through port 0, the send leaves by port 1."""

    title: ClassVar[str] = "Send"
    stands_in: ClassVar[Literal["own", "mixer", "beside"]] = "mixer"
    transparent: ClassVar[bool] = True
    kind: Literal["send"] = "send"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")

    @property
    def most_outputs(self) -> int:
        return 2


class Split(Node):
    """One input, as many outputs as rails leave it (two for crossover, band and mid/side)."""

    title: ClassVar[str] = "Split"
    stands_in: ClassVar[Literal["own", "mixer", "beside"]] = "beside"
    transparent: ClassVar[bool] = True
    kind: Literal["split"] = "split"
    mode: Literal["full", "balance", "crossover", "band", "mid-side"] = choice("full", "mode")
    balance_percent: float = percent(50, "balance", about="Share of the second rail")
    crossover_hz: float = hertz(400, "crossover")
    upper_hz: float = hertz(2500, "upper", about="Upper edge of the band, Hz")
    slope: Literal[12, 24] = choice(24, "slope", "dB per octave, Linkwitz-Riley")  # type: ignore[arg-type]
    overlap_percent: float = percent(
        0, "overlap", -90, 90, "Low rail reaches higher, high rail lower"
    )
    swapped: bool = flag("swapped", "Low and high exchange rails")

    @property
    def most_outputs(self) -> int:
        return 16 if self.mode == "full" else 2


class Merge(Node):
    """Adds its inputs; each comes in through a strip of its own."""

    title: ClassVar[str] = "Merge"
    stands_in: ClassVar[Literal["own", "mixer", "beside"]] = "mixer"
    transparent: ClassVar[bool] = True
    many_inputs: ClassVar[bool] = True
    kind: Literal["merge"] = "merge"
    level_db: float = db(0, "level")
    crossfade_percent: float | None = percent(None, "crossfade", about="First input to second")


class Bus(Node):
    """A bus or submix: adds what is sent to it."""

    title: ClassVar[str] = "Bus"
    stands_in: ClassVar[Literal["own", "mixer", "beside"]] = "mixer"
    transparent: ClassVar[bool] = True
    many_inputs: ClassVar[bool] = True
    kind: Literal["bus"] = "bus"
    level_db: float = db(0, "level")
    muted: bool = flag("muted")


class PassiveMixer(Node):
    title: ClassVar[str] = "Passive mixer"
    many_inputs: ClassVar[bool] = True
    kind: Literal["passive_mixer"] = "passive_mixer"
    loss_db: float = db(-6, "summing loss", -40, 0)


class Output(Node):
    title: ClassVar[str] = "Output"
    transparent: ClassVar[bool] = True
    many_inputs: ClassVar[bool] = True
    kind: Literal["output"] = "output"
    stereo: bool = flag("stereo")
    pan_law: Literal["-3", "-4.5", "-6", "0"] = choice("-3", "pan law")
    ceiling_dbfs: float = db(0, "ceiling", -60, 0, "Highest peak level it takes, dBFS")
    takes: LevelKind | None = choice(None, "takes", "Level kind it expects")

    @property
    def most_outputs(self) -> int:
        return 0
