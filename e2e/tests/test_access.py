"""By keyboard, in both themes, from 390 to 1600 px: nothing cut, nothing unreachable."""

import json
from pathlib import Path

from selenium.webdriver.common.keys import Keys

from e2e.base import ROOT, BrowserCase

AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
KEYS = ROOT / "web" / "src" / "ui" / "keys.json"

# Cells of one table that lie over each other, by their words.
_OVERLAPS = """
const found = [];
for (const table of document.querySelectorAll('table')) {
  const boxes = [...table.querySelectorAll('td')].map((e) => [e, e.getBoundingClientRect()])
    .filter(([, r]) => r.width > 0 && r.height > 0);
  for (let i = 1; i < boxes.length; i++) for (let j = 0; j < i; j++) {
    const [a, b] = [boxes[i][1], boxes[j][1]];
    const wide = Math.min(a.right, b.right) - Math.max(a.left, b.left);
    const tall = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
    if (wide > 1 && tall > 1 && found.length < 3) found.push([boxes[j][0].innerText, boxes[i][0].innerText]);
  }
}
return found;
"""
WIDTHS = (390, 700, 1000, 1280, 1600)
ENDS = (390, 1000, 1600)
TIME_TOOLS = (
    "Repeats", "Lattice", "Error at each repeat", "Reach of the device", "Table of values",
    "Tempo map", "Tempo from a delay", "A take",
)  # fmt: skip
SPACE_TOOLS = (
    "Gaps", "Pre-delay and decay", "Fit a length", "By octave", "Ducking", "Phrases",
    "Low end together", "Each return", "Early part and tail", "Room",
)  # fmt: skip
BLEND_TOOLS = (
    "Lift the quiet", "What a hit keeps", "Over the clip", "Before and after",
    "The same as one insert", "Back to a pair", "One side later", "Centre and sides",
    "Width and pan", "Along the course", "In every unit",
)  # fmt: skip
VERIFY_WAYS = (
    ("One against many", ("combobox", "the reference")),
    ("Three passes", ("combobox", "clip of pass 3")),
    ("Two paths", ("img", "The sum by delay")),
    ("Series or send", ("button", "Render both")),
    ("Live null", ("button", "Open the inputs")),
    ("Bench", ("button", "Measure the delay")),
)


class Access(BrowserCase):
    def violations(self, rule: str = "", within: str = "html") -> list[str]:
        """What axe finds: by all rules that there are, or by one of them; in a part of the page, or in all of it."""
        driver = self.browser.driver
        if not driver.execute_script("return Boolean(window.axe)"):
            driver.execute_script(Path(AXE).read_text())
        only = f", runOnly: ['{rule}']" if rule else ""
        found = driver.execute_async_script(
            f"const done = arguments[1]; axe.run(arguments[0], {{resultTypes: ['violations']{only},"
            " rules: {'label-content-name-mismatch': {enabled: true}}})"
            ".then((r) => done(r.violations.map((v) => v.id + ': ' + v.nodes.slice(0, 3)"
            ".map((n) => n.html.slice(0, 160)).join(' | '))));",
            within,
        )
        return list(found)

    def overflow(self) -> int:
        return self.browser.driver.execute_script(
            "return document.documentElement.scrollWidth - window.innerWidth"
        )

    def check(
        self, place: str, widths: tuple[int, ...] = WIDTHS, within: str = "html"
    ) -> None:  # fmt: skip
        for theme in ("light", "dark"):
            self.browser.theme(theme)
            self.browser.until(
                lambda t=theme: (
                    t
                    in self.browser.driver.execute_script(
                        "return document.documentElement.className"
                    )
                )
            )
            with self.subTest(place=place, theme=theme):
                # Names and roles are the same in both themes; colours are not.
                rule = "" if theme == "light" else "color-contrast"
                found = self.violations(rule, within)
                self.assertEqual(found, [])
        for width in widths:
            self.browser.size(width, 800)
            with self.subTest(place=place, width=width):
                # What measures itself follows the new width one frame later.
                self.browser.until(
                    lambda: self.overflow() <= 0, f"{place} is wider than {width} px", 3
                )
                if width == 390:
                    if widths is WIDTHS:
                        self.assertEqual(self.violations(), [])
                    self.assertEqual(self.browser.driver.execute_script(_OVERLAPS), [])
        self.browser.size(1280, 800)

    def test_every_view(self):
        b = self.browser
        b.open("/")
        b.find("button", "Open the demo studio")
        self.check("entrance")
        self.open_demo(step="Route")
        b.find("radio", "Reverb").click()
        self.check("route")
        for sheet in ("Wishes", "Scenes", "Patch sheet"):
            b.press("tab", sheet)
            self.check(sheet)
        b.press("link", "Time")
        b.find("group", "Time ruler")
        for tool in TIME_TOOLS:
            b.press("link", tool)
            b.find("region", tool)
            self.check(f"time, {tool}", ENDS, "html" if tool == TIME_TOOLS[0] else "main")
        b.press("link", "Space")
        b.find("region", "Gaps")
        b.keys("u")
        for tool in SPACE_TOOLS:
            b.press("link", tool)
            b.find("region", tool)
            self.check(f"space, {tool}", ENDS, "html" if tool == SPACE_TOOLS[0] else "main")
        b.press("link", "Blend")
        for tool in BLEND_TOOLS:
            b.press("link", tool)
            b.find("region", tool)
            self.check(f"blend, {tool}", ENDS, "html" if tool == BLEND_TOOLS[0] else "main")
        b.press("link", "Listen")
        b.find("region", "By ear alone")
        self.check("listen, nothing rendered")
        b.press("button", "Render all 3 variants")
        b.enabled("Hear C", 90)
        self.check("listen, rendered")
        for sheet in ("Captures", "Export", "Log"):
            b.press("tab", sheet)
            self.check(f"listen, {sheet}")
        b.press("link", "Verify")
        b.find("img", "Waveform B")
        self.check("verify")
        b.press("button", "Test A second cable")
        b.sees("right inverted", 60)
        self.check("result")
        b.press("link", "Proof sheet")
        b.find("button", "Print")
        self.check("proof", ENDS)
        b.press("link", "Verify")
        for way, there in VERIFY_WAYS:
            b.press("link", way)
            b.find(*there)
            self.check(f"verify, {way}", ENDS, "main")
        b.press("button", "Measure the delay")
        b.find("img", "Set to 314", 60)
        self.check("measured", ENDS)
        b.press("link", "Log")
        b.sees("newest first")
        self.check("log")
        b.press("link", "Route")
        b.press("tab", "Patch sheet")
        b.press("link", "Stage sheet")
        b.sees("as the device shows it")
        self.check("stage sheet", ENDS)
        b.press("button", "1 Compressor")
        b.find("dialog", "How Compressor reads")
        b.choose("threshold reads", "a knob, by the clock")
        self.check("device readings", ENDS)
        b.press("button", "Leave as it was")
        b.press("link", "Set it up")
        b.find("button", "Cable 1 is in")
        self.check("set up", ENDS)
        b.press("link", "Leave")
        b.press("link", "Back to Route")
        b.driver.execute_script("document.activeElement.blur()")
        b.keys(Keys.SHIFT + "f" + Keys.NULL)
        b.find("dialog", "Find, or say what to do")
        b.driver.switch_to.active_element.send_keys("reverb")
        b.sees("Arrows choose")
        self.check("find", ENDS)
        b.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
        b.press("link", "Fonodrome, all songs")
        b.find("link", "Ferry in Fog")
        self.check("songs")

    def test_what_stands_beside_a_song(self):
        b = self.open_demo(step="Route")
        b.open("/")
        b.press("button", "Keep it: sign up")
        b.type("Name", "harbour")
        b.driver.find_element("css selector", "dialog input[type=password]").send_keys(
            "a long sentence 7"
        )
        b.press("button", "Make my account")
        b.sees("Signed up as harbour")
        b.press("link", "Set lists")
        b.type("Name of the set list", "Pier, Friday", enter=True)
        b.find("heading", "Pier, Friday")
        b.press("button", "Put in Paper Lighthouse")
        b.press("button", "Put in Nine Lanterns")
        b.press("button", "Put in a pause")
        b.press("button", "Set Paper Lighthouse")
        b.choose("Played through", "Two sends A Two sends")
        b.choose("Begins in scene", "Verse, program 1")
        b.sees("✓ Saved")
        self.check("set list", ENDS)
        b.press("link", "On stage")
        b.find("button", "Count in")
        b.sees("program 1 on channel 1")
        self.check("on stage", ENDS)
        b.press("link", "Leave")
        b.press("link", "All set lists")
        b.find("button", "Delete Pier, Friday")
        self.check("set lists", ENDS)
        b.press("link", "All songs")
        b.press("link", "Scripts")
        b.type("What the token is for", "nightly", enter=True)
        b.find("status", "The new token")
        self.check("scripts", ENDS)
        b.press("link", "All songs")
        b.press("link", "Share Paper Lighthouse")
        b.press("button", "Make the link")
        b.sees("runs out in 14 days")
        self.check("share", ENDS)
        b.keys(Keys.SHIFT + "k" + Keys.NULL)
        b.find("dialog", "Keep pictures and tables")
        b.press("button", "Close")
        b.press("link", f"{b.url}/shared/")
        b.find("heading", "Paper Lighthouse")
        b.sees("as the device shows it")
        self.check("shared", ENDS)

    def test_keys_do_not_clash_and_the_sheet_shows_them_all(self):
        keys = json.loads(KEYS.read_text())
        for scope in {k["scope"] for k in keys} - {"everywhere"}:
            together = [k["keys"] for k in keys if k["scope"] in (scope, "everywhere")]
            self.assertEqual(len(together), len(set(together)), scope)
        b = self.open_demo()
        b.keys("?")
        sheet = b.find("dialog", "Keys and words")
        for key in keys:
            self.assertIn(key["does"], sheet.text)
        b.press("button", "Close")
        b.until(lambda: b.look("dialog", "Keys and words") is None)

    def test_keys_rest_while_a_field_has_the_focus(self):
        b = self.open_demo()
        field = b.find("textbox", "Song title")
        field.send_keys("tt")
        self.assertTrue(field.get_attribute("value").endswith("tt"))
        self.assertIsNone(b.look("region", "Taps"))
