"""Run one attempt at a piece of long work: claim it, report progress, finish it, or give up."""

import logging
import time
from collections.abc import Callable
from typing import Any, TypeVar
from uuid import UUID

from django.db import (
    InterfaceError,
    OperationalError,
    close_old_connections,
    connection,
    transaction,
)
from django.utils import timezone

from core.errors import Cancelled, FonodromeError
from server.config.disk import DISK_FULL, tells_of_full_disk
from server.jobs.models import JobState, Status

log = logging.getLogger(__name__)
MOST_ATTEMPTS = 4
_REPORT_EVERY_S = 0.25
Progress = Callable[[float, str], None]


LOST = (OperationalError, InterfaceError)
"""What a database says that went away, or was started anew."""
_PATIENCE_S = (0.1, 0.3, 1.0, 3.0, 5.0, 10.0)
T = TypeVar("T")


def _fresh_line() -> None:
    """The next question goes over a connection of its own."""
    if not connection.in_atomic_block:
        connection.close()


def steadily(ask: Callable[[], T]) -> T:
    """Ask the database, again and again for some 20 s while it is away. Raises what it says at last.

    Within somebody else's transaction there is nothing to be asked again: it is lost as a whole.
    """
    for pause in _PATIENCE_S:
        if connection.in_atomic_block:
            return ask()
        try:
            return ask()
        except LOST as error:
            log.warning("the database is away, asked again in %.1f s: %s", pause, error)
            _fresh_line()
            time.sleep(pause)
    return ask()


class Superseded(Exception):
    """Another worker has taken the job over; this one must not write any more."""


class Attempt:
    """One worker's hold on one row."""

    def __init__(self, model: type[JobState], pk: UUID) -> None:
        self._rows = model._default_manager.filter(pk=pk)
        self._number = 0
        self._reported = 0.0

    def claim(self) -> bool:
        """Take the job; False where there is nothing (more) to do."""
        return bool(steadily(self._claim))

    def _claim(self) -> bool:
        open_rows = self._rows.filter(status__in=[Status.QUEUED, Status.RUNNING])
        if open_rows.filter(cancel_requested=True).update(
            status=Status.CANCELLED, finished_at=timezone.now()
        ):
            return False
        if open_rows.filter(attempt__gte=MOST_ATTEMPTS).update(
            status=Status.FAILED,
            problem="The work was interrupted four times and given up. Nothing was changed.",
            finished_at=timezone.now(),
        ):
            return False
        with transaction.atomic():
            # Of two workers each gets a number of its own: the row is locked until it has it.
            row = open_rows.select_for_update().first()
            if row is None:
                return False
            self._number = row.attempt + 1
            open_rows.update(
                status=Status.RUNNING, attempt=self._number, started_at=timezone.now(), progress=0.0
            )
        return True

    def _mine(self) -> Any:
        return self._rows.filter(attempt=self._number, status=Status.RUNNING)

    def report(self, share: float, stage: str) -> None:
        """Write progress now and then. Raises Cancelled or Superseded."""
        now = time.monotonic()
        if now - self._reported < _REPORT_EVERY_S:
            return
        self._reported = now
        try:
            asked = self._mine().values_list("cancel_requested", flat=True).first()
            if asked is False:
                self._mine().update(progress=min(1.0, share), stage=stage[:60])
        except LOST:
            # How far it is can wait; the work goes on, and its end is written with patience.
            _fresh_line()
            return
        if asked is None:
            raise Superseded
        if asked:
            raise Cancelled

    def publish(self, **values: Any) -> bool:
        """Store what can be used before all is done, unless the job was taken over meanwhile."""
        return bool(steadily(lambda: self._mine().update(**values)))

    def finish(self, **values: Any) -> bool:
        """Store the result, unless the job was taken over meanwhile."""
        done = {"status": Status.DONE, "progress": 1.0, "stage": "", "problem": ""}
        return bool(self._mine().update(**{**done, "finished_at": timezone.now(), **values}))


def run_attempt(
    model: type[JobState], pk: UUID, work: Callable[[Attempt], dict[str, Any]],
    then: Callable[[], None] = lambda: None,
) -> None:  # fmt: skip
    """Claim the row, do the work, and store what it returns, or why it could not be done.

    then: what is stored with the result, both or neither; not where it was taken over.
    """
    if not connection.in_atomic_block:
        close_old_connections()
    attempt = Attempt(model, pk)
    if not attempt.claim():
        return

    def keep(found: dict[str, Any]) -> None:
        with transaction.atomic():
            if attempt.finish(**found):
                then()

    try:
        found = work(attempt)
        steadily(lambda: keep(found))
    except Cancelled:
        steadily(lambda: attempt.finish(status=Status.CANCELLED, problem="", progress=0.0))
    except Superseded:
        log.warning("%s %s was taken over by another worker", model.__name__, pk)
    except FonodromeError as error:
        sentence = error.sentence
        steadily(lambda: attempt.finish(status=Status.FAILED, problem=sentence))
    except OSError as error:
        log.exception("%s %s failed", model.__name__, pk)
        plain = "A file could not be read or written. Try again; nothing was changed."
        # The object store has a sentence of its own.
        sentence = DISK_FULL if tells_of_full_disk(error) else getattr(error, "sentence", plain)
        steadily(lambda: attempt.finish(status=Status.FAILED, problem=sentence))
    except LOST:
        # The database went away for longer than patience lasts: the care taker makes it again.
        log.exception("%s %s lost its database", model.__name__, pk)
        raise
    except Exception as error:
        log.exception("%s %s failed", model.__name__, pk)
        broken = "Something went wrong inside. Try again; nothing was changed."
        problem = DISK_FULL if tells_of_full_disk(error) else broken
        steadily(lambda: attempt.finish(status=Status.FAILED, problem=problem))


def request_cancel(row: JobState) -> None:
    """Ask a job to stop. One that has not begun stops at once."""
    rows = type(row)._default_manager.filter(pk=row.pk)
    if not rows.filter(status=Status.QUEUED).update(
        status=Status.CANCELLED, cancel_requested=True, finished_at=timezone.now()
    ):
        rows.filter(status=Status.RUNNING).update(cancel_requested=True)
    row.refresh_from_db()
