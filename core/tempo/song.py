"""The tempo of a song: a map of sections, of one section for now."""

from typing import Literal

from pydantic import Field, field_validator

from core.edge import Edge
from core.errors import QuantityError
from core.units import TempoFrame, parse_note_value


class TempoSection(Edge):
    """A stretch of bars at one tempo. `bars` null: to the end of the song."""

    bars: int | None = Field(None, ge=1, le=10_000)
    tempo_bpm: float = Field(120.0, ge=5, le=999, description="In the beat unit")
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
