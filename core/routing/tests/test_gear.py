"""Checks of hardware: what cannot be connected, passive pickups under a load, coding inside frames."""

import itertools
import math
import unittest

import numpy as np
from scipy.optimize import brentq

from core.blend import law_gains, nearest_steps
from core.routing import Evaluation, parse_rig, perform, run_checks
from core.routing.checks.gear import loaded_corner_hz


def found(text: str, check: str):
    rig = parse_rig(text)
    return rig, [f for f in run_checks(Evaluation(rig)).findings if f.check == check]


class Levels(unittest.TestCase):
    def test_what_cannot_be_is_an_alarm_and_what_wants_a_box_a_caution(self):
        gives = {"line": "gives line", "instrument": "gives instrument", "mic": "gives mic",
                 "speaker": None, "air": None}  # fmt: skip
        for here, there in itertools.product(gives, ("air", "speaker", "line", "instrument")):
            before = f"g: source ({gives[here]})" if gives[here] else (
                "g: source > p: power_amp" + (" > c: cabinet" if here == "air" else "")
            )  # fmt: skip
            after = {
                "air": "x: air", "speaker": "x: cabinet", "line": "x: power_amp",
                "instrument": "x: di",
            }[there]  # fmt: skip
            _, said = found(f"{before} > {after} > o: output", "level-kind")
            said = [f for f in said if "x" in f.at or f.at.startswith(("g.", "c.", "p."))]
            mine = [f for f in said if f.sentence.split(" gives ")[1].split(" and ")[1]]
            with self.subTest(here=here, there=there):
                if here == there:
                    self.assertEqual(mine, [])
                    continue
                cannot = {"air", "speaker"} & {here, there}
                self.assertEqual(
                    [f.severity for f in mine if f.severity == "alarm"] != [], bool(cannot)
                )

    def test_line_into_a_room_says_what_is_missing_and_its_fix_mends_it(self):
        rig, said = found(
            "g: source > x: cabinet > r: air > m: microphone > o: output", "level-kind"
        )
        self.assertEqual([(f.at, f.severity) for f in said], [("g.0", "alarm")])
        self.assertIn("power amplifier", said[0].sentence)
        mended = perform(rig, said[0].fix.action).rig
        again = [f for f in run_checks(Evaluation(mended)).findings if f.check == "level-kind"]
        self.assertEqual(again, [])


class Pickups(unittest.TestCase):
    def size(self, hz: float, henry: float, winding: float, load: float, cable: float) -> float:
        """By the impedances themselves, one frequency at a time."""
        s = 2j * math.pi * hz
        across = 1 / (1 / load + s * cable)
        return abs(across / (across + winding + s * henry))

    def test_the_corner_is_where_half_the_power_is_left(self):
        for henry, kohm, load, pf in itertools.product(
            (2, 3, 5), (6, 8), (25, 250, 1000), (50, 700)
        ):
            flat = self.size(1e-3, henry, kohm * 1e3, load * 1e3, pf * 1e-12)
            corner = brentq(
                lambda hz, a=(henry, kohm * 1e3, load * 1e3, pf * 1e-12), f=flat: self.size(hz, *a)
                - f * math.sqrt(0.5), 100, 200_000,
            )  # fmt: skip
            self.assertAlmostEqual(loaded_corner_hz(henry, kohm, load, pf), corner, delta=0.5)
        self.assertGreater(loaded_corner_hz(3, 8, 250, 0), loaded_corner_hz(3, 8, 250, 700))
        self.assertGreater(loaded_corner_hz(3, 8, 250, 0), loaded_corner_hz(3, 8, 250, 700))
        # Without a cable, a winding into a load: (R + Rw) / (2 pi L) = 33 k / (2 pi 3 H).
        self.assertAlmostEqual(loaded_corner_hz(3, 8, 25, 0), 1750.7, delta=0.1)

    def test_the_note_counts_the_instrument_in_hand(self):
        text = "g: source (passive, pickup {} H, cable {} pF) > v: volume (pot 25 kΩ) > o: output"
        corners = []
        for henry, pf in ((2, 300), (3, 700), (5, 1500)):
            _, said = found(text.format(henry, pf), "pot-loading")
            self.assertIn(f"{henry} H", said[0].sentence)
            corners.append(said[0].value)
        self.assertEqual(corners, sorted(corners, reverse=True))
        self.assertEqual(
            found("g: source > v: volume (pot 25 kΩ) > o: output", "pot-loading")[1], []
        )


class Coding(unittest.TestCase):
    def test_mid_and_side_left_undecoded_inside_a_frame(self):
        text = "g: source (stereo) > f: frame{} > o: output (stereo)\n{}"
        coder, decoder = "siding f 1 > a: ms_encode", "siding f 3 > c: ms_decode"
        for order, slots, says in (
            ("", coder, "never decoded"),
            (" (line 1 3)", f"{coder}\n{decoder}", None),
            (" (line 3 1)", f"{coder}\n{decoder}", "nothing coded before it"),
            (" (line 3)", f"{coder}\n{decoder}", "nothing coded before it"),
            ("", coder.replace("ms_encode", "ms_encode (bypassed)"), None),
        ):
            _, said = found(text.format(order, slots), "ms-unpaired")
            with self.subTest(order=order, slots=slots):
                if says is None:
                    self.assertEqual(said, [])
                else:
                    self.assertIn(says, " ".join(f.sentence for f in said))
        after = text.format("", coder).replace("o: output", "d: ms_decode > o: output")
        self.assertEqual(found(after, "ms-unpaired")[1], [])


class Steps(unittest.TestCase):
    def test_no_setting_in_reach_of_the_knobs_is_better(self):
        """Against every mix and 800 steps of trim."""
        rng = np.random.default_rng(4)
        for law, mix_step, level_step in itertools.product(
            ("linear", "equal-power", "full"), (0.01, 0.05, 0.1, 0.25, 0.125), (0.1, 1.0, 3.0)
        ):
            for _ in range(4):
                dry, wet = rng.uniform(0.02, 2, 2)
                mixes = np.arange(0, 1 + 1e-9, mix_step)
                gains = np.array([law_gains(law, float(m)) for m in mixes])
                trims = 10 ** (level_step * np.arange(-400, 401) / 20)
                a = dry - trims[:, None] * gains[:, 0]
                b = wet - trims[:, None] * gains[:, 1]
                least = 10 * math.log10((a * a + b * b).min() / (dry * dry + wet * wet))
                _, _, left = nearest_steps(dry, wet, mix_step, level_step, law)
                with self.subTest(law=law, mix=mix_step, level=level_step):
                    self.assertLessEqual(left, least + 1e-6)
