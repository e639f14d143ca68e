"""The log in the browser: what was done writes itself down, is noted, found and opened again."""

from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.log.services import write
from server.songs.models import Song
from server.testing import clip_in, noise, wav_bytes


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
