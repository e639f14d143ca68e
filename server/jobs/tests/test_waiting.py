"""Waiting for news of a job: as soon as there is some, never for what did not change, and for so long at most."""

import itertools
import threading
from unittest import mock

from server.clips.models import Clip
from server.jobs import waiting
from server.jobs.models import Status
from server.testing import ApiCase


class Waiting(ApiCase):
    def setUp(self):
        super().setUp()
        self.row = Clip.objects.create(song=self.song, name="take.wav")

    def looks(self, *columns: str, **news: object) -> int:
        """How often it looked, where the row changes before its third look. A second passes with each."""
        self.row.refresh_from_db()
        clock, looked = itertools.count(), 0

        def pause(_: float) -> None:
            nonlocal looked
            looked += 1
            if looked == 3:
                Clip.objects.filter(pk=self.row.pk).update(**news)

        with (
            mock.patch.object(waiting.time, "sleep", pause),
            mock.patch.object(waiting.time, "monotonic", clock.__next__),
        ):
            waiting.wait_for(self.row, 9, *columns)
        return looked

    def test_it_ends_with_news_of_what_was_asked_for(self):
        self.assertEqual(self.looks(progress=0.4), 3)
        self.assertEqual(self.looks("stage", stage="Aligning"), 3)
        self.assertEqual(self.looks("stage", progress=0.6), 8)

    def test_it_ends_with_the_job_whatever_was_asked_for(self):
        self.assertEqual(self.looks("stage", status=Status.FAILED), 3)
        self.row.refresh_from_db()
        self.assertEqual(self.looks(), 0)

    def test_a_row_that_is_gone_is_waited_for_no_more(self):
        def gone(_: float) -> None:
            Clip.objects.all().delete()

        with mock.patch.object(waiting.time, "sleep", gone):
            waiting.wait_for(self.row, 60)
        self.assertFalse(Clip.objects.exists())

    def test_half_of_a_process_s_threads_wait_and_the_others_are_answered_at_once(self):
        """Where as many wait as there are threads, nobody is answered until one is through."""
        waits, go = threading.Semaphore(0), threading.Event()

        def held(*_: object) -> None:
            waits.release()
            go.wait(20)

        with mock.patch.object(waiting, "_wait", held):
            threads = [
                threading.Thread(target=waiting.wait_for, args=(self.row, 9)) for _ in range(2)
            ]
            for thread in threads:
                thread.start()
            for _ in threads:
                self.assertTrue(waits.acquire(timeout=20))
            others = [
                threading.Thread(target=waiting.wait_for, args=(self.row, 9)) for _ in range(5)
            ]
            for thread in others:
                thread.start()
            for thread in others:
                thread.join(20)
            still = [thread for thread in (*threads, *others) if thread.is_alive()]
            self.assertEqual(still, threads)
            go.set()
            for thread in threads:
                thread.join(20)
        # Their seats are free again, whatever ended the waiting.
        with (
            mock.patch.object(waiting, "_wait", side_effect=RuntimeError),
            self.assertRaises(RuntimeError),
        ):
            waiting.wait_for(self.row, 9)
        for _ in range(4):
            self.assertEqual(self.looks("stage", stage="Aligning"), 3)
            Clip.objects.filter(pk=self.row.pk).update(stage="")
