"""A large rig made legible: only what belongs to one part, and runs of stages folded into one mark.

Both make a smaller document for the drawing alone; what is computed stays that of the whole rig.
"""

from core.routing.document import kinds as k
from core.routing.document.rig import Rig, RigError
from core.routing.edit.draft import Draft


def run_of(rig: Rig, id: str) -> list[str]:
    """The single stages in a row that a stage stands in, in order; empty for anything else."""
    if not rig.node(id).is_stage:
        return []
    row = [id]
    node = id
    while len(rig.inputs[node]) == 1:
        node = rig.inputs[node][0].rpartition(".")[0]
        if not rig.nodes[node].is_stage or node in row:
            break
        row.insert(0, node)
    node = id
    while rig.leaving[node]:
        node = rig.rails[rig.leaving[node][0]].target
        if not rig.nodes[node].is_stage or node in row:
            break
        row.append(node)
    return row


def reduced(rig: Rig, focus: str | None, folded: tuple[str, ...]) -> Rig:
    """The rig to draw: what feeds or follows `focus`, with the runs of `folded` as one stage each.

    Parts that are no longer there are passed over. A folded run keeps its first stage's id and is
    called by its count.
    """
    draft = Draft(rig)
    if focus is not None and focus in rig.nodes:
        kept = {focus, *rig.upstream(focus), *rig.downstream(focus)}
        # Sources that only join further on are left out with their rails.
        for source in rig.of_kind("source"):
            if source.id in kept and source.id != focus and focus not in rig.downstream(source.id):
                kept.discard(source.id)
        draft.nodes = {n: v for n, v in draft.nodes.items() if n in kept}
        draft.rails = {
            p: r
            for p, r in draft.rails.items()
            if p.rpartition(".")[0] in kept and r.target in kept
        }
    for id in folded:
        if id not in draft.nodes:
            continue
        row = [n for n in run_of(rig, id) if n in draft.nodes]
        if len(row) < 2:
            continue
        try:
            for other in row[1:]:
                draft.take_out(other)
                del draft.nodes[other]
        except RigError:
            continue
        first = draft.nodes[row[0]]
        draft.nodes[row[0]] = k.Generic(id=first.id, name=f"{len(row)} stages")
    return draft.done()
