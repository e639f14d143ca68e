"""One song of a file on its way in: what of it can be used is stored, and the rest is said."""

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal, TypeVar
from uuid import UUID, uuid4

from pydantic import ValidationError

from core.bench import BenchPlan, BenchResult, TestSignal
from core.delay import check_lines
from core.edge import Edge
from core.errors import FonodromeError
from core.measure import Limit, Measurement, NullOptions
from core.render.feeds import Feed
from core.render.moves import WrittenMove
from core.routing import compile_rig, load_rig, refuse_wide
from core.songfile import (
    HEAD,
    Archive,
    FiledClip,
    FiledMeasurement,
    FiledPicture,
    FiledSnapshot,
    FiledTest,
    KeptSong,
    SongFile,
    SongFileError,
    unmarked,
)
from core.tempo import check_sections
from server.accounts.models import User
from server.accounts.quotas import song_allowed
from server.bench.models import Measurement as Measured
from server.clips import store
from server.clips.models import Clip
from server.clips.tasks import decode_clip
from server.config.problems import Problem
from server.jobs.models import Status
from server.log import pictures
from server.log.models import LogEntry
from server.rigs.models import Rig, Variant
from server.rigs.queries import context_of
from server.snapshots.models import Snapshot
from server.songs.models import Song
from server.verify.models import NullTest
from server.verify.services import summary_of

_LARGEST_AUDIO = 4 * 1024**3
_PER_WRITE = 500
F = TypeVar("F", bound=Edge)
Clash = Literal["ask", "second", "skip"]


@dataclass
class Brought:
    """Songs that were taken, and what of the file was left out, a sentence each."""

    songs: list[Song] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)


class OneSong:
    """One song on its way in."""

    def __init__(
        self, user: User, archive: Archive, folder: str, file: SongFile, title: str, held: Path, done: Brought,
    ) -> None:  # fmt: skip
        self.user, self.archive, self.folder, self.file = user, archive, folder, file
        self.title, self.held, self.done = title, held, done
        self.ids: dict[str, str] = {}
        self.clips: dict[str, Clip] = {}

    def id_of(self, mark: str) -> str:
        """The id that stands for a mark from now on."""
        return self.ids.setdefault(mark, str(uuid4()))

    def pk(self, mark: str) -> UUID:
        return UUID(self.id_of(mark.removeprefix(HEAD)))

    def plain(self, value: Any) -> Any:
        return unmarked(value, self.id_of)

    def left(self, what: str, why: str) -> None:
        self.done.left_out.append(f"“{self.title}”, {what}: {why}")

    def usable(self, what: str, make: Callable[[], Any]) -> Any:
        """What is made, or None and a sentence that says why it was left out."""
        try:
            return make()
        except FonodromeError as error:
            self.left(what, error.sentence)
        except ValidationError as error:
            first = error.errors()[0]
            self.left(what, f"{'.'.join(str(p) for p in first['loc'])}: {first['msg']}.")
        except (
            LookupError,
            TypeError,
            ValueError,
            AttributeError,
            ArithmeticError,
            RecursionError,
        ):
            self.left(what, "it cannot be read.")
        return None

    def beside(self, what: str, name: str, shape: type[F]) -> F | None:
        """A document that stands beside the song's own; None where it is missing or no such one."""
        found: F | None = self.usable(
            what, lambda: shape.model_validate(self.archive.document(f"{self.folder}{name}"))
        )
        return found

    def made(self) -> Song:
        file = self.file
        check_sections(file.song.tempo_map)
        if file.song.delays:
            check_lines(file.song.delays)
        values = file.song.model_dump(mode="json")
        song_allowed(self.user)
        self.song = Song.objects.create(owner=self.user, **{**values, "title": self.title})
        for clip in file.clips:
            self._clip(clip)
        for number, rig in enumerate(file.rigs):
            self._rig(number, rig)
        self._tests()
        self._measurements()
        self._snapshots()
        self._log()
        return self.song

    def _beside(self, what: str, name: str, size_bytes: int, sha256: str) -> Path | None:
        """A file that stands beside the document, on disk; None where it is not the one that is said."""
        path = self.held / uuid4().hex
        digest = hashlib.sha256()

        class Both:
            """Written to disk and summed up in one go."""

            def __init__(self, out: Any) -> None:
                self.out = out

            def write(self, data: bytes) -> None:
                digest.update(data)
                self.out.write(data)

        why = "its file is not the one that was put in."
        try:
            with path.open("wb") as out:
                most = min(size_bytes, _LARGEST_AUDIO)
                size = self.archive.take(f"{self.folder}{name}", most, Both(out))
            if (size, digest.hexdigest()) == (size_bytes, sha256):
                return path
        except SongFileError as error:
            why = error.sentence
        path.unlink(missing_ok=True)
        self.left(what, why)
        return None

    def _clip(self, said: FiledClip) -> None:
        path = self._beside(f"clip “{said.name}”", said.audio, said.size_bytes, said.sha256)
        if path is None:
            return
        clip = Clip.objects.create(
            pk=self.pk(said.mark), song=self.song, name=said.name, blob=store.adopt(path)
        )
        Clip.objects.filter(pk=clip.pk).update(created_at=said.made_at)
        self.clips[said.mark] = clip
        decode_clip.defer(clip_id=str(clip.pk))

    def _rig(self, number: int, said: Any) -> None:
        context = context_of(self.song)

        def document(filed: Any) -> dict[str, Any]:
            rig = refuse_wide(load_rig(self.plain(filed.document)))
            compile_rig(rig, context)
            return rig.model_dump(mode="json")

        usable = []
        for place, filed in enumerate(said.variants):
            letter = chr(ord("A") + place)
            found = self.usable(f"{said.name} {letter}", lambda f=filed: document(f))
            if found is not None:
                usable.append((filed, letter, found))
        if not usable:
            return
        feeds = [self.usable(f"what plays into {said.name}", lambda f=f: Feed.model_validate(self.plain(f))) for f in said.feeds]  # fmt: skip
        rig = Rig.objects.create(
            pk=self.pk(said.mark), song=self.song, name=said.name, position=number,
            feeds=[f.model_dump(mode="json") for f in feeds if f is not None],
        )  # fmt: skip
        for place, (filed, letter, found) in enumerate(usable):
            moves = [self.usable(f"a move of {said.name} {letter}", lambda m=m: WrittenMove.model_validate(self.plain(m))) for m in filed.moves]  # fmt: skip
            Variant.objects.create(
                pk=self.pk(filed.mark), rig=rig, position=place, name=filed.name, document=found,
                moves=[m.model_dump(mode="json") for m in moves if m is not None],
            )  # fmt: skip

    def _tests(self) -> None:
        batches: dict[int, UUID] = {}
        for number, name in enumerate(self.file.tests, 1):
            said = self.beside(f"null test {number}", name, FiledTest)
            if said is None:
                continue
            a, b = self.clips.get(said.clip_a), self.clips.get(said.clip_b)
            if a is None or b is None:
                self.left(f"null test {number}", "a clip of it is not there.")
                continue
            read = self.usable(
                f"null test {number}",
                lambda s=said: (
                    NullOptions.model_validate(s.options), Limit.model_validate(s.limit),
                    Measurement.model_validate(self.plain(s.measurement)),
                ),
            )  # fmt: skip
            if read is None:
                continue
            options, limit, measurement = read
            summary = self.usable(
                f"null test {number}", lambda m=measurement, x=limit: summary_of(m, x)
            )
            if summary is None:
                continue
            batch = None if said.batch is None else batches.setdefault(said.batch, uuid4())
            test = NullTest.objects.create(
                pk=self.pk(said.mark), song=self.song, clip_a=a, clip_b=b, batch=batch,
                options=options.model_dump(mode="json"), limit=limit.model_dump(mode="json"),
                measurement=measurement.model_dump(mode="json"), summary=summary,
                status=Status.DONE, progress=1.0, finished_at=said.finished_at,
            )  # fmt: skip
            test.stems.set([self.clips[m] for m in said.stems if m in self.clips])
            NullTest.objects.filter(pk=test.pk).update(created_at=said.made_at)

    def _measurements(self) -> None:
        for number, name in enumerate(self.file.measurements, 1):
            said = self.beside(f"measurement {number}", name, FiledMeasurement)
            if said is None:
                continue
            if said.take is not None and said.take not in self.clips:
                self.left(f"measurement {number}", "its take is not there.")
                continue
            kept = self.usable(
                f"measurement {number}",
                lambda s=said: [
                    shape.model_validate(self.plain(value)).model_dump(mode="json")
                    for shape, value in ((TestSignal, s.signal), (BenchPlan, s.plan), (BenchResult, s.result))
                ],
            )  # fmt: skip
            if kept is None:
                continue
            row = Measured.objects.create(
                pk=self.pk(said.mark), song=self.song, signal=kept[0], plan=kept[1], result=kept[2],
                stand_in=said.stand_in, take=self.clips.get(said.take) if said.take else None,
                status=Status.DONE, progress=1.0, finished_at=said.finished_at,
            )  # fmt: skip
            Measured.objects.filter(pk=row.pk).update(created_at=said.made_at)

    def _snapshots(self) -> None:
        for number, name in enumerate(self.file.snapshots, 1):
            said = self.beside(f"snapshot {number}", name, FiledSnapshot)
            if said is None:
                continue
            content = self.plain(said.content)
            if self.usable(f"snapshot “{said.name}”", lambda c=content: _whole(c)):
                row = Snapshot.objects.create(
                    song=self.song, name=said.name, kind=said.kind, content=content
                )
                Snapshot.objects.filter(pk=row.pk).update(created_at=said.made_at)

    def _log(self) -> None:
        # Lines of one moment stay in their order.
        ids = sorted(uuid4() for _ in self.file.log)
        rows = [
            LogEntry(
                pk=pk, song=self.song, step=s.step, kind=s.kind, title=self.plain(s.title)[:200],
                text=self.plain(s.text), number=s.number, tone=s.tone,
                place=self.plain(s.place)[:200], data=self.plain(s.data),
            )
            for pk, s in zip(ids, self.file.log, strict=True)
        ]  # fmt: skip
        LogEntry.objects.bulk_create(rows, batch_size=_PER_WRITE)
        # When it was written is told by the file, not by the clock of today.
        for row, said in zip(rows, self.file.log, strict=True):
            row.created_at = said.made_at
        LogEntry.objects.bulk_update(rows, ["created_at"], batch_size=_PER_WRITE)
        for row, said in zip(rows, self.file.log, strict=True):
            for place, picture in enumerate(said.pictures):
                self._picture(row, place, picture)

    def _picture(self, entry: LogEntry, place: int, said: FiledPicture) -> None:
        what = f"a picture of “{entry.title}”"
        path = self._beside(what, said.file, said.size_bytes, said.sha256)
        if path is None:
            return
        try:
            if path.stat().st_size > pictures.MOST_BYTES:
                raise Problem(422, "It is larger than a picture of a note can be.", "picture")
            pictures.kept(self.song, pictures.as_it_was(path.read_bytes()), entry, place)
        except Problem as problem:
            self.left(what, problem.sentence)
        finally:
            path.unlink(missing_ok=True)


def _whole(content: dict[str, Any]) -> bool:
    """Whether a snapshot can be gone back to. Raises what reading it raises."""
    kept = KeptSong.model_validate(content)
    for rig in kept.rigs:
        for feed in rig.feeds:
            Feed.model_validate(feed)
        for variant in rig.variants:
            load_rig(variant.document)
            for move in variant.moves:
                WrittenMove.model_validate(move)
    return True
