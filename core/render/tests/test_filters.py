"""Shelves and bells as they are rendered, against analogue ones worked out by SciPy."""

import math
import unittest

import numpy as np
import scipy.signal

from core.render.filters import Filter, section_sos
from core.routing.plan.responses import Section, shaped


def analogue(section: Section, hz: np.ndarray) -> np.ndarray:
    """Sizes in dB of the prototype in s, in radians a second, by `scipy.signal.freqs`."""
    w, g = 2 * math.pi * section.hz, 10 ** (section.gain_db / 40)
    forms = {
        "bell": ([1, w * g / section.q, w * w], [1, w / (g * section.q), w * w]),
        "low_shelf": ([1, w * g], [1, w / g]),
        "high_shelf": ([g, w], [1 / g, w]),
    }
    _, h = scipy.signal.freqs(*forms[section.kind], worN=2 * math.pi * hz)
    return 20 * np.log10(np.abs(h))


def rendered(section: Section, hz: np.ndarray, rate: int) -> np.ndarray:
    """Sizes in dB of what the renderer's filter makes of an impulse."""
    shape = shaped((section,))
    impulse = np.zeros((2, 1 << 16))
    impulse[:, 0] = 1
    found = np.fft.rfft(Filter(shape, rate)(impulse)[0])
    at = np.fft.rfftfreq(1 << 16, 1 / rate)
    return np.interp(hz, at, 20 * np.log10(np.abs(found)))


class Sizes(unittest.TestCase):
    HZ = np.geomspace(100, 20_000, 120)

    def test_shelves_are_met_up_to_the_top(self):
        for rate, kind, hz, gain in (
            (44_100, "high_shelf", 8000, 15), (44_100, "high_shelf", 16_000, -12),
            (48_000, "low_shelf", 5000, -12), (48_000, "high_shelf", 300, 6),
            (96_000, "low_shelf", 12_000, 15),
        ):  # fmt: skip
            one = Section(kind, hz, gain_db=gain)
            with self.subTest(rate=rate, section=one):
                error = np.abs(rendered(one, self.HZ, rate) - analogue(one, self.HZ))
                self.assertLess(error.max(), 0.55)
                self.assertLess(error[rate / 10 > self.HZ].max(), 0.25)

    def test_bells_have_their_gain_at_the_centre_and_keep_their_width_at_the_top(self):
        for rate, hz, gain, q in (
            (44_100, 1000, 9, 2), (44_100, 12_000, 6, 4), (48_000, 8000, -12, 1),
            (96_000, 3000, 15, 0.5),
        ):  # fmt: skip
            one = Section("bell", hz, gain_db=gain, q=q)
            with self.subTest(rate=rate, section=one):
                self.assertAlmostEqual(
                    float(rendered(one, np.array([hz]), rate)[0]), gain, delta=0.1
                )
                error = np.abs(rendered(one, self.HZ, rate) - analogue(one, self.HZ))
                self.assertLess(error.max(), 1.0)

    def test_whatever_is_asked_is_stable_and_a_shelf_of_nothing_passes_all(self):
        for kind in ("bell", "low_shelf", "high_shelf"):
            for hz in (20, 1000, 19_000, 23_500):
                for gain in (-24, -0.001, 0.0, 24):
                    for q in (0.1, 40):
                        sos = section_sos(Section(kind, hz, gain_db=gain, q=q), 44_100)
                        poles = np.roots(sos[0, 3:])
                        self.assertTrue(np.isfinite(sos).all())
                        self.assertLess(np.abs(poles).max(initial=0.0), 1)
        np.testing.assert_allclose(
            rendered(Section("high_shelf", 5000, gain_db=0), self.HZ, 48_000), 0, atol=1e-9
        )
