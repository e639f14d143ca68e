"""What each kind says of itself, older documents, and loops whose filters count."""

import math
import unittest

import numpy as np
import scipy.signal

from core.routing import (
    TEMPLATES,
    Context,
    Evaluation,
    RigError,
    build,
    compile_rig,
    delays_used,
    describe_kinds,
    format_rig,
    load_rig,
    parse_rig,
    plan_digest,
    run_checks,
)  # fmt: skip
from core.routing.document import kinds as k
from core.routing.document.fields import parameters_of
from core.routing.document.kinds.registry import KINDS
from core.routing.document.rig import Board, Intended, Rig, Scene
from core.units import TempoFrame

SONG = Context(TempoFrame(tempo_bpm=120))
GROWS = "a: source (level -30 dB) > d: delay (time 200 ms, feedback {} %{}) > o: output"


class Traits(unittest.TestCase):
    """Held against what is done with a kind, not against a list of them."""

    def plan(self, kind: str, feed: str = "a: source"):
        return compile_rig(parse_rig(f"{feed} > x: {kind} > o: output (stereo)"), SONG)

    def test_what_is_stereo_by_nature_opens_and_nothing_else_does(self):
        for one in describe_kinds():
            if not one.stage or one.kind in ("frame", "ms_encode", "ms_decode"):
                continue
            with self.subTest(one.kind):
                plan = self.plan(one.kind)
                opens = plan.channels[plan.outlet["x.0"]] == 2
                self.assertEqual(opens, "stereo_by_nature" in one.traits)
                if opens:
                    mono = self.plan(f"{one.kind} (channels mono)")
                    self.assertEqual(mono.channels[mono.outlet["x.0"]], 1)

    def test_settings_open_what_is_mono_without_them(self):
        for text, opens in (
            ("chorus", False), ("chorus (spread)", True), ("delay", False),
            ("delay (mode ping-pong)", True), ("delay (mode dual, offset 12 ms)", True),
            ("delay (side right)", True), ("reverb (bypassed)", False),
            ("ducker (way shape, sides apart 90°)", True), ("ducker (way shape)", False),
            ("ducker (way envelope, sides apart 90°)", False), ("chorus (sides apart 360°)", False),
            ("chorus (spread, sides apart 180°)", False), ("tremolo (sides apart 45°)", True),
        ):  # fmt: skip
            plan = self.plan(text)
            self.assertEqual(plan.channels[plan.outlet["x.0"]] == 2, opens, text)

    def test_the_front_end_hears_of_every_trait_that_a_kind_has(self):
        told = {one.kind: set(one.traits) for one in describe_kinds()}
        self.assertTrue({"diffuse", "wet_by_nature", "has_tail"} <= told["reverb"])
        self.assertTrue({"many_inputs", "transparent"} <= told["merge"])
        self.assertIn("takes_key", told["ducker"])
        self.assertIn("moving", told["chorus"])
        self.assertNotIn("wet_by_nature", told["drive"])
        self.assertTrue({"fits_frame", "linear"} <= told["equaliser"])
        self.assertNotIn("linear", told["compressor"])

    def test_a_cabinet_model_takes_line_level_and_carries_no_amplifier(self):
        line = "g: source (gives line, level -30 dB) > {} > o: output"
        checks = {
            kind: {
                f.check for f in run_checks(Evaluation(parse_rig(line.format(kind)), SONG)).findings
            }
            for kind in ("cabinet", "cabinet_model")
        }
        self.assertTrue(checks["cabinet"] - checks["cabinet_model"])
        amp = "g: source (gives line, level -30 dB) > p: power_amp > x: cabinet_model > o: output"
        found = {f.check for f in run_checks(Evaluation(parse_rig(amp), SONG)).findings}
        self.assertIn("no-load", found)

    def test_a_template_that_ends_in_stereo_is_stereo_behind_its_wet_stages(self):
        # Where a wet sound is put on one side by its own amplifier or pan, one channel is meant.
        sided = {"wet-dry", "wet-dry-wet", "stereo-chorus", "compare-two-amps", "compare-wide"}
        for template in TEMPLATES:
            rig = build(template)
            plan = compile_rig(rig, SONG)
            if template.id in sided or all(plan.channels[p] == 1 for p in plan.outputs.values()):
                continue
            for node in rig.nodes.values():
                if isinstance(node, k.Stage) and node.wet_by_nature:
                    self.assertEqual(plan.channels[plan.outlet[f"{node.id}.0"]], 2, template.id)


class OlderDocuments(unittest.TestCase):
    def test_the_crest_of_outputs_goes_to_the_sources_that_it_was_said_of(self):
        new = parse_rig("a: source > o: output\nb: source > o").model_dump(mode="json")
        old = {**new, "version": 1}
        old["nodes"]["o"]["crest_db"] = 16
        for name in "ab":
            del old["nodes"][name]["crest_db"]
        old["scenes"] = [{"name": "X", "values": {"o": {"crest_db": 9, "ceiling_dbfs": -3}}}]
        rig = load_rig(old)
        self.assertEqual(
            (rig.version, rig.nodes["a"].crest_db, rig.nodes["b"].crest_db), (7, 16, 16)
        )
        self.assertEqual(rig.scenes[0].values, {"o": {"ceiling_dbfs": -3}})
        # What was read is written and read again the same.
        self.assertEqual(parse_rig(format_rig(rig)).nodes, rig.nodes)

    def test_a_newer_document_is_refused_in_a_sentence(self):
        with self.assertRaises(RigError) as said:
            load_rig({"version": 8, "nodes": {}})
        self.assertIn("version 8", said.exception.sentence)

    def test_a_ducker_of_version_2_keeps_its_settings_under_their_new_names(self):
        old = {
            "version": 2,
            "nodes": {
                "d": {"id": "d", "kind": "ducker", "duck_percent": 41, "pre_gain_db": -3},
                "in": {"id": "in", "kind": "source"},
            },
            "rails": {"in.0": {"target": "d"}},
            "scenes": [{"name": "Dry", "values": {"d": {"duck_percent": 7}}}],
        }
        rig = load_rig(old)
        self.assertEqual(rig.nodes["d"].sensitivity_percent, 41)
        self.assertEqual(rig.nodes["d"].follower_gain_db, -3)
        self.assertEqual(rig.scenes[0].values["d"], {"sensitivity_percent": 7})
        self.assertEqual(old["nodes"]["d"]["duck_percent"], 41)


class WhatStandsForARig(unittest.TestCase):
    """The digest by which a render is known again."""

    def of(self, text: str, context: Context = SONG) -> str:
        return plan_digest(parse_rig(text), context.frame, context.delays)

    def test_no_two_kinds_as_they_come_are_taken_for_each_other(self):
        fits = [one.kind for one in describe_kinds() if one.stage and one.kind != "frame"]
        found = {self.of(f"a: source > x: {kind} > o: output") for kind in fits}
        self.assertEqual(len(found), len(fits))
        framed = {
            self.of(f"a: source > f: frame > o: output\nsiding f 1 > x: {kind}")
            for kind in ("level", "reverb", "equaliser")
        }
        self.assertEqual(len(framed), 3)

    def test_order_does_not_matter_and_tempo_and_named_delays_do(self):
        text = "a: source > d: delay (time @slap) > o: output"
        rig = parse_rig(text)
        turned = rig.model_copy(update={"nodes": dict(reversed(rig.nodes.items()))})

        def song(value: str, bpm: float = 120) -> Context:
            return Context(TempoFrame(tempo_bpm=bpm), {"@slap": value, "@other": value})

        def of(rig: Rig, context: Context) -> str:
            return plan_digest(rig, context.frame, context.delays)

        self.assertEqual(of(rig, song("90 ms")), of(turned, song("90 ms")))
        self.assertNotEqual(of(rig, song("90 ms")), of(rig, song("91 ms")))
        # Ninety milliseconds are that at any tempo; an eighth at 120 is 250 ms, and not at 121.
        self.assertEqual(of(rig, song("90 ms")), of(rig, song("90 ms", 121)))
        self.assertNotEqual(of(rig, song("1/8")), of(rig, song("1/8", 121)))
        self.assertEqual(of(rig, song("1/8")), of(rig, song("0.25 s", 97)))
        # A delay that the rig does not name may be whatever it likes.
        plain = "a: source > d: delay > o: output"
        self.assertEqual(self.of(plain, song("90 ms")), self.of(plain, song("91 ms")))

    def test_what_is_not_heard_does_not_count(self):
        plain = parse_rig("a: source > c: compressor > r: reverb > o: output")
        wordy = parse_rig(
            'a: source "Voice" > c: compressor "Red box" (current 90 mA, width 120 mm) > '
            "r: reverb > o: output"
        ).model_copy(
            update={
                "title": "Another",
                "scenes": (Scene(name="Loud", off=("c",)),),
                "intended": (Intended(check="levels", at="c", reason="so be it"),),
                "board": Board(supply_ma=500),
            }
        )

        def of(rig: Rig) -> str:
            return plan_digest(rig, SONG.frame, {})

        self.assertEqual(of(plain), of(wordy))

    def test_every_setting_that_is_heard_counts(self):
        """Each field of each kind by itself, changed to another value that it may have."""
        unheard = {"name", "unit", "loop", "takes", "gives", "passive", "pickup_h", "pickup_kohm",
                   "cable_pf", "current_ma", "supply_v",
                   "width_mm", "depth_mm", "places"}  # fmt: skip
        for name, kind in KINDS.items():
            node = kind(id="x")
            rig = Rig(nodes={"x": node})
            resting = plan_digest(rig, SONG.frame, {})
            for one in parameters_of(kind):
                if one.field == "order" or (one.sort == "choice" and len(one.choices) < 2):
                    continue
                values = [c for c in one.choices if c != str(getattr(node, one.field))]
                low = one.low if one.low is not None else 1
                other = {
                    "flag": not getattr(node, one.field), "text": "word", "time": "77 ms",
                    "choice": (values or [""])[0],
                }.get(one.sort, low if getattr(node, one.field) != low else one.high)  # fmt: skip
                try:
                    moved = kind.model_validate({"id": "x", one.field: other})
                except ValueError:
                    moved = kind.model_validate({"id": "x", one.field: int(other)})
                found = plan_digest(Rig(nodes={"x": moved}), SONG.frame, {})
                with self.subTest(kind=name, field=one.field):
                    self.assertEqual(found == resting, one.field in unheard)


class NamedDelays(unittest.TestCase):
    def test_wherever_a_time_can_stand_a_name_is_found(self):
        rig = parse_rig(
            "g: source > a: delay (time @one) > r: reverb (pre-delay @two) > "
            "d: ducker (way shape, dip every @three) > f: frame > o: output\n"
            "siding f 1 > delay1 (time @four)\n"
            'scene "S": a (time @five)'
        )
        self.assertEqual(delays_used(rig), {"@one", "@two", "@three", "@four", "@five"})
        self.assertEqual(delays_used(parse_rig("g: source > delay (time 1/8.) > o: output")), set())


class LoopsWithFilters(unittest.TestCase):
    """A delay's feedback and the filters in its loop, against the filters' own response."""

    def loudest(self, low: float, high: float, rate: int) -> float:
        hz = np.geomspace(5, rate / 2 * 0.999, 4001)
        b1, a1 = scipy.signal.butter(1, low, "highpass", fs=rate)
        b2, a2 = scipy.signal.butter(1, high, "lowpass", fs=rate)
        whole = (
            scipy.signal.freqz(b1, a1, hz, fs=rate)[1] * scipy.signal.freqz(b2, a2, hz, fs=rate)[1]
        )
        return float(np.abs(whole).max())

    def test_a_lap_is_as_loud_as_the_filters_leave_it_and_no_rate_makes_it_louder(self):
        for low, high in ((300, 3000), (150, 6000), (1000, 1500), (40, 12_000)):
            text = GROWS.format(50, f", loop low cut {low} Hz, loop high cut {high} Hz")
            (loop,) = compile_rig(parse_rig(text), SONG).loops.values()
            for rate in (44_100, 48_000, 96_000):
                true = 0.5 * self.loudest(low, high, rate)
                self.assertGreaterEqual(loop.most, true - 1e-5)
                self.assertLess(20 * math.log10(loop.most / true), 0.6)

    def test_filters_that_hold_a_loop_below_unity_are_counted_everywhere_alike(self):
        # Cuts at 1000 and 1500 Hz leave 0.6 of the loudest tone: 150 % feedback dies away.
        for feedback, more, dies in (
            (150, ", loop low cut 1000 Hz, loop high cut 1500 Hz", True),
            (200, ", loop low cut 1000 Hz, loop high cut 1500 Hz", False),
            (101, ", loop low cut 300 Hz", False),
            (99, "", True),
            (100, "", False),
        ):
            e = Evaluation(parse_rig(GROWS.format(feedback, more)), SONG)
            with self.subTest(feedback=feedback, more=more):
                self.assertEqual(e.stable, dies)
                checks = {f.check for f in run_checks(e).findings}
                self.assertEqual("runaway" in checks, not dies)
                self.assertEqual(e.boards[0].sums.grows, not dies)
