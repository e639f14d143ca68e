"""Changes are made where they are meant, and what no test notices is told from what one does."""

import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import mutants

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
        with tempfile.TemporaryDirectory() as held:
            tree = Path(held)
            for part in ("core", "core/units", "core/units/tests"):
                (tree / part).mkdir()
                (tree / part / "__init__.py").touch()
            text = "def half(x):\n    return x / 2\n\n\ndef spare(x):\n    return x - 1\n"
            (tree / "core/units/a.py").write_text(text)
            (tree / "core/units/tests/test_a.py").write_text(
                "import unittest\nfrom core.units.a import half\n\n\nclass A(unittest.TestCase):\n"
                "    def test(self):\n        self.assertEqual(half(6), 3)\n"
            )
            half, spare = mutants.mutants_of("core/units/a.py", text)
            self.assertTrue(mutants.caught(tree, half))
            self.assertFalse(mutants.caught(tree, spare))
            # The text is as it was.
            self.assertEqual((tree / "core/units/a.py").read_text(), text)
            (tree / "core/units/tests/test_a.py").write_text("while True: pass")
            with mock.patch.object(mutants, "_LONGEST_S", 1):
                self.assertTrue(mutants.caught(tree, spare))


if __name__ == "__main__":
    unittest.main()
