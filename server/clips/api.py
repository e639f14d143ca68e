"""Clips and uploads."""

from typing import Any, Literal
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from pydantic import Field

from core.audio import open_audio
from core.audio.layout import layout_said
from core.audio.onsets import FoundTempo, find_onsets, find_tempo
from core.blend import ParallelSettings
from core.delay import Pattern, TakeOut, TakeRequest, against_slots
from core.delay.take import MOST_ONSETS
from core.edge import Edge
from core.render.ducking import (
    DuckingFit,
    DuckingOut,
    DuckingSettings,
    DuckingTail,
    fit_ducking,
    measure_ducking,
)
from core.render.simulate import ParallelMeasured, measure_parallel
from core.space import SpaceOut, SpaceRequest, space_view
from core.space.gaps import Phrase
from core.units import TempoFrame
from server.clips import services
from server.clips.models import Clip, Upload
from server.clips.queries import clip_of, listed_clips, ready_clip_of
from server.clips.store import path_of
from server.config.auth import user_of
from server.config.problems import Problem
from server.jobs.runner import request_cancel
from server.songs.queries import song_of

router = Router(tags=["clips"])


class UploadStart(Edge):
    name: str = Field(max_length=1000)
    size_bytes: int = Field(ge=0)


class UploadOut(Edge):
    id: UUID
    name: str
    size_bytes: int
    received_bytes: int
    chunk_bytes: int = Field(description="Send pieces of this size")


class ClipBasics(Edge):
    rate_hz: int
    channels: int
    layout: str = Field(description="Which channel is which loudspeaker, as it is taken")
    frames: int
    seconds: float
    format: str
    encoding: str
    bits: int | None
    peak_dbfs: float | None
    rms_dbfs: float | None
    silent: bool


class ClipOut(Edge):
    id: UUID
    name: str
    status: str = Field(description="queued, running, done, failed or cancelled")
    progress: float
    stage: str
    problem: str
    usable_seconds: float | None = Field(description="Set where a truncated file can be accepted")
    facts: ClipBasics | None


class ClipDetail(ClipOut):
    peaks_low: list[float]
    peaks_high: list[float]


class PairOut(Edge):
    title: str
    finding: str
    clip_a: UUID
    clip_b: UUID


class ClipRename(Edge):
    name: str = Field(min_length=1, max_length=200)


def _common(clip: Clip, report: dict[str, Any] | None) -> dict[str, Any]:
    facts = None
    if report:
        # Reports of older clips do not name the layout.
        known = {"layout": layout_said(report["channels"])} | report
        facts = ClipBasics(**{name: known[name] for name in ClipBasics.model_fields})
    names = ("id", "name", "status", "progress", "stage", "problem", "usable_seconds")
    return {name: getattr(clip, name) for name in names} | {"facts": facts}


def _out(clip: Clip) -> ClipOut:
    return ClipOut(**_common(clip, clip.report))


def _upload_out(upload: Upload) -> UploadOut:
    return UploadOut(
        id=upload.pk,
        name=upload.name,
        size_bytes=upload.size_bytes,
        received_bytes=upload.received_bytes,
        chunk_bytes=services.CHUNK_BYTES,
    )


@router.post("/songs/{uuid:song_id}/uploads", response=UploadOut)
def begin_upload(request: HttpRequest, song_id: UUID, payload: UploadStart) -> UploadOut:
    song = song_of(user_of(request), song_id)
    return _upload_out(
        services.begin_upload(user_of(request), song, payload.name, payload.size_bytes)
    )


@router.get("/uploads/{uuid:upload_id}", response=UploadOut)
def get_upload(request: HttpRequest, upload_id: UUID) -> UploadOut:
    return _upload_out(get_object_or_404(Upload, owner=user_of(request), pk=upload_id))


@router.put("/uploads/{uuid:upload_id}", response=UploadOut)
def send_piece(request: HttpRequest, upload_id: UUID, offset: int) -> UploadOut:
    """The body is the raw bytes from `offset` on, at most two chunks long."""
    length = int(request.headers.get("Content-Length") or 0)
    if length > 2 * services.CHUNK_BYTES:
        raise Problem(413, "That piece is too large; send pieces of 8 MB.", "piece")
    return _upload_out(services.receive(user_of(request), upload_id, offset, request.body))


@router.post("/uploads/{uuid:upload_id}/finish", response=ClipOut)
def finish_upload(request: HttpRequest, upload_id: UUID) -> ClipOut:
    return _out(services.finish_upload(user_of(request), upload_id))


@router.delete("/uploads/{uuid:upload_id}", response={204: None})
def drop_upload(request: HttpRequest, upload_id: UUID) -> tuple[int, None]:
    services.drop_upload(user_of(request), upload_id)
    return 204, None


@router.get("/songs/{uuid:song_id}/clips", response=list[ClipOut])
def list_clips(request: HttpRequest, song_id: UUID) -> list[ClipOut]:
    song = song_of(user_of(request), song_id)
    return [ClipOut(**_common(c, c.facts)) for c in listed_clips(user_of(request), song)]


@router.get("/songs/{uuid:song_id}/pairs", response=list[PairOut])
def list_pairs(request: HttpRequest, song_id: UUID) -> list[PairOut]:
    song = song_of(user_of(request), song_id)
    pairs = song.pairs.filter(clip_a__deleted_at=None, clip_b__deleted_at=None)
    return [
        PairOut(title=p.title, finding=p.finding, clip_a=p.clip_a_id, clip_b=p.clip_b_id)
        for p in pairs
    ]


@router.get("/clips/{uuid:clip_id}", response=ClipDetail)
def get_clip(request: HttpRequest, clip_id: UUID) -> ClipDetail:
    clip = clip_of(user_of(request), clip_id)
    report = clip.report or {"peaks_low": [], "peaks_high": []}
    return ClipDetail(
        **_common(clip, clip.report), peaks_low=report["peaks_low"], peaks_high=report["peaks_high"]
    )


@router.patch("/clips/{uuid:clip_id}", response=ClipOut)
def rename_clip(request: HttpRequest, clip_id: UUID, payload: ClipRename) -> ClipOut:
    clip = clip_of(user_of(request), clip_id)
    clip.name = services.shown_name(payload.name)
    clip.save(update_fields=["name"])
    return _out(clip)


@router.post("/clips/{uuid:clip_id}/accept", response=ClipOut)
def accept_clip(request: HttpRequest, clip_id: UUID) -> ClipOut:
    return _out(services.accept_truncated(clip_of(user_of(request), clip_id)))


@router.post("/clips/{uuid:clip_id}/cancel", response=ClipOut)
def cancel_clip(request: HttpRequest, clip_id: UUID) -> ClipOut:
    clip = clip_of(user_of(request), clip_id)
    request_cancel(clip)
    return _out(clip)


@router.delete("/clips/{uuid:clip_id}", response={204: None})
def delete_clip(request: HttpRequest, clip_id: UUID) -> tuple[int, None]:
    clip = clip_of(user_of(request), clip_id)
    clip.deleted_at = timezone.now()
    clip.save(update_fields=["deleted_at"])
    return 204, None


@router.post("/clips/{uuid:clip_id}/restore", response=ClipOut)
def restore_clip(request: HttpRequest, clip_id: UUID) -> ClipOut:
    clip = get_object_or_404(Clip, song__owner=user_of(request), song__deleted_at=None, pk=clip_id)
    clip.deleted_at = None
    clip.save(update_fields=["deleted_at"])
    return _out(clip)


class TakeIn(Edge):
    frame: TempoFrame
    pattern: Pattern
    starts_s: float | None = Field(None, ge=0, le=3600, description="Where bar 1 begins")


@router.get("/clips/{uuid:clip_id}/tempo", response=FoundTempo)
def suggest_tempo(request: HttpRequest, clip_id: UUID) -> FoundTempo:
    """A suggestion from the clip's first three minutes."""
    clip = ready_clip_of(user_of(request), clip_id)
    with open_audio(path_of(clip.blob), clip.name) as source:
        return find_tempo(source)


@router.post("/clips/{uuid:clip_id}/take", response=TakeOut)
def set_take_against_slots(request: HttpRequest, clip_id: UUID, payload: TakeIn) -> TakeOut:
    """Where the notes of the clip's first three minutes lie against the slots."""
    clip = ready_clip_of(user_of(request), clip_id)
    with open_audio(path_of(clip.blob), clip.name) as source:
        onsets = find_onsets(source)
    return against_slots(
        TakeRequest(
            frame=payload.frame, pattern=payload.pattern, starts_s=payload.starts_s,
            onsets_s=onsets.tolist()[:MOST_ONSETS],
        )
    )  # fmt: skip


class ClipSpace(Edge):
    """A reverb over a clip's phrases, with the clip's outline."""

    space: SpaceOut
    seconds: float
    low: list[float]
    high: list[float]


class DuckingIn(Edge):
    settings: DuckingSettings = DuckingSettings()
    phrases: list[Phrase] = Field(max_length=2000)
    nominal_dbfs: float = Field(-20, ge=-90, le=0)
    key: UUID | None = Field(None, description="Another clip that is the key")
    key_db: float = Field(0, ge=-60, le=24, description="Level at which the key is tapped")
    tail: DuckingTail = DuckingTail()


def _path(request: HttpRequest, clip_id: UUID) -> tuple[Any, str, str]:
    clip = ready_clip_of(user_of(request), clip_id)
    assert clip.blob
    return path_of(clip.blob), clip.name, clip.blob.digest


@router.post("/clips/{uuid:clip_id}/space", response=ClipSpace)
def clip_space(request: HttpRequest, clip_id: UUID, payload: SpaceRequest) -> ClipSpace:
    """Phrases, gaps, and what a reverb's tail leaves at each entry."""
    levels = services.levels_of(ready_clip_of(user_of(request), clip_id))
    return ClipSpace(
        space=space_view(payload, levels), seconds=levels.seconds, low=levels.low, high=levels.high
    )


@router.post("/clips/{uuid:clip_id}/ducking", response=DuckingOut)
def clip_ducking(request: HttpRequest, clip_id: UUID, payload: DuckingIn) -> DuckingOut:
    """What a ducker keyed by the clip does to the wet level."""
    path, name, _ = _path(request, clip_id)
    key = None if payload.key is None else _path(request, payload.key)[:2]
    return measure_ducking(
        path, name, payload.settings, payload.phrases, payload.nominal_dbfs, key=key,
        key_db=payload.key_db, tail=payload.tail,
    )  # fmt: skip


class DuckingFitIn(Edge):
    target: DuckingSettings
    way: Literal["key", "envelope", "shape", "compressor"]
    nominal_dbfs: float = Field(-20, ge=-90, le=0)
    key_db: float = Field(0, ge=-60, le=24)


@router.post("/clips/{uuid:clip_id}/ducking-fit", response=DuckingFit)
def clip_ducking_fit(request: HttpRequest, clip_id: UUID, payload: DuckingFitIn) -> DuckingFit:
    """One way of ducking by the clip made like another, as well as it can be."""
    path, name, _ = _path(request, clip_id)
    return fit_ducking(
        path, name, payload.target, payload.way, payload.nominal_dbfs, payload.key_db
    )


@router.post("/clips/{uuid:clip_id}/parallel", response=ParallelMeasured)
def clip_parallel(
    request: HttpRequest, clip_id: UUID, payload: ParallelSettings
) -> ParallelMeasured:
    """A clip before and after a compressor beside its dry signal."""
    path, name, _ = _path(request, clip_id)
    return measure_parallel(path, name, payload)
