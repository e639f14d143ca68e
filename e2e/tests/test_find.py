"""Everything is found with one key, and what is said is done."""

from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.songs.models import Song


class Find(BrowserCase):
    jobs = False

    def ask(self, words: str):
        b = self.browser
        b.driver.execute_script("document.activeElement.blur()")
        b.keys(Keys.SHIFT + "f" + Keys.NULL)
        b.find("dialog", "Find, or say what to do")
        field = b.driver.switch_to.active_element
        # The key that opens it is not typed into it.
        self.assertEqual(field.get_property("value"), "")
        field.send_keys(words)
        return field

    def test_by_keys_to_a_stage_of_another_rig_and_to_what_is_asked(self):
        b = self.open_demo(step="Time")
        field = self.ask("gives way")
        b.sees("Clarinet gives way")
        b.sees("Arrows choose")
        field.send_keys(Keys.ENTER)
        b.find("radio", "Clarinet gives way")
        b.until(
            lambda: b.find("radio", "Clarinet gives way").get_attribute("aria-checked") == "true"
        )
        self.ask("set tempo 96").send_keys("")
        b.sees("Set the tempo to 96 BPM")
        b.sees("Arrows choose")
        b.driver.switch_to.active_element.send_keys(Keys.ENTER)
        song = Song.objects.filter(title="Paper Lighthouse", is_demo_original=False)
        self.wait_for(lambda: song.get().tempo_map[0]["tempo_bpm"] == 96, "the tempo is not set")
        count = song.get().rigs.count()
        # At once: Enter before the answer is there is meant of what comes.
        self.ask("new rig from parallel compression" + Keys.ENTER)
        self.wait_for(lambda: song.get().rigs.count() == count + 1, "no rig was made")
        b.sees("done.")
        self.no_faults()

    def test_from_the_list_of_songs_on_a_phone(self):
        b = self.open_demo(step="Route")
        b.press("link", "Fonodrome, all songs")
        b.find("link", "Ferry in Fog")
        b.size(390, 844)
        self.ask("aux")
        b.sees("send")
        b.driver.switch_to.active_element.send_keys(Keys.CONTROL, "a", Keys.NULL, "no such teapot")
        b.sees("Nothing of that is here.")
        b.driver.switch_to.active_element.send_keys(Keys.CONTROL, "a", Keys.NULL, "ferry fog")
        b.sees("Arrows choose")
        b.driver.switch_to.active_element.send_keys(Keys.ENTER)
        b.find("radio", "Left delay")
        wide = b.driver.execute_script("return document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 390)
        self.no_faults()
