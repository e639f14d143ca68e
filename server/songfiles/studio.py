"""What a studio's file says besides its songs."""

from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints

from core.devices import MOST_PANELS, DeviceProfile, Panel
from core.edge import Edge
from core.setlist import MOST_ENTRIES
from core.songfile import MarkText

MOST_SONGS = 1000


class StudioFile(Edge):
    """`studio.json`: the folders of its songs, each as a song's file is."""

    format: Literal["fonodrome-studio"] = "fonodrome-studio"
    version: Literal[1] = 1
    songs: list[str] = Field(max_length=MOST_SONGS)


class DevicesFile(Edge):
    """`devices.json`: delays with what they can be set to, and how all devices read."""

    format: Literal["fonodrome-devices"] = "fonodrome-devices"
    version: Literal[1] = 1
    profiles: list[DeviceProfile] = Field(max_length=1000)
    panels: tuple[Panel, ...] = Field((), max_length=MOST_PANELS)


class FiledEntry(Edge):
    """A line of a set list. values: the rest of it, as a set list keeps it."""

    song: str | None = Field(None, max_length=300, description="Its folder; none: not in this file")
    variant: MarkText | None = None
    values: dict[str, Any]


class FiledList(Edge):
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=80)]
    channel: int = Field(1, ge=1, le=16)
    send_clock: bool = False
    entries: list[FiledEntry] = Field([], max_length=MOST_ENTRIES)


class ListsFile(Edge):
    """`set-lists.json`: songs in the order in which they are played."""

    format: Literal["fonodrome-set-lists"] = "fonodrome-set-lists"
    version: Literal[1] = 1
    lists: list[FiledList] = Field([], max_length=1000)
