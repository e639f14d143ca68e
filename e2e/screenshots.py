"""One picture of each main view, made from the demo data. Run by `./fonodrome screenshots`."""

import os
import sys
from pathlib import Path

from e2e.browser import Browser


def take(url: str, folder: Path) -> None:
    browser = Browser(url)
    try:
        browser.theme("light")
        browser.open("/")
        browser.press("button", "Open the demo studio")
        browser.find("img", "Response within 10 ms")
        browser.press("radio", "Reverb, ")
        browser.find("textbox", "RT60")
        _whole(browser, folder / "route-light.png")
        browser.theme("dark")
        _settle(browser)
        browser.picture(folder / "route-dark.png")
        browser.theme("light")
        browser.size(390, 844)
        _settle(browser)
        browser.picture(folder / "route-phone.png")
        browser.size(1280, 800)
        browser.choose("Rig", "A new rig …")
        browser.find("button", "Begin with Insert frame")
        _settle(browser)
        _whole(browser, folder / "templates-light.png")
        browser.theme("dark")
        _whole(browser, folder / "templates-dark.png")
        browser.size(1280, 800)
        browser.theme("light")
        browser.press("button", "Begin with Dry centre, wet left and right")
        browser.find("radio", "Centre amp")
        _settle(browser)
        browser.picture(folder / "route-three-amps-light.png")
        browser.theme("dark")
        _settle(browser)
        browser.picture(folder / "route-three-amps-dark.png")
        browser.theme("light")
        browser.press("link", "Space")
        browser.find("region", "Gaps")
        browser.keys("k")
        browser.sees("while phrases sound")
        browser.find("region", "Early part and tail")
        browser.sees("where they meet")
        _settle(browser)
        _whole(browser, folder / "space-light.png")
        browser.size(1280, 800)
        browser.press("link", "Blend")
        browser.find("region", "Lift the quiet")
        browser.sees("Loudness, LUFS")
        _settle(browser)
        _whole(browser, folder / "blend-light.png")
        browser.size(1280, 800)
        browser.press("link", "Listen")
        browser.press("button", "Render all 3 variants")
        for letter in "ABC":
            browser.until(
                lambda x=letter: (one := browser.look("button", f"Hear {x}")) and one.is_enabled(),
                f"{letter} is not rendered", 90,
            )  # fmt: skip
        browser.press("button", "Hear A")
        _settle(browser)
        browser.press("button", "Hear B")
        browser.keys("]]]")
        browser.press("button", "Stop")
        _whole(browser, folder / "listen-light.png")
        browser.theme("dark")
        _whole(browser, folder / "listen-dark.png")
        browser.size(1280, 800)
        browser.theme("light")
        browser.press("link", "Time")
        browser.find("group", "Reading")
        browser.find("group", "Rhythm lattice")
        browser.find("group", "Error at repeat 1")
        _whole(browser, folder / "time-light.png")
        browser.theme("dark")
        _settle(browser)
        browser.picture(folder / "time-dark.png")
        browser.theme("light")
        browser.press("link", "Fonodrome, all songs")
        browser.press("link", "Nine Lanterns")
        browser.press("link", "Time")
        browser.find("radio", "Verse, 112 BPM")
        browser.driver.execute_script(
            "document.querySelector('section[aria-label=\"Tempo map\"]')"
            ".scrollIntoView({block: 'start'})"
        )
        _settle(browser)
        browser.picture(folder / "tempo-map-light.png")
        browser.press("link", "Fonodrome, all songs")
        browser.press("link", "Paper Lighthouse")
        browser.press("link", "Verify")
        browser.find("img", "Waveform B")
        for pair in ("A lower print", "A second cable", "Through a loop"):
            browser.press("link", "Verify")
            browser.press("button", f"Test {pair}")
            browser.find("button", "Play", 60)
        _whole(browser, folder / "verify-result-light.png")
        browser.theme("dark")
        browser.size(1280, 800)
        _settle(browser)
        browser.picture(folder / "verify-result-dark.png")
        browser.theme("light")
        browser.press("link", "Verify")
        browser.find("img", "Waveform B")
        browser.find("link", "Open the test of Clarinet, take 1.wav")
        browser.sees("samples late and inverted: matched")
        _whole(browser, folder / "verify-light.png")
        browser.size(390, 844)
        browser.press("link", "Time")
        browser.find("group", "Error at repeat 1")
        _settle(browser)
        browser.picture(folder / "time-phone.png")
        browser.size(1280, 800)
        browser.press("link", "Fonodrome, all songs")
        browser.find("link", "Nine Lanterns")
        _settle(browser)
        browser.picture(folder / "songs-light.png")
        faults = browser.faults()
        if faults:
            sys.exit("The page wrote errors: " + "; ".join(faults))
    finally:
        browser.close()


def _settle(browser: Browser) -> None:
    """Wait until fonts are there and two frames were drawn."""
    browser.driver.execute_async_script(
        "const done = arguments[0]; document.fonts.ready.then(() =>"
        " requestAnimationFrame(() => requestAnimationFrame(() => done())));"
    )


def _whole(browser: Browser, path: Path) -> None:
    """The view at 1280 wide and as high as it is."""
    height = browser.driver.execute_script("return document.documentElement.scrollHeight")
    browser.size(1280, height)
    _settle(browser)
    browser.picture(path)
    browser.size(1280, 800)


if __name__ == "__main__":
    take(os.environ["FONODROME_BENCH_URL"], Path(sys.argv[1]))
