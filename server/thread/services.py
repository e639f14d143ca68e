"""States of the steps in words, and what was deleted and can still come back."""

import math
from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

from django.db import transaction
from django.db.models import F
from django.shortcuts import get_object_or_404
from django.utils import timezone

from core.blend import KeptBlend, parallel_view
from core.delay import DelayLine
from core.errors import FonodromeError
from core.practice import (
    Exercise,
    by_ear,
    clear_the_gaps,
    every_cause,
    follow_the_caution,
    lift_the_quiet,
    longest_dotted,
)
from core.routing import Rig as Document
from core.routing import load_rig
from core.routing.document.rig import Scene
from core.routing.edit.actions import SetRig
from core.routing.show.view import cautions_open
from core.space import KeptSpace, SpaceRequest, space_view
from core.tempo.ruler import TimeRulerRequest, time_ruler
from core.units import format as fmt
from server.accounts.models import User
from server.bench.models import Measurement
from server.clips.models import Clip
from server.clips.queries import clips_of
from server.clips.services import levels_of
from server.config.problems import Problem
from server.jobs.models import Status
from server.rigs.feeds import readable
from server.rigs.models import Rig, Variant
from server.rigs.queries import context_for, context_of, rigs_of, variant_of
from server.rigs.services import edit_variant, restore_rig, restore_variant
from server.rigs.views import VIEWS
from server.snapshots.models import Snapshot
from server.songs.models import PutAway, Song
from server.songs.services import delays_of, edit_song
from server.trials.models import Trial
from server.trials.services import verdict
from server.verify.models import NullTest

KEPT = timedelta(days=30)
State = tuple[str, str]


# States -----------------------------------------------------------------------------------------
def states(user: User, song: Song, variant: UUID | None, clip: UUID | None) -> dict[str, State]:
    """Step to its words and kind. What cannot be computed says nothing here; its own step does."""
    chosen, heard = _in_hand(user, song, variant, clip)
    return {
        "route": _route(chosen),
        "time": _time(song),
        "space": _space(song, heard),
        "blend": _blend(song),
        "listen": _listen(song),
        "verify": _verify(song),
        "log": (fmt.plural(song.log.count(), "entry", "entries"), "plain"),
    }


def _route(variant: Variant | None) -> State:
    if variant is None:
        return "no rig yet", "plain"
    try:
        document = load_rig(variant.document)
        count = cautions_open(VIEWS.of(document, context_for(variant, document)).checks)
    except FonodromeError:
        return "not computed", "fault"
    if count == 0:
        return "clear", "passed"
    return f"{count} caution{'s' if count > 1 else ''}", "caution"


def _time(song: Song) -> State:
    line = DelayLine.model_validate(delays_of(song)[0])
    try:
        seconds = line.left_s(context_of(song).frame)
    except FonodromeError:
        return "not read", "fault"
    if line.device is not None and seconds * 1e3 > line.device.max_ms + 1e-6:
        return "beyond the device", "caution"
    return f"{fmt.number(seconds * 1e3, 2)} ms", "plain"


def _space(song: Song, clip: Clip | None) -> State:
    kept = _kept_space(song, clip)
    if clip is None:
        return f"{fmt.number(kept.rt60_s, 2)} s", "plain"
    try:
        found = space_view(SpaceRequest(frame=context_of(song).frame, space=kept), levels_of(clip))
    except FonodromeError:
        return "not computed", "fault"
    gaps = len(found.gaps)
    if not gaps:
        return f"{fmt.number(kept.rt60_s, 2)} s", "plain"
    clear = found.clear == gaps
    return f"{found.clear} of {gaps} clear", "passed" if clear else "caution"


def _blend(song: Song) -> State:
    try:
        lift = parallel_view(_kept_blend(song).parallel).quiet_boost_db
    except FonodromeError:
        return "not computed", "fault"
    return f"{fmt.signed(lift, 1)} dB", "plain"


def _listen(song: Song) -> State:
    last = Trial.objects.filter(song=song).exclude(ended_at=None).order_by("-ended_at").first()
    if last is None:
        return "Space plays", "plain"
    found = verdict(last)
    return f"{found.hits} of {found.trials} right", "plain"


def _verify(song: Song) -> State:
    tests = NullTest.objects.filter(song=song, deleted_at=None)
    last = tests.exclude(summary=None).defer("measurement").first()
    if last is None:
        return "no test yet", "plain"
    if last.summary and last.summary.get("passed") is not None:
        return ("passed", "passed") if last.summary["passed"] else ("not passed", "caution")
    return "tested", "plain"


# Exercises ---------------------------------------------------------------------------------------
def exercises(
    user: User, song: Song, variant: UUID | None, clip: UUID | None, selected: str, delay: int
) -> list[Exercise]:
    """What can be found on what is in hand; a step where nothing can be computed asks nothing."""
    chosen, heard = _in_hand(user, song, variant, clip)
    lines = delays_of(song)
    line = DelayLine.model_validate(lines[min(max(delay, 0), len(lines) - 1)])
    frame = context_of(song).frame
    space = _kept_space(song, heard)
    tests = NullTest.objects.filter(song=song, deleted_at=None).exclude(summary=None)
    best = max((len(t.answers) for t in _ended(song)), default=0)

    def on_route() -> Exercise | None:
        if chosen is None:
            return None
        document = readable(chosen)
        if document is None:
            return None
        return follow_the_caution(
            VIEWS.of(document, context_for(chosen, document)).checks, selected
        )

    def on_time() -> Exercise | None:
        request = TimeRulerRequest(frame=frame, device=line.device, chosen=line.value)
        return longest_dotted(time_ruler(request), line.device.name if line.device else "")

    def on_space() -> Exercise | None:
        if heard is None:
            return None
        found = space_view(SpaceRequest(frame=frame, space=space), levels_of(heard))
        return clear_the_gaps(found, space.rt60_s)

    asked = (
        on_route,
        on_time,
        on_space,
        lambda: lift_the_quiet(parallel_view(_kept_blend(song).parallel)),
        lambda: by_ear(chosen.rig.variants.count() if chosen else 0, best),
        lambda: every_cause(
            tests.count(), tests.filter(measurement__polarity=-1).count(),
            song.pairs.exists(),
        ),
    )  # fmt: skip
    found = []
    for ask in asked:
        try:
            one = ask()
        except FonodromeError:
            continue
        if one is not None:
            found.append(one)
    return found


def _in_hand(
    user: User, song: Song, variant: UUID | None, clip: UUID | None
) -> tuple[Variant | None, Clip | None]:
    """The variant and the clip that are meant; the first ones where they are gone."""
    held = Variant.objects.filter(rig__in=rigs_of(user).filter(song=song))
    held = held.select_related("rig__song")
    chosen = held.filter(pk=variant).first() or held.order_by("rig__position", "position").first()
    ready = clips_of(user).filter(song=song, status=Status.DONE)
    return chosen, ready.filter(pk=clip).first() or ready.first()


def _ended(song: Song) -> list[Trial]:
    return list(Trial.objects.filter(song=song, practice="").exclude(ended_at=None))


def _kept_blend(song: Song) -> KeptBlend:
    return KeptBlend.model_validate(song.blend or {})


def _kept_space(song: Song, clip: Clip | None) -> KeptSpace:
    kept = KeptSpace.model_validate(song.space or {})
    if clip is not None and kept.clip != clip.name:
        # Phrases that were corrected by hand are those of another clip.
        return kept.model_copy(update={"phrases": None})
    return kept


# Deleted ----------------------------------------------------------------------------------------
def _one(kind: str, id: UUID, name: str, of: str, at: datetime) -> dict[str, Any]:
    left = KEPT - (timezone.now() - at)
    return {
        "id": id, "kind": kind, "name": name, "of": of, "deleted_at": at,
        "days_left": max(0, math.ceil(left / timedelta(days=1))),
    }  # fmt: skip


def deleted_songs(user: User) -> list[dict[str, Any]]:
    rows = Song.objects.filter(owner=user, deleted_at__gt=timezone.now() - KEPT)
    return [
        _one("song", s.pk, s.title, "", s.deleted_at)
        for s in rows.order_by("-deleted_at")
        if s.deleted_at
    ]


def deleted_parts(song: Song) -> list[dict[str, Any]]:
    """Newest first."""
    return sorted(_parts(song), key=lambda one: one["deleted_at"], reverse=True)


def _parts(song: Song) -> Iterator[dict[str, Any]]:
    since = timezone.now() - KEPT
    for rig in song.rigs.filter(deleted_at__gt=since):
        assert rig.deleted_at is not None
        yield _one("rig", rig.pk, rig.name, song.title, rig.deleted_at)
    gone = Variant.everything.filter(rig__song=song, rig__deleted_at=None, deleted_at__gt=since)
    for variant in gone.select_related("rig"):
        assert variant.deleted_at is not None
        name = variant.name or "unnamed"
        yield _one("variant", variant.pk, name, variant.rig.name, variant.deleted_at)
    for clip in song.clips.filter(deleted_at__gt=since):
        assert clip.deleted_at is not None
        yield _one("clip", clip.pk, clip.name, song.title, clip.deleted_at)
    names = dict(
        Variant.everything.filter(rig__song=song)
        .annotate(of=F("rig__name"))
        .values_list("pk", "of")
    )
    for part in song.put_away.filter(deleted_at__gt=since):
        of = names.get(UUID(part.place), "") if part.kind == "scene" else song.title
        yield _one(part.kind, part.pk, part.name, of, part.deleted_at)


def restore_part(user: User, song: Song, part_id: UUID) -> None:
    """Raises Http404 for what is not there, Problem where its place is taken."""
    part = song.put_away.filter(pk=part_id).first()
    if part is not None:
        with transaction.atomic():
            (_restore_scene if part.kind == "scene" else _restore_delay)(user, song, part)
            part.delete()
    elif song.rigs.filter(pk=part_id).exists():
        restore_rig(user, part_id)
    elif Variant.everything.filter(rig__song=song, pk=part_id).exists():
        restore_variant(user, part_id)
    else:
        clip = get_object_or_404(Clip, song=song, pk=part_id)
        clip.deleted_at = None
        clip.save(update_fields=["deleted_at"])


def _free(name: str, taken: set[str], most: int) -> str:
    """A name that is not taken: 'Verse', then 'Verse 2'."""
    count, found = 2, name
    while found in taken:
        end = f" {count}"
        found, count = f"{name[: most - len(end)]}{end}", count + 1
    return found


def _restore_scene(user: User, song: Song, part: PutAway) -> None:
    variant = variant_of(user, UUID(part.place))
    document: Document = load_rig(variant.document)
    scene = Scene.model_validate(part.content)
    name = _free(scene.name, {s.name for s in document.scenes}, 40)
    # Stages that were deleted meanwhile have no settings to call up.
    there = set(document.nodes)
    scene = scene.model_copy(
        update={
            "name": name,
            "off": tuple(n for n in scene.off if n in there),
            "on": tuple(n for n in scene.on if n in there),
            "values": {n: v for n, v in scene.values.items() if n in there},
        }
    )
    action = SetRig(scenes=(*document.scenes, scene))
    edit_variant(user, variant.pk, action, variant.revision, uuid4())


def _restore_delay(user: User, song: Song, part: PutAway) -> None:
    lines = delays_of(song)
    if len(lines) >= 32:
        raise Problem(409, "A song has up to 32 delays. Delete one first.", "full")
    line = part.content | {"name": _free(part.name, {one["name"] for one in lines}, 40)}
    edit_song(user, song.pk, song.revision, {"delays": [*lines, line]})


def sweep_deleted() -> int:
    """Remove for good what was deleted more than 30 days ago; returns how many rows went."""
    before, gone = timezone.now() - KEPT, 0
    for rows in (
        Song.objects.filter(deleted_at__lt=before),
        Rig.objects.filter(deleted_at__lt=before),
        Variant.everything.filter(deleted_at__lt=before),
        NullTest.objects.filter(deleted_at__lt=before),
        Measurement.objects.filter(deleted_at__lt=before),
        Clip.objects.filter(deleted_at__lt=before),
        PutAway.objects.filter(deleted_at__lt=before),
        Snapshot.objects.filter(deleted_at__lt=before),
    ):
        gone += rows.delete()[0]
    return gone
