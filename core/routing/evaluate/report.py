"""What a rig does, in the form that crosses the edge: arrivals, sums, loops, levels, alignment.

What there are hundreds of are plain dataclasses: made in a tenth of the time of a checked model.
"""

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from core.edge import Edge
from core.routing.evaluate.cycles import CycleOut


@dataclass(slots=True)
class ArrivalOut:
    """What one path delivers at an output."""

    id: Annotated[
        str, Field(description="Stays the same while the path goes through the same parts")
    ]
    name: str
    detail: str
    level_db: Annotated[
        float, Field(description="Against the strongest dry arrival, else the strongest")
    ]
    gain_db: Annotated[float, Field(description="From the source to the output")]
    time_ms: float
    latency_ms: Annotated[float, Field(description="Of that, what nobody wanted")]
    polarity: Annotated[int, Field(description="1 upright, -1 inverted; of the stronger side")]
    wet_percent: float
    pan_percent: Annotated[float, Field(description="-100 left, 100 right, by power")]
    diffuse: Annotated[bool, Field(description="A dense tail: it has a level, but no comb")]
    leak: Annotated[bool, Field(description="The dry share of a device that should be fully wet")]
    intended: Annotated[bool, Field(description="Later than its latency because somebody wants it")]
    through: Annotated[list[str], Field(description="Nodes and rails on the way, in order")]
    quiet_db: Annotated[
        float | None, Field(description="Changes with level: level_db for what is quiet; else null")
    ]
    loud_db: Annotated[float | None, Field(description="The same for what is loud")]


class NotchOut(Edge):
    hz: float
    depth_db: float | None = Field(description="Against the stronger arrival; null: complete")


class SumsOut(Edge):
    """All arrivals of one source at one output taken together, relative to the reference."""

    headroom_db: float | None = Field(
        description="In step: sizes of what arrives within 10 ms added, what comes at one time as it "
        "adds; null: it cancels"
    )
    level_db: float | None = Field(
        description="As heard: power of everything on the source's spectrum; null: silence, or no limit"
    )
    near_level_db: float | None = Field(
        description="The same for what arrives within 10 ms; null: it cancels"
    )
    power_db: float | None = Field(
        description="Out of step: powers of all arrivals added; null: no limit"
    )
    grows: bool = Field(description="A loop at or above unity feeds it: it has no level of its own")
    mono_db: float | None = Field(description="Mono sum against the stereo power; null for mono")
    notches: list[NotchOut] = Field(description="Of the two strongest within 10 ms, lowest first")
    comb: str = Field(description="Which two arrivals make the comb; empty where there is none")
    cancels: str = Field(description="Which two arrivals take each other away; else empty")
    near_db: list[float] = Field(description="Louder side, what arrives within 10 ms, over hz")
    all_db: list[float] = Field(description="Louder side, every coherent arrival, over hz")
    mono_near_db: list[float] = Field(description="Mono, what arrives within 10 ms, over hz")


class BoardOut(Edge):
    """The arrivals board of one source at one output, strongest first."""

    output: str
    source: str
    reference: str = Field(description="Name of the arrival that levels are against")
    reference_gain_db: float
    reference_ms: float
    arrivals: list[ArrivalOut]
    path_count: int | None = Field(description="Without repeats; null where it cannot be said")
    complete: bool = Field(
        description="Whether the list holds every path above -100 dB, of a loop its first turns: eight of a "
        "feedback, three of a rail"
    )
    sums: SumsOut | None


class LoopOut(Edge):
    """A rail that closes a cycle."""

    rail: str
    gain_db: float | None = Field(description="A safe bound; null where the rest is unstable")
    hz: float = Field(description="Where it is largest")
    grows: bool = Field(description="At or above unity: it has no end")
    lap_ms: float = Field(description="Quickest way round, and the mean delay of a tail on it")
    bands_db: list[float] = Field(description="At 125, 250, 500, 1k, 2k, 4k Hz")
    laps_to_60_db: float | None
    decay_s: list[float | None] = Field(
        description="Time for 60 dB at each of those bands; null where it does not die"
    )


@dataclass(slots=True)
class RailOut:
    """What a rail carries at nominal level."""

    port: str
    channels: int
    level_dbfs: Annotated[float | None, Field(description="RMS, the louder side; null: silent")]
    sides_dbfs: Annotated[
        list[float | None], Field(description="RMS of left and right; one value for mono")
    ]
    measured_dbfs: Annotated[
        float | None,
        Field(description="RMS of the louder side in the render at hand; null: not measured"),
    ]
    dry_dbfs: float | None
    wet_dbfs: float | None
    dry_ms: Annotated[float | None, Field(description="Earliest dry sound; null without any")]
    wet_ms: Annotated[float | None, Field(description="Earliest wet sound; null without any")]


class AlignOut(Edge):
    """Delay to add to an input so that latencies meet."""

    rail: str
    add_ms: float
    joins: str = Field(description="Merge at which it meets the later ones")


class OutputLevel(Edge):
    """What arrives at an output, all sources together."""

    output: str
    nominal_dbfs: float | None = Field(description="RMS of the louder side")
    sides_dbfs: list[float | None] = Field(description="RMS of left and right; one value for mono")
    peak_dbfs: float | None = Field(description="Bound of the peaks: everything in step")
    peaks_dbfs: list[float | None] = Field(description="The same per side")
    mono_dbfs: float | None = Field(description="RMS of (L + R) / 2; null for a mono output")
    ceiling_dbfs: float


class ControlEffect(Edge):
    """What one move of one control does to what arrives. 0 where it does nothing."""

    control: str = Field(description="Node or rail")
    move: str = Field(description="'down 10 dB', 'muted', 'bypassed', 'soloed'")
    label: str
    changes_db: list[float | None] = Field(description="Per group; null: silenced")
    total_db: float | None


class ControlsOut(Edge):
    """The table of controls at one output: rows of effects on groups of arrivals."""

    output: str
    groups: list[str]
    rows: list[ControlEffect]


class RigReport(Edge):
    """Everything computed from a rig under a tempo."""

    measured_clip: str | None = Field(description="Clip that the measured levels are of")
    hz: list[float]
    boards: list[BoardOut]
    loops: list[LoopOut]
    stable: bool
    rails: list[RailOut]
    align: list[AlignOut]
    outputs: list[OutputLevel]
    times_ms: dict[str, float] = Field(description="Delay or pre-delay of a node under this tempo")
    cycles: dict[str, CycleOut] = Field(description="What goes round by itself, by stage")
