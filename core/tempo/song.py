"""The tempo of a song: a map of sections."""

from collections.abc import Sequence
from typing import Literal

from pydantic import Field, field_validator

from core.edge import Edge
from core.errors import FonodromeError, QuantityError
from core.units import TempoFrame, parse_note_value

MOST_SECTIONS = 200


class TempoSection(Edge):
    """A stretch of bars at one tempo, or with a ramp from one to another.

    `bars` null: to the end of the song; only the last section can be so.
    """

    name: str = Field("", max_length=40)
    bars: int | None = Field(None, ge=1, le=10_000)
    tempo_bpm: float = Field(120.0, ge=5, le=999, description="In the beat unit")
    ramp_to_bpm: float | None = Field(
        None, ge=5, le=999, description="Tempo reached at the section's end, linear over its bars"
    )
    beat_unit: str = Field("1/4", max_length=40)
    metre_count: int = Field(4, ge=1, le=64)
    metre_unit: Literal[1, 2, 4, 8, 16, 32] = 4

    @field_validator("beat_unit")
    @classmethod
    def _is_a_note(cls, value: str) -> str:
        try:
            note = parse_note_value(value)
        except QuantityError as error:
            raise ValueError(error.sentence) from None
        if note is None or note.bars:
            raise ValueError(f"“{value}” is not a beat: 1/4, 1/8, 1/4. and so on.")
        return note.id

    def frame(self, sample_rate_hz: int) -> TempoFrame:
        return TempoFrame(
            tempo_bpm=self.tempo_bpm,
            beat_unit=self.beat_unit,
            metre_count=self.metre_count,
            metre_unit=self.metre_unit,
            sample_rate_hz=sample_rate_hz,
        )


def check_sections(sections: Sequence[TempoSection]) -> None:
    """Raise FonodromeError where sections contradict each other."""
    if not sections:
        raise FonodromeError("A tempo map needs at least one section.")
    if len(sections) > MOST_SECTIONS:
        raise FonodromeError(
            f"A tempo map holds up to {MOST_SECTIONS} sections; this one has {len(sections)}."
        )
    for number, section in enumerate(sections, 1):
        if section.bars is None and number < len(sections):
            raise FonodromeError(
                f"Section {number} has no end, but another one follows it: say how many bars it has."
            )
        if section.bars is None and section.ramp_to_bpm is not None:
            raise FonodromeError(
                f"Section {number} ramps to {section.ramp_to_bpm:g} BPM without an end: "
                "say over how many bars."
            )
