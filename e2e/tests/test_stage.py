"""Stage sheet, device readings and setting up, on rigs that are not the demo's, up to paper."""

import base64
import json
import re
import tempfile
from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from core.routing.edit.actions import Set
from e2e.base import BrowserCase
from server.rigs.models import Variant
from server.rigs.services import create_rig, edit_variant
from server.songs.models import Song

QUAY = """
board (supply 600 mA, width 400 mm, depth 200 mm)
bass: source "Bass" (gives instrument) > squash: compressor "Grey box" (ratio 4, mix 60 %, current 45 mA, width 120 mm, depth 100 mm) > tap: send "Throw" (level -6.25 dB) > m: merge "Sum" > o: output "Stage box" (stereo)
tap > b: bus > echo: delay "Tape" (time 1/8., feedback 30 %) > back: return (level -3 dB) > m [pan -25 %]
cable squash.1 (length 0.15 m, to jack "line in")
scene "Verse" program 4: off echo
scene "End": echo (feedback 65 %); squash (mix 20 %)
"""
# What stands lower than the line at the foot, or beyond the paper's sides, and what has another ink.
_CUT = """
const found = [];
for (const page of document.querySelectorAll('[data-page]')) {
  const frame = page.getBoundingClientRect();
  const foot = page.querySelector('[data-foot]');
  const floor = foot.getBoundingClientRect().top;
  for (const e of page.querySelectorAll('*')) {
    if (foot.contains(e) || foot === e) continue;
    const r = e.getBoundingClientRect();
    if (!r.width || !r.height) continue;
    if (r.bottom > floor + 0.5 && !e.closest('svg')) found.push(['low', e.innerText?.slice(0, 40), r.bottom - floor]);
    // A deck of the drawing is a window: what is outside it is in another.
    if (e.closest('svg') && e.tagName !== 'svg') continue;
    if (r.right > frame.right - 20 || r.left < frame.left + 20) found.push(['side', e.textContent.slice(0, 40), r.right - frame.right]);
  }
}
return found.slice(0, 5);
"""
_INKS = """
const found = new Set();
const ofSvg = ['fill', 'stroke'];
for (const e of document.querySelectorAll('[data-page], [data-page] *')) {
  const s = getComputedStyle(e);
  const names = e.closest('svg') ? (e.tagName === 'svg' ? [] : ofSvg) : ['color', 'backgroundColor', 'borderTopColor'];
  for (const name of names) {
    const c = s[name].match(/\\d+(\\.\\d+)?/g);
    if (c && (c[0] !== c[1] || c[1] !== c[2]) && c[3] !== '0') found.add(e.tagName + ' ' + name + ' ' + s[name]);
  }
}
return [...found];
"""
_SMALLEST = """
return Math.min(...[...document.querySelectorAll('[data-page] *')]
  .filter((e) => [...e.childNodes].some((n) => n.nodeType === 3 && n.data.trim()))
  .map((e) => parseFloat(getComputedStyle(e).fontSize)));
"""


class OfOnesOwn(BrowserCase):
    jobs = False

    def rig(self, notation: str, name: str = "Quayside") -> tuple[Song, str]:
        """A rig in a song of their own; returns the song and the variant."""
        song = Song.objects.filter(is_demo_original=False).order_by("created_at")[2]
        song.title, song.players = "Low Water", "bass"
        song.tempo_map = [{**song.tempo_map[0], "tempo_bpm": 75.55}]
        song.save()
        rig = create_rig(song, name, None, notation)
        return song, str(rig.variants.get().pk)

    def sheet(self, notation: str = QUAY, more: str = "sheet") -> str:
        song, variant = self.rig(notation)
        self.browser.open(f"/songs/{song.pk}/variants/{variant}/{more}")
        return variant

    def pdf_pages(self) -> int:
        found = self.browser.driver.execute_cdp_cmd(
            "Page.printToPDF", {"printBackground": True, "preferCSSPageSize": True}
        )
        return len(re.findall(rb"/Type\s*/Page[^s]", base64.b64decode(found["data"])))


class Paper(OfOnesOwn):
    def on_paper(self) -> None:
        b = self.browser
        self.assertEqual(b.driver.execute_script(_CUT), [])
        self.assertEqual(b.driver.execute_script(_INKS), [])
        self.assertGreaterEqual(b.driver.execute_script(_SMALLEST), 11)

    def test_one_page_in_one_ink_with_the_same_numbers_everywhere(self):
        b = self.open_demo(step="Route")
        variant = self.sheet()
        b.sees("Grey box")
        self.on_paper()
        self.assertEqual(self.pdf_pages(), 1)
        for words in ("Low Water", "75.55", "ratio 4:1", "feedback 30 %", "1 Grey box", "0.15", "45 of 600 mA", "−6.25 dB", "400 by 200 mm", "No null test yet."):  # fmt: skip
            self.assertIn(words, b.text())
        drawn = b.find("img", "Course with").text.split()
        cables = len(b.driver.find_elements(By.CSS_SELECTOR, "[aria-label^='Course'] rect + text"))
        # In the app: as many cables under the same numbers, from stages with the same ones.
        answer = b.driver.execute_async_script(
            "fetch(`/api/v1/variants/${arguments[0]}`).then((r) => r.json()).then(arguments[1])", variant
        )  # fmt: skip
        patch = answer["view"]["patch"]
        self.assertEqual(cables, len(patch["cables"]))
        for stage in patch["stages"]:
            self.assertIn(str(stage["number"]), drawn)
        self.no_faults()

    def test_forty_stages_and_twelve_scenes_lose_nothing(self):
        self.open_demo(step="Route")
        long = "w" * 29 + " " + "W" * 30
        chain = " > ".join(
            f's{n}: drive "{n} {long[: 10 + n]}" (gain {n} dB)' for n in range(1, 41)
        )
        scenes = "\n".join(f'scene "{n} {long[:30]}" program {n}: off s{n}; s{n + 1} (gain 40 dB)' for n in range(1, 13))  # fmt: skip
        fan = "\n".join(f"m{n}: source > x" for n in range(1, 15))
        self.sheet(f"a: source > {chain} > x: merge > o: output\n{fan}\n{scenes}")
        b = self.browser
        b.sees("Set to")
        self.on_paper()
        pages = len(b.driver.find_elements(By.CSS_SELECTOR, "[data-page]"))
        self.assertGreater(pages, 1)
        self.assertEqual(self.pdf_pages(), pages)
        text = b.text()
        for n in range(1, 41):
            self.assertEqual(text.count(f"gain {n} dB, ceiling"), 1, n)
        self.assertIn("Set to, further", text)
        self.no_faults()

    def test_a_scene_alone_and_a_rig_without_anything(self):
        self.open_demo(step="Route")
        self.sheet()
        b = self.browser
        b.choose("Scenes on the sheet", "End alone")
        b.sees("feedback 65 %")
        b.sees("Scene End alone.")
        self.on_paper()
        song, variant = self.rig("a: source > o: output", "Bare")
        b.open(f"/songs/{song.pk}/variants/{variant}/sheet")
        b.sees("Times at 75.55")
        self.on_paper()
        self.assertEqual(self.pdf_pages(), 1)
        b.open(f"/songs/{song.pk}/variants/{song.pk}/sheet")
        b.sees("No sheet.")
        self.no_faults()


class Reads(OfOnesOwn):
    def test_by_keys_and_it_is_set_as_the_device_shows_it(self):
        self.open_demo(step="Route")
        self.sheet()
        b = self.browser
        b.find("button", "1 Grey box").send_keys(Keys.ENTER)
        b.find("dialog", "How Grey box reads")
        b.choose("mix reads", "a knob, by the clock")
        b.type("mix: from, %", "nought")
        b.find("button", "Keep").send_keys(Keys.ENTER)
        b.sees("mix, at its low end: “nought” is no number.")
        b.type("mix: from, %", "0", enter=True)
        # 60 % of the ten hours from seven is one o'clock; 20 % nine.
        b.sees("mix 1:00")
        b.sees("mix 9:00")
        b.find("button", "1 Grey box ✓")
        # What another song calls by that name reads like it, too; and a file takes it elsewhere.
        b.press("button", "Devices")
        b.find("dialog", "How your devices read")
        b.sees("Keep in a file")
        found = b.driver.execute_async_script(
            "fetch('/api/v1/panels/file').then((r) => r.json()).then(arguments[0])"
        )
        found["panels"][0]["controls"][0]["step"] = 1
        found["panels"].append({**found["panels"][0], "name": "Tape"})
        with tempfile.TemporaryDirectory() as folder:
            for name, words in (("bad.json", "[{"), ("good.json", json.dumps(found))):
                (Path(folder) / name).write_text(words)
            picker = b.driver.find_element(By.CSS_SELECTOR, "input[type=file]")
            picker.send_keys(str(Path(folder) / "bad.json"))
            b.sees("“bad.json” is no file of devices")
            picker.send_keys(str(Path(folder) / "good.json"))
            b.sees("You have “Grey box” already.")
            b.press("button", "Replace mine")
            b.sees("2 devices taken.")
        b.press("button", "Done")
        b.sees("mix 1:00")
        self.no_faults()

    def test_cables_are_named_in_the_patch_sheet_on_a_phone(self):
        b = self.open_demo(step="Route")
        b.size(390, 844)
        b.press("tab", "Patch sheet")
        b.press("button", "Change cable 3")
        b.type("To jack", "in, left")
        b.type("Length, m", "far", enter=True)
        b.sees("“far” is no length")
        b.type("Length, m", "2,5 m", enter=True)
        b.sees("2.5 m")
        b.sees("3 Volume, in, left")
        b.press("button", "Change cable 3")
        b.press("button", "It is no cable")
        b.until(lambda: "in, left" not in b.text())
        wide = b.driver.execute_script("return document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 390)
        self.no_faults()


class SetUp(OfOnesOwn):
    def test_on_a_phone_with_ticks_that_stay(self):
        self.open_demo(step="Route")
        b = self.browser
        b.size(390, 844)
        variant = self.sheet(more="set-up")
        b.sees("0 of ")
        b.press("button", "Cable 1 is in")
        b.sees("1 of ")
        b.press("button", "stage 1 Grey box")
        b.sees("4:1")
        b.keys("x")
        b.sees("2 of ")
        b.driver.refresh()
        b.sees("2 of ")
        # Another setting since: that one alone is to be done again.
        row = Variant.objects.get(pk=variant)
        edit_variant(row.rig.song.owner, row.pk, Set(node="squash", values={"ratio": 8}), 1, row.pk)
        b.driver.refresh()
        b.sees("1 of ")
        b.press("button", "stage 1 Grey box, changed")
        b.sees("Changed since you did it")
        b.sees("8:1")
        b.keys(Keys.ARROW_RIGHT)
        b.find("heading", "Throw")
        b.choose("Scene", "End")
        b.sees("0 of ")
        wide = b.driver.execute_script("return document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 390)
        self.no_faults()
