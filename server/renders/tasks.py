"""Render rigs in the worker."""

import tempfile
from pathlib import Path
from typing import Any
from uuid import UUID

from django.conf import settings
from procrastinate.contrib.django import app

from core.render.capture import align_capture
from core.render.clip import render_file
from core.render.parts import PartStore
from core.render.report import RenderReport
from core.routing import compile_rig, load_rig
from server.clips.store import adopt, path_of, scratch_folder
from server.jobs.runner import Attempt, run_attempt
from server.renders import exports
from server.renders.models import Export, Render
from server.renders.services import digest_of, job_of, material_of, rate_of
from server.rigs.feeds import clips_of_feeds, files_of
from server.rigs.queries import context_of, past_of


@app.task(queue="measure", name="run_render")
def run_render(render_id: str) -> None:
    run_attempt(Render, UUID(render_id), lambda attempt: _render(UUID(render_id), attempt))


@app.task(queue="measure", name="run_export")
def run_export(export_id: str) -> None:
    pk = UUID(export_id)
    run_attempt(Export, pk, lambda attempt: exports.make(pk, attempt))


def _render(pk: UUID, attempt: Attempt) -> dict[str, Any]:
    rows = Render.objects.select_related("variant__rig__song", "capture__blob")
    render = rows.defer(*past_of("variant")).get(pk=pk)
    song, job = render.variant.rig.song, job_of(render)
    rig = load_rig(render.document)
    clips = clips_of_feeds(song, job.feeds)
    files = files_of(clips)
    rate = rate_of(clips, song)
    plan, material = material_of(song, rig, render.moves, rate, job.start_s)
    with tempfile.TemporaryDirectory(dir=scratch_folder()) as held:
        folder = Path(held)
        mix, stems, heard = folder / "mix.wav", folder / "stems.wav", ""
        share = 0.7 if render.capture is not None else 1.0

        def publish(report: RenderReport) -> None:
            """Heard already while it is still measured."""
            if render.capture is None:
                attempt.publish(
                    blob=adopt(mix, link=True), report=report.model_dump(mode="json"),
                    stems=adopt(stems, link=True) if stems.exists() else None,
                )  # fmt: skip

        report, detail = render_file(
            rig, plan, job, files, folder,
            lambda done, stage: attempt.report(done * share, stage), material,
            PartStore(Path(settings.PARTS_ROOT)), publish,
        )  # fmt: skip
        if render.capture is not None and render.capture.blob is not None:
            heard = render.capture.blob.digest
            aligned = folder / "capture.wav"
            report, detail = align_capture(
                mix, path_of(render.capture.blob), render.capture.name, aligned, job.start_s,
                lambda done, stage: attempt.report(0.7 + 0.3 * done, stage),
            )  # fmt: skip
            mix = aligned
        # The tempo or the delays may have changed since it was asked for: say what was rendered.
        plain = compile_rig(rig, context_of(song))
        return {
            "blob": adopt(mix),
            "stems": adopt(stems) if stems.exists() and not heard else None,
            "report": report.model_dump(mode="json"), "detail": detail.model_dump(mode="json"),
            "digest": digest_of(plain, job, clips, song, rig, render.moves, heard),
        }  # fmt: skip
