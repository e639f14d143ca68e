"""Time's further parts in the browser: delay plan, lattice, repeats, tempo map, devices, takes."""

import io
import tempfile
from pathlib import Path

import mido
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from core.tempo import TempoSection, read_midi, write_midi
from e2e.base import BrowserCase
from server.rigs.models import Variant
from server.songs.models import Song


class Rhythm(BrowserCase):
    jobs = False

    def song(self, title: str = "Paper Lighthouse") -> Song:
        return Song.objects.get(title=title, is_demo_original=False)

    def played(self) -> list[int]:
        figure = self.song().figure
        return [n["slot"] for n in figure["pattern"]["played"]]

    def test_the_lattice_by_pointer_by_keys_and_typed(self):
        b = self.open_demo()
        b.press("link", "Lattice")
        b.sees("Echoes 1 and 3 fill the gaps; 4 lands on your notes; every slot sounds.")
        # By pointer: a played note is taken out, and its echoes with it.
        b.find("checkbox", "Slot 1").click()
        self.wait_for(lambda: 0 not in self.played(), "not taken out")
        # By keys: along the slots, and on again.
        slot = b.find("checkbox", "Slot 1")
        slot.send_keys(Keys.ARROW_RIGHT)
        b.until(lambda: b.driver.switch_to.active_element.get_attribute("aria-label") == "Slot 2")
        b.driver.switch_to.active_element.send_keys(Keys.ENTER)
        self.wait_for(lambda: 1 in self.played(), "not put on")
        b.until(lambda: b.find("checkbox", "Slot 2").get_attribute("aria-checked") == "true")
        # Typed, with a pitch; a bad word says so and keeps what was there.
        b.type("Played slots", "1 3:H9", enter=True)
        b.sees("“3:H9” is no slot")
        b.type("Played slots", "1 3:E3 5", enter=True)
        self.wait_for(lambda: self.played() == [0, 2, 4], "typed pattern not taken")
        b.find("checkbox", "Slot 3, E3")
        self.no_faults()

    def test_the_dotted_eighth_figure_is_checked_condition_by_condition(self):
        b = self.open_demo()
        b.press("link", "Lattice")
        b.choose("A ready figure", "Eighths heard as sixteenths")
        b.sees("all met: every slot sounds")
        self.wait_for(lambda: self.song().delays[0]["first_db"] == 0, "levels not taken")
        b.press("link", "Repeats")
        level = b.find("slider", "First repeat against dry")
        level.send_keys(Keys.ARROW_LEFT, Keys.ARROW_LEFT)
        b.press("link", "Lattice")
        b.sees("what it needs")
        b.sees("the repeat is as loud as the note (−1.0 dB)")
        b.press("button", "1/16")
        b.until(lambda: "sixteenth" in b.find("group", "Reading").text)
        self.wait_for(lambda: self.song().delay_value == "1/16", "search result not taken")
        self.no_faults()

    def test_the_figure_is_heard_and_stopped(self):
        b = self.open_demo()
        b.press("link", "Lattice")
        b.press("button", "Hear it")
        b.find("button", "Stop")
        b.keys(" ")
        b.find("button", "Hear it")
        self.no_faults()

    def test_feedback_is_dragged_and_runaway_said_plainly(self):
        b = self.open_demo()
        b.sees("11 repeats above −40 dB")
        post = b.find("slider", "Feedback")
        # As far as the device goes; without one, past what can be held.
        self.assertEqual(post.get_attribute("aria-valuemax"), "110")
        b.choose("Device", "No device")
        b.until(lambda: b.find("slider", "Feedback").get_attribute("aria-valuemax") == "120")
        width = post.size["width"]
        ActionChains(b.driver).move_to_element_with_offset(
            post, -width // 2 + 20, 0
        ).click_and_hold().move_to_element_with_offset(post, 0, 0).release().perform()
        self.wait_for(lambda: 58 <= self.song().delays[0]["feedback_percent"] <= 62, "not dragged")
        post.send_keys(Keys.END)
        b.sees("turn monitors down before you close it")
        b.sees("meets full scale after")
        post.send_keys(Keys.HOME)
        b.sees("1 repeat above −40 dB")
        b.choose("Mode", "dual: each side its own")
        b.find("textbox", "Right side's time")
        self.wait_for(lambda: self.song().delays[0]["mode"] == "dual", "mode not kept")
        self.no_faults()

    def test_named_delays_follow_the_tempo_or_stay_and_rigs_use_them(self):
        b = self.open_demo()
        b.press("tab", "Slap")
        b.until(lambda: "118 ms" in b.find("group", "Reading").text)
        b.type("Tempo in BPM", "100", enter=True)
        b.press("tab", "Lead throw")
        b.until(lambda: "400.000 ms" in b.find("group", "Reading").text)
        b.press("tab", "Slap")
        b.until(lambda: "118 ms" in b.find("group", "Reading").text)
        b.press("button", "rename Slap")
        name = b.find("textbox", "Name of the delay")
        name.send_keys("Short slap", Keys.ENTER)
        self.wait_for(lambda: self.song().delays[2]["name"] == "Short slap", "not renamed")
        b.press("link", "Route")
        b.find("radio", "Delay").click()
        b.type("Time, typed", "@short_slap", enter=True)
        b.find("radio", "Delay, 118 ms")
        b.press("link", "Time")
        b.press("tab", "Short slap")
        b.press("button", "take out Short slap")
        b.sees("is used in the rig “Two sends”")
        variant = Variant.objects.get(rig__song=self.song(), rig__name="Two sends", position=0)
        self.assertEqual(variant.document["nodes"]["echo"]["time"], "@short_slap")
        self.assertEqual(len(self.song().delays), 3)

    def open_lanterns(self) -> None:
        b = self.open_demo()
        b.press("link", "Fonodrome, all songs")
        b.press("link", "Nine Lanterns")
        b.press("link", "Time")
        b.find("radio", "Verse, 112 BPM")

    def sections(self) -> list[dict]:
        return self.song("Nine Lanterns").tempo_map

    def test_the_tempo_map_by_keys_by_pointer_and_by_fields(self):
        self.open_lanterns()
        b = self.browser
        verse = b.find("radio", "Verse, 112 BPM")
        verse.send_keys(Keys.ARROW_UP)
        self.wait_for(lambda: self.sections()[0]["tempo_bpm"] == 113, "tempo not stepped")
        b.find("radio", "Verse, 113 BPM").send_keys("]")
        self.wait_for(lambda: self.sections()[0]["bars"] == 17, "bars not stepped")
        b.find("radio", "Verse, 113 BPM").send_keys(Keys.ARROW_RIGHT)
        b.until(lambda: b.find("textbox", "Section").get_attribute("value") == "Turn")
        # By pointer: a section is chosen on the strip.
        b.find("radio", "Rise, 112 to 126 BPM").click()
        b.until(lambda: b.find("textbox", "Section").get_attribute("value") == "Rise")
        b.type("Ramp to, BPM", "120", enter=True)
        b.find("radio", "Rise, 112 to 120 BPM")
        b.press("button", "A section after it")
        self.wait_for(lambda: len(self.sections()) == 5, "not added")
        b.press("button", "Take it out")
        self.wait_for(lambda: len(self.sections()) == 4, "not taken out")
        # An open section before another one is refused in words; what was there stays.
        b.find("radio", "Verse, 113 BPM").click()
        b.until(lambda: b.find("textbox", "Section").get_attribute("value") == "Verse")
        b.type("Bars + beats", " ", enter=True)
        b.sees("Only the last section can be open")
        self.assertEqual(self.sections()[0]["bars"], 17)

    def test_the_tempo_map_is_dragged(self):
        self.open_lanterns()
        b = self.browser

        def drag(css: str, across: int, down: int) -> None:
            mark = b.driver.find_element("css selector", css)
            b.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", mark)
            ActionChains(b.driver).move_to_element(mark).click_and_hold().move_by_offset(
                across // 2, down // 2
            ).move_by_offset(across - across // 2, down - down // 2).release().perform()

        drag("[data-section='0'] path[stroke='transparent']", 0, -24)
        self.wait_for(lambda: self.sections()[0]["tempo_bpm"] > 114, "tempo not dragged")
        self.assertEqual(self.sections()[1]["tempo_bpm"], 112)
        drag("[data-end='0']", -70, 0)
        self.wait_for(lambda: self.sections()[0]["bars"] < 16, "end not dragged")
        self.no_faults()

    def test_a_tempo_map_goes_out_and_comes_in_as_a_midi_file(self):
        self.open_lanterns()
        b = self.browser
        song = self.song("Nine Lanterns")
        cookies = {c["name"]: c["value"] for c in b.driver.get_cookies()}
        self.client.cookies.load(cookies)
        out = self.client.get(f"/api/v1/songs/{song.pk}/tempo-map.mid")
        self.assertEqual(
            [s.name for s in read_midi(out.content).sections],
            ["Verse", "Turn", "Rise", "Last verse"],
        )
        self.assertEqual(len(mido.MidiFile(file=io.BytesIO(out.content)).tracks), 1)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        good, bad = Path(folder.name) / "map.mid", Path(folder.name) / "torn.mid"
        data = write_midi([TempoSection(name="Waltz", bars=12, tempo_bpm=90, metre_count=3)])
        good.write_bytes(data)
        bad.write_bytes(data[:40])
        field = "input[type=file][aria-label='MIDI file']"
        b.driver.find_element("css selector", field).send_keys(str(bad))
        b.sees("This MIDI file is damaged")
        b.driver.find_element("css selector", field).send_keys(str(good))
        b.sees("1 section, 12 bars read.")
        b.press("button", "Take this tempo map")
        self.wait_for(lambda: self.sections()[0]["metre_count"] == 3, "not taken")
        b.press("button", "Undo")
        self.wait_for(lambda: len(self.sections()) == 4, "not undone")

    def test_sections_begin_inside_bars_from_a_file_typed_dragged_and_out_again(self):
        self.open_lanterns()
        b = self.browser
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        # Someone else's file: 4/4, faster on the third beat of bar 2, for 4 bars in all.
        track = mido.MidiTrack([
            mido.MetaMessage("set_tempo", tempo=500_000),
            mido.MetaMessage("set_tempo", tempo=400_000, time=480 * 6),
            mido.MetaMessage("end_of_track", time=480 * 10),
        ])  # fmt: skip
        file = mido.MidiFile(type=1, ticks_per_beat=480)
        file.tracks.append(track)
        path = Path(folder.name) / "inside.mid"
        file.save(str(path))
        field = "input[type=file][aria-label='MIDI file']"
        b.driver.find_element("css selector", field).send_keys(str(path))
        b.sees("2 sections, 4 bars read.")
        b.press("button", "Take this tempo map")
        self.wait_for(lambda: len(self.sections()) == 2, "not taken")
        b.find("radio", "Section 2, 150 BPM, 4/4, 2 bars and 2 beats, from bar 2, beat 3")
        # Typed in the field: what says no length moves nothing; what does, moves it.
        b.find("radio", "Section 1").click()
        b.until(lambda: b.find("textbox", "Bars + beats").get_attribute("value") == "1 + 2")
        b.type("Bars + beats", "two", enter=True)
        b.sees("Type bars, or bars + beats")
        self.assertEqual(self.sections()[0]["beats"], 2)
        b.type("Bars + beats", "1 + 1.5", enter=True)
        self.wait_for(lambda: self.sections()[0]["beats"] == 1.5, "beats not typed")
        b.find("radio", "Section 2, 150 BPM, 4/4, 2 bars and 2 beats, from bar 2, beat 2.5")
        # By keyboard a beat longer, and by pointer, with Shift, to some other beat.
        b.find("radio", "Section 1").send_keys("}")
        self.wait_for(lambda: self.sections()[0]["beats"] == 2.5, "beat not stepped")
        end = b.driver.find_element("css selector", "[data-end='0']")
        b.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", end)
        ActionChains(b.driver).key_down(Keys.SHIFT).move_to_element(
            end
        ).click_and_hold().move_by_offset(-30, 0).move_by_offset(-30, 0).release().key_up(
            Keys.SHIFT
        ).perform()
        self.wait_for(lambda: self.sections()[0]["beats"] in (0, 1, 2, 3), "end not dragged")
        # A section from the place that was read, inside a bar.
        b.type("Bar", "3", enter=True)
        b.type("Beat of the metre", "2", enter=True)
        b.press("button", "A section from here")
        self.wait_for(lambda: len(self.sections()) == 3, "not parted")
        b.find("radio", "Section 3, 150 BPM, 4/4")
        # Out again: the same sections, begun where they were.
        song = self.song("Nine Lanterns")
        self.client.cookies.load({c["name"]: c["value"] for c in b.driver.get_cookies()})
        out = self.client.get(f"/api/v1/songs/{song.pk}/tempo-map.mid")
        read = [(s.bars, round(s.beats, 3), s.tempo_bpm) for s in read_midi(out.content).sections]
        stored = [(s["bars"], s["beats"], s["tempo_bpm"]) for s in self.sections()]
        self.assertEqual(read, stored)
        self.no_faults()

    def test_a_device_with_a_tap_alone_says_what_to_tap(self):
        b = self.open_demo()
        b.choose("Device", "Tap pedal without a knob")
        b.press("link", "Reach of the device")
        b.sees("tap every 1/8., device on 1/4")
        b.choose("Device", "Knob in 5 ms marks")
        b.sees("It has no tap: count in at 93.75 BPM")
        b.press("button", "Count in at this tempo")
        self.wait_for(lambda: self.song().tempo_map[0]["tempo_bpm"] == 93.75, "tempo not taken")
        b.press("link", "Table of values")
        b.choose("Kind of value", "quintuplet")
        b.find("button", "1/8Q")
        self.no_faults()

    def test_a_take_is_set_against_the_slots(self):
        b = self.open_demo()
        b.press("link", "A take")
        b.choose("Clip in hand", "Guitar, print 1.wav")
        b.press("button", "Set it against the slots")
        b.sees("48 notes", 30)
        b.find("img", "Offsets of 48 notes")
        b.press("link", "Tempo map")
        b.press("button", "Suggest a tempo from “Guitar, print 1.wav”")
        b.find("button", "BPM, likeliest", 30)
        b.find("button", "BPM, double")
        self.no_faults()
