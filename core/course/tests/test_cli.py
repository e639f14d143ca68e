"""The commands for scripts, run as commands: JSON, tables, and one sentence for what is wrong."""

import contextlib
import io
import json
import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.course.cli import main
from core.routing import parse_rig

RATE = 48_000
TEXT = """rig "Two ways"
g: source "Guitar" (level -20 dB, crest 15 dB) > ways: split > m: merge > main: output (stereo)
ways > d: delay (time 1/4, mix 100 %, feedback 0 %) > m [level -6 dB, inverted]
scene "Loud": d (mix 50 %)
"""
LOOP = """a: source > b: bus > d: delay (time 200 ms) > s: split > o: output
s > l: level (level {} dB) > b
"""


class Commands(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def file(self, name: str, text: str) -> str:
        path = self.folder / name
        path.write_text(text, "utf-8")
        return str(path)

    def wave(self, name: str, samples: np.ndarray, rate: int = RATE) -> str:
        path = self.folder / name
        soundfile.write(path, samples, rate, "PCM_24")
        return str(path)

    def run_it(self, *words: str) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main(list(words))
        return status, out.getvalue(), err.getvalue()

    def report(self, *words: str) -> dict:
        status, out, err = self.run_it(*words, "--json")
        self.assertEqual((status, err), (0, ""))
        return json.loads(out)

    def test_levels_arrivals_and_checks_of_a_rig(self):
        found = self.report("rig", self.file("a.rig", TEXT), "--tempo", "120")
        stages = {s["id"]: s for s in found["stages"]}
        self.assertEqual(stages["g"]["level_dbfs"], [-20])
        self.assertEqual(stages["g"]["peak_bound_dbfs"], [-5])
        (output,) = found["outputs"]
        # Half a second apart dry and delay are powers: 1 + 10^-0.6, half of it on each side.
        true = -20 + 10 * math.log10((1 + 10**-0.6) / 2)
        for side in output["level_dbfs"]:
            self.assertAlmostEqual(side, true, delta=0.02)
        dry, late = output["arrivals"]
        self.assertEqual((dry["time_ms"], dry["polarity"], dry["wet_percent"]), (0, 1, 0))
        self.assertEqual((late["time_ms"], late["polarity"], late["wet_percent"]), (500, -1, 100))
        self.assertEqual(late["level_db"], -6)
        self.assertIn("d", late["through"])
        self.assertIn("polarity-far", [c["id"] for c in found["checks"]])
        for check in found["checks"]:
            self.assertEqual(
                set(check),
                {
                    "id",
                    "severity",
                    "where",
                    "sentence",
                    "number",
                    "unit",
                    "intended",
                    "consequences",
                },
            )

    def test_tempo_unit_and_scene_are_heard(self):
        path = self.file("a.rig", TEXT)
        late = self.report("rig", path, "--tempo", "94", "--unit", "1/4.")["outputs"][0][
            "arrivals"
        ][1]
        # A quarter where a dotted quarter is the beat: two thirds of 60 / 94 s.
        self.assertAlmostEqual(late["time_ms"], 60_000 / 94 * 2 / 3, places=3)
        loud = self.report("rig", path, "--scene", "Loud")["outputs"][0]["arrivals"]
        self.assertEqual(len(loud), 3)

    def test_json_documents_are_read_as_notation_is(self):
        document = parse_rig(TEXT).model_dump_json()
        one = self.report("rig", self.file("a.rig", TEXT))
        other = self.report("rig", self.file("a.json", document))
        self.assertEqual(one, other)

    def test_loops_say_their_gain_and_what_does_not_exist_is_null(self):
        (loop,) = self.report("rig", self.file("l.rig", LOOP.format(-3)))["loops"]
        self.assertAlmostEqual(loop["gain_db"], -3, delta=0.01)
        self.assertFalse(loop["grows"])
        grown = self.report("rig", self.file("g.rig", LOOP.format(1)))
        self.assertTrue(grown["loops"][0]["grows"])
        self.assertIsNone(grown["outputs"][0]["level_dbfs"])
        silent = self.report("rig", self.file("s.rig", "a: source > l: level (muted) > o: output"))
        self.assertIsNone(silent["outputs"][0]["level_dbfs"])
        self.assertIsNone(silent["outputs"][0]["peak_bound_dbfs"])

    def test_a_clip_gives_a_source_its_own_spectrum(self):
        # One tone: copies half a cycle apart take each other away, whatever pink noise would do.
        tone = 0.1 * np.sin(2 * np.pi * 100 * np.arange(2 * RATE) / RATE)
        text = "a: source > s: split > o: output\ns > o [delay 5 ms]"
        path, clip = self.file("t.rig", text), self.wave("tone.wav", tone)
        plain = self.report("rig", path)["outputs"][0]["level_dbfs"][0]
        heard = self.report("rig", path, "--clip", f"a={clip}")
        self.assertLess(heard["outputs"][0]["level_dbfs"][0], plain - 6)
        self.assertEqual(heard["spectra"], {"a": "tone.wav"})

    def test_a_render_measures_what_it_writes(self):
        noise = 0.1 * np.random.default_rng(3).standard_normal(2 * RATE)
        clip, out = self.wave("n.wav", noise), self.folder / "out.wav"
        path = self.file("a.rig", TEXT)
        found = self.report(
            "render", path, "--clip", f"g={clip}", "--output", str(out), "--tempo", "120"
        )
        sound, rate = soundfile.read(out)
        self.assertEqual((rate, found["rate_hz"]), (RATE, RATE))
        self.assertAlmostEqual(found["seconds"], len(sound) / RATE, places=3)
        self.assertGreaterEqual(len(sound), round(2.5 * RATE))
        # Worked apart: dry and inverted copy half a second later, each side at 0.7071.
        late = round(0.5 * RATE)
        true = np.zeros(2 * RATE + late)
        true[: 2 * RATE] += noise
        true[late:] -= 10 ** (-6 / 20) * noise
        true *= math.sqrt(0.5)
        self.assertLess(np.abs(sound[: len(true), 0] - true).max(), 1e-5)
        (output,) = found["outputs"]
        level = 10 * math.log10(np.mean(true[: 2 * RATE] ** 2))
        self.assertAlmostEqual(output["level_dbfs"][0], level, delta=0.02)
        self.assertAlmostEqual(
            output["peak_dbfs"][1], 20 * math.log10(np.abs(true).max()), delta=0.01
        )
        short = self.report(
            "render", path, "--clip", f"g={clip}", "--output", str(out), "--tail-s", "0"
        )
        self.assertEqual(short["seconds"], 2)

    def test_sources_of_other_rates_are_heard_at_their_pitch(self):
        tone = 0.25 * np.sin(2 * np.pi * 1000 * np.arange(44_100) / 44_100)
        one, other = self.wave("a.wav", np.zeros(RATE)), self.wave("b.wav", tone, 44_100)
        text = "a: source > o: output\nb: source > o"
        out = self.folder / "out.wav"
        self.report(
            "render", self.file("r.rig", text), "--clip", f"a={one}", "--clip", f"b={other}",
            "--output", str(out),
        )  # fmt: skip
        sound, rate = soundfile.read(out)
        middle = sound[RATE // 4 : 3 * RATE // 4]
        peak = np.abs(np.fft.rfft(middle * np.hanning(len(middle)))).argmax() * rate / len(middle)
        self.assertAlmostEqual(peak, 1000, delta=3)
        self.assertAlmostEqual(np.abs(middle).max(), 0.25, delta=0.005)
        # No seam where one stretch that was resampled meets the next: a sine has one curvature.
        long = 0.25 * np.sin(2 * np.pi * 997 * np.arange(5 * 44_100) / 44_100)
        other = self.wave("long.wav", long, 44_100)
        self.report(
            "render", self.file("r.rig", text), "--clip", f"a={one}", "--clip", f"b={other}",
            "--output", str(out),
        )  # fmt: skip
        sound, _ = soundfile.read(out)
        true = 0.25 * np.sin(2 * np.pi * 997 * np.arange(5 * RATE) / RATE)
        self.assertLess(np.abs(sound[500 : 5 * RATE - 500] - true[500:-500]).max(), 1e-4)

    def test_what_is_wrong_is_one_sentence_and_status_two(self):
        rig, clip = self.file("a.rig", TEXT), self.wave("n.wav", np.zeros(100))
        self.file("sound.wav", "this is no sound")
        wide = self.wave("wide.wav", np.zeros((100, 8)))
        soundfile.write(self.folder / "huge.wav", np.full(100, 1e9), RATE, "FLOAT")
        soundfile.write(self.folder / "loud.wav", np.full(100, 200.0), RATE, "FLOAT")
        loop = self.file("z.rig", "a: source > b: bus > s: split > o: output\ns > l: level > b")
        out = str(self.folder / "out.wav")
        cases = {
            ("rig", "nothing.rig"): "nothing.rig",
            ("rig", self.file("b.rig", "a: sorce > o: output")): "sorce",
            ("rig", self.file("b.json", '{"nodes": ')): "JSON",
            ("rig", self.file("c.json", '{"version": 99}')): "99",
            ("rig", rig, "--scene", "Quiet"): "Quiet",
            ("rig", rig, "--clip", "x=y.wav"): "no source “x”",
            ("rig", rig, "--clip", f"g={clip}", "--clip", f"g={clip}"): "two clips",
            ("rig", rig, "--clip", f"g={self.folder / 'sound.wav'}"): "sound.wav",
            ("rig", rig, "--clip", "noise"): "NAME=FILE",
            ("rig", self.file("deep.json", '{"nodes":' + "[" * 100_000)): "nested",
            ("rig", rig, "--clip", f"g={wide}"): "8 channels",
            ("rig", rig, "--clip", f"g={self.folder / 'huge.wav'}"): "that is no sound",
            ("rig", rig, "--clip", f"g={self.folder / 'loud.wav'}"): "reaches +46 dBFS",
            ("render", rig, "--clip", f"g={clip}", "--output", clip): "another name",
            ("render", rig, "--clip", f"g={clip}", "--output", rig): "another name",
            ("rig", rig, "--tempo", "0"): "tempo",
            ("rig", rig, "--unit", "bananas"): "“bananas” is not a beat",
            ("rig", rig, "--loud"): "--loud",
            ("rig",): "FILE",
            ("render", rig, "--output", out): "--clip",
            ("render", rig, "--clip", f"g={clip}", "--output", out, "--at", "aux"): "aux",
            ("render", rig, "--clip", f"g={clip}", "--output", "/no/such/out.wav"): "no folder",
            ("render", rig, "--clip", f"g={clip}", "--output", out, "--tail-s", "-1"): "tail",
            ("render", loop, "--clip", f"a={clip}", "--output", out): "delay",
        }
        for words, part in cases.items():
            with self.subTest(words[:1] + words[2:]):
                status, said, sentence = self.run_it(*words)
                self.assertEqual((status, said), (2, ""))
                self.assertEqual(len(sentence.strip().splitlines()), 1, sentence)
                self.assertIn(part, sentence)
                self.assertNotIn("Traceback", sentence)
        self.assertFalse((self.folder / "out.wav").exists())

    def test_the_table_has_the_same_figures(self):
        status, out, _ = self.run_it("rig", self.file("a.rig", TEXT), "--tempo", "120")
        self.assertEqual(status, 0)
        self.assertRegex(out, r"Guitar +-20\.0 +-5\.0")
        self.assertRegex(out, r"Delay.* +-6\.0 +500\.00 +-")
