"""Shared links seen by a stranger in a browser of their own; tokens made and taken back."""

import json
import urllib.error
import urllib.request

from e2e.base import BrowserCase
from server.shares.models import ShareLink


class ShareCase(BrowserCase):
    def signed_up(self):
        """The demo, kept under a name; guests share nothing."""
        b = self.open_demo(step="Route")
        b.open("/")
        b.press("button", "Keep it: sign up")
        b.type("Name", "harbour")
        b.driver.find_element("css selector", "dialog input[type=password]").send_keys(
            "a long sentence 7"
        )
        b.press("button", "Make my account")
        b.sees("Signed up as harbour")
        return b

    def path_of(self, b):
        return b.find("link", f"{b.url}/shared/").get_attribute("href").removeprefix(b.url)


class Sharing(ShareCase):
    jobs = False

    def test_a_stranger_sees_the_song_and_nothing_once_it_is_taken_back(self):
        b = self.signed_up()
        b.size(390, 844)
        b.press("link", "Share Paper Lighthouse")
        b.press("checkbox", "Say my name")
        b.press("button", "Make the link")
        b.sees("runs out in 14 days")
        path = self.path_of(b)
        stranger = self.new_browser(390, 844)
        stranger.open(path)
        stranger.find("heading", "Paper Lighthouse")
        stranger.sees("Shared by harbour")
        # 94 dotted quarters: a dotted eighth lasts 319.15 ms.
        stranger.sees("319.15 ms")
        stranger.choose("Stage sheet of", "Two sends B Delay into reverb")
        stranger.sees("Into the reverb")
        # There is no way from here into the studio.
        self.assertIsNone(stranger.look("link", "Route"))
        self.assertIsNone(stranger.look("button", "Play"))
        self.assertEqual(stranger.faults(), [])
        b.press("button", "Take back link to The song")
        b.sees("None: nobody but you sees this song.")
        stranger.driver.refresh()
        stranger.sees("has run out, or was taken back")
        self.assertNotIn("Lighthouse", stranger.text())
        self.assertEqual(ShareLink.objects.count(), 1)

    def test_a_stage_sheet_is_shared_by_keyboard_and_printed_by_a_stranger(self):
        b = self.signed_up()
        b.press("link", "Paper Lighthouse")
        b.find("radio", "Compressor")
        b.press("tab", "Patch sheet")
        b.press("link", "Stage sheet")
        b.press("link", "Share")
        chosen = b.find("combobox", "What is seen")
        b.until(
            lambda: "Two sends A" in chosen.get_property("selectedOptions")[0].text, "not chosen"
        )
        b.find("button", "Make the link").send_keys("\n")
        b.sees("nothing to hear; without your name")
        stranger = self.new_browser()
        stranger.open(self.path_of(b))
        stranger.sees("Shared, to be looked at")
        stranger.sees("Two sends")
        self.assertNotIn("harbour", stranger.text())
        pages = stranger.driver.execute_cdp_cmd("Page.printToPDF", {"preferCSSPageSize": True})
        self.assertGreater(len(pages["data"]), 10_000)
        self.assertEqual(stranger.faults(), [])

    def test_a_token_is_shown_once_does_what_it_may_and_is_taken_back(self):
        b = self.signed_up()
        b.press("link", "Scripts")
        b.type("What the token is for", "nightly", enter=True)
        token = b.find("status", "The new token").find_element("tag name", "code").text

        def ask(method, path, body=None):
            wish = urllib.request.Request(
                f"{b.url}/api/v1{path}", json.dumps(body).encode() if body else None,
                {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}, method=method,
            )  # fmt: skip
            try:
                with urllib.request.urlopen(wish) as answer:
                    return answer.status, json.load(answer)
            except urllib.error.HTTPError as error:
                return error.code, json.load(error)

        status, songs = ask("GET", "/songs")
        self.assertEqual((status, len(songs)), (200, 3))
        status, said = ask("POST", "/songs", {"title": "x", "tempo_map": [{"tempo_bpm": 90}]})
        self.assertEqual(status, 403)
        self.assertIn("lacks “write”", said["detail"])
        b.driver.refresh()
        b.sees("nightly")
        b.sees("last used")
        self.assertNotIn(token, b.driver.page_source)
        b.press("button", "Take back nightly")
        b.sees("no longer in force")
        self.assertEqual(ask("GET", "/songs")[0], 401)
        self.assertEqual(
            len(b.driver.find_elements("css selector", "[aria-label='Ten calls'] li")), 10
        )
