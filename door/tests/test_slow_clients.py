"""Who sends slowly, or nothing, is waited for by the front: nobody else waits. And what the front says itself
has the shape that every problem has.
"""

import contextlib
import http.cookiejar
import io
import json
import os
import socket
import sys
import tempfile
import unittest
import urllib.error
import urllib.request
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from database import free_port
from serve import Running

HALF = (
    b"POST /api/v1/songs HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
    b'Content-Length: 400000\r\n\r\n{"title": "'
)


class SlowClients(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.enterClassContext(contextlib.redirect_stdout(io.StringIO()))
        held = tempfile.TemporaryDirectory(prefix="fonodrome-slow-")
        cls.addClassCleanup(held.cleanup)
        os.chmod(held.name, 0o755)
        cls.running = Running(Path(held.name) / "data", free_port(), demo=False)
        cls.addClassCleanup(cls.running.stop)
        cls.running.start()

    def opened(self, text: bytes) -> socket.socket:
        made = socket.create_connection(("127.0.0.1", self.running.port), timeout=30)
        self.addCleanup(made.close)
        made.sendall(text)
        return made

    def asked(self, path: str, body: bytes | None = None, **headers: str) -> tuple[int, bytes]:
        kind = {"Content-Type": "application/json"} if body else {}
        wanted = urllib.request.Request(self.running.url + path, body, {**kind, **headers})
        try:
            with urllib.request.urlopen(wanted, timeout=15) as answer:
                return answer.status, answer.read()
        except urllib.error.HTTPError as refused:
            return refused.code, refused.read()

    def test_idle_sockets_and_half_sent_requests_hold_nobody_up(self):
        """200 idle, 60 in the middle of their headers, 60 of their body: there are eight threads."""
        waiting = [self.opened(b"") for _ in range(200)]
        waiting += [self.opened(b"GET / HTTP/1.1\r\nHost: 127") for _ in range(60)]
        bodies = [self.opened(HALF) for _ in range(60)]
        for _ in range(20):
            self.assertEqual(self.asked("healthy"), (200, b"ok"))
            status, page = self.asked("")
            self.assertEqual(status, 200)
            self.assertIn(b"<html", page)
        # They are still there: one that goes on is answered (signed out: it may not).
        bodies[0].sendall(b"x" * (400_000 - len(b'{"title": "')))
        self.assertRegex(bodies[0].recv(64), rb"^HTTP/1.1 40[013]")
        self.assertEqual(len(waiting), 260)

    def test_too_much_at_once_is_a_problem_in_json_and_kept_nowhere(self):
        status, body = self.asked("api/v1/songs", b"0" * (33 << 20))
        self.assertEqual(status, 413)
        self.assertEqual(json.loads(body)["detail"], "This is more than one request may hold. Nothing was changed.")  # fmt: skip

    def test_a_part_of_any_download_can_be_asked_for(self):
        """Of what is made for the answer as well: the front cuts it."""
        jar = http.cookiejar.CookieJar()
        opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(jar))
        opener.open(self.running.url, timeout=15).read()
        token = next(c.value for c in jar if c.name == "csrftoken")
        body = json.dumps({"name": "oboist", "password": "reeds and more reeds 7"}).encode()
        headers = {"Content-Type": "application/json", "X-CSRFToken": token}
        made = urllib.request.Request(f"{self.running.url}api/v1/accounts", body, headers)
        self.assertEqual(opener.open(made, timeout=30).status, 200)
        address = f"{self.running.url}api/v1/bench/signals/delay.wav"
        with opener.open(address, timeout=30) as answer:
            whole = answer.read()
        self.assertEqual(whole[:4], b"RIFF")
        for asked, part in (("0-99", whole[:100]), ("50-", whole[50:]), ("-10", whole[-10:])):
            wanted = urllib.request.Request(address, headers={"Range": f"bytes={asked}"})
            with opener.open(wanted, timeout=30) as answer:
                self.assertEqual((answer.status, answer.read()), (206, part))

    def test_nobody_else_on_the_machine_reads_its_secret(self):
        self.assertEqual((self.running.data / "secret-key").stat().st_mode & 0o777, 0o600)
        # Nor is it told to the front, which is another user's.
        self.assertNotIn("FONODROME_SECRET_KEY", self.running.env)
        told = "".join(p.read_text() for p in (self.running.data / "log").glob("*.log"))
        self.assertNotIn((self.running.data / "secret-key").read_text(), told)

    def test_an_address_is_the_askers_and_not_what_it_says(self):
        """The page about the machine is for the machine alone; the front adds who asked."""
        self.assertEqual(self.asked("health.json")[0], 200)
        status, _ = self.asked("health.json", **{"X-Forwarded-For": "203.0.113.9"})
        self.assertNotEqual(status, 200)


if __name__ == "__main__":
    unittest.main()
