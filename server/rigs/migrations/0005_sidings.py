"""Edits of frames name sidings and lines, as the documents do now; so they can still be undone."""

from copy import deepcopy
from typing import Any

from django.db import migrations

from core.routing import RigError, difference, load_rig

OLD = ("slots", "order", "half", "sections", "size")


def _is_old(change: dict[str, Any]) -> bool:
    head, _, field = change["key"].rpartition("/")
    return head.startswith("node/") and field in OLD


def _goes(change: dict[str, Any]) -> bool:
    return change.get("before") is None and "/" not in change["key"].partition("/")[2]


def taken_back(document: dict[str, Any], changes: list[dict[str, Any]]) -> dict[str, Any]:
    """A stored document of any version as it was before an edit."""
    before = deepcopy(document)
    # Parts go last, with whatever was said of them.
    for change in sorted(changes, key=_goes):
        _put(before, change["key"], change.get("before"))
    return before


def _put(document: dict[str, Any], key: str, value: Any) -> None:
    head, _, rest = key.partition("/")
    if head not in ("node", "rail", "key", "board"):
        document[head] = value if value is not None else ("Rig" if head == "title" else [])
        return
    held = document.setdefault({"node": "nodes", "rail": "rails", "key": "keys"}.get(head, head), {})
    name, _, field = rest.partition("/")
    if head == "board":
        held[rest] = value
        if value is None:
            held.pop(rest)
        return
    if head == "key" or (not field and value is None):
        held.pop(name, None)
        if value is not None:
            held[name] = value
        return
    place = held.setdefault(name, {"id": name} if head == "node" else {"strip": {}})
    if not field:
        place["kind" if head == "node" else "target"] = value
        return
    fields = place if head == "node" else place.setdefault("strip", {})
    fields.pop(field, None)
    if value is not None:
        fields[field] = value


def rewritten(
    document: dict[str, Any], steps: list[list[dict[str, Any]]]
) -> list[list[dict[str, Any]]] | None:
    """The same steps, newest first, between documents of today; None where one cannot be read."""
    found = []
    after = document
    try:
        for changes in steps:
            before = taken_back(after, changes)
            edit = difference(load_rig(before), load_rig(after))
            found.append(edit.model_dump(mode="json")["changes"])
            after = before
    except (RigError, KeyError, TypeError):
        return None
    return found


def sidings(apps: Any, editor: Any) -> None:
    for variant in apps.get_model("rigs", "Variant").objects.all():
        steps = list(variant.edits.filter(undone=False).order_by("-number"))
        if not any(_is_old(change) for step in steps for change in step.changes):
            continue
        # What was taken back already cannot be followed from here.
        variant.edits.filter(undone=True).delete()
        found = rewritten(variant.document, [step.changes for step in steps])
        for step, changes in zip(steps, found or [], strict=False):
            step.changes = changes
            step.save(update_fields=["changes"])


class Migration(migrations.Migration):
    dependencies = [("rigs", "0004_one_title")]
    operations = [migrations.RunPython(sidings, migrations.RunPython.noop)]
