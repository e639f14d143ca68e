"""Decode uploaded files in the worker."""

from typing import Any
from uuid import UUID

from procrastinate.contrib.django import app

from core.audio.apart import examine_apart, salvage_apart
from core.errors import TruncatedAudio
from server.clips import store
from server.clips.models import Clip
from server.jobs.models import Status
from server.jobs.runner import Attempt, run_attempt


@app.task(queue="clips", name="decode_clip")
def decode_clip(clip_id: str) -> None:
    run_attempt(Clip, UUID(clip_id), lambda attempt: _decode(UUID(clip_id), attempt))


def _decode(clip_id: UUID, attempt: Attempt) -> dict[str, Any]:
    """Store the file by content, then examine it. Safe to run again from any point."""
    clip = Clip.objects.select_related("blob").get(pk=clip_id)
    if clip.blob is None:
        attempt.report(0.0, "storing")
        # Under a second name: a worker that ends here finds what arrived once more.
        clip.blob = store.adopt(store.whole(clip.upload_path), link=True)
        Clip.objects.filter(pk=clip_id).update(blob=clip.blob)
        store.drop_pieces(clip.upload_path)
    if clip.accept_truncated:
        attempt.report(0.0, "keeping what is there")
        whole = store.upload_path(f"{clip_id}.whole")
        salvage_apart(store.path_of(clip.blob), clip.name, whole, progress=attempt.report)
        clip.blob = store.adopt(whole)
        Clip.objects.filter(pk=clip_id).update(blob=clip.blob)
    try:
        report = examine_apart(store.path_of(clip.blob), clip.name, progress=attempt.report)
    except TruncatedAudio as error:
        usable = error.usable_frames / error.rate_hz if error.usable_frames > 0 else None
        return {"status": Status.FAILED, "problem": error.sentence, "usable_seconds": usable}
    return {"report": report.model_dump(), "usable_seconds": None}
