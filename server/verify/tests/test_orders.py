"""Series or parallel, insert or send: asked, made, rendered and nulled through the API."""

import time

import numpy as np

from server.renders.models import Render
from server.renders.tasks import run_render
from server.testing import ApiCase, clip_in, noise, wav_bytes
from server.verify.tasks import run_null_test

INSERT = 'g: source "Guitar" > d: delay "Echo" (time 50 ms, feedback 30 %, mix 40 %) > f: delay "Slap" (time 30 ms, mix 50 %) > o: output'


class Orders(ApiCase):
    def setUp(self):
        super().setUp()
        sound = noise(2)
        sound[:, 1] = sound[:, 0]
        self.clip = clip_in(self.song, wav_bytes(sound), "g.wav")
        body = {"name": "Mine", "notation": INSERT}
        made = self.call("post", f"/songs/{self.song.pk}/rigs", body)[1]
        self.variant = made["variants"][0]["id"]
        self.rig = made["id"]

    def heard(self, order: str) -> tuple[int, dict, dict]:
        path = f"/variants/{self.variant}/orders"
        body = {"order": order, "clip": str(self.clip.pk)}
        status, begun = self.call("post", path, body)
        self.assertEqual(status, 200, begun)
        for render in begun["renders"]:
            # In another second each: what they are must not hang on when they were made.
            began = int(time.time())
            while int(time.time()) == began:
                time.sleep(0.02)
            run_render(render_id=render)
        sides = {"a": {"render": begun["renders"][0]}, "b": {"render": begun["renders"][1]}}
        return *self.call("post", f"/songs/{self.song.pk}/null-of-renders", sides), begun

    def test_an_insert_and_its_send_are_the_same_sound(self):
        found = self.call("get", f"/variants/{self.variant}/orders")[1]
        self.assertEqual([o["id"] for o in found], ["series:d:f", "send:d", "send:f"])
        status, said, begun = self.heard("send:d")
        # To the last bit: there is nothing that a null test could measure.
        self.assertEqual((status, said["type"]), (422, "urn:fonodrome:same"))
        # Asked again, it is the same variant and the same renders.
        again = self.heard("send:d")[2]
        self.assertEqual((again["other"], again["renders"]), (begun["other"], begun["renders"]))
        self.assertEqual(Render.objects.filter(variant__rig=self.rig).count(), 2)

    def test_side_by_side_is_another_sound(self):
        status, test, begun = self.heard("series:d:f")
        self.assertEqual(status, 200, test)
        self.assertIn("comes twice", begun["order"]["expects"])
        run_null_test(test_id=test["id"])
        result = self.call("get", f"/null-tests/{test['id']}")[1]["result"]
        self.assertGreater(result["null_depth_db"], -30)
        # White noise: the gain that fits best is that of the taps, (A . B) / (A . A).
        echo, slap = np.zeros(600), np.zeros(600)
        echo[[0, 50, 100, 150, 200, 250]] = [0.6, *(0.4 * 0.3 ** np.arange(5))]
        slap[[0, 30]] = 0.5
        series, beside = np.convolve(echo, slap)[:600], echo + slap
        gain = (series @ beside) / (series @ series)
        self.assertAlmostEqual(result["gain_db"], 20 * np.log10(gain), delta=0.1)

    def test_what_is_not_asked_any_more_is_refused_and_makes_nothing(self):
        path = f"/variants/{self.variant}/orders"
        self.refused("post", path, {"order": "send:gone"}, 422, "choose again")
        self.refused("post", path, {"order": "send:d"}, 422, "clip")
        variants = self.call("get", f"/songs/{self.song.pk}/rigs")[1][0]["variants"]
        self.assertEqual(len(variants), 1)
