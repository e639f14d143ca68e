"""Ready figures: patterns and delays that belong together, in the metre of a song."""

from fractions import Fraction

from core.delay.lattice import MOST_NOTES, Pattern, PlayedNote
from core.delay.line import DelayLine
from core.edge import Edge
from core.units import TempoFrame


class Figure(Edge):
    """A pattern and a delay that belong together."""

    id: str
    name: str
    when: str
    pattern: Pattern
    line: DelayLine


def _notes(count: int, every: int, first: int = 0) -> tuple[PlayedNote, ...]:
    return tuple(PlayedNote(slot=i) for i in range(first, count, every))


def figures(frame: TempoFrame) -> list[Figure]:
    """Ready figures in the metre of a frame; those that do not fit it are left out."""
    beat_16 = frame.beat.whole_notes * 16
    found = []

    def add(
        id: str, name: str, when: str, slots: Fraction, every: int, value: str, first: int = 0,
        first_db: float = 0.0, feedback: float = 0.0,
    ) -> None:  # fmt: skip
        in_bar = frame.metre.bar / frame.beat.whole_notes * slots
        if slots.denominator != 1 or in_bar.denominator != 1 or in_bar % every or slots > 16:
            return
        if len(range(first, int(in_bar), every)) > MOST_NOTES:
            # A bar that holds more notes than a pattern does.
            return
        pattern = Pattern(slots_per_beat=int(slots), played=_notes(int(in_bar), every, first))
        line = DelayLine(
            name=name, value=value, first_db=first_db, feedback_percent=feedback, mode="single"
        )
        found.append(Figure(id=id, name=name, when=when, pattern=pattern, line=line))

    add(
        "dotted-eighth", "Eighths heard as sixteenths",
        "Play every eighth evenly; one repeat, as loud as you, fills the sixteenths between.",
        beat_16, 2, "1/8.",
    )  # fmt: skip
    add(
        "off-beat", "Answer on the off-beat",
        "Play the beats; one softer repeat answers half-way.",
        beat_16, 4, "1/8", first_db=-3,
    )  # fmt: skip
    add(
        "chase", "Triplet chase",
        "Play the beats; two repeats run on in triplets, each a little softer.",
        Fraction(3) * frame.beat.whole_notes * 4, 3, "1/4T" if frame.beat.id == "1/4" else "1/8",
        first_db=-3, feedback=60,
    )  # fmt: skip
    add(
        "late-sixteenth", "Late sixteenth",
        "Play the beats; one repeat three sixteenths later leads into the next.",
        beat_16, 4, "1/8.", first_db=-4,
    )  # fmt: skip
    add(
        "shadow", "Slow shadow",
        "Play every beat; the repeat lands on the one after next and thickens it.",
        beat_16, 4, "1/2", first_db=-6, feedback=30,
    )  # fmt: skip
    return found
