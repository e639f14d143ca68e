"""What is kept of a set list: its entries in order, and the channel that program changes go out on."""

from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field, StringConstraints, model_validator

from core.edge import Edge

MOST_ENTRIES = 120
MOST_PROGRAMS = 8
_Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]


class Program(Edge):
    """One program change, as it is sent."""

    channel: int = Field(ge=1, le=16)
    program: int = Field(ge=0, le=127, description="As sent, from 0; many devices show one more")


class Entry(Edge):
    """A song as it is played tonight, or a pause between songs."""

    key: str = Field(pattern=r"^[A-Za-z0-9-]{1,40}$", description="Stays when the order changes")
    kind: Literal["song", "pause"] = "song"
    title: str = Field("", max_length=80, description="Of a pause: what it is for")
    song: UUID | None = None
    variant: UUID | None = Field(None, description="Rig that is played through; none: delays alone")
    scene: str = Field("", max_length=40, description="Scene that the song begins in")
    count_bars: int = Field(2, ge=0, le=4, description="Bars counted in; 0: none")
    programs: list[Program] = Field(
        [], max_length=MOST_PROGRAMS, description="Sent when the song is opened; none: the scene's"
    )
    note: str = Field("", max_length=600)
    hidden: list[Annotated[str, StringConstraints(max_length=120)]] | None = Field(
        None, max_length=400,
        description="Lines of the card that are left away, by their names; null: what is set in the mixer",
    )  # fmt: skip

    @model_validator(mode="after")
    def _is_one_or_the_other(self) -> "Entry":
        if self.kind == "song" and self.song is None:
            raise ValueError("An entry of a set list is a song or a pause.")
        return self


class SetListValues(Edge):
    name: _Name = Field(description="'Harbour stage, 14 June'")
    channel: int = Field(1, ge=1, le=16, description="MIDI channel of the scenes' programs")
    send_clock: bool = Field(False, description="Whether MIDI clock goes out in the song's tempo")
    entries: list[Entry] = Field([], max_length=MOST_ENTRIES)

    @model_validator(mode="after")
    def _keys_are_told_apart(self) -> "SetListValues":
        if len({e.key for e in self.entries}) != len(self.entries):
            raise ValueError("Two entries of the set list have one key.")
        return self
