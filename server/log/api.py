"""A song's log."""

from datetime import datetime
from typing import Annotated, Literal
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import AfterValidator, Field, StringConstraints

from core.edge import Edge
from server.config.auth import user_of
from server.config.words import printable
from server.log import services
from server.log.models import LogEntry
from server.songs.queries import song_of

router = Router(tags=["log"])
MOST = 200
_Note = Annotated[
    str,
    StringConstraints(strip_whitespace=True, min_length=1, max_length=4000),
    AfterValidator(printable),
]


class LogEntryOut(Edge):
    id: UUID
    step: services.Step
    kind: str
    title: str
    text: str
    number: str = Field(description="The figure that counts, with its unit; empty for none")
    tone: services.Tone
    place: str = Field(description="The view of the song that shows it; empty for none")
    created_at: datetime


class LogPage(Edge):
    entries: list[LogEntryOut]
    total: int = Field(description="Found altogether")
    counts: dict[str, int] = Field(description="Found by step, whichever was asked for")


class LogAsked(Edge):
    step: services.Step | Literal[""] = ""
    find: Annotated[str, AfterValidator(printable)] = Field(
        "", max_length=200, description="Words that all have to be in it"
    )
    after: int = Field(0, ge=0, le=1_000_000, description="So many of the newest are left out")
    most: int = Field(50, ge=1, le=MOST)


class NoteIn(Edge):
    text: _Note


def _out(entry: LogEntry) -> LogEntryOut:
    return LogEntryOut.model_validate({n: getattr(entry, n) for n in LogEntryOut.model_fields})


@router.get("/songs/{uuid:song_id}/log", response=LogPage)
def list_log(request: HttpRequest, song_id: UUID, asked: Query[LogAsked]) -> LogPage:
    """Entries, newest first; those of a step, and those that hold all words."""
    song = song_of(user_of(request), song_id)
    found = services.page(song.pk, asked.step, asked.find, asked.after, asked.most)
    entries = [_out(entry) for entry in found.entries]
    return LogPage(entries=entries, total=found.total, counts=found.counts)


@router.post("/songs/{uuid:song_id}/log", response=LogEntryOut)
def write_note(request: HttpRequest, song_id: UUID, payload: NoteIn) -> LogEntryOut:
    """A note of one's own: its first line is what is seen, the rest stands below it."""
    song = song_of(user_of(request), song_id)
    first, _, rest = payload.text.partition("\n")
    if len(first) > services.LONGEST_TITLE:
        first, rest = first[: services.LONGEST_TITLE - 1] + "…", payload.text
    return _out(services.write(song.pk, "log", "note", first, text=rest.strip()))
