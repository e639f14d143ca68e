"""Variants of a rig in small: how each is drawn, and which of its parts differ from the first."""

from pydantic import Field

from core.edge import Edge
from core.routing.document.rig import Rig, RigError
from core.routing.edit.edits import flatten
from core.routing.evaluate.signal import compile_rig
from core.routing.plan.build import Context
from core.routing.show.layout import RigLayout, lay_out_rig


class Mini(Edge):
    layout: RigLayout | None = Field(description="None where it cannot be computed")
    differing: list[str] = Field(description="Parts and rails of it that are not so in the first")
    missing: list[str] = Field(description="What the first has and it has not, by name")


def differing(first: Rig, other: Rig) -> tuple[list[str], list[str]]:
    """Parts and rails of `other` that the first says otherwise, and names of what it lacks."""
    a, b = flatten(first), flatten(other)
    found: set[str] = set()
    for key in a.keys() | b.keys():
        head, _, rest = key.partition("/")
        if head not in ("node", "rail") or a.get(key) == b.get(key):
            continue
        part = rest.partition("/")[0]
        if part in other.nodes or part in other.rails:
            found.add(part)
    gone = [first.nodes[n].shown for n in first.nodes if n not in other.nodes]
    return sorted(found), gone


def minis(rigs: list[tuple[Rig, Context]]) -> list[Mini]:
    """One for each variant; the first is what the others are held against."""
    drawn = []
    for rig, context in rigs:
        try:
            layout = lay_out_rig(rig, compile_rig(rig, context))
        except RigError:
            layout = None
        differs, gone = differing(rigs[0][0], rig)
        drawn.append(Mini(layout=layout, differing=differs, missing=gone))
    return drawn
