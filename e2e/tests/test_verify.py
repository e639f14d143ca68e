"""Null tests in the browser: demo pairs, own files, listening, a killed worker, other people."""

import os
import signal
import tempfile
from pathlib import Path

import numpy as np
import soundfile
from selenium.webdriver.common.keys import Keys

from e2e.base import WORKER, BrowserCase
from server.rigs.models import Rig
from server.songs.models import Song
from server.testing import RATE, clip_in, noise, wav_bytes
from server.verify.models import NullTest


class FilesCase(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        held = tempfile.TemporaryDirectory()
        self.addCleanup(held.cleanup)
        self.folder = Path(held.name)

    def file(self, name: str, sound: np.ndarray, subtype: str = "PCM_24") -> Path:
        path = self.folder / name
        soundfile.write(path, sound, RATE, subtype=subtype)
        return path

    def send(self, letter: str, path: Path) -> None:
        found = self.browser.until(
            lambda: self.browser.driver.find_elements(
                "css selector", f"[data-testid=file-{letter}]"
            )
        )
        found[0].send_keys(str(path))

    def own_song(self, name: str = "bea") -> None:
        b = self.browser
        b.open("/")
        b.press("button", "Make an account")
        b.type("Name", name)
        b.type("Password", "a long harbour 7")
        b.press("button", "Make my account")
        b.find("heading", "New song")
        b.type("Name", "Own song")
        b.press("button", "Make “Own song”")
        b.press("link", "Verify")


class Demo(FilesCase):
    def test_a_demo_pair_nulls_and_can_be_heard(self):
        b = self.open_demo()
        b.press("link", "Verify")
        b.press("button", "Test Through a loop")
        b.sees(
            "Same sound, 1.10 dB apart, 65.37 samples late and inverted: matched, the residual is",
            60,
        )
        b.sees("Passed limit 90 dB down against A")
        for chart in (
            "Overlay of A and B",
            "Residual against A",
            "Level of A",
            "Third-octave",
        ):
            b.find("img", chart)
        b.press("button", "Play")
        b.find("button", "Stop")
        b.keys("d")
        b.until(lambda: b.find("radio", "Residual").get_attribute("aria-checked") == "true")
        b.choose("Raise the residual", "+20 dB")
        b.keys("a")
        # Leaving the residual puts its raise back.
        b.until(lambda: b.find("combobox", "Raise the residual").get_property("value") == "0")
        # B's level by hand: a whole decibel off leaves 20 log10(10^(1/20) - 1), whatever is played.
        b.type("B by hand, over matched", "1", enter=True)
        b.sees("Residual of this excerpt −18.3 dB")
        b.press("button", "as matched")
        b.press("button", "Stop")
        # 1.10 dB, inverted, 65.37 samples late: what meets it in the rig waits for it.
        b.choose("Input of Two sends A to correct", "Merge into Main")
        b.sees(
            "level 0.00 to +1.10 dB; Fader into Main waits: 0.000 ms to 1.362 ms; polarity turned over"
        )
        b.keys("w")
        b.sees("was changed since this test")

        def strip() -> dict:
            rig = Rig.objects.get(name="Two sends", song__is_demo_original=False)
            rails = rig.variants.get(position=0).document["rails"]
            return next(r.get("strip", {}) for r in rails.values() if r["target"] == "main")

        self.wait_for(lambda: strip().get("inverted"), "it is not written")
        self.assertAlmostEqual(strip()["level_db"], 1.1, places=2)
        b.type("Limit", "99", enter=True)
        b.sees("Not passed limit 99 dB down")
        b.choose("Limit counts", "level of the residual")
        b.sees("Passed limit residual at or below −99 dBFS")
        self.no_faults()
        b.press("button", "Test another pair")
        b.find("link", "Open the test of Guitar, print 1.wav against Guitar, through the loop.wav")


class Stems(FilesCase):
    def test_which_stem_of_a_mix_differs_by_keys_on_a_phone(self):
        b = self.browser
        b.size(390, 800)
        self.own_song("cara")
        voice, room = noise(2, seed=5), 0.3 * noise(2, seed=6)
        song = Song.objects.get(title="Own song")
        for name, sound in (
            ("Monday", voice + room), ("Tuesday", 0.8 * (voice + 0.5 * room)),
            ("Voice", voice), ("Room", room),
        ):  # fmt: skip
            clip_in(song, wav_bytes(sound), name)
        b.driver.refresh()
        b.choose("Clip A", "Monday")
        b.choose("Clip B", "Tuesday")
        b.find("checkbox", "A is a mix of stems").send_keys(Keys.SPACE)
        for name in ("Room", "Voice"):
            b.find("checkbox", name).send_keys(Keys.SPACE)
        b.sees("2 given")
        b.press("button", "Run the null test")
        # 0.8 is 1.94 dB, half is 6.02.
        b.sees("B holds less of “Room”", 60)
        b.sees("“Room” −6.02 dB, “Voice” 0.00 dB")
        b.sees("Stems of A Room, Voice")
        b.sees("+6.02 dB")
        b.sees("1.94 dB")
        b.press("button", "Test another pair")
        b.find("checkbox", "A is a mix of stems")
        self.no_faults()


class Why(FilesCase):
    def test_five_causes_their_evidence_and_what_to_set(self):
        b = self.open_demo()
        b.press("link", "Verify")
        b.press("button", "Test Through outboard")
        b.sees("Not the same sound yet: five corrections bring it from", 90)
        b.sees("1.15:1 from −30.5 dBFS, attack 12 ms, release 140 ms")
        b.sees("1.70 dB, where nothing else works")
        b.find("img", "B against A by frequency")
        # By keys: the next cause shows its own evidence, and the ladder's row is marked with it.
        first = b.find("radio", "B is brighter")
        first.send_keys(Keys.ARROW_DOWN)
        b.find("img", "Gain, recovered")
        b.find("img", "Static curve")
        b.keys("c")
        b.sees("Copied 1. Move B earlier by 23.37 samples")
        b.press("radio", "B is late")
        b.find("img", "Overlay of A and B")
        # What each step leaves is heard: matched again, or kept where a filter was fitted.
        for step in ("as delivered", "step 2 leaves", "step 4 leaves"):
            b.press("button", f"Hear what {'is left ' if step == 'as delivered' else ''}{step}")
            b.until(
                lambda s=step: s.removesuffix(" leaves") in b.find("status", "Residual heard").text
            )
            b.find("button", "Stop")
        self.no_faults()


class OwnFiles(FilesCase):
    demo = False

    def long_pair(self) -> None:
        """Five minutes with half a sample between the two, long enough to be caught at work."""
        sound = np.tile(noise(20, 5), (15, 1))
        song = Song.objects.get(title="Own song")
        for name, samples in (("a.wav", sound[1:]), ("b.wav", (sound[1:] + sound[:-1]) / 2)):
            clip_in(song, wav_bytes(samples, "PCM_32"), name)
        self.browser.driver.refresh()
        for letter, name in (("A", "a.wav"), ("B", "b.wav")):
            self.browser.until(lambda n=name: n in self.browser.text())
            self.browser.choose(f"Clip {letter}", name)
            self.browser.find("img", f"Waveform {letter}")

    def test_two_files_of_ones_own_and_nobody_else_sees_them(self):
        b = self.browser
        self.own_song()
        sound = noise(3, 7)
        self.send("A", self.file("first <b>print.wav", sound))
        self.send("B", self.file("second.wav", -sound[2000:] * 0.5))
        b.find("img", "Waveform A")
        b.find("img", "Waveform B")
        b.press("button", "Run the null test")
        b.sees("6.02 dB apart, 2 000 samples early and inverted", 60)
        b.sees("first <b>print.wav")
        result = b.driver.current_url.removeprefix(self.live_server_url)
        song = result.split("/verify")[0]

        other = self.browser = self.new_browser()
        self.own_song("gil")
        Song.objects.filter(owner__username="gil").update(title="Another song")
        other.open(result)
        other.sees("This is not here, or not yours.")
        other.open(song + "/time")
        other.sees("This is not here, or not yours.")
        other.open("/")
        other.find("link", "Another song")
        self.assertNotIn("Own song", other.text())

    def test_files_that_cannot_be_used_say_why_and_lose_nothing(self):
        b = self.browser
        self.own_song("cyd")
        letter = self.folder / "letter.wav"
        letter.write_text("Dear engineer")
        self.send("A", letter)
        b.sees("“letter.wav” is not audio that can be read here")
        cut = self.file("cut.wav", noise(4))
        cut.write_bytes(cut.read_bytes()[: cut.stat().st_size // 2])
        self.send("B", cut)
        b.sees("“cut.wav” stops at 0:02.0: the file says 0:04.0, so 50 % of it is missing.")
        b.press("button", "Use the first 0:02.0")
        b.find("img", "Waveform B")
        self.send("A", self.file("silent.wav", np.zeros((RATE, 2))))
        b.find("img", "Waveform A")
        b.press("button", "Run the null test")
        b.sees("A (“silent.wav”) is silent: there is nothing to compare.")
        b.press("button", "Choose again")
        b.find("img", "Waveform B")

    def test_a_region_is_tested_alone(self):
        b = self.browser
        self.own_song("dee")
        sound = noise(4, 3)
        changed = sound.copy()
        changed[: 2 * RATE] = noise(2, 4)
        self.send("A", self.file("a.wav", sound))
        self.send("B", self.file("b.wav", changed))
        b.find("img", "Waveform A")
        b.find("img", "Waveform B")
        for letter in "AB":
            b.type(f"{letter} from", "2.5 s", enter=True)
            b.type(f"{letter} length", "1 s", enter=True)
        b.find("img", "tested from 0:02.5 to 0:03.5")
        b.press("button", "Run the null test")
        b.sees("Bit-identical: every sample is the same.", 60)

    def test_a_killed_worker_s_test_starts_again_and_finishes(self):
        b = self.browser
        self.own_song("eve")
        self.long_pair()
        b.press("button", "Run the null test")
        self.wait_for(
            lambda: NullTest.objects.filter(status="running", progress__gt=0.05).exists(),
            "never seen running",
        )
        worker = WORKER.ready()
        os.killpg(worker.pid, signal.SIGKILL)
        worker.wait()
        self.assertEqual(NullTest.objects.get().status, "running")
        WORKER.ready()
        b.find("button", "Play", 90)
        test = NullTest.objects.get()
        self.assertEqual((test.status, test.attempt), ("done", 2))

    def test_a_running_test_can_be_cancelled(self):
        b = self.browser
        self.own_song("fay")
        self.long_pair()
        b.press("button", "Run the null test")
        b.press("button", "Cancel the test")
        b.sees("Cancelled. Both clips are kept.")
        self.assertEqual(NullTest.objects.get().status, "cancelled")
