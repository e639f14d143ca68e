"""What is collected and what is not: each owner's things, by their age."""

import io
import os
import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.utils import timezone

from server.accounts.models import User
from server.clips.models import Blob, Clip
from server.clips.store import path_of, scratch_folder
from server.renders.models import Render
from server.rigs.services import create_rig
from server.shares.models import ShareLink
from server.songs.models import Song
from server.testing import ApiCase, clip_in, noise, song_for, wav_bytes
from server.thread.collect import collect, owners


def ago(**span) -> object:
    return timezone.now() - timedelta(**span)


class Collect(ApiCase):
    def setUp(self):
        super().setUp()
        self.clip = clip_in(self.song, wav_bytes(noise(0.1)))
        Blob.objects.update(created_at=ago(days=3))

    def guest(self, days: int) -> User:
        user = User.objects.create(
            username=f"guest-{days}", is_guest=True, last_login=ago(days=days)
        )
        User.objects.filter(pk=user.pk).update(date_joined=ago(days=days))
        song = song_for(user)
        Song.objects.filter(pk=song.pk).update(updated_at=ago(days=days))
        return user

    def test_guests_of_a_week_ago_go_and_those_at_work_stay(self):
        gone, young, busy = self.guest(8), self.guest(6), self.guest(20)
        Song.objects.filter(owner=busy).update(updated_at=ago(days=1))
        # Somebody who signed up is no guest, however long ago.
        User.objects.filter(pk=self.user.pk).update(date_joined=ago(days=900), last_login=None)
        self.assertEqual(collect().guests, 1)
        left = set(User.objects.values_list("pk", flat=True))
        self.assertEqual(left & {gone.pk, young.pk, busy.pk, self.user.pk}, {young.pk, busy.pk, self.user.pk})  # fmt: skip
        self.assertFalse(Song.objects.filter(owner=gone.pk).exists())

    def test_a_sound_goes_with_the_last_that_has_it_and_no_sooner(self):
        blob = self.clip.blob
        path = path_of(blob)
        again = Clip.objects.create(song=self.song, name="the same", blob=blob)
        self.clip.delete()
        self.assertEqual(collect().sounds, 0)
        self.assertTrue(path.exists())
        again.delete()
        # Counted first: nothing goes.
        counted = collect(dry_run=True)
        self.assertEqual((counted.sounds, path.exists()), (1, True))
        self.assertAlmostEqual(counted.megabytes, path.stat().st_size / 1e6, delta=0.06)
        self.assertEqual(collect().sounds, 1)
        self.assertEqual((path.exists(), Blob.objects.filter(pk=blob.pk).exists()), (False, False))

    def test_what_is_young_is_left_though_nobody_has_it_yet(self):
        self.clip.delete()
        Blob.objects.update(created_at=timezone.now())
        self.assertEqual(collect().sounds, 0)

    def test_every_sort_of_owner_keeps_a_sound(self):
        """Whoever points at a sound, by whatever field: taken from the models, so that none is forgotten."""
        names = {(model.__name__, name) for model, name in owners()}
        self.assertLessEqual(
            {("Clip", "blob"), ("Render", "blob"), ("Render", "stems"), ("Trial", "blob_a"), ("Trial", "blob_b"), ("NullTest", "rests"), ("NotePicture", "blob")},
            names,
        )  # fmt: skip
        rig = create_rig(self.song, "Two sends", "send-return", None)
        stems = clip_in(self.song, wav_bytes(noise(0.1, seed=9)), "stems.wav").blob
        Render.objects.create(variant=rig.variants.get(), clip=self.clip, output="main", digest="x", document={}, stems=stems)  # fmt: skip
        Clip.objects.filter(blob=stems).delete()
        Blob.objects.update(created_at=ago(days=3))
        self.assertEqual(collect().sounds, 0)

    def test_old_renders_go_but_the_newest_of_each_and_what_a_link_shows(self):
        rig = create_rig(self.song, "Two sends", "send-return", None)
        one = {"variant": rig.variants.get(), "clip": self.clip, "output": "main", "document": {}, "status": "done", "blob": self.clip.blob, "report": {}}  # fmt: skip
        renders = [Render.objects.create(digest=str(n), **one) for n in range(4)]
        for n, render in enumerate(renders):
            Render.objects.filter(pk=render.pk).update(created_at=ago(days=80 - 10 * n))
        link = ShareLink.objects.create(song=self.song, kind="song", expires_at=ago(days=-9))
        link.renders.add(renders[1])
        self.assertEqual(collect().old_renders, 2)
        left = set(Render.objects.values_list("digest", flat=True))
        self.assertEqual(left, {"1", "3"})

    def test_files_that_no_row_knows_and_what_killed_workers_left(self):
        audio, old = Path(settings.MEDIA_ROOT) / "zz", time.time() - 2 * 86_400
        audio.mkdir(parents=True, exist_ok=True)
        stray, fresh, left = audio / "stray", audio / "fresh", scratch_folder() / "tmp-left"
        left.mkdir()
        (left / "mix.wav").write_bytes(b"x" * 500_000)
        for path in (stray, fresh):
            path.write_bytes(b"y")
        for path in (stray, left):
            os.utime(path, (old, old))
        done = collect()
        self.assertEqual([p.exists() for p in (stray, fresh, left)], [False, True, False])
        self.assertGreaterEqual(done.files, 2)
        fresh.unlink()

    def test_the_command_counts_and_says_so(self):
        out = io.StringIO()
        call_command("collect", "--dry-run", stdout=out)
        self.assertIn("Would go:", out.getvalue())
        self.assertRegex(out.getvalue(), r"guests +\d")
        out = io.StringIO()
        call_command("collect", stdout=out)
        self.assertIn("Gone:", out.getvalue())
