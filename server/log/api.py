"""A song's log."""

from datetime import datetime
from typing import Annotated, Any, Literal
from uuid import UUID

from django.db import transaction
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from ninja import Query, Router
from pydantic import AfterValidator, Field, StringConstraints, ValidationError

from core.edge import Edge
from core.tables import Row, csv_text
from server.clips.store import path_of
from server.config.answers import download, named
from server.config.auth import user_of
from server.config.problems import Problem
from server.config.words import printable
from server.log import pictures, services
from server.log.models import LogEntry, NotePicture
from server.songs.queries import in_songs_of, song_of

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


class PictureOut(Edge):
    id: UUID
    width: int
    height: int


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
    pictures: list[PictureOut]
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
    pictures: list[UUID] = Field(
        [], max_length=pictures.MOST_OF_A_NOTE, description="Sent before, in their order"
    )


def _out(entry: LogEntry) -> LogEntryOut:
    own = {n: getattr(entry, n) for n in LogEntryOut.model_fields if n not in ("hand", "pictures")}
    return LogEntryOut.model_validate(
        {
            **own,
            "hand": _hand(entry.data.get("hand")),
            "pictures": [_picture_out(picture) for picture in entry.pictures.all()],
        }
    )


def _picture_out(picture: NotePicture) -> PictureOut:
    return PictureOut(id=picture.pk, width=picture.width, height=picture.height)


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
        (e.created_at.isoformat(timespec="seconds"), e.step, e.kind, e.title, e.text, e.number, e.tone,
         getattr(e, "seen", 0))
        for e in rows.annotate(seen=Count("pictures")).iterator()
    ]  # fmt: skip
    head = ("time", "step", "kind", "what", "why or what was found", "figure", "judged", "pictures")
    return download(csv_text([(head, table)]), f"{song.title}, log.csv", "text/csv")


@router.post("/songs/{uuid:song_id}/log", response=LogEntryOut)
def write_note(request: HttpRequest, song_id: UUID, payload: NoteIn) -> LogEntryOut:
    """A note of one's own: its first line is what is seen, the rest stands below it."""
    song = song_of(user_of(request), song_id)
    first, _, rest = payload.text.partition("\n")
    if len(first) > services.LONGEST_TITLE:
        first, rest = first[: services.LONGEST_TITLE - 1] + "…", payload.text
    with transaction.atomic():
        entry = services.write(song.pk, "log", "note", first, text=rest.strip())
        pictures.give(entry, [str(pk) for pk in payload.pictures])
    return _out(entry)


@router.post("/songs/{uuid:song_id}/pictures", response=PictureOut)
def send_picture(request: HttpRequest, song_id: UUID) -> PictureOut:
    """The body is a JPEG, a PNG or a WebP. It waits for a day until a note is written with it."""
    song = song_of(user_of(request), song_id)
    length = request.headers.get("Content-Length", "")
    if length.isdigit() and int(length) > pictures.MOST_BYTES_SENT:
        raise Problem(413, "A picture is at most 12 MB.", "too-large")
    return _picture_out(pictures.take(song, request.body))


@router.get("/pictures/{uuid:picture_id}", response={200: None})
def get_picture(request: HttpRequest, picture_id: UUID, small: bool = False) -> HttpResponse:
    """A note's picture; small: as a JPEG that is at most 96 dots high."""
    rows = NotePicture.objects.filter(in_songs_of(user_of(request), "song__"))
    picture = get_object_or_404(rows.select_related("blob", "song"), pk=picture_id)
    data = bytes(picture.small) if small else path_of(picture.blob).read_bytes()
    answer = HttpResponse(data, content_type="image/jpeg" if small else f"image/{picture.kind}")
    answer["Cache-Control"] = "private, max-age=31536000, immutable"
    ending = "jpg" if small or picture.kind == "jpeg" else picture.kind
    return named(answer, f"{picture.song.title}, picture.{ending}")
