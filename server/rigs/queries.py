"""Read rigs and variants through the song that owns them."""

from uuid import UUID

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from core.delay import slug
from core.routing import Context
from core.tempo.song import TempoSection
from server.accounts.models import User
from server.rigs.models import Rig, Variant
from server.songs.models import Song
from server.songs.services import delays_of


def rigs_of(user: User) -> QuerySet[Rig]:
    return Rig.objects.filter(
        song__owner=user, song__deleted_at=None, deleted_at=None
    ).select_related("song")


def rig_of(user: User, rig_id: UUID) -> Rig:
    """Raises Http404 for a rig that is not there or not theirs."""
    return get_object_or_404(rigs_of(user), pk=rig_id)


def variant_of(user: User, variant_id: UUID) -> Variant:
    """Raises Http404 for a variant that is not there or not theirs."""
    return get_object_or_404(
        Variant.objects.filter(rig__in=rigs_of(user)).select_related("rig__song"), pk=variant_id
    )


def context_of(song: Song) -> Context:
    """The tempo that a song's rigs are computed under: that of its first section."""
    section = TempoSection.model_validate(song.tempo_map[0])
    delays = {slug(line["name"]): line["value"] for line in delays_of(song)}
    return Context(section.frame(song.sample_rate_hz), delays)
