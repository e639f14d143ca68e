"""Requests and results of a null test: what crosses the edge of the core."""

from typing import Literal

from pydantic import Field

from core.edge import Edge

Verdict = Literal[
    "unrelated", "related", "changed", "nearly_same", "same", "rounding", "bit_identical"
]


class Limit(Edge):
    """What counts as passed. One kind at a time: the two are never mixed."""

    kind: Literal["relative", "dbfs"] = Field(
        "relative", description="dB down against A, or the level of the residual in dBFS"
    )
    value_db: float = Field(
        90.0, gt=0, le=300, description="Residual at least so far down (relative) or below (dBFS)"
    )


class Region(Edge):
    start_s: float = Field(0.0, ge=0, description="From the start of the clip, seconds")
    length_s: float | None = Field(None, gt=0, description="Seconds; null: to the end")


class NullOptions(Edge):
    search_s: float = Field(2.0, ge=0, le=30, description="Offsets are looked for up to this far")
    region_a: Region = Region()
    region_b: Region = Region()


class ClipFacts(Edge):
    name: str
    rate_hz: int
    channels: int
    seconds: float
    encoding: str
    grid_bits: int | None = Field(description="Word length that all samples looked at fit into")
    rms_dbfs: float | None
    peak_dbfs: float | None


class Step(Edge):
    """How far down the residual is after one more thing was matched."""

    id: Literal["raw", "time", "polarity", "gain", "channels"]
    name: str
    null_db: float | None = Field(description="Residual against A; null when exactly silent")
    bought_db: float | None = Field(description="By how much the step lowered it")


class ChannelResult(Edge):
    a_channel: int = Field(description="Counted from 1")
    b_channel: int
    name: str = Field(description="'left', 'right', or 'channel 3'")
    offset_samples: float | None = Field(description="Null where the channel is silent")
    gain_db: float | None
    polarity: Literal[1, -1]
    null_depth_db: float | None
    silent: bool


class Bands(Edge):
    """Third-octave levels over the compared stretch, as columns of equal length."""

    centre_hz: list[float]
    a_dbfs: list[float | None]
    residual_dbfs: list[float | None]


class Timeline(Edge):
    """Levels in steps; each value is the loudest 50 ms frame in its step."""

    start_s: float = Field(description="Where the first step starts, from the start of A's region")
    step_s: float
    a_dbfs: list[float | None]
    residual_dbfs: list[float | None]
    worst_at_s: float | None = Field(description="Where the residual is loudest")
    worst_dbfs: float | None


class Overlay(Edge):
    """A few milliseconds of one channel, sample by sample."""

    start_s: float
    step_ms: float
    channel: str
    a: list[float]
    b_delivered: list[float]
    b_matched: list[float]
    residual: list[float]
    raised_db: float = Field(description="How much the residual is raised to be seen")


class Cause(Edge):
    code: str
    title: str
    evidence: str
    explains: Literal["level", "offset", "polarity", "channels", "residual", "all"]


class MatchedChannel(Edge):
    """What is needed to make the matched B again from the file."""

    a_channel: int
    b_channel: int
    lag: float
    gain: float


class Measurement(Edge):
    """All that was measured; no opinion, so that the limit can change afterwards."""

    offset_samples: float = Field(description="Positive: B is late, in samples of A")
    offset_ms: float
    gain_db: float = Field(description="Level of B against A")
    polarity: Literal[1, -1] = Field(description="-1 where every channel is inverted")
    null_depth_db: float | None = Field(
        description="Matched residual against A, negative; null when exactly silent"
    )
    raw_null_db: float | None = Field(description="With nothing matched; null when silent")
    residual_rms_dbfs: float | None
    residual_peak_dbfs: float | None
    reference_rms_dbfs: float | None = Field(description="A over the compared stretch")
    rounding_floor_dbfs: float | None = Field(description="What the word lengths leave at best")
    within_rounding: bool
    bit_identical: bool
    swapped: bool
    ambiguous_offsets: list[float] = Field(description="Other offsets that fit as well, samples")
    compared_start_s: float = Field(description="From the start of A's region")
    compared_s: float
    compared_samples: int
    steps: list[Step]
    channels: list[ChannelResult]
    bands: Bands
    timeline: Timeline
    overlay: Overlay
    matched: list[MatchedChannel]
    a: ClipFacts
    b: ClipFacts
    notes: list[str] = Field(description="Assumptions and what was done to the files")
    residual_listening_gain_db: float = Field(
        description="Most that the residual may be raised for listening"
    )


class ScaleMark(Edge):
    verdict: Verdict
    name: str
    from_db: float | None
    to_db: float | None


class Judgement(Edge):
    verdict: Verdict
    verdict_name: str
    passed: bool
    limit: Limit
    limit_text: str
    sentence: str
    causes: list[Cause]
    scale: list[ScaleMark]


class NullResult(Measurement, Judgement):
    """A measurement with its judgement, flat: what the API and the command line give."""
