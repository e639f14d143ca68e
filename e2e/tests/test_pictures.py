"""Pictures and tables of every step, kept as files and looked at as files."""

import csv
import os
import tempfile
from pathlib import Path
from xml.etree import ElementTree

from e2e.base import BrowserCase

SVG = "{http://www.w3.org/2000/svg}"


class Pictures(BrowserCase):
    jobs = False

    def setUp(self):
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="fonodrome-kept-"))
        self.browser.driver.execute_cdp_cmd(
            "Browser.setDownloadBehavior", {"behavior": "allow", "downloadPath": str(self.folder)}
        )
        self.addCleanup(
            self.browser.driver.execute_cdp_cmd, "Browser.setDownloadBehavior", {"behavior": "default"}
        )  # fmt: skip

    def file(self, name):
        path = self.folder / name
        self.browser.until(path.is_file, f"no file “{name}” among {os.listdir(self.folder)}")
        return path

    def test_the_course_as_a_file_is_what_is_seen_and_needs_nothing_else(self):
        b = self.open_demo(step="Route")
        b.keys("K")
        b.press("button", "SVG Course")
        root = ElementTree.parse(self.file("Paper Lighthouse, Course.svg")).getroot()
        words = [t.text for t in root.iter(f"{SVG}text") if t.text]
        for said in ("Course", "Paper Lighthouse", "Compressor", "dry dBFS"):
            self.assertTrue([w for w in words if said in w], said)
        text = ElementTree.tostring(root, encoding="unicode")
        self.assertNotIn("var(--", text)
        self.assertNotIn("class=", text)
        lines = [e for e in root.iter() if e.get("stroke-dasharray") not in (None, "none")]
        self.assertTrue(lines, "wet is dashed")
        b.press("button", "PNG Course")
        png = self.file("Paper Lighthouse, Course.png").read_bytes()
        self.assertEqual(png[:8], b"\x89PNG\r\n\x1a\n")
        # Twice what is seen, and not one flat colour.
        wide = int.from_bytes(png[16:20], "big")
        self.assertGreater(wide, 1600)
        self.assertGreater(len(png), 30_000)
        self.no_faults()

    def test_every_step_at_390_px_offers_its_pictures_by_key_and_each_can_be_drawn(self):
        b = self.open_demo(step="Route")
        b.size(390, 844)
        counts = {}
        for step in ("Route", "Time", "Space", "Blend"):
            b.press("link", step)
            b.until(lambda step=step: step.lower() in b.driver.current_url, step)
            b.until(lambda: b.driver.execute_script(
                "return [...document.querySelectorAll('svg')].some((s) => s.clientWidth > 149 && s.clientHeight > 39)"
            ), "no picture yet")  # fmt: skip
            b.keys("K")
            b.find("dialog", "Keep pictures and tables")
            drawn = b.until(lambda: b.driver.execute_script(
                "const all = [...document.querySelectorAll('dialog img')];"
                "return all.length && all.every((i) => i.complete) ? all.map((i) => i.naturalWidth) : null"
            ), f"not drawn: {step} {b.text()[-600:]} {b.faults()}")  # fmt: skip
            self.assertTrue(all(wide > 150 for wide in drawn), (step, drawn))
            counts[step] = len(drawn)
            b.press("button", "Close")
        self.assertGreaterEqual(sum(counts.values()), 8, counts)
        self.no_faults()

    def test_a_table_is_kept_as_csv(self):
        b = self.open_demo(step="Time")
        b.press("link", "Table of values")
        b.until(lambda: b.driver.find_elements("css selector", "main table td"), "no table")
        b.keys("K")
        b.press("button", "CSV ")
        path = b.until(lambda: next(self.folder.glob("*.csv"), None), "no CSV")
        rows = list(csv.reader(path.open(newline="", encoding="utf-8")))
        self.assertEqual({len(r) for r in rows}, {len(rows[0])})
        # An eighth in six eight at 94 dotted quarters: 60000 / 94 / 3 ms.
        eighth = next(r for r in rows if r[0] == "1/8")
        self.assertEqual(eighth[1], "212.766 ms")
