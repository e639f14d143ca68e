"""The disk is full in the middle of something: 507 and a sentence, nothing kept in part, and it can be done again."""

import errno
import io
import shutil
from pathlib import Path
from unittest import mock

import psycopg
import soundfile
from django.conf import settings
from django.db import OperationalError

from core.render.export import export_file
from server.clips.models import Blob, Clip, Upload
from server.clips.store import adopt, upload_path
from server.clips.tasks import decode_clip
from server.config.disk import tells_of_full_disk
from server.renders.models import Export, Render
from server.renders.tasks import run_export, run_render
from server.renders.tests.test_renders import RenderCase
from server.songs.models import Song
from server.testing import noise, wav_bytes

FULL = OSError(errno.ENOSPC, "No space left on device")


class Filling(io.FileIO):
    """A file on a disk with room for 1000 bytes more."""

    def write(self, data):
        super().write(bytes(data)[:1000])
        raise FULL


def left(root: str) -> list[str]:
    return sorted(str(p) for p in Path(root).rglob("*") if p.is_file()) if Path(root).exists() else []  # fmt: skip


class FullDisk(RenderCase):
    def put(self, upload: dict, data: bytes):
        answer = self.client.put(
            f"/api/v1/uploads/{upload['id']}?offset=0",
            data,
            content_type="application/octet-stream",
        )
        return answer.status_code, answer.json()

    def test_a_piece_of_an_upload(self):
        data = wav_bytes(noise(0.3))
        body = {"name": "Gull.wav", "size_bytes": len(data)}
        upload = self.call("post", f"/songs/{self.song.pk}/uploads", body)[1]
        path = upload_path(f"{Upload.objects.get().pk}.part")

        class Held:
            def exists(self):
                return path.exists()

            def open(self, mode):
                return Filling(path, "w+")

        with (
            mock.patch("server.clips.store.upload_path", return_value=Held()),
            self.assertLogs("server.config.problems", "ERROR"),
        ):
            status, problem = self.put(upload, data)
        self.assertEqual((status, problem["type"]), (507, "urn:fonodrome:disk-full"))
        self.assertIn("disk is full", problem["detail"])
        self.assertEqual(path.stat().st_size, 1000)
        self.assertEqual(Upload.objects.get().received_bytes, 0)
        # There is room again: what came in half counts for nothing.
        self.assertEqual(self.put(upload, data)[0], 200)
        clip = self.call("post", f"/uploads/{upload['id']}/finish")[1]
        decode_clip(clip_id=clip["id"])
        self.assertEqual(Clip.objects.get(pk=clip["id"]).status, "done")

    def test_a_file_on_its_way_into_the_store(self):
        half = Path(settings.SCRATCH_ROOT) / "sound.wav"
        half.parent.mkdir(parents=True, exist_ok=True)
        half.write_bytes(wav_bytes(noise(0.2, seed=41)))
        before = left(settings.MEDIA_ROOT)

        def copied(source, target):
            Path(target).write_bytes(b"half of it")
            raise FULL

        with mock.patch("shutil.copyfile", copied), self.assertRaises(OSError):
            adopt(half, keep=True)
        self.assertEqual(left(settings.MEDIA_ROOT), before)
        half.unlink()

    def test_a_render_fails_with_a_sentence_leaves_nothing_and_can_be_made_again(self):
        for fault, free in (
            (FULL, None),
            (soundfile.LibsndfileError(2, "Error writing: "), 0),
        ):
            render = self.ask(start_s=0.0, length_s=0.4 if free is None else 0.5)[1]
            disk = mock.Mock(free=free)
            with (
                mock.patch("server.renders.tasks.render_file", side_effect=fault),
                mock.patch("server.config.disk.shutil.disk_usage", return_value=disk),
                self.assertLogs("server.jobs.runner", "ERROR"),
            ):
                run_render(render_id=render["id"])
            row = Render.objects.get(pk=render["id"])
            self.assertEqual((row.status, row.blob), ("failed", None))
            self.assertIn("disk is full", row.problem)
            self.assertEqual(left(settings.SCRATCH_ROOT), [])
            again = self.done(start_s=0.0, length_s=0.4 if free is None else 0.5)
            self.assertEqual(again["status"], "done")

    def test_an_export(self):
        render = self.done()
        made = self.call("post", f"/renders/{render['id']}/exports", {})[1]

        def full(source, target, *form, told):
            export_file(source, target, *form, told=told)
            target.write_bytes(target.read_bytes()[:500])
            raise FULL

        with (
            mock.patch("server.renders.exports.export_file", full),
            self.assertLogs("server.jobs.runner", "ERROR"),
        ):
            run_export(export_id=made["id"])
        row = Export.objects.get()
        self.assertEqual((row.status, row.blob), ("failed", None))
        self.assertIn("disk is full", row.problem)
        self.assertEqual(left(settings.SCRATCH_ROOT), [])
        # Asked for again it is another one, and made.
        again = self.call("post", f"/renders/{render['id']}/exports", {})[1]
        self.assertNotEqual(again["id"], made["id"])
        run_export(export_id=again["id"])
        self.assertEqual(self.call("get", f"/exports/{again['id']}/file")[0], 200)

    def test_a_copy_of_a_song_on_a_database_without_room(self):
        fault = OperationalError("could not extend file")
        fault.__cause__ = psycopg.errors.DiskFull("could not extend file")
        blobs = Blob.objects.count()
        with (
            mock.patch("server.songs.services.copy_clips", side_effect=fault),
            self.assertLogs("server.config.problems", "ERROR"),
        ):
            self.refused("post", f"/songs/{self.song.pk}/duplicate", None, 507, "disk is full")
        self.assertEqual((Song.objects.count(), Blob.objects.count()), (1, blobs))
        self.assertEqual(self.call("post", f"/songs/{self.song.pk}/duplicate")[0], 200)

    def test_what_is_no_full_disk_is_not_called_one(self):
        room = shutil.disk_usage(settings.DATA_DIR).free
        self.assertGreater(room, 1 << 20)
        for error in (
            OSError(errno.EACCES, "no"),
            OperationalError("server closed the connection"),
            soundfile.LibsndfileError(2, ""),
            ValueError("no space left"),
        ):
            self.assertFalse(tells_of_full_disk(error), error)
        self.assertTrue(tells_of_full_disk(OSError(errno.EDQUOT, "quota")))
