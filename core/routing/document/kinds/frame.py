"""The insert frame, as sidings: processors at places of their own, in the order of a line."""

from typing import Annotated, ClassVar, Literal, get_args

from pydantic import Field, model_validator

from core.edge import Edge
from core.routing.document.fields import quantity
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
"""What fits a siding."""
MOST_PLACES = 16
MOST_LINES = 9


class Siding(Edge):
    """A processor of a frame at its own place."""

    place: int = Field(ge=1, le=MOST_PLACES)
    stage: InFrame


class Beside(Edge):
    """A dry path round one of the processors that the line calls at.

    of 'stop': it stays with what stands at siding `at`; of 'turn': with the `at`th turn of the line,
    whatever is called at then.
    """

    of: Literal["stop", "turn"] = "stop"
    at: int = Field(ge=1, le=MOST_PLACES)
    mix_percent: float = Field(50, ge=0, le=100)
    level_db: float = Field(0, ge=-60, le=24, description="Level correction after the two")


class KeptLine(Edge):
    """An order that was kept, to be put in force again."""

    name: str = Field(min_length=1, max_length=40)
    calls: tuple[int, ...] = Field((), max_length=MOST_PLACES)


class Frame(Stage):
    """Sidings: named processors, and the line that calls at them in an order of its own.

    What the line does not call at stands by, set and unheard.
    """

    title: ClassVar[str] = "Sidings"
    processes: ClassVar[bool] = True
    kind: Literal["frame"] = "frame"
    places: int = quantity(8, "places", "", 1, MOST_PLACES)
    sidings: tuple[Siding, ...] = Field((), max_length=MOST_PLACES)
    calls: tuple[int, ...] = Field(
        (), max_length=MOST_PLACES, description="Sidings in the order they are called at"
    )
    lines: tuple[KeptLine, ...] = Field((), max_length=MOST_LINES)
    beside: tuple[Beside, ...] = Field((), max_length=2)

    @model_validator(mode="after")
    def _hangs_together(self) -> "Frame":
        held = [one.place for one in self.sidings]
        twice = next((p for p in held if held.count(p) > 1), None)
        if twice is not None:
            raise ValueError(f"two processors stand at siding {twice}")
        beyond = next((p for p in held if p > self.places), None)
        if beyond is not None:
            raise ValueError(f"there is no siding {beyond}: it has {self.places} places")
        for calls in (self.calls, *(line.calls for line in self.lines)):
            again = next((p for p in calls if calls.count(p) > 1), None)
            if again is not None:
                raise ValueError(f"the line calls at siding {again} twice: a processor runs once")
            empty = next((p for p in calls if p not in held), None)
            if empty is not None:
                raise ValueError(f"the line calls at siding {empty}, where nothing stands")
        for one in self.beside:
            if one.of == "stop" and one.at not in held:
                raise ValueError(f"a path is laid round siding {one.at}, where nothing stands")
        return self

    def standing(self, place: int) -> Stage | None:
        """What stands at a siding."""
        return next((one.stage for one in self.sidings if one.place == place), None)

    def section_at(self, place: int) -> Beside | None:
        """The dry path round a siding that the line calls at: by its place, or by its turn."""
        turn = self.calls.index(place) + 1 if place in self.calls else 0
        return next((s for s in self.beside if s.at == (place if s.of == "stop" else turn)), None)

    def running(self) -> tuple[Stage, ...]:
        """What the line calls at, in its order."""
        held = {one.place: one.stage for one in self.sidings}
        return tuple(held[place] for place in self.calls)

    @property
    def linear(self) -> bool:
        return all(stage.linear for stage in self.running())

    @property
    def moving(self) -> bool:
        return any(stage.moving for stage in self.running())

    @property
    def stereo_by_nature(self) -> bool:
        return any(stage.stereo_by_nature for stage in self.running())
