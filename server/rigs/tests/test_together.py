"""Two presses at the same moment, by threads and a real database: nothing is lost, nothing is a fault."""

import time
import uuid

from django.test import TransactionTestCase

from core.errors import FonodromeError
from core.routing import compile_rig, load_rig
from core.routing.edit.actions import Notate, SetRig
from server.config.problems import Problem
from server.renders.models import Render
from server.rigs import services
from server.rigs.models import Variant
from server.rigs.queries import context_of
from server.rigs.services import create_rig
from server.songs.models import Song
from server.songs.services import edit_song
from server.testing import clip_in, noise, person, song_for, together, wav_bytes


class Together(TransactionTestCase):
    def setUp(self):
        self.user = person()
        self.song = song_for(self.user)
        self.rig = create_rig(self.song, "Two sends", "send-return", None)
        self.first = self.rig.variants.get()

    def add(self) -> Variant:
        return services.add_variant(self.user, self.rig.pk, self.first.pk, "")

    def letters(self) -> list[str]:
        return [v.letter for v in Variant.objects.filter(rig=self.rig)]

    def test_the_last_variant_stays_whoever_deletes_all_at_once(self):
        for _ in range(4):
            held = [self.first if self.first.position is not None else self.add()]
            held = list(Variant.objects.filter(rig=self.rig))
            while len(held) < 4:
                self.add()
                held = list(Variant.objects.filter(rig=self.rig))
            self.first = held[0]
            told = together(*[lambda v=v: services.delete_variant(self.user, v.pk) for v in held])
            refused = [t for t in told if isinstance(t, Problem)]
            self.assertEqual(len(self.letters()), 1, told)
            self.assertEqual([p.status for p in refused], [409])
            self.first = Variant.objects.get(rig=self.rig)

    def test_variants_added_at_once_each_have_a_letter(self):
        told = together(*[self.add for _ in range(4)])
        self.assertEqual([t for t in told if isinstance(t, Exception)], [])
        self.assertEqual(sorted(self.letters()), ["A", "B", "C", "D", "E"])

    def test_moved_promoted_deleted_and_brought_back_at_once_nobody_waits_for_ever(self):
        others = [self.add() for _ in range(3)]
        gone = self.add()
        services.delete_variant(self.user, gone.pk)
        told = together(
            lambda: services.promote(self.user, others[0].pk),
            lambda: services.move_variant(self.user, others[1].pk, 0),
            lambda: services.delete_variant(self.user, others[2].pk),
            lambda: services.restore_variant(self.user, gone.pk),
        )
        self.assertEqual([t for t in told if isinstance(t, Exception)], [])
        # Five less the one that went; whoever came first, each has a letter of its own.
        self.assertEqual((len(self.letters()), len(set(self.letters()))), (4, 4))

    def test_names_edits_and_what_a_rig_has_at_once_nobody_waits_in_a_circle(self):
        """An edit of the title names the rig; each of the others holds the rig and wants its variants."""
        others = [self.add() for _ in range(5)]
        for turn in range(6):
            self.first.refresh_from_db()
            revision, gone = self.first.revision, others.pop() if turn % 2 else None
            calls = [
                lambda t=turn, r=revision: services.edit_variant(
                    self.user, self.first.pk, SetRig(title=f"Harbour {t}"), r, uuid.uuid4()
                ),
                lambda t=turn: services.rename(self.user, self.rig.pk, f"Quay {t}", None),
                lambda t=turn: services.move_variant(self.user, others[0].pk, t % 2 + 1),
                lambda: services.move_rig(self.user, self.rig.pk, 0),
                lambda g=gone: (
                    services.delete_variant(self.user, g.pk) if g is not None else self.add()
                ),
            ]
            told = together(*calls)
            self.assertEqual([t for t in told if isinstance(t, Exception)], [])
        titles = {v.document["title"] for v in Variant.objects.filter(rig=self.rig)}
        self.assertEqual(len(titles), 1)

    def test_an_edit_sent_twice_at_once_is_done_once(self):
        action, one = SetRig(title="Harbour"), uuid.uuid4()
        told = together(
            *[lambda: services.edit_variant(self.user, self.first.pk, action, 1, one)] * 2
        )
        self.assertEqual([t for t in told if isinstance(t, Exception)], [])
        self.first.refresh_from_db()
        self.assertEqual((self.first.revision, self.first.edits.count()), (2, 1))

    def test_one_id_for_two_variants_means_two_edits(self):
        other, one = self.add(), uuid.uuid4()
        for variant, title in ((self.first, "Harbour"), (other, "Quay")):
            for _ in range(2):
                services.edit_variant(self.user, variant.pk, SetRig(title=title), 1, one)
            variant.refresh_from_db()
            self.assertEqual(variant.revision, 2)

    def test_the_same_render_asked_for_at_once_is_made_once(self):
        from core.render.report import RenderJob
        from server.renders.services import start_render

        clip = clip_in(self.song, wav_bytes(noise(0.2)))
        output = next(n for n, v in self.first.document["nodes"].items() if v["kind"] == "output")
        told = together(
            *[lambda: start_render(self.user, self.first, RenderJob(output=output), clip.pk)] * 3
        )
        self.assertEqual([t for t in told if isinstance(t, Exception)], [])
        self.assertEqual(len({t.pk for t in told}), 1)
        # One that is about to stop is not what is asked for anew.
        Render.objects.update(status="running", cancel_requested=True)
        again = start_render(self.user, self.first, RenderJob(output=output), clip.pk)
        self.assertNotEqual(again.pk, told[0].pk)
        self.assertEqual(again.status, "queued")

    def test_a_delay_is_taken_out_while_a_rig_begins_to_use_it(self):
        """Whoever is first counts; the other one is told. Never a rig with a delay that is not there."""
        lines = [{"name": "Slap", "value": "90 ms"}, {"name": "Throw", "value": "1/4"}]
        song = edit_song(self.user, self.song.pk, 1, {"delays": lines})
        one = services.add_variant(self.user, self.rig.pk, self.first.pk, "")
        use = Notate(text="g: source > d: delay (time @throw) > o: output")
        seen = set()
        for turn in range(8):
            one.refresh_from_db()
            revision = Song.objects.get(pk=song.pk).revision
            plain = Notate(text="g: source > o: output")
            services.edit_variant(self.user, one.pk, plain, one.revision, uuid.uuid4())
            one.refresh_from_db()
            edit_song(self.user, song.pk, revision, {"delays": lines})
            revision = Song.objects.get(pk=song.pk).revision
            # Either order, and at once.
            wait = (turn % 4 - 1) * 0.01
            told = together(
                lambda r=revision, w=wait: (
                    time.sleep(max(0.0, w)), edit_song(self.user, song.pk, r, {"delays": lines[:1]})
                )[1],
                lambda r=one.revision, w=wait: (
                    time.sleep(max(0.0, -w)),
                    services.edit_variant(self.user, one.pk, use, r, uuid.uuid4()),
                )[1],
            )  # fmt: skip
            refused = [isinstance(t, FonodromeError) for t in told]
            self.assertEqual(sum(refused), 1, told)
            seen.add(refused[0])
            document = Variant.objects.get(pk=one.pk)
            compile_rig(load_rig(document.document), context_of(Song.objects.get(pk=song.pk)))
        self.assertEqual(seen, {True, False})

    def test_a_step_back_to_a_delay_that_is_gone_is_refused_and_nothing_is_locked(self):
        lines = [{"name": "Slap", "value": "90 ms"}, {"name": "Throw", "value": "1/4"}]
        edit_song(self.user, self.song.pk, 1, {"delays": lines})
        pk = self.first.pk
        for text in ("g: source > d: delay (time @throw) > o: output", "g: source > o: output"):
            self.first.refresh_from_db()
            services.edit_variant(
                self.user, pk, Notate(text=text), self.first.revision, uuid.uuid4()
            )
        revision = Song.objects.get(pk=self.song.pk).revision
        edit_song(self.user, self.song.pk, revision, {"delays": lines[:1]})
        for step in (
            lambda: services.undo(self.user, pk),
            lambda: services.go_to(self.user, pk, 1),
        ):
            with self.assertRaises(FonodromeError) as said:
                step()
            self.assertIn("throw", said.exception.sentence)
        # Further back there is none: that goes.
        services.go_to(self.user, pk, 0)
        # And once the delay is there again, so does this.
        revision = Song.objects.get(pk=self.song.pk).revision
        edit_song(self.user, self.song.pk, revision, {"delays": lines})
        services.redo(self.user, pk)
        self.assertIn("@throw", str(Variant.objects.get(pk=pk).document))
