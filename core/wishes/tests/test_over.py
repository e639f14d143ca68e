"""Wishes over a clip, of motion and of other variants, against arithmetic by hand on steady phrases."""

import math
import unittest

import numpy as np

from core.devices import DeviceProfile, Panel
from core.devices.panel import Control
from core.routing import Context, parse_rig
from core.sheet import Owned
from core.units import TempoFrame
from core.wishes import ClipPart, Looked, figure_of, measured, steady_phrases

C = Context(TempoFrame(tempo_bpm=120, beat_unit="1/4", metre_count=4, metre_unit=4))
DRY = 'g: source "Guitar" (level -18 dB, crest 12 dB)'
ECHO = f"{DRY} > s: split > m: merge > o: output\ns > e: delay (time 200 ms) > m [level -6 dB]"
DUCKED = f"{DRY} > s: split > m: merge > o: output\ns > e: delay (time 200 ms) > d: ducker (depth 9 dB, attack 10 ms, release 250 ms) > m [level -6 dB]\nkey s > d"  # fmt: skip


def db(power: float) -> float:
    return 10 * math.log10(power)


def looked(wish: str, text: str, clip: ClipPart | None, **more) -> Looked:
    return Looked(parse_rig(f"{text}\nwish {wish}"), C, clip, **more)


def figure(wish: str, text: str, gaps=(0.5, 0.5), level=-18.0, **more) -> float:
    clip = None if gaps is None else steady_phrases(gaps, level)
    over = looked(wish, text, clip, **more)
    return figure_of(over.rig.wishes[0], over)


def said(wish: str, text: str, clip: ClipPart | None, **more) -> str:
    over = looked(wish, text, clip, **more)
    one = measured(over.rig.wishes[0], over)
    assert one.figure is None, one
    return one.sentence


class Phrases(unittest.TestCase):
    def close(self, wish: str, text: str, value: float, within: float = 0.05, **more) -> None:
        self.assertAlmostEqual(figure(wish, text, **more), value, delta=within, msg=wish)

    def test_an_echo_in_phrases_and_in_gaps(self):
        # 200 ms of every second phrase-long echo fall into the gap behind it: 0.8 of it stay in phrases,
        # and sound for 0.2 of the 0.5 s of a gap.
        self.close("level of e against dry in phrases about 0 dB", ECHO, -6 + db(0.8))
        self.close("level of e against dry in gaps about 0 dB", ECHO, -6 + db(0.4))
        # Whatever level the clip has.
        self.close("level of e against dry in gaps about 0 dB", ECHO, -6 + db(0.4), level=-31.0)

    def test_two_echoes_against_each_other(self):
        # 0.9 of the one at 100 ms and 0.8 of the one at 200 ms stay in phrases; 0.4 of a gap is the latter's.
        two = f"{ECHO}\ns > f: delay (time 100 ms) > m [level -9 dB]"
        for where, share in (("phrases", 0.8), ("gaps", 0.4)):
            self.close(f"level of e against f in {where} about 0 dB", two, 3 + db(share / 0.9))

    def test_a_tail_dies_away_in_the_gap(self):
        hall = f"{DRY} > s: split > m: merge > o: output (stereo)\ns > h: reverb (rt60 2 s, pre-delay 0 ms) > m [level -3 dB]"
        # Energy falls by 60 dB in 2 s: e to the -6.908 t. Settled after a second of sound.
        k = 6 * math.log(10) / 2
        gap = (1 - math.exp(-k)) ** 2 / k
        self.close("level of h against dry in gaps about 0 dB", hall, -3 + db(gap), 0.25, gaps=(1, 1))  # fmt: skip
        # While it sounds it fills up, on what the phrase before left: the mean of 1 - e to the -k t.
        filled = 1 - (1 - math.exp(-k)) / k
        self.close("level of h against dry in phrases about 0 dB", hall, -3 + db(filled), 0.25, gaps=(1, 1))  # fmt: skip

    def test_ducking_and_how_soon_it_is_back(self):
        # 9 dB down but for the attack of 10 ms at the start of each second.
        fall = np.mean(10 ** (-0.9 * (1 - np.exp(-np.arange(0, 1, 1e-4) / 0.01))))
        self.close("ducking of d over 6 dB", DUCKED, -db(float(fall)), 0.1)
        # 10 ms of smoothing until the key has fallen by 22 dB to its threshold; then 9 dB back to 3.
        back = 10 * math.log(10**2.2) + 250 * math.log(9 / 3)
        self.close("recovery of d under 300 ms", DUCKED, back, 12)
        # A gap of 300 ms is over before: it counts whole.
        self.close("recovery of d under 300 ms", DUCKED, 300, 11, gaps=(0.3, 0.3, 0.3))
        # The echo behind it: as it was, 9 dB down where it meets a phrase.
        plain = figure("level of e against dry in phrases about 0 dB", ECHO)
        self.close("level of e against dry in phrases about 0 dB", DUCKED, plain - 9, 0.4)

    def test_how_hard_a_compressor_works(self):
        squeezed = f"{DRY} > c: compressor (threshold -38 dB, ratio 4, knee 0 dB, detector rms) > o: output"
        self.close("gain reduction of c under 3 dB", squeezed, 20 * 0.75, 0.3)
        self.close("gain reduction of c under 3 dB", squeezed, 8 * 0.75, 0.3, level=-30.0)
        self.close("gain reduction of c under 3 dB", squeezed, 0, 0.05, level=-60.0)

    def test_as_loud_as_the_clip(self):
        # In the middle of two sides a mono sound is as loud as it was.
        middle = f"{DRY} > o: output (stereo)"
        self.close("louder than the clip about 0 dB", middle, 0)
        self.close("louder than bare about 0 dB", middle, 0)
        stereo = middle.replace("crest 12 dB)", "crest 12 dB, stereo)")
        self.close("louder than bare about 0 dB", stereo, 0)
        self.close("louder than the clip about 0 dB", f"{DRY} > l: level (level -4 dB) > o: output", -4)  # fmt: skip
        squeezed = f"{DRY} > c: compressor (threshold -20 dB, ratio 2, knee 0 dB, detector rms) > o: output"
        self.close("louder than the clip about 0 dB", squeezed, 0, level=-34.0)
        self.close("louder than the clip about 0 dB", squeezed, -5, 0.3, level=-10.0)
        # Two phrases, one loud and one quiet: their powers are added.
        two = steady_phrases((0.5,), -10.0)
        two = ClipPart(np.where(np.arange(len(two.db)) < 120, two.db, two.db - 24), two.phrases)
        over = looked("louder than the clip about 0 dB", squeezed, two)
        out = db((10**-1.5 + 10**-3.4) / (10**-1.0 + 10**-3.4))
        self.assertAlmostEqual(figure_of(over.rig.wishes[0], over), out, delta=0.3)

    def test_without_a_clip_a_gap_or_what_they_are_of_there_is_a_sentence(self):
        silent = ClipPart(np.full(300, -120.0), ())
        for wish, text, clip, words in (
            ("ducking of d over 6 dB", DUCKED, None, "bring one in"),
            ("ducking of d over 6 dB", DUCKED, silent, "silent"),
            ("recovery of d under 6 ms", DUCKED, steady_phrases(()), "no gaps"),
            ("level of e against dry in gaps under 6 dB", ECHO, steady_phrases(()), "no gaps"),
            ("ducking of e over 6 dB", ECHO, steady_phrases((1,)), "neither a ducker nor"),
            ("ducking of d over 6 dB", DUCKED.replace("\nkey s > d", ""), steady_phrases((1,)), "no key"),
            ("gain reduction of gone over 6 dB", ECHO, steady_phrases((1,)), "no “gone”"),
            ("null against B under -20 dB", ECHO, None, "no other variant B"),
            ("setting error of e under 2 ms", ECHO, None, "No device is known for Delay"),
        ):  # fmt: skip
            with self.subTest(wish):
                self.assertIn(words, said(wish, text, clip))


class Levels(unittest.TestCase):
    def test_the_local_ratio_and_the_peaks(self):
        squeezed = f"{DRY} > c: compressor (threshold -50 dB, ratio 4, knee 0 dB) > o: output"
        self.assertAlmostEqual(figure("local ratio under 2 :1", squeezed, None), 4, delta=0.2)
        self.assertEqual(figure("local ratio under 2 :1", ECHO, None), 1)
        # 12 dB louder is 12 dB above nominal: 9 more are taken away than there.
        both = [
            figure(f"{w} about 0 dB", squeezed, None) for w in ("louder than bare", "peak change")
        ]
        self.assertAlmostEqual(both[1] - both[0], -9, delta=0.2)
        # As a copy beside the dry sound, far below it at the crest: the peaks hardly move.
        beside = f"{DRY} > s: split > m: merge > o: output\ns > c: compressor (threshold -50 dB, ratio 20, knee 0 dB) > m [level -6 dB]"
        self.assertLess(abs(figure("peak change about 0 dB", beside, None)), 0.7)


class Others(unittest.TestCase):
    def null(self, a: str, b: str) -> float:
        others = {"B": parse_rig(b)}
        return figure("null against B under -30 dB", a, None, others=others)

    def test_what_is_left_between_two_variants(self):
        wire = f"{DRY} > l: level (level 0 dB) > o: output"
        self.assertEqual(self.null(wire, wire), -120)
        self.assertAlmostEqual(
            self.null(wire, wire.replace("0 dB", "-6 dB")), 20 * math.log10(1 - 10 ** (-6 / 20)),
            delta=0.01,
        )  # fmt: skip
        flipped = wire.replace("(level 0 dB)", "(level 0 dB, inverted)")
        self.assertAlmostEqual(self.null(wire, flipped), 20 * math.log10(2), delta=0.01)
        # An echo far apart is a power of its own: 6 dB down, beside the dry sound of both.
        self.assertAlmostEqual(self.null(wire, ECHO), -6, delta=0.1)
        # Twice as loud an echo: the difference is one echo at -6 dB of (1 + that) in all.
        louder = ECHO.replace("level -6 dB", "level 0.02 dB")
        e = 10**-0.6
        self.assertAlmostEqual(self.null(ECHO, louder), db(e / (1 + e)), delta=0.25)

    def test_tails_of_one_setting_meet_and_others_do_not(self):
        hall = f"{DRY} > s: split > m: merge > o: output (stereo)\ns > h: reverb (rt60 2 s) > m [level -6 dB]"
        e = 10**-0.6
        self.assertEqual(self.null(hall, hall), -120)
        quieter = hall.replace("level -6 dB", "level -12 dB")
        difference = (10**-0.3 - 10**-0.6) ** 2 / (1 + e)
        self.assertAlmostEqual(self.null(hall, quieter), db(difference), delta=0.05)
        other = hall.replace("2 s", "2.1 s")
        self.assertAlmostEqual(self.null(hall, other), db(2 * e / (1 + e)), delta=0.05)

    def test_what_a_device_makes_of_a_time(self):
        echo = 'g: source > e: delay "Grey Box" (time 1/8.) > o: output'
        # A dotted eighth at 120 is 375 ms: on a grid of 20 ms from 0 that is 380.
        box = DeviceProfile(name="Grey Box", min_ms=0, max_ms=1000, step_ms=20)
        owned = Owned(delays={"grey box": box})
        self.assertAlmostEqual(figure("setting error of e under 2 ms", echo, None, owned=owned), 5)
        hall = 'g: source > h: reverb "Long hall" (pre-delay 33 ms) > o: output'
        knob = Control(field="pre_delay", shows="value", low=0, high=100, step=10)
        owned = Owned(panels={"long hall": Panel(name="Long hall", controls=(knob,))})
        self.assertAlmostEqual(figure("setting error of h under 2 ms", hall, None, owned=owned), 3)


if __name__ == "__main__":
    unittest.main()
