"""Names that are none, that look like another's, and tries that are counted where they come from."""

import json

from django.test import Client, SimpleTestCase, override_settings

from server.accounts.models import User
from server.accounts.names import looks, plain_name, trouble_with
from server.accounts.services import MOST_BY_ADDRESS
from server.testing import ApiCase, person


class Names(SimpleTestCase):
    def test_what_is_taken_for_each_other_looks_the_same(self):
        for one, other in (("ada", "ADA"), ("ada", "аda"), ("paco", "расо"), ("ace", "асе"), ("b0b", "bob"), ("ａｄａ", "ada")):  # fmt: skip
            self.assertEqual(looks(one), looks(other), (one, other))
        for one, other in (("ada", "adä"), ("ali", "all"), ("ada.b", "adab")):
            self.assertNotEqual(looks(one), looks(other), (one, other))

    def test_what_is_no_name_and_why(self):
        for name, words in (("..", "at least one letter"), ("-", "at least one letter"), ("a b", "without spaces"), ("a\x00b", "without spaces"), ("a\u202eb", "without spaces"), ("аda", "one script")):  # fmt: skip
            self.assertIn(words, trouble_with(name), name)
        for name in ("ada", "Žofie", "анна", "ada@home", "7th_string", "小林"):
            self.assertEqual(trouble_with(name), "", name)
        self.assertEqual(plain_name(" ａｄａ "), "ada")


class Accounts(ApiCase):
    PASSWORD = "long enough 11 x"

    def sent(self, method: str, path: str, body: dict, address: str = "203.0.113.7", client=None):
        answer = getattr(client or Client(), method)(
            f"/api/v1{path}", json.dumps(body), content_type="application/json", REMOTE_ADDR=address
        )
        return answer.status_code, answer.json().get("detail", "")

    def test_a_name_that_looks_like_one_that_is_taken_is_refused(self):
        for name in ("ada", "ADA", "ａｄａ"):
            status, said = self.sent("post", "/accounts", {"name": name, "password": self.PASSWORD})
            self.assertEqual(status, 422)
            self.assertIn("looks like one that is", said)
        status, said = self.sent("post", "/accounts", {"name": "аdа", "password": self.PASSWORD})
        self.assertIn("one script", said)
        self.assertEqual(self.sent("post", "/accounts", {"name": "bea", "password": self.PASSWORD})[0], 200)  # fmt: skip
        self.assertEqual(User.objects.get(username="bea").looks, "bea")

    @override_settings(AXES_ENABLED=True)
    def test_who_guesses_is_slowed_where_he_is_and_the_owner_elsewhere_is_not(self):
        owner = person("bea")
        right, wrong = ({"name": "bea", "password": p} for p in ("long enough 1", "guess it 123"))
        told = [self.sent("post", "/session", wrong)[0] for _ in range(6)]
        self.assertEqual(told[0], 401)
        self.assertEqual(told[-1], 429)
        self.assertEqual(self.sent("post", "/session", right)[0], 429)
        self.assertEqual(self.sent("post", "/session", right, "198.51.100.9")[0], 200)
        self.assertTrue(User.objects.get(pk=owner.pk).is_active)

    @override_settings(AXES_ENABLED=True)
    def test_many_names_from_one_address_are_slowed_as_well(self):
        told = [
            self.sent("post", "/session", {"name": f"name{n}", "password": "guess it 123"})[0]
            for n in range(MOST_BY_ADDRESS + 1)
        ]
        self.assertEqual(set(told[:-1]), {401})
        self.assertEqual(told[-1], 429)
        person("bea")
        right = {"name": "bea", "password": "long enough 1"}
        self.assertEqual(self.sent("post", "/session", right)[0], 429)
        self.assertEqual(self.sent("post", "/session", right, "198.51.100.9")[0], 200)

    @override_settings(AXES_ENABLED=True)
    def test_changing_the_password_is_counted_too(self):
        body = {"old_password": "guess it 123", "new_password": "another long 12"}
        told = [self.sent("post", "/password", body, client=self.client) for _ in range(6)]
        self.assertEqual(told[0], (422, "The old password is not right."))
        self.assertEqual(told[-1][0], 429)
