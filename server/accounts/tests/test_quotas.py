"""How much one person may keep and ask for; what is promised counts; whose turn it is."""

from datetime import timedelta
from unittest import mock

from django.core.cache import cache
from django.db import connection
from django.test import Client, RequestFactory, TransactionTestCase, override_settings
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from server.accounts.models import DemoOpened
from server.accounts.quotas import demo_allowed
from server.clips.models import Upload
from server.clips.services import begin_upload
from server.config.problems import Problem
from server.testing import ApiCase, clip_in, noise, person, song_for, together, wav_bytes
from server.verify.models import NullTest


class Quotas(ApiCase):
    def setUp(self):
        super().setUp()
        cache.clear()

    @override_settings(MOST_SONGS=2)
    def test_one_song_too_many_is_refused_by_every_way_to_one(self):
        song = song_for(self.user, "Second")
        body = {"title": "Third", "tempo_map": self.song.tempo_map}
        self.refused("post", "/songs", body, 409, "as many as are kept")
        self.refused("post", f"/songs/{song.pk}/duplicate", None, 409, "Delete one first")
        # What is put away makes room; others have a count of their own.
        self.call("delete", f"/songs/{song.pk}")
        self.assertEqual(self.call("post", "/songs", body)[0], 200)
        self.client.force_login(person("eve"))
        self.assertEqual(self.call("post", "/songs", body)[0], 200)

    def upload(self, size: int, status: int, words: str = "") -> None:
        body = {"name": "a.wav", "size_bytes": size}
        if status != 200:
            self.refused("post", f"/songs/{self.song.pk}/uploads", body, status, words)
        else:
            got, told = self.call("post", f"/songs/{self.song.pk}/uploads", body)
            self.assertEqual(got, 200, told)

    @override_settings(MOST_KEPT_BYTES=1_000_000)
    def test_what_is_kept_and_what_is_on_its_way_count_each_sound_once(self):
        data = wav_bytes(noise(0.5))
        clip_in(self.song, data)
        clip_in(self.song, data, "the same again.wav")
        left = 1_000_000 - len(data)
        self.upload(left + 1, 507, "kept here for one person")
        self.upload(left - 10, 200)
        self.upload(20, 507, "Delete clips")
        self.upload(10, 200)

    @override_settings(MOST_UPLOADS=2)
    def test_so_many_files_on_their_way_at_once(self):
        self.upload(10, 200)
        self.upload(10, 200)
        self.upload(10, 429, "on their way already")

    def test_room_that_was_promised_to_others_is_taken(self):
        other = person("eve")
        Upload.objects.create(owner=other, song=song_for(other), name="b", size_bytes=600, received_bytes=100)  # fmt: skip
        # 1,000 bytes are free: 500 of them are still to come from somebody else.
        with mock.patch("server.clips.store.room_for", lambda size: size <= 1000):
            self.upload(501, 507, "disk is too full")
            self.upload(500, 200)
            self.upload(1, 507, "disk is too full")

    @override_settings(MOST_JOBS=3)
    def test_so_many_things_made_at_once(self):
        clips = [clip_in(self.song, wav_bytes(noise(0.1, seed=n)), f"{n}.wav") for n in range(2)]
        body = {"clip_a": str(clips[0].pk), "clip_b": str(clips[1].pk)}
        path = f"/songs/{self.song.pk}/null-tests"
        for _ in range(3):
            self.assertEqual(self.call("post", path, body)[0], 200)
        self.refused("post", path, body, 429, "are being made for you already")
        self.assertEqual(NullTest.objects.count(), 3)

    def test_who_waits_for_many_gives_way_to_who_waits_for_few(self):
        with connection.cursor() as cursor:
            cursor.execute("DELETE FROM procrastinate_jobs")

        def ask(count: int) -> list[str]:
            song = self.song
            clips = [clip_in(song, wav_bytes(noise(0.1, seed=n)), f"{n}.wav") for n in range(2)]
            body = {"clip_a": str(clips[0].pk), "clip_b": str(clips[1].pk)}
            return [self.call("post", f"/songs/{song.pk}/null-tests", body)[1]["id"] for _ in range(count)]  # fmt: skip

        first = ask(3)
        self.user = person("eve")
        self.client.force_login(self.user)
        self.song = song_for(self.user)
        second = ask(2)
        jobs = ProcrastinateJob.objects.order_by("-priority", "id")
        order = [job.args["test_id"] for job in jobs]
        self.assertEqual(order, [first[0], second[0], first[1], second[1], first[2]])

    @override_settings(MOST_DEMOS_AN_HOUR=2)
    def test_studio_after_studio_from_one_address(self):
        def ask(address: str) -> int:
            return Client().post("/api/v1/demo", "{}", content_type="application/json", REMOTE_ADDR=address).status_code  # fmt: skip

        # There is no demo here: 404 is what somebody gets who may open one.
        self.assertEqual([ask("203.0.113.7") for _ in range(3)], [404, 404, 429])
        self.assertEqual(ask("198.51.100.9"), 404)
        self.assertEqual([ask("127.0.0.1") for _ in range(4)], [404] * 4)
        # Counted in the database, whichever process is asked; no address is kept.
        self.assertEqual(DemoOpened.objects.count(), 3)
        self.assertFalse(DemoOpened.objects.filter(mark__contains="203").exists())
        # An hour later it is open again, and what was counted is gone.
        DemoOpened.objects.update(at=timezone.now() - timedelta(minutes=61))
        self.assertEqual([ask("203.0.113.7") for _ in range(3)], [404, 404, 429])
        self.assertEqual(DemoOpened.objects.count(), 2)


class AtOnce(TransactionTestCase):
    @override_settings(MOST_DEMOS_AN_HOUR=2)
    def test_studios_opened_at_once_are_all_counted(self):
        request = RequestFactory().post("/api/v1/demo", REMOTE_ADDR="203.0.113.7")
        told = together(*[lambda: demo_allowed(request)] * 5)
        self.assertEqual(sum(isinstance(t, Problem) for t in told), 3, told)

    def test_two_uploads_at_once_do_not_get_the_same_room(self):
        user = person()
        song = song_for(user)
        with mock.patch("server.clips.store.room_for", lambda size: size <= 1000):
            told = together(*[lambda: begin_upload(user, song, "a.wav", 600)] * 4)
        self.assertEqual(sum(isinstance(t, Problem) for t in told), 3)
        self.assertEqual(Upload.objects.count(), 1)
