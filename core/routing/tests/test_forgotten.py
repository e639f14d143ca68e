"""What is remembered of responses is shared by all threads and forgotten when it is too much, whatever is being
computed just then. No figure may depend on it: a number of one response must never be taken for another's.
"""

import itertools
import sys
import threading
import unittest
from unittest import mock

import numpy as np

from core.routing import Evaluation, compile_rig, parse_rig
from core.routing.evaluate.shapes import SHAPES, Shapes

RIGS = tuple(
    f"g: source > s: split > f: filter (low cut {60 + 90 * n} Hz) > m: merge > o: output\n"
    f"s > h: filter (high cut {900 + 700 * n} Hz) > d: delay (time {5 + n} ms, feedback 40 %) > m [level {-n} dB]\n"
    f"s > k: filter (high cut {5000 - 300 * n} Hz) > r: reverb (rt60 {0.4 + n / 5:.1f} s) > m\n"
    f"s > m [delay {0.3 + n / 10:.1f} ms, inverted]"
    for n in range(5)
)


def figures(plan) -> list[float]:
    """Power of each source at the output and its peaks."""
    carried = plan.carried[plan.outputs["o"]]
    return [*carried.total, *carried.peak]


def alone(text: str) -> list[float]:
    """With nothing remembered before, and nothing else computed beside it."""
    SHAPES.forget()
    return figures(compile_rig(parse_rig(text)))


class Forgotten(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.true = [alone(text) for text in RIGS]

    def agrees(self, found: list[float], n: int) -> None:
        np.testing.assert_allclose(found, self.true[n], rtol=1e-9, err_msg=RIGS[n])

    def test_the_rigs_differ(self):
        for one, other in itertools.combinations(self.true, 2):
            self.assertGreater(abs(one[0] / other[0] - 1), 1e-3)

    def test_one_rig_is_read_after_another_was_computed_and_all_forgotten(self):
        for n, text in enumerate(RIGS):
            plan = compile_rig(parse_rig(text))
            SHAPES.forget()
            for other in RIGS[n + 1 :] + RIGS[:n]:
                figures(compile_rig(parse_rig(other)))
            self.agrees(figures(plan), n)

    def test_whenever_it_is_forgotten_in_the_middle_of_one(self):
        joined, numbered = Shapes.joined, Shapes.number
        for every in (1, 2, 3, 7):
            calls = itertools.count(1)

            def again(self, *given, was, every=every, calls=calls):
                if next(calls) % every == 0:
                    self.forget()
                return was(self, *given)

            with (
                mock.patch.object(Shapes, "joined", lambda s, *g: again(s, *g, was=joined)),
                mock.patch.object(Shapes, "number", lambda s, *g: again(s, *g, was=numbered)),
            ):
                for n, text in enumerate(RIGS):
                    self.agrees(figures(compile_rig(parse_rig(text))), n)

    def test_by_itself_when_it_is_too_much(self):
        """The bound is passed while the first is not read yet."""
        plan = compile_rig(parse_rig(RIGS[0]))
        with mock.patch("core.routing.evaluate.shapes._MOST", 1):
            for n in range(1, len(RIGS)):
                self.agrees(figures(compile_rig(parse_rig(RIGS[n]))), n)
        self.agrees(figures(plan), 0)

    def test_threads_beside_each_other(self):
        """Each computes its own rig again and again while all is forgotten under their hands."""
        found: list[tuple[int, list[float]]] = []
        faults: list[BaseException] = []
        over = threading.Event()

        def work(n: int) -> None:
            try:
                for _ in range(6):
                    plan = Evaluation(parse_rig(RIGS[n])).plan
                    found.append((n, figures(plan)))
            except BaseException as fault:
                faults.append(fault)

        def forget() -> None:
            while not over.wait(0.001):
                SHAPES.forget()

        turn = sys.getswitchinterval()
        self.addCleanup(sys.setswitchinterval, turn)
        sys.setswitchinterval(1e-5)
        forgets = threading.Thread(target=forget)
        workers = [threading.Thread(target=work, args=(n,)) for n in range(len(RIGS))]
        for thread in (forgets, *workers):
            thread.start()
        for thread in workers:
            thread.join()
        over.set()
        forgets.join()
        self.assertEqual(faults, [])
        self.assertEqual(len(found), 6 * len(RIGS))
        for n, figure in found:
            self.agrees(figure, n)


if __name__ == "__main__":
    unittest.main()
