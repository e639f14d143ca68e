"""From a change to its sound, measured in the browser: marks that the engine itself sets."""

import random
import statistics
import time
from collections.abc import Iterator
from pathlib import Path

from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.common.keys import Keys

from e2e.browser import Browser

ROUNDS = 7
# What a change is: the part, its scale, and whether it is a level, which is to be heard sooner.
CHANGES = (
    ("a return's level", "Return", "Level", True),
    ("its decay", "Reverb", "RT60", False),
    ("the first compressor", "Compressor", "Threshold", False),
    ("the drive", "Drive", "Gain", False),
)  # fmt: skip
_MARK = (
    "return performance.getEntriesByType('mark').filter((m) => /^(heard|gain) /.test(m.name))"
    ".map((m) => m.startTime)"
)


def _play(browser: Browser, rig: str = "Two sends") -> None:
    """The demo rig on 30 s: its first source's clip three times in a row."""
    browser.choose("Rig", rig)
    browser.press("link", "Listen")
    browser.choose("Clip of Guitar", "Guitar, print 1.wav")
    field = browser.find("textbox", "Times that Guitar plays")
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys("3", Keys.ENTER)
    browser.until(lambda: "Stretch: 0:00.0 to 0:30.0" in browser.text(), "not 30 s")
    # A level that nobody had before: nothing of what follows was rendered on this machine already.
    level = browser.find("textbox", "Level of Guitar")
    level.send_keys(Keys.CONTROL, "a")
    level.send_keys(f"{-random.randint(1, 4000) / 1000:.3f}", Keys.ENTER)


def _turn(browser: Browser, scale: str) -> None:
    def turned() -> bool:
        try:
            browser.find("slider", scale).send_keys(Keys.ARROW_LEFT)
        except StaleElementReferenceException:
            return False
        return True

    browser.until(turned, f"{scale} cannot be moved")


def _chosen(browser: Browser, part: str, scale: str) -> bool:
    if browser.look("slider", scale) is None:
        browser.press("radio", part)
        time.sleep(0.5)
    return browser.look("slider", scale) is not None


def _changed(browser: Browser, part: str, scale: str, presses: int) -> float:
    """ms from the last press on a scale to what the engine marks."""
    browser.press("radio", part)
    browser.until(lambda: _chosen(browser, part, scale), f"{part} is not chosen", 30)
    for _ in range(presses):
        _turn(browser, scale)
    # Until what was changed before is heard, and nothing more comes of it.
    marks, quiet = -1, time.time()
    while time.time() - quiet < 4:
        now = len(browser.driver.execute_script(_MARK))
        if now != marks:
            marks, quiet = now, time.time()
        time.sleep(0.1)
    browser.driver.execute_script("performance.clearMarks()")
    _turn(browser, scale)
    began = browser.driver.execute_script("return performance.now()")
    deadline = time.time() + 30
    while time.time() < deadline:
        marks = browser.driver.execute_script(_MARK)
        if marks:
            return float(marks[0]) - began
        time.sleep(0.05)
    raise TimeoutError(part)


def measure_hearing(url: str) -> Iterator[tuple[str, float, str]]:
    """(what, median ms, goal)."""
    browser = Browser(url)
    try:
        browser.size(1280, 800)
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.find("radio", "Compressor", 30)
        _play(browser)
        began = time.time()
        browser.keys(" ")
        browser.find("button", "Stop", 60)
        yield "from Space to sound, nothing rendered", 1e3 * (time.time() - began), "-"
        browser.press("link", "Route")
        for name, part, scale, level in CHANGES:
            browser.find("radio", part, 30)
            times = [_changed(browser, part, scale, random.randint(0, 2)) for _ in range(ROUNDS)]
            yield f"heard after {name}", statistics.median(times), "700" if level else "1500"
    finally:
        browser.close()


def _memory(browser: Browser) -> float:
    """MB of the largest process of the browser that shows the page."""
    pid = browser.driver.service.process.pid  # type: ignore[union-attr]
    children: dict[int, list[int]] = {}
    sizes: dict[int, int] = {}
    for folder in Path("/proc").iterdir():
        if not folder.name.isdigit():
            continue
        try:
            stat = (folder / "stat").read_text()
            own = int(folder.name)
            children.setdefault(int(stat.rpartition(")")[2].split()[1]), []).append(own)
            if "--type=renderer" in (folder / "cmdline").read_text():
                for line in (folder / "status").read_text().splitlines():
                    if line.startswith("RssAnon"):
                        sizes[own] = int(line.split()[1])
        except OSError:
            continue
    todo, largest = [pid], 0
    while todo:
        one = todo.pop()
        largest = max(largest, sizes.get(one, 0))
        todo += children.get(one, [])
    return largest / 1024


def measure_length(url: str, minutes: int = 10) -> Iterator[tuple[str, float, str]]:
    """(what, MB, goal): a long song of four variants, all of them playing."""
    browser = Browser(url)
    try:
        browser.size(1280, 800)
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.find("radio", "Compressor", 30)
        _play(browser)
        browser.press("link", "Route")
        browser.find("tab", "Variants")
        before = _memory(browser)
        browser.press("link", "Listen")
        field = browser.find("textbox", "Times that Guitar plays")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(str(round(minutes * 60 / 12.4)), Keys.ENTER)
        browser.press("button", "Stretch")
        browser.press("button", "All")
        browser.press("button", "Render all 3 variants")
        for letter in ("A", "B", "C", "clip"):
            browser.until(
                lambda x=letter: (one := browser.look("button", f"Hear {x}")) and one.is_enabled(),
                f"{letter} is not rendered", 600,
            )  # fmt: skip
        browser.keys(" ")
        browser.find("button", "Stop", 60)
        time.sleep(20)
        yield (
            f"{minutes} minutes of four sounds playing, page over before",
            _memory(browser) - before,
            "300",
        )
    finally:
        browser.close()
