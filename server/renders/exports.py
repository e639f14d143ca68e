"""Files of renders for other programs: asked for, made in the worker, kept for a day."""

import tempfile
from pathlib import Path
from typing import Any
from uuid import UUID

from django.db import transaction

from core.errors import FonodromeError
from core.render.export import Form, Word, check_form, export_file
from server.accounts.models import User
from server.accounts.quotas import in_turn
from server.clips.store import adopt, path_of, room_for, scratch_folder
from server.config.problems import Problem
from server.jobs.models import Status
from server.jobs.runner import Attempt
from server.renders.models import Export, Render

_USABLE = (Status.QUEUED, Status.RUNNING, Status.DONE)


def ask(user: User, render: Render, form: Form, word: Word, *, stems: bool) -> Export:
    """Queue a file, or find the same one. Raises Problem and FonodromeError where there can be none."""
    from server.renders.tasks import run_export

    check_form(form, word)
    blob = render.stems if stems else render.blob
    if render.status != Status.DONE or blob is None:
        raise Problem(409, "This render is not done yet, or has no such sound.", "no-result")
    if not room_for(blob.size_bytes):
        raise Problem(507, "The disk is too full for this file. Nothing was changed.", "disk-full")
    with transaction.atomic():
        # Two presses at once make one file.
        Render.objects.select_for_update().only("pk").get(pk=render.pk)
        same = Export.objects.filter(
            render=render, form=form, word=word, stems=stems, status__in=_USABLE, cancel_requested=False
        ).first()  # fmt: skip
        if same is not None:
            return same
        export = Export.objects.create(render=render, form=form, word=word, stems=stems)
        in_turn(run_export, user, export_id=str(export.pk))
    return export


def make(pk: UUID, attempt: Attempt) -> dict[str, Any]:
    """Write the file. Raises FonodromeError where its render is gone meanwhile."""
    export = Export.objects.select_related("render__blob", "render__stems").get(pk=pk)
    blob = export.render.stems if export.stems else export.render.blob
    if blob is None:
        raise FonodromeError("The sound of this render is gone. Render it again.")
    with tempfile.TemporaryDirectory(dir=scratch_folder()) as held:
        target = Path(held) / f"render.{export.form}"
        down = export_file(
            path_of(blob), target, export.form, export.word,
            told=lambda share: attempt.report(share, "Writing the file"),
        )  # fmt: skip
        return {"blob": adopt(target), "down_db": down}
