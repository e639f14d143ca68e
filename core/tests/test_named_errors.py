"""Whatever is typed or sent, the core raises its own named errors and nothing else: texts near the ones that
people write, bytes near real files, and what was found once.
"""

import contextlib
import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from core.audio import examine
from core.errors import AudioError, FonodromeError
from core.routing import load_rig, parse_rig
from core.tempo import read_midi
from core.units import TempoFrame, parse_number, parse_time

FRAME = TempoFrame()
NEAR_NUMBERS = st.text("0123456789.,'+-−–eE  ½/dbtms%:x", max_size=24)
WORDS = st.sampled_from(
    ["g", "source", "output", "delay", "reverb", "split", "merge", "key", "scene", "wish", "keep", "cable", "siding", "line",
     "time", "1/8.", "level", "-3", "dB", "ms", "%", "mix", ">", ":", "(", ")", "[", "]", '"', ",", ";", "\n", "@slap", "under", "of", "7", "locked"]
)  # fmt: skip
QUIET = settings(
    deadline=None, derandomize=True, max_examples=300, suppress_health_check=[HealthCheck.too_slow]
)


def only_named(work) -> None:
    """It is done, or refused in a sentence; anything else goes on up and fails the test."""
    said = "done"
    with contextlib.suppress(FonodromeError):
        try:
            work()
        except FonodromeError as error:
            said = error.sentence
            raise
    assert said.strip()


class Texts(unittest.TestCase):
    @QUIET
    @given(NEAR_NUMBERS | st.text(max_size=12))
    def test_numbers_and_times(self, text):
        only_named(lambda: parse_number(text))
        only_named(lambda: parse_time(text, FRAME))

    @QUIET
    @given(st.lists(WORDS, max_size=40).map(" ".join))
    def test_notation(self, text):
        only_named(lambda: parse_rig(text))

    def test_what_was_found_once(self):
        for text in ("0,000.5", "1,2.5", "00,000.1", "9" * 400, "1e400", "٣٣", "1.2.3", "--3"):
            with self.subTest(text):
                only_named(lambda t=text: parse_number(t))
                only_named(lambda t=text: parse_time(t, FRAME))
        with self.assertRaisesRegex(FonodromeError, "a comma and a point"):
            parse_number("0,000.5")
        self.assertEqual(parse_number("10,000.5")[0], 10000.5)
        for text in (
            'keep gain.x at g "' + "x" * 300 + '"',
            "g: source (level 1.2.3 dB) > o: output",
        ):
            with self.assertRaises(FonodromeError):
                parse_rig(text)


class Documents(unittest.TestCase):
    GOOD = parse_rig("g: source > e: delay (time 1/8.) > o: output").model_dump(mode="json")

    @QUIET
    @given(
        st.recursive(
            st.none() | st.booleans() | st.integers() | st.floats(allow_nan=True) | st.text(max_size=8),
            lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
            max_leaves=6,
        ),
        st.sampled_from(["nodes", "rails", "keys", "scenes", "wishes", "version", "title", "sheet", "intended"]),
    )  # fmt: skip
    def test_a_rig_with_anything_in_one_place(self, value, place):
        only_named(lambda: load_rig({**self.GOOD, place: value}))


class Bytes(unittest.TestCase):
    MIDI = bytes.fromhex(
        "4d546864000000060000000101e04d54726b0000001f00ff5103"
        "07a12000ff5804060324080aff0114" + b"ramp to 1.2.3 BPM".hex() + "00ff2f00"
    )

    @QUIET
    @given(st.integers(0, len(MIDI) - 1), st.integers(0, 255), st.integers(0, len(MIDI)))
    def test_midi_with_a_byte_changed_and_cut(self, at, byte, end):
        spoilt = bytearray(self.MIDI)
        spoilt[at] = byte
        only_named(lambda: read_midi(bytes(spoilt)))
        only_named(lambda: read_midi(self.MIDI[:end]))

    def test_a_ramp_that_is_no_number_is_no_ramp(self):
        only_named(lambda: read_midi(self.MIDI))

    def sound(self, format: str, subtype: str) -> bytes:
        out = io.BytesIO()
        noise = 0.1 * np.random.default_rng(2).standard_normal((900, 2))
        soundfile.write(out, noise, 8000, format=format, subtype=subtype)
        return out.getvalue()

    def test_sound_files_with_bytes_changed_and_cut(self):
        rng = np.random.default_rng(11)
        with tempfile.TemporaryDirectory() as held:
            path = Path(held) / "a.bin"
            for format, subtype in (("WAV", "PCM_24"), ("WAV", "DOUBLE"), ("FLAC", "PCM_16"), ("AIFF", "PCM_16"), ("OGG", "VORBIS")):  # fmt: skip
                whole = self.sound(format, subtype)
                for turn in range(60):
                    spoilt = bytearray(whole)
                    for at in rng.integers(0, min(len(whole), 200 if turn % 2 else len(whole)), 3):
                        spoilt[at] = int(rng.integers(0, 256))
                    if turn % 5 == 0:
                        spoilt = spoilt[: int(rng.integers(0, len(whole)))]
                    path.write_bytes(spoilt)
                    with self.subTest(format, turn=turn):
                        only_named(lambda: examine(path, "a.bin"))

    def test_samples_that_are_no_sound_are_refused_where_they_are(self):
        with tempfile.TemporaryDirectory() as held:
            path = Path(held) / "huge.wav"
            for value in (1e200, 1e38, -1e9, 1.1e4):
                sound = np.full(48_000, 0.1)
                sound[24_000] = value
                soundfile.write(path, sound, 48_000, subtype="DOUBLE")
                with self.assertRaises(AudioError) as said:
                    examine(path, "huge.wav")
                self.assertIn("80 dB above full scale", said.exception.sentence)
                self.assertIn("24 000", said.exception.sentence.replace("\u202f", " "))
            soundfile.write(path, np.full(48_000, 12.0), 48_000, subtype="FLOAT")
            self.assertAlmostEqual(examine(path, "loud.wav").peak_dbfs, 21.6, delta=0.1)


if __name__ == "__main__":
    unittest.main()
