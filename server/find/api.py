"""Find everything by one line of words; and what it asks to be done."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Query, Router
from pydantic import AfterValidator, Field

from core.edge import Edge
from core.find import MOST_TYPED, Asked, asked_of, wanted_of
from core.routing import TEMPLATES
from core.units import TempoFrame
from server.config.auth import user_of
from server.config.words import printable
from server.find.services import Sort, find
from server.rigs.queries import context_of
from server.songs.queries import song_of

router = Router(tags=["find"])


class FoundOut(Edge):
    sort: Sort
    title: str
    about: str
    song: UUID | None
    place: str = Field(description="The view of the song to open; empty: where it was left")
    variant: UUID | None
    clip: UUID | None
    node: str = Field(description="Stage to select")


class FindAsked(Edge):
    words: Annotated[str, AfterValidator(printable)] = Field(max_length=MOST_TYPED)
    song: UUID | None = Field(None, description="The song in hand: what is of it goes first")


class FindOut(Edge):
    found: list[FoundOut]
    wishes: list[Asked]
    wanted: list[list[str]] = Field(description="Each word with what else it is called")


def _short(text: str, most: int = 200) -> str:
    """As many whole words as fit, with an ellipsis where something is left out."""
    return text if len(text) <= most else text[:most].rsplit(" ", 1)[0] + "…"


@router.get("/find", response=FindOut)
def find_all(request: HttpRequest, asked: Query[FindAsked]) -> FindOut:
    """Songs, rigs, stages, clips, devices, checks and lines of the log, the best first."""
    user = user_of(request)
    song = song_of(user, asked.song) if asked.song else None
    frame = context_of(song).frame if song else TempoFrame()
    hits = find(user, asked.words, asked.song)
    return FindOut(
        found=[
            FoundOut(
                sort=h.sort, title=h.title, about=_short(h.about), song=h.song, place=h.place,
                variant=h.variant, clip=h.clip, node=h.node,
            )
            for h in hits
        ],
        wishes=asked_of(asked.words, [(t.id, t.name) for t in TEMPLATES], frame),
        wanted=[list(group) for group in wanted_of(asked.words).groups],
    )  # fmt: skip
