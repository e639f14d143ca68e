"""Tempo and delay times, in the browser."""

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.songs.models import Song


class Time(BrowserCase):
    jobs = False

    def song(self) -> Song:
        return Song.objects.get(title="Paper Lighthouse", is_demo_original=False)

    def reading(self) -> str:
        return " ".join(self.browser.find("group", "Reading").text.split())

    def test_read_a_dotted_eighth_and_what_a_device_makes_of_it(self):
        b = self.open_demo()
        for words in ("319.149 ms", "3.1333 Hz", "15 319.1 samples", "set 319 ms", "−0.149 ms"):
            self.browser.until(lambda w=words: w in self.reading(), f"{words} in {self.reading()}")
        self.assertIn("after 8 repeats 1.19 ms early", self.reading())
        b.keys("d")
        b.until(lambda: "eighth 212.766 ms" in self.reading())
        b.keys("i")
        b.until(lambda: "eighth triplet 141.844 ms" in self.reading())
        b.find("radio", "eighth triplet, 141.8").send_keys(Keys.ARROW_RIGHT)
        b.until(lambda: "quarter triplet 283.688 ms" in self.reading())
        b.choose("Device", "Knob in 5 ms marks")
        b.until(lambda: "set 285 ms" in self.reading())
        b.until(lambda: self.song().delay_value == "1/4T" and self.song().device["step_ms"] == 5)
        self.no_faults()

    def test_typed_values_are_read_back_and_bad_ones_change_nothing(self):
        b = self.open_demo()
        b.type("Delay time", "soon")
        b.sees("“soon” is not a number. Type a time such as 479")
        b.type("Delay time", "0.41 s", enter=True)
        b.until(lambda: "410 ms" in self.reading())
        b.type("Tempo in BPM", "10,000", enter=True)
        b.sees("out of range: 5 to 999 BPM")
        field = b.find("textbox", "Tempo in BPM")
        field.send_keys(Keys.ESCAPE)
        self.assertEqual(field.get_attribute("value"), "94")
        field.send_keys(Keys.ARROW_UP)
        b.until(lambda: self.song().tempo_map[0]["tempo_bpm"] == 95)
        self.assertEqual(self.song().delay_value, "410 ms")

    def test_tapping_sets_the_tempo_and_shows_the_stray_tap(self):
        b = self.open_demo()
        # Events with times of their own: the browser's clock decides, not this test's.
        b.driver.execute_script(
            """
            let now = 1000; performance.now = () => now;
            for (const at of [0, 500, 1000, 1180, 1500, 2000, 2500]) {
              now = 1000 + at;
              document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 't', code: 'KeyT', bubbles: true}));
              document.body.dispatchEvent(new KeyboardEvent('keyup', {key: 't', code: 'KeyT', bubbles: true}));
            }
            """
        )
        b.sees("120.00 BPM from 6 taps, give or take 0.00; 1 rejected as stray.")
        strip = b.find("region", "Taps")
        self.assertEqual(
            len([t for t in strip.find_elements(By.TAG_NAME, "text") if t.text == "stray"]), 1
        )
        b.until(lambda: self.song().tempo_map[0]["tempo_bpm"] == 120)

    def test_a_delay_gives_the_tempo_and_it_can_be_undone(self):
        b = self.open_demo()
        b.press("link", "Tempo from a delay")
        b.press("button", "set the tempo to 73.17 BPM, the delay is a dotted eighth")
        b.until(lambda: "409.998 ms" in self.reading() or "410.0" in self.reading())
        b.press("button", "Undo")
        b.until(lambda: self.song().tempo_map[0]["tempo_bpm"] == 94)

    def test_a_device_can_be_typed_in(self):
        b = self.open_demo()
        b.choose("Device", "Type one in …")
        b.type("What you call it", "Old rack")
        b.type("Shortest time", "900", enter=True)
        b.type("Longest time", "100", enter=True)
        b.until(lambda: b.find("textbox", "Longest time").get_attribute("value") == "100")
        b.press("button", "Keep this device")
        b.sees("must be above the shortest")
        b.type("Shortest time", "100", enter=True)
        b.type("Longest time", "900", enter=True)
        b.until(lambda: b.find("textbox", "Longest time").get_attribute("value") == "900")
        b.press("button", "Keep this device")
        b.until(lambda: (self.song().device or {}).get("name") == "Old rack")
        b.find("button", "Forget this device")


class Saving(BrowserCase):
    jobs = False

    def test_two_tabs_the_second_is_told_and_chooses(self):
        one = self.open_demo()
        path = one.driver.current_url.removeprefix(self.live_server_url)
        one.driver.switch_to.new_window("tab")
        one.open(path)
        one.find("group", "Time ruler")
        second = one.driver.current_window_handle
        first = next(h for h in one.driver.window_handles if h != second)
        one.driver.switch_to.window(first)
        one.type("Song title", "Here first", enter=True)
        song = Song.objects.get(is_demo_original=False, title="Paper Lighthouse")
        self.wait_for(lambda: Song.objects.get(pk=song.pk).title == "Here first", "not saved")
        one.driver.switch_to.window(second)
        one.type("Song title", "There second", enter=True)
        one.sees("title is “Here first” there and “There second” here")
        self.assertEqual(Song.objects.get(pk=song.pk).title, "Here first")
        one.press("button", "Keep “There second”")
        self.wait_for(lambda: Song.objects.get(pk=song.pk).title == "There second", "not kept")

    def test_edits_made_offline_survive_a_reload_and_go_out_later(self):
        b = self.open_demo()
        song = Song.objects.get(is_demo_original=False, title="Paper Lighthouse")
        b.driver.execute_cdp_cmd("Network.enable", {})
        # The song's own address fails, as it does on a broken line; the page itself still loads.
        b.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": [f"*/api/v1/songs/{song.pk}"]})
        b.type("Song title", "Written in a tunnel", enter=True)
        b.sees("1 edit waits")
        b.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": []})
        b.driver.refresh()
        self.wait_for(
            lambda: Song.objects.get(pk=song.pk).title == "Written in a tunnel", "never sent"
        )
        b.sees("✓ Saved")

    def test_songs_are_made_copied_deleted_and_brought_back(self):
        b = self.open_demo()
        b.press("link", "Fonodrome, all songs")
        b.press("button", "Make “untitled”")
        b.sees("A song needs a name.")
        b.type("Name", "Harbour Bell")
        b.type("Tempo", "87,5", enter=True)
        b.until(lambda: b.look("button", "Make “Harbour Bell”"))
        b.press("button", "Make “Harbour Bell”")
        b.find("button", "Begin with a bare rail")
        self.wait_for(lambda: Song.objects.filter(title="Harbour Bell").exists(), "not made")
        self.assertEqual(Song.objects.get(title="Harbour Bell").tempo_map[0]["tempo_bpm"], 87.5)
        b.press("link", "Fonodrome, all songs")
        b.press("button", "Duplicate Harbour Bell")
        b.find("link", "Harbour Bell (copy)")
        b.press("button", "Delete Harbour Bell (copy)")
        b.until(lambda: b.look("link", "Harbour Bell (copy)") is None)
        b.press("button", "Undo")
        b.find("link", "Harbour Bell (copy)")
