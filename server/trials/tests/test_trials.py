"""Blind trials: what X is stays hidden until it is answered, and the result goes to the log."""

import io
import json

import numpy as np
import soundfile

from server.renders.models import Render
from server.renders.tasks import run_render
from server.testing import RATE, ApiCase, clip_in, noise, wav_bytes
from server.trials.models import Trial

RIG = "g: source > level (level {} dB) > o: output"


class Trials(ApiCase):
    def setUp(self):
        super().setUp()
        self.clip = clip_in(self.song, wav_bytes(noise(3.0, channels=1)))
        self.a, self.b = (self.render(level) for level in (-6, -12))

    def render(self, level: float) -> str:
        body = {"name": "R", "notation": RIG.format(level)}
        made = self.call("post", f"/songs/{self.song.pk}/rigs", body)[1]
        asked = {"clip": str(self.clip.pk), "output": "o"}
        render = self.call("post", f"/variants/{made['variants'][0]['id']}/renders", asked)[1]
        run_render(render_id=render["id"])
        return render["id"]

    def begin(self, **more) -> dict:
        body = {"a": self.a, "b": self.b, "length_s": 1.5, "total": 8, **more}
        return self.call("post", f"/songs/{self.song.pk}/trials", body)[1]

    def audio(self, trial: dict, which: str) -> tuple[bytes, np.ndarray]:
        answer = self.client.get(f"/api/v1/trials/{trial['id']}/audio/{which}")
        self.assertEqual(answer.status_code, 200, answer.content[:200])
        self.assertEqual(answer["Cache-Control"], "no-store")
        return answer.content, soundfile.read(io.BytesIO(answer.content))[0]

    def test_the_three_sounds_are_equally_loud_and_tell_nothing_by_their_bytes(self):
        trial = self.begin()
        heard = {which: self.audio(trial, which) for which in "abx"}
        rms = {which: 20 * np.log10(sound.std()) for which, (_, sound) in heard.items()}
        self.assertAlmostEqual(rms["a"], rms["b"], delta=0.02)
        self.assertEqual(len({len(data) for data, _ in heard.values()}), 1)
        self.assertEqual(len({data for data, _ in heard.values()}), 3)
        again = self.audio(trial, "x")[0]
        self.assertNotEqual(again, heard["x"][0])
        unmatched = self.begin(matched=False)
        levels = [20 * np.log10(self.audio(unmatched, which)[1].std()) for which in "ab"]
        self.assertAlmostEqual(levels[0] - levels[1], 6, delta=0.02)

    def test_nothing_that_is_answered_tells_x_or_the_score_while_it_runs(self):
        trial = self.begin()
        row = Trial.objects.get(pk=trial["id"])
        for number in range(1, 8):
            out = self.call("post", f"/trials/{row.pk}/answers", {"number": number, "choice": "a"})[
                1
            ]
            self.assertEqual((out["answered"], out["hits"], out["verdict"]), (number, None, None))
            self.assertNotIn(row.order, json.dumps(out))
        self.assertEqual(self.call("get", f"/songs/{self.song.pk}/log")[1]["total"], 0)
        out = self.call("post", f"/trials/{row.pk}/answers", {"number": 8, "choice": "b"})[1]
        wanted = [x == said for x, said in zip(row.order, "aaaaaaab", strict=True)]
        self.assertEqual((out["over"], out["hits"]), (True, wanted))
        entry = self.call("get", f"/songs/{self.song.pk}/log")[1]["entries"][0]
        self.assertIn(f"{sum(wanted)} of 8 right", entry["text"])
        self.assertEqual(entry["title"], "R A against R A")
        self.refused("get", f"/trials/{row.pk}/audio/x", None, 409, "over")

    def test_an_answer_out_of_step_is_refused_and_changes_nothing(self):
        trial = self.begin()
        self.refused(
            "post",
            f"/trials/{trial['id']}/answers",
            {"number": 2, "choice": "a"},
            409,
            "not being asked",
        )
        self.assertEqual(self.call("get", f"/trials/{trial['id']}")[1]["answered"], 0)

    def test_stopping_early_counts_what_was_answered(self):
        trial = self.begin()
        self.call("post", f"/trials/{trial['id']}/answers", {"number": 1, "choice": "a"})
        out = self.call("post", f"/trials/{trial['id']}/end")[1]
        self.assertEqual((out["over"], out["verdict"]["trials"]), (True, 1))
        self.assertIn(
            "Stopped after 1 of 8",
            self.call("get", f"/songs/{self.song.pk}/log")[1]["entries"][0]["text"],
        )
        empty = self.begin()
        self.call("post", f"/trials/{empty['id']}/end")
        self.assertEqual(self.call("get", f"/songs/{self.song.pk}/log")[1]["total"], 1)

    def test_practice_tells_each_answer_at_once_and_has_what_it_says(self):
        found = {}
        for kind in ("level", "repeat", "compression", "polarity"):
            body = {"kind": kind, "clip": str(self.clip.pk), "total": 4}
            trial = self.call("post", f"/songs/{self.song.pk}/practice", body)[1]
            found[kind] = [self.audio(trial, which)[1] for which in "ab"]
            out = self.call("post", f"/trials/{trial['id']}/answers", {"number": 1, "choice": "a"})[
                1
            ]
            self.assertEqual(len(out["hits"]), 1)
        a, b = found["level"]
        self.assertAlmostEqual(20 * np.log10(b.std() / a.std()), 1.0, delta=0.01)
        a, b = found["polarity"]
        self.assertLess(np.corrcoef(a[:, 1], b[:, 1])[0, 1], -0.99)
        a, b = found["repeat"]
        late = round(0.020 * RATE)
        middle = slice(late + 1000, -1000)
        rest = np.dot(b[middle, 0], a[1000 : -1000 - late, 0])
        self.assertGreater(rest / np.dot(a[middle, 0], a[middle, 0]), 0.15)

    def test_what_cannot_be_compared_says_why(self):
        begin = f"/songs/{self.song.pk}/trials"
        self.refused("post", begin, {"a": self.a, "b": self.a}, 422, "the same")
        self.refused(
            "post",
            begin,
            {"a": self.a, "b": self.b, "start_s": 9},
            422,
            "less than half a second",
        )
        Render.objects.filter(pk=self.b).update(status="queued")
        self.refused("post", begin, {"a": self.a, "b": self.b}, 409, "not done yet")
