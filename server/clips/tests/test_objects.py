"""Two machines with one database and one object store: each has its own folder, and both have everything.

The store is a real server that speaks S3 on loopback.
"""

import contextlib
import io
import os
import tempfile
from datetime import timedelta
from pathlib import Path
from unittest import mock

import boto3
from django.conf import settings
from django.core.management import CommandError, call_command
from django.test import override_settings
from django.utils import timezone
from moto.server import ThreadedMotoServer

from server.clips import objects, store
from server.clips.models import Blob, Clip, Upload
from server.clips.tasks import decode_clip
from server.testing import ApiCase, noise, wav_bytes
from server.thread.collect import collect

BUCKET = "fonodrome-tests"
SOUND = wav_bytes(noise(1.0))


class TwoMachines(ApiCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
        cls.server.start()
        cls.addClassCleanup(cls.server.stop)
        host, port = cls.server.get_host_and_port()
        cls.where = {
            "endpoint_url": f"http://{host}:{port}", "region_name": "us-east-1",
        }  # fmt: skip

    def setUp(self):
        super().setUp()
        held = tempfile.TemporaryDirectory(prefix="fonodrome-machines-")
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.bucket = boto3.resource(
            "s3", **self.where, aws_access_key_id="key", aws_secret_access_key="secret"
        ).Bucket(BUCKET)
        self.bucket.create()
        self.addCleanup(self.bucket.delete)
        self.addCleanup(lambda: self.bucket.objects.all().delete())
        self.at("a")

    def at(self, machine: str, **more) -> None:
        """From here on, as on this machine."""
        root = self.folder / machine
        options = {
            **self.where, "bucket_name": BUCKET, "access_key": "key", "secret_key": "secret",
            "default_acl": None, "file_overwrite": True, **more,
        }  # fmt: skip
        storages = {
            **settings.STORAGES,
            "default": {
                "BACKEND": "django.core.files.storage.FileSystemStorage",
                "OPTIONS": {"location": str(root / "audio"), "base_url": None},
            },
            "objects": {"BACKEND": "storages.backends.s3.S3Storage", "OPTIONS": options},
        }
        folders = {
            "MEDIA_ROOT": root / "audio", "UPLOAD_ROOT": root / "uploads", "SCRATCH_ROOT": root / "scratch",
        }  # fmt: skip
        if getattr(self, "there", None):
            self.there.disable()
        self.there = override_settings(STORAGES=storages, **folders)
        self.there.enable()
        self.addCleanup(self.away)

    def away(self) -> None:
        if self.there:
            self.there.disable()
            self.there = None

    def without_a_line(self, machine: str):
        from botocore.config import Config

        quick = Config(retries={"max_attempts": 0}, connect_timeout=1, read_timeout=1)
        self.at(machine, endpoint_url="http://127.0.0.1:9", client_config=quick)

    def names(self) -> set[str]:
        return {one.key for one in self.bucket.objects.all()}

    def begin(self) -> str:
        body = {"name": "take.wav", "size_bytes": len(SOUND)}
        return self.call("post", f"/songs/{self.song.pk}/uploads", body)[1]["id"]

    def piece(self, upload: str, start: int, end: int):
        return self.client.put(
            f"/api/v1/uploads/{upload}?offset={start}", SOUND[start:end], content_type="application/octet-stream"
        )  # fmt: skip

    def finish(self, upload: str) -> Clip:
        status, clip = self.call("post", f"/uploads/{upload}/finish")
        self.assertEqual(status, 200, clip)
        return Clip.objects.get(pk=clip["id"])

    def brought(self) -> Clip:
        upload = self.begin()
        self.piece(upload, 0, len(SOUND))
        clip = self.finish(upload)
        decode_clip(clip_id=str(clip.pk))
        clip.refresh_from_db()
        self.assertEqual(clip.status, "done", clip.problem)
        return clip

    def read(self, clip: Clip) -> bytes:
        return store.path_of(clip.blob).read_bytes()

    def test_pieces_go_to_either_machine_and_every_byte_is_read_on_both(self):
        upload, third = self.begin(), len(SOUND) // 3
        self.assertEqual(self.piece(upload, 0, third).status_code, 200)
        self.at("b")
        self.assertEqual(self.piece(upload, third, 2 * third).status_code, 200)
        # Sent twice, as after a lost answer: taken once.
        self.assertEqual(self.piece(upload, third, 2 * third).status_code, 409)
        self.at("a")
        self.assertEqual(self.piece(upload, 2 * third, len(SOUND)).status_code, 200)
        clip = self.finish(upload)
        self.at("b")
        decode_clip(clip_id=str(clip.pk))
        clip.refresh_from_db()
        self.assertEqual((clip.status, clip.report["frames"]), ("done", 48_000), clip.problem)
        for machine in ("a", "b", "c"):
            self.at(machine)
            self.assertEqual(self.read(clip), SOUND)
        # A part, from a machine that has never had the file.
        self.at("d")
        part = store.path_of(clip.blob)
        self.assertEqual(part.stat().st_size, len(SOUND))
        # What was on its way is no more.
        self.assertEqual(self.names(), {clip.blob.storage_name})

    def test_a_worker_that_ends_between_the_file_and_its_row_finds_it_again(self):
        upload = self.begin()
        self.piece(upload, 0, len(SOUND))
        clip = self.finish(upload)
        with (
            mock.patch.object(store, "_row", side_effect=KeyboardInterrupt),
            contextlib.suppress(KeyboardInterrupt),
        ):
            decode_clip(clip_id=str(clip.pk))
        self.at("b")
        decode_clip(clip_id=str(clip.pk))
        clip.refresh_from_db()
        self.assertEqual(clip.status, "done", clip.problem)
        self.assertEqual(self.read(clip), SOUND)

    def test_a_piece_that_is_missing_or_a_sound_that_is_another_is_said(self):
        upload = self.begin()
        half = len(SOUND) // 2
        self.piece(upload, 0, half)
        self.piece(upload, half, len(SOUND))
        clip = self.finish(upload)
        self.bucket.Object(f"uploads/{upload}.part/{0:015d}").delete()
        decode_clip(clip_id=str(clip.pk))
        clip.refresh_from_db()
        self.assertEqual(
            (clip.status, "part of this file is missing" in clip.problem), ("failed", True)
        )
        good = self.brought()
        self.bucket.Object(good.blob.storage_name).put(Body=b"something else")
        self.at("b")
        with self.assertRaisesRegex(Exception, "not what was put there"):
            self.read(good)
        self.assertEqual([p for p in (self.folder / "b").rglob("*") if p.is_file()], [])

    def test_while_the_store_is_away_what_was_read_is_there_and_the_rest_is_a_sentence(self):
        clip = self.brought()
        upload = self.begin()
        self.without_a_line("a")
        self.assertEqual(self.read(clip), SOUND)
        with self.assertLogs("server.config.problems", "ERROR"):
            refused = self.piece(upload, 0, len(SOUND))
        self.assertEqual(refused.status_code, 503)
        self.assertIn("cannot be reached", refused.json()["detail"])
        self.assertEqual(Upload.objects.get(pk=upload).received_bytes, 0)
        self.without_a_line("b")
        with self.assertRaises(objects.StoreAway):
            self.read(clip)
        # The line is back: it goes on from where it was.
        self.at("b")
        self.assertEqual(self.piece(upload, 0, len(SOUND)).status_code, 200)
        again = self.finish(upload)
        self.without_a_line("b")
        with self.assertLogs("server.jobs.runner", "ERROR"):
            decode_clip(clip_id=str(again.pk))
        again.refresh_from_db()
        self.assertEqual((again.status, "cannot be reached" in again.problem), ("failed", True))

    def test_what_nobody_has_goes_from_the_store_and_what_is_wanted_again_stays(self):
        clip = self.brought()
        blob, name = clip.blob, clip.blob.storage_name
        Blob.objects.update(created_at=timezone.now() - timedelta(days=3))
        self.assertEqual((collect().sounds, self.names()), (0, {name}))
        clip.delete()
        # On another machine it is taken in again, just before this one lets it go.
        taken = objects.alone

        @contextlib.contextmanager
        def meanwhile(digest):
            Clip.objects.create(song=self.song, name="again", blob=blob, status="done")
            with taken(digest):
                yield

        with mock.patch.object(objects, "alone", meanwhile):
            collect()
        again = Clip.objects.get()
        self.assertEqual((self.names(), self.read(again)), ({name}, SOUND))
        again.delete()
        self.assertEqual((collect(dry_run=True).sounds, self.names()), (1, {name}))
        collect()
        self.assertEqual((self.names(), Blob.objects.count()), (set(), 0))
        self.assertEqual(list((self.folder / "a" / "audio").glob("*/*")), [])

    def test_what_killed_workers_left_in_the_store_goes_after_a_day(self):
        clip = self.brought()
        upload = self.begin()
        self.piece(upload, 0, 100)
        self.bucket.Object("ab/" + "ab" * 32).put(Body=b"left")
        self.bucket.Object(f"uploads/gone.part/{0:015d}").put(Body=b"left")
        self.assertEqual(collect().files, 0)
        with mock.patch("server.thread.collect._YOUNG", timedelta(seconds=-5)):
            self.assertEqual(collect().files, 2)
        self.assertEqual(
            self.names(), {clip.blob.storage_name, f"uploads/{upload}.part/{0:015d}"}
        )  # fmt: skip

    def test_a_machine_keeps_what_it_read_last_as_far_as_there_is_room(self):
        sounds = [wav_bytes(noise(0.1, seed=n)) for n in range(4)]
        blobs = []
        for n, sound in enumerate(sounds):
            path = store.scratch_folder() / f"{n}"
            path.write_bytes(sound)
            blobs.append(store.adopt(path))
        self.at("b")
        for n, blob in enumerate(blobs):
            path = store.path_of(blob)
            os.utime(path, (1e9 + n, 1e9 + n))
        # Read once more: the oldest is the youngest now.
        store.path_of(blobs[0])
        with override_settings(OBJECTS_KEPT_BYTES=2 * len(sounds[0]) + 10):
            self.assertEqual(objects.TRIM.all(), 2)
        left = {p.name for p in (self.folder / "b" / "audio").glob("*/*")}
        self.assertEqual(left, {blobs[0].digest, blobs[3].digest})
        self.assertEqual([store.path_of(b).read_bytes() for b in blobs], sounds)

    def test_an_audio_folder_that_was_alone_until_now_is_put_into_the_store(self):
        clip = self.brought()
        self.bucket.objects.all().delete()
        said = io.StringIO()
        call_command("fill_objects", stdout=said)
        self.assertIn("1 sounds are in the store, 0 are nowhere", said.getvalue())
        self.at("b")
        self.assertEqual(self.read(clip), SOUND)
        # What is neither here nor there is said, not passed over.
        Blob.objects.create(digest="e" * 64, size_bytes=4)
        with self.assertRaisesRegex(CommandError, "neither here nor in the store"):
            call_command("fill_objects", stdout=io.StringIO())
        self.away()
        with self.assertRaisesRegex(CommandError, "no object store"):
            call_command("fill_objects")
