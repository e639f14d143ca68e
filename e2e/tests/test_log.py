"""The log in the browser: what was done writes itself down, is noted, found and opened again."""

from pathlib import Path
from tempfile import TemporaryDirectory

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.log.models import NotePicture
from server.log.services import write
from server.songs.models import Song
from server.testing import clip_in, noise, picture_bytes, wav_bytes


class Log(BrowserCase):
    def test_by_keys_from_a_test_to_its_line_and_back(self):
        b = self.open_demo()
        song = Song.objects.get(title="Paper Lighthouse", is_demo_original=False)
        sound = noise(1)
        clip_in(song, wav_bytes(sound), "Monday")
        clip_in(song, wav_bytes(0.5 * sound), "Tuesday")
        b.press("link", "Log")
        b.sees("Nothing yet.")
        b.driver.refresh()
        b.press("link", "Verify")
        b.choose("Clip A", "Monday")
        b.choose("Clip B", "Tuesday")
        b.press("button", "Run the null test")
        b.sees("6.02 dB", 60)
        result = b.driver.current_url
        # The step says so at once, without being opened.
        b.find("link", "Log 1 entry")
        b.press("link", "Log")
        b.sees("Monday against Tuesday")
        b.sees("1 entry, newest first")
        b.driver.execute_script("document.activeElement.blur()")
        b.keys("n")
        field = b.driver.switch_to.active_element
        field.send_keys("Tuesday was at half level", Keys.ENTER, "<b>the fader</b> was down")
        field.send_keys(Keys.CONTROL, Keys.ENTER)
        b.sees("2 entries, newest first")
        b.sees("<b>the fader</b> was down")
        self.assertEqual(b.find("textbox", "A note of your own").get_property("value"), "")
        b.driver.execute_script("document.activeElement.blur()")
        b.keys("/")
        # The key that leads into the field is not typed into it.
        self.assertEqual(b.driver.switch_to.active_element.get_property("value"), "")
        b.driver.switch_to.active_element.send_keys("FADER down")
        b.sees("1 entry, newest first")
        self.assertNotIn("Monday against", b.text())
        b.driver.switch_to.active_element.send_keys(Keys.CONTROL, "a", Keys.NULL, "no such word")
        b.sees("Nothing of that is in the log.")
        b.driver.switch_to.active_element.send_keys(Keys.CONTROL, "a", Keys.NULL, Keys.DELETE)
        b.press("button", "Verify 1")
        b.sees("1 entry, newest first")
        b.find("link", "Open Monday against Tuesday").send_keys(Keys.ENTER)
        b.sees("6.02 dB", 30)
        self.assertEqual(b.driver.current_url, result)
        self.no_faults()

    def test_a_line_opens_what_was_in_hand_and_two_are_held_against_each_other(self):
        b = self.open_demo(step="Route")
        song = Song.objects.get(title="Paper Lighthouse", is_demo_original=False)
        variant = song.rigs.order_by("position")[1].variants.first()
        write(song.pk, "verify", "null test", "Cable one", number="−39.5 dB")
        write(song.pk, "verify", "null test", "Cable two", number="−97.0 dB")
        write(
            song.pk, "route", "decision", "Meant", place="route", hand={"variant": str(variant.pk)}
        )
        b.find("radio", "Reverb")
        b.press("link", "Log")
        b.press("button", "Compare Cable one")
        b.sees("Choose a second one")
        b.find("button", "Compare Cable two").send_keys(Keys.ENTER)
        b.sees("−39.5 dB → −97.0 dB: −57.5 dB")
        b.press("button", "Put away")
        b.find("link", "Open Meant").send_keys(Keys.ENTER)
        # The other rig is in hand now.
        b.find("radio", "Clarinet gives way")
        self.no_faults()

    def test_pictures_go_with_a_note_and_are_looked_at_by_pointer_keys_and_on_a_phone(self):
        b = self.open_demo()
        folder = Path(self.enterContext(TemporaryDirectory()))
        photo = folder / "desk.jpg"
        photo.write_bytes(picture_bytes((3000, 1500), "JPEG"))
        drawn, noise_file = folder / "plan.png", folder / "take.wav"
        drawn.write_bytes(picture_bytes((300, 200)))
        noise_file.write_bytes(wav_bytes(noise(0.1)))
        b.press("link", "Log")
        b.find("button", "Add pictures")
        picker = b.driver.find_element(By.CSS_SELECTOR, "[aria-label='Pictures of the note']")
        picker.send_keys("\n".join(map(str, (photo, noise_file, drawn))))
        b.sees("“take.wav” is no picture.")
        b.find("button", "Leave out plan.png")
        b.press("button", "Leave out desk.jpg")
        picker.send_keys(str(photo))
        b.find("button", "Leave out desk.jpg")
        b.type("A note of your own", "As it stood on the desk")
        # One that is no picture whatever it is called: nothing is lost.
        false = folder / "false.png"
        false.write_bytes(b"no picture")
        picker.send_keys(str(false))
        b.find("button", "Leave out false.png")
        b.press("button", "Write it down")
        b.sees("no picture that can be opened")
        b.sees("What you wrote is still here.")
        b.press("button", "Leave out false.png")
        b.press("button", "Write it down")
        b.sees("1 entry, newest first")
        self.assertIsNone(b.look("button", "Leave out plan.png"))
        rows = NotePicture.objects.order_by("place")
        self.assertEqual(
            [(p.kind, p.width, p.height) for p in rows], [("png", 300, 200), ("jpeg", 2048, 1024)]
        )
        small = b.driver.find_elements(By.CSS_SELECTOR, "li img")
        self.assertEqual(
            [i.get_attribute("alt") for i in small],
            ["Picture 1 of 2: As it stood on the desk", "Picture 2 of 2: As it stood on the desk"],
        )
        wait = "return [...document.images].every((i) => i.complete && i.naturalWidth > 0)"
        b.until(lambda: b.driver.execute_script(wait), "every picture is there")
        # By keys: open, turn, close, and back where it was.
        b.driver.execute_script("arguments[0].parentElement.focus()", small[0])
        b.driver.switch_to.active_element.send_keys(Keys.ENTER)
        dialog = b.find("dialog", "As it stood on the desk")
        b.sees("1 of 2")
        b.driver.switch_to.active_element.send_keys(Keys.ARROW_RIGHT)
        b.sees("2 of 2")
        b.until(lambda: b.driver.execute_script(wait), "the large one is there")
        large = dialog.find_element(By.TAG_NAME, "img")
        self.assertEqual(large.get_property("naturalWidth"), 2048)
        b.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
        b.until(lambda: b.look("dialog", "As it stood") is None)
        self.assertEqual(
            b.driver.switch_to.active_element,
            b.driver.find_elements(By.CSS_SELECTOR, "li button")[0],
        )
        b.size(390, 844)
        self.assertLessEqual(
            b.driver.execute_script("return document.documentElement.scrollWidth"), 390
        )
        seen = b.driver.find_elements(By.CSS_SELECTOR, "li img")[1]
        b.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", seen)
        seen.click()
        dialog = b.find("dialog", "As it stood on the desk")
        box = dialog.find_element(By.TAG_NAME, "img").rect
        self.assertLessEqual(box["x"] + box["width"], 390)
        b.press("button", "Close")
        self.no_faults()

    def test_hundreds_of_lines_on_a_phone(self):
        b = self.open_demo()
        song = Song.objects.get(title="Paper Lighthouse", is_demo_original=False)
        for k in range(120):
            write(song.pk, "verify", "measurement", f"Line {k} " + "w" * 120, number=f"{k} dB")
        b.size(390, 844)
        b.press("link", "Log")
        b.sees("50 of 120 entries")
        b.press("button", "Older ones")
        b.sees("100 of 120 entries")
        b.press("button", "Older ones")
        b.sees("120 entries")
        self.assertIsNone(b.look("button", "Older ones"))
        self.assertIn("Line 0 w", b.text())
        wide = b.driver.execute_script("return document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 390)
        self.no_faults()
