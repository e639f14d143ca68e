"""Route in the browser: a rig built by keyboard, its checks and fixes, undo, variants, notation."""

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.rigs.models import Variant
from server.songs.models import Song


class Route(BrowserCase):
    jobs = False

    def document(self, letter: int = 0) -> dict:
        """The stored rig of the song that was made last."""
        song = Song.objects.filter(is_demo_original=False).latest("created_at")
        return Variant.objects.get(rig__song=song, position=letter).document

    def keys(self, *keys: str) -> None:
        chain = ActionChains(self.browser.driver)
        for key in keys:
            chain.send_keys(key)
        chain.perform()

    def insert(self, key: str, letters: str) -> None:
        """Press a key, type a few letters of a kind, take it with Enter."""
        b = self.browser
        self.keys(key)
        b.find("dialog", "")
        self.keys(letters, Keys.ENTER)
        b.until(lambda: b.look("dialog", "") is None)

    def board(self) -> str:
        return " ".join(self.browser.find("region", "Arrivals").text.replace("\u202f", " ").split())

    def selected(self) -> str:
        return self.browser.driver.execute_script(
            "return document.querySelector('[data-stage][aria-checked=true]')?.dataset.stage"
        )

    def new_song(self) -> None:
        b = self.open_demo(step="Route")
        b.press("link", "Fonodrome, all songs")
        b.type("Name", "Harbour Bell")
        b.press("button", "Make “Harbour Bell”")
        b.find("button", "Begin with a bare rail")

    def test_a_send_and_return_built_from_nothing_by_keyboard(self):
        b = self.browser
        self.new_song()
        b.find("button", "Begin with a bare rail").send_keys(Keys.ENTER)
        source = b.find("radio", "Source")
        source.send_keys(Keys.ENTER)
        b.driver.execute_script("document.activeElement.blur()")
        source.click()
        self.insert("i", "fader")
        b.find("radio", "Fader, ")
        b.until(lambda: "fader1" in self.document()["nodes"])
        self.insert("e", "reverb")
        b.find("radio", "Reverb, 1.8 s")
        b.sees("first wet sound")
        self.assertNotIn("Dry leak", self.board())
        # The device's own mix is left at 40 %: the check speaks, and the board shows the leak.
        reverb = b.find("radio", "Reverb, 1.8 s")
        reverb.click()
        self.keys(Keys.ENTER)
        b.type("mix", "40", enter=True)
        b.sees("Reverb on this return is 40 % wet")
        b.until(lambda: "Dry leak inside Reverb −10.4" in self.board(), self.board())
        self.assertIn("Reverb first wet sound −14.0 20.00", self.board())
        b.driver.execute_script("document.activeElement.blur()")
        self.keys("f")
        b.until(lambda: "Dry leak" not in self.board())
        b.until(lambda: "Reverb first wet sound −6.0" in self.board())
        self.assertEqual(self.document()["nodes"]["reverb1"]["mix_percent"], 100)
        self.keys("z")
        b.until(lambda: "Dry leak" in self.board())
        self.no_faults()

    def test_the_demo_rig_says_what_is_wrong_and_mends_it(self):
        b = self.open_demo(step="Route")
        b.until(lambda: "Dry leak inside Reverb −5.7↕ 4.06 + 0" in self.board(), self.board())
        b.sees("cuts a notch at 185 Hz")
        b.sees("loop gain −3.2 dB. It takes 19 laps to die away")
        b.press("button", "Set to 100 % wet")
        b.until(lambda: "Dry leak" not in self.board())
        b.sees("no comb")
        b.press("button", "Undo")
        b.until(lambda: "Dry leak" in self.board())
        self.keys("k")
        b.sees("1 marked as intended")
        b.driver.execute_script(
            "[...document.querySelectorAll('[aria-label=Checks] details')].at(-1).open = true"
        )
        b.type("Reason for parallel-not-wet", "slap, on purpose", enter=True)
        self.wait_for(
            lambda: any(
                i["reason"] == "slap, on purpose"
                for v in Variant.objects.filter(rig__song__is_demo_original=False)
                for i in v.document["intended"]
            ),
            "reason not kept",
        )
        self.no_faults()

    def test_stages_move_and_are_copied_by_keyboard(self):
        b = self.open_demo(step="Route")
        stage = b.find("radio", "Compressor")
        stage.click()
        stage.send_keys(Keys.ARROW_RIGHT)
        b.until(lambda: b.find("radio", "Drive").get_attribute("aria-checked") == "true")
        variant = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )

        def rails():
            return Variant.objects.get(pk=variant.pk).document["rails"]

        ActionChains(b.driver).key_down(Keys.SHIFT).send_keys(Keys.ARROW_LEFT).key_up(
            Keys.SHIFT
        ).perform()
        self.wait_for(lambda: rails()["guitar.0"]["target"] == "drive1", "not moved")
        self.keys("b")
        b.find("radio", "Drive, bypassed")
        self.keys("c")
        b.sees("Drive copied")
        self.keys("v")
        b.until(lambda: self.selected() == "drive2")
        self.assertEqual(rails()["drive1.0"]["target"], "drive2")
        self.keys(Keys.DELETE)
        self.wait_for(lambda: rails()["drive1.0"]["target"] == "squeeze", "not deleted")
        self.no_faults()

    def test_runs_fold_and_one_part_can_be_drawn_alone(self):
        b = self.open_demo(step="Route")
        b.find("radio", "Drive").click()
        self.keys("o")
        b.find("radio", "3 stages")
        b.until(lambda: b.look("radio", "Drive") is None)
        b.sees("1 folded.")
        b.press("button", "Draw all")
        b.find("radio", "Drive")
        b.find("radio", "Clarinet").click()
        self.keys("q")
        b.sees("Only what belongs to Clarinet is drawn.")
        b.until(lambda: b.look("radio", "Reverb") is None)
        self.keys("q")
        b.find("radio", "Reverb")
        self.no_faults()

    def test_variants_have_keys_and_say_what_differs(self):
        b = self.open_demo(step="Route")
        b.sees("B Delay into reverb")
        self.keys("3")
        third = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=2
        )
        song = Song.objects.get(pk=third.rig.song_id)
        self.wait_for(
            lambda: song.refresh_from_db() or song.hand.get("variant") == str(third.pk),
            "it is not kept what is in hand",
        )
        # In every step, and after a reload.
        for step in ("Space", "Listen"):
            b.press("link", step)
            b.until(lambda: "C" in b.find("combobox", "Variant").text, step)
        b.driver.refresh()
        b.find("region", "By ear alone")
        chosen = b.find("combobox", "Variant").get_property("value")
        self.assertEqual(chosen, str(third.pk))
        b.press("link", "Route")
        b.press("button", "Copy to a new variant")
        b.sees("Variant D is a copy to change.")

    def test_the_rig_in_writing_and_in_the_drawing_stay_in_step(self):
        b = self.open_demo(step="Route")
        b.press("tab", "In writing")
        area = b.find("textbox", "Notation")
        text = area.get_attribute("value")
        self.assertIn("hall: reverb (pre-delay 1/64", text)
        self.write(area, text.replace("mix 27 %", "mix 55 %"))
        b.press("button", "Draw what is written")
        b.find("radio", "Reverb, 55 % wet")
        self.write(b.find("textbox", "Notation"), "guitar: source > revreb")
        b.press("button", "Draw what is written")
        b.sees("Line 1: “revreb” is not known. Did you mean reverb?")
        self.assertEqual(
            b.find("textbox", "Notation").get_attribute("value"), "guitar: source > revreb"
        )
        b.find("radio", "Reverb, 55 % wet")

    def write(self, area, text: str) -> None:
        area.send_keys(Keys.CONTROL, "a")
        area.send_keys(text)

    def test_tables_of_controls_sends_and_cables(self):
        b = self.open_demo(step="Route")
        b.press("tab", "What moves what")
        b.sees("Guitar: dry leak")
        b.press("tab", "Scenes")
        b.sees("Last chorus")
        b.press("tab", "Patch sheet")
        b.sees("Save as CSV")
        b.press("link", "Fonodrome, all songs")
        b.press("link", "Nine Lanterns")
        b.find("radio", "Plate")
        b.press("tab", "Send levels")
        b.type("Send from Clarinet to Plate bus", "-3", enter=True)
        b.find("radio", "Send, −3.0 dB")
        b.sees("Outboard compressor (processed beside the dry rail) is 2.71 ms late")
        b.press("button", "Delay the early rail by 2.71 ms")
        b.until(lambda: "Outboard compressor (processed" not in b.text())

    def test_edits_made_offline_wait_and_go_out_once(self):
        b = self.open_demo(step="Route")
        variant = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )
        b.driver.execute_cdp_cmd("Network.enable", {})
        b.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": ["*/edits"]})
        b.press("button", "Set to 100 % wet")
        b.sees("1 edit waits")
        b.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": []})
        b.driver.refresh()
        self.wait_for(
            lambda: (
                Variant.objects.get(pk=variant.pk).document["nodes"]["hall"]["mix_percent"] == 100
            ),
            "never sent",
        )
        self.assertEqual(variant.edits.count(), 1)

    def test_scenes_frames_keys_and_paths_are_set_without_the_notation(self):
        b = self.open_demo(step="Route")
        variant = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )

        def stored():
            variant.refresh_from_db()
            return variant.document

        b.find("radio", "Reverb").click()
        b.press("tab", "Scenes")
        b.press("button", "Add a scene")
        b.choose("Reverb in Scene 3", "off")
        self.wait_for(
            lambda: [s["off"] for s in stored()["scenes"]] == [["echo"], [], ["hall"]],
            "scene not stored",
        )
        b.sees("Reverb goes")
        # What arrives is a button: it keeps the path lit and says what it counts as.
        b.press("button", "Dry leak")
        b.choose("Its delay is", "intended: left alone")
        self.wait_for(
            lambda: stored()["nodes"]["hall"].get("delay_is") == "intended", "path not marked"
        )
        b.press("tab", "Settings")
        b.find("radio", "Compressor").click()
        b.choose("Keyed by", "Drive")
        self.wait_for(
            lambda: stored()["keys"].get("squeeze", {}).get("tap") == "drive1", "key not stored"
        )
        b.choose("tapped", "before it")
        self.wait_for(
            lambda: stored()["keys"].get("squeeze", {}).get("at") == "in", "tap not stored"
        )
        self.no_faults()

    def test_a_frame_is_filled_ordered_and_halved_and_a_run_is_copied(self):
        b = self.open_demo(step="Route")
        b.choose("Rig", "A new rig …")
        b.press("button", "Begin with Insert frame")
        b.find("radio", "Insert frame").click()
        b.choose("Slot D", "Delay")
        b.find("radio", "Insert frame, ABCD")
        order = b.find("textbox", "Slots in the order they run")
        order.send_keys(Keys.CONTROL + "a")
        order.send_keys("DBA", Keys.ENTER)
        b.find("radio", "Insert frame, DBA")
        b.choose("Half that is heard", "its first half")
        nodes = self.document_of("Insert frame")["nodes"]
        self.wait_for(
            lambda: self.document_of("Insert frame")["nodes"]["frame1"]["half"] == "first",
            f"not halved: {nodes}",
        )
        b.choose("Rig", "Two sends")
        b.find("radio", "Drive").click()
        self.keys("x")
        b.find("button", "Unmark the run")
        b.find("radio", "Compressor").click()
        b.press("button", "Copy 2")
        b.sees("2 parts copied")
        b.choose("Rig", "Insert frame")
        b.find("radio", "Insert frame").click()
        self.keys("v")
        b.find("radio", "Compressor")
        b.find("radio", "Drive")
        self.no_faults()

    def document_of(self, rig: str) -> dict:
        return Variant.objects.get(
            rig__song__is_demo_original=False, rig__name=rig, position=0
        ).document
