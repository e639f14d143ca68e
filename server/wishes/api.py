"""Standing wishes of a variant: what they measure, and what would fulfil them."""

import time
from uuid import UUID

from django.http import HttpRequest
from ninja import Router
from pydantic import Field

from core.edge import Edge
from core.routing import Context, Rig, load_rig
from core.sheet import Owned
from core.space import KeptSpace, SpaceRequest, space_view
from core.wishes import (
    FreeAsked,
    FreeOut,
    Looked,
    ProposalsOut,
    TradeOut,
    WishesOut,
    WishKindOut,
    WishSet,
    chosen,
    free_settings,
    propose,
    trade,
    wish_kinds,
    wish_sets,
    wishes_of,
)
from server.clips.queries import ready_clip_of
from server.clips.services import levels_of
from server.config.auth import user_of
from server.rigs.models import Variant
from server.rigs.queries import context_for, variant_of
from server.sheets.services import owned_of

router = Router(tags=["wishes"])
LONGEST_S, LONGEST_TRADE_S = 8.0, 12.0
"""Then the best so far is given."""


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


def _looked(request: HttpRequest, variant_id: UUID) -> tuple[Variant, Rig, Context, Owned]:
    user = user_of(request)
    variant = variant_of(user, variant_id)
    document = load_rig(variant.document)
    return variant, document, context_for(variant, document), owned_of(user)


def _gaps(request: HttpRequest, variant: Variant, context: Context, clip: UUID | None) -> tuple[float, ...] | None:  # fmt: skip
    """Lengths of the clip's gaps, as Space finds them with the song's own settings."""
    if clip is None:
        return None
    levels = levels_of(ready_clip_of(user_of(request), clip))
    kept = variant.rig.song.space
    space = KeptSpace() if kept is None else KeptSpace.model_validate(kept)
    found = space_view(SpaceRequest(frame=context.frame, space=space), levels)
    return tuple(gap.length_s for gap in found.gaps)


@router.get("/wish-kinds", response=list[WishKindOut])
def list_wish_kinds(request: HttpRequest) -> list[WishKindOut]:
    """What can be wished for, with its unit, its definition, and what it means for the sound."""
    return wish_kinds()


@router.post("/variants/{uuid:variant_id}/wishes", response=WishesPage)
def standing_wishes(request: HttpRequest, variant_id: UUID, payload: OverClip) -> WishesPage:
    """Standing wishes with their figures, sets to begin with, and settings that could move."""
    variant, document, context, owned = _looked(request, variant_id)
    gaps = _gaps(request, variant, context, payload.clip)
    return WishesPage(
        standing=wishes_of(Looked(document, context, gaps)), sets=wish_sets(document),
        free=free_settings(document, context, owned),
    )  # fmt: skip


@router.post("/variants/{uuid:variant_id}/proposals", response=ProposalsOut)
def propose_settings(
    request: HttpRequest, variant_id: UUID, payload: ProposalsAsked
) -> ProposalsOut:
    """The smallest changes that fulfil the wishes; nothing is changed. After 8 s the best so far."""
    variant, document, context, owned = _looked(request, variant_id)
    gaps = _gaps(request, variant, context, payload.clip)
    settings = chosen(document, context, payload.free, owned)
    end = time.monotonic() + LONGEST_S
    return propose(document, context, gaps, settings, stop=lambda: time.monotonic() > end)


@router.post("/variants/{uuid:variant_id}/trade", response=TradeOut)
def trade_wishes(request: HttpRequest, variant_id: UUID, payload: TradeAsked) -> TradeOut:
    """What one wish costs another, as a curve of settings that could be taken."""
    variant, document, context, owned = _looked(request, variant_id)
    gaps = _gaps(request, variant, context, payload.clip)
    settings = chosen(document, context, payload.free, owned)
    end = time.monotonic() + LONGEST_TRADE_S
    return trade(
        document, context, gaps, settings, payload.one, payload.other,
        stop=lambda: time.monotonic() > end,
    )  # fmt: skip
