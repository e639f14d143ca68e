"""What is asked of a render, and what is said of it."""

from pydantic import Field

from core.edge import Edge
from core.render.feeds import Feed
from core.render.meters import SoundCurves, SoundReport
from core.render.stems import StemOut
from core.routing.plan.measured import StageGauge


class RenderJob(Edge):
    """What is rendered: what plays into the sources, a stretch of the song, where it is heard, and a
    place to balance.
    """

    output: str = Field(max_length=40)
    feeds: tuple[Feed, ...] = Field((), max_length=64, description="What plays into the sources")
    place: str | None = Field(
        None,
        max_length=140,
        description="A merge, bus, device or 'frame@siding' whose inputs become stems, several with "
        "+ between them; 'auto' for the best one",
    )
    start_s: float = Field(0.0, ge=0, le=7200, description="Where in the song it begins")
    length_s: float | None = Field(None, gt=0, le=7200, description="Null: to the last clip's end")
    tail: bool = Field(True, description="Goes on until all has died away")
    bare: bool = Field(False, description="The clips themselves, past the whole rig")


class StemReport(StemOut):
    """A stem as it was rendered, at the gain that the rig gives it."""

    loudness_lufs: float | None
    peak_dbfs: float | None


class RenderReport(SoundReport):
    """A rig rendered on a clip."""

    start_s: float
    place: str | None
    alarm: str = Field("", description="What would run away, and is held here; else empty")
    needs_render: str = Field(description="Why the place cannot be balanced live; else empty")
    stems: list[StemReport]
    sentence: str


class RenderDetail(SoundCurves):
    """The curves, and the energies of the stems for balancing.

    `energies` has a row every 100 ms with the products of stems i <= j in order (0,0), (0,1), ...,
    (1,1), ...: K-weighted means, channels added.
    """

    energies: list[list[float]]
    stages: list[StageGauge] = Field([], description="What left each stage")
    plan: str = Field("", description="Digest of the plan that was rendered")
    before_dbfs: list[float] = Field(description="The clip itself in the same bands")
