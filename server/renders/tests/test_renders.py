"""Renders: made once for what they are made of, marked when the rig has moved on, never in part."""

import io
import time
import uuid
from unittest.mock import patch

import numpy as np
import pyloudnorm
import soundfile
from django.db import connection
from django.test.utils import CaptureQueriesContext

from server.clips.models import Blob, Clip
from server.renders.models import Render
from server.renders.tasks import run_render
from server.testing import RATE, ApiCase, clip_in, noise, song_for, wav_bytes
from server.verify.tasks import run_null_test

PLAIN = "g: source > level (level -6 dB) > o: output"


class RenderCase(ApiCase):
    def setUp(self):
        super().setUp()
        self.clip = clip_in(self.song, wav_bytes(noise(1.0, channels=1)))
        self.variant = self.rig(PLAIN)

    def rig(self, notation: str) -> str:
        body = {"name": "R", "notation": notation}
        made = self.call("post", f"/songs/{self.song.pk}/rigs", body)[1]
        self.rig_id = made["id"]
        return made["variants"][0]["id"]

    def ask(self, variant: str | None = None, **more):
        body = {"clip": str(self.clip.pk), "output": "o", **more}
        return self.call("post", f"/variants/{variant or self.variant}/renders", body)

    def done(self, **more) -> dict:
        render = self.ask(**more)[1]
        if render["status"] == "queued":
            run_render(render_id=render["id"])
        return self.call("get", f"/renders/{render['id']}")[1]


class Renders(RenderCase):
    def test_what_is_heard_is_the_clip_through_the_rig(self):
        render = self.done()
        self.assertEqual((render["status"], render["older"]), ("done", False), render)
        answer = self.client.get(f"/api/v1/renders/{render['id']}/audio")
        sound, rate = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)))
        dry = noise(1.0, channels=1)[:, 0]
        self.assertEqual(rate, RATE)
        np.testing.assert_allclose(sound[: len(dry)], dry * 10 ** (-6 / 20), atol=1e-6)
        self.assertAlmostEqual(
            render["report"]["peak_dbfs"], 20 * np.log10(np.abs(dry).max()) - 6, places=3
        )

    def test_the_clip_itself_is_heard_past_the_rig_whatever_the_rig_becomes(self):
        render = self.done(bare=True)
        self.assertEqual((render["bare"], render["report"]["stems"]), (True, []))
        answer = self.client.get(f"/api/v1/renders/{render['id']}/audio")
        sound, _ = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)), always_2d=True)
        dry = noise(1.0, channels=1)[:, 0]
        # A mono clip goes to both sides as it does everywhere: no louder than it is.
        both = np.stack([dry, dry], axis=1) * np.sqrt(0.5)
        np.testing.assert_allclose(sound[: len(dry)], both, atol=1e-6)
        padded = np.pad(dry, (0, len(sound) - len(dry)))
        alone = pyloudnorm.Meter(RATE).integrated_loudness(padded)
        self.assertAlmostEqual(render["report"]["loudness_lufs"], alone, delta=0.1)
        # Past the rig the spectrum is the clip's own, however long the silence after it.
        detail = self.call("get", f"/renders/{render['id']}/detail")[1]
        np.testing.assert_allclose(detail["band_dbfs"], detail["before_dbfs"], atol=0.06)
        self.done()
        listed = self.call("get", f"/rigs/{self.rig_id}/renders")[1]
        self.assertEqual(sorted(r["bare"] for r in listed), [False, True])
        self.call(
            "post", f"/variants/{self.variant}/edits",
            {"id": str(uuid.uuid4()), "base_revision": 1,
             "action": {"do": "set", "node": "level1", "values": {"level_db": -3}}},
        )  # fmt: skip
        older = {r["bare"]: r["older"] for r in self.call("get", f"/rigs/{self.rig_id}/renders")[1]}
        self.assertEqual(older, {True: False, False: True})

    def test_a_loop_above_unity_is_held_said_and_not_balanced(self):
        variant = self.rig(
            "g: source > s: split > m: merge > o: output\n"
            's > d: delay "Slap" (time 50 ms, mix 100 %, feedback 110 %) > m'
        )
        render = self.done(variant=variant, place="auto")
        report = render["report"]
        self.assertIn("Slap feeds back at or above unity", report["alarm"])
        self.assertIn("limiter", report["needs_render"])
        self.assertEqual(report["stems"], [])
        self.assertLess(report["seconds"], 9.1)
        self.assertLess(report["peak_dbfs"], 6.03)

    def test_what_was_measured_stands_beside_what_was_computed_while_the_render_is_current(self):
        self.variant = self.rig(PLAIN.replace("g: source", "g: source (level -40 dB)"))

        def rails() -> dict[str, dict]:
            report = self.call("get", f"/variants/{self.variant}")[1]["view"]["report"]
            return {r["port"]: r for r in report["rails"]}

        self.assertEqual([r["measured_dbfs"] for r in rails().values()], [None, None])
        self.done()
        level = 20 * np.log10(np.sqrt(np.mean(noise(1.0, channels=1) ** 2)))
        self.assertAlmostEqual(rails()["g.0"]["measured_dbfs"], level, delta=0.02)
        self.assertAlmostEqual(rails()["level1.0"]["measured_dbfs"], level - 6, delta=0.02)
        # The rig says -40 dBFS of its source: over 3 dB from the clip, and the check says so.
        checks = self.call("get", f"/variants/{self.variant}")[1]["view"]["checks"]["findings"]
        (said,) = [c for c in checks if c["check"] == "clip-level"]
        self.edit_variant(said["fix"]["action"])
        view = self.call("get", f"/variants/{self.variant}")[1]["view"]
        self.assertNotIn("clip-level", [c["check"] for c in view["checks"]["findings"]])
        # Edited, the render is of another rig: nothing of it is shown as measured any more.
        self.assertEqual([r["measured_dbfs"] for r in rails().values()], [None, None])
        self.assertAlmostEqual(rails()["g.0"]["level_dbfs"], level, delta=0.1)
        # Taken back, it is of this rig again.
        status, undone = self.call("post", f"/variants/{self.variant}/undo", {})
        self.assertEqual(status, 200, undone)
        self.assertAlmostEqual(rails()["g.0"]["measured_dbfs"], level, delta=0.02)
        told = {r["port"]: r["measured_dbfs"] for r in undone["view"]["report"]["rails"]}
        self.assertAlmostEqual(told["g.0"], level, delta=0.02)

    def edit_variant(self, action: dict) -> None:
        status, made = self.call(
            "post", f"/variants/{self.variant}/edits",
            {"id": str(uuid.uuid4()), "base_revision": 1, "action": action},
        )  # fmt: skip
        self.assertEqual(status, 200, made)

    def test_copies_add_on_the_spectrum_of_the_clip_that_was_rendered(self):
        # A tone of 100 Hz and its copy half a cycle later: silence, where pink noise keeps its power.
        tone = 0.1 * np.sin(2 * np.pi * 100 * np.arange(2 * RATE) / RATE)[:, None]
        self.clip = clip_in(self.song, wav_bytes(tone))
        self.variant = self.rig("g: source > s: split > o: output\ns > o [delay 5 ms]")

        def sums() -> dict:
            report = self.call("get", f"/variants/{self.variant}")[1]["view"]["report"]
            return report["boards"][0]["sums"]

        before = sums()["level_db"]
        self.assertGreater(before, 2)
        self.done()
        after = sums()["level_db"]
        self.assertTrue(after is None or after < before - 6, after)

    def test_the_same_is_made_once_and_what_changed_is_marked(self):
        first = self.done()
        self.assertEqual(self.ask()[1]["id"], first["id"])
        other = self.rig(PLAIN)
        again = self.ask(other)[1]
        self.assertEqual(
            (again["status"], Blob.objects.filter(digest__isnull=False).count() >= 2),
            ("done", True),
        )
        edit = {
            "base_revision": 1,
            "action": {"do": "set", "node": "level1", "values": {"level_db": -3}},
        }
        self.call("post", f"/variants/{self.variant}/edits", edit)
        self.assertTrue(self.call("get", f"/renders/{first['id']}")[1]["older"])
        self.assertNotEqual(self.ask()[1]["id"], first["id"])
        self.assertEqual(len(self.call("get", f"/rigs/{self.rig_id}/renders")[1]), 1)

    def test_with_and_without_its_tail_are_two_renders(self):
        variant = self.rig("g: source > d: delay (time 700 ms, mix 100 %) > o: output")
        cut, whole = (self.done(variant=variant, tail=tail) for tail in (False, True))
        self.assertNotEqual(cut["id"], whole["id"])
        self.assertEqual((cut["tail"], whole["tail"]), (False, True))
        self.assertAlmostEqual(cut["report"]["seconds"], 1.0, places=3)
        self.assertGreater(whole["report"]["seconds"], 1.69)
        self.assertEqual((cut["older"], whole["older"]), (False, False))

    def test_what_is_not_heard_leaves_a_render_as_it_is(self):
        first = self.done()
        for action in (
            {"do": "set", "node": "level1", "values": {"name": "Another name"}},
            {"do": "set", "node": "g", "values": {"passive": True}},
        ):
            base = self.call("get", f"/variants/{self.variant}")[1]["revision"]
            body = {"id": str(uuid.uuid4()), "base_revision": base, "action": action}
            self.assertEqual(self.call("post", f"/variants/{self.variant}/edits", body)[0], 200)
        self.assertFalse(self.call("get", f"/renders/{first['id']}")[1]["older"])

    def test_an_impulse_response_inside_a_frame_counts(self):
        click = np.zeros((100, 1))
        click[0] = 1.0
        room = clip_in(self.song, wav_bytes(click), "room.wav")
        variant = self.rig(
            'g: source > f: frame > o: output\nslot f A > x: convolution (impulse "room.wav")'
        )
        render = self.done(variant=variant)
        self.assertEqual(render["status"], "done", render["problem"])
        room.delete()
        again = clip_in(self.song, wav_bytes(0.5 * click), "room.wav")
        self.assertTrue(again.pk)
        self.assertTrue(self.call("get", f"/renders/{render['id']}")[1]["older"])

    def test_a_render_says_what_was_rendered_not_what_was_asked_for(self):
        self.variant = self.rig("g: source > d: delay (time 1/4) > o: output")
        asked = self.ask()[1]
        before = Render.objects.get(pk=asked["id"]).digest
        # The tempo changes while it waits.
        self.song.tempo_map = [{**self.song.tempo_map[0], "tempo_bpm": 61.0}]
        self.song.save()
        run_render(render_id=asked["id"])
        after = self.call("get", f"/renders/{asked['id']}")[1]
        self.assertEqual((after["status"], after["older"]), ("done", False))
        self.assertNotEqual(Render.objects.get(pk=asked["id"]).digest, before)

    def test_what_cannot_be_rendered_says_why_and_leaves_no_file(self):
        self.variant = self.rig("g: source > d: ducker > f: fader > o: output\nkey f > d")
        render = self.done()
        self.assertEqual(render["status"], "failed")
        self.assertIn("taps a key behind what it keys", render["problem"])
        self.assertIsNone(Render.objects.get(pk=render["id"]).blob)
        self.refused("get", f"/renders/{render['id']}/audio", None, 409, "not done yet")
        self.assertEqual(self.ask(source="nowhere")[0], 422)

    def test_a_queued_render_is_cancelled_at_once(self):
        render = self.ask()[1]
        self.assertEqual(
            self.call("post", f"/renders/{render['id']}/cancel")[1]["status"], "cancelled"
        )
        run_render(render_id=render["id"])
        self.assertEqual(Render.objects.get(pk=render["id"]).status, "cancelled")

    def test_a_question_that_waits_is_answered_when_there_is_something_to_hear(self):
        render = self.ask()[1]
        path = f"/renders/{render['id']}"
        # Nobody makes it: the answer comes when the wait is over, and says that it is still queued.
        began = time.monotonic()
        self.assertEqual(self.call("get", f"{path}?wait_s=0.3")[1]["status"], "queued")
        self.assertGreaterEqual(time.monotonic() - began, 0.3)
        rows = Render.objects.filter(pk=render["id"])
        seen: list[str] = []

        def look(seconds: float) -> None:
            # Each look stands for the worker having gone on meanwhile.
            seen.append("look")
            if len(seen) == 2:
                rows.update(blob=self.clip.blob, status="running")

        with patch("server.jobs.waiting.time.sleep", look):
            told = self.call("get", f"{path}?wait_s=1")[1]
        self.assertEqual((told["audible"], told["status"], len(seen)), (True, "running", 2))
        rows.update(status="failed", problem="It grows.")
        self.assertEqual(self.call("get", f"{path}?wait_s=1")[1]["problem"], "It grows.")
        rows.update(status="queued")
        with patch("server.jobs.waiting.time.sleep", lambda _: rows.delete()):
            self.assertEqual(self.call("get", f"{path}?wait_s=1")[0], 404)
        self.assertEqual(self.call("get", f"{path}?wait_s=60")[0], 422)

    def test_to_ask_how_far_one_is_reads_nothing_of_its_rig(self):
        """It is asked for several times a second by everybody who waits for one."""
        render = self.ask()[1]
        path = f"/renders/{render['id']}"
        with CaptureQueriesContext(connection) as asked:
            self.assertEqual(self.call("get", path)[1], render)
        self.assertLessEqual(len(asked), 4)
        read = " ".join(query["sql"] for query in asked)
        self.assertIn('"renders_render"."status"', read)
        for long in ("document", "turns", "parts", "found_by", "detail", "feeds", "tempo_map"):  # fmt: skip
            self.assertNotIn(f'."{long}"', read)

    def test_whatever_is_read_beside_a_variant_leaves_its_past_out(self):
        render = self.ask()[1]
        run_render(render_id=render["id"])
        for path in (f"/renders/{render['id']}", f"/rigs/{self.rig_id}/renders", f"/renders/{render['id']}/audio"):  # fmt: skip
            with CaptureQueriesContext(connection) as asked:
                self.client.get(f"/api/v1{path}")
            read = " ".join(query["sql"] for query in asked)
            self.assertIn("rigs_variant", read)
            for past in ("turns", "found_by"):
                self.assertNotIn(f'"rigs_variant"."{past}"', read, path)


SENDS = (
    "g: source > s: split > m: merge > o: output\n"
    "s > delay (time 120 ms, feedback 30 %) > m [level -6 dB]"
)


class Balances(RenderCase):
    def setUp(self):
        super().setUp()
        self.variant = self.rig(SENDS)

    def test_places_stems_balance_and_the_settings_it_comes_to(self):
        places = self.call("get", f"/variants/{self.variant}/places?output=o")[1]
        self.assertEqual([(p["id"], p["live"]) for p in places], [("m", True)])
        render = self.done(place="m")
        stems = render["report"]["stems"]
        self.assertEqual([s["wet"] for s in stems], [False, True])
        answer = self.client.get(f"/api/v1/renders/{render['id']}/stems")
        sound = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)))[0]
        self.assertEqual(sound.shape[1], 2)
        travel = self.call("get", f"/renders/{render['id']}/balance")[1]
        route = travel["route_db"]
        self.assertEqual(travel["points"][0]["gains"], [1.0, 0.0])
        level = self.call("post", f"/renders/{render['id']}/level", {"gains": [1.0, 1.0]})[1]
        self.assertAlmostEqual(
            level["loudness_lufs"], render["report"]["loudness_lufs"], delta=0.01
        )
        settings = self.call("get", f"/renders/{render['id']}/settings?wet_db={route + 4}")[1]
        self.assertEqual([(s["field"], s["value"]) for s in settings], [("level_db", -2.0)])
        self.refused(
            "post", f"/renders/{render['id']}/level", {"gains": [1.0]}, 422, "one gain each"
        )
        plain = self.done()
        self.refused("get", f"/renders/{plain['id']}/balance", None, 409, "choose a place")

    def test_moves_are_kept_heard_and_make_the_old_render_old(self):
        before = self.done()
        moves = [
            {"part": "g.0", "field": "nothing", "points": [{"bar": 1, "value": 1.0}]},
        ]
        self.refused(
            "put", f"/variants/{self.variant}/moves", {"moves": moves}, 422, "has no nothing"
        )
        moves = [{"part": "delay1.0", "field": "level_db", "points": [{"bar": 1, "value": -120}]}]
        kept = self.call("put", f"/variants/{self.variant}/moves", {"moves": moves})[1]
        self.assertEqual(kept[0]["points"][0]["beat"], 1)
        self.assertEqual(self.call("get", f"/variants/{self.variant}/moves")[1], kept)
        self.assertTrue(self.call("get", f"/renders/{before['id']}")[1]["older"])
        after = self.done()
        answer = self.client.get(f"/api/v1/renders/{after['id']}/audio")
        sound = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)))[0]
        dry = noise(1.0, channels=1)[:, 0]
        np.testing.assert_allclose(sound[1000 : len(dry)], dry[1000:], atol=1e-6)

    def test_where_it_moves_the_checks_say_what_holds_there(self):
        variant = self.rig(SENDS)
        nodes = self.call("get", f"/variants/{variant}")[1]["document"]["nodes"]
        echo = next(n["id"] for n in nodes.values() if n["kind"] == "delay")

        def written(*points) -> dict:
            move = {"part": echo, "field": "feedback_percent", "points": list(points)}
            path = f"/variants/{variant}/moves"
            self.assertEqual(self.call("put", path, {"moves": [move]})[0], 200)
            return self.call("get", f"/variants/{variant}/moved")[1]

        quiet = written({"bar": 2, "value": 10})
        self.assertEqual((quiet["findings"], quiet["looked_at"]), ([], 1))
        grown = written({"bar": 2, "value": 10}, {"bar": 9, "value": 103, "ramp": True})
        alarms = [f for f in grown["findings"] if f["finding"]["severity"] == "alarm"]
        self.assertEqual({f["bar"] for f in alarms}, {9})
        self.assertIn(echo, {f["finding"]["at"] for f in alarms})
        (reach,) = grown["ranges"]
        # It rests at 30: from 10 to 103.
        self.assertEqual((reach["least"], reach["most"], reach["unit"]), (10, 103, "%"))
        self.call("put", f"/variants/{variant}/moves", {"moves": []})
        self.assertEqual(self.call("get", f"/variants/{variant}/moved")[1]["ranges"], [])

    def test_an_impulse_response_is_a_clip_of_the_song(self):
        self.variant = self.rig("g: source > i: convolution (impulse hall, mix 100 %) > o: output")
        render = self.done()
        self.assertIn("this song has none", render["problem"])
        click = np.zeros((4800, 1))
        click[480] = 1
        clip = clip_in(self.song, wav_bytes(click))
        clip.name = "hall"
        clip.save()
        render = self.done(length_s=0.9)
        self.assertEqual(render["status"], "done", render)
        answer = self.client.get(f"/api/v1/renders/{render['id']}/audio")
        sound = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)))[0]
        dry = noise(1.0, channels=1)[:, 0]
        np.testing.assert_allclose(sound[480:30_000], dry[: 30_000 - 480], atol=1e-4)

    def test_a_capture_is_heard_in_the_place_of_the_render_brought_to_its_time(self):
        self.variant = self.rig(PLAIN)
        dry = noise(1.0, channels=1)
        late = np.concatenate([np.zeros((777, 1)), 0.4 * dry])
        capture = clip_in(self.song, wav_bytes(late))
        render = self.done(capture=str(capture.pk))
        self.assertEqual(render["status"], "done", render)
        self.assertIn("16.188 ms", render["report"]["sentence"])
        answer = self.client.get(f"/api/v1/renders/{render['id']}/audio")
        sound = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)))[0]
        np.testing.assert_allclose(sound[: len(dry)], 0.4 * dry[:, 0], atol=1e-4)
        other = clip_in(self.song, wav_bytes(noise(1.0, channels=1, seed=99)))
        self.assertIn("does not match", self.done(capture=str(other.pk))["problem"])


class Feeding(RenderCase):
    """What plays into the sources: kept with the rig, several at once, said where it is missing."""

    TWO = (
        "g: source (level -24 dB) > duck: ducker (depth 6 dB) > m: merge > o: output (stereo)\n"
        "kick: source (level -18 dB) > m\nkey kick > duck"
    )

    def setUp(self):
        super().setUp()
        self.variant = self.rig(self.TWO)
        self.kick = clip_in(self.song, wav_bytes(noise(0.5, seed=4, channels=1)), "kick.wav")

    def feed(self, source: str, *clips: str, status: int = 200, **more):
        placed = [{"clip": clip, **more} for clip in clips]
        body = {"feed": {"source": source, "placements": placed}}
        got, answer = self.call(
            "put", f"/rigs/{self.rig_id}/feeds/{source}?clip={self.clip.pk}", body
        )
        self.assertEqual(got, status, answer)
        return answer

    def checks(self) -> set[str]:
        view = self.call("get", f"/variants/{self.variant}")[1]["view"]
        return {f["sentence"] for f in view["checks"]["findings"] if f["check"] == "unfed"}

    def test_the_clip_in_hand_plays_until_something_is_chosen(self):
        path = f"/rigs/{self.rig_id}/feeds?clip={self.clip.pk}"
        before = self.call("get", path)[1]
        played = [[p["clip"] for p in s["feed"]["placements"]] for s in before["sources"]]
        self.assertEqual((before["chosen"], played), (False, [[str(self.clip.pk)], []]))
        self.assertEqual(self.checks(), set())
        after = self.feed("kick", str(self.kick.pk), at_s=1.0)
        played = [[p["clip"] for p in s["feed"]["placements"]] for s in after["sources"]]
        self.assertEqual(played, [[str(self.clip.pk)], [str(self.kick.pk)]])
        self.assertEqual((after["chosen"], after["seconds"]), (True, 1.5))

    def test_both_are_heard_and_a_render_is_older_once_another_clip_plays(self):
        self.feed("kick", str(self.kick.pk), gain_db=-6)
        render = self.done(tail=False)
        answer = self.client.get(f"/api/v1/renders/{render['id']}/audio")
        sound, _ = soundfile.read(io.BytesIO(b"".join(answer.streaming_content)), always_2d=True)
        kick = noise(0.5, seed=4, channels=1)[:, 0] * 10 ** (-6 / 20) * np.sqrt(0.5)
        # After the kick the bass alone, before it both: their difference from the bass is the kick.
        whole, half = noise(1.0, channels=1)[:, 0] * np.sqrt(0.5), len(kick)
        late = half + half // 2
        self.assertGreater(np.corrcoef(sound[late:, 0], whole[late:])[0, 1], 0.998)
        share = np.dot(sound[:half, 0], kick) / np.dot(kick, kick)
        self.assertAlmostEqual(share, 1.0, delta=0.05)
        told = sorted(s["sources"] for s in render["report"]["stems"])
        self.assertEqual(told, [["g"], ["kick"]])
        listed = f"/rigs/{self.rig_id}/renders?clip={self.clip.pk}"
        self.assertEqual([r["older"] for r in self.call("get", listed)[1]], [False])
        self.feed("kick", str(self.kick.pk), gain_db=-5)
        self.assertEqual([r["older"] for r in self.call("get", listed)[1]], [True])

    def test_what_has_no_clip_is_a_check_until_it_is_silent_on_purpose(self):
        self.feed("g", str(self.clip.pk))
        (said,) = self.checks()
        self.assertIn("keyed by Source, which has no clip", said)
        body = {"feed": {"source": "kick", "silent": True}}
        self.call("put", f"/rigs/{self.rig_id}/feeds/kick", body)
        self.assertEqual(self.checks(), set())

    def test_a_clip_that_is_deleted_is_silent_and_said(self):
        self.feed("kick", str(self.kick.pk))
        self.call("delete", f"/clips/{self.kick.pk}")
        told = self.call("get", f"/rigs/{self.rig_id}/feeds")[1]["sources"]
        self.assertEqual([s["gone"] for s in told], [0, 1])
        self.assertEqual(self.done()["status"], "done")
        self.call("delete", f"/clips/{self.clip.pk}")
        status, problem = self.call("post", f"/variants/{self.variant}/renders", {"output": "o"})
        self.assertEqual(status, 422)
        self.assertIn("not in this song any more", problem["detail"])

    def test_a_clip_that_is_still_being_read_is_not_said_to_be_missing(self):
        """One plays as soon as the first clip is sent: then its file is there, and what is in it not yet known."""
        Clip.objects.all().update(status="queued")
        path = f"/variants/{self.variant}/renders"
        status, problem = self.call("post", path, {"output": "o"})
        self.assertEqual((status, problem["type"]), (422, "urn:fonodrome:no-clip"))
        self.assertIn(f"“{self.clip.name}” is still being read", problem["detail"])
        # One that was read, or went, is not waited for.
        Clip.objects.all().update(status="failed")
        self.assertIn("No source has a clip", self.call("post", path, {"output": "o"})[1]["detail"])
        Clip.objects.all().update(status="queued")
        self.call("delete", f"/clips/{self.clip.pk}")
        said = self.call("post", path, {"output": "o"})[1]["detail"]
        self.assertIn(f"“{self.kick.name}” is still being read", said)
        self.call("delete", f"/clips/{self.kick.pk}")
        self.assertIn("No source has a clip", self.call("post", path, {"output": "o"})[1]["detail"])

    def test_what_cannot_be_fed_is_refused_and_nothing_is_changed(self):
        other = clip_in(song_for(self.user, "Other"), wav_bytes(noise(0.2)), "other.wav")
        for source, clip, words in (
            ("kick", str(other.pk), "not in this song"), ("kick", "nonsense", "not in this song"),
            ("piano", str(self.kick.pk), "no such source"),
        ):  # fmt: skip
            self.assertIn(words, self.feed(source, clip, status=422)["detail"])
        self.assertFalse(self.call("get", f"/rigs/{self.rig_id}/feeds")[1]["chosen"])

    def test_a_test_set_gives_every_source_a_clip_and_copies_keep_it(self):
        told = self.call("post", f"/rigs/{self.rig_id}/test-set")[1]
        self.assertEqual([len(s["feed"]["placements"]) for s in told["sources"]], [1, 1])
        song = self.call("post", f"/songs/{self.song.pk}/duplicate")[1]
        copies = self.call("get", f"/songs/{song['id']}/rigs")[1]
        theirs = {c["id"] for c in self.call("get", f"/songs/{song['id']}/clips")[1]}
        for copy in copies:
            if copy["id"] and (kept := self.call("get", f"/rigs/{copy['id']}/feeds")[1])["chosen"]:
                placed = {p["clip"] for s in kept["sources"] for p in s["feed"]["placements"]}
                self.assertEqual(len(placed), 2)
                self.assertLessEqual(placed, theirs)
                break
        else:
            self.fail("no copy kept its clips")

    def test_of_twenty_changes_only_the_last_is_made(self):
        first = self.ask()[1]
        for level in range(1, 20):
            self.call(
                "post", f"/variants/{self.variant}/edits",
                {"id": str(uuid.uuid4()), "base_revision": level,
                 "action": {"do": "set", "node": "duck", "values": {"depth_db": 6 + 0.1 * level}}},
            )  # fmt: skip
            last = self.ask()[1]
        states = dict(Render.objects.values_list("id", "status"))
        self.assertEqual(states.pop(uuid.UUID(last["id"])), "queued")
        self.assertEqual(len(states), 19)
        self.assertEqual(set(states.values()), {"cancelled"})
        run_render(render_id=first["id"])
        self.assertIsNone(Render.objects.get(pk=first["id"]).blob)
        run_render(render_id=last["id"])
        self.assertEqual(Render.objects.get(pk=last["id"]).status, "done")


class Heard(RenderCase):
    """What is heard of stems and of differences, against the samples added up here."""

    SENDS = (
        "g: source > s: split > m: merge > o: output (stereo)\n"
        "s > d: delay (time 50 ms) > m [level -6 dB]"
    )

    def setUp(self):
        super().setUp()
        self.variant = self.rig(self.SENDS)

    def samples(self, render: dict, what: str = "stems") -> np.ndarray:
        answer = self.client.get(f"/api/v1/renders/{render['id']}/{what}")
        return soundfile.read(io.BytesIO(b"".join(answer.streaming_content)), always_2d=True)[0]

    def test_a_path_alone_and_one_sound_less_another(self):
        render = self.done(place="m")
        stems = self.samples(render)
        path = f"/renders/{render['id']}/heard"
        told = self.call("post", path, {"gains": [0, 0.5]})[1]
        wet = 0.5 * stems[:, 2:]
        rms = 10 * np.log10(np.square(wet).sum(axis=1).mean())
        self.assertAlmostEqual(told["rms_dbfs"], rms, delta=0.05)
        self.assertAlmostEqual(told["peak_dbfs"], 20 * np.log10(np.abs(wet).max()), places=3)
        meter = pyloudnorm.Meter(RATE)
        self.assertAlmostEqual(told["loudness_lufs"], meter.integrated_loudness(wet), delta=0.1)
        # Noise has 150 / 24000 of its power below 150 Hz; bands end there within a tenth.
        self.assertAlmostEqual(told["low_dbfs"] - rms, 10 * np.log10(150 / 24_000), delta=2)
        self.assertAlmostEqual(told["until_s"], 1.05, delta=0.06)
        other = self.done(bare=True)
        bare = self.samples(other, "audio")
        minus = {"render": other["id"], "match": 0.7}
        told = self.call("post", path, {"gains": [1, 1], "match": 0.9, "minus": minus})[1]
        n = max(len(stems), len(bare))
        mix = 0.9 * (stems[:, :2] + stems[:, 2:])
        less = np.zeros((n, 2))
        less[: len(mix)] += mix
        less[: len(bare)] -= 0.7 * bare
        self.assertAlmostEqual(
            told["rms_dbfs"], 10 * np.log10(np.square(less).sum(axis=1).mean()), delta=0.05
        )
        # A sound less itself is silence.
        minus = {"render": render["id"], "gains": [1, 1]}
        silent = self.call("post", path, {"gains": [1, 1], "minus": minus})[1]
        self.assertEqual((silent["rms_dbfs"], silent["peak_dbfs"], silent["until_s"]), (None,) * 3)
        self.refused("post", path, {"gains": [1, 1, 1]}, 422, "gains are needed")

    def test_a_path_is_searched_for_the_deepest_null_by_arithmetic(self):
        a = self.done(place="m")
        self.call(
            "post", f"/variants/{self.variant}/edits",
            {"id": str(uuid.uuid4()), "base_revision": 1,
             "action": {"do": "set_strip", "rail": "d.0", "values": {"level_db": -8.5}}},
        )  # fmt: skip
        b = self.done(place="m")
        path = f"/renders/{a['id']}/against"
        asked = {"other": b["id"], "other_gains": [1, 1], "moving": ["d.0"], "step_db": 0.1}
        told = self.call("post", path, asked)[1]
        one, stems = self.samples(a, "audio"), self.samples(b)
        n = min(len(one), len(stems))

        def left(db: float) -> float:
            mix = stems[:n, :2] + 10 ** (db / 20) * stems[:n, 2:]
            return 10 * np.log10(np.square(one[:n] - mix).sum() / np.square(one[:n]).sum())

        self.assertAlmostEqual(told["depth_db"], left(0.0), delta=0.05)
        # The plan's own difference is 2.5 dB: there nothing is left but rounding.
        self.assertAlmostEqual(told["best_db"], 2.5, places=6)
        self.assertLess(told["best_depth_db"], -110)
        self.assertFalse(told["best_inverted"])
        # A coarser control does worse, and the best of its steps is said.
        coarse = self.call("post", path, asked | {"step_db": 1.0})[1]
        self.assertEqual(coarse["best_db"], min((2.0, 3.0), key=left))
        self.assertAlmostEqual(coarse["best_depth_db"], left(coarse["best_db"]), delta=0.05)
        # Moved there, it is as deep as was said; upside down, it says so.
        there = self.call("post", path, asked | {"other_gains": [1, 10 ** (2 / 20)]})[1]
        self.assertAlmostEqual(there["depth_db"], left(2.0), delta=0.05)
        turned = self.call("post", path, asked | {"other_gains": [1, -1]})[1]
        self.assertTrue(turned["best_inverted"])
        self.refused("post", path, asked | {"other_gains": [1]}, 422, "gains are needed")
        self.refused("post", path, asked | {"moving": ["x"]}, 422, "no path")

    def test_two_renders_are_nulled_as_they_are_in_one_press(self):
        a = self.done(place="m")
        self.call(
            "post", f"/variants/{self.variant}/edits",
            {"id": str(uuid.uuid4()), "base_revision": 1,
             "action": {"do": "set_strip", "rail": "d.0", "values": {"level_db": -6.5}}},
        )  # fmt: skip
        b = self.done(place="m")
        asked = {"a": {"render": a["id"]}, "b": {"render": b["id"]}}
        status, test = self.call("post", f"/songs/{self.song.pk}/null-of-renders", asked)
        self.assertEqual(status, 200, test)
        run_null_test(test_id=test["id"])
        found = self.call("get", f"/null-tests/{test['id']}")[1]
        self.assertEqual(found["status"], "done", found)
        one, two = self.samples(a, "audio"), self.samples(b, "audio")
        n = min(len(one), len(two))
        gain = (one[:n] * two[:n]).sum() / np.square(two[:n]).sum()
        left = np.square(one[:n] - gain * two[:n]).sum() / np.square(one[:n]).sum()
        self.assertAlmostEqual(found["result"]["null_depth_db"], 10 * np.log10(left), delta=0.3)
        # Once more takes the same clips; the same sound twice is refused.
        clips = self.song.clips.count()
        self.call("post", f"/songs/{self.song.pk}/null-of-renders", asked)
        self.assertEqual(self.song.clips.count(), clips)
        self.refused(
            "post",
            f"/songs/{self.song.pk}/null-of-renders",
            {"a": {"render": a["id"]}, "b": {"render": a["id"]}},
            422,
            "same",
        )
        # Before and after: what is there now against what it was before the edit.
        now = {"render": b["id"]}
        again = {"a": now, "b": {**now, "before": True}}
        test = self.call("post", f"/songs/{self.song.pk}/null-of-renders", again)[1]
        run_null_test(test_id=test["id"])
        told = self.call("get", f"/null-tests/{test['id']}")[1]
        gain = (two[:n] * one[:n]).sum() / np.square(one[:n]).sum()
        left = np.square(two[:n] - gain * one[:n]).sum() / np.square(two[:n]).sum()
        self.assertAlmostEqual(told["result"]["null_depth_db"], 10 * np.log10(left), delta=0.3)
        never = {"a": now, "b": {"render": a["id"], "before": True}}
        self.refused(
            "post", f"/songs/{self.song.pk}/null-of-renders", never, 422, "before the last"
        )

    def test_a_path_alone_is_a_side_of_a_null(self):
        """The dry path of the sends is the source past them: nothing is left but its level."""
        render, bare = self.done(place="m"), self.done(bare=True)
        stems = render["report"]["stems"]
        dry = next(s["id"] for s in stems if not s["wet"])
        asked = {"a": {"render": render["id"], "path": dry}, "b": {"render": bare["id"]}}
        test = self.call("post", f"/songs/{self.song.pk}/null-of-renders", asked)[1]
        run_null_test(test_id=test["id"])
        found = self.call("get", f"/null-tests/{test['id']}")[1]
        # Every sample is the same: there is no depth, only the word for it.
        self.assertIsNone(found["result"]["null_depth_db"], found["result"]["sentence"])
        self.assertIn("same", found["result"]["sentence"])
        heard = self.call("get", f"/songs/{self.song.pk}/clips")[1]
        self.assertTrue([c for c in heard if c["name"].startswith(f"{stems[0]['name']}, ")], heard)
        wrong = {**asked, "a": {"render": render["id"], "path": "nowhere"}}
        self.refused("post", f"/songs/{self.song.pk}/null-of-renders", wrong, 422, "no such path")


class Ranges(RenderCase):
    def test_a_part_of_the_sound_is_the_part_of_the_whole(self):
        render = self.done()
        path = f"/api/v1/renders/{render['id']}/audio"
        whole = b"".join(self.client.get(path).streaming_content)
        for asked, want in (
            ("bytes=0-99", whole[:100]), ("bytes=1000-1999", whole[1000:2000]),
            ("bytes=-10", whole[-10:]), (f"bytes={len(whole) - 5}-", whole[-5:]),
            ("bytes=5-999999999", whole[5:]),
        ):  # fmt: skip
            answer = self.client.get(path, headers={"Range": asked})
            got = b"".join(answer.streaming_content)
            self.assertEqual((answer.status_code, got), (206, want), asked)
            self.assertEqual(int(answer["Content-Length"]), len(want))
            self.assertTrue(answer["Content-Range"].endswith(f"/{len(whole)}"))
        answer = self.client.get(path, headers={"Range": f"bytes={len(whole)}-"})
        self.assertEqual(answer.status_code, 416)
        for odd in ("bytes=", "bytes=-", "bytes=0-1,3-4", "lines=1-2", "bytes=9-3x"):
            self.assertEqual(self.client.get(path, headers={"Range": odd}).status_code, 200, odd)
        self.assertEqual(self.client.get(path, headers={"Range": "bytes=9-3"}).status_code, 416)
