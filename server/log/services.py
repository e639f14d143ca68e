"""Write into a song's log, and find in it."""

from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Literal
from uuid import UUID

from django.db.models import Count, Prefetch, QuerySet
from django.utils import timezone

from core.find import plain
from server.config.found import holding
from server.log.models import LogEntry, NotePicture

Step = Literal["route", "time", "space", "blend", "listen", "verify", "log"]
Tone = Literal["plain", "passed", "caution"]
Hand = dict[Literal["variant", "clip"], str]
MOST_WORDS = 8
LONGEST_TITLE = 200
_SETTLED = timedelta(seconds=60)


def write(
    song_id: UUID, step: Step, kind: str, title: str, *, text: str = "", number: str = "",
    tone: Tone = "plain", place: str = "", data: dict[str, Any] | None = None,
    hand: Hand | None = None,
) -> LogEntry:  # fmt: skip
    """One more line. place: the view of the song that shows it, as 'verify/<id>'; hand: what is in
    hand there, the ids of a variant and a clip.
    """
    return LogEntry.objects.create(
        song_id=song_id, step=step, kind=kind[:40], title=title[:LONGEST_TITLE], text=text,
        number=number[:40], tone=tone, place=place[:200],
        data={**(data or {}), **({"hand": hand} if hand else {})},
    )  # fmt: skip


def write_settled(
    song_id: UUID, step: Step, kind: str, title: str, was: str, *, number: str = "", place: str = "",
    hand: Hand | None = None,
) -> None:  # fmt: skip
    """A value that is moved in many small steps makes one line: the newest within a minute is it.

    What comes back to where it was within that minute makes none.
    """
    last = LogEntry.objects.filter(song_id=song_id).first()
    young = last is not None and last.created_at > timezone.now() - _SETTLED
    same = last is not None and last.kind == kind and last.data.get("hand") == hand
    if last is not None and young and same and last.data.get("was"):
        was = last.data["was"]
        last.delete()
    if was != title:
        write(
            song_id, step, kind, title, text=f"before: {was}", number=number, place=place,
            data={"was": was}, hand=hand,
        )  # fmt: skip


@dataclass(frozen=True)
class Page:
    entries: list[LogEntry]
    total: int
    """How many there are that were asked for, on all pages."""
    counts: dict[str, int]
    """By step, whichever was asked for."""


def found(song_id: UUID, find: str) -> QuerySet[LogEntry]:
    """Entries in which every word is found, from the newest on."""
    rows: QuerySet[LogEntry] = LogEntry.objects.filter(song_id=song_id)
    return rows.filter(holding([word] for word in plain(find).split()[:MOST_WORDS]))


def page(song_id: UUID, step: str, find: str, after: int, most: int) -> Page:
    """Entries from the newest on; those of a step, and those in which every word is found."""
    rows = found(song_id, find)
    counted = rows.order_by().values_list("step").annotate(count=Count("pk"))
    counts = dict(counted)
    if step:
        rows = rows.filter(step=step)
    total = counts.get(step, 0) if step else sum(counts.values())
    entries = list(
        rows.prefetch_related(Prefetch("pictures", NotePicture.objects.defer("small")))[
            after : after + most
        ]
    )
    return Page(entries, total, counts)
