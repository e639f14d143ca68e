"""Read clips through the song that owns them."""

from uuid import UUID

from django.db.models import F, Func, JSONField, QuerySet, TextField, Value
from django.db.models.functions import Cast
from django.shortcuts import get_object_or_404

from server.accounts.models import User
from server.clips.models import Clip
from server.config.problems import Problem
from server.jobs.models import Status
from server.songs.models import Song


def clips_of(user: User) -> QuerySet[Clip]:
    return Clip.objects.filter(
        song__owner=user, song__deleted_at=None, deleted_at=None
    ).select_related("blob")


class _Without(Func):
    """A JSON object less some of its keys, which never leave the database."""

    template, arg_joiner, output_field = "(%(expressions)s)", " - ", JSONField()

    def __init__(self, name: str, *keys: str) -> None:
        super().__init__(F(name), *(Cast(Value(key), TextField()) for key in keys))


def listed_clips(user: User, song: Song) -> QuerySet[Clip]:
    """Those of a song, each with `facts`: its report without the picture of its sound, twenty times as long as the rest.
    A page asks for all of them again and again while one is being read.
    """
    facts = _Without("report", "peaks_low", "peaks_high")
    return clips_of(user).filter(song=song).defer("report").annotate(facts=facts)


def clip_of(user: User, clip_id: UUID) -> Clip:
    """Raises Http404 for a clip that is not there or not theirs."""
    return get_object_or_404(clips_of(user), pk=clip_id)


def ready_clip_of(user: User, clip_id: UUID) -> Clip:
    """Like `clip_of`; raises Problem for a clip that is not decoded (yet)."""
    clip = clip_of(user, clip_id)
    if clip.status == Status.FAILED:
        raise Problem(409, f"“{clip.name}” cannot be used: {clip.problem}", "clip-unusable")
    if clip.status != Status.DONE:
        raise Problem(409, f"“{clip.name}” is still being decoded. Try again in a moment.", "busy")
    return clip
