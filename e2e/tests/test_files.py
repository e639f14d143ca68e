"""A song out into a file and in again through the browser."""

import base64
import tempfile
from pathlib import Path

from selenium.webdriver.common.by import By

from e2e.base import BrowserCase
from server.songs.models import Song

_FETCH = """
fetch(arguments[0]).then((r) => r.blob()).then((b) => new Promise((done) => {
  const reader = new FileReader();
  reader.onload = () => done(reader.result.split(',')[1]);
  reader.readAsDataURL(b);
})).then(arguments[1]);
"""


class Files(BrowserCase):
    def test_kept_in_a_file_and_taken_again_on_a_phone(self):
        b = self.open_demo(step="Route")
        b.size(390, 844)
        b.press("link", "Fonodrome, all songs")
        link = b.find("link", "Keep in a file Ferry in Fog")
        b.driver.set_script_timeout(60)
        data = base64.b64decode(b.driver.execute_async_script(_FETCH, link.get_attribute("href")))
        with tempfile.TemporaryDirectory() as folder:
            good, bad = Path(folder) / "ferry.song.zip", Path(folder) / "notes.zip"
            good.write_bytes(data)
            bad.write_bytes(b"no zip at all")
            picker = b.driver.find_element(By.CSS_SELECTOR, "input[type=file]")
            picker.send_keys(str(bad))
            b.sees("This is no song's file, or it is damaged")
            picker.send_keys(str(good))
            b.sees("You have “Ferry in Fog” already.")
            b.press("button", "Leave what is here")
            b.sees("“Ferry in Fog” is here already and was left as it is.")
            b.press("button", "Understood")
            picker.send_keys(str(good))
            b.press("button", "Take as a second one")
            b.sees("“Ferry in Fog 2” is taken.", 30)
        b.press("link", "Ferry in Fog 2")
        b.press("link", "Route")
        b.find("radio", "Left delay")
        song = Song.objects.get(title="Ferry in Fog 2")
        self.wait_for(
            lambda: not song.clips.exclude(status="done").exists(), "its clips are not read"
        )
        self.assertEqual(song.clips.count(), Song.objects.get(title="Ferry in Fog", is_demo_original=False).clips.count())  # fmt: skip
        wide = b.driver.execute_script("return document.documentElement.scrollWidth")
        self.assertLessEqual(wide, 390)
        self.no_faults()
