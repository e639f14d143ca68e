"""Space and Blend in the browser: a decay from a gap, ducking, an equal insert, a curve to read."""

from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.rigs.models import Variant
from server.songs.models import Song


class Space(BrowserCase):
    jobs = False

    def test_a_decay_is_taken_from_the_worst_gap_and_sent_to_the_route(self):
        b = self.open_demo(step="Space")
        b.sees("3 of 5 gaps are clear")
        b.sees("Into phrase 5 the tail is 12.6 dB down")
        b.keys("f")
        b.sees("5 of 5 gaps are clear")
        song = Song.objects.get(is_demo_original=False, title="Paper Lighthouse")
        # What is seen at once is sent a moment later.
        self.wait_for(
            lambda: song.refresh_from_db() or song.space["rt60_s"] < 0.9, "the decay was not kept"
        )
        rt60 = song.space["rt60_s"]
        b.press("button", "Set Reverb of Two sends A")
        # Several settings are listed before they are sent.
        listed = b.find("dialog", "Set Reverb of Two sends A").text
        self.assertIn("1.8 s", listed)
        self.assertIn(f"{rt60:.3f}".rstrip("0"), listed)
        b.press("button", "Send 7 to Two sends A")
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
        b.sees("3 of 5 gaps are clear")
        b.press("link", "Ducking")
        b.keys("u")
        b.sees("dB while phrases sound")
        b.choose("way", "the key's envelope taken off the level")
        slider = b.find("slider", "sensitivity")
        slider.send_keys(Keys.END)
        b.driver.execute_script(
            "[...document.querySelectorAll('label')].find((e) => e.innerText.includes('below zero')).click()"
        )
        b.sees("its polarity is turned over")
        b.press("link", "Pre-delay and decay")
        b.press("button", "Clear of the next phrase: use")
        b.find("link", "5 of 5 clear")
        b.press("button", "Source and style: use")
        b.find("link", "3 of 5 clear")
        self.assertEqual(b.faults(), [])

    def test_one_ducking_is_made_like_another_and_kept_and_becomes_a_rig(self):
        b = self.open_demo(step="Space")
        b.sees("3 of 5 gaps are clear")
        b.press("link", "Ducking")
        b.keys("u")
        b.sees("In phrases wet stands")
        b.press("button", "by the envelope")
        b.sees("As near as it comes")
        b.sees("the envelope is full for a tenth of the phrases")
        b.press("button", "Take it")
        song = Song.objects.get(is_demo_original=False, title="Paper Lighthouse")
        self.wait_for(
            lambda: song.refresh_from_db() or (song.space or {}).get("ducking", {}).get("way") == "envelope",
            "the ducking was not kept",
        )  # fmt: skip
        b.press("button", "Make a rig of it and listen")
        b.find("button", "Render")
        made = Variant.objects.get(rig__name="Space: ducked reverb").document
        duck = made["nodes"]["duck"]
        fields = ("way", "sensitivity_percent", "follower_gain_db", "attack_ms")
        self.wait_for(
            lambda: (
                song.refresh_from_db()
                or [duck[f] for f in fields] == [song.space["ducking"][f] for f in fields]
            ),
            "the rig is not what was kept",
        )
        self.assertEqual(made["keys"]["duck"]["tap"], "ways")
        self.assertEqual(b.faults(), [])

    def test_returns_are_read_together_and_their_low_end_is_cut(self):
        b = self.open_demo(step="Space")
        b.sees("Behind Reverb stands Return")
        b.press("link", "Low end together")
        b.sees("lifts the low end by 2.8 dB")
        b.sees("its pre-delay is heard")
        variant = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )
        b.press("button", "Low cut at 150 Hz on Delay")
        b.sees("low cut at 150 Hz. Undo it under Route")
        variant.refresh_from_db()
        cuts = [n for n in variant.document["nodes"].values() if n["kind"] == "filter"]
        self.assertEqual([n["low_cut_hz"] for n in cuts], [150])
        # The early part's own settings go to the same rig's reverb.
        b.press("link", "Early part and tail")
        section = b.find("region", "Early part and tail")
        slider = section.find_element("css selector", "[role=slider][aria-label='cross-talk']")
        slider.send_keys(Keys.END)
        b.press("button", "Set Reverb of Two sends A")
        b.sees("is set to it. Undo it under Route")
        variant.refresh_from_db()
        reverb = next(n for n in variant.document["nodes"].values() if n["kind"] == "reverb")
        self.assertEqual(reverb["early_cross_percent"], 100)
        self.assertEqual(b.faults(), [])

    def test_of_several_reverbs_the_picked_one_is_loaded_and_set(self):
        b = self.open_demo(step="Space")
        variant = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )
        nodes = variant.document["nodes"]
        first = next(n for n in nodes.values() if n["kind"] == "reverb")
        rails = variant.document["rails"]
        behind = rails[f"{first['id']}.0"]
        nodes["plate"] = {
            **first,
            "id": "plate",
            "name": "Plate",
            "rt60_s": 0.7,
            "mix_percent": 100,
        }
        rails["plate.0"], rails[f"{first['id']}.0"] = behind, {"target": "plate"}
        variant.save(update_fields=["document"])
        b.driver.refresh()
        b.choose("reverb", "Plate")
        b.press("button", "Load Plate of Two sends A")
        b.until(lambda: b.find("textbox", "RT60").get_property("value") == "0.7 s", "not loaded")
        b.press("link", "Early part and tail")
        section = b.find("region", "Early part and tail")
        pick = section.find_element("css selector", "select")
        pick.send_keys("Plate")
        section.find_element("css selector", "[role=slider][aria-label='cross-talk']").send_keys(
            Keys.END
        )
        b.press("button", "Set Plate of Two sends A")
        b.sees("Plate is set to it")
        variant.refresh_from_db()
        nodes = variant.document["nodes"]
        self.assertEqual(
            [nodes[n]["early_cross_percent"] for n in ("plate", first["id"])],
            [100, first["early_cross_percent"]],
        )
        self.assertEqual(b.faults(), [])

    def test_two_of_three_give_the_third_and_three_that_contradict_are_said(self):
        b = self.open_demo(step="Space")
        b.press("link", "Fit a length")
        b.sees("An RT60 of 1.25 s fills it.")
        b.press("checkbox", "RT60 1.25")
        b.sees("All three are fixed, and agree.")
        b.keys("f")
        b.sees("All three are fixed and do not agree")
        b.press("checkbox", "pre-delay 1/64")
        b.sees("fills it.")
        b.press("button", "Take it")
        song = Song.objects.get(is_demo_original=False, title="Paper Lighthouse")
        self.wait_for(
            lambda: song.refresh_from_db() or song.space.get("school") == "fits",
            "the pre-delay was not taken",
        )
        self.assertEqual(b.faults(), [])

    def test_a_clip_without_gaps_and_a_decay_beyond_all_say_so(self):
        b = self.open_demo(step="Space")
        b.sees("3 of 5 gaps are clear")
        b.type("RT60", "75 s", enter=True)
        b.sees("75.00 s is no decay that can be computed: 0.05 to 60 s can. 1.25 s is kept.")
        b.sees("3 of 5 gaps are clear")
        b.choose("Clip in hand", "Guitar, print 1.wav")
        b.sees("No gap was found")
        self.assertEqual(b.faults(), [])


class Blend(BrowserCase):
    jobs = False

    def test_an_equal_insert_is_found_and_what_breaks_it_is_said(self):
        b = self.open_demo(step="Blend")
        b.press("link", "The same as one insert")
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
        b.press("link", "Before and after")
        b.sees("Loudness, LUFS")
        b.press("link", "Lift the quiet")
        b.sees("equal shares at")
        # Typed beyond the scale, with its unit; nonsense is said and changes nothing.
        b.type("return, typed", "very loud", enter=True)
        b.sees("“very loud” is no number")
        b.type("return, typed", "+24 dB", enter=True)
        b.type("dry, typed", "6", enter=True)
        b.sees("turn both paths down")
        b.press("button", "Start here")
        b.sees("Quiet sounds gain 6.0 dB")
        b.sees("in force")
        kept = Song.objects.get(is_demo_original=False, title="Paper Lighthouse")
        self.wait_for(
            lambda: (
                kept.refresh_from_db()
                or (kept.blend or {}).get("parallel", {}).get("threshold_db") == -44
            ),
            "not kept",
        )
        self.assertEqual(kept.blend["school"], "quiet")
        self.assertEqual(b.faults(), [])

    def test_a_compression_becomes_a_rig_to_listen_to(self):
        b = self.open_demo(step="Blend")
        b.sees("Quiet sounds gain 4.6 dB")
        b.press("button", "Make a rig of it and listen")
        b.find("button", "Render")
        rig = Variant.objects.get(rig__name="Blend: dry and compressed").document
        self.assertEqual(rig["nodes"]["squash"]["threshold_db"], -34)
        levels = {port: rail["strip"]["level_db"] for port, rail in rig["rails"].items()}
        self.assertEqual(levels["ways.1"], -3)
        self.assertEqual(b.faults(), [])

    def test_an_insert_goes_back_to_a_pair_and_levels_are_made_fair(self):
        b = self.open_demo(step="Blend")
        b.press("link", "Back to a pair")
        b.sees("Dry at \u22124.44 dB beside wet at \u22127.96 dB sounds the same")
        b.find("slider", "device on the new path").send_keys(Keys.HOME)
        b.sees("Impossible. The device on the path stands at 0 %")
        b.press("link", "Along the course")
        b.sees("Main passes its ceiling by 1.7 dB")
        b.press("button", "Make Compressor and Drive of Two sends A as loud after as before")
        b.press("button", "Send 2 to Two sends A")
        b.sees("as loud after as before. Undo it under Route")
        nodes = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        ).document["nodes"].values()  # fmt: skip
        drive = next(n for n in nodes if n["kind"] == "drive")
        self.assertAlmostEqual(drive["output_db"], -4.8, delta=0.05)
        b.press("link", "One side later")
        b.press("button", "Make a rig of it")
        b.find("button", "Render")
        made = Variant.objects.get(rig__name="Blend: later side").document["nodes"]["later"]
        self.assertEqual((made["side"], made["time"]), ("right", "12 ms"))
        self.assertEqual(b.faults(), [])
