"""Wishes in the browser: from a wish to its proposal to a variant, by keyboard, by pointer and on a phone."""

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.renders.models import Render
from server.rigs.models import Variant
from server.rigs.services import create_rig
from server.songs.models import Song
from server.testing import clip_in, wav_bytes
from server.wishes.models import Search
from server.wishes.tests.test_wishes import phrases

RIG = """
v: source "Oboe" (level -18 dB) > ways: split > sum: merge > out: output "Desk" (stereo)
ways > hall: reverb "Long hall" (RT60 2 s, pre-delay 20 ms) > sum [level -3 dB]
"""


# Many settings and wishes that cannot all hold: looked at for many seconds.
LONG = """
v: source "Viola" (level -21 dB, stereo) > ways: split > sum: merge > desk: output "Desk" (stereo)
ways > tape: delay "Slow tape" (time 1/4., feedback 35 %) > mixed: split > sum [level -7 dB]
mixed > cave: merge > hall: reverb "Long hall" (RT60 2.6 s, pre-delay 30 ms) > duck: ducker "Room duck" (depth 6 dB, attack 15 ms, release 400 ms) > sum [level -4 dB]
ways > tocave: level "To cave" (level -3 dB) > cave
key ways > duck
wish must level of hall against dry in phrases about -16 dB within 1 dB
wish must level of hall against dry in gaps over -12 dB
wish must recovery of duck under 250 ms
wish must tail at entries under -30 dB
wish must louder than the clip about 0 dB within 1 dB
"""


class Wishes(BrowserCase):
    def own(self, text: str = RIG):
        """A song with a rig and a clip that are not the demo's; at its wishes."""
        b = self.open_demo(step="Route")
        song = Song.objects.filter(is_demo_original=False).order_by("created_at")[1]
        self.clip = clip_in(song, wav_bytes(phrases(0.4)), "Oboe, alone.wav")
        rig = create_rig(song, "Quay", None, text)
        self.variant = str(rig.variants.get().pk)
        hand = {"variant": self.variant, "clip": str(self.clip.pk), "selected": ""}
        Song.objects.filter(pk=song.pk).update(hand={**song.hand, **hand})
        b.open(f"/songs/{song.pk}/route")
        b.find("radio", "Long hall")
        return b

    def document(self):
        return Variant.objects.get(pk=self.variant).document

    def test_by_keys_from_a_wish_to_a_proposal_that_is_taken_and_undone(self):
        b = self.own()
        b.find("tab", "Wishes").send_keys(Keys.ENTER)
        b.find("button", "Begin with Voice up front")
        self.assertFalse(b.find("button", "Begin with Guitar through").is_enabled())
        b.choose("Wish for", "tail at entries")
        b.type("How much, dB", "soft", enter=True)
        b.sees("“soft” is no number")
        b.type("How much, dB", "-24", enter=True)
        b.sees("0 of 1 wishes hold")
        b.sees("Entries: those of Oboe, alone.wav.")
        self.assertIsNone(b.look("button", "Begin with Voice up front"))
        b.find("button", "Find settings").send_keys(Keys.ENTER)
        b.sees("steps of change", 30)
        b.sees("for tail at entries")
        before = self.document()
        b.find("button", "Take it : By").send_keys(Keys.ENTER)
        b.sees("All wishes hold.")
        self.assertNotEqual(self.document(), before)
        b.find("button", "Take back Tail at entries")
        b.find("button", "Undo").send_keys(Keys.ENTER)
        b.sees("0 of 1 wishes hold")
        self.wait_for(lambda: self.document() == before, "it is not undone")
        self.no_faults()

    def test_by_keys_from_a_wish_to_hearing_both(self):
        b = self.own()
        b.find("tab", "Wishes").send_keys(Keys.ENTER)
        b.choose("Wish for", "level against another way")
        b.choose("Over the clip", "in gaps")
        b.choose("Shall be", "under")
        b.type("How much, dB", "-20", enter=True)
        b.sees("0 of 1 wishes hold")
        b.find("group", "Your wishes")
        b.find("button", "Find settings").send_keys(Keys.ENTER)
        b.sees("Rendered: 1 of 1 hold in sound.", 60)
        b.sees("in its render")
        b.find("button", "Hear both : By").send_keys(Keys.ENTER)
        b.sees("Variant B has it. It is rendered and played")
        b.sees("Hearing B", 30)
        # Under Listen the wish stands beside what is heard; one key hears the present one.
        b.sees("All wishes hold.")
        b.until(lambda: b.look("button", "Hear A") is not None, "A is not there")
        b.until(self.both_are_there, "the present one is not made", 30)
        b.keys("1")
        b.sees("Hearing A")
        b.sees("0 of 1 wishes hold")
        b.find("button", "To the wishes").send_keys(Keys.ENTER)
        b.find("region", "Wishes")
        self.no_faults()

    def both_are_there(self) -> bool:
        made = Render.objects.filter(variant__rig__name="Quay", status="done", bare=False)
        return made.values("variant").distinct().count() == 2

    def test_stopped_the_best_so_far_is_kept(self):
        b = self.own(LONG)
        b.press("tab", "Wishes")
        b.sees("wishes hold")
        b.press("button", "Find settings")
        b.find("progressbar", "Looking for settings")
        b.sees("settings looked at", 60)
        b.press("button", "Stop, keep the best")
        b.sees("It was stopped before its end: this is the best so far.", 60)
        self.assertIsNone(b.look("progressbar", "Looking for settings"))
        found = Search.objects.get()
        self.assertEqual((found.status, found.result["whole"]), ("done", False))
        self.no_faults()

    def test_as_a_variant_on_a_phone_and_beside_the_checks(self):
        b = self.own()
        b.size(390, 844)
        b.press("tab", "Wishes")
        b.press("button", "Begin with Voice up front")
        b.sees("wishes hold")
        b.press("button", "Find settings")
        b.sees("steps of change", 30)
        self.assertLessEqual(
            b.driver.execute_script("return document.documentElement.scrollWidth"), 390
        )
        b.press("button", "As a variant beside it")
        b.sees("Variant B has it")
        old, new = Variant.objects.filter(rig__name="Quay").order_by("position")
        parts = [{n: v.document[n] for n in ("nodes", "rails")} for v in (old, new)]
        self.assertNotEqual(*parts)
        self.assertEqual(old.document["wishes"], new.document["wishes"])
        b.size(1280, 800)
        b.find("group", "Your wishes")
        self.no_faults()

    def test_what_cannot_hold_together_is_drawn_and_a_point_of_the_curve_taken(self):
        b = self.own()
        b.press("tab", "In writing")
        area = b.find("textbox", "Notation")
        text = (
            area.get_attribute("value")
            + "wish tail at entries under -50 dB\nwish level of hall against dry about -3 dB\n"
        )
        b.driver.execute_script(
            "const a = arguments[0]; Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value')"
            ".set.call(a, arguments[1]); a.dispatchEvent(new Event('input', {bubbles: true}))", area, text,
        )  # fmt: skip
        b.press("button", "Draw what is written")
        b.press("tab", "Wishes")
        b.sees("1 of 2 wishes hold")
        # Nothing but the fader may move.
        b.find("group", "Your wishes")
        more = b.until(
            lambda: b.driver.find_elements(By.XPATH, "//summary[contains(., 'settings may move')]")
        )[0]
        b.driver.execute_script("arguments[0].click()", more)
        boxes = b.driver.find_elements(
            By.CSS_SELECTOR, "[aria-label='Settings that may move'] input[type=checkbox]"
        )
        for box in boxes:
            if box.is_selected():
                b.driver.execute_script("arguments[0].click()", box)
        b.press("checkbox", "Long hall into Merge: level")
        b.type("Long hall into Merge: level, at least, dB", "deep")
        b.sees("“deep” is no number.")
        self.assertFalse(b.find("button", "Find settings").is_enabled())
        b.type("Long hall into Merge: level, at least, dB", "-55")
        b.press("button", "Find settings")
        b.sees("cannot hold together", 30)
        b.press("button", "Draw what the one costs the other")
        b.sees("costs 1 dB of", 30)
        b.find("slider", "A point of the curve").send_keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
        b.press("button", "Take this point")
        self.wait_for(
            lambda: self.document()["rails"]["hall.0"]["strip"]["level_db"] < -3,
            "the point is not taken",
        )
        self.no_faults()
