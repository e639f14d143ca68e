"""Bringing files in: in pieces, interrupted, hostile, broken."""

import io
import struct

import numpy as np
import soundfile
from django.test import override_settings

from server.clips.models import Blob, Clip
from server.clips.services import plain_name
from server.clips.store import path_of, upload_path
from server.clips.tasks import decode_clip
from server.testing import RATE, ApiCase, clip_in, noise, wav_bytes


class Uploads(ApiCase):
    def begin(self, data: bytes, name: str = "take.wav"):
        body = {"name": name, "size_bytes": len(data)}
        return self.call("post", f"/songs/{self.song.pk}/uploads", body)[1]

    def piece(self, upload, offset: int, data: bytes):
        answer = self.client.put(
            f"/api/v1/uploads/{upload['id']}?offset={offset}",
            data,
            content_type="application/octet-stream",
        )
        return answer.status_code, answer.json()

    def bring_in(self, data: bytes, name: str) -> Clip:
        upload = self.begin(data, name)
        self.assertEqual(self.piece(upload, 0, data)[0], 200)
        clip = self.call("post", f"/uploads/{upload['id']}/finish")[1]
        decode_clip(clip_id=clip["id"])
        return Clip.objects.get(pk=clip["id"])

    def test_a_clip_says_its_channel_layout(self):
        for channels, said in (
            (1, "mono"),
            (2, "stereo"),
            (6, "5.1 (L R C LFE Ls Rs)"),
            (7, "7 channels"),
        ):
            clip = self.bring_in(wav_bytes(noise(0.2, channels=channels)), f"{channels}.wav")
            self.assertEqual(self.call("get", f"/clips/{clip.pk}")[1]["facts"]["layout"], said)
            # A report of before there were layouts.
            clip.report.pop("layout")
            clip.save()
            self.assertEqual(self.call("get", f"/clips/{clip.pk}")[1]["facts"]["layout"], said)

    def test_a_broken_line_costs_one_piece(self):
        data = wav_bytes(noise(1))
        upload = self.begin(data)
        half = len(data) // 2
        self.piece(upload, 0, data[:half])
        status, problem = self.piece(upload, half + 10, data[half + 10 :])
        self.assertEqual((status, problem["received_bytes"]), (409, half))
        self.refused("post", f"/uploads/{upload['id']}/finish", None, 409, "not arrived whole")
        self.assertEqual(self.piece(upload, half, data[half:])[1]["received_bytes"], len(data))
        clip = self.call("post", f"/uploads/{upload['id']}/finish")[1]
        decode_clip(clip_id=clip["id"])
        detail = self.call("get", f"/clips/{clip['id']}")[1]
        self.assertEqual((detail["status"], detail["facts"]["frames"]), ("done", RATE))
        self.assertEqual(len(detail["peaks_low"]), 2000)

    def test_a_given_up_upload_leaves_nothing(self):
        upload = self.begin(b"12345")
        self.piece(upload, 0, b"123")
        self.assertEqual(self.call("delete", f"/uploads/{upload['id']}")[0], 204)
        self.assertFalse(upload_path(f"{upload['id']}.part").exists())

    def test_sizes_that_cannot_be(self):
        path = f"/songs/{self.song.pk}/uploads"
        self.refused("post", path, {"name": "a.wav", "size_bytes": 0}, 422, "0 bytes")
        self.refused("post", path, {"name": "a.wav", "size_bytes": 5 * 1024**3}, 413, "GB")
        upload = self.begin(b"123")
        self.assertEqual(self.piece(upload, 0, b"12345")[0], 422)

    @override_settings(LARGEST_UPLOAD_BYTES=1 << 60)
    def test_a_disk_too_full_for_it(self):
        body = {"name": "a.wav", "size_bytes": 1 << 55}
        self.refused("post", f"/songs/{self.song.pk}/uploads", body, 507, "disk is too full")

    def test_the_same_audio_is_stored_once(self):
        data = wav_bytes(noise(0.2, seed=9))
        first, second = self.bring_in(data, "one.wav"), self.bring_in(data, "two.wav")
        self.assertEqual(first.blob, second.blob)
        self.assertTrue(path_of(first.blob).exists())
        self.assertEqual(Blob.objects.count(), 1)

    def test_hostile_names_are_only_text(self):
        for given, kept in [
            ("../../etc/passwd", "passwd"),
            ("C:\\takes\\one.wav", "one.wav"),
            ("a\x00b\n\u202ec.wav", "abc.wav"),
            ("<img src=x>.wav", "<img src=x>.wav"),
            ("x" * 999 + ".wav", "x" * 200),
            ("///", "unnamed"),
        ]:
            self.assertEqual(plain_name(given), kept)

    def test_a_wrong_extension_does_not_matter(self):
        clip = self.bring_in(wav_bytes(noise(0.2), "PCM_16", "FLAC"), "really flac.wav")
        self.assertEqual((clip.status, clip.report["format"]), ("done", "FLAC"))

    def test_every_format_in(self):
        for format, subtype in [
            ("WAV", "PCM_16"),
            ("WAV", "FLOAT"),
            ("WAV", "DOUBLE"),
            ("RF64", "PCM_24"),
            ("FLAC", "PCM_24"),
            ("AIFF", "PCM_24"),
            ("OGG", "VORBIS"),
        ]:
            with self.subTest(format=format, subtype=subtype):
                clip = self.bring_in(wav_bytes(noise(0.3), subtype, format), f"x.{format}")
                self.assertEqual(clip.status, "done", clip.problem)
                self.assertAlmostEqual(clip.report["seconds"], 0.3)

    def test_files_that_cannot_be_used_say_why(self):
        bad_float = noise(0.2)
        bad_float[4800, 1] = np.nan
        endless = io.BytesIO()
        soundfile.write(endless, np.zeros((0, 2)), RATE, format="WAV")
        for name, data, words in [
            ("letter.wav", b"Dear engineer, " * 50, "is not audio"),
            ("nan.wav", wav_bytes(bad_float, "FLOAT"), "not a number, at 0:00.1 (sample 4"),
            ("inf.wav", wav_bytes(np.full((480, 1), np.inf), "FLOAT"), "not a number"),
            ("none.wav", endless.getvalue(), "0 samples"),
            ("nine.wav", wav_bytes(noise(0.1, channels=9)), "has 9 channels"),
            ("fast.wav", self.at_rate(384_000), "up to 192 kHz"),
            ("long.wav", self.promising(3601), "up to 60 minutes"),
        ]:
            with self.subTest(name):
                clip = self.bring_in(data, name)
                self.assertEqual(clip.status, "failed")
                self.assertIn(words, clip.problem)
                self.assertIn(name, clip.problem)

    def at_rate(self, rate: int) -> bytes:
        out = io.BytesIO()
        soundfile.write(out, noise(0.1), rate, format="WAV")
        return out.getvalue()

    def promising(self, seconds: int) -> bytes:
        """A WAV whose header promises so many seconds and holds a tenth of one."""
        data = bytearray(wav_bytes(noise(0.1), "PCM_16"))
        place = data.index(b"data") + 4
        data[place : place + 4] = struct.pack("<I", seconds * RATE * 4)
        return bytes(data)

    def test_a_file_that_stops_early_can_be_used_as_far_as_it_goes(self):
        for format in ("WAV", "AIFF", "FLAC"):
            with self.subTest(format):
                data = wav_bytes(noise(4), "PCM_16", format)
                clip = self.bring_in(data[: len(data) // 2], f"cut.{format}")
                self.assertEqual(clip.status, "failed")
                self.assertRegex(clip.problem, r"stops at 0:0[12]\.\d: the file says 0:04.0")
                self.assertTrue(1.5 < clip.usable_seconds <= 2.0)
                self.assertEqual(self.call("post", f"/clips/{clip.pk}/accept")[0], 200)
                decode_clip(clip_id=str(clip.pk))
                clip.refresh_from_db()
                self.assertEqual(clip.status, "done", clip.problem)
                self.assertLess(clip.report["seconds"], 2.01)

    def test_one_frame_and_silence_are_clips(self):
        one = self.bring_in(wav_bytes(noise(1)[:1]), "one frame.wav")
        self.assertEqual((one.status, one.report["frames"]), ("done", 1))
        silent = self.bring_in(wav_bytes(np.zeros((480, 2))), "silent.wav")
        self.assertTrue(silent.report["silent"])
        self.assertIsNone(silent.report["peak_dbfs"])

    def test_rename_put_away_and_back(self):
        clip = clip_in(self.song, wav_bytes(noise(0.1)))
        self.assertEqual(
            self.call("patch", f"/clips/{clip.pk}", {"name": "a/b.wav"})[1]["name"], "a/b.wav"
        )
        self.call("delete", f"/clips/{clip.pk}")
        self.assertEqual(self.call("get", f"/songs/{self.song.pk}/clips")[1], [])
        self.assertEqual(self.call("post", f"/clips/{clip.pk}/restore")[0], 200)
        self.assertEqual(len(self.call("get", f"/songs/{self.song.pk}/clips")[1]), 1)
