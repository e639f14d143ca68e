"""A large rig made legible: only what belongs to one part.

This makes a smaller document for the drawing alone; what is computed stays that of the whole rig.
"""

from core.routing.document.rig import Rig
from core.routing.edit.draft import Draft


def reduced(rig: Rig, focus: str | None) -> Rig:
    """The rig to draw: what feeds or follows `focus`; all of it for a part that is not there."""
    if focus is None or focus not in rig.nodes:
        return rig
    kept = {focus, *rig.upstream(focus), *rig.downstream(focus)}
    # Sources that only join further on are left out with their rails.
    for source in rig.of_kind("source"):
        if source.id in kept and source.id != focus and focus not in rig.downstream(source.id):
            kept.discard(source.id)
    draft = Draft(rig)
    draft.nodes = {n: v for n, v in draft.nodes.items() if n in kept}
    draft.rails = {
        p: r for p, r in draft.rails.items() if p.rpartition(".")[0] in kept and r.target in kept
    }
    return draft.done()
