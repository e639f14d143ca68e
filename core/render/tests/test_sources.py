"""Several sources at once: each with its clips, keyed from the real ones, heard one by one, in parts."""

import random
import tempfile
import unittest
from pathlib import Path

import numpy as np
import pyloudnorm
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from core.errors import FonodromeError
from core.render import RenderError, render_clip
from core.render.balance import balance, mix_level, route_ratio_db, settings_for
from core.render.clip import render_file
from core.render.feeds import ClipFile, Feed, FeedError, Placement, SongReader, cast
from core.render.parts import PartStore
from core.render.report import RenderJob
from core.render.stems import best_place, find_places
from core.render.tests.grown import BY_LEVEL, DIFFUSE
from core.render.tests.grown import rig as grown
from core.routing import TEMPLATES, Context, build, compile_rig, parse_rig, perform
from core.routing.document.demo import DEMO_RIGS
from core.routing.edit.actions import Set, SetStrip
from core.units import TempoFrame

RATE = 48_000
SONG = Context(TempoFrame(tempo_bpm=120))
DUCKED = (
    "bass: source > duck: ducker (depth 9 dB, attack 1 ms, release 60 ms) > m: merge > o: output (stereo)\n"
    "kick: source > m\nkey kick > duck"
)


def beats(seconds: float = 3.0, every: float = 0.5, rate: int = RATE) -> np.ndarray:
    """A kick: 80 ms of 60 Hz at every half second."""
    n = np.arange(round(seconds * rate))
    inside = (n % round(every * rate)) / rate
    return 0.4 * np.sin(2 * np.pi * 60 * inside) * (inside < 0.08)


def steady(hz: float, seconds: float = 3.0, size: float = 0.2, rate: int = RATE) -> np.ndarray:
    return size * np.sin(2 * np.pi * hz * np.arange(round(seconds * rate)) / rate)


class Sounds(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)
        self.clips: dict[str, ClipFile] = {}

    def clip(self, name: str, sound: np.ndarray, rate: int = RATE, subtype="FLOAT") -> str:
        path = self.folder / f"{name}.wav"
        soundfile.write(path, sound.T, rate, subtype=subtype)
        self.clips[name] = ClipFile(path, name)
        return name

    def feeds(self, **clips: str) -> tuple[Feed, ...]:
        return tuple(Feed(source=s, placements=(Placement(clip=c),)) for s, c in clips.items())

    def render(self, rig, feeds, store=None, **job):
        rig = parse_rig(rig) if isinstance(rig, str) else rig
        out = Path(tempfile.mkdtemp(dir=self.folder))
        whole = RenderJob(feeds=feeds, output="o", **job)
        plan = compile_rig(rig, SONG)
        report, detail = render_file(
            rig, plan, whole, self.clips, out, lambda *_: None, store=store
        )
        mix = soundfile.read(out / "mix.wav", always_2d=True)[0].T
        stems = None
        if (out / "stems.wav").exists():
            read = soundfile.read(out / "stems.wav", always_2d=True)[0].T
            stems = read.reshape(len(report.stems), -1, read.shape[1])
        return report, detail, mix, stems


def level_of(sound: np.ndarray, hz: float) -> float:
    """Amplitude of one frequency in a stretch of whole periods."""
    n = np.arange(len(sound))
    return float(2 * abs(np.mean(sound * np.exp(-2j * np.pi * hz * n / RATE))))


class Sources(Sounds):
    def test_a_bass_is_ducked_by_the_kick_that_really_plays(self):
        self.clip("bass", steady(220))
        self.clip("kick", beats())
        feeds = self.feeds(bass="bass", kick="kick")
        _, detail, mix, _ = self.render(DUCKED, feeds)
        # Two of every sixty periods of 220 Hz fit 100 ms: in the hit, and long after it.
        hit = level_of(mix[0, RATE + 1440 : RATE + 3840], 220)
        rest = level_of(mix[0, RATE + 19_200 : RATE + 21_600], 220)
        self.assertAlmostEqual(20 * np.log10(hit / rest), -9.0, delta=0.6)
        (gauge,) = [s for s in detail.stages if s.node == "duck"]
        self.assertAlmostEqual(min(g for g in gauge.gain_db if g is not None), -9.0, delta=0.6)
        # No kick, no ducking; and a kick that is silent on purpose is none.
        for silent in (
            self.feeds(bass="bass"),
            (*self.feeds(bass="bass"), Feed(source="kick", silent=True)),
        ):
            _, _, bare, _ = self.render(DUCKED, silent)
            quiet = level_of(bare[0, RATE + 1440 : RATE + 3840], 220)
            self.assertAlmostEqual(20 * np.log10(quiet / rest), 0.0, delta=0.15)

    def test_every_source_and_every_path_is_a_stem_and_they_add_up(self):
        rng = np.random.default_rng(3)
        self.clip("a", 0.1 * rng.standard_normal(RATE))
        self.clip("b", beats(1.0))
        rig = (
            "a: source > bus: merge > c: compressor (threshold -30 dB, ratio 6) > s: split > m: merge > o: output (stereo)\n"
            "b: source > bus\ns > delay (time 90 ms, feedback 30 %) > m [level -6 dB]"
        )
        report, _, mix, stems = self.render(rig, self.feeds(a="a", b="b"), place="m")
        self.assertEqual(
            sorted((s.wet, s.sources) for s in report.stems),
            [(False, ("a",)), (False, ("b",)), (True, ("a",)), (True, ("b",))],
        )
        self.assertLess(np.abs(stems.sum(axis=0) - mix).max(), 2e-7)
        # The whole, rendered in one go by other means, is their sum: the compressor hears both.
        sounds = {n: soundfile.read(self.clips[n].path)[0][None] for n in "ab"}
        whole = render_clip(compile_rig(parse_rig(rig), SONG), RATE, sounds)["o"]
        n = min(whole.shape[1], mix.shape[1])
        self.assertLess(np.abs(whole[:, :n] - mix[:, :n]).max(), 3e-6)
        # One alone is turned down by the other's hits, which it would not be without it.
        alone = render_clip(compile_rig(parse_rig(rig), SONG), RATE, {"a": sounds["a"]})["o"]
        dry = next(
            s for s, r in zip(stems, report.stems, strict=True) if r.sources == ("a",) and not r.wet
        )
        self.assertLess(np.square(dry[:, :4000]).mean(), 0.8 * np.square(alone[:, :4000]).mean())

    def test_what_a_drive_bends_together_is_one_stem(self):
        self.clip("a", steady(100, 1.0))
        self.clip("b", steady(330, 1.0))
        rig = "a: source > m: merge > drive (gain 20 dB) > o: output\nb: source > m"
        report, _, _, stems = self.render(rig, self.feeds(a="a", b="b"))
        self.assertEqual((report.stems, stems), ([], None))

    def test_clips_stand_where_they_were_put_at_their_gain_and_side(self):
        two = np.stack([steady(100, 0.5), steady(300, 0.5)])
        self.clip("two", two)
        self.clip("late", steady(200, 0.25))
        rig = "a: source > o: output"
        feed = Feed(source="a", placements=(
            Placement(clip="two", sides="right", gain_db=-6),
            Placement(clip="late", at_s=1.0, repeats=2),
        ))  # fmt: skip
        _, _, mix, _ = self.render(rig, (feed,), tail=False)
        want = np.zeros(round(1.5 * RATE))
        want[: len(two[1])] = two[1] * 10 ** (-6 / 20)
        want[RATE : RATE + 12_000] = want[RATE + 12_000 : RATE + 24_000] = steady(200, 0.25)
        np.testing.assert_allclose(mix[0], want, atol=1e-6)
        # A stretch that begins inside of it is the same sound.
        _, _, part, _ = self.render(rig, (feed,), tail=False, start_s=0.9, length_s=0.3)
        np.testing.assert_allclose(part[0], want[round(0.9 * RATE) : round(1.2 * RATE)], atol=1e-6)

    def test_clips_of_other_rates_come_at_the_right_pitch_and_instant(self):
        self.clip("slow", steady(440, 2.0, rate=44_100), 44_100)
        self.clip("fast", steady(440, 2.0))
        rig = "a: source > m: merge > o: output\nb: source > m [inverted]"
        feeds = self.feeds(a="slow", b="fast")
        _, _, mix, _ = self.render(rig, feeds, tail=False)
        inside = mix[0, 4800:-4800]
        self.assertLess(np.abs(inside).max(), 0.2 * 10 ** (-90 / 20))
        # From the middle on it is the same, sample by sample.
        silent = "a: source > o: output\nb: source > o [level -120 dB]"
        _, _, later, _ = self.render(silent, feeds, tail=False, start_s=1.0, length_s=0.5)
        want = steady(440)[RATE + 480 : round(1.5 * RATE) - 480]
        np.testing.assert_allclose(later[0, 480:-480], want, atol=2e-5)

    def test_a_cut_clip_begins_and_ends_without_a_click(self):
        self.clip("tone", np.full(RATE, 0.5))
        place = Placement(clip="tone", from_s=0.2, length_s=0.4)
        with SongReader([Feed(source="a", placements=(place,))], self.clips, 0, None) as song:
            heard = np.concatenate([song.read(i, 480)["a"][0] for i in range(0, song.frames, 480)])
        self.assertLess(np.abs(np.diff(heard, prepend=0, append=0)).max(), 0.5 / 100)
        self.assertEqual(len(heard), round(0.4 * RATE))
        self.assertEqual(heard[RATE // 5], 0.5)

    def test_what_cannot_be_played_is_a_sentence(self):
        self.clip("a", steady(100, 0.5))
        rig = "a: source > o: output"
        with self.assertRaisesRegex(FeedError, "No source has a clip"):
            self.render(rig, ())
        with self.assertRaisesRegex(FeedError, "nothing of it lies"):
            self.render(rig, self.feeds(a="a"), start_s=2.0)
        with self.assertRaisesRegex(FeedError, "not in this song any more"):
            self.render(rig, self.feeds(a="gone"))
        with self.assertRaisesRegex(RenderError, "no such source"):
            self.render(rig, self.feeds(z="a"))

    def test_a_test_set_is_cast_by_the_words_of_the_names(self):
        clips = {
            "1": "Hand drum.wav",
            "2": "Clarinet, phrases.wav",
            "3": "Guitar, print 1.wav",
            "4": "Hum",
        }
        sources = {"g": "Baritone guitar", "c": "Clarinet", "p": "Hand percussion", "x": "Other"}
        self.assertEqual(cast(sources, clips), {"g": "3", "c": "2", "p": "1", "x": "4"})


class Parts(Sounds):
    """A render from kept parts is the whole render, bit for bit."""

    def setUp(self):
        super().setUp()
        rng = np.random.default_rng(8)
        fade = np.exp(-(np.arange(RATE) % (RATE // 3)) / 3000)
        self.clip("a", 0.3 * fade * rng.standard_normal((2, RATE)))
        self.clip("b", beats(1.0))
        self.feed = self.feeds(a="a", b="b")

    def edited(self, rig, r: random.Random):
        """The rig with one setting or strip changed."""
        ports = [p for p in rig.rails if rig.nodes[rig.rails[p].target].many_inputs]
        nodes = [n for n, node in rig.nodes.items() if "output_db" in type(node).model_fields]
        if ports and (r.random() < 0.5 or not nodes):
            return perform(rig, SetStrip(rail=r.choice(ports), values={"level_db": -3.5})).rig
        if nodes:
            return perform(rig, Set(node=r.choice(nodes), values={"output_db": -2.5})).rig
        return rig

    @settings(max_examples=7, deadline=None)
    @given(seed=st.integers(0, 10_000))
    def test_after_any_edit(self, seed):
        r = random.Random(seed)
        rig = parse_rig(grown(seed, DIFFUSE, BY_LEVEL, stages=3))
        feeds = tuple(f for f in self.feed if f.source in rig.nodes)
        with tempfile.TemporaryDirectory() as held:
            store = PartStore(Path(held))
            place = "m" if r.random() < 0.6 else None
            for _ in range(2):
                _, told, kept, stems = self.render(rig, feeds, store, place=place)
                _, plain, whole, others = self.render(
                    rig, feeds, PartStore(Path(held) / "none"), place=place
                )
                np.testing.assert_array_equal(kept, whole)
                if stems is not None:
                    np.testing.assert_array_equal(stems, others)
                self.assertEqual(told.stages, plain.stages)
                self.assertEqual(list(Path(held).glob("*.part")), [])
                for file in (Path(held) / "none").glob("*"):
                    file.unlink()
                rig = self.edited(rig, r)
            # And, but for its end, what is rendered without any parts.
            _, _, bare, _ = self.render(rig, feeds, None, place=place)
            _, _, kept, _ = self.render(rig, feeds, store, place=place)
            n = min(bare.shape[1], kept.shape[1])
            np.testing.assert_array_equal(kept[:, :n], bare[:, :n])

    def test_what_lies_before_a_change_is_not_computed_again(self):
        text = (
            "a: source (stereo) > c: compressor > s: split > m: merge > o: output (stereo)\n"
            "s > r: reverb (RT60 1 s) > m [level -9 dB]"
        )
        store = PartStore(self.folder / "parts")
        feeds = self.feeds(a="a")
        rig = parse_rig(text)
        self.render(rig, feeds, store, place="m")
        first = set(store.made)
        self.render(rig, feeds, store, place="m")
        self.assertEqual(store.made, first, "nothing was to do")
        louder = perform(rig, SetStrip(rail="r.0", values={"level_db": -3})).rig
        self.render(louder, feeds, store, place="m")
        signals = {k for k in store.made - first if not k.endswith("seen")}
        self.assertEqual(signals, set(), "a level computes no stage again")
        longer = perform(rig, Set(node="r", values={"rt60_s": 0.9})).rig
        before = set(store.made)
        self.render(longer, feeds, store, place="m")
        new = [k for k in store.made - before if not k.endswith("seen")]
        self.assertTrue(new)
        sizes = {len((store.folder / f"{k}.0").read_bytes()) for k in new}
        self.assertEqual(len(sizes), 1)
        # Another clip under the same name is another sound.
        self.clip("a", 0.1 * np.ones((2, RATE)))
        self.clips["a"] = ClipFile(self.clips["a"].path.rename(self.folder / "other.wav"), "a")
        _, _, other, _ = self.render(rig, feeds, store, place="m")
        _, _, plain, _ = self.render(rig, feeds, None, place="m")
        n = min(plain.shape[1], other.shape[1])
        np.testing.assert_array_equal(other[:, :n], plain[:, :n])

    def test_the_oldest_parts_go_when_there_are_too_many(self):
        store = PartStore(self.folder / "parts", most_bytes=3_000_000)
        for level in range(6):
            self.render(
                f"a: source > compressor (threshold {-20 - level} dB) > o: output",
                self.feeds(a="a"),
                store,
            )
        total = sum(f.stat().st_size for f in store.folder.iterdir())
        self.assertLessEqual(total, 3_000_000)


class Places(Sounds):
    """Whatever meets can be balanced; a fresh render of what it comes to is as loud."""

    COPY = (
        "a: source (stereo) > s: split > m: merge > o: output (stereo)\n"
        's > c: compressor "Copy" (threshold -40 dB, ratio 8, make-up 12 dB) > m [level -6 dB]'
    )

    def setUp(self):
        super().setUp()
        rng = np.random.default_rng(11)
        fade = np.exp(-(np.arange(2 * RATE) % (RATE // 3)) / 4000)
        self.clip("a", 0.3 * fade * rng.standard_normal((2, 2 * RATE)))

    def test_the_compressed_copy_moves_and_a_fresh_render_agrees(self):
        rig = parse_rig(self.COPY)
        place = best_place(rig, compile_rig(rig, SONG), "o")
        self.assertEqual(
            [(s.name, s.moves) for s in place.stems], [("Source", False), ("Copy", True)]
        )
        report, detail, _, _ = self.render(rig, self.feeds(a="a"), place=place.id)
        route = route_ratio_db(report, detail)
        for by in (-9.0, 4.0):
            (setting,) = settings_for(rig, report, route + by, route)
            self.assertEqual((setting.part, setting.value), ("c.0", round(-6 + by, 2)))
            gains = [1.0, 10 ** (by / 20)]
            fresh = perform(rig, SetStrip(rail="c.0", values={"level_db": setting.value})).rig
            again, _, mix, _ = self.render(fresh, self.feeds(a="a"), place=place.id)
            said = mix_level(report, detail, gains).loudness_lufs
            self.assertAlmostEqual(
                pyloudnorm.Meter(RATE).integrated_loudness(mix.T), said, delta=0.1
            )
        # The other way round, the dry one moves: its gain, and its strip.
        travel = balance(report, detail, "fader", ["s.0"])
        self.assertAlmostEqual(travel.route_db, -route, places=6)
        (dry,) = settings_for(rig, report, -route - 3, -route, ["s.0"])
        self.assertEqual((dry.part, dry.value), ("s.0", -3.0))
        with self.assertRaisesRegex(FonodromeError, "no path"):
            balance(report, detail, "fader", ["nowhere"])

    TWICE = (
        "a: source (stereo) > s: split > m: merge > t: split > n: merge > o: output (stereo)\n"
        's > c: compressor "Copy" (threshold -40 dB, ratio 8, make-up 12 dB) > m [level -6 dB]\n'
        't > r: reverb "Hall" (RT60 0.5 s, mix 100 %, locked) > n [level -3 dB]'
    )

    def test_two_places_at_once_are_two_faders_on_what_was_rendered_once(self):
        rig = parse_rig(self.TWICE)
        report, detail, mix, stems = self.render(rig, self.feeds(a="a"), place="m+n")
        ways = [stem.ports for stem in report.stems]
        self.assertEqual(
            sorted(ways), sorted([(m, n) for m in ("s.0", "c.0") for n in ("t.0", "r.0")])
        )
        parts = stems.reshape(len(ways), 2, -1)
        np.testing.assert_allclose(parts.sum(axis=0), mix, atol=1e-6)
        # The copy 3 dB up, the hall 4 dB down: each way by what it takes of both.
        by = {"c.0": 3.0, "r.0": -4.0}
        gains = [10 ** (sum(by.get(p, 0.0) for p in way) / 20) for way in ways]
        moved = rig
        for port, db in by.items():
            route = route_ratio_db(report, detail, [port])
            (setting,) = settings_for(moved, report, route + db, route, [port])
            self.assertEqual(
                (setting.part, setting.value), (port, {"c.0": -6, "r.0": -3}[port] + db)
            )
            values = {setting.field: setting.value}
            moved = perform(moved, SetStrip(rail=setting.part, values=values)).rig
        fresh = self.render(moved, self.feeds(a="a"), place="m+n")[2]
        n = min(fresh.shape[1], mix.shape[1])
        wanted = np.tensordot(gains, parts, axes=1)
        np.testing.assert_allclose(fresh[:, :n], wanted[:, :n], atol=2e-6)
        said = mix_level(report, detail, gains).loudness_lufs
        self.assertAlmostEqual(pyloudnorm.Meter(RATE).integrated_loudness(fresh.T), said, delta=0.1)

    def test_places_that_cannot_be_kept_apart_are_refused_in_a_sentence(self):
        rig = parse_rig(self.TWICE)
        with self.assertRaisesRegex(FonodromeError, "nothing to balance"):
            self.render(rig, self.feeds(a="a"), place="m+nowhere")
        wide = (
            "a: source (stereo) > s: split > m: merge > t: split > n: merge > o: output (stereo)\n"
        )
        wide += "".join(f"s > level{i} > m\nt > level{i + 10} > n\n" for i in range(1, 4))
        with self.assertRaisesRegex(FonodromeError, "16 ways lead through these places"):
            self.render(parse_rig(wide), self.feeds(a="a"), place="m+n")

    def test_three_amps_have_stems(self):
        for name, notation in (("Wet, dry, wet", DEMO_RIGS[2][2][0][1]),):
            rig = parse_rig(notation)
            plan = compile_rig(rig, SONG)
            place = best_place(rig, plan, next(iter(plan.outputs)))
            self.assertIsNotNone(place, name)
            self.assertEqual(len(place.stems), 3)
        for template in TEMPLATES:
            rig = build(template)
            plan = compile_rig(rig, SONG)
            meets = [any(find_places(rig, plan, o)) for o in plan.outputs]
            place = [best_place(rig, plan, o) for o in plan.outputs]
            with self.subTest(template.name):
                self.assertTrue(any(place) or not any(meets), "its paths meet, and none moves")
