"""A refusal is seen by who still sends: nothing of the body is left, whoever read how much of it."""

import io
import unittest

from server.config.drained import drained


class Drained(unittest.TestCase):
    def left(self, length: object, body: bytes, reads: int = 0) -> bytes:
        source = io.BytesIO(body)

        def application(environ, start_response):
            environ["wsgi.input"].read(reads)
            return [b"refused"]

        told = {"wsgi.input": source, **({} if length is None else {"CONTENT_LENGTH": length})}
        self.assertEqual(list(drained(application)(told, None)), [b"refused"])
        return source.read()

    def test_what_nobody_read_is_read(self):
        body = b"x" * 400_000
        for reads in (0, 1, 399_999, 400_000):
            self.assertEqual(self.left("400000", body, reads), b"")

    def test_of_the_next_request_nothing_is_taken(self):
        self.assertEqual(self.left("3", b"abcGET / HTTP/1.1"), b"GET / HTTP/1.1")
        for none in (None, "", "0", "many", "-5"):
            self.assertEqual(self.left(none, b"GET / HTTP/1.1"), b"GET / HTTP/1.1")

    def test_a_body_that_ends_early_is_waited_for_no_more(self):
        self.assertEqual(self.left("400000", b"half"), b"")
