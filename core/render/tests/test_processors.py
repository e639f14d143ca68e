"""Each processor against its equation."""

import unittest

import numpy as np
import scipy.signal
from hypothesis import given, settings
from hypothesis import strategies as st

from core.audio.oversample import LATENCY, Oversampler, true_peak
from core.blend import compressed_db
from core.errors import FonodromeError
from core.render.processors import Curve, Setting, processor_for
from core.render.processors.dynamics import EnvelopeFollower, static_reduction
from core.render.processors.fast import to_db, to_gain
from core.render.processors.reverb import OCTAVES_HZ, ReverbWork
from core.render.processors.stand_in import (
    CLOCK_JITTER_S,
    DELAY_OFF,
    LOOP_S,
    SWITCH_GAP_S,
    SWITCH_LATE_S,
)
from core.render.ring import Ring
from core.render.tests.decays import mean_decays
from core.routing.document import kinds as k
from core.routing.plan.model import SWAP, UNIT, SelfLoop, scaled
from core.routing.plan.responses import cuts

RATE = 48_000


def ran(stage: k.Stage, sound: np.ndarray, block: int = 4096, key=None, **more) -> np.ndarray:
    """A sound of (2, n) through a stage's processor, in blocks."""
    work = processor_for(stage, Setting(RATE, 2, **more))
    parts = []
    for start in range(0, sound.shape[1], block):
        listened = None if key is None else key[:, start : start + block]
        parts.append(work(sound[:, start : start + block], listened))
    return np.concatenate(parts, axis=1)


def noise(seconds: float, seed: int = 1) -> np.ndarray:
    return 0.1 * np.random.default_rng(seed).standard_normal((2, round(seconds * RATE)))


def tone(hz: float, seconds: float = 1.0) -> np.ndarray:
    return np.tile(np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE), (2, 1))


class Levels(unittest.TestCase):
    @given(st.lists(st.floats(1e-8, 1e6), min_size=1, max_size=40))
    def test_quick_logarithms_and_powers_are_right(self, values):
        exact = 20 * np.log10(np.array(values))
        np.testing.assert_allclose(to_db(np.array(values, np.float32)), exact, atol=2e-5)
        back = to_gain(np.array(exact, np.float32))
        np.testing.assert_allclose(back, np.float32(values), rtol=2e-5)

    @given(st.floats(-60, 0), st.floats(-50, -5), st.floats(1, 30), st.floats(0, 24))
    def test_the_static_curve_is_the_one_that_route_draws(self, level, threshold, ratio, knee):
        taken = static_reduction(np.array([level]), threshold, ratio, knee)[0]
        self.assertAlmostEqual(
            level - taken, compressed_db(level, threshold, ratio, knee), places=3
        )

    def test_an_rms_detector_reads_a_sine_3_db_below_a_peak(self):
        low = k.Compressor(
            id="c", threshold_db=-20, ratio=100, knee_db=0, attack_ms=0.01, release_ms=500
        )
        peak = ran(low, tone(1000, 2))[0, -RATE:].max()
        rms = ran(low.model_copy(update={"detector": "rms"}), tone(1000, 2))[0, -RATE:].max()
        self.assertAlmostEqual(20 * np.log10(rms / peak), 3.0, delta=0.15)

    def test_a_follower_says_what_it_reads(self):
        for attack, release, wanted in ((5, 5, 2 / np.pi), (0.05, 500, 0.98)):
            follower = EnvelopeFollower(attack, release, RATE)
            self.assertAlmostEqual(follower.reading(), wanted, delta=0.02)
            heard = follower(tone(440, 3))
            self.assertAlmostEqual(heard[-RATE:].mean(), follower.reading(), delta=0.005)


class Ducking(unittest.TestCase):
    def test_the_envelope_takes_off_what_a_full_key_is_worth(self):
        # The worked example: wet 0.25, duck 0.1, full envelope: -4.4 dB.
        stage = k.Ducker(
            id="d", way="envelope", sensitivity_percent=40, follower_gain_db=20, attack_ms=1
        )
        out = ran(stage, np.full((2, RATE), 0.25), key=tone(300))
        self.assertAlmostEqual(20 * np.log10(out[0, -1] / 0.25), -4.44, delta=0.01)

    def test_below_nothing_it_is_held_or_turned_over(self):
        for below, wanted in ((False, 0.0), (True, -0.5)):
            stage = k.Ducker(
                id="d",
                way="envelope",
                sensitivity_percent=150,
                follower_gain_db=20,
                below_zero=below,
            )
            out = ran(stage, np.ones((2, RATE)), key=tone(300))
            self.assertAlmostEqual(out[0, -1], wanted, delta=1e-3)

    def test_a_shape_dips_once_in_every_note_value(self):
        for shape in ("ramp", "exponential", "half-sine"):
            stage = k.Ducker(id="d", way="shape", depth_db=12, dip_shape=shape)
            out = ran(stage, np.ones((2, 2 * RATE)), times_s={"d": 0.5})
            level = 20 * np.log10(out[0])
            self.assertAlmostEqual(level.min(), -12, delta=0.15)
            np.testing.assert_allclose(
                level[: RATE // 2], level[RATE : RATE + RATE // 2], atol=1e-6
            )
            # Half an edge of 1 ms before the beat it is still open.
            self.assertAlmostEqual(level[RATE // 2 - 30], 0, delta=0.05)


class Bands(unittest.TestCase):
    def test_three_bands_that_do_nothing_add_up_flat(self):
        click = np.zeros((2, RATE))
        click[:, 0] = 1
        stage = k.ThreeBand(id="t", ratio=1, up_ratio=1)
        level = 20 * np.log10(np.abs(np.fft.rfft(ran(stage, click)[0])))
        self.assertLess(np.abs(level[20:20_000]).max(), 0.01)

    def test_quiet_is_lifted_and_loud_is_held_down_in_the_band_it_is_in(self):
        stage = k.ThreeBand(
            id="t", threshold_db=-20, ratio=4, up_threshold_db=-40, up_ratio=2, up_most_db=30,
            attack_ms=1, release_ms=400,
        )  # fmt: skip
        for level, change in ((-50, 5.0), (-30, 0.0), (-8, -9.0)):
            for hz in (60, 800, 9000):
                sound = tone(hz, 2) * 10 ** (level / 20)
                out = ran(stage, sound)[0, -RATE // 2 :]
                found = 20 * np.log10(np.abs(out).max() / 10 ** (level / 20))
                with self.subTest(level=level, hz=hz):
                    self.assertAlmostEqual(found, change, delta=0.8)


class Sweeping(unittest.TestCase):
    def response(self, stage: k.Swept, hz: list[float]) -> np.ndarray:
        click = np.zeros((2, RATE))
        click[:, 0] = 1
        spectrum = np.abs(np.fft.rfft(ran(stage, click)[0]))
        return 20 * np.log10(np.maximum(spectrum[[round(f) for f in hz]], 1e-9))

    def test_at_rest_it_is_the_filter_that_is_drawn(self):
        at = [200.0, 1000.0, 5000.0]
        for mode, wanted in (
            ("low", [0.35, 6.02, -27.6]),
            ("high", [-27.6, 6.02, 0.35]),
            ("band", [-19.7, 0, -19.7]),
        ):
            found = self.response(k.Swept(id="s", mode=mode, frequency_hz=1000, q=2), at)
            np.testing.assert_allclose(found, wanted, atol=1.0)
        notch = self.response(k.Swept(id="s", mode="notch", frequency_hz=1000, q=2), [100, 1000])
        self.assertLess(notch[1], -60)
        comb = self.response(k.Swept(id="s", mode="comb", frequency_hz=500), [250, 500, 1000, 1500])
        np.testing.assert_allclose(comb[[0, 2]], [-3.01, 0], atol=0.05)
        self.assertLess(max(comb[1], comb[3]), -60)

    def test_it_is_moved_by_the_level_and_by_an_lfo(self):
        loud = k.Swept(
            id="s", mode="low", frequency_hz=300, moved_by="level", range_oct=4, attack_ms=1
        )
        quiet, full = (
            np.abs(ran(loud, level * tone(2000))[0, RATE // 2 :]).max() / level
            for level in (0.01, 1.0)
        )
        self.assertGreater(full / quiet, 5)
        swung = k.Swept(
            id="s",
            mode="low",
            frequency_hz=600,
            moved_by="lfo",
            rate_hz=1,
            range_oct=3,
            locked=True,
        )
        out = ran(swung, tone(2000, 1))[0]
        upper, lower = (
            np.abs(out[RATE // 4 - 500 : RATE // 4 + 500]).max(),
            np.abs(out[-RATE // 4 - 500 :][:1000]).max(),
        )
        self.assertGreater(upper / lower, 20)


class Oversampling(unittest.TestCase):
    def test_up_and_down_is_the_signal_a_whole_number_of_samples_later(self):
        over, sound = Oversampler(1), noise(0.5)[:1]
        sos = scipy.signal.butter(8, 18_000, fs=RATE, output="sos")
        sound = scipy.signal.sosfilt(sos, sound)
        parts = [
            over.around(sound[:, i : i + 999], lambda fast: None)
            for i in range(0, sound.shape[1], 999)
        ]
        back = np.concatenate(parts, axis=1)
        error = back[0, LATENCY:] - sound[0, :-LATENCY]
        self.assertLess(20 * np.log10(error.std() / sound.std()), -70)

    def test_a_true_peak_lies_between_the_samples(self):
        # A quarter of the rate, half way between samples: they read 3.01 dB too little.
        sound = np.sin(2 * np.pi * RATE / 4 * np.arange(4800) / RATE + np.pi / 4)[None, :]
        sound = sound * np.hanning(4800)
        self.assertAlmostEqual(np.abs(sound).max(), 0.707, delta=0.001)
        self.assertAlmostEqual(true_peak(sound, Oversampler(1)), 1.0, delta=0.01)


class Rings(unittest.TestCase):
    @settings(max_examples=15, deadline=None)
    @given(
        st.integers(40, 3000),
        st.booleans(),
        st.sampled_from([(None, None), (None, 3000), (120, 4000)]),
    )
    def test_the_quick_loop_is_the_plain_one(self, samples, swapped, corners):
        loop = SelfLoop(
            scaled(SWAP if swapped else UNIT, 0.7), samples / RATE, "d", cuts(*corners, 1)
        )
        quick, plain = Ring(loop, RATE), Ring(loop, RATE)
        self.assertTrue(quick.quick)
        plain.quick = False
        if loop.shape is not None:
            from core.render.filters import Filter

            plain.filter = Filter(loop.shape, RATE)
        sound = noise(0.2)
        for start in range(0, sound.shape[1], 33):
            part = sound[:, start : start + 33]
            np.testing.assert_allclose(quick(part), plain(part), atol=1e-10)


class Decays(unittest.TestCase):
    ASKED = (
        dict.fromkeys(OCTAVES_HZ, 0.8), dict.fromkeys(OCTAVES_HZ, 3.0),
        dict(zip(OCTAVES_HZ, (2.4, 2.2, 2.0, 1.8, 1.4, 1.0), strict=True)),
        dict(zip(OCTAVES_HZ, (0.8, 0.9, 1.0, 1.2, 1.4, 1.8), strict=True)),
    )  # fmt: skip

    def rt60(self, sound: np.ndarray, hz: float) -> float:
        sos = scipy.signal.butter(4, [hz / 2**0.5, hz * 2**0.5], "bandpass", fs=RATE, output="sos")
        left = np.cumsum(scipy.signal.sosfilt(sos, sound)[::-1] ** 2)[::-1]
        level = 10 * np.log10(np.maximum(left / left[0], 1e-12))
        return 2 * (np.argmax(level < -35) - np.argmax(level < -5)) / RATE

    def test_every_octave_dies_in_its_time_within_5_percent_over_eight_seeds(self):
        for asked in self.ASKED:
            values = list(asked.values())
            bands = (
                {} if len(set(values)) == 1 else {f"rt60_{int(hz)}_s": t for hz, t in asked.items()}
            )
            stage = k.Reverb(id="r", locked=True, rt60_s=asked[1000.0], **bands)
            found = []
            for seed in range(8):
                work = ReverbWork(stage, Setting(RATE, 2, seed=seed))
                click = np.zeros((2, round(1.2 * max(values) * RATE)))
                click[:, 0] = 1
                out = np.concatenate(
                    [work(click[:, i : i + 8192]) for i in range(0, click.shape[1], 8192)], axis=1
                )
                found.append([np.mean([self.rt60(side, hz) for side in out]) for hz in OCTAVES_HZ])
            np.testing.assert_allclose(np.mean(found, axis=0), values, rtol=0.05)

    def test_one_pole_shortens_the_top_and_leaves_the_bottom(self):
        stage = k.Reverb(id="r", locked=True, rt60_s=2, high_decay_percent=20)
        click = np.zeros((2, 2 * RATE))
        click[:, 0] = 1
        out = ran(stage, click)[0]
        self.assertAlmostEqual(self.rt60(out, 125), 2, delta=0.15)
        self.assertLess(self.rt60(out, 8000), 1.2)

    def test_size_density_and_early_part_are_heard(self):
        click = np.zeros((2, RATE))
        click[:, 0] = 1
        plain = ran(k.Reverb(id="r", locked=True), click)
        for field, value in (
            ("size_percent", 60),
            ("density_percent", 10),
            ("early_db", -30),
            ("seed", 3),
        ):
            more = {} if field == "seed" else {field: value}
            other = ran(
                k.Reverb(id="r", locked=True, **more), click, seed=3 if field == "seed" else 0
            )
            self.assertGreater(np.abs(other - plain).max(), 1e-3, field)

    def test_sides_swing_apart_as_far_as_asked(self):
        sound = noise(1)
        a, b = (ran(k.Reverb(id="r", mod_depth_ms=1, mod_sides_deg=d), sound) for d in (0, 90))
        first = [side[0, :1300] / side[0, :1300].std() for side in (a, b)]
        np.testing.assert_allclose(first[0], first[1], atol=1e-4)
        self.assertGreater(np.abs(a - b).max(), 1e-3)


class Convolving(unittest.TestCase):
    def test_it_is_the_convolution_with_unit_energy(self):
        response = np.random.default_rng(3).standard_normal((2, 9000)) * np.exp(
            -np.arange(9000) / 2000
        )
        stage, sound = k.Convolution(id="i", impulse="hall"), noise(0.5)
        out = ran(stage, sound, block=777, impulses={"hall": response})
        # Unit energy for pink noise: |H|^2 at pitches spread evenly over the octaves, by their sums.
        hz = np.geomspace(40, 16_000, 1500)
        turn = np.exp(-2j * np.pi * hz[:, None] * np.arange(9000) / RATE)
        scale = np.sqrt(np.mean([np.abs(turn @ side) ** 2 for side in response]))
        made = []
        for side in range(2):
            plain = scipy.signal.fftconvolve(sound[side], response[side])[: sound.shape[1]]
            made.append(float((out[side] * plain).sum() / (plain * plain).sum()))
            np.testing.assert_allclose(out[side], made[-1] * plain, atol=1e-10)
        self.assertAlmostEqual(made[0], made[1], places=12)
        self.assertAlmostEqual(20 * np.log10(made[0] * scale), 0, delta=0.3)

    def test_a_response_that_is_missing_or_too_long_says_so(self):
        for impulses, words in (
            ({}, "this song has none"),
            ({"hall": np.zeros((1, 21 * RATE))}, "20 s at most"),
        ):
            with self.assertRaisesRegex(FonodromeError, words):
                processor_for(
                    k.Convolution(id="i", impulse="hall"), Setting(RATE, impulses=impulses)
                )


class ReverbParts(unittest.TestCase):
    """Early part and tail apart: what is set for one leaves the other as it was."""

    def tail(self, seconds=1.0, **fields):
        sound = np.zeros((2, round(seconds * RATE)))
        sound[0, 0] = 1
        return ran(k.Reverb(id="r", locked=True, rt60_s=1.0, **fields), sound)

    def test_parts_add_up_to_the_whole(self):
        whole = self.tail(early_pan_percent=1e-6)
        np.testing.assert_allclose(whole, self.tail(), atol=1e-7)
        # Panned to either side, only the early part leaves the other one.
        left = self.tail(early_pan_percent=-100)
        apart = whole - left
        np.testing.assert_allclose(apart[0], 0, atol=1e-6)
        early = (self.tail(early_cross_percent=100) - whole)[1] ** 2
        self.assertGreater(early[: round(0.06 * RATE)].sum(), 0.98 * early.sum())

    def test_a_low_cut_of_the_tail_leaves_the_early_part(self):
        plain, cut = self.tail(), self.tail(tail_low_cut_hz=800)
        np.testing.assert_allclose(cut[:, :400], plain[:, :400], atol=1e-6)
        late = slice(round(0.2 * RATE), None)
        hz = np.fft.rfftfreq(plain[0, late].size, 1 / RATE)
        taken = [
            10 * np.log10(np.sum(np.abs(np.fft.rfft(x[0, late])[(hz > f / 1.2) & (hz < f * 1.2)]) ** 2))
            for f in (200, 800, 4000) for x in (cut, plain)
        ]  # fmt: skip
        self.assertAlmostEqual(taken[0] - taken[1], -24, delta=1.5)
        self.assertAlmostEqual(taken[2] - taken[3], -3, delta=1)
        self.assertAlmostEqual(taken[4] - taken[5], 0, delta=0.1)

    def test_without_its_side_the_tail_is_mono_and_size_moves_the_early_part_alone(self):
        mono = self.tail(tail_side_db=-60, early_db=-60)
        late = mono[:, round(0.2 * RATE) :]
        np.testing.assert_allclose(late[0], late[1], atol=2e-3 * np.abs(late).max())
        small, large = self.tail(early_size_percent=100), self.tail(early_size_percent=200)
        ends = [np.flatnonzero(np.abs(x[0, : round(0.028 * RATE)]) > 1e-5) for x in (small, large)]
        self.assertGreater(len(ends[0]), 3)
        self.assertFalse(np.array_equal(small[:, :1400], large[:, :1400]))


class StandIns(unittest.TestCase):
    def test_each_does_what_it_does_and_not_what_its_label_says(self):
        click = np.zeros((2, RATE))
        click[:, 0] = 0.01
        cable = ran(k.StandIn(id="x", device="cable"), click)
        np.testing.assert_array_equal(cable, -click)
        late = ran(k.StandIn(id="x", device="delay"), click, times_s={"x": 0.2})
        found = np.flatnonzero(np.abs(late[0]) > 1e-9) / RATE
        np.testing.assert_allclose(found[:2], [0.2 * DELAY_OFF, 0.4 * DELAY_OFF], atol=1e-4)
        loop = ran(k.StandIn(id="x", device="loop"), click)
        self.assertEqual(np.argmax(np.abs(loop[0])), round(LOOP_S * RATE))
        self.assertAlmostEqual(20 * np.log10(np.abs(loop).max() / 0.01), 0.15, delta=0.01)
        # At the level where its meter starts to show, 2 dB are gone already.
        steady = np.full((2, RATE), 10 ** (-18 / 20))
        taken = 20 * np.log10(ran(k.StandIn(id="x", device="loop"), steady)[0, -1] / steady[0, -1])
        self.assertAlmostEqual(taken, 0.15 - 2.0, delta=0.05)
        long = np.zeros((2, 4 * RATE))
        long[:, 0] = 0.01
        clocked = ran(k.StandIn(id="x", device="clock"), long, times_s={"x": 0.3})[0]
        found = [
            0.3 * n + (np.argmax(np.abs(clocked[at - 500 : at + 500])) - 500) / RATE
            for n, at in ((n, round(0.3 * n * RATE)) for n in range(1, 9))
        ]
        gaps = np.diff([0, *found])
        self.assertLess(np.abs(gaps - 0.3).max(), CLOCK_JITTER_S + 1e-4)
        self.assertGreater(np.ptp(gaps), 0.0003)
        program = Curve((-1.0, 9600.0, 9800.0), (1.0, 1.0, 2.0))
        steady = np.ones((2, RATE))
        switched = ran(k.StandIn(id="x", device="switcher"), steady, moves={"program": program})
        silent = np.flatnonzero(switched[0] < 0.5) / RATE
        begins = 9800 / RATE + SWITCH_LATE_S
        self.assertAlmostEqual(silent[0], begins, delta=3e-4)
        self.assertAlmostEqual(silent[-1], begins + SWITCH_GAP_S, delta=3e-4)
        np.testing.assert_array_equal(ran(k.StandIn(id="x", device="switcher"), steady), steady)
        tails = [ran(k.StandIn(id=name, device="reverb"), click) for name in "ab"]
        self.assertGreater(np.abs(tails[0] - tails[1]).max(), 1e-5)


class Tails(unittest.TestCase):
    """RT60 by octave, against what was asked (`decays` says how it is measured)."""

    def test_every_octave_modulated_or_not(self):
        for rt60_s, seeds in ((0.15, 8), (0.3, 8), (1.0, 8), (4.0, 4), (10.0, 2)):
            for locked in (True, False):
                stage = k.Reverb(id="r", rt60_s=rt60_s, locked=locked)
                found = mean_decays(stage, range(1, seeds + 1)) / rt60_s - 1
                with self.subTest(rt60_s=rt60_s, locked=locked):
                    self.assertLess(np.abs(found).max(), 0.05 if rt60_s >= 0.3 else 0.1)
