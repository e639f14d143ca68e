"""The plan against the sound: rigs rendered on noise of the assumed spectrum, measured by RMS and peak.

Nothing of the signal model is used for what is expected: levels come from the rendered samples.
"""

import unittest

import numpy as np

from core.render.rig import Renderer, RenderError
from core.render.tests import grown
from core.render.tests.noise import RATE, measured, pink
from core.routing import Context, Evaluation, compile_rig, convert, format_rig, parse_rig
from core.units import TempoFrame

SONG = Context(TempoFrame(tempo_bpm=120))
SILENT_DB = -90


def compared(text: str, seeds: tuple[int, ...], seconds: float = 6.0, settle: float = 3.0):
    """Per node: (planned, heard) dBFS a side, and (bound, heard) peak in dBFS.

    A source of 12 dB crest is taken as noise is; the largest of many samples of noise stand higher,
    so that peaks are bounded for one of 15 dB.
    """
    rig = parse_rig(text)
    plan = compile_rig(rig, SONG)
    rarely = compile_rig(parse_rig(text.replace("crest 12 dB", "crest 15 dB")), SONG)
    runs = [measured(rig, plan, seconds, settle, seed) for seed in seeds]
    found = {}
    for node in runs[0]:
        carried = plan.carried[plan.outputs.get(node, plan.outlet.get(f"{node}.0"))]
        levels = []
        for side in range(carried.channels):
            heard = [
                10 ** (r[node][0][side] / 10) if r[node][0][side] is not None else 0 for r in runs
            ]
            planned = carried.sides_dbfs[side]
            mean = 10 * np.log10(np.mean(heard)) if np.mean(heard) > 0 else -150.0
            levels.append((-150.0 if planned is None else planned, float(mean)))
        peak = max(float(max(r[node][1])) for r in runs)
        bound = rarely.carried[rarely.outputs.get(node, rarely.outlet.get(f"{node}.0"))].peak_dbfs
        found[node] = (levels, (bound, peak))
    return found


def unlike(stage: str, far_db: float) -> str:
    """A stage x that one noise comes into, at -20 dBFS on the left and `far_db` from that on the right."""
    rig = parse_rig(
        f"a: source (level -20 dB, crest 12 dB) > s: split > m: merge > x: {stage} > o: output (stereo)\n"
        f"s > m [level {far_db} dB]"
    )
    rails = dict(rig.rails)
    for port, pan in (("s.0", -100), ("s.1", 100)):
        strip = rails[port].strip.model_copy(update={"pan_percent": pan})
        rails[port] = rails[port].model_copy(update={"strip": strip})
    return format_rig(rig.model_copy(update={"rails": rails}))


class Grown(unittest.TestCase):
    """Rigs grown at random: every node's level, and no peak above its bound."""

    def hold(self, seeds, families, tolerance, runs):
        for seed in seeds:
            text = grown.rig(seed, *families)
            with self.subTest(seed, rig=text):
                for node, (levels, (bound, peak)) in compared(text, runs).items():
                    for planned, heard in levels:
                        if max(planned, heard) > SILENT_DB:
                            self.assertAlmostEqual(planned, heard, delta=tolerance, msg=node)
                    if peak > SILENT_DB:
                        self.assertLessEqual(peak, bound + 0.05, node)

    def test_what_is_linear_is_met_within_three_tenths(self):
        self.hold((3, 7, 11, 20, 104, 111, 118), (), 0.3, (1,))

    def test_tails_and_modulation_within_seven_tenths(self):
        # 1001 to 1066 hold two and more tails in a row behind crossovers, pans and shapers.
        seeds = (9, 15, 36, 41, 1001, 1003, 1024, 1043, 1066)
        self.hold(seeds, (grown.DIFFUSE,), 0.7, (1, 2, 3))

    def test_where_tails_of_one_sound_meet_in_another_within_one_and_a_quarter(self):
        """What two tails' lowest modes share is luck that no power knows (docs/what-holds)."""
        self.hold((31, 1029, 1081), (grown.DIFFUSE,), 1.25, (1, 2, 3))

    def test_dynamics_on_steady_noise_within_one(self):
        self.hold((1, 5, 14, 102, 112, 113, 129, 132, 205), (grown.BY_LEVEL,), 1.0, (1,))


class OrdinaryRigs(unittest.TestCase):
    """Each of these was shown wrong once."""

    def agree(self, text, tolerance, seeds=(1,), nodes=None, seconds=6.0, settle=3.0):
        for node, (levels, (bound, peak)) in compared(text, seeds, seconds, settle).items():
            if nodes is None or node in nodes:
                for planned, heard in levels:
                    self.assertAlmostEqual(planned, heard, delta=tolerance, msg=f"{node}: {text}")
                self.assertLessEqual(peak, bound + 0.05, f"{node}: {text}")

    def test_what_a_drive_makes_lies_where_it_is_heard(self):
        """Filters behind a drive: distortion lies above what it is made of."""
        drive = (
            "a: source (level -18 dB, crest 12 dB) > d: drive (gain {}, shape {}, ceiling -9 dB) > "
        )
        for gain, shape, after in (
            ("24 dB", "soft", "c: cabinet_model"),
            ("24 dB", "soft", "f: filter (low cut 5000 Hz)"),
            ("24 dB", "hard", "f: filter (high cut 400 Hz)"),
            ("12 dB", "fold", "f: filter (low cut 1000 Hz)"),
        ):
            self.agree(drive.format(gain, shape) + f"{after} > o: output", 0.25)

    def test_a_drive_hears_each_side_by_itself_however_far_apart_they_are(self):
        for far in (-3, -12, -40):
            levels, _ = compared(unlike("drive (gain 24 dB, ceiling -12 dB)", far), (1, 2))["x"]
            for planned, heard in levels:
                self.assertAlmostEqual(planned, heard, delta=0.1, msg=str(far))

    def test_a_detector_reads_flat_tops(self):
        for shape, gain in (("hard", 14), ("soft", 25)):
            self.agree(
                f"a: source (level -22 dB, crest 12 dB) > d: drive (gain {gain} dB, shape {shape}, "
                "ceiling -12 dB) > c: compressor (threshold -24 dB, ratio 4, attack 1 ms, "
                "release 400 ms) > o: output", 1.0,
            )  # fmt: skip

    def test_the_weakest_repeats_still_cancel_what_they_met(self):
        """Two delays in series: more repeats than are listed, and a copy of them turned over."""
        self.agree(
            "a: source (level -23 dB, crest 12 dB) > n: delay (time 224 ms, feedback 70 %) > "
            "o: delay (time 325 ms, feedback 70 %) > s: split > m: merge [level -20 dB] > u: output\n"
            "s > f: filter (high cut 1449 Hz, order 4) > m [inverted]", 0.3, (1, 2), {"m"}, 20.0, 8.0,
        )  # fmt: skip

    def test_copies_of_one_signal_add_as_amplitudes(self):
        two = compared("a: source (level -20 dB, crest 12 dB) > s: split > m: output\ns > m", (1,))
        self.assertAlmostEqual(two["m"][0][0][0], -20 + 6.02, delta=0.01)
        self.assertAlmostEqual(two["m"][0][0][1], -20 + 6.02, delta=0.05)
        self.agree(
            "a: source (crest 12 dB) > s: split > m: output\ns > g: generic (latency 1.3 ms) > m [level -3 dB]",
            0.1,
        )

    def test_a_tail_that_parts_and_meets_again_is_one_signal(self):
        self.agree(
            "a: source (crest 12 dB) > r: reverb (RT60 1.2 s, locked) > s: split > m: merge > o: output (stereo)\n"
            "s > l: level (level -2 dB) > m",
            0.7,
            (1, 2, 3),
        )

    def test_a_mono_source_comes_out_of_a_reverb_on_two_sides(self):
        found = compared(
            "a: source (crest 12 dB) > r: reverb (locked) > o: output (stereo)", (1, 2)
        )
        (left, heard_left), (right, heard_right) = found["o"][0]
        self.assertAlmostEqual(
            10 * np.log10(10 ** (left / 10) + 10 ** (right / 10)), -18, delta=0.15
        )
        self.assertAlmostEqual(left, heard_left, delta=0.3)
        self.assertAlmostEqual(heard_left, heard_right, delta=0.6)
        self.assertAlmostEqual(right, heard_right, delta=0.3)
        mono = compared(
            "a: source (crest 12 dB) > r: reverb (locked, channels mono) > o: output (stereo)", (1,)
        )
        self.assertEqual(len(mono["r"][0]), 1)

    def test_a_half_mixed_compressor_that_does_nothing_leaves_the_level(self):
        text = "a: source (level -30 dB, crest 12 dB) > c: compressor (threshold 0 dB, mix 50 %) > o: output"
        planned, heard = compared(text, (1,))["c"][0][0]
        self.assertAlmostEqual(planned, -30, delta=0.02)
        self.assertAlmostEqual(heard, -30, delta=0.05)

    def test_the_three_band_compressor_has_its_real_gain(self):
        self.agree("a: source (crest 12 dB) > t: three_band (low 3 dB) > m: output", 0.7)
        self.agree(
            "a: source (level -34 dB, crest 12 dB) > t: three_band (threshold -44 dB, ratio 4) > m: output",
            1.0,
        )

    def test_a_keyed_ducker_works_at_the_level_of_its_key(self):
        for way in ("depth 9 dB", "way envelope, sensitivity 70 %"):
            self.agree(
                f"a: source (crest 12 dB) > d: ducker ({way}) > m: output\n"
                "k: source (level -12 dB, crest 12 dB) > m [level -60 dB]\nkey k > d",
                1.0,
                nodes=("d",),
            )

    def test_modulation_leaves_its_mean_in_step(self):
        self.agree("a: source (crest 12 dB) > c: chorus (depth 3 ms) > m: output", 0.3, (1, 2))
        self.agree("a: source (crest 12 dB) > t: tremolo (depth 90 %) > m: output", 0.2)
        self.agree(
            "a: source (crest 12 dB) > s: split > m: output\ns > t: tremolo (depth 60 %) > m [inverted]",
            0.4,
        )

    def test_every_shape_and_side_of_what_goes_round(self):
        """Levels per side, and what is left when the sides are added up again."""
        for stage, tolerance in (
            ("tremolo (rate 4 Hz, depth 90 %, shape saw-up, sides apart 180 °)", 0.3),
            ("tremolo (rate 4 Hz, depth 100 %, shape exponential, sides apart 90 °)", 0.3),
            ("tremolo (rate 4 Hz, depth 100 %, shape steps, steps 3, smoothing 10 %)", 0.3),
            ("tremolo (rate 20 Hz, depth 100 %, shape sample-and-hold, sides apart 40 °)", 0.6),
            ("tremolo (cycle 1/16, depth 80 %, shape triangle, sides apart 120 °)", 0.3),
            ("ducker (way shape, dip every 1/8, depth 18 dB, dip shape triangle, sides apart 90 °)", 0.3),
            ("ducker (way shape, dip every 1/8, depth 18 dB, dip shape ramp, smoothing 30 %)", 0.3),
            ("chorus (depth 3 ms, shape triangle, rate 1 Hz, sides apart 90 °)", 0.4),
            ("chorus (depth 1 ms, shape saw-down, rate 1 Hz, spread)", 0.4),
            ("swept (frequency 900 Hz, Q 3, moved by lfo, range 2, rate 2 Hz, shape saw-up, sides apart 180 °)", 0.5),
            ("swept (mode comb, frequency 300 Hz, feedback 70 %)", 0.5),
            ("swept (mode comb, frequency 300 Hz, feedback -80 %, minus)", 0.5),
            ("swept (mode comb, frequency 400 Hz, feedback 50 %, minus, moved by lfo, range 1, rate 1 Hz)", 0.5),
        ):  # fmt: skip
            with self.subTest(stage):
                self.agree(
                    f"a: source (crest 12 dB) > x: {stage} > m: output (stereo)", tolerance, (1, 2)
                )
                self.agree(f"a: source (crest 12 dB) > x: {stage} > m: output", tolerance, (1, 2))

    def test_a_level_that_moves_the_depth(self):
        for stage in (
            "tremolo (rate 4 Hz, depth 90 %, depth by level 100 %, full at -12 dB)",
            "tremolo (rate 4 Hz, depth 90 %, depth by level -100 %, full at -12 dB, threshold -30 dB)",
            "swept (frequency 500 Hz, moved by lfo, range 3, rate 2 Hz, depth by level 100 %, full at -12 dB)",
        ):
            with self.subTest(stage):
                self.agree(f"a: source (crest 12 dB) > x: {stage} > m: output", 0.8, (1, 2))


class Repeats(unittest.TestCase):
    def test_through_a_drive_each_repeat_is_heard_at_its_own_level(self):
        """A short burst, its repeats measured one by one in the rendered sound."""
        text = (
            "a: source (level -20 dB) > d: delay (time 250 ms, feedback 35 %, mix 50 %) > "
            "g: drive (gain 24 dB, ceiling -12 dB) > o: output"
        )
        rig = parse_rig(text)
        plan = compile_rig(rig, SONG)
        count = round(0.2 * RATE)
        burst = pink(0.2, 5) * 10 ** (-20 / 20)
        sound = np.concatenate([burst, np.zeros(2 * RATE)])[None, :]
        heard = Renderer(plan, RATE).process({"a": np.vstack([sound, 0 * sound])})["o"][0]
        late = next(iter(Renderer(plan, RATE).latency.values()))
        levels = []
        for n in range(4):
            at = late + round(n * 0.25 * RATE)
            levels.append(10 * np.log10(np.mean(heard[at : at + count] ** 2)))
        board = Evaluation(rig, SONG).boards[0]
        planned = sorted((a.time_ms, a.gain_db) for a in board.arrivals)[:4]
        for (time, gain), level in zip(planned, levels, strict=True):
            self.assertAlmostEqual(gain - 20, level, delta=1.0, msg=f"{time} ms")
        # Far from the 9 dB a lap that the feedback alone would take.
        self.assertLess(levels[1] - levels[2], 6)


class DrivenLoops(unittest.TestCase):
    def test_a_drive_in_the_loop_holds_long_feedback_down_as_it_is_heard(self):
        """Steady noise into many repeats: how far the drive leaves them depends on where they settle."""
        for level, feedback in ((-30, 60), (-14, 80)):
            text = (
                f"a: source (level {level} dB, crest 12 dB) > d: delay (time 90 ms, feedback {feedback} %, "
                "mix 100 %, insert drive, insert amount 60 %) > o: output"
            )
            levels, _ = compared(text, (1, 2), 8.0, 4.0)["d"]
            for planned, heard in levels:
                self.assertAlmostEqual(planned, heard, delta=1.0, msg=text)

    def test_it_holds_each_side_by_itself_where_laps_stay_on_theirs(self):
        loop = "feedback 60 %, insert drive, insert amount 80 %"
        for way, off in (("single", 0.1), ("dual, offset 30 ms", 0.1), ("ping-pong", 0.5)):
            text = unlike(f"delay (time 120 ms, mix 50 %, mode {way}, {loop})", -30)
            levels, _ = compared(text, (1, 2), 8.0, 4.0)["x"]
            for planned, heard in levels:
                self.assertAlmostEqual(planned, heard, delta=off, msg=way)


class Loops(unittest.TestCase):
    """What the plan calls safe dies away in the renderer; what it calls growing is near to it."""

    RIGS = (
        "a: source > b: bus > d: delay (time 120 ms) > r: reverb (locked, RT60 1 s) > s: split > o: output\n{}",
        "a: source > b: bus > r: reverb (locked, RT60 0.6 s, size 40 %, pre-delay 30 ms) > s: split > o: output (stereo)\n{}",
        "a: source > b: bus > r: reverb (RT60 2 s, pre-delay 90 ms, high decay 50 %) > s: split > o: output (stereo)\n{}",
        "a: source > b: bus > r: reverb (locked, pre-delay 60 ms, decay at 125 3 s, decay at 4k 0.7 s) > s: split > o: output (stereo)\n{}",
        "a: source > b: bus > d: delay (time 120 ms) > c: compressor (make-up 6 dB) > s: split > o: output\n{}",
        "a: source > b: bus > d: delay (time 80 ms, feedback 40 %) > f: filter (low cut 300 Hz) > s: split > o: output\n{}",
    )  # fmt: skip

    def grows(self, text: str, seconds: int = 30) -> bool:
        """Whether a breath of noise does not die: it grows, or stands at what a compressor leaves."""
        renderer = Renderer(compile_rig(parse_rig(text), SONG), RATE)
        # The limiter that holds what grows would hide it.
        renderer.limiters.clear()
        for ring in renderer.rings.values():
            ring.limiter = None
        noise = 1e-3 * np.stack([pink(1, 3), pink(1, 4)])
        peaks = []
        for second in range(seconds):
            block = noise if second == 0 else 0 * noise
            out = renderer.process({"a": block})["o"]
            peaks.append(float(np.abs(out).max()))
            if not 1e-8 < peaks[-1] < 100:
                return peaks[-1] >= 100
        return peaks[-1] > 0.5 * peaks[1] or peaks[-1] > peaks[seconds // 2]

    def test_the_bound_is_safe_and_no_more_than_six_decibels_off(self):
        for rig in self.RIGS:
            back = "s > l: level (level {:.2f} dB) > b"
            with self.subTest(rig[:90]):
                quiet = Evaluation(parse_rig(rig.format(back.format(-80))), SONG)
                unity = -80 - quiet.loops[0].gain_db
                self.assertFalse(self.grows(rig.format(back.format(unity - 0.3))))
                self.assertTrue(self.grows(rig.format(back.format(unity + 6))))
                loud = Evaluation(parse_rig(rig.format(back.format(unity + 0.1))), SONG)
                self.assertFalse(loud.stable)
                self.assertTrue(loud.report().loops[0].grows)


class Converting(unittest.TestCase):
    def test_a_half_mixed_compressor_and_its_parallel_pair_null(self):
        text = "g: source > d: compressor (mix 50 %, threshold -34 dB, output -2 dB) > o: output"
        done = convert(Evaluation(parse_rig(text), SONG), "d", "parallel")
        self.assertTrue(done.exact, done.sentence)
        sound = np.stack([pink(2, 9), np.zeros(2 * RATE)]) * 0.2
        one, other = (
            Renderer(compile_rig(rig, SONG), RATE).process({"g": sound})["o"]
            for rig in (parse_rig(text), done.rig)
        )
        self.assertLess(np.abs(one - other).max(), 1e-9 * np.abs(one).max())

    def test_a_crossfade_counts_in_the_insert_that_equals_it(self):
        text = (
            "g: source > s: split (mode balance, balance 40 %) > m: merge (crossfade 35 %) > o: output\n"
            "s > d: delay (time 90 ms, feedback 30 %) > m [level -2 dB]"
        )
        done = convert(Evaluation(parse_rig(text), SONG), "d", "insert")
        self.assertTrue(done.exact, done.sentence)
        sound = np.stack([pink(1, 9), np.zeros(RATE)])
        one, other = (
            Renderer(compile_rig(rig, SONG), RATE).process({"g": sound})["o"]
            for rig in (parse_rig(text), done.rig)
        )
        self.assertLess(np.abs(one - other).max(), 1e-9 * np.abs(one).max())


class Refused(unittest.TestCase):
    def test_a_cycle_without_delay_is_never_given_one(self):
        text = "a: source > b: bus > s: split > o: output\ns > l: level (level -6 dB) > b"
        with self.assertRaises(RenderError):
            Renderer(compile_rig(parse_rig(text), SONG), RATE)
