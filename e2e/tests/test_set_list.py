"""The set list: put together, walked through by any key, without a network and after a reload without it."""

from itertools import pairwise
from urllib.parse import urlsplit

from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from e2e.line import Line
from server.setlists.models import SetList
from server.songs.models import Song

# A MIDI interface with one device that remembers what it was sent, and one foot switch.
_MIDI = """
window.sentMidi = [];
window.clockAt = [];
const output = {name: 'Loop box', send: (bytes, at) => {
  if (bytes[0] === 0xf8) window.clockAt.push(at); else window.sentMidi.push([...bytes]);
}};
window.footSwitch = {name: 'Switch', onmidimessage: null};
const access = new EventTarget();
access.outputs = new Map([['o', output]]);
access.inputs = new Map([['i', window.footSwitch]]);
navigator.requestMIDIAccess = () => Promise.resolve(access);
"""


class SetListCase(BrowserCase):
    jobs = False

    def setUp(self):
        super().setUp()
        self.line = Line(urlsplit(self.live_server_url).port)
        self.addCleanup(self.line.cut)
        b, home = self.browser, self.browser.url
        b.url = f"http://127.0.0.1:{self.line.port}"

        def back():
            b.driver.get("about:blank")
            b.driver.execute_cdp_cmd(
                "Storage.clearDataForOrigin", {"origin": b.url, "storageTypes": "all"}
            )
            b.url = home

        self.addCleanup(back)

    def made(self):
        """A list of the demo's three songs, the second through its rig in a scene; at the editor."""
        b = self.open_demo(step="Route")
        b.open("/set-lists")
        b.type("Name of the set list", "Pier, Friday", enter=True)
        b.find("heading", "Pier, Friday")
        for title in ("Ferry in Fog", "Paper Lighthouse", "Nine Lanterns"):
            b.press("button", f"Put in {title}")
            b.find("button", f"Set {title}")
        return b

    def shown(self):
        b = self.browser
        return b.find("heading", "").text

    def to_stage(self, b):
        b.sees("✓ Saved")
        b.press("link", "On stage")
        b.find("button", "Count in")
        b.sees("kept on this device", patience=40)

    def press_key(self, key):
        """One key of a foot switch; presses within a quarter of a second are one."""
        self.browser.driver.execute_async_script("setTimeout(arguments[0], 300)")
        self.browser.keys(key)

    def test_in_the_cellar_the_list_goes_on_and_a_reload_brings_it_back(self):
        b = self.made()
        b.size(390, 844)
        b.press("button", "Set Paper Lighthouse")
        b.choose("Played through", "Two sends A Two sends")
        b.choose("Begins in scene", "Last chorus, program 2")
        b.sees("the scene's: 2 on 1")
        self.to_stage(b)
        b.sees("Ferry in Fog")
        self.press_key(Keys.PAGE_DOWN)
        b.sees("Two sends A, Last chorus")
        # 94 dotted quarters: a dotted eighth of 319.15 ms on a pedal in whole milliseconds.
        b.sees("319")
        b.sees("program 2 on channel 1")
        self.line.cut()
        b.driver.refresh()
        b.sees("no network")
        # At the song where one was, with all of its figures.
        b.sees("Last chorus")
        b.sees("319")
        for key, title in (("x", "Nine Lanterns"), (Keys.ARROW_LEFT, "Paper Lighthouse"), (" ", "Nine Lanterns")):  # fmt: skip
            self.press_key(key)
            b.until(lambda title=title: b.find("heading", title), title)
        self.assertFalse(b.find("button", "Next").is_enabled())
        self.press_key(Keys.ESCAPE)
        b.find("heading", "Pier, Friday")
        b.sees("No network.")
        # An edit waits over a reload, and goes out by itself.
        b.press("button", "Up Nine Lanterns")
        b.sees("1 edit waits")
        b.driver.refresh()
        b.sees("1 edit waits")
        order = [b.look("button", f"Set {t}").location["y"] for t in ("Ferry", "Nine", "Paper")]
        self.assertEqual(order, sorted(order))
        self.line.mend()
        b.sees("✓ Saved", patience=60)
        kept = [e["song"] for e in SetList.objects.get().content["entries"]]
        titles = {str(s.pk): s.title for s in Song.objects.filter(owner__is_guest=True)}
        self.assertEqual([titles[s] for s in kept], ["Ferry in Fog", "Nine Lanterns", "Paper Lighthouse"])  # fmt: skip

    def test_a_song_opens_without_a_network_and_keeps_its_edits_and_nothing_stays_after_signing_out(
        self,
    ):
        b = self.made()
        self.to_stage(b)
        # Once more with the worker there, so that what the song is made of is kept.
        b.open("/")
        b.press("link", "Ferry in Fog")
        b.press("link", "Time")
        b.find("group", "Time ruler")
        self.line.cut()
        b.driver.refresh()
        b.sees("No network.")
        b.type("Song title", "Ferry in Thick Fog", enter=True)
        b.sees("1 edit waits")
        b.driver.refresh()
        b.until(
            lambda: b.find("textbox", "Song title").get_attribute("value") == "Ferry in Thick Fog",
            "the edit is not there after a reload",
        )
        self.line.mend()
        b.sees("Saved", patience=20)
        b.until(lambda: Song.objects.filter(title="Ferry in Thick Fog").exists(), "not sent")
        b.open("/")
        b.press("button", "Sign out")
        b.find("button", "Open the demo studio")
        self.line.cut()
        b.open("/set-lists")
        b.until(lambda: not b.look("heading", "Set lists"), "a stranger sees what was kept")
        self.assertNotIn("Pier, Friday", b.text())

    def test_the_count_in_counts_two_bars_and_stands_still(self):
        b = self.made()
        self.to_stage(b)
        # 63 quarters a minute: two bars last 7.6 s.
        b.keys("c")
        b.sees("bar 1 of 2")
        b.sees("bar 2 of 2", patience=10)
        b.find("button", "Stop count")
        b.find("button", "Count in", patience=10)
        b.sees("two bars")
        lit = b.driver.execute_script(
            "return document.querySelectorAll('[aria-label=\"Count-in\"] [aria-current]').length"
        )
        self.assertEqual(lit, 0)

    def test_real_midi_goes_out_and_a_foot_switch_comes_in(self):
        b = self.browser
        handle = b.driver.execute_cdp_cmd(
            "Page.addScriptToEvaluateOnNewDocument", {"source": _MIDI}
        )
        self.addCleanup(
            lambda: b.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", handle)
        )
        self.made()
        b.press("button", "Set Paper Lighthouse")
        b.type("Programs sent", "128\t")
        b.sees("“128” is no program")
        b.type("Programs sent", "7, 9 on 3\t")
        b.press("checkbox", "MIDI clock goes out")
        self.to_stage(b)
        # On the song whose programs are due when the interface comes: they go out then.
        b.press("button", "Next")
        b.find("heading", "Paper Lighthouse")
        b.press("button", "Send real MIDI")
        b.sees("to Loop box")
        sent = b.driver.execute_script("return window.sentMidi.filter((m) => m[0] >> 4 === 0xC)")
        self.assertEqual(sent, [[0xC0, 7], [0xC2, 9]])
        b.driver.execute_script("window.sentMidi = []")
        self.press_key(Keys.ARROW_LEFT)
        b.find("heading", "Ferry in Fog")
        b.driver.execute_async_script("setTimeout(arguments[0], 300)")
        step = "window.footSwitch.onmidimessage({data: new Uint8Array([0xb0, 64, 127])})"
        b.driver.execute_script(step)
        b.find("heading", "Paper Lighthouse")
        sent = b.driver.execute_script("return window.sentMidi")
        self.assertEqual([m for m in sent if m[0] >> 4 == 0xC], [[0xC0, 7], [0xC2, 9]])
        self.assertIn([0xFA], sent)
        # 141 quarters a minute, 24 clocks each: one every 60000 / 141 / 24 ms, each with its moment.
        b.driver.execute_script("window.clockAt = []")
        at = b.until(lambda: b.driver.execute_script(
            "return window.clockAt.length > 60 ? window.clockAt.slice(0, 60) : null"
        ), "no clock")  # fmt: skip
        for one, next_one in pairwise(at):
            self.assertAlmostEqual(next_one - one, 60_000 / 141 / 24, 3)

    def test_a_copy_of_another_release_is_said(self):
        b = self.made()
        self.to_stage(b)
        b.driver.execute_async_script(
            """
            const done = arguments[0];
            (async () => {
              for (const name of await caches.keys()) {
                const cache = await caches.open(name);
                for (const request of await cache.keys()) {
                  if (!request.url.endsWith('/stage') || !name.includes('answers')) continue;
                  const said = await (await cache.match(request)).json();
                  for (const card of said.cards) card.version = 0;
                  const headers = {'Content-Type': 'application/json', 'X-Fonodrome-Kept': new Date().toISOString()};
                  await cache.put(request, new Response(JSON.stringify(said), {headers}));
                }
              }
            })().then(done);
            """
        )
        self.line.cut()
        b.driver.refresh()
        b.sees("kept by another release")
        self.line.mend()
        b.press("button", "Ask again")
        b.find("button", "Count in")
