"""The signal model against itself turned round: what must not change a level, and what must."""

import math
import random
import re
import unittest

import numpy as np

from core.render.tests import grown
from core.routing import Context, compile_rig, parse_rig
from core.routing.evaluate.shapes import FLAT, SHAPES, pair_table, shared_power
from core.routing.plan.cells import MIDDLE_HZ, ClipFacts, Spectrum, pink
from core.units import TempoFrame

SONG = Context(TempoFrame(tempo_bpm=120))
SEEDS = (3, 7, 12, 20, 31, 104)


def levels(text: str, context: Context = SONG) -> dict[str, tuple]:
    rig = parse_rig(text)
    plan = compile_rig(rig, context)
    found = {}
    for node in rig.nodes:
        point = plan.outputs.get(node, plan.outlet.get(f"{node}.0"))
        if point is not None:
            carried = plan.carried[point]
            found[node] = (*carried.total, *carried.peak)
    return found


def tone(hz: float) -> Spectrum:
    weights = np.zeros(len(MIDDLE_HZ))
    weights[int(np.argmin(np.abs(np.log(MIDDLE_HZ / hz))))] = 1.0
    return Spectrum(tuple(weights))


class WhatChangesNothing(unittest.TestCase):
    def same(self, text: str, other: str, gain: float = 1.0):
        before, after = levels(text), levels(other)
        for node, values in before.items():
            scale = np.array([gain**2] * 3 + [abs(gain)] * 2)
            np.testing.assert_allclose(
                after[node],
                np.array(values) * scale,
                rtol=1e-6,
                atol=1e-12,
                err_msg=f"{node}: {text}",
            )

    def test_ten_decibels_more_at_every_source_are_ten_everywhere(self):
        for seed in SEEDS:
            text = grown.rig(seed)
            louder = re.sub(
                r"source \(level (-?[\d.]+) dB",
                lambda m: f"source (level {float(m[1]) + 10} dB", text,
            )  # fmt: skip
            self.same(text, louder, 10 ** (10 / 20))

    def test_a_source_upside_down_sounds_as_loud(self):
        # Inverted behind the source: every sum of its own arrivals stays.
        for seed in SEEDS:
            text = grown.rig(seed)
            turned = text.replace(" > ", " > turn: generic (inverted) > ", 1)
            before, after = levels(text), levels(turned)
            for node, values in before.items():
                np.testing.assert_allclose(after[node], values, rtol=1e-6, atol=1e-12, err_msg=node)

    def test_stages_that_do_nothing_do_nothing_wherever_they_stand(self):
        for seed in SEEDS:
            text, turn = grown.rig(seed), random.Random(seed)
            # Anywhere but behind a strip, which ends a path.
            places = [m.start() for m in re.finditer(r"(?<!\]) > ", text)]
            for at in turn.sample(places, 3):
                padded = text[:at] + " > idle: level (level 0 dB)" + text[at:]
                after = levels(padded)
                for node, values in levels(text).items():
                    np.testing.assert_allclose(
                        after[node], values, rtol=1e-9, atol=1e-15, err_msg=padded
                    )

    def test_the_same_rig_again_has_the_same_figures_whatever_was_known_before(self):
        texts = [grown.rig(seed, grown.DIFFUSE, grown.BY_LEVEL) for seed in SEEDS]
        first = [levels(text) for text in texts]
        SHAPES.forget()
        for text, before in reversed(list(zip(texts, first, strict=True))):
            for node, values in levels(text).items():
                np.testing.assert_allclose(
                    values, before[node], rtol=1e-9, atol=1e-15, err_msg=node
                )


class WhatBounds(unittest.TestCase):
    def test_no_level_passes_its_peak_and_sides_share_no_more_than_both_have(self):
        for seed in range(200, 230):
            for node, values in levels(grown.rig(seed, grown.DIFFUSE)).items():
                left, right, common, top_left, top_right = values
                self.assertLessEqual(abs(common), math.sqrt(left * right) + 1e-9, node)
                self.assertLessEqual(math.sqrt(left), top_left + 1e-9, node)
                self.assertLessEqual(math.sqrt(right), top_right + 1e-9, node)

    def test_a_sum_lies_between_difference_and_sum_of_its_copies(self):
        turn = random.Random(8)
        for _ in range(40):
            one, two = turn.uniform(-20, 0), turn.uniform(-20, 0)
            late = turn.choice([0, 0.1, 0.7, 3, 12, 80])
            sign = turn.choice(["", ", inverted"])
            text = (
                "a: source (level 0 dB) > s: split > o: output "
                f"[level {one} dB]\ns > o [level {two} dB, delay {late} ms{sign}]"
            )
            found = math.sqrt(levels(text)["o"][0])
            a, b = 10 ** (one / 20), 10 ** (two / 20)
            self.assertLessEqual(found, a + b + 1e-9)
            self.assertGreaterEqual(found, abs(a - b) - 1e-9)


class Spectra(unittest.TestCase):
    """Copies of a tone add by the turn of its phase: worked by hand, over one cell's width."""

    def test_copies_of_a_tone_add_by_their_phase(self):
        for hz in (100, 440, 3000):
            spectrum = tone(hz)
            middle = float(MIDDLE_HZ[int(np.argmax(spectrum.weights))])
            context = Context(SONG.frame, clips={"a": ClipFacts("tone", spectrum)})
            for turns in (0.25, 0.5, 1.0):
                late = turns / middle * 1e3
                text = f"a: source (level 0 dB) > s: split > o: output\ns > o [delay {late:.5f} ms]"
                power = levels(text, context)["o"][0]
                self.assertAlmostEqual(power, 2 + 2 * math.cos(2 * math.pi * turns), delta=0.05)

    def test_a_table_of_pairs_is_its_pairs(self):
        at = tuple((ticks, FLAT) for ticks in (0, 1234, 50_000, 5_000_000))
        table = pair_table(7_001, pink().weights, at)
        for i, (one, _) in enumerate(at):
            for j, (other, _) in enumerate(at):
                far = abs(one - other) > 2_500_000
                true = 0 if far else shared_power(7_001, pink().weights, FLAT, FLAT, one - other)
                self.assertAlmostEqual(table[i, j], true, places=12)

    def test_pink_noise_forgets_itself_as_its_autocorrelation_says(self):
        # Worked apart: the integral of cos(2 pi f t) / f from 40 Hz to 16 kHz over that of 1 / f.
        hz = np.geomspace(40, 16_000, 400_001)
        for late in (1e-4, 1e-3, 5e-3, 0.05):
            true = float(np.mean(np.cos(2 * np.pi * hz * late)))
            found = shared_power(7_002, pink().weights, FLAT, FLAT, round(late * 1e7))
            self.assertAlmostEqual(found, true, delta=0.02, msg=f"{late} s")
