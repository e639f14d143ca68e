"""The test itself: its range, its ties, its channels, and what it refuses to say."""

import os
import tempfile
import unittest
from pathlib import Path

import numpy as np
import scipy.signal
import soundfile

from core.causes import explained_test
from core.causes.tests.catalogue import Notes
from core.errors import MeasureError
from core.measure import Limit, judge
from core.measure.tests.pairs import RATE, band_limited, write


def tone(hz: float, samples: float = 0.0, seconds: float = 4.0) -> np.ndarray:
    return (
        0.3 * np.sin(2 * np.pi * hz * (np.arange(round(seconds * RATE)) - samples) / RATE)[:, None]
    )


class Case(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def compare(self, a, b, subtype="FLOAT"):
        return explained_test(
            write(self.folder, "a.wav", a, subtype), write(self.folder, "b.wav", b, subtype)
        )


class Range(Case):
    def test_both_ends_of_the_search_range_count(self):
        sound = band_limited(6, 71)
        for late in (96_000, -96_000):
            gap = np.zeros((abs(late), 2))
            pair = (sound, np.concatenate([gap, sound])) if late > 0 else (
                np.concatenate([gap, sound]), sound)  # fmt: skip
            found = self.compare(*pair)
            self.assertEqual(found.offset_samples, late)
            self.assertIsNone(found.null_depth_db)

    def test_the_same_tone_is_bit_identical_and_nothing_else(self):
        found = self.compare(tone(441), tone(441))
        self.assertTrue(found.bit_identical)
        self.assertEqual((found.offset_samples, found.gain_db, found.polarity), (0, 0, 1))
        self.assertEqual([c.code for c in found.causes], ["identical"])
        self.assertIn("every sample is the same", judge(found, Limit()).sentence)

    def test_a_steady_tone_names_its_rivals_and_takes_the_smallest_offset(self):
        # 440 Hz repeats every 109.09 samples, inverted every 54.55: 20 late is the nearest.
        found = self.compare(tone(440), tone(440, 20))
        self.assertTrue(found.ambiguous)
        self.assertAlmostEqual(abs(found.offset_samples), 20, delta=0.05)
        self.assertEqual(found.polarity, 1)
        self.assertEqual(found.causes[0].code, "periodic")
        self.assertTrue(all(abs(v) > 20 for v in found.ambiguous_offsets))
        # Half a period from 20 late it fits turned over: 34.55 samples early, 54.55 / 48 = 1.136 ms away.
        self.assertIn("B 34.55 samples early", found.causes[0].evidence)
        (note,) = (n for n in found.notes if "repeats" in n)
        self.assertIn("an offset 1.136 ms from this one", note)
        offsets = [c for c in found.causes if c.code == "offset"]
        self.assertEqual([c.sure for c in offsets], ["possible"])


class Channels(Case):
    def test_every_sample_is_said_to_be_the_same_only_where_it_is(self):
        sound = band_limited(4, 72)
        for b in (sound * [1, 0.5], sound * [1, -1], sound[:, ::-1]):
            said = judge(self.compare(sound, b), Limit()).sentence
            self.assertNotIn("every sample", said)

    def test_a_tenth_of_a_decibel_between_the_sides(self):
        sound = band_limited(4, 73)
        found = self.compare(sound, sound * 10 ** (np.array([0.05, -0.05]) / 20))
        self.assertEqual(found.causes[0].code, "channel_level")
        self.assertAlmostEqual(found.causes[0].figures["apart_db"], 0.1, places=3)
        self.assertIn("0.10 dB from each other", judge(found, Limit()).sentence)

    def test_a_right_side_twelve_samples_late_with_all_its_lows(self):
        # Deep sound hides a short delay: at 12 samples the two still agree to 20 dB.
        low = scipy.signal.butter(2, 300, "lowpass", fs=RATE, output="sos")
        sound = scipy.signal.sosfilt(low, band_limited(5, 74), axis=0)
        b = sound.copy()
        b[12:, 1], b[:12, 1] = sound[:-12, 1], 0
        found = self.compare(sound, b)
        self.assertEqual([c.offset_samples for c in found.channels], [0, 12])
        self.assertEqual(found.causes[0].code, "channel_offset")

    def test_silent_is_said_of_silence_only(self):
        sound = band_limited(4, 75)
        other = band_limited(4, 76)
        found = self.compare(sound, np.stack([sound[:, 0], other[:, 1]], axis=1))
        self.assertFalse(any(c.silent for c in found.channels))
        found = self.compare(sound, sound * [1, 0])
        self.assertEqual([c.silent for c in found.channels], [False, True])
        self.assertIn("silence", {c.code for c in found.causes})


class Robust(Case):
    """Time and level beside one other cause: what the domain calls true, to 0.1 sample, 0.05 dB."""

    @classmethod
    def setUpClass(cls):
        cls.notes = Notes(6, 20)
        cls.t = np.arange(6 * RATE) / RATE
        cls.x = cls.notes.at(cls.t)
        # 37.4 samples late, 2.5 dB down.
        cls.late = cls.notes.at(cls.t - 37.4 / RATE) * 10 ** (-2.5 / 20)

    def held(self, b, gain_db=0.05):
        found = self.compare(self.x, b)
        self.assertAlmostEqual(found.offset_samples, 37.4, delta=0.1)
        self.assertAlmostEqual(found.gain_db, -2.5, delta=gain_db)
        return found

    def test_noise_30_db_down(self):
        rng = np.random.default_rng(1)
        level = np.sqrt(np.mean(self.late**2)) * 10 ** (-30 / 20)
        found = self.held(self.late + level * rng.standard_normal(self.late.shape))
        self.assertIn("noise", {c.code for c in found.causes})

    def test_an_offset_of_0_hz(self):
        self.held(self.late + 0.02)

    def test_clipping(self):
        top = 0.6 * np.abs(self.late).max()
        found = self.held(np.clip(self.late, -top, top))
        self.assertIn("below the clipping", found.level_note)

    def test_a_filter_whose_phase_is_not_time(self):
        cut = scipy.signal.butter(2, 120, "highpass", fs=RATE, output="sos")
        found = self.held(scipy.signal.sosfilt(cut, self.late, axis=0))
        self.assertEqual(found.causes[0].words["shape"], "low cut")

    def test_the_figure_above_is_the_figure_below(self):
        found = self.compare(self.x, self.late)
        for channel in found.channels:
            self.assertAlmostEqual(channel.gain_db, found.gain_db, places=4)
            self.assertAlmostEqual(channel.offset_samples, found.offset_samples, places=4)


class Shares(Case):
    """A mix of stems at other amounts: which, and by how many dB."""

    def test_the_reverb_is_1_db_up_and_the_whole_2_down(self):
        dry, wet = band_limited(4, 83), 0.4 * band_limited(4, 84)
        stems = [write(self.folder, "dry.wav", dry), write(self.folder, "reverb.wav", wet)]
        a = write(self.folder, "a.wav", dry + wet)
        b = write(self.folder, "b.wav", 10 ** (-2 / 20) * (dry + 10 ** (1 / 20) * wet))
        found = explained_test(a, b, stems=stems[1:])
        first = found.causes[0]
        self.assertEqual((first.code, first.words["stem_1"]), ("mix_share", "reverb.wav"))
        self.assertAlmostEqual(first.figures["stem_1_db"], 1.0, places=2)
        self.assertAlmostEqual(found.gain_db, -2.0, delta=0.01)
        self.assertLess(found.explained_db, -80)
        # Without the stem it cannot be told, and nothing is said for sure.
        plain = explained_test(a, b)
        self.assertFalse([c for c in plain.causes if c.code != "level" and c.sure == "certain"])
        # A stem at another rate is brought to A's.
        doubled = scipy.signal.resample(np.pad(wet, ((0, RATE), (0, 0))), 2 * (len(wet) + RATE))
        fast = write(self.folder, "fast.wav", doubled, rate=2 * RATE)
        found = explained_test(a, b, stems=[fast], stem_names=["Hall"])
        self.assertEqual(found.causes[0].words["stem_1"], "Hall")
        self.assertAlmostEqual(found.causes[0].figures["stem_1_db"], 1.0, places=2)

    def test_all_the_stems_of_a_are_given(self):
        """A is their very sum: no rest is there to say what the level is."""
        rows = [g * band_limited(4, seed) for g, seed in ((1, 85), (0.5, 86), (0.7, 87))]
        names = ("dry", "reverb", "echo")
        paths = [write(self.folder, f"{n}.wav", r) for n, r in zip(names, rows, strict=True)]
        # A holds the echo at half of what its stem file does.
        rows[2] = 0.5 * rows[2]
        a = write(self.folder, "a.wav", sum(rows))
        for amounts, titles, told in (
            ((1, 0.794328, 1), "B holds less of “reverb”", {1: 0, 2: -2, 3: 0}),
            ((1, 1.122018, 0.5), "B holds less of “echo”", {1: 0, 2: 1, 3: -6.02}),
            ((1, 1, 0), "“echo” is only in A", {1: 0, 2: 0}),
            ((1, -1, 1), "“reverb” is inverted in B", {1: 0, 2: 0, 3: 0}),
        ):
            b = write(
                self.folder, "b.wav", 0.7 * sum(g * r for g, r in zip(amounts, rows, strict=True))
            )
            for given in (paths, [*paths, paths[0]]):
                found = explained_test(
                    a, b, stems=given, stem_names=[*names, "dry again"][: len(given)]
                )
                first = next(c for c in found.causes if c.code == "mix_share")
                with self.subTest(titles, given=len(given)):
                    self.assertEqual((first.title, first.sure), (titles, "certain"))
                    self.assertEqual(set(first.figures), {f"stem_{k}_db" for k in told})
                    for k, value in told.items():
                        self.assertAlmostEqual(first.figures[f"stem_{k}_db"], value, delta=0.02)
                    self.assertAlmostEqual(found.gain_db, 20 * np.log10(0.7), delta=0.02)
                    self.assertIn(
                        ("Raise B by", "3.10 dB"), [(s.words, s.value) for s in found.to_set]
                    )
                    self.assertLess(found.explained_db, -70)
        # Alike in every share: nothing but the level is said of them.
        b = write(self.folder, "b.wav", 0.7 * sum(rows))
        self.assertEqual(
            {c.code for c in explained_test(a, b, stems=paths).causes}, {"level", "rounding"}
        )

    def test_a_stem_that_only_b_holds_or_nobody(self):
        sound, other = band_limited(4, 88), 0.3 * band_limited(4, 89)
        a, b = write(self.folder, "a.wav", sound), write(self.folder, "b.wav", sound + other)
        silent = write(self.folder, "none.wav", 0 * sound)
        stem = write(self.folder, "bleed.wav", 2 * other)
        found = explained_test(a, b, stems=[silent, stem], stem_names=["none", "bleed"])
        self.assertEqual(found.causes[0].title, "“bleed” is only in B")
        self.assertIn("Take “bleed” out of B", [s.words for s in found.to_set])
        # A stem that begins late, or is of another song, explains nothing: what is wrong is said.
        both = write(self.folder, "both.wav", sound + other)
        more = write(self.folder, "more.wav", sound + 2 * other)
        for stem, words in (
            (
                np.roll(other, 480, axis=0),
                "“bleed” lies in A 480 samples earlier than it was given.",
            ),
            (band_limited(4, 90), "“bleed” was not found in A."),
            (other, ""),
        ):
            given = write(self.folder, "given.wav", stem)
            said = explained_test(both, more, stems=[given], stem_names=["bleed"])
            with self.subTest(words):
                self.assertEqual(
                    [n[: len(words)] for n in said.stem_notes], [words] if words else []
                )
                shares = [c.code for c in said.causes if c.code == "mix_share"]
                self.assertEqual(shares, [] if words else ["mix_share"])
        nothing = explained_test(a, b, stems=[silent])
        self.assertNotIn("mix_share", [c.code for c in nothing.causes])

    def test_one_dry_sound_beside_a_chorus_that_moved_on_its_own(self):
        dry = band_limited(6, 91)
        n = np.arange(len(dry))

        def chorus(phase: float) -> np.ndarray:
            lag = RATE * (0.011 + 0.004 * np.sin(2 * np.pi * 0.6 * n / RATE + phase))
            return 0.6 * np.stack([np.interp(n - lag, n, row) for row in dry.T], axis=1)

        stem = write(self.folder, "dry.wav", dry)
        a = write(self.folder, "a.wav", 0.5 * (dry + chorus(0.0)))
        for phase, level_db in ((2.1, 0.0), (0.9, -1.5)):
            b = write(self.folder, "b.wav", 0.5 * 10 ** (level_db / 20) * (dry + chorus(phase)))
            with self.subTest(phase):
                found = explained_test(a, b, stems=[stem])
                first = next(c for c in found.causes if c.code != "level")
                self.assertEqual(first.title, "Same dry, modulation apart")
                self.assertAlmostEqual(first.figures["wet_db"], 20 * np.log10(0.6), delta=1.0)
                self.assertAlmostEqual(found.gain_db, level_db, delta=0.15)
                self.assertIn("Switch the modulation off", [s.words for s in found.to_set][-1])
        # The same chorus in both, and a reverb of another kind, are not that.
        twin = write(self.folder, "b.wav", 0.5 * (dry + chorus(0.0)) + 1e-4)
        other = write(self.folder, "c.wav", 0.5 * (dry + 0.6 * band_limited(6, 92)))
        for b in (twin, other):
            found = explained_test(a, b, stems=[stem])
            self.assertNotIn("Same dry, modulation apart", [c.title for c in found.causes])


class Refused(Case):
    def test_related_in_one_band_only_is_not_different_material(self):
        # Three octaves of A under another sound that is louder than what is left of A.
        sound = band_limited(6, 77)
        band = scipy.signal.butter(4, [300, 2400], "bandpass", fs=RATE, output="sos")
        b = scipy.signal.sosfilt(band, sound, axis=0) + 0.7 * band_limited(6, 78)
        found = self.compare(sound, b)
        self.assertTrue(found.related)
        self.assertNotEqual(judge(found, Limit()).verdict, "unrelated")

    def test_a_wrong_rate_on_the_file_is_not_different_material(self):
        sound = band_limited(5, 82, channels=1, top_hz=15_000)
        fast = scipy.signal.resample(sound, round(len(sound) * 44.1 / 48))
        found = self.compare(sound[: len(fast)], fast)
        self.assertEqual(found.causes[0].code, "rate", [c.title for c in found.causes])
        self.assertAlmostEqual(
            found.causes[0].figures["speed_percent"], 100 * (48 / 44.1 - 1), places=2
        )

    def test_a_twentieth_of_a_second_is_too_short_for_a_filter(self):
        sound = band_limited(0.05, 80)
        found = self.compare(sound, scipy.signal.lfilter([1, 0.4], [1], sound, axis=0))
        self.assertTrue(found.uncertain)
        self.assertNotIn("filter", {c.code for c in found.causes})
        self.assertIn("Too short", found.causes[-1].title)

    def test_eight_channels_and_a_low_rate(self):
        sound = band_limited(3, 81, channels=8, top_hz=3000)[::6]
        b = sound.copy()
        b[:, 5] = np.clip(b[:, 5], -0.1, 0.1)
        paths = [write(self.folder, f"{k}.wav", s, rate=8000) for k, s in (("a", sound), ("b", b))]
        found = explained_test(*paths)
        first = found.causes[0]
        self.assertEqual(first.code, "clipping", [c.title for c in found.causes])
        self.assertIn("channel 6 only", first.title)

    def test_nothing_stays_open_and_no_file_stays_behind(self):
        sound = band_limited(2, 79)
        a = write(self.folder, "a.wav", sound)
        b = write(self.folder, "b.wav", scipy.signal.resample(sound, 2 * len(sound)), rate=2 * RATE)
        quiet = write(self.folder, "c.wav", sound * 0)
        scratch = self.folder / "scratch"
        scratch.mkdir()
        before = len(os.listdir("/proc/self/fd"))
        explained_test(a, b, scratch=scratch)
        for pair in ((a, quiet), (quiet, a)):
            with self.assertRaises(MeasureError):
                explained_test(*pair, scratch=scratch)
        self.assertEqual(len(os.listdir("/proc/self/fd")), before)
        self.assertEqual(list(scratch.iterdir()), [])

    def test_an_overlap_of_silence_is_said_so(self):
        path = self.folder / "short.wav"
        soundfile.write(path, np.zeros((100, 1)), RATE)
        with self.assertRaisesRegex(MeasureError, "at least 10 ms"):
            explained_test(path, path)
