"""What stands for the sound of a rig: two with one digest cannot be told apart by rendering them."""

import hashlib
from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Any

from core.routing.document import kinds as k
from core.routing.document.fields import parameters_of
from core.routing.document.rig import Rig
from core.routing.plan.timing import seconds_of
from core.units import TempoFrame


@lru_cache(maxsize=64)
def _fields(kind: type[k.Node]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Names of the fields that are heard, times apart."""
    times = {p.field for p in parameters_of(kind) if p.sort == "time"}
    apart = {*times, *k.UNHEARD, "sidings", "lines"}
    return tuple(f for f in kind.model_fields if f not in apart), tuple(sorted(times))


def _said(node: k.Node, frame: TempoFrame, delays: Mapping[str, str]) -> Iterator[Any]:
    plain, times = _fields(type(node))
    values = node.__dict__
    yield [values[name] for name in plain]
    for name in times:
        typed = values[name]
        yield None if typed is None else round(seconds_of(typed, node, frame, delays) * 1e9)
    if isinstance(node, k.Frame):
        # What stands by is not heard; places are names.
        for stage in node.running():
            yield list(_said(stage, frame, delays))


def plan_digest(rig: Rig, frame: TempoFrame, delays: Mapping[str, str]) -> str:
    """What stands for the sound of a rig under a tempo and the song's delays.

    Times count as the seconds that they come to, however they are written. Names, scenes, checks
    that were marked as meant, gear and cabling do not count, nor does the order in which parts were
    put in. Everything else does, defaults too. Raises RigError for a time that cannot be read.
    """
    parts = [
        [list(_said(rig.nodes[name], frame, delays)) for name in sorted(rig.nodes)],
        [(port, rail.target, tuple(rail.strip.__dict__.values())) for port, rail in sorted(rig.rails.items())],
        sorted((keyed, tapped.tap, tapped.at) for keyed, tapped in rig.keys.items()),
    ]  # fmt: skip
    return hashlib.sha256(repr(parts).encode()).hexdigest()
