"""Sample loops: compiled when they are first called, whoever calls first, and never before."""

import ast
import subprocess
import sys
import unittest
from pathlib import Path

import numpy as np

from core.sample_loops import sample_loop, shares

CORE = Path(__file__).resolve().parent.parent


@sample_loop("float64(float64)")
def _half(x):
    return x / 2


@sample_loop("float64(float64[::1])", "float64(float32[::1])", fastmath={"contract"})
def _half_of_all(values):
    total = 0.0
    for value in values:
        total += _half(value)
    return total


@sample_loop("int64(int64)")
def _alone(n):
    return n + 1


class Loops(unittest.TestCase):
    def test_one_that_calls_another_gives_what_is_worked_by_hand_in_either_precision(self):
        self.assertEqual(_half_of_all(np.array([1.0, 2.5, -0.5])), 1.5)
        self.assertEqual(_half_of_all(np.array([1.0, 2.5, -0.5], np.float32)), 1.5)

    def test_what_it_was_not_made_for_is_refused(self):
        with self.assertRaises(TypeError):
            _half_of_all(np.ones((2, 2)))

    def test_it_keeps_its_name_its_words_and_its_plain_function(self):
        self.assertEqual((_alone.__name__, _alone.py_func(4), _alone(4)), ("_alone", 5, 5))

    def test_those_that_call_each_other_are_dealt_to_one_and_all_are_dealt_once(self):
        dealt = shares(2)
        places = {id(loop): n for n, share in enumerate(dealt) for loop in share}
        self.assertEqual(len(places), sum(len(share) for share in dealt))
        self.assertEqual(places[id(_half)], places[id(_half_of_all)])
        self.assertIn(id(_alone), places)
        self.assertEqual(_half_of_all.named, [_half])


# Eight threads in a program that has not loaded the compiler: four ask for a loop that calls another, four for the
# other. Each needs the compiler's lock and what the other is made of.
AT_ONCE = """
import sys, threading
import numpy as np
from core.render import mixing
from core.audio.flush import tiny_is_nothing

assert "numba" not in sys.modules, "loaded before anything is compiled"
gate, sums = threading.Barrier(8), []

def through():
    gate.wait()
    left, right = np.zeros(3), np.zeros(3)
    with tiny_is_nothing():
        mixing._through(left, right, np.ones(3), np.full(3, 2.0), 1.0, 0.5, 0.25, 2.0, True, False)
    sums.append((float(left[0]), float(right[0])))

def add():
    gate.wait()
    out = np.ones(3)
    mixing._add(out, np.full(3, 2.0), 0.5)
    sums.append((float(out[0]), float(out[0])))

threads = [threading.Thread(target=way, daemon=True) for way in (through, add) * 4]
for one in threads: one.start()
for one in threads: one.join(120)
print(sorted(sums))
"""


class AtOnce(unittest.TestCase):
    def test_threads_that_call_first_together_wait_for_each_other_and_not_for_ever(self):
        done = subprocess.run(
            [sys.executable, "-c", AT_ONCE],
            capture_output=True, text=True, check=False, cwd=CORE.parent, timeout=300,
        )  # fmt: skip
        # 1 + 0.5 * 2 on the left, 0.25 + 2 * 2 on the right; 1 + 2 * 0.5 where it is added.
        self.assertEqual(
            done.stdout.strip(), str([(2.0, 2.0)] * 4 + [(2.0, 4.25)] * 4), done.stderr
        )


# Setting up loads every module of the core, on any processor.
ELSEWHERE = """
import platform
platform.machine = lambda: "aarch64"
from core.audio import flush, flush_word
with flush.tiny_is_nothing():
    print(flush.KNOWN, hasattr(flush_word, "read"), hasattr(flush_word, "write"))
"""


class Elsewhere(unittest.TestCase):
    def test_on_another_processor_its_word_is_neither_compiled_nor_asked_for(self):
        done = subprocess.run(
            [sys.executable, "-c", ELSEWHERE],
            capture_output=True, text=True, check=False, cwd=CORE.parent,
        )  # fmt: skip
        self.assertEqual(done.stdout.split(), ["False", "False", "False"], done.stderr)


class Everywhere(unittest.TestCase):
    def test_nothing_loads_the_compiler_as_it_is_imported(self):
        loading = [
            str(path.relative_to(CORE))
            for path in CORE.rglob("*.py")
            if any(
                (isinstance(node, ast.Import) and any("numba" in a.name for a in node.names))
                or (isinstance(node, ast.ImportFrom) and (node.module or "").startswith("numba"))
                for node in ast.walk(ast.parse(path.read_text()))
            )
        ]
        self.assertEqual(loading, ["audio/flush_word.py"])
