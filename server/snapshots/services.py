"""What changed since a snapshot, and going back to it, whole or by one rig."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from uuid import UUID, uuid4

from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone

from core.delay import slug
from core.errors import FonodromeError
from core.routing import Rig as Document
from core.routing import delays_used, difference, difference_in_words, load_rig
from core.units import format as fmt
from server.accounts.models import User
from server.config.problems import Problem
from server.log.services import write
from server.rigs.feeds import readable
from server.rigs.models import Rig, Variant
from server.rigs.queries import context_for
from server.rigs.services import MOST_VARIANTS, hold_song, name_rig, store
from server.rigs.views import VIEWS
from server.snapshots.keeping import MOST_OWN, VALUES, content_of, keep
from server.snapshots.models import Snapshot
from server.songs.models import Song
from server.songs.queries import song_of
from server.songs.services import delays_of, edit_song, tempo_words

_NAMES = {
    "title": "title", "players": "players", "sample_rate_hz": "sample rate", "delays": "delays",
    "device": "the delay's device", "figure": "the figure", "space": "the reverb under Space",
    "blend": "the compression under Blend",
}  # fmt: skip


def snapshot_of(user: User, snapshot_id: UUID) -> Snapshot:
    """Raises Http404 for one that is not there, or somebody else's."""
    rows = Snapshot.objects.filter(song__owner=user, song__deleted_at=None, deleted_at=None)
    return get_object_or_404(rows.select_related("song"), pk=snapshot_id)


def take(user: User, song_id: UUID, name: str) -> Snapshot:
    """Keep the song as it is under a name. Raises Problem where there are too many."""
    song = song_of(user, song_id)
    if song.snapshots.filter(kind="named", deleted_at=None).count() >= MOST_OWN:
        raise Problem(409, f"A song holds {MOST_OWN} snapshots. Delete some first.", "full")
    with transaction.atomic():
        kept = keep(song, name, "named")
        write(song.pk, "log", "snapshot", name, text=_size(kept.content))
    return kept


def _size(content: dict[str, Any]) -> str:
    variants = sum(len(rig["variants"]) for rig in content["rigs"])
    return f"{fmt.plural(len(content['rigs']), 'rig')}, {fmt.plural(variants, 'variant')}"


def delete(user: User, snapshot_id: UUID) -> None:
    """Put a snapshot away; `undelete` brings it back within 30 days."""
    row = snapshot_of(user, snapshot_id)
    Snapshot.objects.filter(pk=row.pk).update(deleted_at=timezone.now())


def undelete(user: User, snapshot_id: UUID) -> Snapshot:
    rows = Snapshot.objects.filter(song__owner=user, song__deleted_at=None)
    row = get_object_or_404(rows, pk=snapshot_id)
    Snapshot.objects.filter(pk=row.pk).update(deleted_at=None)
    return row


@dataclass(frozen=True)
class Difference:
    """What is another now. rig: the one it is about, none for the song itself."""

    of: str
    rig: UUID | None
    lines: list[str]


def changes_since(snapshot: Snapshot) -> list[Difference]:
    """From the snapshot to now: of the song, then rig by rig."""
    was, now = snapshot.content, content_of(snapshot.song)
    found = [Difference("Song", None, _song_lines(was["song"], now["song"]))]
    held = {rig["id"]: rig for rig in now["rigs"]}
    for rig in was["rigs"]:
        pk = UUID(rig["id"])
        if rig["id"] not in held:
            found.append(Difference(rig["name"], pk, ["The rig is deleted"]))
        else:
            found.append(Difference(rig["name"], pk, _rig_lines(rig, held[rig["id"]])))
    known = {rig["id"] for rig in was["rigs"]}
    found += [
        Difference(rig["name"], UUID(rig["id"]), ["The rig is new"])
        for rig in now["rigs"]
        if rig["id"] not in known
    ]
    return [one for one in found if one.lines]


def _song_lines(was: dict[str, Any], now: dict[str, Any]) -> list[str]:
    lines = []
    if was["tempo_map"] != now["tempo_map"]:
        before, after = tempo_words(was["tempo_map"]), tempo_words(now["tempo_map"])
        lines.append(f"tempo {before} → {after}" if before != after else "the tempo map's sections")
    if was["delay_value"] != now["delay_value"]:
        lines.append(f"delay {was['delay_value']} → {now['delay_value']}")
    for name, words in _NAMES.items():
        if was[name] != now[name]:
            plain = isinstance(was[name], str | int) and isinstance(now[name], str | int)
            lines.append(f"{words} {was[name]} → {now[name]}" if plain else words)
    return lines


def _rig_lines(was: dict[str, Any], now: dict[str, Any]) -> list[str]:
    lines = [] if was["name"] == now["name"] else [f"name {was['name']} → {now['name']}"]
    if was["feeds"] != now["feeds"]:
        lines.append("what plays into its sources")
    held = {v["id"]: v for v in now["variants"]}
    for variant in was["variants"]:
        letter = _letter(variant)
        if variant["id"] not in held:
            lines.append(f"{letter} is deleted")
            continue
        there = held[variant["id"]]
        lines += [f"{letter}: {line}" for line in _document_lines(variant, there)]
        if variant["moves"] != there["moves"]:
            lines.append(f"{letter}: its written moves")
    known = {v["id"] for v in was["variants"]}
    lines += [f"{_letter(v)} is new" for v in now["variants"] if v["id"] not in known]
    return lines


def _letter(variant: dict[str, Any]) -> str:
    return chr(ord("A") + (variant["position"] or 0))


def _document_lines(was: dict[str, Any], now: dict[str, Any]) -> list[str]:
    if was["document"] == now["document"]:
        return []
    return difference_in_words(load_rig(was["document"]), load_rig(now["document"])) or ["settings"]


def restore(user: User, snapshot_id: UUID, rig_id: UUID | None) -> Snapshot:
    """Go back to a snapshot, whole or by one of its rigs; answers what was kept of before.

    Nothing that came after is lost: the song as it is now is kept first, rigs and variants that are new
    stay, and what changes in a variant is one step that can be undone there. Raises Problem.
    """
    snapshot = snapshot_of(user, snapshot_id)
    song, content = snapshot.song, snapshot.content
    wanted = [r for r in content["rigs"] if rig_id is None or r["id"] == str(rig_id)]
    if rig_id is not None and not wanted:
        raise Problem(404, "That rig is not in the snapshot.", "not-there")
    with transaction.atomic():
        hold_song(pk=song.pk)
        what = "" if rig_id is None else f" of {wanted[0]['name']}"
        before = keep(song, f"Before going back to “{snapshot.name}”{what}", "before")
        if rig_id is None:
            # The delays of both, so that every rig on the way can be computed.
            _set_values(user, song, content["song"], lambda _: True)
        for rig in wanted:
            _restore_rig(song, rig, f"Back to “{snapshot.name}”")
        if rig_id is None:
            # A delay that is newer stays only where a rig that is newer uses it.
            used = _delays_in_use(song)
            _set_values(user, song, content["song"], lambda name: slug(name) in used)
        write(
            song.pk, "log", "snapshot", f"Went back to “{snapshot.name}”{what}",
            text="What was there before is kept as a snapshot of its own.",
        )  # fmt: skip
    return before


def _set_values(user: User, song: Song, kept: dict[str, Any], stays: Callable[[str], bool]) -> None:
    song.refresh_from_db()
    values = {name: kept[name] for name in VALUES if name in kept}
    # A song that never named its delays has one all the same, of its delay value and device.
    own = kept["delays"] or delays_of(Song(**{n: kept[n] for n in ("delay_value", "device")}))
    names = {slug(line["name"]) for line in own}
    newer = [d for d in song.delays if slug(d["name"]) not in names and stays(d["name"])]
    values["delays"] = [*own, *newer] if newer else kept["delays"]
    edit_song(user, song.pk, song.revision, values)


def _delays_in_use(song: Song) -> set[str]:
    rows = Variant.objects.filter(rig__song=song, rig__deleted_at=None)
    # One that cannot be read says by no name what it refers to.
    documents = [document for row in rows if (document := readable(row)) is not None]
    return {name for document in documents for name in delays_used(document)}


def _restore_rig(song: Song, kept: dict[str, Any], said: str) -> None:
    rig, _ = Rig.objects.get_or_create(pk=kept["id"], defaults={"song": song, "name": kept["name"]})
    if rig.song_id != song.pk:
        raise Problem(409, "That rig belongs to another song now.", "other-song")
    rig.feeds, rig.deleted_at = kept["feeds"], None
    rig.save(update_fields=["feeds", "deleted_at"])
    if rig.name != kept["name"]:
        # In its newer variants too: a rig has one title.
        name_rig(rig, kept["name"])
    for one in kept["variants"]:
        _restore_variant(rig, one, said)


def _restore_variant(rig: Rig, kept: dict[str, Any], said: str) -> None:
    variant = Variant.everything.select_for_update().filter(pk=kept["id"]).first()
    if variant is not None and variant.rig_id != rig.pk:
        return
    if variant is None or variant.deleted_at is not None:
        held = {v.position for v in rig.variants.all()}
        free = [n for n in (kept["position"], *range(MOST_VARIANTS)) if n not in held]
        if not free or len(held) >= MOST_VARIANTS:
            raise Problem(409, f"“{rig.name}” has nine variants. Delete one first.", "full")
        if variant is None:
            Variant.objects.create(
                pk=kept["id"], rig=rig, position=free[0], name=kept["name"],
                document=kept["document"], moves=kept["moves"],
            )  # fmt: skip
            return
        variant.position, variant.deleted_at = free[0], None
    variant.name, variant.moves = kept["name"], kept["moves"]
    variant.save(update_fields=["position", "deleted_at", "name", "moves"])
    was, now = load_rig(variant.document), load_rig(kept["document"])
    _computes(variant, now)
    store(variant, now, difference(was, now), {"do": "go_back"}, said, "", uuid4())


def _computes(variant: Variant, document: Document) -> None:
    """What cannot be computed any more (a delay it names is gone) is refused, and all stays."""
    try:
        VIEWS.of(document, context_for(variant, document))
    except FonodromeError as error:
        raise Problem(409, f"“{variant.rig.name}”: {error.sentence}", "not-computed") from None
