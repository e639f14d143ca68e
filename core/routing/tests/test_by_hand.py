"""What the rooms of routing say, worked out apart: found missing when the arithmetic was changed and no test noticed."""

import math
import unittest

import numpy as np

from core.routing import Context, Wanted, correction, evaluate, parse_rig
from core.routing.document.kinds import Drive
from core.routing.document.kinds.space import Delay, Reverb
from core.routing.edit.edits import set_words
from core.routing.edit.lay import landings
from core.routing.evaluate.network import build_network, near_amplitudes
from core.routing.evaluate.signal import compile_rig
from core.routing.plan.cells import spectrum_of
from core.routing.plan.laws import Heard, drive
from core.routing.plan.responses import resonant
from core.routing.plan.waves import Wave, depth_share, drawn
from core.routing.tests.rigs import LIGHTHOUSE
from core.units import TempoFrame

SONG = Context(TempoFrame(tempo_bpm=120))


class Corrected(unittest.TestCase):
    RIG = "a: source > s: split > m: merge > o: output\ns > m [level -2.5 dB, delay 4 ms]"

    def test_an_input_takes_what_is_wanted_on_top_of_what_it_has(self):
        rig = parse_rig(self.RIG)
        found = correction(rig, "s.1", Wanted(level_db=-4, later_ms=1.5))
        (action,) = found.actions
        self.assertEqual(action.values, {"level_db": -6.5, "delay_ms": 5.5})
        self.assertIn("level −2.50 to −6.50 dB", found.words)
        self.assertEqual(found.rest, [])

    def test_what_cannot_be_earlier_makes_the_others_wait(self):
        rig = parse_rig(self.RIG)
        found = correction(rig, "s.1", Wanted(later_ms=-6))
        by_rail = {action.rail: action.values for action in found.actions}
        # Its own 4 ms are taken away, the other 2 are waited for by what meets it there.
        self.assertEqual(by_rail["s.1"]["delay_ms"], 0)
        self.assertAlmostEqual(by_rail["s.0"]["delay_ms"], 2)


class Words(unittest.TestCase):
    def test_of_a_setting_stand_its_name_both_values_and_its_unit(self):
        before = Delay(id="d")
        for values, field, said in (
            ({"feedback_percent": 35}, "feedback_percent", "feedback 20 to 35 %"),
            ({"name": "Slap"}, "name", "named “Slap”"),
            ({}, "feedback_percent", ""),
        ):
            old = before.model_copy(update={"feedback_percent": 20})
            self.assertEqual(set_words(old, old.model_copy(update=values), field), said)
        room = Reverb(id="r", locked=False)
        held = room.model_copy(update={"locked": True})
        self.assertEqual(set_words(room, held, "locked"), "locked")
        self.assertEqual(set_words(held, room, "locked"), "not locked")

    def test_a_place_names_two_that_come_there_and_counts_the_rest(self):
        for names, said in (("ab", "beside A and B"), ("abcd", "beside A, B and 2 more")):
            rig = parse_rig(
                "m: merge > o: output\n"
                + "\n".join(f'{c}: source "{c.upper()}" > m' for c in names)
                + "\nz: source > l: level > p: output"
            )
            (place,) = [x for x in landings(rig, "rail", ("l.0",)) if x.place == "m"]
            self.assertIn(said, place.detail)


class Near(unittest.TestCase):
    def test_amplitudes_within_ten_milliseconds_of_the_quickest_way_add_up(self):
        rig = parse_rig(
            "a: source > s: split > m: merge > o: output\n"
            "s > m [level -6 dB, delay 9 ms, inverted]\ns > m [level -12 dB, delay 11 ms]"
        )
        network = build_network(compile_rig(rig, SONG))
        self.assertAlmostEqual(near_amplitudes(network, "o")["a"], 1 + 10 ** (-6 / 20), places=6)

    def test_a_way_that_is_late_as_a_whole_is_counted_from_its_own_beginning(self):
        rig = parse_rig(
            "a: source > l: level (latency 7 ms) > s: split > m: merge > k: level (latency 5 ms) > o: output\n"
            "s > m [level -6 dB, delay 9 ms]\ns > m [level -12 dB, delay 11 ms]"
        )
        network = build_network(compile_rig(rig, SONG))
        self.assertAlmostEqual(near_amplitudes(network, "o")["a"], 1 + 10 ** (-6 / 20), places=6)

    def test_more_ways_than_are_listed_bound_the_headroom_for_a_mono_and_a_stereo_source_alike(
        self,
    ):
        # Three places where five ways fan out and meet: 125 ways of one size, which all add up.
        course = "s1: split > m1: merge > s2: split > m2: merge > s3: split > m3: merge > o: output (stereo)"
        further = "\n".join(f"s{n} > m{n}" for n in (1, 2, 3) for _ in range(4))
        for kind in ("", " (stereo)"):
            rig = parse_rig(f"g: source{kind} > {course}\n{further}")
            (board,) = evaluate(rig, SONG).boards
            self.assertEqual((board.path_count, len(board.arrivals)), (125, 64))
            self.assertAlmostEqual(board.sums.headroom_db, 20 * math.log10(125), places=6)

    def test_a_strip_says_which_of_its_settings_have_nothing_to_work_on(self):
        # Width needs two channels that come in, pan one that goes out to two.
        for source, join, idle in (
            ("", "", ("width", "pan")),
            ("", " (stereo)", ("width",)),
            (" (stereo)", " (stereo)", ()),
        ):
            text = f"g: source{source} > o: output{join} [pan 30 %, width 50 %]"
            plan = compile_rig(parse_rig(text), SONG)
            self.assertEqual(plan.idle.get("g.0", ()), idle, text)


class Resonant(unittest.TestCase):
    def test_at_its_centre_it_turns_by_a_quarter_and_rises_by_its_q(self):
        # s is j there: s^2 + s / Q + 1 is j / Q. An octave on, s is 2j: -3 + 2j / Q.
        for kind, centre, octave in (
            ("low", -2j, 1 / (-3 + 1j)), ("high", 2j, -4 / (-3 + 1j)), ("band", 1, 1j / (-3 + 1j)),
            ("notch", 0, -3 / (-3 + 1j)),
        ):  # fmt: skip
            found = resonant(kind, 800.0, 2.0, np.array([800.0, 1600.0]))
            np.testing.assert_allclose(found, [centre, octave], atol=1e-12, err_msg=kind)


class Driven(unittest.TestCase):
    def test_a_side_that_is_driven_hard_has_its_distortion_whatever_the_other_does(self):
        node = Drive(id="d", gain_db=24, ceiling_dbfs=-12)
        cells = np.asarray(spectrum_of(np.array([100.0, 1e3]), np.ones(2), 1.0, "flat").weights)
        both = drive(node, Heard(0.1, 0.1, cells=cells))
        for one in (Heard(0.1, 1e-9, cells=cells), Heard(1e-9, 0.1, cells=cells)):
            side = int(one.right > one.left)
            found = drive(node, one)
            self.assertIsNotNone(found.colour)
            self.assertAlmostEqual(found.rms[side], both.rms[side], places=9)
            # What is far below the ceiling is only lifted: 24 dB.
            self.assertAlmostEqual(found.rms[1 - side], 10 ** (24 / 20), delta=0.01)


class Combs(unittest.TestCase):
    def level(self, comb: str, beside: str) -> float:
        plan = compile_rig(
            parse_rig(
                f"a: source (level -20 dB) > s: split > x: swept ({comb}) > m: merge > o: output\ns > m [{beside}]"
            ),
            SONG,
        )
        return plan.carried[plan.outputs["o"]].level_dbfs

    def test_the_late_tap_of_a_comb_meets_what_is_as_late(self):
        # Without feedback: a half at once and a half 10 ms later, where the way beside it comes in as well.
        # |0.5 + 1.5 e|^2 is 2.5 and a wave, |0.5 - 0.5 e|^2 is 0.5 and a wave: over many octaves 7 dB apart.
        comb = "mode comb, frequency 50 Hz, feedback 0 %"
        plain, turned = (self.level(comb, f"delay 10 ms{w}") for w in ("", ", inverted"))
        hz = 20 * 1000 ** ((np.arange(200_000) + 0.5) / 200_000)
        late = np.exp(-2j * np.pi * hz * 0.01)
        for found, made in ((plain, 0.5 + 1.5 * late), (turned, 0.5 - 0.5 * late)):
            self.assertAlmostEqual(found, -20 + 10 * math.log10((abs(made) ** 2).mean()), delta=0.3)


class Shapes(unittest.TestCase):
    def test_how_much_alike_two_sides_are_is_kept_within_what_can_be(self):
        hz, power = np.array([100.0, 1000.0]), np.array([1.0, 0.5])
        for given, kept in ((0.3, 0.3), (-0.8, -0.8), (1.7, 1.0), (-2.0, -1.0)):
            self.assertEqual(spectrum_of(hz, power, given).alike, kept)

    def test_a_depth_comes_with_the_level_or_goes_with_it(self):
        for share, percent, left in (
            (0.25, 40, 0.7), (1.0, 40, 1.0), (0.25, -40, 0.9), (1.0, -40, 0.6), (0.5, 0, 1.0)
        ):  # fmt: skip
            self.assertAlmostEqual(float(depth_share(share, percent)), left, msg=(share, percent))

    def test_a_drawn_value_is_gone_to_in_a_straight_line_about_the_edge_of_its_cycle(self):
        wave = Wave(shape="random", seed=5)
        old, now, new = (float(drawn(5, np.array([c]))[0]) for c in (2, 3, 4))
        # Over 0.4 of a cycle: half-way at the edge, a quarter of the old one a tenth after it.
        for at, wanted in (
            (3.0, 0.5 * old + 0.5 * now), (3.1, 0.25 * old + 0.75 * now), (3.5, now),
            (3.9, 0.75 * now + 0.25 * new),
        ):  # fmt: skip
            self.assertAlmostEqual(float(wave._held(np.array([at]), 0.4)[0]), wanted, places=9)


class Repeats(unittest.TestCase):
    def test_only_what_nobody_wants_is_latency_at_every_repeat(self):
        found = evaluate(
            parse_rig(
                "a: source > s: split > m: merge > o: output\n"
                "s > d: delay (time 300 ms, feedback 50 %, mix 100 %, latency 3 ms) > m"
            ),
            LIGHTHOUSE,
        ).boards[0]
        echoes = [x for x in found.arrivals if x.time_ms > 100][:3]
        self.assertEqual([round(x.time_ms, 6) for x in echoes], [303, 603, 903])
        for k, echo in enumerate(echoes):
            self.assertAlmostEqual(echo.latency_ms, 3, places=6, msg=str(k))
            self.assertAlmostEqual(echo.level_db, 20 * math.log10(0.5) * k, places=6)


if __name__ == "__main__":
    unittest.main()
