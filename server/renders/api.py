"""Renders: a variant of a rig heard on a clip, whole or in stems that can be balanced."""

from collections.abc import Mapping
from typing import Annotated, Any
from uuid import UUID

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from ninja import Query, Router
from pydantic import Field

from core.edge import Edge
from core.edge import Word as Called
from core.render.balance import BalancedSetting, BalanceOut, Law, MixLevel
from core.render.heard import HeardOut
from core.render.moved import MovedOut
from core.render.moves import MOST_MOVES, WrittenMove
from core.render.report import RenderDetail, RenderJob, RenderReport
from core.render.search import AgainstOut, LateOut
from core.render.stems import PlaceOut
from server.clips.models import Blob, Clip
from server.clips.store import path_of
from server.config.answers import named
from server.config.auth import user_of
from server.config.problems import Problem
from server.config.ranges import ranged
from server.jobs.models import Status
from server.jobs.runner import request_cancel
from server.jobs.waiting import OPEN, wait_for
from server.renders import services
from server.renders.models import Render
from server.rigs.queries import past_of, rig_of, rigs_of, variant_of

Moving = Annotated[str, Field(max_length=2000)]
router = Router(tags=["renders"])
HEARD = (Status.DONE, Status.RUNNING)


class RenderIn(Edge):
    output: str = Field(max_length=40)
    place: str | None = Field(
        None, max_length=140, description="Several with + between them; 'auto' for the best one"
    )
    start_s: float = Field(0.0, ge=0, le=7200, description="Where in the song it begins")
    length_s: float | None = Field(None, gt=0, le=7200)
    tail: bool = True
    bare: bool = False
    clip: UUID | None = Field(
        None, description="Plays into the first source where nothing was ever chosen"
    )
    capture: UUID | None = Field(None, description="A recording to be heard in the render's place")


class RenderOut(Edge):
    id: UUID
    rig: UUID
    variant: UUID
    letter: str
    clip: UUID
    capture: UUID | None
    bare: bool = Field(description="The clip itself, past the rig")
    tail: bool = Field(description="Goes on until all has died away")
    output: str
    place: str
    start_s: float
    length_s: float | None
    status: str
    progress: float
    stage: str
    problem: str
    older: bool = Field(
        description="The rig, what plays into it, its moves, tempo or delays have changed since"
    )
    audible: bool = Field(description="Its sound is there, if not yet what was measured of it")
    report: RenderReport | None


class GainsIn(Edge):
    gains: list[float] = Field(max_length=20, description="Linear, one a stem")


class MovesIn(Edge):
    moves: list[WrittenMove] = Field(max_length=MOST_MOVES)


_LONG = {"document", "detail", "feeds", "moves"}
_ITS_VARIANT = ("variant__rig_id", "variant__position")


def _mine(request: HttpRequest) -> QuerySet[Render]:
    return (
        Render.objects.filter(variant__rig__in=rigs_of(user_of(request)))
        .select_related("variant__rig__song", "clip__blob", "blob", "stems", "capture")
        .defer("detail", "document", *past_of("variant"))
    )


def _state(request: HttpRequest, render_id: UUID) -> Render:
    """How far one is, and no more of it than that takes: while it is made it is asked for several times a second."""
    rows = Render.objects.filter(variant__rig__in=rigs_of(user_of(request))).select_related(
        "variant"
    )
    names = [f.attname for f in Render._meta.concrete_fields if f.attname not in _LONG]
    return get_object_or_404(rows.only(*names, *_ITS_VARIANT), pk=render_id)


def one_render(request: HttpRequest, render_id: UUID) -> Render:
    return get_object_or_404(_mine(request), pk=render_id)


def _is_open(render: Render) -> bool:
    return render.status in OPEN


def _out(
    render: Render, clip: UUID | None = None, known: Mapping[str, Clip] | None = None
) -> RenderOut:
    names = (
        "id", "output", "place", "start_s", "length_s", "status", "progress", "stage",
        "problem", "report", "bare", "tail",
    )  # fmt: skip
    values: dict[str, Any] = {name: getattr(render, name) for name in names}
    # What is being made is asked for many times a second, and older than nothing.
    return RenderOut.model_validate(
        values
        | {
            "rig": render.variant.rig_id, "variant": render.variant_id, "clip": render.clip_id, "letter": render.variant.letter,
            "capture": render.capture_id, "older": not _is_open(render) and services.is_older(render, clip, known),
            "audible": render.blob_id is not None and render.status in HEARD,
        }
    )  # fmt: skip


@router.get("/rigs/{uuid:rig_id}/renders", response=list[RenderOut])
def list_renders(request: HttpRequest, rig_id: UUID, clip: UUID | None = None) -> list[RenderOut]:
    """The newest render of each variant, output and stretch. clip: as for a new one."""
    rig = rig_of(user_of(request), rig_id)
    renders = list(services.newest(_mine(request).filter(variant__rig=rig)))
    known = services.clips_named(rig, renders, clip)
    return [_out(render, clip, known) for render in renders]


@router.get("/variants/{uuid:variant_id}/places", response=list[PlaceOut])
def list_places(request: HttpRequest, variant_id: UUID, output: Called) -> list[PlaceOut]:
    """Where several inputs meet on the way to an output, the last place first."""
    return services.places_of(variant_of(user_of(request), variant_id), output)


@router.get("/variants/{uuid:variant_id}/moves", response=list[WrittenMove])
def get_moves(request: HttpRequest, variant_id: UUID) -> Any:
    return variant_of(user_of(request), variant_id).moves


@router.put("/variants/{uuid:variant_id}/moves", response=list[WrittenMove])
def put_moves(request: HttpRequest, variant_id: UUID, payload: MovesIn) -> Any:
    """Keep all written moves of a variant; what was there is replaced."""
    variant = variant_of(user_of(request), variant_id)
    return services.set_moves(variant, payload.moves).moves


@router.get("/variants/{uuid:variant_id}/moves.mid", response={200: None})
def keep_moves(request: HttpRequest, variant_id: UUID) -> HttpResponse:
    """All written moves as a Standard MIDI File of control changes, over the song's tempo map."""
    variant = variant_of(user_of(request), variant_id)
    response = HttpResponse(services.moves_file(variant), content_type="audio/midi")
    return named(
        response, f"{variant.rig.song.title}, {variant.rig.name} {variant.letter}, moves.mid"
    )


@router.get("/variants/{uuid:variant_id}/moved", response=MovedOut)
def plan_where_it_moves(request: HttpRequest, variant_id: UUID) -> MovedOut:
    """How far the settings of a variant move, and what the checks say there and not at rest."""
    return services.moved_of(variant_of(user_of(request), variant_id))


@router.post("/variants/{uuid:variant_id}/renders", response=RenderOut)
def start_render(request: HttpRequest, variant_id: UUID, payload: RenderIn) -> RenderOut:
    user = user_of(request)
    variant = variant_of(user, variant_id)
    job = RenderJob(**payload.model_dump(exclude={"clip", "capture"}))
    made = services.start_render(user, variant, job, payload.clip, payload.capture)
    return _out(made, payload.clip)


@router.get("/renders/{uuid:render_id}", response=RenderOut)
def get_render(
    request: HttpRequest, render_id: UUID,
    wait_s: Annotated[float, Query(ge=0, le=1)] = 0.0,
) -> RenderOut:  # fmt: skip
    """wait_s: the answer comes as soon as its sound is there or it has ended, and no later than this."""
    wait_for(_state(request, render_id), wait_s, "blob_id")
    now = _state(request, render_id)
    return _out(now if _is_open(now) else one_render(request, render_id))


@router.post("/renders/{uuid:render_id}/cancel", response=RenderOut)
def cancel_render(request: HttpRequest, render_id: UUID) -> RenderOut:
    request_cancel(one_render(request, render_id))
    return _out(one_render(request, render_id))


@router.get("/renders/{uuid:render_id}/detail", response=RenderDetail)
def render_detail(request: HttpRequest, render_id: UUID) -> Any:
    """Waveform, levels over time and spectrum, without the stems' energies."""
    render = one_render(request, render_id)
    if render.status != Status.DONE or render.detail is None:
        raise Problem(409, "This render is not done yet.", "no-result")
    return render.detail | {"energies": []}


@router.get("/renders/{uuid:render_id}/balance", response=BalanceOut)
def render_balance(
    request: HttpRequest, render_id: UUID, law: Law = "fader", moving: Moving = ""
) -> BalanceOut:
    """The gains of the stems from dry only to wet only, under a law. moving: stems that move, by id
    with commas between them; none for those that move by themselves.
    """
    return services.balance_of(one_render(request, render_id), law, _ids(moving))


@router.post("/renders/{uuid:render_id}/level", response=MixLevel)
def render_level(request: HttpRequest, render_id: UUID, payload: GainsIn) -> MixLevel:
    """How loud the stems are together with gains, from their energies."""
    return services.level_of(one_render(request, render_id), payload.gains)


@router.get("/renders/{uuid:render_id}/settings", response=list[BalancedSetting])
def render_settings(
    request: HttpRequest, render_id: UUID, wet_db: float, moving: Moving = ""
) -> list[BalancedSetting]:
    """What the rig has to be set to for a balance."""
    return services.settings_of(one_render(request, render_id), wet_db, _ids(moving))


class HeardSideIn(Edge):
    render: UUID
    gains: list[float] = Field(
        [], max_length=20, description="Linear, one a stem; none for the whole"
    )
    match: float = Field(1.0, ge=-4, le=4, description="Linear gain of the whole")


class HeardIn(Edge):
    gains: list[float] = Field(
        [], max_length=20, description="Linear, one a stem; none for the whole"
    )
    match: float = Field(1.0, ge=-4, le=4, description="Linear gain of the whole")
    minus: HeardSideIn | None = Field(None, description="Taken away from it")


@router.post("/renders/{uuid:render_id}/heard", response=HeardOut)
def render_heard(request: HttpRequest, render_id: UUID, payload: HeardIn) -> HeardOut:
    """What is heard of a render's stems with gains, or of it less another one: level and spectrum."""
    first = one_render(request, render_id)
    sides = [(first, payload.gains, payload.match)]
    if payload.minus is not None:
        other = one_render(request, payload.minus.render)
        sides.append((other, payload.minus.gains, -payload.minus.match))
    return services.heard_of(sides)


class AgainstIn(Edge):
    other: UUID = Field(description="B: the one whose path is moved")
    gains: list[float] = Field([], max_length=20, description="Of A's stems; none for the whole")
    other_gains: list[float] = Field(min_length=1, max_length=20, description="Of B's stems")
    moving: list[Called] = Field([], max_length=20, description="Stems of B by id")
    step_db: float = Field(0.1, ge=0.001, le=6, description="What B's control can be set in")


@router.post("/renders/{uuid:render_id}/against", response=AgainstOut)
def render_against(request: HttpRequest, render_id: UUID, payload: AgainstIn) -> AgainstOut:
    """How deep A less B nulls at gains, and the step of B's path that leaves least, by arithmetic."""
    a, b = one_render(request, render_id), one_render(request, payload.other)
    return services.against_of(
        a, payload.gains, b, payload.other_gains, payload.moving, payload.step_db
    )


class LateIn(Edge):
    other: UUID = Field(description="B: the one whose path comes later or earlier")
    gains: list[float] = Field([], max_length=20, description="Of A's stems; none for the whole")
    other_gains: list[float] = Field(min_length=1, max_length=20, description="Of B's stems")
    moving: list[Called] = Field([], max_length=20, description="Stems of B by id")
    step_ms: float = Field(0.01, ge=0.0001, le=5, description="What B's control can be set in")
    reach_ms: float = Field(5, ge=0.1, le=20, description="How far it is searched either way")


@router.post("/renders/{uuid:render_id}/late", response=LateOut)
def render_late(request: HttpRequest, render_id: UUID, payload: LateIn) -> LateOut:
    """How deep A less B nulls over a change of delay of B's path, up to two minutes of both."""
    a, b = one_render(request, render_id), one_render(request, payload.other)
    return services.late_of(
        a, payload.gains, b, payload.other_gains, payload.moving, payload.step_ms, payload.reach_ms
    )


def _ids(text: str) -> list[str]:
    return [name for name in text[:600].split(",") if name]


def _file(request: HttpRequest, render: Render, blob: Blob | None, name: str) -> HttpResponseBase:
    if render.status not in HEARD or blob is None:
        raise Problem(409, "This render is not done yet, or has no such sound.", "no-result")
    return ranged(request, path_of(blob), "audio/wav", name)


@router.get("/renders/{uuid:render_id}/audio", response={200: None, 206: None})
def render_audio(request: HttpRequest, render_id: UUID) -> HttpResponseBase:
    """The render as a 32-bit float WAV, at its own level; a part of it by Range."""
    render = one_render(request, render_id)
    return _file(request, render, render.blob, "render.wav")


@router.get("/renders/{uuid:render_id}/stems", response={200: None, 206: None})
def render_stems(request: HttpRequest, render_id: UUID) -> HttpResponseBase:
    """All stems side by side in one 32-bit float WAV, in the report's order; a part of it by Range."""
    render = one_render(request, render_id)
    return _file(request, render, render.stems, "stems.wav")
