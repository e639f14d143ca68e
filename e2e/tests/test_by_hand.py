"""Rigs built from nothing without the notation: each with keys alone, and with the pointer alone."""

from collections.abc import Callable
from typing import Any

from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from e2e.hands import DOWN, LEFT, RIGHT, UP, Hands, Keyboard, Pointer
from server.rigs.models import Variant
from server.songs.models import Song


class ByHand(BrowserCase):
    jobs = False

    def document(self) -> dict[str, Any]:
        song = Song.objects.filter(is_demo_original=False).latest("created_at")
        return Variant.objects.get(rig__song=song, position=0).document

    def stored(self, check: Callable[[dict[str, Any]], Any], words: str) -> None:
        self.wait_for(lambda: check(self.document()), words)

    def count(self, kind: str) -> int:
        return sum(v["kind"] == kind for v in self.document()["nodes"].values())

    def until_count(self, kind: str, n: int) -> None:
        self.wait_for(lambda: self.count(kind) == n, f"not {n} of {kind}: {self.count(kind)}")

    def at(self, id: str) -> None:
        """A part is there, and it is what is selected now."""
        self.stored(lambda d: id in d["nodes"], f"no {id}")
        script = "return document.querySelector('[data-stage][aria-checked=true]')?.dataset.stage"
        self.browser.until(
            lambda: self.browser.driver.execute_script(script) == id, f"{id} is not selected"
        )

    def outputs(self) -> set[str]:
        return {i for i, v in self.document()["nodes"].items() if v["kind"] == "output"}

    def way(self, start: str) -> list[str]:
        """Kinds along first outputs from a part, itself first."""
        d, found, at = self.document(), [], start
        while at and len(found) < 30:
            found.append(d["nodes"][at]["kind"])
            at = d["rails"].get(f"{at}.0", {}).get("target", "")
        return found

    def board(self) -> str:
        return " ".join(self.browser.find("region", "Arrivals").text.replace("\u202f", " ").split())

    def bare_rail(self, hands: Hands) -> None:
        b = self.open_demo(step="Route")
        b.press("link", "Fonodrome, all songs")
        b.type("Name", "Harbour Bell")
        b.press("button", "Make “Harbour Bell”")
        hands.press("Begin with a bare rail")
        b.find("radio", "Source")

    def insert(self, hands: Hands, letters: str, title: str, id: str) -> None:
        hands.do("I", "Insert")
        hands.take(letters, title)
        self.at(id)

    # A vocal with a delay's and a reverb's return -----------------------------------------
    def test_a_vocal_with_two_returns_by_keys(self):
        self.vocal(Keyboard(self.browser))

    def test_a_vocal_with_two_returns_by_pointer(self):
        self.vocal(Pointer(self.browser))

    def vocal(self, hands: Hands) -> None:
        b = self.browser
        self.bare_rail(hands)
        hands.go("Source")
        self.insert(hands, "fader", "Fader", "fader1")
        hands.do("E", "Send")
        hands.take("delay", "Delay")
        hands.lay()
        self.at("delay1")
        hands.set("Time", "soon")
        b.sees("“soon” is no time")
        hands.type("Time, typed", "1/8.")
        self.stored(lambda d: d["nodes"]["delay1"]["time"] == "1/8.", "time not set")
        hands.go("Fader", UP, LEFT)
        hands.do("E", "Send")
        hands.take("reverb", "Reverb")
        hands.lay()
        self.at("reverb1")
        hands.set("Pre-delay", "0.04 s")
        self.stored(lambda d: d["nodes"]["reverb1"]["pre_delay"] == "0.04 s", "pre-delay not set")
        self.assertEqual(self.count("send"), 2)
        for device in ("delay1", "reverb1"):
            self.assertIn("return", self.way(device))
            self.assertEqual(self.way(device)[-1], "output")
        # Sends at -6 dB; a reverb is fully wet as it comes, a delay too.
        b.until(lambda: "Reverb first wet sound −6.0 40.00" in self.board(), self.board())
        self.no_faults()

    # A guitar through pedals, delay and reverb beside each other, into three amps -----------
    def test_a_guitar_into_three_amps_by_keys(self):
        self.guitar(Keyboard(self.browser))

    def test_a_guitar_into_three_amps_by_pointer(self):
        self.guitar(Pointer(self.browser))

    def guitar(self, hands: Hands) -> None:
        self.bare_rail(hands)
        hands.go("Source")
        for letters, title, id in (
            ("comp", "Compressor", "compressor1"), ("drive", "Drive", "drive1"),
            ("volume", "Volume pedal", "volume1"), ("delay", "Delay", "delay1"),
            ("power", "Power amp", "power_amp1"),
        ):  # fmt: skip
            self.insert(hands, letters, title, id)
        hands.go("Delay", LEFT)
        hands.do("B", "Beside it")
        hands.on_it("reverb", "Reverb")
        hands.lay()
        self.at("reverb1")
        # They part behind the pedal and meet again before the amp.
        rails = self.document()["rails"]
        merge = rails["reverb1.0"]["target"]
        self.assertEqual(rails["delay1.0"]["target"], merge)
        self.assertEqual(self.way("volume1")[:3], ["volume", "split", "delay"])
        for n in (2, 3):
            hands.go(f"#{merge}", RIGHT if n == 2 else LEFT)
            before = self.outputs()
            hands.do("O", "Output")
            self.until_count("output", n)
            # The new output is selected: an amp goes before it.
            (fresh,) = self.outputs() - before
            self.at(fresh)
            hands.do("Shift I", "Insert before")
            hands.take("power", "Power amp")
            self.at(f"power_amp{n}")
        for n in (1, 2, 3):
            self.assertEqual(self.way(f"power_amp{n}"), ["power_amp", "output"])
        self.assertEqual(
            len(
                self.browser.find("combobox", "Source and output").find_elements(
                    "tag name", "option"
                )
            ),
            3,
        )
        self.no_faults()

    def along(self, hands: Hands, port: str) -> None:
        """To a rail by arrows, wherever the focus is: along the lanes, one after the other."""
        assert isinstance(hands, Keyboard)
        hands.on_course()
        for arrow in (RIGHT, DOWN, LEFT, DOWN, RIGHT, DOWN, LEFT, UP, RIGHT, UP, LEFT, UP, RIGHT):
            for _ in range(12):
                if hands.focused(id=True) == port:
                    return
                before = hands.focused(id=True)
                hands.send(arrow)
                if hands.focused(id=True) == before or arrow in (UP, DOWN):
                    break
        self.assertEqual(hands.focused(id=True), port)

    # Several sources on one bus, with one return that they share ----------------------------
    def test_sources_on_one_bus_by_keys(self):
        self.sources(Keyboard(self.browser))

    def test_sources_on_one_bus_by_pointer(self):
        self.sources(Pointer(self.browser))

    def sources(self, hands: Hands) -> None:
        self.bare_rail(hands)
        for n in (2, 3):
            hands.press("Another source")
            self.until_count("source", n)
        names = sorted(n for n, v in self.document()["nodes"].items() if v["kind"] == "source")
        for name in names:
            if isinstance(hands, Keyboard):
                self.along(hands, name)
            else:
                hands.go(f"#{name}")
            if name != names[-1]:
                hands.do("X", "Mark")
        hands.do("U", "Bus")
        self.until_count("bus", 1)
        self.at("bus1")
        rails = self.document()["rails"]
        self.assertEqual({rails[f"{n}.0"]["target"] for n in names}, {"bus1"})
        hands.do("E", "Send")
        hands.take("reverb", "Reverb")
        hands.lay()
        self.at("reverb1")
        self.assertEqual(self.way("bus1")[:2], ["bus", "send"])
        self.assertEqual(self.way("reverb1")[:2], ["reverb", "return"])
        # Each of the three now arrives dry and through the one reverb.
        boards = self.browser.find("combobox", "Source and output")
        self.assertEqual(len(boards.find_elements("tag name", "option")), 3)
        self.browser.until(lambda: "Reverb first wet sound" in self.board(), self.board())
        self.no_faults()

    # Five processors in sidings, two lines kept, a dry path beside one -----------------------
    def test_five_processors_in_sidings_by_keys(self):
        self.sidings(Keyboard(self.browser))

    def test_five_processors_in_sidings_by_pointer(self):
        self.sidings(Pointer(self.browser))

    def sidings(self, hands: Hands) -> None:
        b = self.browser
        self.bare_rail(hands)
        hands.go("Source")
        self.insert(hands, "insert frame", "Sidings", "frame1")
        keys = isinstance(hands, Keyboard)
        if keys:
            hands.on_course()
            hands.send(Keys.ENTER)
        held = (
            ("comp", "Compressor"), ("equal", "Equaliser"), ("swept", "Swept filter"),
            ("three", "Three-band compressor"), ("impulse", "Impulse response"),
        )  # fmt: skip
        for place, (letters, title) in enumerate(held, start=1):
            hands.siding(place)
            if keys:
                hands.send(Keys.ENTER)
            hands.take(letters, title)
            self.stored(lambda d, n=place: len(d["nodes"]["frame1"]["sidings"]) == n, f"no {title}")
        hands.type("Name of the line", "As it stands")
        self.stored(lambda d: len(d["nodes"]["frame1"]["lines"]) == 1, "not kept")
        hands.siding(3)
        if keys:
            hands.send(LEFT, LEFT)
        else:
            b.press("button", "Turn it round")
        turned = [3, 1, 2, 4, 5] if keys else [5, 4, 3, 2, 1]
        self.stored(lambda d: d["nodes"]["frame1"]["calls"] == turned, "not turned")
        hands.type("Name of the line", "Filter early")
        self.stored(lambda d: len(d["nodes"]["frame1"]["lines"]) == 2, "not kept")
        hands.siding(1)
        if keys:
            hands.send("b")
        else:
            b.press("button", "A dry path beside it")
        self.stored(lambda d: d["nodes"]["frame1"]["beside"], "no path beside")
        b.sees("Compressor with 40 % dry beside it")
        hands.press("Put in force As it stands")
        self.stored(lambda d: d["nodes"]["frame1"]["calls"] == [1, 2, 3, 4, 5], "not in force")
        b.sees("The line calls at Compressor with 40 % dry beside it, Equaliser, Swept filter")
        # Passed by, it stands by; set where it stands, named, and switched off.
        hands.siding(2)
        if keys:
            hands.send("x")
        else:
            b.press("button", "Stand all by")
        self.stored(lambda d: 2 not in d["nodes"]["frame1"]["calls"], "still called at")
        b.sees("stands by, passed")
        self.assertNotIn("slot", b.text().lower())
        self.no_faults()
