"""Make links, know them again, and gather what a stranger sees: nothing but what was chosen."""

import hmac
from collections.abc import Sequence
from datetime import timedelta
from hashlib import sha256
from typing import Any
from uuid import UUID

from django.conf import settings
from django.db.models import Q
from django.http import Http404
from django.shortcuts import get_object_or_404
from django.utils import timezone

from server.accounts.models import User
from server.bench.models import Measurement
from server.config.problems import Problem
from server.jobs.models import Status
from server.renders.models import Render
from server.rigs.models import Variant
from server.rigs.queries import past_of
from server.shares.models import ShareLink
from server.songs.models import Song
from server.songs.queries import song_of
from server.verify.models import NullTest

MOST_LINKS, MOST_RENDERS = 100, 12
_STALE = timedelta(minutes=1)
_SECRET_HEX = 40
"""160 bits beside the 122 of the id: nobody guesses it."""


# The link ---------------------------------------------------------------------------------------
def _secret(id: UUID) -> str:
    key = b"share link" + settings.SECRET_KEY.encode()
    return hmac.new(key, id.bytes, sha256).hexdigest()[:_SECRET_HEX]


def token_of(link: ShareLink) -> str:
    return f"{link.pk.hex}{_secret(link.pk)}"


def opened(token: str) -> ShareLink:
    """Raises Http404 for a link that is not there, was taken back, has run out, or whose thing is gone:
    which of them is nobody's business.
    """
    id, secret = token[:32], token[32:]
    try:
        pk = UUID(hex=id)
    except ValueError:
        raise Http404 from None
    if not hmac.compare_digest(secret.encode(), _secret(pk).encode()):
        raise Http404
    now = timezone.now()
    link = get_object_or_404(
        ShareLink.objects.select_related("song__owner", "variant__rig__song", "test", "measurement"),
        Q(variant=None) | Q(variant__deleted_at=None, variant__rig__deleted_at=None),
        Q(test=None) | Q(test__deleted_at=None),
        Q(measurement=None) | Q(measurement__deleted_at=None),
        pk=pk, revoked_at=None, expires_at__gt=now, song__deleted_at=None, song__owner__is_active=True,
    )  # fmt: skip
    seen = ShareLink.objects.filter(Q(seen_at=None) | Q(seen_at__lt=now - _STALE), pk=pk)
    seen.update(seen_at=now)
    return link


# Its owner --------------------------------------------------------------------------------------
def links_of(user: User, song_id: UUID) -> list[ShareLink]:
    """In force, the newest first."""
    song = song_of(user, song_id)
    rows = ShareLink.objects.filter(song=song, revoked_at=None, expires_at__gt=timezone.now())
    rows = rows.select_related("variant__rig", "test__clip_a", "test__clip_b", "measurement")
    return list(rows.defer(*past_of("variant")).prefetch_related("renders"))


def make_link(
    user: User, song_id: UUID, kind: str, thing: UUID | None, renders: Sequence[UUID], days: int,
    with_name: bool,
) -> ShareLink:  # fmt: skip
    """thing: the variant, null test or measurement that is shown; none for the song itself.

    Raises Problem where the thing or a render is not of the song, and where there are too many.
    """
    song = song_of(user, song_id)
    if user.is_guest:
        raise Problem(
            422, "The demo is a guest's, and ends with it. Sign up first, then share.", "guest"
        )
    if len(links_of(user, song_id)) >= MOST_LINKS:
        raise Problem(422, f"{MOST_LINKS} links are in force. Take one back first.", "full")
    if (kind == "song") != (thing is None):
        raise Problem(422, "A link shows the song, or one thing of it.", "thing")
    heard = Render.objects.filter(
        pk__in=renders, variant__rig__song=song, variant__rig__deleted_at=None, status=Status.DONE,
    ).exclude(blob=None)  # fmt: skip
    if heard.count() != len(set(renders)):
        raise Problem(422, "A render is not of this song, or is not done yet.", "no-render")
    link = ShareLink.objects.create(
        song=song, kind=kind, with_name=with_name,
        expires_at=timezone.now() + timedelta(days=days), **_thing(song, kind, thing),
    )  # fmt: skip
    link.renders.set(heard)
    return link


def _thing(song: Song, kind: str, thing: UUID | None) -> dict[str, Any]:
    rows: dict[str, Any] = {
        "sheet": ("variant", Variant.objects.filter(rig__song=song, rig__deleted_at=None)),
        "test": ("test", NullTest.objects.filter(song=song, deleted_at=None, status=Status.DONE)),
        "measurement": (
            "measurement",
            Measurement.objects.filter(song=song, deleted_at=None, status=Status.DONE),
        ),
    }
    if kind == "song":
        return {}
    name, found = rows[kind]
    row = found.filter(pk=thing).first()
    if row is None:
        raise Problem(422, "What the link shall show is not of this song, or not done.", "thing")
    return {name: row}


def take_back(user: User, link_id: UUID) -> None:
    link = get_object_or_404(ShareLink, song__owner=user, pk=link_id)
    if link.revoked_at is None:
        link.revoked_at = timezone.now()
        link.save(update_fields=["revoked_at"])


def title_of(link: ShareLink) -> str:
    """What it shows, in words."""
    if link.variant is not None:
        return f"Stage sheet of {link.variant.rig.name} {link.variant.letter}"
    if link.test is not None:
        return f"Proof: {link.test.clip_b.name} against {link.test.clip_a.name}"
    if link.measurement is not None:
        return f"Proof: {link.measurement.signal.get('kind', '')} measured on the bench"
    return "The song"


# The stranger -----------------------------------------------------------------------------------
def variants_of(song: Song) -> list[Variant]:
    rows = Variant.objects.filter(rig__song=song, rig__deleted_at=None)
    return list(rows.select_related("rig__song").order_by("rig__position", "position"))


def heard_of(link: ShareLink) -> list[Render]:
    rows = link.renders.filter(status=Status.DONE, variant__rig__deleted_at=None)
    rows = rows.exclude(blob=None).select_related("variant__rig", "clip", "blob")
    return list(rows.defer("detail", "document", *past_of("variant")))


def variant_shown(link: ShareLink, variant_id: UUID) -> Variant:
    """Raises Http404 for one that the link does not show."""
    if link.kind == "sheet":
        if link.variant is None or link.variant.pk != variant_id:
            raise Http404
        return link.variant
    if link.kind != "song":
        raise Http404
    rows = Variant.objects.filter(rig__song=link.song, rig__deleted_at=None)
    return get_object_or_404(rows.select_related("rig__song"), pk=variant_id)


def render_heard(link: ShareLink, render_id: UUID) -> Render:
    """Raises Http404 for one that was not chosen for this link."""
    found = next((r for r in heard_of(link) if r.pk == render_id), None)
    if found is None:
        raise Http404
    return found
