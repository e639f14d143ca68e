"""Change songs. An edit names the revision it was made on, so that nothing is overwritten unseen."""

from typing import Any
from uuid import UUID

from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone

from core.delay import DelayLine, slug
from core.errors import FonodromeError
from core.routing import delays_used
from core.space import KeptSpace
from core.units import format as fmt
from server.accounts.models import User
from server.accounts.quotas import song_allowed
from server.clips.services import copy_clips
from server.config.problems import Problem
from server.log.services import write_settled
from server.snapshots.keeping import keep_daily
from server.songs.models import PutAway, Song
from server.songs.queries import demo_originals, song_of

COPIED = (
    "players", "tempo_map", "sample_rate_hz", "delay_value", "device", "delays", "figure",
    "space", "blend",
)  # fmt: skip


def delays_of(song: Song) -> list[dict[str, Any]]:
    """The named delays; a song that was never given any has one, of its delay value and device."""
    if song.delays:
        return list(song.delays)
    line = DelayLine(value=song.delay_value).model_dump(mode="json")
    return [line | {"device": song.device}]


def _with_first_delay(song: Song, changes: dict[str, Any]) -> dict[str, Any]:
    """Keep the first named delay and the delay in hand the same, whichever of them is changed."""
    if changes.get("delays"):
        first = changes["delays"][0]
        lines = [DelayLine.model_validate(one).model_dump(mode="json") for one in changes["delays"]]
        return changes | {
            "delays": lines, "delay_value": first.get("value", "1/8."), "device": first.get("device"),
        }  # fmt: skip
    own = {"delay_value": "value", "device": "device"}
    touched = {own[name]: changes[name] for name in own if name in changes}
    if touched and song.delays:
        return changes | {"delays": [song.delays[0] | touched, *song.delays[1:]]}
    return changes


def _still_used(song: Song, lines: list[dict[str, Any]]) -> None:
    """Refuse to take away a delay that a rig of the song refers to."""
    from server.rigs.feeds import readable
    from server.rigs.models import Variant

    kept = {slug(line["name"]) for line in lines}
    for line in delays_of(song):
        gone = slug(line["name"])
        if gone in kept:
            continue
        used = Variant.objects.filter(rig__song=song, rig__deleted_at=None)
        for variant in used:
            # One that cannot be read says by no name what it refers to.
            document = readable(variant)
            if document is not None and gone in delays_used(document):
                raise FonodromeError(
                    f"“{line['name']}” is used in the rig “{variant.rig.name}”. "
                    "Give its stage another time first.",
                    part=line["name"],
                )


def create_song(user: User, values: dict[str, Any]) -> Song:
    song_allowed(user)
    return Song.objects.create(owner=user, **values)


def edit_song(user: User, song_id: UUID, base_revision: int, changes: dict[str, Any]) -> Song:
    """Apply changed fields made on `base_revision`.

    Fields that nobody touched since then merge; where one was changed elsewhere to something
    else, nothing is stored and Problem 409 carries both values.
    """
    with transaction.atomic():
        get_object_or_404(Song.objects.select_for_update(), pk=song_of(user, song_id).pk)
        song = song_of(user, song_id)
        if changes.get("delays"):
            _still_used(song, changes["delays"])
        changes = _with_first_delay(song, changes)
        gone = _gone_delays(song, changes)
        clashes = [
            name
            for name, value in changes.items()
            if song.field_revisions.get(name, 0) > base_revision and getattr(song, name) != value
        ]
        if clashes:
            raise Problem(
                409,
                f"“{song.title}” was changed in another tab meanwhile. Choose which value stays.",
                "changed-elsewhere",
                revision=song.revision,
                clashes=[
                    {"field": name, "theirs": getattr(song, name), "yours": changes[name]}
                    for name in clashes
                ],
            )
        changed = {name: v for name, v in changes.items() if getattr(song, name) != v}
        if changed:
            keep_daily(song.pk)
            before = tempo_words(song.tempo_map), song.delay_value, _decay_words(song.space)
            song.revision += 1
            for name, value in changed.items():
                setattr(song, name, value)
                song.field_revisions[name] = song.revision
            song.save()
            _log_values(song, changed, *before)
            for line in gone:
                PutAway.objects.create(
                    song=song, kind="delay", name=line["name"], content=line,
                    deleted_at=timezone.now(),
                )  # fmt: skip
    return song


def tempo_words(tempo_map: list[dict[str, Any]]) -> str:
    """'94 BPM', and how many sections follow."""
    more = len(tempo_map) - 1
    own = f"{fmt.significant(tempo_map[0]['tempo_bpm'], 6)} BPM"
    return own + (f" and {fmt.plural(more, 'section')} after it" if more else "")


def _decay_words(space: dict[str, Any] | None) -> str:
    kept = KeptSpace.model_validate(space or {})
    return f"Decay {fmt.number(kept.rt60_s, 2)} s after {kept.pre_delay}"


def _log_values(song: Song, changed: dict[str, Any], tempo: str, delay: str, decay: str) -> None:
    if "tempo_map" in changed:
        now = tempo_words(song.tempo_map)
        write_settled(
            song.pk, "time", "tempo", f"Tempo {now}", f"Tempo {tempo}", number=now.split(" and ")[0],
            place="time",
        )  # fmt: skip
    if "delay_value" in changed and song.delay_value != delay:
        write_settled(
            song.pk, "time", "delay", f"Delay {song.delay_value}", f"Delay {delay}", place="time"
        )
    if "space" in changed and _decay_words(song.space) != decay:
        kept = KeptSpace.model_validate(song.space or {})
        write_settled(
            song.pk, "space", "decay", _decay_words(song.space), decay,
            number=f"{fmt.number(kept.rt60_s, 2)} s", place="space",
        )  # fmt: skip


def _gone_delays(song: Song, changes: dict[str, Any]) -> list[dict[str, Any]]:
    """Named delays that a change takes away; one that is renamed is not."""
    held = delays_of(song)
    lines = changes.get("delays")
    if not lines or len(lines) >= len(held):
        return []
    names = {line["name"] for line in lines}
    return [line for line in held if line["name"] not in names]


def keep_in_hand(user: User, song_id: UUID, hand: dict[str, Any]) -> None:
    """What a person has in hand; the newest wins, and no edit clashes with it."""
    song = song_of(user, song_id)
    Song.objects.filter(pk=song.pk).update(hand=hand)


def _copy(song: Song, owner: User, title: str) -> Song:
    from server.rigs.services import copy_rigs

    values = {name: getattr(song, name) for name in COPIED}
    made = Song.objects.create(owner=owner, title=title, **values)
    copy_clips(song, made)
    copy_rigs(song, made)
    return made


def duplicate_song(user: User, song_id: UUID) -> Song:
    """A second song with the same settings and clips, and no tests."""
    song_allowed(user)
    song = song_of(user, song_id)
    with transaction.atomic():
        return _copy(song, user, f"{song.title[:113]} (copy)")


def delete_song(user: User, song_id: UUID) -> None:
    """Put a song away; `restore_song` brings it back."""
    song = song_of(user, song_id)
    song.deleted_at = timezone.now()
    song.save(update_fields=["deleted_at"])


def restore_song(user: User, song_id: UUID) -> Song:
    song = get_object_or_404(Song, owner=user, pk=song_id)
    song.deleted_at = None
    song.save(update_fields=["deleted_at"])
    return song


def copy_demo_songs(user: User) -> int:
    """Give a user private copies of the demo songs; returns how many."""
    originals = list(demo_originals())
    for song in originals:
        _copy(song, user, song.title)
    return len(originals)
