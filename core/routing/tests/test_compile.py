"""From parameters to gains and seconds: strips, channels, solo, mid/side, frames, responses."""

import math
import unittest

import numpy as np

from core.blend import compressed_db
from core.routing import evaluate, format_rig, parse_rig
from core.routing.document.kinds import Split
from core.routing.document.rig import RigError
from core.routing.evaluate.signal import compile_rig
from core.routing.plan import responses as rs
from core.routing.plan.build import split_responses
from core.routing.plan.cells import MIDDLE_HZ, pink
from core.routing.plan.distortion import spectrum_made
from core.routing.tests.rigs import looked_at
from core.routing.tests.test_notation import grown


def one(text: str):
    return looked_at(text).boards[0].arrivals[0]


def at(hz: float) -> int:
    return int(np.argmin(np.abs(rs.GRID_HZ - hz)))


def db(values) -> np.ndarray:
    return 20 * np.log10(np.abs(values))


class Responses(unittest.TestCase):
    def test_butterworth_corners_and_slopes(self):
        for order in (1, 2, 4):
            hz = np.array([1000.0, 8000.0, 16_000.0])
            low = db(rs.low_pass(order, 1000, hz))
            self.assertAlmostEqual(low[0], -3.0103, places=3)
            self.assertAlmostEqual(low[1] - low[2], 6.02 * order, delta=0.25)
            high = db(rs.high_pass(order, 1000, np.array([1000.0, 125.0, 62.5])))
            self.assertAlmostEqual(high[0], -3.0103, places=3)
            self.assertAlmostEqual(high[1] - high[2], 6.02 * order, delta=0.25)

    def test_bell_and_shelves_reach_their_gain_where_they_should(self):
        self.assertAlmostEqual(db(rs.bell(6, 1000, 1, np.array([1000.0])))[0], 6, places=9)
        self.assertAlmostEqual(db(rs.bell(6, 1000, 1, np.array([20_000.0])))[0], 0, delta=0.1)
        self.assertAlmostEqual(db(rs.low_shelf(9, 100, np.array([0.01])))[0], 9, places=3)
        self.assertAlmostEqual(db(rs.high_shelf(-9, 1000, np.array([1e6])))[0], -9, places=3)
        self.assertAlmostEqual(db(rs.low_shelf(9, 100, np.array([100.0])))[0], 4.5, places=9)

    def test_band_and_rest_are_the_whole(self):
        band, rest = split_responses(Split(id="s", mode="band", crossover_hz=300, upper_hz=3000))
        np.testing.assert_allclose(band + rest, 1, atol=1e-12)

    def test_a_12_db_crossover_cancels_unless_one_rail_is_inverted(self):
        low, high = rs.linkwitz_riley(12, 1000, np.array([1000.0]))
        self.assertLess(abs((low + high)[0]), 1e-9)
        self.assertAlmostEqual(abs((low - high)[0]), 1, places=9)

    def test_overlap_and_swapped_rails(self):
        plain = split_responses(Split(id="s", mode="crossover", crossover_hz=500))
        turned = split_responses(Split(id="s", mode="crossover", crossover_hz=500, swapped=True))
        np.testing.assert_allclose(plain[0], turned[1])
        wide = split_responses(
            Split(id="s", mode="crossover", crossover_hz=500, overlap_percent=50)
        )
        self.assertGreater(db(wide[0])[at(500)], db(plain[0])[at(500)] + 1)

    def test_the_knee_meets_the_line_on_both_sides(self):
        for x in (-27.0, -21.0):
            hard = x if x < -24 else -24 + (x + 24) / 4
            self.assertAlmostEqual(compressed_db(x, -24, 4, 6), hard, places=9)
        levels = [compressed_db(x / 10, -24, 4, 6) for x in range(-400, 0)]
        self.assertEqual(levels, sorted(levels))


class Strips(unittest.TestCase):
    def test_level_pan_polarity_and_delay(self):
        a = one("a: source > o: output (stereo) [level -6 dB, pan 100 %, inverted, delay 3 ms]")
        self.assertAlmostEqual(a.gain_db, -6, places=9)
        self.assertEqual((a.pan_percent, a.polarity), (100, -1))
        self.assertAlmostEqual(a.time_ms, 3, places=9)

    def test_width_of_a_stereo_input(self):
        for width, pan in ((100, 0), (0, 0), (-100, 0)):
            a = one(f"a: source (stereo) > o: output (stereo) [width {width} %]")
            self.assertAlmostEqual(a.pan_percent, pan, places=9)
        narrow = one("a: source (stereo) > o: output (stereo) [width 0 %]")
        self.assertAlmostEqual(narrow.gain_db, 20 * math.log10(math.sqrt(0.5)), places=6)

    def test_solo_silences_the_others_but_not_a_safe_return(self):
        text = (
            "a: source > s: split > o: output [solo]\ns > delay > r: return{} > o\ns > reverb > o"
        )
        for safe, names in (("", ["Dry"]), (" (solo-safe)", ["Delay", "Dry"])):
            found = looked_at(text.format(safe)).boards[0].arrivals
            self.assertEqual(sorted(a.name for a in found), names)

    def test_a_passive_mixer_loses_and_a_crossfade_shares(self):
        self.assertAlmostEqual(
            one("a: source > passive_mixer (summing loss -9 dB) > o: output").gain_db, -9
        )
        text = "a: source > s: split > m: merge (crossfade 50 %) > o: output\ns > generic (latency 1 ms) > m"
        levels = [a.gain_db for a in looked_at(text).boards[0].arrivals]
        np.testing.assert_allclose(levels, [-3.0103, -3.0103], atol=1e-3)

    def test_muted_things_leave_no_path(self):
        for text in (
            "a: source > o: output [muted]",
            "a: source > level (muted) > o: output",
            "a: source > level (level -120 dB) > o: output",
        ):
            self.assertEqual(evaluate(parse_rig(text)).boards, [])


class Channels(unittest.TestCase):
    def test_a_mono_stage_after_a_stereo_one_sums_or_drops(self):
        text = "a: source (stereo) > g: generic (channels mono, down to mono {}) > o: output"
        for how, gain in (("sum", 0.5), ("left", 1), ("right", 1)):
            plan = compile_rig(parse_rig(text.format(how)))
            self.assertEqual(plan.narrowed, {"g": how})
            matrix = plan.arcs[0].matrix
            self.assertEqual(max(matrix), gain)

    def test_mid_side_there_and_back_is_nothing(self):
        for coder, decoder in (("half", "one"), ("one", "half"), ("root-half", "root-half")):
            a = one(
                f"a: source (stereo) > ms_encode (scale {coder}) > ms_decode (scale {decoder}) "
                "> o: output (stereo)"
            )
            self.assertAlmostEqual(a.gain_db, 0, places=9)
            self.assertAlmostEqual(a.pan_percent, 0, places=9)

    def test_the_second_output_of_a_volume_pedal(self):
        text = (
            "a: source > v: volume (position 50 %, second output {}) > o: output\n"
            "v > delay > o [level -20 dB]"
        )
        for tap, level in (("before", -20), ("after", -40)):
            found = {x.name: x.gain_db for x in looked_at(text.format(tap)).boards[0].arrivals}
            self.assertAlmostEqual(found["Delay"], level, places=6, msg=tap)

    def test_every_rail_carries_its_channel_count(self):
        rails = {r.port: r.channels for r in evaluate(parse_rig(
            "a: source > d: delay (mode ping-pong) > g: level > o: output (stereo)"
        )).rails}  # fmt: skip
        self.assertEqual(rails, {"a.0": 1, "d.0": 2, "g.0": 2})


class Frames(unittest.TestCase):
    TEXT = (
        'a: source (level -20 dB) > f: frame (order "{}", half {}) > o: output\n'
        "slot f A > level1 (level -6 dB)\nslot f B > generic1 (latency 2 ms)\n"
        "beside f {} (mix 50 %, level 0 dB)"
    )

    def arrivals(self, order: str, half: str, beside: str):
        found = looked_at(self.TEXT.format(order, half, beside)).boards[0].arrivals
        return sorted((round(a.gain_db, 2), round(a.time_ms, 2)) for a in found)

    def test_a_section_follows_its_processor_or_its_position(self):
        by_processor = [self.arrivals(order, "whole", "processor B") for order in ("AB", "BA")]
        self.assertEqual(by_processor[0], by_processor[1])
        by_position = [self.arrivals(order, "whole", "position 1") for order in ("AB", "BA")]
        self.assertNotEqual(by_position[0], by_position[1])

    def test_half_a_frame_runs_half_its_processors(self):
        self.assertEqual(self.arrivals("AB", "second", "processor A"), [(0.0, 2.0)])

    def test_an_order_that_names_nothing_is_said(self):
        with self.assertRaisesRegex(RigError, "no processor under Z"):
            self.arrivals("AZ", "whole", "processor A")

    def test_sidings_say_the_same_in_their_own_words(self):
        text = (
            "a: source (level -20 dB) > f: frame > o: output\n"
            "siding f 1 > level1 (level -6 dB)\nsiding f 2 > generic1 (latency 2 ms)\n"
            "line f: {}\nbeside f {} (mix 50 %, level 0 dB)"
        )
        for line, order in (("1 2", "AB"), ("2 1", "BA"), ("2", "B")):
            for path, section in (("stop 2", "processor B"), ("turn 1", "position 1")):
                with self.subTest(line=line, path=path):
                    found = looked_at(text.format(line, path)).boards[0].arrivals
                    told = sorted((round(a.gain_db, 2), round(a.time_ms, 2)) for a in found)
                    self.assertEqual(told, self.arrivals(order, "whole", section))

    def test_what_the_line_passes_by_is_not_heard(self):
        text = (
            "a: source > f: frame > o: output\nsiding f 3 > level1 (level -6 dB)\n"
            "siding f 7 > level1 (level -20 dB)\nline f: {}"
        )
        for line, gain in (("3", -6), ("7", -20), ("7 3", -26), ("none", 0)):
            found = looked_at(text.format(line)).boards[0].arrivals
            self.assertAlmostEqual(found[0].gain_db, gain, places=9, msg=line)


class Plans(unittest.TestCase):
    def test_the_same_rig_and_tempo_have_the_same_digest(self):
        rig = grown(7)
        again = parse_rig("a: source > o: output")
        self.assertEqual(compile_rig(rig).digest, compile_rig(rig).digest)
        self.assertNotEqual(compile_rig(rig).digest, compile_rig(again).digest)

    def test_a_key_is_kept_and_carries_no_sound(self):
        rig = parse_rig("a: source > ducker1 > o: output\nb: source > level > o\nkey b > ducker1")
        self.assertEqual(rig.keys["ducker1"].tap, "b")
        self.assertEqual(len(evaluate(rig).boards), 2)

    def test_times_that_cannot_be_read_name_the_stage(self):
        for text, words in (
            ("a: source > delay (time 0 ms) > o: output", "Delay: a delay time must be above 0"),
            ("a: source > reverb (pre-delay later) > o: output", "Reverb: “later” is not a number"),
        ):
            with self.assertRaisesRegex(RigError, words):
                evaluate(parse_rig(text))


class Bounds(unittest.TestCase):
    def test_a_chain_of_the_longest_length_is_computed_and_written(self):
        rig = parse_rig(
            "a: source > " + " > ".join(["level (level -0.1 dB)"] * 590) + " > o: output"
        )
        self.assertEqual(parse_rig(format_rig(rig)), rig)
        self.assertAlmostEqual(evaluate(rig).boards[0].arrivals[0].gain_db, -59.0, places=6)

    def test_more_loops_than_can_be_solved_are_refused(self):
        lines = ["a: source > b0: bus"]
        for n in range(25):
            lines.append(f"b{n} > d{n}: delay > s{n}: split > b{n + 1}: bus")
            lines.append(f"s{n} > level (level -20 dB) > b{n}")
        with self.assertRaisesRegex(RigError, "closes 25 loops; up to 24.*kept"):
            evaluate(parse_rig("\n".join([*lines, "b25 > o: output"])))


class Distortion(unittest.TestCase):
    """Where distortion lies: against noise of the assumed spectrum, shaped sample by sample here."""

    def shaped_noise(self, shape, rate: float = 192_000.0, seconds: float = 12.0):
        """Power over octaves from 50 Hz of what a shaper makes that is not in step, share of all."""
        n = round(rate * seconds)
        rng, hz = np.random.default_rng(5), np.fft.rfftfreq(n, 1 / rate)
        inside = (hz >= 40) & (hz <= 16_000)
        spectrum = np.zeros(len(hz), complex)
        spectrum[inside] = np.exp(2j * np.pi * rng.random(int(inside.sum()))) / np.sqrt(hz[inside])
        x = np.fft.irfft(spectrum, n)
        x /= np.sqrt(np.mean(x * x))
        y = shape(x)
        made = y - np.mean(x * y) * x
        power = np.abs(np.fft.rfft(made)) ** 2
        edges = [50 * 2**i for i in range(9)]
        heard = power[hz <= 23_000].sum()
        return np.array([
            power[(hz >= a) & (hz < b)].sum() / heard for a, b in zip(edges, edges[1:], strict=False)
        ]), edges  # fmt: skip

    def test_octaves_of_what_is_made(self):
        for name, share, swing, shape in (
            ("hard", 1.0, 0.0, np.sign),
            ("soft", 0.0, 0.0, lambda x: x - 0.01 * x**3),
            ("fold", 1.0, 2.0, lambda x: np.arcsin(np.sin(2.0 * x))),
        ):
            heard, edges = self.shaped_noise(shape)
            shares, _ = spectrum_made(pink().weights, name, share, swing)
            planned = np.array([
                shares[(a <= MIDDLE_HZ) & (b > MIDDLE_HZ)].sum()
                for a, b in zip(edges, edges[1:], strict=False)
            ])  # fmt: skip
            with self.subTest(name):
                self.assertLess(np.abs(10 * np.log10(planned / heard)).max(), 1.0)
                self.assertAlmostEqual(float(planned.sum()), float(heard.sum()), delta=0.03)
