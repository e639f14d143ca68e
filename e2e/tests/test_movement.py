"""In the browser: what goes round by itself, the rigs that are ready with it, a null that is searched."""

import re
from uuid import uuid4

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from core.routing.edit.actions import SetStrip
from e2e.base import BrowserCase
from server.renders.models import Render
from server.rigs.models import Variant
from server.rigs.services import edit_variant


class GoesRound(BrowserCase):
    jobs = False

    def stage(self, kind: str) -> dict:
        song = Variant.objects.filter(rig__song__is_demo_original=False).latest("rig__created_at")
        nodes = song.document["nodes"].values()
        return next((n for n in nodes if n["kind"] == kind), {})

    def typed(self, name: str, text: str) -> None:
        field = self.browser.find("textbox", name)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text, Keys.ENTER)

    def drawn(self) -> str:
        return self.browser.find("img", "level that passes").get_attribute("aria-label")

    def test_a_tremolo_in_eighths_from_side_to_side(self):
        """94 BPM to the dotted quarter: an eighth is a third of 638.3 ms."""
        b = self.open_demo(step="Route")
        b.choose("Rig", "A new rig …")
        b.press("button", "Begin with a bare rail")
        b.press("radio", "Source")
        ActionChains(b.driver).send_keys("i").perform()
        b.find("dialog", "")
        ActionChains(b.driver).send_keys("tremolo", Keys.ENTER).perform()
        b.find("radio", "Tremolo, 5 Hz")
        b.until(lambda: "cycle of 200 ms" in self.drawn(), "not drawn at 5 Hz")
        self.assertIn("from 50 to 100 %", self.drawn())
        b.press("button", "Modulation")
        b.choose("Shape", "saw-down")
        self.typed("Cycle", "a while")
        b.sees("“a while” is no time")
        self.typed("Cycle", "1/8")
        b.find("radio", "Tremolo, 1/8, saw down")
        b.until(lambda: "cycle of 212.8 ms" in self.drawn(), "not drawn in eighths")
        b.press("button", "Main")
        self.typed("Sides apart", "180")
        b.sees("right dashed")
        self.wait_for(
            lambda: (
                (self.stage("tremolo").get("cycle"), self.stage("tremolo").get("sides_deg"))
                == ("1/8", 180)
            ),
            "not kept",
        )
        self.assertEqual(self.stage("tremolo")["wave"], "saw-down")
        # Put back: the rate is what counts again.
        b.press("button", "Modulation")
        b.press("button", "Cycle: back")
        b.until(lambda: "cycle of 200 ms" in self.drawn(), "the rate does not count again")
        for width in (390, 1280):
            b.size(width, 844)
            self.assertLessEqual(
                b.driver.execute_script("return document.documentElement.scrollWidth"), width
            )
        self.no_faults()

    def test_the_ready_rigs_open_with_nothing_to_mend(self):
        b = self.open_demo(step="Route")
        for name, stage in (
            ("Delay that makes room", "Room for the note"),
            ("Filter that opens with the hits", "Opening filter"),
        ):
            b.choose("Rig", "A new rig …")
            b.press("button", f"Begin with {name}")
            b.press("radio", stage)
            b.until(
                lambda: (
                    b.look("img", "Level along the course") is not None or "Arrivals" in b.text()
                )
            )
            self.assertNotIn("Alarm.", b.text(), name)
        self.no_faults()


class Searched(BrowserCase):
    def test_the_best_setting_is_found_taken_and_nulls(self):
        """B's copy is 2.5 dB lower than A's; 2.5 dB up, nothing is left."""
        b = self.open_demo(step="Listen")
        b.choose("Rig", "Three sources")
        other = Variant.objects.get(
            rig__name="Three sources", rig__song__is_demo_original=False, position=1
        )
        edit_variant(
            other.rig.song.owner, other.id,
            SetStrip(rail="squash.0", values={"muted": False, "level_db": -8.5}),
            other.revision, uuid4(),
        )  # fmt: skip
        b.driver.refresh()
        b.choose("Rig", "Three sources")
        b.press("button", "Render all 2 variants")
        for letter in ("A", "B"):
            b.enabled(f"Hear {letter}", 60)
        b.press("button", "Hear A")
        b.keys("d")
        b.find("region", "Search for the null")
        b.choose("What of B is moved", "Compressed copy")
        residual = b.find("status", "Residual")
        b.until(lambda: "dB down" in residual.text, "not measured")
        before = residual.text
        slider = b.find("slider", "Change of Compressed copy of B")
        slider.send_keys(Keys.ARROW_RIGHT)
        b.until(lambda: b.find("status", "Residual").text not in (before, ""), "it is not metered")
        b.sees("By arithmetic +2.5")
        b.press("button", "Go there")
        b.sees("at +2.50 dB")
        b.press("button", "Take the best setting")
        self.wait_for(
            lambda: (
                Variant.objects.get(pk=other.pk).document["rails"]["squash.0"]["strip"]["level_db"]
                == -6
            ),
            "not taken",
        )
        # A delay of one path of many is looked for as well; there is none to find.
        b.choose("Setting that is searched", "delay")
        b.find("img", "Residual over a change of delay")
        b.find("slider", "Change of the delay of Compressed copy of B").send_keys(Keys.ARROW_RIGHT)
        b.until(lambda: "ms" in b.find("status", "Residual").text, "the delay is not metered")
        self.no_faults()


class Ridden(BrowserCase):
    def moves(self) -> list:
        return Variant.objects.get(
            rig__name="Two sends", rig__song__is_demo_original=False, position=0
        ).moves

    def ride(self, scale, times: int) -> None:
        """One ride: pressed by the browser itself, so that no busy machine rests in between."""
        self.browser.driver.execute_script("arguments[0].focus()", scale)
        ride = ActionChains(self.browser.driver)
        for _ in range(times):
            ride.send_keys(Keys.ARROW_LEFT).pause(0.12)
        ride.perform()

    def test_a_loop_filter_is_ridden_by_keys_while_it_plays_and_comes_back(self):
        b = self.open_demo(step="Route")
        b.press("radio", "Delay")
        for name, text in (("Feedback", "20"), ("Loop high cut", "8 kHz")):
            field = b.find("textbox", name)
            field.send_keys(Keys.CONTROL, "a")
            field.send_keys(text, Keys.ENTER)
        b.until(lambda: "8" in b.find("textbox", "Loop high cut").get_attribute("value"))
        b.keys("r")
        b.sees("It writes as soon as it plays")
        b.keys(" ")
        b.find("button", "Stop", 60)
        b.sees("is a move of A now")
        scale = b.find("slider", "Loop high cut")
        before = float(scale.get_attribute("aria-valuenow"))
        self.ride(scale, 5)
        self.wait_for(lambda: self.moves() != [], "nothing is written")
        b.until(lambda: re.search(r"[0-9]+ points? written", b.text()), "it is not told")
        (move,) = self.moves()
        self.assertEqual(move["field"], "high_cut_hz")
        values = [p["value"] for p in move["points"]]
        self.assertEqual(values, sorted(values, reverse=True))
        self.assertLess(values[-1], 8000)
        # Where it rests is as it was: nothing was set, and the scale says so again.
        kept = Variant.objects.get(
            rig__name="Two sends", rig__song__is_demo_original=False, position=0
        ).document["nodes"]["echo"]
        self.assertEqual(kept["high_cut_hz"], 8000)
        b.until(
            lambda: (
                float(b.find("slider", "Loop high cut").get_attribute("aria-valuenow")) == before
            ),
            "the scale does not come back",
        )
        # Taken out in one press, as long as it is offered; ridden again, it is rendered by itself.
        b.press("button", "Take it out")
        self.wait_for(lambda: self.moves() == [], "the ride is still there")
        scale = b.find("slider", "Loop high cut")
        self.ride(scale, 4)
        self.wait_for(lambda: self.moves() != [], "nothing is written the second time")
        self.wait_for(
            lambda: any(r.moves and r.status == "done" for r in Render.objects.filter(bare=False)),
            "the ride is not heard", 60,
        )  # fmt: skip
        b.keys(" ")
        self.no_faults()
