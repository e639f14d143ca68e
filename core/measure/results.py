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


CauseCode = Literal[
    "identical", "rounding", "level", "offset", "polarity", "channel_polarity", "channel_swap",
    "channel_level", "channel_offset", "width", "filter", "dynamics", "level_moves", "distortion",
    "clipping", "drift", "modulation", "jump", "click", "noise", "added_sound", "dc", "codec",
    "rate", "channels", "length", "periodic", "silence", "mix_share", "unrelated", "unknown",
]  # fmt: skip
Sure = Literal["certain", "likely", "possible"]


class Series(Edge):
    """One line or cloud of a picture; x and y of equal length, gaps are null."""

    name: str
    look: Literal["found", "fit", "points", "area"] = "found"
    x: list[float]
    y: list[float | None]


class Mark(Edge):
    """A place on a picture that has something to say."""

    x: float
    label: str


class Picture(Edge):
    """Evidence to be drawn: series on true axes."""

    title: str
    about: str = ""
    x_unit: Literal["s", "ms", "Hz", "dBFS", "of full scale", "order", "%"]
    x_log: bool = False
    y_unit: Literal["dB", "dBFS", "samples", "ms", "s", "of full scale", "%", "gain"]
    series: list[Series]
    marks: list[Mark] = []


class Cause(Edge):
    """One difference: what it is, how sure that is, what it takes away, and the evidence."""

    code: CauseCode
    title: str
    evidence: str
    sure: Sure = "certain"
    takes_db: float = Field(0.0, description="By how much the residual falls once it is undone, dB")
    figures: dict[str, float] = Field({}, description="By name, with the unit in the name")
    words: dict[str, str] = Field({}, description="What is said in a word: shape, detector, colour")
    at_s: list[float] = Field([], description="Where, for what has places: seconds from A's region")
    pictures: list[Picture] = []


class ToSet(Edge):
    """One correction of B, in the order to do them."""

    code: CauseCode
    words: str = Field(description="'Move B earlier by'")
    value: str = Field(description="'23.37 samples'")
    beside: str = Field("", description="The same in another unit, or more of it")
    leaves_db: float | None = Field(
        description="Residual against A once this is done; null: silent"
    )
    takes_db: float | None
    hurts: str = Field("", description="Why this step alone makes it worse, where it does")


class MatchedChannel(Edge):
    """What is needed to make the matched B again from the file."""

    a_channel: int
    b_channel: int
    lag: float
    gain: float


class Rests(Edge):
    """What was kept to be heard: residuals of an excerpt after steps that no matching undoes."""

    codes: list[CauseCode] = Field(description="Of `to_set`, in that order")
    start_s: float = Field(
        description="Where the excerpt begins, from the start of what was compared"
    )
    frames: int
    rate_hz: int


class Measurement(Edge):
    """All that was measured; no opinion, so that the limit can change afterwards."""

    related: bool = Field(True, description="Whether the two have anything to do with each other")
    offset_samples: float | None = Field(
        description="Positive: B is late, in samples of A; null where nothing relates the two"
    )
    offset_ms: float | None
    gain_db: float | None = Field(description="Level of B against A; null where unrelated")
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
    explained: bool = Field(False, description="Whether causes were looked for")
    causes: list[Cause] = []
    to_set: list[ToSet] = []
    ruled_out: list[str] = Field([], description="What was looked for and is not there")
    ambiguous: bool = Field(False, description="Other offsets fit as well: the material repeats")
    uncertain: bool = Field(False, description="A good part of the residual has no sure cause")
    explained_db: float | None = Field(
        None, description="Residual against A once all causes that could be fitted are undone"
    )
    level_note: str = Field("", description="What the level is defined by, where not by all of it")
    stem_notes: list[str] = Field([], description="Given stems that do not lie in A as they should")
    rests: Rests | None = Field(None, description="Where they were kept")
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
    scale: list[ScaleMark]


class NullResult(Measurement, Judgement):
    """A measurement with its judgement, flat: what the API and the command line give."""
