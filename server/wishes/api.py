"""Standing wishes of a variant: what they measure, and what would fulfil them."""

from typing import Annotated, Any
from uuid import UUID

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router
from pydantic import Field

from core.edge import Edge
from core.wishes import (
    BestSoFar,
    FreeAsked,
    FreeOut,
    ProposalsOut,
    TradeOut,
    WishesOut,
    WishKindOut,
    WishSet,
    free_settings,
    wish_kinds,
    wish_sets,
    wishes_of,
)
from server.config.auth import user_of
from server.jobs.runner import request_cancel
from server.jobs.waiting import wait_for
from server.rigs.queries import rigs_of, variant_of
from server.wishes import services
from server.wishes.models import Search

router = Router(tags=["wishes"])


class OverClip(Edge):
    clip: UUID | None = Field(None, description="Whose entries are meant; none: none are")


class ProposalsAsked(OverClip):
    free: list[FreeAsked] | None = Field(
        None, max_length=200, description="What may move; null: what is usual"
    )


class TradeAsked(ProposalsAsked):
    one: int = Field(ge=0, lt=50, description="Place of the wish that is held to bounds")
    other: int = Field(ge=0, lt=50, description="Place of the one that gives way")


class WishesPage(Edge):
    standing: WishesOut
    sets: list[WishSet]
    free: list[FreeOut]


class WishSearch(Edge):
    """A search for settings: what it has come to, and what it found."""

    id: UUID
    sort: str
    status: str
    progress: float
    stage: str
    problem: str
    best: BestSoFar | None = Field(description="While it goes on")
    proposals: ProposalsOut | None
    trade: TradeOut | None


def _out(search: Search) -> WishSearch:
    names = ("id", "sort", "status", "progress", "stage", "problem", "best")
    told: dict[str, Any] = {name: getattr(search, name) for name in names}
    told |= {"proposals": None, "trade": None}
    return WishSearch.model_validate(told | {search.sort: search.result})


def _mine(request: HttpRequest, search_id: UUID) -> Search:
    mine = Search.objects.filter(variant__rig__in=rigs_of(user_of(request)))
    return get_object_or_404(mine.defer("document"), pk=search_id)


@router.get("/wish-kinds", response=list[WishKindOut])
def list_wish_kinds(request: HttpRequest) -> list[WishKindOut]:
    """What can be wished for, with its unit, its definition, and what it means for the sound."""
    return wish_kinds()


@router.post("/variants/{uuid:variant_id}/wishes", response=WishesPage)
def standing_wishes(request: HttpRequest, variant_id: UUID, payload: OverClip) -> WishesPage:
    """Standing wishes with their figures, sets to begin with, and settings that could move."""
    user = user_of(request)
    looked = services.looked_at(user, variant_of(user, variant_id), payload.clip)
    return WishesPage(
        standing=wishes_of(looked), sets=wish_sets(looked.rig),
        free=free_settings(looked.rig, looked.context, looked.owned),
    )  # fmt: skip


@router.post("/variants/{uuid:variant_id}/proposals", response=WishSearch)
def propose_settings(request: HttpRequest, variant_id: UUID, payload: ProposalsAsked) -> WishSearch:
    """Look for the smallest changes that fulfil the wishes; nothing is changed by it."""
    user = user_of(request)
    asked = payload.model_dump(mode="json")
    return _out(services.ask(user, variant_of(user, variant_id), "proposals", asked))


@router.post("/variants/{uuid:variant_id}/trade", response=WishSearch)
def trade_wishes(request: HttpRequest, variant_id: UUID, payload: TradeAsked) -> WishSearch:
    """What one wish costs another, as a curve of settings that could be taken."""
    user = user_of(request)
    asked = payload.model_dump(mode="json")
    return _out(services.ask(user, variant_of(user, variant_id), "trade", asked))


@router.get("/searches/{uuid:search_id}", response=WishSearch)
def get_search(
    request: HttpRequest, search_id: UUID,
    wait_s: Annotated[float, Query(ge=0, le=1)] = 0.0,
) -> WishSearch:  # fmt: skip
    """wait_s: the answer comes as soon as there is something new, and no later than this."""
    wait_for(_mine(request, search_id), wait_s)
    return _out(_mine(request, search_id))


@router.post("/searches/{uuid:search_id}/cancel", response=WishSearch)
def stop_search(request: HttpRequest, search_id: UUID) -> WishSearch:
    """Stop looking; the best so far is kept."""
    request_cancel(_mine(request, search_id))
    return _out(_mine(request, search_id))
