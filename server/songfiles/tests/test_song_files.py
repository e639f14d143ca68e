"""A song out as a file and in again: the same bytes, nothing half-taken, what is left out is said."""

import hashlib
import io
import json
import random
import tracemalloc
import zipfile
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock
from uuid import uuid4

from django.test import override_settings

from core.measure import NullOptions
from core.render.feeds import Feed, Placement
from core.routing.tests.test_notation import grown
from core.songfile import HEAD, zipped
from core.tempo import TempoSection
from server.clips.models import Blob, Clip
from server.clips.store import scratch_folder
from server.clips.tasks import decode_clip
from server.config.problems import Problem
from server.devices.models import Device, Panel
from server.jobs.models import Status
from server.log.pictures import give, take
from server.log.services import write
from server.rigs.models import Rig, Variant
from server.setlists.models import SetList
from server.setlists.services import lists_of, values_of
from server.snapshots.keeping import keep
from server.songfiles.bring import received
from server.songs.models import Song
from server.testing import ApiCase, clip_in, noise, person, picture_bytes, song_for, wav_bytes
from server.verify.models import NullTest
from server.verify.tasks import run_null_test


class Case(ApiCase):
    def out(self, path: str = "") -> bytes:
        answer = self.client.get(path or f"/api/v1/songs/{self.song.pk}/file")
        self.assertEqual(answer.status_code, 200)
        return b"".join(answer.streaming_content)

    def take(self, data: bytes, clash: str = "ask"):
        answer = self.client.post(
            f"/api/v1/songs/file?clash={clash}", data, content_type="application/zip"
        )
        return answer.status_code, answer.json()

    def as_somebody_else(self):
        self.user = person(f"other{uuid4().hex[:6]}")
        self.client.force_login(self.user)

    def full(self) -> None:
        """A song with something of everything in it."""
        rng = random.Random(5)
        # Stored as the application stores it.
        tempo = [
            TempoSection.model_validate(t).model_dump(mode="json") for t in self.song.tempo_map
        ]
        Song.objects.filter(pk=self.song.pk).update(tempo_map=tempo)
        self.song.refresh_from_db()
        sound = noise(0.5)
        one = clip_in(self.song, wav_bytes(sound), "Guitar, take 4.wav")
        two = clip_in(self.song, wav_bytes(0.5 * sound, "PCM_16", "FLAC"), "half/../as loud.flac")
        for seed in (1, 2):
            rig = Rig.objects.create(
                song=self.song, name=f"Rig {seed}", position=seed,
                feeds=[Feed(source="guitar", placements=(Placement(clip=str(one.pk)),)).model_dump(mode="json")],
            )  # fmt: skip
            for place in range(3):
                document = grown(seed * 10 + place).model_dump(mode="json")
                Variant.objects.create(rig=rig, position=place, name=f"V{place}", document=document)
        test = NullTest.objects.create(
            song=self.song, clip_a=one, clip_b=two, options=NullOptions().model_dump(mode="json"),
            limit={"kind": "relative", "value_db": 60},
        )  # fmt: skip
        run_null_test(test_id=str(test.pk))
        test.refresh_from_db()
        self.assertEqual(test.status, Status.DONE, test.problem)
        keep(self.song, "Before the tour", "named")
        Rig.objects.filter(name="Rig 2").update(name="Rig two")
        for entry, names in (("At the desk", ("PNG", "JPEG")), ("On the floor", ("JPEG",))):
            held = [
                str(take(self.song, picture_bytes((90, 30 + i), kind)).pk)
                for i, kind in enumerate(names)
            ]
            give(write(self.song.pk, "log", "note", entry), held)
        take(self.song, picture_bytes((5, 5)))
        for n in range(30):
            write(self.song.pk, "verify", "note", f"Line {n} {HEAD}clip-001", text=f"of {test.pk}", place=f"verify/{test.pk}", data={"rng": rng.random()})  # fmt: skip


class RoundTrip(Case):
    def test_out_in_and_out_again_are_the_same_bytes(self):
        self.full()
        before = self.out()
        self.assertEqual(before, self.out())
        self.as_somebody_else()
        status, taken = self.take(before)
        self.assertEqual((status, taken["left_out"]), (200, []))
        self.song = Song.objects.get(pk=taken["songs"][0]["id"])
        for clip in self.song.clips.all():
            decode_clip(clip_id=str(clip.pk))
        self.assertEqual(self.out(), before)
        # What names another thing names it in the new song too.
        test = self.song.null_tests.get()
        line = self.song.log.first()
        self.assertEqual((line.place, line.text), (f"verify/{test.pk}", f"of {test.pk}"))
        self.assertEqual(line.title, f"Line 29 {HEAD}clip-001")
        self.assertEqual(test.clip_a.name, "Guitar, take 4.wav")
        feed = self.song.rigs.first().feeds[0]["placements"][0]["clip"]
        self.assertEqual(feed, str(test.clip_a_id))
        result = self.call("get", f"/null-tests/{test.pk}")[1]
        self.assertAlmostEqual(result["result"]["gain_db"], -6.0206, places=3)
        pictures = self.song.log.get(title="At the desk").pictures.all()
        self.assertEqual(
            [(p.kind, p.width, p.height) for p in pictures], [("png", 90, 30), ("jpeg", 90, 31)]
        )
        self.assertEqual(self.client.get(f"/api/v1/pictures/{pictures[0].pk}").status_code, 200)
        snapshot = self.song.snapshots.get()
        changes = self.call("get", f"/snapshots/{snapshot.pk}/changes")[1]
        self.assertEqual([c["lines"] for c in changes], [["name Rig 2 → Rig two"]])

    def test_the_audio_is_as_it_came_under_a_name_that_says_what_it_is(self):
        self.full()
        with zipfile.ZipFile(io.BytesIO(self.out())) as archive:
            self.assertEqual(
                archive.namelist(),
                [
                    "song.json",
                    "tests/001.json",
                    "snapshots/001.json",
                    "pictures/001.png",
                    "pictures/002.jpg",
                    "pictures/003.jpg",
                    "audio/001 Guitar, take 4.wav",
                    "audio/002 half .. as loud.flac",
                ],
            )
            self.assertEqual(archive.read("audio/001 Guitar, take 4.wav"), wav_bytes(noise(0.5)))

    def test_songs_of_random_rigs(self):
        for seed in range(12):
            with self.subTest(seed):
                self.as_somebody_else()
                self.song = Song.objects.create(
                    owner=self.user, title=f"Song {seed}", tempo_map=[{"tempo_bpm": 60 + seed}]
                )
                rig = Rig.objects.create(song=self.song, name="R", position=0)
                document = grown(seed).model_dump(mode="json")
                Variant.objects.create(rig=rig, position=0, document=document)
                before = self.out()
                self.as_somebody_else()
                status, taken = self.take(before)
                self.assertEqual((status, taken["left_out"]), (200, []))
                self.song = Song.objects.get(pk=taken["songs"][0]["id"])
                with (
                    zipfile.ZipFile(io.BytesIO(before)) as a,
                    zipfile.ZipFile(io.BytesIO(self.out())) as b,
                ):
                    was, now = (json.loads(z.read("song.json")) for z in (a, b))
                # What was stored short is filled up with its defaults on the way in, and then stays.
                self.assertEqual(now["rigs"], was["rigs"])
                self.assertEqual(now["song"], was["song"])

    def test_a_studio_with_its_devices(self):
        self.full()
        Device.objects.create(owner=self.user, name="My pedal", min_ms=1, max_ms=100, step_ms=1)
        Panel.objects.create(owner=self.user, key="grey", content={"name": "Grey", "controls": []})
        Song.objects.create(owner=self.user, title="Another", tempo_map=[{"tempo_bpm": 90}])
        variant = Variant.objects.get(rig__name="Rig two", position=1)
        other = song_for(person("carol"), "Of Carol")
        songs = [
            {"key": "a", "song": str(self.song.pk), "variant": str(variant.pk), "note": "Slow"},
            {"key": "b", "kind": "pause", "title": "Tune"},
            {"key": "c", "song": str(Song.objects.get(title="Another").pk), "count_bars": 1},
            # Neither theirs nor there any more.
            {"key": "d", "song": str(other.pk)}, {"key": "e", "song": str(uuid4())},
        ]  # fmt: skip
        for name in ("Pier", "Barn"):
            SetList.objects.create(owner=self.user, name=name, content={"name": name, "channel": 3, "entries": songs})  # fmt: skip
        SetList.objects.create(owner=self.user, name="Gone", content={"name": "Gone"}, deleted_at=datetime.now(UTC))  # fmt: skip
        before = self.out("/api/v1/studio/file")
        self.as_somebody_else()
        status, taken = self.take(before)
        self.assertEqual(
            (status, [s["title"] for s in taken["songs"]]), (200, ["Tide Table", "Another"])
        )
        for clip in Clip.objects.filter(song__owner=self.user):
            decode_clip(clip_id=str(clip.pk))
        self.assertEqual(self.out("/api/v1/studio/file"), before)
        lists = {one.name: values_of(one) for one in lists_of(self.user)}
        self.assertEqual(set(lists), {"Pier", "Barn"})
        entries = lists["Barn"].entries
        self.assertEqual([e.key for e in entries], ["a", "b", "c", "d", "e"])
        mine = Song.objects.get(owner=self.user, title="Tide Table")
        self.assertEqual(entries[0].song, mine.pk)
        played = Variant.objects.get(pk=entries[0].variant)
        self.assertEqual(
            (played.rig.song_id, played.rig.name, played.position), (mine.pk, "Rig two", 1)
        )
        self.assertEqual(entries[2].song, Song.objects.get(owner=self.user, title="Another").pk)
        self.assertFalse(Song.objects.filter(pk__in=[entries[3].song, entries[4].song]).exists())
        # On stage they are read like any other.
        stage = self.call("get", f"/set-lists/{lists_of(self.user)[0].pk}/stage")[1]
        self.assertEqual(
            [c["title"] for c in stage["cards"]][:3], ["Tide Table", "Tune", "Another"]
        )
        status, asked = self.take(before)
        self.assertEqual((status, asked["names"]), (409, ["Tide Table", "Another", "Pier", "Barn"]))
        again = self.take(before, "skip")[1]
        self.assertEqual((again["songs"], len(again["left_out"])), ([], 4))
        # A list that is not there plays the songs that are.
        SetList.objects.filter(owner=self.user, name="Pier").delete()
        said = self.take(before, "skip")[1]["left_out"]
        self.assertEqual(len(said), 4, said)
        self.assertIn("Set list “Pier”: a song of it is played without the rig", " ".join(said))
        (pier,) = (values_of(one) for one in lists_of(self.user) if one.name == "Pier")
        self.assertEqual((pier.entries[0].song, pier.entries[0].variant), (mine.pk, None))
        second = self.take(before, "second")[1]
        self.assertEqual([s["title"] for s in second["songs"]], ["Tide Table 2", "Another 2"])
        self.assertIn("Pier 2", [one.name for one in lists_of(self.user)])


class Bad(Case):
    def changed(self, change, drop: str = "", beside: bool = False) -> bytes:
        """The file of the song with its document changed."""
        with zipfile.ZipFile(io.BytesIO(self.out())) as archive:
            entries = {n: archive.read(n) for n in archive.namelist()}
        documents = {n: json.loads(d) for n, d in entries.items() if n.endswith(".json")}
        change(documents["song.json"], documents) if beside else change(documents["song.json"])
        entries |= {n: json.dumps(d).encode() for n, d in documents.items()}
        return b"".join(
            zipped(iter([(n, d) for n, d in entries.items() if not drop or drop not in n]))
        )

    def nothing_taken(self, data: bytes, words: str, status: int = 422) -> None:
        songs, blobs = Song.objects.count(), Blob.objects.count()
        got, problem = self.take(data)
        self.assertEqual(got, status, problem)
        self.assertIn(words, problem["detail"])
        self.assertEqual((Song.objects.count(), Blob.objects.count()), (songs, blobs))

    def test_a_name_that_is_there_asks_and_then_it_is_a_second_one(self):
        data = self.out()
        self.nothing_taken(data, "You have “Tide Table” already", 409)
        self.assertEqual(self.take(data, "second")[1]["songs"][0]["title"], "Tide Table 2")
        self.assertEqual(self.take(data, "second")[1]["songs"][0]["title"], "Tide Table 3")

    def test_what_is_no_song_leaves_nothing(self):
        self.nothing_taken(b"RIFF", "cannot be opened")
        self.nothing_taken(b"", "cannot be opened")
        self.as_somebody_else()
        self.song = Song.objects.create(
            owner=self.user, title="Mine", tempo_map=[{"tempo_bpm": 90}]
        )
        self.nothing_taken(self.changed(lambda d: d.update(version=7)), "newer Fonodrome")
        self.nothing_taken(self.changed(lambda d: d["song"].update(title="")), "song.title")
        two = [{"tempo_bpm": 90, "bars": None}] * 2
        data = self.changed(lambda d: d["song"].update(title="T", tempo_map=two))
        self.nothing_taken(data, "has no end")
        with mock.patch("server.clips.store.room_for", return_value=False):
            self.nothing_taken(data, "too full", 507)

    def test_missing_and_foreign_parts_are_left_out_and_said(self):
        self.full()

        def spoil(document, documents):
            document["song"]["title"] = "Spoilt"
            document["rigs"][0]["variants"][1]["document"]["nodes"]["x"] = {
                "kind": "teapot",
                "id": "x",
            }
            document["rigs"][1]["variants"] = document["rigs"][1]["variants"][:1]
            document["rigs"][1]["variants"][0]["document"]["version"] = 99
            document["rigs"][0]["feeds"].append({"source": "a", "placements": "none"})
            content = documents["snapshots/001.json"]["content"]
            content["rigs"][0]["variants"][0]["document"] = 5
            document["measurements"] = ["../../etc/passwd"]
            document["clips"][0]["sha256"] = "0" * 64

        data = self.changed(spoil, drop="002 half", beside=True)
        status, taken = self.take(data)
        self.assertEqual(status, 200)
        said = "\n".join(taken["left_out"])
        for words in (
            "clip “Guitar, take 4.wav”: its file is not the one", "“half/../as loud.flac”: “audio/002",
            "Rig 1 B:", "Rig two A: This rig was written by version 99", "what plays into Rig 1:",
            "null test 1: a clip of it is not there", "snapshot “Before the tour”", "measurement 1: This is no file",
        ):  # fmt: skip
            self.assertIn(words, said)
        song = Song.objects.get(pk=taken["songs"][0]["id"])
        self.assertEqual([(r.name, r.variants.count()) for r in song.rigs.all()], [("Rig 1", 2)])
        self.assertEqual((song.clips.count(), song.log.count()), (0, 33))
        # What was taken opens.
        self.assertEqual(
            self.call("get", f"/variants/{song.rigs.get().variants.first().pk}")[0], 200
        )

    def test_pictures_that_are_none_or_not_the_ones_that_were_put_in_are_left_out_and_said(self):
        self.full()
        big = picture_bytes((2100, 20))
        for name, data, words in (
            ("pictures/001.png", None, "is missing"),
            ("pictures/001.png", b"<svg onload=alert(1)>", "not the one that was put in"),
            ("own", b"<svg onload=alert(1)>", "no picture that can be opened"),
            ("own", picture_bytes(kind="GIF"), "no picture that can be opened"),
            ("own", big, "larger than a picture of a note"),
        ):  # fmt: skip
            with self.subTest(words), zipfile.ZipFile(io.BytesIO(self.out())) as archive:
                entries = {n: archive.read(n) for n in archive.namelist()}
                document = json.loads(entries["song.json"])
                document["song"]["title"] = f"T {uuid4()}"
                said = next(line for line in document["log"] if line["pictures"])["pictures"][0]
                if name == "own":
                    said |= {"sha256": hashlib.sha256(data).hexdigest(), "size_bytes": len(data)}
                if data is None:
                    del entries["pictures/001.png"]
                else:
                    entries["pictures/001.png"] = data
                entries["song.json"] = json.dumps(document).encode()
                status, taken = self.take(b"".join(zipped(iter(entries.items()))))
                self.assertEqual(status, 200)
                (left,) = taken["left_out"]
                self.assertIn("a picture of “At the desk”", left)
                self.assertIn(words, left)
                rows = Song.objects.get(pk=taken["songs"][0]["id"]).pictures
                self.assertEqual(rows.count(), 2)
        self.assertEqual(list(scratch_folder().iterdir()), [])

    def test_set_lists_that_cannot_be_read_harm_nothing(self):
        with zipfile.ZipFile(io.BytesIO(self.out("/api/v1/studio/file"))) as archive:
            entries = {n: archive.read(n) for n in archive.namelist()}
        self.as_somebody_else()
        one = {"song": None, "variant": None, "values": {"key": "a"}}
        lists = [
            {"name": "Two of a key", "entries": [one, one]},
            {"name": "No key", "entries": [{**one, "values": {"x": 1}}]},
            {"name": "Right", "entries": [{**one, "variant": f"{HEAD}variant-999", "song": "../../etc"}]},
        ]  # fmt: skip
        entries["set-lists.json"] = json.dumps({"lists": lists}).encode()
        said = self.take(b"".join(zipped(iter(entries.items()))))[1]["left_out"]
        self.assertEqual([s.split(":")[0] for s in said], ["Set list “Two of a key” cannot be read.", "Set list “No key” cannot be read.", "Set list “Right”"])  # fmt: skip
        self.assertEqual([one.name for one in lists_of(self.user)], ["Right"])
        entries["set-lists.json"] = json.dumps({"lists": [], "version": 2}).encode()
        self.nothing_taken(b"".join(zipped(iter(entries.items()))), "newer Fonodrome")
        del entries["set-lists.json"]
        self.assertEqual(self.take(b"".join(zipped(iter(entries.items()))), "second")[0], 200)

    def test_what_a_hostile_file_says_of_a_line_or_a_snapshot_locks_nothing(self):
        self.full()

        def spoil(document, documents):
            document["song"]["title"] = "Hostile"
            for line, data in zip(
                document["log"],
                ({"hand": 5}, {"hand": {"variant": "x"}}, {"was": []}),
                strict=False,
            ):
                line["data"] = data
            document["log"][3]["made_at"] = "8999-12-31T00:00:00Z"
            documents["snapshots/001.json"]["content"]["rigs"][0]["variants"][0]["position"] = "x"

        status, taken = self.take(self.changed(spoil, beside=True))
        self.assertEqual(status, 200)
        self.assertIn("snapshot “Before the tour”", " ".join(taken["left_out"]))
        song = taken["songs"][0]["id"]
        self.assertEqual(self.call("get", f"/songs/{song}/log?most=200")[0], 200)
        for moment in ("0001-01-01T00:00:00+14:00", "9999-12-31T23:59:59Z", "2026-11-29T10:00:00"):
            data = self.changed(
                lambda d, m=moment: (d["song"].update(title="T"), d["log"][0].update(made_at=m))
            )
            self.nothing_taken(data, "log.0.made_at")

    def test_a_studio_that_names_a_song_twice_or_is_spoilt(self):
        with zipfile.ZipFile(io.BytesIO(self.out("/api/v1/studio/file"))) as archive:
            entries = {n: archive.read(n) for n in archive.namelist()}
        self.as_somebody_else()
        studio = json.loads(entries["studio.json"])
        for name, document, words in (
            ("studio.json", {**studio, "songs": studio["songs"] * 2}, "are one"),
            ("studio.json", {**studio, "version": 2}, "newer Fonodrome"),
            ("devices.json", {"profiles": [{"name": "x"}]}, "“devices.json” was written"),
        ):  # fmt: skip
            with self.subTest(words):
                spoilt = entries | {name: json.dumps(document).encode()}
                self.nothing_taken(b"".join(zipped(iter(spoilt.items()))), words)

    def test_what_comes_is_counted_whatever_was_announced(self):
        with override_settings(LARGEST_UPLOAD_BYTES=1000):
            self.nothing_taken(self.out() + b"0" * 1000, "at most", 413)
            with self.assertRaises(Problem):
                received(io.BytesIO(b"0" * 2000), None, 1000)
        self.assertEqual([p for p in scratch_folder().iterdir() if p.name.startswith("song-")], [])

    def test_a_fault_half_way_leaves_nothing(self):
        self.full()
        data = self.changed(lambda d: d["song"].update(title="Half"))
        before = Song.objects.count(), Clip.objects.count(), Rig.objects.count()
        self.client.raise_request_exception = False
        with mock.patch("server.songfiles.one.OneSong._log", side_effect=RuntimeError("power")):
            answer = self.client.post("/api/v1/songs/file", data, content_type="application/zip")
        self.assertEqual(answer.status_code, 500)
        self.assertEqual((Song.objects.count(), Clip.objects.count(), Rig.objects.count()), before)
        self.assertEqual([p for p in scratch_folder().iterdir() if p.name.startswith("song-")], [])


class Large(Case):
    def test_audio_is_streamed_and_never_held(self):
        """300 MB of audio in a file that has no bytes on disk: what is held stays small."""
        with TemporaryDirectory() as folder:
            sound = Path(folder) / "long.wav"
            with sound.open("wb") as out:
                out.truncate(300 * 1024**2)
            blob = Blob.objects.create(digest="a" * 64, size_bytes=300 * 1024**2)
            Clip.objects.create(
                song=self.song, name="long.wav", blob=blob, status=Status.DONE, report={}
            )
            with mock.patch("server.songfiles.collect.path_of", return_value=sound):
                answer = self.client.get(f"/api/v1/songs/{self.song.pk}/file")
                tracemalloc.start()
                size = sum(len(piece) for piece in answer.streaming_content)
                most = tracemalloc.get_traced_memory()[1]
                tracemalloc.stop()
        self.assertGreater(size, 300 * 1024**2)
        self.assertLess(most, 20 * 1024**2)

    def test_dates_are_those_of_the_file(self):
        write(self.song.pk, "log", "note", "Old")
        self.song.log.update(created_at=datetime(2020, 2, 2, tzinfo=UTC))
        data = self.out()
        self.as_somebody_else()
        taken = self.take(data)[1]["songs"][0]
        line = Song.objects.get(pk=taken["id"]).log.get()
        self.assertEqual(line.created_at.year, 2020)
