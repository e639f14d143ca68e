"""Read songs; every query names whose they are."""

from uuid import UUID

from django.db.models import Q, QuerySet
from django.shortcuts import get_object_or_404

from server.accounts.models import User
from server.songs.models import Song

DEMO_OWNER = "demo-original"


def in_songs_of(user: User, way: str = "") -> Q:
    """What is in a person's songs. way: from the row to its song, as 'rig__song__'."""
    return Q(**{f"{way}owner": user, f"{way}deleted_at": None})


def songs_of(user: User) -> QuerySet[Song]:
    return Song.objects.filter(in_songs_of(user))


def song_of(user: User, song_id: UUID) -> Song:
    """Raises Http404 for a song that is not there, deleted, or somebody else's."""
    return get_object_or_404(songs_of(user), pk=song_id)


def demo_originals() -> QuerySet[Song]:
    return Song.objects.filter(is_demo_original=True, owner__username=DEMO_OWNER)


def demo_is_there() -> bool:
    return demo_originals().exists()
