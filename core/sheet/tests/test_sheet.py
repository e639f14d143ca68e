"""The stage sheet against arithmetic done by hand, on a rig that is not the demo's."""

import csv
import io
import unittest
from datetime import UTC, datetime

from core.delay import DelayLine
from core.devices import Control, ControlMark, DeviceProfile, Panel
from core.routing import TEMPLATES, Context, RigError, build, parse_rig
from core.routing.document.kinds import KINDS, make
from core.sheet import Owned, SheetFacts, as_csv, as_markdown, settings_of, stage_sheet
from core.sheet.settings import value_text
from core.tempo.song import TempoSection

# 75 BPM: a quarter is 0.8 s, a dotted eighth 0.6 s, a sixteenth 0.2 s.
SECTION = TempoSection(tempo_bpm=75, metre_count=3, metre_unit=4)
RIG = """
rig "Harbour"
board (supply 300 mA)
bass: source "Bass" > squash: compressor "Grey box" (threshold -22 dB, ratio 4, mix 60 %, current 45 mA) > tap: send "Throw" (level -6 dB) > m: merge > o: output "Desk" (stereo)
tap > b: bus > echo: delay "Tape" (time @slap, feedback 30 %) > back: return (level -3 dB) > m [pan -25 %]
scene "Verse" program 4: off echo
scene "End": echo (feedback 65 %); squash (mix 20 %); tap (muted)
"""
TAPE = DeviceProfile(name="Old tape", min_ms=100, max_ms=900, step_ms=10, offset_ms=4)
SLAP = DelayLine(name="Slap", value="1/8.", device=TAPE)
GREY = Panel(
    name="Grey box",
    controls=(
        Control(field="mix_percent", shows="clock", low=0, high=100, step=0.5),
        Control(
            field="ratio", shows="marks", low=1, high=20, log=True,
            marks=(ControlMark(name="soft", value=2), ControlMark(name="firm", value=4), ControlMark(name="wall", value=20)),
        ),
        Control(field="threshold_db", low=-40, high=-20, shown_low=0, shown_high=10, step=1),
        Control(field="attack_ms", low=20, high=100),
    ),
)  # fmt: skip
FACTS = SheetFacts(
    song="Tide | Table", rig="Harbour", variant="A", saved=3,
    made_at=datetime(2026, 11, 29, 20, 15, tzinfo=UTC),
)  # fmt: skip


def sheet(text=RIG, scene=None, delays=(SLAP,), section=SECTION, panels=(GREY,)):
    frame = section.frame(48_000)
    context = Context(frame, {"@slap": "1/8."})
    owned = Owned({p.name.casefold(): p for p in panels})
    return stage_sheet(parse_rig(text), context, FACTS, [section], list(delays), owned, scene)


class Settings(unittest.TestCase):
    def setUp(self):
        self.sheet = sheet()
        self.rows = {row.id: row for row in self.sheet.rows}

    def line(self, row, field):
        return next(s for s in self.rows[row].settings if s.field == field)

    def test_numbers_run_along_the_drawing(self):
        self.assertEqual(
            [(r.number, r.id, r.box) for r in self.sheet.rows],
            [(1, "squash", True), (2, "tap", False), (3, "echo", True), (4, "back", False)],
        )

    def test_values_stand_as_the_device_shows_them(self):
        # 60 % of ten hours from seven o'clock is one o'clock.
        self.assertEqual(self.line("squash", "mix_percent").shown, "1:00")
        self.assertEqual(self.line("squash", "ratio").shown, "firm")
        # -22 dB lies at 18 of 20 dB: 9 of 10 marks.
        self.assertEqual(self.line("squash", "threshold_db").shown, "9")
        attack = self.line("squash", "attack_ms")
        self.assertEqual((attack.shown, attack.beside), ("20", "out of reach: planned 10 ms"))

    def test_a_time_is_what_its_delays_device_is_set_to(self):
        # A dotted eighth at 75 is 600 ms; the tape adds 4, and has steps of 10: 596 is set as 600.
        time = self.line("echo", "time")
        self.assertEqual((time.value, time.shown), (600, "600 ms"))
        self.assertEqual(time.beside, "does 604.00 ms, planned @slap 600.00 ms")

    def test_without_a_panel_the_plan_is_shown_as_it_is(self):
        plain = sheet(panels=(), delays=())
        row = next(r for r in plain.rows if r.id == "squash")
        self.assertTrue(row.said.startswith("threshold −22 dB, ratio 4:1"), row.said)
        self.assertFalse([s for r in plain.rows for s in r.settings if s.by_panel])

    def test_a_setting_at_rest_that_nobody_sees_first_says_nothing(self):
        node = make("compressor", "x")
        fields = [s.field for s in settings_of(node, Context())]
        self.assertNotIn("inverted", fields)
        self.assertNotIn("output_db", fields)
        changed = settings_of(make("compressor", "x", inverted=True, output_db=-2), Context())
        self.assertEqual({s.field for s in changed} - set(fields), {"inverted", "output_db"})

    def test_no_figure_is_rounded_to_another_one(self):
        for value, unit, text in (
            (0.125, "Hz", "0.125 Hz"), (-2.25, "dB", "−2.25 dB"), (1.255, "s", "1.255 s"), (2.625, "ratio", "2.625:1"),
            (0.1 + 0.2, "ms", "0.3 ms"), (12345, "Hz", "12 345 Hz"), (-120, "dB", "off"), (90, "°", "90°"),
        ):  # fmt: skip
            self.assertEqual(value_text(value, unit).replace("\u202f", " "), text)

    def test_every_kind_can_be_written_down(self):
        for kind in KINDS:
            for s in settings_of(make(kind, "x"), Context()):
                self.assertTrue(s.shown or s.value is None, (kind, s))


class Scenes(unittest.TestCase):
    def test_what_each_scene_calls_up(self):
        found = sheet()
        self.assertEqual([(s.name, s.program) for s in found.scenes], [("Verse", 4), ("End", None)])
        cells = {
            (r.id, h.name): c
            for r in found.rows
            for h, c in zip(found.scenes, r.scenes, strict=True)
        }
        self.assertEqual((cells["echo", "Verse"].on, cells["echo", "Verse"].values), (False, []))
        self.assertEqual(cells["echo", "End"].values, ["feedback 65 %"])
        # 20 % is two hours on: nine o'clock.
        self.assertEqual(cells["squash", "End"].values, ["mix 9:00"])
        self.assertEqual((cells["tap", "End"].on, cells["tap", "End"].changed), (False, True))
        self.assertFalse(cells["back", "End"].changed)

    def test_a_sheet_of_one_scene_is_set_as_it_sets_it_under_the_same_numbers(self):
        whole, end = sheet(), sheet(scene="End")
        self.assertEqual(
            [(r.number, r.id) for r in end.rows], [(r.number, r.id) for r in whole.rows]
        )
        self.assertEqual(
            [c.number for c in end.patch.cables], [c.number for c in whole.patch.cables]
        )
        row = next(r for r in end.rows if r.id == "squash")
        self.assertIn("mix 9:00", row.said)
        self.assertEqual(end.scenes, [])
        with self.assertRaises(RigError) as said:
            sheet(scene="Bridge")
        self.assertIn("no scene “Bridge”", said.exception.sentence)


class Times(unittest.TestCase):
    def test_the_table_and_what_the_device_is_set_to(self):
        rows = {t.note: t for t in sheet().times}
        # By hand, at 0.8 s a quarter.
        for note, ms in (("1/16", 200), ("1/8", 400), ("1/8 triplet", 800 / 3), ("1/8 dotted", 600), ("1/4 dotted", 1200), ("bar", 2400)):  # fmt: skip
            self.assertAlmostEqual(rows[note].ms, ms, places=9)
            self.assertAlmostEqual(rows[note].hz, 1000 / ms, places=9)
        # 200 - 4 = 196 is set as 200; 266.7 - 4 = 262.7 as 260; 1200 is beyond 904.
        self.assertEqual([rows[n].set_to for n in ("1/16", "1/8 triplet", "1/4 dotted")], [[200], [260], [None]])  # fmt: skip
        self.assertEqual([n for n, t in rows.items() if t.used], ["1/8 dotted"])

    def test_if_the_tempo_moves(self):
        found = sheet()
        # 2 % of 75 is 1.5, told in whole beats: 2.
        self.assertEqual([m.bpm for m in found.moves], [69, 71, 73, 75, 77, 79, 81])
        # 45000 / bpm; less 4, to the next 10: 648.2 is set as 650.
        self.assertAlmostEqual(found.moves[0].ms, 45_000 / 69, places=9)
        self.assertEqual([m.set_to for m in found.moves], [650, 630, 610, 600, 580, 570, 550])

    def test_a_delay_in_ms_does_not_move(self):
        fixed = DelayLine(name="Slap", value="110 ms", device=TAPE)
        self.assertEqual(sheet(delays=(fixed,)).moves, [])

    def test_a_compound_beat_and_a_metre(self):
        section = TempoSection(tempo_bpm=60, beat_unit="1/4.", metre_count=6, metre_unit=8)
        found = sheet(section=section).tempo
        # A dotted quarter a second; six eighths are two of them.
        self.assertEqual(
            (round(found.beat_ms, 6), round(found.bar_ms, 6), found.metre), (1000, 2000, "6/8")
        )


class Written(unittest.TestCase):
    def test_paper_csv_and_markdown_say_the_same(self):
        found = sheet()
        table = list(csv.reader(io.StringIO(as_csv(found))))
        text = as_markdown(found)
        rows = [r for r in table if len(r) == 9 and r[0].isdigit()]
        for row in found.rows:
            for s in row.settings:
                self.assertIn(
                    [str(row.number), row.name, s.label, s.shown or "yes"],
                    [[r[0], r[1], r[3], r[4]] for r in rows],
                )
                self.assertIn(s.shown, text)
        cables = [r for r in table if len(r) == 10 and r[0].isdigit()]
        self.assertEqual([int(r[0]) for r in cables if r[5]][: len(found.patch.cables)], [c.number for c in found.patch.cables])  # fmt: skip
        self.assertIn("# Tide \\| Table", text)
        self.assertIn("1 | Grey box", text)

    def test_supply_cautions_and_notes(self):
        found = sheet()
        self.assertIn("Supply: 45 of 300 mA, 85 % in reserve.", found.notes)

    def test_every_template_has_a_sheet(self):
        for template in TEMPLATES:
            with self.subTest(template.id):
                found = stage_sheet(
                    build(template), Context(), FACTS, [TempoSection()], [DelayLine()]
                )
                self.assertEqual(len(found.rows), len(found.patch.stages))
                self.assertTrue(as_markdown(found) and as_csv(found))
