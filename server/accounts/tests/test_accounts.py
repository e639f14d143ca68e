"""Signing up, in and out, throttling, passwords, and the private copy of the demo."""

from io import StringIO
from unittest import mock

from axes.utils import reset
from django.core.management import CommandError, call_command
from django.test import Client, override_settings

from server.accounts.models import User
from server.clips.models import Clip
from server.songs.models import Song
from server.songs.queries import DEMO_OWNER
from server.testing import ApiCase, clip_in, noise, song_for, wav_bytes

GOOD = "a long harbour 7"


class Accounts(ApiCase):
    def setUp(self):
        super().setUp()
        self.client = Client()

    def test_sign_up_sign_out_sign_in(self):
        status, session = self.call("post", "/accounts", {"name": "bea", "password": GOOD})
        self.assertEqual((status, session["name"]), (200, "bea"))
        self.assertEqual(self.call("delete", "/session")[1]["name"], None)
        self.refused(
            "post", "/session", {"name": "bea", "password": "wrong"}, 401, "do not fit together"
        )
        self.assertEqual(
            self.call("post", "/session", {"name": "bea", "password": GOOD})[1]["name"], "bea"
        )

    def test_bad_names_and_passwords_get_a_sentence(self):
        for name, password, words in [
            ("ADA", GOOD, "is taken"),
            ("bea bee", GOOD, "letters, digits"),
            ("guest-7", GOOD, "kept for the demo"),
            ("bea", "short", "too short"),
            ("bea", "1234567890", "common"),
        ]:
            with self.subTest(name=name, password=password):
                self.refused("post", "/accounts", {"name": name, "password": password}, 422, words)
        self.assertFalse(User.objects.filter(username="bea").exists())

    @override_settings(AXES_ENABLED=True)
    def test_guessing_is_throttled_and_the_right_password_waits_too(self):
        reset()
        for _ in range(5):
            status, _ = self.call("post", "/session", {"name": "ada", "password": "no"})
        self.assertEqual(status, 429)
        self.refused(
            "post", "/session", {"name": "ada", "password": "long enough 1"}, 429, "15 minutes"
        )
        call_command_with("new password 99", "reset_password", "ada")
        status, session = self.call(
            "post", "/session", {"name": "ada", "password": "new password 99"}
        )
        self.assertEqual((status, session["name"]), (200, "ada"))

    def test_changing_the_password_asks_for_the_old_one(self):
        self.client.force_login(self.user)
        body = {"old_password": "nope", "new_password": GOOD}
        self.refused("post", "/password", body, 422, "old password")
        body["old_password"] = "long enough 1"
        self.assertEqual(self.call("post", "/password", body)[0], 200)
        self.user.refresh_from_db()
        self.assertTrue(self.user.check_password(GOOD))
        self.assertEqual(self.call("get", "/songs")[0], 200)

    def test_an_unknown_name_cannot_get_a_new_password(self):
        with self.assertRaisesRegex(CommandError, "no account"):
            call_command("reset_password", "nobody")


def call_command_with(typed: str, *words: str) -> None:
    with mock.patch("sys.stdin", StringIO(typed + "\n")):
        call_command(*words, stdout=StringIO())


class Demo(ApiCase):
    def setUp(self):
        super().setUp()
        self.client = Client()

    def demo_original(self) -> Song:
        keeper = User.objects.create(username=DEMO_OWNER, is_active=False)
        song = song_for(keeper, "Paper Lighthouse")
        song.is_demo_original = True
        song.save()
        clip_in(song, wav_bytes(noise(0.2)))
        return song

    def test_without_demo_data_it_says_so(self):
        self.refused("post", "/demo", None, 404, "without demo data")

    def test_each_guest_gets_a_copy_of_their_own_that_can_be_kept(self):
        original = self.demo_original()
        self.assertTrue(self.call("post", "/demo")[1]["is_guest"])
        song = self.call("get", "/songs")[1][0]
        self.assertNotEqual(song["id"], str(original.pk))
        change = {"base_revision": 1, "changes": {"title": "Ours now"}}
        self.assertEqual(self.call("patch", f"/songs/{song['id']}", change)[0], 200)
        clips = self.call("get", f"/songs/{song['id']}/clips")[1]
        self.assertEqual([c["status"] for c in clips], ["done"])
        self.assertEqual(Clip.objects.values("blob").distinct().count(), 1)

        self.client, mine = Client(), self.client
        self.call("post", "/demo")
        self.assertEqual(self.call("get", "/songs")[1][0]["title"], "Paper Lighthouse")

        self.client = mine
        session = self.call("post", "/accounts", {"name": "bea", "password": GOOD})[1]
        self.assertEqual((session["name"], session["is_guest"]), ("bea", False))
        self.assertEqual(self.call("get", "/songs")[1][0]["title"], "Ours now")
