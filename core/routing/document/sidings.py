"""Insert frames as they were stored and written when their processors stood under letters, and what is
said of a frame line by line in the notation.
"""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from core.routing.document.kinds.frame import MOST_PLACES, KeptLine
from core.routing.document.rig import RigError, Scene

OLD_FIELDS = ("slots", "order", "half", "sections", "size")
WHOLE_LINE = "Whole line"
PLACE = re.compile(r"[0-9]{1,2}")
"""A place or a turn as it is written."""


def places_of(letters: Iterable[str]) -> dict[str, int]:
    """Letters that processors once stood under, as places: A is 1; where that is too many, in a row."""
    held = sorted(set(letters))
    plain = {letter: ord(letter) - 64 for letter in held}
    if max(plain.values(), default=0) <= MOST_PLACES:
        return plain
    return {letter: n + 1 for n, letter in enumerate(held)}


def calls_of(order: str, half: str, places: Mapping[str, int]) -> tuple[list[int], list[int]]:
    """The line that an order of letters is, and the whole of it where half was kept out of it."""
    letters = [c for c in (order or "".join(sorted(places))) if c in places]
    middle = (len(letters) + 1) // 2
    kept = {"first": letters[:middle], "second": letters[middle:]}.get(half, letters)
    whole = [] if len(kept) == len(letters) else letters
    return [places[c] for c in kept], [places[c] for c in whole]


def framed(node: dict[str, Any]) -> dict[str, Any]:
    """A stored frame of letters as sidings and a line."""
    slots = {slot["label"]: slot["stage"] for slot in node.get("slots", ())}
    places = places_of(slots)
    order, half = node.get("order", ""), node.get("half", "whole")
    calls, whole = calls_of(order, half, places)
    letters = order or "".join(sorted(places))
    beside = []
    for section in node.get("sections", ()):
        at, of = section["at"], "stop"
        if section.get("follows") == "position":
            of, place = "turn", int(at) if PLACE.fullmatch(at) else 0
            # Turns of a second half were counted from the first.
            place -= (len(letters) + 1) // 2 if half == "second" else 0
        else:
            place = places.get(at, 0)
        if place > 0:
            more = {k: v for k, v in section.items() if k not in ("follows", "at")}
            beside.append({"of": of, "at": place, **more})
    return {
        **{k: v for k, v in node.items() if k not in OLD_FIELDS},
        "places": max([node.get("size", 8), *places.values()]),
        "sidings": [{"place": places[c], "stage": slots[c]} for c in sorted(places)],
        "calls": calls,
        "lines": [{"name": WHOLE_LINE, "calls": whole}] if whole else [],
        "beside": beside,
    }


@dataclass
class Written:
    """What the lines of a notation say of one frame."""

    sidings: dict[int, Any] = field(default_factory=dict)
    letters: dict[str, Any] = field(default_factory=dict)
    calls: tuple[int, ...] | None = None
    order: str | None = None
    half: str = "whole"
    lines: list[KeptLine] = field(default_factory=list)
    beside: list[tuple[str, str, dict[str, float]]] = field(default_factory=list)

    def fields(self, name: str, node: dict[str, Any]) -> dict[str, Any]:
        """The frame's fields. Raises RigError for what names a place that is none."""
        old = {
            "slots": [{"label": c, "stage": s} for c, s in sorted(self.letters.items())],
            "order": self.order or "", "half": self.half,
        }  # fmt: skip
        places = places_of(self.letters)
        wrong = next((c for c in self.order or "" if c not in places), None)
        if wrong is not None:
            raise RigError(f"{name} has no processor under {wrong}.", part=wrong)
        said = framed(old)
        sidings = {**{s["place"]: s["stage"] for s in said["sidings"]}, **self.sidings}
        calls: Iterable[int] = self.calls or ()
        if self.calls is None:
            calls = said["calls"] if self.letters else sorted(sidings)
        beside: list[dict[str, Any]] = []
        for of, at, more in self.beside:
            if of in ("processor", "position"):
                section = {"follows": of, "at": at, **more}
                beside += framed({**old, "sections": [section]})["beside"]
            else:
                beside.append({"of": of, "at": int(at), **more})
        lines = [{"name": x["name"], "calls": tuple(x["calls"])} for x in said["lines"]]
        return {
            "sidings": [{"place": p, "stage": sidings[p]} for p in sorted(sidings)],
            "calls": tuple(calls),
            "lines": [*lines, *(x.model_dump() for x in self.lines)],
            "beside": beside,
            "places": max([node.get("places", 8), *places.values()]),
        }


def with_lines(scene: Scene, frames: Mapping[str, Written]) -> Scene:
    """A scene whose frames may be set by orders of letters, with lines instead."""
    values = dict(scene.values)
    for part, said in scene.values.items():
        if part in frames and ("order" in said or "half" in said):
            frame = frames[part]
            order = said.get("order", frame.order or "")
            calls, _ = calls_of(order, said.get("half", frame.half), places_of(frame.letters))
            rest = {k: v for k, v in said.items() if k not in ("order", "half")}
            values[part] = {**rest, "calls": calls}
    return scene.model_copy(update={"values": values})
