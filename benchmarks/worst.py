"""The most expensive question that each what-if endpoint takes, searched for: `./fonodrome bench worst`.

From the example of each call: every list is filled, every number set to its ends, every choice made, one after the
other, and what costs most is kept; again from there. Questions that are refused count too: reading them costs.
"""

import copy
import json
import os
import time
from collections.abc import Iterator
from typing import Any

LIMIT_CPU_S = 2.0
LIMIT_BYTES = 1 << 20
BROKEN: dict[str, Any] = {}
_ROUNDS, _LONGEST_S = 5, 12.0


def worst_questions() -> int:
    """Print CPU seconds and size of the worst found for each; 1 where one takes longer than a request may."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    import django

    django.setup()
    from server.config.api import api
    from server.config.examples import BODIES

    schema = api.get_openapi_schema()
    seeds = {path: [body] for (way, path), body in BODIES.items() if path.startswith("/compute/")}
    seeds["/compute/rig-view"] += [{"document": d} for d in _rigs()]
    worst = 0.0
    print(f"{'endpoint':<36} {'CPU s':>7} {'kB':>6} {'status':>7}")
    for path, bodies in sorted(seeds.items()):
        shape = shape_of(path, schema)
        cost, body, status = max(
            (_climbed(path, body, shape, schema) for body in bodies), key=lambda one: one[0]
        )
        worst = max(worst, cost)
        mark = "" if cost <= LIMIT_CPU_S else "  too long"
        print(f"{path:<36} {cost:7.2f} {len(json.dumps(body)) / 1e3:6.0f} {status:7}{mark}", flush=True)  # fmt: skip
    print(f"worst what-if question: {worst:.2f} CPU s (goal: {LIMIT_CPU_S:g})")
    for fault, body in BROKEN.items():
        print(f"BROKEN {fault}\n    {json.dumps(body)[:400]}")
    return int(worst > LIMIT_CPU_S or bool(BROKEN))


def shape_of(path: str, schema: Any) -> dict[str, Any]:
    """The schema of the body of a POST."""
    operation = schema["paths"][f"/api/v1{path}"]["post"]
    content: dict[str, Any] = next(iter(operation["requestBody"]["content"].values()))["schema"]
    return content


def _rigs() -> list[dict[str, Any]]:
    from benchmarks.rigs import exploding, studio
    from core.routing import Rig, parse_rig

    found = [exploding(), studio(5)]
    return [
        (one if isinstance(one, Rig) else parse_rig(one)).model_dump(mode="json") for one in found
    ]


def _asked(path: str, body: Any) -> tuple[float, int]:
    """CPU seconds, and the status of the answer."""
    from django.test import RequestFactory
    from django.urls import resolve

    address = f"/api/v1{path}"
    request = RequestFactory().post(address, json.dumps(body), content_type="application/json")
    match = resolve(address)
    began = time.thread_time()
    try:
        status = match.func(request, *match.args, **match.kwargs).status_code
    except Exception as fault:
        # What no question may do: it is told, with the question.
        status = 500
        BROKEN.setdefault(
            f"{path}: {type(fault).__name__}: {str(fault).splitlines()[0][:100]}", body
        )
    return time.thread_time() - began, status


def _climbed(path: str, body: Any, shape: dict[str, Any], schema: Any) -> tuple[float, Any, int]:
    _asked(path, body)
    end = time.monotonic() + _LONGEST_S
    cost, status = _asked(path, body)
    for _ in range(_ROUNDS):
        better = (cost, body, status)
        for changed in changes_of(body, shape, schema):
            if len(json.dumps(changed)) > LIMIT_BYTES or time.monotonic() > end:
                continue
            spent, got = _asked(path, changed)
            if spent > better[0] * 1.05:
                better = (spent, changed, got)
        if better[1] is body:
            break
        cost, body, status = better
    return cost, body, status


def changes_of(body: Any, shape: dict[str, Any], schema: Any) -> Iterator[Any]:
    """The body with one thing of it at an end of what it may be."""
    for place, value in _ends(body, _plain(shape, schema), schema, ()):
        changed = copy.deepcopy(body)
        at = changed
        for step in place[:-1]:
            at = at[step] if not isinstance(at, dict) else at.setdefault(step, {})
        if place:
            at[place[-1]] = value
            yield changed


def _plain(shape: dict[str, Any], schema: Any) -> dict[str, Any]:
    while "$ref" in shape:
        shape = schema["components"]["schemas"][shape["$ref"].rsplit("/", 1)[-1]]
    for way in ("anyOf", "oneOf", "allOf"):
        for one in shape.get(way, []):
            if one.get("type") != "null":
                return _plain(one, schema)
    return shape


def _ends(
    value: Any, shape: dict[str, Any], schema: Any, place: tuple[Any, ...]
) -> Iterator[tuple[tuple[Any, ...], Any]]:
    if len(place) > 5:
        return
    kind = shape.get("type")
    if kind in ("number", "integer"):
        for end in ("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum"):
            if end in shape:
                nudge = 0 if not end.startswith("ex") else (1 if "Min" in end else -1)
                yield place, shape[end] + nudge * (1 if kind == "integer" else 1e-3)
    elif kind == "string" and "enum" in shape:
        yield from ((place, one) for one in shape["enum"])
    elif kind == "boolean":
        yield from ((place, one) for one in (True, False))
    elif kind == "array":
        most = int(shape.get("maxItems", 2000))
        item = _plain(shape.get("items", {}), schema)
        first = value[0] if isinstance(value, list) and value else _least(item, schema)
        if first is not None:
            yield place, [_varied(first, item, i) for i in range(most)]
            yield place, [first] * most
        if isinstance(value, list) and value:
            yield from _ends(value[0], item, schema, (*place, 0))
    elif kind == "object":
        for name, inner in shape.get("properties", {}).items():
            now = value.get(name) if isinstance(value, dict) else None
            yield from _ends(now, _plain(inner, schema), schema, (*place, name))


def _varied(value: Any, item: dict[str, Any], i: int) -> Any:
    """As many different ones as there can be."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        low, high = item.get("minimum", 0), item.get("maximum", 1e6)
        return low + (value - low + i) % max(1, high - low)
    if isinstance(value, dict):
        inner = item.get("properties", {})
        return {k: _varied(v, inner.get(k, {}), i) if isinstance(v, int | float) and not isinstance(v, bool) else v for k, v in value.items()}  # fmt: skip
    return value


def _least(shape: dict[str, Any], schema: Any) -> Any:
    """The plainest value of a shape."""
    shape = _plain(shape, schema)
    if "default" in shape:
        return shape["default"]
    if "enum" in shape:
        return shape["enum"][0]
    if "const" in shape:
        return shape["const"]
    kind = shape.get("type")
    if kind in ("number", "integer"):
        return shape.get("minimum", shape.get("exclusiveMinimum", 0) + 1)
    if kind == "object":
        needed = shape.get("required", [])
        return {n: _least(shape["properties"][n], schema) for n in needed if n in shape.get("properties", {})}  # fmt: skip
    return {"string": "1/4", "boolean": True, "array": []}.get(str(kind))
