"""A headless Chromium that finds things as people do: by role, name and label."""

import tempfile
from pathlib import Path
from typing import Any

from selenium import webdriver
from selenium.common.exceptions import StaleElementReferenceException
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

FLAGS = (
    "--headless=new",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--autoplay-policy=no-user-gesture-required",
    "--hide-scrollbars",
    # A page that was left is gone: kept for going back, it would play and count on beside the next.
    "--disable-features=BackForwardCache",
    # A tone in place of a microphone, and no question whether it may be used.
    "--use-fake-device-for-media-stream",
    "--use-fake-ui-for-media-stream",
)
PATIENCE_S = 15
# Finds by accessible role and name, the way a screen reader would.
_FIND = """
const [role, name] = arguments;
const tags = {button: 'button,[role=button]', link: 'a[href]', textbox: 'input:not([type=file]),textarea',
  heading: 'h1,h2,h3', combobox: 'select', radio: '[role=radio],input[type=radio]', status: '[role=status]',
  alert: '[role=alert]', img: '[role=img]', group: '[role=group]', region: 'section[aria-label]',
  tab: '[role=tab]', switch: '[role=switch]', checkbox: 'input[type=checkbox],[role=checkbox]', slider: '[role=slider],input[type=range]', progressbar: '[role=progressbar]', dialog: 'dialog[open]'};
const nameOf = (e) => {
  const by = e.getAttribute('aria-label');
  if (by) return by;
  if (e.labels && e.labels.length) return [...e.labels].map((l) => l.innerText).join(' ');
  return e.innerText || e.textContent || '';
};
// Whatever is not in the plain text of an element is not in its words either: asked first, it is cheap.
const bare = (words) => words.replace(/\\s+/g, '');
const sought = bare(name);
const may = (e) => e.hasAttribute('aria-label') || (e.labels && e.labels.length) || bare(e.textContent || '').includes(sought);
const seen = (e) => e.checkVisibility ? e.checkVisibility() : true;
const told = (e) => nameOf(e).replace(/\\s+/g, ' ').trim();
const found = [...document.querySelectorAll(tags[role])].filter((e) => may(e) && seen(e) && told(e).includes(name));
return found.find((e) => told(e).startsWith(name)) || found[0] || null;
"""


class Browser:
    def __init__(self, url: str, width: int = 1280, height: int = 800) -> None:
        self.url = url.rstrip("/")
        self._profile = tempfile.TemporaryDirectory(prefix="fonodrome-browser-")
        options = Options()
        for flag in (*FLAGS, f"--user-data-dir={self._profile.name}"):
            options.add_argument(flag)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        self.driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
        self.size(width, height)

    def fresh(self) -> None:
        """As if just installed: no cookies, no storage, one empty tab."""
        first, *others = self.driver.window_handles
        for other in others:
            self.driver.switch_to.window(other)
            self.driver.close()
        self.driver.switch_to.window(first)
        self.driver.get("about:blank")
        self.driver.execute_cdp_cmd("Network.clearBrowserCookies", {})
        self.driver.execute_cdp_cmd(
            "Storage.clearDataForOrigin", {"origin": self.url, "storageTypes": "all"}
        )
        self.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": []})
        self.size(1280, 800)
        self.driver.get_log("browser")

    def size(self, width: int, height: int) -> None:
        self.driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride",
            {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 640},
        )

    def theme(self, name: str) -> None:
        """'light' or 'dark', as the system would say it."""
        self.driver.execute_cdp_cmd(
            "Emulation.setEmulatedMedia",
            {"features": [{"name": "prefers-color-scheme", "value": name}]},
        )

    def close(self) -> None:
        self.driver.quit()
        self._profile.cleanup()

    def open(self, path: str = "/") -> None:
        self.driver.get(self.url + path)

    def until(self, condition: Any, said: str = "", patience: float = PATIENCE_S) -> Any:
        """Wait for a condition (called with no argument) to give something true.

        Looking and touching are two steps: a page drawn anew between them is looked at again.
        """
        wait = WebDriverWait(
            self.driver, patience, 0.1, ignored_exceptions=[StaleElementReferenceException]
        )
        return wait.until(lambda _: condition(), said or "condition not met")

    def look(self, role: str, name: str) -> WebElement | None:
        return self.driver.execute_script(_FIND, role, name)

    def find(self, role: str, name: str, patience: float = PATIENCE_S) -> WebElement:
        return self.until(lambda: self.look(role, name), f"no {role} “{name}”", patience)

    def enabled(self, name: str, patience: float = PATIENCE_S) -> None:
        """Wait until a button is there and can be pressed."""
        self.until(
            lambda: (one := self.look("button", name)) is not None and one.is_enabled(),
            f"the button “{name}” cannot be pressed", patience,
        )  # fmt: skip

    def press(self, role: str, name: str) -> None:
        self.until(lambda: self._press(role, name), f"cannot press {role} “{name}”")

    def _press(self, role: str, name: str) -> bool:
        element = self.look(role, name)
        if element is None or not element.is_enabled():
            return False
        try:
            self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", element)
            element.click()
        except Exception:
            return False
        return True

    def choose(self, name: str, option: str) -> None:
        """Pick an option of a select by its visible words, as soon as it offers them."""
        self.until(lambda: self._choose(name, option), f"“{name}” does not offer “{option}”")

    def _choose(self, name: str, option: str) -> bool:
        from selenium.common.exceptions import WebDriverException
        from selenium.webdriver.support.ui import Select

        field = self.look("combobox", name)
        if field is None or not field.is_enabled():
            return False
        try:
            Select(field).select_by_visible_text(option)
        except WebDriverException:  # drawn anew meanwhile, or its options still on their way
            return False
        return True

    def type(self, name: str, text: str, *, enter: bool = False) -> None:
        """Replace what stands in a field."""
        from selenium.webdriver.common.keys import Keys

        field = self.find("textbox", name)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text + (Keys.ENTER if enter else ""))

    def keys(self, keys: str) -> None:
        self.driver.find_element(By.TAG_NAME, "body").send_keys(keys)

    def text(self) -> str:
        """What can be read on the page, as the browser itself tells it."""
        return self.driver.execute_script("return document.body.innerText").replace("\u202f", " ")

    def sees(self, words: str, patience: float = PATIENCE_S) -> None:
        self.until(lambda: words in self.text(), f"does not see “{words}”", patience)

    def picture(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(self.driver.get_screenshot_as_png())

    def faults(self) -> list[str]:
        """Errors that the page wrote to the console, apart from refusals that were asked for."""
        return [
            entry["message"]
            for entry in self.driver.get_log("browser")
            if entry["level"] == "SEVERE"
            and "the server responded with a status of 4" not in entry["message"]
        ]
