"""Run one attempt at a piece of long work: claim it, report progress, finish it, or give up."""

import logging
import time
from collections.abc import Callable
from typing import Any
from uuid import UUID

from django.db import close_old_connections, connection, transaction
from django.db.models import F
from django.utils import timezone

from core.errors import Cancelled, FonodromeError
from server.jobs.models import JobState, Status

log = logging.getLogger(__name__)
MOST_ATTEMPTS = 4
_REPORT_EVERY_S = 0.25
Progress = Callable[[float, str], None]


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
        taken = open_rows.update(
            status=Status.RUNNING, attempt=F("attempt") + 1, started_at=timezone.now(), progress=0.0
        )
        if taken:
            self._number = self._rows.get().attempt
        return bool(taken)

    def _mine(self) -> Any:
        return self._rows.filter(attempt=self._number, status=Status.RUNNING)

    def report(self, share: float, stage: str) -> None:
        """Write progress now and then. Raises Cancelled or Superseded."""
        now = time.monotonic()
        if now - self._reported < _REPORT_EVERY_S:
            return
        self._reported = now
        row = self._mine().first()
        if row is None:
            raise Superseded
        if row.cancel_requested:
            raise Cancelled
        self._mine().update(progress=min(1.0, share), stage=stage)

    def publish(self, **values: Any) -> bool:
        """Store what can be used before all is done, unless the job was taken over meanwhile."""
        return bool(self._mine().update(**values))

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
    try:
        found = work(attempt)
        with transaction.atomic():
            if attempt.finish(**found):
                then()
    except Cancelled:
        attempt.finish(status=Status.CANCELLED, problem="", progress=0.0)
    except Superseded:
        log.warning("%s %s was taken over by another worker", model.__name__, pk)
    except FonodromeError as error:
        attempt.finish(status=Status.FAILED, problem=error.sentence)
    except OSError as error:
        log.exception("%s %s failed", model.__name__, pk)
        full = getattr(error, "errno", None) == 28
        sentence = (
            "The disk is full. Make room and try again; nothing was changed."
            if full
            else "A file could not be read or written. Try again; nothing was changed."
        )
        attempt.finish(status=Status.FAILED, problem=sentence)
    except Exception:
        log.exception("%s %s failed", model.__name__, pk)
        attempt.finish(
            status=Status.FAILED,
            problem="Something went wrong inside. Try again; nothing was changed.",
        )


def request_cancel(row: JobState) -> None:
    """Ask a job to stop. One that has not begun stops at once."""
    rows = type(row)._default_manager.filter(pk=row.pk)
    if not rows.filter(status=Status.QUEUED).update(
        status=Status.CANCELLED, cancel_requested=True, finished_at=timezone.now()
    ):
        rows.filter(status=Status.RUNNING).update(cancel_requested=True)
    row.refresh_from_db()
