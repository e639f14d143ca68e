"""The insert frame: processors in any order."""

from typing import Annotated, ClassVar, Literal, get_args

from pydantic import Field

from core.edge import Edge
from core.routing.document.fields import (
    choice,
    quantity,
)
from core.routing.document.kinds.base import Stage
from core.routing.document.kinds.dynamics import Compressor, Drive, ThreeBand
from core.routing.document.kinds.gains import (
    Generic,
    Level,
    MidSideDecoder,
    MidSideEncoder,
    Outboard,
)
from core.routing.document.kinds.movement import Chorus, Tremolo
from core.routing.document.kinds.space import Convolution, Delay, Reverb
from core.routing.document.kinds.tone import Equaliser, Filter, Swept

InFrame = Annotated[
    Compressor
    | ThreeBand
    | Drive
    | Filter
    | Swept
    | Equaliser
    | Delay
    | Reverb
    | Convolution
    | Chorus
    | Tremolo
    | Level
    | Generic
    | Outboard
    | MidSideEncoder
    | MidSideDecoder,
    Field(discriminator="kind"),
]


FRAMED: frozenset[type] = frozenset(get_args(get_args(InFrame)[0]))
"""What fits a slot."""


class Slot(Edge):
    """A processor of an insert frame under its letter."""

    label: str = Field(pattern=r"^[A-Z]$")
    stage: InFrame


class ParallelSection(Edge):
    """A dry path beside one occupied slot."""

    follows: Literal["processor", "position"] = "processor"
    at: str = Field(pattern=r"^([A-Z]|[1-9]|1[0-6])$", description="Slot letter, or position")
    mix_percent: float = Field(50, ge=0, le=100)
    level_db: float = Field(0, ge=-60, le=24, description="Level correction after the section")


class Frame(Stage):
    """An insert frame: labelled processors, run in the order of their letters in `order`."""

    title: ClassVar[str] = "Insert frame"
    processes: ClassVar[bool] = True
    kind: Literal["frame"] = "frame"
    size: int = quantity(8, "slots", "", 1, 16)
    slots: tuple[Slot, ...] = Field((), max_length=16)
    order: str = Field(
        "",
        pattern=r"^[A-Z]{0,16}$",
        description="Slot letters in the order they run in",
        json_schema_extra={"label": "order", "unit": "text"},
    )
    half: Literal["whole", "first", "second"] = choice("whole", "half", "Half that is heard")
    sections: tuple[ParallelSection, ...] = Field((), max_length=2)

    def running(self) -> tuple[Stage, ...]:
        """What stands in its slots, in the order that it runs in; only the half that is heard."""
        held = {slot.label: slot.stage for slot in self.slots}
        letters = list(self.order or "".join(held))
        half = (len(letters) + 1) // 2
        kept = {"whole": letters, "first": letters[:half], "second": letters[half:]}[self.half]
        return tuple(held[letter] for letter in kept if letter in held)

    @property
    def linear(self) -> bool:
        return all(slot.stage.linear for slot in self.slots)

    @property
    def moving(self) -> bool:
        return any(slot.stage.moving for slot in self.slots)

    @property
    def stereo_by_nature(self) -> bool:
        return any(slot.stage.stereo_by_nature for slot in self.slots)
