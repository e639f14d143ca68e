"""What plays into the sources of a rig."""

from uuid import UUID

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from core.edge import Edge, Word
from core.render.feeds import Feed
from core.routing import Rig as Document
from server.config.auth import user_of
from server.config.problems import Problem
from server.renders.services import seconds_of
from server.rigs.feeds import (
    clips_of_feeds,
    feeds_of,
    readable,
    set_feed,
    set_test_set,
    sources_of,
)
from server.rigs.models import Rig
from server.rigs.queries import rig_of

router = Router(tags=["rigs"])


class FedSource(Edge):
    """A source, and what plays into it."""

    source: str
    name: str
    feed: Feed
    gone: int = Field(description="Clips that were placed here and are not in the song any more")


class FeedsOut(Edge):
    sources: list[FedSource]
    chosen: bool = Field(description="False: nothing was ever chosen, the clip in hand plays")
    seconds: float = Field(description="Where in the song the last clip ends")


class FeedIn(Edge):
    feed: Feed


def _out(rig: Rig, clip: UUID | None) -> FeedsOut:
    feeds: dict[str, Feed] = {}
    for variant in rig.variants.all():
        for one in feeds_of(rig, readable(variant) or Document(), clip):
            feeds.setdefault(one.source, one)
    clips = clips_of_feeds(rig.song, list(feeds.values()))
    told = []
    for source, name in sources_of(rig).items():
        feed = feeds.get(source, Feed(source=source))
        gone = sum(p.clip not in clips for p in feed.placements) if feed.sounds else 0
        told.append(FedSource(source=source, name=name, feed=feed, gone=gone))
    return FeedsOut(
        sources=told, chosen=bool(rig.feeds), seconds=seconds_of(list(feeds.values()), clips)
    )


@router.get("/rigs/{uuid:rig_id}/feeds", response=FeedsOut)
def get_feeds(request: HttpRequest, rig_id: UUID, clip: UUID | None = None) -> FeedsOut:
    """What plays into each source. clip: what plays where nothing was ever chosen."""
    return _out(rig_of(user_of(request), rig_id), clip)


@router.put("/rigs/{uuid:rig_id}/feeds/{source}", response=FeedsOut)
def put_feed(
    request: HttpRequest, rig_id: UUID, source: Word, payload: FeedIn, clip: UUID | None = None
) -> FeedsOut:
    """What plays into one source; the others stay as they are, the clip in hand too where it played."""
    rig = rig_of(user_of(request), rig_id)
    if payload.feed.source != source:
        raise Problem(422, "The feed is for another source.", "other-source")
    return _out(set_feed(rig, payload.feed, clip), None)


@router.post("/rigs/{uuid:rig_id}/test-set", response=FeedsOut)
def use_test_set(request: HttpRequest, rig_id: UUID) -> FeedsOut:
    """A clip of the song for every source, found by the words of their names."""
    return _out(set_test_set(rig_of(user_of(request), rig_id)), None)
