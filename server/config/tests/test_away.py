"""A database that goes away under a request: a sentence and another try, and no other fault is taken for it."""

from django.db import DatabaseError, InterfaceError, connection, transaction
from django.test import Client, TransactionTestCase

from server.config.away import tells_of_lost_database
from server.jobs.tests.test_runner import cut_the_line
from server.songs.models import Song
from server.testing import QUARTERS, person, song_for


class Away(TransactionTestCase):
    def setUp(self):
        self.user = person()
        self.song = song_for(self.user)
        self.client = Client()
        self.client.force_login(self.user)

    def asks(self):
        new = {"title": "Once", "tempo_map": [QUARTERS]}
        what_if = {"kind": "time", "text": "1.2 ms"}
        json = "application/json"
        return (
            ("a page's list", 200, lambda: self.client.get("/api/v1/songs")),
            ("one that keeps", 200, lambda: self.client.post("/api/v1/songs", new, content_type=json)),
            ("a what-if", 200, lambda: self.client.post("/api/v1/compute/quantity", what_if, content_type=json)),
        )  # fmt: skip

    def test_it_is_said_and_the_next_try_is_answered(self):
        songs = Song.objects.count()
        for said, status, ask in self.asks():
            with self.subTest(said):
                cut_the_line()
                with self.assertLogs("server.config.problems", "ERROR"):
                    answer = ask()
                self.assertEqual(answer.status_code, 503, answer.content[:300])
                self.assertEqual(answer.headers["Content-Type"], "application/problem+json")
                told = answer.json()
                self.assertEqual(told["type"], "urn:fonodrome:database-away")
                self.assertIn("away for a moment", told["detail"])
                self.assertEqual(answer.headers["Retry-After"], "1")
                self.assertNotIn("terminat", answer.content.decode())
                # As between two requests of a server.
                connection.close()
                self.assertEqual(ask().status_code, status, said)
        self.assertEqual(Song.objects.count(), songs + 1)

    def fault(self, *statements: str) -> BaseException:
        with (
            self.assertRaises(DatabaseError) as raised,
            transaction.atomic(),
            connection.cursor() as cursor,
        ):
            for one in statements:
                cursor.execute(one)
        return raised.exception

    def test_only_what_is_away_is_told_as_away(self):
        for statements in (
            ("SET LOCAL statement_timeout = 10", "SELECT pg_sleep(5)"),
            ("SELECT 1 / 0",),
            ("SELECT nothing FROM nowhere",),
            ("INSERT INTO songs_song SELECT * FROM songs_song",),
        ):
            self.assertFalse(tells_of_lost_database(self.fault(*statements)), statements)
        self.assertFalse(tells_of_lost_database(ValueError("connection")))
        for gone in ("08006", "57P01", "57P03", "53300"):
            raised = f"DO $$ BEGIN RAISE EXCEPTION 'gone' USING ERRCODE = '{gone}'; END $$"
            fault = self.fault(raised)
            self.assertTrue(tells_of_lost_database(fault), (gone, type(fault)))
        self.assertTrue(tells_of_lost_database(InterfaceError("the connection is closed")))

    def test_one_that_is_not_there_at_all(self):
        other = connection.copy()
        other.settings_dict = {**other.settings_dict, "PORT": "9"}
        with self.assertRaises(DatabaseError) as refused:
            other.ensure_connection()
        self.assertTrue(tells_of_lost_database(refused.exception))
