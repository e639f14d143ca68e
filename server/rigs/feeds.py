"""What plays into the sources of a rig: kept with the rig, read for renders and for what is computed."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from uuid import UUID

from django.db import transaction

from core.errors import FonodromeError
from core.render.feeds import ClipFile, Feed, Placement, cast, one_clip
from core.routing import load_rig
from core.routing.document import kinds as k
from core.routing.document.rig import Rig as Document
from server.clips.models import Clip
from server.clips.store import path_of
from server.config.problems import Problem
from server.jobs.models import Status
from server.rigs.models import Rig, Variant
from server.songs.models import Song


def readable(variant: Variant) -> Document | None:
    """Its document; None where what is stored is none any more."""
    try:
        return load_rig(variant.document)
    except FonodromeError:
        return None


def sources_of(rig: Rig) -> dict[str, str]:
    """Sources of all variants of a rig, id to what they are called, in the order of the first."""
    found: dict[str, str] = {}
    for variant in rig.variants.all():
        document = readable(variant)
        for node in document.nodes.values() if document is not None else ():
            if isinstance(node, k.Source):
                found.setdefault(node.id, node.shown)
    return found


def stored_feeds(rig: Rig) -> list[Feed]:
    return [Feed.model_validate(one) for one in rig.feeds]


def feeds_of(rig: Rig, document: Document, clip: UUID | None) -> tuple[Feed, ...]:
    """What plays into the sources that a document has; where nothing was ever chosen, the clip in
    hand into the first of them.
    """
    kept = [f for f in stored_feeds(rig) if f.source in document.nodes]
    if not rig.feeds and clip is not None:
        first = next((n.id for n in document.nodes.values() if isinstance(n, k.Source)), None)
        return one_clip(first, str(clip)) if first else ()
    return tuple(kept)


def clips_of_feeds(song: Song, feeds: Sequence[Feed]) -> dict[str, Clip]:
    """The clips that feeds name, by id; those that are gone or not usable are left out."""
    ids = {id for id in _named(feeds) if _is_id(id)}
    if not ids:
        return {}
    found = song.clips.filter(pk__in=ids, status=Status.DONE, deleted_at=None)
    return {str(clip.pk): clip for clip in found.select_related("blob") if clip.blob is not None}


def among(known: Mapping[str, Clip], feeds: Sequence[Feed]) -> dict[str, Clip]:
    """Of clips that are at hand those that feeds name."""
    return {id: known[id] for id in _named(feeds) if id in known}


def _named(feeds: Sequence[Feed]) -> set[str]:
    return {p.clip for f in feeds if f.sounds for p in f.placements}


def _is_id(text: str) -> bool:
    try:
        UUID(text)
    except ValueError:
        return False
    return True


def files_of(clips: dict[str, Clip]) -> dict[str, ClipFile]:
    return {i: ClipFile(path_of(c.blob), c.name) for i, c in clips.items() if c.blob is not None}


def content_of(feeds: Sequence[Feed], clips: dict[str, Clip]) -> list[object]:
    """What stands for the sound of feeds: the clips by their bytes."""
    return [
        [f.source, [[clips[p.clip].blob_id, p.model_dump(exclude={"clip"})] for p in f.placements]]
        for f in feeds
        if f.sounds
    ]


def key_of(feeds: Sequence[Feed]) -> str:
    told = json.dumps([f.model_dump(mode="json") for f in feeds], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()[:16]


def unfed_of(rig: Rig, document: Document) -> frozenset[str]:
    """Sources that nothing plays into and that were not said to be silent, once any was given a clip."""
    feeds = {f.source: f for f in stored_feeds(rig)}
    if not any(f.sounds for f in feeds.values()):
        return frozenset()
    known = clips_of_feeds(rig.song, list(feeds.values()))

    def missing(source: str) -> bool:
        feed = feeds.get(source)
        if feed is None:
            return True
        return not feed.silent and not any(p.clip in known for p in feed.placements)

    sources = [n.id for n in document.nodes.values() if isinstance(n, k.Source)]
    return frozenset(s for s in sources if missing(s))


def _checked(rig: Rig, feed: Feed) -> Feed:
    if feed.source not in sources_of(rig):
        raise Problem(422, "This rig has no such source.", "no-source")
    known = clips_of_feeds(rig.song, [feed])
    for place in feed.placements:
        if not feed.silent and place.clip not in known:
            raise Problem(
                422, "That clip is not in this song, or not ready yet. Nothing was changed.",
                "other-song",
            )  # fmt: skip
    return feed


def set_feed(rig: Rig, feed: Feed, clip: UUID | None) -> Rig:
    """What plays into one source from now on; the others stay, as does the clip in hand in the first
    source where nothing was chosen before. Raises Problem.
    """
    _checked(rig, feed)
    first = rig.variants.first()
    with transaction.atomic():
        held = Rig.objects.select_for_update().get(pk=rig.pk)
        if not held.feeds and first is not None:
            played = feeds_of(held, readable(first) or Document(), clip)
            held.feeds = [f.model_dump(mode="json") for f in played]
        others = [f for f in held.feeds if f["source"] != feed.source]
        held.feeds = [*others, feed.model_dump(mode="json")]
        held.save(update_fields=["feeds"])
    return held


def set_test_set(rig: Rig) -> Rig:
    """A clip for every source, by the words of their names. Raises Problem where there are none."""
    clips = rig.song.clips.filter(status=Status.DONE, deleted_at=None).order_by("created_at", "id")
    found = cast(sources_of(rig), {str(c.pk): c.name for c in clips})
    if not found:
        raise Problem(422, "This song has no clip yet. Bring one in, then choose.", "no-clip")
    feeds = [Feed(source=s, placements=(Placement(clip=c),)) for s, c in found.items()]
    rig.feeds = [f.model_dump(mode="json") for f in feeds]
    rig.save(update_fields=["feeds"])
    return rig


def copied_feeds(rig: Rig, to: Song) -> list[dict[str, object]]:
    """The feeds of a rig for a copy of it in another song, which has clips of its own."""
    if rig.song_id == to.pk:
        return list(rig.feeds)
    theirs = {(c.name, c.blob_id): str(c.pk) for c in to.clips.filter(deleted_at=None)}
    own = clips_of_feeds(rig.song, stored_feeds(rig))
    new = {i: theirs.get((clip.name, clip.blob_id)) for i, clip in own.items()}
    out = []
    for feed in stored_feeds(rig):
        kept = [
            p.model_copy(update={"clip": new[p.clip]}) for p in feed.placements if new.get(p.clip)
        ]
        out.append(feed.model_copy(update={"placements": tuple(kept)}).model_dump(mode="json"))
    return out
