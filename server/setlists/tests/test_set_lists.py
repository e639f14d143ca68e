"""Set lists are kept, edited from two places, put away; cards say what is gone."""

import uuid

from django.test import Client

from server.rigs.models import Variant
from server.rigs.services import create_rig, delete_rig
from server.setlists.models import SetList
from server.songs.services import delete_song
from server.testing import ApiCase, person, song_for

RIG = """
g: source "Guitar" > d: drive "Fuzz" (gain 9 dB) > main: output
scene "Bridge" program 41: off d
"""


class SetLists(ApiCase):
    def made(self, **more):
        status, one = self.call("post", "/set-lists", {"name": "Pier, Friday", **more})
        self.assertEqual(status, 200, one)
        return one

    def entry(self, **more):
        return {"key": uuid.uuid4().hex, "song": str(self.song.pk), **more}

    def cards(self, one):
        status, stage = self.call("get", f"/set-lists/{one['id']}/stage")
        self.assertEqual(status, 200)
        return stage["cards"]

    def test_a_list_is_made_put_in_order_and_read_on_stage(self):
        second = song_for(self.user, "Second Wind")
        one = self.made(entries=[self.entry(), {"key": "p", "kind": "pause", "title": "Talk"}])
        entries = [{"key": "s", "song": str(second.pk)}, *one["values"]["entries"]]
        values = {**one["values"], "entries": entries}
        status, edited = self.call(
            "put", f"/set-lists/{one['id']}", {"base_revision": 1, "values": values}
        )
        self.assertEqual((status, edited["revision"]), (200, 2))
        cards = self.cards(one)
        self.assertEqual([c["title"] for c in cards], ["Second Wind", "Tide Table", "Talk"])
        # A dotted eighth at 120 quarters: 375 ms.
        self.assertEqual(cards[0]["lines"][0]["figure"], "375")

    def test_the_scene_sets_the_stage_and_sends_its_program_on_the_lists_channel(self):
        rig = create_rig(self.song, "Board", None, RIG)
        variant = str(rig.variants.get().pk)
        plain, bridge, gone = (
            self.entry(variant=variant), self.entry(variant=variant, scene="Bridge"),
            self.entry(variant=variant, scene="Solo"),
        )  # fmt: skip
        one = self.made(channel=7, entries=[plain, bridge, gone])
        cards = self.cards(one)
        self.assertEqual([c["programs"] for c in cards], [[], [{"channel": 7, "program": 41}], []])
        fuzz = [[line["figure"] for line in c["lines"] if "Fuzz" in line["name"]] for c in cards]
        self.assertEqual(fuzz, [["9"], [], []])
        self.assertIn("no scene “Solo”", cards[2]["caution"])
        delete_rig(self.user, rig.pk)
        self.assertIn("is gone", self.cards(one)[0]["caution"])
        # What was deleted stays in the list and can be edited around.
        values = {**one["values"], "name": "Pier, Saturday"}
        status, _ = self.call(
            "put", f"/set-lists/{one['id']}", {"base_revision": 1, "values": values}
        )
        self.assertEqual(status, 200)
        delete_song(self.user, self.song.pk)
        self.assertEqual([c["kind"] for c in self.cards(one)], ["missing"] * 3)

    def test_two_places_never_overwrite_each_other_unseen_and_the_same_edit_counts_once(self):
        one = self.made()
        path = f"/set-lists/{one['id']}"
        mine = {"base_revision": 1, "values": {**one["values"], "name": "Mine"}}
        for _ in range(2):
            status, now = self.call("put", path, mine)
            self.assertEqual((status, now["revision"]), (200, 2))
        theirs = {"base_revision": 1, "values": {**one["values"], "name": "Theirs"}}
        problem = self.refused("put", path, theirs, 409, "changed in another place")
        self.assertEqual((problem["theirs"]["name"], problem["revision"]), ("Mine", 2))
        self.assertEqual(SetList.objects.get().name, "Mine")

    def test_what_is_anothers_is_refused(self):
        other = song_for(person("bob"), "Not Yours")
        rig = create_rig(other, "Board", None, RIG)
        variant = Variant.objects.get(rig=rig)
        self.refused("post", "/set-lists", {"name": "x", "entries": [self.entry(song=str(other.pk))]}, 422, "not yours")  # fmt: skip
        self.refused("post", "/set-lists", {"name": "x", "entries": [self.entry(variant=str(variant.pk))]}, 422, "not of its song")  # fmt: skip
        self.assertFalse(SetList.objects.exists())
        mine = self.made()
        stranger = Client()
        stranger.force_login(other.owner)
        for path in ("", "/stage"):
            answer = stranger.get(f"/api/v1/set-lists/{mine['id']}{path}")
            self.assertEqual(answer.status_code, 404)

    def test_bad_lists_get_a_sentence(self):
        for bad, words in (
            ({"name": " "}, "Name"),
            ({"name": "x", "entries": [{"key": "a"}]}, "song or a pause"),
            ({"name": "x", "entries": [self.entry(count_bars=9)]}, "Count bars"),
            ({"name": "x", "entries": [{"key": str(n), "kind": "pause"} for n in range(121)]}, "120"),
        ):  # fmt: skip
            with self.subTest(bad):
                self.refused("post", "/set-lists", bad, 422, words)

    def test_a_song_that_cannot_be_read_takes_nothing_from_the_others(self):
        bad = song_for(self.user, "Soup")
        bad.delays = [{"name": "Lead", "value": "soup"}]
        bad.save()
        one = self.made(entries=[self.entry(), self.entry(song=str(bad.pk))])
        good, spoilt = self.cards(one)
        self.assertEqual(good["lines"][0]["figure"], "375")
        self.assertEqual((spoilt["title"], spoilt["lines"]), ("Soup", []))
        self.assertIn("soup", spoilt["caution"])

    def test_put_away_and_brought_back(self):
        one = self.made(entries=[self.entry()])
        self.assertEqual(self.call("delete", f"/set-lists/{one['id']}")[0], 204)
        self.assertEqual(self.call("get", "/set-lists")[1], [])
        deleted = self.call("get", "/set-lists?deleted=true")[1]
        self.assertEqual([d["id"] for d in deleted], [one["id"]])
        status, back = self.call("post", f"/set-lists/{one['id']}/restore")
        self.assertEqual((status, back["values"]), (200, one["values"]))

    def test_a_long_evening_asks_the_database_a_bounded_number_of_times(self):
        variant = str(create_rig(self.song, "Board", None, RIG).variants.get().pk)
        one = self.made(entries=[self.entry(variant=variant) for _ in range(120)])
        path = f"/set-lists/{one['id']}/stage"
        # Session, person, list, songs, variants, and the two sorts of devices.
        with self.assertNumQueries(7):
            self.call("get", path)


class Worker(ApiCase):
    def test_the_worker_names_every_file_and_changes_with_the_release(self):
        answer = self.client.get("/service-worker.js")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(answer["Cache-Control"], "no-cache")
        self.assertTrue(answer["Content-Type"].startswith("text/javascript"))
        head = answer.content.decode().split("\n", 1)[0]
        for file in ("index-", "StagePage-", ".woff2", ".svg"):
            self.assertIn(file, head)
