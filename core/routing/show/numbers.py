"""The numbers that stages have on the drawing, in the tables and in the app: one way to count them."""

from core.routing.document import kinds as k
from core.routing.document.rig import Rig


def has_something_to_set(node: k.Node) -> bool:
    """Whether a person sets anything on it: sources and outputs are plugged in, plain joins are not
    touched.
    """
    if isinstance(node, (k.Source, k.Output)):
        return False
    if isinstance(node, k.Split):
        return node.mode != "full"
    if isinstance(node, k.Merge):
        return bool(node.level_db) or node.crossfade_percent is not None
    if isinstance(node, k.Bus):
        return bool(node.level_db) or node.muted
    return True


def stage_numbers(rig: Rig, reading: list[str]) -> dict[str, int]:
    """Id to number, from 1, along the drawing: rail by rail, each from its start.

    A part that only a scene touches has a number too. reading: `RigLayout.reading`.
    """
    touched = {n for s in rig.scenes for n in (*s.off, *s.on, *s.values)}
    counted = [n for n in reading if n in touched or has_something_to_set(rig.nodes[n])]
    return {name: number for number, name in enumerate(counted, 1)}
