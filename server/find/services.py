"""Look through all that is a person's, by the trade's words."""

import heapq
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cache, partial
from typing import Any, Literal
from uuid import UUID

from django.db.models import BooleanField, ExpressionWrapper, OuterRef, Q, QuerySet, Subquery

from core.find import Wanted, fits, plain, wanted_of
from core.routing.checks import RULES
from core.routing.document.kinds import KINDS
from server.accounts.models import User
from server.clips.models import Clip
from server.config.found import holding
from server.devices.models import Device, Panel
from server.log.models import LogEntry
from server.rigs.models import Rig, Variant
from server.setlists.models import SetList
from server.songs.models import Song
from server.songs.queries import in_songs_of

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


@dataclass(frozen=True)
class _Asked:
    user: User
    wanted: Wanted
    song_id: UUID | None


def find(user: User, typed: str, song_id: UUID | None) -> list[Hit]:
    """The best of each sort, the best first; what is of the song in hand goes before others."""
    wanted = wanted_of(typed)
    if not wanted.groups:
        return []
    asked = _Asked(user, wanted, song_id)
    hits: list[Hit] = []
    for source in (_songs, _rigs, _stages, _clips, _log):
        of_sort = _weighed(source(asked), song_id)
        hits += heapq.nlargest(MOST_OF_A_SORT, of_sort, key=lambda h: h.mark)
    hits += heapq.nlargest(MOST_OF_A_SORT, _devices(wanted, user), key=lambda h: h.mark)
    hits += heapq.nlargest(MOST_OF_A_SORT, _lists(wanted, user), key=lambda h: h.mark)
    hits += heapq.nlargest(MOST_OF_A_SORT, _checks(wanted), key=lambda h: h.mark)
    return sorted(hits, key=lambda h: -h.mark)[:MOST]


def _weighed(hits: Iterable[Hit], song_id: UUID | None) -> Iterator[Hit]:
    for hit in hits:
        yield replace(hit, mark=hit.mark + 2) if hit.song == song_id and song_id else hit


def _rows(rows: QuerySet[Any], asked: _Asked, way: str, *then: str) -> QuerySet[Any]:
    """Those of the person's songs that hold all words; of the song in hand first, then as is said."""
    own = ExpressionWrapper(Q(**{f"{way}pk": asked.song_id}), BooleanField()).desc()
    order = (own, *then) if asked.song_id else then
    return rows.filter(in_songs_of(asked.user, way)).order_by(*order)


def _songs(asked: _Asked) -> Iterator[Hit]:
    rows = _rows(Song.objects.filter(holding(asked.wanted.groups)), asked, "", "-updated_at")
    for pk, title, players in rows.values_list("pk", "title", "players")[:_LOOKED_AT]:
        mark = fits(asked.wanted, title, players)
        if mark is not None:
            yield Hit("song", title, players, mark + 1, pk)


def _rigs(asked: _Asked) -> Iterator[Hit]:
    first = Variant.objects.filter(rig=OuterRef("pk")).order_by("position").values("pk")[:1]
    held = Rig.objects.filter(
        holding(asked.wanted.groups, "found_by", "song__found_by"), deleted_at=None
    )
    rows = _rows(held, asked, "song__", "-song__updated_at", "position")
    for name, song, title, variant in rows.annotate(first=Subquery(first)).values_list(
        "name", "song_id", "song__title", "first"
    )[:_LOOKED_AT]:
        mark = fits(asked.wanted, name, title)
        if mark is not None and variant is not None:
            yield Hit("rig", name, title, mark, song, "route", variant)


def _stages(asked: _Asked) -> Iterator[Hit]:
    """Parts by their names, or by what they are where nobody named them."""
    # A word also stands for the kinds that are called by it.
    groups = [
        (*group, *(f'"{kind}"' for kind, made in KINDS.items() if _in(group, plain(made.title))))
        for group in asked.wanted.groups
    ]
    held = Variant.objects.filter(holding(groups), rig__deleted_at=None)
    rows = _rows(held, asked, "rig__song__", "-rig__song__updated_at", "position")
    seen: set[tuple[UUID, str, str]] = set()
    # Many variants have the same parts: each is weighed once.
    weigh = cache(partial(fits, asked.wanted))
    for pk, position, parts, rig, name, song, of in rows.values_list(
        "pk", "position", "parts", "rig_id", "rig__name", "rig__song_id", "rig__song__title"
    )[:_LOOKED_AT]:
        for id, kind, called, unit in json.loads(parts):
            made = KINDS.get(str(kind))
            what = made.title if made else ""
            title = called or what
            # The same stage of another variant is the same stage.
            if (rig, id, title) in seen:
                continue
            mark = weigh(title, f"{what} {unit or ''}")
            if mark is not None:
                seen.add((rig, id, title))
                where = f"{of}, {name} {chr(ord('A') + (position or 0))}"
                yield Hit("stage", title, where, mark, song, "route", pk, node=id)


def _in(group: tuple[str, ...], text: str) -> bool:
    return any(word in text for word in group)


def _clips(asked: _Asked) -> Iterator[Hit]:
    held = Clip.objects.filter(holding(asked.wanted.groups), deleted_at=None)
    rows = _rows(held, asked, "song__", "-created_at")
    for pk, name, song, title in rows.values_list("pk", "name", "song_id", "song__title")[
        :_LOOKED_AT
    ]:
        mark = fits(asked.wanted, name)
        if mark is not None:
            yield Hit("clip", name, title, mark, song, "listen", clip=pk)


def _log(asked: _Asked) -> Iterator[Hit]:
    held = LogEntry.objects.filter(holding(asked.wanted.groups))
    rows = _rows(held, asked, "song__", "-created_at")
    for title, kind, text, number, place, at, song, of in rows.values_list(
        "title", "kind", "text", "number", "place", "created_at", "song_id", "song__title"
    )[:_LOOKED_AT]:
        mark = fits(asked.wanted, title, f"{kind} {number} {text}")
        if mark is not None:
            yield Hit("log", title, f"{kind}, {at:%-d %b %Y}, {of}", mark - 1, song, place or "log")


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
    rows = SetList.objects.filter(owner=user, deleted_at=None)
    for pk, name in rows.values_list("pk", "name"):
        mark = fits(wanted, name, "set list")
        if mark is not None:
            yield Hit("list", name, "set list", mark, place=f"set-lists/{pk}")


def _checks(wanted: Wanted) -> Iterator[Hit]:
    for rule in RULES.values():
        mark = fits(wanted, rule.name, rule.reason)
        if mark is not None:
            yield Hit("check", rule.name, rule.reason, mark - 1, place="route")
