"""Moves in a MIDI file, read back by the MIDI library and counted by hand."""

import io
import unittest

import mido

from core.errors import FonodromeError
from core.render.moves import MovePoint, WrittenMove
from core.render.moves_midi import moves_midi
from core.tempo.song import TempoSection


def read(data):
    """Tracks as [(name, [(tick, channel, control, value)])], and seconds of each by the library's clock."""
    file = mido.MidiFile(file=io.BytesIO(data))
    tracks = []
    for track in file.tracks[1:]:
        tick, found = 0, []
        for message in track:
            tick += message.time
            if message.type == "control_change":
                found.append((tick, message.channel, message.control, message.value))
        tracks.append((track.name, found))
    return file, tracks


class Moves(unittest.TestCase):
    def test_steps_ramps_and_switches_in_four_four(self):
        fader = WrittenMove(part="wet", field="level_db", points=[
            MovePoint(bar=1, value=-12.0), MovePoint(bar=3, value=0.0), MovePoint(bar=5, value=-12.0, ramp=True)])  # fmt: skip
        mute = WrittenMove(part="echo", field="muted", points=[
            MovePoint(bar=2, beat=3, value=True), MovePoint(bar=4, value=False)])  # fmt: skip
        file, tracks = read(
            moves_midi(
                [fader, mute], [TempoSection(tempo_bpm=120)], "Low Water",
                {("wet", "level_db"): "Wet level, dB"},
            )
        )  # fmt: skip
        self.assertEqual((file.type, file.ticks_per_beat), (1, 960))
        self.assertEqual(tracks[0][0], "CC20 Wet level, dB: 0 is -12, 127 is 0")
        levels = tracks[0][1]
        # Bar 1, bar 3 after 8 quarters, the end of the ramp after 16.
        self.assertEqual(levels[0], (0, 0, 20, 0))
        self.assertEqual(levels[1], (8 * 960, 0, 20, 127))
        self.assertEqual(levels[-1], (16 * 960, 0, 20, 0))
        # Half way down at bar 4: 63 or 64, and it never goes up on the way.
        self.assertIn(max(v for t, _, _, v in levels if t >= 12 * 960), (63, 64))
        down = [v for t, _, _, v in levels if t >= 8 * 960]
        self.assertEqual(down, sorted(down, reverse=True))
        self.assertEqual(tracks[1], ("CC21 echo muted: 0 off, 127 on", [(6 * 960, 0, 21, 127), (12 * 960, 0, 21, 0)]))  # fmt: skip

    def test_bars_are_those_of_the_tempo_map(self):
        # Two bars of 6/8 at 80 dotted quarters, then 4/4 at 60: bar 4 begins after 2 x 3 + 4 quarters,
        # and after 2 x 1.5 s + 4 s.
        sections = [
            TempoSection(tempo_bpm=80, beat_unit="1/4.", metre_count=6, metre_unit=8, bars=2),
            TempoSection(tempo_bpm=60),
        ]
        move = WrittenMove(part="a", field="mix_percent", points=[
            MovePoint(bar=2, value=10.0), MovePoint(bar=4, value=60.0)])  # fmt: skip
        data = moves_midi([move], sections)
        file, tracks = read(data)
        self.assertEqual([t for t, *_ in tracks[0][1]], [3 * 960, 10 * 960])
        seconds, at = 0.0, []
        for message in file:
            seconds += message.time
            if message.type == "control_change":
                at.append(seconds)
        self.assertAlmostEqual(at[0], 1.5, 4)
        self.assertAlmostEqual(at[1], 7.0, 4)

    def test_a_value_that_stays_is_sent_once(self):
        still = WrittenMove(part="a", field="level_db", points=[
            MovePoint(bar=1, value=-3.0), MovePoint(bar=9, value=-3.0, ramp=True)])  # fmt: skip
        _, tracks = read(moves_midi([still], [TempoSection(tempo_bpm=120)]))
        self.assertEqual(tracks[0][1], [(0, 0, 20, 127)])

    def test_a_thirteenth_move_goes_to_the_next_channel_and_none_is_said(self):
        many = [
            WrittenMove(part=f"p{n}", field="level_db", points=[MovePoint(bar=1, value=float(n))])
            for n in range(13)
        ]
        _, tracks = read(moves_midi(many, [TempoSection(tempo_bpm=120)]))
        self.assertEqual(tracks[11][1][0][1:3], (0, 31))
        self.assertEqual(tracks[12][1][0][1:3], (1, 20))
        with self.assertRaisesRegex(FonodromeError, "nothing to put"):
            moves_midi([], [TempoSection(tempo_bpm=120)])
