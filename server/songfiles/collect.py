"""A song as its file says it, and the file itself."""

from collections.abc import Iterator
from typing import Any

from pydantic import ValidationError

from core.bench import BenchPlan, BenchResult, TestSignal
from core.devices import Panels
from core.edge import Edge
from core.measure import Limit, Measurement, NullOptions
from core.render.feeds import Feed
from core.render.moves import WrittenMove
from core.routing import RigError, load_rig
from core.songfile import (
    DEVICES,
    SONG,
    STUDIO,
    Entry,
    FiledClip,
    FiledLine,
    FiledMeasurement,
    FiledRig,
    FiledSnapshot,
    FiledTest,
    FiledVariant,
    Marking,
    SongFile,
    SongValues,
    plain_name,
    written,
)
from server.accounts.models import User
from server.clips.models import Clip
from server.clips.store import path_of
from server.devices.models import Device
from server.devices.panels import panels_of
from server.devices.profiles import profile_of
from server.jobs.models import Status
from server.snapshots.keeping import VALUES
from server.songfiles.studio import DevicesFile, StudioFile
from server.songs.models import Song
from server.songs.queries import songs_of


def clips_in(song: Song) -> list[Clip]:
    """Those that are ready, in their order."""
    rows = song.clips.filter(status=Status.DONE, deleted_at=None).exclude(blob=None)
    return list(rows.select_related("blob").order_by("created_at", "id"))


def _audio_name(number: int, clip: Clip) -> str:
    return f"audio/{number:03d} {plain_name(clip.name)}"


def now(shape: type[Edge], stored: Any) -> Any:
    """A stored document as this version writes it; one that it cannot read stays as it is."""
    try:
        return shape.model_validate(stored).model_dump(mode="json")
    except ValidationError:
        return stored


def _document(stored: Any) -> Any:
    try:
        return load_rig(stored).model_dump(mode="json")
    except RigError:
        return stored


def filed(song: Song) -> tuple[SongFile, list[Clip]]:
    """The song's document, and the clips whose audio stands beside it, in their order."""
    marking = Marking()
    clips = clips_in(song)
    there = {clip.pk for clip in clips}
    rigs = list(song.rigs.filter(deleted_at=None).prefetch_related("variants"))
    tests = [
        t for t in song.null_tests.filter(deleted_at=None, status=Status.DONE).exclude(measurement=None)
        .order_by("created_at", "id")
        if t.clip_a_id in there and t.clip_b_id in there
    ]  # fmt: skip
    measured = [
        m for m in song.measurements.filter(deleted_at=None, status=Status.DONE).exclude(result=None)
        .order_by("created_at", "id")
        if m.take_id is None or m.take_id in there
    ]  # fmt: skip
    # All marks first: any document may name any of them.
    for number, clip in enumerate(clips, 1):
        marking.give(str(clip.pk), "clip", number)
    count = 0
    for number, rig in enumerate(rigs, 1):
        marking.give(str(rig.pk), "rig", number)
        for variant in rig.variants.all():
            count += 1
            marking.give(str(variant.pk), "variant", count)
    for sort, rows in (("test", tests), ("measurement", measured)):
        for number, row in enumerate(rows, 1):
            marking.give(str(row.pk), sort, number)
    of, marked = marking.known, marking.marked
    batches: dict[Any, int] = {}
    document = SongFile(
        song=SongValues.model_validate({name: getattr(song, name) for name in VALUES}),
        clips=[
            FiledClip(
                mark=of[str(c.pk)], name=c.name, audio=_audio_name(n, c), sha256=c.blob.digest,
                size_bytes=c.blob.size_bytes, made_at=c.created_at,
            )
            for n, c in enumerate(clips, 1)
            if c.blob is not None
        ],
        rigs=[
            FiledRig(
                mark=of[str(rig.pk)], name=rig.name, feeds=[marked(now(Feed, f)) for f in rig.feeds],
                variants=[
                    FiledVariant(
                        mark=of[str(v.pk)], name=v.name, document=marked(_document(v.document)),
                        moves=[marked(now(WrittenMove, m)) for m in v.moves],
                    )
                    for v in rig.variants.all()
                ],
            )
            for rig in rigs
        ],
        tests=[
            FiledTest(
                mark=of[str(t.pk)], clip_a=of[str(t.clip_a_id)], clip_b=of[str(t.clip_b_id)],
                stems=[of[str(c.pk)] for c in t.stems_in_order() if c.pk in there],
                options=marked(now(NullOptions, t.options)), limit=marked(now(Limit, t.limit)), measurement=marked(now(Measurement, t.measurement)),
                batch=None if t.batch is None else batches.setdefault(t.batch, len(batches) + 1),
                made_at=t.created_at, finished_at=t.finished_at,
            )
            for t in tests
        ],
        measurements=[
            FiledMeasurement(
                mark=of[str(m.pk)], signal=marked(now(TestSignal, m.signal)), plan=marked(now(BenchPlan, m.plan)), stand_in=m.stand_in,
                take=None if m.take_id is None else of[str(m.take_id)], result=marked(now(BenchResult, m.result)),
                made_at=m.created_at, finished_at=m.finished_at,
            )
            for m in measured
        ],
        snapshots=[
            FiledSnapshot(name=s.name, kind=s.kind, content=marked(s.content), made_at=s.created_at)
            for s in song.snapshots.filter(deleted_at=None).order_by("created_at", "id")
        ],
        log=[
            FiledLine(
                step=e.step, kind=e.kind, title=marked(e.title), text=marked(e.text)[:10_000],
                number=e.number, tone=e.tone, place=marked(e.place), data=marked(e.data),
                made_at=e.created_at,
            )
            for e in song.log.order_by("created_at", "id")
        ],
    )  # fmt: skip
    return document, clips


def entries_of(song: Song, folder: str = "") -> Iterator[Entry]:
    """What stands in the file of a song, in its order."""
    document, clips = filed(song)
    yield f"{folder}{SONG}", written(document)
    for clip, said in zip(clips, document.clips, strict=True):
        assert clip.blob is not None
        yield f"{folder}{said.audio}", path_of(clip.blob)


def studio_entries(user: User) -> Iterator[Entry]:
    """All songs of a person, and their devices."""
    songs = list(songs_of(user).order_by("created_at", "id"))
    folders = [f"songs/{n:03d} {plain_name(s.title)}/" for n, s in enumerate(songs, 1)]
    yield STUDIO, written(StudioFile(songs=folders))
    profiles = [profile_of(d) for d in Device.objects.filter(owner=user)]
    panels = Panels(panels=tuple(panels_of(user).values()))
    yield DEVICES, written(DevicesFile(profiles=profiles, panels=panels.panels))
    for song, folder in zip(songs, folders, strict=True):
        yield from entries_of(song, folder)
