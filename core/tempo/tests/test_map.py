"""The tempo map: positions to times and back, the delay in each section, MIDI out and in."""

import io
import json
import random
import struct
import tempfile
import unittest
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import mido
from hypothesis import given, settings
from hypothesis import strategies as st

from core.devices import SHIPPED
from core.errors import FonodromeError
from core.tempo import (
    ClockRequest,
    TableRequest,
    TempoMap,
    TempoMapRequest,
    TempoSection,
    clock,
    read_midi,
    read_tempo_map,
    value_table,
    write_midi,
)
from core.tempo.cli import main
from core.units import TempoFrame, parse_note_value

LANTERNS = (
    TempoSection(name="Verse", bars=16, tempo_bpm=112),
    TempoSection(name="Turn", bars=4, tempo_bpm=112, metre_count=7, metre_unit=8),
    TempoSection(name="Rise", bars=8, tempo_bpm=112, ramp_to_bpm=126),
    TempoSection(name="Last", bars=None, tempo_bpm=126),
)


def maps(closed: bool = False):
    section = st.builds(
        TempoSection,
        name=st.sampled_from(["", "A", "Brücke"]),
        bars=st.integers(1, 40),
        beats=st.sampled_from([0, 0, 0.5, 1]),
        tempo_bpm=st.integers(40, 2200).map(lambda n: n / 10 + 10),
        ramp_to_bpm=st.one_of(st.none(), st.integers(300, 2400).map(lambda n: n / 10)),
        beat_unit=st.sampled_from(["1/4", "1/4.", "1/8", "1/2"]),
        metre_count=st.integers(1, 12),
        metre_unit=st.sampled_from([2, 4, 8, 16]),
    )
    return st.lists(section, min_size=1, max_size=6)


class Positions(unittest.TestCase):
    def test_sections_lie_end_to_end(self):
        tempo = TempoMap(LANTERNS)
        verse = 16 * 4 * 60 / 112
        self.assertAlmostEqual(tempo.time_s(64), verse)
        self.assertAlmostEqual(tempo.time_s(tempo.quarters_of(21)), verse + 4 * 3.5 * 60 / 112)
        # A ramp over L quarters takes 60 L / (b1 - b0) ln(b1 / b0) seconds.
        rise = tempo.stretches[2]
        self.assertAlmostEqual(rise.seconds, 60 * 32 / 14 * 0.11778303565638346, places=9)
        self.assertEqual(tempo.bar_at(64 + 14)[0], 21)
        self.assertEqual(tempo.bar_at(64 + 3)[:2], (17, 7.0))

    @settings(max_examples=60, deadline=None)
    @given(maps(), st.floats(-8, 900))
    def test_position_to_time_and_back(self, sections, quarters):
        tempo = TempoMap(sections)
        self.assertAlmostEqual(tempo.quarters_at(tempo.time_s(quarters)), quarters, places=6)
        self.assertLess(tempo.time_s(quarters), tempo.time_s(quarters + 0.01))

    def test_the_delay_in_each_section_and_the_one_time_kept(self):
        found = read_tempo_map(TempoMapRequest(sections=LANTERNS, delay="1/8.", device=SHIPPED[0]))
        self.assertTrue(found.follows)
        self.assertAlmostEqual(found.sections[0].delay_ms, 45_000 / 112)
        self.assertAlmostEqual(found.sections[2].end_delay_ms, 45_000 / 126)
        self.assertEqual(found.sections[0].setting.set_ms, 402)
        # Half-way between 401.786 and 357.143, as whole ms; wrong by the same either way.
        self.assertEqual(found.kept_ms, 379)
        self.assertAlmostEqual(abs(found.worst_error_ms), 22.786, places=3)
        fixed = read_tempo_map(TempoMapRequest(sections=LANTERNS, delay="380 ms"))
        self.assertEqual((fixed.follows, fixed.worst_error_ms), (False, 0))

    def test_a_position_is_read_either_way(self):
        at = read_tempo_map(TempoMapRequest(sections=LANTERNS, at_bar=17, at_beat=3)).position
        back = read_tempo_map(TempoMapRequest(sections=LANTERNS, at_s=at.seconds)).position
        self.assertEqual((back.bar, round(back.beat, 6), back.section), (17, 3, 1))

    def test_contradictions_are_refused_in_words(self):
        open_end = TempoSection(bars=None)
        for sections, words in (
            ((), "at least one section"),
            ((open_end, TempoSection()), "Section 1 has no end"),
            ((TempoSection(bars=None, ramp_to_bpm=90),), "ramps to 90 BPM without an end"),
            ((TempoSection(bars=1),) * 2001, "up to 2000 sections"),
            ((TempoSection(bars=0),), "lasts no time"),
            ((TempoSection(bars=None, beats=2),), "has no end"),
        ):
            with self.subTest(words), self.assertRaisesRegex(FonodromeError, words):
                TempoMap(sections)
        with self.assertRaisesRegex(ValueError, "greater than or equal to 1"):
            TempoSection(bars=4, tempo_bpm=100, ramp_to_bpm=-10)


class Midi(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(maps())
    def test_out_and_in_gives_the_same_map(self, sections):
        found = read_midi(write_midi(sections, "Nine Lanterns"))
        self.assertEqual(found.sections, sections)
        self.assertAlmostEqual(
            TempoMap(found.sections).seconds, TempoMap(sections).seconds, places=6
        )

    def test_a_whole_map_with_names_ramp_and_open_end(self):
        found = read_midi(write_midi(list(LANTERNS), "Nine Lanterns"))
        self.assertEqual(tuple(found.sections), LANTERNS)
        self.assertEqual(found.notes, [])
        compound = [
            TempoSection(
                name="A", bars=4, tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8
            )
        ]
        self.assertEqual(read_midi(write_midi(compound)).sections, compound)

    def test_a_file_of_someone_else(self):
        file = mido.MidiFile(type=0, ticks_per_beat=96)
        file.tracks.append(
            mido.MidiTrack(
                [
                    mido.MetaMessage("set_tempo", tempo=500_000),
                    mido.Message("note_on", note=60, time=0),
                    mido.MetaMessage("set_tempo", tempo=400_000, time=96 * 4 * 2 + 20),
                    mido.Message("note_off", note=60, time=96 * 4 * 2 - 20),
                ]
            )
        )
        out = io.BytesIO()
        file.save(file=out)
        found = read_midi(out.getvalue())
        lengths = [(s.bars, round(s.beats, 6), s.tempo_bpm) for s in found.sections]
        # Two bars and 20 of 96 ticks, then what is left of the two bars and 20 ticks.
        self.assertEqual(lengths, [(2, round(20 / 96, 6), 120), (1, round(4 - 20 / 96, 6), 150)])
        self.assertEqual(found.notes, [])

    def test_bad_files_get_one_sentence(self):
        good = write_midi(list(LANTERNS))
        header = lambda kind, division: b"MThd" + struct.pack(">IHHh", 6, kind, 1, division)  # noqa: E731
        empty = b"MTrk" + struct.pack(">I", 4) + b"\x00\xff\x2f\x00"
        changes = b"".join(
            b"\x60\xff\x51\x03" + struct.pack(">I", 400_000 + i)[1:] for i in range(30_000)
        )
        bomb = b"\x00\xff\x51\x03\x07\xa1\x20" * 20_000
        for data, words in (
            (b"", "not a Standard MIDI File"),
            (header(0, 96) + b"MTrk" + struct.pack(">I", len(changes)) + changes, "30001 times|30000 times"),
            (header(0, 96) + b"MTrk" + struct.pack(">I", 300_000) + b"\xff" * 300_000, "without an end"),
            (b"RIFF0000WAVE", "not a Standard MIDI File"),
            (good[:18], "damaged"),
            (good[:60], "damaged"),
            (header(2, 96) + empty, "format 2"),
            (header(1, -7000) + empty, "film frames"),
            (b"MThd" + b"0" * 2_300_000, "2.3 MB large"),
            (header(1, 0) + empty, "gives a quarter no ticks"),
            (header(1, 96), "damaged"),
            (
                header(0, 96) + b"MTrk" + struct.pack(">I", 12)
                + b"\xff\xff\xff\x7f\xff\x51\x03\x07\xa1\x20\x00\xff\x2f\x00"[:12],
                "100,000 bars|damaged",
            ),
            (header(0, 96) + b"MTrk" + struct.pack(">I", len(bomb) + 4) + bomb + b"\x00\xff\x2f\x00", None),
        ):  # fmt: skip
            with self.subTest(words):
                if words is None:
                    self.assertEqual(len(read_midi(data).sections), 1)
                else:
                    with self.assertRaisesRegex(FonodromeError, words):
                        read_midi(data)

    def test_random_damage_never_gets_through_as_anything_but_a_sentence(self):
        rng, good = random.Random(3), write_midi(list(LANTERNS))
        for _ in range(300):
            data = bytearray(good)
            for _ in range(rng.randint(1, 6)):
                data[rng.randrange(8, len(data))] = rng.randrange(256)
            try:
                TempoMap(read_midi(bytes(data)).sections)
            except FonodromeError as error:
                self.assertTrue(error.sentence)


def chunk(name: bytes, body: bytes) -> bytes:
    return name + struct.pack(">I", len(body)) + body


class Elsewhere(unittest.TestCase):
    """Files as others write them; times are added up here from ticks and microseconds."""

    def file(self, events, per_quarter=480, end=0) -> bytes:
        """events: (tick, message), by tick; mido writes them."""
        track, before = mido.MidiTrack(), 0
        for tick, message in events:
            track.append(message.copy(time=tick - before))
            before = tick
        track.append(mido.MetaMessage("end_of_track", time=max(0, end - before)))
        out = io.BytesIO()
        file = mido.MidiFile(type=1, ticks_per_beat=per_quarter)
        file.tracks.append(track)
        file.save(file=out)
        return out.getvalue()

    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(
            st.tuples(st.integers(1, 4000), st.integers(120_000, 16_777_215)),
            min_size=1,
            max_size=30,
        ),
        st.sampled_from([96, 480, 960, 123]),
    )
    def test_changes_anywhere_keep_their_times(self, changes, per_quarter):
        tick, seconds, micros = 0, 0.0, 500_000
        events, expected = [], []
        for after, new in changes:
            seconds += after * micros / per_quarter / 1e6
            tick, micros = tick + after, new
            events.append((tick, mido.MetaMessage("set_tempo", tempo=new)))
            expected.append((tick / per_quarter, seconds, 60e6 / new))
        found = TempoMap(read_midi(self.file(events, per_quarter, tick + 960)).sections)
        for quarters, at, bpm in expected:
            self.assertAlmostEqual(found.time_s(quarters), at, delta=1e-3)
            self.assertAlmostEqual(
                found.frame_at(quarters + 1e-6, 48_000).tempo_bpm, bpm, delta=0.01
            )
            self.assertAlmostEqual(found.quarters_at(at), quarters, delta=1e-3)

    def test_bars_go_on_under_a_change_of_tempo_and_begin_with_a_change_of_metre(self):
        # 4/4; faster half way into bar 2; 3/4 three quarters into bar 3.
        data = self.file([
            (960 * 3, mido.MetaMessage("set_tempo", tempo=400_000)),
            (960 * 5 + 480, mido.MetaMessage("time_signature", numerator=3, denominator=4)),
        ], end=960 * 8)  # fmt: skip
        found = TempoMap(read_midi(data).sections)
        places = [(s.first_bar, s.first_beat) for s in found.stretches]
        self.assertEqual(places, [(1, 1), (2, 3), (4, 1)])
        # The short bar 3 has three beats; bar 4 begins where the metre does.
        self.assertAlmostEqual(found.quarters_of(4), 11)
        self.assertAlmostEqual(found.time_s(found.quarters_of(3)), 6 * 0.5 + 2 * 0.4)
        self.assertEqual(found.bar_at(7.0)[:2], (2, 4.0))
        self.assertEqual(found.bar_at(11.5)[:2], (4, 1.5))
        again = read_midi(write_midi(read_midi(data).sections)).sections
        self.assertEqual(again, read_midi(data).sections)

    def test_unknown_chunks_and_promised_tracks(self):
        tempo = b"\x00\xff\x51\x03\x0f\x42\x40\x83\x60\xff\x2f\x00"
        for promised, said in ((1, 0), (65_535, 1)):
            data = chunk(b"MThd", struct.pack(">HHH", 1, promised, 96)) + chunk(b"XFIH", b"any" * 9)
            found = read_midi(data + chunk(b"MTrk", tempo))
            self.assertEqual(found.sections[0].tempo_bpm, 60)
            self.assertEqual(sum("promises 65535" in note for note in found.notes), said)

    def test_slow_tempos_and_two_thousand_changes_are_kept(self):
        slow = self.file([(0, mido.MetaMessage("set_tempo", tempo=16_000_000))], end=960)
        self.assertEqual(read_midi(slow).sections[0].tempo_bpm, 3.75)
        many = [(24 * i, mido.MetaMessage("set_tempo", tempo=400_000 + i)) for i in range(2000)]
        found = read_midi(self.file(many, 24, 24 * 2001))
        self.assertEqual(len(found.sections), 2000)
        before_last = sum(400_000 + i for i in range(1999)) / 1e6
        self.assertAlmostEqual(TempoMap(found.sections).time_s(1999), before_last, places=4)

    def test_for_scripts(self):
        with tempfile.TemporaryDirectory() as held:
            path = Path(held) / "map.mid"
            path.write_bytes(
                self.file([(960 * 3, mido.MetaMessage("set_tempo", tempo=400_000))], end=3840)
            )
            out = io.StringIO()
            with redirect_stdout(out):
                self.assertEqual(main([str(path), "--json"]), 0)
            rows = json.loads(out.getvalue())["sections"]
            self.assertEqual(
                [
                    (r["seconds"], r["bar"], r["beat"], r["bpm"], r["end_bpm"], r["metre"])
                    for r in rows
                ],
                [(0, 1, 1, 120, 120, "4/4"), (3, 2, 3, 150, 150, "4/4")],
            )
            for bad in (b"", b"RIFF"):
                path.write_bytes(bad)
                said = io.StringIO()
                with redirect_stderr(said):
                    self.assertEqual(main([str(path)]), 2)
                self.assertEqual(len(said.getvalue().strip().splitlines()), 1)


class Values(unittest.TestCase):
    def test_any_ratio_and_the_table(self):
        frame = TempoFrame(tempo_bpm=120)
        self.assertEqual(float(parse_note_value("1/4 7:4").whole_notes), 1 / 7)
        table = value_table(TableRequest(frame=frame, tuplets=("11:8",), device=SHIPPED[0]))
        by_id = {r.reading.id: r for r in table.rows}
        for id, ms in (
            ("1/4..", 875),
            ("1/4Q", 400),
            ("1/4S", 2000 / 7),
            ("1/4 11:8", 4000 / 11),
            ("2 bars", 4000),
        ):
            self.assertAlmostEqual(by_id[id].reading.ms, ms)
        self.assertEqual(by_id["1/4S"].setting.set_ms, 286)
        for bad in ("7:0", "²:4", "7:" + "9" * 190, "7", "7:4:2", "-7:4"):
            with self.subTest(bad=bad[:9]), self.assertRaisesRegex(FonodromeError, "is no ratio"):
                value_table(TableRequest(frame=frame, tuplets=(bad,)))
        with self.assertRaisesRegex(ValueError, "at most 200 characters"):
            TableRequest(frame=frame, tuplets=("7:" + "9" * 5000,))

    def test_clock(self):
        frame = TempoFrame(tempo_bpm=94)
        found = clock(ClockRequest(frame=frame, ppqn=4, divide=3))
        self.assertAlmostEqual(found.out_ms, 478.72340425531917)
        self.assertEqual(found.note, "1/8.")
        half = clock(ClockRequest(frame=TempoFrame(tempo_bpm=128), ppqn=24, multiply=2, divide=24))
        self.assertAlmostEqual(half.out_ms, 234.375)
