"""Space and Blend in the browser: a decay from a gap, ducking, an equal insert, a curve to read."""

from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.rigs.models import Variant
from server.songs.models import Song


class Space(BrowserCase):
    jobs = False

    def test_a_decay_is_taken_from_the_worst_gap_and_sent_to_the_route(self):
        b = self.open_demo(step="Space")
        b.sees("gaps clear 3 of 5")
        b.sees("Caution. When phrase 5 enters")
        b.keys("f")
        b.sees("gaps clear 5 of 5")
        song = Song.objects.get(is_demo_original=False, title="Paper Lighthouse")
        # What is seen at once is sent a moment later.
        self.wait_for(
            lambda: song.refresh_from_db() or song.space["rt60_s"] < 0.9, "the decay was not kept"
        )
        rt60 = song.space["rt60_s"]
        b.press("button", "to the route")
        b.sees("is set to it")
        variant = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )
        reverb = next(n for n in variant.document["nodes"].values() if n["kind"] == "reverb")
        self.assertEqual((reverb["rt60_s"], reverb["pre_delay"]), (rt60, "1/64"))
        # The decay by octave goes along, as it is drawn.
        self.assertAlmostEqual(reverb["rt60_4000_s"] / rt60, 0.6, delta=0.002)
        self.assertEqual(b.faults(), [])

    def test_ducking_is_run_on_the_clip_and_a_school_is_taken(self):
        b = self.open_demo(step="Space")
        b.sees("gaps clear 3 of 5")
        b.keys("k")
        b.sees("dB while phrases sound")
        b.choose("way", "the key's envelope taken off the level")
        slider = b.find("slider", "duck")
        slider.send_keys(Keys.END)
        b.driver.execute_script(
            "[...document.querySelectorAll('label')].find((e) => e.innerText.includes('below zero')).click()"
        )
        b.sees("its polarity is turned over")
        b.press("button", "Clear of the next phrase: use")
        b.sees("gaps clear 5 of 5")
        b.press("button", "Source and style: use")
        b.sees("gaps clear 3 of 5")
        self.assertEqual(b.faults(), [])

    def test_a_clip_without_gaps_says_so(self):
        b = self.open_demo(step="Space")
        b.sees("gaps clear 3 of 5")
        b.choose("clip", "Guitar, print 1.wav")
        b.sees("No gap was found")
        self.assertEqual(b.faults(), [])


class Blend(BrowserCase):
    jobs = False

    def test_an_equal_insert_is_found_and_what_breaks_it_is_said(self):
        b = self.open_demo(step="Blend")
        b.sees("An insert at 42.9 % with a trim of +4.86 dB")
        b.sees("\u221245.9")
        b.press("button", "Full at the centre")
        b.find("img", "Full at the centre")
        b.choose("wet comes later by", "2 ms")
        b.sees("There is no equal insert: wet comes 2 ms later than dry")
        self.assertEqual(b.faults(), [])

    def test_a_parallel_compression_is_read_from_its_curve_on_the_clip(self):
        b = self.open_demo(step="Blend")
        b.sees("Quiet sounds gain 4.6 dB")
        b.sees("Loudness, LUFS")
        b.find("slider", "return").send_keys(Keys.END)
        b.sees("equal shares at")
        b.sees("turn both paths down")
        b.press("button", "Start here")
        b.sees("Quiet sounds gain 6.0 dB")
        b.sees("in force")
        kept = Song.objects.get(is_demo_original=False, title="Paper Lighthouse")
        self.wait_for(
            lambda: kept.refresh_from_db() or (kept.blend or {}).get("threshold_db") == -44,
            "not kept",
        )
        self.assertEqual(b.faults(), [])

    def test_a_compression_becomes_a_rig_to_listen_to(self):
        b = self.open_demo(step="Blend")
        b.sees("Quiet sounds gain 4.6 dB")
        b.press("button", "Make a rig of it and listen")
        b.find("button", "Render")
        rig = Variant.objects.get(rig__name="Parallel compression").document
        self.assertEqual(rig["nodes"]["squash"]["threshold_db"], -34)
        levels = {port: rail["strip"]["level_db"] for port, rail in rig["rails"].items()}
        self.assertEqual(levels["ways.1"], -3)
        self.assertEqual(b.faults(), [])
