"""What is a cable and what is not, where it ends, and the numbers of all; rigs worked out by hand."""

import csv
import io
import unittest

from core.routing import (
    TEMPLATES,
    Edit,
    RigError,
    apply_edit,
    build,
    difference,
    difference_in_words,
    format_rig,
    parse_rig,
    patch_csv,
    perform,
    rig_view,
)
from core.routing.edit.actions import Insert, Remove, SetCable, SetStrip


def patch(text: str):
    return rig_view(parse_rig(text)).patch


def ends(text: str) -> list[tuple[str, str, str, str]]:
    return [(c.source, c.from_jack, c.target, c.to_jack) for c in patch(text).cables]


class Cables(unittest.TestCase):
    def test_pedals_one_after_the_other(self):
        self.assertEqual(
            ends('a: source "Bass" > compressor > drive > o: output "Desk"'),
            [("Bass", "", "Compressor", ""), ("Compressor", "", "Drive", ""), ("Drive", "", "Desk", "")],
        )  # fmt: skip

    def test_sends_and_returns_of_a_mixer_are_inside_it(self):
        found = ends(
            'v: source "Voice" > send1 (level -9 dB) > f: fader > m: merge > o: output "Main"\n'
            'send1 > bus1 > plate: reverb "Plate" > back: return > m'
        )
        self.assertEqual(
            found,
            [
                ("Voice", "", "Mixer", "input 1"), ("Mixer", "send 1", "Plate", ""),
                ("Plate", "", "Mixer", "input 2, 3"), ("Mixer", "main", "Main", ""),
            ],
        )  # fmt: skip

    def test_a_split_before_pedals_is_a_box_and_one_before_channels_is_not(self):
        box = ends("a: source > s: split > d: drive > m: merge > o: output\ns > m")
        self.assertIn(("Split", "output 2", "Mixer", "input 1"), box)
        inside = ends(
            "a: source > s: split > m: merge > o: output\ns > l: level > r: reverb > b: return > m"
        )
        self.assertEqual([c[:2] for c in inside if "Split" in c], [])
        self.assertIn(("Mixer", "send 1", "Reverb", ""), inside)

    def test_a_level_between_pedals_is_a_pedal(self):
        self.assertIn(("Level", "", "Drive", ""), ends("a: source > level > drive > o: output"))

    def test_an_output_that_adds_does_so_in_the_mixer(self):
        found = ends('a: source > o: output "Main" (stereo) [pan -30 %]\nb: source > drive > o')
        self.assertEqual(
            found,
            [
                ("Source", "", "Drive", ""), ("Drive", "", "Mixer", "input 1"),
                ("Source", "", "Mixer", "input 2"), ("Mixer", "main", "Main", ""),
            ],
        )  # fmt: skip

    def test_sound_in_a_room_goes_through_no_cable(self):
        text = (
            "a: source > s: split > p: power_amp > c: cabinet > o: output\n"
            "s > q: power_amp > d: cabinet > o"
        )
        found = patch(text)
        self.assertEqual([c.target for c in found.cables if c.target == "Output"], [])
        self.assertEqual({u.port: u.why for u in found.uncabled}, {"c.0": "through the air", "d.0": "through the air"})  # fmt: skip
        self.assertEqual([c.plug for c in found.cables if c.level == "speaker"], ["speaker cable, no screen"] * 2)  # fmt: skip

    def test_a_person_says_what_it_is(self):
        text = (
            'a: source "Bass" > drive1 > o: output\n'
            'cable a.1 (from jack "instrument", length 6 m, connector "angled 6.3 mm", adaptor "isolator")\n'
            "cable drive1.1 (counts no)"
        )
        found = patch(text)
        self.assertEqual(len(found.cables), 1)
        cable = found.cables[0]
        self.assertEqual(
            (cable.from_jack, cable.length_m, cable.plug, cable.adaptor),
            ("instrument", 6, "angled 6.3 mm", "isolator"),
        )
        self.assertEqual([u.why for u in found.uncabled], ["said to be none"])

    def test_every_rail_of_every_template_is_a_cable_once_or_none(self):
        for template in TEMPLATES:
            rig = build(template)
            found = rig_view(rig).patch
            cabled = [c.port for c in found.cables if c.port]
            self.assertEqual(len(set(cabled)), len(cabled), template.id)
            self.assertFalse(set(cabled) & {u.port for u in found.uncabled}, template.id)
            self.assertEqual(
                [c.number for c in found.cables], list(range(1, len(found.cables) + 1))
            )


class Channels(unittest.TestCase):
    def test_levels_on_the_way_add_up_and_a_send_takes_nothing_from_what_goes_on(self):
        found = patch(
            'v: source "Voice" > pre: send (level -9 dB) > f: fader (level -4 dB) > post: send (level -6 dB) > '
            "m: merge > o: output\n"
            "pre > b1: bus > r: reverb > back: return (level -2 dB, inverted) > m [level -1.5 dB, pan 20 %]\n"
            "post > b2: bus > d: delay > back2: return (muted) > m [inverted]"
        )
        ways = {(c.name, w.to): w for c in found.channels for w in c.ways}
        self.assertEqual(
            {key: w.level_db for key, w in ways.items()},
            {
                # Before the fader -9; behind it -4 - 6.
                ("Voice", "Merge"): -4, ("Voice", "Bus to Reverb"): -9, ("Voice", "Bus to Delay"): -10,
                ("Reverb", "Merge"): -3.5, ("Delay", "Merge"): 0,
            },
        )  # fmt: skip
        self.assertTrue(ways["Reverb", "Merge"].inverted)
        self.assertEqual(ways["Reverb", "Merge"].pan_percent, 20)
        self.assertTrue(ways["Delay", "Merge"].inverted and ways["Delay", "Merge"].muted)

    def test_supply_says_what_is_left(self):
        found = patch(
            "board (supply 200 mA)\na: source > generic (current 60 mA) > drive (current 30.5 mA) > o: output"
        )
        self.assertEqual((found.drawn_ma, found.reserve_ma), (90.5, 109.5))
        self.assertEqual([r.number for r in found.supply], [1, 2])
        text = patch_csv(parse_rig("a: source > o: output"))
        self.assertEqual(len(list(csv.reader(io.StringIO(text)))), 2)


class Numbers(unittest.TestCase):
    def test_along_the_drawing_what_is_set_and_nothing_else(self):
        found = patch(
            "a: source > s: split > drive1 > m: merge > o: output\ns > delay1 > r: return > m"
        )
        self.assertEqual([(s.number, s.id) for s in found.stages], [(1, "drive1"), (2, "delay1"), (3, "r")])  # fmt: skip

    def test_what_only_a_scene_touches_has_one_too(self):
        text = 'a: source > m: merge > o: output\nb: source > m\nscene "Solo": m (level 3 dB)'
        self.assertEqual([s.id for s in patch(text).stages], ["m"])

    def test_cables_name_stages_by_their_numbers(self):
        for template in TEMPLATES:
            found = rig_view(build(template)).patch
            names = {s.number: s.name for s in found.stages}
            for c in found.cables:
                for number, name in ((c.from_number, c.source), (c.to_number, c.target)):
                    if number is not None:
                        self.assertEqual(names[number], name, template.id)


class Edits(unittest.TestCase):
    def setUp(self):
        self.rig = parse_rig("a: source > d: drive > m: merge > o: output")

    def test_a_cable_is_set_told_in_words_and_undone(self):
        done = perform(self.rig, SetCable(rail="d.0", values={"length_m": 3, "to_jack": "input 7"}))
        self.assertEqual(done.said, "Cable from Drive set")
        self.assertEqual(
            difference_in_words(self.rig, done.rig),
            ["Cable from Drive: length not said → 3 m", "Cable from Drive: to jack not said → input 7"],
        )  # fmt: skip
        edit = difference(self.rig, done.rig)
        self.assertEqual(apply_edit(done.rig, edit.inverse), self.rig)
        self.assertEqual(Edit.model_validate(edit.model_dump(mode="json")), edit)
        self.assertEqual(parse_rig(format_rig(done.rig)), done.rig)

    def test_it_stays_where_the_strip_is_set_and_goes_with_its_rail(self):
        rig = perform(self.rig, SetCable(rail="d.0", values={"length_m": 3})).rig
        rig = perform(rig, SetStrip(rail="d.0", values={"pan_percent": 10})).rig
        self.assertEqual(rig.rails["d.0"].cable.length_m, 3)
        # What is put behind the drive has its own cable now; the old one leads on from it.
        longer = perform(rig, Insert(at="d.0", kind="delay", id="x")).rig
        self.assertEqual(
            (longer.rails["d.0"].cable.length_m, longer.rails["x.0"].cable.length_m), (None, 3)
        )
        shorter = perform(rig, Remove(nodes=("d",))).rig
        self.assertEqual(shorter.rails["a.0"].target, "m")

    def test_bad_ones_get_a_sentence(self):
        for rail, values, words in (
            ("nobody.0", {}, "No rail leaves"), ("d.0", {"length_m": 0}, "Cable"),
            ("d.0", {"colour": "red"}, "Cable"), ("d.0", {"to_jack": "x" * 61}, "Cable"),
        ):  # fmt: skip
            with self.subTest(rail=rail, values=values), self.assertRaises(RigError) as said:
                perform(self.rig, SetCable(rail=rail, values=values))
            self.assertIn(words, said.exception.sentence)
        for line, words in (
            ("cable d.3 (length 2 m)", "no rail leaves d"), ("cable nobody.1 (length 2 m)", "there is no"),
            ("cable d.1 (length 2 s)", "in m"), ("cable d.1 length 2", "a cable reads"),
            ("cable d.1 (length 2 m) more", "not understood"),
        ):  # fmt: skip
            with self.subTest(line), self.assertRaises(RigError) as said:
                parse_rig("a: source > d: drive > o: output\n" + line)
            self.assertIn(words, said.exception.sentence)
