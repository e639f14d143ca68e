"""What was typed or done counts, whatever becomes of the page, the tab or the line."""

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.rigs.services import create_rig
from server.songs.models import Song

RIG = """
horn: source "Horn" (level -15 dB) > ways: split > sum: merge > desk: output "Desk"
ways > slap: delay "Slap" (time 90 ms, feedback 10 %) > sum [level -8 dB]
"""


class Kept(BrowserCase):
    jobs = False

    def own(self):
        b = self.open_demo(step="Route")
        song = Song.objects.filter(is_demo_original=False).order_by("created_at")[1]
        self.variant = create_rig(song, "Pier", None, RIG).variants.get()
        hand = {"variant": str(self.variant.pk), "selected": "slap"}
        Song.objects.filter(pk=song.pk).update(hand={**song.hand, **hand})
        self.song = song
        b.open(f"/songs/{song.pk}/route")
        b.find("radio", "Slap")
        return b

    def stored(self):
        self.variant.refresh_from_db()
        return self.variant.document

    def crashed(self, b) -> None:
        """The tab is gone without a word; another one opens the same page."""
        address = b.driver.current_url
        old = b.driver.window_handles
        b.driver.switch_to.new_window("tab")
        new = b.driver.current_window_handle
        for window in old:
            b.driver.switch_to.window(window)
            b.driver.close()
        b.driver.switch_to.window(new)
        b.driver.get(address)

    def test_what_is_typed_and_not_yet_taken_outlives_the_tab(self):
        b = self.own()
        b.find("radio", "Slap").click()
        b.type("Feedback, typed", "23")
        self.crashed(b)
        self.wait_for(lambda: self.stored()["nodes"]["slap"]["feedback_percent"] == 23, "not taken")
        # A title too; and what was let go stays gone.
        b.type("Song title", "Half a na")
        b.driver.refresh()
        self.wait_for(lambda: Song.objects.get(pk=self.song.pk).title == "Half a na", "no title")
        b.find("radio", "Slap").click()
        b.type("Feedback, typed", "41")
        b.find("textbox", "Feedback, typed").send_keys(Keys.ESCAPE)
        b.driver.refresh()
        b.find("radio", "Slap")
        b.until(lambda: b.find("textbox", "Feedback, typed").get_attribute("value") == "23")
        self.no_faults()

    def test_a_text_that_was_being_written_stands_there_again(self):
        b = self.own()
        b.press("tab", "In writing")
        b.find("textbox", "Notation").send_keys(Keys.CONTROL, Keys.END)
        b.find("textbox", "Notation").send_keys("# not done yet")
        before = self.stored()
        self.crashed(b)
        b.press("tab", "In writing")
        b.until(lambda: "# not done yet" in b.find("textbox", "Notation").get_attribute("value"))
        self.assertTrue(b.find("button", "Draw what is written").is_enabled())
        self.assertEqual(self.stored(), before)

    def test_two_tabs_without_a_line_keep_the_edits_of_both(self):
        b = self.own()
        address = b.driver.current_url
        for name, text, waiting in (
            ("Feedback, typed", "31", "1 edit waits"),
            ("Time, typed", "120 ms", "2 edits wait"),
        ):
            if name.startswith("Time"):
                b.driver.switch_to.new_window("tab")
            # Before the page is there: it sends what it finds as soon as it can.
            b.driver.execute_cdp_cmd("Network.enable", {})
            b.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": ["*/edits"]})
            if name.startswith("Time"):
                b.driver.get(address)
                b.sees("1 edit waits")
            b.type(name, text, enter=True)
            b.sees(waiting)
        self.assertEqual(self.stored()["nodes"]["slap"]["feedback_percent"], 10)
        self.crashed(b)
        self.wait_for(
            lambda: (self.stored()["nodes"]["slap"]["feedback_percent"], self.stored()["nodes"]["slap"]["time"])
            == (31, "120 ms"),
            "an edit of one of them is lost",
        )  # fmt: skip
        self.assertEqual(self.variant.edits.count(), 2)

    def test_kept_edits_that_are_spoilt_are_set_aside_and_the_page_opens(self):
        b = self.own()
        b.driver.execute_script(
            "localStorage.setItem(`fonodrome.rig-edits.${arguments[0]}.x`, '{\"id\": ');"
            "localStorage.setItem(`fonodrome.unsent.${arguments[1]}.y`, 'half');",
            str(self.variant.pk), str(self.song.pk),
        )  # fmt: skip
        b.driver.refresh()
        b.sees("cannot be read any more")
        b.find("radio", "Slap")
        kept = b.driver.execute_script("return Object.keys(localStorage).filter(k => k.startsWith('fonodrome.set-aside.')).length")  # fmt: skip
        self.assertEqual(kept, 2)
        self.assertTrue(b.driver.find_elements(By.CSS_SELECTOR, "main"))
