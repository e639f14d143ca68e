"""Changes are made where they are meant, and what no test notices is told from what one does."""

import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import mutants
from show import Trouble

TEXT = '''"""a - b"""
LOW: int | None = Field(3 * 2, ge=-90 + 1)


def loss(a: float, b: float) -> float:  # a / b, “über”
    """a * b"""
    if a < b and b != 0:
        return max(0.0, a) ** 2 - (
            b
            / 3
        )
    return f"{a} " + "more" if a == 1 else round(a * 2, 1) + a % 3


@numba.njit(cache=True)
def loop(x):
    return x + 1
'''


class Changes(unittest.TestCase):
    def test_each_is_one_operator_of_the_arithmetic_and_nothing_else(self):
        found = mutants.mutants_of("a.py", TEXT)
        lines = TEXT.splitlines()
        told = {(m.line, m.was, m.to) for m in found}
        self.assertEqual(
            told,
            {
                (7, "<", ">="), (7, "!=", "=="), (8, "max", "min"), (8, "**", "*"), (8, "-", "+"),
                (9, "/", "*"), (12, "==", "!="), (12, "%", "*"), (12, "+", "-"),
            },
        )  # fmt: skip
        for one in found:
            changed = one.on(TEXT)
            compile(changed, "a.py", "exec")
            differ = [i for i, (a, b) in enumerate(zip(lines, changed.splitlines(), strict=True)) if a != b]  # fmt: skip
            self.assertEqual(len(differ), 1, one)

    def test_the_same_seed_picks_the_same(self):
        one, again, other = (mutants.chosen(mutants.ROOT, 40, seed) for seed in (1, 1, 2))
        self.assertEqual(one, again)
        self.assertNotEqual(one, other)
        self.assertFalse([m for m in one if "/tests/" in m.file])

    def test_noticed_and_not_noticed(self):
        """By the tests that run a line and no others; by all of a room where it runs as a module is loaded."""
        with tempfile.TemporaryDirectory() as held:
            tree = Path(held)
            for part in ("core", "core/tests", "core/units", "core/units/tests"):
                (tree / part).mkdir()
                (tree / part / "__init__.py").touch()
            text = (
                "LOADED = 6 / 2\n\n\ndef half(x):\n    if x > 0:\n        return (\n            x\n            / 2\n        )\n"
                "    return 0\n\n\ndef spare(x):\n    return x - 1\n\n\ndef never(x):\n    return x - 1\n"
            )
            (tree / "core/units/a.py").write_text(text)
            (tree / "core/units/tests/test_a.py").write_text(
                "import unittest\nimport hypothesis\nfrom hypothesis import strategies as st\n"
                "from core.units.a import LOADED, half, spare\n\n\nclass Shared:\n"
                "    def test_in_each(self):\n        self.assertEqual(half(self.given), self.given / 2)\n\n\n"
                "class A(Shared, unittest.TestCase):\n    given = 6\n\n"
                "    def test_half(self):\n        self.assertEqual(half(4), 2)\n\n"
                "    def test_spare(self):\n        spare(4)\n\n"
                "    @hypothesis.given(st.integers(8, 9))\n"
                "    def test_any(self, x):\n        self.assertEqual(half(x), x / 2)\n\n"
                "    def test_loaded(self):\n        self.assertEqual(LOADED, 3)\n"
            )
            lines = mutants.reached(tree, ("core/units",))
            by_line = {m.line: m for m in mutants.mutants_of("core/units/a.py", text)}
            self.assertEqual(sorted(by_line), [1, 5, 7, 14, 18])
            named = "core.units.tests.test_a.A.test_"
            # A test that a class took from another cannot be run by its name: its room is run instead.
            for line, wanted in (
                (1, ([], True)), (5, ([named + "any", named + "half"], True)), (7, ([named + "any", named + "half"], True)),
                (14, ([named + "spare"], False)), (18, ([], False)),
            ):  # fmt: skip
                self.assertEqual(mutants.tests_of(by_line[line], text, lines), wanted, line)
            noticed = {line: mutants.caught(tree, one, lines) for line, one in by_line.items()}
            self.assertEqual(noticed, {1: True, 5: True, 7: True, 14: False, 18: False})
            # The text is as it was.
            self.assertEqual((tree / "core/units/a.py").read_text(), text)
            (tree / "core/units/tests/test_a.py").write_text("while True: pass")
            with mock.patch.object(mutants, "_LONGEST_S", 1):
                self.assertTrue(mutants.caught(tree, by_line[14], lines))

    def test_what_fails_as_it_is_says_nothing_of_a_change(self):
        with tempfile.TemporaryDirectory() as held:
            tree = Path(held)
            (tree / "core/units/tests").mkdir(parents=True)
            for part in ("core", "core/units", "core/units/tests"):
                (tree / part / "__init__.py").touch()
            (tree / "core/units/tests/test_a.py").write_text("raise ValueError")
            with self.assertRaisesRegex(Trouble, "core/units fail as they are"):
                mutants.reached(tree, ("core/units",))


if __name__ == "__main__":
    unittest.main()
