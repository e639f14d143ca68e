"""Cards against what a person would set by hand: times, devices, scenes, tempi near by."""

import unittest
from datetime import UTC, datetime

from core.delay import DelayLine
from core.devices import Control, ControlMark, DeviceProfile, Panel
from core.errors import FonodromeError
from core.routing import Context, parse_rig
from core.setlist import Entry, Program, SetListValues, card_of, missing_card, pause_card
from core.sheet import Owned, SheetFacts, stage_sheet
from core.tempo.song import TempoSection

SONG = "6f8a1c1e-0000-4000-8000-000000000001"
FOUR = TempoSection(tempo_bpm=100)
PEDAL = DeviceProfile(name="Brick", min_ms=20, max_ms=1000, step_ms=5)


def entry(**more):
    return Entry(key="a", song=SONG, **more)


def sheet(notation, scene=None, panels=None, section=FOUR):
    rig = parse_rig(notation)
    context = Context(section.frame(48_000), {"@echo": "1/8."})
    facts = SheetFacts(
        song="Low Water", rig="Board", variant="A Board", made_at=datetime(2026, 1, 1, tzinfo=UTC), saved=1
    )  # fmt: skip
    return stage_sheet(rig, context, facts, [section], [], Owned(panels or {}), scene)


RIG = """
guitar: source "Guitar" > echo: delay (time @echo, mix 30 %) > hall: reverb "hall" (RT60 2.2 s, mix 25 %) > vol: volume "vol" (position 70 %) > main: output
scene "Verse" program 4: off hall
"""


class Cards(unittest.TestCase):
    def test_delays_are_what_their_devices_are_set_to(self):
        # A dotted eighth at 100: 60000/100 * 3/4 = 450 ms. A triplet quarter: 400. Steps of 5.
        lines = [
            DelayLine(name="Lead", value="1/8.", device=PEDAL, feedback_percent=30),
            DelayLine(name="Wide", value="1/4T", mode="ping-pong"),
            DelayLine(name="Slap", value="118 ms", device=PEDAL),
        ]
        card = card_of(entry(), "Low Water", [FOUR], 48_000, lines)
        self.assertEqual([(c.name, c.figure) for c in card.lines], [("Lead", "450"), ("Wide", "400"), ("Slap", "120")])  # fmt: skip
        self.assertIn("feedback 30 %", card.lines[0].said)
        self.assertIn("ping-pong", card.lines[1].said)
        self.assertEqual(
            (card.tempo, card.counted, card.quarter_bpm), ("100", "quarters a minute", 100)
        )
        # At 93 the dotted eighth lasts 483.87 ms: 485 on the pedal; the slap stays.
        at = card.tempos.index(93)
        self.assertEqual(card.lines[0].by_tempo[at], "485")
        self.assertEqual(card.lines[1].by_tempo[card.tempos.index(108)], "370.37")
        self.assertEqual(card.lines[2].by_tempo, [])
        self.assertEqual((min(card.tempos), max(card.tempos)), (85, 115))

    def test_a_right_side_that_a_faster_tempo_would_take_below_nothing_harms_no_figure(self):
        # 150 ms at 100, its right side 140 earlier: above 107 a minute that would lie before the sound.
        line = DelayLine(name="Wide", value="1/16", mode="dual", offset_ms=-140)
        card = card_of(entry(), "x", [FOUR], 48_000, [line])
        self.assertEqual(card.lines[0].figure, "150")
        self.assertEqual(card.lines[0].by_tempo[card.tempos.index(115)], "130.43")

    def test_beyond_the_device_is_said(self):
        slow = TempoSection(tempo_bpm=40, beat_unit="1/4")
        card = card_of(entry(), "x", [slow], 48_000, [DelayLine(value="1/2", device=PEDAL)])
        # Half a bar at 40 is 3000 ms; the pedal ends at 1000.
        self.assertIn("out of reach: planned 3\u202f000.00 ms", card.lines[0].said)

    def test_six_eight_and_what_follows(self):
        first = TempoSection(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8, bars=8)
        then = TempoSection(name="Coda", tempo_bpm=70)
        card = card_of(entry(count_bars=1), "x", [first, then], 48_000, [])
        self.assertEqual(card.quarter_bpm, 141)
        self.assertAlmostEqual(card.beat_ms, 638.298, 3)
        self.assertEqual(card.then, "then Coda 70, 4/4")
        self.assertEqual((card.count.bars, card.count.words), (1, "6/8, starts on 1"))

    def test_stages_of_the_rig_as_the_scene_sets_them(self):
        marks = [ControlMark(name=n, value=v) for n, v in (("heel", 0), ("tape", 70), ("toe", 100))]
        control = Control(field="position_percent", shows="marks", low=0, high=100, marks=marks)
        panel = Panel(name="vol", controls=[control])
        panels = {"vol": panel}
        card = card_of(entry(), "x", [FOUR], 48_000, [], sheet(RIG, panels=panels))
        # The delay that is the song's has a line of its own already; the reverb says its decay first.
        self.assertEqual([(c.name.split(" ", 1)[1], c.figure, c.unit) for c in card.lines], [("hall", "2.2", "s"), ("vol", "tape", "")])  # fmt: skip
        self.assertEqual(card.about, "Board A")
        verse = card_of(
            entry(scene="Verse"), "x", [FOUR], 48_000, [], sheet(RIG, "Verse", panels),
            Program(channel=3, program=4),
        )  # fmt: skip
        self.assertEqual([c.name.split(" ", 1)[1] for c in verse.lines], ["vol"])
        self.assertEqual(verse.programs, [Program(channel=3, program=4)])
        own = card_of(
            entry(scene="Verse", programs=[Program(channel=1, program=99)]), "x", [FOUR], 48_000, [],
            sheet(RIG, "Verse"), Program(channel=3, program=4),
        )  # fmt: skip
        self.assertEqual([p.program for p in own.programs], [99])

    def test_what_stands_in_the_mixer_is_left_away_until_it_is_chosen(self):
        board = 'g: source > d: drive "d" (gain 12 dB) > f: fader (level -3 dB) > main: output'
        by_itself = card_of(entry(), "x", [FOUR], 48_000, [], sheet(board))
        self.assertEqual([c.shown for c in by_itself.lines], [True, False])
        chosen = card_of(entry(hidden=["1 d"]), "x", [FOUR], 48_000, [], sheet(board))
        self.assertEqual([c.shown for c in chosen.lines], [False, True])
        # With nothing but a mixer, the mixer is what is set.
        desk = "g: source > f: fader (level -3 dB) > main: output"
        alone = card_of(entry(), "x", [FOUR], 48_000, [], sheet(desk))
        self.assertEqual([(c.figure, c.unit, c.shown) for c in alone.lines], [("−3", "dB", True)])

    def test_pauses_and_songs_that_are_gone(self):
        pause = pause_card(Entry(key="p", kind="pause", title="Retune to D"))
        self.assertEqual((pause.kind, pause.title, pause.lines), ("pause", "Retune to D", []))
        self.assertIn("deleted", missing_card(entry()).caution)

    def test_a_list_refuses_what_cannot_be_one(self):
        for bad in (
            {"name": " "},
            {"name": "x", "channel": 17},
            {"name": "x", "entries": [{"key": "a", "kind": "song"}]},
            {"name": "x", "entries": [{"key": "a b", "kind": "pause"}]},
            {"name": "x", "entries": [{"key": "a", "kind": "pause"}] * 2},
            {"name": "x", "entries": [{"key": "a", "kind": "pause", "programs": [{"channel": 1, "program": 128}]}]},
        ):  # fmt: skip
            with self.subTest(bad), self.assertRaises(ValueError):
                SetListValues.model_validate(bad)
        with self.assertRaises(FonodromeError):
            card_of(entry(), "x", [TempoSection(tempo_bpm=100)], 48_000, [DelayLine(value="soup")])
