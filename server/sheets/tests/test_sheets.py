"""Stage sheets and how devices read, through the API."""

import csv
import io
from datetime import UTC, datetime

from core.routing import load_rig
from server.rigs.models import Variant
from server.testing import ApiCase, clip_in, noise, person, wav_bytes
from server.verify.models import NullTest

NOTATION = """
bass: source "Bass" > grey: compressor "Grey box" (ratio 4, mix 60 %) > m: merge > o: output
bass2: source "Voice =1+1" > m
scene "Verse" program 4: off grey
"""
KNOB = {"field": "mix_percent", "shows": "clock", "low": 0, "high": 100, "step": 0.5}
GREY = {"name": "grey BOX", "controls": [KNOB]}


class Sheets(ApiCase):
    def setUp(self):
        super().setUp()
        body = {"name": "Harbour", "notation": NOTATION}
        rig = self.call("post", f"/songs/{self.song.pk}/rigs", body)[1]
        self.variant = rig["variants"][0]["id"]

    def sheet(self, query=""):
        status, found = self.call("get", f"/variants/{self.variant}/sheet{query}")
        self.assertEqual(status, 200, found)
        return found

    def test_a_panel_is_found_by_the_stages_name_in_any_case(self):
        before = self.sheet()["rows"][0]
        self.assertIn("mix 60 %", before["said"])
        self.assertEqual(self.call("put", "/panels", GREY)[0], 200)
        self.assertIn("mix 1:00", self.sheet()["rows"][0]["said"])
        # Another person's panel is none of theirs.
        other = person("eve")
        self.client.force_login(other)
        self.assertEqual(self.call("get", "/panels")[1], [])

    def test_a_unit_goes_before_a_name(self):
        self.call("put", "/panels", GREY)
        unit = {"name": "Rack 2", "controls": [{**KNOB, "shows": "percent", "step": 50}]}
        self.call("put", "/panels", unit)
        action = {"do": "set", "node": "grey", "values": {"unit": "rack 2"}}
        path = f"/variants/{self.variant}/edits"
        self.call("post", path, {"base_revision": 1, "action": action})
        self.assertIn("mix 50 %", self.sheet()["rows"][0]["said"])

    def test_files_to_keep(self):
        for form, kind in (("md", "text/markdown"), ("csv", "text/csv")):
            answer = self.call("get", f"/variants/{self.variant}/sheet?form={form}")[1]
            self.assertTrue(answer.headers["Content-Type"].startswith(kind))
            name = answer.headers["Content-Disposition"]
            self.assertIn(f'filename="Tide Table, Harbour A, stage sheet.{form}"', name)
        rows = list(csv.reader(io.StringIO(answer.content.decode())))
        self.assertFalse([c for r in rows for c in r if c[:1] in ("=", "@")])

    def test_a_scene_alone_and_one_that_is_not_there(self):
        row = self.sheet("?scene=Verse")["rows"][0]
        self.assertEqual((row["on"], row["scenes"]), (False, []))
        path = f"/variants/{self.variant}/sheet?scene=Bridge"
        self.refused("get", path, None, 422, "no scene “Bridge”")

    def test_the_last_null_test_is_said(self):
        self.assertIsNone(self.sheet()["facts"]["verified"])
        a, b = (clip_in(self.song, wav_bytes(noise(0.05, n)), f"{n}.wav") for n in (1, 2))
        for day, sentence in ((1, "Older."), (3, "97 dB down."), (2, "Between.")):
            NullTest.objects.create(
                song=self.song, clip_a=a, clip_b=b, options={}, limit={"kind": "relative"},
                summary={"sentence": sentence, "passed": True},
                finished_at=datetime(2026, 11, day, tzinfo=UTC),
            )  # fmt: skip
        NullTest.objects.create(song=self.song, clip_a=a, clip_b=b, options={}, limit={})
        found = self.sheet()["facts"]["verified"]
        self.assertEqual(
            (found["sentence"], found["passed"]), ("2.wav against 1.wav: 97 dB down.", True)
        )

    def test_a_cable_is_kept_with_the_rig(self):
        action = {"do": "cable", "rail": "bass.0", "values": {"length_m": 6}}
        path = f"/variants/{self.variant}/edits"
        status, done = self.call("post", path, {"base_revision": 1, "action": action})
        self.assertEqual((status, done["said"]), (200, "Cable from Bass set"))
        self.assertEqual(done["view"]["patch"]["cables"][0]["length_m"], 6)
        stored = load_rig(Variant.objects.get(pk=self.variant).document)
        self.assertEqual(stored.rails["bass.0"].cable.length_m, 6)

    def test_its_schema_is_published(self):
        self.assertIn("properties", self.call("get", "/sheet-schema")[1])


class PanelFiles(ApiCase):
    def file(self, *names):
        panels = [{"name": n, "controls": [KNOB]} for n in names]
        return {"format": "fonodrome-panels", "version": 1, "panels": panels}

    def names(self):
        return [p["panel"]["name"] for p in self.call("get", "/panels")[1]]

    def test_out_and_in_again_is_the_same(self):
        self.call("put", "/panels", GREY)
        out = self.call("get", "/panels/file")[1]
        for p in self.call("get", "/panels")[1]:
            self.assertEqual(self.call("delete", f"/panels/{p['id']}")[0], 204)
        self.assertEqual(self.names(), [])
        self.assertEqual(
            self.call("post", "/panels/file", {"file": out})[1], {"taken": 1, "kept": []}
        )
        self.assertEqual(self.call("get", "/panels/file")[1], out)

    def test_a_name_that_is_there_asks_and_nothing_is_taken_before(self):
        self.call("put", "/panels", GREY)
        both = self.file("Tape", "Grey Box")
        problem = self.refused(
            "post", "/panels/file", {"file": both}, 409, "You have “Grey Box” already"
        )
        self.assertEqual((problem["names"], self.names()), (["Grey Box"], ["grey BOX"]))
        kept = self.call("post", "/panels/file", {"file": both, "clash": "keep"})[1]
        self.assertEqual(
            (kept, self.names()), ({"taken": 1, "kept": ["Grey Box"]}, ["grey BOX", "Tape"])
        )
        self.call("post", "/panels/file", {"file": both, "clash": "replace"})
        self.assertEqual(self.names(), ["Grey Box", "Tape"])

    def test_bad_files_get_a_sentence_and_leave_nothing(self):
        twice = self.file("Tape", "TAPE")
        self.refused(
            "post", "/panels/file", {"file": twice}, 422, "two devices in this file".capitalize()
        )
        newer = {**self.file("Tape"), "version": 2}
        self.refused("post", "/panels/file", {"file": newer}, 422, "Version")
        many = self.file(*[f"Box {n}" for n in range(201)])
        self.refused("post", "/panels/file", {"file": many}, 422, "Panels")
        self.assertEqual(self.names(), [])
        self.call("post", "/panels/file", {"file": self.file(*[f"Box {n}" for n in range(200)])})
        self.refused("put", "/panels", GREY, 409, "Up to 200 devices")
        self.assertEqual(len(self.names()), 200)
