"""Proposals rendered and measured: what the plan calls fulfilled has to hold in sound before it is called so."""

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from core.errors import FonodromeError
from core.routing import perform
from core.units import format as fmt
from core.wishes.heard import TOLERANCES, ClipSound, Hearing, heard_or_why
from core.wishes.measure import Looked
from core.wishes.propose import ProposalOut, ProposalsOut
from core.wishes.report import WishOut, shown_figure


def checked(
    proposal: ProposalOut, looked: Looked, clip: ClipSound | None = None,
    impulses: Mapping[str, np.ndarray] | None = None, step: Callable[[], None] = lambda: None,
) -> ProposalOut:  # fmt: skip
    """A proposal with what its render says of each wish. step: called while it renders; may raise.

    A rig that cannot be rendered is said to be not checked; it is not called wrong for it.
    """
    after = replace(looked, rig=perform(looked.rig, proposal.action).rig)
    hearing = Hearing(after, impulses or {}, clip, step)
    try:
        wishes = [_heard(one, hearing) for one in proposal.wishes]
    except FonodromeError as error:
        return proposal.model_copy(update={"checked_said": f"Not rendered: {error.sentence}"})
    told = [w for w in wishes if w.heard_holds is not None]
    missed = [w for w in told if w.holds and not w.heard_holds]
    holding = sum(w.holds is True for w in wishes)
    if missed:
        names = "; ".join(f"{w.title}: {w.heard_said}" for w in missed)
        said = f"Not so in its render. {names}"
    elif not told:
        said = "None of its figures can be measured in a render."
    else:
        held = sum(w.heard_holds is True for w in told)
        said = f"Rendered: {held} of {len(told)} hold in sound"
        silent = sum(w.heard_holds is None and w.holds is True for w in wishes)
        said += f"; {silent} of {holding} cannot be heard." if silent else "."
    return proposal.model_copy(
        update={
            "wishes": wishes, "checked": not missed if told else None, "checked_said": said,
            "musts_held": proposal.musts_held and not any(w.wish.must for w in missed),
        }
    )  # fmt: skip


def _heard(one: WishOut, hearing: Hearing) -> WishOut:
    figure, why = heard_or_why(one.wish, hearing)
    if figure is None:
        return one.model_copy(update={"heard_said": why})
    near = TOLERANCES[one.wish.kind]
    holds = one.wish.short_by(figure) <= near
    unit = one.wish.spec.apart
    said = f"{shown_figure(one.wish, figure)} in the render, to {fmt.significant(near, 2)} {unit}"
    return one.model_copy(update={"heard": figure, "heard_holds": holds, "heard_said": said})


def in_sound(out: ProposalsOut) -> ProposalsOut:
    """Proposals once they were rendered: those that do not hold in sound come last, and are not called
    fulfilled.
    """
    told = sorted(out.proposals, key=lambda one: one.checked is False)
    if not told or out.contradiction:
        return out.model_copy(update={"proposals": told})
    best = told[0]
    plain = best.sentence.rstrip(".")
    if best.checked:
        said = f"{plain}, in the plan and in its render."
    elif best.checked is False:
        said = f"{plain}, but in the plan only: no way that was found holds in its render."
    else:
        said = f"{plain}, in the plan."
    return out.model_copy(update={"proposals": told, "sentence": said})
