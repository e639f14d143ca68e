"""Every check: a rig that fires it, one that just does not, and a fix that raises no other."""

import unittest
from dataclasses import replace
from unittest.mock import patch

from core.routing import Context, Evaluation, parse_rig, perform, run_checks
from core.routing.checks import RULES
from core.routing.plan.cells import ClipFacts, pink
from core.routing.tests.rigs import LIGHTHOUSE, TWO_SENDS

OUT = "o: output (stereo)"
LOOP = "a: source > b: bus > delay (time 200 ms) > s: split > o: output\ns > l: level (level {} dB) > b [level {} dB]"
RETURN = (
    "a: source (level -30 dB) > send1 (level -6 dB) > "
    + OUT
    + "\nsend1 > bus1 > r: reverb (locked, low cut 150 Hz{}) > return1 (solo-safe) > o"
)
SERIES = "a: source (level -30 dB) > {} > " + OUT
TWICE = "a: source (level -30 dB) > s: split > " + OUT + "\ns > {} > o [level -6 dB{}]"
TWO_RETURNS = (
    "a: source (level -30 dB) > send1 > send2 > " + OUT
    + "\nsend1 > bus1 > r1: reverb (locked{0}) > return1 (solo-safe) > o"
    "\nsend2 > bus2 > r2: reverb (locked, RT60 4 s{0}) > return2 (solo-safe) > o"
)  # fmt: skip
MS = "a: source (stereo, level -30 dB) > e: ms_encode > {}" + OUT
GEAR = "g: source (gives instrument, passive, level -30 dB) > {} > o: output"
QUIET_SENDS = TWO_SENDS.replace('source "Guitar"', 'source "Guitar" (level -24 dB)')

# check: (fires, just does not)
CASES = {
    "return-not-wet": (RETURN.format(", mix 99 %"), RETURN.format("")),
    "parallel-not-wet": (QUIET_SENDS, QUIET_SENDS.replace("mix 27 %", "mix 100 %")),
    "loop-gain": (LOOP.format(-3.2, 0), LOOP.format(-50, 0)),
    "loop-without-delay": (LOOP.format(-20, 0).replace("delay (time 200 ms)", "level"), LOOP.format(-20, 0)),
    "runaway": (SERIES.format("delay (feedback 100 %)"), SERIES.format("delay (feedback 99 %)")),
    "device-feedback": (SERIES.format("delay (time @slap, feedback 81 %)"), SERIES.format("delay (time @slap, feedback 80 %)")),
    "long-feedback": (SERIES.format("delay (time 500 ms, feedback 93 %)"), SERIES.format("delay (time 500 ms, feedback 70 %)")),
    "polarity": (TWICE.format("equaliser", ", inverted"), TWICE.format("equaliser", "")),
    "polarity-far": (TWICE.format("delay", ", inverted"), TWICE.format("delay", "")),
    "late-path": (TWICE.format("generic (latency 0.1 ms)", ""), TWICE.format("generic (latency 0.01 ms)", "")),
    "same-twice": (TWICE.format("level", ""), TWICE.format("level (level -30 dB)", "")),
    "silent-path": (TWICE.format("equaliser > level (muted)", ""), TWICE.format("equaliser > level (level -119 dB)", "")),
    "solo-on": (TWICE.format("equaliser", ", solo"), TWICE.format("equaliser", "")),
    "dangling": (SERIES.format("level") + "\nx: source > y: delay", SERIES.format("level")),
    "nothing-in": (SERIES.format("level") + "\nx: level > o", SERIES.format("level")),
    "wet-missing": (RETURN.replace("r: reverb (locked, low cut 150 Hz{}) > ", "") + "", RETURN.format("")),
    "mono-fold": (TWICE.format("generic", ", inverted, pan 100 %").replace("-6 dB", "0 dB").replace("(stereo)\ns", "(stereo) [pan -100 %]\ns"), TWICE.format("equaliser", ", pan 100 %")),
    "width-delay": (SERIES.format("delay (time 34 ms, side right)"), SERIES.format("delay (time 36 ms, side right)")),
    "latency-total": (SERIES.format("generic (latency 10.1 ms)"), SERIES.format("generic (latency 9.9 ms)")),
    "crossover-sum": (
        "a: source (level -30 dB) > s: split (mode crossover, slope 12) > o: output\ns > o",
        "a: source (level -30 dB) > s: split (mode crossover, slope 12) > o: output\ns > o [inverted]",
    ),
    "headroom": ("a: source (level -11.9 dB) > o: output", "a: source (level -12.1 dB) > o: output"),
    "stage-level": ("a: source (level -2.9 dB) > equaliser > o: output [level -20 dB]", "a: source (level -3.1 dB) > equaliser > o: output [level -20 dB]"),
    "pre-send": (RETURN.format("").replace("> o: output", "> fader > o: output"), RETURN.format("").replace("> send1 (level -6 dB)", "> fader > send1 (level -6 dB)")),
    "solo-safe": (RETURN.format("").replace(" (solo-safe)", ""), RETURN.format("")),
    "low-end": (TWO_RETURNS.format(""), TWO_RETURNS.format(", low cut 150 Hz")),
    "key-after-wet": (RETURN.format("").replace("> return1", "> ducker1 > return1") + "\nkey o.in > ducker1", RETURN.format("").replace("> return1", "> ducker1 > return1") + "\nkey a > ducker1"),
    "key-missing": (SERIES.format("ducker1"), SERIES.format("ducker1") + "\nkey a > ducker1"),
    "narrowed": ("a: source (stereo, level -30 dB) > generic (channels mono) > o: output", "a: source (stereo, level -30 dB) > generic > " + OUT),
    "ms-unpaired": (MS.format(""), MS.format("ms_decode > ")),
    "ms-scale": (MS.format("ms_decode (scale half) > "), MS.format("ms_decode (scale one) > ")),
    "quiet-lift": (TWICE.format("compressor (threshold -60 dB, attack 21 ms)", ""), TWICE.format("compressor (threshold -60 dB, attack 20 ms)", "")),
    "insert-or-send": (
        SERIES.format("reverb (mix 30 %, locked)") + "\nb: source (level -30 dB) > reverb (mix 20 %, locked) > o",
        SERIES.format("reverb (mix 30 %, locked)") + "\nb: source (level -30 dB) > reverb (mix 20 %, locked, RT60 3 s) > o",
    ),
    "trails-cut": (SERIES.format("delay > volume (pot 25 kΩ)"), SERIES.format("volume (pot 25 kΩ) > delay")),
    "volume-before-drive": (SERIES.format("volume (pot 25 kΩ) > drive"), SERIES.format("drive > volume (pot 25 kΩ)")),
    "volume-twice": (SERIES.format("volume (pot 25 kΩ) > volume (pot 25 kΩ)"), SERIES.format("volume (pot 25 kΩ)")),
    "drive-after-space": (SERIES.format("delay > drive"), SERIES.format("drive > delay")),
    "chorus-before-drive": (SERIES.format("chorus (locked) > drive (gain 15 dB)"), SERIES.format("chorus (locked) > drive (gain 14 dB)")),
    "compressor-drive": (SERIES.format("drive > compressor"), SERIES.format("compressor > drive")),
    "modulation": (SERIES.format("tremolo"), SERIES.format("tremolo (locked)")),
    "wet-into-wet": (SERIES.format("delay (mix 40 %) > reverb (locked)"), SERIES.format("delay > reverb (locked)")),
    "level-kind": (GEAR.format("outboard"), GEAR.format("preamp > outboard")),
    "no-load": (GEAR.format("preamp > power_amp (valve)"), GEAR.format("preamp > power_amp (valve) > cabinet")),
    "mains": (
        GEAR.format("preamp > split > power_amp > cabinet") + "\nsplit1 > power_amp > cabinet > o [level -20 dB]",
        GEAR.format("preamp > power_amp > cabinet"),
    ),
    "hearing": (LOOP.format(-11, 0), LOOP.format(-13, 0)),
    "supply": ("board (supply 100 mA)\n" + SERIES.format("generic (current 81 mA)"), "board (supply 100 mA)\n" + SERIES.format("generic (current 79 mA)")),
    "supply-voltage": ("board (supply 100 mA)\n" + SERIES.format("generic (supply 18 V)"), "board (supply 100 mA)\n" + SERIES.format("generic (supply 9 V)")),
    "pot-loading": (GEAR.format("volume (pot 25 kΩ)"), GEAR.format("volume")),
    "unit-twice": (SERIES.format('generic (unit "Blue") > generic (unit "Blue")'), SERIES.format('generic (unit "Blue") > generic (unit "Red")')),
    "stands-by": (
        SERIES.format("f: frame") + "\nsiding f 1 > level1\nsiding f 2 > level1\nline f: 1",
        SERIES.format("f: frame") + "\nsiding f 1 > level1\nsiding f 2 > level1\nline f: 2 1",
    ),
    "idle-setting": (
        SERIES.format("reverb (locked, channels mono, tail pan 30 %)"),
        SERIES.format("reverb (locked, tail pan 30 %)"),
    ),
    "clip-level": ("take: source (level -21.1 dB) > " + OUT, "take: source (level -20.9 dB) > " + OUT),
    "unfed": (
        "take: source (level -18 dB) > ducker (depth 6 dB) > o: output\nkick: source (level -18 dB) > o\nkey kick > ducker1",
        "take: source (level -18 dB) > ducker (depth 6 dB) > o: output\nsnare: source (level -18 dB) > o\nkey snare > ducker1",
    ),
    "board-size": (
        "board (width 300 mm, depth 120 mm)\n" + SERIES.format("generic (width 150 mm, depth 100 mm) > generic (width 141 mm, depth 100 mm)"),
        "board (width 300 mm, depth 120 mm)\n" + SERIES.format("generic (width 150 mm, depth 100 mm) > generic (width 140 mm, depth 100 mm)"),
    ),
}  # fmt: skip


CLIP = ClipFacts("Take 3", pink(), rms_dbfs=-18.0, crest_db=15.0)


def found(rig):
    clips = {"take": CLIP} if "take" in rig.nodes else {}
    context = Context(
        LIGHTHOUSE.frame, {"@slap": "90 ms"}, {"@slap": (0, 80)}, clips=clips,
        unfed=frozenset({"kick"}),
    )  # fmt: skip
    return run_checks(Evaluation(rig, context)).findings


class EveryCheck(unittest.TestCase):
    def test_there_are_enough_and_all_are_in_the_table(self):
        self.assertGreaterEqual(len(RULES), 30)
        self.assertEqual(set(CASES), set(RULES))

    def test_it_fires_and_just_does_not(self):
        for check, (fires, quiet) in CASES.items():
            with self.subTest(check):
                said = [f for f in found(parse_rig(fires)) if f.check == check]
                self.assertTrue(said, f"{check} does not fire")
                self.assertTrue(said[0].sentence.endswith("."), said[0].sentence)
                self.assertGreater(len(said[0].reason), 40)
                self.assertEqual(
                    [f.sentence for f in found(parse_rig(quiet)) if f.check == check], []
                )

    def test_its_fix_mends_it_and_raises_no_other(self):
        mended = 0
        for check, (fires, _) in CASES.items():
            rig = parse_rig(fires)
            before = found(rig)
            first = next(f for f in before if f.check == check)
            if first.fix is None:
                continue
            with self.subTest(check, fix=first.fix.label):
                after = found(perform(rig, first.fix.action).rig)
                # A loop that is limited is still a loop: it becomes a note.
                left = {(f.check, f.at): f.severity for f in after}
                self.assertNotEqual(left.get((check, first.at)), first.severity)
                new = {f.check for f in after} - {f.check for f in before}
                self.assertEqual(new, set())
                mended += 1
        self.assertGreater(mended, 28)

    def test_severity_and_number(self):
        for text, check, severity, value, words in [
            (LOOP.format(0.5, 0), "loop-gain", "alarm", 0.5, "grows by that every 200 ms"),
            (LOOP.format(-3.2, 0), "loop-gain", "caution", -3.2, "It takes 19 laps to die away"),
            (LOOP.format(-9, 0), "loop-gain", "note", -9, "loop gain −9.0 dB"),
            (SERIES.format("delay (feedback 125 %)"), "runaway", "alarm", 125, "grow by 1.94 dB and meet full scale after 16"),
            (SERIES.format("delay (feedback 125 %, hold)"), "runaway", "caution", 125, "Hold is declared"),
            (TWO_SENDS, "parallel-not-wet", "caution", 27, "arrives 2.71 ms late and cuts a notch at 185 Hz"),
            ("a: source (level -6 dB) > o: output", "headroom", "alarm", 6, "6.0 dB over"),
            (TWO_RETURNS.format(""), "low-end", "note", 3.0103, "by 3.0 dB"),
        ]:  # fmt: skip
            with self.subTest(words):
                one = next(f for f in found(parse_rig(text)) if f.check == check)
                self.assertEqual(one.severity, severity)
                self.assertAlmostEqual(one.value, value, places=3)
                self.assertIn(words, one.sentence)

    def test_one_cause_is_one_finding_with_what_follows(self):
        text = (
            "g: source (level -18 dB) > d: level (level {} dB) > s: split > c: compressor > m: merge > "
            "e: equaliser > f: fader > o: output (stereo)\ns > y: delay > m{}"
        )
        said = [
            f
            for f in found(parse_rig(text.format(18, "")))
            if f.check in ("stage-level", "headroom")
        ]
        self.assertEqual(
            [(f.check, f.at, f.severity) for f in said], [("stage-level", "d", "alarm")]
        )
        follow = {(c.check, c.at) for c in said[0].consequences}
        self.assertEqual(
            follow, {("headroom", "o"), *(("stage-level", n) for n in ("e", "f", "y"))}
        )  # fmt: skip
        # Its fix takes all of them away; without the cause there is nothing to follow.
        mended = found(perform(parse_rig(text.format(18, "")), said[0].fix.action).rig)
        self.assertEqual([f for f in mended if f.check == "stage-level"], [])
        # What was meant hides nothing: its consequences stand by themselves.
        meant = found(parse_rig(text.format(18, "\nkeep stage-level at d")))
        self.assertIn(("headroom", "o", False), {(f.check, f.at, f.intended) for f in meant})
        # A second cause further on is a finding of its own.
        two = text.format(18, "").replace("e: equaliser", "e: equaliser (mid 12 dB, low 12 dB)")
        causes = {f.at for f in found(parse_rig(two)) if f.check == "stage-level"}
        self.assertEqual(causes, {"d", "e"})

    def test_a_rule_that_fails_is_named_and_the_others_go_on(self):
        def broken(_):
            yield from ()
            raise ZeroDivisionError

        rig = parse_rig(TWO_SENDS)
        before = run_checks(Evaluation(rig, LIGHTHOUSE))
        for name in ("headroom", "parallel-not-wet"):
            with (
                patch.dict(RULES, {name: replace(RULES[name], run=broken)}),
                self.assertLogs("core.routing.checks.base", "ERROR"),
            ):
                report = run_checks(Evaluation(rig, LIGHTHOUSE))
            self.assertEqual(report.failed, [RULES[name].name])
            self.assertEqual(list(report.findings), [f for f in before.findings if f.check != name])
        self.assertEqual(before.failed, [])

    def test_what_is_meant_stays_listed_last(self):
        rig = parse_rig(TWO_SENDS + '\nkeep parallel-not-wet at hall "we like it"')
        last = found(rig)[-1]
        self.assertTrue(last.intended)
        self.assertEqual((last.check, last.intended_reason), ("parallel-not-wet", "we like it"))

    def test_a_pedal_on_the_wet_feed_beside_one_on_the_common_feed_is_wanted(self):
        text = (
            SERIES.format("volume (pot 25 kΩ) > s: split") + "\ns > volume (pot 25 kΩ) > delay > o"
        )
        self.assertNotIn("volume-twice", {f.check for f in found(parse_rig(text))})
