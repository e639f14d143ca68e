"""What runs through all steps: the state of each in a few words, and what was deleted."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import Field

from core.edge import Edge
from core.practice import Exercise
from server.config.auth import user_of
from server.songs.queries import song_of
from server.thread import services

router = Router(tags=["thread"])


class StepState(Edge):
    """One step's state: a figure or a word, and whether it asks for attention or has passed."""

    words: str
    kind: Literal["plain", "caution", "passed", "fault"] = "plain"


class StepsOut(Edge):
    route: StepState
    time: StepState
    space: StepState
    blend: StepState
    listen: StepState
    verify: StepState
    log: StepState


class DeletedOut(Edge):
    id: UUID
    kind: Literal["song", "rig", "variant", "clip", "scene", "delay"]
    name: str
    of: str = Field(description="What it belonged to")
    deleted_at: datetime
    days_left: int


@router.get("/songs/{uuid:song_id}/steps", response=StepsOut)
def song_steps(
    request: HttpRequest, song_id: UUID, variant: UUID | None = None, clip: UUID | None = None
) -> StepsOut:
    """The state of every step for a variant and a clip in hand; the first ones without."""
    user = user_of(request)
    found = services.states(user, song_of(user, song_id), variant, clip)
    return StepsOut(**{name: StepState(words=s, kind=kind) for name, (s, kind) in found.items()})


@router.get("/songs/{uuid:song_id}/exercises", response=list[Exercise])
def song_exercises(
    request: HttpRequest,
    song_id: UUID,
    variant: UUID | None = None,
    clip: UUID | None = None,
    selected: Annotated[str, Query(max_length=60)] = "",
    delay: Annotated[int, Query(ge=0, le=99)] = 0,
) -> list[Exercise]:
    """Things to find on what is in hand, and whether they are on the screen now."""
    user = user_of(request)
    return services.exercises(user, song_of(user, song_id), variant, clip, selected, delay)


@router.get("/deleted", response=list[DeletedOut])
def deleted_songs(request: HttpRequest) -> list[DeletedOut]:
    """Songs that were deleted within 30 days."""
    return [DeletedOut(**one) for one in services.deleted_songs(user_of(request))]


@router.get("/songs/{uuid:song_id}/deleted", response=list[DeletedOut])
def deleted_parts(request: HttpRequest, song_id: UUID) -> list[DeletedOut]:
    """Rigs, variants, clips, scenes and delays of a song that were deleted within 30 days."""
    song = song_of(user_of(request), song_id)
    return [DeletedOut(**one) for one in services.deleted_parts(song)]


@router.post("/songs/{uuid:song_id}/deleted/{uuid:part_id}/restore", response={204: None})
def restore_part(request: HttpRequest, song_id: UUID, part_id: UUID) -> tuple[int, None]:
    """Bring a deleted part of a song back, of whatever kind it is."""
    user = user_of(request)
    services.restore_part(user, song_of(user, song_id), part_id)
    return 204, None
