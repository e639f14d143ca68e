"""A count-in that is seen: pulses of the metre, which of them stand out, and which may light up.

A whole surface that goes light and dark more than three times a second can bring on a seizure
(WCAG 2.2, success criterion 2.3.1). So what lights up is the fastest of pulse, beat, bar and two bars that
stays at three a second or below; all other pulses only move the line below them.
"""

from fractions import Fraction

from pydantic import Field

from core.edge import Edge
from core.units import NoteValue, TempoFrame

MOST_FLASHES_HZ = 3.0
_MOST_BLOCKS = 16


class CountIn(Edge):
    """One bar, which is counted `bars` times and then stands still."""

    bars: int
    pulses: int = Field(description="Blocks in a bar")
    pulse_ms: float
    strong: list[int] = Field(description="Pulses that stand out, from 1")
    lit_every: int = Field(description="Of how many pulses one lights up, counted on; 0: none does")
    words: str = Field(description="'6/8, starts on 1'")


def count_in(frame: TempoFrame, bars: int) -> CountIn:
    """The pulse is the metre's own unit, or the beat where a bar would have more than 16 of those.

    Raises QuantityError where the beat cannot be read.
    """
    unit = Fraction(1, frame.metre_unit)
    beat = frame.beat.whole_notes
    bar = frame.metre.bar
    in_beats = (bar / beat).denominator == 1
    step = beat if in_beats and (beat < unit or frame.metre_count > _MOST_BLOCKS) else unit
    if bar / step > _MOST_BLOCKS:
        step = bar
    pulses = int(bar / step)
    pulse_s = frame.length_s(NoteValue(step))
    per_beat = beat / step
    grouped = in_beats and per_beat.denominator == 1 and per_beat > 1
    strong = list(range(1, pulses + 1, int(per_beat))) if grouped else [1]
    lit_every = 0
    for n in (1, int(per_beat) if grouped else 1, pulses, 2 * pulses):
        # A hair below the limit is the limit: 180 a minute are three a second.
        if n * pulse_s >= 1 / MOST_FLASHES_HZ - 1e-9:
            lit_every = n
            break
    return CountIn(
        bars=bars, pulses=pulses, pulse_ms=pulse_s * 1e3, strong=strong, lit_every=lit_every,
        words=f"{frame.metre_count}/{frame.metre_unit}, starts on 1",
    )  # fmt: skip
