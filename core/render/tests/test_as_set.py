"""Settings are heard as they are set: at rest, moved, in frames, at the end of a sound.

What is expected is worked out here, from the samples that went in.
"""

import itertools
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.audio import examine
from core.render import render_clip
from core.render.moves import MoveError, MovePoint, WrittenMove, resolve_moves
from core.routing import Context, clip_facts, parse_rig
from core.routing.plan.cells import MIDDLE_HZ
from core.tempo import TempoMap, TempoSection
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))
RNG = np.random.default_rng(3)
NOISE = 0.1 * RNG.standard_normal((2, RATE))


def heard(text: str, sound: np.ndarray, moves: list[WrittenMove] | None = None, **more):
    plan, curves = resolve_moves(
        parse_rig(text), SONG, moves or [], TempoMap([TempoSection(tempo_bpm=120)]), RATE
    )
    return render_clip(plan, RATE, {"g": sound}, moves=curves, **more)["o"]


def off(at_bar: int = 1) -> list[WrittenMove]:
    point = MovePoint(bar=at_bar, beat=1, value=True)
    return [WrittenMove(part="x", field="bypassed", points=(point,))]


class Bypass(unittest.TestCase):
    """Switched off by a move, a stage is what it is switched off at rest."""

    def test_moved_and_at_rest_are_one_sound(self):
        kinds = ("reverb", "chorus (spread)", "delay (mode ping-pong)", "compressor", "level")
        for kind, stereo, channels, down in itertools.product(
            kinds, (False, True), ("as-is", "mono", "stereo"), ("sum", "left")
        ):
            name, _, rest = kind.partition(" (")
            settings = [rest.rstrip(")")] if rest else []
            settings += [f"channels {channels}"] * (channels != "as-is")
            settings += ["down to mono left"] * (down == "left")
            source = "g: source (level -20 dB, stereo)" if stereo else "g: source (level -20 dB)"
            line = source + " > x: " + name + " ({}) > o: output (stereo)"
            sound = NOISE if stereo else NOISE[:1]
            resting = heard(line.format(", ".join([*settings, "bypassed"])), sound, tail_s=0)
            moved = heard(
                line.format(", ".join(settings)).replace(" ()", ""), sound, off(), tail_s=0
            )
            with self.subTest(line.format(", ".join(settings))):
                np.testing.assert_allclose(moved[:, 1000:], resting[:, 1000:], atol=1e-9)


class InFrames(unittest.TestCase):
    def test_a_slot_switched_off_or_turned_over_is_heard_as_such(self):
        for settings, gain in (("bypassed", 1.0), ("inverted", -0.5), ("", 0.5)):
            text = (
                "g: source > f: frame > o: output\n"
                f"siding f 1 > x: level (level -6.0206 dB{', ' if settings else ''}{settings})"
            )
            out = heard(text, NOISE[:1], tail_s=0)
            np.testing.assert_allclose(out[0], gain * NOISE[0], atol=1e-6, err_msg=settings)


class Cascade(unittest.TestCase):
    def test_right_comes_after_left_whatever_the_offset(self):
        click = np.zeros((1, RATE // 2))
        click[0, 0] = 1.0
        for offset, right in ((-150, 0.2 + 0.05), (0, 0.4), (40, 0.2 + 0.24)):
            out = heard(
                f"g: source > d: delay (time 200 ms, mode cascade, offset {offset} ms, mix 100 %) > "
                "o: output (stereo)", click,
            )  # fmt: skip
            firsts = [np.flatnonzero(np.abs(side) > 1e-3)[0] / RATE for side in out]
            self.assertAlmostEqual(firsts[0], 0.2, places=4)
            self.assertAlmostEqual(firsts[1], right, places=4)


class Ends(unittest.TestCase):
    """Nothing that is still on its way is cut off."""

    def test_a_late_echo_and_a_late_tail_are_waited_for(self):
        click = np.zeros((1, 4800))
        click[0, 0] = 0.5
        for stage, at in (
            ("delay (time 2 s, mix 100 %)", 2.0),
            ("reverb (pre-delay 1.5 s, RT60 0.3 s, mix 100 %)", 1.5),
            ("delay (time 1.9 s, feedback 50 %, mix 100 %)", 5.7),
            ("air (distance 200 m)", 200 / 343.2),
        ):
            out = heard(f"g: source > x: {stage} > o: output", click)
            loud = np.flatnonzero(np.abs(out[0]) > 1e-4)
            with self.subTest(stage):
                self.assertTrue(any(abs(i / RATE - at) < 0.1 for i in loud))


class NotHeard(unittest.TestCase):
    """A move that would do nothing is refused in a sentence that names the setting."""

    def refused(self, text: str, part: str, field: str, value, song: Context = SONG) -> str:
        move = WrittenMove(
            part=part, field=field, points=(MovePoint(bar=1, beat=2, value=value),)
        )  # fmt: skip
        tempo = TempoMap([TempoSection(tempo_bpm=120)])
        with self.assertRaises(MoveError) as said:
            resolve_moves(parse_rig(text), song, [move], tempo, RATE)
        return said.exception.sentence

    def test_hold_and_an_offset_of_one_side(self):
        text = "g: source > d: delay (feedback 50 %, loop high cut 4000 Hz) > o: output"
        self.assertIn("hold would not be heard", self.refused(text, "d", "hold", True))
        self.assertIn("offset would not be heard", self.refused(text, "d", "offset_ms", 30))

    def test_what_a_device_cannot_be_set_to(self):
        song = Context(TempoFrame(tempo_bpm=120), {"@slap": "118 ms"}, {"@slap": (0, 110)})
        text = "g: source > d: delay (time @slap, feedback 50 %) > o: output"
        said = self.refused(text, "d", "feedback_percent", 130, song)
        self.assertIn("0 to 110 %", said)
        self.assertIn("130 %", said)


class Combs(unittest.TestCase):
    """The response of a rendered impulse against the closed form, and its Q as it is defined."""

    def test_notches_peaks_and_the_width_of_a_peak(self):
        click = np.zeros((1, RATE))
        click[0, 0] = 1.0
        hz = np.fft.rfftfreq(RATE, 1 / RATE)
        for q in (1.2, 4.0, 16.0):
            text = f"g: source > x: swept (mode comb, frequency 500 Hz, Q {q}) > o: output"
            power = np.abs(np.fft.rfft(heard(text, click, tail_s=0)[0])) ** 2
            for notch in (500, 1500, 2500):
                self.assertLess(power[notch], 1e-3, q)
            self.assertAlmostEqual(float(power[1000]), 1.0, delta=0.01)
            half = hz[(hz > 500) & (hz < 1500) & (power >= 0.5)]
            width = half.max() - half.min() + 1
            self.assertAlmostEqual(1000 / width, max(2.0, q), delta=0.05 * max(2.0, q))


class Follower(unittest.TestCase):
    def test_the_level_that_moves_it_all_the_way_is_a_setting(self):
        """A low-pass at 300 Hz, moved up three octaves: a quiet tone at 1 kHz passes when it may."""
        n = np.arange(RATE) / RATE
        tone = 0.05 * np.sin(2 * np.pi * 1000 * n)[None]
        text = (
            "g: source > x: swept (mode low, frequency 300 Hz, moved by level, range 3, full at {} dB) > "
            "o: output"
        )
        loud = {}
        for full in (-6, -26):
            out = heard(text.format(full), tone, tail_s=0)[0, RATE // 2 :]
            loud[full] = float(np.sqrt(np.mean(out**2)) / (0.05 * np.sqrt(0.5)))
        self.assertLess(loud[-6], 0.25)
        self.assertGreater(loud[-26], 0.8)


class WhatPlaysIntoARig(unittest.TestCase):
    """A rig hears left and right: what is told of a clip for it is told of those."""

    def test_levels_and_spectrum_of_the_two_that_are_heard(self):
        rng = np.random.default_rng(7)
        n = np.arange(48_000) / 48_000
        sound = np.zeros((6, 48_000))
        sound[0] = 0.2 * np.sin(2 * np.pi * 200 * n)
        sound[1] = 0.1 * np.sin(2 * np.pi * 200 * n)
        sound[2:] = 0.5 * rng.standard_normal((4, 48_000))
        with tempfile.TemporaryDirectory() as held:
            for channels in (1, 2, 6):
                path = Path(held) / f"{channels}.wav"
                soundfile.write(path, sound[:channels].T, 48_000, subtype="FLOAT")
                report = examine(path)
                facts = {
                    stereo: clip_facts("x", report.model_dump(), stereo=stereo)
                    for stereo in (False, True)
                }
                left = 20 * np.log10(0.2 / np.sqrt(2))
                middle = left if channels == 1 else 20 * np.log10(0.15 / np.sqrt(2))
                self.assertAlmostEqual(facts[True].rms_dbfs, left, delta=0.01)
                self.assertAlmostEqual(facts[False].rms_dbfs, middle, delta=0.01)
                # A tone at 200 Hz, whatever the other channels hold.
                weights = facts[False].spectrum.weights
                near = (MIDDLE_HZ > 140) & (MIDDLE_HZ < 290)
                self.assertGreater(float(weights[near].sum()), 0.9)
                if channels > 1:
                    self.assertAlmostEqual(report.alike, 1.0, places=3)
