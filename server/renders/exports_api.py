"""Files of renders: asked for, followed, stopped and fetched."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from ninja import Query, Router

from core.edge import Edge
from core.render.export import Form, Word
from server.clips.store import path_of
from server.config.answers import named
from server.config.auth import user_of
from server.config.problems import Problem
from server.config.ranges import ranged
from server.jobs.runner import request_cancel
from server.jobs.waiting import wait_for
from server.renders import exports
from server.renders.api import one_render
from server.renders.models import Export
from server.renders.services import file_name
from server.rigs.queries import past_of, rigs_of

router = Router(tags=["renders"])


class ExportAs(Edge):
    form: Form = "wav"
    word: Word = "24"
    stems: bool = False


class ExportOut(Edge):
    id: UUID
    render: UUID
    form: Form
    word: Word
    stems: bool
    status: str
    progress: float
    stage: str
    problem: str
    size_bytes: int | None
    down_db: float | None
    name: str


def _mine(request: HttpRequest, export_id: UUID) -> Export:
    mine = Export.objects.filter(render__variant__rig__in=rigs_of(user_of(request)))
    rows = mine.select_related("render__variant__rig__song", "render__clip", "blob")
    # A file is called after its render: of the rig and the clip themselves nothing is wanted.
    rows = rows.defer(
        "render__detail", "render__document", "render__moves", "render__clip__report",
        "render__variant__document", "render__variant__moves", *past_of("render__variant"),
    )  # fmt: skip
    return get_object_or_404(rows, pk=export_id)


def _out(export: Export) -> ExportOut:
    return ExportOut(
        id=export.pk, render=export.render_id, form=export.form, word=export.word,
        stems=export.stems, status=export.status, progress=export.progress, stage=export.stage,
        problem=export.problem, size_bytes=export.blob.size_bytes if export.blob else None,
        down_db=export.down_db, name=file_name(export.render, export.form, stems=export.stems),
    )  # fmt: skip


@router.post("/renders/{uuid:render_id}/exports", response=ExportOut)
def export_render(request: HttpRequest, render_id: UUID, payload: ExportAs) -> ExportOut:
    """WAV or FLAC of 16 or 24 bits with dither, or WAV in floats; turned down where it would clip."""
    render = one_render(request, render_id)
    made = exports.ask(user_of(request), render, payload.form, payload.word, stems=payload.stems)
    return _out(_mine(request, made.pk))


@router.get("/exports/{uuid:export_id}", response=ExportOut)
def get_export(
    request: HttpRequest, export_id: UUID,
    wait_s: Annotated[float, Query(ge=0, le=1)] = 0.0,
) -> ExportOut:  # fmt: skip
    """wait_s: the answer comes as soon as there is something new, and no later than this."""
    wait_for(_mine(request, export_id), wait_s)
    return _out(_mine(request, export_id))


@router.post("/exports/{uuid:export_id}/cancel", response=ExportOut)
def stop_export(request: HttpRequest, export_id: UUID) -> ExportOut:
    request_cancel(_mine(request, export_id))
    return _out(_mine(request, export_id))


@router.get("/exports/{uuid:export_id}/file", response={200: None, 206: None})
def export_as_file(request: HttpRequest, export_id: UUID) -> HttpResponseBase:
    """The file, under the name of what is heard in it; a part of it by Range."""
    export = _mine(request, export_id)
    if export.blob is None:
        raise Problem(409, "This file is not made yet.", "no-result")
    name = file_name(export.render, export.form, stems=export.stems)
    return named(ranged(request, path_of(export.blob), f"audio/{export.form}", name), name)
