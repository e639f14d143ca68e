"""What a studio's file says besides its songs."""

from typing import Literal

from pydantic import Field

from core.devices import MOST_PANELS, DeviceProfile, Panel
from core.edge import Edge


class StudioFile(Edge):
    """`studio.json`: the folders of its songs, each as a song's file is."""

    format: Literal["fonodrome-studio"] = "fonodrome-studio"
    version: Literal[1] = 1
    songs: list[str] = Field(max_length=1000)


class DevicesFile(Edge):
    """`devices.json`: delays with what they can be set to, and how all devices read."""

    format: Literal["fonodrome-devices"] = "fonodrome-devices"
    version: Literal[1] = 1
    profiles: list[DeviceProfile] = Field(max_length=1000)
    panels: tuple[Panel, ...] = Field((), max_length=MOST_PANELS)
