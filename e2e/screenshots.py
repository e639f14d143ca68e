"""One picture of each main view, made from the demo data. Run by `./fonodrome screenshots`."""

import os
import sys
from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from e2e.browser import Browser


def take(url: str, folder: Path) -> None:
    browser = Browser(url)
    try:
        browser.theme("light")
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.find("img", "Response within 10 ms")
        browser.press("radio", "Reverb, ")
        browser.find("slider", "RT60")
        # A mix that was just moved: where it stood before is still seen.
        browser.find("slider", "Mix").send_keys(Keys.SHIFT + Keys.ARROW_RIGHT + Keys.NULL)
        browser.find("button", "Mix back to")
        _settle(browser)
        browser.picture(folder / "route-light.png")
        browser.theme("dark")
        _settle(browser)
        browser.picture(folder / "route-dark.png")
        browser.theme("light")
        browser.size(390, 844)
        _settle(browser)
        browser.picture(folder / "route-phone.png")
        browser.size(1280, 800)
        browser.choose("Rig", "A new rig …")
        browser.find("button", "Begin with Sidings")
        browser.press("button", "Begin with Sidings")
        browser.press("radio", "Sidings, calls")
        browser.find("region", "Lines kept")
        _settle(browser)
        browser.picture(folder / "sidings-light.png")
        browser.choose("Rig", "A new rig …")
        browser.press("button", "Begin with Dry centre, wet left and right")
        browser.press("radio", "Left delay")
        browser.keys("b")
        browser.find("region", "Where it lands")
        browser.sees("closes a loop")
        _settle(browser)
        browser.picture(folder / "route-lay-light.png")
        browser.keys(Keys.ESCAPE)
        browser.choose("Rig", "Two sends")
        browser.press("link", "Space")
        browser.find("region", "Gaps")
        browser.sees("Behind Reverb stands Return")
        _settle(browser)
        browser.picture(folder / "space-light.png")
        browser.press("link", "Ducking")
        browser.keys("u")
        browser.sees("while phrases sound")
        _settle(browser)
        _whole(browser, folder / "space-ducking-light.png")
        browser.keys("u")
        browser.press("link", "Blend")
        browser.find("region", "Lift the quiet")
        browser.sees("Quiet sounds gain")
        # Beside each tool its figure, as soon as the clip is measured.
        for figure in ("dB at most", "dB over"):
            browser.sees(figure)
        _settle(browser)
        browser.picture(folder / "blend-light.png")
        browser.press("link", "Listen")
        browser.choose("Rig", "Three sources")
        browser.find("region", "Sources")
        browser.press("button", "Render all 2 variants")
        for letter in ("A", "B", "clip"):
            browser.enabled(f"Hear {letter}", 90)
        # Heard a moment before it is measured.
        cells = (By.CSS_SELECTOR, "td")
        browser.until(
            lambda: all(c.text != "…" for c in browser.driver.find_elements(*cells)),
            "not measured", 60,
        )  # fmt: skip
        browser.press("button", "Hear A")
        _settle(browser)
        browser.press("button", "Hear B")
        browser.press("button", "Hear A")
        browser.press("button", "Draw a move")
        browser.choose("Setting that moves", "Compressed copy into Merge: level, dB")
        lane = browser.find("group", "Compressed copy into Merge: level over the bars")
        for key in ("n", Keys.ARROW_UP, Keys.ARROW_UP, Keys.ARROW_UP):
            lane.send_keys(key) if key == "n" else browser.find("slider", "Point at bar").send_keys(
                key
            )
            _settle(browser)
        # With its move it is made anew; the picture is of what came of it.
        browser.until(
            lambda: "is made" not in browser.text() and "is older than its rig" not in browser.text(),
            "not made anew", 60,
        )  # fmt: skip
        browser.until(
            lambda: all(c.text != "…" for c in browser.driver.find_elements(*cells)),
            "not measured anew", 60,
        )  # fmt: skip
        browser.press("button", "Stop")
        _whole(browser, folder / "listen-light.png")
        browser.press("button", "Take out all moves")
        browser.choose("Rig", "Two sends")
        browser.size(1280, 800)
        browser.theme("light")
        browser.press("link", "Time")
        browser.find("group", "Reading")
        browser.sees("repeats above")
        _settle(browser)
        browser.picture(folder / "time-light.png")
        browser.press("link", "Fonodrome, all songs")
        browser.press("link", "Paper Lighthouse")
        browser.press("link", "Verify")
        browser.find("img", "Waveform B")
        for pair in ("A second cable", "Through a loop", "Through outboard"):
            browser.press("link", "Verify")
            browser.press("button", f"Test {pair}")
            browser.find("button", "Play", 60)
        browser.find("button", "Write it into the rig")
        _whole(browser, folder / "verify-result-light.png")
        browser.press("link", "Verify")
        browser.find("img", "Waveform B")
        browser.find("link", "Open the test of Clarinet, take 1.wav")
        browser.sees("samples late and inverted: matched")
        _whole(browser, folder / "verify-light.png")
        song = browser.driver.current_url.split("/verify")[0].removeprefix(browser.url)
        _results(browser, folder)
        browser.size(1280, 800)
        browser.theme("light")
        browser.open(song + "/log")
        browser.type(
            "A note of your own", "The clarinet leaks into the guitar: keep it, it sounds alive"
        )
        browser.press("button", "Write it down")
        browser.sees("newest first")
        browser.until(lambda: not browser.find("textbox", "A note of").get_property("value"))
        _whole(browser, folder / "log-light.png")
        browser.size(1280, 800)
        browser.press("link", "Route")
        browser.press("tab", "Patch sheet")
        browser.press("link", "Stage sheet")
        browser.sees("as the device shows it")
        _paper(browser, folder / "stage-sheet.png")
        browser.size(390, 844)
        browser.press("link", "Set it up")
        browser.press("button", "Cable 1 is in")
        browser.press("button", "stage 4 Delay")
        browser.find("heading", "Delay")
        _settle(browser)
        browser.picture(folder / "set-up-phone.png")
        _set_list(browser, folder / "set-list-phone.png")
        _wishes(browser, folder / "wishes-light.png")
        browser.size(1280, 800)
        faults = browser.faults()
        if faults:
            sys.exit("The page wrote errors: " + "; ".join(faults))
    finally:
        browser.close()


def _wishes(browser: Browser, path: Path) -> None:
    """Three wishes of which two contradict each other, and what the one costs the other."""
    browser.size(1280, 800)
    browser.open("/")
    browser.press("link", "Nine Lanterns")
    browser.press("link", "Route")
    browser.press("tab", "Wishes")
    browser.press("button", "Find settings")
    browser.sees("cannot hold together", 30)
    browser.press("button", "Draw what the one costs the other")
    browser.find("region", "What the one costs the other", 30)
    sheet = browser.driver.find_element("css selector", "[data-sheet]")
    height = int(browser.driver.execute_script("return document.documentElement.scrollHeight"))
    browser.size(1280, height)
    _settle(browser)
    path.write_bytes(sheet.screenshot_as_png)
    browser.size(1280, 800)


def _set_list(browser: Browser, path: Path) -> None:
    """A song of the set list as it is read on stage, in its count-in."""
    browser.size(1280, 800)
    browser.open("/set-lists")
    browser.type("Name of the set list", "Harbour stage, 14 June", enter=True)
    browser.find("heading", "Harbour stage")
    for title in ("Paper Lighthouse", "Ferry in Fog", "Nine Lanterns"):
        browser.press("button", f"Put in {title}")
        browser.find("button", f"Set {title}")
    browser.sees("✓ Saved")
    browser.size(390, 844)
    browser.press("link", "On stage")
    browser.find("button", "Count in")
    browser.sees("kept on this device", 60)
    browser.press("button", "Count in")
    browser.sees("bar 2 of 2")
    browser.picture(path)


_MEASURED = ("delay", "decay", "dynamics", "loop", "filter", "mix")


def _results(browser: Browser, folder: Path) -> None:
    """What Verify and its bench answer, side by side on one sheet, in both themes."""
    browser.press("link", "Two paths")
    browser.choose("A, which stays", "Guitar, print 1.wav")
    browser.choose("B, which is moved", "Guitar, through the loop.wav")
    browser.sees("and turn its polarity over")
    shots = {theme: [_shot(browser, theme)] for theme in ("light", "dark")}

    def seen() -> None:
        for theme, kept in shots.items():
            kept.append(_shot(browser, theme))

    browser.press("link", "Null test")
    browser.press("link", "Open the test of Guitar, print 1.wav against Guitar, outboard.wav")
    browser.find("button", "Play", 60)
    seen()
    browser.press("link", "Proof sheet")
    browser.sees("SHA-256")
    seen()
    song = browser.driver.current_url.split("/verify")[0].removeprefix(browser.url)
    for kind in _MEASURED:
        browser.open(f"{song}/verify/bench/{kind}")
        browser.enabled("Measure the")
        browser.press("button", "Measure the")
        browser.find("link", "Proof sheet", 60)
        seen()
    for theme, kept in shots.items():
        _sheet(browser, kept, folder / f"verify-results-{theme}.png")


def _shot(browser: Browser, theme: str) -> str:
    browser.theme(theme)
    browser.driver.execute_script("window.scrollTo(0, 0)")
    _settle(browser)
    return browser.driver.get_screenshot_as_base64()


def _sheet(browser: Browser, shots: list[str], path: Path) -> None:
    """Pictures three in a row, at half their size, by the browser itself."""
    browser.driver.get("about:blank")
    browser.driver.execute_script(
        "document.body.style.cssText = 'margin:8px;display:grid;gap:8px;background:#8a8a80;"
        "grid-template-columns:repeat(3,640px)';"
        "return Promise.all(arguments[0].map((data) => { const one = new Image();"
        " one.style.width = '640px'; one.src = 'data:image/png;base64,' + data;"
        " document.body.append(one); return one.decode(); }))",
        shots,
    )
    browser.size(3 * 640 + 4 * 8, 400 * -(-len(shots) // 3) + 8 * 4)
    browser.picture(path)


_BUSY = """
const said = [...document.querySelectorAll('[role=status]')].map((e) => e.innerText.trim());
return said.includes('Sending') || [...document.querySelectorAll('[role=status][aria-live]')].some((e) => e.innerText);
"""


def _settle(browser: Browser) -> None:
    """Wait until what was done is kept and no word of it lies over the view, fonts are there and two frames were drawn."""
    browser.until(
        lambda: not browser.driver.execute_script(_BUSY), "it is still being kept or said", 30
    )
    browser.driver.execute_async_script(
        "const done = arguments[0]; document.fonts.ready.then(() =>"
        " requestAnimationFrame(() => requestAnimationFrame(() => done())));"
    )


def _paper(browser: Browser, path: Path) -> None:
    """The first page alone."""
    browser.size(860, 1400)
    _settle(browser)
    page = browser.driver.find_element("css selector", "[data-page]")
    path.write_bytes(page.screenshot_as_png)
    browser.size(1280, 800)


def _whole(browser: Browser, path: Path) -> None:
    """The view at 1280 wide and as high as it is."""
    height = browser.driver.execute_script("return document.documentElement.scrollHeight")
    browser.size(1280, height)
    _settle(browser)
    browser.picture(path)
    browser.size(1280, 800)


if __name__ == "__main__":
    take(os.environ["FONODROME_BENCH_URL"], Path(sys.argv[1]))
