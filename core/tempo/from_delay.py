"""The tempo that makes a given delay time a note value."""

from fractions import Fraction

from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.units import NoteValue, TempoFrame, parse_time


class TempoFromDelayRequest(Edge):
    delay: str = Field(max_length=60, description="A time as typed: '410', '0.41 s'")
    frame: TempoFrame = TempoFrame()
    lowest_bpm: float = Field(40, ge=5, le=999)
    highest_bpm: float = Field(240, ge=5, le=999)


class TempoCandidate(Edge):
    note_value: str
    name: str
    bpm: float = Field(description="In the song's beat unit")


class TempoFromDelay(Edge):
    delay_ms: float
    candidates: list[TempoCandidate] = Field(description="Nearest to the song's tempo first")
    computed_how: str


def tempo_for(delay_s: float, note: NoteValue, beat: NoteValue) -> float:
    """Beats per minute at which `note` lasts `delay_s`: `60 (note / beat) / t`.

    >>> from fractions import Fraction
    >>> dotted = NoteValue(Fraction(1, 8), "dotted")
    >>> round(tempo_for(0.410, dotted, NoteValue(Fraction(1, 4))), 6)
    109.756098
    """
    return 60.0 * float(note.whole_notes / beat.whole_notes) / delay_s


def tempo_from_delay(request: TempoFromDelayRequest) -> TempoFromDelay:
    """List the tempo for every common note value that lands in the range asked for.

    Raises QuantityError for an unreadable delay, FonodromeError for one of 0 or a range that is
    upside down.
    """
    if request.lowest_bpm >= request.highest_bpm:
        raise FonodromeError("The lowest tempo must be below the highest.")
    frame = request.frame
    seconds, note = parse_time(request.delay, frame)
    if note is not None:
        raise FonodromeError(
            "A note value follows the tempo already. Type the time in ms.",
            part=request.delay.strip(),
        )
    if seconds <= 0:
        raise FonodromeError("A delay time must be above 0 ms.", part=request.delay.strip())
    found = []
    for modifier in ("straight", "dotted", "triplet"):
        for power in range(0, 6):
            value = NoteValue(Fraction(1, 2**power), modifier)
            bpm = tempo_for(seconds, value, frame.beat)
            if request.lowest_bpm <= bpm <= request.highest_bpm:
                found.append(TempoCandidate(note_value=value.id, name=value.name, bpm=bpm))
    found.sort(key=lambda c: abs(c.bpm - frame.tempo_bpm))
    return TempoFromDelay(
        delay_ms=seconds * 1e3,
        candidates=found,
        computed_how=(
            "Tempo = 60 times the note value over the beat unit, divided by the delay in seconds; "
            f"kept where it lies between {request.lowest_bpm:g} and {request.highest_bpm:g} BPM."
        ),
    )
