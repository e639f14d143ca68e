"""Snapshots in the browser: kept, changed since, gone back to, and forth again."""

from selenium.webdriver.common.keys import Keys

from e2e.base import BrowserCase
from server.rigs.models import Variant
from server.snapshots.models import Snapshot
from server.songs.models import Song


def decay_of(variant: Variant) -> float:
    nodes = variant.document["nodes"].values()
    return next(n["rt60_s"] for n in nodes if n["kind"] == "reverb")


class Snapshots(BrowserCase):
    def test_by_keys_on_a_phone_back_and_forth(self):
        b = self.open_demo()
        song = Song.objects.get(title="Paper Lighthouse", is_demo_original=False)
        variant = Variant.objects.get(rig__song=song, rig__name="Two sends", position=0)
        b.size(390, 844)
        b.press("link", "Log")
        b.find("region", "Snapshots")
        b.driver.execute_script("document.activeElement.blur()")
        b.keys("s")
        b.driver.switch_to.active_element.send_keys("Before the tour", Keys.ENTER)
        b.find("button", "What changed since Before the tour")
        b.size(1280, 800)
        b.press("link", "Route")
        b.press("radio", "Reverb, ")
        b.find("slider", "RT60").send_keys(Keys.ARROW_RIGHT)
        self.wait_for(
            lambda: Variant.objects.get(pk=variant.pk).revision > variant.revision, "kept"
        )
        was, set_to = decay_of(variant), decay_of(Variant.objects.get(pk=variant.pk))
        self.assertNotEqual(set_to, was)
        b.size(390, 844)
        b.press("link", "Log")
        b.press("button", "What changed since Before the tour")
        b.sees("A: Reverb")
        b.press("button", "Go back to all of it")
        b.sees("The song is as in “Before the tour”.")

        def decay() -> float:
            return decay_of(Variant.objects.get(pk=variant.pk))

        self.wait_for(lambda: decay() == was, "not gone back")
        b.press("button", "Undo")
        b.sees("It is as it was before.")
        self.wait_for(lambda: decay() == set_to, "not forth again")
        # Kept before each way, and by the day's first change.
        kinds = Snapshot.objects.filter(song=song).values_list("kind", flat=True)
        self.assertEqual(sorted(kinds), ["before", "before", "daily", "named"])
        # Work goes on where it was gone back to.
        b.size(1280, 800)
        b.press("link", "Route")
        b.press("radio", "Reverb, ")
        b.find("slider", "RT60").send_keys(Keys.ARROW_RIGHT)
        self.wait_for(lambda: decay() not in (was, set_to), "not kept after it")
        self.no_faults()
