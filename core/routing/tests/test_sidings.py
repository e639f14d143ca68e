"""Frames as they were stored and written before they had sidings: read as what they were."""

import unittest

from core.routing import Evaluation, RigError, format_rig, load_rig, parse_rig

OLD = {
    "version": 3,
    "title": "Old",
    "nodes": {
        "g": {"kind": "source", "id": "g", "level_dbfs": -20},
        "f": {
            "kind": "frame", "id": "f", "size": 6, "order": "CAB", "half": "{}",
            "slots": [
                {"label": "A", "stage": {"kind": "level", "id": "a", "level_db": -1}},
                {"label": "B", "stage": {"kind": "level", "id": "b", "level_db": -2}},
                {"label": "C", "stage": {"kind": "level", "id": "c", "level_db": -4}},
                {"label": "D", "stage": {"kind": "level", "id": "d", "level_db": -8}},
            ],
            "sections": [{"follows": "processor", "at": "A", "mix_percent": 100, "level_db": 0}],
        },
        "o": {"kind": "output", "id": "o"},
    },
    "rails": {"g.0": {"target": "f"}, "f.0": {"target": "o"}},
    "scenes": [{"name": "Turned", "values": {"f": {"order": "BA", "half": "whole"}}}],
}  # fmt: skip
WRITTEN = (
    "g: source (level -20 dB) > f: frame (order CAB, half {}, slots 6) > o: output\n"
    'scene "Turned": f (order BA, half whole)\n'
    "slot f A > a: level (level -1 dB)\nslot f B > b: level (level -2 dB)\n"
    "slot f C > c: level (level -4 dB)\nslot f D > d: level (level -8 dB)\n"
    "beside f {} (mix 100 %, level 0 dB)\n"
)


def old(half: str = "whole", **section: object) -> dict:
    frame = {**OLD["nodes"]["f"], "half": half}
    if section:
        frame["sections"] = [{"mix_percent": 100, "level_db": 0, **section}]
    return {**OLD, "nodes": {**OLD["nodes"], "f": frame}}


class OldFrames(unittest.TestCase):
    # What ran: of C, A, B the whole, the first two, the last one.
    RAN = {"whole": (3, 1, 2), "first": (3, 1), "second": (2,)}
    LEVELS = {"whole": -7, "first": -5, "second": -2}

    def test_a_stored_frame_runs_what_it_ran(self):
        for half, calls in self.RAN.items():
            with self.subTest(half=half):
                rig = load_rig(old(half))
                frame = rig.nodes["f"]
                self.assertEqual((frame.calls, frame.places), (calls, 6))
                self.assertEqual([s.place for s in frame.sidings], [1, 2, 3, 4])
                level = Evaluation(rig).report().outputs[0].nominal_dbfs
                self.assertAlmostEqual(level, -20 + self.LEVELS[half], places=6)

    def test_the_whole_of_a_halved_order_is_kept_as_a_line(self):
        frame = load_rig(old("first")).nodes["f"]
        self.assertEqual([(x.name, x.calls) for x in frame.lines], [("Whole line", (3, 1, 2))])
        self.assertEqual(load_rig(old("whole")).nodes["f"].lines, ())

    def test_paths_stay_with_what_they_were_laid_round(self):
        self.assertEqual(load_rig(old()).nodes["f"].beside[0].at, 1)
        by_turn = load_rig(old("whole", follows="position", at="2")).nodes["f"].beside[0]
        self.assertEqual((by_turn.of, by_turn.at), ("turn", 2))
        # Of a second half turns were counted from the first.
        late = load_rig(old("second", follows="position", at="3")).nodes["f"].beside[0]
        self.assertEqual((late.of, late.at), ("turn", 1))
        # Round an empty place it did nothing.
        self.assertEqual(load_rig(old("whole", follows="processor", at="F")).nodes["f"].beside, ())

    def test_a_scene_that_turned_the_order_turns_the_line(self):
        self.assertEqual(load_rig(old("first")).scenes[0].values, {"f": {"calls": [2, 1]}})

    def test_without_an_order_all_ran_by_their_letters(self):
        frame = {k: v for k, v in OLD["nodes"]["f"].items() if k != "order"}
        rig = load_rig({**OLD, "nodes": {**OLD["nodes"], "f": {**frame, "half": "whole"}}})
        self.assertEqual(rig.nodes["f"].calls, (1, 2, 3, 4))

    def test_letters_beyond_the_sixteenth_stand_in_a_row(self):
        slots = [{"label": c, "stage": {"kind": "level", "id": c.lower()}} for c in "ZBT"]
        frame = {"kind": "frame", "id": "f", "order": "ZB", "slots": slots}
        rig = load_rig({**OLD, "scenes": [], "nodes": {**OLD["nodes"], "f": frame}})
        self.assertEqual(rig.nodes["f"].calls, (3, 1))

    def test_the_old_notation_reads_as_the_old_document(self):
        for half in self.RAN:
            with self.subTest(half=half):
                read = parse_rig(WRITTEN.format(half, "processor A"))
                self.assertEqual(read.nodes["f"], load_rig(old(half)).nodes["f"])
                again = format_rig(read)
                self.assertNotIn("slot", again)
                self.assertNotIn("order", again)
                self.assertEqual(parse_rig(again), read)

    def test_what_names_no_place_is_said_with_its_line(self):
        base = "g: source > f: frame > o: output\n"
        for text, words in (
            ("siding f > level", "a siding reads"),
            ("siding f A > level", "“A” is no siding"),
            ("siding f 40 > level", "“40” is no siding"),
            ("siding f 0 > level", "“0” is no siding"),
            ("siding f ² > level", "“²” is no siding"),
            ("siding f " + "9" * 6000 + " > level", "is no siding"),
            ("siding f 1 > level1\nsiding f 1 > level1", "siding 1 is described already"),
            ("siding f 1 > level1\nline f: " + "9" * 6000, "is no siding"),
            ("siding f 1 > level1\nbeside f turn ² (mix 5 %)", "“²” is no siding"),
            ("s." + "9" * 6000 + " > o", "no part of a rig"),
            ('scene "A" program ' + "9" * 6000 + ": off g", "a scene reads"),
            ("siding f 1 > ducker1", "Line 2"),
            ("siding f 1 > level1\nline f: 1 1", "siding 1 twice"),
            ("siding f 1 > level1\nline f: 2", "siding 2, where nothing stands"),
            ("line f: first", "“first” is no siding"),
            ("line f", "a line reads"),
            ("siding f 1 > level1\nbeside f stop x (mix 5 %)", "“x” is no siding"),
            ("siding f 1 > level1\nbeside f stop 2 (mix 5 %)", "round siding 2"),
            ("slot f 1 > level1", "a siding reads"),
            ("siding q 1 > level1", "no “q”"),
        ):
            with self.subTest(text=text), self.assertRaisesRegex(RigError, words):
                parse_rig(base + text)

    def test_settings_of_a_line_are_read_or_said(self):
        text = "g: source > f: frame ({}) > o: output\nsiding f 2 > level1\nsiding f 1 > drive1"
        self.assertEqual(parse_rig(text.format("line 2 1")).nodes["f"].calls, (2, 1))
        self.assertEqual(parse_rig(text.format("line none")).nodes["f"].calls, ())
        # Without a word about it the line calls at all of them in a row.
        self.assertEqual(parse_rig(text.format("output 0 dB")).nodes["f"].calls, (1, 2))
        for said, words in (
            ("line", "names its sidings"), ("line 2 ²", "no siding"), ("slots 1e999", "no siding"),
            ("slots 40", "no siding"), ("half third", "half is whole"), ("order A-B", "order is up to"),
        ):  # fmt: skip
            with self.subTest(said=said), self.assertRaisesRegex(RigError, words):
                parse_rig(text.format(said))

    def test_a_long_line_is_read_in_no_time_that_grows_with_its_square(self):
        """Sixty thousand letters of every sort: a pattern that gives back what it took would take
        minutes, and the test would not end.
        """
        base = "g: source > f: frame > o: output\n"
        for rest in ("f" + " " * 50_000 + "x", 'f "' + "a" * 50_000, "f" * 50_000, "f :" * 15_000):
            for word in ("line", "siding", "beside", "slot"):
                with self.assertRaises(RigError):
                    parse_rig(f"{base}{word} {rest}")
