"""Wishes against figures worked out by hand; in the notation, in the document, and in a sentence where
they have no figure.
"""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from core.routing import (
    Context,
    NotationError,
    Rig,
    RigError,
    format_rig,
    load_rig,
    parse_rig,
    perform,
)
from core.routing.document.demo import DEMO_RIGS
from core.routing.document.wishes import WISHES, Wish
from core.routing.edit.actions import Remove, SetWishes
from core.routing.edit.edits import apply_edit, difference, difference_in_words
from core.units import TempoFrame
from core.wishes import Looked, figure_of, steady_phrases, wish_sets, wishes_of

C = Context(TempoFrame(tempo_bpm=120, beat_unit="1/4", metre_count=4, metre_unit=4))
# -18 dBFS on a straight rail; an echo of 375 ms, 6.5 dB down, 40 % round; a hall of 2 s, 3 dB down.
RIG = """
guitar: source "Guitar" (level -18 dB, crest 12 dB) > ways: split > mix: merge > main: output (stereo)
ways > down: level (level -4 dB) > echo: delay (time 1/8., feedback 40 %) > mix [level -2.5 dB]
ways > hall: reverb (rt60 2 s, pre-delay 20 ms) > mix [level -3 dB]
"""


def db(power: float) -> float:
    return 10 * math.log10(power)


def figure(wish: str, text: str = RIG, gaps=(0.5, 0.3, 1.0)) -> float:
    rig = parse_rig(f"{text}\nwish {wish}")
    return figure_of(rig.wishes[0], Looked(rig, C, None if gaps is None else steady_phrases(gaps)))


def said(wish: str, text: str = RIG, gaps=(0.5, 0.3, 1.0)) -> str:
    rig = parse_rig(f"{text}\nwish {wish}")
    (one,) = wishes_of(Looked(rig, C, None if gaps is None else steady_phrases(gaps))).wishes
    assert one.figure is None, one
    assert one.holds is None
    return one.sentence


class Figures(unittest.TestCase):
    def close(self, wish: str, value: float, text: str = RIG, within: float = 0.02, **more) -> None:
        self.assertAlmostEqual(figure(wish, text, **more), value, delta=within, msg=wish)

    def test_levels_and_peaks(self):
        # Behind the level stage: -18 - 4. Behind the echo: all repeats as powers, 1 / (1 - 0.4 squared).
        self.close("level of down under 0 dBFS", -22)
        self.close("level of echo under 0 dBFS", -22 + db(1 / (1 - 0.16)))
        self.close("peak of down under 0 dBFS", -22 + 12)
        # Two sources of one level on one rail: unlike each other, 3.01 dB up.
        two = "a: source (level -20 dB) > m: merge > o: output\nb: source (level -20 dB) > m"
        self.close("level of o under 0 dBFS", -20 + db(2), two)
        self.close("louder than bare under 0 dB", db(2), two)

    def test_one_way_against_another(self):
        self.close("level of hall against dry under 0 dB", -3, within=0.05)
        self.close("level of echo against dry under 0 dB", -6.5 + db(1 / (1 - 0.16)))
        self.close("level of echo against hall under 0 dB", -3.5 + db(1 / (1 - 0.16)), within=0.05)

    def test_a_quieter_source_counts_as_it_sounds(self):
        two = (
            "a: source (level -10 dB) > m: merge > o: output\n"
            "b: source (level -30 dB) > s: split > m\ns > e: delay (time 100 ms) > m"
        )
        # The echo is as loud as its own dry sound, and 20 dB under the other one.
        self.close("level of e against dry under 0 dB", db(0.01 / 1.01), two)

    def test_times(self):
        # A dotted eighth at 120 is 375 ms; the hall begins after 20.
        self.close("spread of echo, hall under 1 ms", 355, within=1e-6)
        amps = "g: source > s: split > m: merge > o: output\ns > late: generic (latency 2.5 ms) > m\ns > later: generic (latency 4 ms) > m"
        self.close("spread under 1 ms", 4, amps, within=1e-6)
        self.close("spread of late, later over 1 ms", 1.5, amps, within=1e-6)
        # A sixty-fourth at 120 lasts 31.25 ms.
        self.close("pre-delay off by 1/64 under 1 ms", 11.25, within=1e-6)

    def test_repeats_that_are_left_at_a_time(self):
        # Echoes at 375 ms and its multiples, each 0.4 of the last: the sixth is the first after 2 s.
        self.close("repeats by 1/1 under 0 dB", -6.5 + 5 * 20 * math.log10(0.4))
        # At its very moment it still counts.
        self.close('repeats by "750 ms" under 0 dB', -6.5 + 20 * math.log10(0.4))
        self.close('repeats by "750.1 ms" under 0 dB', -6.5 + 40 * math.log10(0.4))

    def test_a_long_loop_is_not_called_gone_after_the_laps_that_a_board_lists(self):
        # 90 % round, every 100 ms: the 20th repeat is 19 laps further, 0.915 dB each.
        long = (
            "g: source > s: split > m: merge > o: output\n"
            "s > e: delay (time 100 ms, feedback 90 %) > m [level -6 dB]"
        )
        lap = 20 * math.log10(0.9)
        self.close('repeats by "2 s" under -40 dB', -6 + 19 * lap, long, within=0.01)
        self.close('repeats by "1.95 s" under -40 dB', -6 + 19 * lap, long, within=0.01)
        # By a rail: 3 dB down and 200 ms later each time round.
        rail = (
            "g: source > s: split > m: merge > o: output\n"
            "s > b: merge > e: delay (time 200 ms) > t: split > m [level -6 dB]\n"
            "t > l: level (level -3 dB) > b"
        )
        self.close('repeats by "3 s" under -40 dB', -6 - 14 * 3, rail, within=0.01)

    def test_a_low_cut_on_a_tail_takes_its_share_of_the_power(self):
        # 12 dB an octave below 400 Hz, of equal power in every octave from 40 Hz to 16 kHz.
        octaves = np.linspace(math.log(40), math.log(16_000), 20_001)
        share = float(np.mean(1 / (1 + (400 / np.exp(octaves)) ** 4)))
        cut = RIG.replace("pre-delay 20 ms", "pre-delay 20 ms, low cut 400 Hz")
        for wish in ("level of hall against dry under 0 dB", "tail at entries under 0 dB"):
            self.assertAlmostEqual(figure(wish, cut) - figure(wish), db(share), delta=0.15)

    def test_a_stereo_source_among_mono_ones_counts_both_its_sides(self):
        # A mono one on two sides is as loud as it was; a stereo one has two sides of its level.
        two = (
            "a: source (level -20 dB, stereo) > m: merge > o: output (stereo)\n"
            "b: source (level -20 dB) > s: split > m\ns > e: delay (time 300 ms) > m"
        )
        self.close("level of e against dry under 0 dB", db(1 / 3), two)

    def test_copies_of_one_sound_in_step_are_its_amplitudes_added(self):
        # Two dry ways of one source at one time: 6 dB up, not 3.
        both = (
            "g: source > s: split > m: merge > o: output\ns > x: level (level 0 dB) > m\n"
            "s > e: delay (time 300 ms) > m"
        )
        self.close("level of e against dry under 0 dB", -db(4), both)

    def test_where_more_goes_round_than_can_be_listed_nothing_is_called_gone(self):
        # Two loops through one another: thousands of ways round, each 4 dB down or more.
        loop = "g: source > m: merge > e: delay (time 100 ms) > s: split > o: output\n" + "\n".join(
            f"s > b{n}: delay (time {31 + 10 * n} ms) > m [level -18 dB]" for n in range(6)
        )
        weakest = min(a.level_db for a in Looked(parse_rig(loop), C).e.boards[0].arrivals)
        self.assertFalse(Looked(parse_rig(loop), C).e.boards[0].complete)
        self.assertGreaterEqual(figure('repeats by "20 s" under -60 dB', loop), weakest)
        self.assertGreater(weakest, -100)

    def test_the_tail_at_the_closest_entry(self):
        # After 20 ms of pre-delay 280 of the 300 ms are left: 60 dB in 2 s.
        self.close("tail at entries under 0 dB", -3 - 60 * 0.28 / 2, within=0.05)
        self.close(
            "tail at entries of hall under 0 dB", -3 - 60 * 0.48 / 2, gaps=(0.5,), within=0.05
        )

    def test_mono_and_combs(self):
        sides = "g: source > s: split > m: merge > o: output (stereo)\ns > flip: level (inverted) > m [pan 100 %]"
        sides = sides.replace("> m: merge", "> m: merge [pan -100 %]")
        # One sound on one side, its mirror on the other: nothing is left of it in mono.
        self.assertGreater(figure("mono loss under 1 dB", sides), 40)
        self.close("mono loss under 1 dB", 0)
        # A copy 1 ms late and 6 dB down: notches at 500, 1500 ... Hz, 1 - 0.5 of the sound, 6 dB.
        late = "g: source > s: split > m: merge > o: output\ns > x: generic (latency 1 ms) > m [level -6 dB]"
        depth = -20 * math.log10(1 - 10 ** (-6 / 20))
        self.close("comb under 1 dB", depth, late, within=0.05)
        self.close("comb from 600 to 1400 Hz under 1 dB", 0, late)
        self.close("comb from 1400 to 1600 Hz under 1 dB", depth, late, within=0.05)

    def test_low_end_loops_and_the_quiet(self):
        # The same spectrum below 200 Hz: as loud against the dry as it is everywhere.
        echo = "g: source > s: split > m: merge > o: output\ns > e: delay (time 90 ms) > m [level -6 dB]"
        self.close("low end of returns under 0 dB", -6, echo)
        both = f"{echo}\ns > f: delay (time 810 ms) > m [level -6 dB]"
        self.close("low end of returns under 0 dB", -6 + db(2), both)
        loop = "g: source > m: merge > e: delay (time 100 ms) > s: split > o: output\ns > back: level (level -5 dB) > m"
        self.close("loop gain under -3 dB", -5, loop)
        squeezed = "g: source (level -10 dB) > c: compressor (threshold -20 dB, ratio 2, knee 0 dB) > o: output"
        # At -10 dBFS it takes away about 5 dB, more at the crests; what is 20 dB quieter stays.
        bare = [
            figure("louder than bare about 0 dB", squeezed.replace("-10", level))
            for level in ("-30", "-10")
        ]
        self.close("quiet lift about 4 dB", bare[0] - bare[1], squeezed, within=1e-6)
        self.close("quiet lift about 4 dB", 6, squeezed, within=1)
        self.close("quiet lift about 4 dB", 0, within=1e-6)

    def test_where_there_is_no_figure_there_is_a_sentence(self):
        self.assertIn("no “nowhere” in this rig", said("level of nowhere under 0 dBFS"))
        self.assertIn("bring one in", said("tail at entries under -20 dB", gaps=None))
        self.assertIn("no gaps", said("tail at entries under -20 dB", gaps=()))
        self.assertIn(
            "no reverb that sounds", said("tail at entries under -20 dB", "g: source > o: output")
        )
        self.assertIn("no loop", said("loop gain under -3 dB"))
        self.assertIn("only one arrival", said("spread under 1 ms", "g: source > o: output"))
        grows = (
            "g: source > m: merge > e: delay (time 9 ms) > s: split > o: output\ns > m [level 2 dB]"
        )
        self.assertIn("grows", said("level of o under 0 dBFS", grows))
        self.assertIn("no output", said("mono loss under 1 dB", "g: source"))

    def test_holding_and_missing_in_words(self):
        rig = parse_rig(
            f"{RIG}\nwish tail at entries under -20 dB\nwish should level of hall against dry about -3,4 dB\n"
            "wish level of hall against dry over -3,5 dB"
        )
        out = wishes_of(Looked(rig, C, steady_phrases((0.3,))))
        self.assertEqual([w.holds for w in out.wishes], [False, True, True])
        self.assertEqual(out.sentence, "2 of 3 wishes hold.")
        self.assertAlmostEqual(out.wishes[0].short_by, 8.6, delta=0.05)
        self.assertEqual(out.wishes[0].title, "Tail at entries")
        self.assertEqual(out.wishes[1].title, "Level of Reverb against the dry sound")
        # Two levels in dBFS are some dB apart.
        rig = parse_rig(f"{RIG}\nwish level of down under -30 dBFS")
        (one,) = wishes_of(Looked(rig, C)).wishes
        self.assertEqual(one.sentence, "−22.0 dBFS: 8 dB too much.")


WORDS = st.sampled_from(sorted(WISHES))


@st.composite
def wishes(draw) -> Wish:
    kind = draw(WORDS)
    spec = WISHES[kind]
    takes = set(spec.takes)
    some = st.sampled_from(("echo", "hall", "down"))
    bound = draw(st.sampled_from(("under", "over", "about")))
    low, high = sorted(draw(st.tuples(st.floats(20, 900), st.floats(1000, 9000))))
    parts: tuple[str, ...] = ()
    if "part" in takes or ("reverb" in takes and draw(st.booleans())):
        parts = (draw(some),)
    elif "parts" in takes:
        parts = tuple(draw(st.lists(some, max_size=3, unique=True)))
    return Wish(
        kind=kind, must=draw(st.booleans()), bound=bound, value=draw(st.floats(spec.low, spec.high)),
        within=draw(st.none() | st.floats(0.01, 10)) if bound == "about" else None, parts=parts,
        against=draw(st.none() | some) if "against" in takes else None,
        output="main" if "output" in takes and draw(st.booleans()) else None,
        variant=draw(st.sampled_from(("B", "AC"))) if "variant" in takes else None,
        during=draw(st.none() | st.sampled_from(("phrases", "gaps"))) if "during" in takes else None,
        when=draw(st.sampled_from(("1/1", "1/8.", "500 ms", "0.5 s"))) if {"when", "note"} & takes else "",
        low_hz=low if "band" in takes else None, high_hz=high if "band" in takes else None,
    )  # fmt: skip


class Written(unittest.TestCase):
    @settings(deadline=None, max_examples=150)
    @given(st.lists(wishes(), max_size=6))
    def test_what_is_wished_is_read_back_as_it_was_written(self, those):
        rig = perform(parse_rig(RIG), SetWishes(wishes=tuple(those))).rig
        text = format_rig(rig)
        self.assertEqual(parse_rig(text, rig), rig, text)
        self.assertEqual(load_rig(rig.model_dump(mode="json")), rig)
        edit = difference(parse_rig(RIG), rig)
        self.assertEqual(apply_edit(rig, edit.inverse), parse_rig(RIG))

    def test_bad_ones_say_what_is_wrong(self):
        for wish, words in (
            ("more of it", "nothing to wish for"),
            ("tail at entries", "a wish reads"),
            ("tail at entries under", "number"),
            ("tail at entries under -20 s", "in dB, not “s”"),
            ("tail at entries under -200 dB", "lies between -120 and 20"),
            ("peak under 3 dBFS", "names one part"),
            ("peak of a, b under 3 dBFS", "names one part"),
            ("mono loss of hall under 3 dB", "names no part"),
            ("repeats under -40 dB", "says when"),
            ("mono loss at main at main under 1 dB", "stands twice"),
            ("mono loss under 1 dB within 2 dB", "a bound has no width"),
            ("comb from 900 to 100 Hz under 1 dB", "ends below where it begins"),
            ("comb from 900 Hz under 1 dB", "a band reads"),
            ("level of 3 under 1 dB", "names a part"),
            ("null under -20 dB", "names a variant"),
            ("null against 7 under -20 dB", "names a part"),
            ("level of hall against dry in rests under 1 dB", "in phrases, or in gaps"),
            ("tail at entries in gaps under -20 dB", "has no “during”"),
            ("local ratio under 0 :1", "lies between 0.1 and 100"),
        ):
            with self.subTest(wish):
                with self.assertRaises(NotationError) as fault:
                    parse_rig(f"{RIG}\nwish {wish}")
                self.assertIn(words, fault.exception.sentence)
                self.assertIn("Line", fault.exception.sentence)
        with self.assertRaises(RigError):
            parse_rig(RIG + "\nwish mono loss under 1 dB" * 51)

    def test_a_long_hostile_line_is_read_in_time(self):
        for wish in (
            "of " * 9000,
            "level " + "of a," * 9000,
            "comb " + "from 1 to " * 5000,
            "repeats by " + "at " * 9000 + "under 1",
        ):
            with self.assertRaises(NotationError):
                parse_rig(f"{RIG}\nwish {wish}")

    def test_a_part_that_is_taken_away_leaves_its_wish_and_a_document_of_before_has_none(self):
        rig = parse_rig(RIG + "\nwish level of hall under -20 dBFS")
        without = perform(rig, Remove(nodes=("hall",))).rig
        self.assertEqual(len(without.wishes), 1)
        old = rig.model_dump(mode="json") | {"version": 5}
        del old["wishes"]
        self.assertEqual(load_rig(old), rig.model_copy(update={"wishes": ()}))
        self.assertEqual(
            difference_in_words(Rig(**{**rig.model_dump(), "wishes": ()}), rig),
            ["The wishes differ"],
        )


class Sets(unittest.TestCase):
    def test_each_begins_with_the_parts_that_the_rig_has(self):
        found = {s.id: s for s in wish_sets(parse_rig(RIG))}
        self.assertEqual([w.parts for w in found["voice"].wishes], [("hall",), ("hall",), ()])
        self.assertEqual([w.parts for w in found["figure"].wishes], [("echo",), ()])
        self.assertEqual(
            found["amps"].lacks, "This rig has not two amplifiers or cabinets side by side."
        )
        self.assertEqual(
            (found["bus"].wishes, found["bus"].lacks), ([], "This rig has not a compressor.")
        )

    def test_amplifiers_one_behind_the_other_are_one_way(self):
        amps = (
            "g: source > s: split > a: power_amp > ca: cabinet > o: output\n"
            "s > b: power_amp > cb: cabinet > o"
        )
        (spread, *_) = next(s for s in wish_sets(parse_rig(amps)) if s.id == "amps").wishes
        self.assertEqual(spread.parts, ("ca", "cb"))
        one = "g: source > a: power_amp > ca: cabinet > o: output"
        self.assertEqual(next(s for s in wish_sets(parse_rig(one)) if s.id == "amps").wishes, [])

    def test_every_one_of_the_demo_s_rigs_measures_what_a_set_says(self):
        for title, _, variants in DEMO_RIGS:
            for name, text in variants:
                rig = parse_rig(text)
                for one in wish_sets(rig):
                    with self.subTest(title, variant=name, set=one.id):
                        out = wishes_of(Looked(rig, C, steady_phrases((0.4,))), tuple(one.wishes))
                        self.assertEqual([w.sentence for w in out.wishes if w.figure is None], [])

    def test_what_is_bypassed_is_not_begun_with(self):
        rig = parse_rig(RIG.replace("hall: reverb (", "hall: reverb (bypassed, "))
        self.assertEqual(next(s for s in wish_sets(rig) if s.id == "voice").wishes, [])


if __name__ == "__main__":
    unittest.main()
