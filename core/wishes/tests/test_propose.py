"""Proposals against answers worked out by hand; and what must hold of every one."""

import math
import random
import unittest

from core.devices import Panel
from core.devices.panel import Control
from core.errors import FonodromeError
from core.routing import Context, parse_rig, perform
from core.routing.document.demo import DEMO_RIGS
from core.routing.document.wishes import Wish
from core.routing.edit.edits import apply_edit, difference
from core.sheet import Owned
from core.units import TempoFrame
from core.wishes import (
    FreeAsked,
    Looked,
    checked,
    chosen,
    figure_of,
    free_settings,
    propose,
    steady_phrases,
    trade,
)

C = Context(TempoFrame(tempo_bpm=120, beat_unit="1/4", metre_count=4, metre_unit=4))
RIG = """
guitar: source "Guitar" (level -18 dB, crest 12 dB) > ways: split > mix: merge > main: output (stereo)
ways > down: level (level -4 dB) > echo: delay (time 1/8., feedback 40 %) > mix [level -2.5 dB]
ways > hall: reverb "Long hall" (rt60 2 s, pre-delay 20 ms) > mix [level -3 dB]
"""
GAPS = (0.5, 0.3, 1.0)
RT60, FADER, BACK = "node/hall/rt60_s", "rail/hall.0/level_db", "node/echo/feedback_percent"


def over(rig, gaps=GAPS) -> Looked:
    return Looked(rig, C, None if gaps is None else steady_phrases(gaps))


def asked(wishes: str, *free, text: str = RIG, gaps=GAPS, owned=None):
    rig = parse_rig(f"{text}\n{wishes}")
    held = None if not free else [FreeAsked(key=f) if isinstance(f, str) else f for f in free]
    return rig, propose(over(rig, gaps), chosen(rig, C, held, owned))


def moves(proposal) -> dict[str, tuple[str, str]]:
    return {m.key: (m.before, m.after) for m in proposal.moves}


class ByHand(unittest.TestCase):
    def test_one_setting_and_one_wish(self):
        for wish, free, after in (
            # 280 ms are left after the pre-delay, 17 dB have to go: 60 * 0.28 / 17 = 0.988 s.
            ("tail at entries under -20 dB", RT60, "0.95 s"),
            # 8.4 dB go by themselves: the fader does the other 11.6, in half decibels.
            ("tail at entries under -20 dB", FADER, "−12.0 dB"),
            # Five times round, 6.5 dB down already: 53.5 / 5 = 10.7 dB a lap, 29.2 %.
            ("repeats by 1/1 under -60 dB", BACK, "29 %"),
            # A sixty-fourth is 31.25 ms; half a millisecond off may be.
            ("pre-delay off by 1/64 under 0.5 ms", "node/hall/pre_delay", "31 ms"),
            ("level of hall against dry about -10 dB within 0.2 dB", FADER, "−10.0 dB"),
            ("level of hall against dry over 2 dB", FADER, "+2.5 dB"),
        ):  # fmt: skip
            with self.subTest(wish):
                _, out = asked(f"wish {wish}", free)
                self.assertEqual(len(out.proposals), 1)
                self.assertEqual(moves(out.proposals[0])[free][1], after)
                self.assertTrue(out.proposals[0].musts_held)
                self.assertEqual(len(out.proposals[0].moves[0].bought), 1)
                self.assertIn("1 of 1 wishes hold with 1 change, ", out.proposals[0].sentence)

    def test_delays_for_amplifiers_that_arrive_together(self):
        text = "g: source > s: split > m: merge > o: output\ns > a: generic (latency 1.2 ms) > m\ns > b: generic (latency 2.75 ms) > m"
        _, out = asked(
            "wish spread under 0.02 ms", *(f"rail/{p}.0/delay_ms" for p in "sab"), text=text
        )
        got = {k: float(after.split()[0]) for k, (_, after) in moves(out.proposals[0]).items()}
        self.assertAlmostEqual(got["rail/s.0/delay_ms"], 2.75, delta=0.021)
        self.assertAlmostEqual(got["rail/a.0/delay_ms"], 1.55, delta=0.021)
        self.assertNotIn("rail/b.0/delay_ms", got)
        self.assertIn("1 of 1 wishes hold with 2 changes, ", out.proposals[0].sentence)

    def test_a_bound_is_met_by_a_sum_that_comes_to_it(self):
        for bound, value, met, missed in (
            ("under", 0.3, 0.1 + 0.2, 0.300001), ("over", 0.3, 0.3 - 4e-17, 0.299999),
            ("about", 1.0, 1.5 + 1e-12, 1.500001), ("under", 40.0, 40 + 1e-12, 40.01),
        ):  # fmt: skip
            wish = Wish(
                kind="spread", bound=bound, value=value, within=0.5 if bound == "about" else None
            )
            self.assertEqual(wish.short_by(met), 0.0, bound)
            self.assertGreater(wish.short_by(missed), 5e-7, bound)

    def test_ways_that_differ_in_kind_the_smallest_first(self):
        _, out = asked("wish tail at entries under -20 dB", RT60, FADER)
        # A decay of 2 to 0.95 s is 7.8 tenths; the fader takes 9 decibels.
        self.assertEqual([p.sorts for p in out.proposals], [["shorter"], ["levels"]])
        self.assertAlmostEqual(
            out.proposals[0].steps, math.log(2 / 0.95) / math.log(1.1), delta=0.01
        )
        self.assertAlmostEqual(out.proposals[1].steps, 9)
        self.assertEqual(out.proposals[0].name, "By decay and feedback")

    def test_what_holds_already_asks_for_nothing(self):
        _, out = asked("wish tail at entries under -5 dB")
        self.assertEqual((out.proposals, out.contradiction), ([], []))
        self.assertIn("hold already", out.sentence)

    def test_the_fewest_that_cannot_hold_together(self):
        wishes = (
            "wish peak of main under 6 dBFS\nwish tail at entries under -30 dB\n"
            "wish level of hall against dry about -3 dB within 0.5 dB\nwish repeats by 1/1 under -40 dB"
        )
        _, out = asked(wishes, FADER, FreeAsked(key=RT60, low=1.5))
        self.assertEqual(out.contradiction, [1, 2])
        self.assertIn("“Tail at entries under −30.0 dB” and “Level of Long hall", out.sentence)
        # With the decay free they can: 27 dB in 280 ms are 0.62 s.
        _, out = asked(wishes, FADER, RT60)
        self.assertEqual(out.contradiction, [])
        self.assertEqual(moves(out.proposals[0])[RT60][1], "0.6 s")
        # One alone that is out of reach is said to be.
        _, out = asked("wish tail at entries under -60 dB", FreeAsked(key=RT60, low=1.5))
        self.assertEqual(out.contradiction, [0])
        self.assertIn("cannot be reached", out.sentence)

    def test_of_the_demo_s_three_wishes_two_contradict_each_other(self):
        text = next(v for title, _, vs in DEMO_RIGS for _, v in vs if title == "Nine Lanterns")
        rig = parse_rig(text)
        self.assertEqual([w.kind for w in rig.wishes], ["low_end", "gain", "peak"])
        out = propose(over(rig), chosen(rig, C, None))
        # At -20 dBFS with a crest of 12 dB nothing as loud as the bare source stays under -8.
        self.assertEqual(out.contradiction, [1, 2])
        self.assertIn("cannot hold together", out.sentence)
        # Without the peak the others hold as it stands; without the loudness something has to move.
        self.assertEqual([w.holds for w in out.before], [True, True, False])
        names = {p.name: [w.holds for w in p.wishes] for p in out.proposals}
        self.assertEqual(names, {"Without “Louder than bare”": [True, False, True]})

    def test_a_trade_drawn_by_its_points(self):
        rig = parse_rig(
            f"{RIG}\nwish tail at entries under -30 dB\nwish level of hall against dry about -3 dB"
        )
        found = trade(over(rig), chosen(rig, C, [FreeAsked(key=FADER)]), 0, 1)
        # With nothing but the fader a decibel of the one is a decibel of the other.
        for point in found.points:
            self.assertAlmostEqual(
                point.figure - found.now[0], point.other - found.now[1], delta=0.01
            )
        self.assertLessEqual(found.points[-1].figure, -30)
        self.assertEqual(
            found.sentence,
            "Each dB of tail at entries costs 1 dB of level of Long hall against the dry sound.",
        )
        with self.assertRaises(FonodromeError):
            trade(over(rig), chosen(rig, C, None), 0, 0)

    def test_along_a_trade_more_of_the_one_is_less_of_the_other(self):
        text = next(v for title, _, vs in DEMO_RIGS for _, v in vs if title == "Nine Lanterns")
        rig = parse_rig(text)
        points = trade(over(rig, None), chosen(rig, C, None), 1, 2).points
        self.assertGreaterEqual(len(points), 3)
        figures = [p.figure for p in points]
        self.assertEqual(figures, sorted(figures))
        shorts = [rig.wishes[2].short_by(p.other) for p in points]
        for before, after in zip(shorts, shorts[1:], strict=False):
            self.assertLessEqual(before, after + 0.01)
        # At one end the one holds, at the other the other.
        self.assertLessEqual(shorts[0], 0.02)
        self.assertEqual(rig.wishes[1].short_by(figures[-1]), 0)


class Always(unittest.TestCase):
    WISHES = (
        "tail at entries under {} dB", "level of echo against dry under {} dB", "peak of main under {} dBFS",
        "repeats by 1/1 under {} dB", "low end of returns under {} dB",
        "level of hall against dry about {} dB",
    )  # fmt: skip

    def some(self, seed: int) -> list[str]:
        rng = random.Random(seed)
        ranges = ((-30, -12), (-14, -6), (-6, 3), (-70, -45), (-14, -6), (-9, -2))
        picked = rng.sample(range(len(self.WISHES)), rng.randint(1, 3))
        return [f"wish {self.WISHES[i].format(round(rng.uniform(*ranges[i]), 1))}" for i in sorted(picked)]  # fmt: skip

    def test_what_is_proposed_is_measured_so_in_the_rig_that_its_action_makes(self):
        for seed in range(8):
            lines = self.some(seed)
            with self.subTest(seed, lines=lines):
                rig, out = asked("\n".join(lines))
                free = {f.key for f in free_settings(rig, C) if f.usual}
                for proposal in out.proposals:
                    made = perform(rig, proposal.action).rig
                    looked = over(made)
                    for wish, said in zip(rig.wishes, proposal.wishes, strict=True):
                        self.assertAlmostEqual(figure_of(wish, looked), said.figure, places=6)
                        if proposal.musts_held:
                            self.assertLessEqual(wish.short_by(said.figure), 1e-6)
                    self.assertLessEqual({m.key for m in proposal.moves}, free)
                    # Nothing but that differs, and undoing it gives the very document.
                    edit = difference(rig, made)
                    self.assertEqual(apply_edit(made, edit.inverse), rig)
                    parts = {m.part for m in proposal.moves}
                    for name, node in rig.nodes.items():
                        if name not in parts:
                            self.assertEqual(made.nodes[name], node)

    def test_what_is_fulfilled_in_the_plan_measures_as_fulfilled_in_its_render(self):
        fulfilled = 0
        for seed in range(8):
            rig, out = asked("\n".join(self.some(seed + 40)))
            for proposal in out.proposals:
                if not proposal.musts_held:
                    continue
                fulfilled += 1
                told = checked(proposal, over(rig))
                with self.subTest(seed, way=proposal.name):
                    self.assertTrue(told.checked, told.checked_said)
        self.assertGreater(fulfilled, 6)

    def test_the_same_question_has_the_same_answer_and_fewer_wishes_no_larger_change(self):
        for seed in range(5):
            lines = self.some(seed + 20)
            with self.subTest(seed, lines=lines):
                _, one = asked("\n".join(lines))
                _, again = asked("\n".join(lines))
                self.assertEqual(one, again)
                if not one.proposals or one.contradiction:
                    continue
                _, fewer = asked(lines[0])
                if fewer.proposals:
                    # Half a step: what can be set is coarse.
                    self.assertLessEqual(fewer.proposals[0].steps, min(p.steps for p in one.proposals if p.musts_held) + 0.5)  # fmt: skip

    def test_steps_of_a_device_are_kept(self):
        panel = Panel(name="Long hall", controls=(Control(field="rt60_s", shows="clock", low=0.2, high=5.2, step=0.5),))  # fmt: skip
        owned = Owned(panels={"long hall": panel})
        rig, out = asked("wish tail at entries under -20 dB", RT60, owned=owned)
        (proposal,) = out.proposals
        # Half an hour is a quarter of a second on it: 0.95 s stands at 8:30.
        self.assertEqual(moves(proposal)[RT60][1], "8:30")
        made = perform(rig, proposal.action).rig.nodes["hall"]
        self.assertAlmostEqual(made.rt60_s, 0.95)

    def test_a_device_s_step_that_lies_outside_the_range_is_not_taken(self):
        panel = Panel(name="Long hall", controls=(Control(field="rt60_s", shows="clock", low=0.2, high=5.2, step=2),))  # fmt: skip
        owned = Owned(panels={"long hall": panel})
        rig = parse_rig(f"{RIG}\nwish tail at entries under -20 dB")
        # It reads in whole seconds from 0.2 on: 1.2 is the shortest from 1.1 on.
        (rt60,) = chosen(rig, C, [FreeAsked(key=RT60, low=1.1, high=2)], owned)
        self.assertAlmostEqual(rt60.snapped(1.1), 1.2)
        self.assertAlmostEqual(rt60.snapped(1.9), 2.2 if rt60.high >= 2.2 else 1.2)
        # Where none of its steps is in the range, it stays.
        (narrow,) = chosen(rig, C, [FreeAsked(key=RT60, low=1.9, high=2)], owned)
        self.assertEqual(narrow.snapped(1.95), 2)

    def test_ranges_are_kept_and_a_stop_keeps_the_best(self):
        _, out = asked("wish tail at entries under -20 dB", FreeAsked(key=RT60, low=1.2), FADER)
        got = moves(out.proposals[0])
        self.assertGreaterEqual(float(got.get(RT60, ("", "2 s"))[1].split()[0]), 1.2)
        rig = parse_rig(
            f"{RIG}\nwish tail at entries under -20 dB\nwish repeats by 1/1 under -60 dB"
        )
        looks = iter(range(10_000))
        out = propose(over(rig), chosen(rig, C, None), stop=lambda: next(looks) > 25)
        self.assertFalse(out.whole)
        for proposal in out.proposals:
            perform(rig, proposal.action)

    def test_questions_that_cannot_be_asked(self):
        for wishes, free, more, words in (
            ("", (), {}, "No wishes stand"),
            ("wish tail at entries under -20 dB", (), {"gaps": ()}, "no gaps"),
            ("wish level of gone under 0 dBFS", (), {}, "no “gone”"),
            ("wish tail at entries under -20 dB", ("node/gone/rt60_s",), {}, "not there any more"),
            ("wish tail at entries under -20 dB", (FreeAsked(key=RT60, low=3, high=2),), {}, "ends below"),
            ("wish level of o under 0 dBFS", (), {"text": "g: source > m: merge > e: delay (time 9 ms) > s: split > o: output\ns > m [level 2 dB]"}, "grows"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaises(FonodromeError) as fault:
                asked(wishes, *free, **more)
            with self.subTest(words):
                self.assertIn(words, fault.exception.sentence)
        rig = parse_rig(RIG)
        with self.assertRaises(FonodromeError):
            chosen(rig, C, [])

    def test_fifty_wishes_end(self):
        lines = [f"wish should level of hall against dry under {-3 - n / 10} dB" for n in range(50)]
        _, out = asked("\n".join(lines), FADER)
        self.assertGreaterEqual(out.proposals[0].held, 49)


if __name__ == "__main__":
    unittest.main()
