"""Arrivals, sums and loops: numbers worked out by hand, and what must hold for every rig."""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from core.blend import compressed_db, pan_gains
from core.routing import evaluate, parse_rig
from core.routing.edit.actions import SetStrip
from core.routing.edit.perform import perform
from core.routing.evaluate.arrivals import comb_notches
from core.routing.evaluate.network import build_network, transfers
from core.routing.evaluate.paths import strongest_paths
from core.routing.evaluate.signal import compile_rig
from core.routing.plan.build import taper_gain
from core.routing.plan.responses import GRID_HZ, linkwitz_riley
from core.routing.tests.rigs import LIGHTHOUSE, TWO_SENDS, arrivals, looked_at
from core.routing.tests.test_notation import grown


def db(gain: float) -> float:
    return 20 * math.log10(gain)


class TheBoard(unittest.TestCase):
    def test_levels_times_and_names(self):
        found = arrivals(TWO_SENDS)
        eighth = 60 / 94 / 2 * 1e3
        for name, level, time in [
            ("Dry", 0, 0),
            ("Dry leak", db(0.73) - 3, 2.71),
            ("Reverb", db(0.27) - 3, eighth / 12 + 2.71),
            ("Delay", -6.5, eighth),
            ("Delay, repeat 2", -6.5 + db(0.4), 2 * eighth),
        ]:
            # A tail fed on both sides is not quite as strong as one fed on the left.
            self.assertAlmostEqual(found[name][0], level, delta=0.02 if name == "Reverb" else 1e-6)
            self.assertAlmostEqual(found[name][1], time, places=6, msg=name)

    def test_the_three_sums(self):
        sums = evaluate(parse_rig(TWO_SENDS), LIGHTHOUSE).boards[0].sums
        leak = 0.73 * 10 ** (-3 / 20)
        self.assertAlmostEqual(sums.headroom_db, db(1 + leak), places=6)
        self.assertAlmostEqual(sums.notches[0].hz, 1e3 / (2 * 2.71), places=3)
        self.assertAlmostEqual(sums.notches[0].depth_db, db(1 - leak), places=3)
        wet = (0.27 * 10 ** (-3 / 20)) ** 2
        echo = 10 ** (-6.5 / 10) / (1 - 0.4**2)
        # Out of step, the reverb's low power of pink noise included: energies of what is listed.
        self.assertAlmostEqual(sums.power_db, 10 * math.log10(1 + leak**2 + wet + echo), delta=0.02)
        self.assertAlmostEqual(sums.mono_db, 0, places=9)

    def test_three_arrivals_add_up_as_worked_out(self):
        sums = (
            looked_at(
                "a: source > s: split > m: output\ns > m [level -6 dB, delay 2 ms]\n"
                "s > m [level -6 dB, inverted, delay 5 ms]"
            )
            .boards[0]
            .sums
        )
        self.assertAlmostEqual(sums.headroom_db, 6.030905976897899, places=9)
        self.assertAlmostEqual(sums.power_db, 1.7677900908849677, places=9)

    def test_modes_of_a_delay(self):
        base = "a: source > d: delay (time 100 ms, feedback 50 %, mode {}) > m: output (stereo)"
        sides = {
            mode: [
                (round(a.time_ms), round(a.pan_percent))
                for a in looked_at(base.format(mode)).boards[0].arrivals[:4]
            ]
            for mode in ("single", "ping-pong", "cascade", "dual, offset 20 ms")
        }
        self.assertEqual(sides["single"], [(100, 0), (200, 0), (300, 0), (400, 0)])
        self.assertEqual(sides["ping-pong"], [(100, -100), (200, 100), (300, -100), (400, 100)])
        self.assertEqual(sides["cascade"][:2], [(100, -100), (200, 100)])
        self.assertEqual(set(sides["dual, offset 20 ms"][:2]), {(100, -100), (120, 100)})

    def test_a_short_one_sided_delay_is_not_thereby_wet(self):
        board = looked_at(
            "a: source > d: delay (time 9 ms, side right) > m: output (stereo)"
        ).boards[0]
        self.assertEqual([a.wet_percent for a in board.arrivals], [0, 0])
        self.assertEqual(sorted(a.pan_percent for a in board.arrivals), [-100, 100])

    def test_air_and_pedals_and_pans(self):
        self.assertAlmostEqual(
            arrivals("a: source > air1 (distance 3.4321462268 m) > m: output")["Dry"][1],
            10,
            places=6,
        )
        self.assertAlmostEqual(db(taper_gain(0.5, "audio")), -20, places=9)
        for law, centre in (("-3", -3.0103), ("-4.5", -4.5154), ("-6", -6.0206), ("0", 0)):
            self.assertAlmostEqual(db(pan_gains(0, law)[0]), centre, places=3)
            self.assertEqual(pan_gains(-1, law), (1, 0))

    def test_a_compressor_is_taken_at_its_nominal_level(self):
        text = "a: source (level -10 dB) > compressor (threshold -40 dB, ratio 4, make-up 10 dB) > m: output"
        # An RMS detector reads -10 dBFS; a peak detector reads above it, by no more than the crest.
        rms = looked_at(text.replace("ratio 4", "ratio 4, detector rms")).boards[0].arrivals[0]
        self.assertAlmostEqual(rms.gain_db, compressed_db(-10, -40, 4, 6, 10) + 10, places=6)
        peak = looked_at(text).boards[0].arrivals[0]
        self.assertLess(peak.gain_db, rms.gain_db - 0.5)
        self.assertGreater(peak.gain_db, compressed_db(2, -40, 4, 6, 10) - 2)
        # It changes with level: from its make-up for what is quiet to what the peaks would meet.
        self.assertAlmostEqual(peak.quiet_db - peak.level_db, 10 - peak.gain_db, places=6)
        self.assertAlmostEqual(
            peak.loud_db - peak.level_db,
            compressed_db(2, -40, 4, 6, 10) - 2 - peak.gain_db,
            places=6,
        )


class Exactness(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 10_000))
    def test_recursion_and_the_sum_of_paths_agree(self, seed):
        rig = grown(seed, 6)
        plan = compile_rig(rig, LIGHTHOUSE)
        network = build_network(plan)
        for output in plan.outputs:
            whole = transfers(network, output)
            for source, point in plan.sources.items():
                paths, complete = strongest_paths(network, source, output, most=4000)
                if not complete or plan.loops or any(p.swings or p.range_db for p in paths):
                    continue
                total = np.zeros((2, len(GRID_HZ)), dtype=complex)
                for path in paths:
                    if path.diffuse:
                        continue
                    phase = np.exp(-2j * np.pi * GRID_HZ * path.delay_s)
                    for link in path.links:
                        if link.response is not None:
                            phase = phase * link.response
                    total[0] += path.matrix[0] * phase
                    total[1] += path.matrix[2] * phase
                found = whole.get(point, np.zeros((2, 2, len(GRID_HZ))))
                np.testing.assert_allclose(found[:, 0, :], total, atol=1e-3)

    def test_a_million_paths_stay_exact_and_few_are_listed(self):
        lines = ["s: source > x0: split"]
        for i in range(20):
            after = f"x{i + 1}: split" if i < 19 else "main: output"
            lines.append(f"x{i} > m{i}: merge > {after}")
            lines.append(
                f"x{i} > g{i}: generic (latency {0.3 + i * 0.01:.2f} ms) > m{i} [level -6 dB]"
            )
        board = evaluate(parse_rig("\n".join(lines))).boards[0]
        self.assertEqual(board.path_count, 2**20)
        self.assertEqual(len(board.arrivals), 64)
        self.assertFalse(board.complete)
        # Worked apart: the product of all twenty combs, mean over a fine log axis from 40 Hz to 16 kHz.
        hz = np.geomspace(40, 16_000, 400_001)
        whole = np.ones(len(hz), complex)
        for i in range(20):
            whole *= 1 + 10 ** (-6 / 20) * np.exp(-2j * np.pi * hz * (0.3 + i * 0.01) / 1e3)
        heard = 10 * math.log10(np.mean(np.abs(whole) ** 2))
        self.assertAlmostEqual(board.sums.level_db, heard, delta=0.3)
        levels = [a.level_db for a in board.arrivals]
        self.assertEqual(levels, sorted(levels, reverse=True))
        self.assertAlmostEqual(levels[1], -6, places=6)

    @settings(max_examples=15, deadline=None)
    @given(
        st.permutations(
            [
                "level (level -3 dB)",
                "generic (latency 2 ms)",
                "filter (low cut 100 Hz)",
                "air (distance 2 m)",
            ]
        )
    )
    def test_the_order_of_independent_stages_changes_nothing(self, order):
        board = looked_at("a: source > " + " > ".join(order) + " > m: output").boards[0]
        plain = looked_at(
            "a: source > level (level -3 dB) > generic (latency 2 ms) > filter (low cut 100 Hz) > air (distance 2 m) > m: output"
        ).boards[0]
        self.assertAlmostEqual(board.arrivals[0].time_ms, plain.arrivals[0].time_ms, places=9)
        np.testing.assert_allclose(board.sums.all_db, plain.sums.all_db, atol=0.011)

    @settings(max_examples=20, deadline=None)
    @given(st.lists(st.floats(0, 12), min_size=2, max_size=5))
    def test_the_proposed_delays_make_everything_arrive_together(self, latencies):
        lines = ["a: source > s: split"]
        for n, late in enumerate(latencies):
            lines.append(
                f"s > g{n}: generic (latency {late:.4f} ms) > {'m: merge' if n == 0 else 'm'}"
            )
        lines += ["m > o: output"]
        rig = parse_rig("\n".join(lines))
        for one in evaluate(rig).align:
            rig = perform(rig, SetStrip(rail=one.rail, values={"delay_ms": one.add_ms})).rig
        times = [a.time_ms for a in evaluate(rig).boards[0].arrivals]
        self.assertLess(max(times) - min(times), 1e-6)

    def test_wanted_delay_is_left_alone_by_alignment(self):
        for how, count in (("", 1), (", its delay is intended", 0)):
            report = evaluate(
                parse_rig(f"a: source > s: split > m: output\ns > generic (latency 3 ms{how}) > m")
            )
            self.assertEqual(len(report.align), count, how)

    def test_crossovers_add_up_flat(self):
        low, high = linkwitz_riley(24, 400)
        self.assertLess(np.abs(20 * np.log10(np.abs(low + high))).max(), 0.01)
        board = looked_at("a: source > s: split (mode crossover) > m: output\ns > m").boards[0]
        self.assertLess(max(abs(x) for x in board.sums.near_db), 0.02)


class Loops(unittest.TestCase):
    LOOP = "a: source > b: bus > d: delay (time 200 ms) > s: split > o: output\ns > level (level {} dB) > b"

    def test_a_single_cycle_gives_the_plain_product(self):
        report = evaluate(parse_rig(self.LOOP.format(-3.2)))
        self.assertAlmostEqual(report.loops[0].gain_db, -3.2, places=9)
        self.assertAlmostEqual(report.loops[0].lap_ms, 200, places=9)
        self.assertTrue(report.stable)
        levels = [a.level_db for a in report.boards[0].arrivals[:3]]
        np.testing.assert_allclose(levels, [0, -3.2, -6.4], atol=1e-9)
        self.assertAlmostEqual(
            report.boards[0].sums.power_db, -10 * math.log10(1 - 10**-0.32), places=6
        )

    def test_two_loops_that_share_a_stage_add_up(self):
        text = (
            "a: source > b: bus > d: delay (time 200 ms) > s: split > o: output\n"
            "s > l1: level (level {} dB) > b\ns > l2: level (level {} dB) > b"
        )
        for one, other, cut, stable in [
            (-4.5, -4.5, 3.3651119115512698, False),
            (-8, -9, -4.193706922305161, True),
        ]:
            report = evaluate(parse_rig(text.format(one, other)))
            gains = {loop.rail: loop.gain_db for loop in report.loops}
            self.assertAlmostEqual(gains["l1.0"], cut, places=6)
            self.assertEqual(report.stable, stable)
        shared = (
            "a: source > b: bus > d: delay (time 200 ms) > s: split > o: output\n"
            "s > l1: level (level -4.5 dB) > m: merge > b\ns > l2: level (level -4.5 dB) > m"
        )
        self.assertAlmostEqual(
            evaluate(parse_rig(shared)).loops[0].gain_db, 1.5205999132796242, places=6
        )

    def test_the_filter_in_the_loop_decides_where_it_is_loudest(self):
        report = evaluate(
            parse_rig(
                self.LOOP.format(-3).replace(
                    "> b", "> filter (low cut 1000 Hz, high cut 4000 Hz) > b"
                )
            )
        )
        self.assertLess(report.loops[0].gain_db, -3)
        self.assertTrue(1000 < report.loops[0].hz < 4000)
        self.assertGreater(report.loops[0].bands_db[4], report.loops[0].bands_db[0] + 20)

    def test_transfers_round_a_loop_are_the_geometric_series(self):
        plan = compile_rig(parse_rig(self.LOOP.format(-6)))
        found = transfers(build_network(plan), "o")[plan.sources["a"]][0, 0]
        z = np.exp(-2j * np.pi * GRID_HZ * 0.2)
        np.testing.assert_allclose(found, z / (1 - 10 ** (-6 / 20) * z), rtol=1e-9)

    def test_above_unity_no_sum_is_claimed(self):
        report = evaluate(parse_rig(self.LOOP.format(1)))
        self.assertFalse(report.stable)
        self.assertIsNone(report.boards[0].sums.power_db)


class Combs(unittest.TestCase):
    def test_worked_combs(self):
        for ms, level, same, wanted, depth in [
            (9, 0, True, [55.5556, 166.6667, 277.7778], None),
            # Opposite: nothing is heard of the one at 0 Hz, so the first is at 1 / tau.
            (2.7, -3, False, [370.3704, 740.7407, 1111.1111], -10.6907),
        ]:
            found = comb_notches(ms / 1e3, 10 ** (level / 20), same)
            np.testing.assert_allclose([hz for hz, _ in found], wanted, atol=1e-3)
            self.assertEqual(found[0][1] is None, depth is None)
            if depth is not None:
                self.assertAlmostEqual(found[0][1], depth, places=3)
