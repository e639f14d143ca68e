"""Rails laid by hand: where they leave, where they may land, and what that does to the sound.

Levels that are expected come from adding amplitudes and powers here, not from the code under test.
"""

import math
import random
import unittest

from core.routing import Context, Evaluation, Rig, RigError, parse_rig, perform
from core.routing.edit.actions import Disconnect, Insert, Lay, Remove, Start
from core.routing.edit.lay import landings
from core.routing.show.minis import differing, minis
from core.routing.show.trial import landing_view, try_action
from core.routing.tests.rigs import TWO_SENDS, rig

CHAIN = "g: source (level -20 dB) > a: level > b: level > c: level > o: output"


def level(document: Rig, output: str = "o") -> float:
    found = {x.output: x.nominal_dbfs for x in Evaluation(document).report().outputs}
    return found[output]


class Laying(unittest.TestCase):
    def test_a_plain_rail_beside_a_run_doubles_what_passes_it(self):
        laid = perform(rig(CHAIN), Lay(by="split", starts=("a.0",), to="b.0"))
        # The same sound twice, in step: 20 log 2.
        self.assertAlmostEqual(level(laid.rig), -20 + 20 * math.log10(2), places=3)
        self.assertEqual(laid.rig.rails["c.0"].target, "o")
        self.assertIn(laid.select, laid.rig.rails)

    def test_a_stage_on_the_new_rail_is_what_it_goes_through(self):
        laid = perform(
            rig(CHAIN),
            Lay(by="split", starts=("a.0",), to="b.0", kind="level", values={"level_db": -6}),
        )
        # 1 + 10^(-6/20)
        self.assertAlmostEqual(level(laid.rig), -20 + 20 * math.log10(1 + 10**-0.3), places=3)
        self.assertEqual(laid.rig.nodes[laid.select].level_db, -6)

    def test_it_joins_what_takes_many_and_splits_that_are_there_are_used(self):
        document = rig(TWO_SENDS)
        laid = perform(document, Lay(by="split", starts=("ways.1",), to="mix", kind="drive"))
        self.assertEqual(laid.rig.rails["ways.3"].target, laid.select)
        self.assertEqual(len(laid.rig.nodes), len(document.nodes) + 1)
        self.assertEqual(laid.rig.inputs["mix"].count(f"{laid.select}.0"), 1)

    def test_an_output_of_its_own_hears_what_was_split_off(self):
        laid = perform(rig(CHAIN), Lay(by="split", starts=("a.0",), to="output"))
        out = laid.rig.rails[laid.select].target
        self.assertAlmostEqual(level(laid.rig, out), -20, places=3)
        self.assertAlmostEqual(level(laid.rig), -20, places=3)
        again = perform(laid.rig, Insert(at="c.0", kind="output"))
        self.assertEqual(len(list(again.rig.of_kind("output"))), 3)
        self.assertEqual(type(again.rig.nodes[again.select]).title, "Output")

    def test_several_are_sent_to_one_new_return_at_once(self):
        document = rig("a: source > o: output\nb: source > o\nc: source > o")
        laid = perform(
            document,
            Lay(by="send", starts=("a.0", "b.0", "c.0"), to="o", kind="reverb", level_db=-9),
        )
        sends = list(laid.rig.of_kind("send"))
        self.assertEqual([s.level_db for s in sends], [-9, -9, -9])
        bus = {laid.rig.rails[f"{s.id}.1"].target for s in sends}
        self.assertEqual(len(bus), 1)
        self.assertEqual(laid.select, "reverb1")
        self.assertEqual(laid.said, "3 rails laid together")
        # To the bus that is there now: one send more, and nothing else.
        more = perform(laid.rig, Lay(by="send", starts=("b.0",), to=bus.pop()))
        self.assertEqual(len(more.rig.nodes), len(laid.rig.nodes) + 1)

    def test_sources_gathered_on_a_bus_keep_their_strips(self):
        document = rig("a: source > o: output (stereo)\nb: source > o [level -3 dB, pan 40 %]")
        laid = perform(document, Lay(by="end", starts=("a.0", "b.0"), to="bus", join="bus"))
        bus = laid.select
        self.assertEqual(laid.rig.rails[f"{bus}.0"].target, "o")
        self.assertEqual(laid.rig.rails["b.0"].strip.pan_percent, 40)
        self.assertEqual({p.target for p in laid.rig.rails.values()}, {bus, "o"})

    def test_a_rail_that_is_led_elsewhere_leaves_no_merge_without_need(self):
        laid = perform(rig(CHAIN), Lay(by="split", starts=("a.0",), to="b.0", kind="drive"))
        moved = perform(laid.rig, Lay(by="end", starts=("drive1.0",), to="o")).rig
        self.assertEqual([n for n in moved.nodes if n.startswith("merge")], [])
        self.assertEqual(moved.rails["drive1.0"].target, "o")
        with self.assertRaisesRegex(RigError, "goes there already"):
            perform(moved, Lay(by="end", starts=("drive1.0",), to="o"))

    def test_taking_out_closes_the_rail_and_what_only_fed_it_goes(self):
        document = rig(CHAIN)
        laid = perform(document, Lay(by="split", starts=("a.0",), to="b.0", kind="drive")).rig
        self.assertEqual(perform(laid, Remove(nodes=("drive1",))).rig.rails["a.0"].target, "split1")
        self.assertEqual(perform(laid, Disconnect(port="drive1.0", feed=True)).rig, document)

    def test_nothing_leaves_an_output_and_nothing_lands_in_a_stage(self):
        document = rig(CHAIN)
        for action, words in (
            (Lay(by="split", starts=("o.0",), to="a.0"), "Nothing comes after"),
            (Lay(by="end", starts=("a.0",), to="c"), "takes one input"),
            (Lay(by="split", starts=("x.0",), to="o"), "no “x”"),
            (Lay(by="split", starts=("a.0",), to="y.0"), "no “y”"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(RigError, words):
                perform(document, action)

    def test_a_full_rig_takes_no_more_and_says_so(self):
        stages = " > ".join(f"l{n}: level" for n in range(598))
        full = parse_rig(f"g: source > {stages} > o: output")
        for action in (
            Insert(at="l3.0", kind="delay"),
            Lay(by="send", starts=("l3.0",), to="o", kind="reverb"),
        ):
            with self.assertRaisesRegex(RigError, "up to 600 parts. Take something out first"):
                perform(full, action)
        for one in landing_view(full, Lay(by="split", starts=("l3.0",), to="o"), None)[:12]:
            self.assertFalse(one.possible)
            self.assertIn("up to 600 parts", one.why)

    def test_whatever_is_offered_can_be_laid_and_undone_by_taking_it_out(self):
        rng = random.Random(7)
        document = rig(TWO_SENDS)
        for _ in range(40):
            port = rng.choice(sorted(document.rails))
            by = rng.choice(("split", "send", "end"))
            for one in landings(document, by, (port,)):
                with self.subTest(by=by, port=port, place=one.place):
                    done = perform(document, Lay(by=by, starts=(port,), to=one.place))
                    self.assertIn(done.select, {**done.rig.nodes, **done.rig.rails})
                    Evaluation(done.rig).report()


class Landings(unittest.TestCase):
    def test_beside_a_run_it_rejoins_behind_it_first_and_loops_come_last(self):
        found = landings(rig(CHAIN), "split", ("a.0",), "b.0")
        self.assertEqual((found[0].place, found[0].name), ("b.0", "Right after Level"))
        self.assertEqual([f.place for f in found if f.sort == "loop"], ["g.0"])
        self.assertEqual(found[-1].sort, "loop")
        self.assertNotIn("a.0", [f.place for f in found])

    def test_a_rail_is_not_led_to_where_it_goes(self):
        places = [f.place for f in landings(rig(TWO_SENDS), "end", ("hall.0",))]
        self.assertNotIn("mix", places)
        self.assertIn("main", places)

    def test_a_speaker_is_no_place_for_line_level_and_says_so(self):
        document = rig(
            "g: source > p: power_amp > k: cabinet > m: microphone > o: output\nh: source > q: output"
        )
        found = {f.place: f for f in landings(document, "split", ("h.0",))}
        self.assertFalse(found["p.0"].possible)
        self.assertIn("line level", found["p.0"].why)
        self.assertTrue(found["o"].possible)

    def test_each_place_says_what_it_does_to_the_outputs(self):
        found = landing_view(rig(CHAIN), Lay(by="split", starts=("a.0",), to="output"), "b.0")
        by = {f.place: f for f in found}
        self.assertEqual(by["b.0"].effect, "Output +6.0 dB")
        self.assertEqual(by["output"].effect, "Output new, −20.0 dBFS")
        self.assertTrue(by["g.0"].closes)

    def test_a_loop_is_offered_with_its_gain(self):
        document = rig("g: source > a: level > b: level (level -4.5 dB) > o: output")
        found = landing_view(document, Lay(by="split", starts=("b.0",), to="output"), None)
        loop = next(f for f in found if f.place == "g.0")
        # Once round is b alone.
        self.assertAlmostEqual(loop.loop_db, -4.5, places=2)
        # 1 + 10^(-4.5/20) + ... = 1 / (1 - 0.596): a plain rail round it, in step at once.
        gained = float(loop.effect.removeprefix("Output +").removesuffix(" dB"))
        self.assertAlmostEqual(gained, -20 * math.log10(1 - 10 ** (-4.5 / 20)), delta=0.15)
        louder = rig("g: source > a: level (level 2 dB) > b: level > o: output")
        found = landing_view(louder, Lay(by="split", starts=("b.0",), to="output"), None)
        self.assertEqual(next(f for f in found if f.place == "g.0").effect, "it has no end")

    def test_a_return_comes_back_where_the_dry_sound_ends(self):
        document = rig(
            "v: source > x: send > f: fader > o: output\nx > b: bus > d: delay > r: return > o"
        )
        for start in ("v.0", "f.0"):
            found = landings(document, "send", (start,))
            self.assertEqual(found[0].place, "o", start)
        # Split off, it may well go to what is nearest.
        self.assertNotEqual(landings(document, "split", ("v.0",))[0].place, "o")

    def test_several_that_are_led_can_get_a_bus_of_their_own(self):
        found = landings(rig("a: source > o: output\nb: source > o"), "end", ("a.0", "b.0"))
        self.assertEqual(found[0].place, "bus")
        self.assertIn("Output", found[0].detail)

    def test_nothing_selected_is_a_sentence(self):
        with self.assertRaisesRegex(RigError, "Select a stage"):
            landings(rig(CHAIN), "split", ())


class Trying(unittest.TestCase):
    def test_what_is_tried_is_what_it_would_be_and_nothing_is_touched(self):
        document = rig(TWO_SENDS)
        before = document.model_dump()
        action = Lay(by="split", starts=("ways.2",), to="hall.0", kind="chorus")
        trial = try_action(document, action)
        done = perform(document, action)
        self.assertEqual(document.model_dump(), before)
        self.assertEqual(trial.document, done.rig)
        self.assertEqual(trial.report, Evaluation(done.rig, Context()).report())
        self.assertEqual({n.id for n in trial.layout.nodes}, set(done.rig.nodes))

    def test_minis_mark_what_differs_from_the_first(self):
        first = parse_rig("g: source > a: level > o: output")
        other = parse_rig("g: source > b: drive > o: output [level -3 dB]")
        differs, gone = differing(first, other)
        self.assertEqual(differs, ["b", "b.0", "g.0"])
        self.assertEqual(gone, ["Level"])
        small = minis([(first, Context()), (other, Context())])
        self.assertEqual(small[0].differing, [])
        self.assertEqual({n.id for n in small[1].layout.nodes}, set(other.nodes))

    def test_another_source_goes_where_it_is_told(self):
        done = perform(rig(CHAIN), Start(kind="source", into="o"))
        self.assertEqual(done.rig.rails[f"{done.select}.0"].target, "o")
