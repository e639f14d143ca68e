"""Which box each part of a rig stands in, and what between two boxes is a cable.

A part stands in a box of its own, or in the mixer. What adds and what stands in a mixer's channels is
the mixer; levels and splits are where they stand beside it. The mixer is one box, whatever is in it.
"""

from dataclasses import dataclass

from core.routing.document import kinds as k
from core.routing.document.rig import PLAIN, Rig

MIXER = ""
"""The box of all that stands in the mixer; others are called by their part's id."""


@dataclass(frozen=True)
class Lead:
    """A cable: the rails that run in it (none: it is the mixer's own way out), and its ends."""

    ports: tuple[str, ...]
    source: str
    """Id of the part that it leaves, or MIXER."""
    target: str
    """Id of the part where it ends, or MIXER."""


def boxes_of(rig: Rig, level_kinds: dict[str, str]) -> dict[str, str]:
    """Id to box: the part's own id, or MIXER. `level_kinds`: what each part gives."""
    found = {
        n: MIXER if type(node).stands_in == "mixer" else n
        for n, node in rig.nodes.items()
        if not isinstance(node, k.Output)
    }
    sums = {node.id for node in rig.of_kind("output") if _adds(rig, node.id, level_kinds)}
    beside = [n for n, node in rig.nodes.items() if type(node).stands_in == "beside"]
    changed = True
    while changed:
        changed = False
        for name in beside:
            if found[name] == MIXER:
                continue
            before = [found.get(p.rpartition(".")[0]) for p in rig.inputs[name]]
            after = [
                MIXER if rig.rails[p].target in sums else found.get(rig.rails[p].target)
                for p in rig.outputs_of(name)
            ]
            inside = MIXER in after
            if isinstance(rig.nodes[name], k.Split):
                # Its box is the mixer where all that leaves it goes on there, or is a level behind it.
                levels = [
                    type(rig.nodes[rig.rails[p].target]).stands_in == "beside"
                    for p in rig.outputs_of(name)
                ]
                inside = inside and all(
                    b == MIXER or own for b, own in zip(after, levels, strict=True)
                )
            if MIXER in before or inside:
                found[name], changed = MIXER, True
    return {**found, **{n.id: n.id for n in rig.of_kind("output")}}


def _adds(rig: Rig, output: str, level_kinds: dict[str, str]) -> bool:
    """Whether an output adds in the mixer: several things come to it, or one with a strip of its own.
    What comes through the air adds in the room.
    """
    cabled = [p for p in rig.inputs[output] if level_kinds.get(p.rpartition(".")[0]) != "air"]
    return len(cabled) > 1 or any(rig.rails[p].strip != PLAIN for p in cabled)


def leads_of(rig: Rig, level_kinds: dict[str, str], boxes: dict[str, str]) -> list[Lead]:
    """Cables in no order. boxes: `boxes_of`.

    An output that adds does so in the mixer: what comes to it from there shares one cable.
    """
    found: list[Lead] = []
    mains: dict[str, list[str]] = {
        node.id: [] for node in rig.of_kind("output") if _adds(rig, node.id, level_kinds)
    }
    fed: set[str] = set()
    for port, rail in rig.rails.items():
        source = port.rpartition(".")[0]
        start, end = boxes[source], boxes[rail.target]
        counts = rail.cable.counts
        air = level_kinds.get(source) == "air"
        if counts == "no" or (air and counts == "auto"):
            continue
        if rail.target in mains and start == MIXER:
            mains[rail.target].append(port)
            fed.add(rail.target)
        elif rail.target in mains and counts == "auto":
            found.append(Lead((port,), start, MIXER))
            fed.add(rail.target)
        elif start != end or counts == "yes":
            found.append(Lead((port,), start, end))
    found += [Lead(tuple(sorted(ports)), MIXER, n) for n, ports in mains.items() if n in fed]
    return found
