"""What a render measured at the ends of stages, as the plan shows it beside its own figures."""

from collections.abc import Mapping
from dataclasses import dataclass

from pydantic import Field

from core.edge import Edge


class StageGauge(Edge):
    """What left a node while a clip was rendered. Null for silence."""

    node: str
    rms_dbfs: list[float | None] = Field(description="Left and right; one value for mono")
    peak_dbfs: list[float | None] = Field(description="Largest sample, a side each")
    true_peak_dbtp: list[float | None] = Field(
        description="Largest value between samples about the largest ones, 4 x"
    )
    gain_db: list[float | None] = Field(
        description="Of a stage that works by level: its gain every 50 ms; null where nothing came"
    )
    acting: float | None = Field(
        description="Share of the sounding time in which it turns down by half a decibel or more"
    )
    resting_db: float | None = Field(None, description="Its gain for what is quiet")
    loop_dbfs: list[float | None] = Field(
        [], description="Of a loop: RMS of what goes round, every 50 ms, the louder side's loop"
    )
    most_db: float | None = Field(
        None, description="Most that it turns down; null if it never does"
    )
    typical_db: float | None = Field(None, description="The middle of what it turns down, acting")
    key_dbfs: float | None = Field(None, description="RMS of what keys it, the louder side")


@dataclass(frozen=True)
class Measured:
    """A render that is current, by the name of its clip."""

    clip: str
    stages: Mapping[str, StageGauge]

    def level_dbfs(self, node: str) -> float | None:
        """RMS of the louder side behind a node; None where it was not measured, or silent."""
        gauge = self.stages.get(node)
        heard = [] if gauge is None else [v for v in gauge.rms_dbfs if v is not None]
        return max(heard, default=None)
