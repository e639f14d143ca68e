"""Gaps that were put there are found, and the longest decay for a gap gives exactly the wanted drop."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from core.errors import FonodromeError, QuantityError
from core.space import (
    KeptSpace,
    RoomRequest,
    SpaceRequest,
    clip_levels,
    find_phrases,
    room_view,
    space_view,
)  # fmt: skip
from core.space.gaps import GapFinder, Levels, Phrase
from core.space.tail import longest_rt60_s, tail_db
from core.units import TempoFrame

RATE = 48_000
SIX = TempoFrame(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8)


def phrases_of(edges: list[float], seconds: float, floor_db: float = -80) -> np.ndarray:
    """Noise that sounds between pairs of edges, over a floor."""
    rng = np.random.default_rng(1)
    sound = 10 ** (floor_db / 20) * rng.standard_normal(round(seconds * RATE))
    for start, end in zip(edges[::2], edges[1::2], strict=True):
        at = slice(round(start * RATE), round(end * RATE))
        sound[at] += 0.1 * rng.standard_normal(at.stop - at.start)
    return sound


def levels_of(sound: np.ndarray) -> Levels:
    with tempfile.TemporaryDirectory() as held:
        path = Path(held) / "a.wav"
        soundfile.write(path, sound, RATE, subtype="PCM_24")
        return clip_levels(path, "a")


class Gaps(unittest.TestCase):
    def test_gaps_are_found_where_they_were_put(self):
        edges = [0.4, 1.6, 2.0, 3.0, 3.31, 5.0]
        found = find_phrases(np.array(levels_of(phrases_of(edges, 6)).db), GapFinder())
        got = [v for p in found for v in (p.start_s, p.end_s)]
        np.testing.assert_allclose(got, edges, atol=0.011)

    def test_short_pauses_belong_to_their_phrase_and_clicks_are_none(self):
        sound = phrases_of([0.5, 1.0, 1.06, 1.5, 3.0, 3.03], 4)
        found = find_phrases(np.array(levels_of(sound).db), GapFinder(shortest_phrase_s=0.15))
        self.assertEqual(len(found), 1)

    def test_silence_has_no_phrase_and_a_drone_no_gap(self):
        frame = SpaceRequest(frame=SIX)
        quiet = space_view(frame, levels_of(np.zeros(RATE)))
        self.assertEqual((quiet.phrases, quiet.gaps), ([], []))
        self.assertIn("silent", quiet.notes[0])
        drone = space_view(frame, levels_of(phrases_of([0.0, 2.0], 2)))
        self.assertEqual(len(drone.phrases), 1)
        self.assertIn("No gap", drone.notes[0])


class Tails(unittest.TestCase):
    @given(st.floats(0.06, 8), st.floats(0, 0.05), st.floats(1, 60))
    def test_the_longest_decay_gives_exactly_the_drop(self, gap, pre, drop):
        rt60 = longest_rt60_s(gap, pre, drop)
        self.assertAlmostEqual(tail_db(gap, pre, rt60), -drop, places=6)

    def asked(self, **more) -> SpaceRequest:
        phrases = [
            Phrase(start_s=0, end_s=1),
            Phrase(start_s=1.31, end_s=2),
            Phrase(start_s=3, end_s=4),
        ]
        return SpaceRequest(frame=SIX, space=KeptSpace(phrases=phrases, **more))

    def view(self, **more):
        return space_view(self.asked(**more), Levels(seconds=4, db=[], low=[], high=[]))

    def test_the_drawn_example(self):
        # Fits the bar: 1276.6 - 26.6 = 1250.0 ms; a gap of 0.31 s: -13.6 dB, 0.85 s, 6.4 dB.
        out = self.view(rt60_s=1.25, pre_delay="1/64")
        self.assertAlmostEqual(out.pre_delay_ms, 26.596, places=2)
        self.assertAlmostEqual(out.bar_ms, 1276.596, places=2)
        gap = out.gaps[0]
        self.assertAlmostEqual(gap.tail_db, -13.6, delta=0.01)
        self.assertAlmostEqual(gap.longest_rt60_s, 0.85, delta=0.001)
        self.assertAlmostEqual(gap.ducking_db, 6.4, delta=0.01)
        self.assertEqual((out.clear, len(out.gaps)), (1, 2))
        fits, clears, taste = out.schools
        self.assertAlmostEqual(fits.take_rt60_s, 1.25, delta=0.001)
        self.assertAlmostEqual(clears.take_rt60_s, 0.85, delta=0.001)
        self.assertEqual(clears.clear, 2)
        self.assertIn("taste", taste.about)

    def test_what_is_taken_from_a_school_is_what_it_promises(self):
        for school in self.view(rt60_s=2.5, pre_delay="20 ms").schools:
            more = (
                {"pre_delay": school.take_pre_delay}
                if school.take_pre_delay
                else {"pre_delay": "20 ms"}
            )
            self.assertEqual(self.view(rt60_s=school.take_rt60_s, **more).clear, school.clear)

    def test_a_quieter_return_leaves_more_room(self):
        loud, quiet = (self.view(rt60_s=2, start_db=s).gaps[0].longest_rt60_s for s in (0, -10))
        self.assertAlmostEqual(quiet / loud, 2.0, places=6)
        self.assertEqual(self.view(rt60_s=2, start_db=-30).clear, 2)

    def test_what_contradicts_itself_says_so(self):
        for phrases, words in (
            ([Phrase(start_s=2, end_s=1)], "before it has begun"),
            ([Phrase(start_s=0, end_s=2), Phrase(start_s=1, end_s=3)], "overlap"),
        ):
            request = SpaceRequest(frame=SIX, space=KeptSpace(phrases=phrases))
            with self.assertRaisesRegex(FonodromeError, words):
                space_view(request, Levels(seconds=4, db=[], low=[], high=[]))
        with self.assertRaises(QuantityError):
            self.view(pre_delay="soon")
        self.assertTrue(math.isfinite(self.view(rt60_s=60).gaps[0].tail_db))


class Rooms(unittest.TestCase):
    def test_absorbing_walls_shorten_and_eyring_is_the_shorter(self):
        live, dead = (room_view(RoomRequest(absorption=a)) for a in (0.1, 0.5))
        self.assertGreater(live.sabine_s, dead.sabine_s)
        self.assertLess(dead.eyring_s, dead.sabine_s)
        self.assertAlmostEqual(live.pre_delay_ms, 8000 / 343.2, delta=0.1)

    def test_grain_and_impossible_rooms_are_said(self):
        out = room_view(RoomRequest(line_ms=60, surface_m2=20))
        self.assertTrue(any("grain" in w for w in out.warnings))
        self.assertTrue(any("a ball has that" in w for w in out.warnings))
