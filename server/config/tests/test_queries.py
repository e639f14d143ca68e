"""A list asks the database as often for twelve things as for two."""

import uuid

from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from core.measure import Limit
from server.clips.models import Clip
from server.devices.models import Device
from server.log.services import write
from server.renders.tasks import run_render
from server.rigs import services as rigs
from server.rigs.services import create_rig
from server.songs.models import Song
from server.testing import ApiCase, clip_in, noise, song_for, wav_bytes
from server.verify.models import NullTest

TEXT = 'g: source > d: delay (time 120 ms) > o: output\nscene "Verse": off d'


class Lists(ApiCase):
    def setUp(self):
        super().setUp()
        self.clip = clip_in(self.song, wav_bytes(noise(0.3)))
        self.rig = create_rig(self.song, "First", None, TEXT)
        self.variant = self.rig.variants.get()
        self.count = 0

    def asked(self, path: str) -> int:
        # What is kept between requests is kept by then.
        self.call("get", path)
        with CaptureQueriesContext(connection) as seen:
            status, _ = self.call("get", path)
        self.assertEqual(status, 200, path)
        return len(seen)

    def more(self) -> None:
        """One more of everything."""
        self.count += 1
        n = self.count
        song_for(self.user, f"Song {n}")
        gone = song_for(self.user, f"Gone {n}")
        Song.objects.filter(pk=gone.pk).update(deleted_at=timezone.now())
        clip = Clip.objects.create(
            song=self.song, name=f"take {n}.wav", blob=self.clip.blob, status="done",
            report=self.clip.report,
        )  # fmt: skip
        Clip.objects.create(song=self.song, name="x", deleted_at=timezone.now())
        rig = create_rig(self.song, f"Rig {n}", None, TEXT)
        rigs.add_variant(self.user, self.rig.pk, self.variant.pk, f"way {n}")
        body = {"do": "rig", "title": f"Title {n}"}
        self.variant.refresh_from_db()
        edit = {"id": str(uuid.uuid4()), "base_revision": self.variant.revision, "action": body}
        self.assertEqual(self.call("post", f"/variants/{self.variant.pk}/edits", edit)[0], 200)
        render = self.call("post", f"/variants/{rig.variants.get().pk}/renders", {"clip": str(clip.pk), "output": "o"})[1]  # fmt: skip
        run_render(render_id=render["id"])
        mine = {"clip": str(clip.pk), "output": "o", "start_s": 0.01 * n}
        run_render(render_id=self.call("post", f"/variants/{self.variant.pk}/renders", mine)[1]["id"])  # fmt: skip
        NullTest.objects.create(
            song=self.song, clip_a=self.clip, clip_b=clip, options={}, limit=Limit().model_dump()
        )
        write(self.song.pk, "route", "edit", f"Line {n}", text="", number="", tone="plain", place="")  # fmt: skip
        Device.objects.create(owner=self.user, name=f"Pedal {n}", min_ms=1, max_ms=900, step_ms=1)
        for path, values in (
            (f"/songs/{self.song.pk}/snapshots", {"name": f"Snap {n}"}),
            (
                f"/songs/{self.song.pk}/links",
                {"kind": "sheet", "thing": str(self.variant.pk), "days": n},
            ),
            ("/set-lists", {"name": f"List {n}"}),
            ("/tokens", {"name": f"Token {n}", "scopes": ["read"], "days": 10}),
        ):
            status, said = self.call("post", path, values)
            self.assertLess(status, 300, (path, said))

    def test_every_list_asks_a_constant_number_of_questions(self):
        song, rig = f"/songs/{self.song.pk}", f"/rigs/{self.rig.pk}"
        paths = [
            "/songs", f"{song}", f"{song}/clips", f"{song}/pairs", f"{song}/rigs", f"{song}/log",
            f"{song}/null-tests", f"{song}/snapshots", f"{song}/links", f"{song}/deleted",
            f"{song}/steps", f"{song}/exercises", f"{song}/trials", f"{song}/measurements",
            f"{rig}/renders", f"{rig}/minis", f"/variants/{self.variant.pk}",
            f"/variants/{self.variant.pk}/history", "/deleted", "/devices", "/panels", "/set-lists",
            "/tokens", "/practice-trials",
        ]  # fmt: skip
        for _ in range(2):
            self.more()
        few = {path: self.asked(path) for path in paths}
        for _ in range(6):
            self.more()
        many = {path: self.asked(path) for path in paths}
        grew = {path: (few[path], many[path]) for path in paths if many[path] > few[path]}
        self.assertEqual(grew, {})
        self.assertLess(max(many.values()), 30, many)


class AskedAgainAndAgain(ApiCase):
    """What a page asks for several times a second while something is made: what is long stays in the database."""

    def read_by(self, path: str) -> tuple[str, object]:
        with CaptureQueriesContext(connection) as asked:
            status, told = self.call("get", path)
        self.assertEqual(status, 200, told)
        return " ".join(query["sql"] for query in asked), told

    def test_lists_of_clips_and_null_tests_leave_pictures_of_sounds_and_results(self):
        clip = clip_in(self.song, wav_bytes(noise(0.3)), "One.wav")
        Clip.objects.create(song=self.song, name="Being read.wav", status="queued")
        read, clips = self.read_by(f"/songs/{self.song.pk}/clips")
        self.assertIn("- ('peaks_low')::text - ('peaks_high')::text", read)
        self.assertNotIn('"clips_clip"."report",', read)
        # What is told of each is what is told of it alone.
        alone = self.call("get", f"/clips/{clip.pk}")[1]
        self.assertEqual(clips[0], {name: alone[name] for name in clips[0]})
        self.assertEqual(
            (clips[0]["facts"]["frames"], clips[0]["facts"]["rate_hz"]), (14400, 48000)
        )
        self.assertGreater(len(alone["peaks_low"]), 100)
        self.assertIsNone(clips[1]["facts"])
        NullTest.objects.create(
            song=self.song, clip_a=clip, clip_b=clip, options={}, limit=Limit().model_dump(),
            status="running", progress=0.3,
        )  # fmt: skip
        read, (test,) = self.read_by(f"/songs/{self.song.pk}/null-tests")
        for long in ("report", "measurement"):
            self.assertNotIn(f'."{long}"', read)
        self.assertEqual((test["a_name"], test["progress"]), ("One.wav", 0.3))

    def test_a_file_that_is_made_reads_nothing_of_its_rig(self):
        clip = clip_in(self.song, wav_bytes(noise(0.3)), "One.wav")
        rig = create_rig(self.song, "First", None, TEXT)
        body = {"clip": str(clip.pk), "output": "o"}
        render = self.call("post", f"/variants/{rig.variants.get().pk}/renders", body)[1]["id"]
        run_render(render_id=render)
        made = self.call("post", f"/renders/{render}/exports", {"form": "wav", "word": "24"})[1]
        read, told = self.read_by(f"/exports/{made['id']}")
        self.assertEqual((told, told["status"]), (made, "queued"))
        for long in ("document", "turns", "detail", "moves"):
            self.assertNotIn(f'."{long}"', read)
        self.assertNotIn('"rigs_variant"."found_by"', read)
        self.assertNotIn('"clips_clip"."report"', read)
