"""A mix control against boxes made here: their laws are written out again, their takes are mixed here."""

import numpy as np
import scipy.signal

from core.bench import BenchPlan, TestSignal, measure_take
from core.bench.signal import sound_of
from core.bench.tests.test_course import Takes
from core.causes.tests.catalogue import RATE
from core.errors import MeasureError

# From the position m to the gains of dry and wet.
LAWS = {
    "linear": lambda m: (1 - m, m),
    "equal-power": lambda m: (np.cos(np.pi * m / 2), np.sin(np.pi * m / 2)),
    "full": lambda m: (min(1, 2 - 2 * m), min(1, 2 * m)),
    "compromise": lambda m: (
        np.sqrt((1 - m) * np.cos(np.pi * m / 2)), np.sqrt(m * np.sin(np.pi * m / 2)),
    ),
}  # fmt: skip
SIGNAL = TestSignal(kind="mix", rate_hz=RATE)
MARKS = (0, 25, 50, 75, 100)


class Mix(Takes):
    def box(self, gains, *, wet=None, noise_db=-88, clock_ppm=0.0):
        """A take of a box whose control stands at each mark half a second before its notes."""
        dry = np.pad(sound_of(SIGNAL), (0, RATE))
        if wet is None:
            t = np.arange(RATE // 2) / RATE
            room = 0.05 * self.rng.standard_normal(len(t)) * 10 ** (-3 * t / 0.5)
            wet = scipy.signal.fftconvolve(dry, room)[: len(dry)]
        else:
            wet = wet(dry)
        sound = gains(0.0)[0] * dry
        halts = [h for h in SIGNAL.halts if h.name.startswith("At ")]
        self.assertEqual(len(halts), len(MARKS))
        for mark, halt in zip(MARKS, halts, strict=True):
            first, last = (round(s * RATE) for s in (halt.start_s, halt.start_s + halt.length_s))
            a, b = gains(mark / 100)
            sound[first:last] = a * dry[first:last] + b * wet[first:last]
        if clock_ppm:
            at = np.arange(len(sound)) * (1 - 1e-6 * clock_ppm)
            fine = scipy.signal.resample_poly(sound, 8, 1)
            sound = np.interp(8 * at, np.arange(len(fine)), fine)
        return self.file(0.6 * sound + self.noise(len(sound), noise_db))

    def measured(self, gains, plan=None, **named):
        return measure_take(self.box(gains, **named), SIGNAL, plan or BenchPlan())

    def test_each_law_is_known_by_the_gains_and_not_by_the_marks(self):
        for law, gains in LAWS.items():
            for taper in (1.0, 1.4):
                with self.subTest(law, taper=taper):
                    found = self.measured(lambda m, g=gains, t=taper: g(m**t))
                    self.assertEqual(found.mix.law, law)
                    self.assertLess(found.mix.law_off_db, 0.2)
                    for p in found.mix.positions:
                        dry, wet = gains((p.percent / 100) ** taper)
                        self.assertAlmostEqual(p.dry, dry, delta=0.01)
                        self.assertAlmostEqual(p.wet, wet, delta=0.01)
                        self.assertAlmostEqual(
                            p.does_percent, 100 * (p.percent / 100) ** taper, delta=1
                        )

    def test_it_stands_beside_the_plan_and_holds_on_another_clock(self):
        plan = BenchPlan(device="Box", mix_law="linear")
        found = self.measured(LAWS["equal-power"], plan, clock_ppm=40)
        row = found.compared[0]
        self.assertEqual((row.words, row.planned_words), ("equal-power", "linear"))
        self.assertIn("Box: it follows the equal-power law", found.sentence)
        self.assertTrue(all(halt.read for halt in found.halts if halt.name.startswith("At ")))

    def test_what_follows_no_law_is_said_to(self):
        found = self.measured(lambda m: ((1 - m) ** 2, m**2))
        self.assertIsNone(found.mix.law)
        self.assertIn("none of the usual laws", found.sentence)
        self.assertAlmostEqual(found.mix.positions[2].dry, 0.25, delta=0.01)

    def test_a_wet_that_moves_or_is_the_dry_sound_or_silent_is_refused_in_words(self):
        def swaying(dry):
            n = np.arange(len(dry))
            sway = 0.004 * RATE * (1 + np.sin(2 * np.pi * 0.37 * n / RATE))
            return np.interp(n - 0.1 * RATE - sway, n, dry)

        found = self.measured(LAWS["linear"], wet=swaying)
        self.assertIsNone(found.mix.law)
        self.assertTrue(any("modulation" in r.why for r in found.refused))
        with self.assertRaisesRegex(MeasureError, "sound the same"):
            self.measured(LAWS["linear"], wet=lambda dry: 0.7 * dry)
        with self.assertRaisesRegex(MeasureError, "all wet"):
            self.measured(LAWS["linear"], wet=lambda dry: 0 * dry)
