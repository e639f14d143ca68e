"""Personal tokens. They are made and taken back in a session, never by a token."""

from datetime import datetime
from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from pydantic import Field, StringConstraints

from core.edge import Edge
from server.config.auth import signed_in, user_of
from server.tokens import services
from server.tokens.auth import by_token
from server.tokens.models import Token
from server.tokens.services import Scope
from server.tokens.ten_calls import Typed, typed

# A session alone: what a token may do cannot be widened by it.
router = Router(tags=["tokens"], auth=signed_in)
_Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]


class TokenWish(Edge):
    name: _Name = Field(description="What it is for")
    scopes: list[Scope] = Field(["read"], min_length=1, max_length=3)
    days: int = Field(30, ge=1, le=365, description="How long it is in force")


class TokenOut(Edge):
    id: UUID
    name: str
    ends_in: str
    scopes: list[Scope]
    created_at: datetime
    expires_at: datetime
    used_at: datetime | None
    in_force: bool


class TokenMade(TokenOut):
    token: str = Field(description="Shown this once: its hash alone is kept")


def _out(row: Token) -> TokenOut:
    names = set(TokenOut.model_fields) - {"in_force"}
    in_force = row.revoked_at is None and row.expires_at > timezone.now()
    return TokenOut(**{n: getattr(row, n) for n in names}, in_force=in_force)


@router.get("/tokens", response=list[TokenOut])
def tokens(request: HttpRequest) -> list[TokenOut]:
    return [_out(row) for row in services.tokens_of(user_of(request))]


@router.post("/tokens", response=TokenMade)
def make_token(request: HttpRequest, payload: TokenWish) -> TokenMade:
    user = user_of(request)
    row, token = services.make_token(user, payload.name, payload.scopes, payload.days)
    return TokenMade(**_out(row).model_dump(), token=token)


@router.delete("/tokens/{uuid:token_id}", response={204: None})
def take_back(request: HttpRequest, token_id: UUID) -> tuple[int, None]:
    services.take_back(user_of(request), token_id)
    return 204, None


@router.get("/ten-calls", response=list[Typed], auth=[by_token, signed_in])
def ten_calls(request: HttpRequest) -> list[Typed]:
    """From two sound files to a verdict, as it is typed into a shell."""
    user_of(request)
    return typed(request.build_absolute_uri("/").rstrip("/"))
