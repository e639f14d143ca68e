"""Finding through the API: by the trade's words, only one's own, and in few questions to the database."""

from importlib import import_module
from urllib.parse import quote
from uuid import uuid4

from django.apps import apps
from django.db import connection
from django.test.utils import CaptureQueriesContext

from core.find import plain
from server.log.services import write
from server.rigs.models import Variant
from server.setlists.models import SetList
from server.songs.models import Song
from server.testing import ApiCase, clip_in, noise, person, song_for, wav_bytes

NOTATION = """
v: source "Voice" > s: send "To the hall" (level -9 dB) > m: merge > o: output
s > b: bus > hall: reverb "Big room" > back: return (inverted) > m
"""


class Find(ApiCase):
    def setUp(self):
        super().setUp()
        body = {"name": "Harbour", "notation": NOTATION}
        self.rig = self.call("post", f"/songs/{self.song.pk}/rigs", body)[1]

    def found(self, words, song=None, **more):
        query = f"&song={song}" if song else ""
        status, found = self.call("get", f"/find?words={words}{query}")
        self.assertEqual(status, 200, found)
        return found

    def titles(self, words, sort, song=None):
        return [h["title"] for h in self.found(words, song)["found"] if h["sort"] == sort]

    def test_a_stage_by_its_name_its_kind_and_what_others_call_it(self):
        for words in ("big room", "reverb", "verb", "Hall big"):
            self.assertIn("Big room", self.titles(words, "stage"), words)
        self.assertEqual(self.titles("aux", "stage"), ["To the hall"])
        hit = next(h for h in self.found("big room")["found"] if h["sort"] == "stage")
        self.assertEqual(
            (hit["song"], hit["place"], hit["node"], hit["variant"], hit["about"]),
            (str(self.song.pk), "route", "hall", self.rig["variants"][0]["id"], "Tide Table, Harbour A"),
        )  # fmt: skip

    def test_a_set_list_by_its_name_only_one_s_own_and_none_that_was_deleted(self):
        mine = self.call("post", "/set-lists", {"name": "Pier, Friday"})[1]
        SetList.objects.create(owner=person("bob"), name="Pier of Bob", content={"name": "x"})
        found = [h for h in self.found("pier")["found"] if h["sort"] == "list"]
        self.assertEqual([(h["title"], h["place"]) for h in found], [("Pier, Friday", f"set-lists/{mine['id']}")])  # fmt: skip
        self.call("delete", f"/set-lists/{mine['id']}")
        self.assertEqual(self.titles("pier", "list"), [])

    def test_the_same_stage_of_two_variants_is_one(self):
        self.call("post", f"/rigs/{self.rig['id']}/variants", {})
        self.assertEqual(self.titles("big room", "stage"), ["Big room"])

    def test_what_is_renamed_undone_or_stands_at_a_siding_is_found_as_it_is_now(self):
        path = f"/variants/{self.rig['variants'][0]['id']}"
        action = {"do": "set", "node": "hall", "values": {"name": "Cathedral"}}
        self.call("post", f"{path}/edits", {"base_revision": 1, "action": action})
        self.assertEqual(self.titles("cathedral", "stage"), ["Cathedral"])
        self.assertEqual(self.titles("big room", "stage"), [])
        self.call("post", f"{path}/undo")
        self.assertEqual(self.titles("cathedral", "stage"), [])
        self.assertEqual(self.titles("big room", "stage"), ["Big room"])
        text = 'a: source > eight: frame (line none) > o: output\nsiding eight 2 > drive1 "Mud pie" (gain 3 dB)'
        body = {"name": "Sidings", "notation": text}
        self.call("post", f"/songs/{self.song.pk}/rigs", body)
        hit = next(h for h in self.found("mud pie")["found"] if h["sort"] == "stage")
        self.assertEqual(hit["node"], "eight")

    def test_rigs_of_before_are_found_after_the_upgrade(self):
        Variant.objects.update(parts="[]", found_by="")
        self.assertEqual(self.titles("big room", "stage"), [])
        for step in ("0007_variant_parts", "0008_words_alone"):
            import_module(f"server.rigs.migrations.{step}").fill(apps, None)
        self.assertEqual(self.titles("big room", "stage"), ["Big room"])

    def test_songs_rigs_clips_devices_checks_and_the_log(self):
        clip_in(self.song, wav_bytes(noise(0.05)), "Slap take.wav")
        self.call("put", "/panels", {"name": "Slap box"})
        write(self.song.pk, "log", "note", "Slap is better late")
        sorts = {h["sort"] for h in self.found("slap")["found"]}
        self.assertLessEqual({"clip", "device", "log"}, sorts)
        self.assertEqual(self.titles("tide", "song"), ["Tide Table"])
        self.assertEqual(self.titles("harbour", "rig"), ["Harbour"])
        self.assertTrue(self.titles("polarity", "check"))
        found = self.found("set tempo 96", self.song.pk)
        self.assertEqual([w["title"] for w in found["wishes"]], ["Set the tempo to 96 BPM"])
        self.assertEqual(self.found("aux")["wanted"], [["aux", "send"]])

    def test_the_database_writes_words_as_the_search_reads_them(self):
        titles = [
            "Café  Noël",
            "ÅNGSTRÖM\tØre",
            "a_b% \\ c'd",
            "ｆｕｌｌ ﬁne",
            "Über\nalles",
            "ΜΕΓΑΛΟΣ",
            "été",
            "Große Straße",
            "हिन्दी गीत",
            "שִׁיר",
        ]
        for title in titles:
            song = song_for(self.user, title)
            held = Song.objects.get(pk=song.pk)
            self.assertEqual(
                held.found_by, plain(f"{title} {held.players}") + " " * (not held.players)
            )
            for typed in (title, title.upper(), plain(title)):
                self.assertIn(title, self.titles(quote(typed), "song"), typed)
        # Where it is said by more than one word, one of them is enough; where two are typed, both count.
        self.assertEqual(self.titles("cafe%20ore", "song"), [])

    def test_a_log_line_by_its_figure_and_parts_without_a_name_by_none(self):
        write(self.song.pk, "verify", "null test", "Print against loop", number="−58.5 dB")
        self.assertEqual(self.titles("58.5", "log"), ["Print against loop"])
        self.assertEqual(self.titles("null", "stage"), [])
        parts = Variant.objects.get().parts
        self.assertNotIn("null", parts)
        # Each word once, kinds as they are called in the document.
        self.assertEqual(
            Variant.objects.get().found_by.split("\n")[:3], ['"source"', "voice", '"send"']
        )

    def test_a_setting_leaves_what_a_rig_is_found_by_and_a_name_or_a_part_does_not(self):
        variant = Variant.objects.get()

        def edit(**action):
            body = {"id": str(uuid4()), "base_revision": variant.revision, "action": action}
            status, told = self.call("post", f"/variants/{variant.pk}/edits", body)
            self.assertEqual(status, 200, told)
            variant.refresh_from_db()

        source = next(n for n, v in variant.document["nodes"].items() if v["kind"] == "source")
        Variant.objects.update(found_by="as it stood")
        edit(do="set", node=source, values={"level_dbfs": -21})
        self.assertEqual((variant.found_by, variant.revision), ("as it stood", 2))
        edit(do="set", node=source, values={"name": "Bombarde"})
        self.assertIn("bombarde", variant.found_by)
        self.assertEqual(self.titles("bombarde", "stage"), ["Bombarde"])

    def test_of_many_that_fit_those_of_the_song_in_hand_are_looked_at_first(self):
        write(self.song.pk, "log", "note", "Lantern of this song")
        other = song_for(self.user, "Another")
        for n in range(70):
            write(other.pk, "log", "note", f"Lantern {n}")
        self.assertNotIn("Lantern of this song", self.titles("lantern", "log"))
        self.assertEqual(self.titles("lantern", "log", self.song.pk)[0], "Lantern of this song")

    def test_the_song_in_hand_goes_before_others(self):
        other = song_for(self.user, "Another")
        self.call("post", f"/songs/{other.pk}/rigs", {"name": "Two", "notation": NOTATION})
        for song in (other, self.song):
            hit = next(h for h in self.found("big room", song.pk)["found"] if h["sort"] == "stage")
            self.assertEqual(hit["song"], str(song.pk))

    def test_nothing_of_anybody_else_and_nothing_deleted(self):
        self.client.force_login(person("eve"))
        found = [h for h in self.found("big room")["found"] if h["sort"] != "check"]
        self.assertEqual(found, [])
        self.refused("get", f"/find?words=a&song={self.song.pk}", None, 404, "not yours")
        self.client.force_login(self.user)
        Song.objects.filter(pk=self.song.pk).update(deleted_at="2026-11-01T00:00:00Z")
        self.assertEqual(self.titles("big room", "stage"), [])

    def test_bad_words(self):
        self.assertEqual(self.found("%20%20")["found"], [])
        for words in ("100%25", "_", "'; drop", "%5C", '"', "a%20" * 20):
            self.found(words)
        self.refused("get", f"/find?words={'a' * 81}", None, 422, "Words")
        self.refused("get", "/find?words=%00", None, 422, "")

    def test_as_many_questions_however_much_there_is(self):
        def asked():
            with CaptureQueriesContext(
                connection,
            ) as queries:
                self.found("big room slap", self.song.pk)
            return len(queries)

        few = 0
        for n in range(30):
            few = asked() if n == 1 else few
            song = song_for(self.user, f"Big room {n}")
            self.call("post", f"/songs/{song.pk}/rigs", {"name": f"Slap {n}", "notation": NOTATION})
            write(song.pk, "log", "note", f"Big room, slap {n}")
        self.assertEqual(asked(), few)
        self.assertLessEqual(len(self.found("big room")["found"]), 40)
