"""Set lists, and their cards for the stage."""

from datetime import datetime
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from pydantic import Field

from core.edge import Edge
from core.setlist import Card, SetListValues
from server.config.answers import answer
from server.config.auth import user_of
from server.setlists import services
from server.setlists.models import SetList

router = Router(tags=["set lists"])


class SetListOut(Edge):
    id: UUID
    values: SetListValues
    revision: int
    updated_at: datetime


class SetListEdit(Edge):
    base_revision: int = Field(ge=1, description="The revision that the edit was made on")
    values: SetListValues


class OnStage(Edge):
    """All cards of a set list, as they stood at `made_at`."""

    id: UUID
    name: str
    revision: int
    send_clock: bool
    made_at: datetime
    cards: list[Card]


def _out(one: SetList) -> SetListOut:
    return SetListOut(
        id=one.pk, values=services.values_of(one), revision=one.revision, updated_at=one.updated_at
    )


@router.get("/set-lists", response=list[SetListOut])
def set_lists(request: HttpRequest, deleted: bool = False) -> list[SetListOut]:
    """The newest first; or those that were deleted within 30 days."""
    user = user_of(request)
    rows = services.deleted_of(user) if deleted else services.lists_of(user)
    return [_out(one) for one in rows]


@router.post("/set-lists", response=SetListOut)
def make_set_list(request: HttpRequest, payload: SetListValues) -> SetListOut:
    return _out(services.make_list(user_of(request), payload))


@router.get("/set-lists/{uuid:list_id}", response=SetListOut)
def set_list(request: HttpRequest, list_id: UUID) -> SetListOut:
    return _out(services.list_of(user_of(request), list_id))


@router.put("/set-lists/{uuid:list_id}", response=SetListOut)
def edit_set_list(request: HttpRequest, list_id: UUID, payload: SetListEdit) -> SetListOut:
    one = services.edit_list(user_of(request), list_id, payload.base_revision, payload.values)
    return _out(one)


@router.delete("/set-lists/{uuid:list_id}", response={204: None})
def delete_set_list(request: HttpRequest, list_id: UUID) -> tuple[int, None]:
    services.delete_list(user_of(request), list_id)
    return 204, None


@router.post("/set-lists/{uuid:list_id}/restore", response=SetListOut)
def restore_set_list(request: HttpRequest, list_id: UUID) -> SetListOut:
    return _out(services.restore_list(user_of(request), list_id))


@router.get("/set-lists/{uuid:list_id}/stage", response=OnStage)
def on_stage(request: HttpRequest, list_id: UUID) -> HttpResponse:
    """The cards, in order."""
    user = user_of(request)
    one = services.list_of(user, list_id)
    values = services.values_of(one)
    return answer(
        OnStage(
            id=one.pk, name=one.name, revision=one.revision, send_clock=values.send_clock,
            made_at=timezone.now(), cards=services.cards_of(user, values),
        )
    )  # fmt: skip
