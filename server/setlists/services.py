"""Keep set lists, and make the cards that are read on stage."""

from datetime import timedelta
from uuid import UUID

from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone

from core.delay import DelayLine
from core.errors import FonodromeError
from core.routing import load_rig
from core.setlist import (
    Card,
    Entry,
    Program,
    SetListValues,
    card_of,
    missing_card,
    pause_card,
    unread_card,
)
from core.sheet import Owned, StageSheet
from core.tempo.song import TempoSection
from server.accounts.models import User
from server.config.problems import Problem
from server.rigs.models import Variant
from server.setlists.models import SetList
from server.sheets.services import owned_of, settings_sheet_of
from server.songs.models import Song
from server.songs.queries import songs_of
from server.songs.services import delays_of

MOST_LISTS = 200
KEPT = timedelta(days=30)


def list_of(user: User, list_id: UUID) -> SetList:
    """Raises Http404 for one that is not there, deleted, or somebody else's."""
    return get_object_or_404(SetList, owner=user, deleted_at=None, pk=list_id)


def lists_of(user: User) -> list[SetList]:
    return list(SetList.objects.filter(owner=user, deleted_at=None))


def deleted_of(user: User) -> list[SetList]:
    since = timezone.now() - KEPT
    return list(SetList.objects.filter(owner=user, deleted_at__gt=since).order_by("-deleted_at"))


def make_list(user: User, values: SetListValues, *, trusted: bool = False) -> SetList:
    """Raises Problem where there are too many. trusted: what it names was looked at already."""
    with transaction.atomic():
        User.objects.select_for_update().get(pk=user.pk)
        if SetList.objects.filter(owner=user, deleted_at=None).count() >= MOST_LISTS:
            raise Problem(422, f"{MOST_LISTS} set lists are kept. Delete one first.", "full")
        if not trusted:
            _check(user, values, set())
        content = values.model_dump(mode="json")
        return SetList.objects.create(owner=user, name=values.name, content=content)


def edit_list(user: User, list_id: UUID, base_revision: int, values: SetListValues) -> SetList:
    """The whole list as it shall be, made on `base_revision`; the same sent twice is done once.

    Raises Problem 409 with what is there where it was changed elsewhere meanwhile.
    """
    with transaction.atomic():
        list_of(user, list_id)
        one = SetList.objects.select_for_update().get(pk=list_id)
        content = values.model_dump(mode="json")
        held = values_of(one)
        if held.model_dump(mode="json") == content:
            return one
        if one.revision != base_revision:
            raise Problem(
                409, f"“{one.name}” was changed in another place meanwhile. Choose which stays.",
                "changed-elsewhere", revision=one.revision, theirs=held.model_dump(mode="json"),
            )  # fmt: skip
        _check(user, values, {e.song for e in held.entries} | {e.variant for e in held.entries})
        one.name, one.content = values.name, content
        one.revision += 1
        one.save()
    return one


def values_of(one: SetList) -> SetListValues:
    return SetListValues.model_validate(one.content)


def delete_list(user: User, list_id: UUID) -> None:
    one = list_of(user, list_id)
    one.deleted_at = timezone.now()
    one.save(update_fields=["deleted_at"])


def restore_list(user: User, list_id: UUID) -> SetList:
    one = get_object_or_404(SetList, owner=user, pk=list_id)
    one.deleted_at = None
    one.save(update_fields=["deleted_at"])
    return one


def _check(user: User, values: SetListValues, known: set[UUID | None]) -> None:
    """Refuse songs and variants that are not this person's. What was in the list may stay: it may have
    been deleted since, and comes back with its song.
    """
    songs = {e.song for e in values.entries if e.song} - known
    if songs - set(songs_of(user).filter(pk__in=songs).values_list("pk", flat=True)):
        raise Problem(422, "A song of this list is not there, or not yours.", "no-song")
    wanted = {(e.variant, e.song) for e in values.entries if e.variant and e.variant not in known}
    held = Variant.objects.filter(pk__in=[v for v, _ in wanted], rig__song__owner=user)
    if wanted - set(held.values_list("pk", "rig__song_id")):
        raise Problem(422, "A rig of this list is not of its song.", "no-variant")


# On stage ---------------------------------------------------------------------------------------
def cards_of(user: User, values: SetListValues) -> list[Card]:
    """One card for each entry, in order. What cannot be read is said on its card."""
    songs = {s.pk: s for s in songs_of(user).filter(pk__in=[e.song for e in values.entries])}
    wanted = [e.variant for e in values.entries if e.variant]
    rows = Variant.objects.filter(
        pk__in=wanted, rig__song__owner=user, rig__deleted_at=None
    ).select_related("rig__song")
    variants = {v.pk: v for v in rows}
    owned = owned_of(user) if variants else Owned()
    cards = []
    for entry in values.entries:
        song = songs.get(entry.song) if entry.song else None
        if entry.kind == "pause":
            cards.append(pause_card(entry))
        elif song is None:
            cards.append(missing_card(entry))
        else:
            variant = variants.get(entry.variant) if entry.variant else None
            try:
                cards.append(_card(entry, song, variant, values.channel, owned))
            except FonodromeError as error:
                # One song that cannot be read takes nothing from the others.
                cards.append(unread_card(entry, song.title, error.sentence))
    return cards


def _card(entry: Entry, song: Song, variant: Variant | None, channel: int, owned: Owned) -> Card:
    sheet: StageSheet | None = None
    called: Program | None = None
    caution = ""
    if entry.variant and (variant is None or variant.rig.song_id != song.pk):
        caution = "The rig that this song was to be played through is gone."
    elif variant is not None:
        try:
            sheet = settings_sheet_of(variant, entry.scene or None, owned)
            called = _called(variant, entry.scene, channel)
        except FonodromeError as error:
            caution = f"The rig cannot be read: {error.sentence}"
    return card_of(
        entry, song.title, [TempoSection.model_validate(s) for s in song.tempo_map],
        song.sample_rate_hz, [DelayLine.model_validate(d) for d in delays_of(song)], sheet, called,
        caution,
    )  # fmt: skip


def _called(variant: Variant, scene: str, channel: int) -> Program | None:
    found = next((s for s in load_rig(variant.document).scenes if s.name == scene), None)
    if found is None or found.program is None:
        return None
    return Program(channel=channel, program=found.program)
