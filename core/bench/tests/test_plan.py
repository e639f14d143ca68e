"""What to set on a device, held against every reading tried one by one."""

import random
import unittest

import numpy as np

from core.bench import BenchPlan
from core.bench.plan import Reading, readings_of
from core.devices import DeadZone, DeviceProfile


def all_readings(profile: DeviceProfile) -> list[float]:
    """Everything that the device can be set to, counted out."""
    if profile.detents_ms:
        return list(profile.detents_ms)
    count = int((profile.max_ms - profile.min_ms) / profile.step_ms + 1e-6)
    found = [profile.min_ms + k * profile.step_ms for k in range(count + 1)]
    return [
        label
        for label in found
        if not any(zone.from_ms < label < zone.to_ms for zone in profile.dead_zones)
    ]


class Nearest(unittest.TestCase):
    def devices(self, rng: random.Random):
        for _ in range(60):
            least = rng.choice([0.1, 1, 10, 40])
            step = rng.choice([0.1, 0.5, 1, 5, 12.5])
            yield DeviceProfile(
                name="Device",
                min_ms=least,
                max_ms=least + step * rng.randint(20, 900),
                step_ms=step,
            )
        yield DeviceProfile(
            name="Switch",
            min_ms=50,
            max_ms=900,
            step_ms=1,
            detents_ms=(60, 125, 250, 380, 520, 800),
        )
        yield DeviceProfile(
            name="Worn knob", min_ms=20, max_ms=800, step_ms=1,
            dead_zones=(DeadZone(from_ms=300, to_ms=340),),
        )  # fmt: skip

    def test_no_reading_comes_nearer_than_the_one_that_is_given(self):
        rng = random.Random(4)
        for profile in self.devices(rng):
            share = rng.uniform(0.94, 1.06)
            labels = all_readings(profile)
            label = rng.choice(labels)
            wanted = rng.uniform(labels[0], labels[-1]) * share
            found = readings_of(
                BenchPlan(profile=profile, label_ms=label, wanted_ms=wanted), label * share
            )
            best = min(abs(other * share - wanted) for other in labels)
            self.assertAlmostEqual(abs(found.nearest.error_ms), best, delta=2e-3, msg=profile.name)
            self.assertTrue(
                any(abs(found.nearest.label_ms - other) < 1e-5 for other in labels), profile.name
            )
            # Every mark of the rule is a reading that can be set, and does what the law says.
            for mark in found.marks:
                self.assertTrue(any(abs(mark.label_ms - other) < 1e-5 for other in labels))
                self.assertAlmostEqual(mark.does_ms, mark.label_ms * share, delta=0.01)
                self.assertAlmostEqual(mark.error_ms, mark.does_ms - wanted, delta=0.01)

    def test_share_and_constant_come_apart_where_times_do(self):
        rng = np.random.default_rng(9)
        for share, constant in ((1.0, 4.0), (0.97, 0.0), (1.03, -2.5), (1.0, 0.0), (0.99, 11.0)):
            labels = [80.0, 333.0, 700.0, 1200.0]
            does = [share * label + constant + 0.002 * rng.standard_normal() for label in labels]
            earlier = tuple(
                Reading(label_ms=a, does_ms=b) for a, b in zip(labels[:-1], does[:-1], strict=True)
            )
            plan = BenchPlan(label_ms=labels[-1], wanted_ms=1200, earlier=earlier)
            found = readings_of(plan, does[-1])
            self.assertTrue(found.steady)
            self.assertAlmostEqual(found.offset_percent, 100 * (share - 1), delta=0.005)
            self.assertAlmostEqual(found.offset_ms, constant, delta=0.03)
            self.assertLess(found.tolerance_ms, 0.03)

    def test_a_device_that_does_as_it_likes_shows_how_far_its_readings_scatter(self):
        earlier = (Reading(label_ms=100, does_ms=104), Reading(label_ms=400, does_ms=392))
        found = readings_of(BenchPlan(label_ms=900, wanted_ms=900, earlier=earlier), 925.0)
        self.assertGreater(found.tolerance_ms, 5)

    def test_two_readings_near_each_other_tell_no_constant(self):
        earlier = (Reading(label_ms=400, does_ms=410),)
        found = readings_of(BenchPlan(label_ms=410, wanted_ms=420, earlier=earlier), 420.25)
        self.assertEqual((found.steady, found.offset_ms), (False, 0.0))
        self.assertAlmostEqual(found.offset_percent, 2.5, delta=0.01)

    def test_a_wish_out_of_reach_gets_the_end_of_the_range(self):
        profile = DeviceProfile(name="Short", min_ms=10, max_ms=300, step_ms=1)
        found = readings_of(BenchPlan(profile=profile, label_ms=200, wanted_ms=450), 202.0)
        self.assertEqual(found.nearest.label_ms, 300)
        self.assertAlmostEqual(found.nearest.error_ms, 303 - 450, delta=0.01)
        self.assertTrue(all(mark.label_ms <= 300 for mark in found.marks))
