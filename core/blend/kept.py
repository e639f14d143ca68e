"""What is kept of the Blend step with a song, with the school or the law that it came from."""

from pydantic import Field

from core.blend.dynamics import ParallelSettings
from core.blend.equal import BlendRequest, InsertRequest
from core.blend.stereo import StereoRequest
from core.edge import Edge


class KeptBlend(Edge):
    """A parallel compression, a pair and its insert, and two sides, as they were left."""

    parallel: ParallelSettings = ParallelSettings()
    school: str = Field(
        "", max_length=20, description="School that it began from; empty: one's own"
    )
    pair: BlendRequest = BlendRequest()
    law: str = Field("linear", max_length=20, description="Law of the insert that was read")
    insert: InsertRequest = InsertRequest()
    sides: StereoRequest = StereoRequest()
    full_scale_dbu: float = Field(24, ge=0, le=30)
