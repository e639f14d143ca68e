"""Whole ways through the steps: one rig and one clip in hand, nothing lost."""

from datetime import timedelta

from django.utils import timezone
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.rigs.models import Rig, Variant
from server.songs.models import Song

_ACTIVE = """
const e = document.activeElement;
if (!e || e === document.body) return '';
return [e.getAttribute('aria-label'), e.labels && e.labels.length ? e.labels[0].innerText : '', e.innerText]
  .filter(Boolean).join(' ').replace(/\\s+/g, ' ');
"""


class ThreadCase(BrowserCase):
    def first(self) -> Variant:
        return Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )

    def song(self) -> Song:
        return Song.objects.get(is_demo_original=False, title="Paper Lighthouse")

    def keys(self, *keys: str) -> None:
        ActionChains(self.browser.driver).send_keys(*keys).perform()

    def tab_to(self, name: str) -> None:
        """By the Tab key alone, as far as it takes."""
        for _ in range(120):
            text = self.browser.driver.execute_script(_ACTIVE)
            if text == name or text.startswith(f"{name} "):
                return
            self.keys(Keys.TAB)
        self.fail(f"Tab never comes to “{name}”")

    def in_hand(self, name: str) -> str:
        chosen = self.browser.find("combobox", name)
        return self.browser.driver.execute_script(
            "return arguments[0].selectedOptions[0].text", chosen
        )


class Ways(ThreadCase):
    def test_parallel_compression_from_blend_to_listen_by_keyboard_alone(self):
        b = self.open_demo()
        b.choose("Clip in hand", "Hand drum.wav")
        b.driver.execute_script("document.activeElement.blur()")
        # From here on no pointer.
        self.tab_to("Blend")
        self.keys(Keys.ENTER)
        b.sees("Quiet sounds gain")
        self.tab_to("threshold")
        self.keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
        b.until(
            lambda: b.look("slider", "threshold").get_attribute("aria-valuenow") == "-35", "step"
        )
        self.keys(".")
        b.find("region", "What a hit keeps")
        self.assertTrue(b.driver.current_url.endswith("/blend/hit"))
        self.tab_to("Make a rig of it and listen")
        self.keys(Keys.ENTER)
        b.find("region", "By ear alone")
        self.assertEqual(self.in_hand("Rig"), "Blend: dry and compressed")
        self.assertEqual(self.in_hand("Clip in hand"), "Hand drum.wav")
        made = Variant.objects.get(rig__name="Blend: dry and compressed")
        self.assertEqual(made.document["nodes"]["squash"]["threshold_db"], -35)
        # Made again it is changed, and no namesake stands beside it.
        b.driver.back()
        self.tab_to("threshold")
        self.keys(Keys.ARROW_RIGHT)
        b.until(
            lambda: b.look("slider", "threshold").get_attribute("aria-valuenow") != "-35", "step"
        )
        self.tab_to("Make a rig of it and listen")
        self.keys(Keys.ENTER)
        b.sees("is set to it. Undo it under Route")
        self.assertEqual(Rig.objects.filter(name="Blend: dry and compressed").count(), 1)
        made.refresh_from_db()
        self.assertGreater(made.document["nodes"]["squash"]["threshold_db"], -35)
        self.no_faults()

    def test_a_compressor_is_loaded_from_its_stage_and_written_back(self):
        b = self.open_demo(step="Blend")
        before = self.first().document["nodes"]
        name, stage = next((n, v) for n, v in before.items() if v["kind"] == "compressor")
        b.press("button", "Load Compressor of Two sends A")
        b.until(
            lambda: float(b.find("slider", "ratio").get_attribute("aria-valuenow")) == stage["ratio"],
            "not loaded",
        )  # fmt: skip
        b.type("ratio, typed", "limiter", enter=True)
        b.type("threshold, typed", "-20 dB", enter=True)
        b.press("button", "Write it to Compressor of Two sends A")
        listed = b.find("dialog", "Write it to Compressor").text
        self.assertIn("threshold", listed)
        b.press("button", "Send ")
        b.sees("Compressor is set to it")
        after = self.first().document["nodes"][name]
        self.assertEqual((after["ratio"], after["threshold_db"]), (1000, -20))
        self.no_faults()

    def test_a_time_goes_to_a_stage_and_the_stage_opens_it_again(self):
        b = self.open_demo(step="Time")
        delay = next(n for n in self.first().document["nodes"].values() if n["kind"] == "delay")
        b.press("tab", "Lead throw")
        b.press("button", "Hand it to Two sends A")
        b.sees("follows Lead throw. Undo it under Route")
        b.sees("✓ follows it")
        self.assertEqual(self.first().document["nodes"][delay["id"]]["time"], "@lead_throw")
        # A quarter at 141 quarters a minute: 425.5 ms; one value longer in its row: a half.
        b.press("link", "show")
        b.sees("425.5 ms")
        b.press("button", "in Time")
        chosen = b.find("tab", "Lead throw")
        self.assertEqual(chosen.get_attribute("aria-selected"), "true")
        self.keys("]")
        b.until(lambda: "851.1" in b.find("group", "Reading").text, "not longer")
        b.press("link", "Route")
        b.sees("851.1 ms")
        self.no_faults()

    def test_a_stage_s_own_time_is_begun_as_a_delay_of_the_song(self):
        b = self.open_demo(step="Route")
        variant = self.first()
        nodes = {**variant.document["nodes"]}
        name = next(n for n, v in nodes.items() if v["kind"] == "delay")
        nodes[name] = {**nodes[name], "time": "437 ms"}
        variant.document["nodes"] = nodes
        variant.save(update_fields=["document"])
        b.driver.refresh()
        b.press("radio", "Delay")
        b.press("button", "in Time")
        b.until(lambda: "437" in b.find("group", "Reading").text, "another time")
        b.press("button", "Hand it to Two sends A")
        b.sees("✓ follows it")
        self.wait_for(
            lambda: self.first().document["nodes"][name]["time"].startswith("@delay"), "not linked"
        )
        self.no_faults()

    def test_what_is_found_is_ticked_off_and_the_list_can_be_put_away(self):
        b = self.open_demo(step="Route")
        b.sees("Find the return that is not fully wet")
        b.press("radio", "Reverb")
        b.sees("✓ Found.")
        b.sees("1 of 6 found")
        b.press("link", "Space")
        b.sees("Find the longest decay with which every gap is clear")
        b.keys("f")
        b.sees("2 of 6 found")
        # It stays ticked after a reload, and when it is no longer so.
        self.keys("]", "]", "]", "]")
        b.sees("The shortest gap decides")
        self.wait_for(lambda: len(self.song().hand.get("found", [])) == 2, "not kept")
        b.driver.refresh()
        b.sees("2 of 6 found")
        b.press("button", "Put away")
        b.until(lambda: "To find here" not in b.text() and "Found." not in b.text(), "still there")
        b.press("button", "Things to find on this song")
        b.sees("2 of 6 found")
        self.no_faults()

    def test_help_opens_on_the_step_s_own_keys_and_explains_the_words(self):
        b = self.open_demo(step="Space")
        b.find("region", "Gaps")
        self.keys("?")
        sheet = b.find("dialog", "Keys and words")
        heads = [h.text for h in sheet.find_elements("css selector", "h3")]
        self.assertEqual(heads[:2], ["Space", "Everywhere"])
        self.assertIn("One line of a course", sheet.text)
        self.assertEqual(sheet.get_property("scrollTop"), 0)


class NothingLost(ThreadCase):
    def test_deleted_things_come_back_a_week_later_and_not_after_a_month(self):
        b = self.open_demo(step="Route")
        b.choose("Rig", "Names, order, deleted …")
        b.press("button", "Duplicate Two sends")
        b.find("textbox", "Name of rig Two sends (copy)")
        b.press("button", "Delete Two sends (copy)")
        b.until(lambda: b.look("textbox", "Name of rig Two sends (copy)") is None, "still there")
        b.press("button", "Delete Two sends C")
        b.press("button", "Delete Clarinet, take 1.wav")
        b.press("button", "Bring back Clip Clarinet, take 1.wav")
        b.find("textbox", "Name of clip Clarinet, take 1.wav")
        # A week passes.
        week = timezone.now() - timedelta(days=7)
        Rig.objects.filter(name="Two sends (copy)").update(deleted_at=week)
        b.driver.refresh()
        b.sees("23 days left")
        b.press("button", "Bring back Rig Two sends (copy)")
        b.find("textbox", "Name of rig Two sends (copy)")
        b.press("button", "Bring back Variant Volume pedal last")
        b.find("textbox", "Name of Two sends C")
        # The song itself, and a month.
        b.press("link", "Fonodrome, all songs")
        b.press("button", "Delete Ferry in Fog")
        b.press("button", "Bring back Song Ferry in Fog")
        b.find("link", "Ferry in Fog")
        b.press("button", "Delete Nine Lanterns")
        b.sees("30 days left")
        Song.objects.filter(title="Nine Lanterns", is_demo_original=False).update(
            deleted_at=timezone.now() - timedelta(days=31)
        )
        b.driver.refresh()
        b.find("link", "Ferry in Fog")
        self.assertIsNone(b.look("button", "Bring back Song Nine Lanterns"))
        self.no_faults()

    def test_edits_without_a_line_outlive_a_reload(self):
        b = self.open_demo(step="Route")
        b.sees("Set to 100 % wet")
        b.driver.execute_cdp_cmd("Network.enable", {})
        b.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": ["*/edits*"]})
        b.press("button", "Set to 100 % wet")
        b.sees("1 edit waits")
        b.driver.refresh()
        b.sees("1 edit waits")
        self.assertEqual(self.first().revision, 1)
        b.driver.execute_cdp_cmd("Network.setBlockedURLs", {"urls": []})
        self.wait_for(lambda: self.first().revision == 2, "never sent")
        b.until(lambda: "edit waits" not in b.text(), "still said to wait")
        # History names it, and leads back.
        b.press("tab", "History")
        b.press("button", "As it was begun")
        self.wait_for(
            lambda: (
                [
                    n["mix_percent"]
                    for n in self.first().document["nodes"].values()
                    if n["kind"] == "reverb"
                ]
                == [27]
            ),
            "not back",
        )
        b.press("button", "Reverb mix 27 to 100 %")
        b.until(lambda: "Set to 100 % wet" not in b.text(), "not forward again")

    def test_a_rig_that_was_deleted_elsewhere_and_two_who_rename_are_told(self):
        b = self.open_demo(step="Route")
        made = self.first()
        b.choose("Rig", "Names, order, deleted …")
        field = b.find("textbox", "Name of rig Two sends")
        Rig.objects.filter(pk=made.rig_id).update(name="Theirs")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("Mine" + Keys.ENTER)
        b.sees("It was renamed to “Theirs” in another tab. What you typed is kept here.")
        self.assertEqual(field.get_property("value"), "Mine")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(Keys.DELETE + Keys.ENTER)
        b.sees("A name is needed")
        # Deleted elsewhere, and opened here.
        b.press("link", "Route")
        b.find("radio", "Reverb")
        Rig.objects.filter(pk=made.rig_id).update(deleted_at=timezone.now())
        b.press("radio", "Reverb")
        b.press("button", "Set to 100 % wet")
        b.sees("was deleted, here or in another tab")
        b.choose("Rig", "Names, order, deleted …")
        b.press("button", "Bring back Rig Theirs")
        b.find("textbox", "Name of rig Theirs")


class Phone(ThreadCase):
    def test_a_walk_at_390_pixels(self):
        b = self.browser
        b.size(390, 844)
        b.open("/")
        b.press("button", "Open the demo studio")
        b.find("radio", "Compressor")
        header = b.driver.find_element("css selector", "header")
        self.assertLessEqual(header.size["height"], 64)
        # The rig is a list; a stage opens its settings under it, and the common ones can be set.
        b.press("radio", "Reverb")
        field = b.find("textbox", "Mix, typed")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("100" + Keys.ENTER)
        self.wait_for(lambda: self.first().revision == 2, "not set")
        for step in ("Time", "Space", "Blend", "Listen", "Verify"):
            b.press("link", step)
            active = b.find("link", step)
            b.until(
                lambda e=active: b.driver.execute_script(
                    "const r = arguments[0].getBoundingClientRect();"
                    "return r.left >= -1 && r.right <= innerWidth + 1"
                    " && document.documentElement.scrollWidth <= innerWidth",
                    e,
                ),
                f"{step} is out of view, or wider than the screen",
            )
        self.no_faults()


_NONSENSE = """
const [texts, done] = arguments;
const wait = (ms) => new Promise((r) => setTimeout(r, ms));
const shown = (e) => e.checkVisibility() && !e.disabled && !e.readOnly;
const fields = () => [...document.querySelectorAll('main input, main textarea, header input')].filter(
  (e) => shown(e) && ['text', ''].includes(e.type === 'textarea' ? '' : e.getAttribute('type') ?? ''));
const put = (e, text) => {
  const own = e.tagName === 'TEXTAREA' ? HTMLTextAreaElement : HTMLInputElement;
  Object.getOwnPropertyDescriptor(own.prototype, 'value').set.call(e, text);
  e.dispatchEvent(new Event('input', {bubbles: true}));
};
const press = (e, key) => e.dispatchEvent(new KeyboardEvent('keydown', {key, code: key, bubbles: true}));
(async () => {
  const names = fields().map((e) => e.getAttribute('aria-label') || e.labels?.[0]?.innerText || e.id);
  const silent = [];
  for (let i = 0; i < names.length; i++) {
    for (const text of texts) {
      const e = fields()[i];
      if (!e) break;
      e.focus();
      put(e, text);
      press(e, 'Enter');
      await wait(60);
      const bad = fields().find((f) => f.getAttribute('aria-invalid') === 'true');
      if (bad) {
        const by = bad.getAttribute('aria-describedby');
        let said = '';
        // A reading is said a moment after it is asked for.
        for (let n = 0; n < 40 && !said; n++) {
          said = (by && document.getElementById(by)?.innerText) || document.querySelector('[role=alert]')?.innerText || '';
          if (!said) await wait(50);
        }
        if (!said) silent.push([names[i], text.slice(0, 20)]);
      }
      const again = fields()[i];
      if (again) { press(again, 'Escape'); again.blur(); }
    }
  }
  done([names.length, silent]);
})().catch((fault) => done([0, String(fault)]));
"""
NONSENSE = ("letters", "1e9", "-5", "", "9" * 10_000, "٣٤", "<b>1</b>")


class BadInput(ThreadCase):
    def test_nonsense_in_every_field_is_said_at_its_place_and_breaks_nothing(self):
        b = self.open_demo(step="Route")
        b.driver.set_script_timeout(120)
        base = b.driver.current_url.removesuffix("/route").removeprefix(b.url)
        tried = 0
        for place, ready in (
            ("/rigs", ("region", "Rigs")),
            ("/route", ("region", "Arrivals")),
            ("/space/ducking", ("region", "Ducking")),
            ("/space/phrases", ("region", "Phrases")),
            ("/space/room", ("region", "Room")),
            ("/blend/lift", ("region", "Lift the quiet")),
            ("/blend/later", ("region", "One side later")),
            ("/blend/units", ("region", "In every unit")),
            ("/listen", ("region", "By ear alone")),
            ("/verify", ("img", "Waveform B")),
            ("/time", ("group", "Time ruler")),
        ):
            b.open(base + place)
            b.find(*ready)
            if place == "/route":
                b.press("radio", "Delay")
                b.find("textbox", "Time, typed")
            with self.subTest(place=place):
                count, silent = b.driver.execute_async_script(_NONSENSE, list(NONSENSE))
                self.assertEqual(silent, [])
                tried += count
                self.assertEqual(b.faults(), [])
        self.assertGreater(tried, 40)
        # Nothing was lost: every rig is still there and can be opened.
        self.assertEqual(Variant.objects.filter(rig__song=base.rsplit("/", 1)[-1]).count(), 5)
        b.open(base + "/route")
        b.find("radio", "Reverb")
