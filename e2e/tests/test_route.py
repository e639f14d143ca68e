"""Route in the browser: a rig built by keyboard, its checks and fixes, undo, variants, notation."""

from uuid import uuid4

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from benchmarks.rigs import studio
from core.routing import format_rig
from core.routing.edit.actions import Set
from e2e.base import BrowserCase
from server.rigs.models import Variant
from server.rigs.services import create_rig, edit_variant
from server.songs.models import Song


class Route(BrowserCase):
    jobs = False

    def document(self, letter: int = 0) -> dict:
        """The stored rig of the song that was made last."""
        song = Song.objects.filter(is_demo_original=False).latest("created_at")
        return Variant.objects.get(rig__song=song, position=letter).document

    def song(self) -> Song:
        return Song.objects.get(is_demo_original=False, title="Paper Lighthouse")

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
        b.press("radio", "Source")
        self.insert("i", "fader")
        b.find("radio", "Fader, ")
        b.until(lambda: "fader1" in self.document()["nodes"])
        self.insert("e", "reverb")
        b.find("button", "Lay the rail to a")
        self.keys(Keys.ENTER)
        b.find("radio", "Reverb, 1.8 s")
        b.sees("first wet sound")
        self.assertNotIn("Dry leak", self.board())
        # The device's own mix is left at 40 %: the check speaks, and the board shows the leak.
        reverb = b.find("radio", "Reverb, 1.8 s")
        reverb.click()
        self.keys(Keys.ENTER)
        b.type("Mix, typed", "40", enter=True)
        b.sees("Reverb on this return is 40 % wet")
        b.until(lambda: "Dry leak inside Reverb −10.4" in self.board(), self.board())
        # Where it stood before the change is written beside it.
        self.assertIn("Reverb first wet sound −14.0 before −6.0 20.00", self.board())
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
        b.type("Why it is meant", "slap", enter=True)
        b.press("tab", "Checks")
        b.sees("1 marked as intended")
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
        self.keys("p")
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
        self.keys("h")
        b.find("radio", "3 stages folded")
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
        b.press("tab", "Variants 3")
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
        b.press("tab", "Variants 3")
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
        b.sees("Reverb, of Guitar goes")
        # What arrives is a button: it keeps the path lit and says what it counts as.
        b.press("button", "Dry leak")
        b.choose("Its delay is", "intended: left alone")
        self.wait_for(
            lambda: stored()["nodes"]["hall"].get("delay_is") == "intended", "path not marked"
        )
        b.press("radio", "Compressor")
        b.choose("Keyed by", "Drive")
        self.wait_for(
            lambda: stored()["keys"].get("squeeze", {}).get("tap") == "drive1", "key not stored"
        )
        b.choose("tapped", "before it")
        self.wait_for(
            lambda: stored()["keys"].get("squeeze", {}).get("at") == "in", "tap not stored"
        )
        self.no_faults()

    def test_a_marked_run_is_copied_into_another_rig(self):
        b = self.open_demo(step="Route")
        b.choose("Rig", "A new rig …")
        b.press("button", "Begin with Sidings")
        b.press("radio", "Sidings, calls")
        b.choose("Rig", "Two sends")
        b.press("radio", "Drive")
        self.keys("x")
        b.press("radio", "Compressor")
        b.press("button", "15 more")
        b.press("button", "Copy 2")
        b.sees("2 parts copied")
        b.choose("Rig", "Sidings")
        b.press("radio", "Sidings, calls")
        self.keys("v")
        b.find("radio", "Compressor")
        b.find("radio", "Drive")
        self.wait_for(
            lambda: self.document_of("Sidings")["rails"]["frame1.0"]["target"] == "squeeze",
            "not pasted behind it",
        )
        self.no_faults()

    def test_settings_and_arrivals_are_in_view_with_the_stage(self):
        b = self.open_demo(step="Route")
        b.press("radio", "Reverb")
        b.find("slider", "Mix")
        script = """
        const box = (e) => e.getBoundingClientRect();
        const foot = box(document.querySelector('[aria-label=Next]')).top;
        const rows = [...document.querySelectorAll('[data-setting]')].map(box);
        const paths = [...document.querySelectorAll('[aria-label=Arrivals] tbody tr')].map(box);
        return [box(document.querySelector('[data-stage=hall]')).bottom < foot,
          rows.filter((r) => r.bottom <= foot + 1).length, rows.length,
          paths.filter((r) => r.bottom <= foot + 1).length];
        """
        stage, seen, rows, paths = b.driver.execute_script(script)
        self.assertTrue(stage)
        self.assertEqual((seen, rows), (5, 5))
        self.assertGreaterEqual(paths, 3)

    def test_a_scale_moves_what_arrives_and_is_put_back(self):
        b = self.open_demo(step="Route")
        b.press("radio", "Reverb")
        mix = b.find("slider", "Mix")
        mix.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
        # 25 % of the reverb: 20 log 0.25 against the return's -3 dB and dry, by hand -15.0.
        b.until(lambda: "−15.1" in self.board() or "−15.0" in self.board(), self.board())
        self.wait_for(
            lambda: self.document_of("Two sends")["nodes"]["hall"]["mix_percent"] == 25, "not kept"
        )
        b.press("button", "Mix back to 27 %")
        self.wait_for(
            lambda: self.document_of("Two sends")["nodes"]["hall"]["mix_percent"] == 27, "not back"
        )
        # Nothing that is typed wrong moves anything; it is said at its field.
        for words, said in (("12 Hz", "not in %"), ("140", "cannot be set"), ("soon", "no number")):
            b.type("Mix, typed", words, enter=True)
            b.until(lambda said=said: said in b.find("alert", "").text, said)
        self.assertEqual(self.document_of("Two sends")["nodes"]["hall"]["mix_percent"], 27)
        b.type("Mix, typed", "-6 dB", enter=True)
        self.wait_for(
            lambda: abs(self.document_of("Two sends")["nodes"]["hall"]["mix_percent"] - 50.1) < 0.1,
            "gain",
        )
        # What is other than at rest is marked, listed, and put back in one press.
        b.press("button", "Changed")
        b.sees("pre-delay rests at 20 ms")
        b.press("button", "Mix: back to 100 %")
        self.wait_for(
            lambda: self.document_of("Two sends")["nodes"]["hall"]["mix_percent"] == 100,
            "not at rest",
        )
        b.press("button", "Find")
        b.type("Find a setting", "early pan")
        b.find("slider", "Early pan")
        self.no_faults()

    def test_a_strip_is_come_to_by_arrows_and_set(self):
        b = self.open_demo(step="Route")
        b.press("radio", "Return, −3.0 dB")
        self.keys(Keys.ARROW_RIGHT)
        b.until(lambda: self.selected() == "back2.0", self.selected())
        self.keys(Keys.ENTER)
        b.type("Delay, typed", "0.002 s", enter=True)
        b.type("Pan, typed", "-40", enter=True)
        self.wait_for(
            lambda: (
                [
                    self.document_of("Two sends")["rails"]["back2.0"]["strip"][f]
                    for f in ("delay_ms", "pan_percent")
                ]
                == [2, -40]
            ),
            "strip not set",
        )
        b.find("radio", "Rail into Merge from Return, L40, +2 ms")
        self.no_faults()

    def test_an_alarm_is_kept_by_a_second_press_and_with_a_reason(self):
        b = self.open_demo(step="Route")
        song = self.song()
        rig = "g: source (level -6 dB) > b: bus > l: level > s: split > o: output\ns > back: level (level {} dB) > b"
        create_rig(song, "Round", None, rig.format(0))
        b.driver.refresh()
        b.choose("Rig", "Round")
        b.sees("Alarm.")
        b.press("button", "Keep it")
        b.press("button", "It is meant")
        b.sees("Once more, if it is meant")
        self.assertEqual(self.document_of("Round")["intended"], [])
        b.type("Why it is meant", "a siren", enter=True)
        self.wait_for(
            lambda: [i["reason"] for i in self.document_of("Round")["intended"]] == ["a siren"],
            "not kept",
        )
        b.sees("1 marked as intended")
        self.no_faults()

    def test_a_place_to_land_says_what_it_does_and_why_not(self):
        b = self.open_demo(step="Route")
        b.press("radio", "Drive")
        self.keys("b")
        b.find("region", "Where it lands")
        b.until(lambda: "Right after Drive" in b.text() and "Main" in b.text())
        b.sees("closes a loop, loop gain")
        before = self.document_of("Two sends")
        stages = len(b.driver.find_elements(By.CSS_SELECTOR, "[data-stage]"))
        self.keys(Keys.ARROW_DOWN)
        b.find("button", "Lay the rail to b")
        self.keys(Keys.ARROW_LEFT)
        b.sees("leaves behind Guitar")
        self.keys(Keys.ESCAPE)
        b.until(lambda: b.look("region", "Where it lands") is None)
        self.assertEqual(self.document_of("Two sends"), before)
        b.until(lambda: len(b.driver.find_elements(By.CSS_SELECTOR, "[data-stage]")) <= stages)
        self.assertEqual(self.selected(), "drive1")
        self.no_faults()

    def test_two_hands_on_one_rig_keep_both_changes(self):
        b = self.open_demo(step="Route")
        variant = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )
        b.press("radio", "Drive")
        edit_variant(
            variant.rig.song.owner, variant.pk,
            Set(node="hall", values={"name": "Chapel"}), variant.revision, uuid4(),
        )  # fmt: skip
        self.insert("i", "tremolo")
        self.wait_for(lambda: "tremolo1" in self.document_of("Two sends")["nodes"], "not inserted")
        self.assertEqual(self.document_of("Two sends")["nodes"]["hall"]["name"], "Chapel")
        b.find("radio", "Chapel")
        self.no_faults()

    def test_a_long_course_fits_its_sheet_as_it_is_drawn(self):
        """Of what the browser draws: no words over other words, none outside the sheet."""
        b = self.open_demo(step="Route")
        create_rig(self.song(), "Studio", None, format_rig(studio(1)))
        b.driver.refresh()
        b.choose("Rig", "Studio")
        b.find("radio", "Rail into Output")
        script = """
        const svg = document.querySelector('svg[data-closeness]');
        const sheet = svg.getBoundingClientRect();
        const words = [...svg.querySelectorAll('[role=radiogroup] text, .none')]
          .filter((t) => t.textContent.trim())
          .map((t) => [t.textContent, t.getBoundingClientRect()]);
        const bad = [];
        for (const [text, r] of words)
          if (r.left < sheet.left - 1 || r.right > sheet.right + 1 || r.top < sheet.top - 1) bad.push(text);
        for (let i = 0; i < words.length; i++)
          for (let j = i + 1; j < words.length; j++) {
            const [a, p] = words[i], [c, q] = words[j];
            if (p.left < q.right - 1 && q.left < p.right - 1 && p.top < q.bottom - 4 && q.top < p.bottom - 4)
              bad.push(`${a} over ${c}`);
          }
        return [words.length, bad, document.documentElement.scrollWidth - innerWidth];
        """
        for width in (1280, 1600, 390):
            b.size(width, 800)
            if width == 390:
                b.press("button", "As a plan")
            b.find("radio", "Rail into Output")
            with self.subTest(width=width):
                count, bad, over = b.driver.execute_script(script)
                self.assertGreater(count, 40)
                self.assertEqual(bad, [])
                self.assertLessEqual(over, 0)
        self.no_faults()

    def document_of(self, rig: str) -> dict:
        return Variant.objects.get(
            rig__song__is_demo_original=False, rig__name=rig, position=0
        ).document
