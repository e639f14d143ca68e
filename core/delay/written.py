"""What is played, as text: slots from 1, with pitches if wanted ('1 3:E3 5')."""

import re

from pydantic import Field

from core.delay.lattice import MOST_NOTES, MOST_SLOTS, PlayedNote
from core.edge import Edge
from core.errors import FonodromeError

_NOTE = re.compile(r"^(\d{1,3})(?::([A-Ga-g])([#b♯♭]?)(-?\d))?$")
_STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_PITCHES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")


class PatternText(Edge):
    text: str = Field(max_length=2000, description="Slots from 1, with pitches if wanted: '1:E3'")


class PatternRead(Edge):
    played: list[PlayedNote]
    text: str = Field(description="The same, as it is written")


def write_pattern(played: tuple[PlayedNote, ...] | list[PlayedNote]) -> str:
    """'1 3:E3 5' for notes on slots 0, 2 and 4, the second an E."""
    words = []
    for note in sorted(played, key=lambda n: n.slot):
        pitch = f":{_PITCHES[note.midi % 12]}{note.midi // 12 - 1}" if note.midi is not None else ""
        words.append(f"{note.slot + 1}{pitch}")
    return " ".join(words)


def read_pattern(request: PatternText) -> PatternRead:
    """Read what is played as slots counted from 1, each with a pitch if wanted.

    Raises FonodromeError with the word that cannot be read.
    """
    found: dict[int, PlayedNote] = {}
    for word in request.text.replace(",", " ").split():
        match = _NOTE.match(word)
        if match is None or int(match[1]) < 1:
            raise FonodromeError(
                f"“{word}” is no slot: write 1 3 5, or with pitches 1:E3 3:G3.", part=word
            )
        midi = None
        if match[2]:
            step = _STEPS[match[2].upper()] + {"": 0, "#": 1, "♯": 1, "b": -1, "♭": -1}[match[3]]
            midi = 12 * (int(match[4]) + 1) + step
            if not 0 <= midi <= 127:
                raise FonodromeError(f"“{word}” is outside the range C-1 to G9.", part=word)
        slot = int(match[1]) - 1
        if slot > MOST_SLOTS:
            raise FonodromeError(f"A pattern has up to {MOST_SLOTS} slots.", part=word)
        found[slot] = PlayedNote(slot=slot, midi=midi)
    if len(found) > MOST_NOTES:
        raise FonodromeError(f"A pattern holds up to {MOST_NOTES} notes; these are {len(found)}.")
    played = [found[slot] for slot in sorted(found)]
    return PatternRead(played=played, text=write_pattern(played))
