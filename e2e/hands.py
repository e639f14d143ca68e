"""Two ways to do the same on a course: with keys alone, and with the pointer alone.

A part is named as it is called, or by its id as '#delay1' where several are called alike.
"""

from typing import Protocol

from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from e2e.browser import Browser

RIGHT, LEFT, UP, DOWN = Keys.ARROW_RIGHT, Keys.ARROW_LEFT, Keys.ARROW_UP, Keys.ARROW_DOWN
_FOCUSED = """
const at = document.activeElement;
if (!at || at === document.body) return '';
return arguments[0] ? at.dataset.stage || '' : at.getAttribute('aria-label') || at.innerText || at.tagName;
"""
_FOLLOWED = """
const chosen = document.querySelector('[data-stage][aria-checked=true]');
return !chosen || chosen === document.activeElement;
"""
_LETTER = """
const row = [...document.querySelectorAll('[id^=landing-]')]
  .find((r) => r.querySelector('kbd')?.innerText === arguments[0]);
row?.click();
return !!row;
"""


class Hands(Protocol):
    """What both can do."""

    def press(self, name: str) -> None:
        """A button by its words."""

    def go(self, name: str, *arrows: str) -> None:
        """To a part: with the arrows that lead there, or with a click on it."""

    def do(self, key: str, word: str) -> None:
        """An action by its key, or by its word."""

    def take(self, letters: str, title: str) -> None:
        """From the dialog that is open."""

    def on_it(self, letters: str, title: str) -> None:
        """What stands on the rail that is being laid."""

    def lay(self, letter: str = "") -> None:
        """Where it is proposed, or at the place with a letter."""

    def type(self, label: str, text: str) -> None:
        """Into a field by its label, with Enter."""

    def set(self, label: str, text: str) -> None:
        """A setting of what is selected."""

    def siding(self, place: int) -> None:
        """To a place of a frame."""


class Keyboard:
    def __init__(self, browser: Browser) -> None:
        self.b = browser

    def send(self, *keys: str) -> None:
        chain = ActionChains(self.b.driver)
        for key in keys:
            chain.send_keys(key)
        chain.perform()

    def focused(self, id: bool = False) -> str:
        return str(self.b.driver.execute_script(_FOCUSED, id)).replace("\n", " ")

    def tab_to(self, name: str, back: bool = False) -> None:
        for _ in range(90):
            if self.focused().startswith(name):
                return
            chain = ActionChains(self.b.driver)
            if back:
                chain.key_down(Keys.SHIFT).send_keys(Keys.TAB).key_up(Keys.SHIFT).perform()
            else:
                chain.send_keys(Keys.TAB).perform()
        raise AssertionError(f"Tab does not lead to “{name}” but to “{self.focused()}”")

    def press(self, name: str) -> None:
        self.b.find("button", name)
        self.tab_to(name)
        self.send(Keys.ENTER)

    def on_course(self) -> None:
        """The focus never falls to the page: from wherever it is, Tab leads to the course."""
        self.b.until(lambda: self.focused() != "", "the focus fell to the page")
        for _ in range(90):
            if self.focused(id=True):
                # The focus follows what was selected last, a frame later.
                self.b.until(
                    lambda: self.b.driver.execute_script(_FOLLOWED), "the focus does not follow"
                )
                return
            self.send(Keys.TAB)
        raise AssertionError("Tab does not lead to the course")

    def there(self, name: str) -> bool:
        if name[0] == "#":
            return self.focused(id=True) == name[1:]
        return bool(self.focused(id=True)) and self.focused().startswith(name)

    def go(self, name: str, *arrows: str) -> None:
        """The last arrow is pressed until it leads there."""
        self.on_course()
        for arrow in (*arrows, *arrows[-1:] * 9):
            if self.there(name):
                return
            before = self.focused(id=True)
            self.send(arrow)
            self.b.until(
                lambda before=before: self.focused(id=True) != before,
                f"an arrow leads nowhere from {before}",
            )
        self.b.until(lambda: self.there(name), f"not at {name} but at {self.focused()}")

    def do(self, key: str, word: str) -> None:
        self.b.until(lambda: self.focused() != "", "the focus fell to the page")
        chain = ActionChains(self.b.driver)
        if key.startswith("Shift "):
            chain.key_down(Keys.SHIFT).send_keys(key[6:].lower()).key_up(Keys.SHIFT).perform()
        else:
            self.send(Keys.DELETE if key == "Del" else key.lower())

    def take(self, letters: str, title: str) -> None:
        self.b.find("dialog", "")
        self.send(letters)
        option = "dialog [role=option][aria-selected=true]"
        self.b.until(
            lambda: self.b.driver.find_element(By.CSS_SELECTOR, option).text.startswith(title),
            f"{title} is not the first that is found",
        )
        self.send(Keys.ENTER)
        self.b.until(lambda: self.b.look("dialog", "") is None)

    def on_it(self, letters: str, title: str) -> None:
        self.b.until(lambda: self.focused() == "Places to land", "no places to land")
        self.send("+")
        self.take(letters, title)

    def lay(self, letter: str = "") -> None:
        self.b.until(lambda: self.focused() == "Places to land", "no places to land")
        self.b.find("button", "Lay the rail to a")
        if letter:
            self.send(letter)
            self.b.find("button", f"Lay the rail to {letter}")
        self.send(Keys.ENTER)
        self.b.until(lambda: self.focused() not in ("", "Places to land"), "the focus is lost")

    def type(self, label: str, text: str) -> None:
        self.tab_to(label)
        ActionChains(self.b.driver).key_down(Keys.CONTROL).send_keys("a").key_up(
            Keys.CONTROL
        ).perform()
        self.send(text, Keys.ENTER)

    def set(self, label: str, text: str) -> None:
        self.on_course()
        self.send(Keys.ENTER)
        self.type(f"{label}, typed", text)

    def siding(self, place: int) -> None:
        if self.focused() != "Places":
            self.tab_to("Places", back=True)
        at = self.b.driver.execute_script
        for _ in range(16):
            now = int(at("return document.activeElement.getAttribute('aria-activedescendant')")[7:])
            if now == place:
                return
            self.send(DOWN if now < place else UP)
        raise AssertionError(f"no siding {place}")


class Pointer:
    def __init__(self, browser: Browser) -> None:
        self.b = browser

    def press(self, name: str) -> None:
        self.b.press("button", name)

    def go(self, name: str, *arrows: str) -> None:
        if name[0] == "#":
            mark = f'[data-stage="{name[1:]}"]'
            self.b.until(lambda: self._clicked(mark), f"cannot click {name}")
        else:
            self.b.press("radio", name)

    def _clicked(self, css: str) -> bool:
        try:
            self.b.driver.find_element(By.CSS_SELECTOR, css).click()
        except Exception:
            return False
        return True

    def do(self, key: str, word: str) -> None:
        if self.b.look("button", word) is None:
            self.b.press("button", "15 more")
        self.b.press("button", word)

    def take(self, letters: str, title: str) -> None:
        self.b.find("dialog", "")
        for option in self.b.driver.find_elements(By.CSS_SELECTOR, "dialog [role=option]"):
            if option.text == title or option.text.startswith(f"{title} "):
                option.click()
                break
        self.b.until(lambda: self.b.look("dialog", "") is None, f"no “{title}” to take")

    def on_it(self, letters: str, title: str) -> None:
        self.b.press("button", "nothing, a plain rail")
        self.take(letters, title)

    def lay(self, letter: str = "") -> None:
        if letter:
            self.b.until(lambda: self.b.driver.execute_script(_LETTER, letter), f"no {letter}")
        self.b.press("button", f"Lay the rail to {letter or 'a'}")
        self.b.until(lambda: self.b.look("region", "Where it lands") is None)

    def type(self, label: str, text: str) -> None:
        self.b.type(label, text, enter=True)

    def set(self, label: str, text: str) -> None:
        self.b.type(f"{label}, typed", text, enter=True)

    def siding(self, place: int) -> None:
        self.b.until(lambda: self._clicked(f"#siding-{place}"), f"no siding {place}")
