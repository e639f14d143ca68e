"""Links: not guessed, ended, taken back; and what a stranger sees is what was chosen, and no more."""

import json
from datetime import timedelta

from django.test import Client
from django.utils import timezone

from server.jobs.models import Status
from server.log.models import LogEntry
from server.renders.models import Render
from server.rigs.models import Variant
from server.rigs.services import create_rig, delete_rig
from server.shares.models import ShareLink
from server.songs.services import delete_song
from server.testing import ApiCase, clip_in, noise, person, song_for, wav_bytes
from server.verify.models import NullTest
from server.verify.tasks import run_null_test

RIG = 'g: source "Guitar" > d: drive "Fuzz" (gain 9 dB) > main: output'


class Shares(ApiCase):
    def setUp(self):
        super().setUp()
        self.stranger = Client()
        self.rig = create_rig(self.song, "Board", None, RIG)
        self.variant = self.rig.variants.get()

    def link(self, kind="song", thing=None, **more):
        body = {"kind": kind, "thing": thing and str(thing.pk), **more}
        status, made = self.call("post", f"/songs/{self.song.pk}/links", body)
        self.assertEqual(status, 200, made)
        return made

    def seen(self, link, rest=""):
        return self.stranger.get(f"/api/v1{link['path']}{rest}")

    def render(self, variant=None, sound=None):
        clip = clip_in(self.song, wav_bytes(noise(0.2) if sound is None else sound), "riff.wav")
        return Render.objects.create(
            variant=variant or self.variant, clip=clip, output="main", digest=str(clip.pk), document={},
            blob=clip.blob, status=Status.DONE, report={"seconds": 0.2, "peak_dbfs": -8.0},
        )  # fmt: skip

    def test_a_song_is_seen_without_what_was_not_chosen(self):
        clip_in(self.song, wav_bytes(noise(0.2, seed=5)), "secret take.wav")
        LogEntry.objects.create(song=self.song, kind="note", title="quarrel with the drummer")
        quiet = self.render()
        link = self.link()
        answer = self.seen(link)
        self.assertEqual(answer.status_code, 200)
        said = answer.json()
        self.assertEqual((said["title"], said["by"], said["renders"]), ("Tide Table", "", []))
        # A dotted eighth at 120 quarters.
        self.assertEqual(said["delays_ms"], [375.0])
        self.assertEqual([v["rig"] for v in said["variants"]], ["Board"])
        for hidden in ("secret", "quarrel", self.user.username, str(quiet.pk), "owner"):
            self.assertNotIn(hidden, answer.content.decode())
        sheet = self.seen(link, f"/sheets/{self.variant.pk}")
        self.assertEqual(sheet.json()["rows"][0]["name"], "Fuzz")
        for headers in (answer.headers, sheet.headers):
            self.assertEqual(headers["Cache-Control"], "no-store")
            self.assertIn("noindex", headers["X-Robots-Tag"])
        self.assertEqual(self.seen(link, f"/renders/{quiet.pk}").status_code, 404)

    def test_the_name_and_the_sound_are_there_where_they_were_wished(self):
        heard, other = self.render(), self.render(sound=noise(0.2, seed=9))
        link = self.link(renders=[str(heard.pk)], with_name=True)
        said = self.seen(link).json()
        self.assertEqual((said["by"], [r["id"] for r in said["renders"]]), ("ada", [str(heard.pk)]))
        sound = self.seen(link, f"/renders/{heard.pk}")
        self.assertEqual(b"".join(sound.streaming_content)[:4], b"RIFF")
        self.assertEqual(self.seen(link, f"/renders/{other.pk}").status_code, 404)

    def test_a_sheet_shows_its_own_variant_alone(self):
        other = create_rig(self.song, "Other", None, RIG).variants.get()
        link = self.link("sheet", self.variant)
        said = self.seen(link).json()
        self.assertEqual(said["tempo_map"] + said["delays"], [])
        self.assertEqual([v["id"] for v in said["variants"]], [str(self.variant.pk)])
        self.assertEqual(self.seen(link, f"/sheets/{self.variant.pk}").status_code, 200)
        self.assertEqual(self.seen(link, f"/sheets/{other.pk}").status_code, 404)

    def test_a_proof_shows_the_proof_alone(self):
        a = clip_in(self.song, wav_bytes(noise(0.5)), "dry.wav")
        b = clip_in(self.song, wav_bytes(noise(0.5) * 0.5), "wet.wav")
        body = {"clip_a": str(a.pk), "clip_b": str(b.pk)}
        status, test = self.call("post", f"/songs/{self.song.pk}/null-tests", body)
        self.assertEqual(status, 200, test)
        self.refused("post", f"/songs/{self.song.pk}/links", {"kind": "test", "thing": test["id"]}, 422, "not done")  # fmt: skip
        run_null_test(test_id=test["id"])
        link = self.link("test", NullTest.objects.get())
        said = self.seen(link).json()
        self.assertIn("6.02 dB", json.dumps(said["proof"], ensure_ascii=False))
        self.assertEqual((said["variants"], said["delays"], said["players"]), ([], [], ""))
        self.assertEqual(self.seen(link, f"/sheets/{self.variant.pk}").status_code, 404)
        NullTest.objects.update(deleted_at=timezone.now())
        self.assertEqual(self.seen(link).status_code, 404)

    def test_links_end(self):
        link = self.link()
        self.assertEqual(self.seen(link).status_code, 200)
        self.assertIsNotNone(self.call("get", f"/songs/{self.song.pk}/links")[1][0]["seen_at"])
        row = ShareLink.objects.get()
        for change, back in (
            ({"expires_at": timezone.now() - timedelta(seconds=1)}, {"expires_at": row.expires_at}),
            ({"revoked_at": timezone.now()}, {"revoked_at": None}),
        ):
            ShareLink.objects.update(**change)
            gone = self.seen(link)
            self.assertEqual(gone.status_code, 404)
            self.assertNotIn("Tide", gone.content.decode())
            ShareLink.objects.update(**back)
            self.assertEqual(self.seen(link).status_code, 200)
        self.assertEqual(self.call("delete", f"/links/{link['id']}")[0], 204)
        self.assertEqual(self.seen(link).status_code, 404)
        self.assertEqual(self.call("get", f"/songs/{self.song.pk}/links")[1], [])
        again = self.link()
        delete_song(self.user, self.song.pk)
        self.assertEqual(self.seen(again).status_code, 404)

    def test_a_link_cannot_be_guessed_or_bent(self):
        token = self.link()["path"].rsplit("/", 1)[1]
        self.assertGreaterEqual(len(token), 64)
        other = self.link()["path"].rsplit("/", 1)[1]
        swapped = token[:32] + other[32:]
        flipped = token[:-1] + ("0" if token[-1] != "0" else "1")
        for wrong in (token[:32], token[:-1], token + "0", flipped, swapped, "x" * 72, token.upper(), "é" * 72):  # fmt: skip
            self.assertEqual(self.stranger.get(f"/api/v1/shared/{wrong}").status_code, 404, wrong)
        # What is in the database is not enough to make one.
        kept = {f.name: str(getattr(ShareLink.objects.first(), f.attname)) for f in ShareLink._meta.fields}  # fmt: skip
        self.assertNotIn(token[32:], json.dumps(kept))

    def test_what_is_another_s_cannot_be_shared(self):
        theirs = song_for(person("bob"))
        variant = create_rig(theirs, "Board", None, RIG).variants.get()
        foreign = self.render(variant=variant)
        path = f"/songs/{self.song.pk}/links"
        self.refused(
            "post", path, {"kind": "sheet", "thing": str(variant.pk)}, 422, "not of this song"
        )
        self.refused(
            "post", path, {"kind": "song", "renders": [str(foreign.pk)]}, 422, "not of this song"
        )
        self.refused(
            "post", path, {"kind": "song", "thing": str(self.variant.pk)}, 422, "one thing"
        )
        self.refused("post", path, {"kind": "sheet"}, 422, "one thing")
        self.refused("post", path, {"kind": "song", "days": 0}, 422, "Days")
        self.assertFalse(ShareLink.objects.exists())

    def test_a_guest_shares_nothing_and_a_deleted_rig_is_seen_no_more(self):
        link = self.link("sheet", self.variant)
        delete_rig(self.user, self.rig.pk)
        self.assertEqual(self.seen(link).status_code, 404)
        Variant.objects.all()
        self.user.is_guest = True
        self.user.save()
        self.refused("post", f"/songs/{self.song.pk}/links", {"kind": "song"}, 422, "Sign up first")

    def test_the_page_itself_is_found_by_no_search(self):
        answer = self.stranger.get("/shared/anything")
        self.assertIn("noindex", answer["X-Robots-Tag"])
        self.assertNotIn("X-Robots-Tag", self.stranger.get("/").headers)
