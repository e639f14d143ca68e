"""Undo at an input of a rig what a null test found of its sound: level, time and polarity."""

from collections import Counter

from pydantic import Field

from core.edge import Edge
from core.routing.document.kinds import kind_of
from core.routing.document.rig import Rig, RigError
from core.routing.edit.actions import SetStrip
from core.units import format as fmt

_PLAIN = {"send", "return", "level", "fader"}
_LEAST_DB, _LEAST_MS = 0.0005, 0.00005
_LOW_DB, _HIGH_DB, _LONGEST_MS = -120.0, 60.0, 2000.0


def _ms(value: float) -> str:
    return f"{fmt.number(value, 3)} ms"


class Wanted(Edge):
    """What has to be done to a sound: so much louder, so much later (earlier where negative)."""

    level_db: float = 0.0
    later_ms: float = 0.0
    turned: bool = Field(False, description="Its polarity is turned over")


class Correction(Edge):
    """How an input of a rig takes a correction, and what it cannot take."""

    rail: str = Field(description="The port whose rail leads to the input")
    name: str = Field(description="'Reverb into Mix'")
    actions: list[SetStrip]
    words: list[str] = Field(description="What is set, from what to what")
    rest: list[str] = Field(description="What cannot be set there, and why")


def inputs_to_correct(rig: Rig) -> list[tuple[str, str]]:
    """Ports whose rail has a strip, and what they are called; those into outputs first."""
    found = []
    for port, rail in rig.rails.items():
        target = rig.nodes[rail.target]
        if target.many_inputs:
            source = rig.nodes[port.rpartition(".")[0]]
            twins = [p for p in rig.inputs[rail.target] if p.startswith(f"{source.id}.")]
            which = f" {int(port.rpartition('.')[2]) + 1}" if len(twins) > 1 else ""
            last = not rig.leaving[target.id]
            found.append((not last, port, f"{source.shown}{which} into {target.shown}"))
    names = Counter(name for _, _, name in found)
    return [
        (port, f"{_before(rig, port)}{name}" if names[name] > 1 else name)
        for _, port, name in sorted(found, key=lambda item: item[0])
    ]


def _before(rig: Rig, port: str) -> str:
    """'Reverb, ': the nearest device before a rail, where its own start has a name like others."""
    for name in rig.upstream(port.rpartition(".")[0]):
        if rig.nodes[name].is_stage and kind_of(rig.nodes[name]) not in _PLAIN:
            return f"{rig.nodes[name].shown}, "
    return f"{port}, "


def correction(rig: Rig, port: str, wanted: Wanted) -> Correction:
    """What to set on an input, and on those beside it, for its sound to be as wanted.

    A sound cannot be made earlier than it is: its own delay is shortened first, then all that meets
    it there waits instead. Raises RigError where the port leads into no strip.
    """
    names = dict(inputs_to_correct(rig))
    if port not in names:
        raise RigError("That input has no level and no delay of its own.", part=port)
    strip = rig.rails[port].strip
    values: dict[str, object] = {}
    words: list[str] = []
    rest: list[str] = []
    level = strip.level_db + wanted.level_db
    if abs(wanted.level_db) >= _LEAST_DB:
        held = min(max(level, _LOW_DB), _HIGH_DB)
        if held != level:
            rest.append(f"Its level ends at {fmt.signed(held, 0)} dB.")
        values["level_db"] = round(held, 4)
        words.append(f"level {fmt.signed(strip.level_db, 2)} to {fmt.signed(held, 2)} dB")
    beside: list[SetStrip] = []
    if abs(wanted.later_ms) >= _LEAST_MS:
        own = strip.delay_ms + wanted.later_ms
        held = min(max(own, 0.0), _LONGEST_MS)
        if abs(held - strip.delay_ms) >= _LEAST_MS:
            values["delay_ms"] = round(held, 5)
            words.append(f"delay {_ms(strip.delay_ms)} to {_ms(held)}")
        if own > _LONGEST_MS:
            rest.append(f"It cannot wait longer than {_ms(_LONGEST_MS)}.")
        if own <= -_LEAST_MS:
            others, said = _wait(rig, port, -own)
            beside, words = others, words + said
            if not others:
                rest.append(
                    f"It would have to come {_ms(-own)} earlier, and nothing else meets it there that "
                    "could wait: delay what it is compared with."
                )  # fmt: skip
    if wanted.turned:
        values["inverted"] = not strip.inverted
        words.append("polarity back to upright" if strip.inverted else "polarity turned over")
    own_action = [SetStrip(rail=port, values=values)] if values else []
    return Correction(
        rail=port, name=names[port], actions=[*own_action, *beside], words=words, rest=rest
    )


def _wait(rig: Rig, port: str, by_ms: float) -> tuple[list[SetStrip], list[str]]:
    """All other inputs of the same place wait; nothing where one of them could not."""
    target = rig.rails[port].target
    others = [p for p in rig.inputs[target] if p != port]
    delays = {p: rig.rails[p].strip.delay_ms + by_ms for p in others}
    if not others or max(delays.values()) > _LONGEST_MS:
        return [], []
    names = dict(inputs_to_correct(rig))
    actions = [SetStrip(rail=p, values={"delay_ms": round(d, 5)}) for p, d in delays.items()]
    said = [
        f"{names[p]} waits: {_ms(rig.rails[p].strip.delay_ms)} to {_ms(d)}"
        for p, d in delays.items()
    ]
    return actions, said
