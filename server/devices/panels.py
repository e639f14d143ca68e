"""Keep how a person's devices read; take it elsewhere and bring it back."""

from collections.abc import Sequence
from typing import Literal

from django.db import transaction

from core.devices import MOST_PANELS, Panel
from server.accounts.models import User
from server.config.problems import Problem
from server.config.words import some_of
from server.devices.models import Panel as Stored

Clash = Literal["ask", "replace", "keep"]


def panels_of(user: User) -> dict[str, Panel]:
    """By their case-folded names."""
    rows = Stored.objects.filter(owner=user)
    return {row.key: Panel.model_validate(row.content) for row in rows}


def keep_panel(user: User, panel: Panel) -> Stored:
    """Store it in place of one of that name. Raises Problem where there are too many."""
    return _keep_all(user, [panel])[0]


def bring_in(user: User, panels: Sequence[Panel], clash: Clash) -> tuple[int, list[str]]:
    """All of them, or none where a name is there already and nobody said what then.

    Returns how many were stored, and the names of those that stayed as they were.
    """
    keys = [p.name.casefold() for p in panels]
    if len(set(keys)) < len(keys):
        raise Problem(422, "Two devices in this file have one name. Nothing was taken.", "twice")
    there = set(panels_of(user))
    taken = [p.name for p in panels if p.name.casefold() in there]
    if taken and clash == "ask":
        raise Problem(
            409, f"You have {some_of(taken)} already. Replace, or keep yours? Nothing was taken yet.",
            "name-taken", names=taken,
        )  # fmt: skip
    wanted = [p for p in panels if clash == "replace" or p.name.casefold() not in there]
    _keep_all(user, wanted)
    return len(wanted), taken if clash == "keep" else []


def _keep_all(user: User, panels: Sequence[Panel]) -> list[Stored]:
    with transaction.atomic():
        User.objects.select_for_update().get(pk=user.pk)
        rows = [
            Stored.objects.update_or_create(
                owner=user, key=panel.name.casefold(),
                defaults={"content": panel.model_dump(mode="json")},
            )[0]
            for panel in panels
        ]  # fmt: skip
        if Stored.objects.filter(owner=user).count() > MOST_PANELS:
            raise Problem(
                409, f"Up to {MOST_PANELS} devices are kept. Delete some first; nothing was taken.", "full"
            )  # fmt: skip
    return rows
