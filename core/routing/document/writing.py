"""Write a rig in the notation that `core.routing.document.notation` reads."""

import re
from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np
from pydantic import BaseModel

from core.routing.document.fields import Parameter, parameters_of
from core.routing.document.kinds import Frame, Merge, Node, kind_of
from core.routing.document.rig import UNSAID, Rig, Strip
from core.routing.document.wish_words import wish_words

NUMBERED = re.compile(r"^([a-z_]+?)(\d+)$")


def _number(value: float) -> str:
    """The shortest text that is read back as this very number; no exponent."""
    return str(np.format_float_positional(value, trim="-"))


def _value(parameter: Parameter, value: Any) -> str:
    if value is None:
        return f"{parameter.label} none"
    if parameter.sort == "flag":
        return parameter.label
    if parameter.sort == "text":
        return f'{parameter.label} "{_quoted(str(value))}"'
    if parameter.sort == "time":
        plain = PLAIN_TIME.match(value) and value == value.strip()
        return f"{parameter.label} {value}" if plain else f'{parameter.label} "{_quoted(value)}"'
    if parameter.sort == "choice":
        return f"{parameter.label} {value}"
    unit = "" if parameter.unit == "ratio" else parameter.unit
    tail = ":1" if parameter.unit == "ratio" else (f" {unit}" if unit else "")
    return f"{parameter.label} {_number(float(value))}{tail}"


PLAIN_TIME = re.compile(r"^[^\s,;()\[\]\"#>\\]+(?: [^\s,;()\[\]\"#>\\]+)*\Z")
"""A time that needs no quotes."""
_PLAIN_WORD = re.compile(r"^[\w.-]+\Z", re.ASCII)


def _quoted(text: str) -> str:
    """As it stands between quotes, on one line."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return escaped.replace("\n", "\\n").replace("\r", "\\r")


def _word(text: str) -> str:
    return text if _PLAIN_WORD.match(text) else f'"{_quoted(text)}"'


def _settings(model: BaseModel, skip: tuple[str, ...] = ("name",)) -> str:
    said = [
        _value(p, value)
        for p in parameters_of(type(model))
        if p.field not in skip
        and (value := getattr(model, p.field)) != p.default
        and value is not None
        and value is not False
    ]
    said += [
        f"not {p.label}"
        for p in parameters_of(type(model))
        if p.sort == "flag" and getattr(model, p.field) is False and p.default is True
    ]
    return ", ".join(said)


def _described(node: Node, id: str | None = None) -> str:
    name, kind = id or node.id, kind_of(node)
    plain = NUMBERED.match(name)
    text = name if plain and plain[1] == kind else f"{name}: {kind}"
    if node.name is not None:
        text += f' "{_quoted(node.name)}"'
    settings = _settings(node)
    return f"{text} ({settings})" if settings else text


def format_rig(rig: Rig) -> str:
    """Write a rig. `parse_rig` of the text gives an equal document."""
    lines = [f'rig "{_quoted(rig.title)}"']
    board = [
        f"{label} {_number(value)} {unit}"
        for label, value, unit in (
            ("supply", rig.board.supply_ma, "mA"),
            ("volts", rig.board.supply_v if rig.board.supply_v != 9 else None, "V"),
            ("width", rig.board.width_mm, "mm"),
            ("depth", rig.board.depth_mm, "mm"),
        )
        if value is not None
    ]
    if board:
        lines.append("board (" + ", ".join(board) + ")")
    told: set[str] = set()

    def item(name: str) -> str:
        if name in told:
            return name
        told.add(name)
        return _described(rig.nodes[name])

    used: set[str] = set()

    def run(start: str, port: str) -> None:
        number = int(port.rpartition(".")[2])
        free = _next_port(rig, start, used)
        head = item(start) if start not in told else start
        if start in told and number != free and "(" not in head:
            head = f"{start}.{number + 1}" if head == start else head
        elif number != free:
            lines.append(head)
            head = f"{start}.{number + 1}"
        parts = [head]
        while True:
            used.add(port)
            rail = rig.rails[port]
            strip = _settings(_fading(rig, port, rail.strip))
            known = rail.target in told
            text = item(rail.target)
            parts.append(f"{text} [{strip}]" if strip else text)
            port = f"{rail.target}.0"
            if known or port in used or port not in rig.rails:
                break
        lines.append(" > ".join(parts))

    for name in _reading_order(rig):
        for port in rig.outputs_of(name):
            if port not in used:
                run(name, port)
        if name not in told:
            lines.append(item(name))
    lines += _further(rig)
    return "\n".join(lines) + "\n"


def _fading(rig: Rig, port: str, strip: Strip) -> Strip:
    """The strip as it is written: where a crossfade begins is always said."""
    node = rig.nodes[rig.rails[port].target]
    if not isinstance(node, Merge) or node.crossfade_percent is None:
        return strip
    return strip.model_copy(update={"first": rig.in_order(node.id)[0] == port})


def _further(rig: Rig) -> Iterator[str]:
    for name in sorted(rig.nodes):
        node = rig.nodes[name]
        if isinstance(node, Frame):
            for one in node.sidings:
                yield f"siding {name} {one.place} > {_described(one.stage, one.stage.id)}"
            if node.sidings:
                yield f"line {name}: {_calls(node.calls)}"
            for line in node.lines:
                yield f'line {name} "{_quoted(line.name)}": {_calls(line.calls)}'
            for path in node.beside:
                yield (
                    f"beside {name} {path.of} {path.at} (mix "
                    f"{_number(path.mix_percent)} %, level {_number(path.level_db)} dB)"
                )
    for port, rail in sorted(rig.rails.items()):
        if rail.cable != UNSAID:
            source, _, number = port.rpartition(".")
            yield f"cable {source}.{int(number) + 1} ({_settings(rail.cable)})"
    for keyed in sorted(rig.keys):
        key = rig.keys[keyed]
        yield f"key {key.tap}{'.in' if key.at == 'in' else ''} > {keyed}"
    for scene in rig.scenes:
        program = f" program {scene.program}" if scene.program is not None else ""
        said = [f"off {n}" for n in scene.off] + [f"on {n}" for n in scene.on]
        for name, values in scene.values.items():
            fields = {p.field: p for p in parameters_of(type(rig.nodes[name]))}
            told = ", ".join(
                f"line {_calls(v)}"
                if f == "calls"
                else f"not {fields[f].label}"
                if v is False
                else _value(fields[f], v)
                for f, v in values.items()
            )
            said.append(f"{name} ({told})")
        yield f'scene "{_quoted(scene.name)}"{program}: ' + "; ".join(said)
    for wish in rig.wishes:
        yield f"wish {wish_words(wish, _word, _number)}"
    for mark in rig.intended:
        reason = f' "{_quoted(mark.reason)}"' if mark.reason else ""
        at = f" at {_word(mark.at)}" if mark.at else ""
        yield f"keep {_word(mark.check)}{at}{reason}"


def _calls(calls: Iterable[int]) -> str:
    return " ".join(str(place) for place in calls) or "none"


def _reading_order(rig: Rig) -> list[str]:
    """Sources first, then along the rails, as a person would follow them."""
    order: list[str] = []
    seen: set[str] = set()
    # The source with the longest course first, as the drawing has it.
    sources = sorted(
        (n.id for n in rig.of_kind("source")), key=lambda n: (-len(rig.downstream(n)), n)
    )
    starts = sources + sorted(n for n in rig.nodes if not rig.inputs[n])
    for start in [*starts, *sorted(rig.nodes)]:
        todo = [start]
        while todo:
            name = todo.pop(0)
            if name in seen:
                continue
            seen.add(name)
            order.append(name)
            todo = [rig.rails[p].target for p in rig.outputs_of(name)] + todo
    return order


def _next_port(rig: Rig, name: str, used: set[str]) -> int:
    node = rig.nodes[name]
    return next((n for n in range(node.most_outputs) if f"{name}.{n}" not in used), 0)
