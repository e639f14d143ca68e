"""Snapshots: what changed since, and going back without losing what came after."""

import uuid
from contextlib import suppress
from datetime import timedelta
from unittest import mock

from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from server.log.models import LogEntry
from server.rigs.models import Rig, Variant
from server.snapshots.keeping import keep_daily
from server.snapshots.models import Snapshot
from server.testing import ApiCase

RIG = 'g: source "Guitar" > v: volume "Pedal" > o: output'


class Snapshots(ApiCase):
    def setUp(self):
        super().setUp()
        self.rig = self.make("Live")
        self.variant = self.rig["variants"][0]["id"]

    def make(self, name: str, notation: str = RIG) -> dict:
        body = {"name": name, "notation": notation}
        status, made = self.call("post", f"/songs/{self.song.pk}/rigs", body)
        self.assertEqual(status, 200, made)
        return made

    def take(self, name: str = "Before the tour") -> str:
        status, made = self.call("post", f"/songs/{self.song.pk}/snapshots", {"name": name})
        self.assertEqual(status, 200, made)
        return made["id"]

    def set(self, variant: str, **values) -> dict:
        now = self.call("get", f"/variants/{variant}")[1]
        action = {"do": "set", "node": "v", "values": values}
        body = {
            "id": str(uuid.uuid4()), "base_revision": now["revision"], "action": action,
        }  # fmt: skip
        status, said = self.call("post", f"/variants/{variant}/edits", body)
        self.assertEqual(status, 200, said)
        return said

    def edit(self, **changes) -> None:
        self.song.refresh_from_db()
        body = {"base_revision": self.song.revision, "changes": changes}
        status, said = self.call("patch", f"/songs/{self.song.pk}", body)
        self.assertEqual(status, 200, said)

    def changed(self, snapshot: str) -> dict[str, list[str]]:
        found = self.call("get", f"/snapshots/{snapshot}/changes")[1]
        return {one["of"]: one["lines"] for one in found}

    def back(self, snapshot: str, **more) -> dict:
        status, kept = self.call("post", f"/snapshots/{snapshot}/go-back", more)
        self.assertEqual(status, 200, kept)
        return kept

    def level(self) -> float:
        return Variant.objects.get(pk=self.variant).document["nodes"]["v"]["output_db"]

    def test_what_changed_is_told_in_words_and_figures(self):
        kept = self.take()
        self.assertEqual(self.changed(kept), {})
        self.set(self.variant, output_db=-6)
        first, *more = self.song.tempo_map
        self.edit(tempo_map=[first | {"tempo_bpm": 96}, *more], delay_value="1/4")
        other = self.make("Later")
        found = self.changed(kept)
        self.assertEqual(found["Song"], ["tempo 120 BPM → 96 BPM", "delay 1/8. → 1/4"])
        self.assertEqual(found["Live"], ["A: Pedal: output 0 dB → -6 dB"])
        self.assertEqual(found["Later"], ["The rig is new"])
        self.call("delete", f"/rigs/{self.rig['id']}")
        self.assertEqual(self.changed(kept)["Live"], ["The rig is deleted"])
        self.assertEqual(other["name"], "Later")

    def test_whole_and_forth_again(self):
        kept = self.take()
        self.set(self.variant, output_db=-6)
        self.edit(title="Another title", delay_value="1/4")
        later = self.make("Later")["id"]
        self.call("delete", f"/rigs/{self.rig['id']}")
        before = self.back(kept)
        self.song.refresh_from_db()
        self.assertEqual((self.song.delay_value, self.level()), ("1/8.", 0))
        self.assertIsNone(Rig.objects.get(pk=self.rig["id"]).deleted_at)
        # What came after is there still, and what was there before is kept.
        self.assertIsNone(Rig.objects.get(pk=later).deleted_at)
        self.assertEqual(before["kind"], "before")
        self.assertEqual(self.changed(kept), {"Later": ["The rig is new"]})
        # Undone in the variant by its own undo, and altogether by going back to what was before.
        said = self.call("post", f"/variants/{self.variant}/undo")[1]
        self.assertEqual(said["said"], "Undone: Back to “Before the tour”")
        self.assertEqual(self.level(), -6)
        self.back(before["id"])
        self.song.refresh_from_db()
        self.assertEqual((self.song.title, self.song.delay_value), ("Another title", "1/4"))

    def test_one_rig_alone(self):
        kept = self.take()
        self.set(self.variant, output_db=-6)
        self.edit(delay_value="1/4")
        self.back(kept, rig=self.rig["id"])
        self.song.refresh_from_db()
        self.assertEqual((self.song.delay_value, self.level()), ("1/4", 0))
        self.refused(
            "post", f"/snapshots/{kept}/go-back", {"rig": str(uuid.uuid4())}, 404, "not in"
        )

    def test_variants_that_were_deleted_come_back_and_newer_ones_stay(self):
        path = f"/rigs/{self.rig['id']}/variants"
        b = self.call("post", path, {})[1]["id"]
        kept = self.take()
        self.call("delete", f"/variants/{b}")
        c = self.call("post", path, {})[1]["id"]
        Variant.everything.filter(pk=self.variant).delete()
        self.back(kept)
        there = set(Variant.objects.filter(rig=self.rig["id"]).values_list("pk", "position"))
        self.assertEqual({str(pk) for pk, _ in there}, {self.variant, b, c})
        self.assertEqual({position for _, position in there}, {0, 1, 2})

    def test_delays_that_rigs_use_come_and_go_with_them(self):
        lead = {"name": "Lead throw", "value": "1/4"}
        first = {"name": "Delay", "value": "1/8."}
        self.edit(delays=[first, lead])
        uses = 'g: source "Guitar" > e: delay "Echo" (time @lead_throw) > o: output'
        using = self.make("Throws", uses)
        kept = self.take()
        self.call("delete", f"/rigs/{using['id']}")
        self.edit(
            delays=[first, {"name": "Slap", "value": "90 ms"}, {"name": "Spare", "value": "80 ms"}]
        )
        self.make("Slapped", uses.replace("lead_throw", "slap"))
        self.back(kept)
        self.song.refresh_from_db()
        # Lead throw is back, Slap is used by what came after, Spare by nobody.
        self.assertEqual([d["name"] for d in self.song.delays], ["Delay", "Lead throw", "Slap"])
        self.assertEqual(self.call("get", f"/variants/{using['variants'][0]['id']}")[0], 200)

    def test_the_first_edit_of_a_day_keeps_what_the_day_found(self):
        self.set(self.variant, output_db=-6)
        self.set(self.variant, output_db=-9)
        (daily,) = Snapshot.objects.filter(kind="daily")
        document = daily.content["rigs"][0]["variants"][0]["document"]
        self.assertEqual(document["nodes"]["v"].get("output_db", 0), 0)
        Snapshot.objects.update(created_at=timezone.now() - timedelta(days=1))
        self.edit(delay_value="1/4")
        self.edit(delay_value="1/2")
        newest = Snapshot.objects.filter(kind="daily").first()
        self.assertEqual(Snapshot.objects.filter(kind="daily").count(), 2)
        self.assertEqual(newest.content["song"]["delay_value"], "1/8.")
        for k in range(70):
            Snapshot.objects.create(
                song=self.song, name=str(k), kind="daily", content=newest.content
            )
        Snapshot.objects.update(created_at=timezone.now() - timedelta(days=2))
        self.edit(delay_value="1/8")
        self.assertEqual(Snapshot.objects.filter(kind="daily").count(), 60)

    def test_a_day_is_looked_for_until_it_is_known_to_be_kept_and_the_next_day_again(self):
        song, today = self.song.pk, timezone.now()
        daily = Snapshot.objects.filter(song=song, kind="daily")

        def edited() -> bool:
            """Whether an edit that was committed looked for the snapshot of its day."""
            committed = self.captureOnCommitCallbacks(execute=True)
            with CaptureQueriesContext(connection) as asked, committed:
                keep_daily(song)
            return any("snapshots_snapshot" in one["sql"] for one in asked)

        # What was made in an edit that was taken back was never there: it is looked for again.
        with self.captureOnCommitCallbacks(), suppress(ZeroDivisionError), transaction.atomic():
            keep_daily(song)
            keep_daily(song)
            raise ZeroDivisionError
        self.assertEqual((daily.count(), edited(), daily.count()), (0, True, 1))
        self.assertEqual([edited(), edited(), edited()], [True, False, False])
        tomorrow = today + timedelta(days=1)
        with mock.patch("server.snapshots.keeping.timezone.now", return_value=tomorrow):
            self.assertTrue(edited())
        self.assertEqual(daily.count(), 2)

    def test_names_lists_and_what_cannot_be(self):
        path = f"/songs/{self.song.pk}/snapshots"
        for bad in ("", "  ", "x" * 121, "a\x00b", None):
            self.refused("post", path, {"name": bad}, 422, "")
        first, second = self.take("One"), self.take("Two")
        self.assertEqual([s["name"] for s in self.call("get", path)[1]], ["Two", "One"])
        titles = LogEntry.objects.filter(kind="snapshot").values_list("title", "text")
        self.assertEqual(list(titles), [("Two", "1 rig, 1 variant"), ("One", "1 rig, 1 variant")])
        self.assertEqual(self.call("delete", f"/snapshots/{first}")[0], 204)
        self.assertEqual([s["id"] for s in self.call("get", path)[1]], [second])
        self.assertEqual(self.call("get", f"/snapshots/{first}/changes")[0], 404)
        self.assertEqual(self.call("post", f"/snapshots/{first}/restore")[0], 200)
        self.assertEqual([s["id"] for s in self.call("get", path)[1]], [second, first])

    def test_named_delays_that_came_after_stay_where_a_newer_rig_uses_them(self):
        """The song of the snapshot had never named a delay: its own list is empty."""
        type(self.song).objects.filter(pk=self.song.pk).update(delays=[])
        kept = self.take()
        self.assertEqual(Snapshot.objects.get(pk=kept).content["song"]["delays"], [])
        self.edit(delays=[{"name": "Delay", "value": "1/4"}, {"name": "Slap", "value": "90 ms"}])
        uses = 'g: source "Guitar" > e: delay "Echo" (time @slap) > o: output'
        newer = self.make("Slapped", uses)["variants"][0]["id"]
        self.back(kept)
        self.song.refresh_from_db()
        self.assertEqual([d["name"] for d in self.song.delays], ["Delay", "Slap"])
        self.assertEqual((self.song.delays[0]["value"], self.song.delay_value), ("1/8.", "1/8."))
        self.assertEqual(self.call("get", f"/variants/{newer}")[0], 200)

    def test_a_rig_has_one_title_in_its_newer_variants_too(self):
        kept = self.take()
        newer = self.call("post", f"/rigs/{self.rig['id']}/variants", {})[1]["id"]
        self.call("patch", f"/rigs/{self.rig['id']}", {"name": "Tour"})
        self.assertEqual(Rig.objects.get(pk=self.rig["id"]).name, "Tour")
        self.back(kept, rig=self.rig["id"])
        titles = {v.document["title"] for v in Variant.objects.filter(pk__in=[newer, self.variant])}
        self.assertEqual((Rig.objects.get(pk=self.rig["id"]).name, titles), ("Live", {"Live"}))

    def test_of_those_kept_by_themselves_the_oldest_go(self):
        kept = self.take()
        content = Snapshot.objects.get(pk=kept).content
        for k in range(70):
            Snapshot.objects.create(song=self.song, name=f"{k}", kind="before", content=content)
        self.back(kept)
        left = Snapshot.objects.filter(kind="before")
        self.assertEqual((left.count(), left.filter(name="0").exists()), (60, False))
        self.assertTrue(left.filter(name__startswith="Before going back").exists())
        self.assertTrue(Snapshot.objects.filter(pk=kept).exists())

    def test_what_cannot_be_gone_back_to_changes_nothing(self):
        kept = self.take()
        self.set(self.variant, output_db=-6)
        row = Snapshot.objects.get(pk=kept)
        broken = row.content["rigs"][0]["variants"][0]["document"]
        broken["nodes"]["v"]["time"] = "@nowhere"
        broken["nodes"]["v"]["kind"] = "delay"
        broken["nodes"]["v"].pop("output_db", None)
        row.save()
        count = Snapshot.objects.count()
        status, said = self.call("post", f"/snapshots/{kept}/go-back", {})
        self.assertGreaterEqual(status, 400)
        self.assertLess(status, 500, said)
        self.assertEqual((self.level(), Snapshot.objects.count()), (-6, count))
