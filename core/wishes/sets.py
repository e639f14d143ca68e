"""Sets of wishes to begin with, made out of what a rig has."""

from collections.abc import Callable

from pydantic import Field

from core.edge import Edge
from core.routing import Rig
from core.routing.document import kinds as k
from core.routing.document.wishes import Wish


class WishSet(Edge):
    id: str
    name: str
    about: str = Field(description="What it is for, and whether it is taste or arithmetic")
    wishes: list[Wish]
    lacks: str = Field(description="What the rig would need for it; empty where it can begin")


def _first(rig: Rig, types: tuple[type, ...]) -> str | None:
    return next((n.id for n in rig.of_type(types) if not k.is_bypassed(n)), None)


def _voice(rig: Rig) -> list[Wish]:
    hall = _first(rig, (k.Reverb,))
    if hall is None:
        return []
    return [
        Wish(kind="tail", parts=(hall,), value=-20),
        Wish(kind="balance", parts=(hall,), value=-10, bound="under", must=False),
        Wish(kind="low_end", value=-12, must=False),
    ]


def _amps(rig: Rig) -> list[Wish]:
    amps = [n.id for n in rig.of_type((k.PowerAmp, k.Cabinet, k.CabinetModel)) if not k.is_bypassed(n)]  # fmt: skip
    last = [n for n in amps if not set(rig.downstream(n)) & set(amps)]
    if len(last) < 2:
        return []
    return [
        Wish(kind="spread", parts=tuple(last[:12]), value=0.1),
        Wish(kind="comb", value=6, low_hz=80, high_hz=2000, must=False),
        Wish(kind="mono_loss", value=1, must=False),
    ]


def _bus(rig: Rig) -> list[Wish]:
    if _first(rig, (k.Compressor,)) is None:
        return []
    return [
        Wish(kind="quiet_lift", value=4, bound="about", within=1),
        Wish(kind="gain", value=0, bound="about", within=1),
        Wish(kind="mono_loss", value=1, must=False),
    ]


def _figure(rig: Rig) -> list[Wish]:
    echo = _first(rig, (k.Delay,))
    if echo is None:
        return []
    return [
        Wish(kind="balance", parts=(echo,), value=-6, bound="about", within=1),
        Wish(kind="repeats", when="1/1", value=-40),
    ]


_SETS: tuple[tuple[str, str, str, str, Callable[[Rig], list[Wish]]], ...] = (
    (
        "voice", "Voice up front",
        "The hall has died away by 20 dB when the voice comes in, and stays behind it. Taste.",
        "a reverb", _voice,
    ),
    (
        "amps", "Guitar through several amps",
        "All of them arrive together and take nothing from each other. Arithmetic.",
        "two amplifiers or cabinets side by side", _amps,
    ),
    (
        "bus", "Gentle bus",
        "The quiet comes up by 4 dB, the whole no louder than it was. Taste, but for the loudness.",
        "a compressor", _bus,
    ),
    (
        "figure", "Dotted-eighth figure",
        "The echo answers 6 dB under the note and is gone by the next bar. Taste.",
        "a delay", _figure,
    ),
)  # fmt: skip


def wish_sets(rig: Rig) -> list[WishSet]:
    """What could be begun with, each made for the parts of this rig."""
    found = []
    for id, name, about, needs, make in _SETS:
        wishes = make(rig)
        lacks = "" if wishes else f"This rig has not {needs}."
        found.append(WishSet(id=id, name=name, about=about, wishes=wishes, lacks=lacks))
    return found
