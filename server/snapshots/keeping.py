"""Keep a song as it is. Knows rows alone, so that whatever changes a song can ask for it first."""

from datetime import date
from typing import Any, Literal
from uuid import UUID

from django.db import transaction
from django.utils import timezone

from server.rigs.models import Rig
from server.snapshots.models import Snapshot
from server.songs.models import Song

Kind = Literal["named", "before", "daily"]
VALUES = (
    "title", "players", "tempo_map", "sample_rate_hz", "delay_value", "device", "delays", "figure",
    "space", "blend",
)  # fmt: skip
MOST_OWN = 200
_MOST_BY_ITSELF = 60

_SEEN: dict[UUID, date] = {}
"""Songs whose snapshot of a day was stored when this process last looked: it is not looked for with each edit. Only
what was committed counts: what was taken back with an edit was never there."""
_MOST_SEEN = 2000


def content_of(song: Song) -> dict[str, Any]:
    """The song's values, and every rig with its variants, as they are stored."""
    rigs = []
    for rig in song.rigs.filter(deleted_at=None).prefetch_related("variants"):
        variants = [
            {
                "id": str(v.pk), "position": v.position, "name": v.name, "document": v.document,
                "moves": v.moves,
            }
            for v in rig.variants.all()
        ]  # fmt: skip
        rigs.append(
            {
                "id": str(rig.pk), "name": rig.name, "position": rig.position, "feeds": rig.feeds,
                "variants": variants,
            }
        )  # fmt: skip
    return {"song": {name: getattr(song, name) for name in VALUES}, "rigs": rigs}


def keep(song: Song, name: str, kind: Kind) -> Snapshot:
    """One more. Of those that are kept by themselves the oldest go, so that there are 60 of a kind."""
    made = Snapshot.objects.create(song=song, name=name[:120], kind=kind, content=content_of(song))
    if kind != "named":
        of_kind = Snapshot.objects.filter(song=song, kind=kind)
        kept = list(of_kind.values_list("pk", flat=True)[:_MOST_BY_ITSELF])
        of_kind.exclude(pk__in=kept).delete()
    return made


def _remember(song_id: UUID, day: date) -> None:
    # In one step, whichever threads are at it: what was looked up once is looked up once more.
    if len(_SEEN) >= _MOST_SEEN:
        _SEEN.clear()
    _SEEN[song_id] = day


def keep_daily(song_id: UUID) -> None:
    """Before the first edit of a day: the song as the day found it."""
    today = timezone.now().date()
    if _SEEN.get(song_id) == today:
        return
    daily = Snapshot.objects.filter(song_id=song_id, kind="daily")
    if daily.filter(created_at__date=today).exists():
        transaction.on_commit(lambda: _remember(song_id, today))
        return
    song = Song.objects.get(pk=song_id)
    if not Rig.objects.filter(song=song).exists() and song.revision == 1:
        return
    keep(song, f"As {today:%-d %B} found it", "daily")
