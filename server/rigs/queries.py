"""Read rigs and variants through the song that owns them."""

from collections.abc import Collection
from contextlib import suppress
from dataclasses import replace
from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from core.delay import slug
from core.errors import FonodromeError
from core.render.clip import impulse_of
from core.render.feeds import Feed
from core.routing import Context, Measured, StageGauge, clip_facts, impulses_used, plan_digest
from core.routing import Rig as Document
from core.routing.document.kinds import Source
from core.routing.plan.cells import ClipFacts
from core.routing.plan.spread import Impulse
from core.tempo.song import TempoSection
from server.accounts.models import User
from server.clips.store import path_of
from server.jobs.models import Status
from server.renders.models import Render
from server.rigs.feeds import clips_of_feeds, stored_feeds, unfed_of
from server.rigs.models import Rig, Variant
from server.songs.models import Song
from server.songs.services import delays_of

_NEWEST = 24


_FOUND = ("parts", "found_by")
_PAST = (*_FOUND, "turns")


def past_of(path: str) -> tuple[str, ...]:
    """What is left out wherever a variant is read beside something else, `path` leading to it: what it is found
    by, and what its last revisions changed. That can be many times as long as the rest.
    """
    return tuple(f"{path}__{name}" for name in _PAST)


def rigs_of(user: User) -> QuerySet[Rig]:
    return Rig.objects.filter(
        song__owner=user, song__deleted_at=None, deleted_at=None
    ).select_related("song")


def rig_of(user: User, rig_id: UUID) -> Rig:
    """Raises Http404 for a rig that is not there or not theirs."""
    return get_object_or_404(rigs_of(user), pk=rig_id)


def variant_of(user: User, variant_id: UUID, *, locked: bool = False) -> Variant:
    """Raises Http404 for a variant that is not there or not theirs. `locked`: until the transaction
    ends.
    """
    rows = Variant.objects.filter(
        rig__song__owner=user, rig__song__deleted_at=None, rig__deleted_at=None
    ).select_related("rig__song")
    if locked:
        rows = rows.select_for_update(of=("self",))
    # Long, and of use only to find by, or to who changes it.
    rows = rows.defer(*(_FOUND if locked else _PAST))
    return get_object_or_404(rows, pk=variant_id)


def context_of(song: Song) -> Context:
    """The tempo that a song's rigs are computed under: that of its first section."""
    section = TempoSection.model_validate(song.tempo_map[0])
    lines = delays_of(song)
    delays = {slug(line["name"]): line["value"] for line in lines}
    feedback = {
        slug(line["name"]): (
            line["device"].get("feedback_min_percent", 0.0),
            line["device"].get("feedback_max_percent", 100.0),
        )
        for line in lines
        if line.get("device")
    }
    return Context(section.frame(song.sample_rate_hz), delays, feedback)


def context_for(variant: Variant, document: Document, *, measured: bool = True) -> Context:
    """What a variant is computed under: the tempo, the clips that its rig was rendered on last, its
    impulse responses, and what the newest render measured where it is of this very document.

    measured: false for a document that is only thought of.
    """
    plain = context_of(variant.rig.song)
    return replace(
        plain, clips=_clips_of(variant.rig, document), impulses=_impulses_of(variant.rig.song, impulses_used(document)),
        unfed=unfed_of(variant.rig, document),
        measured=_measured_of(variant, document, plain) if measured else None,
    )  # fmt: skip


def _clips_of(rig: Rig, document: Document) -> dict[str, ClipFacts]:
    """Source to the clip that plays into it: as it was chosen, or as it was heard last."""
    feeds = {f.source: f for f in stored_feeds(rig) if f.sounds}
    if any(node.id not in feeds for node in document.of_kind("source")):
        heard = Render.objects.filter(variant__rig=rig, bare=False, clip__deleted_at=None)
        for played in heard.order_by("-created_at").values_list("feeds", flat=True)[:_NEWEST]:
            for one in played:
                feeds.setdefault(one["source"], Feed.model_validate(one))
    clips = clips_of_feeds(rig.song, list(feeds.values()))
    found: dict[str, ClipFacts] = {}
    for source, feed in feeds.items():
        node = document.nodes.get(source)
        place = next((p for p in feed.placements if p.clip in clips), None)
        if place is None or not feed.sounds or not isinstance(node, Source):
            continue
        clip = clips[place.clip]
        if clip.report is not None:
            facts = clip_facts(clip.name, clip.report, stereo=node.stereo)
            level = None if facts.rms_dbfs is None else facts.rms_dbfs + place.gain_db
            found[source] = replace(facts, rms_dbfs=level)
    return found


def context_of_all(song: Song, documents: list[Document]) -> Context:
    """What documents of a song are laid out under: its tempo, its delays, and their impulse responses."""
    names = {name for document in documents for name in impulses_used(document)}
    return replace(context_of(song), impulses=_impulses_of(song, names))


def _impulses_of(song: Song, names: Collection[str]) -> dict[str, Impulse]:
    if not names:
        return {}
    clips = song.clips.filter(name__in=names, status=Status.DONE, deleted_at=None)
    found = {}
    for clip in clips.select_related("blob"):
        if clip.blob is not None:
            path = str(path_of(clip.blob))
            with suppress(FonodromeError):
                found[clip.name] = impulse_of(path, clip.name, song.sample_rate_hz)
    return found


def _measured_of(variant: Variant, document: Document, context: Context) -> Measured | None:
    """Of the newest render of this very document and tempo, moves and captures left out."""
    if variant.moves:
        return None
    done = Render.objects.filter(variant=variant, bare=False, capture=None, status=Status.DONE)
    newest = (
        done.exclude(detail=None).order_by("-created_at").values_list("pk", "detail__plan").first()
    )
    # Of another rig, another tempo or another value of a delay that it names: not of this one.
    if newest is None or newest[1] != plan_digest(document, context.frame, context.delays):
        return None
    render = Render.objects.select_related("clip").filter(pk=newest[0]).first()
    if render is None or not render.detail or not render.detail.get("stages") or render.moves:
        return None
    stages = [StageGauge.model_validate(stage) for stage in render.detail["stages"]]
    return Measured(render.clip.name, {stage.node: stage for stage in stages})
