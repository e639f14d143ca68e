"""A song's log."""

from datetime import datetime
from uuid import UUID

from django.http import HttpRequest
from ninja import Router

from core.edge import Edge
from server.config.auth import user_of
from server.songs.queries import song_of

router = Router(tags=["log"])
MOST = 200


class LogEntryOut(Edge):
    id: UUID
    kind: str
    title: str
    text: str
    created_at: datetime


@router.get("/songs/{uuid:song_id}/log", response=list[LogEntryOut])
def list_log(request: HttpRequest, song_id: UUID) -> list[LogEntryOut]:
    """The newest 200 entries, newest first."""
    song = song_of(user_of(request), song_id)
    names = ("id", "kind", "title", "text", "created_at")
    return [
        LogEntryOut(**{name: getattr(entry, name) for name in names})
        for entry in song.log.all()[:MOST]
    ]
