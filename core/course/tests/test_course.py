"""Returns together, levels along the course, tails behind dynamics, against figures worked by hand."""

import math
import random
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from core.course import CourseRequest, TailRequest, course_levels, returns_view, tail_view
from core.course.power import band_power, output_power
from core.errors import FonodromeError
from core.routing import Context, Evaluation, parse_rig
from core.routing.plan.cells import MIDDLE_HZ, pink
from core.units import TempoFrame

SONG = Context(TempoFrame(tempo_bpm=120))
SENDS = (
    "g: source (level -20 dB) > s: split > m: merge > o: output\n"
    "s > d1: delay (time 300 ms, mix 100 %, feedback 0 %) > m [level -6 dB]\n"
    "s > d2: delay (time 450 ms, mix 100 %, feedback 0 %) > m [level -6 dB]\n"
)


def rig(text):
    return parse_rig(text)


class Returns(unittest.TestCase):
    def test_equal_returns_add_ten_log_n_out_of_step_and_twenty_log_n_in_step(self):
        out = returns_view(rig(SENDS), SONG)
        self.assertEqual([r.wet for r in out.returns], [False, True, True])
        for r in out.returns[1:]:
            self.assertAlmostEqual(r.level_db, -6, places=2)
            self.assertAlmostEqual(r.low_db, -6, places=2)
        self.assertAlmostEqual(out.apart_db, -6 + 10 * math.log10(2), places=2)
        self.assertAlmostEqual(out.in_step_db, -6 + 20 * math.log10(2), places=2)
        part = 10 ** (-6 / 10)
        self.assertAlmostEqual(out.low_lift_db, 10 * math.log10(1 + 2 * part), delta=0.02)
        muted = 10 * math.log10((1 + part) / (1 + 2 * part))
        self.assertAlmostEqual(out.returns[1].muted_db, muted, places=2)
        more = 10 * math.log10((1 + 3 * part) / (1 + 2 * part))
        self.assertAlmostEqual(out.returns[1].twice_db, more, places=2)
        # All in step: -20 dBFS, 1 + 2 * 0.501, and the output's crest of 12 dB.
        peak = -20 + 20 * math.log10(1 + 2 * 10 ** (-6 / 20)) + 12
        self.assertAlmostEqual(out.peak_dbfs, peak, delta=0.05)
        # Panned hard to one side the returns stand there whole, beside the dry sound's share.
        hard = SENDS.replace("> o: output", "> o: output (stereo)").replace(
            "[level -6 dB]", "[level -6 dB, pan 100 %]"
        )
        side = -20 + 20 * math.log10(math.sqrt(0.5) + 2 * 10 ** (-6 / 20)) + 12
        self.assertAlmostEqual(returns_view(rig(hard), SONG).peak_dbfs, side, delta=0.05)

    def test_dry_ways_meet_in_step_before_returns_are_held_against_them(self):
        # Two equal dry ways make +6.02 dB; another source that goes past the place is not of it.
        text = (
            "g: source (level -20 dB) > s: split > m: merge > o: output\ns > m\n"
            "s > d: delay (time 300 ms, mix 100 %, feedback 0 %) > m\n"
            "k: source (level -10 dB) > o"
        )
        out = returns_view(rig(text), SONG)
        self.assertEqual([r.wet for r in out.returns], [False, False, True])
        for r, level in zip(out.returns, (-6.02, -6.02, -6.02), strict=True):
            self.assertAlmostEqual(r.level_db, level, delta=0.01)
        self.assertAlmostEqual(out.apart_db, -6.02, delta=0.01)
        self.assertAlmostEqual(out.low_lift_db, 10 * math.log10(1 + 1 / 4), delta=0.02)
        # Without one of the dry ways: (1 + 1) of (4 + 1).
        self.assertAlmostEqual(out.returns[0].muted_db, 10 * math.log10(2 / 5), delta=0.02)

    def test_feedback_adds_its_repeats_and_a_low_cut_saves_what_it_says(self):
        echo = 'g: source > s: split > m: merge > o: output\ns > d: delay "Slap" (time 300 ms, mix 100 %, feedback 50 %{}) > m'
        plain = returns_view(rig(echo.format("")), SONG)
        self.assertAlmostEqual(plain.apart_db, 10 * math.log10(1 / (1 - 0.25)), places=2)
        # A delay's own cut is inside its loop: a filter behind it is what helps.
        self.assertEqual(
            (plain.returns[1].low_cut_on, plain.returns[1].low_cut_rail), (None, "d.0")
        )
        self.assertLess(plain.returns[1].low_cut_saves_db, -6)
        cut = returns_view(
            rig(echo.format("").replace("50 %) > m", "50 %) > f: filter (low cut 150 Hz) > m")),
            SONG,
        )
        self.assertIsNone(cut.returns[1].low_cut_rail)
        saved = cut.returns[1].low_db - plain.returns[1].low_db
        self.assertAlmostEqual(saved, plain.returns[1].low_cut_saves_db, delta=0.05)

    def test_the_order_of_arrivals_says_whether_a_pre_delay_is_heard(self):
        text = (
            "g: source > s: split > m: merge > o: output\n"
            's > d: delay "Slap" (time 120 ms, mix 100 %, feedback 30 %) > m\n'
            's > r: reverb "Hall" (pre-delay {} ms, RT60 1.5 s, mix 100 %) > m'
        )
        for pre, words in (
            (40, "pre-delay is heard"),
            (110, "hides behind"),
            (250, "is not heard as one"),
        ):
            with self.subTest(pre):
                out = returns_view(rig(text.format(pre)), SONG)
                self.assertEqual(len(out.order), 1)
                self.assertIn(words, out.order[0])
                tail = next(m for m in out.marks if m.kind == "tail")
                self.assertAlmostEqual(tail.time_ms, pre, places=3)
                self.assertEqual(tail.rt60_s, 1.5)
                echoes = [m.time_ms for m in out.marks if m.kind == "echo"]
                self.assertAlmostEqual(echoes[0], 120, places=3)

    def test_a_rig_without_returns_says_so(self):
        with self.assertRaisesRegex(FonodromeError, "meet nowhere"):
            returns_view(rig("g: source > l: level > o: output"), SONG)
        with self.assertRaisesRegex(FonodromeError, "no such place"):
            returns_view(rig(SENDS), SONG, None, "elsewhere")


class Powers(unittest.TestCase):
    @settings(max_examples=30, deadline=None)
    @given(st.integers(0, 5000))
    def test_the_power_at_an_output_is_that_of_its_arrivals(self, seed):
        """Flat rails side by side, some fed back: the board's power sum and this agree."""
        rng = random.Random(seed)
        lines = ["g: source (level -20 dB) > s: split > m: merge > o: output"]
        for i in range(rng.randint(1, 5)):
            back = rng.choice((0, 0, 30, 70))
            lines.append(
                f"s > d{i}: delay (time {rng.randint(5, 900)} ms, mix 100 %, feedback {back} %) > "
                f"l{i}: level (level {rng.uniform(-20, 6):.2f} dB) > m"
            )
        e = Evaluation(rig("\n".join(lines)), SONG)
        board = e.boards[0]
        power = band_power(output_power(e.rig, e.plan, SONG, "o"))
        wanted = -20 + board.reference_gain_db + board.sums.level_db
        self.assertAlmostEqual(10 * math.log10(power), wanted, delta=0.03)

    def test_filters_shape_it_and_a_mute_takes_it_away(self):
        for text, corner, turn in (
            ("g: source > f: filter (low cut 200 Hz, order 2) > o: output", 200, -4),
            ("g: source > f: filter (high cut 20 Hz, order 2) > o: output", 20, 4),
        ):
            e = Evaluation(rig(text), SONG)
            power = output_power(e.rig, e.plan, SONG, "o").sum(axis=0) / 10 ** (-18 / 10)
            at = int(np.argmin(np.abs(MIDDLE_HZ - 200)))
            cut = -10 * math.log10(1 + (MIDDLE_HZ[at] / corner) ** turn)
            there = 10 * math.log10(power[at] / pink().weights[at])
            self.assertAlmostEqual(there, cut, delta=0.01)
        muted = Evaluation(rig("g: source > f: fader (muted) > o: output"), SONG)
        self.assertEqual(band_power(output_power(muted.rig, muted.plan, SONG, "o")), 0)


class Levels(unittest.TestCase):
    TEXT = (
        'g: source (level -24 dB) > a: level (level 6 dB) > d: drive "Grit" (gain 12 dB, ceiling -12 dB) > '
        "c: compressor (threshold -30 dB, ratio 4, knee 0 dB, make-up 3 dB, detector rms) > o: output (ceiling -1 dB)"
    )

    def test_levels_follow_each_stage_in_every_unit(self):
        out = course_levels(rig(self.TEXT), SONG, CourseRequest(full_scale_dbu=24, crest_db=12))
        by = {p.node: p for p in out.places}
        self.assertEqual([p.node for p in out.places], ["g", "a", "d", "c", "o"])
        self.assertAlmostEqual(by["a"].level_dbfs, -18, places=4)
        self.assertAlmostEqual(by["a"].dbu, 6, places=4)
        self.assertAlmostEqual(by["a"].dbv, 6 - 2.218487, places=4)
        # Worked apart: normal noise of -18 dBFS and 12 dB through c tanh(x / c), c of -12 dBFS.
        ceiling, sigma = 10 ** (-12 / 20), 10 ** ((-18 + 12) / 20)
        x = np.linspace(-6, 6, 20_001)
        bell = np.exp(-x * x / 2) / math.sqrt(2 * math.pi)
        bent = (ceiling * np.tanh(sigma * x / ceiling)) ** 2
        driven = 10 * math.log10(float((bent * bell).sum() * (x[1] - x[0])))
        # What it makes above half the rate is filtered off.
        self.assertLess(by["d"].level_dbfs, driven)
        self.assertAlmostEqual(by["d"].level_dbfs, driven, delta=0.1)
        self.assertAlmostEqual(by["d"].trim_db, -18 - driven, delta=0.1)
        # Flat tops at -12 dBFS, and what the filters round the shaper add to them.
        self.assertLess(abs(by["d"].peak_dbfs - -12), 4.4)
        self.assertAlmostEqual(by["c"].level_dbfs, -30 + (driven + 30) / 4 + 3, delta=0.1)
        self.assertAlmostEqual(by["c"].trim_db, driven - by["c"].level_dbfs, delta=0.1)
        # A peak may come before the compressor has turned down: only its make-up is counted.
        self.assertAlmostEqual(by["o"].headroom_db, -1 - (by["d"].peak_dbfs + 3), delta=0.01)
        self.assertEqual(out.lowest, "o")

    def test_a_trim_makes_it_as_loud_after_as_before(self):
        first = course_levels(rig(self.TEXT), SONG, CourseRequest())
        trimmed = rig(self.TEXT)
        for place in first.places:
            if place.trim_db is not None:
                node = trimmed.nodes[place.node].model_copy(update={"output_db": place.trim_db})
                trimmed = trimmed.model_copy(update={"nodes": {**trimmed.nodes, place.node: node}})
                break
        after = {p.node: p for p in course_levels(trimmed, SONG, CourseRequest()).places}
        self.assertAlmostEqual(after["d"].level_dbfs, after["a"].level_dbfs, delta=0.06)

    def test_a_ceiling_that_is_passed_is_said(self):
        hot = rig("g: source (level -6 dB) > a: level (level 9 dB) > o: output")
        out = course_levels(hot, SONG, CourseRequest(crest_db=12))
        self.assertIn("passes its ceiling", out.sentence)
        # The source's own peaks, the stage's and the output's.
        self.assertEqual(len(out.cautions), 3)
        with self.assertRaisesRegex(FonodromeError, "no such source"):
            course_levels(hot, SONG, CourseRequest(source="x"))


class Tails(unittest.TestCase):
    TEXT = (
        "g: source (level -20 dB) > s: split > m: merge > o: output\n"
        "s > r: reverb (pre-delay 0 ms, RT60 2 s, mix 100 %, channels mono) > {}b: return > m"
    )

    def test_a_plain_return_falls_as_its_reverb_does(self):
        out = tail_view(rig(self.TEXT.format("")), SONG, TailRequest(gaps_s=[0.5, 1.0], drop_db=20))
        self.assertAlmostEqual(out.gaps[0].tail_db - out.start_db, -15, places=6)
        self.assertAlmostEqual(out.gaps[1].tail_db - out.start_db, -30, places=6)
        self.assertEqual([g.undone_db for g in out.gaps], [0, 0])
        longest = out.gaps[0].longest_rt60_s
        self.assertAlmostEqual(longest, 60 * 0.5 / (20 + out.start_db), places=6)

    def test_a_compressor_on_the_return_undoes_what_it_took(self):
        # From 12 dB above the threshold, 4:1: the tail falls 12 dB inside, 3 dB behind it.
        squeezed = (
            "c: compressor (threshold -{} dB, ratio 4, knee 0 dB, make-up 9 dB, detector rms) > "
        )
        plain = tail_view(rig(self.TEXT.format("")), SONG, TailRequest(gaps_s=[0.4]))
        level = -plain.start_db + 20
        out = tail_view(
            rig(self.TEXT.format(squeezed.format(level + 12))),
            SONG,
            TailRequest(gaps_s=[0.4], drop_db=20),
        )
        self.assertAlmostEqual(out.gaps[0].undone_db, 9, delta=0.02)
        self.assertGreater(out.gaps[0].tail_db - out.start_db, -3.1)
        self.assertLess(out.gaps[0].longest_rt60_s, plain.gaps[0].longest_rt60_s)
        # With the longest decay it is exactly as far down as asked.
        text = self.TEXT.format(squeezed.format(level + 12)).replace(
            "RT60 2 s", f"RT60 {out.gaps[0].longest_rt60_s} s"
        )
        again = tail_view(rig(text), SONG, TailRequest(gaps_s=[0.4], drop_db=20))
        self.assertAlmostEqual(again.gaps[0].tail_db, -20, delta=0.1)

    def test_of_several_gaps_the_one_where_most_is_undone_is_said(self):
        # Half way through its fall it has got half of its 9 dB back, at the end all of them.
        squeezed = (
            "c: compressor (threshold -{} dB, ratio 4, knee 0 dB, make-up 9 dB, detector rms) > "
        )
        plain = tail_view(rig(self.TEXT.format("")), SONG, TailRequest(gaps_s=[0.4]))
        text = self.TEXT.format(squeezed.format(-plain.start_db + 32))
        for gaps in ([0.2, 0.4], [0.4, 0.2]):
            out = tail_view(rig(text), SONG, TailRequest(gaps_s=gaps))
            undone = [g.undone_db for g in out.gaps]
            self.assertAlmostEqual(max(undone), 9, delta=0.05)
            self.assertLess(min(undone), 5)
            self.assertIn("undoes up to 9.0 dB", out.sentence)

    def test_what_a_key_held_down_opens_again_in_the_gap(self):
        # 12 dB down while it plays; 10 ms of smoothing until the key of -20 dB has fallen to -40, then back
        # with 400 ms: 12 e^(-t / 400) of it are left.
        text = (
            "g: source (level -20 dB) > s: split > m: merge > o: output (stereo)\n"
            "s > r: reverb (RT60 2 s, pre-delay 20 ms) > d: ducker (depth 12 dB, attack 1 ms, release 400 ms) > m\n"
            "key s > d"
        )
        out = tail_view(rig(text), SONG, TailRequest(gaps_s=[0.25, 1.0]))
        self.assertAlmostEqual(out.start_db, -12, delta=0.1)
        for gap, one in zip((0.25, 1.0), out.gaps, strict=True):
            left = 12 * math.exp(-(gap - 0.01 * math.log(100)) / 0.4)
            self.assertAlmostEqual(one.tail_db, -left - 30 * (gap - 0.02), delta=0.3)
        # The longest decay counts it as well.
        longest = out.gaps[1].longest_rt60_s
        again = tail_view(
            rig(text.replace("RT60 2 s", f"RT60 {longest} s")), SONG, TailRequest(gaps_s=[1.0])
        )
        self.assertAlmostEqual(again.gaps[0].tail_db, -20, delta=0.1)
        # Nothing opens where nothing keys it.
        keyless = tail_view(rig(text.replace("\nkey s > d", "")), SONG, TailRequest(gaps_s=[1.0]))
        self.assertAlmostEqual(keyless.gaps[0].tail_db, -30 * 0.98, delta=0.1)

    def test_what_an_echo_feeds_begins_to_fall_later(self):
        # The echo comes 400 ms after the dry sound and as loud: half of the tail is not fed by it.
        text = (
            "g: source (level -20 dB) > s: split > m: merge > o: output (stereo)\n"
            "s > j: merge > r: reverb (RT60 2 s, pre-delay 20 ms) > m [level -6 dB]\n"
            "s > e: delay (time 400 ms) > j"
        )
        out = tail_view(rig(text), SONG, TailRequest(gaps_s=[0.3, 1.02], drop_db=20))
        self.assertAlmostEqual(out.start_db, -6 + 10 * math.log10(2), delta=0.05)
        # After 280 ms the dry half has fallen by 8.4 dB, the other half not at all.
        left = 10 * math.log10(10**-0.84 + 1)
        self.assertAlmostEqual(out.gaps[0].tail_db, -6 + left, delta=0.05)
        # After a second by 30 dB, and after 600 ms by 18.
        left = 10 * math.log10(10**-3 + 10**-1.8)
        self.assertAlmostEqual(out.gaps[1].tail_db, -6 + left, delta=0.05)
        # No decay is short enough where the echo still feeds it; else the longest one is exactly it.
        self.assertIsNone(out.gaps[0].longest_rt60_s)
        longest = out.gaps[1].longest_rt60_s
        again = tail_view(
            rig(text.replace("RT60 2 s", f"RT60 {longest} s")), SONG,
            TailRequest(gaps_s=[1.02], drop_db=20),
        )  # fmt: skip
        self.assertAlmostEqual(again.gaps[0].tail_db, -20, delta=0.1)

    def test_an_upward_compressor_lifts_at_most_what_it_may(self):
        lift = (
            "t: three_band (lift below -20 dB, lift ratio 4, lift at most 8 dB, threshold 0 dB) > "
        )
        out = tail_view(rig(self.TEXT.format(lift)), SONG, TailRequest(gaps_s=[1.0]))
        self.assertAlmostEqual(out.gaps[0].undone_db, 8, delta=0.6)
        with self.assertRaisesRegex(FonodromeError, "no reverb"):
            tail_view(rig("g: source > o: output"), SONG, TailRequest(gaps_s=[1]))
