"""Mix laws, equal settings between parallel and insert, what control steps allow, parallel compression."""

from core.blend.dynamics import (
    SCHOOLS,
    ParallelOut,
    ParallelSchool,
    ParallelSettings,
    compressed_db,
    lift_db,
    local_slope,
    parallel_db,
    parallel_view,
)
from core.blend.equal import (
    BlendOut,
    BlendRequest,
    InsertOut,
    InsertRequest,
    blend_view,
    insert_view,
)
from core.blend.kept import KeptBlend
from core.blend.laws import (
    LAWS,
    EqualInsert,
    equal_insert,
    law_gains,
    mix_of_ratio,
    nearest_steps,
    null_limit_db,
    pan_gains,
)
from core.blend.stereo import (
    LevelOut,
    LevelRequest,
    StereoOut,
    StereoRequest,
    level_view,
    stereo_view,
)

__all__ = [
    "LAWS", "mix_of_ratio",
    "SCHOOLS", "BlendOut", "BlendRequest", "EqualInsert", "InsertOut", "KeptBlend", "InsertRequest", "LevelOut", "LevelRequest", "StereoOut", "StereoRequest", "ParallelOut", "ParallelSchool",
    "ParallelSettings", "blend_view", "compressed_db", "equal_insert", "insert_view", "law_gains", "level_view", "lift_db", "local_slope",
    "nearest_steps", "null_limit_db", "pan_gains", "parallel_db", "parallel_view", "stereo_view",
]  # fmt: skip
