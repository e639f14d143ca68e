"""What a stage sheet needs of a song: its tempo, delays, devices and last null test."""

from django.utils import timezone

from core.delay import DelayLine
from core.devices import SHIPPED, DeviceProfile
from core.routing import Context, load_rig
from core.routing import Rig as Document
from core.sheet import Owned, SheetFacts, StageSheet, Verified, stage_sheet
from core.tempo.song import TempoSection
from server.accounts.models import User
from server.devices.models import Device
from server.devices.panels import panels_of
from server.devices.profiles import profile_of
from server.rigs.models import Variant
from server.rigs.queries import context_for, context_of
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


def owned_of(user: User) -> Owned:
    """How a person's devices read."""
    return Owned(panels_of(user), _delays_by_name(user))


def sheet_of(user: User, variant: Variant, scene: str | None) -> StageSheet:
    """Raises RigError where the rig cannot be computed or has no such scene."""
    document = load_rig(variant.document)
    context = context_for(variant, document)
    return _sheet(variant, document, context, _verified(variant.rig.song), owned_of(user), scene)


def shared_sheet_of(variant: Variant, scene: str | None) -> StageSheet:
    """As its owner sees it, but for what was tested: that is shared by itself."""
    document = load_rig(variant.document)
    owner = variant.rig.song.owner
    assert isinstance(owner, User)
    return _sheet(variant, document, context_for(variant, document), None, owned_of(owner), scene)


def settings_sheet_of(variant: Variant, scene: str | None, owned: Owned) -> StageSheet:
    """The same, of what is set alone: nothing of what was rendered or tested. Asks no database."""
    document = load_rig(variant.document)
    return _sheet(variant, document, context_of(variant.rig.song), None, owned, scene)


def _sheet(
    variant: Variant, document: Document, context: Context, verified: Verified | None, owned: Owned,
    scene: str | None,
) -> StageSheet:  # fmt: skip
    song = variant.rig.song
    facts = SheetFacts(
        song=song.title, players=song.players, rig=variant.rig.name,
        variant=f"{variant.letter} {variant.name}".strip(), made_at=timezone.now(),
        saved=variant.revision, verified=verified,
    )  # fmt: skip
    return stage_sheet(
        document, context, facts,
        [TempoSection.model_validate(s) for s in song.tempo_map],
        [DelayLine.model_validate(d) for d in delays_of(song)],
        owned, scene,
    )  # fmt: skip
