"""Making, editing, clashing, copying and deleting songs."""

from server.testing import QUARTERS, ApiCase, clip_in, noise, wav_bytes

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
