"""Walls of the what-if questions: who may ask, how long a question may be, and how much at once."""

import json
from unittest import mock

from django.test import Client, SimpleTestCase, TestCase, override_settings

from core.routing import RigError, parse_rig, refuse_wide
from server.config import lean
from server.config.lean import COOKIE, Purses
from server.testing import QUARTERS, person
from server.tokens.services import make_token

ASK = {"kind": "time", "text": "1.2 ms"}
PATH = "/api/v1/compute/quantity"


class Walls(TestCase):
    def setUp(self):
        self.user = person()
        self.client = Client()
        self.client.force_login(self.user)

    def ask(self, client: Client | None = None, body=None, path=PATH, **more):
        text = body if isinstance(body, (str, bytes)) else json.dumps(ASK if body is None else body)
        options = {"content_type": "application/json", **more}
        return (client or self.client).post(path, text, **options)

    def refused(self, answer, status: int, words: str) -> None:
        self.assertEqual(answer.status_code, status, answer.content)
        self.assertEqual(answer.headers["Content-Type"], "application/problem+json")
        self.assertIn(words, answer.json()["detail"])

    def test_nobody_asks_and_who_is_signed_in_gets_a_ticket_for_this_path_alone(self):
        self.refused(self.ask(Client()), 401, "Sign in")
        answer = self.ask()
        self.assertEqual(answer.status_code, 200)
        ticket = answer.cookies[COOKIE]
        self.assertEqual(
            (ticket["path"], ticket["samesite"], bool(ticket["httponly"])),
            ("/api/v1/compute/", "Strict", True),
        )
        # With it nothing is looked up any more, and no other is given.
        with self.assertNumQueries(0):
            again = self.ask()
        self.assertEqual((again.status_code, COOKIE in again.cookies), (200, False))

    def test_a_ticket_is_worth_nothing_without_its_session_or_when_it_is_changed(self):
        self.ask()
        ticket = self.client.cookies[COOKIE].value
        alone = Client()
        alone.cookies[COOKIE] = ticket
        self.refused(self.ask(alone), 401, "Sign in")
        other = Client()
        other.force_login(person("eve"))
        other.cookies[COOKIE] = ticket
        # Looked up anew: it is eve who asks, with a ticket of her own.
        self.assertNotEqual(self.ask(other).cookies[COOKIE].value, ticket)
        self.client.cookies[COOKIE] = ticket[:-2] + "xx"
        self.assertIn(COOKIE, self.ask().cookies)
        # Signed out it is of a session that is no more.
        self.client.logout()
        self.client.cookies[COOKIE] = ticket
        self.refused(self.ask(), 401, "Sign in")

    def test_a_script_asks_by_its_token(self):
        token = make_token(self.user, "x", ["read"], 1)[1]
        bearer = {"HTTP_AUTHORIZATION": f"Bearer {token}"}
        self.assertEqual(self.ask(Client(), **bearer).status_code, 200)
        wrong = {"HTTP_AUTHORIZATION": f"Bearer {token}x"}
        self.refused(self.ask(Client(), **wrong), 401, "token is not known")

    def test_what_a_foreign_page_can_send_is_refused(self):
        for kind in ("text/plain", "application/x-www-form-urlencoded", "multipart/form-data; boundary=a"):  # fmt: skip
            self.refused(self.ask(content_type=kind), 415, "JSON")
        self.refused(self.client.get(PATH), 405, "by POST")
        with override_settings(ALLOWED_HOSTS=["studio.example"]):
            self.refused(self.ask(HTTP_HOST="evil.example"), 400, "not one of this server")
        self.refused(self.ask(path="/api/v1/compute/nowhere"), 404, "not here")

    def test_a_question_is_of_a_bounded_length(self):
        long = json.dumps({**ASK, "text": "1" * (1 << 20)})
        self.refused(self.ask(body=long), 413, "at most 1 MB")
        self.refused(self.ask(body=long, path="/api/v1/compute/read-midi"), 422, "")
        more = "x" * ((2 << 20) + 1)
        self.refused(self.ask(body=more, path="/api/v1/compute/read-midi"), 413, "at most 2 MB")
        self.refused(self.ask(CONTENT_LENGTH=""), 411, "how long")
        self.refused(self.ask(CONTENT_LENGTH="-5"), 411, "how long")

    def test_of_a_thousand_wrong_things_ten_are_said(self):
        taps = {"taps_ms": ["x"] * 500}
        answer = self.ask(body=taps, path="/api/v1/compute/tap-tempo")
        self.assertEqual(answer.status_code, 422)
        self.assertLessEqual(len(answer.json()["fields"]), 10)
        self.assertLess(len(answer.content), 4000)
        long = self.ask(body={"taps_ms": "y" * 900_000}, path="/api/v1/compute/tap-tempo")
        self.assertLess(len(long.content), 4000)

    def test_who_takes_too_much_waits_and_is_told_how_long(self):
        clock = mock.Mock(return_value=1000.0)
        with (
            mock.patch.object(lean, "PURSES", Purses(0.5, 2.0)),
            mock.patch.object(lean.time, "monotonic", clock),
            mock.patch.object(lean.time, "thread_time", side_effect=[0.0, 5.0, 5.0, 5.1]),
        ):
            self.assertEqual(self.ask().status_code, 200)
            # Five seconds of a purse of two: three short, filled again at half a second a second.
            answer = self.ask()
            self.refused(answer, 429, "Wait 6 s")
            self.assertEqual(answer.headers["Retry-After"], "6")
            clock.return_value += 6.5
            self.assertEqual(self.ask().status_code, 200)

    def test_more_boards_than_anybody_wires_are_refused_before_they_are_worked_out(self):
        wide = (
            "m: merge > s: split\n"
            + "\n".join(f"i{n}: source > m" for n in range(25))
            + "\n"
            + "\n".join(f"s > o{n}: output" for n in range(13))
        )
        rig = parse_rig(wide)
        with self.assertRaisesRegex(
            RigError, "325 arrivals boards are made by 25 sources into 13 outputs"
        ):
            refuse_wide(rig)
        # One that was as wide already can be mended step by step.
        less = parse_rig(wide.replace("s > o12: output", "s > o11"))
        self.assertEqual(refuse_wide(less, rig), less)
        made = {"name": "Wide", "notation": wide}
        song = self.client.post("/api/v1/songs", json.dumps({"title": "x", "tempo_map": [QUARTERS]}), content_type="application/json").json()  # fmt: skip
        self.refused(self.ask(body=made, path=f"/api/v1/songs/{song['id']}/rigs"), 422, "up to 300")
        ask = {"document": rig.model_dump(mode="json")}
        self.refused(self.ask(body=ask, path="/api/v1/compute/rig-view"), 422, "up to 300")


class PurseOverTime(SimpleTestCase):
    def test_it_fills_up_and_no_further_and_each_asker_has_one(self):
        purses = Purses(1.0, 10.0)
        purses.take("a", 14.0, 0.0)
        self.assertEqual([purses.wait_s("a", t) for t in (0.0, 3.0, 4.5)], [4.0, 1.0, 0.0])
        self.assertEqual(purses.wait_s("b", 0.0), 0.0)
        purses.take("a", 10.5, 1000.0)
        self.assertAlmostEqual(purses.wait_s("a", 1000.0), 0.5)

    def test_askers_that_came_long_ago_are_forgotten(self):
        purses = Purses(1.0, 10.0)
        for n in range(2100):
            purses.take(f"a{n}", 1.0, float(n))
        self.assertLess(len(purses._held), 2020)
        self.assertIn("a2099", purses._held)
