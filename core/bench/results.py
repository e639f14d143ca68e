"""What the bench says of a device: every figure with what it was read from, or why it is withheld."""

from typing import Literal

from pydantic import Field

from core.edge import Edge

Side = Literal["both", "left", "right"]


class Refused(Edge):
    """A figure that cannot be stated."""

    what: str
    why: str


class Repeat(Edge):
    time_ms: float = Field(description="After the dry sound")
    level_db: float = Field(description="Against the dry sound")
    side: Side


class DelayMeasured(Edge):
    """A delay, from a click or a phrase through it. Null: could not be told; `refused` says why."""

    time_ms: float | None = Field(description="From repeat to repeat, least squares over all")
    first_repeat_ms: float | None
    first_repeat_db: float | None = Field(description="The first repeat against the dry sound")
    feedback_db: float | None = Field(description="From repeat to repeat, negative where it falls")
    repeats: list[Repeat]
    mode: Literal["mono", "stereo", "ping-pong", "dual", "unknown"]
    tempo_error_ms: float | None = Field(description="Measured less planned; null without a plan")
    noise_dbfs: float | None
    refused: list[Refused]
    sentence: str


class DecayFigures(Edge):
    edt_s: float | None
    t20_s: float | None
    t30_s: float | None
    c50_db: float | None
    c80_db: float | None
    range_db: float | None = Field(description="Peak over noise that the decay was read from")


class DecayBand(DecayFigures):
    hz: float = Field(description="Middle of the octave")


class DecayMeasured(DecayFigures):
    """A decay, from an impulse response or a swept sine; figures of the whole are of 500 to 1000 Hz."""

    pre_delay_ms: float | None
    bands: list[DecayBand]
    refused: list[Refused]
    sentence: str


class ResponsePoint(Edge):
    hz: float
    db: float


class LoopMeasured(Edge):
    """A loop: what was sent against what came back."""

    latency_samples: float
    latency_ms: float
    polarity: Literal[1, -1]
    gain_db: float
    response: list[ResponsePoint] = Field(description="Against its own gain")
    distortion_percent: float | None
    noise_dbfs: float | None = Field(description="Where nothing was sent")
    drift_ppm: float | None
    null_depth_db: float | None
    refused: list[Refused]
    sentence: str


class CurvePoint(Edge):
    level_dbfs: float
    gain_db: float


class GainPoint(Edge):
    at_s: float
    gain_db: float


class DynamicsMeasured(Edge):
    """What works on the level between dry and wet."""

    threshold_db: float | None
    ratio: float | None
    attack_ms: float | None
    release_ms: float | None
    most_reduction_db: float | None
    makeup_db: float | None
    curve: list[CurvePoint]
    gain_db: list[GainPoint]
    refused: list[Refused]
    sentence: str
