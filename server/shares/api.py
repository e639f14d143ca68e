"""Links to share, for their owner; and what a stranger sees by one, without an account."""

from datetime import datetime
from typing import Literal
from uuid import UUID

from django.http import Http404, HttpRequest
from django.http.response import HttpResponseBase
from ninja import Router
from pydantic import Field

from core.delay import DelayLine
from core.edge import Edge, Word
from core.proof import Proof
from core.sheet import StageSheet
from core.space import KeptSpace
from core.tempo import TempoSection
from server.accounts.models import User
from server.bench.services import proof as bench_proof
from server.clips.store import path_of
from server.config.answers import answer
from server.config.auth import user_of
from server.config.ranges import ranged
from server.shares import services
from server.shares.models import ShareLink
from server.sheets.services import shared_sheet_of
from server.songs.services import delays_of
from server.verify.services import proof as null_proof

router = Router(tags=["share"])
Kind = Literal["song", "sheet", "test", "measurement"]


class ShareWish(Edge):
    kind: Kind
    thing: UUID | None = Field(
        None, description="Variant, null test or measurement; none: the song"
    )
    renders: list[UUID] = Field(
        [], max_length=services.MOST_RENDERS, description="That a stranger may play"
    )
    days: int = Field(14, ge=1, le=365)
    with_name: bool = Field(False, description="Whether your name is said")


class ShareOut(Edge):
    id: UUID
    kind: Kind
    title: str
    path: str = Field(description="Of the page, without the host")
    renders: int
    with_name: bool
    created_at: datetime
    expires_at: datetime
    seen_at: datetime | None


def _out(link: ShareLink) -> ShareOut:
    own = ("id", "kind", "with_name", "created_at", "expires_at", "seen_at")
    return ShareOut(
        **{name: getattr(link, name) for name in own}, title=services.title_of(link),
        path=f"/shared/{services.token_of(link)}", renders=link.renders.count(),
    )  # fmt: skip


@router.get("/songs/{uuid:song_id}/links", response=list[ShareOut])
def links(request: HttpRequest, song_id: UUID) -> list[ShareOut]:
    """Those in force, the newest first."""
    return [_out(link) for link in services.links_of(user_of(request), song_id)]


@router.post("/songs/{uuid:song_id}/links", response=ShareOut)
def make_link(request: HttpRequest, song_id: UUID, payload: ShareWish) -> ShareOut:
    return _out(services.make_link(user_of(request), song_id, **payload.model_dump()))


@router.delete("/links/{uuid:link_id}", response={204: None})
def take_back(request: HttpRequest, link_id: UUID) -> tuple[int, None]:
    services.take_back(user_of(request), link_id)
    return 204, None


# Without an account -----------------------------------------------------------------------------
class SharedRender(Edge):
    id: UUID
    title: str
    seconds: float | None
    peak_dbfs: float | None


class SharedVariant(Edge):
    id: UUID
    rig: str
    letter: str
    name: str


class Shared(Edge):
    """What a link shows: all of it, and nothing else of its owner's."""

    kind: Kind
    title: str
    players: str
    by: str = Field(description="The owner's name; empty unless it was wished")
    expires_at: datetime
    tempo_map: list[TempoSection] = Field(description="Of a song that is shown whole")
    delays: list[DelayLine]
    delays_ms: list[float]
    space: KeptSpace | None
    variants: list[SharedVariant]
    renders: list[SharedRender]
    proof: Proof | None


def _opened(token: str) -> ShareLink:
    return services.opened(token)


def _private(response: HttpResponseBase) -> HttpResponseBase:
    """Seen now, kept by nobody on the way, and found by no search."""
    response["Cache-Control"] = "no-store"
    response["X-Robots-Tag"] = "noindex, nofollow"
    return response


@router.get("/shared/{token}", response=Shared, auth=None)
def shared(request: HttpRequest, token: Word) -> HttpResponseBase:
    """By a link that somebody was given; no account is needed."""
    link = _opened(token)
    song, whole = link.song, link.kind == "song"
    proof = null_proof(link.test) if link.test else None
    if link.measurement is not None:
        proof = bench_proof(link.measurement)
    sections = [TempoSection.model_validate(s) for s in song.tempo_map]
    lines = [DelayLine.model_validate(d) for d in delays_of(song)] if whole else []
    frame = sections[0].frame(song.sample_rate_hz)
    variants = services.variants_of(song) if whole else []
    if link.variant is not None:
        variants = [link.variant]
    owner = song.owner
    assert isinstance(owner, User)
    out = Shared(
        kind=link.kind, title=song.title, players=song.players if link.kind in ("song", "sheet") else "",
        by=owner.username if link.with_name else "", expires_at=link.expires_at,
        tempo_map=sections if whole else [], delays=lines,
        delays_ms=[line.left_s(frame) * 1e3 for line in lines],
        space=KeptSpace.model_validate(song.space) if whole and song.space else None,
        variants=[
            SharedVariant(id=v.pk, rig=v.rig.name, letter=v.letter, name=v.name) for v in variants
        ],
        renders=[
            SharedRender(
                id=r.pk, title=f"{r.variant.rig.name} {r.variant.letter}, {r.output}: {r.clip.name}",
                seconds=_of(r.report, "seconds"), peak_dbfs=_of(r.report, "peak_dbfs"),
            )
            for r in services.heard_of(link)
        ],
        proof=proof,
    )  # fmt: skip
    return _private(answer(out))


def _of(report: object, name: str) -> float | None:
    value = report.get(name) if isinstance(report, dict) else None
    return float(value) if isinstance(value, (int, float)) else None


@router.get("/shared/{token}/sheets/{uuid:variant_id}", response=StageSheet, auth=None)
def shared_sheet(
    request: HttpRequest, token: Word, variant_id: UUID, scene: Word | None = None
) -> HttpResponseBase:
    """The stage sheet of a variant that the link shows."""
    link = _opened(token)
    variant = services.variant_shown(link, variant_id)
    return _private(answer(shared_sheet_of(variant, scene)))


@router.get("/shared/{token}/renders/{uuid:render_id}", response={200: None, 206: None}, auth=None)
def shared_render(request: HttpRequest, token: Word, render_id: UUID) -> HttpResponseBase:
    """A render that was chosen for the link, as a WAV; a part of it by Range."""
    render = services.render_heard(_opened(token), render_id)
    if render.blob is None:
        raise Http404
    return _private(ranged(request, path_of(render.blob), "audio/wav", "render.wav"))
