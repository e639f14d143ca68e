"""Decibels stand in one place, for numbers and arrays alike."""

import ast
import math
import unittest
from pathlib import Path

import numpy as np

import core
from core.units import decibel as db

KNOWN = ((1.0, 0.0), (10.0, 20.0), (2.0, 6.0205999132796), (0.5, -6.0205999132796))


class Decibels(unittest.TestCase):
    def test_numbers_and_arrays_alike_there_and_back(self):
        for gain, level in KNOWN:
            for wrap in (float, lambda x: np.array([x, x])):
                np.testing.assert_allclose(db.decibels(wrap(gain)), level, atol=1e-12)
                np.testing.assert_allclose(db.amplitude(wrap(level)), gain, rtol=1e-12)
                np.testing.assert_allclose(db.power_decibels(wrap(gain)), level / 2, atol=1e-12)
                np.testing.assert_allclose(db.power_of(wrap(level / 2)), gain, rtol=1e-12)
        self.assertIsInstance(db.decibels(2.0), float)

    def test_silence_has_a_floor_where_one_is_wanted_and_is_refused_elsewhere(self):
        self.assertEqual((db.gain_db(0.0), db.gain_db(0.0, -90.0)), (-120.0, -90.0))
        self.assertEqual((db.power_db(0.0), db.db_gain(-120)), (-120.0, 0.0))
        self.assertIsNone(db.audible_db(0.0))
        with self.assertRaises(ValueError):
            db.decibels(0.0)

    def test_nowhere_else_is_twenty_log_written(self):
        """Reads the core itself: `20 * log10(...)` and `10 ** (x / 20)` belong to one module."""
        root = Path(core.__file__).parent
        found = []
        for path in root.rglob("*.py"):
            if "tests" in path.parts or path.name == "decibel.py":
                continue
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.BinOp) and _is_decibel(node):
                    found.append(f"{path.relative_to(root)}:{node.lineno}")
        self.assertEqual(found, [])


def _number(node: ast.AST) -> float | None:
    return (
        float(node.value)
        if isinstance(node, ast.Constant) and isinstance(node.value, int | float)
        else None
    )


def _is_decibel(node: ast.BinOp) -> bool:
    if isinstance(node.op, ast.Mult) and _number(node.left) in (10.0, 20.0):
        call = node.right
        named = isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute)
        return named and call.func.attr == "log10"
    over = node.right
    if isinstance(node.op, ast.Pow) and _number(node.left) == 10.0 and isinstance(over, ast.BinOp):
        return isinstance(over.op, ast.Div) and _number(over.right) in (10.0, 20.0)
    return False


class Worked(unittest.TestCase):
    def test_two_equal_tones_in_step_and_apart(self):
        self.assertAlmostEqual(db.decibels(1 + db.amplitude(0.0)), 20 * math.log10(2))
        self.assertAlmostEqual(db.power_decibels(2 * db.power_of(0.0)), 10 * math.log10(2))
