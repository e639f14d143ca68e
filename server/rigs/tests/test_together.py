"""Two presses at the same moment, by threads and a real database: nothing is lost, nothing is a fault."""

import uuid

from django.test import TransactionTestCase

from core.routing.edit.actions import SetRig
from server.config.problems import Problem
from server.renders.models import Render
from server.rigs import services
from server.rigs.models import Variant
from server.rigs.services import create_rig
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
