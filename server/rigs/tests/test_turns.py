"""Edits on an older base after somebody undid: judged against what stood there, not against what is counted."""

from server.rigs.models import Variant
from server.testing import ApiCase

RIG = "g: source > e: delay (time 1/8., feedback 20 %) > l: level (level 0 dB) > o: output"


class Turns(ApiCase):
    def setUp(self):
        super().setUp()
        made = {"name": "Harbour", "notation": RIG}
        self.variant = self.call("post", f"/songs/{self.song.pk}/rigs", made)[1]["variants"][0]["id"]  # fmt: skip

    def edit(self, base: int, node: str, **values):
        action = {"do": "set", "node": node, "values": values}
        return self.call("post", f"/variants/{self.variant}/edits", {"base_revision": base, "action": action})  # fmt: skip

    def turn(self, way: str) -> int:
        status, said = self.call("post", f"/variants/{self.variant}/{way}")
        self.assertEqual(status, 200, said)
        return said["revision"]

    def value(self, node: str, name: str):
        return Variant.objects.get(pk=self.variant).document["nodes"][node].get(name)

    def test_what_was_undone_elsewhere_meanwhile_stays_undone_and_the_edit_is_kept(self):
        self.assertEqual(self.edit(1, "e", feedback_percent=60)[1]["revision"], 2)
        self.assertEqual(self.turn("undo"), 3)
        # Somebody who still sees the 60 % turns the level: that is kept, the feedback is as it was.
        self.assertEqual(self.edit(2, "l", level_db=-4)[0], 200)
        self.assertEqual(
            (self.value("e", "feedback_percent"), self.value("l", "level_db")), (20, -4)
        )

    def test_who_changes_what_was_undone_meanwhile_is_asked(self):
        self.edit(1, "e", feedback_percent=60)
        self.turn("undo")
        status, said = self.edit(2, "e", feedback_percent=70)
        self.assertEqual(status, 409, said)
        self.assertEqual(self.value("e", "feedback_percent"), 20)
        # On what stands there it is done.
        self.assertEqual(self.edit(3, "e", feedback_percent=70)[0], 200)

    def test_undone_done_again_and_gone_to_each_count(self):
        self.edit(1, "e", feedback_percent=60)
        self.edit(2, "l", level_db=-4)
        self.turn("undo")
        self.turn("redo")
        self.assertEqual(self.turn("history/0"), 7)
        self.assertEqual(
            (self.value("e", "feedback_percent"), self.value("l", "level_db")), (20, 0)
        )
        # At revision 3 both stood; since then both went: each clashes, another value does not.
        self.assertEqual(self.edit(3, "l", level_db=-9)[0], 409)
        self.assertEqual(self.edit(3, "e", feedback_percent=9)[0], 409)
        self.assertEqual(self.edit(3, "e", time="1/4")[0], 200)

    def test_a_base_of_long_ago_is_told_to_load_anew_and_the_row_stays_small(self):
        for n in range(70):
            self.assertEqual(self.edit(n + 1, "l", level_db=-1 - n / 10)[0], 200)
        status, said = self.edit(2, "e", time="1/4")
        self.assertEqual(status, 409)
        self.assertIn("Load it again", said["detail"])
        self.assertEqual(self.edit(40, "e", time="1/4")[0], 200)
        self.assertEqual(len(Variant.objects.get(pk=self.variant).turns), 60)
        self.assertEqual(self.edit(999, "e", time="1/4")[0], 409)
