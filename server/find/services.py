"""Look through all that is a person's, by the trade's words."""

import heapq
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import Literal
from uuid import UUID

from django.db.models import Q, QuerySet

from core.find import Wanted, fits, wanted_of
from core.routing.checks import RULES
from core.routing.document.kinds import KINDS
from server.accounts.models import User
from server.clips.models import Clip
from server.devices.models import Device, Panel
from server.log.models import LogEntry
from server.rigs.models import Rig, Variant
from server.setlists.models import SetList
from server.songs.models import Song
from server.songs.queries import songs_of

Sort = Literal["song", "rig", "stage", "clip", "device", "check", "log", "list"]
MOST_OF_A_SORT, MOST = 8, 40
_LOOKED_AT = 60
"""As many rows of a sort are weighed; the newest first."""


@dataclass(frozen=True)
class Hit:
    sort: Sort
    title: str
    about: str
    mark: float
    song: UUID | None = None
    place: str = ""
    """View of the song."""
    variant: UUID | None = None
    clip: UUID | None = None
    node: str = ""


def _any(wanted: Wanted, *fields: str) -> Q:
    """Rows that hold a word of every group in one of the fields."""
    found = Q()
    for group in wanted.groups:
        one = Q()
        for word in group:
            for field in fields:
                one |= Q(**{f"{field}__icontains": word})
        found &= one
    return found


def find(user: User, typed: str, song_id: UUID | None) -> list[Hit]:
    """The best of each sort, the best first; what is of the song in hand goes before others."""
    wanted = wanted_of(typed)
    if not wanted.groups:
        return []
    songs = songs_of(user)
    hits: list[Hit] = []
    for source in (_songs, _rigs, _stages, _clips, _log):
        of_sort = _weighed(source(wanted, songs, song_id), song_id)
        hits += heapq.nlargest(MOST_OF_A_SORT, of_sort, key=lambda h: h.mark)
    hits += heapq.nlargest(MOST_OF_A_SORT, _devices(wanted, user), key=lambda h: h.mark)
    hits += heapq.nlargest(MOST_OF_A_SORT, _lists(wanted, user), key=lambda h: h.mark)
    hits += heapq.nlargest(MOST_OF_A_SORT, _checks(wanted), key=lambda h: h.mark)
    return sorted(hits, key=lambda h: -h.mark)[:MOST]


def _weighed(hits: Iterable[Hit], song_id: UUID | None) -> Iterator[Hit]:
    for hit in hits:
        yield replace(hit, mark=hit.mark + 2) if hit.song == song_id and song_id else hit


def _songs(wanted: Wanted, songs: QuerySet[Song], _: UUID | None) -> Iterator[Hit]:
    for song in songs.filter(_any(wanted, "title", "players")).order_by("-updated_at")[:_LOOKED_AT]:
        mark = fits(wanted, song.title, song.players)
        if mark is not None:
            yield Hit("song", song.title, song.players, mark + 1, song.pk)


def _rigs(wanted: Wanted, songs: QuerySet[Song], _: UUID | None) -> Iterator[Hit]:
    rows = Rig.objects.filter(_any(wanted, "name", "song__title"), song__in=songs, deleted_at=None)
    for rig in rows.select_related("song").prefetch_related("variants")[:_LOOKED_AT]:
        mark = fits(wanted, rig.name, rig.song.title)
        first = next(iter(rig.variants.all()), None)
        if mark is not None and first is not None:
            yield Hit("rig", rig.name, rig.song.title, mark, rig.song_id, "route", first.pk)


def _stages(wanted: Wanted, songs: QuerySet[Song], song_id: UUID | None) -> Iterator[Hit]:
    """Parts by their names, or by what they are where nobody named them."""
    kinds = [name for name, kind in KINDS.items() if fits(wanted, kind.title) is not None]
    named = _any(wanted, "parts")
    for kind in kinds:
        named |= Q(parts__contains=f'"{kind}"')
    held = Variant.objects.filter(named, rig__song__in=songs, rig__deleted_at=None)
    rows = held.order_by("-rig__song__updated_at", "position").values_list(
        "pk", "position", "parts", "rig_id", "rig__name", "rig__song_id", "rig__song__title"
    )
    seen: set[tuple[UUID, str, str]] = set()
    own = rows.filter(rig__song=song_id)[:_LOOKED_AT] if song_id else ()
    others = (rows.exclude(rig__song=song_id) if song_id else rows)[:_LOOKED_AT]
    for pk, position, parts, rig, name, song, of in (*own, *others):
        for id, kind, called, unit in json.loads(parts):
            made = KINDS.get(str(kind))
            what = made.title if made else ""
            title = called or what
            # The same stage of another variant is the same stage.
            if (rig, id, title) in seen:
                continue
            mark = fits(wanted, title, f"{what} {unit or ''}")
            if mark is not None:
                seen.add((rig, id, title))
                where = f"{of}, {name} {chr(ord('A') + (position or 0))}"
                yield Hit("stage", title, where, mark, song, "route", pk, node=id)


def _clips(wanted: Wanted, songs: QuerySet[Song], _: UUID | None) -> Iterator[Hit]:
    rows = Clip.objects.filter(_any(wanted, "name"), song__in=songs, deleted_at=None)
    for clip in rows.select_related("song").order_by("-created_at")[:_LOOKED_AT]:
        mark = fits(wanted, clip.name)
        if mark is not None:
            yield Hit(
                "clip", clip.name, clip.song.title, mark, clip.song_id, "listen", clip=clip.pk
            )


def _log(wanted: Wanted, songs: QuerySet[Song], _: UUID | None) -> Iterator[Hit]:
    rows = LogEntry.objects.filter(_any(wanted, "title", "text", "kind"), song__in=songs)
    for entry in rows.select_related("song")[:_LOOKED_AT]:
        mark = fits(wanted, entry.title, f"{entry.kind} {entry.text}")
        if mark is not None:
            about = f"{entry.kind}, {entry.created_at:%-d %b %Y}, {entry.song.title}"
            yield Hit("log", entry.title, about, mark - 1, entry.song_id, entry.place or "log")


def _devices(wanted: Wanted, user: User) -> Iterator[Hit]:
    names = dict.fromkeys(
        Device.objects.filter(owner=user).values_list("name", flat=True), "a delay's profile"
    )
    names |= {
        str(p.content.get("name", "")): "how it reads" for p in Panel.objects.filter(owner=user)
    }
    for name, about in names.items():
        mark = fits(wanted, name, about)
        if mark is not None:
            yield Hit("device", name, about, mark)


def _lists(wanted: Wanted, user: User) -> Iterator[Hit]:
    rows = SetList.objects.filter(_any(wanted, "name"), owner=user, deleted_at=None)
    for pk, name in rows.values_list("pk", "name")[:_LOOKED_AT]:
        mark = fits(wanted, name, "set list")
        if mark is not None:
            yield Hit("list", name, "set list", mark, place=f"set-lists/{pk}")


def _checks(wanted: Wanted) -> Iterator[Hit]:
    for rule in RULES.values():
        mark = fits(wanted, rule.name, rule.reason)
        if mark is not None:
            yield Hit("check", rule.name, rule.reason, mark - 1, place="route")
