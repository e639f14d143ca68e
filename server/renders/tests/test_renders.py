"""Renders: made once for what they are made of, marked when the rig has moved on, never in part."""

import io

import numpy as np
import soundfile

from server.clips.models import Blob
from server.renders.models import Render
from server.renders.tasks import run_render
from server.testing import RATE, ApiCase, clip_in, noise, wav_bytes

PLAIN = "g: source > level (level -6 dB) > o: output"


class Renders(ApiCase):
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
        body = {"clip": str(self.clip.pk), "source": "g", "output": "o", **more}
        return self.call("post", f"/variants/{variant or self.variant}/renders", body)

    def done(self, **more) -> dict:
        render = self.ask(**more)[1]
        if render["status"] == "queued":
            run_render(render_id=render["id"])
        return self.call("get", f"/renders/{render['id']}")[1]

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
