"""Stems, balances, moves and files: what is heard live is what a fresh render would be."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.audio import open_audio
from core.audio.loudness import integrated_lufs
from core.errors import Cancelled, FonodromeError
from core.render import render_clip
from core.render.balance import balance, mix_level, route_ratio_db, settings_for
from core.render.clip import render_file
from core.render.export import export_file, take_stems
from core.render.feeds import ClipFile, FeedError, one_clip
from core.render.moves import MoveError, MovePoint, WrittenMove, resolve_moves
from core.render.report import RenderJob
from core.render.stems import best_place, find_places
from core.routing import Context, compile_rig, parse_rig, perform
from core.routing.edit.actions import Arrange, Set, SetStrip
from core.tempo import TempoMap, TempoSection
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))
SENDS = (
    "g: source > s: split > m: merge > o: output (stereo)\n"
    "s > delay (time 210 ms, feedback 40 %) > m [level -6 dB, pan -30 %]\n"
    "s > reverb (RT60 0.8 s, pre-delay 12.3 ms, locked) > m [level -9 dB]"
)


class Files(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        rng = np.random.default_rng(5)
        fade = np.exp(-(np.arange(2 * RATE) % (RATE // 2)) / 4000)
        self.sound = 0.2 * fade * rng.standard_normal(2 * RATE)
        self.clip = self.folder / "clip.wav"
        soundfile.write(self.clip, self.sound, RATE, subtype="FLOAT")

    def render(self, text: str, **job):
        rig = parse_rig(text)
        out = Path(tempfile.mkdtemp(dir=self.folder))
        job = RenderJob(feeds=one_clip("g", "clip"), output="o", **job)
        clips = {"clip": ClipFile(self.clip, "clip")}
        report, detail = render_file(rig, compile_rig(rig, SONG), job, clips, out, lambda *_: None)
        return report, detail, out

    def read(self, out: Path, name: str) -> np.ndarray:
        return soundfile.read(out / name, always_2d=True)[0].T


class Stems(Files):
    def test_stems_add_up_to_the_render_of_the_whole(self):
        report, _, out = self.render(SENDS, place="m")
        stems, mix = self.read(out, "stems.wav"), self.read(out, "mix.wav")
        self.assertEqual([s.wet for s in report.stems], [False, True, True])
        self.assertLess(np.abs(stems.reshape(3, 2, -1).sum(axis=0) - mix).max(), 1e-6)
        whole = render_clip(compile_rig(parse_rig(SENDS), SONG), RATE, {"g": self.sound[None]})["o"]
        length = min(whole.shape[1], mix.shape[1])
        self.assertLess(np.abs(whole[:, :length] - mix[:, :length]).max(), 1e-5)

    def test_what_goes_past_the_place_is_a_stem_of_its_own(self):
        text = SENDS + "\ns > delay (time 90 ms) > o"
        report, _, out = self.render(text, place="m")
        self.assertEqual(report.stems[-1].id, "rest")
        stems, mix = self.read(out, "stems.wav"), self.read(out, "mix.wav")
        self.assertLess(np.abs(stems.reshape(4, 2, -1).sum(axis=0) - mix).max(), 1e-6)

    def test_a_balance_is_as_loud_as_a_fresh_render_of_its_settings(self):
        report, detail, _ = self.render(SENDS, place="m")
        rig, route = parse_rig(SENDS), route_ratio_db(report, detail)
        for wanted in (route - 9.0, route + 5.0):
            gains = [10 ** ((wanted - route) / 20) if s.wet else 1.0 for s in report.stems]
            said = mix_level(report, detail, gains).loudness_lufs
            for setting in settings_for(rig, report, wanted, route):
                moved = perform(
                    rig, SetStrip(rail=setting.part, values={setting.field: setting.value})
                ).rig
                rig = moved
            fresh = render_clip(compile_rig(rig, SONG), RATE, {"g": self.sound[None]})["o"]
            self.assertAlmostEqual(integrated_lufs(fresh, RATE), said, delta=0.1)
            rig = parse_rig(SENDS)

    def test_a_mix_knob_is_balanced_as_its_own_law_would(self):
        text = "g: source > d: delay (time 150 ms, mix 30 %, mix law equal-power) > o: output"
        report, detail, _ = self.render(text, place="d")
        route = route_ratio_db(report, detail)
        travel = balance(report, detail, "equal-power")
        here = min(travel.points[1:-1], key=lambda p: abs(p.wet_db - route))
        self.assertAlmostEqual(here.gains[0], 1, delta=0.05)
        mix, trim = settings_for(parse_rig(text), report, route + 6, route)
        louder = perform(
            parse_rig(text),
            Set(node="d", values={"mix_percent": mix.value, "output_db": trim.value}),
        ).rig
        again = render_clip(compile_rig(louder, SONG), RATE, {"g": self.sound[None]})["o"]
        said = mix_level(report, detail, [1.0, 10 ** (6 / 20)]).loudness_lufs
        self.assertAlmostEqual(integrated_lufs(again[:1], RATE), said, delta=0.1)

    def test_a_section_of_a_frame_is_balanced_like_any_parallel(self):
        """A reverb at siding 2 with its dry path, called at last: by its place and by its turn."""
        for of in ("stop 2", "turn 2"):
            text = (
                "g: source > f: frame (line 1 2) > o: output (stereo)\n"
                "siding f 1 > level (level -3 dB)\nsiding f 2 > reverb (RT60 0.5 s, mix 100 %)\n"
                f"beside f {of} (mix 40 %, level -1 dB)"
            )
            rig = parse_rig(text)
            (place,) = [p for p in find_places(rig, compile_rig(rig, SONG), "o") if p.inside]
            self.assertEqual((place.id, place.live, place.mix_law), ("f@2", True, "linear"))
            report, detail, out = self.render(text, place="f@2")
            stems, mix = self.read(out, "stems.wav"), self.read(out, "mix.wav")
            np.testing.assert_allclose(stems[:2] + stems[2:4], mix, atol=1e-6)
            # By hand: 60 % of the source, 3 dB down, 1 dB down, on both sides of a stereo output.
            dry = 0.6 * 10 ** (-4 / 20) * np.sqrt(0.5) * self.sound
            np.testing.assert_allclose(stems[0, : len(dry)], dry, atol=1e-6)
            route = route_ratio_db(report, detail)
            mixed, level = settings_for(rig, report, route + 4, route)
            self.assertEqual([mixed.field, level.field], ["mix_percent", "level_db"])
            # Wet 4 dB up and dry as it was: 40 : 60 becomes 63.4 : 60, and 2.1 dB make it up.
            share = 0.4 * 10 ** (4 / 20)
            self.assertAlmostEqual(mixed.value, 100 * share / (share + 0.6), delta=0.01)
            frame = rig.nodes["f"]
            moved = frame.beside[0].model_copy(
                update={"mix_percent": mixed.value, "level_db": level.value}
            )
            after = perform(rig, Arrange(frame="f", beside=(moved,))).rig
            fresh = render_clip(compile_rig(after, SONG), RATE, {"g": self.sound[None]})["o"]
            said = mix_level(report, detail, [1.0, 10 ** (4 / 20)]).loudness_lufs
            self.assertAlmostEqual(integrated_lufs(fresh, RATE), said, delta=0.1)
            with self.assertRaisesRegex(FonodromeError, "too much"):
                settings_for(rig, report, route + 60, route)
        gone = perform(rig, Arrange(frame="f", beside=())).rig
        with self.assertRaisesRegex(FonodromeError, "not in the rig"):
            settings_for(gone, report, route, route)

    def test_places_behind_which_something_bends_need_a_render(self):
        for more, words in (("drive", "does not treat"), ("level", "")):
            text = f"g: source > s: split > m: merge > {more} > o: output\ns > delay > m"
            rig = parse_rig(text)
            place = find_places(rig, compile_rig(rig, SONG), "o")[0]
            self.assertEqual(place.live, not words)
            self.assertIn(words, place.reason)
            report, _, out = self.render(text, place="m")
            self.assertEqual((out / "stems.wav").exists(), not words)
        looped = "g: source > b: bus > delay (time 80 ms) > s: split > o: output\ns > level (level -9 dB) > b"
        rig = parse_rig(looped)
        self.assertIn("loop", find_places(rig, compile_rig(rig, SONG), "o")[-1].reason)

    def test_a_stretch_alone_is_rendered_and_nothing_is_a_sentence(self):
        report, _, out = self.render(
            "g: source > o: output", start_s=0.5, length_s=0.25, tail=False
        )
        heard = self.read(out, "mix.wav")[0]
        np.testing.assert_allclose(heard, self.sound[RATE // 2 : RATE // 2 + RATE // 4], atol=1e-7)
        with self.assertRaisesRegex(FeedError, "nothing of it lies"):
            self.render("g: source > o: output", start_s=9)

    def test_a_cancelled_render_stops_its_threads_and_says_so(self):
        rig = parse_rig(SENDS)

        def stop(share, stage):
            raise Cancelled

        with self.assertRaises(Cancelled):
            job = RenderJob(feeds=one_clip("g", "clip"), output="o", place="m")
            clips = {"clip": ClipFile(self.clip, "clip")}
            render_file(rig, compile_rig(rig, SONG), job, clips, self.folder, stop)

    def test_it_is_balanced_where_dry_and_wet_of_one_source_meet(self):
        # At the output stands another source: however loud the echo, that is no place to balance.
        text = (
            "g: source > s: split > mix: merge > o: output\n"
            "s > d: delay (time 90 ms, mix 100 %) > mix [level {} dB]\n"
            "k: source > o"
        )
        for level in (-20, 0, 6, 20):
            rig = parse_rig(text.format(level))
            place = best_place(rig, compile_rig(rig, SONG), "o")
            self.assertEqual(
                (place.id, [s.wet for s in place.stems]), ("mix", [False, True]), level
            )
        alone = parse_rig("g: source > d: delay (mix 100 %) > o: output\nk: source > o")
        self.assertIsNone(best_place(alone, compile_rig(alone, SONG), "o"))


class Exports(Files):
    def test_whole_numbers_are_dithered_and_always_to_the_same_bytes(self):
        for form, word, bits in (("wav", "16", 16), ("flac", "24", 24)):
            targets = [self.folder / f"{n}.{form}" for n in "ab"]
            for target in targets:
                self.assertEqual(export_file(self.clip, target, form, word), 0.0)
            self.assertEqual(targets[0].read_bytes(), targets[1].read_bytes())
            back, rate = soundfile.read(targets[0])
            error = back - self.sound
            step = 2.0 ** (1 - bits)
            # Rounding and triangular dither: three times the power of rounding alone.
            self.assertAlmostEqual(error.std() / step, 0.5, delta=0.02)
            self.assertLess(abs(np.corrcoef(error, self.sound)[0, 1]), 0.02)

    def test_a_peak_above_full_scale_turns_the_file_down_and_floats_stay(self):
        hot = self.folder / "hot.wav"
        soundfile.write(hot, self.sound / np.abs(self.sound).max() * 2, RATE, subtype="FLOAT")
        down = export_file(hot, self.folder / "out.wav", "wav", "16")
        self.assertAlmostEqual(down, -6.02, delta=0.01)
        self.assertLess(np.abs(soundfile.read(self.folder / "out.wav")[0]).max(), 1)
        self.assertEqual(export_file(hot, self.folder / "f.wav", "wav", "float"), 0.0)
        written = (self.folder / "f.wav").read_bytes()
        # Its PEAK chunk has room for a time; none is told: the same sound is the same file.
        stamp = written.index(b"PEAK") + 12
        self.assertEqual(written[stamp : stamp + 4], bytes(4))
        with self.assertRaisesRegex(FonodromeError, "whole numbers"):
            export_file(hot, self.folder / "no.flac", "flac", "float")

    def test_six_paths_of_two_sides_are_taken_apart_and_saved_side_by_side(self):
        # Twelve channels: more than a file that is brought in may have.
        ways = "\n".join(f"s > p{n}: level (level {-3 * n} dB) > m" for n in range(1, 6))
        text = f"g: source > s: split > m: merge > o: output (stereo)\n{ways}"
        report, _, out = self.render(text, place="m")
        self.assertEqual(len(report.stems), 6)
        saved = self.folder / "paths.wav"
        self.assertEqual(export_file(out / "stems.wav", saved, "wav", "24"), 0.0)
        paths = self.read(self.folder, "paths.wav")
        self.assertEqual(paths.shape[0], 12)
        # A mono source goes to both sides as it does everywhere; each way is 3 dB below the one before.
        below = {f"p{n}.0": -3 * n for n in range(1, 6)}
        steps = [below.get(stem.id, 0) for stem in report.stems]
        self.assertEqual(sorted(steps), [-15, -12, -9, -6, -3, 0])
        for n, step in enumerate(steps):
            expected = self.sound * np.sqrt(0.5) * 10 ** (step / 20)
            np.testing.assert_allclose(paths[2 * n, : len(expected)], expected, atol=3 / 2**23)
        some = self.folder / "some.wav"
        take_stems(out / "stems.wav", some, 6, [1, 5])
        both = self.sound * np.sqrt(0.5) * (10 ** (steps[1] / 20) + 10 ** (steps[5] / 20))
        np.testing.assert_allclose(
            self.read(self.folder, "some.wav")[0][: len(both)], both, atol=1e-6
        )
        with self.assertRaisesRegex(FonodromeError, "up to 8 channels.*take 12"):
            export_file(out / "stems.wav", self.folder / "no.flac", "flac", "24")

    def test_a_render_outlasts_the_longest_clip_by_its_tail(self):
        long = self.folder / "long.wav"
        soundfile.write(long, np.zeros(8_000 * 3_605), 8_000, subtype="PCM_16")
        with self.assertRaisesRegex(FonodromeError, "60 minutes"):
            open_audio(long)
        self.assertEqual(export_file(long, self.folder / "out.wav", "wav", "16"), 0.0)
        self.assertEqual(soundfile.info(self.folder / "out.wav").frames, 8_000 * 3_605)

    def test_it_tells_how_far_it_is_and_stops_when_it_is_told_to(self):
        target, shares = self.folder / "told.wav", []
        export_file(self.clip, target, "wav", "24", told=shares.append)
        self.assertEqual(shares, sorted(shares))
        self.assertTrue(all(0 <= share <= 1 for share in shares), shares)
        plain = self.folder / "plain.wav"
        export_file(self.clip, plain, "wav", "24")
        self.assertEqual(target.read_bytes(), plain.read_bytes())

        def enough(share: float) -> None:
            if share > shares[1]:
                raise Cancelled

        with self.assertRaises(Cancelled):
            export_file(self.clip, target, "wav", "24", told=enough)


class Moving(unittest.TestCase):
    def heard(self, text: str, moves: list[WrittenMove], seconds: float = 4) -> np.ndarray:
        rig = parse_rig(text)
        tempo = TempoMap([TempoSection(tempo_bpm=120)])
        plan, curves = resolve_moves(rig, SONG, moves, tempo, RATE)
        steady = np.full((1, round(seconds * RATE)), 0.5)
        return render_clip(plan, RATE, {"g": steady}, tail_s=0, moves=curves)["o"][0] / 0.5

    def at(self, bar: int, beat: float, value: float | bool, ramp: bool = False) -> MovePoint:
        return MovePoint(bar=bar, beat=beat, value=value, ramp=ramp)

    def test_steps_and_ramps_come_at_their_bar_and_the_rest_is_as_it_stood(self):
        # Bars of two seconds: -6 dB at bar 1 beat 3, up to 0 dB in a line until bar 2.
        move = WrittenMove(
            part="f", field="level_db",
            points=(self.at(1, 3, -20), self.at(2, 1, 0, True)),
        )  # fmt: skip
        out = 20 * np.log10(self.heard("g: source > f: fader (level -3 dB) > o: output", [move]))
        self.assertAlmostEqual(out[RATE // 2], -3, places=6)
        self.assertAlmostEqual(out[RATE + 400], -20, delta=0.3)
        self.assertAlmostEqual(out[RATE + RATE // 2], -10, delta=0.1)
        self.assertAlmostEqual(out[-1], 0, places=6)

    def test_a_muted_send_is_opened_for_a_throw_and_a_rail_can_be_cut(self):
        text = "g: source > s: send (muted) > m: merge > o: output\ns > delay (time 100 ms) > m"
        throw = WrittenMove(
            part="s", field="muted", points=(self.at(1, 3, False), self.at(1, 4, True))
        )
        out = self.heard(text, [throw])
        for second, level in ((0.9, 1.0), (1.3, 2.0), (1.8, 1.0)):
            self.assertAlmostEqual(out[round(second * RATE)], level, places=6)
        cut = WrittenMove(part="g.0", field="level_db", points=(self.at(2, 1, -120),))
        out = self.heard("g: source > m: merge > o: output", [cut])
        self.assertAlmostEqual(out[2 * RATE - 10], 1, places=6)
        self.assertEqual(out[2 * RATE + 300], 0)

    def test_a_swept_filter_is_opened_over_bars(self):
        move = WrittenMove(
            part="w", field="frequency_hz", points=(self.at(1, 1, 100), self.at(3, 1, 8000, True))
        )
        rig = parse_rig("g: source > w: swept (mode low, frequency 500 Hz) > o: output")
        plan, curves = resolve_moves(
            rig, SONG, [move], TempoMap([TempoSection(tempo_bpm=120)]), RATE
        )
        tone = np.sin(2 * np.pi * 2000 * np.arange(4 * RATE) / RATE)[None, :]
        out = render_clip(plan, RATE, {"g": tone}, tail_s=0, moves=curves)["o"][0]
        early, late = (
            np.abs(out[a : a + RATE // 10]).max() for a in (RATE // 10, 4 * RATE - RATE // 10)
        )
        self.assertLess(early, 0.1)
        self.assertGreater(late, 0.9)

    def test_a_delay_time_glides_in_pitch_or_crossfades(self):
        tone = np.sin(2 * np.pi * 1000 * np.arange(4 * RATE) / RATE)[None, :]
        tempo = TempoMap([TempoSection(tempo_bpm=120)])
        for way in ("glide", "crossfade"):
            rig = parse_rig(f"g: source > d: delay (time 100 ms, on change {way}) > o: output")
            # From bar 1 beat 3 (1 s) to bar 2 (2 s): 200 ms, so a tenth slower while it goes.
            points = (self.at(1, 3, 100), self.at(2, 1, 200, True))
            move = WrittenMove(part="d", field="time", points=points)
            plan, curves = resolve_moves(rig, SONG, [move], tempo, RATE)
            out = render_clip(plan, RATE, {"g": tone}, tail_s=0, moves=curves)["o"][0]
            spectrum = np.abs(
                np.fft.rfft(out[round(1.3 * RATE) : round(1.8 * RATE)] * np.hanning(RATE // 2))
            )
            peak = 2 * int(np.argmax(spectrum))
            self.assertEqual(peak, 900 if way == "glide" else 1000)
            late = out[3 * RATE : 3 * RATE + 4800]
            np.testing.assert_allclose(late, tone[0, 3 * RATE - 9600 :][:4800], atol=1e-3)

    def test_feedback_held_at_unity_goes_round_for_ever(self):
        click = np.zeros((1, 4 * RATE))
        click[0, 0] = 1
        rig = parse_rig("g: source > d: delay (time 250 ms, feedback 0 %) > o: output")
        move = WrittenMove(
            part="d", field="feedback_percent", points=(self.at(1, 1, 100), self.at(2, 2, 0))
        )
        plan, curves = resolve_moves(
            rig, SONG, [move], TempoMap([TempoSection(tempo_bpm=120)]), RATE
        )
        out = render_clip(plan, RATE, {"g": click}, tail_s=0, moves=curves)["o"][0]
        heard = np.flatnonzero(np.abs(out) > 0.5) / RATE
        np.testing.assert_allclose(heard, np.arange(0.25, 2.51, 0.25), atol=1e-3)

    def test_a_bypass_while_playing_cuts_mutes_or_leaves_the_trails(self):
        """Off at 0.5 s, on again at 1 s: what is heard of echoes at 30 ms before and after."""

        def heard(out: np.ndarray, at: float) -> float:
            return float(np.abs(out[round(at * RATE) - 3 : round(at * RATE) + 3]).max())

        clicks = np.zeros((1, 2 * RATE))
        played = (0.0, 0.49, 0.715, 1.2)
        for at in played:
            clicks[0, round(at * RATE)] = 1.0
        move = WrittenMove(
            part="d", field="bypassed",
            points=(self.at(1, 2, True), self.at(1, 3, False)),
        )  # fmt: skip
        tempo = TempoMap([TempoSection(tempo_bpm=120)])
        for way, mix, resting in (
            ("thru", 100, False), ("mute", 100, False), ("trails", 100, False),
            ("flag", 100, False), ("trails", 50, False), ("trails", 100, True),
        ):  # fmt: skip
            with self.subTest(way=way, mix=mix, resting=resting):
                text = (
                    f"g: source > d: delay (time 30 ms, mix {mix} %, feedback 50 %, "
                    f"{'trails' if way == 'flag' else 'bypass is ' + way}{', bypassed' if resting else ''}) > o: output"
                )
                plan, curves = resolve_moves(parse_rig(text), SONG, [move], tempo, RATE)
                out = render_clip(plan, RATE, {"g": clicks}, tail_s=0, moves=curves)["o"][0]
                wet, trails = mix / 100, way in ("trails", "flag")
                # Before it is switched: as it rests.
                self.assertAlmostEqual(heard(out, 0.03), 0 if resting else wet, delta=1e-6)
                # The click before the switch: its second echo comes after it.
                second = 0.5 * wet if trails and not resting else 0.0
                self.assertAlmostEqual(heard(out, 0.55), second, delta=1e-6)
                # A click while it is off: not delayed, and straight through where the device does it.
                self.assertAlmostEqual(heard(out, 0.745), 0, delta=1e-6)
                through = 1.0 if way == "thru" or mix < 100 else 0.0
                self.assertAlmostEqual(heard(out, 0.715), through, delta=1e-6)
                self.assertAlmostEqual(heard(out, 1.23), wet, delta=1e-6)

    def test_an_insert_in_the_loop_is_gone_through_once_a_lap(self):
        click = np.zeros((1, RATE))
        click[0, 0] = 0.1
        text = "g: source > d: delay (time 100 ms, feedback 80 %, insert {}, insert amount 100 %) > o: output"
        plain, driven, swung = (
            render_clip(compile_rig(parse_rig(text.format(i)), SONG), RATE, {"g": click}, tail_s=0)[
                "o"
            ][0]
            for i in ("none", "drive", "chorus")
        )
        for out in (driven, swung):
            np.testing.assert_allclose(out[4800], plain[4800], atol=1e-9)
        # Every lap bends the peak further; a lap lasts as long as without.
        peaks = [
            np.abs(driven[n * 4800 - 40 : n * 4800 + 40]).max() / plain[n * 4800] for n in (2, 3)
        ]
        self.assertLess(peaks[0], 0.75)
        self.assertLess(peaks[1], peaks[0])
        self.assertAlmostEqual(np.argmax(np.abs(driven[9000:10_200])) + 9000, 9600, delta=1)

    def test_what_cannot_be_moved_says_so(self):
        for text, part, field, words in (
            ("g: source > r: reverb > o: output", "r", "pre_delay", "no pre_delay that could"),
            (
                "g: source > d: delay (feedback 30 %) > o: output",
                "d",
                "latency_ms",
                "cannot be moved",
            ),
            ("g: source > o: output", "x", "level_db", "not in this rig"),
        ):
            move = WrittenMove(part=part, field=field, points=(self.at(1, 2, 5),))
            with self.subTest(words), self.assertRaisesRegex(MoveError, words):
                self.heard(text, [move])
