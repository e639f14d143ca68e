"""Stored documents of every version, brought to the present one."""

from typing import Any

from pydantic import ValidationError

from core.routing.document.rig import VERSION, Rig, RigError
from core.routing.document.sidings import OLD_FIELDS, framed


def upgrade(data: dict[str, Any]) -> dict[str, Any]:
    """Bring a stored document to the present version, one step at a time.

    Version 0 wrote rails as a list of {from, port, to}; version 1 had the expected crest at its
    outputs, where it says nothing of what each source brings; version 2 had other names for two
    fields of a ducker; version 3 had an insert frame's processors under letters; version 4 said nothing
    of cables; version 5 nothing of wishes, version 6 had fewer sorts of them. Raises RigError for a version that this program does not know.
    """
    version = data.get("version", 0)
    if version == 0:
        listed = data.get("arcs", [])
        rails = {
            f"{arc['from']}.{arc.get('port', 0)}": {
                "target": arc["to"],
                "strip": arc.get("strip", {}),
            }
            for arc in listed
        }
        nodes = {node["id"]: node for node in data.get("nodes", [])}
        rest = {k: v for k, v in data.items() if k not in ("arcs", "nodes", "version")}
        data = {**rest, "version": 1, "nodes": nodes, "rails": rails}
        version = 1
    if version == 1:
        data, version = _crest_to_sources(data), 2
    if version == 2:
        data, version = {**data, **_ducker_words(data), "version": 3}, 3
    if version == 3:
        data, version = {**data, **_sidings(data), "version": 4}, 4
    if version == 4:
        data, version = {**data, "version": 5}, 5
    if version == 5:
        data, version = {**data, "version": 6}, 6
    if version == 6:
        data, version = {**data, "version": 7}, 7
    if version != VERSION:
        raise RigError(
            f"This rig was written by version {version}; this Fonodrome reads up to {VERSION}. "
            "The document is kept as it is.",
            part=str(version),
        )
    return data


def _crest_to_sources(data: dict[str, Any]) -> dict[str, Any]:
    nodes = {name: dict(node) for name, node in data.get("nodes", {}).items()}
    found = [
        n.pop("crest_db") for n in nodes.values() if n.get("kind") == "output" and "crest_db" in n
    ]
    for node in nodes.values():
        if node.get("kind") == "source" and found:
            node.setdefault("crest_db", max(3, *found))
    outputs = {name for name, node in nodes.items() if node.get("kind") == "output"}
    scenes = [
        {**scene, "values": {
            name: {f: v for f, v in values.items() if name not in outputs or f != "crest_db"}
            for name, values in scene.get("values", {}).items()
        }}
        for scene in data.get("scenes", ())
    ]  # fmt: skip
    return {**data, "version": 2, "nodes": nodes, "scenes": scenes}


DUCKER_WORDS = {"duck_percent": "sensitivity_percent", "pre_gain_db": "follower_gain_db"}


def renamed(data: Any, words: dict[str, str] = DUCKER_WORDS) -> Any:
    """Stored values with other field names, however deep they stand."""
    if isinstance(data, dict):
        return {words.get(k, k): renamed(v, words) for k, v in data.items()}
    return [renamed(v, words) for v in data] if isinstance(data, list) else data


def _ducker_words(data: dict[str, Any]) -> dict[str, Any]:
    """Stages, also those in a frame, and what scenes set of them."""
    return {part: renamed(data[part]) for part in ("nodes", "scenes") if part in data}


def _sidings(data: dict[str, Any]) -> dict[str, Any]:
    old = {n: v for n, v in data.get("nodes", {}).items() if v.get("kind") == "frame"}
    nodes = {n: framed(v) if n in old else v for n, v in data.get("nodes", {}).items()}
    scenes = [
        {
            **scene,
            "values": {
                name: _line_of_scene(old[name], values) if name in old else values
                for name, values in scene.get("values", {}).items()
            },
        }
        for scene in data.get("scenes", ())
    ]
    return {"nodes": nodes, "scenes": scenes}


def _line_of_scene(node: dict[str, Any], values: dict[str, Any]) -> dict[str, Any]:
    kept = {k: v for k, v in values.items() if k not in OLD_FIELDS}
    if "order" in values or "half" in values:
        kept["calls"] = framed({**node, **values})["calls"]
    return kept


def checked_rig(values: dict[str, Any]) -> Rig:
    """A rig of values, parts of it perhaps checked before. Raises RigError with one sentence."""
    try:
        return Rig.model_validate(values)
    except ValidationError as error:
        first = error.errors()[0]
        message = str(first["msg"]).removeprefix("Value error, ")
        place = ".".join(str(p) for p in first["loc"])
        raise RigError(f"{place}: {message}" if place else message, part=place or None) from None


def load_rig(data: dict[str, Any]) -> Rig:
    """Read a stored document of any known version. Raises RigError with one sentence."""
    try:
        return checked_rig(upgrade(dict(data)))
    except RigError:
        raise
    except (KeyError, TypeError, AttributeError):
        raise RigError("This is not a rig document.") from None
