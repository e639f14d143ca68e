"""What the bench says of a device: every figure with what it was read from, or why it is withheld."""

from typing import Literal

from pydantic import Field

from core.edge import Edge

Side = Literal["both", "left", "right"]
DelayMode = Literal["mono", "stereo", "ping-pong", "dual", "unknown"]


class Refused(Edge):
    """A figure that cannot be stated."""

    what: str
    why: str


class Repeat(Edge):
    time_ms: float = Field(description="After the dry sound")
    level_db: float = Field(description="Against the dry sound")
    side: Side


class BandFall(Edge):
    """One octave of a delay's repeats."""

    hz: float = Field(description="Middle of the octave")
    first_db: float | None = Field(
        description="The first repeat against the dry sound; null where that is not known"
    )
    each_db: float | None = Field(description="From repeat to repeat; null with only one")
    repeats: int | None = Field(description="That stand out of the noise here")


class DelayMeasured(Edge):
    """A delay, from a click or a phrase through it. Null: could not be told; `refused` says why."""

    time_ms: float | None = Field(description="From repeat to repeat, least squares over all")
    first_repeat_ms: float | None
    first_repeat_db: float | None = Field(description="The first repeat against the dry sound")
    feedback_db: float | None = Field(description="From repeat to repeat, negative where it falls")
    read_at_hz: float | None = Field(
        None, description="Octave that levels are of where the loop is filtered; null: all of them"
    )
    growth_ms: float | None = Field(
        None,
        description="By how much each interval is longer than the one before; time is the first",
    )
    wander_ms: float | None = Field(
        None, description="The farthest that a repeat lies from an even train; from four repeats on"
    )
    bands: list[BandFall] = []
    repeats: list[Repeat]
    mode: DelayMode
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

    rt60_s: float | None = Field(
        None, description="By the slope that is likeliest; the early one where there are two"
    )
    within_percent: float | None = Field(None, description="One standard deviation of rt60_s")
    late_s: float | None = Field(None, description="The late slope, where the decay has two")
    bend_db: float | None = Field(None, description="How far down the late slope takes over")


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


class Harmonic(Edge):
    """One order of distortion at the level of the test sweep."""

    order: int
    db: float = Field(description="Against the linear part")
    percent: float
    below: bool = Field(description="Not told from noise: the true level is at most this")


class LoopMeasured(Edge):
    """A loop: what was sent against what came back."""

    latency_samples: float
    latency_ms: float
    polarity: Literal[1, -1]
    gain_db: float
    response: list[ResponsePoint] = Field(description="Against its own gain")
    distortion_percent: float | None
    harmonics: list[Harmonic] = Field([], description="From a sweep; empty without one")
    noise_dbfs: float | None = Field(description="Where nothing was sent")
    drift_ppm: float | None
    null_depth_db: float | None
    refused: list[Refused]
    sentence: str


class MixPosition(Edge):
    """What a mix control does at one of its marks."""

    percent: int
    dry: float = Field(description="Gain of what comes back at 0")
    wet: float = Field(description="Gain of what comes back at 100")
    rest_db: float = Field(description="What is neither, against the whole")
    does_percent: float | None = Field(None, description="By its law; null without one")


class MixMeasured(Edge):
    """A mix control, from its positions between all dry and all wet."""

    positions: list[MixPosition]
    law: str | None = Field(description="linear, equal-power, compromise or full")
    law_off_db: float | None = Field(description="How far off it is at most")
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
