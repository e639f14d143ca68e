"""A render as a file for other programs: made once, right to the sample, stopped, collected, nobody else's."""

import io
from datetime import timedelta
from unittest import mock

import numpy as np
import soundfile
from django.test import TransactionTestCase
from django.utils import timezone

from core.render.export import export_file
from server.clips.models import Blob
from server.clips.store import path_of
from server.jobs.orphans import take_up
from server.renders import exports
from server.renders.models import Export, Render
from server.renders.tasks import run_export
from server.renders.tests.test_renders import RenderCase
from server.rigs.services import create_rig
from server.testing import RATE, clip_in, noise, person, song_for, together, wav_bytes
from server.thread.collect import collect

FULL = "server.config.disk.shutil.disk_usage"


class Exports(RenderCase):
    def made(self, render: dict, **form) -> dict:
        status, export = self.call("post", f"/renders/{render['id']}/exports", form)
        self.assertEqual(
            (status, export["status"], export["size_bytes"]), (200, "queued", None), export
        )
        run_export(export_id=export["id"])
        return self.call("get", f"/exports/{export['id']}")[1]

    def sound(self, export: dict) -> tuple[np.ndarray, soundfile._SoundFileInfo]:
        answer = self.client.get(f"/api/v1/exports/{export['id']}/file")
        data = b"".join(answer.streaming_content)
        self.assertEqual(len(data), export["size_bytes"])
        self.assertIn(export["name"], answer["Content-Disposition"])
        return soundfile.read(io.BytesIO(data))[0], soundfile.info(io.BytesIO(data))

    def test_it_is_the_sound_of_the_render_in_the_form_that_was_asked_for(self):
        render = self.done(start_s=0.25, length_s=0.5)
        # By hand: the clip from 0.25 s on, 6 dB down, and silence while nothing rings any more.
        dry = noise(1.0, channels=1)[round(0.25 * RATE) : round(0.75 * RATE), 0] * 10 ** (-6 / 20)
        end = 0.25 + render["report"]["seconds"]
        for form, word, kind, steps in (
            ("flac", "16", ("FLAC", "PCM_16"), 2**15),
            ("wav", "24", ("WAV", "PCM_24"), 2**23),
            ("wav", "float", ("WAV", "FLOAT"), 2**23),
        ):
            export = self.made(render, form=form, word=word)
            self.assertEqual((export["status"], export["down_db"]), ("done", 0.0), export)
            self.assertEqual(export["name"], f"Tide Table, R A, take, 0.2 to {end:.1f} s.{form}")
            sound, told = self.sound(export)
            self.assertEqual((told.format, told.subtype, told.samplerate), (*kind, RATE))
            # Rounding and dither of one step each way: two steps at most.
            np.testing.assert_allclose(sound[: len(dry)], dry, atol=2.0 / steps)

    def test_what_would_clip_is_turned_down_by_as_much_and_floats_are_left(self):
        self.variant = self.rig("g: source > level (level 24 dB) > o: output")
        render = self.done()
        peak = float(np.abs(noise(1.0, channels=1)).max()) * 10 ** (24 / 20)
        self.assertGreater(peak, 1)
        export = self.made(render, form="wav", word="16")
        # The largest step below full scale, one more for the dither.
        self.assertAlmostEqual(export["down_db"], 20 * np.log10((1 - 2 / 2**15) / peak), places=4)
        self.assertLess(np.abs(self.sound(export)[0]).max(), 1.0)
        loud = self.made(render, form="wav", word="float")
        self.assertEqual(loud["down_db"], 0)
        self.assertAlmostEqual(float(np.abs(self.sound(loud)[0]).max()), peak, delta=1e-5)

    def test_the_same_is_made_once_and_another_form_is_another(self):
        render = self.done()
        path = f"/renders/{render['id']}/exports"
        first = self.made(render, form="wav", word="24")
        self.assertEqual(self.call("post", path, {"form": "wav", "word": "24"})[1], first)
        self.assertNotEqual(
            self.call("post", path, {"form": "wav", "word": "16"})[1]["id"], first["id"]
        )
        part = self.client.get(
            f"/api/v1/exports/{first['id']}/file", headers={"Range": "bytes=0-3"}
        )
        self.assertEqual((part.status_code, b"".join(part.streaming_content)), (206, b"RIFF"))

    def test_what_cannot_be_is_said_and_nothing_is_queued(self):
        waiting = self.ask()[1]
        self.refused("post", f"/renders/{waiting['id']}/exports", {}, 409, "not done yet")
        render = self.done()
        path = f"/renders/{render['id']}/exports"
        self.refused("post", path, {"form": "flac", "word": "float"}, 422, "whole numbers")
        self.refused("post", path, {"stems": True}, 409, "no such sound")
        self.assertEqual(self.call("post", path, {"form": "mp3"})[0], 422)
        with mock.patch(FULL, return_value=mock.Mock(free=0, total=1)):
            self.refused("post", path, {}, 507, "disk is too full")
        self.assertFalse(Export.objects.exists())
        export = self.call("post", path, {})[1]
        self.refused("get", f"/exports/{export['id']}/file", None, 409, "not made yet")

    def test_it_can_be_stopped_before_it_begins_and_in_the_middle(self):
        render = self.done()
        path = f"/renders/{render['id']}/exports"
        export = self.call("post", path, {})[1]
        self.assertEqual(
            self.call("post", f"/exports/{export['id']}/cancel")[1]["status"], "cancelled"
        )
        run_export(export_id=export["id"])
        again = self.call("post", path, {})[1]
        self.assertNotEqual(again["id"], export["id"])

        def stopped(*args, told):
            told(0.1)
            row = Export.objects.get(pk=again["id"])
            self.assertEqual((row.status, row.progress), ("running", 0.1))
            self.assertEqual(
                self.call("post", f"/exports/{again['id']}/cancel")[1]["status"], "running"
            )
            return export_file(*args, told=told)

        with (
            mock.patch.object(exports, "export_file", stopped),
            mock.patch("server.jobs.runner._REPORT_EVERY_S", 0),
        ):
            run_export(export_id=again["id"])
        self.assertEqual(self.call("get", f"/exports/{again['id']}")[1]["status"], "cancelled")
        self.assertIsNone(Export.objects.get(pk=again["id"]).blob)

    def test_one_whose_job_is_gone_is_taken_up_and_a_day_later_its_file_goes(self):
        render = self.done()
        export = self.call("post", f"/renders/{render['id']}/exports", {})[1]
        Export.objects.update(created_at=timezone.now() - timedelta(seconds=30))
        from procrastinate.contrib.django.models import ProcrastinateJob

        live = ProcrastinateJob.objects.filter(task_name="run_export")
        self.assertEqual((live.count(), take_up()), (1, 0))
        live.delete()
        self.assertEqual((take_up(), live.count()), (1, 1))
        run_export(export_id=export["id"])
        blob = Export.objects.get().blob
        self.assertEqual(collect().old_exports, 0)
        Export.objects.update(created_at=timezone.now() - timedelta(days=2))
        Blob.objects.update(created_at=timezone.now() - timedelta(days=2))
        done = collect()
        self.assertEqual((done.old_exports, done.sounds), (1, 1))
        self.assertFalse(path_of(blob).exists())
        # The render's own sound stays.
        self.assertEqual(self.call("get", f"/renders/{render['id']}/audio")[0], 200)


class PressedAtOnce(TransactionTestCase):
    def test_presses_at_the_same_moment_make_one_file(self):
        user = person()
        song = song_for(user)
        clip = clip_in(song, wav_bytes(noise(0.1)))
        variant = create_rig(song, "R", None, "g: source > o: output").variants.get()
        render = Render.objects.create(
            variant=variant, clip=clip, output="o", digest="x", document={}, blob=clip.blob, status="done"
        )  # fmt: skip
        asked = [lambda: exports.ask(user, render, "wav", "24", stems=False).pk] * 4
        told = together(*asked)
        self.assertEqual((Export.objects.count(), len(set(told))), (1, 1), told)
