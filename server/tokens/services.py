"""Make tokens, know them again, take them back."""

import hashlib
import secrets
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Literal
from uuid import UUID

from django.db import transaction
from django.db.models import Q, QuerySet
from django.shortcuts import get_object_or_404
from django.utils import timezone

from server.accounts.models import User
from server.config.problems import Problem
from server.tokens.models import Token

Scope = Literal["read", "write", "delete"]
BEGINS = "fonodrome_"
MOST_TOKENS = 50
_STALE = timedelta(minutes=1)
_NEEDS: dict[str, Scope] = {
    "GET": "read", "HEAD": "read", "OPTIONS": "read", "POST": "write", "PUT": "write", "PATCH": "write",
    "DELETE": "delete",
}  # fmt: skip


def _digest(token: str) -> str:
    # 256 random bits: there is nothing to guess that a slow hash would have to slow down.
    return hashlib.sha256(token.encode()).hexdigest()


def make_token(user: User, name: str, scopes: Sequence[Scope], days: int) -> tuple[Token, str]:
    """The row, and the token itself: it is in no place but here. Raises Problem for guests, and where
    there are too many.
    """
    if user.is_guest:
        raise Problem(
            422,
            "The demo is a guest's, and ends with it. Sign up first, then make a token.",
            "guest",
        )
    token = BEGINS + secrets.token_urlsafe(32)
    with transaction.atomic():
        User.objects.select_for_update().get(pk=user.pk)
        if _in_force(user).count() >= MOST_TOKENS:
            raise Problem(422, f"{MOST_TOKENS} tokens are in force. Take one back first.", "full")
        row = Token.objects.create(
            owner=user, name=name, digest=_digest(token), ends_in=token[-4:],
            scopes=sorted(set(scopes)), expires_at=timezone.now() + timedelta(days=days),
        )  # fmt: skip
    return row, token


def _in_force(user: User) -> QuerySet[Token]:
    return Token.objects.filter(owner=user, revoked_at=None, expires_at__gt=timezone.now())


def tokens_of(user: User) -> list[Token]:
    """In force or not: those that ended stay listed for 90 days."""
    since = timezone.now() - timedelta(days=90)
    ended = Q(revoked_at__lt=since) | Q(expires_at__lt=since)
    return list(Token.objects.filter(owner=user).exclude(ended))


def take_back(user: User, token_id: UUID) -> None:
    row = get_object_or_404(Token, owner=user, pk=token_id)
    if row.revoked_at is None:
        row.revoked_at = timezone.now()
        row.save(update_fields=["revoked_at"])


def known(token: str, now: datetime | None = None) -> Token | None:
    """The row of a token that is in force."""
    now = now or timezone.now()
    found = Token.objects.select_related("owner").filter(digest=_digest(token)).first()
    if found is None or found.revoked_at is not None or found.expires_at <= now:
        return None
    if not found.owner.is_active:
        return None
    Token.objects.filter(Q(used_at=None) | Q(used_at__lt=now - _STALE), pk=found.pk).update(
        used_at=now
    )
    return found


def allows(row: Token, method: str) -> bool:
    """By what is done, not by where: a path that is added later cannot be forgotten."""
    return _NEEDS.get(method.upper(), "delete") in row.scopes


def scope_for(method: str) -> Scope:
    return _NEEDS.get(method.upper(), "delete")
