"""What every part of a rig has, and what every stage has."""

from typing import ClassVar, Literal

from pydantic import Field

from core.edge import Edge
from core.routing.document.fields import choice, db, duration, flag, percent, quantity, text

LevelKind = Literal["instrument", "line", "mic", "speaker"]


Role = Literal["auto", "dry", "wet"]


MixLaw = Literal["linear", "equal-power", "compromise", "full"]


UNHEARD = frozenset(
    {"name", "unit", "loop", "takes", "gives", "passive", "pickup_h", "pickup_kohm", "cable_pf",
     "current_ma", "supply_v", "width_mm", "depth_mm", "places"}
)  # fmt: skip
"""Fields that say what a part is called, and how it is built up and cabled: no sound depends on them."""

ID = r"^[a-z][a-z0-9_]{0,39}$"


class Node(Edge):
    """What every part of a rig has. `id` stays the same across variants."""

    title: ClassVar[str] = ""
    many_inputs: ClassVar[bool] = False
    """Rails are added here, each through a strip."""
    is_stage: ClassVar[bool] = False
    transparent: ClassVar[bool] = False
    """Passes the sound as it came, but for its level."""
    takes_key: ClassVar[bool] = False
    """Can listen to another place of the rig."""
    stands_in: ClassVar[Literal["own", "mixer", "beside"]] = "own"
    """A box of its own, the mixer, or the mixer where it stands beside a part of one."""
    id: str = Field(pattern=ID)
    name: str | None = text("name", "What the person calls it")

    @property
    def shown(self) -> str:
        return self.name or self.title

    @property
    def most_outputs(self) -> int:
        """How many outputs it has at most."""
        return 1


class Stage(Node):
    """One input, one output; what every processor has.

    The properties below are its traits: what it is, said once. All that plans, checks, renders and
    draws asks for a trait, never for a list of kinds.
    """

    is_stage: ClassVar[bool] = True
    has_processor: ClassVar[bool] = False
    """A matrix, a delay and filters do not say all of it: a renderer has a processor for it."""
    processes: ClassVar[bool] = False
    """Makes another sound of the dry one without making it wet."""
    has_low_cut: ClassVar[bool] = False
    """Has a `low_cut_hz` in the way of all that comes out."""
    carries_load: ClassVar[bool] = False
    """A power amplifier may stand straight before it."""
    takes_by_kind: ClassVar[str | None] = None
    gives_by_kind: ClassVar[str | None] = None
    bypassed: bool = flag("bypassed")
    bypass_is: Literal["thru", "mute", "trails"] = choice(
        "thru",
        "bypass is",
        "What passes when it is switched off: its input, nothing, or its own dry signal while its "
        "tail dies away",
    )
    output_db: float = db(0, "output", about="Gain after the stage")
    latency_ms: float = quantity(0, "latency", "ms", 0, 2000, "Unwanted delay of the stage")
    inverted: bool = flag("inverted", "Polarity turned over")
    channels: Literal["as-is", "mono", "stereo"] = choice("as-is", "channels")
    down: Literal["sum", "left", "right"] = choice(
        "sum", "down to mono", "What a mono stage after a stereo one keeps"
    )
    counts_as: Role = choice("auto", "counts as", "Role of what comes out: dry or wet")
    delay_is: Literal["auto", "latency", "intended"] = choice("auto", "its delay is")
    takes: LevelKind | None = choice(None, "takes", "Level kind at its input")
    gives: LevelKind | None = choice(None, "gives", "Level kind at its output")
    loop: int | None = quantity(None, "loop", "", 1, 64, "Loop of the switcher it sits in")
    current_ma: float | None = quantity(None, "current", "mA", 0, 5000, "Supply current")
    supply_v: float | None = quantity(None, "supply", "V", 1, 60, "Supply voltage")
    width_mm: float | None = quantity(None, "width", "mm", 1, 2000, "Footprint across")
    depth_mm: float | None = quantity(None, "depth", "mm", 1, 2000, "Footprint front to back")
    unit: str | None = text("unit", "The physical processor, if one stands in several rigs")

    @property
    def linear(self) -> bool:
        """Treats loud and quiet alike."""
        return True

    @property
    def wet_by_nature(self) -> bool:
        """What comes out of it counts as wet unless somebody says otherwise."""
        return False

    @property
    def diffuse(self) -> bool:
        """Makes a dense tail: it has a level, but no comb."""
        return False

    @property
    def stereo_by_nature(self) -> bool:
        """Opens a mono feed to two sides unless it is told to stay mono."""
        return False

    @property
    def moving(self) -> bool:
        """Modulated and not locked: no null against another run."""
        return False

    @property
    def has_tail(self) -> bool:
        """Goes on sounding after what came in has ended."""
        return False


class Mixed(Stage):
    """A stage with a dry and a wet share of its own."""

    mix_percent: float = percent(100, "mix", about="The device's own wet share")
    mix_law: MixLaw = choice("linear", "mix law")


WaveShape = Literal[
    "sine", "triangle", "saw-up", "saw-down", "exponential", "steps", "sample-and-hold"
]


class Waved(Stage):
    """Something goes up and down in it again and again."""

    steps: int = quantity(4, "steps", "", 2, 32, "Of a shape of steps: how many in a cycle")
    start_deg: float = quantity(
        0, "start", "\u00b0", 0, 360, "Where in its cycle it begins, degrees"
    )
    sides_deg: float = quantity(
        0, "sides apart", "\u00b0", 0, 360, "How far right is ahead of left, degrees"
    )
    smooth_percent: float = percent(
        0, "smoothing", about="Share of a cycle over which each value is the mean"
    )
    seed: int = quantity(1, "seed", "", 1, 999, "Of sample and hold: which row of values")


class Oscillated(Waved):
    """Moved by a low-frequency oscillator, which the level may move in turn."""

    takes_key: ClassVar[bool] = True
    rate_hz: float = quantity(0.8, "rate", "Hz", 0.01, 2000)
    cycle: str | None = duration(
        None, "cycle", "A note value or a time that one cycle takes, in place of the rate"
    )
    wave: WaveShape = choice("sine", "shape", "What it goes through in a cycle")
    locked: bool = flag("locked", "Modulation locked in phase, or off")
    level_depth_percent: float = percent(
        0, "depth by level", -100, 100, "Above 0 the depth comes with the level, below 0 it goes"
    )
    level_rate_oct: float = quantity(
        0, "rate by level", "", -6, 6, "Octaves that a full level moves the rate by"
    )
    threshold_dbfs: float = db(
        -120, "threshold", -120, 0, "Peak level (dBFS) up to which it moves nothing"
    )
    full_dbfs: float = db(
        -6, "full at", -60, 0, "Peak level (dBFS) that moves it by its whole range"
    )
    attack_ms: float = quantity(10, "attack", "ms", 0.01, 500)
    release_ms: float = quantity(120, "release", "ms", 1, 5000)

    @property
    def by_level(self) -> bool:
        """The level moves its rate or its depth."""
        return bool(self.level_depth_percent or self.level_rate_oct)

    @property
    def linear(self) -> bool:
        return not self.by_level

    @property
    def moving(self) -> bool:
        return not self.locked and self.cycle is None

    @property
    def stereo_by_nature(self) -> bool:
        return self.sides_deg % 360 != 0
