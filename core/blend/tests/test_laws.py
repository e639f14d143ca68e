"""Mix laws and equal settings: what must hold at every mix, and what is refused."""

import math
import unittest

from hypothesis import given
from hypothesis import strategies as st

from core.blend import equal_insert, law_gains, nearest_steps, null_limit_db
from core.blend.laws import LAWS, mix_of_ratio
from core.errors import FonodromeError

gains = st.floats(0.01, 4.0)


class Laws(unittest.TestCase):
    def test_every_law_is_dry_at_0_and_wet_at_1(self):
        for law in LAWS:
            self.assertEqual(law_gains(law, 0.0), (1.0, 0.0), law)
            self.assertEqual(law_gains(law, 1.0), (0.0, 1.0), law)

    def test_levels_at_the_centre(self):
        for law, level in (("linear", -6.0206), ("equal-power", -3.0103), ("compromise", -4.5154)):
            self.assertAlmostEqual(20 * math.log10(law_gains(law, 0.5)[0]), level, places=4)
        self.assertEqual(law_gains("full", 0.5), (1.0, 1.0))
        with self.assertRaisesRegex(FonodromeError, "“round” is no mix law"):
            law_gains("round", 0.5)

    @given(st.sampled_from(LAWS), st.floats(0, 1))
    def test_wet_never_falls_and_dry_never_rises(self, law, mix):
        here, more = law_gains(law, mix), law_gains(law, min(1.0, mix + 0.01))
        self.assertLessEqual(more[0], here[0] + 1e-12)
        self.assertGreaterEqual(more[1], here[1] - 1e-12)

    @given(st.sampled_from(LAWS), st.floats(0.01, 0.99))
    def test_a_ratio_leads_back_to_its_mix(self, law, mix):
        dry, wet = law_gains(law, mix)
        self.assertAlmostEqual(mix_of_ratio(law, wet / dry), mix, places=6)


class Inserts(unittest.TestCase):
    @given(gains, gains, st.floats(0.05, 1), st.sampled_from(LAWS))
    def test_the_equal_insert_gives_the_same_dry_and_wet(self, dry, wet, share, law):
        found = equal_insert(dry, wet, share, law)
        law_dry, law_wet = law_gains(law, found.mix)
        self.assertAlmostEqual(found.trim * law_dry, dry + wet * (1 - share), places=6)
        self.assertAlmostEqual(found.trim * law_wet, wet * share, places=6)

    def test_what_has_no_equal_insert(self):
        for dry, wet, words in ((0, 0, "Nothing sounds"), (1, -0.5, "opposite polarity")):
            with self.assertRaisesRegex(FonodromeError, words):
                equal_insert(dry, wet)
        self.assertEqual(equal_insert(0, 0.5).mix, 1.0)

    @given(gains, gains)
    def test_no_neighbouring_setting_is_better(self, dry, wet):
        mix, trim_db, residual = nearest_steps(dry, wet, 0.01, 0.1)
        if residual is None:
            return
        for step in (-0.1, 0.1):
            other = null_limit_db(dry, wet, mix, 10 ** ((trim_db + step) / 20))
            self.assertGreaterEqual(other, residual - 1e-9)

    @given(gains, gains)
    def test_finer_steps_never_null_worse(self, dry, wet):
        coarse = nearest_steps(dry, wet, 0.02, 0.2)[2]
        fine = nearest_steps(dry, wet, 0.01, 0.1)[2]
        if coarse is not None and fine is not None:
            self.assertLessEqual(fine, coarse + 1e-6)
