"""Wishes through the API: figures over a clip's own gaps, proposals that are taken as one edit and undone."""

from unittest import mock

import numpy as np

from core.errors import Cancelled
from server.devices.models import Panel
from server.jobs.runner import Attempt
from server.rigs.models import Variant
from server.testing import RATE, ApiCase, clip_in, person, wav_bytes
from server.wishes.models import Search
from server.wishes.tasks import run_search

RIG = """
voice: source "Voice" (level -18 dB) > ways: split > mix: merge > main: output (stereo)
ways > hall: reverb "Long hall" (rt60 2 s, pre-delay 20 ms) > mix [level -3 dB]
wish tail at entries under -20 dB
wish should level of hall against dry about -3 dB
"""


def phrases(gap_s: float) -> np.ndarray:
    """Three bursts of noise with silence between them, and a quiet beginning and end."""
    rng = np.random.default_rng(5)
    burst = 0.3 * rng.standard_normal((round(0.6 * RATE), 1))
    still = np.zeros((round(gap_s * RATE), 1))
    return np.concatenate([burst, still, burst, still, burst, np.zeros((RATE // 2, 1))])


class Wishes(ApiCase):
    def setUp(self):
        super().setUp()
        body = {"name": "Harbour", "notation": RIG}
        rig = self.call("post", f"/songs/{self.song.pk}/rigs", body)[1]
        self.variant = rig["variants"][0]["id"]
        self.clip = str(clip_in(self.song, wav_bytes(phrases(0.8)), "Phrases.wav").pk)

    def page(self, **more) -> dict:
        status, page = self.call("post", f"/variants/{self.variant}/wishes", more)
        self.assertEqual(status, 200, page)
        return page

    def searched(self, sort: str, **more) -> dict:
        """Asked, worked at as the worker would, and read again."""
        asked = self.call("post", f"/variants/{self.variant}/{sort}", {"clip": self.clip, **more})[
            1
        ]
        self.assertEqual((asked["status"], asked["proposals"]), ("queued", None), asked)
        run_search(search_id=asked["id"])
        return self.call("get", f"/searches/{asked['id']}?wait_s=0.1")[1]

    def proposed(self, **more) -> dict:
        out = self.searched("proposals", **more)
        self.assertEqual((out["status"], out["best"]), ("done", None), out)
        return out["proposals"]

    def wished(self, text: str) -> None:
        body = {"base_revision": 1, "action": {"do": "notate", "text": text}}
        self.assertEqual(self.call("post", f"/variants/{self.variant}/edits", body)[0], 200)

    def test_standing_wishes_over_the_gaps_of_the_clip(self):
        tail, level = self.page(clip=self.clip)["standing"]["wishes"]
        # 0.8 s of silence, as the phrases were found: 780 ms after the pre-delay, 30 dB a second.
        self.assertAlmostEqual(tail["figure"], -3 - 30 * 0.78, delta=2.5)
        self.assertTrue(level["holds"])
        without = self.page()["standing"]["wishes"][0]
        self.assertEqual((without["figure"], without["holds"]), (None, None))
        self.assertIn("bring one in", without["sentence"])

    def test_a_proposal_is_taken_as_one_edit_and_undone(self):
        self.wished(RIG.replace("-20 dB", "-40 dB"))
        before = Variant.objects.get(pk=self.variant)
        out = self.proposed()
        first = out["proposals"][0]
        self.assertTrue(first["musts_held"], out)
        self.assertEqual(Variant.objects.get(pk=self.variant).revision, before.revision)
        body = {"base_revision": before.revision, "action": first["action"]}
        status, said = self.call("post", f"/variants/{self.variant}/edits", body)
        self.assertEqual(status, 200, said)
        wishes = self.page(clip=self.clip)["standing"]["wishes"]
        self.assertEqual([w["figure"] for w in wishes], [w["figure"] for w in first["wishes"]])
        self.assertTrue(wishes[0]["holds"])
        self.call("post", f"/variants/{self.variant}/undo")
        self.assertEqual(Variant.objects.get(pk=self.variant).document, before.document)

    def test_what_is_free_and_a_devices_own_steps(self):
        Panel.objects.create(owner=self.user, key="long hall", content={"name": "Long hall", "controls": [{"field": "rt60_s", "shows": "clock", "low": 0.2, "high": 5.2, "step": 0.5}]})  # fmt: skip
        free = {f["key"]: f for f in self.page(clip=self.clip)["free"]}
        self.assertEqual(free["node/hall/rt60_s"]["shown"], "10:30")
        self.assertFalse(free["node/hall/output_db"]["usual"])
        body = {"clip": self.clip, "free": [{"key": "node/x/y"}]}
        self.refused("post", f"/variants/{self.variant}/proposals", body, 422, "not there any more")

    def test_a_trade_between_the_two(self):
        text = RIG.replace("-20 dB", "-45 dB")
        self.wished(text)
        free = [{"key": "rail/hall.0/level_db"}]
        out = self.searched("trade", one=0, other=1, free=free)["trade"]
        moved = [(p["figure"] - out["now"][0], p["other"] - out["now"][1]) for p in out["points"]]
        for a, b in moved:
            self.assertAlmostEqual(a, b, delta=0.05)
        self.assertGreater(len(moved), 4)

    def test_bad_questions_and_other_people_s(self):
        path = f"/variants/{self.variant}"
        self.refused("post", f"{path}/trade", {"one": 0, "other": 0}, 422, "between two")
        self.refused("post", f"{path}/trade", {"one": 0, "other": 50}, 422, "Other")
        self.refused("post", f"{path}/proposals", {"clip": None}, 422, "bring one in")
        self.refused(
            "post", f"{path}/proposals", {"clip": self.clip, "free": []}, 422, "Nothing is free"
        )
        action = {"do": "wishes", "wishes": [{"kind": "level", "value": -10}]}
        self.refused(
            "post", f"{path}/edits", {"base_revision": 1, "action": action}, 422, "names one part"
        )
        self.client.force_login(person("eve"))
        for call in ("wishes", "proposals"):
            self.refused("post", f"{path}/{call}", {}, 404, "not yours")

    def test_a_question_that_takes_too_long_gives_the_best_so_far(self):
        text = RIG.replace("-20 dB", "-45 dB")
        self.wished(text)
        with mock.patch("server.wishes.services.LONGEST_S", -1):
            out = self.proposed()
        self.assertFalse(out["whole"])

    def test_what_is_proposed_was_rendered_and_measured(self):
        self.wished(RIG.replace("-20 dB", "-40 dB"))
        out = self.proposed()
        for one in out["proposals"]:
            self.assertTrue(one["checked"], one["checked_said"])
            tail = one["wishes"][0]
            self.assertTrue(tail["heard_holds"])
            self.assertAlmostEqual(tail["heard"], tail["figure"], delta=3)

    def test_stopped_while_it_looks_it_keeps_the_best_so_far(self):
        self.wished(RIG.replace("-20 dB", "-40 dB"))
        seen, report = [], Attempt.report

        def stop_after_a_while(attempt, share, stage):
            seen.append((share, stage))
            if len(seen) > 40:
                raise Cancelled
            report(attempt, share, stage)

        with mock.patch.object(Attempt, "report", stop_after_a_while):
            out = self.proposed()
        self.assertFalse(out["whole"])
        self.assertLess(len(seen), 60)
        self.assertEqual(
            [p["checked_said"] for p in out["proposals"]],
            ["Not rendered: it was stopped."] * len(out["proposals"]),
        )
        shares = [share for share, _ in seen]
        self.assertEqual(shares, sorted(shares))

    def test_one_search_at_a_time_and_few_are_kept(self):
        first = self.call("post", f"/variants/{self.variant}/proposals", {"clip": self.clip, "free": []})  # fmt: skip
        self.assertEqual(first[0], 422)
        self.wished(RIG.replace("-20 dB", "-40 dB"))
        body = {"clip": self.clip}
        ids = [
            self.call("post", f"/variants/{self.variant}/proposals", body)[1]["id"]
            for _ in range(9)
        ]
        states = dict(Search.objects.values_list("pk", "status"))
        self.assertEqual(str(next(pk for pk, s in states.items() if s == "queued")), ids[-1])
        self.assertEqual(sorted(set(states.values())), ["cancelled", "queued"])
        self.assertLessEqual(len(states), 8)
        gone = self.call("post", f"/searches/{ids[-1]}/cancel")[1]
        self.assertEqual(gone["status"], "cancelled")

    def test_a_null_against_another_variant_and_a_device_of_ones_own(self):
        rig = Variant.objects.get(pk=self.variant).rig_id
        made = self.call("post", f"/rigs/{rig}/variants", {"copy_of": self.variant})[1]
        self.assertEqual(made["letter"], "B")
        self.wished(RIG + "wish null against B under -60 dB\nwish setting error of hall under 1 ms")
        null, error = self.page(clip=self.clip)["standing"]["wishes"][2:]
        self.assertEqual((null["figure"], null["holds"]), (-120, True))
        self.assertIn("No device is known for Long hall", error["sentence"])
        # One that cannot be read takes the page of the others with it as little as a list.
        Variant.objects.filter(pk=made["id"]).update(document={"version": 7, "nodes": {"x": {"kind": "nonsense"}}})  # fmt: skip
        self.assertIn("no other variant B", self.page()["standing"]["wishes"][2]["sentence"])
        control = {"field": "pre_delay", "shows": "value", "low": 0, "high": 100, "step": 8}
        Panel.objects.create(owner=self.user, key="long hall", content={"name": "Long hall", "controls": [control]})  # fmt: skip
        # 20 ms on a grid of 8: two steps and a half, and the longer of two as near.
        self.assertAlmostEqual(self.page()["standing"]["wishes"][3]["figure"], 4)
