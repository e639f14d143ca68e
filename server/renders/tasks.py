"""Render rigs in the worker."""

import tempfile
from pathlib import Path
from typing import Any
from uuid import UUID

from procrastinate.contrib.django import app

from core.render.clip import render_file
from core.routing import compile_rig, load_rig
from server.clips.store import adopt, path_of, scratch_folder
from server.jobs.runner import Attempt, run_attempt
from server.renders.models import Render
from server.renders.services import digest_of
from server.rigs.queries import context_of


@app.task(queue="measure", name="run_render")
def run_render(render_id: str) -> None:
    run_attempt(Render, UUID(render_id), lambda attempt: _render(UUID(render_id), attempt))


def _render(pk: UUID, attempt: Attempt) -> dict[str, Any]:
    render = Render.objects.select_related("clip__blob", "variant__rig__song").get(pk=pk)
    assert render.clip.blob
    plan = compile_rig(load_rig(render.document), context_of(render.variant.rig.song))
    with tempfile.TemporaryDirectory(dir=scratch_folder()) as held:
        target = Path(held) / "render.wav"
        report = render_file(
            plan, render.source, render.output, path_of(render.clip.blob), render.clip.name,
            target, attempt.report,
        )  # fmt: skip
        # The tempo or the delays may have changed since it was asked for: say what was rendered.
        digest = digest_of(plan, render.clip.blob.digest, render.source, render.output)
        return {
            "blob": adopt(target), "report": report.model_dump(mode="json"), "digest": digest,
        }  # fmt: skip
