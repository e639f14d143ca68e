"""While a setting is dragged the rig is read once; what is changed elsewhere is seen all the same."""

import unittest
import uuid
from unittest import mock

from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.routing import Context, parse_rig
from server.rigs import api
from server.rigs.held import LASTS_S, Held, Seen
from server.testing import QUARTERS, ApiCase, person, song_for

TEXT = "voice: source (level -12 dB) > g: level (level 0 dB) > e: delay (time 1/4, mix 100 %, feedback 0 %) > desk: output"


class Tried(ApiCase):
    def setUp(self):
        super().setUp()
        self.clock = 100.0
        patched = mock.patch.object(api, "HELD", Held(clock=lambda: self.clock))
        patched.start()
        self.addCleanup(patched.stop)
        self.song = song_for(self.user)
        made = self.done("post", f"/songs/{self.song.pk}/rigs", {"name": "Pier", "notation": TEXT})
        self.variant = made["variants"][0]["id"]

    def done(self, *call):
        status, got = self.call(*call)
        self.assertEqual(status, 200, got)
        return got

    def seen(self) -> dict:
        self.song.refresh_from_db()
        known = self.done("get", f"/variants/{self.variant}")
        return {"revision": known["revision"], "song_revision": self.song.revision}

    def tried(self, seen: dict) -> tuple[float, float]:
        """Level at the output and time of the first arrival, in dBFS and ms."""
        body = {"action": {"do": "set", "node": "e", "values": {"feedback_percent": 0}}, **seen}
        report = self.done("post", f"/variants/{self.variant}/try", body)["report"]
        (board,) = report["boards"]
        return report["outputs"][0]["nominal_dbfs"], board["arrivals"][0]["time_ms"]

    def queries(self, seen: dict) -> int:
        with CaptureQueriesContext(connection) as asked:
            self.tried(seen)
        return len(asked)

    def test_only_who_asks_is_looked_up_from_the_second_place_on(self):
        seen = self.seen()
        self.assertGreater(self.queries(seen), 2)
        # The session and the person.
        self.assertEqual([self.queries(seen) for _ in range(3)], [2, 2, 2])
        self.clock += LASTS_S
        self.assertGreater(self.queries(seen), 2)
        self.assertGreater(self.queries({}), 2)

    def test_a_change_of_the_rig_is_seen_at_once(self):
        before = self.seen()
        level, _ = self.tried(before)
        self.edit_variant(
            {"do": "set", "node": "g", "values": {"level_db": -6}}, before["revision"]
        )
        self.assertAlmostEqual(self.tried(self.seen())[0], level - 6, places=6)
        # Also by a page that has not heard of it yet, as soon as what it saw is forgotten.
        self.clock += LASTS_S
        self.assertAlmostEqual(self.tried(before)[0], level - 6, places=6)

    def test_another_tempo_of_the_song_is_seen_at_once(self):
        self.assertAlmostEqual(self.tried(self.seen())[1], 500, places=6)
        tempo = [{**QUARTERS, "tempo_bpm": 150.0}]
        body = {"base_revision": self.song.revision, "changes": {"tempo_map": tempo}}
        self.done("patch", f"/songs/{self.song.pk}", body)
        # A quarter at 150: 60,000 / 150.
        self.assertAlmostEqual(self.tried(self.seen())[1], 400, places=6)

    def test_nobody_else_is_answered_from_it(self):
        seen = self.seen()
        self.tried(seen)
        other = person("eve")
        self.client.force_login(other)
        action = {"do": "set", "node": "g", "values": {"level_db": 1}}
        path = f"/variants/{self.variant}/try"
        self.assertEqual(self.call("post", path, {"action": action, **seen})[0], 404)

    def edit_variant(self, action: dict, base: int) -> None:
        body = {"id": str(uuid.uuid4()), "base_revision": base, "action": action}
        self.done("post", f"/variants/{self.variant}/edits", body)


class Kept(unittest.TestCase):
    def test_few_are_held_the_oldest_go(self):
        kept, rig = Held(most=2), parse_rig("a: source > o: output")
        names = [Seen(1, uuid.uuid4(), 1, 1) for _ in range(3)]
        for one in names:
            kept.put(one, rig, Context())
        self.assertEqual([kept.get(one) is not None for one in names], [False, True, True])
        # Each part of what was seen tells one from another.
        last = names[2]
        for other in (
            last._replace(owner=2),
            last._replace(revision=2),
            last._replace(song_revision=2),
        ):
            self.assertIsNone(kept.get(other))

    def test_what_is_not_dragged_any_more_is_let_go_of_with_the_next_that_is(self):
        clock = [50.0]
        kept, rig = Held(clock=lambda: clock[0]), parse_rig("a: source > o: output")
        for second in range(4):
            clock[0] = 50.0 + second
            kept.put(Seen(second, uuid.uuid4(), 1, 1), rig, Context())
        # Held for less than two seconds: those of the last two.
        self.assertEqual(len(kept), 2)
