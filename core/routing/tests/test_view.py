"""What the Route step shows: layout, control table, send matrix, scenes, patch sheet."""

import unittest

from core.routing import (
    TEMPLATES,
    Rig,
    RigError,
    build,
    compile_rig,
    format_rig,
    parse_rig,
    patch_csv,
    rig_view,
    scene_steps,
)
from core.routing.show.layout import lay_out_rig
from core.routing.show.reduce import reduced
from core.routing.tests.rigs import LIGHTHOUSE, TWO_SENDS


class Layout(unittest.TestCase):
    def placed(self, text):
        layout = rig_view(parse_rig(text)).layout
        return {n.id: (n.x, n.lane) for n in layout.nodes}, {r.port: r for r in layout.rails}

    def test_sound_runs_right_and_branches_run_below(self):
        nodes, rails = self.placed(TWO_SENDS)
        self.assertEqual(
            [nodes[n][1] for n in ("guitar", "ways", "mix", "main", "echo", "hall")],
            [0, 0, 0, 0, 1, 2],
        )
        for port, rail in rails.items():
            self.assertFalse(rail.back)
            self.assertLess(rail.xs[0], rail.xs[-1] + 1e-9, port)

    def test_no_two_stages_of_a_lane_stand_in_one_place(self):
        for template in TEMPLATES:
            nodes = sorted((n.lane, n.x) for n in rig_view(build(template)).layout.nodes)
            for (lane, x), (other, y) in zip(nodes, nodes[1:], strict=False):
                if lane == other:
                    self.assertGreater(y - x, 0.4, template.id)

    def test_a_rail_that_closes_a_loop_runs_back_below(self):
        _, rails = self.placed(
            "a: source > b: bus > d: delay > s: split > o: output\ns > l: level (level -9 dB) > b"
        )
        back = rails["l.0"]
        self.assertTrue(back.back)
        self.assertGreater(max(back.lanes), 1)
        self.assertGreater(back.xs[0], back.xs[-1])

    def test_a_bare_second_rail_has_a_lane_of_its_own(self):
        _, rails = self.placed("a: source > s: split > m: merge > o: output\ns > m [delay 3 ms]")
        self.assertEqual(rails["s.1"].lanes, [0, 1, 1, 0])

    def test_an_empty_rig_has_a_view(self):
        view = rig_view(Rig())
        self.assertEqual(
            (view.layout.nodes, view.report.boards, view.checks.findings), ([], [], [])
        )


class LargeRigs(unittest.TestCase):
    TEXT = (
        "a: source > c1: compressor > d1: drive > e1: equaliser > o: output\n"
        "b: source > c2: compressor > send1 > o\nsend1 > r: bus > v: reverb > t: return > o"
    )

    def drawn(self, focus):
        rig = parse_rig(self.TEXT)
        return {n.id for n in lay_out_rig(reduced(rig, focus), compile_rig(rig)).nodes}

    def test_focus_draws_what_belongs_to_a_part(self):
        self.assertEqual(self.drawn("v"), {"b", "c2", "send1", "r", "v", "t", "o"})
        self.assertEqual(self.drawn("a"), {"a", "c1", "d1", "e1", "o"})

    def test_what_is_no_longer_there_is_passed_over(self):
        self.assertEqual(self.drawn("gone"), self.drawn(None))


class Tables(unittest.TestCase):
    RIG = (
        "v: source > send1 (level -6 dB) > vf: fader > send2 (level -9 dB) > o: output (stereo)\n"
        "send1 > plate: bus > p: reverb (locked) > pr: return (solo-safe) > o\n"
        "send2 > slap: bus > d: delay (time 120 ms) > dr: return (solo-safe) > o\n"
        "g: source > send3 > o\nsend3 > plate"
    )

    def test_pulling_a_fader_moves_what_follows_it_and_nothing_else(self):
        table = rig_view(parse_rig(self.RIG), LIGHTHOUSE).controls[0]
        self.assertEqual(set(table.groups), {"Source: dry", "Reverb", "Delay"})
        rows = {
            (r.control, r.move): dict(zip(table.groups, r.changes_db, strict=True))
            for r in table.rows
        }
        only_vocal = rig_view(parse_rig(self.RIG.rsplit("\ng:", 1)[0]), LIGHTHOUSE).controls[0]
        row = next(r for r in only_vocal.rows if r.control == "vf" and r.move == "down 10 dB")
        by = dict(zip(only_vocal.groups, row.changes_db, strict=True))
        self.assertAlmostEqual(by["Dry"], -10, places=6)
        self.assertEqual(by["Reverb"], 0)
        self.assertAlmostEqual(by["Delay"], -10, places=6)
        self.assertIsNone(rows["dr", "muted"]["Delay"])
        self.assertEqual(rows["dr", "muted"]["Reverb"], 0)

    def test_solo_leaves_solo_safe_returns_sounding(self):
        table = rig_view(parse_rig(self.RIG), LIGHTHOUSE).controls[0]
        row = next(r for r in table.rows if r.move == "soloed" and r.control == "send2.0")
        by = dict(zip(table.groups, row.changes_db, strict=True))
        self.assertEqual(by["Reverb"], 0)

    def test_sources_against_returns(self):
        sends = rig_view(parse_rig(self.RIG), LIGHTHOUSE).sends
        cells = {(c.source, c.bus): c.levels_db for c in sends.cells}
        self.assertEqual(cells, {("v", "plate"): [-6], ("v", "slap"): [-9], ("g", "plate"): [0]})
        self.assertEqual(
            dict(zip(sends.buses, sends.devices, strict=True)), {"plate": "Reverb", "slap": "Delay"}
        )

    def test_a_volume_pedal_on_the_wet_feed_from_heel_to_toe(self):
        travel = rig_view(
            build(next(t for t in TEMPLATES if t.id == "volume-fader")), LIGHTHOUSE
        ).travel[0]
        self.assertEqual(travel.wet_db[0], -120)
        self.assertEqual(len({round(x, 6) for x in travel.dry_db}), 1)
        self.assertEqual(travel.wet_db, sorted(travel.wet_db))

    def test_a_scene_says_what_it_changes_and_by_how_much(self):
        text = self.RIG + '\nscene "Loud" program 7: vf (level 3 dB); off p'
        step = scene_steps(parse_rig(text), LIGHTHOUSE)[0]
        self.assertEqual(step.program, 7)
        self.assertIn("Fader: level 0 dB → 3 dB", step.said)
        self.assertIn("Reverb: bypassed", step.said)
        self.assertGreater(step.level_change_db, 1)

    def test_a_rig_that_one_of_its_scenes_cannot_play_is_refused_whole(self):
        # A stereo delay whose right side would come 100 ms before its left one, which is 90 ms late.
        text = "a: source > d: delay (time 90 ms) > o: output (stereo)"
        rig_view(parse_rig(f'{text}\nscene "Long": d (time 120 ms)'), LIGHTHOUSE)
        for scene in ("time @nowhere", "time 0 ms", "time 90 ms, mode dual, offset -100 ms"):
            rig = parse_rig(f'{text}\nscene "Long": d (time 120 ms)\nscene "Other": d ({scene})')
            for work in (rig_view, scene_steps):
                with self.subTest(scene=scene, work=work), self.assertRaises(RigError):
                    work(rig, LIGHTHOUSE)

    def test_a_scene_says_what_arrives_otherwise(self):
        text = self.RIG + '\nscene "Bare" : off p'
        arrivals = scene_steps(parse_rig(text), LIGHTHOUSE)[0].arrivals
        self.assertTrue(any("goes" in said or "dB" in said for said in arrivals), arrivals)
        same = self.RIG + '\nscene "Same" program 2'
        self.assertEqual(scene_steps(parse_rig(same), LIGHTHOUSE)[0].arrivals, [])
        self.assertEqual(parse_rig(format_rig(parse_rig(same))), parse_rig(same))

    def arrive(self, text: str) -> list[str]:
        said = scene_steps(parse_rig(text), LIGHTHOUSE)[0].arrivals
        return [one.replace("\N{MINUS SIGN}", "-") for one in said]

    def test_ways_of_one_name_are_told_apart_and_come_from_the_strongest(self):
        text = (
            "g: source > s: split > m: merge > o: output\n"
            's > a: level "Near" (level -6 dB) > m\ns > b: level "Far" (level -12 dB) > m\n'
        )
        # By hand: from -12 to -20 dB is -8; from -6 to -5 is +1.
        self.assertEqual(
            self.arrive(text + 'scene "Thin": a (level -5 dB); b (level -20 dB)'),
            ["Dry, by Near +1.0 dB", "Dry, by Far -8.0 dB"],
        )

    def test_of_two_returns_of_one_name_the_right_one_goes(self):
        """The louder one is off: what is left is no louder than it was, though it is the first of its name now."""
        text = (
            "g: source > s: split > m: merge > o: output\n"
            's > a: level "A" (level -6 dB) > x: reverb "Hall" (mix 100 %) > m\n'
            's > b: level "B" (level -9 dB) > y: reverb "Hall" (mix 100 %) > m\n'
        )
        for scene, going in (("a (muted)", "A"), ("b (muted)", "B")):
            with self.subTest(scene=scene):
                said = self.arrive(f'{text}scene "One": {scene}')
                self.assertEqual(said, [f"Hall, first wet sound, by {going} goes"])
        bare = text.replace('level "A"', "level").replace('level "B"', "level")
        self.assertEqual(
            self.arrive(f'{bare}scene "One": b (muted)'),
            ["Hall, first wet sound, from Split 3 goes"],
        )

    def test_what_a_second_source_s_way_does_is_said_with_whose_it_is(self):
        text = (
            'g: source "Bass" > m: merge > o: output\nh: source "Oboe" > f: level "Trim" > m\n'
            'scene "Down": f (level -6 dB)'
        )
        self.assertEqual(self.arrive(text), ["Dry, of Oboe -6.0 dB"])

    def test_what_there_is_no_room_for_is_counted(self):
        ways = [f's > p{n}: level "Way {n}" (level -{n} dB) > m' for n in range(1, 10)]
        changed = "; ".join(f"p{n} (level -30 dB)" for n in range(1, 10))
        text = "g: source > s: split > m: merge > o: output\n" + "\n".join(ways)
        said = self.arrive(f'{text}\nscene "All": {changed}')
        self.assertEqual(said[0], "Dry, by Way 9 -21.0 dB")
        self.assertEqual((len(said), said[-1]), (7, "and 3 more"))

    def test_laps_of_a_loop_without_a_delay_at_work_are_no_dry_sounds_of_their_own(self):
        # The loop's delay is off: what goes round comes back at once, 6 dB lower each time.
        text = (
            "g: source > m: merge > d: delay (time 300 ms, mix 100 %) > s: split > o: output\n"
            's > l: level "Back" (level -6 dB) > m\nscene "Off": off d'
        )
        said = self.arrive(text)
        coming = [one for one in said if "comes in" in one]
        self.assertEqual(coming[0].partition(" comes")[0], "Dry")
        self.assertIn("lap 2 comes in at -6.0 dB", coming[1])
        self.assertIn("lap 3 comes in at -12.0 dB", coming[2])

    def test_a_send_says_on_which_side_of_its_fader_it_taps(self):
        text = "a: source > {} > o: output (stereo)\nx > r: bus > reverb > t: return > o"
        for way, word in (
            ("x: send > f: fader", "pre"), ("f: fader > x: send", "post"), ("x: send", "0.0 dB"),
        ):  # fmt: skip
            layout = rig_view(parse_rig(text.format(way))).layout
            send = next(n for n in layout.nodes if n.id == "x")
            self.assertTrue(send.caption.startswith(word), (way, send.caption))

    def test_branches_of_a_crossover_add_up_by_their_slope_and_polarity(self):
        text = (
            "a: source > s: split (mode crossover, crossover 500 Hz, slope {}) > m: merge > o: output"
            "\ns > level > m{}"
        )
        for slope, strip, flat in (
            ("24", "", True), ("24", " [inverted]", False), ("12", "", False),
            ("12", " [inverted]", True),
        ):  # fmt: skip
            curves = rig_view(parse_rig(text.format(slope, strip))).splits[0]
            with self.subTest(slope=slope, strip=strip):
                self.assertEqual(curves.ripple_db < 0.011, flat, curves.ripple_db)
        plain = rig_view(parse_rig("a: source > s: split > o: output"))
        self.assertEqual(plain.splits, [])


class Patch(unittest.TestCase):
    def test_cables_say_their_plug_by_what_they_carry(self):
        rig = build(next(t for t in TEMPLATES if t.id == "wet-dry"))
        cables = {(c.source, c.target): c.plug for c in rig_view(rig).patch.cables}
        self.assertIn("unbalanced", cables["Guitar", "Preamp"])
        self.assertIn("speaker", cables["Dry amp", "Dry cabinet"])
        self.assertIn("2 Dry amp,,3 Dry cabinet", patch_csv(rig))

    def test_supply_and_footprints(self):
        patch = rig_view(
            parse_rig(
                "board (supply 100 mA, width 300 mm, depth 220 mm)\n"
                "a: source > generic (current 60 mA, width 150 mm, depth 100 mm) > "
                "generic (current 30 mA, width 200 mm, depth 100 mm) > o: output"
            )
        ).patch
        self.assertEqual((patch.drawn_ma, patch.rating_ma), (90, 100))
        self.assertEqual(patch.left_over, [])
        # 150 and 200 mm do not fit beside each other on 300: the second stands in a row below.
        self.assertEqual(
            [(f.number, f.x_mm, f.y_mm) for f in patch.placed], [(1, 0, 0), (2, 0, 110)]
        )
