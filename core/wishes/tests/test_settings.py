"""Settings that a search moves: places, steps and words, by hand."""

import unittest
from typing import Any

from core.wishes.settings import Setting


def setting(**values: Any) -> Setting:
    given: dict[str, Any] = {
        "key": "n/low_cut_hz", "part": "n", "field": "low_cut_hz", "label": "low cut", "unit": "Hz", "value": 20.0,
        "low": 20.0, "high": 800.0, "step": 1.0, "sort": "filters", "size": 0.2, "log": True,
    }  # fmt: skip
    return Setting(**{**given, **values})


class Moved(unittest.TestCase):
    def test_a_step_of_a_corner_is_a_fifth_and_ends_where_its_range_does(self):
        corner = setting()
        self.assertAlmostEqual(corner.at(2), 28.8)  # 20 * 1.2 * 1.2
        self.assertAlmostEqual(corner.place(28.8), 2)
        self.assertEqual((corner.at(100), corner.at(-1)), (800, 20))

    def test_a_step_of_a_level_is_a_decibel(self):
        level = setting(unit="dB", value=-6.0, low=-60.0, high=12.0, step=0.5, size=1.0, log=False)
        self.assertEqual((level.at(-2.5), level.place(-3.0)), (-8.5, 3))
        self.assertEqual(level.snapped(-7.3), -7.5)
        self.assertEqual((level.snapped(-7.3, True), level.snapped(-7.3, False)), (-7.0, -7.5))
        # Where it is it stays, on no step of its own too.
        self.assertEqual(setting(value=33.3).snapped(33.3), 33.3)

    def test_what_is_not_set_is_called_so_and_stored_so(self):
        cut = setting(unset=True)
        self.assertEqual((cut.said(20.0), cut.stored(20.0)), ("none", None))
        self.assertEqual((cut.said(120.0), cut.stored(120.0)), ("120 Hz", 120.0))
        stood = setting(value=40.0)
        self.assertEqual((stood.said(20.0), stood.stored(20.0)), ("20 Hz", 20.0))

    def test_a_level_has_its_sign_and_a_size_has_none_and_a_time_is_stored_in_words(self):
        level = setting(unit="dB", low=-60.0, high=12.0)
        self.assertEqual(level.said(-3.0), "\N{MINUS SIGN}3.0 dB")
        self.assertEqual(setting(unit="dB", low=0.0, high=24.0).said(3.0), "3 dB")
        self.assertEqual(setting(unit="ms", text=True).stored(12.5), "12.5 ms")
