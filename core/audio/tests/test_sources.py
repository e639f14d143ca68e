"""Reading any part of any file, and describing a whole one."""

import io
import struct
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from core.audio import examine, open_audio, salvage
from core.audio.container import aiff_promised_frames, read_wav_layout
from core.audio.demo import DEMO_CLIPS, DEMO_PAIRS, RATE, frame_drum, pluck, reed
from core.audio.wav_stream import float_wav_header
from core.errors import AudioError, TruncatedAudio

KINDS = [
    ("WAV", "PCM_16"),
    ("WAV", "PCM_24"),
    ("WAV", "PCM_32"),
    ("WAV", "FLOAT"),
    ("WAV", "DOUBLE"),
    ("WAVEX", "PCM_24"),
    ("RF64", "PCM_24"),
    ("WAV", "PCM_U8"),
    ("WAV", "ULAW"),
    ("FLAC", "PCM_16"),
    ("FLAC", "PCM_24"),
    ("AIFF", "PCM_24"),
    ("OGG", "VORBIS"),
]
SOUND = 0.3 * np.random.default_rng(8).standard_normal((30_000, 3)).clip(-3, 3)


class FolderCase(unittest.TestCase):
    def setUp(self) -> None:
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def write(self, name: str, sound=SOUND, rate: int = RATE, **kind) -> Path:
        path = self.folder / name
        soundfile.write(path, sound, rate, **kind)
        return path


class Reading(FolderCase):
    def test_every_kind_reads_as_the_general_library_reads_it(self):
        for format, subtype in KINDS:
            with self.subTest(format=format, subtype=subtype):
                path = self.write("x", format=format, subtype=subtype)
                wanted = soundfile.read(path, dtype="float64", always_2d=True)[0].T
                with open_audio(path) as source:
                    whole = np.concatenate(list(source.blocks(7_000)), axis=1)
                    np.testing.assert_array_equal(whole, wanted)
                    # Back and forth, as the search reads.
                    for start in (20_000, 5_000, 5_500, 0):
                        part = source.read(start, 900)
                        np.testing.assert_array_equal(part, wanted[:, start : start + 900])

    @settings(max_examples=25, deadline=None)
    @given(st.integers(-500, 1500), st.integers(1, 1500))
    def test_outside_the_file_is_silence(self, start, count):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.wav"
            soundfile.write(path, SOUND[:1000], RATE, subtype="PCM_24")
            inside = soundfile.read(path, dtype="float64")[0].T
            wide = np.zeros((3, 4000))
            wide[:, 500:1500] = inside
            with open_audio(path) as source:
                np.testing.assert_array_equal(
                    source.read(start, count), wide[:, 500 + start : 500 + start + count]
                )

    def test_word_lengths_are_told(self):
        for subtype, bits in [("PCM_16", 16), ("PCM_24", 24), ("FLOAT", None)]:
            with open_audio(self.write("x.wav", subtype=subtype)) as source:
                self.assertEqual((source.bits, source.channels), (bits, 3))


class Layouts(FolderCase):
    def test_chunks_before_the_data_are_walked_over(self):
        data = self.write("x.wav", subtype="PCM_16").read_bytes()
        place = data.index(b"data")
        extra = b"note" + struct.pack("<I", 5) + b"hello\0"
        with_note = io.BytesIO(data[:place] + extra + data[place:])
        layout = read_wav_layout(with_note)
        self.assertEqual((layout.kind, layout.bits, layout.channels), ("pcm", 16, 3))
        self.assertEqual(layout.data_offset, place + len(extra) + 8)
        self.assertEqual(layout.available_bytes, SOUND.size * 2)

    def test_what_is_no_wav_has_no_layout(self):
        for data in (b"", b"RIFF", b"RIFF\0\0\0\0WAVE", b"fLaC" + bytes(40), bytes(100)):
            self.assertIsNone(read_wav_layout(io.BytesIO(data)))
            self.assertIsNone(aiff_promised_frames(io.BytesIO(data)))

    def test_a_streamed_header_reads_back_and_grows_past_four_gigabytes(self):
        samples = SOUND.astype("<f4")
        data = float_wav_header(RATE, 3, len(samples)) + samples.tobytes()
        back, rate = soundfile.read(io.BytesIO(data), dtype="float32")
        self.assertEqual(rate, RATE)
        np.testing.assert_array_equal(back, samples)
        frames = 3600 * 192_000
        large = float_wav_header(192_000, 8, frames)
        self.assertEqual(large[:4], b"RF64")
        size, length, count = struct.unpack("<QQQ", large[20:44])
        self.assertEqual((length, count), (frames * 32, frames))
        self.assertEqual(size, len(large) - 8 + length)


class Examining(FolderCase):
    def test_levels_and_columns(self):
        t = np.arange(RATE)
        path = self.write("tone.wav", 0.5 * np.sin(2 * np.pi * 1000 * t / RATE), subtype="FLOAT")
        report = examine(path)
        self.assertAlmostEqual(report.peak_dbfs, -6.02, places=2)
        self.assertAlmostEqual(report.rms_dbfs, -9.03, places=2)
        self.assertEqual(len(report.peaks_high), 2000)
        self.assertAlmostEqual(max(report.peaks_high), 0.5, places=3)
        self.assertAlmostEqual(min(report.peaks_low), -0.5, places=3)

    def test_columns_follow_the_sound(self):
        sound = np.zeros((50_001, 1))
        sound[25_000] = 0.7
        report = examine(self.write("click.wav", sound, subtype="PCM_24"))
        loud = [i for i, v in enumerate(report.peaks_high) if v > 0]
        width = -(-50_001 // 2000)
        self.assertEqual(loud, [25_000 // width])

    def test_progress_rises_to_one_and_may_stop_it(self):
        path = self.write("long.wav", np.zeros((400_000, 1)))
        seen: list[float] = []
        examine(path, progress=lambda share, stage: seen.append(share))
        self.assertEqual(seen, sorted(seen))
        self.assertEqual(seen[-1], 1.0)

    def test_what_is_left_of_a_cut_file_is_exactly_what_was_there(self):
        for format, subtype in [("WAV", "PCM_24"), ("FLAC", "PCM_16"), ("AIFF", "PCM_16")]:
            with self.subTest(format):
                path = self.write("cut", format=format, subtype=subtype)
                whole = soundfile.read(path, dtype="int32")[0]
                path.write_bytes(path.read_bytes()[: path.stat().st_size * 2 // 3])
                with self.assertRaises(TruncatedAudio) as caught:
                    examine(path)
                self.assertEqual(caught.exception.promised_frames, len(SOUND))
                target = self.folder / "whole.wav"
                salvage(path, "cut", target)
                kept = soundfile.read(target, dtype="int32")[0]
                self.assertEqual(len(kept), caught.exception.usable_frames)
                np.testing.assert_array_equal(kept, whole[: len(kept)])

    def test_a_missing_and_an_empty_file(self):
        with self.assertRaisesRegex(AudioError, "There is no file"):
            open_audio(self.folder / "nowhere.wav")
        (self.folder / "empty.wav").touch()
        with self.assertRaisesRegex(AudioError, "0 bytes"):
            open_audio(self.folder / "empty.wav")


class DemoSounds(unittest.TestCase):
    def test_voices_sound_at_their_pitch_and_are_always_the_same(self):
        for voice, hz in ((pluck, 110.0), (reed, 220.0), (frame_drum, 92.0)):
            with self.subTest(voice.__name__):
                tone = voice(hz, 1.0, 7)
                np.testing.assert_array_equal(tone, voice(hz, 1.0, 7))
                self.assertAlmostEqual(float(np.abs(tone).max()), 1.0)
                spectrum = np.abs(np.fft.rfft(tone * np.hanning(len(tone))))
                low = spectrum[: round(hz * 1.45)]
                self.assertAlmostEqual(20 + int(np.argmax(low[20:])), hz, delta=0.02 * hz + 1)

    def test_every_pair_names_clips_that_exist(self):
        names = {clip.name for clip in DEMO_CLIPS}
        for pair in DEMO_PAIRS:
            self.assertLessEqual({pair.a, pair.b}, names)
