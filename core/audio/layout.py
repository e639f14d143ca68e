"""Which channel of a file is which loudspeaker: by their number, in the order that WAVE files keep."""

from dataclasses import dataclass

from core.errors import AudioError

SURROUND = 10**0.15
"""Weight of a loudspeaker from 60 to 120 degrees off the middle (ITU-R BS.1770, +1.5 dB)."""


@dataclass(frozen=True)
class Layout:
    """Name, loudspeakers, and what each channel counts in loudness (as power; LFE nothing)."""

    name: str
    speakers: tuple[str, ...]
    weights: tuple[float, ...]

    @property
    def said(self) -> str:
        return self.name if len(self.speakers) < 3 else f"{self.name} ({' '.join(self.speakers)})"


_LAYOUTS = {
    1: Layout("mono", ("M",), (1.0,)),
    2: Layout("stereo", ("L", "R"), (1.0, 1.0)),
    3: Layout("3.0", ("L", "R", "C"), (1.0, 1.0, 1.0)),
    4: Layout("4.0", ("L", "R", "Ls", "Rs"), (1.0, 1.0, SURROUND, SURROUND)),
    5: Layout("5.0", ("L", "R", "C", "Ls", "Rs"), (1.0, 1.0, 1.0, SURROUND, SURROUND)),
    6: Layout("5.1", ("L", "R", "C", "LFE", "Ls", "Rs"), (1.0, 1.0, 1.0, 0.0, SURROUND, SURROUND)),
    8: Layout(
        "7.1", ("L", "R", "C", "LFE", "Lb", "Rb", "Ls", "Rs"),
        (1.0, 1.0, 1.0, 0.0, 1.0, 1.0, SURROUND, SURROUND),
    ),
}  # fmt: skip


def layout_of(channels: int) -> Layout:
    """The layout that so many channels are taken to have. Raises AudioError where none is usual."""
    found = _LAYOUTS.get(channels)
    if found is None:
        raise AudioError(
            f"{channels} channels have no usual layout, so their loudness cannot be told: 1 to 6 or 8 "
            "can be measured."
        )
    return found


def layout_said(channels: int) -> str:
    """How a layout is named; of an unusual one the number of channels."""
    found = _LAYOUTS.get(channels)
    return f"{channels} channels" if found is None else found.said
