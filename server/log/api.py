"""A song's log."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router
from pydantic import AfterValidator, Field, StringConstraints, ValidationError

from core.edge import Edge
from core.tables import Row, csv_text
from server.config.answers import download
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


class InHand(Edge):
    variant: UUID | None = None
    clip: UUID | None = None


class LogEntryOut(Edge):
    id: UUID
    step: services.Step
    kind: str
    title: str
    text: str
    number: str = Field(description="The figure that counts, with its unit; empty for none")
    tone: services.Tone
    place: str = Field(description="The view of the song that shows it; empty for none")
    hand: InHand = Field(description="What was in hand")
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
    own = {n: getattr(entry, n) for n in LogEntryOut.model_fields if n != "hand"}
    return LogEntryOut.model_validate({**own, "hand": _hand(entry.data.get("hand"))})


def _hand(kept: Any) -> InHand:
    """What a line kept of it; of a line that came in a file it may be anything."""
    try:
        return InHand.model_validate(kept or {})
    except ValidationError:
        return InHand()


@router.get("/songs/{uuid:song_id}/log", response=LogPage)
def list_log(request: HttpRequest, song_id: UUID, asked: Query[LogAsked]) -> LogPage:
    """Entries, newest first; those of a step, and those that hold all words."""
    song = song_of(user_of(request), song_id)
    found = services.page(song.pk, asked.step, asked.find, asked.after, asked.most)
    entries = [_out(entry) for entry in found.entries]
    return LogPage(entries=entries, total=found.total, counts=found.counts)


@router.get("/songs/{uuid:song_id}/log.csv", response={200: None})
def log_csv(request: HttpRequest, song_id: UUID, asked: Query[LogAsked]) -> HttpResponse:
    """All that is asked for as a table, the oldest first."""
    song = song_of(user_of(request), song_id)
    rows = services.found(song.pk, asked.find).order_by("created_at", "id")
    if asked.step:
        rows = rows.filter(step=asked.step)
    table: list[Row] = [
        (e.created_at.isoformat(timespec="seconds"), e.step, e.kind, e.title, e.text, e.number, e.tone)
        for e in rows.iterator()
    ]  # fmt: skip
    head = ("time", "step", "kind", "what", "why or what was found", "figure", "judged")
    return download(csv_text([(head, table)]), f"{song.title}, log.csv", "text/csv")


@router.post("/songs/{uuid:song_id}/log", response=LogEntryOut)
def write_note(request: HttpRequest, song_id: UUID, payload: NoteIn) -> LogEntryOut:
    """A note of one's own: its first line is what is seen, the rest stands below it."""
    song = song_of(user_of(request), song_id)
    first, _, rest = payload.text.partition("\n")
    if len(first) > services.LONGEST_TITLE:
        first, rest = first[: services.LONGEST_TITLE - 1] + "…", payload.text
    return _out(services.write(song.pk, "log", "note", first, text=rest.strip()))
