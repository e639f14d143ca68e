"""Null tests through the API: run, judged, heard, cancelled, fenced."""

import io
import uuid

import numpy as np
import soundfile

from server.jobs.runner import Attempt, Superseded, run_attempt
from server.testing import ApiCase, clip_in, noise, song_for, wav_bytes
from server.verify.models import NullTest
from server.verify.tasks import run_null_test


class NullTests(ApiCase):
    def setUp(self):
        super().setUp()
        self.sound = noise(2)
        self.a = clip_in(self.song, wav_bytes(self.sound), "a.wav")
        later = np.concatenate([np.zeros((100, 2)), self.sound]) * -0.5
        self.b = clip_in(self.song, wav_bytes(later), "b.wav")

    def start(self, **more):
        body = {"clip_a": str(self.a.pk), "clip_b": str(self.b.pk), **more}
        status, test = self.call("post", f"/songs/{self.song.pk}/null-tests", body)
        self.assertEqual(status, 200, test)
        return test["id"]

    def measured(self, **more):
        test_id = self.start(**more)
        run_null_test(test_id=test_id)
        return test_id, self.call("get", f"/null-tests/{test_id}")[1]

    def test_the_result_has_the_agreed_names(self):
        test_id, test = self.measured()
        self.assertEqual(test["status"], "done", test["problem"])
        result = test["result"]
        self.assertEqual((result["offset_samples"], result["polarity"]), (100, -1))
        self.assertAlmostEqual(result["gain_db"], -6.0206, places=3)
        self.assertIsNone(result["null_depth_db"])
        self.assertEqual(result["verdict"], "bit_identical")
        codes = {c["code"] for c in result["causes"]}
        self.assertEqual(codes, {"level", "offset", "polarity", "length"})
        listed = self.call("get", f"/songs/{self.song.pk}/null-tests")[1]
        self.assertEqual([(t["id"], t["passed"]) for t in listed], [(test_id, True)])

    def test_it_says_why_and_what_to_set(self):
        loud = self.sound * 0.5
        loud[:, 1] = np.clip(loud[:, 1], -0.05, 0.05)
        self.b = clip_in(self.song, wav_bytes(loud), "clipped.wav")
        result = self.measured()[1]["result"]
        self.assertTrue(result["explained"])
        clipped = next(c for c in result["causes"] if c["code"] == "clipping")
        self.assertIn("right only", clipped["title"])
        self.assertAlmostEqual(clipped["figures"]["ceiling_dbfs"], 20 * np.log10(0.05), delta=0.1)
        self.assertTrue(clipped["at_s"])
        self.assertEqual({p["y_unit"] for p in clipped["pictures"]}, {"of full scale", "dB"})
        self.assertEqual([s["code"] for s in result["to_set"]], ["level", "clipping"])
        self.assertLess(result["explained_db"], result["null_depth_db"] - 20)

    def test_two_paths_are_brought_together(self):
        late = np.concatenate([np.zeros((48, 2)), -self.sound])[: len(self.sound)]
        b = clip_in(self.song, wav_bytes(late), "late.wav")
        path = f"/songs/{self.song.pk}/two-paths?a={self.a.pk}&b="
        found = self.call("get", f"{path}{b.pk}")[1]
        self.assertEqual((round(found["late_ms"], 3), found["polarity"]), (1.0, -1))
        # Nothing in common at rest, twice the amplitude once moved: 3 dB over unrelated.
        self.assertAlmostEqual(found["best_db"], 3.01, delta=0.1)
        self.refused("get", f"{path}{self.a.pk}", None, 422, "the same")
        self.refused("get", f"{path}{b.pk}&most_ms=5000", None, 422, "100")
        quiet = clip_in(self.song, wav_bytes(0 * self.sound), "quiet.wav")
        self.refused("get", f"{path}{quiet.pk}", None, 422, "silent")

    def test_one_reference_against_many_and_the_proof_of_one(self):
        path = f"/songs/{self.song.pk}/null-batches"
        body = {
            "reference": str(self.a.pk),
            "others": [str(self.b.pk), str(self.a.pk), str(self.b.pk)],
        }
        status, tests = self.call("post", path, body)
        self.assertEqual((status, len(tests)), (200, 1))
        self.assertIsNotNone(tests[0]["batch"])
        self.refused("post", path, {**body, "others": [str(self.a.pk)]}, 422, "at least one clip")
        proof = f"/null-tests/{tests[0]['id']}/proof"
        self.refused("get", proof, None, 409, "no result yet")
        run_null_test(test_id=tests[0]["id"])
        sheet = self.call("get", proof)[1]
        self.assertEqual([f["sha256"] for f in sheet["files"]], [self.a.blob_id, self.b.blob_id])
        self.assertIn({"name": "Polarity", "value": "inverted", "beside": ""}, sheet["figures"])
        text = self.call("get", f"{proof}?form=md")[1].content.decode()
        self.assertIn(self.b.blob_id, text)
        schema = self.call("get", "/proof-schema")[1]
        self.assertEqual(set(schema["required"]) - set(sheet), set())

    def test_the_steps_of_a_control_say_how_deep_it_can_go(self):
        test_id = self.start()
        self.refused("get", f"/null-tests/{test_id}/reach", None, 409, "no result yet")
        run_null_test(test_id=test_id)
        path = f"/null-tests/{test_id}/reach?level_db=0.5&time_ms=0.1"
        reach = self.call("get", path)[1]
        # 6.0206 dB in steps of 0.5 is 6.0; 100 samples at 48 kHz, 2.0833 ms, in steps of 0.1 is 2.1.
        self.assertEqual((reach["level_set_db"], reach["time_set_ms"]), (6.0, -2.1))
        self.assertAlmostEqual(reach["level_off_db"], -0.0206, places=3)
        self.assertAlmostEqual(reach["time_off_ms"], -0.01667, places=4)
        self.assertFalse(reach["at_resolution"])
        self.refused("get", path.replace("0.5", "0"), None, 422, "Level db")

    def test_peaks_and_what_rings_on_can_be_balanced_for(self):
        since = (np.arange(len(self.sound)) % 24_000)[:, None] < 1_920
        swell = np.where(since, 1.0, 0.2)
        a = clip_in(self.song, wav_bytes(self.sound * swell), "strokes.wav")
        b = clip_in(
            self.song, wav_bytes(self.sound * swell * np.where(since, 0.7, 1.0)), "held.wav"
        )
        test_id = self.start(clip_a=str(a.pk), clip_b=str(b.pk))
        path = f"/null-tests/{test_id}/balance"
        self.refused("get", path, None, 409, "no result")
        run_null_test(test_id=test_id)
        found = self.call("get", path)[1]
        self.assertAlmostEqual(found["apart_db"], -20 * np.log10(0.7), delta=0.05)

    def test_what_each_step_leaves_is_heard(self):
        loud = self.sound * 0.5
        loud[:, 1] = np.clip(loud[:, 1], -0.05, 0.05)
        self.b = clip_in(self.song, wav_bytes(loud), "clipped.wav")
        test_id, test = self.measured()
        self.assertEqual([s["code"] for s in test["result"]["to_set"]], ["level", "clipping"])

        def heard(after: int) -> np.ndarray:
            path = f"/null-tests/{test_id}/audio/residual?start_s=0&length_s=2&after={after}"
            answer = self.call("get", path)[1]
            content = getattr(answer, "content", None) or b"".join(answer.streaming_content)
            return soundfile.read(io.BytesIO(content), always_2d=True)[0]

        np.testing.assert_allclose(heard(0)[:, 0], self.sound[:, 0] * 0.5, atol=1e-4)
        self.assertLess(np.abs(heard(1)[:, 0]).max(), 1e-4)
        self.assertLess(np.std(heard(2)[:, 1]), 0.1 * np.std(heard(1)[:, 1]))
        self.assertEqual(self.call("get", f"/null-tests/{test_id}/audio/residual?after=9")[0], 422)
        # A test from before anything was kept says so.
        NullTest.objects.filter(pk=test_id).update(rests=None)
        path = f"/null-tests/{test_id}/audio/residual?after=2"
        self.refused("get", path, None, 409, "Run the test again")

    def test_what_was_found_is_written_into_a_rig(self):
        text = 'v: source "Voice" > o: output (stereo) [level -1 dB, inverted]'
        body = {"name": "Mine", "notation": text}
        variant = self.call("post", f"/songs/{self.song.pk}/rigs", body)[1]["variants"][0]
        test_id = self.start()
        path = f"/null-tests/{test_id}/corrections"
        self.refused("get", f"{path}?variant={variant['id']}", None, 409, "no result yet")
        run_null_test(test_id=test_id)
        self.refused("get", path, None, 422, "Choose the rig")
        found = self.call("get", f"{path}?variant={variant['id']}")[1]
        self.assertFalse(found["is_b"])
        # B is half of A, inverted and 100 samples late: 6.02 dB up, turned back, and no way forward.
        (place,) = found["places"]
        action = {"do": "several", "actions": place["actions"]}
        edit = {"id": str(uuid.uuid4()), "base_revision": variant["revision"], "action": action}
        status, after = self.call("post", f"/variants/{variant['id']}/edits", edit)
        self.assertEqual(status, 200, after)
        strip = after["document"]["rails"][place["rail"]]["strip"]
        self.assertAlmostEqual(strip["level_db"], -1 + 20 * np.log10(2), places=3)
        self.assertFalse(strip.get("inverted", False))
        self.assertIn("2.083 ms earlier", place["rest"][0])
        # Written once: it would count twice. Taken back, it can be written again.
        self.assertFalse(found["changed"])
        self.assertTrue(self.call("get", f"{path}?variant={variant['id']}")[1]["changed"])
        self.call("post", f"/variants/{variant['id']}/undo", {})
        self.assertFalse(self.call("get", f"{path}?variant={variant['id']}")[1]["changed"])

    def test_the_limit_can_change_and_the_measurement_cannot(self):
        self.b = clip_in(self.song, wav_bytes(self.sound + noise(2, 5) * 1e-3), "noisy.wav")
        test_id, test = self.measured()
        self.assertFalse(test["result"]["passed"])
        body = {"limit": {"kind": "relative", "value_db": 50}}
        changed = self.call("patch", f"/null-tests/{test_id}", body)[1]["result"]
        self.assertTrue(changed["passed"])
        self.assertEqual(changed["null_depth_db"], test["result"]["null_depth_db"])
        body = {"limit": {"kind": "relative", "value_db": -3}}
        self.assertEqual(self.call("patch", f"/null-tests/{test_id}", body)[0], 422)

    def test_what_is_downloaded_is_what_was_measured(self):
        self.b = clip_in(self.song, wav_bytes(self.sound * 0.5 + noise(2, 6) * 1e-3), "n.wav")
        test_id, test = self.measured()
        heard = {}
        for which in ("a", "b", "residual"):
            answer = self.client.get(f"/api/v1/null-tests/{test_id}/audio/{which}")
            data = b"".join(answer.streaming_content)
            self.assertEqual(int(answer.headers["Content-Length"]), len(data))
            self.assertIn("attachment", answer.headers["Content-Disposition"])
            heard[which], _ = soundfile.read(io.BytesIO(data))
        rest = heard["residual"]
        np.testing.assert_allclose(heard["a"] - heard["b"], rest, atol=1e-6)
        level = 10 * np.log10(np.mean(rest**2))
        self.assertAlmostEqual(level, test["result"]["residual_rms_dbfs"], places=2)
        excerpt = self.client.get(
            f"/api/v1/null-tests/{test_id}/audio/residual?start_s=0.5&length_s=0.25"
        )
        part, _ = soundfile.read(io.BytesIO(b"".join(excerpt.streaming_content)))
        np.testing.assert_allclose(part, rest[24_000:36_000], atol=1e-7)
        self.refused(
            "get", f"/null-tests/{test_id}/audio/b?start_s=99", None, 422, "outside what was"
        )

    def test_stems_of_a_say_which_share_differs(self):
        hall = np.concatenate([np.zeros((700, 2)), self.sound])[: len(self.sound)] * 0.4
        mixes = {"mix a": self.sound + hall, "mix b": 0.5 * (self.sound + 2 * hall)}
        self.a, self.b = (clip_in(self.song, wav_bytes(0.5 * m), n) for n, m in mixes.items())
        dry = clip_in(self.song, wav_bytes(0.5 * self.sound), "Dry")
        wet = clip_in(self.song, wav_bytes(0.5 * hall), "Hall")
        given = [str(wet.pk), str(dry.pk), str(wet.pk)]
        test_id, test = self.measured(stems=given)
        self.assertEqual([s["name"] for s in test["stems"]], ["Hall", "Dry"])
        cause = next(c for c in test["result"]["causes"] if c["code"] == "mix_share")
        self.assertEqual(cause["title"], "B holds more of “Hall”")
        self.assertAlmostEqual(cause["figures"]["stem_1_db"], 20 * np.log10(2), delta=0.02)
        self.assertAlmostEqual(cause["figures"]["stem_2_db"], 0, delta=0.02)
        self.assertAlmostEqual(test["result"]["gain_db"], 20 * np.log10(0.5), delta=0.02)
        files = self.call("get", f"/null-tests/{test_id}/proof")[1]["files"]
        self.assertEqual(
            [(f["role"], f["sha256"]) for f in files[2:]],
            [("Stem 1 of A", wet.blob_id), ("Stem 2 of A", dry.blob_id)],
        )
        # Without them the same two sounds leave the rest unexplained.
        codes = {c["code"] for c in self.measured()[1]["result"]["causes"]}
        self.assertNotIn("mix_share", codes)

    def test_what_cannot_be_a_stem_is_refused_and_nothing_is_begun(self):
        path = f"/songs/{self.song.pk}/null-tests"
        body = {"clip_a": str(self.a.pk), "clip_b": str(self.b.pk)}
        twin = clip_in(self.song, wav_bytes(self.sound), "twin of a.wav")
        other = clip_in(song_for(self.user, "Other"), wav_bytes(noise(0.1)), "other.wav")
        broken = clip_in(self.song, b"not audio", "broken.wav")
        many = [clip_in(self.song, wav_bytes(noise(0.1, seed=k)), f"{k}") for k in range(2, 11)]
        for stems, status, said in (
            ([self.b], 422, "cannot be one of the stems"),
            ([twin], 422, "cannot be one of the stems"),
            ([other], 422, "belong to this song"),
            ([broken], 409, "cannot be used"),
            (many, 422, "At most 8 stems"),
        ):
            given = [str(clip.pk) for clip in stems]
            self.refused("post", path, {**body, "stems": given}, status, said)
        self.refused("post", path, {**body, "stems": [str(uuid.uuid4())]}, 404, "")
        self.refused("post", path, {**body, "stems": ["x"]}, 422, "")
        self.assertFalse(NullTest.objects.exists())

    def test_what_cannot_be_compared_says_why(self):
        silent = clip_in(self.song, wav_bytes(np.zeros((48_000, 2))), "silent.wav")
        self.b = silent
        _, test = self.measured()
        self.assertEqual(test["status"], "failed")
        self.assertIn("B (“silent.wav”) is silent", test["problem"])
        self.refused("get", f"/null-tests/{test['id']}/audio/a", None, 409, "no result to hear")

    def test_clips_that_are_not_ready_or_of_another_song(self):
        body = {"clip_a": str(self.a.pk)}
        path = f"/songs/{self.song.pk}/null-tests"
        broken = clip_in(self.song, b"not audio", "broken.wav")
        self.refused("post", path, {**body, "clip_b": str(broken.pk)}, 409, "cannot be used")
        other = clip_in(song_for(self.user, "Other"), wav_bytes(noise(0.1)), "other.wav")
        self.refused("post", path, {**body, "clip_b": str(other.pk)}, 422, "belong to this song")
        bad = {**body, "clip_b": str(self.b.pk), "options": {"search_s": 99}}
        self.refused("post", path, bad, 422, "Search s")

    def test_cancel_before_it_begins_and_delete_with_undo(self):
        test_id = self.start()
        self.assertEqual(
            self.call("post", f"/null-tests/{test_id}/cancel")[1]["status"], "cancelled"
        )
        run_null_test(test_id=test_id)
        self.assertEqual(self.call("get", f"/null-tests/{test_id}")[1]["status"], "cancelled")
        self.call("delete", f"/null-tests/{test_id}")
        self.assertEqual(self.call("get", f"/null-tests/{test_id}")[0], 404)
        self.assertEqual(self.call("post", f"/null-tests/{test_id}/restore")[0], 200)


class Attempts(ApiCase):
    """A late twin of a worker must not write over the one that took its job over."""

    def row(self) -> NullTest:
        clip = clip_in(self.song, wav_bytes(noise(0.1)))
        return NullTest.objects.create(
            song=self.song, clip_a=clip, clip_b=clip, options={}, limit={}
        )

    def test_an_interrupted_attempt_is_taken_over_and_the_late_one_is_fenced(self):
        row = self.row()
        late, fresh = Attempt(NullTest, row.pk), Attempt(NullTest, row.pk)
        self.assertTrue(late.claim())
        self.assertTrue(fresh.claim())
        with self.assertRaises(Superseded):
            late.report(0.9, "late")
        self.assertFalse(late.finish(summary={"sentence": "late"}))
        fresh.report(0.5, "subtracting")
        self.assertTrue(fresh.finish(summary={"sentence": "fresh"}))
        row.refresh_from_db()
        self.assertEqual((row.status, row.summary["sentence"], row.attempt), ("done", "fresh", 2))

    def test_a_cancel_reaches_the_running_work(self):
        row = self.row()

        def work(attempt):
            NullTest.objects.filter(pk=row.pk).update(cancel_requested=True)
            attempt.report(0.5, "half")
            raise AssertionError("went on after the cancel")

        run_attempt(NullTest, row.pk, work)
        row.refresh_from_db()
        self.assertEqual((row.status, row.problem), ("cancelled", ""))

    def test_four_interruptions_are_enough(self):
        row = self.row()
        for _ in range(4):
            self.assertTrue(Attempt(NullTest, row.pk).claim())
        self.assertFalse(Attempt(NullTest, row.pk).claim())
        row.refresh_from_db()
        self.assertEqual(row.status, "failed")
        self.assertIn("interrupted four times", row.problem)

    def test_a_fault_inside_is_told_as_one_sentence(self):
        for fault, words in [
            (OSError(28, "No space left"), "disk is full"),
            (KeyError("x"), "went wrong inside"),
        ]:
            row = self.row()

            def work(attempt, fault=fault):
                raise fault

            with self.assertLogs("server.jobs.runner", "ERROR"):
                run_attempt(NullTest, row.pk, work)
            row.refresh_from_db()
            self.assertIn(words, row.problem)
