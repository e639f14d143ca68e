"""Wishes over a variant: what they are looked at with, and searches as jobs."""

import time
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from django.db import transaction
from pydantic import TypeAdapter

from core.errors import Cancelled
from core.routing import Rig, load_rig
from core.space import KeptSpace, SpaceRequest, space_view
from core.wishes import (
    RATE_HZ,
    BestSoFar,
    ClipPart,
    ClipSound,
    FreeAsked,
    Looked,
    ProposalsOut,
    asked_for,
    checked,
    chosen,
    clip_part,
    clip_sound,
    in_sound,
    propose,
    trade,
    traded,
)
from server.accounts.models import User
from server.accounts.quotas import in_turn
from server.clips.models import Clip
from server.clips.queries import ready_clip_of
from server.clips.services import levels_of
from server.clips.store import path_of
from server.jobs.models import Status
from server.jobs.runner import Attempt, request_cancel
from server.renders.services import impulses_at
from server.rigs.feeds import feeds_of, readable
from server.rigs.models import Variant
from server.rigs.queries import context_for, past_of
from server.sheets.services import owned_of
from server.wishes.models import Search

LONGEST_S = 60.0
"""Then the best so far is given."""
_KEPT = 6
_OPEN = (Status.QUEUED, Status.RUNNING)
_FREE = TypeAdapter(list[FreeAsked] | None)
_SEARCHING = 0.6
"""Share of the progress that is the search's; the rest is rendering."""


def looked_at(
    user: User, variant: Variant, clip_id: UUID | None, document: Rig | None = None
) -> Looked:
    """A variant as its wishes see it, over a clip or none. Raises Problem for another's clip."""
    rig = load_rig(variant.document) if document is None else document
    others = {}
    if any(w.kind == "null" for w in rig.wishes):
        found = [(v.letter, readable(v)) for v in variant.rig.variants.exclude(pk=variant.pk)]
        others = {letter: document for letter, document in found if document is not None}
    clip, into = None, ""
    if clip_id is not None:
        held = ready_clip_of(user, clip_id)
        clip = _part_of(variant, rig, held)
        into = next(
            (f.source for f in feeds_of(variant.rig, rig, clip_id) for p in f.placements if p.clip == str(clip_id)),
            "",
        )  # fmt: skip
    return Looked(
        rig, context_for(variant, rig), clip, into=into, others=others, owned=owned_of(user)
    )


def _part_of(variant: Variant, rig: Rig, clip: Clip) -> ClipPart:
    """Levels and phrases of a clip, as Space finds them with the song's own settings."""
    levels = levels_of(clip)
    kept = variant.rig.song.space
    space = KeptSpace() if kept is None else KeptSpace.model_validate(kept)
    frame = context_for(variant, rig).frame
    found = space_view(SpaceRequest(frame=frame, space=space), levels)
    return clip_part(levels, found.phrases, clip.name)


def ask(user: User, variant: Variant, sort: str, asked: dict[str, Any]) -> Search:
    """Queue a search; what was asked of the same variant before and is not done is let go.

    Raises Problem and FonodromeError where nothing can be asked.
    """
    from server.wishes.tasks import run_search

    looked = looked_at(user, variant, _clip_of(asked))
    free = _FREE.validate_python(asked["free"])
    chosen(looked.rig, looked.context, free, looked.owned)
    if sort == "proposals":
        asked_for(looked)
    else:
        traded(looked, asked["one"], asked["other"])
    with transaction.atomic():
        Variant.objects.select_for_update().get(pk=variant.pk)
        for before in Search.objects.filter(variant=variant, sort=sort, status__in=_OPEN):
            request_cancel(before)
        old = Search.objects.filter(variant=variant).exclude(status__in=_OPEN)
        old.filter(pk__in=old.values("pk")[_KEPT:]).delete()
        search = Search.objects.create(
            variant=variant, sort=sort, asked=asked, document=variant.document
        )
        in_turn(run_search, user, search_id=str(search.pk))
    return search


@dataclass
class _Watch:
    """Time, and the wish to stop: then the best so far is kept."""

    attempt: Attempt
    end: float
    share: float = 0.0
    stage: str = "Looking for settings"
    stopped: bool = False

    def __call__(self) -> bool:
        if not self.stopped:
            try:
                self.attempt.report(self.share, self.stage)
            except Cancelled:
                self.stopped = True
        return self.stopped or time.monotonic() > self.end

    def step(self) -> None:
        if self():
            raise Cancelled


def search(pk: UUID, attempt: Attempt) -> dict[str, Any]:
    """Find what was asked for, each proposal rendered and measured."""
    rows = Search.objects.select_related("variant__rig__song__owner")
    row = rows.defer(*past_of("variant")).get(pk=pk)
    user, asked = row.variant.rig.song.owner, row.asked
    looked = looked_at(user, row.variant, _clip_of(asked), load_rig(row.document))
    free = _FREE.validate_python(asked["free"])
    settings = chosen(looked.rig, looked.context, free, looked.owned)
    watch = _Watch(attempt, time.monotonic() + LONGEST_S)
    if row.sort == "trade":
        watch.stage = "Going along the trade"
        found = trade(looked, settings, asked["one"], asked["other"], watch)
        return {"result": found.model_dump(mode="json")}

    def seen(best: BestSoFar) -> None:
        watch.share = _SEARCHING * (1 - 100 / (100 + best.looked_at))
        watch.stage = f"{best.looked_at} settings looked at"
        attempt.publish(best=best.model_dump(mode="json"))

    out = propose(looked, settings, stop=watch, seen=seen)
    attempt.publish(result=out.model_dump(mode="json"))
    # What was found is rendered however long it took to find.
    watch.end = time.monotonic() + LONGEST_S
    out = _rendered(row, looked, out, watch)
    return {"result": out.model_dump(mode="json"), "best": None}


def _rendered(row: Search, looked: Looked, out: ProposalsOut, watch: _Watch) -> ProposalsOut:
    """Each proposal checked in sound, as far as it is not stopped."""
    sound = _sound_of(row)
    impulses = impulses_at(row.variant.rig.song, looked.rig, RATE_HZ)
    told = list(out.proposals)
    for i, one in enumerate(told):
        watch.share = _SEARCHING + (1 - _SEARCHING) * i / len(told)
        watch.stage = f"Rendering {i + 1} of {len(told)}"
        try:
            watch.step()
            told[i] = checked(one, looked, sound, impulses, watch.step)
        except Cancelled:
            told[i] = one.model_copy(update={"checked_said": "Not rendered: it was stopped."})
    return in_sound(out.model_copy(update={"proposals": told}))


def _sound_of(row: Search) -> ClipSound | None:
    clip_id = _clip_of(row.asked)
    clip = None if clip_id is None else Clip.objects.select_related("blob").get(pk=clip_id)
    return None if clip is None or clip.blob is None else clip_sound(path_of(clip.blob), clip.name)


def _clip_of(asked: dict[str, Any]) -> UUID | None:
    return UUID(asked["clip"]) if asked["clip"] else None
