"""Gauges along the course, against sine waves whose figures are known."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.render.clip import render_file
from core.render.feeds import ClipFile, one_clip
from core.render.gauges import GainGauge, Gauge, shared_out, stage_gauges
from core.render.parts import PartStore
from core.render.report import RenderJob
from core.render.rig import Renderer
from core.render.run import run
from core.render.stems import only
from core.routing import Context, compile_rig, parse_rig
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))


def sine(hz: float, seconds: float = 1.0, size: float = 0.5, phase: float = 0.0) -> np.ndarray:
    return size * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE + phase)


class OnePoint(unittest.TestCase):
    def test_rms_peak_and_what_lies_between_samples(self):
        # A quarter of the rate, a turn of 45 degrees: samples at 0.7071, the wave reaches 1.
        gauge = Gauge(2)
        wave = sine(RATE / 4, size=0.5, phase=math.pi / 4)
        for start in range(0, RATE, 7_001):
            part = wave[start : start + 7_001]
            gauge(np.stack([part, 0.5 * part]))
        left, right = gauge.rms_dbfs(RATE)
        self.assertAlmostEqual(left, 20 * math.log10(0.5 / math.sqrt(2)), places=4)
        self.assertAlmostEqual(right, left - 6.0206, places=3)
        self.assertAlmostEqual(gauge.peak[0], 0.5 * math.sqrt(0.5), places=6)
        # Its ends are cut off square, which rings a little: 0.2 dB, as true-peak meters may err.
        self.assertAlmostEqual(20 * math.log10(gauge.true[0] / 0.5), 0, delta=0.2)

    def test_what_is_let_ring_on_has_peaks_but_no_part_in_the_mean(self):
        gauge = Gauge(1)
        gauge(np.stack([sine(1000), 0 * sine(1000)]))
        gauge(np.stack([sine(1000, size=0.9), 0 * sine(1000)]), counting=False)
        self.assertAlmostEqual(
            gauge.rms_dbfs(RATE)[0], 20 * math.log10(0.5 / math.sqrt(2)), places=3
        )
        self.assertAlmostEqual(gauge.peak[0], 0.9, places=3)

    def test_gain_over_time_in_frames_whatever_the_blocks(self):
        gain = np.repeat([1.0, 0.5], RATE // 2)
        came = np.stack([sine(1000), sine(500)])
        gauge = GainGauge(RATE, 0.0)
        for start in range(0, RATE, 5_003):
            part = came[:, start : start + 5_003]
            gauge(part, part * gain[start : start + 5_003])
        found = gauge.gains_db()
        self.assertEqual(len(found), 20)
        for value, true in zip(found, [0.0] * 10 + [-6.02] * 10, strict=True):
            self.assertAlmostEqual(value, true, delta=0.01)
        self.assertEqual(gauge.acting(), 0.5)


class AlongARig(unittest.TestCase):
    TEXT = (
        "a: source > e: level (level -6 dB) > s: split > m: merge > o: output (stereo)\n"
        "s > f: fader > m [level -12 dB, pan 100 %]"
    )

    def test_every_stage_has_the_level_of_the_sound_that_leaves_it(self):
        plan = compile_rig(parse_rig(self.TEXT), SONG)
        renderer = Renderer(plan, RATE, metered=True)
        wave = sine(440, 2.0)
        for start in range(0, len(wave), 9_000):
            part = wave[start : start + 9_000]
            renderer.process({"a": np.stack([part, 0 * part])})
        found = {g.node: g for g in stage_gauges(plan, [renderer], len(wave))}
        rms = 20 * math.log10(0.5 / math.sqrt(2))
        self.assertAlmostEqual(found["a"].rms_dbfs[0], rms, delta=0.01)
        # A fader at 0 dB passes what the level stage made: one sound, said of both.
        for node in ("e", "f"):
            self.assertAlmostEqual(found[node].rms_dbfs[0], rms - 6, delta=0.01)
            self.assertAlmostEqual(found[node].peak_dbfs[0], 20 * math.log10(0.5) - 6, delta=0.01)
        # Middle pan: 0.7071 a side; the panned copy stands in the right one at a quarter.
        left, right = found["o"].rms_dbfs
        self.assertAlmostEqual(left, rms - 6 + 20 * math.log10(math.sqrt(0.5)), delta=0.01)
        self.assertAlmostEqual(
            right, rms - 6 + 20 * math.log10(math.sqrt(0.5) + 10 ** (-12 / 20)), delta=0.01
        )

    def test_stems_share_out_what_is_gauged_and_tell_as_much_as_a_whole_render(self):
        text = (
            "a: source > e: level (level -6 dB) > s: split > c: compressor (threshold -30 dB) > "
            "m: merge > t: level (level -3 dB) > o: output (stereo)\n"
            "s > f: fader (level -4 dB) > m\ns > g: level (level -12 dB) > m"
        )
        rig = parse_rig(text)
        plan = compile_rig(rig, SONG)
        parts = [only(rig, plan, "m", [p]) for p in ("c.0", "f.0", "g.0")]
        gauged = shared_out(plan, parts)
        # Every point once, and what lies behind the merge nowhere: no part holds all of it.
        self.assertEqual(sum(len(points) for points in gauged), len(frozenset().union(*gauged)))
        self.assertNotIn(plan.outlet["t.0"], frozenset().union(*gauged))
        renderers = [
            Renderer(part, RATE, metered=True, gauged=points)
            for part, points in zip(parts, gauged, strict=True)
        ]
        wave = np.stack([sine(440), sine(440)])
        for one in renderers:
            one.process({"a": wave})
        found = {g.node: g for g in stage_gauges(plan, renderers, RATE)}
        rms = 20 * math.log10(0.5 / math.sqrt(2))
        self.assertEqual(set(found), {"a", "e", "s", "c", "f", "g"})
        for node, level in (("a", 0), ("e", -6), ("f", -10), ("g", -18)):
            self.assertAlmostEqual(found[node].rms_dbfs[0], rms + level, delta=0.01)
        self.assertTrue(found["c"].gain_db)

    def test_a_compressor_tells_how_long_and_how_much_it_acts(self):
        text = "a: source > c: compressor (threshold -20 dB, ratio 100, knee 0 dB, attack 0.5 ms, release 20 ms, detector RMS) > o: output"
        plan = compile_rig(parse_rig(text), SONG)
        renderer = Renderer(plan, RATE, metered=True)
        # A second at -12.04 dBFS RMS, a second 30 dB lower.
        wave = np.concatenate([sine(1000, size=0.35355), sine(1000, size=0.35355 * 10**-1.5)])
        for start in range(0, len(wave), 9_000):
            part = wave[start : start + 9_000]
            renderer.process({"a": np.stack([part, 0 * part])})
        gauge = next(g for g in stage_gauges(plan, [renderer], len(wave)) if g.node == "c")
        self.assertAlmostEqual(gauge.acting, 0.5, delta=0.05)
        settled = gauge.gain_db[10:19]
        # 7.96 dB above the threshold, hardly anything of it passes.
        self.assertAlmostEqual(float(np.mean(settled)), -7.96 * 0.99, delta=0.5)
        self.assertAlmostEqual(float(np.mean(gauge.gain_db[30:38])), 0, delta=0.1)


class Loops(unittest.TestCase):
    """A burst of 0.1 s into a delay of 0.4 s and 50 %: every lap 6.02 dB less."""

    def levels(self, delay: str, node: str = "d") -> list[float | None]:
        rig = parse_rig(f"a: source > d: {delay} > o: output (stereo)")
        sound = np.zeros((2, 2 * RATE))
        sound[:, : RATE // 10] = sine(1000, 0.1)
        plan = compile_rig(rig, SONG)
        renderer = Renderer(plan, RATE, metered=True)
        run(
            renderer,
            lambda start, n: {"a": sound[:1, start : start + n]},
            2 * RATE,
            lambda _: None,
            tail_s=0,
        )
        return next(g for g in stage_gauges(plan, [renderer], 2 * RATE) if g.node == node).loop_dbfs

    def test_what_goes_round_falls_by_its_gain_with_every_lap(self):
        burst = 20 * math.log10(0.5 / math.sqrt(2))
        # A device's own mix stands before its loop: 30 % are 10.46 dB less.
        for mix, share in ((100, 0.0), (30, -10.4576)):
            found = self.levels(f"delay (time 400 ms, feedback 50 %, mix {mix} %)")
            self.assertEqual(len(found), 40)
            # The first repeat comes after one lap.
            self.assertEqual(found[:8], [None] * 8)
            for lap in range(4):
                start = 8 * lap + 8
                for frame in (start, start + 1):
                    self.assertAlmostEqual(found[frame], burst + share - 6.0206 * lap, delta=0.1)
                self.assertEqual(
                    found[start + 3 : start + 7], [None] * len(found[start + 3 : start + 7])
                )

    def test_what_has_no_loop_tells_of_none(self):
        self.assertEqual(self.levels("delay (time 400 ms, feedback 0 %)"), [])
        self.assertEqual(self.levels("compressor"), [])

    def test_a_loop_that_rails_close_is_told_where_it_is_led_back(self):
        """A burst of 0.1 s, led back 6 dB down after 0.4 s: each lap 6 dB less, from the first on."""
        rig = parse_rig(
            "a: source > b: bus > d: delay (time 400 ms, mix 100 %) > s: split > o: output (stereo)\n"
            "s > l: level (level -6 dB) > b"
        )
        sound = np.zeros((2, 2 * RATE))
        sound[:, : RATE // 10] = sine(1000, 0.1)
        plan = compile_rig(rig, SONG)
        renderer = Renderer(plan, RATE, metered=True)
        run(
            renderer, lambda start, n: {"a": sound[:1, start : start + n]}, 2 * RATE,
            lambda _: None, tail_s=0,
        )  # fmt: skip
        told = {
            g.node: g.loop_dbfs for g in stage_gauges(plan, [renderer], 2 * RATE) if g.loop_dbfs
        }
        self.assertEqual(list(told), ["l"])
        burst = 20 * math.log10(0.5 / math.sqrt(2))
        for lap in range(1, 5):
            for frame in (8 * lap, 8 * lap + 1):
                self.assertAlmostEqual(told["l"][frame], burst - 6 * lap, delta=0.1, msg=str(lap))
            self.assertIsNone(told["l"][8 * lap - 3])


class FromParts(unittest.TestCase):
    """What works by level is seen working, whether its sound is computed or read from kept parts."""

    RIG = (
        "a: source > c: compressor (threshold -30 dB, ratio 4)"
        " > e: delay (time 150 ms, feedback 40 %, mix 30 %) > s: split > m: merge > o: output (stereo)\n"
        "s > x: drive (gain 9 dB) > m\n"
        "s > r: reverb (mix 100 %, RT60 "
    )

    def told(self, folder: Path, store: PartStore | None, rt60_s: float = 0.4) -> dict:
        rig = parse_rig(f"{self.RIG}{rt60_s} s) > m")
        plan = compile_rig(rig, SONG)
        job = RenderJob(feeds=one_clip("a", "clip"), output="o", place="m")
        target = folder / f"out-{len(list(folder.iterdir()))}"
        target.mkdir()
        clips = {"clip": ClipFile(folder / "clip.wav", "clip")}
        _, detail = render_file(rig, plan, job, clips, target, lambda *_: None, store=store)
        return {g.node: g for g in detail.stages}

    def test_gains_and_loops_are_the_same_with_parts_and_again_from_them(self):
        with tempfile.TemporaryDirectory() as held:
            folder = Path(held)
            soundfile.write(folder / "clip.wav", sine(300, 1.5), RATE, "FLOAT")
            plain = self.told(folder, None)
            # By hand: 0.5 is 24 dB over the threshold; of those a ratio of 4 leaves a quarter.
            over = 20 * math.log10(0.5 / math.sqrt(2)) + 30
            self.assertAlmostEqual(plain["c"].most_db, 0.75 * over, delta=2.3)
            store = PartStore(folder / "parts")
            for again in range(3):
                # The last one has another reverb: what stands before it is read, and still told.
                found = self.told(folder, store, 0.4 if again < 2 else 0.6)
                for node in ("c", "x"):
                    self.assertEqual(found[node].most_db, plain[node].most_db, (again, node))
                    n = min(len(found[node].gain_db), len(plain[node].gain_db))
                    self.assertGreater(n, 25)
                    self.assertEqual(
                        found[node].gain_db[:n], plain[node].gain_db[:n], (again, node)
                    )
                n = min(len(found["e"].loop_dbfs), len(plain["e"].loop_dbfs))
                self.assertGreater(n, 25)
                self.assertEqual(found["e"].loop_dbfs[:n], plain["e"].loop_dbfs[:n], again)

    def test_what_was_kept_without_being_looked_at_is_looked_at_when_somebody_asks(self):
        with tempfile.TemporaryDirectory() as held:
            folder = Path(held)
            soundfile.write(folder / "clip.wav", sine(300, 1.5), RATE, "FLOAT")
            store = PartStore(folder / "parts")
            first = self.told(folder, store)
            # The sound stays, what was measured goes.
            for file in store.folder.glob("*.seen.json"):
                file.unlink()
            second = self.told(folder, store)
            for node in ("c", "x"):
                self.assertEqual(second[node].gain_db, first[node].gain_db)
            self.assertEqual(second["e"].loop_dbfs, first["e"].loop_dbfs)
