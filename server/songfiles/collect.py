"""A song as its file says it, and the file itself."""

from collections.abc import Iterator, Sequence
from typing import Any
from uuid import UUID

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
    SET_LISTS,
    SONG,
    STUDIO,
    Entry,
    FiledClip,
    FiledLine,
    FiledMeasurement,
    FiledPicture,
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
from server.bench.models import Measurement as Measured
from server.clips.models import Clip
from server.clips.store import path_of
from server.config.problems import Problem
from server.devices.models import Device
from server.devices.panels import panels_of
from server.devices.profiles import profile_of
from server.jobs.models import Status
from server.setlists.models import SetList
from server.setlists.services import lists_of, values_of
from server.snapshots.keeping import VALUES
from server.snapshots.models import Snapshot
from server.songfiles.studio import (
    MOST_SONGS,
    DevicesFile,
    FiledEntry,
    FiledList,
    ListsFile,
    StudioFile,
)
from server.songs.models import Song
from server.songs.queries import songs_of
from server.verify.models import NullTest


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


class Filed:
    """A song on its way out: its document first, then what stands beside it, one after the other."""

    def __init__(self, song: Song) -> None:
        """Raises Problem for a song that is too large for one file."""
        self.song, self.clips = song, clips_in(song)
        self.there = {clip.pk for clip in self.clips}
        self.rigs = list(song.rigs.filter(deleted_at=None).prefetch_related("variants"))
        tests = song.null_tests.filter(deleted_at=None, status=Status.DONE).exclude(
            measurement=None
        )
        measured = song.measurements.filter(deleted_at=None, status=Status.DONE).exclude(
            result=None
        )
        snapshots = song.snapshots.filter(deleted_at=None)
        # Long ones are read one at a time, when their turn comes.
        self.tests = [
            pk for pk, a, b in tests.order_by("created_at", "id").values_list("pk", "clip_a", "clip_b")
            if a in self.there and b in self.there
        ]  # fmt: skip
        self.measured = [
            pk for pk, take in measured.order_by("created_at", "id").values_list("pk", "take")
            if take is None or take in self.there
        ]  # fmt: skip
        self.pictures = list(
            song.pictures.exclude(entry=None)
            .order_by("entry__created_at", "entry_id", "place")
            .defer("small")
            .select_related("blob")
        )
        self.snapshots = list(snapshots.order_by("created_at", "id").values_list("pk", flat=True))
        self.marking = Marking()
        self._mark_all()
        try:
            self.document = self._document()
        except ValidationError as error:
            first = error.errors()[0]
            place = " ".join(str(part) for part in first["loc"])
            raise Problem(
                422, f"“{song.title}” cannot be put into one file: {place}, {first['msg'].lower()}.", "too-large"
            ) from None  # fmt: skip

    def _mark_all(self) -> None:
        """Any document may name any of them."""
        give = self.marking.give
        for number, clip in enumerate(self.clips, 1):
            give(str(clip.pk), "clip", number)
        variants = [v for rig in self.rigs for v in rig.variants.all()]
        for sort, keys in (
            ("rig", [r.pk for r in self.rigs]), ("variant", [v.pk for v in variants]),
            ("test", self.tests), ("measurement", self.measured),
        ):  # fmt: skip
            for number, pk in enumerate(keys, 1):
                give(str(pk), sort, number)

    def _document(self) -> SongFile:
        song, of, marked = self.song, self.marking.known, self.marking.marked
        pictures: dict[UUID | None, list[FiledPicture]] = {}
        for number, one in enumerate(self.pictures, 1):
            pictures.setdefault(one.entry_id, []).append(
                FiledPicture(
                    file=f"pictures/{number:03d}.{'jpg' if one.kind == 'jpeg' else one.kind}",
                    sha256=one.blob.digest,
                    size_bytes=one.blob.size_bytes,
                )
            )
        return SongFile(
            song=SongValues.model_validate({name: getattr(song, name) for name in VALUES}),
            clips=[
                FiledClip(
                    mark=of[str(c.pk)], name=c.name, audio=_audio_name(n, c), sha256=c.blob.digest,
                    size_bytes=c.blob.size_bytes, made_at=c.created_at,
                )
                for n, c in enumerate(self.clips, 1)
                if c.blob is not None
            ],
            rigs=[
                FiledRig(
                    mark=of[str(rig.pk)], name=rig.name,
                    feeds=[marked(now(Feed, f)) for f in rig.feeds],
                    variants=[
                        FiledVariant(
                            mark=of[str(v.pk)], name=v.name, document=marked(_document(v.document)),
                            moves=[marked(now(WrittenMove, m)) for m in v.moves],
                        )
                        for v in rig.variants.all()
                    ],
                )
                for rig in self.rigs
            ],
            tests=_names("tests", self.tests), measurements=_names("measurements", self.measured),
            snapshots=_names("snapshots", self.snapshots),
            log=[
                FiledLine(
                    step=e.step, kind=e.kind, title=marked(e.title), text=marked(e.text)[:10_000],
                    number=e.number, tone=e.tone, place=marked(e.place), data=marked(e.data),
                    pictures=pictures.get(e.pk, []), made_at=e.created_at,
                )
                for e in song.log.order_by("created_at", "id")
            ],
        )  # fmt: skip

    def _test(self, pk: UUID, batches: dict[Any, int]) -> FiledTest:
        t, of, marked = NullTest.objects.get(pk=pk), self.marking.known, self.marking.marked
        return FiledTest(
            mark=of[str(pk)], clip_a=of[str(t.clip_a_id)], clip_b=of[str(t.clip_b_id)],
            stems=[of[str(c.pk)] for c in t.stems_in_order() if c.pk in self.there],
            options=marked(now(NullOptions, t.options)), limit=marked(now(Limit, t.limit)),
            measurement=marked(now(Measurement, t.measurement)),
            batch=None if t.batch is None else batches.setdefault(t.batch, len(batches) + 1),
            made_at=t.created_at, finished_at=t.finished_at,
        )  # fmt: skip

    def _measurement(self, pk: UUID) -> FiledMeasurement:
        m, of, marked = Measured.objects.get(pk=pk), self.marking.known, self.marking.marked
        return FiledMeasurement(
            mark=of[str(pk)], signal=marked(now(TestSignal, m.signal)),
            plan=marked(now(BenchPlan, m.plan)), stand_in=m.stand_in,
            take=None if m.take_id is None else of[str(m.take_id)],
            result=marked(now(BenchResult, m.result)), made_at=m.created_at,
            finished_at=m.finished_at,
        )  # fmt: skip

    def entries(self, folder: str = "") -> Iterator[Entry]:
        """What stands in the file, in its order."""
        document, batches = self.document, dict[Any, int]()
        yield f"{folder}{SONG}", written(document)
        for name, pk in zip(document.tests, self.tests, strict=True):
            yield f"{folder}{name}", written(self._test(pk, batches))
        for name, pk in zip(document.measurements, self.measured, strict=True):
            yield f"{folder}{name}", written(self._measurement(pk))
        for name, pk in zip(document.snapshots, self.snapshots, strict=True):
            s = Snapshot.objects.get(pk=pk)
            filed = FiledSnapshot(
                name=s.name,
                kind=s.kind,
                content=self.marking.marked(s.content),
                made_at=s.created_at,
            )
            yield f"{folder}{name}", written(filed)
        files = [picture.file for line in document.log for picture in line.pictures]
        for file, picture in zip(files, self.pictures, strict=True):
            yield f"{folder}{file}", path_of(picture.blob)
        for clip, said in zip(self.clips, document.clips, strict=True):
            assert clip.blob is not None
            yield f"{folder}{said.audio}", path_of(clip.blob)


def _names(folder: str, rows: Sequence[Any]) -> list[str]:
    return [f"{folder}/{number:03d}.json" for number in range(1, len(rows) + 1)]


def studio_entries(user: User) -> Iterator[Entry]:
    """All songs of a person, their devices, and their set lists at last. Raises Problem for too many."""
    songs = list(songs_of(user).order_by("created_at", "id"))
    folders = [f"songs/{n:03d} {plain_name(s.title)}/" for n, s in enumerate(songs, 1)]
    if len(songs) > MOST_SONGS:
        raise Problem(422, f"A studio's file holds {MOST_SONGS} songs; you have {len(songs)}. Take them out one by one.", "too-large")  # fmt: skip
    return _studio_entries(user, songs, folders)


def _studio_entries(user: User, songs: list[Song], folders: list[str]) -> Iterator[Entry]:
    yield STUDIO, written(StudioFile(songs=folders))
    profiles = [profile_of(d) for d in Device.objects.filter(owner=user)]
    panels = Panels(panels=tuple(panels_of(user).values()))
    yield DEVICES, written(DevicesFile(profiles=profiles, panels=panels.panels))
    marks: dict[str, str] = {}
    for song, folder in zip(songs, folders, strict=True):
        filed = Filed(song)
        marks |= {
            str(v.pk): filed.marking.known[str(v.pk)] for r in filed.rigs for v in r.variants.all()
        }
        yield from filed.entries(folder)
    places = {str(song.pk): folder for song, folder in zip(songs, folders, strict=True)}
    lists = sorted(lists_of(user), key=lambda one: (one.created_at, one.pk))
    yield SET_LISTS, written(ListsFile(lists=[_list(one, places, marks) for one in lists]))


def _list(one: SetList, places: dict[str, str], marks: dict[str, str]) -> FiledList:
    values = values_of(one)
    entries = []
    for entry in values.entries:
        rest = entry.model_dump(mode="json", exclude={"song", "variant"})
        song, variant = places.get(str(entry.song)), marks.get(str(entry.variant))
        entries.append(FiledEntry(song=song, variant=variant if song else None, values=rest))
    return FiledList(
        name=values.name, channel=values.channel, send_clock=values.send_clock, entries=entries
    )
