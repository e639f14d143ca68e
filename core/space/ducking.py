"""Settings of ducking, and of the tail that is ducked: what is kept with a song and sent to a rig."""

from typing import Literal

from pydantic import Field

from core.edge import Edge


class DuckingSettings(Edge):
    """One of three ways to make room under a key."""

    way: Literal["key", "envelope", "shape", "compressor"] = "key"
    depth_db: float = Field(9, ge=0, le=60)
    attack_ms: float = Field(10, ge=0.01, le=500)
    release_ms: float = Field(250, ge=1, le=5000)
    sensitivity_percent: float = Field(
        60, ge=0, le=400, description="Envelope: what a full envelope takes off the level"
    )
    follower_gain_db: float = Field(
        6, ge=-24, le=60, description="Envelope: gain before it is taken as full"
    )
    below_zero: bool = False
    period_s: float = Field(0.5, gt=0, le=30, description="Shape: length of one dip")
    dip_shape: Literal["ramp", "exponential", "half-sine"] = "ramp"
    threshold_db: float = Field(-30, ge=-80, le=12, description="Compressor")
    ratio: float = Field(4, ge=1, le=100, description="Compressor")


class DuckingTail(Edge):
    """The wet sound that is ducked: a tail that the clip leaves."""

    rt60_s: float = Field(1.8, ge=0.05, le=60)
    pre_delay_s: float = Field(0.02, ge=0, le=10)
    start_db: float = Field(0, ge=-60, le=24, description="Of a long note, against the dry sound")
