"""What a stage sheet needs of a song: its tempo, delays, devices and last null test."""

from django.utils import timezone

from core.delay import DelayLine
from core.devices import SHIPPED, DeviceProfile
from core.routing import load_rig
from core.sheet import Owned, SheetFacts, StageSheet, Verified, stage_sheet
from core.tempo.song import TempoSection
from server.accounts.models import User
from server.devices.models import Device
from server.devices.panels import panels_of
from server.devices.profiles import profile_of
from server.rigs.models import Variant
from server.rigs.queries import context_for
from server.songs.models import Song
from server.songs.services import delays_of
from server.verify.models import NullTest


def _delays_by_name(user: User) -> dict[str, DeviceProfile]:
    own = [profile_of(device) for device in Device.objects.filter(owner=user)]
    return {p.name.strip().casefold(): p for p in (*SHIPPED, *own)}


def _verified(song: Song) -> Verified | None:
    tests = NullTest.objects.filter(song=song, deleted_at=None)
    last = tests.exclude(summary=None).exclude(finished_at=None).order_by("-finished_at").first()
    if last is None or not last.summary:
        return None
    names = f"{last.clip_b.name} against {last.clip_a.name}: "
    return Verified(
        sentence=names + str(last.summary.get("sentence", "")), at=last.finished_at,
        passed=last.summary.get("passed"),
    )  # fmt: skip


def sheet_of(user: User, variant: Variant, scene: str | None) -> StageSheet:
    """Raises RigError where the rig cannot be computed or has no such scene."""
    song = variant.rig.song
    document = load_rig(variant.document)
    facts = SheetFacts(
        song=song.title, players=song.players, rig=variant.rig.name,
        variant=f"{variant.letter} {variant.name}".strip(), made_at=timezone.now(),
        saved=variant.revision, verified=_verified(song),
    )  # fmt: skip
    return stage_sheet(
        document, context_for(variant, document), facts,
        [TempoSection.model_validate(s) for s in song.tempo_map],
        [DelayLine.model_validate(d) for d in delays_of(song)],
        Owned(panels_of(user), _delays_by_name(user)), scene,
    )  # fmt: skip
