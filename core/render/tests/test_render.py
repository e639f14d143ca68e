"""The plan is proved: what Route computes is what is rendered."""

import math
import random
import unittest

import numpy as np
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from core.blend import BlendRequest, blend_view, compressed_db
from core.render import Renderer, RenderError, render_clip
from core.render.delay_line import DelayLine
from core.render.filters import response
from core.render.run import run
from core.routing import Context, Evaluation, compile_rig, parse_rig, perform
from core.routing.document.demo import DEMO_RIGS
from core.routing.edit.actions import Bypass
from core.routing.plan.responses import Section, bell, low_shelf, shaped
from core.routing.tests.rigs import LIGHTHOUSE
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))


def rendered(text: str, sound: np.ndarray, context: Context = SONG, **more) -> np.ndarray:
    plan = compile_rig(parse_rig(text), context)
    source = next(iter(plan.sources))
    return next(iter(render_clip(plan, RATE, {source: sound}, **more).values()))


def impulse(seconds: float = 0.3) -> np.ndarray:
    out = np.zeros((1, round(seconds * RATE)))
    out[0, 0] = 1
    return out


def fitted(sound: np.ndarray, about: float) -> tuple[float, float]:
    """Level (signed, linear) and time (samples) of a lone arrival near `about` samples.

    From the spectrum between 20 Hz and 18 kHz: the slope of the phase and the mean of the size.
    """
    start = round(about) - 100
    part = np.zeros(4096)
    low = max(0, start)
    piece = sound[low : low + 200]
    part[low - start : low - start + len(piece)] = piece
    hz = np.fft.rfftfreq(4096, 1 / RATE)
    inside = (hz >= 20) & (hz <= 18_000)
    spectrum = np.fft.rfft(part)[inside] * np.exp(2j * np.pi * hz[inside] * (about - start) / RATE)
    sign = 1 if np.mean(spectrum.real) >= 0 else -1
    turn = np.angle(sign * spectrum)
    late = -np.dot(turn, hz[inside]) / np.dot(hz[inside], hz[inside]) / (2 * np.pi) * RATE
    return sign * float(np.abs(spectrum).mean()), about + float(late)


def flat_rig(seed: int) -> str:
    """Some rails side by side, each a chain of levels and delays, far enough apart to be told."""
    rng = random.Random(seed)
    lines = ["g: source > s: split > m0: merge > o: output (stereo)"]
    for n in range(1, rng.randint(2, 5)):
        latency = 8 * n + rng.choice([0.0, rng.random()])
        invert = ", inverted" if rng.random() < 0.4 else ""
        lines.append(
            f"s > generic (gain {rng.uniform(-12, 6):.2f} dB, latency {latency:.4f} ms{invert}) > "
            f"level (level {rng.uniform(-9, 3):.2f} dB) > m0 [level {rng.uniform(-6, 0):.2f} dB, "
            f"pan {rng.randint(-100, 100)} %]"
        )
    return "\n".join(lines)


class Proof(unittest.TestCase):
    @settings(max_examples=20, deadline=None)
    @given(st.integers(0, 10_000))
    def test_the_impulse_of_a_flat_rig_has_exactly_its_arrivals(self, seed):
        text = flat_rig(seed)
        board = Evaluation(parse_rig(text), SONG).boards[0]
        out = rendered(text, impulse(), tail_s=0.1)
        for arrival in board.arrivals:
            about = arrival.time_ms / 1e3 * RATE
            sides = [fitted(side, about) for side in out]
            gain = np.hypot(sides[0][0], sides[1][0])
            loud = max(sides, key=lambda s: abs(s[0]))
            self.assertAlmostEqual(20 * np.log10(gain), arrival.gain_db, delta=0.01)
            self.assertAlmostEqual(loud[1], about, delta=0.01)
            self.assertEqual(np.sign(loud[0]), arrival.polarity)

    def test_filters_sound_as_they_are_drawn(self):
        text = (
            "g: source > filter (low cut 120 Hz, high cut 4000 Hz, order 4) > "
            "equaliser (low 4 dB, mid -6 dB, mid-frequency 900 Hz, high 3 dB) > o: output"
        )
        rig = parse_rig(text.replace("mid-frequency 900 Hz, ", ""))
        sums = Evaluation(rig, SONG).boards[0].sums
        out = rendered(text.replace("mid-frequency 900 Hz, ", ""), impulse(1), tail_s=0)[0]
        hz = np.array(Evaluation(rig, SONG).report().hz)
        spectrum = np.abs(np.fft.rfft(out, 1 << 17))
        heard = 20 * np.log10(np.interp(hz, np.fft.rfftfreq(1 << 17, 1 / RATE), spectrum))
        board = Evaluation(rig, SONG).boards[0]
        drawn = np.array(sums.all_db) + board.reference_gain_db
        low = (hz >= 40) & (hz <= 3000)
        self.assertLess(float(np.abs(heard - drawn)[low].max()), 0.1)

    def test_digital_sections_agree_at_their_corner(self):
        for section, analogue in (
            (Section("bell", 1000, gain_db=6, q=2), bell(6, 1000, 2, np.array([1000.0]))),
            (Section("low_shelf", 200, gain_db=-9), low_shelf(-9, 200, np.array([200.0]))),
            (Section("high_pass", 80, 4), np.array([10 ** (-3.0103 / 20)])),
        ):
            found = response(shaped((section,)), np.array([section.hz]), RATE)
            self.assertAlmostEqual(abs(found[0]), abs(analogue[0]), places=4)

    def test_a_crossover_adds_up_flat(self):
        for slope, strip in ((24, ""), (12, " [inverted]")):
            out = rendered(
                f"g: source > s: split (mode crossover, crossover 700 Hz, slope {slope}) > m: merge "
                f"> o: output\ns > m{strip}",
                impulse(0.5), tail_s=0,
            )[0]  # fmt: skip
            level = 20 * np.log10(np.abs(np.fft.rfft(out, 1 << 16)))
            self.assertLess(float(np.abs(level[30:24_000]).max()), 0.01)

    def test_band_and_rest_null_against_the_source(self):
        rng = np.random.default_rng(1)
        sound = rng.standard_normal((1, 9_000))
        out = rendered(
            "g: source > s: split (mode band, crossover 300 Hz, upper 3000 Hz) > m: merge > "
            "o: output\ns > m",
            sound, tail_s=0,
        )  # fmt: skip
        self.assertLess(float(np.abs(out[0] - sound[0]).max()), 1e-9)

    def test_repeats_modes_and_loops_land_where_route_says(self):
        for text in (
            "g: source > d: delay (time 20.13 ms, feedback 50 %, mix 100 %) > o: output (stereo)",
            "g: source > d: delay (time 20 ms, feedback 60 %, mix 40 %, mode ping-pong) > o: output (stereo)",
            "g: source > d: delay (time 18 ms, feedback 40 %, mode dual, offset 6.37 ms) > o: output (stereo)",
            "g: source > b: bus > d: delay (time 15.5 ms) > s: split > o: output (stereo)\n"
            "s > level (level -5 dB) > b",
        ):
            board = Evaluation(parse_rig(text), SONG).boards[0]
            out = rendered(text, impulse(0.3), tail_s=0)
            # Those that stand alone for longer than the fit looks.
            near = [
                a
                for a in board.arrivals
                if a.time_ms < 250
                and a.gain_db > -50
                and all(abs(a.time_ms - b.time_ms) > 4.5 for b in board.arrivals if b is not a)
            ]
            self.assertGreater(len(near), 2)
            for arrival in near:
                about = arrival.time_ms / 1e3 * RATE
                sides = [fitted(side, about)[0] for side in out]
                level = 20 * np.log10(np.hypot(*sides))
                with self.subTest(text[:60], arrival=arrival.name):
                    self.assertAlmostEqual(level, arrival.gain_db, delta=0.01)

    def test_a_mix_knob_nulls_against_its_equal_parallel_rig(self):
        rng = np.random.default_rng(2)
        sound = rng.standard_normal((1, 24_000))
        eq = "equaliser (mid 6 dB{})"
        insert = rendered(
            f"g: source > d: delay (time 31.7 ms, mix 37 %) > {eq.format('')} > o: output",
            sound,
            tail_s=0.2,
        )
        beside = rendered(
            f"g: source > s: split > m: merge > {eq.format('')} > o: output\n"
            f"s > d: delay (time 31.7 ms, mix 100 %) > m [level {20 * np.log10(0.37 / 0.63):.12f} dB]",
            sound, tail_s=0.2,
        )  # fmt: skip
        residual = insert - beside * 0.63
        depth = 10 * np.log10((residual**2).sum() / (insert**2).sum())
        self.assertLess(depth, -120)

    def test_everything_bypassed_is_the_source_bit_for_bit(self):
        rng = np.random.default_rng(3)
        sound = rng.standard_normal((1, 20_000))
        rig = parse_rig(
            "g: source > c: compressor > d: drive > e: equaliser (mid 5 dB) > x: delay (latency 1.3 ms) "
            "> r: reverb > h: chorus > t: tremolo > o: output"
        )
        for name in "cdexrht":
            rig = perform(rig, Bypass(node=name)).rig
        out = render_clip(compile_rig(rig, SONG), RATE, {"g": sound}, tail_s=0)["o"]
        self.assertTrue(np.array_equal(out[0], sound[0]))

    def test_blocks_of_any_size_give_the_same_samples(self):
        rng = np.random.default_rng(4)
        sound = rng.standard_normal((1, 30_000))
        text = "g: source > b: bus > delay (time 3.77 ms, feedback 30 %) > filter (low cut 200 Hz) > s: split > o: output\ns > level (level -9 dB) > b"
        plan = compile_rig(parse_rig(text), LIGHTHOUSE)
        whole = render_clip(plan, RATE, {"g": sound}, tail_s=0)["o"]
        again = render_clip(plan, RATE, {"g": sound}, tail_s=0)["o"]
        self.assertTrue(np.array_equal(whole, again))
        from core.render.rig import Renderer

        one = Renderer(plan, RATE)
        pieces = [
            one.process({"g": np.pad(sound[:, i : i + 777], ((0, 1), (0, 0)))})["o"]
            for i in range(0, 30_000, 777)
        ]
        joined = np.concatenate(pieces, axis=1)[:, one.latency["o"] :]
        np.testing.assert_allclose(joined[0], whole[0][: joined.shape[1]], atol=1e-12)


class Lines(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.floats(0, 3000), st.integers(1, 700))
    def test_a_delay_is_as_long_as_it_says(self, samples, block):
        if samples < 64 and abs(samples - round(samples)) >= 1e-6:
            samples = float(round(samples))
        line, out = DelayLine(samples), []
        tone = np.zeros((2, 5000))
        tone[0] = np.sin(2 * np.pi * 997 * np.arange(5000) / RATE) * np.hanning(5000)
        for start in range(0, 5000, block):
            part = tone[:, start : start + block]
            line.push(part)
            out.append(line.read(part.shape[1]).copy())
        heard = np.concatenate(out, axis=1)[0]
        at = np.arange(5000) - samples
        shape = 0.5 - 0.5 * np.cos(2 * np.pi * np.clip(at, 0, 4999) / 4999)
        wanted = np.where(at >= 0, np.sin(2 * np.pi * 997 * at / RATE) * shape, 0)
        self.assertLess(float(np.abs(heard - wanted).max()), 1e-4)


class Compressing(unittest.TestCase):
    def test_a_steady_level_comes_out_on_the_static_curve(self):
        text = "g: source > c: compressor (threshold -30 dB, ratio 4, knee 6 dB, make-up 2 dB, attack 1 ms, release 50 ms) > o: output"
        for level in (-50, -31, -20, -6):
            steady = np.full((1, RATE), 10 ** (level / 20))
            out = rendered(text, steady, tail_s=0)[0][-1]
            self.assertAlmostEqual(20 * np.log10(out), compressed_db(level, -30, 4, 6, 2), places=3)

    def test_attack_and_release_are_time_constants(self):
        text = "g: source > c: compressor (threshold -20 dB, ratio 20, knee 0 dB, attack 20 ms, release 100 ms) > o: output"
        step = np.full((1, 2 * RATE), 10 ** (-40 / 20))
        step[0, RATE // 2 : RATE] = 1.0
        out = rendered(text, step, tail_s=0)[0]
        taken = 20 * np.log10(step[0] / out)
        full = taken[RATE - 1]
        self.assertAlmostEqual(full, 19, delta=0.01)
        at = RATE // 2 + round(0.020 * RATE) - 1
        self.assertAlmostEqual(taken[at] / full, 1 - np.exp(-1), delta=0.002)
        down = RATE + round(0.100 * RATE) - 1
        self.assertAlmostEqual(taken[down] / full, np.exp(-1), delta=0.002)


class Keyed(unittest.TestCase):
    def both(self, stage: str, key: str, on: slice) -> np.ndarray:
        """A steady source through a keyed stage, while another source sounds for a while."""
        text = f"a: source > {stage} > o: output\nb: source > f: fader > p: output\nkey {key}"
        steady = np.full((1, 2 * RATE), 0.5)
        other = np.zeros((1, 2 * RATE))
        other[0, on] = 0.5 * np.sin(2 * np.pi * 200 * np.arange(2 * RATE) / RATE)[on]
        plan = compile_rig(parse_rig(text), SONG)
        out = render_clip(plan, RATE, {"a": steady, "b": other}, tail_s=0)
        return 20 * np.log10(out["o"][0] / 0.5)

    def test_a_compressor_obeys_its_key_and_nothing_else(self):
        on = slice(RATE // 2, RATE)
        stage = "c: compressor (threshold -30 dB, ratio 10, knee 0 dB, attack 1 ms, release 20 ms)"
        taken = self.both(stage, "b > c", on)
        self.assertAlmostEqual(taken[RATE // 2 - 10], 0, places=3)
        self.assertLess(taken[RATE - 200 : RATE].mean(), -15)
        self.assertAlmostEqual(taken[-1], 0, delta=0.1)

    def test_a_ducker_goes_to_its_depth_while_the_key_sounds(self):
        on = slice(RATE // 2, RATE)
        stage = "d: ducker (depth 9 dB, attack 10 ms, release 100 ms)"
        for key in ("b > d", "f.in > d", "f > d"):
            taken = self.both(stage, key, on)
            self.assertAlmostEqual(taken[RATE // 2 - 10], 0, places=3)
            self.assertAlmostEqual(taken[RATE - 10], -9, delta=0.05)
            self.assertAlmostEqual(taken[-1], 0, delta=0.05)

    def test_a_key_behind_what_it_keys_is_refused(self):
        text = "a: source > d: ducker > f: fader > o: output\nkey f > d"
        with self.assertRaisesRegex(RenderError, "taps a key behind"):
            rendered(text, impulse())


class Driving(unittest.TestCase):
    def tone(self, hz: float, level: float = 1.0) -> np.ndarray:
        return level * np.sin(2 * np.pi * hz * np.arange(RATE) / RATE)[None, :]

    def test_a_quiet_signal_passes_a_soft_shaper_with_its_gain_alone_and_not_late(self):
        sound = self.tone(1000, 1e-4)
        out = rendered(
            "g: source > drive (gain 12 dB, ceiling 0 dB) > o: output", sound, tail_s=0.1
        )[0]
        inside = slice(2000, RATE - 2000)
        wanted = sound[0] * 10 ** (12 / 20)
        self.assertLess(float(np.abs(out[:RATE] - wanted)[inside].max()) / wanted.max(), 1e-4)

    def test_alias_products_are_60_db_down_for_the_soft_shaper(self):
        # 5 kHz at full scale with 10 dB of drive: what is no harmonic below Nyquist is alias.
        out = rendered(
            "g: source > drive (gain 10 dB, ceiling 0 dB) > o: output", self.tone(5000), tail_s=0
        )[0]
        spectrum = np.abs(np.fft.rfft(out[RATE // 2 :] * np.blackman(RATE // 2)))
        hz = np.fft.rfftfreq(RATE // 2, 1 / RATE)
        harmonic = np.min(np.abs(hz[:, None] - 5000 * np.arange(0, 5)[None, :]), axis=1) < 20
        alias = spectrum[~harmonic & (hz > 30)].max() / spectrum.max()
        self.assertLess(20 * np.log10(alias), -60)

    def test_shapes_keep_to_their_ceiling(self):
        for shape, most in (("soft", 1.0), ("hard", 1.0), ("fold", 1.0)):
            out = rendered(
                f"g: source > drive (gain 30 dB, shape {shape}, ceiling -12 dB) > o: output",
                self.tone(200),
                tail_s=0,
            )[0]
            ceiling = 10 ** (-12 / 20)
            self.assertLess(float(np.abs(out).max()), ceiling * (most + 0.2))
            self.assertGreater(float(np.abs(out).max()), ceiling * 0.8)

    def test_the_dry_rail_beside_a_drive_waits_for_its_latency(self):
        sound = self.tone(700, 1e-5)
        out = rendered(
            "g: source > s: split > m: merge > o: output\ns > drive (gain 0 dB, ceiling 0 dB) > m [inverted]",
            sound, tail_s=0,
        )[0]  # fmt: skip
        self.assertLess(float(np.abs(out[2000:-2000]).max()), 1e-9)


class Swinging(unittest.TestCase):
    def test_a_chorus_that_does_not_swing_is_a_delay(self):
        sound = np.random.default_rng(6).standard_normal((1, 9000))
        out = rendered(
            "g: source > chorus (mix 100 %, depth 0 ms, centre 10 ms, locked) > o: output",
            sound,
            tail_s=0,
        )[0]
        np.testing.assert_allclose(out[480:], sound[0, :-480], atol=1e-12)

    def test_its_pitch_swings_as_far_as_it_says(self):
        # 2 ms at 0.8 Hz: 17.3 cents either way (worked example).
        t = np.arange(2 * RATE) / RATE
        sound = np.sin(2 * np.pi * 1000 * t)[None, :]
        out = rendered(
            "g: source > chorus (mix 100 %, depth 2 ms, rate 0.8 Hz, centre 8 ms, locked) > o: output",
            sound,
            tail_s=0,
        )[0]
        phase = np.unwrap(np.angle(scipy.signal.hilbert(out)))[4000:-4000]
        cents = 1200 * np.log2(np.gradient(phase) * RATE / (2 * np.pi) / 1000)
        smooth = np.convolve(cents, np.ones(480) / 480, mode="valid")
        self.assertAlmostEqual(float(np.abs(smooth).max()), 17.317, delta=0.3)

    def test_two_that_are_not_locked_swing_apart_and_the_same_one_always_alike(self):
        sound = np.random.default_rng(7).standard_normal((1, RATE))

        def text(name: str, more: str = "") -> str:
            return f"g: source > {name}: chorus (mix 100 %{more}) > o: output"

        one, again, other = (rendered(text(n), sound, tail_s=0) for n in ("a", "a", "b"))
        self.assertTrue(np.array_equal(one, again))
        self.assertGreater(float(np.abs(one - other).max()), 0.1)
        locked = [rendered(text(n, ", locked"), sound, tail_s=0) for n in ("a", "b")]
        self.assertTrue(np.array_equal(*locked))


class Reverberating(unittest.TestCase):
    def tail(self, more: str, out: str = "(stereo)", name: str = "r") -> np.ndarray:
        text = f"g: source > {name}: reverb ({more}) > o: output {out}"
        return rendered(text, impulse(0.1))

    def rt60(self, sound: np.ndarray, low: float = 0, high: float = 0) -> float:
        """From -5 to -35 dB of the backward-integrated energy."""
        if high:
            sos = scipy.signal.butter(4, [low, high], "bandpass", fs=RATE, output="sos")
            sound = scipy.signal.sosfilt(sos, sound)
        left = np.cumsum(sound[::-1] ** 2)[::-1]
        level = 10 * np.log10(np.maximum(left / left[0], 1e-12))
        first, last = np.argmax(level < -5), np.argmax(level < -35)
        return 2 * (last - first) / RATE

    def test_it_dies_in_the_time_asked_for_in_every_octave(self):
        for seconds in (0.8, 1.8, 4.0, 8.0):
            sound = self.tail(f"RT60 {seconds} s, pre-delay 0 ms, locked")
            self.assertAlmostEqual(self.rt60(sound[0]) / seconds, 1, delta=0.05)
            for hz in (125, 250, 500, 1000, 2000, 4000):
                found = np.mean([self.rt60(side, hz / 2**0.5, hz * 2**0.5) for side in sound])
                with self.subTest(seconds=seconds, hz=hz):
                    self.assertAlmostEqual(found / seconds, 1, delta=0.1)

    def test_the_first_sound_and_the_energy_are_as_route_counts_them(self):
        for out, channels in (("(stereo)", 2), ("", 1)):
            sound = self.tail("RT60 1.5 s, pre-delay 31 ms, locked", out)
            self.assertEqual(int(np.argmax(np.abs(sound[0]) > 0)), round(0.031 * RATE))
            # Energy for pink noise: every octave from 40 Hz to 16 kHz alike.
            hz = np.fft.rfftfreq(sound.shape[1], 1 / RATE)
            inside = (hz > 40) & (hz < 16_000)
            power = (np.abs(np.fft.rfft(sound[:channels])) ** 2).sum(axis=0)[inside] / hz[inside]
            energy = 10 * np.log10(power.sum() / (1 / hz[inside]).sum())
            gain = Evaluation(parse_rig(f"g: source > r: reverb > o: output {out}"), SONG).boards[0]
            self.assertAlmostEqual(energy, gain.arrivals[0].gain_db, delta=0.3)

    def test_two_that_swing_never_null_and_locked_ones_always(self):
        a, b = (self.tail("RT60 1 s", name=n) for n in ("a", "b"))
        self.assertGreater(float(np.abs(a - b[:, : a.shape[1]]).max()), 1e-3)
        a, b = (self.tail("RT60 1 s, locked", name=n) for n in ("a", "b"))
        self.assertTrue(np.array_equal(a, b))


class Refusing(unittest.TestCase):
    def test_what_cannot_be_rendered_says_so(self):
        bad = np.full((1, 100), np.nan)
        for text, sound, words in (
            ("g: source > o: output", bad, "no numbers"),
            ("g: source > o: output", np.zeros((1, 0)), "not empty"),
            ("g: source > b: bus > s: split > o: output\ns > level (level -6 dB) > b", impulse(), "without a delay"),
        ):  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(RenderError, words):
                rendered(text, sound)
        with self.assertRaisesRegex(RenderError, "does not have"):
            render_clip(
                compile_rig(parse_rig("g: source > o: output"), SONG), RATE, {"x": impulse()}
            )


class EqualSettings(unittest.TestCase):
    """An insert set to the nearest steps nulls against its pair as deep as was predicted."""

    def test_the_null_is_the_predicted_one_within_a_decibel(self):
        sound = np.random.default_rng(4).standard_normal((1, 4 * RATE)) * 0.1
        device = "delay (time 300 ms, feedback 0 %, mix {} %, mix law {}, output {} dB)"
        for wet_db, share, mix_step, level_step in (
            (-2.5, 100, 1, 0.1),
            (-9, 100, 5, 0.5),
            (0, 60, 1, 0.5),
        ):
            pair = rendered(
                "g: source > s: split > m: merge > o: output\n"
                f"s > d: {device.format(share, 'linear', 0)} > m [level {wet_db} dB]",
                sound, tail_s=0,
            )[0][RATE:]  # fmt: skip
            view = blend_view(
                BlendRequest(
                    dry_db=0, wet_db=wet_db, device_mix_percent=share, mix_step_percent=mix_step,
                    level_step_db=level_step,
                )
            )  # fmt: skip
            for row in view.rows:
                with self.subTest(law=row.law, wet=wet_db, share=share):
                    made = device.format(row.set_mix_percent, row.law, row.set_trim_db)
                    insert = rendered(f"g: source > d: {made} > o: output", sound, tail_s=0)[0][
                        RATE:
                    ]
                    left = np.sum((insert - pair) ** 2) / np.sum(pair**2)
                    self.assertAlmostEqual(10 * np.log10(left), row.null_db, delta=1)


class UntilItHasDiedAway(unittest.TestCase):
    """A clip far shorter than the delays: no silence between two repeats is taken for the end."""

    def test_every_repeat_is_in_the_sound(self):
        sound = np.zeros((1, 480))
        sound[0, 0] = 0.5
        for text, times, gain in (
            ("g: source > d: delay (time 1.5 s, mix 100 %, feedback 0 %) > o: output", [1.5], 0.5),
            (
                "g: source > d: delay (time 2 s, mix 100 %, feedback 25 %) > o: output",
                [2, 4, 6, 8],
                0.5,
            ),
            (
                "g: source > b: bus > d: delay (time 1 s, mix 100 %) > s: split > o: output\n"
                "s > e: delay (time 900 ms, mix 100 %, feedback 0 %) > l: level (level -12.0412 dB) > b",
                [1, 2.9, 4.8, 6.7],
                0.5,
            ),
        ):
            with self.subTest(text):
                out = rendered(text, sound)[0]
                for n, time in enumerate(times):
                    here = np.abs(out[round(time * RATE) - 200 : round(time * RATE) + 200]).max()
                    self.assertAlmostEqual(here, gain / 4**n, delta=1e-4)
                # It ends once nothing is left: not at the 30 s that a tail may last.
                self.assertLess(len(out) / RATE, 22)


class Holding(unittest.TestCase):
    """Loops at or above unity."""

    def held(self, text, sound, **more):
        renderer, parts = Renderer(compile_rig(parse_rig(text), SONG), RATE), []
        run(
            renderer, lambda start, count: {"g": sound[:, start : start + count]}, sound.shape[1],
            lambda b: parts.append(b["o"]), **more,
        )  # fmt: skip
        return np.concatenate(parts, axis=1)[0], renderer.held_back()

    def test_a_loop_above_unity_grows_to_full_scale_and_stays_there_for_a_bounded_time(self):
        around = "g: source > b: bus > d: delay (time 30 ms, mix 100 %) > s: split > o: output\ns > l: level (level 2 dB) > b"
        for text, growth, first, who in (
            (around, 2.0, 0.03, "l.0"),
            ("g: source > d: delay (time 30 ms, mix 100 %, feedback 120 %) > o: output", 20 * math.log10(1.2), 0.03, "d"),
        ):  # fmt: skip
            with self.subTest(who):
                sound = np.zeros((1, 400))
                sound[0, 0] = 0.01
                out, held = self.held(text, sound)
                self.assertEqual(held, [who])
                laps = [np.abs(out[round((first + 0.03 * i) * RATE)]) for i in range(4)]
                np.testing.assert_allclose(np.diff(20 * np.log10(laps)), growth, atol=1e-6)
                self.assertLessEqual(float(np.abs(out).max()), 1.0)
                self.assertGreater(float(np.abs(out[-RATE:]).max()), 0.9)
                self.assertLess(len(out), 8.2 * RATE)

    def test_a_loop_below_unity_is_left_alone_however_loud(self):
        text = "g: source > d: delay (time 30 ms, mix 100 %, feedback 90 %) > o: output"
        out, held = self.held(text, 3 * impulse(400)[:1], tail_s=0.2)
        self.assertEqual(held, [])
        self.assertAlmostEqual(out[round(0.06 * RATE)] / out[round(0.03 * RATE)], 0.9, places=9)


class DemoVariants(unittest.TestCase):
    def test_each_demo_rig_sounds_and_delay_into_reverb_is_another_sound(self):
        sound = 0.1 * np.random.default_rng(8).standard_normal((1, RATE))
        heard = {}
        for _, _, variants in DEMO_RIGS:
            for name, notation in variants:
                plan = compile_rig(parse_rig(notation), LIGHTHOUSE)
                source = next(iter(plan.sources))
                out = next(iter(render_clip(plan, RATE, {source: sound}, tail_s=1).values()))
                self.assertGreater(float(np.abs(out).max()), 0.01, name)
                heard[name] = out
        apart = heard["Two sends"] - heard["Delay into reverb"]
        self.assertGreater(float(np.abs(apart).max()), 0.001)
        # A pedal in front of linear stages or behind them: the same sound.
        same = heard["Two sends"] - heard["Volume pedal last"]
        self.assertLess(float(np.abs(same).max()), 1e-7)  # reverbs run in single precision
