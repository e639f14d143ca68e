"""The base of every request and result that crosses the edge of the core."""

from pydantic import BaseModel, ConfigDict


class Edge(BaseModel):
    """Frozen, closed, and free of NaN and infinity: a number that does not exist is null."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
