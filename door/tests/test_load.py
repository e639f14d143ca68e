"""What fifty people do in the load run: as often as it is said, at every rate of drags. The clock is one that is set."""

import random
import sys
import time
import unittest
from collections import Counter
from pathlib import Path
from unittest import mock

sys.path.insert(0, str(Path(__file__).resolve().parents[2]))

from benchmarks import load


class Clock:
    def __init__(self) -> None:
        self.now = 100.0

    def monotonic(self) -> float:
        return self.now

    def sleep(self, seconds: float) -> None:
        self.now += seconds


class Paced(load.Person):
    """Nobody is asked: each answer takes so long."""

    def __init__(self, clock: Clock, answers_s: float) -> None:
        self.clock, self.answers_s = clock, answers_s
        self.did: Counter[str] = Counter()
        self.at: dict[str, float] = {}

    def _done(self, what: str) -> None:
        self.did[what] += 1
        self.at[what] = self.clock.now
        self.clock.sleep(self.answers_s)

    def drag(self) -> None:
        self._done("drag")

    def save(self) -> None:
        self._done("save")

    def upload(self, sound: bytes) -> None:
        self._done("upload")


class Paces(unittest.TestCase):
    def worked(self, a_second: float, answers_s: float = 0.0, sound: bytes = b"x") -> Paced:
        clock = Clock()
        with mock.patch.object(load, "time", clock):
            one = Paced(clock, answers_s)
            one.works(60, a_second, sound)
        self.assertGreaterEqual(clock.now, 100 + 60 - 1 / a_second * 1.2 - 5)
        return one

    def test_one_saves_every_five_seconds_however_seldom_one_drags(self):
        """At a drag in ten seconds half of the saves were left out, while they went with the drags."""
        random.seed(1)
        for a_second in load.RATES:
            done = [self.worked(a_second).did for _ in range(20)]
            for did in done:
                self.assertEqual(did["save"], 12, a_second)
                self.assertEqual(did["upload"], 1)
            drags = sum(did["drag"] for did in done) / 20
            self.assertAlmostEqual(drags, 60 * a_second, delta=0.1 * 60 * a_second + 0.5)

    def test_who_waited_for_an_answer_does_not_catch_up(self):
        did = self.worked(5, answers_s=1.0).did
        self.assertLessEqual(sum(did.values()), 61)
        self.assertGreaterEqual(did["save"], 10)

    def test_the_file_goes_at_any_time_but_so_that_it_comes_in_whole(self):
        random.seed(2)
        at = [self.worked(0.5).at["upload"] - 100 for _ in range(60)]
        self.assertLess(max(at), 54.1)
        self.assertGreater(max(at), 40)
        self.assertLess(min(at), 15)
        self.assertEqual(self.worked(0.5, sound=b"").did["upload"], 0)

    def test_a_turn_ends_when_its_render_is_there(self):
        """Asked for anew before that it would be let go, and count as one that failed."""
        made: list[str] = []

        def render(_: load.Person) -> None:
            time.sleep(0.2)
            made.append("there")

        clock = Clock()
        with mock.patch.object(load, "time", clock), mock.patch.object(load.Person, "render", render), mock.patch.object(Paced, "twin", lambda self: self):  # fmt: skip
            Paced(clock, 0).works(60, 1, b"", renders=True)
        self.assertEqual(made, ["there"])

    def test_a_shorter_turn_has_its_share_of_files_and_renders_of_others_each_time(self):
        people = [Paced(Clock(), 0) for _ in range(load.PEOPLE)]
        for number, one in enumerate(people):
            one.number = number
        seen: Counter[int] = Counter()
        for step in range(len(load.RATES)):
            renders, sends = load._parts(people, step)
            self.assertEqual((len(renders), len(sends)), (2, 10))
            seen.update(sends)
        self.assertGreater(len(seen), 30)


if __name__ == "__main__":
    unittest.main()
