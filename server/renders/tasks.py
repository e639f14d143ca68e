"""Render rigs in the worker."""

import tempfile
from pathlib import Path
from typing import Any
from uuid import UUID

from procrastinate.contrib.django import app

from core.render.capture import align_capture
from core.render.clip import render_file
from core.routing import compile_rig, load_rig
from server.clips.store import adopt, path_of, scratch_folder
from server.jobs.runner import Attempt, run_attempt
from server.renders.models import Render
from server.renders.services import digest_of, job_of, material_of
from server.rigs.queries import context_of


@app.task(queue="measure", name="run_render")
def run_render(render_id: str) -> None:
    run_attempt(Render, UUID(render_id), lambda attempt: _render(UUID(render_id), attempt))


def _render(pk: UUID, attempt: Attempt) -> dict[str, Any]:
    render = Render.objects.select_related("clip__blob", "variant__rig__song", "capture__blob").get(
        pk=pk
    )
    assert render.clip.blob
    song, job = render.variant.rig.song, job_of(render)
    rig = load_rig(render.document)
    rate = int((render.clip.report or {}).get("rate_hz", song.sample_rate_hz))
    plan, material = material_of(song, rig, render.moves, rate, job.start_s)
    with tempfile.TemporaryDirectory(dir=scratch_folder()) as held:
        folder = Path(held)
        share = 0.7 if render.capture is not None else 1.0
        report, detail = render_file(
            rig, plan, job, path_of(render.clip.blob), render.clip.name, folder,
            lambda done, stage: attempt.report(done * share, stage), material,
        )  # fmt: skip
        mix, heard = folder / "mix.wav", ""
        if render.capture is not None and render.capture.blob is not None:
            heard = render.capture.blob.digest
            aligned = folder / "capture.wav"
            report, detail = align_capture(
                mix, path_of(render.capture.blob), render.capture.name, aligned, job.start_s,
                lambda done, stage: attempt.report(0.7 + 0.3 * done, stage),
            )  # fmt: skip
            mix = aligned
        stems = folder / "stems.wav"
        # The tempo or the delays may have changed since it was asked for: say what was rendered.
        plain = compile_rig(rig, context_of(song))
        return {
            "blob": adopt(mix),
            "stems": adopt(stems) if stems.exists() and not heard else None,
            "report": report.model_dump(mode="json"), "detail": detail.model_dump(mode="json"),
            "digest": digest_of(
                plain, render.clip.blob.digest, job, song, rig, render.moves, heard
            ),
        }  # fmt: skip
