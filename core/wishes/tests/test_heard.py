"""What is heard of wishes: renders against arithmetic by hand, the plan against renders on the demo's rigs,
and what a proposal is called when sound says otherwise.
"""

import math
import unittest
from unittest import mock

import numpy as np

from core.errors import Cancelled, FonodromeError
from core.render.tests.noise import pink
from core.routing import Context, parse_rig
from core.routing.document import kinds as k
from core.routing.document.demo import DEMO_RIGS
from core.routing.document.wishes import WISHES, Wish
from core.units import TempoFrame
from core.wishes import FreeAsked, Looked, chosen, figure_of, propose, steady_phrases
from core.wishes.check import checked
from core.wishes.heard import RATE_HZ, TOLERANCES, ClipSound, Hearing, heard_figure, heard_or_why

C = Context(TempoFrame(tempo_bpm=120, beat_unit="1/4", metre_count=4, metre_unit=4))
DRY = 'g: source "Guitar" (level -18 dB, crest 12 dB)'
WAYS = f"{DRY} > s: split > m: merge > o: output (stereo)\n"
GAPS = (0.5, 0.3, 1.0)
LEVEL = -20.0


def db(power: float) -> float:
    return 10 * math.log10(power)


def clip(gaps=GAPS, level=LEVEL) -> ClipSound:
    """Noise of one level in phrases of a second, silence between them: made apart from the code."""
    parts = []
    for i, gap in enumerate((*gaps, 1.0)):
        parts += [10 ** (level / 20) * pink(1.0, i + 5), np.zeros(round(gap * RATE_HZ))]
    return ClipSound(np.concatenate(parts)[None, :])


def hearing(text: str, wish: str, *, gaps=GAPS, **more) -> Hearing:
    rig = parse_rig(f"{text}\nwish {wish}")
    return Hearing(Looked(rig, C, steady_phrases(gaps, LEVEL), **more), clip=clip(gaps))


def heard(text: str, wish: str, **more) -> float | None:
    h = hearing(text, wish, **more)
    return heard_figure(h.looked.rig.wishes[0], h)


class ByHand(unittest.TestCase):
    def close(self, text: str, wish: str, value: float, within: float, **more) -> None:
        found = heard(text, wish, **more)
        self.assertIsNotNone(found)
        self.assertAlmostEqual(found, value, delta=within, msg=wish)

    def test_levels(self):
        down = f"{DRY} > l: level (level -4 dB) > o: output"
        self.close(down, "level of l under 0 dBFS", -22, 0.1)
        self.close(down, "level of o under 0 dBFS", -22, 0.1)
        self.close(down, "louder than bare under 0 dB", -4, 0.1)
        self.close(down, "peak change under 0 dB", -4, 0.1)
        # No sample is above the crest that the source states.
        self.assertLessEqual(heard(down, "peak of o under 0 dBFS"), -22 + 12 + 0.01)

    def test_ways_against_each_other(self):
        echo = f"{WAYS}s > e: delay (time 400 ms) > m [level -6 dB]\ns > f: delay (time 710 ms) > m [level -9 dB]"
        self.close(echo, "level of e against dry under 0 dB", -6, 0.1)
        self.close(echo, "level of e against f under 0 dB", 3, 0.1)
        # 400 ms of each second-long echo lie in the 500 ms behind it.
        one = f"{WAYS}s > e: delay (time 200 ms) > m [level -6 dB]"
        self.close(one, "level of e against dry in gaps under 0 dB", -6 + db(0.4), 0.4, gaps=(0.5, 0.5))  # fmt: skip
        self.close(one, "level of e against dry in phrases under 0 dB", -6 + db(0.8), 0.4, gaps=(0.5, 0.5))  # fmt: skip

    def test_two_echoes_against_each_other_in_phrases_and_in_gaps(self):
        # Of phrases of a second 0.9 of the echo at 100 ms and 0.8 of that at 200 ms stay in them; the rest of the latter
        # sounds for 0.4 of a gap of half a second. Against what the other brings while the clip plays.
        two = f"{WAYS}s > e: delay (time 200 ms) > m [level -6 dB]\ns > f: delay (time 100 ms) > m [level -9 dB]"
        for where, share in (("phrases", 0.8), ("gaps", 0.4)):
            wish = f"level of e against f in {where} under 0 dB"
            self.close(two, wish, 3 + db(share / 0.9), 0.4, gaps=(0.5, 0.5))

    def test_times_and_sides(self):
        amps = f"{WAYS}s > a: generic (latency 2.5 ms) > m\ns > b: generic (latency 7 ms) > m"
        self.close(amps, "spread of a, b under 1 ms", 4.5, 0.03)
        sides = f"{DRY} > s: split > m: merge > o: output (stereo)\ns > flip: level (inverted) > m [pan 100 %]"
        sides = sides.replace("> m: merge", "> m: merge [pan -100 %]")
        self.assertGreater(heard(sides, "mono loss under 1 dB"), 40)
        long = f"{WAYS}s > e: delay (time 100 ms, feedback 90 %) > m [level -6 dB]"
        lap = 20 * math.log10(0.9)
        self.close(long, 'repeats by "2 s" under -40 dB', -6 + 19 * lap, 0.1)

    def test_tails_dynamics_and_the_difference_of_two_variants(self):
        hall = f"{WAYS}s > h: reverb (RT60 2 s, pre-delay 20 ms) > m [level -3 dB]"
        self.close(hall, "tail at entries under 0 dB", -3 - 60 * 0.28 / 2, TOLERANCES["tail"])
        squeezed = f"{DRY} > c: compressor (threshold -50 dB, ratio 4, knee 0 dB) > o: output"
        self.close(squeezed, "local ratio under 2 :1", 4, 0.15)
        self.close(squeezed, "quiet lift under 2 dB", 15, 0.5)
        wire = f"{DRY} > l: level (level 0 dB) > o: output"
        others = {"B": parse_rig(wire.replace("0 dB", "-6 dB"))}
        self.close(wire, "null against B under -30 dB", 20 * math.log10(1 - 10**-0.3), 0.05, others=others)  # fmt: skip
        ducked = f"{WAYS}s > e: delay (time 50 ms, feedback 80 %) > d: ducker (depth 9 dB, attack 10 ms, release 250 ms) > m\nkey s > d"
        # The key is 40 dB below full scale 50 ms after a phrase: 9 dB come back to 3 in 275 ms.
        self.close(ducked, "recovery of d under 3 ms", 10 * math.log(100) + 250 * math.log(3), 40, gaps=(1, 1))  # fmt: skip
        echo = f"{WAYS}s > e: delay (time 200 ms) > m [level -6 dB]"
        self.close(echo, "louder than the clip under 3 dB", db(1 + 0.8 * 10**-0.6), 0.5, gaps=(1, 1))  # fmt: skip

    def test_what_no_sound_can_show_says_so(self):
        h = hearing(WAYS, "comb under 3 dB")
        self.assertEqual(heard_or_why(h.looked.rig.wishes[0], h)[0], None)
        self.assertIn("no sound can show it", heard_or_why(h.looked.rig.wishes[0], h)[1])
        self.assertEqual(set(WISHES) - set(TOLERANCES), {"comb", "pre_delay", "loop_gain", "setting_error"})  # fmt: skip
        keyless = Hearing(Looked(h.looked.rig, C, steady_phrases(GAPS)))
        with self.assertRaisesRegex(FonodromeError, "not at hand"):
            heard_figure(Wish(kind="loudness", value=0), keyless)


class PlanAndSound(unittest.TestCase):
    """Two ways of finding each figure that share nothing but the compiled plan."""

    def test_on_every_kind_of_the_demo_s_rigs(self):
        count = 0
        for title, _, variants in DEMO_RIGS:
            name, text = variants[0]
            rig = parse_rig(text)
            looked = Looked(rig, C, steady_phrases(GAPS, LEVEL))
            h = Hearing(looked, clip=clip())
            for wish in self.wishes(rig):
                try:
                    plan = figure_of(wish, looked)
                except FonodromeError:
                    continue
                found, _ = heard_or_why(wish, h)
                if found is None or max(plan, found) < -90:
                    continue
                count += 1
                with self.subTest(title, variant=name, kind=wish.kind, of=wish.parts):
                    if wish.kind == "peak":
                        self.assertLessEqual(found, plan + TOLERANCES["peak"])
                    else:
                        self.assertAlmostEqual(found, plan, delta=TOLERANCES[wish.kind])
        self.assertGreater(count, 60)

    def wishes(self, rig) -> list[Wish]:
        found = [Wish(kind=kind, value=1) for kind in ("gain", "mono_loss", "low_end", "quiet_lift", "peak_change", "ratio", "loudness", "tail")]  # fmt: skip
        found.append(Wish(kind="repeats", value=0, when="1/1"))
        for node in rig.nodes.values():
            if not isinstance(node, k.Stage) or k.is_bypassed(node):
                continue
            of = {"value": 0, "parts": (node.id,)}
            found += [Wish(kind=kind, **of) for kind in ("level", "peak", "balance")]
            if isinstance(node, (k.Ducker, k.Compressor)):
                found += [Wish(kind=kind, **of) for kind in ("reduction", "ducking", "recovery")]
            if isinstance(node, (k.Delay, k.Reverb)):
                found += [Wish(kind="balance", during=d, **of) for d in ("phrases", "gaps")]
        return found


class Kept(unittest.TestCase):
    def test_of_many_renders_only_the_last_are_held_and_those_of_the_whole_rig(self):
        h = hearing(WAYS, "level of o under 0 dBFS")
        h.noise("whole", h.plan, "o")
        for n in range(40):
            h._keep(("noise", f"without {n}", "o", "0.0"), np.zeros((2, 10)))
        self.assertLessEqual(len(h._made), 16)
        self.assertIn(("noise", "whole", "o", "0.0"), h._made)
        self.assertIn(("noise", "without 39", "o", "0.0"), h._made)


class Checked(unittest.TestCase):
    RIG = f"{WAYS}s > h: reverb (RT60 2 s, pre-delay 20 ms) > m [level -3 dB]\nwish tail at entries under -20 dB\nwish should comb under 3 dB"

    def proposal(self):
        rig = parse_rig(self.RIG)
        looked = Looked(rig, C, steady_phrases(GAPS, LEVEL))
        free = [FreeAsked(key="node/h/rt60_s")]
        return looked, propose(looked, chosen(rig, C, free)).proposals[0]

    def test_what_holds_in_sound_is_called_fulfilled(self):
        looked, one = self.proposal()
        self.assertIsNone(one.checked)
        told = checked(one, looked, clip())
        self.assertTrue(told.checked)
        self.assertTrue(told.musts_held)
        self.assertEqual(
            told.checked_said, "Rendered: 1 of 1 hold in sound; 1 of 2 cannot be heard."
        )
        self.assertAlmostEqual(
            told.wishes[0].heard, told.wishes[0].figure, delta=TOLERANCES["tail"]
        )
        self.assertIn("in the render", told.wishes[0].heard_said)

    def test_what_does_not_is_not(self):
        looked, one = self.proposal()
        with mock.patch(
            "core.wishes.check.heard_or_why",
            side_effect=lambda w, h: (-12.0, "") if w.kind == "tail" else (None, "no"),
        ):
            told = checked(one, looked, clip())
        self.assertEqual((told.checked, told.musts_held), (False, False))
        self.assertIn("Not so in its render. Tail at entries", told.checked_said)

    def test_it_can_be_stopped_between_two_renders(self):
        looked, one = self.proposal()
        with self.assertRaises(Cancelled):
            checked(one, looked, clip(), step=mock.Mock(side_effect=Cancelled))


if __name__ == "__main__":
    unittest.main()
