"""Answers past the API's own: unknown paths, too large, broken; whose address it is; how it is going."""

import json
from datetime import timedelta
from unittest import mock

from django.db import connection
from django.test import Client, RequestFactory, SimpleTestCase, override_settings
from django.utils import timezone

from server.config.address import client_address
from server.testing import ApiCase, clip_in, noise, wav_bytes


class Answers(ApiCase):
    def test_every_error_of_an_api_path_is_a_problem_in_json(self):
        big = "x" * (25 << 20)
        for said, answer, status in (
            ("an unknown path", self.client.get("/api/v1/nowhere"), 404),
            ("an unknown version", self.client.get("/api/v9/songs"), 404),
            ("a method that it has not", self.client.patch("/api/v1/songs"), 405),
            ("no id", self.client.get("/api/v1/songs/xyz"), 404),
            ("too large", self.client.post("/api/v1/songs", big, content_type="application/json"), 413),
            ("no JSON", self.client.post("/api/v1/songs", "{", content_type="application/json"), 400),
        ):  # fmt: skip
            with self.subTest(said):
                self.assertEqual(answer.status_code, status, answer.content[:200])
                self.assertIn("json", answer.headers["Content-Type"])
                told = answer.json()
                self.assertEqual(told["status"], status)
                self.assertTrue(told["detail"].endswith("."), told)
        self.assertIn("GET", self.client.patch("/api/v1/songs").headers["Allow"])

    def test_what_breaks_inside_says_nothing_of_the_inside(self):
        client = Client(raise_request_exception=False)
        client.force_login(self.user)
        with mock.patch("server.songs.api.songs_of", side_effect=KeyError("secret")), self.assertLogs("django.request"):  # fmt: skip
            answer = client.get("/api/v1/songs")
        self.assertEqual(answer.status_code, 500)
        self.assertIn("Something went wrong inside", answer.json()["detail"])
        self.assertNotIn("secret", answer.content.decode())

    def test_nobody_between_keeps_what_is_private(self):
        clip = clip_in(self.song, wav_bytes(noise(0.1)))
        self.assertEqual(self.client.get("/api/v1/songs").headers["Cache-Control"], "no-store")
        for path in (f"/songs/{self.song.pk}/log.csv", f"/songs/{self.song.pk}/tempo-map.mid", f"/clips/{clip.pk}"):  # fmt: skip
            kept = self.client.get(f"/api/v1{path}").headers["Cache-Control"]
            self.assertRegex(kept, "no-store|private")

    def test_how_it_is_going_is_said_on_this_machine_only(self):
        with connection.cursor() as cursor:
            cursor.execute("DELETE FROM procrastinate_jobs")
        body = self.client.get("/health.json").json()
        self.assertEqual((body["queued"], body["oldest_job_s"], body["well"]), (0, None, True))
        clip = clip_in(self.song, wav_bytes(noise(0.1)))
        from server.clips.tasks import decode_clip

        decode_clip.defer(clip_id=str(clip.pk))
        with connection.cursor() as cursor:
            past = timezone.now() - timedelta(seconds=90)
            cursor.execute("UPDATE procrastinate_events SET at = %s", [past])
        body = self.client.get("/health.json").json()
        self.assertEqual(body["queued"], 1)
        self.assertAlmostEqual(body["oldest_job_s"], 90, delta=5)
        self.assertNotIn(str(clip.pk), json.dumps(body))
        with mock.patch("server.config.page.LEAST_FREE", 10**18):
            self.assertEqual(self.client.get("/health.json").status_code, 503)
        self.assertEqual(
            self.client.get("/health.json", REMOTE_ADDR="203.0.113.7").status_code, 404
        )


class Addresses(SimpleTestCase):
    def at(self, remote: str, forwarded: str = "") -> str:
        more = {"HTTP_X_FORWARDED_FOR": forwarded} if forwarded else {}
        return client_address(RequestFactory().get("/", REMOTE_ADDR=remote, **more))

    def test_only_what_a_trusted_proxy_says_counts(self):
        self.assertEqual(self.at("203.0.113.7", "198.51.100.9"), "203.0.113.7")
        with override_settings(TRUSTED_PROXIES=["10.0.0.0/8"]):
            self.assertEqual(self.at("10.0.0.2", "198.51.100.9"), "198.51.100.9")
            # Two proxies of ours; what somebody wrote in front is not read.
            self.assertEqual(self.at("10.0.0.2", "1.2.3.4, 198.51.100.9, 10.0.0.3"), "198.51.100.9")
            self.assertEqual(self.at("203.0.113.7", "198.51.100.9"), "203.0.113.7")
            self.assertEqual(self.at("10.0.0.2", "nonsense"), "10.0.0.2")
            self.assertEqual(self.at("10.0.0.2"), "10.0.0.2")
