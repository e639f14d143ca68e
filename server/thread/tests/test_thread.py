"""What is in hand, the steps' words, deleted things and their way back, history."""

import uuid
from datetime import timedelta
from unittest import mock

import numpy as np
from django.utils import timezone

from server.rigs.models import Rig, Variant
from server.rigs.tests.test_rigs import RigCase
from server.songs.models import Song
from server.testing import clip_in, noise, person, song_for, wav_bytes
from server.thread.services import sweep_deleted


class InHand(RigCase):
    def test_it_is_kept_and_no_edit_clashes_with_it(self):
        hand = {"step": "blend", "variant": self.variant, "tools": {"blend": "hit"}, "at": 5}
        status, _ = self.call("put", f"/songs/{self.song.pk}/hand", hand)
        self.assertEqual(status, 204)
        _, got = self.call("get", f"/songs/{self.song.pk}")
        self.assertEqual(
            (got["hand"]["step"], got["hand"]["variant"], got["hand"]["tools"], got["revision"]),
            ("blend", self.variant, {"blend": "hit"}, 1),
        )

    def test_nonsense_and_others_songs_are_refused(self):
        self.assertEqual(self.call("put", f"/songs/{self.song.pk}/hand", {"at": -1})[0], 422)
        self.assertEqual(
            self.call("put", f"/songs/{self.song.pk}/hand", {"step": "x" * 999})[0], 422
        )
        theirs = song_for(person("bo"))
        self.assertEqual(self.call("put", f"/songs/{theirs.pk}/hand", {"step": "time"})[0], 404)
        self.assertEqual(self.call("get", f"/songs/{theirs.pk}/steps")[0], 404)
        self.assertEqual(self.call("get", f"/songs/{theirs.pk}/deleted")[0], 404)


class States(RigCase):
    def states(self, **asked):
        query = "&".join(f"{k}={v}" for k, v in asked.items())
        _, got = self.call("get", f"/songs/{self.song.pk}/steps?{query}")
        return {name: (one["words"], one["kind"]) for name, one in got.items()}

    def test_each_step_says_its_own(self):
        found = self.states(variant=self.variant)
        # 120 BPM: a dotted eighth is three quarters of 500 ms.
        self.assertEqual(found["time"], ("375.00 ms", "plain"))
        self.assertEqual(found["verify"], ("no test yet", "plain"))
        self.assertEqual(found["listen"], ("Space plays", "plain"))
        _, view = self.call("get", f"/variants/{self.variant}")
        open_ = [
            f
            for f in view["view"]["checks"]["findings"]
            if f["severity"] != "note" and not f["intended"]
        ]
        self.assertIn(str(len(open_)), found["route"][0])
        self.assertEqual(found["route"][1], "caution")

    def test_a_time_beyond_its_device_and_a_tail_over_a_clip(self):
        device = {"name": "Short box", "min_ms": 10, "max_ms": 300, "step_ms": 1}
        self.call(
            "patch",
            f"/songs/{self.song.pk}",
            {"base_revision": 1, "changes": {"device": device}},
        )
        # Two bursts with 0.6 s between them: 0.2 s of decay leaves -180 dB, 9 s leaves -4.
        burst, rest = noise(0.5), 0 * noise(0.6)
        sound = np.concatenate([burst, rest, burst])
        clip = clip_in(self.song, wav_bytes(sound), "two.wav")
        for rt60, want in ((0.2, ("1 of 1 clear", "passed")), (9, ("0 of 1 clear", "caution"))):
            Song.objects.filter(pk=self.song.pk).update(space={"rt60_s": rt60})
            self.assertEqual(self.states(clip=clip.pk)["space"], want)
        self.assertEqual(self.states()["time"], ("beyond the device", "caution"))

    def test_a_song_without_a_rig(self):
        self.call("delete", f"/rigs/{self.rig}")
        self.assertEqual(self.states()["route"], ("no rig yet", "plain"))


class Deleted(RigCase):
    def names(self):
        _, got = self.call("get", f"/songs/{self.song.pk}/deleted")
        return {(one["kind"], one["name"]): one for one in got}

    def back(self, key):
        one = self.names()[key]
        status, _ = self.call("post", f"/songs/{self.song.pk}/deleted/{one['id']}/restore")
        self.assertEqual(status, 204)
        self.assertNotIn(key, self.names())

    def test_a_variant_comes_back_at_a_free_letter(self):
        _, second = self.call("post", f"/rigs/{self.rig}/variants", {"name": "Loud"})
        self.call("delete", f"/variants/{second['id']}")
        self.assertEqual(self.call("get", f"/variants/{second['id']}")[0], 404)
        _, third = self.call("post", f"/rigs/{self.rig}/variants", {"name": "Other"})
        self.assertEqual(third["letter"], "B")
        self.back(("variant", "Loud"))
        _, got = self.call("get", f"/variants/{second['id']}")
        self.assertEqual(got["letter"], "C")

    def test_the_last_variant_stays(self):
        self.refused("delete", f"/variants/{self.variant}", None, 409, "last variant stays")

    def test_rig_clip_scene_and_delay(self):
        clip = clip_in(self.song, wav_bytes(noise()), "take.wav")
        self.call("delete", f"/clips/{clip.pk}")
        self.back(("clip", "take.wav"))
        scenes = [{"name": "Verse", "off": ["echo"], "values": {"hall": {"mix_percent": 40}}}]
        self.edit(1, {"do": "rig", "scenes": scenes})
        self.edit(2, {"do": "rig", "scenes": []})
        # A stage that the scene calls up is gone meanwhile.
        self.edit(3, {"do": "remove", "nodes": ["echo"]})
        self.assertEqual(self.names()[("scene", "Verse")]["of"], "Stage")
        self.back(("scene", "Verse"))
        _, got = self.call("get", f"/variants/{self.variant}")
        (scene,) = got["document"]["scenes"]
        self.assertEqual((scene["off"], scene["values"]), ([], {"hall": {"mix_percent": 40}}))
        lines = [{"name": "Slap", "value": "90 ms"}, {"name": "Throw", "value": "1/4"}]
        path = f"/songs/{self.song.pk}"
        self.call("patch", path, {"base_revision": 1, "changes": {"delays": lines}})
        self.call("patch", path, {"base_revision": 2, "changes": {"delays": lines[:1]}})
        self.back(("delay", "Throw"))
        _, got = self.call("get", path)
        self.assertEqual([d["name"] for d in got["delays"]], ["Slap", "Throw"])
        self.call("delete", f"/rigs/{self.rig}")
        self.back(("rig", "Stage"))

    def test_a_song_comes_back_a_week_later_and_not_after_thirty_days(self):
        self.call("delete", f"/songs/{self.song.pk}")
        for days, there in ((7, True), (29, True), (31, False)):
            later = timezone.now() + timedelta(days=days)
            with self.subTest(days), mock.patch("django.utils.timezone.now", return_value=later):
                self.client.force_login(self.user)
                _, got = self.call("get", "/deleted")
                self.assertEqual([one["name"] for one in got], ["Tide Table"] if there else [])
                if there:
                    self.assertEqual(got[0]["days_left"], 30 - days)
                    self.assertEqual(sweep_deleted(), 0)
        with mock.patch("django.utils.timezone.now", return_value=later):
            sweep_deleted()
        self.assertFalse(Song.objects.filter(pk=self.song.pk).exists())
        self.assertEqual(Rig.objects.count() + Variant.everything.count(), 0)

    def test_others_see_and_restore_nothing(self):
        self.call("delete", f"/rigs/{self.rig}")
        theirs = song_for(person("bo"))
        path = f"/songs/{theirs.pk}/deleted/{self.rig}/restore"
        self.assertEqual(self.call("post", path)[0], 404)
        mine = f"/songs/{self.song.pk}/deleted/{uuid.uuid4()}/restore"
        self.assertEqual(self.call("post", mine)[0], 404)


class History(RigCase):
    def test_it_names_each_edit_and_goes_to_any_point(self):
        self.mix(100)
        self.edit(2, {"do": "set", "node": "echo", "values": {"feedback_percent": 20}})
        self.edit(3, {"do": "insert", "at": "echo.0", "kind": "filter"})
        path = f"/variants/{self.variant}/history"
        _, steps = self.call("get", path)
        self.assertEqual(steps[-1]["said"], "Reverb mix 27 to 100 %")
        self.assertRegex(steps[1]["said"], "Delay feedback .* to 20 %")
        _, got = self.call("post", f"{path}/1")
        self.assertEqual(got["said"], "2 steps undone")
        self.assertEqual(got["document"]["nodes"]["hall"]["mix_percent"], 100)
        self.assertNotIn("filter1", got["document"]["nodes"])
        _, got = self.call("post", f"{path}/0")
        self.assertEqual(got["document"]["nodes"]["hall"]["mix_percent"], 27)
        _, got = self.call("post", f"{path}/3")
        self.assertIn("filter1", got["document"]["nodes"])
        self.assertEqual(got["said"], "3 steps done again")
        # The revision moves on with every step, so that another tab's base is read rightly.
        self.assertEqual(got["revision"], 10)
        _, got = self.call("post", f"{path}/3")
        self.assertEqual(got["revision"], 10)


class Order(RigCase):
    def test_rigs_and_variants_are_put_in_order_named_and_copied(self):
        self.call(
            "post",
            f"/songs/{self.song.pk}/rigs",
            {"name": "Second", "notation": "a: source > o: output"},
        )
        _, copy = self.call("post", f"/rigs/{self.rig}/duplicate")
        self.call("patch", f"/rigs/{copy['id']}", {"name": "Third"})

        def listed():
            _, rigs = self.call("get", f"/songs/{self.song.pk}/rigs")
            return [r["name"] for r in rigs]

        self.assertEqual(listed(), ["Stage", "Third", "Second"])
        self.call("patch", f"/rigs/{copy['id']}", {"position": 2})
        self.assertEqual(listed(), ["Stage", "Second", "Third"])
        self.call("patch", f"/rigs/{copy['id']}", {"position": 0})
        self.assertEqual(listed(), ["Third", "Stage", "Second"])
        made = [
            self.call("post", f"/rigs/{self.rig}/variants", {"name": name})[1]["id"]
            for name in ("x", "y")
        ]
        self.call("patch", f"/variants/{made[1]}", {"position": 0})
        _, rigs = self.call("get", f"/songs/{self.song.pk}/rigs")
        (stage,) = [r for r in rigs if r["name"] == "Stage"]
        self.assertEqual(
            [(v["letter"], v["name"]) for v in stage["variants"]],
            [("A", "y"), ("B", ""), ("C", "x")],
        )


class ToFind(RigCase):
    def asked(self, **query):
        text = "&".join(f"{k}={v}" for k, v in query.items())
        _, got = self.call("get", f"/songs/{self.song.pk}/exercises?{text}")
        return {one["step"]: one for one in got}

    def test_each_step_asks_what_can_be_found_there_and_knows_when_it_is(self):
        first = self.asked(variant=self.variant)
        # One variant, no clip, no device: nothing to hear apart, no gap, no end of a device.
        self.assertEqual(set(first), {"route", "blend", "verify"})
        self.assertEqual({one["met"] for one in first.values()}, {False})
        _, view = self.call("get", f"/variants/{self.variant}")
        heaviest = next(f for f in view["view"]["checks"]["findings"] if f["at"])
        self.assertTrue(self.asked(variant=self.variant, selected=heaviest["at"])["route"]["met"])
        self.call("post", f"/rigs/{self.rig}/variants", {})
        device = {"name": "Box", "min_ms": 20, "max_ms": 1000, "step_ms": 1}
        # 120 BPM: a dotted quarter is 750 ms, a dotted half 1500.
        line = {"name": "Guitar", "value": "1/4.", "device": device}
        self.call(
            "patch", f"/songs/{self.song.pk}", {"base_revision": 1, "changes": {"delays": [line]}}
        )
        clip_in(self.song, wav_bytes(np.tile(noise(0.5), (4, 1))))
        second = self.asked(variant=self.variant)
        self.assertTrue(second["time"]["met"])
        self.assertFalse(second["listen"]["met"])

    def test_nonsense_asks_the_same_of_the_first_ones(self):
        found = self.asked(variant=uuid.uuid4(), clip=uuid.uuid4(), selected="nowhere", delay=7)
        self.assertIn("route", found)
        status, _ = self.call("get", f"/songs/{self.song.pk}/exercises?selected={'x' * 99}")
        self.assertEqual(status, 422)
