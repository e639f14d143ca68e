"""The tempo of a song: a map of sections."""

from collections.abc import Sequence
from typing import Literal

from pydantic import Field, field_validator, model_validator

from core.edge import Edge
from core.errors import FonodromeError, QuantityError
from core.units import TempoFrame, parse_note_value

MOST_SECTIONS = 2000
"""As many tempo events as a file is read for."""
LEAST_BPM, MOST_BPM = 1.0, 999.0


class TempoSection(Edge):
    """A stretch at one tempo, or with a ramp from one to another: so many bars and beats.

    It may begin and end inside a bar: then the next section goes on with that bar where its metre is
    the same, and begins a new one where it is not. `bars` null: to the end of the song; only the last
    section can be so.
    """

    name: str = Field("", max_length=40)
    bars: int | None = Field(None, ge=0, le=100_000, description="Whole bars of its metre")
    beats: float = Field(
        0, ge=0, lt=64, description="Beats of the metre on top of the bars, with fractions"
    )
    tempo_bpm: float = Field(120.0, ge=LEAST_BPM, le=MOST_BPM, description="In the beat unit")
    ramp_to_bpm: float | None = Field(
        None,
        ge=LEAST_BPM,
        le=MOST_BPM,
        description="Tempo reached at the section's end, linear over its bars",
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

    @model_validator(mode="after")
    def _beats_within_a_bar(self) -> "TempoSection":
        """Beats that make a bar are one."""
        whole = int(self.beats // self.metre_count)
        if whole and self.bars is not None:
            object.__setattr__(self, "bars", self.bars + whole)
            object.__setattr__(self, "beats", self.beats - whole * self.metre_count)
        return self

    @property
    def metre(self) -> tuple[int, int]:
        return self.metre_count, self.metre_unit

    def quarters(self, open_bars: int) -> float:
        """Its length; of an open one so many bars."""
        bars = open_bars if self.bars is None else self.bars
        return (bars * self.metre_count + self.beats) * 4 / self.metre_unit

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
        if section.bars is None and section.beats:
            raise FonodromeError(
                f"Section {number} has no end: beats of its last bar say nothing there."
            )
        if section.bars == 0 and section.beats < 1e-6:
            raise FonodromeError(f"Section {number} lasts no time: give it bars or beats.")
        if section.bars is None and section.ramp_to_bpm is not None:
            raise FonodromeError(
                f"Section {number} ramps to {section.ramp_to_bpm:g} BPM without an end: "
                "say over how many bars."
            )
