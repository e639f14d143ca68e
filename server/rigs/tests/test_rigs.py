"""Rigs over the API: edits with undo and redo, two tabs, variants, templates, notation."""

import uuid
from importlib import import_module

from django.apps import apps

from core.routing import TEMPLATES
from server.rigs.models import Rig, Variant, VariantEdit
from server.songs.services import duplicate_song
from server.testing import ApiCase

NOTATION = "g: source > hall: reverb (mix 27 %, locked) > o: output\ng2: source > echo: delay > o"


class RigCase(ApiCase):
    def setUp(self) -> None:
        super().setUp()
        _, rig = self.call(
            "post", f"/songs/{self.song.pk}/rigs", {"name": "Stage", "notation": NOTATION}
        )
        self.rig, self.variant = rig["id"], rig["variants"][0]["id"]

    def edit(self, base: int, action: dict, id: str | None = None, variant: str | None = None):
        body = {"id": id or str(uuid.uuid4()), "base_revision": base, "action": action}
        return self.call("post", f"/variants/{variant or self.variant}/edits", body)

    def mix(self, value: float, base: int = 1, **more):
        return self.edit(
            base, {"do": "set", "node": "hall", "values": {"mix_percent": value}}, **more
        )

    def stored(self, node: str, field: str):
        _, got = self.call("get", f"/variants/{self.variant}")
        return got["document"]["nodes"][node][field]


class Edits(RigCase):
    def test_an_edit_answers_with_what_it_changed(self):
        status, got = self.mix(100)
        self.assertEqual(
            (status, got["revision"], got["select"], got["said"]),
            (200, 2, "hall", "Reverb mix 27 to 100 %"),
        )
        names = [f["check"] for f in got["view"]["checks"]["findings"]]
        self.assertNotIn("parallel-not-wet", names)
        self.assertEqual(got["undo"], "Reverb mix 27 to 100 %")
        self.assertIn("hall: reverb (locked)", got["view"]["notation"])

    def test_undo_and_redo_survive_and_a_new_edit_ends_the_redo(self):
        self.mix(100)
        self.edit(2, {"do": "insert", "at": "echo.0", "kind": "filter"})
        _, got = self.call("post", f"/variants/{self.variant}/undo")
        self.assertNotIn("filter1", got["document"]["nodes"])
        self.assertEqual((got["undo"], got["redo"]), ("Reverb mix 27 to 100 %", "Filter inserted"))
        _, got = self.call("post", f"/variants/{self.variant}/redo")
        self.assertIn("filter1", got["document"]["nodes"])
        self.call("post", f"/variants/{self.variant}/undo")
        _, got = self.mix(50, got["revision"] + 1)
        self.assertIsNone(got["redo"])
        self.refused("post", f"/variants/{self.variant}/redo", None, 409, "nothing to do again")

    def test_a_second_tab_merges_what_is_apart_and_is_told_what_is_not(self):
        self.mix(100)
        status, got = self.edit(
            1, {"do": "set", "node": "echo", "values": {"feedback_percent": 40}}
        )
        self.assertEqual(status, 200)
        self.assertEqual(got["document"]["nodes"]["hall"]["mix_percent"], 100)
        status, problem = self.mix(60)
        self.assertEqual(status, 409)
        self.assertIn("Reverb: mix was changed elsewhere", problem["detail"])
        self.assertEqual((problem["theirs"], problem["yours"]), (None, 60))
        self.assertEqual(self.stored("hall", "mix_percent"), 100)

    def test_the_same_edit_sent_twice_is_done_once(self):
        same = str(uuid.uuid4())
        self.mix(70, id=same)
        status, got = self.mix(70, id=same)
        self.assertEqual((status, got["revision"]), (200, 2))
        self.assertEqual(VariantEdit.objects.filter(variant=self.variant).count(), 1)

    def test_what_cannot_be_done_is_said_and_kept_as_it_was(self):
        for action, words in [
            (
                {"do": "set", "node": "hall", "values": {"mix_percent": 200}},
                "less than or equal to 100",
            ),
            ({"do": "remove", "nodes": ["ghost"]}, "There is no “ghost”"),
            ({"do": "notate", "text": "g: source > revreb"}, "Did you mean reverb?"),
            ({"do": "set", "node": "echo", "values": {"time": "soon"}}, "“soon” is not a number"),
        ]:
            with self.subTest(words):
                status, problem = self.edit(1, action)
                self.assertEqual(status, 422, problem)
                self.assertIn(words, problem["detail"])
        self.assertEqual(VariantEdit.objects.count(), 0)
        _, problem = self.edit(1, {"do": "notate", "text": "g: source\ng > revreb"})
        self.assertEqual((problem["line"], problem["column"]), (2, 5))

    def test_notation_is_an_edit_like_any_other(self):
        _, got = self.edit(1, {"do": "notate", "text": NOTATION.replace("27 %", "90 %")})
        self.assertEqual(got["document"]["nodes"]["hall"]["mix_percent"], 90)
        _, got = self.call("post", f"/variants/{self.variant}/undo")
        self.assertEqual(got["document"]["nodes"]["hall"]["mix_percent"], 27)


class Variants(RigCase):
    def test_a_copy_differs_in_words_and_can_be_promoted(self):
        _, made = self.call("post", f"/rigs/{self.rig}/variants", {"name": "All wet"})
        self.mix(100, variant=made["id"])
        _, rigs = self.call("get", f"/songs/{self.song.pk}/rigs")
        second = rigs[0]["variants"][1]
        self.assertEqual((second["letter"], second["differs"]), ("B", ["Reverb: mix 27 % → 100 %"]))
        self.call("patch", f"/variants/{made['id']}", {"promote": True})
        _, rigs = self.call("get", f"/songs/{self.song.pk}/rigs")
        self.assertEqual([v["name"] for v in rigs[0]["variants"]], ["All wet", ""])
        self.assertEqual(self.call("delete", f"/variants/{self.variant}")[0], 204)
        self.refused("delete", f"/variants/{made['id']}", None, 409, "last variant stays")

    def test_the_title_in_writing_and_the_name_in_the_list_are_one(self):
        _, other = self.call("post", f"/rigs/{self.rig}/variants", {})
        self.call("patch", f"/rigs/{self.rig}", {"name": "Harbour"})
        for variant in (self.variant, other["id"]):
            _, got = self.call("get", f"/variants/{variant}")
            self.assertIn('rig "Harbour"', got["view"]["notation"])
        text = got["view"]["notation"].replace('rig "Harbour"', 'rig "Pier"')
        _, got = self.edit(1, {"do": "notate", "text": text}, variant=other["id"])
        names = lambda: [r["name"] for r in self.call("get", f"/songs/{self.song.pk}/rigs")[1]]  # noqa: E731
        self.assertEqual(names(), ["Pier"])
        self.assertIn('rig "Pier"', self.call("get", f"/variants/{self.variant}")[1]["view"]["notation"])  # fmt: skip
        self.call("post", f"/variants/{other['id']}/undo")
        self.assertEqual(names(), ["Harbour"])
        _, copy = self.call("post", f"/rigs/{self.rig}/duplicate")
        _, got = self.call("get", f"/variants/{copy['variants'][0]['id']}")
        self.assertEqual((copy["name"], got["document"]["title"]), ("Harbour (copy)",) * 2)

    def test_two_tabs_that_rename_are_told(self):
        _, rigs = self.call("get", f"/songs/{self.song.pk}/rigs")
        seen = rigs[0]["name"]
        self.call("patch", f"/rigs/{self.rig}", {"name": "First", "was": seen})
        self.refused(
            "patch", f"/rigs/{self.rig}", {"name": "Second", "was": seen}, 409, "renamed to “First”"
        )
        self.call("patch", f"/variants/{self.variant}", {"name": "Wet", "was": ""})
        self.refused(
            "patch", f"/variants/{self.variant}", {"name": "Dry", "was": ""}, 409, "to “Wet”"
        )
        _, rigs = self.call("get", f"/songs/{self.song.pk}/rigs")
        self.assertEqual((rigs[0]["name"], rigs[0]["variants"][0]["name"]), ("First", "Wet"))
        self.assertEqual(self.call("patch", f"/rigs/{self.rig}", {"name": "x" * 81})[0], 422)

    def test_there_are_nine_at_most(self):
        for _ in range(8):
            self.call("post", f"/rigs/{self.rig}/variants", {})
        self.refused("post", f"/rigs/{self.rig}/variants", {}, 409, "up to nine")

    def test_parts_are_copied_from_one_variant_into_another(self):
        _, made = self.call("post", f"/rigs/{self.rig}/variants", {})
        _, part = self.call("post", f"/variants/{made['id']}/copy", {"nodes": ["echo"]})
        _, got = self.edit(1, {"do": "paste", "fragment": part, "at": "g.0"})
        self.assertEqual(got["document"]["rails"]["g.0"]["target"], "delay1")

    def test_a_conversion_is_shown_first_and_then_done_as_one_step(self):
        body = {"node": "hall", "to": "parallel"}
        _, got = self.call("post", f"/variants/{self.variant}/convert", body)
        self.assertTrue(got["conversion"]["exact"])
        self.assertIsNone(got["variant"])
        _, got = self.call("post", f"/variants/{self.variant}/convert", body | {"apply": True})
        self.assertIn("split1", got["variant"]["document"]["nodes"])
        _, got = self.call("post", f"/variants/{self.variant}/undo")
        self.assertNotIn("split1", got["document"]["nodes"])


class Songs(RigCase):
    def test_every_template_makes_a_rig(self):
        _, listed = self.call("get", "/rig-templates")
        self.assertEqual(len(listed), len(TEMPLATES))
        for template in listed:
            body = {"name": template["name"], "template": template["id"]}
            status, made = self.call("post", f"/songs/{self.song.pk}/rigs", body)
            self.assertEqual(status, 200)
            _, variant = self.call("get", f"/variants/{made['variants'][0]['id']}")
            worst = {f["severity"] for f in variant["view"]["checks"]["findings"]}
            self.assertNotIn("alarm", worst, template["id"])
        self.refused(
            "post",
            f"/songs/{self.song.pk}/rigs",
            {"name": "x", "template": "none"},
            422,
            "no template",
        )

    def test_a_rig_that_cannot_be_computed_is_not_stored(self):
        body = {"name": "x", "notation": "g: source > delay (time soon) > o: output"}
        self.refused("post", f"/songs/{self.song.pk}/rigs", body, 422, "“soon” is not a number")
        self.assertEqual(Rig.objects.count(), 1)

    def test_a_copied_song_has_its_rigs_and_a_deleted_rig_comes_back(self):
        copy = duplicate_song(self.user, self.song.pk)
        self.assertEqual(
            copy.rigs.get().variants.get().document["nodes"]["hall"]["mix_percent"], 27
        )
        self.call("delete", f"/rigs/{self.rig}")
        self.assertEqual(self.call("get", f"/songs/{self.song.pk}/rigs")[1], [])
        self.call("post", f"/rigs/{self.rig}/restore")
        self.assertEqual(
            self.call("patch", f"/rigs/{self.rig}", {"name": "Tour"})[1]["name"], "Tour"
        )
        self.assertEqual(Rig.objects.count(), 2)

    def test_the_tempo_of_the_song_moves_note_values(self):
        _, before = self.call("get", f"/variants/{self.variant}")
        self.song.tempo_map = [{**self.song.tempo_map[0], "tempo_bpm": 60.0}]
        self.song.save()
        _, after = self.call("get", f"/variants/{self.variant}")
        times = [got["view"]["report"]["times_ms"]["echo"] for got in (before, after)]
        self.assertEqual(times, [375, 750])

    def test_what_if_questions_need_no_stored_rig(self):
        _, got = self.call("get", f"/variants/{self.variant}")
        document = got["document"]
        document["nodes"]["hall"]["mix_percent"] = 55
        status, view = self.call("post", "/compute/rig-view", {"document": document})
        self.assertEqual(status, 200)
        self.assertIn("mix 55 %", view["notation"])
        document["version"] = 9
        self.assertEqual(self.call("post", "/compute/rig-view", {"document": document})[0], 422)

    def test_a_layout_is_asked_of_the_variant_not_of_a_posted_document(self):
        variant = self.variant
        whole = self.call("get", f"/variants/{variant}")[1]["view"]["layout"]
        status, alone = self.call("get", f"/variants/{variant}/layout")
        self.assertEqual(status, 200, alone)
        self.assertEqual({n["id"] for n in alone["nodes"]}, {n["id"] for n in whole["nodes"]})
        self.assertEqual(self.call("post", "/compute/rig-layout", {})[0], 404)

    def test_the_patch_sheet_as_a_table(self):
        _, answer = self.call("get", f"/variants/{self.variant}/patch.csv")
        self.assertIn("cable,from,jack,to,jack,connector", answer.content.decode())

    def test_every_kind_says_its_fields(self):
        _, kinds = self.call("get", "/rig-kinds")
        reverb = next(k for k in kinds if k["kind"] == "reverb")
        fields = {p["field"]: p for p in reverb["parameters"]}
        self.assertEqual((fields["rt60_s"]["unit"], fields["pre_delay"]["sort"]), ("s", "time"))


class Scenes(RigCase):
    def test_what_each_scene_changes_is_asked_for_by_itself(self):
        path = f"/variants/{self.variant}"
        self.assertEqual(self.call("get", f"{path}/scenes"), (200, []))
        scenes = [{"name": "Dry", "program": 3, "off": ["echo", "hall"]}, {"name": "As it is"}]
        body = {
            "id": str(uuid.uuid4()),
            "base_revision": 1,
            "action": {"do": "rig", "scenes": scenes},
        }
        status, kept = self.call("post", f"{path}/edits", body)
        self.assertEqual((status, "scenes" in kept["view"]), (200, False))
        status, (dry, same) = self.call("get", f"{path}/scenes")
        self.assertEqual((status, dry["name"], dry["program"]), (200, "Dry", 3))
        self.assertTrue(any("goes" in said for said in dry["arrivals"]), dry)
        self.assertEqual((same["arrivals"], same["level_change_db"], same["said"]), ([], 0, []))


class ByHand(RigCase):
    """What is looked at before it is kept: trials, places to land, variants in small."""

    def test_what_is_tried_is_answered_and_nothing_is_stored(self):
        before = self.call("get", f"/variants/{self.variant}")[1]
        action = {"do": "set", "node": "hall", "values": {"mix_percent": 80}}
        status, tried = self.call("post", f"/variants/{self.variant}/try", {"action": action})
        self.assertEqual(status, 200, tried)
        self.assertEqual(tried["document"]["nodes"]["hall"]["mix_percent"], 80)
        _, done = self.mix(80)
        # Before it was kept it said what is said when it is kept.
        self.assertEqual(tried["report"], done["view"]["report"])
        self.assertEqual(tried["checks"], done["view"]["checks"])
        self.assertEqual(before["revision"] + 1, done["revision"])

    def test_what_cannot_be_is_said_without_touching_the_rig(self):
        for action, words in (
            ({"do": "set", "node": "hall", "values": {"mix_percent": 180}}, "less than or equal"),
            ({"do": "set", "node": "echo", "values": {"time": "soon"}}, "soon"),
            ({"do": "lay", "by": "end", "starts": ["g.0"], "to": "echo"}, "takes one input"),
        ):
            with self.subTest(words=words):
                self.refused(
                    "post", f"/variants/{self.variant}/try", {"action": action}, 422, words
                )
        self.assertEqual(self.call("get", f"/variants/{self.variant}")[1]["revision"], 1)

    def test_places_to_land_are_told_with_what_each_does(self):
        lay = {"do": "lay", "by": "split", "starts": ["g.0"], "to": "output"}
        body = {"lay": lay, "end": "hall.0"}
        status, found = self.call("post", f"/variants/{self.variant}/landings", body)
        self.assertEqual(status, 200, found)
        self.assertEqual(found[0]["place"], "hall.0")
        self.assertTrue(all(f["effect"] for f in found if f["possible"]))
        self.refused(
            "post", f"/variants/{self.variant}/landings",
            {"lay": {**lay, "starts": ["nowhere.0"]}}, 422, "no “nowhere”",
        )  # fmt: skip

    def test_variants_in_small_mark_what_differs(self):
        _, other = self.call("post", f"/rigs/{self.rig}/variants", {"copy_of": self.variant})
        self.mix(100, variant=other["id"])
        _, small = self.call("get", f"/rigs/{self.rig}/minis")
        self.assertEqual([m["differing"] for m in small], [[], ["hall"]])
        self.assertEqual(
            {n["id"] for n in small[0]["layout"]["nodes"]}, {"g", "g2", "hall", "echo", "o"}
        )

    def test_nobody_elses_rig_is_tried_or_drawn(self):
        self.client.logout()
        action = {"do": "bypass", "node": "hall"}
        for way, path, body in (
            ("post", f"/variants/{self.variant}/try", {"action": action}),
            ("get", f"/rigs/{self.rig}/minis", None),
        ):
            self.assertIn(self.call(way, path, body)[0], (401, 404))


class Sidings(RigCase):
    """Edits that were stored when frames had letters, still undone one by one."""

    SLOT = {"label": "A", "stage": {"kind": "level", "id": "a", "level_db": -1}}
    OTHER = {"label": "B", "stage": {"kind": "level", "id": "b", "level_db": -2}}

    def test_old_edits_of_a_frame_are_undone_to_what_they_were(self):
        variant = Variant.objects.get(pk=self.variant)
        frame = {"kind": "frame", "id": "f", "size": 8, "order": "BA", "half": "whole",
                 "slots": [self.SLOT, self.OTHER], "sections": []}  # fmt: skip
        document = {**variant.document, "version": 3}
        document["nodes"] = {**document["nodes"], "f": frame}
        document["rails"] = {**document["rails"], "g.0": {"target": "f"}, "f.0": {"target": "hall"}}
        variant.document, variant.revision = document, 4
        variant.save()
        steps = [
            [("node/f", None, "frame"), ("rail/g.0", "hall", "f"), ("rail/f.0", None, "hall"),
             ("node/f/slots", None, [self.SLOT]), ("node/f/order", None, "A")],
            [("node/f/slots", [self.SLOT], [self.SLOT, self.OTHER]), ("node/f/order", "A", "AB")],
            [("node/f/order", "AB", "BA")],
        ]  # fmt: skip
        for number, changes in enumerate(steps, start=1):
            VariantEdit.objects.create(
                pk=uuid.uuid4(), variant=variant, number=number, action={}, said=f"Step {number}",
                changes=[{"key": k, "before": b, "after": a} for k, b, a in changes],
            )  # fmt: skip
        import_module("server.rigs.migrations.0005_sidings").sidings(apps, None)
        calls = []
        for _ in steps[1:]:
            status, got = self.call("post", f"/variants/{self.variant}/undo")
            self.assertEqual(status, 200, got)
            calls.append(got["document"]["nodes"]["f"]["calls"])
        self.assertEqual(calls, [[1, 2], [1]])
        _, got = self.call("post", f"/variants/{self.variant}/undo")
        self.assertNotIn("f", got["document"]["nodes"])
        self.assertEqual(got["document"]["rails"]["g.0"]["target"], "hall")
        _, got = self.call("post", f"/variants/{self.variant}/redo")
        self.assertEqual(got["document"]["nodes"]["f"]["calls"], [1])


SENDS = (
    "g: source (level -20 dB) > s: split > m: merge > o: output (stereo)\n"
    'hall: reverb "Hall" (mix 100 %, RT60 2 s, pre-delay 40 ms)\n'
    's > echo: delay "Echo" (time 300 ms, mix 100 %, feedback 40 %) > m [level -6 dB]\n'
    "s > hall > squash: compressor (threshold -60 dB, ratio 4, make-up 10 dB) > m [level -8 dB]"
)


class Course(RigCase):
    """What Space and Blend ask of a whole rig."""

    def setUp(self) -> None:
        super().setUp()
        made = self.call("post", f"/songs/{self.song.pk}/rigs", {"name": "S", "notation": SENDS})[1]
        self.variant = made["variants"][0]["id"]

    def test_returns_levels_and_tails_of_a_variant(self):
        status, out = self.call("get", f"/variants/{self.variant}/returns")
        self.assertEqual(
            (status, [r["name"] for r in out["returns"]]), (200, ["Source", "Echo", "Compressor"])
        )
        self.assertEqual(len(out["order"]), 1)
        self.assertIn("Hall begins after 40 ms", out["order"][0])
        status, out = self.call("post", f"/variants/{self.variant}/course-levels", {"crest_db": 10})
        self.assertEqual((status, out["places"][0]["level_dbfs"]), (200, -20))
        self.assertAlmostEqual(out["places"][0]["headroom_db"], 10, places=6)
        status, out = self.call("post", f"/variants/{self.variant}/tail", {"gaps_s": [0.5, 1.5]})
        self.assertEqual((status, out["name"], len(out["gaps"])), (200, "Hall", 2))
        self.assertGreater(out["gaps"][0]["undone_db"], 5)
        self.assertIn("undoes up to", out["sentence"])

    def test_what_the_rig_does_not_have_is_said(self):
        path = f"/variants/{self.variant}"
        self.refused("get", f"{path}/returns?output=nowhere", None, 422, "no such output")
        self.refused("get", f"{path}/returns?place=nowhere", None, 422, "no such place")
        self.refused("post", f"{path}/course-levels", {"source": "x"}, 422, "no such source")
        self.refused("post", f"{path}/tail", {"gaps_s": [1], "reverb": "x"}, 422, "no reverb")
        made = self.call(
            "post",
            f"/songs/{self.song.pk}/rigs",
            {"name": "D", "notation": "g: source > o: output"},
        )[1]
        dry = made["variants"][0]["id"]
        self.refused("get", f"/variants/{dry}/returns", None, 422, "meet nowhere")
