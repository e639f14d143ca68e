"""The bench through the API: signals out, takes in, stand-ins, proof, and who may see them."""

import io
from datetime import timedelta

import numpy as np
import soundfile
from django.utils import timezone

from server.bench.models import Measurement
from server.bench.tasks import run_measurement
from server.testing import ApiCase, clip_in, noise, person, song_for, wav_bytes
from server.thread.services import sweep_deleted
from server.verify.models import NullTest

PEDAL = {"name": "Pedal", "min_ms": 10, "max_ms": 2000, "step_ms": 1}


class Bench(ApiCase):
    def start(self, **body):
        return self.call("post", f"/songs/{self.song.pk}/measurements", body)

    def measured(self, **body):
        status, row = self.start(**body)
        self.assertEqual(status, 200, row)
        run_measurement(measurement_id=row["id"])
        return self.call("get", f"/measurements/{row['id']}")[1]

    def signal(self, kind: str) -> np.ndarray:
        answer = self.call("get", f"/bench/signals/{kind}.wav")[1]
        return soundfile.read(io.BytesIO(answer.content))[0]

    def test_a_signal_goes_out_and_comes_back_in_a_take(self):
        kinds = {k["kind"]: k for k in self.call("get", "/bench")[1]}
        sound = self.signal("delay")
        self.assertAlmostEqual(len(sound) / 48_000, kinds["delay"]["seconds"], places=3)
        # 12 288 samples are 256 ms; every repeat half of the one before.
        back = np.pad(sound, (50_000, 20_000))
        for k in range(1, 7):
            back[k * 12_288 :] += 0.5**k * np.pad(sound, (50_000, 20_000))[: -k * 12_288]
        back = 0.4 * back + 1e-5 * np.random.default_rng(1).standard_normal(len(back))
        clip = clip_in(self.song, wav_bytes(np.stack([back, back], axis=1)), "take.wav")
        plan = {"device": "Blue", "profile": PEDAL, "label_ms": 250, "wanted_ms": 250}
        row = self.measured(signal={"kind": "delay"}, plan=plan, take=str(clip.pk))
        self.assertEqual(row["status"], "done", row["problem"])
        self.assertAlmostEqual(row["result"]["delay"]["time_ms"], 256, delta=0.01)
        self.assertAlmostEqual(row["result"]["delay"]["feedback_db"], -6.02, delta=0.05)
        # 2.4 % long: 244 does 249.86.
        self.assertEqual(row["result"]["readings"]["nearest"]["label_ms"], 244)
        self.assertAlmostEqual(row["result"]["take"]["found_s"], 50_000 / 48_000, delta=1e-3)
        proof = self.call("get", f"/measurements/{row['id']}/proof")[1]
        self.assertEqual(proof["files"][0]["sha256"], clip.blob_id)
        listed = self.call("get", f"/songs/{self.song.pk}/measurements")[1]
        self.assertEqual([(r["id"], r["main"]) for r in listed], [(row["id"], row["main"])])

    def test_a_device_is_compared_over_time(self):
        plan = {"device": "Floor", "profile": PEDAL, "wanted_ms": 300}
        for label in (100, 400):
            row = self.measured(
                signal={"kind": "delay", "room_s": 2.5}, plan={**plan, "label_ms": label},
                stand_in="long-delay",
            )  # fmt: skip
        self.assertEqual([r["label_ms"] for r in row["plan"]["earlier"]], [100])
        self.assertTrue(row["result"]["readings"]["steady"])
        self.assertAlmostEqual(row["result"]["readings"]["offset_percent"], 1.8, delta=0.01)
        # 295 does 300.31, 294 does 299.29.
        self.assertEqual(row["result"]["readings"]["nearest"]["label_ms"], 295)
        text = self.call("get", f"/measurements/{row['id']}/proof?form=md")[1]
        self.assertIn("simulated: Delay pedal that runs long", text.content.decode())

    def test_a_mix_control_is_measured_beside_its_planned_law_and_proved(self):
        asked = {"signal": {"kind": "mix"}, "plan": {"mix_law": "linear"}, "stand_in": "mix-box"}
        row = self.measured(**asked)
        self.assertEqual(row["result"]["mix"]["law"], "equal-power")
        self.assertEqual(row["result"]["compared"][0]["planned_words"], "linear")
        marks = {p["percent"]: p["does_percent"] for p in row["result"]["mix"]["positions"]}
        # Late in its travel: m to the power of 1.25.
        for percent in (25, 50, 75):
            self.assertAlmostEqual(marks[percent], 100 * (percent / 100) ** 1.25, delta=0.5)
        text = self.call("get", f"/measurements/{row['id']}/proof?form=md")[1]
        self.assertIn("equal-power", text.content.decode())
        path = f"/songs/{self.song.pk}/measurements"
        self.refused("post", path, {**asked, "plan": {"mix_law": "cubic"}}, 422, "linear")

    def test_what_cannot_be_measured_is_said(self):
        path = f"/songs/{self.song.pk}/measurements"
        cable = {"signal": {"kind": "cable"}}
        self.refused("post", path, cable, 422, "one of the two")
        self.refused("post", path, {**cable, "stand_in": "reverb"}, 422, "no such simulated")
        theirs = clip_in(song_for(person("bo")), wav_bytes(noise(1)), "theirs.wav")
        self.assertEqual(self.start(**cable, take=str(theirs.pk))[0], 404)
        other = clip_in(song_for(self.user, "Other"), wav_bytes(noise(1)), "other.wav")
        self.refused("post", path, {**cable, "take": str(other.pk)}, 422, "this song")
        self.refused("post", path, {"signal": {"kind": "delay", "room_s": 900}}, 422, "15")
        clip = clip_in(self.song, wav_bytes(noise(3)), "music.wav")
        row = self.measured(**cable, take=str(clip.pk))
        self.assertEqual((row["status"], row["result"]), ("failed", None))
        self.assertIn("not in this recording", row["problem"])
        self.refused("get", f"/measurements/{row['id']}/proof", None, 409, "no result yet")

    def test_it_is_deleted_and_comes_back(self):
        row = self.start(signal={"kind": "cable"}, stand_in="cable")[1]
        self.call("post", f"/measurements/{row['id']}/cancel")
        run_measurement(measurement_id=row["id"])
        self.assertEqual(Measurement.objects.get().status, "cancelled")
        self.assertEqual(self.call("delete", f"/measurements/{row['id']}")[0], 204)
        self.assertEqual(self.call("get", f"/measurements/{row['id']}")[0], 404)
        self.call("post", f"/measurements/{row['id']}/restore")
        self.assertEqual(self.call("get", f"/measurements/{row['id']}")[0], 200)

    def test_what_was_deleted_goes_for_good_after_a_month_and_not_before(self):
        sound = wav_bytes(noise(0.2))
        a, b = clip_in(self.song, sound, "a.wav"), clip_in(self.song, sound, "b.wav")
        kept, gone = (timezone.now() - timedelta(days=days) for days in (29, 31))
        for when in (kept, gone):
            Measurement.objects.create(
                song=self.song, signal={"kind": "cable"}, plan={}, stand_in="cable", deleted_at=when
            )
            NullTest.objects.create(
                song=self.song, clip_a=a, clip_b=b, options={}, limit={}, deleted_at=when
            )
        sweep_deleted()
        for rows in (Measurement.objects, NullTest.objects):
            self.assertEqual(list(rows.values_list("deleted_at", flat=True)), [kept])
