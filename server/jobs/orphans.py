"""Rows that are shown as queued or running while no job works for them: taken up again, whatever they are.

A job goes without its row where the database was away at its end, or somebody emptied the queue.
"""

import logging
from collections.abc import Iterator
from datetime import timedelta
from typing import Any

from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from server.jobs.models import JobState, Status

log = logging.getLogger(__name__)
_LIVE = ("todo", "doing", "aborting")
_YOUNG = timedelta(seconds=4)
"""A row that was made or claimed just now is left alone: its job may be on its way."""


def _kinds() -> Iterator[tuple[type[JobState], Any, str]]:
    """Rows, the task that works for them, and what it calls their id."""
    from server.bench.models import Measurement
    from server.bench.tasks import run_measurement
    from server.clips.models import Clip
    from server.clips.tasks import decode_clip
    from server.renders.models import Export, Render
    from server.renders.tasks import run_export, run_render
    from server.verify.models import NullTest
    from server.verify.tasks import run_null_test
    from server.wishes.models import Search
    from server.wishes.tasks import run_search

    yield Clip, decode_clip, "clip_id"
    yield Render, run_render, "render_id"
    yield Export, run_export, "export_id"
    yield NullTest, run_null_test, "test_id"
    yield Measurement, run_measurement, "measurement_id"
    yield Search, run_search, "search_id"


def take_up() -> int:
    """Queue again what no job works for; returns how many."""
    found = 0
    before = timezone.now() - _YOUNG
    for model, task, name in _kinds():
        rows = model._default_manager.filter(
            status__in=[Status.QUEUED, Status.RUNNING], created_at__lt=before
        ).exclude(started_at__gte=before)  # fmt: skip
        for pk in rows.values_list("pk", flat=True):
            live = ProcrastinateJob.objects.filter(
                task_name=task.name, status__in=_LIVE, **{f"args__{name}": str(pk)}
            )
            if live.exists():
                continue
            log.warning("%s %s has no job any more: it is queued again", model.__name__, pk)
            task.defer(**{name: str(pk)})
            found += 1
    return found
