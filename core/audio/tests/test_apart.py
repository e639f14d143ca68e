"""What opens a file from outside can break, hang or take all memory, and only that is lost."""

import ctypes
import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np
import soundfile

from core.audio import examine
from core.audio.apart import Limits, examine_apart, run_apart, salvage_apart
from core.errors import AudioError, Cancelled, TruncatedAudio


def breaks(*, progress):
    ctypes.string_at(0)


def hangs(*, progress):
    while True:
        pass


def grows(*, progress):
    held = []
    while True:
        held.append(np.ones(8 << 20))


def opens(*, progress):
    return [os.open("/dev/null", os.O_RDONLY) for _ in range(200)]


def tells(folder, *, progress):
    (Path(folder) / "begun").write_text(str(os.getpid()))
    while True:
        progress(0.5, "decoding")
        time.sleep(0.01)


def waits(folder, *, progress):
    """Says nothing more."""
    (Path(folder) / "begun").write_text(str(os.getpid()))
    time.sleep(600)


def quiet(share, stage):
    pass


class Apart(unittest.TestCase):
    def setUp(self):
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def refused(self, work, limits=Limits()):
        with self.assertRaises(AudioError) as said:
            run_apart(work, name="Odd.wav", progress=quiet, limits=limits)
        self.assertIn("“Odd.wav”", said.exception.sentence)
        return said.exception.sentence

    def test_what_breaks_hangs_or_grows_is_a_sentence_and_the_asker_lives(self):
        self.assertIn("breaks what reads it", self.refused(breaks))
        self.assertIn("longer to open", self.refused(hangs, Limits(cpu_s=1)))
        self.assertIn("more memory", self.refused(grows, Limits(memory_bytes=200 << 20)))
        self.assertIn("breaks what reads it", self.refused(opens))

    def test_the_same_report_as_in_this_process(self):
        path = self.folder / "Tone.wav"
        tone = 0.5 * np.sin(2 * np.pi * 441 * np.arange(96_000) / 48_000)
        soundfile.write(path, np.column_stack([tone, tone / 2]), 48_000, "PCM_24")
        shares = []
        found = examine_apart(path, "Tone.wav", progress=lambda s, stage: shares.append(s))
        self.assertEqual(found, examine(path, "Tone.wav"))
        self.assertAlmostEqual(found.peak_dbfs, 20 * np.log10(0.5), places=3)
        self.assertEqual(shares[-1], 1)

    def test_errors_come_with_what_they_know_and_half_a_file_is_kept_apart_too(self):
        path = self.folder / "Half.wav"
        soundfile.write(path, np.full(48_000, 0.25), 48_000, "PCM_16")
        path.write_bytes(path.read_bytes()[: 44 + 2 * 12_000])
        with self.assertRaises(TruncatedAudio) as said:
            examine_apart(path, "Half.wav", progress=quiet)
        known = said.exception
        self.assertEqual((known.usable_frames, known.promised_frames, known.rate_hz), (12_000, 48_000, 48_000))  # fmt: skip
        whole = self.folder / "whole.wav"
        salvage_apart(path, "Half.wav", whole, progress=quiet)
        sound, rate = soundfile.read(whole)
        self.assertEqual((len(sound), rate), (12_000, 48_000))
        self.assertTrue(np.allclose(sound, 0.25, atol=1e-4))
        (self.folder / "text.wav").write_text("no sound at all")
        with self.assertRaises(AudioError):
            salvage_apart(self.folder / "text.wav", "t", self.folder / "none.wav", progress=quiet)
        self.assertFalse((self.folder / "none.wav").exists())

    def test_stopped_the_process_ends_at_once(self):
        def stop(share, stage):
            raise Cancelled

        with self.assertRaises(Cancelled):
            run_apart(tells, str(self.folder), name="Long.wav", progress=stop, limits=Limits())
        number = int((self.folder / "begun").read_text())
        with self.assertRaises(ProcessLookupError):
            os.kill(number, 0)

    def test_a_worker_that_is_killed_leaves_nothing_behind(self):
        code = (
            "from core.audio.apart import Limits, run_apart\n"
            "from core.audio.tests.test_apart import waits\n"
            "import sys\n"
            "run_apart(waits, sys.argv[1], name='x', progress=print, limits=Limits())"
        )
        asker = subprocess.Popen([sys.executable, "-c", code, str(self.folder)])
        begun = self.folder / "begun"
        end = time.monotonic() + 60
        while not (begun.is_file() and begun.read_text()) and time.monotonic() < end:
            time.sleep(0.02)
        number = int(begun.read_text())
        asker.kill()
        asker.wait()
        while time.monotonic() < end:
            try:
                os.kill(number, 0)
            except ProcessLookupError:
                return
            time.sleep(0.02)
        self.fail("it works on for nobody")


if __name__ == "__main__":
    unittest.main()
