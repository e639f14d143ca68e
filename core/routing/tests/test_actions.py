"""Actions and edits: every template from empty and back, moves along rails, conflicts, scenes."""

import random
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from core.routing import (
    TEMPLATES,
    Edit,
    EditConflict,
    Evaluation,
    Rig,
    RigError,
    apply_edit,
    build,
    build_alternative,
    compile_rig,
    convert,
    copy_parts,
    difference,
    difference_in_words,
    evaluate,
    format_rig,
    parse_rig,
    perform,
)
from core.routing.document.kinds import Beside
from core.routing.edit.actions import (
    AddSend,
    Arrange,
    Bypass,
    Connect,
    Duplicate,
    Insert,
    Intend,
    MarkPath,
    Move,
    Notate,
    Parallel,
    Paste,
    Remove,
    Replace,
    Set,
    SetKey,
    SetStrip,
    Start,
)
from core.routing.edit.edits import with_scene
from core.routing.tests.rigs import LIGHTHOUSE, TWO_SENDS
from core.routing.tests.test_notation import grown


class UndoAndRedo(unittest.TestCase):
    def test_every_template_from_empty_back_to_empty_and_again(self):
        self.assertEqual(len(TEMPLATES), 15)
        for template in TEMPLATES:
            with self.subTest(template.id):
                rig, edits = Rig(), []
                for action in template.actions:
                    after = perform(rig, action).rig
                    edits.append(difference(rig, after))
                    rig = after
                full = rig
                for edit in reversed(edits):
                    rig = apply_edit(rig, edit.inverse)
                self.assertEqual(rig, Rig())
                for edit in edits:
                    rig = apply_edit(rig, edit)
                self.assertEqual(rig, full)
                self.assertTrue(template.when)
                other = build_alternative(template)
                self.assertEqual(other is None, not template.second)
                if other is not None:
                    self.assertNotEqual(other, full)
                    compile_rig(other)

    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 10_000))
    def test_removing_anything_can_be_undone(self, seed):
        rig = grown(seed)
        rng = random.Random(seed)
        name = rng.choice(sorted(rig.nodes))
        try:
            after = perform(rig, Remove(nodes=(name,))).rig
        except RigError:
            return
        edit = difference(rig, after)
        self.assertEqual(apply_edit(after, edit.inverse), rig)
        self.assertNotIn(name, after.nodes)


class TwoTabs(unittest.TestCase):
    def test_edits_elsewhere_merge_and_overlaps_are_refused_with_both_values(self):
        rig = parse_rig(TWO_SENDS)
        mine = difference(rig, perform(rig, Set(node="hall", values={"mix_percent": 100})).rig)
        theirs = perform(rig, Set(node="echo", values={"feedback_percent": 55})).rig
        both = apply_edit(theirs, mine)
        self.assertEqual(
            (both.nodes["hall"].mix_percent, both.nodes["echo"].feedback_percent), (100, 55)
        )
        clash = perform(rig, Set(node="hall", values={"mix_percent": 50})).rig
        with self.assertRaisesRegex(
            EditConflict, "Reverb: mix was changed elsewhere: it is 50 there and .* here"
        ):
            apply_edit(clash, mine)

    def test_a_value_of_a_part_that_is_gone_is_refused(self):
        rig = parse_rig(TWO_SENDS)
        edit = difference(rig, perform(rig, Set(node="hall", values={"mix_percent": 100})).rig)
        with self.assertRaises(EditConflict):
            apply_edit(perform(rig, Remove(nodes=("hall",))).rig, edit)
        self.assertEqual(apply_edit(rig, Edit()), rig)


class Moves(unittest.TestCase):
    def chain(self, *actions) -> str:
        rig = parse_rig("g: source > a: level > b: level > c: level > o: output")
        for action in actions:
            rig = perform(rig, action).rig
        return format_rig(rig).splitlines()[1]

    def test_along_a_rail(self):
        self.assertIn(
            "g: source > b: level > a: level > c: level", self.chain(Move(node="a", by=1))
        )
        self.assertIn(
            "g: source > c: level > a: level > b: level", self.chain(Move(node="c", by=-2))
        )
        self.assertIn("> b: level > c: level > a: level", self.chain(Move(node="a", to="c.0")))
        for node, by in (("a", -1), ("c", 1)):
            with self.assertRaisesRegex(RigError, "end of its rail"):
                self.chain(Move(node=node, by=by))

    def test_insert_replace_duplicate_bypass(self):
        self.assertIn("a: level > delay1 > b", self.chain(Insert(at="a.0", kind="delay")))
        self.assertIn(
            "> b: compressor (output -3 dB) >",
            self.chain(
                Set(node="b", values={"output_db": -3}), Replace(node="b", kind="compressor")
            ),
        )
        self.assertIn(
            "b: level (level -2 dB) > level1 (level -2 dB)",
            self.chain(Set(node="b", values={"level_db": -2}), Duplicate(node="b")),
        )
        self.assertIn("b: level (bypassed)", self.chain(Bypass(node="b")))

    def test_a_path_is_marked_on_its_own_stages(self):
        rig = parse_rig(
            "g: source > c: compressor > s: split > m: merge > o: output\n"
            "s > late: outboard (latency 2 ms) > wide: delay (time 20 ms, mix 100 %, side left) > m"
        )
        through = ("c", "s", "late", "wide", "m")
        mark = MarkPath(
            source="g", output="o", through=through, counts_as="wet", delay_is="intended"
        )
        after = perform(rig, mark).rig
        marks = {n: (x.counts_as, x.delay_is) for n, x in after.nodes.items() if x.is_stage}
        self.assertEqual(
            marks,
            {"c": ("auto", "auto"), "late": ("auto", "intended"), "wide": ("wet", "intended")},
        )
        # The device on every path is not this path's own; nor is a bare rail's split or merge.
        with self.assertRaisesRegex(RigError, "put a level stage on its rail first"):
            perform(rig, mark.model_copy(update={"through": ("c", "s", "m")}))
        # Latency that is wanted is no longer aligned away.
        self.assertTrue(evaluate(rig).align)
        self.assertEqual(evaluate(after).align, [])

    def test_a_path_is_laid_beside_a_stop_and_taken_out(self):
        rig = parse_rig("g: source > f: frame > o: output")
        rig = perform(rig, Arrange(frame="f", place=2, kind="compressor")).rig
        path = Beside(at=2, mix_percent=40)
        laid = perform(rig, Arrange(frame="f", beside=(path,))).rig
        self.assertEqual(laid.nodes["f"].beside, (path,))
        self.assertEqual(len(evaluate(laid).boards[0].arrivals), 2)
        self.assertEqual(perform(laid, Arrange(frame="f", beside=())).rig, rig)
        with self.assertRaisesRegex(RigError, "round siding 5, where nothing stands"):
            perform(rig, Arrange(frame="f", beside=(Beside(at=5),)))

    def test_a_chain_is_copied_from_one_rig_onto_a_rail_of_another(self):
        rig = parse_rig("g: source > a: level > d: delay (time 1/4) > e: reverb > o: output")
        part = copy_parts(rig, ["d", "e"])
        other = perform(
            parse_rig("x: source > d: level > o: output"), Paste(fragment=part, at="x.0")
        ).rig
        self.assertIn(
            "x: source > delay1 (time 1/4) > e: reverb > d: level > o: output", format_rig(other)
        )

    def test_split_and_merge_and_taking_them_away_again(self):
        rig = parse_rig("g: source > a: level > b: level > o: output")
        split = perform(rig, Parallel(start="a.0", kind="delay")).rig
        self.assertEqual(len(Evaluation(split).boards[0].arrivals), 2)
        self.assertEqual(
            perform(split, Remove(nodes=("delay1",))).rig.rails["split1.1"].target, "o"
        )
        self.assertEqual(perform(split, Remove(nodes=("split1",))).rig, rig)

    def test_a_send_goes_with_its_return_and_others_can_join_it(self):
        rig = parse_rig("g: source > a: fader > o: output (stereo)\nv: source > b: fader > o")
        rig = perform(rig, AddSend(at="a.0", kind="reverb", into="o", level_db=-6)).rig
        rig = perform(rig, AddSend(at="b.0", to="bus1", level_db=-9)).rig
        boards = {b.source: b for b in Evaluation(rig).boards}
        wet = [a for a in boards["v"].arrivals if a.wet_percent]
        self.assertAlmostEqual(wet[0].level_db, -9, delta=0.02)
        self.assertEqual(perform(rig, Remove(nodes=("send2",))).rig.rails["b.0"].target, "o")
        with self.assertRaisesRegex(RigError, "takes one input"):
            perform(rig, AddSend(at="b.0", to="a"))

    def test_a_line_calls_at_each_siding_once_and_lines_are_kept(self):
        rig = next(build(t) for t in TEMPLATES if t.id == "insert-frame")
        turned = perform(rig, Arrange(frame="frame1", calls=(3, 1))).rig
        self.assertEqual(
            [s.title for s in turned.nodes["frame1"].running()], ["Drive", "Compressor"]
        )
        for calls, words in (((1, 1, 2), "siding 1 twice"), ((1, 7), "siding 7, where nothing")):
            with self.assertRaisesRegex(RigError, words):
                perform(rig, Arrange(frame="frame1", calls=calls))
        self.assertEqual(
            [x.name for x in rig.nodes["frame1"].lines], ["Level first", "Drive first"]
        )
        other = perform(rig, Arrange(frame="frame1", take="Drive first")).rig
        self.assertEqual(other.nodes["frame1"].calls, (3, 2, 1))
        self.assertNotEqual(
            Evaluation(other).report().outputs[0], Evaluation(rig).report().outputs[0]
        )
        kept = perform(turned, Arrange(frame="frame1", keep="Drive first")).rig
        self.assertEqual([x.calls for x in kept.nodes["frame1"].lines], [(1, 2, 3), (3, 1)])
        self.assertEqual(
            len(
                perform(kept, Arrange(frame="frame1", drop="Drive first")).rig.nodes["frame1"].lines
            ),
            1,
        )
        with self.assertRaisesRegex(RigError, "No line is kept as “B”"):
            perform(rig, Arrange(frame="frame1", take="B"))

    def test_what_stands_at_a_siding_is_named_set_switched_and_taken_away_there(self):
        rig = next(build(t) for t in TEMPLATES if t.id == "insert-frame")
        named = perform(
            rig, Arrange(frame="frame1", place=3, values={"name": "Fuzz", "bypassed": True})
        ).rig
        stage = named.nodes["frame1"].standing(3)
        self.assertEqual((stage.shown, stage.bypassed, stage.gain_db), ("Fuzz", True, 8))
        self.assertEqual(named.nodes["frame1"].calls, rig.nodes["frame1"].calls)
        gone = perform(rig, Arrange(frame="frame1", place=1, clear=True)).rig.nodes["frame1"]
        self.assertEqual((gone.calls, gone.beside), ((2, 3), ()))
        self.assertEqual([x.calls for x in gone.lines], [(2, 3), (3, 2)])
        other = perform(rig, Arrange(frame="frame1", place=1, kind="reverb")).rig.nodes["frame1"]
        self.assertEqual((other.standing(1).title, other.calls), ("Reverb", (1, 2, 3)))
        for action, words in (
            (Arrange(frame="frame1", place=5, values={"name": "x"}), "Nothing stands at siding 5"),
            (Arrange(frame="frame1", place=5, clear=True), "Nothing stands at siding 5"),
            (Arrange(frame="frame1", place=12, kind="drive"), "it has 8 places"),
            (Arrange(frame="frame1", place=3, values={"gain_db": 900}), "less than or equal"),
            (Arrange(frame="frame1", place=3, values={"colour": 1}), "has no “colour”"),
            (Arrange(frame="frame1", place=4, kind="ducker"), "Siding 4"),
            (Arrange(frame="guitar", place=1, kind="drive"), "has no sidings"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(RigError, words):
                perform(rig, action)

    def test_a_change_of_sidings_can_be_undone_to_the_letter(self):
        rig = next(build(t) for t in TEMPLATES if t.id == "insert-frame")
        for action in (
            Arrange(frame="frame1", place=1, clear=True),
            Arrange(frame="frame1", place=6, kind="chorus"),
            Arrange(frame="frame1", calls=()),
            Arrange(frame="frame1", keep="Third"),
        ):
            after = perform(rig, action).rig
            edit = difference(rig, after)
            self.assertEqual(apply_edit(rig, edit), after)
            self.assertEqual(apply_edit(after, edit.inverse), rig)

    def test_what_cannot_be_done_says_so_and_changes_nothing(self):
        rig = parse_rig(TWO_SENDS)
        for action, words in [
            (Insert(at="hall.0", kind="source"), "stands at the start"),
            (Insert(at="nowhere.0", kind="level"), "There is no “nowhere”"),
            (Insert(at="hall.0", kind="level", values={"level_db": 999}), "less than or equal"),
            (Set(node="hall", values={"colour": 1}), "has no “colour”"),
            (SetStrip(rail="guitar.0", values={"level_db": -3}), "is no merge"),
            (Remove(nodes=("ghost",)), "There is no “ghost”"),
            (Connect(port="hall.0", to="mix"), "goes somewhere already"),
            (Replace(node="ways", kind="delay"), "stage can be replaced"),
            (SetKey(keyed="hall", tap="guitar"), "takes no key"),
            (Notate(text="guitar > >"), "Line 1"),
            (Start(kind="source", id="hall"), "a “hall” already"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(RigError, words):
                perform(rig, action)


class Conversions(unittest.TestCase):
    INSERT = (
        "g: source > d: delay (mix 30 %, time 100 ms, feedback 20 %, latency 2 ms, output -2 dB) "
        "> f: fader (level -3 dB) > m: output (stereo)"
    )

    def board(self, rig):
        arrivals = Evaluation(rig, LIGHTHOUSE).boards[0].arrivals
        return [(round(a.gain_db, 6), round(a.time_ms, 6), a.polarity) for a in arrivals]

    def test_there_and_back_sounds_the_same(self):
        rig = parse_rig(self.INSERT)
        for form in ("parallel", "return"):
            done = convert(Evaluation(rig), "d", form)
            self.assertTrue(done.exact, done.sentence)
            self.assertEqual(self.board(done.rig), self.board(rig), form)
        parallel = convert(Evaluation(rig), "d", "parallel").rig
        back = convert(Evaluation(parallel), "d", "insert")
        self.assertEqual(self.board(back.rig), self.board(rig))
        self.assertAlmostEqual(back.rig.nodes["d"].mix_percent, 30, places=9)

    def test_a_bare_merge_goes_with_its_second_rail_and_one_with_a_setting_stays(self):
        text = "g: source > s: split > m: merge{} > o: output\ns > d: delay (time 100 ms, mix 100 %) > m"
        for own, left in (("", ["d", "g", "o"]), (" (level -3 dB)", ["d", "g", "m", "o"])):
            done = convert(Evaluation(parse_rig(text.format(own))), "d", "insert")
            self.assertEqual(sorted(done.rig.nodes), left)
            # Dry and wet alike: half and half, twice as loud; the merge's own 3 dB where it was.
            self.assertAlmostEqual(done.rig.nodes["d"].mix_percent, 50)
            self.assertAlmostEqual(done.rig.nodes["d"].output_db, 6.0206, places=3)

    def test_the_null_that_steps_of_the_controls_allow(self):
        rig = parse_rig(
            "g: source > s: split > m: output\ns > d: delay (time 100 ms) > m [level -2.5 dB]"
        )
        done = convert(Evaluation(rig), "d", "insert")
        self.assertAlmostEqual(done.null_db, -45.893164226526125, places=9)

    def test_what_breaks_it_is_named(self):
        for text, form, words in [
            (
                "g: source > s: split (mode balance, balance 30 %) > m: output\n"
                "s > d: compressor > m",
                "insert",
                "10.46 dB in front of Compressor would be missing",
            ),
            (
                "g: source > s: split > m: merge (crossfade 30 %) > o: output\ns > d: chorus (locked) > l: level > m\n"
                "x: source > m",
                "insert",
                "not bare",
            ),
            (
                "g: source > d: delay (mix 40 %) > drive > m: output",
                "return",
                "Drive stands behind it",
            ),
            ("g: source > d: delay > m: output", "return", "fully wet"),
            (
                "g: source > s: split > m: output\ns > d: delay > m [pan 20 %]",
                "insert",
                "panned apart",
            ),
            (
                "g: source > s: split > m: output\ns > d: delay (latency 3 ms) > m",
                "insert",
                "3.00 ms of latency",
            ),
            (
                "g: source > s: split > m: output\ns > d: delay > m [inverted]",
                "insert",
                "opposite polarity",
            ),
            ("g: source > s: split > level > m: output\ns > d: delay > m", "insert", "not bare"),
        ]:
            with self.subTest(words):
                done = convert(Evaluation(parse_rig(text)), "d", form)
                self.assertIsNone(done.rig)
                self.assertIn(words, done.sentence)
        moving = convert(
            Evaluation(parse_rig("g: source > d: chorus > m: output")), "d", "parallel"
        )
        # A compressor beside a dry rail hears what it heard in the insert: nothing breaks that.
        squeezed = convert(
            Evaluation(parse_rig("g: source > d: compressor (mix 50 %) > m: output")),
            "d",
            "parallel",
        )
        self.assertTrue(squeezed.exact, squeezed.sentence)
        self.assertFalse(moving.exact)
        self.assertIn("not locked", moving.breaks[0])


class Words(unittest.TestCase):
    def test_what_differs_is_said_in_words_and_numbers(self):
        rig = parse_rig(TWO_SENDS)
        other = perform(rig, Set(node="hall", values={"mix_percent": 100})).rig
        other = perform(other, Insert(at="echo.0", kind="filter")).rig
        other = perform(other, SetStrip(rail="hall.0", values={"level_db": -6})).rig
        self.assertEqual(
            difference_in_words(rig, other),
            [
                "Filter is new",
                "Reverb: mix 27 % → 100 %",
                "Delay goes to Filter, not Merge",
                "Where Reverb goes in: level -3 dB → -6 dB",
            ],
        )

    def test_a_scene_sets_stages_and_leaves_the_rig_alone(self):
        rig = parse_rig(
            TWO_SENDS + '\nscene "Dry" program 2: off hall; echo (time 1/4, feedback 10 %)'
        )
        dry = with_scene(rig, rig.scenes[0])
        self.assertTrue(dry.nodes["hall"].bypassed)
        self.assertEqual((dry.nodes["echo"].time, rig.nodes["echo"].time), ("1/4", "1/8."))

    def test_a_mark_as_intended_is_kept_with_its_reason(self):
        rig = parse_rig(TWO_SENDS)
        marked = perform(rig, Intend(check="parallel-not-wet", at="hall", reason="slap")).rig
        self.assertEqual(marked.intended[0].reason, "slap")
        self.assertEqual(
            perform(marked, Intend(check="parallel-not-wet", at="hall", on=False)).rig, rig
        )
