"""Edits as changes of named values, each with what stood there before.

A document is laid out flat ('node/delay1/mix_percent': 32). An edit maps keys to (before, after);
swapped, it is its own inverse. Edits that touch different keys merge; where a key no longer holds
what the edit found, it is refused with both values.
"""

from typing import Any

from pydantic import Field

from core.edge import Edge
from core.routing.document.fields import parameters_of
from core.routing.document.kinds import Frame, Node, kind_of
from core.routing.document.rig import VERSION, Cable, Key, Rig, RigError, Scene, Strip
from core.routing.document.versions import load_rig
from core.routing.edit.draft import Draft

Flat = dict[str, Any]
_CABLE = "cable."


class Change(Edge):
    """One value: what stood there, and what stands there now. None: nothing, or the default."""

    key: str
    before: Any = None
    after: Any = None


class Edit(Edge):
    changes: tuple[Change, ...] = Field(default=())

    @property
    def inverse(self) -> "Edit":
        return Edit(
            changes=tuple(Change(key=c.key, before=c.after, after=c.before) for c in self.changes)
        )


class EditConflict(RigError):
    """The rig was changed elsewhere where this edit wants to change it."""

    code = "changed-elsewhere"

    def __init__(self, clashes: list[tuple[Change, Any]], words: str) -> None:
        super().__init__(words)
        self.clashes = clashes


def flatten(rig: Rig) -> Flat:
    """Every value that differs from its default, by key."""
    flat: Flat = {"title": rig.title}
    for name, node in rig.nodes.items():
        flat[f"node/{name}"] = kind_of(node)
        for field, value in node.model_dump(mode="json", exclude_defaults=True).items():
            if field not in ("id", "kind"):
                flat[f"node/{name}/{field}"] = value
        if isinstance(node, Frame):
            # Whole, with what is at rest too: what stands at a siding needs its kind.
            for field in ("sidings", "lines", "beside"):
                if getattr(node, field):
                    held = getattr(node, field)
                    flat[f"node/{name}/{field}"] = [one.model_dump(mode="json") for one in held]
    for port, rail in rig.rails.items():
        flat[f"rail/{port}"] = rail.target
        for field, value in rail.strip.model_dump(mode="json", exclude_defaults=True).items():
            flat[f"rail/{port}/{field}"] = value
        for field, value in rail.cable.model_dump(mode="json", exclude_defaults=True).items():
            flat[f"rail/{port}/{_CABLE}{field}"] = value
    for keyed, key in rig.keys.items():
        flat[f"key/{keyed}"] = key.model_dump(mode="json")
    if rig.scenes:
        flat["scenes"] = [s.model_dump(mode="json") for s in rig.scenes]
    if rig.intended:
        flat["intended"] = [i.model_dump(mode="json") for i in rig.intended]
    if rig.wishes:
        flat["wishes"] = [w.model_dump(mode="json") for w in rig.wishes]
    for field, value in rig.board.model_dump(mode="json", exclude_defaults=True).items():
        flat[f"board/{field}"] = value
    return flat


def unflatten(flat: Flat) -> Rig:
    """The document that lies flat. Raises RigError where it does not hang together."""
    nodes: dict[str, dict[str, Any]] = {}
    rails: dict[str, dict[str, Any]] = {}
    keys: dict[str, Any] = {}
    board: dict[str, Any] = {}
    for key in sorted(flat):
        head, _, rest = key.partition("/")
        value = flat[key]
        if head == "node":
            name, _, field = rest.partition("/")
            if field:
                nodes.setdefault(name, {"id": name})[field] = value
            else:
                nodes.setdefault(name, {"id": name})["kind"] = value
        elif head == "rail":
            port, _, field = rest.partition("/")
            place = rails.setdefault(port, {"strip": {}, "cable": {}})
            if field:
                part, own = _of_rail(field)
                place["cable" if part is Cable else "strip"][own] = value
            else:
                place["target"] = value
        elif head == "key":
            keys[rest] = value
        elif head == "board":
            board[rest] = value
    gone = [name for name, values in nodes.items() if "kind" not in values]
    if gone:
        raise RigError(f"“{gone[0]}” is not in this rig any more.", part=gone[0])
    return load_rig(
        {
            "version": VERSION, "title": flat.get("title", "Rig"), "nodes": nodes, "rails": rails,
            "keys": keys, "scenes": flat.get("scenes", []), "intended": flat.get("intended", []),
            "board": board, "wishes": flat.get("wishes", []),
        }
    )  # fmt: skip


def difference(before: Rig, after: Rig) -> Edit:
    """The edit that makes `after` of `before`."""
    a, b = flatten(before), flatten(after)
    changed = sorted(k for k in a.keys() | b.keys() if a.get(k) != b.get(k))
    return Edit(changes=tuple(Change(key=k, before=a.get(k), after=b.get(k)) for k in changed))


def apply_edit(rig: Rig, edit: Edit) -> Rig:
    """Raises EditConflict where a value is no longer what the edit found, RigError otherwise."""
    flat = flatten(rig)
    clashes = [(c, flat.get(c.key)) for c in edit.changes if flat.get(c.key) != c.before]
    if clashes:
        change, there = clashes[0]
        raise EditConflict(
            clashes,
            f"{words_for_key(rig, change.key)} was changed elsewhere: it is {_shown(there)} there "
            f"and {_shown(change.after)} here. Choose which one stays.",
        )
    for change in edit.changes:
        if change.after is None:
            flat.pop(change.key, None)
        else:
            flat[change.key] = change.after
    return unflatten(flat)


def _shown(value: Any) -> str:
    if value is None:
        return "as it was by default, or gone"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:g}"
    return str(value) if isinstance(value, (int, str)) else "another one"


def words_for_key(rig: Rig, key: str) -> str:
    """What a key means to a person: 'Reverb: mix'."""
    head, _, rest = key.partition("/")
    if head == "node":
        name, _, field = rest.partition("/")
        node = rig.nodes.get(name)
        shown = node.shown if node else name
        if not field:
            return shown
        label = (
            next((p.label for p in parameters_of(type(node)) if p.field == field), field)
            if node
            else field
        )
        return f"{shown}: {label}"
    if head == "rail":
        port, _, field = rest.partition("/")
        source = port.rpartition(".")[0]
        shown = rig.nodes[source].shown if source in rig.nodes else source
        if not field:
            return f"Where {shown} goes"
        part, own = _of_rail(field)
        label = next((p.label for p in parameters_of(part) if p.field == own), "")
        return f"{'Cable from' if part is Cable else 'Where'} {shown}{'' if part is Cable else ' goes in'}: {label}"
    return {"key": "A key", "scenes": "The scenes", "intended": "What is meant", "board": "The board", "wishes": "The wishes"}.get(
        head, "The title"
    )  # fmt: skip


def difference_in_words(before: Rig, after: Rig) -> list[str]:
    """What differs, one line each: 'Reverb: mix 27 % → 100 %', 'Delay is new'."""
    a, b = flatten(before), flatten(after)
    lines: list[str] = []
    for name in sorted(after.nodes.keys() - before.nodes.keys()):
        lines.append(f"{after.nodes[name].shown} is new")
    for name in sorted(before.nodes.keys() - after.nodes.keys()):
        lines.append(f"{before.nodes[name].shown} is gone")
    moved: set[str] = set()
    for key in sorted(a.keys() | b.keys()):
        if a.get(key) == b.get(key):
            continue
        head, _, rest = key.partition("/")
        name, _, field = rest.partition("/")
        if head == "node" and name in before.nodes and name in after.nodes:
            lines.append(_field_line(before, after, name, field, a.get(key), b.get(key)))
        elif head == "rail":
            source = name.rpartition(".")[0]
            if source not in before.nodes or source not in after.nodes:
                continue
            if field and a.get(f"rail/{name}") == b.get(f"rail/{name}"):
                ends = f"{_strip_value(field, a.get(key))} → {_strip_value(field, b.get(key))}"
                lines.append(f"{words_for_key(after, key)} {ends}")
            elif not field and source not in moved:
                moved.add(source)
                goes = [
                    r.nodes[t].shown if t else "nowhere"
                    for r, t in ((before, a.get(key)), (after, b.get(key)))
                ]
                if goes[0] != goes[1]:
                    lines.append(f"{after.nodes[source].shown} goes to {goes[1]}, not {goes[0]}")
        elif head in ("key", "scenes", "title", "board", "wishes"):
            many = head in ("scenes", "wishes")
            lines.append(f"{words_for_key(after, key)} {'differ' if many else 'differs'}")
    return lines


def _field_line(before: Rig, after: Rig, name: str, field: str, old: Any, new: Any) -> str:
    node = after.nodes[name]
    if not field:
        return f"{before.nodes[name].shown} became {node.shown}"
    parameter = next((p for p in parameters_of(type(node)) if p.field == field), None)
    if parameter is None:
        return f"{node.shown}: {field} differs"
    if parameter.sort == "flag":
        return f"{node.shown}: {parameter.label if new else 'not ' + parameter.label}"
    unit = f" {parameter.unit}" if parameter.unit and parameter.unit != "ratio" else ""
    ends = [parameter.default if v is None else v for v in (old, new)]
    told = [f"{v:g}" if isinstance(v, (int, float)) else str(v) for v in ends]
    return f"{node.shown}: {parameter.label} {told[0]}{unit} → {told[1]}{unit}"


def set_words(before: Node, after: Node, field: str) -> str:
    """What a setting became: 'mix 27 to 100 %', 'locked'; empty where it stays."""
    old, new = getattr(before, field, None), getattr(after, field, None)
    parameter = next((p for p in parameters_of(type(after)) if p.field == field), None)
    if old == new:
        return ""
    if field == "name":
        return f"named “{new}”"
    if parameter is None:
        return f"{field} set"
    if parameter.sort == "flag":
        return parameter.label if new else f"not {parameter.label}"
    unit = f" {parameter.unit}" if parameter.unit and parameter.unit != "ratio" else ""
    told = [
        "none" if v is None else f"{v:g}" if isinstance(v, (int, float)) else str(v)
        for v in (old, new)
    ]
    return f"{parameter.label} {told[0]} to {told[1]}{unit if new is not None else ''}"


def _of_rail(field: str) -> tuple[type[Strip] | type[Cable], str]:
    """What of a rail a key names: its strip or its cable, and the field of it."""
    return (Cable, field[len(_CABLE) :]) if field.startswith(_CABLE) else (Strip, field)


def _strip_value(key: str, value: Any) -> str:
    part, field = _of_rail(key)
    parameter = next(p for p in parameters_of(part) if p.field == field)
    if parameter.sort == "flag":
        return "on" if value else "off"
    if parameter.sort in ("text", "choice") or (value is None and parameter.default is None):
        return str(value or parameter.default or "not said")
    number = parameter.default if value is None else value
    return f"{number:g} {parameter.unit}"


def with_scene(rig: Rig, scene: Scene) -> Rig:
    """The rig as a scene sets it. Raises RigError for a value that its stage does not take."""
    draft = Draft(rig)
    for name in scene.off:
        draft.set(name, {"bypassed": True})
    for name in scene.on:
        if "bypassed" in type(rig.nodes[name]).model_fields:
            draft.set(name, {"bypassed": False})
    for name, values in scene.values.items():
        draft.set(name, values)
    return draft.done()


__all__ = [
    "Change", "Edit", "EditConflict", "Key", "apply_edit", "difference", "difference_in_words", "set_words",
    "flatten", "unflatten", "with_scene", "words_for_key",
]  # fmt: skip
