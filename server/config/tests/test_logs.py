"""A line of the log is JSON and tells nothing that is private."""

import json
import logging
import sys
from unittest import TestCase

from core.errors import FonodromeError
from server.config.logs import JsonLines


class Lines(TestCase):
    def line(self, said: str, *given: object, fault: bool = False) -> dict:
        info = sys.exc_info() if fault else None
        record = logging.LogRecord("server.x", logging.ERROR, "x.py", 1, said, given, info)
        text = JsonLines().format(record)
        self.assertNotIn("\n", text)
        return json.loads(text)

    def test_what_is_private_is_left_out(self):
        for said, secret in (
            (
                "Internal Server Error: /api/v1/shared/Zm9ub2Ryb21l-secret_1/sheets/4",
                "Zm9ub2Ryb21l",
            ),
            ("Not Found: /api/v1/find?q=My+unreleased+song", "unreleased"),
            ("“Secret Demo.wav” holds a sample that is not a number", "Secret Demo"),
            ("Authorization: Bearer fono_abcdef123456", "fono_abcdef123456"),
            ("password='reeds and reeds'", "reeds and"),
        ):
            with self.subTest(said):
                found = self.line(said.replace("%", "%%"))
                self.assertNotIn(secret, json.dumps(found, ensure_ascii=False))
        # What only speaks of such things is told whole.
        plain = "Forbidden (CSRF cookie not set.): /api/v1/session"
        self.assertEqual(self.line(plain)["said"], plain)
        self.assertEqual(self.line("/api/v1/songs/%s", 7)["said"], "/api/v1/songs/7")

    def test_a_fault_keeps_its_way_and_loses_the_name(self):
        try:
            raise FonodromeError("“Lullaby for M.” cannot be read.")
        except FonodromeError:
            found = self.line("broke", fault=True)
        self.assertIn("test_logs.py", found["fault"])
        self.assertIn("FonodromeError", found["fault"])
        self.assertNotIn("Lullaby", found["fault"])
        self.assertEqual((found["level"], found["from"]), ("ERROR", "server.x"))
