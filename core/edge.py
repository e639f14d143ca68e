"""The base of every request and result that crosses the edge of the core."""

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

Word = Annotated[str, Field(max_length=200)]
"""A name, a kind, a note value: what is typed into a field or chosen."""
Settings = Annotated[dict[str, Any], Field(max_length=200)]
"""Fields of a part, by their names."""


class Edge(BaseModel):
    """Frozen, closed, and free of NaN and infinity: a number that does not exist is null."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
