"""Jobs whose database goes away, that two workers take at once, or that nobody works for any more."""

import threading
from datetime import timedelta
from unittest import mock

from django.db import OperationalError, connection
from django.test import TransactionTestCase
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from server.clips.models import Clip
from server.jobs import runner
from server.jobs.models import Status
from server.jobs.orphans import take_up
from server.jobs.runner import Attempt, request_cancel, run_attempt, steadily
from server.testing import person, song_for, together


def cut_the_line() -> None:
    """End this connection's backend from another one, as a database that is started anew does."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_backend_pid()")
        (pid,) = cursor.fetchone()
    other = connection.copy()
    try:
        with other.cursor() as cursor:
            cursor.execute("SELECT pg_terminate_backend(%s)", [pid])
    finally:
        other.close()


class Jobs(TransactionTestCase):
    def setUp(self):
        with connection.cursor() as cursor:
            # What earlier tests asked for: the queue is no model of ours, and is not emptied by itself.
            cursor.execute("DELETE FROM procrastinate_jobs")
        self.song = song_for(person())
        self.clip = Clip.objects.create(song=self.song, name="take.wav")

    def state(self) -> tuple[str, int]:
        row = Clip.objects.get(pk=self.clip.pk)
        return row.status, row.attempt

    def test_a_result_is_kept_though_the_line_was_cut_while_it_was_made(self):
        def work(attempt: Attempt) -> dict:
            cut_the_line()
            return {"name": "made.wav"}

        run_attempt(Clip, self.clip.pk, work)
        self.assertEqual(self.state(), ("done", 1))
        self.assertEqual(Clip.objects.get().name, "made.wav")

    def test_progress_over_a_cut_line_does_not_stop_the_work(self):
        def work(attempt: Attempt) -> dict:
            cut_the_line()
            attempt.report(0.4, "Listening")
            return {"name": "made.wav"}

        run_attempt(Clip, self.clip.pk, work)
        self.assertEqual(self.state(), ("done", 1))

    def test_why_it_failed_is_kept_over_a_cut_line(self):
        def work(attempt: Attempt) -> dict:
            cut_the_line()
            raise OSError(28, "No space left on device")

        with self.assertLogs("server.jobs.runner"):
            run_attempt(Clip, self.clip.pk, work)
        self.assertEqual(self.state(), ("failed", 1))
        self.assertIn("disk is full", Clip.objects.get().problem)

    def test_a_database_that_stays_away_is_said_at_last(self):
        ask = mock.Mock(side_effect=OperationalError("gone"))
        with (
            mock.patch.object(runner.time, "sleep"),
            self.assertLogs("server.jobs.runner"),
            self.assertRaises(OperationalError),
        ):
            steadily(ask)
        self.assertEqual(ask.call_count, 7)

    def test_of_two_workers_with_one_job_one_writes(self):
        meet, written = threading.Barrier(2, timeout=20), []

        def work(attempt: Attempt) -> dict:
            meet.wait()
            written.append(attempt._number)
            return {"name": f"by {attempt._number}.wav"}

        with self.assertNoLogs("server.jobs.runner", level="ERROR"):
            together(*[lambda: run_attempt(Clip, self.clip.pk, work)] * 2)
        # Each had a number of its own, and only the newer one's result stands.
        self.assertEqual(sorted(written), [1, 2])
        self.assertEqual((self.state(), Clip.objects.get().name), (("done", 2), "by 2.wav"))

    # Without a job ------------------------------------------------------------------------------
    def orphan(self, **values) -> None:
        past = timezone.now() - timedelta(minutes=1)
        Clip.objects.filter(pk=self.clip.pk).update(created_at=past, started_at=past, **values)

    def test_a_row_that_no_job_works_for_is_queued_again_once(self):
        self.orphan(status=Status.RUNNING, attempt=1)
        with self.assertLogs("server.jobs.orphans"):
            self.assertEqual(take_up(), 1)
        job = ProcrastinateJob.objects.get()
        self.assertEqual((job.task_name, job.args), ("decode_clip", {"clip_id": str(self.clip.pk)}))
        # It has one now.
        self.assertEqual(take_up(), 0)

    def test_what_is_young_done_or_worked_for_is_left_alone(self):
        Clip.objects.filter(pk=self.clip.pk).update(status=Status.QUEUED)
        self.assertEqual(take_up(), 0)
        self.orphan(status=Status.DONE)
        self.assertEqual(take_up(), 0)

    def test_a_job_that_ended_without_its_row_counts_as_none(self):
        self.orphan(status=Status.RUNNING, attempt=1)
        with self.assertLogs("server.jobs.orphans"):
            take_up()
        with connection.cursor() as cursor:
            cursor.execute("UPDATE procrastinate_jobs SET status = 'doing'")
            cursor.execute("UPDATE procrastinate_jobs SET status = 'failed'")
        with self.assertLogs("server.jobs.orphans"):
            self.assertEqual(take_up(), 1)

    def test_what_was_cancelled_ends_though_its_worker_is_gone(self):
        self.orphan(status=Status.RUNNING, attempt=1)
        request_cancel(Clip.objects.get())
        with self.assertLogs("server.jobs.orphans"):
            take_up()
        run_attempt(Clip, self.clip.pk, lambda attempt: self.fail("it is worked at"))
        self.assertEqual(self.state(), ("cancelled", 1))
