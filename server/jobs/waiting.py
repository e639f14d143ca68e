"""Wait for news of a job: a page that asks again and again costs as much as a part of the work."""

import threading
import time
from collections.abc import Sequence

from server.jobs.models import JobState, Status

_LOOK_S = 0.03
_SEATS = threading.BoundedSemaphore(2)
"""So many wait at a time in one process, half of its threads: where everybody waits, nobody is answered. Who finds none
is told at once how it stands.
"""
OPEN = (Status.QUEUED, Status.RUNNING)


def wait_for(row: JobState, seconds: float, *columns: str) -> None:
    """Return as soon as a job has ended or one of `columns` changes, and after so long at most.

    columns: fields of its row, compared with what `row` holds; without any: how far it is, as it is now.
    """
    if row.status not in OPEN or seconds <= 0 or not _SEATS.acquire(blocking=False):
        return
    try:
        _wait(row, seconds, columns)
    finally:
        _SEATS.release()


def _wait(row: JobState, seconds: float, columns: Sequence[str]) -> None:
    rows = type(row)._default_manager.filter(pk=row.pk)
    told = columns or ("progress", "stage")
    known = tuple(getattr(row, name) for name in told)
    status, deadline = row.status, time.monotonic() + seconds
    while status in OPEN and time.monotonic() < deadline:
        time.sleep(_LOOK_S)
        status, *now = rows.values_list("status", *told).first() or ("", *known)
        if tuple(now) != known:
            return
