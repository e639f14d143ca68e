"""What goes round by itself, and what the level moves: each against sums worked here.

A constant of 1 shows a gain over time; tones show sidebands; an impulse shows a comb.
"""

import unittest

import numpy as np
from scipy.special import jv

from core.render import render_clip
from core.render.moves import Moves
from core.render.voices import alone
from core.routing import (
    Context,
    Evaluation,
    RigError,
    build,
    compile_rig,
    parse_rig,
    run_checks,
    template_of,
)
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))
ONE = np.ones((2, 2 * RATE))
SHAPES = ("sine", "triangle", "saw-up", "saw-down", "exponential", "steps")


def heard(stage: str, sound: np.ndarray = ONE, more: str = "", **run) -> np.ndarray:
    text = f"g: source{'' if len(sound) == 1 else ' (stereo)'} > x: {stage} > o: output (stereo)\n{more}"
    plan = compile_rig(parse_rig(text), SONG)
    given = {"g": sound, **run.pop("others", {})}
    return render_clip(plan, RATE, given, tail_s=0, **run)["o"]


def level_of(shape: str, turns: np.ndarray) -> np.ndarray:
    """The shapes as their words say, with hard edges; 1 is up."""
    part = turns % 1
    return {
        "sine": (1 + np.cos(2 * np.pi * part)) / 2,
        "triangle": np.abs(1 - 2 * part),
        "saw-up": part,
        "saw-down": 1 - part,
        "exponential": (np.exp(-5 * part) - np.exp(-5)) / (1 - np.exp(-5)),
        "steps": np.floor(5 * part) / 4,
    }[shape]


def tone(hz: float, seconds: float = 2.0, peak: float = 0.25) -> np.ndarray:
    return np.tile(peak * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE), (2, 1))


def line(sound: np.ndarray, hz: float) -> float:
    """Peak of a sine of whole Hz in the last second."""
    return float(2 * np.abs(np.fft.rfft(sound[-RATE:])[round(hz)]) / RATE)


class Shapes(unittest.TestCase):
    def test_each_goes_as_its_word_says_from_where_it_is_begun_on_both_sides(self):
        turns = 2.0 * np.arange(2 * RATE) / RATE + 90 / 360
        for shape in SHAPES:
            out = heard(
                f"tremolo (rate 2 Hz, depth 80 %, shape {shape}, steps 5, start 90 °, sides apart 120 °, locked)"
            )
            for side, ahead in ((0, 0.0), (1, 1 / 3)):
                wanted = 1 - 0.8 * (1 - level_of(shape, turns + ahead))
                # Not within half a millisecond of a jump, where it has an edge.
                jumps = 5 if shape == "steps" else 1
                off = np.abs((turns + ahead) * jumps - np.round((turns + ahead) * jumps)) / jumps
                clear = (off > 0.0011) | (shape in ("sine", "triangle"))
                self.assertGreater(clear.mean(), 0.98)
                # A mean over 1 ms lies a little above what falls by a curve.
                near = 5e-6 if shape == "exponential" else 1e-9
                np.testing.assert_allclose(out[side][clear], wanted[clear], atol=near)
                self.assertLess(np.abs(np.diff(out[side])).max(), 1 / 40, shape)

    def test_smoothing_is_the_mean_over_a_share_of_the_cycle(self):
        width = RATE // 10  # a fifth of half a second
        for shape in SHAPES:
            out = heard(
                f"tremolo (rate 2 Hz, depth 100 %, shape {shape}, steps 5, smoothing 20 %, locked)"
            )[0]
            hard = level_of(shape, 2.0 * np.arange(-RATE, 3 * RATE) / RATE)
            mean = np.convolve(hard, np.ones(width) / width, "same")[RATE:-RATE]
            np.testing.assert_allclose(out, mean, atol=3e-4)

    def test_sample_and_hold_stands_still_for_a_cycle_and_follows_its_seed(self):
        one, again, other = (
            heard(f"tremolo (rate 8 Hz, depth 100 %, shape sample-and-hold, seed {seed}, locked)")[
                0
            ]
            for seed in (3, 3, 4)
        )
        cycles = one.reshape(16, -1)
        still = cycles[:, 60:-60]
        self.assertLess(float(np.ptp(still, axis=1).max()), 1e-12)
        values = still[:, 0]
        self.assertEqual(len(set(values.round(9))), 16)
        self.assertTrue(0 <= values.min() < 0.35 and 0.65 < values.max() <= 1)
        np.testing.assert_array_equal(one, again)
        self.assertGreater(float(np.abs(one - other).max()), 0.2)

    def test_a_dip_goes_down_by_its_depth_in_every_shape(self):
        turns = 2.0 * np.arange(2 * RATE) / RATE
        for word, shape in (("ramp", "saw-down"), ("triangle", "triangle"), ("steps", "steps")):
            out = heard(
                f"ducker (way shape, depth 12 dB, dip every 1/4, dip shape {word}, steps 5)"
            )
            clear = np.abs(turns * 5 - np.round(turns * 5)) / 5 > 0.0011
            wanted = 10 ** (-12 * level_of(shape, turns) / 20)
            np.testing.assert_allclose(out[0][clear], wanted[clear], atol=1e-9)


class Time(unittest.TestCase):
    def test_a_note_value_is_a_rate_and_keeps_to_the_song(self):
        """An eighth at 120 BPM is 4 Hz; not locked, it is locked to the bars all the same."""
        note = heard("tremolo (cycle 1/8, depth 100 %)")
        np.testing.assert_allclose(
            note, heard("tremolo (rate 4 Hz, depth 100 %, locked)"), atol=1e-12
        )
        for cycle, words in (
            ("0 ms", "longer than 0 ms"),
            ("0.1 ms", "0.5 ms is the least"),
            ("@gone", "no delay written"),
        ):
            with self.assertRaises(RigError) as caught:
                heard(f"tremolo (cycle {cycle})")
            self.assertIn(words, caught.exception.sentence)
            self.assertIn("Tremolo", caught.exception.sentence)
        heard("tremolo (cycle 0.5 ms)")
        with self.assertRaises(RigError):
            heard("ducker (way shape, dip every 0.2 ms)")

    def test_a_passage_sounds_alike_wherever_the_stretch_begins(self):
        """Also behind what holds the sound back: a way between samples runs beside it."""
        stages = [
            f"tremolo (rate 1.7 Hz, depth 90 %, shape {shape})"
            for shape in (*SHAPES, "sample-and-hold")
        ]
        stages += ["ducker (way shape, dip every 1/8., depth 20 dB)", "tremolo (cycle 1/4T)"]
        rng = np.random.default_rng(6)
        # What remembers is given silence until then.
        stages += [
            "chorus (rate 0.7 Hz, depth 3 ms)", "swept (moved by lfo, rate 0.6 Hz)",
            "delay (time 120 ms, feedback 60 %, insert chorus, insert amount 60 %)",
            "reverb (RT60 0.8 s, modulation depth 2 ms, modulation rate 0.7 Hz)",
        ]  # fmt: skip
        for stage in stages:
            text = f"g: source > s: split > x: {stage} > o: output\ns > d: delay (time 3.3 ms) > o"
            plan = compile_rig(parse_rig(text), SONG)
            remembers = stage.split(" ")[0] not in ("tremolo", "ducker")
            sound = rng.standard_normal((1, 2 * RATE)) if remembers else np.ones((1, 2 * RATE))
            if remembers:
                sound[:, :RATE] = 0
            whole = render_clip(plan, RATE, {"g": sound}, tail_s=0)["o"][0]
            begun = render_clip(plan, RATE, {"g": sound[:, RATE:]}, tail_s=0, start_s=1.0)["o"][0]
            # A tail's lines are in single precision and their swing has knots of its own: 60 dB down.
            near = 3e-3 if stage.startswith("reverb") else 1e-6
            np.testing.assert_allclose(begun[2000:], whole[RATE + 2000 :], atol=near, err_msg=stage)

    def test_a_cycle_is_no_setting_that_does_nothing(self):
        rig = parse_rig("g: source > x: tremolo (cycle 1/8, sides apart 90 °) > o: output (stereo)")
        self.assertEqual([f.check for f in run_checks(Evaluation(rig, SONG)).findings], [])

    def test_a_mono_signal_goes_from_side_to_side(self):
        out = heard("tremolo (rate 1 Hz, depth 100 %, sides apart 180 °)", np.ones((1, 2 * RATE)))
        # A mono signal is 3 dB down on either side.
        np.testing.assert_allclose(out[0] + out[1], np.sqrt(0.5), atol=1e-9)
        self.assertGreater(float(np.abs(out[0] - out[1]).max()), 0.7)


class Fast(unittest.TestCase):
    """Rates that are heard as pitches: sidebands where and as large as the sums say."""

    def test_a_tremolo_of_500_hz_makes_two_sidebands(self):
        out = heard("tremolo (rate 500 Hz, depth 100 %, locked)", tone(3000))[0]
        self.assertAlmostEqual(line(out, 3000), 0.125, delta=1e-6)
        for side in (2500, 3500):
            self.assertAlmostEqual(line(out, side), 0.0625, delta=1e-6)
        self.assertLess(line(out, 2000), 1e-9)

    def test_a_delay_that_swings_200_times_a_second_bends_as_bessel_says(self):
        """Index 2 pi f d: 1000 Hz by 0.2 ms; slow ones, computed more seldom, obey the same sums."""
        for rate in (10, 200):
            out = heard(
                f"chorus (mix 100 %, rate {rate} Hz, depth 0.2 ms, centre 5 ms, locked)", tone(1000)
            )[0]
            index = 2 * np.pi * 1000 * 0.2e-3
            for order in (0, 1, 2, 3):
                wanted = 0.25 * abs(float(jv(order, index)))
                self.assertAlmostEqual(line(out, 1000 + rate * order), wanted, delta=2e-4, msg=rate)

    def test_a_filter_swept_at_an_audible_rate_follows_every_sample(self):
        """Half as fast a clock would fold: power at the sidebands stays where the rate puts it."""
        stage = "swept (mode low, frequency 1000 Hz, moved by lfo, range 1, rate 700 Hz, locked)"
        out = heard(stage, tone(1000))[0]
        spectrum = np.abs(np.fft.rfft(out[-RATE:])) ** 2
        at = [abs(1000 + 700 * n) for n in range(-12, 12)]
        self.assertGreater(float(spectrum[at].sum() / spectrum.sum()), 1 - 1e-9)
        self.assertGreater(line(out, 1700), 0.01)


class Followers(unittest.TestCase):
    """A constant of 0.05, then of 0.5: threshold -20 dBFS, full at -6.02 dBFS (0.501)."""

    STEP = np.concatenate([np.full((2, RATE), 0.05), np.full((2, RATE), 0.5)], axis=1)
    FOLLOWS = "threshold -20 dB, full at -6.02 dB, attack 1 ms, release 1 ms"

    def gains(self, settings: str, rate: float = 8) -> tuple[np.ndarray, np.ndarray]:
        out = heard(
            f"tremolo (rate {rate} Hz, depth 60 %, locked, {settings}, {self.FOLLOWS})", self.STEP
        )
        gain = (out / self.STEP)[0]
        return gain[RATE // 2 : RATE], gain[-RATE // 2 :]

    def test_the_depth_comes_with_the_level_or_goes(self):
        quiet, loud = self.gains("depth by level 100 %")
        self.assertLess(float(np.ptp(quiet)), 1e-6)
        self.assertAlmostEqual(float(np.ptp(loud)), 0.6, delta=2e-3)
        quiet, loud = self.gains("depth by level -100 %")
        self.assertAlmostEqual(float(np.ptp(quiet)), 0.6, delta=2e-3)
        self.assertLess(float(np.ptp(loud)), 4e-3)
        half, _ = self.gains("depth by level 50 %")
        self.assertAlmostEqual(float(np.ptp(half)), 0.3, delta=2e-3)

    def test_the_rate_rises_by_octaves(self):
        quiet, loud = self.gains("rate by level 2")

        def cycles(gain: np.ndarray) -> int:
            return int(np.sum((gain[:-1] < 0.7) & (gain[1:] >= 0.7)))

        self.assertEqual((cycles(quiet), cycles(loud)), (4, 16))

    def test_the_level_drives_it_no_faster_than_a_rate_can_be_set(self):
        """500 Hz and six octaves are 32 kHz: 2 kHz are left."""
        stage = "tremolo (rate 500 Hz, depth 100 %, locked, rate by level 6, full at -40 dB, {})"
        out = heard(stage.format("attack 0.01 ms, release 500 ms"), 0.5 * ONE)[0]
        self.assertAlmostEqual(line(out, 2000), 0.25, delta=1e-3)
        self.assertLess(line(out, 500), 1e-3)

    def test_a_filter_stays_shut_up_to_its_threshold(self):
        stage = (
            "swept (mode low, frequency 200 Hz, moved by level, range 4, attack 1 ms, release 200 ms, "
            "full at -12 dB, threshold {} dB)"
        )
        shut = heard("swept (mode low, frequency 200 Hz)", tone(1500, peak=0.1))
        below, above = (heard(stage.format(t), tone(1500, peak=0.1)) for t in (-18, -40))
        self.assertAlmostEqual(line(below[0], 1500), line(shut[0], 1500), delta=1e-5)
        self.assertGreater(line(above[0], 1500), 4 * line(shut[0], 1500))

    def test_another_source_opens_it(self):
        stage = "swept (mode low, frequency 200 Hz, moved by level, range 4, full at -12 dB)"
        key = "k: source > o [level -120 dB]\nkey k > x"
        open_, shut = (
            heard(stage, tone(1500, peak=0.1), key, others={"k": k[:1]})
            for k in (tone(90, peak=0.5), 0 * tone(90))
        )
        self.assertGreater(line(open_[0], 1500), 10 * line(shut[0], 1500))

    def test_sources_apart_add_up_to_the_whole(self):
        """What both bring together moves it, so one alone is moved by both."""
        for stage in (
            "tremolo (rate 3 Hz, depth 70 %, depth by level 100 %, rate by level 1, full at -20 dB)",
            "chorus (rate 1 Hz, depth 2 ms, depth by level 80 %, full at -20 dB)",
            "swept (frequency 500 Hz, moved by lfo, rate 2 Hz, depth by level 100 %, full at -20 dB)",
        ):
            text = f"a: source > b1: bus > x: {stage} > o: output\nb: source > b1"
            plan = compile_rig(parse_rig(text), SONG)
            rng = np.random.default_rng(5)
            sounds = {n: 0.1 * rng.standard_normal((1, RATE)) for n in "ab"}
            whole = render_clip(plan, RATE, sounds, tail_s=0)["o"]
            parts = []
            for name in "ab":
                one, moves = alone(plan, Moves(), name)
                parts.append(render_clip(one, RATE, sounds, tail_s=0, moves=moves)["o"])
            np.testing.assert_allclose(sum(parts), whole, atol=1e-9, err_msg=stage)


class Combs(unittest.TestCase):
    def test_what_it_gives_back_and_its_sign(self):
        """500 Hz at 48 kHz is 48 samples: the difference equation by hand."""
        click = np.zeros((2, RATE))
        click[:, 0] = 1.0
        for percent, minus in (
            (60, False),
            (-60, False),
            (60, True),
            (-60, True),
            (0, True),
            (90, False),
        ):
            g, s = percent / 100, -1 if minus else 1
            word = ", minus" if minus else ""
            out = heard(f"swept (mode comb, frequency 500 Hz, feedback {percent} %{word})", click)[
                0
            ]
            w, wanted = np.zeros(RATE), np.zeros(RATE)
            for n in range(0, RATE, 48):
                late = w[n - 48] if n else 0.0
                w[n] = click[0, n] + g * late
                wanted[n] = (1 - g * s) / 2 * (w[n] + s * late)
            np.testing.assert_allclose(out, wanted, atol=1e-9)
            self.assertAlmostEqual(float(np.abs(np.fft.rfft(out)).max()), 1.0, delta=1e-6)


class ReadyRigs(unittest.TestCase):
    """The two that can be begun with, measured as they sound."""

    def test_the_repeats_step_back_while_the_note_sounds(self):
        template = template_of("ducking-delay")
        assert template is not None
        rig = build(template)
        sound = tone(440, 3.0, 0.14) * (np.arange(3 * RATE) < 1.5 * RATE)
        strips = {p: r.strip.model_copy(update={"level_db": -120.0}) for p, r in rig.rails.items()}
        rails = {p: r.model_copy(update={"strip": strips[p]}) for p, r in rig.rails.items()}
        rigs = (
            rig, rig.model_copy(update={"keys": {}}),
            rig.model_copy(update={"rails": {**rig.rails, "duck.0": rails["duck.0"]}}),
        )  # fmt: skip
        out, free, dry = (
            next(
                iter(
                    render_clip(
                        compile_rig(r, SONG), RATE, {"guitar": sound[:1]}, tail_s=0
                    ).values()
                )
            )
            for r in rigs
        )
        wet, loud = out - dry, free - dry

        def rms(x: np.ndarray, a: float, b: float) -> float:
            return float(10 * np.log10(np.mean(x[:, round(a * RATE) : round(b * RATE)] ** 2)))

        self.assertAlmostEqual(rms(wet, 1.0, 1.4) - rms(loud, 1.0, 1.4), -12, delta=0.5)
        self.assertAlmostEqual(rms(wet, 2.7, 2.9) - rms(loud, 2.7, 2.9), 0, delta=1.0)

    def test_harder_hits_open_further(self):
        template = template_of("opening-filter")
        assert template is not None
        plan = compile_rig(build(template), SONG)
        rng = np.random.default_rng(2)
        fall = np.exp(-np.arange(RATE // 2) / (0.08 * RATE))
        burst = rng.standard_normal((1, RATE // 2)) * fall
        bright = []
        for peak in (0.005, 0.1, 0.3):
            out = render_clip(plan, RATE, {"guitar": peak * burst}, tail_s=0)
            spectrum = np.abs(np.fft.rfft(next(iter(out.values()))[0])) ** 2
            hz = np.fft.rfftfreq(RATE // 2, 1 / RATE)
            bright.append(float((spectrum * hz).sum() / spectrum.sum()))
        self.assertLess(bright[0], 600)
        self.assertGreater(bright[1], 1.3 * bright[0])
        self.assertGreater(bright[2], 1.3 * bright[1])


if __name__ == "__main__":
    unittest.main()
