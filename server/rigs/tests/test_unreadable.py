"""A stored document that cannot be computed, or not even read, takes nothing else with it, and can be left."""

from server.rigs.models import Variant, parts_of
from server.testing import ApiCase

RIG = "g: source > e: delay (time 1/8.) > o: output"


class Unreadable(ApiCase):
    def setUp(self):
        super().setUp()
        made = {"name": "Harbour", "notation": RIG}
        self.rig = self.call("post", f"/songs/{self.song.pk}/rigs", made)[1]
        self.first = self.rig["variants"][0]["id"]
        self.other = self.call("post", f"/rigs/{self.rig['id']}/variants", {})[1]["id"]

    def spoil(self, field: str, value: str) -> None:
        row = Variant.objects.get(pk=self.first)
        row.document["nodes"]["e"][field] = value
        Variant.objects.filter(pk=self.first).update(document=row.document)

    def test_what_cannot_be_computed_is_said_and_mended_by_an_edit(self):
        self.spoil("time", "@gone")
        self.refused("get", f"/variants/{self.first}", None, 422, "no delay written @gone")
        action = {"do": "set", "node": "e", "values": {"time": "1/4"}}
        status, said = self.call("post", f"/variants/{self.first}/edits", {"base_revision": 1, "action": action})  # fmt: skip
        self.assertEqual(status, 200, said)
        self.assertEqual(self.call("get", f"/variants/{self.first}")[0], 200)

    def test_what_cannot_be_computed_is_mended_by_undoing(self):
        action = {"do": "set", "node": "e", "values": {"time": "1/4"}}
        self.call("post", f"/variants/{self.first}/edits", {"base_revision": 1, "action": action})
        row = Variant.objects.get(pk=self.first)
        edit = row.edits.get()
        # As if a program before this one had accepted it.
        for change in edit.changes:
            change["after"] = "@gone" if change.get("after") == "1/4" else change.get("after")
        edit.save()
        self.spoil("time", "@gone")
        self.assertEqual(self.call("post", f"/variants/{self.first}/undo")[0], 200)
        self.assertEqual(self.call("get", f"/variants/{self.first}")[1]["document"]["nodes"]["e"]["time"], "1/8.")  # fmt: skip

    def test_what_it_is_found_by_is_told_of_any_document_as_far_as_it_goes(self):
        frame = {"kind": "frame", "sidings": [7, {"stage": None}, {"stage": {"kind": "reverb", "name": "Hall"}}]}  # fmt: skip
        self.assertEqual(
            parts_of({"nodes": {"a": 3, "f": frame}}),
            '[["f", "frame", "", ""], ["f", "reverb", "Hall", ""]]',
        )
        for odd in (None, 7, [], {}, {"nodes": None}, {"nodes": [{"id": "a"}]}, {"nodes": 5}):
            self.assertEqual(parts_of(odd), "[]", odd)

    def test_what_cannot_be_read_leaves_the_song_its_other_rigs_and_steps(self):
        self.spoil("kind", "nonsense")
        status, listed = self.call("get", f"/songs/{self.song.pk}/rigs")
        self.assertEqual(status, 200, listed)
        self.assertEqual([v["differs"] for v in listed[0]["variants"]], [["It cannot be read"], []])
        self.refused("get", f"/variants/{self.first}", None, 422, "nonsense")
        self.assertEqual(self.call("get", f"/variants/{self.other}")[0], 200)
        self.assertEqual(self.call("get", f"/rigs/{self.rig['id']}/feeds")[0], 200)
        steps = self.call("get", f"/songs/{self.song.pk}/steps?variant={self.first}")
        self.assertEqual(steps[0], 200, steps)
        self.assertIn("not computed", str(steps[1]))
        # It is left by deleting it.
        self.assertEqual(self.call("delete", f"/variants/{self.first}")[0], 204)
        self.assertEqual(self.call("get", f"/songs/{self.song.pk}/steps")[0], 200)
