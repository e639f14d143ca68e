"""What the plan says of ordinary rigs, against arithmetic done by hand beside each.

Each of these was once shown wrong. The sound that belongs to them is rendered and measured in
core/render/tests/test_plan_and_sound.py.
"""

import math
import unittest

from core.routing import Context, Evaluation, compile_rig, parse_rig, run_checks
from core.routing.evaluate.controls import controls_at
from core.routing.tests.rigs import LIGHTHOUSE, looked_at
from core.units import TempoFrame

SONG = Context(TempoFrame(tempo_bpm=120))
A = "a: source (level -20 dB, crest 12 dB)"
TWO = "mono fold of two sides in step, against their power"


def db(gain: float) -> float:
    return 20 * math.log10(gain)


def carried(text: str, node: str = "o"):
    rig = parse_rig(text)
    plan = compile_rig(rig, SONG)
    return plan.carried[plan.outputs.get(node, plan.outlet.get(f"{node}.0"))]


def found(text: str) -> dict[str, list]:
    by: dict[str, list] = {}
    for finding in run_checks(Evaluation(parse_rig(text), SONG)).findings:
        by.setdefault(finding.check, []).append(finding)
    return by


class Levels(unittest.TestCase):
    """RMS of each side, and the bound of its peaks."""

    def says(self, text: str, sides: list[float | None], peaks: list[float], node: str = "o"):
        at = carried(text, node)
        for name, said, true in (
            ("level", at.sides_dbfs[: at.channels], sides),
            ("peak", [db(p) for p in at.peak[: at.channels]], peaks),
        ):
            self.assertEqual(len(said), len(true), text)
            for a, b in zip(said, true, strict=True):
                self.assertAlmostEqual(a, b, delta=0.02, msg=f"{name}: {text}")

    def test_two_and_three_equal_copies_are_twice_and_thrice_the_amplitude(self):
        for copies in (2, 3):
            text = A + " > s: split > o: output" + "\ns > o" * (copies - 1)
            self.says(text, [-20 + db(copies)], [-8 + db(copies)])

    def test_mono_into_stereo_has_the_headroom_of_its_louder_side(self):
        # A middle pan gives each side half the power: 3.01 dB less, and its peaks with it.
        self.says(A + " > o: output (stereo)", [-23.0103] * 2, [-11.0103] * 2)
        at = carried(A + " > o: output (stereo) [pan 100 %]")
        self.assertIsNone(at.sides_dbfs[0])
        self.assertAlmostEqual(at.sides_dbfs[1], -20, delta=1e-6)

    def test_one_source_panned_hard_to_both_sides_is_not_added_to_itself(self):
        text = A + " > s: split > o: output (stereo) [pan -100 %]\ns > o [pan 100 %]"
        at = carried(text)
        left, right = at.sides_dbfs
        self.assertAlmostEqual(left, right, delta=1e-6)
        # One copy a side: its level is that of one copy, and so is its peak.
        alone = carried(A + " > s: split > o: output (stereo) [pan -100 %]").sides_dbfs[0]
        self.assertAlmostEqual(left, alone, delta=1e-6)
        self.assertAlmostEqual(db(at.peak[0]) - left, 12, delta=0.01)

    def test_branches_of_a_crossover_that_sum_flat_have_the_headroom_of_one(self):
        for mode in ("crossover, slope 24, crossover 800 Hz", "band", "mid-side"):
            text = A + f" > s: split (mode {mode}) > o: output\ns > o"
            self.assertAlmostEqual(carried(text).sides_dbfs[0], -20, delta=0.05, msg=mode)
            # Flat, but an all-pass: it turns phases, and peaks with them, by less than 1.6 dB.
            self.assertAlmostEqual(carried(text).peak_dbfs, -8, delta=1.6, msg=mode)

    def test_a_half_mixed_device_that_does_nothing_leaves_all_as_it_was(self):
        for device in (
            "compressor (threshold 0 dB, mix 50 %)",
            "generic (mix 50 %)",
        ):
            self.says(A + f" > x: {device} > o: output", [-20], [-8])

    def test_two_sources_add_as_powers_and_their_peaks_as_amplitudes(self):
        text = A + " > o: output\nb: source (level -20 dB, crest 12 dB) > o"
        self.says(text, [-20 + 3.0103], [-8 + 6.0206])

    def test_late_copies_of_a_broad_sound_add_as_powers_near_ones_as_amplitudes(self):
        def level(delay_ms: float) -> float:
            return carried(A + f" > s: split > o: output\ns > o [delay {delay_ms} ms]").sides_dbfs[
                0
            ]

        self.assertAlmostEqual(level(0), -20 + 6.0206, delta=0.01)
        # Long against the sound's own autocorrelation: whatever the delay, no luck of a grid.
        for delay in (97, 100, 211.7, 400):
            self.assertAlmostEqual(level(delay), -20 + 3.0103, delta=0.1, msg=f"{delay} ms")

    def test_width_and_the_mono_sum_are_counted(self):
        stereo = "a: source (stereo, level -20 dB, crest 12 dB)"
        at = carried(stereo + " > o: output (stereo) [width 0 %]")
        # Width nothing: both sides are the mono sum of two unlike sides, half their power.
        self.assertAlmostEqual(at.sides_dbfs[0], -20 - 3.0103, delta=0.02)
        self.assertAlmostEqual(10 * math.log10(at.mono_power), -20 - 3.0103, delta=0.02)

    def test_a_loop_just_below_unity_still_has_its_level(self):
        # In the loop each lap is quieter by g and late by 200 ms: 1 / (1 - g^2) of the power.
        for lap in (-3.0, -0.5, -0.15):
            text = (
                A + " > b: bus > delay (time 200 ms) > s: split > o: output\n"
                f"s > l: level (level {lap} dB) > b"
            )
            e = Evaluation(parse_rig(text), SONG)
            gain = 10 ** (lap / 20)
            self.assertTrue(e.stable)
            power = e.boards[0].sums.power_db
            self.assertAlmostEqual(
                power, -10 * math.log10(1 - gain**2), delta=0.1, msg=f"{lap} dB a lap"
            )


class Sums(unittest.TestCase):
    """The board's sums: in step, as heard, out of step, mono."""

    def test_an_equal_inverted_copy_is_silence_and_says_so(self):
        for late in ("", " (counts as wet)"):
            text = A + f" > s: split > o: output\ns > g: generic{late} > o [inverted]"
            sums = Evaluation(parse_rig(text), SONG).boards[0].sums
            self.assertIsNone(sums.headroom_db, text)
            self.assertIsNone(sums.level_db)
            self.assertTrue(sums.cancels)
            self.assertIn("polarity", found(text), text)

    def test_nearly_equal_inverted_copies_leave_their_difference(self):
        text = A + " > s: split > o: output\ns > o [level -1 dB, inverted]"
        sums = Evaluation(parse_rig(text), SONG).boards[0].sums
        self.assertAlmostEqual(sums.headroom_db, db(1 - 10 ** (-1 / 20)), delta=0.01)
        self.assertAlmostEqual(sums.level_db, db(1 - 10 ** (-1 / 20)), delta=0.02)

    def test_what_arrives_within_ten_milliseconds_leaves_out_what_is_later(self):
        text = (
            A + " > s: split > o: output\ns > g: generic (latency 3 ms) > o [level -6 dB]\n"
            "s > d: delay (time 300 ms) > o"
        )
        sums = Evaluation(parse_rig(text), SONG).boards[0].sums
        near = 1 + 10 ** (-6 / 20)
        self.assertAlmostEqual(sums.headroom_db, db(near), delta=0.01)
        self.assertAlmostEqual(sums.power_db, 10 * math.log10(1 + 10 ** (-6 / 10) + 1), delta=0.02)
        # Near: two copies 3 ms apart, between out of step and in step, without the delay's 0 dB.
        self.assertLess(sums.near_level_db, db(near))
        self.assertAlmostEqual(
            10 ** (sums.level_db / 10), 10 ** (sums.near_level_db / 10) + 1, delta=0.15
        )

    def test_an_inverted_late_copy_has_its_first_notch_where_it_is_heard(self):
        text = A + " > s: split > o: output\ns > g: generic (latency 2 ms) > o [inverted]"
        notches = Evaluation(parse_rig(text), SONG).boards[0].sums.notches
        # Upright would be 250, 750 Hz ...; inverted: whole multiples of 1 / 2 ms, 0 Hz left out.
        self.assertEqual([round(n.hz) for n in notches[:3]], [500, 1000, 1500])

    def test_sides_panned_apart_fold_to_mono_as_their_amplitudes(self):
        text = A + " > s: split > o: output (stereo) [pan -100 %]\ns > o [pan 100 %]"
        sums = Evaluation(parse_rig(text), SONG).boards[0].sums
        # (L + R) / 2 of equal sides has one side's power; the two sides together have twice that.
        self.assertAlmostEqual(sums.mono_db, 0, delta=0.05, msg=TWO)
        sums = Evaluation(parse_rig(text + "\n"), SONG).boards[0].sums
        opposite = text.replace("[pan 100 %]", "[pan 100 %, inverted]")
        gone = Evaluation(parse_rig(opposite), SONG).boards[0].sums.mono_db
        self.assertTrue(gone is None or gone < -60, gone)


class Words(unittest.TestCase):
    """What rows are called, and that each is one."""

    def rows(self, text: str):
        return Evaluation(parse_rig(text), SONG).boards[0].arrivals

    def test_a_half_wet_insert_with_no_dry_path_beside_it_is_no_leak(self):
        alone = self.rows(A + " > r: reverb (mix 50 %, locked) > o: output")
        self.assertFalse(any(a.leak for a in alone))
        self.assertNotIn("Dry leak", [a.name for a in alone])
        beside = self.rows(A + " > s: split > o: output\ns > r: reverb (mix 50 %, locked) > o")
        self.assertTrue(any(a.leak for a in beside))

    def test_a_chorus_draws_no_fixed_comb(self):
        text = A + " > s: split > o: output\ns > c: chorus (depth 3 ms) > o"
        sums = Evaluation(parse_rig(text), SONG).boards[0].sums
        self.assertEqual((sums.comb, sums.notches), ("", []))

    def test_no_two_rows_have_one_id_nor_one_name_without_their_detail(self):
        for text in (
            A + " > s: split > o: output\ns > o\ns > o",
            A
            + " > s: split > m: merge > d: delay (feedback 60 %) > o: output\ns > m\ns > l: level > m",
            A
            + " > s: split > o: output\ns > d: delay (name) > o\ns > e: delay > o".replace(
                " (name)", ""
            ),
            "a: source > b: bus > d: delay (time 90 ms) > s: split > o: output\ns > l: level (level -9 dB) > b",
        ):
            rows = self.rows(text)
            self.assertEqual(len({a.id for a in rows}), len(rows), text)
            self.assertEqual(len({(a.name, a.detail) for a in rows}), len(rows), text)

    def test_a_row_keeps_its_id_whatever_happens_elsewhere(self):
        text = (
            "a: source > s: split > c: compressor > m: merge > o: output\n"
            "s > d: delay (time 90 ms, feedback 40 %) > m"
        )
        rows = {a.name: a.id for a in looked_at(text).boards[0].arrivals}
        before = "b: source > e: equaliser > r: reverb > o\n"
        boards = looked_at(text + "\n" + before).boards
        more = {a.name: a.id for b in boards if b.source == "a" for a in b.arrivals}
        self.assertEqual({name: more[name] for name in rows}, rows)
        self.assertGreater(len(rows), 4)

    def test_a_strip_shows_where_its_pan_puts_the_sound(self):
        for pan in (-100, -45, 30, 70, 100):
            row = self.rows(A + f" > o: output (stereo) [pan {pan} %]")[0]
            self.assertAlmostEqual(row.pan_percent, pan, delta=0.5)


class AsWritten(unittest.TestCase):
    """A crossfade and a balance go by the order in which a person wrote them, not by names."""

    def shares(self, text: str) -> dict[str, float]:
        board = Evaluation(parse_rig(text), SONG).boards[0]
        return {next(p for p in a.through if p in ("z", "b")): a.gain_db for a in board.arrivals}

    def test_the_first_written_input_of_a_crossfade_is_its_first(self):
        # 20 % across: most is the first. Equal power at a quarter turn: cos(18 deg), sin(18 deg).
        for first, second in (("z", "b"), ("b", "z")):
            text = (
                f"a: source > s: split > {first}: equaliser > m: merge (crossfade 20 %) > o: output\n"
                f"s > {second}: equaliser > m"
            )
            shares = self.shares(text)
            self.assertGreater(shares[first], shares[second], text)

    def test_the_first_written_output_of_a_balance_is_its_first(self):
        for first, second in (("z", "b"), ("b", "z")):
            text = (
                f"a: source > s: split (mode balance, balance 20 %) > {first}: equaliser > o: output\n"
                f"s > {second}: equaliser > o"
            )
            shares = self.shares(text)
            self.assertGreater(shares[first], shares[second], text)


class ByLevel(unittest.TestCase):
    """A compressor works at what arrives: RMS for an RMS detector, the peaks for a peak detector."""

    def through(self, detector: str, crest: float) -> float:
        text = (
            f"a: source (level -20 dB, crest {crest} dB) > c: compressor (detector {detector}, "
            "threshold -20 dB, ratio 2, knee 0 dB) > o: output"
        )
        return carried(text).sides_dbfs[0] + 20

    def test_a_peak_detector_sees_the_crest_and_an_rms_detector_does_not(self):
        self.assertAlmostEqual(self.through("RMS", 12), self.through("RMS", 18), delta=0.2)
        self.assertLess(self.through("peak", 12), self.through("RMS", 12) - 1)

    def test_an_arrival_behind_it_says_that_it_changes_with_level(self):
        row = Evaluation(
            parse_rig(
                "a: source (level -12 dB) > s: split > o: output\n"
                "s > c: compressor (threshold -30 dB, ratio 4) > o"
            ),
            SONG,
        ).boards[0]
        behind = next(a for a in row.arrivals if "c" in a.through)
        beside = next(a for a in row.arrivals if "c" not in a.through)
        self.assertIsNone(beside.quiet_db)
        # What is quiet passes a compressor as it came; what is loud is turned down more.
        self.assertGreater(behind.quiet_db, behind.level_db)
        self.assertLess(behind.loud_db, behind.level_db)
        # Above the threshold four more in is one more out: 75 % of every decibel is taken.
        self.assertAlmostEqual(behind.quiet_db - behind.level_db, 0.75 * 18, delta=3)

    def test_a_ducker_without_a_key_does_nothing(self):
        at = carried(A + " > d: ducker (depth 12 dB) > o: output")
        self.assertAlmostEqual(at.sides_dbfs[0], -20, delta=1e-6)


class Pedals(unittest.TestCase):
    def test_only_paths_through_a_pedal_move_with_it(self):
        e = Evaluation(
            parse_rig(
                "a: source (level -20 dB) > s: split > o: output\n"
                "s > v: volume (position 100 %) > o\n"
                "b: source (level -20 dB) > o"
            ),
            SONG,
        )
        muted = next(
            r for r in controls_at(e, "o").rows if r.control == "v" and r.move == "to the heel"
        )
        # Two copies in step and a stranger: 4 + 1 falls to 1 + 1, 3.98 dB.
        self.assertAlmostEqual(muted.total_db, 10 * math.log10(2 / 5), delta=0.05)


class WhatCannotAct(unittest.TestCase):
    def test_sides_after_a_mono_stage_are_said(self):
        text = A + " > r: reverb (channels mono, early cross-talk 40 %, locked) > o: output"
        self.assertIn("idle-setting", found(text))
        self.assertNotIn("idle-setting", found(text.replace("channels mono, ", "")))


class Demo(unittest.TestCase):
    def test_the_rig_of_the_whole_tool_has_its_hall_on_one_side_only_when_told(self):
        both = (
            looked_at("guitar: source > hall: reverb (locked) > main: output (stereo)")
            .boards[0]
            .arrivals
        )
        # By its own lines, a hall stands within a percent of the middle.
        self.assertAlmostEqual(both[0].pan_percent, 0, delta=1)
        self.assertTrue(both[0].diffuse)
        self.assertEqual(LIGHTHOUSE.frame.tempo_bpm, 94)
