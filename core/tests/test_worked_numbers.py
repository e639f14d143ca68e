"""The core against numbers that were worked out apart from it."""

import doctest
import importlib
import json
import math
import pkgutil
import unittest
from fractions import Fraction
from pathlib import Path

import core
from core.blend import (
    LevelRequest,
    ParallelSettings,
    compressed_db,
    equal_insert,
    law_gains,
    level_view,
    local_slope,
    nearest_steps,
    parallel_db,
)
from core.blend.stereo import chorus_cents
from core.devices import DeviceProfile, nearest_setting
from core.measure.limits import null_of_errors_db, null_of_gain_error_db, null_of_time_error_db
from core.render.trial import chance
from core.routing.evaluate.arrivals import comb_notches
from core.routing.plan.build import speed_of_sound, width_matrix
from core.space import density_time_s, longest_rt60_s, loop_rt60_s, sabine_s, tail_db
from core.tempo import clock_time_s, read_time
from core.tempo.from_delay import tempo_for
from core.units import NoteValue, note_length_s
from core.units.decibel import db_gain as gain

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


def _level(linear: float) -> float:
    return 20 * math.log10(linear)


def _blend(given: dict) -> dict:
    law = given["law"].replace("_", "-")
    dry, wet = law_gains(law, given["mix"])
    total = dry**2 + wet**2 + 2 * given["correlation"] * dry * wet
    return {"dry": dry, "wet": wet, "sum_db": 10 * math.log10(total)}


def _insert(given: dict) -> dict:
    found = equal_insert(
        gain(given["dry_fader_db"]), gain(given["wet_fader_db"]), given["device_mix"]
    )
    return {
        "effective_dry": found.effective_dry,
        "effective_wet": found.effective_wet,
        "mix": found.mix,
        "trim_db": _level(found.trim),
    }


def _steps(given: dict) -> dict:
    mix, trim, residual = nearest_steps(
        gain(given["dry_fader_db"]),
        gain(given["wet_fader_db"]),
        given["mix_step"],
        given["level_step_db"],
        given["law"],
    )
    return {"mix": mix, "trim_db": trim, "residual_db": residual}


def _comb(given: dict) -> dict:
    ratio = gain(-abs(given["level_difference_db"]))
    found = comb_notches(given["difference_ms"] / 1e3, ratio, given["polarity"] == 1)
    # With opposite polarity the worked numbers begin at 0 Hz, where there is nothing to hear.
    places = [0.0, *(hz for hz, _ in found)] if given["polarity"] == -1 else [hz for hz, _ in found]
    return {
        "first_notch_hz": places[0],
        "second_notch_hz": places[1],
        "peak_db": _level(1 + ratio),
    }


def _width(given: dict) -> dict:
    a, b, c, d = width_matrix(given["width"])
    left, right = given["left"], given["right"]
    return {"left": a * left + b * right, "right": c * left + d * right}


def _parallel(given: dict) -> dict:
    names = ("threshold_db", "knee_db", "makeup_db", "dry_db", "wet_db")
    ratio = math.inf if given["ratio"] is None else given["ratio"]
    s = ParallelSettings.model_construct(ratio=ratio, **{name: given[name] for name in names})
    x, slope = given["input_db"], local_slope(given["input_db"], s)
    return {
        "compressed_db": compressed_db(x, s.threshold_db, ratio, s.knee_db, s.makeup_db),
        "output_db": parallel_db(x, s),
        "local_slope": slope,
        "local_ratio": 1 / slope,
        "quiet_boost_db": _level(gain(s.dry_db) + gain(s.wet_db) * gain(s.makeup_db)),
    }


COMPUTED = {
    "parallel_compression": _parallel,
    "tail_at_entry": lambda g: {
        "level_db": tail_db(g["gap_s"], g["pre_delay_ms"] / 1e3, g["rt60_s"], g["start_db"])
    },
    "rt60_for_gap": lambda g: {
        "rt60_s": longest_rt60_s(g["gap_s"], g["pre_delay_ms"] / 1e3, g["drop_db"])
    },
    "sabine": lambda g: {
        "rt60_s": sabine_s(g["volume_m3"], g["absorption_m2"], g["speed_of_sound"])
    },
    "loop_rt60": lambda g: {"rt60_s": loop_rt60_s(g["loop_ms"] / 1e3, g["gain"])},
    "time_to_echo_density": lambda g: {
        "ms": 1e3 * density_time_s(g["volume_m3"], g["echoes_per_s"], g["speed_of_sound"])
    },
    "chorus_detune": lambda g: {"cents": chorus_cents(g["depth_ms"], g["rate_hz"])},
    "blind_trial": lambda g: {"p": chance(g["hits"], g["trials"])},
    "dbv_to_dbu": lambda g: {"dbu": level_view(LevelRequest(value=g["dbv"], unit="dBV")).dbu},
    "blend_law": _blend,
    "equal_insert_linear": _insert,
    "null_limit_of_steps": _steps,
    "comb": _comb,
    "stereo_width": _width,
    "speed_of_sound": lambda g: {"m_per_s": speed_of_sound(g["celsius"])},
    "compressor": lambda g: {
        "compressed_db": compressed_db(
            g["input_db"], g["threshold_db"], g["ratio"], g["knee_db"], g["makeup_db"]
        )
    },
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
