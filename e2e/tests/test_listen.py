"""Listen in the browser: rendered, switched, balanced live, blind, written against bars, recorded."""

import re
import tempfile
from pathlib import Path

import soundfile
from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.log.models import LogEntry
from server.renders.models import Export, Render
from server.rigs.models import Rig, Variant
from server.rigs.services import create_rig
from server.trials.models import Trial

# The engine itself, in an offline context: what comes out is looked at sample by sample.
_OFFLINE = """
const done = arguments[0];
(async () => {
  const named = (part) => performance.getEntriesByType('resource').map((e) => e.name).find((n) => n.includes(part));
  const { Engine } = await import(named('/engine-'));
  const { HeldSound } = await import(named('/stream-'));
  const rate = 48000;
  const context = new OfflineAudioContext(2, 2.5 * rate, rate);
  const engine = new Engine(context);
  const steady = (value) => [0, 1].map(() => new Float32Array(3 * rate).fill(value));
  const held = (...values) => new HeldSound(rate, values.map(steady));
  engine.set('a', { sound: held(0.25), gains: [1], wet: [false], match: 1 });
  engine.set('b', { sound: held(0.3, 0.2), gains: [1, 1], wet: [false, true], match: 0.5 });
  engine.set('loud', { sound: held(1.5), gains: [1], wet: [false], match: 1 });
  const plain = { mono: false, swap: false, left: false, right: false, difference: null, solo: null, exaggerate: false, silent: [] };
  const at = (seconds, act) => context.suspend(seconds).then(() => { act(); context.resume(); });
  at(0.75, () => engine.hear('b'));
  at(1.0, () => engine.setGains('b', [1, 0]));
  at(1.25, () => engine.setToggles({ ...plain, right: true }));
  at(1.5, () => engine.setMatch('b', 9));
  at(1.75, () => engine.setToggles({ ...plain, right: true, difference: 'a' }));
  at(2.0, () => { engine.setToggles(plain); engine.play('a', 1, null); engine.pump(1); });
  at(2.25, () => engine.hear('loud'));
  engine.play('a', 0, null);
  engine.pump(2.6);
  const out = await context.startRendering();
  engine.stop();
  const [left, right] = [out.getChannelData(0), out.getChannelData(1)];
  const range = (from, to) => {
    const part = left.slice(from * rate, to * rate);
    return [Math.min(...part), Math.max(...part)];
  };
  let step = 0;
  for (let i = 1; i < 2.24 * rate; i++) step = Math.max(step, Math.abs(left[i] - left[i - 1]));
  done({
    start: left[0], faded: range(0.55, 0.74), switched: range(0.55, 0.99), moved: left[1.05 * rate],
    flipped: [left[1.4 * rate], right[1.4 * rate]], limited: left[1.7 * rate],
    difference: left[1.9 * rate], jumped: range(2.15, 2.24), clipped: left[2.4 * rate], step,
  });
})().catch((e) => done({ fault: String(e) }));
"""


class Listen(BrowserCase):
    def rendered(self):
        b = self.open_demo(step="Listen")
        # Shorter than the clip in hand, so that it is there sooner.
        b.choose("Clip in hand", "Guitar, print 1.wav")
        b.press("button", "Render all 3 variants")
        for letter in ("A", "B", "C", "clip"):
            b.enabled(f"Hear {letter}", 90)
        # Heard a moment before it is measured.
        self.wait_for(
            lambda: not Render.objects.exclude(status="done").exists(), "not measured", 30
        )
        return b

    def strip(self) -> str:
        return self.browser.find("status", "What is heard").text.replace("\n", " ")

    def test_what_a_render_measured_stands_beside_the_plan_until_the_rig_is_changed(self):
        b = self.rendered()
        b.press("link", "Route")
        b.sees("measured on “Guitar, print 1.wav”")
        b.sees("Guitar is planned at −24.0 dBFS")
        b.press("button", "Set to 100 % wet")
        b.until(lambda: "measured on" not in b.text(), "still shown as measured")
        b.press("button", "Undo")
        b.sees("measured on “Guitar, print 1.wav”")
        self.assertEqual(b.faults(), [])

    def test_variants_are_switched_without_a_gap_at_equal_loudness(self):
        b = self.rendered()
        bare = Render.objects.get(bare=True).report
        reports = [
            r.report for r in Render.objects.filter(bare=False).order_by("variant__position")
        ]
        quietest = min(r["loudness_lufs"] for r in (*reports, bare))
        b.sees(f"4 sounds, all at {abs(quietest):.1f}".replace("at ", "at −"))
        b.press("button", "Play")
        b.find("button", "Stop")
        b.until(lambda: "Hearing A" in self.strip(), "A is not heard")
        b.press("button", "Hear B")
        b.until(lambda: "Hearing B" in self.strip(), "B is not heard")
        gain = quietest - reports[1]["loudness_lufs"]
        self.assertIn(f"gain −{abs(gain):.1f} dB" if gain < -0.05 else "gain 0.0 dB", self.strip())
        found = b.driver.execute_async_script(_OFFLINE)
        self.assertNotIn("fault", found, found)
        self.assertEqual(found["start"], 0)
        for name in ("faded", "switched"):
            self.assertGreater(found[name][0], 0.2498, found)
            self.assertLess(found[name][1], 0.2502, found)
        # 50 ms after a gain was moved it is there; the wet stem is gone.
        self.assertAlmostEqual(found["moved"], 0.15, places=4)
        self.assertAlmostEqual(found["flipped"][1], -found["flipped"][0], places=6)
        # A match is never more than unity, whatever is asked.
        self.assertAlmostEqual(found["limited"], 0.3, places=4)
        self.assertAlmostEqual(found["difference"], 0.05, places=4)
        # A jump to another place has no gap and no click; only what is past -1 dBFS is clipped.
        self.assertAlmostEqual(found["jumped"][0], 0.25, places=4)
        self.assertAlmostEqual(found["clipped"], 10 ** (-1 / 20), places=4)
        self.assertLess(found["step"], 0.002)
        b.keys("0")
        b.until(lambda: "Hearing clip" in self.strip(), "the clip itself is not heard")
        b.keys("m")
        self.assertEqual(b.find("switch", "Mono").get_attribute("aria-checked"), "true")
        b.keys(" ")
        b.find("button", "Play")
        self.no_faults()

    def test_wet_is_moved_against_dry_and_sent_to_the_route(self):
        b = self.rendered()
        slider = b.find("slider", "Wet against dry")
        before = float(slider.get_attribute("aria-valuenow"))
        b.keys("]")
        b.keys("]")
        b.until(
            lambda: abs(float(b.find("slider", "Wet against dry").get_attribute("aria-valuenow")) - before - 1) < 0.01,
            "the balance did not move by 1 dB",
        )  # fmt: skip
        variant = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )
        wet = [
            s for s in Render.objects.get(variant=variant, bare=False).report["stems"] if s["wet"]
        ]
        was = {s["id"]: variant.document["rails"][s["id"]]["strip"]["level_db"] for s in wet}
        b.press("button", "Set Two sends A to wet")
        b.sees("Variant A is set to it")
        variant.refresh_from_db()
        for port, level in was.items():
            now = variant.document["rails"][port]["strip"]["level_db"]
            self.assertAlmostEqual(now - level, 1.0, delta=0.02)
        b.sees("A is older than its rig")
        self.no_faults()

    def test_a_render_is_saved_as_a_file_by_keys_and_the_file_is_kept(self):
        b = self.rendered()
        folder = tempfile.TemporaryDirectory(prefix="fonodrome-kept-")
        self.addCleanup(folder.cleanup)
        to = {"behavior": "allow", "downloadPath": folder.name}
        b.driver.execute_cdp_cmd("Browser.setDownloadBehavior", to)
        self.addCleanup(
            b.driver.execute_cdp_cmd, "Browser.setDownloadBehavior", {"behavior": "default"}
        )
        b.press("tab", "Export")
        b.choose("as", "FLAC, 16 bits with dither")
        b.until(lambda: "clips past the rig" in b.text())
        (rail, *_) = b.driver.find_elements("css selector", "[aria-label^='Save as a file']")
        words = rail.get_attribute("aria-label").removeprefix("Save as a file, ")
        rail.send_keys(Keys.ENTER)
        b.find("link", f"Save once more, {words}", 60)
        self.wait_for(lambda: list(Path(folder.name).glob("*.flac")), "no file was kept")
        (kept,) = Path(folder.name).glob("*.flac")
        export = Export.objects.get()
        told = soundfile.info(str(kept))
        self.assertEqual((told.format, told.subtype), ("FLAC", "PCM_16"))
        self.assertAlmostEqual(told.duration, export.render.report["seconds"], delta=0.01)
        b.sees(f"{kept.stat().st_size / 1e6:.1f} MB")
        # The words on the screen are the name of the file.
        self.assertEqual(kept.stem, words)
        self.no_faults()

    def test_a_blind_trial_hides_x_and_goes_to_the_log(self):
        b = self.rendered()
        b.choose("questions", "8")
        b.press("button", "Begin")
        b.sees("Question 1 of 8")
        trial = Trial.objects.get()
        page = b.driver.page_source
        self.assertNotIn(trial.order, page)
        self.assertIn("hidden", self.strip())
        for number in range(1, 9):
            b.enabled("The unnamed one")
            if number == 1:
                b.press("button", "The unnamed one")
                b.press("button", "The first")
            b.keys("j" if trial.order[number - 1] == "a" else "l")
            if number < 8:
                b.sees(f"Question {number + 1} of 8")
                self.assertIsNone(b.look("img", f"{number} hits"))
        b.sees("8 of 8")
        b.sees("the difference was heard")
        self.assertIn("8 of 8 right", LogEntry.objects.get().text)
        b.press("button", "Close")
        b.press("tab", "Log")
        b.sees("8 of 8 right")
        self.no_faults()

    def test_practice_says_at_once_whether_it_was_right(self):
        b = self.open_demo(step="Listen")
        b.choose("practise hearing", "An inverted side")
        b.press("button", "Practise")
        b.sees("hollow in mono")
        trial = Trial.objects.get()
        b.enabled("It is the first")
        b.keys("j")
        b.find("img", f"{int(trial.order[0] == 'a')} hits of 1")
        b.press("button", "Stop here")
        b.sees("of 1")
        self.no_faults()

    def test_a_cut_at_a_bar_line_is_written_and_heard_after_rendering(self):
        b = self.rendered()
        b.press("button", "Cut the wet at bar 2")
        b.sees("The point is kept")
        b.sees("Moves of A")
        b.sees("A is older than its rig")
        moves = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        ).moves
        self.assertEqual(
            {(m["field"], m["points"][0]["bar"], m["points"][0]["value"]) for m in moves},
            {("level_db", 2, -120.0)},
        )
        b.press("button", "Take out all moves")
        b.until(lambda: "A is older than its rig" not in b.text(), "still marked as older")
        self.no_faults()

    def test_a_clip_is_recorded_from_the_input(self):
        b = self.open_demo(step="Listen")
        b.press("button", "Record a clip")
        b.enabled("Record")
        dialog = b.find("dialog", "Record a clip")
        b.until(lambda: "nothing comes in" not in dialog.text, "the fake input is silent")
        b.driver.execute_script(
            "[...document.querySelectorAll('dialog[open] button')].find((e) => e.innerText === 'Record').click()"
        )
        b.until(
            lambda: "keep 0:00.5" in dialog.text or "keep 0:01" in dialog.text,
            "nothing was recorded",
        )
        b.press("button", "Stop and keep")
        b.sees("is recorded")
        b.until(
            lambda: "Recording" in b.find("combobox", "Clip in hand").get_attribute("innerText"),
            "no clip",
        )
        self.no_faults()


class Live(BrowserCase):
    """Everything by keys: heard from nothing, changed while it plays, sources in and out."""

    def now(self) -> float | None:
        """What is heard just now, LUFS, as the engine's own meter at its output has it."""
        text = self.browser.find("status", "What is heard").text.replace("\n", " ")
        found = re.search(r"now (\u2212?[\d.]+) LUFS", text)
        return float(found[1].replace("\u2212", "-")) if found else None

    def hears(self, words: str, low: float = -200, high: float = 100) -> None:
        """Waits until what is heard is between two loudnesses; silence is below all."""
        self.browser.until(lambda: low < (self.now() or -150.0) < high, words)

    def test_space_plays_from_nothing_and_a_change_elsewhere_is_heard_while_it_plays(self):
        b = self.open_demo(step="Listen")
        b.choose("Clip in hand", "Guitar, print 1.wav")
        b.find("region", "Sources")
        b.keys(" ")
        b.find("button", "Stop", 60)
        self.hears("nothing is heard", low=-40)
        before = Render.objects.get().pk
        b.press("link", "Route")
        b.until(lambda: "plays A, bar" in b.text(), "it does not play on")
        b.press("radio", "Volume")
        slider = b.find("slider", "Position")
        slider.send_keys(Keys.HOME)
        b.until(
            lambda: b.driver.execute_script(
                "return performance.getEntriesByType('mark').some((m) => m.name.startsWith('heard'))"
            ), "the change was not heard", 60,
        )  # fmt: skip
        self.assertEqual(b.driver.title.count("Fonodrome"), 1)
        b.press("link", "Listen")
        self.hears("the pedal at its heel is heard", high=-60)
        newest = Render.objects.order_by("-created_at").first()
        self.assertNotEqual(newest.pk, before)
        self.assertEqual(newest.status, "done")
        b.keys(" ")
        b.find("button", "Play")
        self.no_faults()

    def test_sources_play_together_each_with_its_clip_and_are_muted_and_soloed(self):
        b = self.open_demo(step="Listen")
        b.choose("Rig", "Three sources")
        b.until(lambda: b.look("combobox", "Clip of Clarinet") is not None, "no sources")
        b.keys(" ")
        b.find("button", "Stop", 60)
        stems = Render.objects.get(bare=False).report["stems"]
        self.assertEqual(
            {s for stem in stems for s in stem["sources"]}, {"guitar", "clarinet", "drum"}
        )
        self.hears("nothing is heard", low=-40)
        b.find("img", "Gain of Compressed copy over time")
        # Each muted, by keys: nothing is left.
        for _ in range(3):
            b.keys("u")
            b.keys(Keys.ARROW_DOWN)
        self.hears("muted, and still heard", high=-70)
        b.keys("s")
        self.hears("the soloed one is not heard", low=-50)
        muted = b.driver.find_elements("css selector", "[role=switch][aria-label^=Mute]")
        self.assertEqual(
            sorted(m.get_attribute("aria-checked") for m in muted), ["false", "true", "true"]
        )
        self.no_faults()

    def test_a_source_without_a_clip_is_said_and_filled_in_one_press(self):
        b = self.open_demo(step="Listen")
        b.choose("Rig", "Three sources")
        b.until(lambda: b.look("combobox", "Clip of Baritone guitar") is not None, "no sources")
        b.choose("Clip of Baritone guitar", "no clip")
        b.sees("Baritone guitar has no clip")
        b.press("link", "Route")
        b.sees("is keyed by Baritone guitar, which has no clip")
        b.press("link", "Listen")
        b.press("button", "Fill all from the song")
        b.until(lambda: "has no clip" not in b.text(), "still said to be missing")
        feeds = Rig.objects.get(name="Three sources", song__is_demo_original=False).feeds
        self.assertEqual([len(f["placements"]) for f in feeds], [1, 1, 1])
        # Nonsense in a field is a sentence, and nothing is stored.
        field = b.find("textbox", "Level of Clarinet")
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys("loud", Keys.ENTER)
        b.sees("“loud” is no number")
        self.assertEqual(
            Rig.objects.get(name="Three sources", song__is_demo_original=False).feeds, feeds
        )
        self.no_faults()

    def test_a_ride_of_a_loop_filter_is_written_by_keys_and_heard(self):
        b = self.open_demo(step="Listen")
        echo = Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        )
        echo.document["nodes"]["echo"]["feedback_percent"] = 30
        echo.save()
        b.driver.refresh()
        b.choose("Clip in hand", "Guitar, print 1.wav")
        b.find("region", "Sources")
        b.keys(" ")
        b.find("button", "Stop", 60)
        b.keys("v")
        b.choose("Setting that moves", "Delay: loop high cut, Hz")
        lane = b.find("group", "Delay: loop high cut over the bars")
        self.assertIn("resting at off", lane.get_attribute("aria-label"))
        lane.send_keys("n")
        b.until(lambda: b.look("slider", "Point at bar") is not None, "no point")
        for key in (Keys.ARROW_DOWN, Keys.ARROW_DOWN, Keys.ARROW_RIGHT):
            kept = self.moves()
            b.find("slider", "Point at bar").send_keys(key)
            b.until(lambda before=kept: self.moves() != before, f"{key!r} was not kept")
        b.until(
            lambda: any(
                r.moves and r.status == "done" for r in Render.objects.filter(bare=False)
            ), "the ride was not rendered by itself", 60,
        )  # fmt: skip
        b.until(lambda: "is made anew" not in b.text(), "still older", 60)
        # Taken out it rests again, and the sound of before is taken up.
        b.find("slider", "Point at bar").send_keys(Keys.DELETE)
        b.until(lambda: self.moves() == [], "the move is still there")
        self.no_faults()

    def moves(self) -> list:
        return Variant.objects.get(
            rig__song__is_demo_original=False, rig__name="Two sends", position=0
        ).moves

    def test_two_variants_are_nulled_and_the_compressed_copy_is_balanced(self):
        b = self.open_demo(step="Listen")
        b.choose("Rig", "Three sources")
        b.press("button", "Render all 2 variants")
        for letter in ("A", "B"):
            b.enabled(f"Hear {letter}", 60)
        # Of five paths that meet, the person says which one moves.
        b.press("checkbox", "Compressed copy")
        b.press("checkbox", "Hall return")
        slider = b.find("slider", "Compressed copy against the rest")
        before = slider.get_attribute("aria-valuetext")
        self.assertIn("level", before)
        slider.send_keys(Keys.ARROW_RIGHT)
        b.until(
            lambda: b.find("slider", "Compressed copy against").get_attribute("aria-valuetext") != before,
            "the balance does not move",
        )  # fmt: skip
        self.assertIn(
            "level \u22125.5 dB",
            b.find("slider", "Compressed copy against").get_attribute("aria-valuetext"),
        )
        b.press("button", "Null A against B")
        b.until(lambda: "/verify/" in b.driver.current_url, "not under Verify", 30)
        b.sees("Looked for and not found", 60)
        self.no_faults()

    def test_two_places_are_balanced_at_once_by_keys_each_written_to_its_own_rail(self):
        """A compressed copy, and a hall behind it: both are moved on what is rendered once."""
        b = self.open_demo(step="Listen")
        song = Rig.objects.get(name="Two sends", song__is_demo_original=False).song
        rig = create_rig(
            song, "Twice", None,
            "a: source (stereo) > s: split > m: merge > t: split > n: merge > o: output (stereo)\n"
            's > c: compressor "Copy" (threshold -40 dB, ratio 8, make-up 12 dB) > m [level -6 dB]\n'
            't > r: reverb "Hall" (RT60 0.4 s, mix 100 %, locked) > n [level -3 dB]',
        )  # fmt: skip
        b.driver.refresh()
        b.choose("Rig", "Twice")
        b.press("link", "Listen")
        b.keys(" ")
        b.find("button", "Stop", 60)
        b.choose("Where it is balanced", "Merge of Hall")
        b.choose("Another place that is balanced", "Merge of Copy")
        # It plays on, and what is missing is made by itself.
        slider = b.find("slider", "Copy against the rest", 60)
        b.until(lambda: "level \u22126.0 dB" in slider.get_attribute("aria-valuetext"))
        b.find("slider", "Copy against the rest").send_keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
        b.press("button", "Set Twice A to Copy")

        def strip(port: str) -> float:
            document = rig.variants.get().document
            return document["rails"][port]["strip"]["level_db"]

        self.wait_for(lambda: strip("c.0") == -5, "the copy is not set")
        self.assertEqual(strip("r.0"), -3)
        b.find("slider", "Wet against dry").send_keys(Keys.ARROW_LEFT)
        b.press("button", "Set Twice A to wet")
        self.wait_for(lambda: strip("r.0") == -3.5, "the hall is not set")
        self.assertEqual(strip("c.0"), -5)
        self.no_faults()
