"""Read clips through the song that owns them."""

from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from server.accounts.models import User
from server.clips.models import Clip
from server.config.problems import Problem
from server.jobs.models import Status


def clips_of(user: User) -> QuerySet[Clip]:
    return Clip.objects.filter(
        song__owner=user, song__deleted_at=None, deleted_at=None
    ).select_related("blob")


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
