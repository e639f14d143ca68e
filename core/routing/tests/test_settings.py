"""How settings are laid before a person: every one in a group, few first, scales within the limits."""

import unittest

from core.routing import describe_kinds, describe_strip
from core.routing.document.fields import parameters_of
from core.routing.document.kinds import KINDS


class Settings(unittest.TestCase):
    def test_every_setting_of_every_kind_has_a_group(self):
        for kind in (*describe_kinds(), describe_strip()):
            for p in kind.parameters:
                with self.subTest(kind=kind.kind, field=p.field):
                    self.assertTrue(p.group)

    def test_at_most_six_come_first_and_each_is_the_kinds_own_number(self):
        for kind in describe_kinds():
            known = {p.field: p for p in kind.parameters}
            with self.subTest(kind=kind.kind):
                self.assertLessEqual(len(kind.main), 6)
                self.assertEqual(len(set(kind.main)), len(kind.main))
                for field in kind.main:
                    self.assertIsNotNone(known[field].scale)

    def test_what_a_device_is_turned_at_most_comes_first(self):
        main = {k.kind: k.main for k in describe_kinds()}
        self.assertEqual(main["compressor"][:2], ("threshold_db", "ratio"))
        self.assertEqual(main["delay"][:3], ("time", "feedback_percent", "mix_percent"))
        self.assertIn("rt60_s", main["reverb"])
        for kind in ("reverb", "delay", "compressor", "chorus", "equaliser"):
            self.assertGreaterEqual(len(main[kind]), 3)

    def test_scales_lie_within_what_can_be_set_and_rests_are_the_fields_own(self):
        for kind in describe_kinds():
            fields = {p.field: p for p in parameters_of(KINDS[kind.kind])}
            for p in kind.parameters:
                with self.subTest(kind=kind.kind, field=p.field):
                    self.assertEqual(p.default, fields[p.field].default)
                    if p.scale is None:
                        self.assertNotIn(p.sort, ("number", "time"))
                        continue
                    self.assertLess(p.scale.low, p.scale.high)
                    self.assertGreaterEqual(p.scale.low, p.low if p.low is not None else 0)
                    self.assertLessEqual(p.scale.high, p.high if p.high is not None else 1e9)
                    if p.scale.log:
                        self.assertGreater(p.scale.low, 0)

    def test_a_value_at_rest_can_be_set(self):
        for name, model in KINDS.items():
            rests = {p.field: p.default for p in parameters_of(model)}
            with self.subTest(kind=name):
                self.assertEqual(model(id="x", **rests), model(id="x"))
