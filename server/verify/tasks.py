"""Run null tests in the worker."""

import tempfile
from pathlib import Path
from typing import Any
from uuid import UUID

from procrastinate.contrib.django import app

from core.causes import explained_test
from core.measure import NullOptions
from server.clips.store import adopt, path_of, scratch_folder
from server.jobs.runner import Attempt, run_attempt
from server.verify.models import NullTest
from server.verify.services import judge_again, log_test


@app.task(queue="measure", name="run_null_test")
def run_null_test(test_id: str) -> None:
    pk = UUID(test_id)
    run_attempt(NullTest, pk, lambda attempt: _measure(pk, attempt), lambda: _judged(pk))


def _judged(pk: UUID) -> None:
    """With the measurement, in one step: a limit that was changed while it was made counts."""
    judge_again(pk)
    log_test(pk)


def _measure(test_id: UUID, attempt: Attempt) -> dict[str, Any]:
    test = NullTest.objects.select_related("clip_a__blob", "clip_b__blob").get(pk=test_id)
    stems = test.stems_in_order()
    assert test.clip_a.blob
    assert test.clip_b.blob
    with tempfile.TemporaryDirectory(dir=scratch_folder()) as held:
        keep = Path(held) / "rests.flac"
        found = explained_test(
            path_of(test.clip_a.blob),
            path_of(test.clip_b.blob),
            NullOptions.model_validate(test.options),
            a_name=test.clip_a.name,
            b_name=test.clip_b.name,
            progress=attempt.report,
            stems=[path_of(clip.blob) for clip in stems if clip.blob],
            stem_names=[clip.name for clip in stems],
            scratch=scratch_folder(),
            keep=keep,
        )
        rests = adopt(keep) if keep.exists() else None
    return {"measurement": found.model_dump(mode="json"), "rests": rests}
