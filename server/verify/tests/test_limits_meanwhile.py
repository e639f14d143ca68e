"""A limit that is changed while the test ends, either way round: what stands is judged by the limit that stands."""

import threading
from unittest import mock

from django.test import TransactionTestCase

from core.measure import Limit
from server.testing import clip_in, noise, person, song_for, together, wav_bytes
from server.verify import tasks
from server.verify.models import NullTest
from server.verify.services import set_limit
from server.verify.tasks import run_null_test

TIGHT, LOOSE = Limit(value_db=200), Limit(value_db=1)


class Meanwhile(TransactionTestCase):
    def setUp(self):
        song = song_for(person())
        sound = noise(0.5)
        self.a = clip_in(song, wav_bytes(sound), "a.wav")
        # A copy with something else 40 dB below it: passes a loose limit, fails a tight one.
        self.b = clip_in(song, wav_bytes(sound + 0.01 * noise(0.5, seed=8)), "b.wav")
        self.song = song

    def a_test(self) -> NullTest:
        return NullTest.objects.create(
            song=self.song, clip_a=self.a, clip_b=self.b, options={},
            limit=TIGHT.model_dump(mode="json"),
        )  # fmt: skip

    def test_changed_between_the_measurement_and_its_end(self):
        row = self.a_test()
        explained = tasks.explained_test

        def measured(*given, **more):
            found = explained(*given, **more)
            set_limit(NullTest.objects.get(pk=row.pk), LOOSE)
            return found

        with mock.patch.object(tasks, "explained_test", measured):
            run_null_test(test_id=str(row.pk))
        row.refresh_from_db()
        self.assertEqual((row.status, row.limit["value_db"]), ("done", 1))
        self.assertTrue(row.summary["passed"], row.summary)

    def test_changed_at_the_very_moment(self):
        for _ in range(3):
            row = self.a_test()
            ready, explained = threading.Event(), tasks.explained_test

            def measured(*given, explained=explained, ready=ready, **more):
                found = explained(*given, **more)
                ready.set()
                return found

            def change(row=row, ready=ready):
                seen = NullTest.objects.get(pk=row.pk)
                ready.wait(60)
                set_limit(seen, LOOSE)

            with mock.patch.object(tasks, "explained_test", measured):
                told = together(lambda row=row: run_null_test(test_id=str(row.pk)), change)
            self.assertEqual([t for t in told if isinstance(t, Exception)], [])
            row.refresh_from_db()
            self.assertEqual((row.status, row.limit["value_db"]), ("done", 1))
            self.assertTrue(row.summary["passed"], row.summary)
