"""Mix laws, equal settings between parallel and insert, and what control steps allow."""

from core.blend.laws import (
    EqualInsert,
    equal_insert,
    law_gains,
    nearest_steps,
    null_limit_db,
)

__all__ = ["EqualInsert", "equal_insert", "law_gains", "nearest_steps", "null_limit_db"]
