"""Renders: a variant of a rig heard on a clip."""

from typing import Any
from uuid import UUID

from django.db.models import QuerySet
from django.http import FileResponse, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import Field

from core.edge import Edge
from core.render.clip import RenderReport
from server.clips.store import path_of
from server.config.auth import user_of
from server.config.problems import Problem
from server.jobs.models import Status
from server.jobs.runner import request_cancel
from server.renders import services
from server.renders.models import Render
from server.rigs.queries import rig_of, rigs_of, variant_of

router = Router(tags=["renders"])


class RenderIn(Edge):
    clip: UUID
    source: str = Field(max_length=40)
    output: str = Field(max_length=40)


class RenderOut(Edge):
    id: UUID
    variant: UUID
    letter: str
    clip: UUID
    source: str
    output: str
    status: str
    progress: float
    stage: str
    problem: str
    older: bool = Field(description="The rig, its tempo or its delays have changed since")
    report: RenderReport | None


def _mine(request: HttpRequest) -> QuerySet[Render]:
    return Render.objects.filter(variant__rig__in=rigs_of(user_of(request))).select_related(
        "variant__rig__song", "clip__blob"
    )


def _out(render: Render) -> RenderOut:
    names = ("id", "source", "output", "status", "progress", "stage", "problem", "report")
    values: dict[str, Any] = {name: getattr(render, name) for name in names}
    return RenderOut.model_validate(
        values
        | {
            "variant": render.variant_id, "clip": render.clip_id, "letter": render.variant.letter,
            "older": services.is_older(render),
        }
    )  # fmt: skip


@router.get("/rigs/{uuid:rig_id}/renders", response=list[RenderOut])
def list_renders(request: HttpRequest, rig_id: UUID) -> list[RenderOut]:
    """The newest render of each variant, clip and way."""
    rig = rig_of(user_of(request), rig_id)
    newest: dict[tuple[Any, ...], Render] = {}
    for render in _mine(request).filter(variant__rig=rig):
        key = (render.variant_id, render.clip_id, render.source, render.output)
        newest.setdefault(key, render)
    return [_out(render) for render in newest.values()]


@router.post("/variants/{uuid:variant_id}/renders", response=RenderOut)
def start_render(request: HttpRequest, variant_id: UUID, payload: RenderIn) -> RenderOut:
    user = user_of(request)
    variant = variant_of(user, variant_id)
    return _out(services.start_render(user, variant, payload.clip, payload.source, payload.output))


@router.get("/renders/{uuid:render_id}", response=RenderOut)
def get_render(request: HttpRequest, render_id: UUID) -> RenderOut:
    return _out(get_object_or_404(_mine(request), pk=render_id))


@router.post("/renders/{uuid:render_id}/cancel", response=RenderOut)
def cancel_render(request: HttpRequest, render_id: UUID) -> RenderOut:
    render = get_object_or_404(_mine(request), pk=render_id)
    request_cancel(render)
    return _out(get_object_or_404(_mine(request), pk=render_id))


@router.get("/renders/{uuid:render_id}/audio", response={200: None})
def render_audio(request: HttpRequest, render_id: UUID) -> FileResponse:
    """The render as a 32-bit float WAV, at its own level."""
    render = get_object_or_404(_mine(request), pk=render_id)
    if render.status != Status.DONE or render.blob is None:
        raise Problem(409, "This render is not done yet.", "no-result")
    return FileResponse(
        path_of(render.blob).open("rb"), content_type="audio/wav", filename="render.wav"
    )
