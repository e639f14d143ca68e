"""Making, editing, clashing, copying and deleting songs."""

import base64
import importlib

import numpy as np
from django.apps import apps

from server.testing import QUARTERS, RATE, ApiCase, clip_in, noise, wav_bytes

SIX_EIGHT = {"tempo_bpm": 94, "beat_unit": "dotted quarter", "metre_count": 6, "metre_unit": 8}


class Songs(ApiCase):
    def edit(self, base: int, **changes):
        return self.call(
            "patch", f"/songs/{self.song.pk}", {"base_revision": base, "changes": changes}
        )

    def test_a_name_and_a_tempo_suffice(self):
        status, song = self.call("post", "/songs", {"title": " Ferry ", "tempo_map": [SIX_EIGHT]})
        self.assertEqual(status, 200, song)
        self.assertEqual((song["title"], song["revision"]), ("Ferry", 1))
        self.assertEqual(song["tempo_map"][0]["beat_unit"], "1/4.")
        self.assertAlmostEqual(song["beat_ms"], 638.297872, places=5)

    def test_what_cannot_be_a_song_gets_a_sentence(self):
        for body, words in [
            ({"title": "  ", "tempo_map": [QUARTERS]}, "needs a name"),
            ({"title": "x", "tempo_map": [{**QUARTERS, "tempo_bpm": 0}]}, "greater than or equal"),
            ({"title": "x", "tempo_map": [{**QUARTERS, "tempo_bpm": 10_000}]}, "less than"),
            ({"title": "x", "tempo_map": [{**QUARTERS, "beat_unit": "soon"}]}, "is not a beat"),
            ({"title": "x", "tempo_map": []}, "at least 1"),
        ]:
            with self.subTest(words):
                self.refused("post", "/songs", body, 422, words)

    def test_an_edit_raises_the_revision_once(self):
        self.assertEqual(self.edit(1, title="New")[1]["revision"], 2)
        self.assertEqual(self.edit(2, title="New")[1]["revision"], 2)

    def test_two_tabs_on_different_fields_merge(self):
        self.edit(1, title="From tab one")
        status, song = self.edit(1, delay_value="1/4T")
        self.assertEqual(
            (status, song["title"], song["delay_value"]), (200, "From tab one", "1/4T")
        )

    def test_two_tabs_on_the_same_field_are_told_and_nothing_is_overwritten(self):
        self.edit(1, title="From tab one")
        status, problem = self.edit(1, title="From tab two", delay_value="1/4")
        self.assertEqual(status, 409)
        self.assertEqual(
            problem["clashes"],
            [{"field": "title", "theirs": "From tab one", "yours": "From tab two"}],
        )
        self.song.refresh_from_db()
        self.assertEqual((self.song.title, self.song.delay_value), ("From tab one", "1/8."))
        self.assertEqual(self.edit(problem["revision"], title="From tab two")[0], 200)

    def test_a_delay_that_is_none_is_refused_and_the_old_one_stays(self):
        for value in ("soon", "0", "-3 ms"):
            self.assertEqual(self.edit(1, delay_value=value)[0], 422)
        self.song.refresh_from_db()
        self.assertEqual(self.song.delay_value, "1/8.")

    def test_a_device_upside_down_is_refused(self):
        device = {"name": "x", "min_ms": 500, "max_ms": 100, "step_ms": 1}
        status, problem = self.edit(1, device=device)
        self.assertEqual(status, 422)
        self.assertIn("must be above the shortest", problem["detail"])

    def test_duplicate_takes_clips_along(self):
        clip_in(self.song, wav_bytes(noise(0.1)))
        made = self.call("post", f"/songs/{self.song.pk}/duplicate")[1]
        self.assertEqual(made["title"], "Tide Table (copy)")
        self.assertEqual(len(self.call("get", f"/songs/{made['id']}/clips")[1]), 1)

    def test_delete_can_be_undone(self):
        self.assertEqual(self.call("delete", f"/songs/{self.song.pk}")[0], 204)
        self.assertEqual(self.call("get", "/songs")[1], [])
        self.assertEqual(self.call("get", f"/songs/{self.song.pk}")[0], 404)
        self.assertEqual(self.call("post", f"/songs/{self.song.pk}/restore")[0], 200)
        self.assertEqual(len(self.call("get", "/songs")[1]), 1)


class DelayPlan(ApiCase):
    def edit(self, **changes):
        revision = self.call("get", f"/songs/{self.song.pk}")[1]["revision"]
        return self.call(
            "patch", f"/songs/{self.song.pk}", {"base_revision": revision, "changes": changes}
        )

    def test_the_first_delay_is_the_one_in_hand_whichever_way_it_is_changed(self):
        song = self.call("get", f"/songs/{self.song.pk}")[1]
        self.assertEqual([d["value"] for d in song["delays"]], [song["delay_value"]])
        plan = [{"name": "Lead throw", "value": "1/4"}, {"name": "Slap", "value": "120 ms"}]
        song = self.edit(delays=plan)[1]
        self.assertEqual((song["delay_value"], song["written"]), ("1/4", ["@lead_throw", "@slap"]))
        song = self.edit(delay_value="1/8T")[1]
        self.assertEqual([d["value"] for d in song["delays"]], ["1/8T", "120 ms"])

    def test_plans_that_cannot_be_are_refused_and_nothing_changes(self):
        for plan, words in (
            ([{"name": "Slap"}, {"name": "slap!"}], "called “Slap” already"),
            ([{"name": "Slap", "value": "soon"}], "is not a number"),
            ([{"name": "Slap", "value": "0 ms"}], "above 0 ms"),
            ([], "at least 1"),
        ):
            with self.subTest(words):
                status, problem = self.edit(delays=plan)
                self.assertEqual(status, 422)
                self.assertIn(words, problem["detail"])
        self.assertEqual(len(self.call("get", f"/songs/{self.song.pk}")[1]["delays"]), 1)

    def test_a_delay_that_a_rig_uses_stays_until_the_rig_lets_go(self):
        self.edit(delays=[{"name": "Main", "value": "1/8."}, {"name": "Slap", "value": "120 ms"}])
        rig = {"name": "R", "notation": "g: source > echo: delay (time @slap) > o: output"}
        status, made = self.call("post", f"/songs/{self.song.pk}/rigs", rig)
        self.assertEqual(status, 200, made)
        variant = made["variants"][0]["id"]
        times = self.call("get", f"/variants/{variant}")[1]["view"]["report"]["times_ms"]
        self.assertEqual(times, {"echo": 120})
        status, problem = self.edit(delays=[{"name": "Main", "value": "1/8."}])
        self.assertEqual(status, 422)
        self.assertIn("“Slap” is used in the rig “R”", problem["detail"])
        # Wherever a rig says it: in a dip, in a frame, in a scene.
        for number, notation in enumerate((
            "g: source > duck: ducker (way shape, dip every @slap) > o: output",
            "g: source > f: frame > o: output\nslot f A > echo: delay (time @slap)",
            'g: source > echo: delay > o: output\nscene "Late": echo (time @slap)',
        )):  # fmt: skip
            self.call("delete", f"/rigs/{made['id']}")
            status, made = self.call(
                "post", f"/songs/{self.song.pk}/rigs", {"name": f"R{number}", "notation": notation}
            )
            self.assertEqual(status, 200, made)
            status, problem = self.edit(delays=[{"name": "Main", "value": "1/8."}])
            self.assertEqual(status, 422)
            self.assertIn(f"“Slap” is used in the rig “R{number}”", problem["detail"])
        unknown = {"name": "R", "notation": "g: source > delay (time @nowhere) > o: output"}
        self.refused(
            "post", f"/songs/{self.song.pk}/rigs", unknown, 422, "no delay written @nowhere"
        )

    def test_tempo_maps_are_checked_and_leave_as_midi(self):
        open_end = {**QUARTERS, "bars": None}
        status, problem = self.edit(tempo_map=[open_end, open_end])
        self.assertEqual((status, "Section 1 has no end" in problem["detail"]), (422, True))
        self.edit(tempo_map=[{**QUARTERS, "bars": 4, "name": "Verse"}, open_end])
        out = self.client.get(f"/api/v1/songs/{self.song.pk}/tempo-map.mid")
        self.assertEqual(out.content[:4], b"MThd")
        body = {"data_base64": base64.b64encode(out.content).decode()}
        read = self.call("post", "/compute/read-midi", body)[1]
        self.assertEqual([s["bars"] for s in read["sections"]], [4, None])
        self.refused(
            "post", "/compute/read-midi", {"data_base64": "%%"}, 422, "did not arrive whole"
        )

    def test_a_figure_is_rendered_for_its_owner(self):
        body = {"frame": {}, "pattern": {"played": [{"slot": 0}]}, "line": {}, "loops": 1}
        for kind, magic in (("wav", b"RIFF"), ("mid", b"MThd")):
            answer = self.client.post(
                f"/api/v1/songs/{self.song.pk}/figure.{kind}", body, content_type="application/json"
            )
            self.assertEqual((answer.status_code, answer.content[:4]), (200, magic))

    def test_a_take_and_a_tempo_are_read_from_a_clip(self):
        clicks = np.zeros((48_000 * 6, 1))
        for beat in range(11):
            start = round((0.3 + beat * 0.5) * 48_000)
            clicks[start : start + 2000, 0] = noise(2000 / RATE)[:2000, 0] * np.linspace(1, 0, 2000)
        clip = clip_in(self.song, wav_bytes(clicks))
        found = self.call("get", f"/clips/{clip.pk}/tempo")[1]
        self.assertIn(120, [round(c["bpm"]) for c in found["candidates"]])
        body = {"frame": {"tempo_bpm": 120}, "pattern": {}, "starts_s": 0.3}
        take = self.call("post", f"/clips/{clip.pk}/take", body)[1]
        self.assertEqual(len(take["notes"]), 11)
        self.assertLess(abs(take["mean_ms"]), 1)


class KeptOfBlend(ApiCase):
    def test_an_older_parallel_compression_becomes_a_part_of_what_is_kept(self):
        module = importlib.import_module("server.songs.migrations.0004_kept_blend")
        self.song.blend = {"threshold_db": -30, "ratio": 6}
        self.song.save(update_fields=["blend"])
        module.wrap(apps, None)
        module.wrap(apps, None)
        kept = self.call("get", f"/songs/{self.song.pk}")[1]["blend"]
        self.assertEqual((kept["parallel"]["threshold_db"], kept["parallel"]["ratio"]), (-30, 6))
        self.assertEqual((kept["law"], kept["school"]), ("linear", ""))
        module.unwrap(apps, None)
        self.song.refresh_from_db()
        self.assertEqual(self.song.blend, {"threshold_db": -30, "ratio": 6})

    def test_pair_sides_and_ducking_are_kept_and_bounds_are_said(self):
        blend = {"law": "full", "pair": {"wet_db": -9}, "sides": {"apart_ms": 18}}
        space = {"ducking": {"way": "envelope", "sensitivity_percent": 40}, "ducking_on": True}
        body = {"base_revision": self.song.revision, "changes": {"blend": blend, "space": space}}
        status, song = self.call("patch", f"/songs/{self.song.pk}", body)
        self.assertEqual(status, 200, song)
        self.assertEqual(song["blend"]["sides"]["apart_ms"], 18)
        self.assertEqual(song["space"]["ducking"]["sensitivity_percent"], 40)
        bad = {"base_revision": song["revision"], "changes": {"space": {"ducking": {"ratio": 0.5}}}}
        self.refused("patch", f"/songs/{self.song.pk}", bad, 422, "Ratio: input should be")
