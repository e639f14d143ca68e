"""What a phrase asks to be done: 'set tempo 96', 'new rig from parallel compression', 'new song Tide'."""

import re
from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from core.edge import Edge
from core.errors import QuantityError
from core.find.words import fits as how_well
from core.find.words import plain, wanted_of
from core.tempo.song import LEAST_BPM, MOST_BPM
from core.units import format as fmt
from core.units import parse_number, parse_time
from core.units.quantity import TempoFrame


class Asked(Edge):
    """Something to do, said in full, with what it needs."""

    does: Literal["tempo", "delay", "rig", "song"]
    title: str
    value: str = Field(description="BPM, the delay as typed, the template's id, the song's name")


_TEMPO = re.compile(r"(?:set )?(?:the )?(?:tempo|bpm)(?: to)? (.+)")
_BARE = re.compile(r"(\d{1,3}(?:[.,]\d{1,3})?) ?bpm")
_DELAY = re.compile(r"(?:set )?(?:the )?(?:delay|echo)(?: to)? (.+)")
_RIG = re.compile(r"new rig(?: from)?(?: (.*))?")
_SONG = re.compile(r"new song (?:called )?(.+)", re.IGNORECASE)


def asked_of(text: str, templates: Sequence[tuple[str, str]], frame: TempoFrame) -> list[Asked]:
    """What can be meant. templates: id and name. Never raises."""
    said = plain(text)
    found: list[Asked] = []
    tempo = _TEMPO.fullmatch(said) or _BARE.fullmatch(said)
    if tempo:
        bpm = _tempo(tempo[1].removesuffix("bpm").strip())
        if bpm is not None:
            words = fmt.significant(bpm, 6)
            found.append(
                Asked(does="tempo", title=f"Set the tempo to {words} BPM", value=repr(bpm))
            )
    delay = _DELAY.fullmatch(said)
    if delay:
        try:
            seconds, _ = parse_time(delay[1], frame)
        except QuantityError:
            seconds = 0.0
        if seconds > 0:
            ms = fmt.number(seconds * 1e3, 2)
            found.append(
                Asked(does="delay", title=f"Set the delay to {delay[1]}, {ms} ms", value=delay[1])
            )
    rig = _RIG.fullmatch(said)
    if rig:
        wanted = wanted_of(rig[1] or "")
        ranked = [(how_well(wanted, name), id, name) for id, name in templates]
        best = sorted(((-s, id, name) for s, id, name in ranked if s is not None))[:3]
        found += [
            Asked(does="rig", title=f"New rig from “{name}”", value=id) for _, id, name in best
        ]
    song = _SONG.fullmatch(" ".join(text.split()))
    if song:
        found.append(Asked(does="song", title=f"New song “{song[1][:120]}”", value=song[1][:120]))
    return found


def _tempo(text: str) -> float | None:
    try:
        value, unit = parse_number(text)
    except QuantityError:
        return None
    return value if not unit and LEAST_BPM <= value <= MOST_BPM else None
