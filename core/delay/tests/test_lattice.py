"""The rhythm lattice: every echo counted once, worked patterns, search, sound, a player's take."""

import io
import tempfile
import unittest
from pathlib import Path

import mido
import numpy as np
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from core.audio import open_audio
from core.audio.demo import pluck
from core.audio.onsets import find_onsets, find_tempo
from core.delay import (
    DelayLine,
    FigureRequest,
    LatticeRequest,
    Pattern,
    PatternText,
    PlayedNote,
    SearchRequest,
    TakeRequest,
    against_slots,
    figure_midi,
    figure_wav,
    figures,
    lattice,
    read_pattern,
    search,
)
from core.delay.sound import figure_sound
from core.errors import AudioError, FonodromeError
from core.units import TempoFrame

SONG = TempoFrame(tempo_bpm=120)
LIGHTHOUSE = TempoFrame(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8)


def notes(*slots: int) -> tuple[PlayedNote, ...]:
    return tuple(PlayedNote(slot=s) for s in slots)


def asked(
    played, value, frame=SONG, repeats=1, feedback=0, first_db=0.0, model=LatticeRequest, **more
):
    keys = ("slots_per_beat", "bars", "swing_percent")
    pattern = Pattern(played=notes(*played), **{k: v for k, v in more.items() if k in keys})
    return model(
        frame=frame, pattern=pattern, repeats=repeats,
        line=DelayLine(value=value, first_db=first_db, feedback_percent=feedback),
        **{k: v for k, v in more.items() if k not in keys},
    )  # fmt: skip


def kinds(found, kind):
    return [s.index for s in found.slots if s.kind == kind]


class Slots(unittest.TestCase):
    def test_worked_patterns(self):
        figure = lattice(asked(range(0, 16, 2), "1/8."))
        self.assertEqual(kinds(figure, "filled"), list(range(1, 16, 2)))
        self.assertEqual(
            (kinds(figure, "collision"), figure.empty, figure.is_figure), ([], 0, True)
        )
        other = lattice(asked((0, 3, 6, 10, 12), "1/8", first_db=-6))
        self.assertEqual(kinds(other, "filled"), [2, 5, 8, 14])
        self.assertEqual(kinds(other, "collision"), [12])
        self.assertEqual(kinds(other, "empty"), [1, 4, 7, 9, 11, 13, 15])

    def test_each_condition_of_the_dotted_eighth_figure_can_fail_alone(self):
        base = {"played": range(0, 16, 2), "value": "1/8."}
        for change, words in (
            ({"played": range(0, 14, 2)}, "every second"),
            ({"value": "1/8"}, "three sixteenths"),
            ({"feedback": 50, "repeats": 2}, "one repeat"),
            ({"first_db": -2}, "as loud as the note"),
        ):
            found = lattice(asked(**(base | change)))
            failed = [c.said for c in found.conditions if not c.met]
            self.assertTrue(any(words in said for said in failed), (words, failed))
            self.assertFalse(found.is_figure)

    @settings(max_examples=60, deadline=None)
    @given(
        st.sets(st.integers(0, 15), min_size=1), st.floats(20, 3000), st.integers(1, 8),
        st.booleans(), st.sampled_from(["single", "ping-pong", "dual", "cascade"]),
    )  # fmt: skip
    def test_every_echo_is_accounted_for_once(self, played, ms, repeats, wraps, mode):
        request = asked(played, f"{ms} ms", repeats=repeats, feedback=80, wraps=wraps)
        line = request.line.model_copy(update={"mode": mode})
        found = lattice(request.model_copy(update={"line": line}))
        seen = {(e.note, e.k, e.side, round(e.time_ms, 6)) for e in found.echoes}
        self.assertEqual(len(seen), len(found.echoes))
        by_kind = {
            k: sum(e.kind == k for e in found.echoes)
            for k in ("fills", "collides", "off", "beyond")
        }
        self.assertEqual(sum(by_kind.values()), len(found.echoes))
        self.assertEqual(found.collisions, by_kind["collides"])
        self.assertEqual(len(found.slots), 16)
        for e in found.echoes:
            self.assertEqual(e.slot is None, e.kind in ("off", "beyond"))
            if e.slot is not None:
                self.assertLessEqual(abs(e.offset_ms), 12 + 1e-6)
        if mode == "single":
            self.assertEqual(len(found.echoes), len(played) * repeats)

    def test_what_is_said_of_the_echoes_and_of_how_they_are_counted(self):
        # Eighths are played, quarters come back first: every first echo lands on a note, as every second does.
        found = lattice(asked(range(0, 16, 2), "1/4", repeats=2, feedback=90))
        self.assertIn("1 and 2 land on your notes", found.sentence.lower())
        # A dotted eighth fills between them, twice as much of it lands.
        found = lattice(asked(range(0, 16, 2), "1/8.", repeats=2, feedback=90))
        self.assertIn("echo 1 fills the gaps", found.sentence.lower())
        self.assertIn("2 lands on your notes", found.sentence.lower())
        self.assertIn("off the lattice beyond 12.0 ms", found.computed_how)

    def test_swing_and_off_the_lattice(self):
        straight = lattice(asked((0,), "1/16", swing_percent=66))
        self.assertEqual(straight.off, 1)
        swung = lattice(asked((0,), f"{250 * 0.66} ms", swing_percent=66))
        self.assertEqual(kinds(swung, "filled"), [1])

    def test_patterns_that_do_not_fit_are_refused(self):
        for change, words in (
            ({"played": (16,)}, "longer than the bar: slot 17 of 16"),
            (
                {
                    "played": (0,),
                    "frame": TempoFrame(metre_count=7, metre_unit=8),
                    "slots_per_beat": 3,
                },
                "do not fill a bar of 7/8",
            ),
            ({"played": (0,), "slots_per_beat": 3, "swing_percent": 60}, "even number of slots"),
            ({"played": (0,), "bars": 8, "slots_per_beat": 16}, "up to 256 slots"),
        ):
            with self.subTest(words), self.assertRaisesRegex(FonodromeError, words):
                lattice(asked(**({"value": "1/8"} | change)))

    def test_typed_patterns(self):
        read = read_pattern(PatternText(text="1, 3:E3 8:bb2 1:C4"))
        self.assertEqual([(n.slot, n.midi) for n in read.played], [(0, 60), (2, 52), (7, 46)])
        self.assertEqual(read.text, "1:C4 3:E3 8:A#2")
        self.assertEqual(read_pattern(PatternText(text=read.text)), read)
        for text in ("0", "x", "3:H2", "2:C9 1:G#9", "400"):
            with self.subTest(text), self.assertRaises(FonodromeError):
                read_pattern(PatternText(text=text))

    def test_figures_keep_what_they_promise_in_every_metre(self):
        for frame in (
            SONG,
            LIGHTHOUSE,
            TempoFrame(metre_count=7, metre_unit=8),
            TempoFrame(metre_count=12, metre_unit=8, beat_unit="1/4."),
        ):
            found = figures(frame)
            for figure in found:
                lattice(LatticeRequest(frame=frame, pattern=figure.pattern, line=figure.line))
            dotted = [f for f in found if f.id == "dotted-eighth"]
            for figure in dotted:
                self.assertTrue(
                    lattice(
                        LatticeRequest(frame=frame, pattern=figure.pattern, line=figure.line)
                    ).is_figure
                )
        self.assertEqual(len(figures(SONG)), 5)


class Search(unittest.TestCase):
    def test_eighths_are_filled_by_odd_sixteenths_and_nothing_else(self):
        found = search(asked(range(0, 16, 2), "1/4", model=SearchRequest))
        self.assertIn("1/8.", found.fills_all)
        self.assertIn("1/16", found.fills_all)
        self.assertNotIn("1/4", found.fills_all)
        self.assertEqual(found.best[0].collisions, 0)
        self.assertEqual(found.best[0].filled, 8)

    @settings(max_examples=25, deadline=None)
    @given(st.sets(st.integers(0, 15), min_size=1, max_size=12), st.integers(1, 4))
    def test_search_and_lattice_count_alike(self, played, repeats):
        found = search(asked(played, "1/4", repeats=repeats, feedback=70, model=SearchRequest))
        for one in found.best[:4]:
            seen = lattice(asked(played, f"{one.ms} ms", repeats=repeats, feedback=70))
            self.assertEqual(
                (one.filled, one.collisions, one.off), (seen.filled, seen.collisions, seen.off)
            )


class Sound(unittest.TestCase):
    def test_echoes_sound_where_and_as_loud_as_computed(self):
        request = asked(
            (0,),
            "1/4",
            feedback=50,
            repeats=3,
            first_db=-6,
            model=FigureRequest,
            voice="click",
            loops=1,
            wraps=False,
        )
        sound = figure_sound(request)
        self.assertLessEqual(float(np.abs(sound).max()), 0.5 + 1e-6)
        peaks = [
            float(np.abs(sound[round(k * 24_000) : round(k * 24_000) + 2400]).max())
            for k in range(4)
        ]
        levels = 20 * np.log10(np.array(peaks) / peaks[0])
        np.testing.assert_allclose(levels, [0, -6, -12.02, -18.04], atol=0.05)
        dry = figure_sound(request.model_copy(update={"echoes": False}))
        self.assertLess(float(np.abs(dry[12_000:]).max()), 1e-6)
        data, rate = soundfile.read(io.BytesIO(figure_wav(request)))
        self.assertEqual((rate, data.shape), (48_000, sound.shape))

    def test_a_click_is_an_octave_above_its_note(self):
        pattern = Pattern(played=(PlayedNote(slot=0, midi=57),))
        request = FigureRequest(
            frame=SONG, pattern=pattern, repeats=1, voice="click", loops=1, echoes=False,
            line=DelayLine(value="1/4", first_db=-6, feedback_percent=0),
        )  # fmt: skip
        sound = figure_sound(request)[:, 0]
        spectrum = np.abs(np.fft.rfft(sound, 1 << 17))
        # A of 220 Hz, an octave up; it rings for 8 ms, so its peak is broad.
        self.assertAlmostEqual(spectrum.argmax() * 48_000 / (1 << 17), 440, delta=15)

    def test_the_midi_click_has_the_notes_and_the_echoes_apart(self):
        request = asked((0, 8), "1/8.", model=FigureRequest, loops=2)
        file = mido.MidiFile(file=io.BytesIO(figure_midi(request)))
        ons = [sum(m.type == "note_on" for m in track) for track in file.tracks]
        self.assertEqual(ons, [0, 4, 4])
        self.assertEqual([m.tempo for m in file.tracks[0] if m.type == "set_tempo"], [500_000])


class Takes(unittest.TestCase):
    def clip(self, times, seconds):
        rate = 48_000
        track = np.zeros(round(seconds * rate))
        for i, t in enumerate(times):
            note = pluck(110 + 20 * (i % 5), 0.3, seed=i)
            start = round(t * rate)
            track[start : start + len(note)] += 0.4 * note[: len(track) - start]
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        path = Path(self.folder.name) / "take.wav"
        soundfile.write(path, track, rate, subtype="PCM_24")
        return open_audio(path)

    def test_a_take_that_drags_is_measured_to_a_millisecond_or_two(self):
        rng = np.random.default_rng(5)
        wanted = 0.5 + np.arange(32) * 0.25
        late = 0.012 + rng.normal(0, 0.004, 32)
        with self.clip(wanted + late, 10) as source:
            onsets = find_onsets(source)
        self.assertEqual(len(onsets), 32)
        self.assertLess(float(np.abs(onsets - wanted - late).max()), 0.003)
        found = against_slots(
            TakeRequest(frame=SONG, pattern=Pattern(), onsets_s=onsets.tolist(), starts_s=0.5)
        )
        self.assertAlmostEqual(found.mean_ms, 1e3 * late.mean(), delta=1.5)
        self.assertAlmostEqual(found.spread_ms, 1e3 * late.std(ddof=1), delta=1.0)
        self.assertEqual([r.slot for r in found.by_slot], [0, 2])

    def test_tempo_is_suggested_with_half_and_double(self):
        with self.clip(0.3 + np.arange(40) * 60 / 97 / 2, 14) as source:
            found = find_tempo(source)
        bpms = [c.bpm for c in found.candidates]
        self.assertLess(min(abs(b / 97 - 1) for b in bpms), 0.005)
        self.assertEqual({"half", "double"} <= {c.relation for c in found.candidates}, True)
        self.assertGreater(found.candidates[0].confidence, 0.2)

    def test_clips_without_notes_say_so(self):
        with self.clip((), 4) as source, self.assertRaisesRegex(AudioError, "silent"):
            find_onsets(source)
        with (
            self.clip((0.1, 0.2), 4) as source,
            self.assertRaisesRegex(AudioError, "too few|silent"),
        ):
            find_tempo(source)
        with self.assertRaisesRegex(FonodromeError, "No notes"):
            against_slots(TakeRequest(frame=SONG, pattern=Pattern(), onsets_s=[]))
