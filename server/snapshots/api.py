"""Snapshots of a song: taken, compared with now, gone back to."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Router
from pydantic import AfterValidator, Field, StringConstraints

from core.edge import Edge
from server.config.auth import user_of
from server.config.words import printable
from server.snapshots import services
from server.snapshots.keeping import Kind
from server.snapshots.models import Snapshot
from server.songs.queries import song_of

router = Router(tags=["snapshots"])
_Name = Annotated[
    str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120),
    AfterValidator(printable),
]  # fmt: skip


class SnapshotOut(Edge):
    id: UUID
    name: str
    kind: Kind
    created_at: datetime


class SnapshotIn(Edge):
    name: _Name


class ChangedOut(Edge):
    """What is another now than it was."""

    of: str = Field(description="'Song', or a rig's name")
    rig: UUID | None
    lines: list[str]


class GoBack(Edge):
    rig: UUID | None = Field(None, description="Only this rig; none for all of the song")


def _out(row: Snapshot) -> SnapshotOut:
    return SnapshotOut.model_validate({n: getattr(row, n) for n in SnapshotOut.model_fields})


@router.get("/songs/{uuid:song_id}/snapshots", response=list[SnapshotOut])
def list_snapshots(request: HttpRequest, song_id: UUID) -> list[SnapshotOut]:
    """All of a song, newest first."""
    song = song_of(user_of(request), song_id)
    return [_out(row) for row in song.snapshots.filter(deleted_at=None).defer("content")]


@router.post("/songs/{uuid:song_id}/snapshots", response=SnapshotOut)
def take_snapshot(request: HttpRequest, song_id: UUID, payload: SnapshotIn) -> SnapshotOut:
    return _out(services.take(user_of(request), song_id, payload.name))


@router.get("/snapshots/{uuid:snapshot_id}/changes", response=list[ChangedOut])
def list_changes(request: HttpRequest, snapshot_id: UUID) -> list[ChangedOut]:
    """What changed from the snapshot to now, in words and figures."""
    found = services.changes_since(services.snapshot_of(user_of(request), snapshot_id))
    return [ChangedOut(of=one.of, rig=one.rig, lines=one.lines) for one in found]


@router.post("/snapshots/{uuid:snapshot_id}/go-back", response=SnapshotOut)
def go_back(request: HttpRequest, snapshot_id: UUID, payload: GoBack) -> SnapshotOut:
    """Go back to it. Answers the snapshot that was taken of what was there before."""
    return _out(services.restore(user_of(request), snapshot_id, payload.rig))


@router.delete("/snapshots/{uuid:snapshot_id}", response={204: None})
def delete_snapshot(request: HttpRequest, snapshot_id: UUID) -> tuple[int, None]:
    """Put it away; `restore` brings it back for 30 days."""
    services.delete(user_of(request), snapshot_id)
    return 204, None


@router.post("/snapshots/{uuid:snapshot_id}/restore", response=SnapshotOut)
def restore_snapshot(request: HttpRequest, snapshot_id: UUID) -> SnapshotOut:
    return _out(services.undelete(user_of(request), snapshot_id))
