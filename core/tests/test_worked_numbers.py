"""The core against numbers that were worked out apart from it."""

import doctest
import importlib
import json
import pkgutil
import unittest
from fractions import Fraction
from pathlib import Path

import core
from core.devices import DeviceProfile, nearest_setting
from core.measure.limits import null_of_errors_db, null_of_gain_error_db, null_of_time_error_db
from core.tempo import clock_time_s, read_time
from core.tempo.from_delay import tempo_for
from core.units import NoteValue, note_length_s

VECTORS = json.loads((Path(__file__).parent / "vectors.json").read_text())["vectors"]


def _note(given: dict) -> NoteValue:
    return NoteValue(Fraction(given["fraction"]), given["modifier"])


def _note_value(given: dict) -> dict:
    quarter_bpm = given["bpm"] * given["beat_unit"] * 4
    read = read_time(
        note_length_s(_note(given), quarter_bpm),
        given["sample_rate"],
        id="x",
        name="x",
        row="typed",
        in_reach=None,
    )
    return read.model_dump()


def _settable(given: dict) -> dict:
    device = DeviceProfile(name="x", min_ms=0, max_ms=2000, step_ms=given["step_ms"])
    return nearest_setting(device, given["wanted_ms"], 125).model_dump()


COMPUTED = {
    "note_value": _note_value,
    "clock": lambda g: {
        "ms": 1e3 * clock_time_s(60 / g["bpm"], g["ppqn"], g["multiply"], g["divide"])
    },
    "tempo_from_delay": lambda g: {
        "bpm": tempo_for(g["ms"] / 1e3, _note(g), NoteValue(Fraction(1, 4)))
    },
    "settable": _settable,
    "null_gain_error": lambda g: {"null_db": null_of_gain_error_db(g["error_db"])},
    "null_time_error": lambda g: {"null_db": null_of_time_error_db(g["error_us"] / 1e6, g["hz"])},
    "null_gain_and_time": lambda g: {
        "null_db": null_of_errors_db(g["error_db"], g["error_us"] / 1e6, g["hz"])
    },
}


class WorkedNumbers(unittest.TestCase):
    def test_every_vector(self):
        for vector in VECTORS:
            with self.subTest(vector["topic"], given=vector["given"]):
                got = COMPUTED[vector["topic"]](vector["given"])
                for name, wanted in vector["expect"].items():
                    # Differences of close numbers keep fewer digits than the numbers themselves.
                    slack = 1e-6 if "error" in name else 1e-9
                    self.assertAlmostEqual(got[name], wanted, delta=slack * abs(wanted) + 1e-12)

    def test_the_examples_in_the_docstrings(self):
        tried = 0
        for module in pkgutil.walk_packages(core.__path__, "core."):
            if ".tests" not in module.name:
                result = doctest.testmod(importlib.import_module(module.name))
                self.assertEqual(result.failed, 0, module.name)
                tried += result.attempted
        self.assertGreaterEqual(tried, 7)
