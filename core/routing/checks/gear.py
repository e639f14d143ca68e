"""Checks of hardware: level kinds, loads, supply, pots, processors used twice, safety."""

import math
from collections.abc import Iterator

from core.routing.checks.base import Found, rule, sounding
from core.routing.document import kinds as k
from core.routing.document.footprints import lay_out
from core.routing.edit.actions import Insert, Set
from core.routing.evaluate.arrivals import Evaluation
from core.units import format as fmt

_BOXES = {
    ("line", "speaker"): ("power_amp", "a power amplifier"),
    ("air", "line"): ("microphone", "a microphone and its preamp"),
    ("air", "mic"): ("microphone", "a microphone"),
    ("air", "instrument"): ("microphone", "a microphone"),
    ("speaker", "air"): ("cabinet", "a loudspeaker"),
    ("instrument", "mic"): ("di", "a DI box"),
    ("line", "instrument"): ("reamp", "a reamp box"),
    ("instrument", "line"): ("preamp", "a preamp"),
    ("mic", "line"): ("preamp", "a microphone preamp"),
    ("speaker", "line"): ("load_box", "a load box with line output"),
    ("speaker", "mic"): ("load_box", "a load box with line output"),
    ("speaker", "instrument"): ("load_box", "a load box with line output"),
}


_CANNOT_BE = {"air", "speaker"}
"""Kinds that nothing else can be taken for: sound in a room, and what drives a loudspeaker."""
_SAID = {"air": "sound in a room", "mic": "microphone level"}


def _said(kind: str) -> str:
    return _SAID.get(kind, f"{kind} level")


def carried_kinds(e: Evaluation) -> dict[str, str]:
    """Level kind that each node gives: its own, or what it passes on."""
    found: dict[str, str] = {}
    for id in e.plan.order:
        node = e.rig.nodes[id]
        came = [found.get(p.rpartition(".")[0], "line") for p in e.rig.inputs[id]]
        own = k.field_of(node, "gives", None)
        if isinstance(node, k.Stage):
            own = own or node.gives_by_kind
        found[id] = own or (came[0] if came else "line")
    return found


@rule(
    "level-kind", "levels fit what they meet", "caution",
    "Instrument, line, microphone and speaker level differ in voltage and impedance and are not "
    "exchangeable. Between them stands a box: DI, reamp, preamp, or a load box. Sound in a room comes "
    "from a loudspeaker and goes on through a microphone; a speaker output drives a loudspeaker or a "
    "load, and nothing else drives one.",
)  # fmt: skip
def level_kind(e: Evaluation) -> Iterator[Found]:
    gives = carried_kinds(e)
    for port, rail in e.rig.rails.items():
        source, target = port.rpartition(".")[0], e.rig.nodes[rail.target]
        wanted = k.field_of(target, "takes", None)
        if isinstance(target, k.Stage):
            wanted = wanted or target.takes_by_kind
        here = gives[source]
        if wanted is None or wanted == here:
            continue
        if here == "mic" and isinstance(target, k.Preamp):
            continue
        box = _BOXES.get((here, wanted))
        severity = "alarm" if _CANNOT_BE & {here, wanted} else None
        cause = _met_before(e, source, here, gives)
        fix = (f"Put {box[1]} between", Insert(at=port, kind=box[0])) if box else None
        yield Found(
            port,
            f"{e.rig.nodes[source].shown} gives {_said(here)} and {target.shown} takes {_said(wanted)}"
            + (f": it needs {box[1]}." if box else ": that cannot be."),
            None, "", fix, severity, cause,  # type: ignore[arg-type]
        )  # fmt: skip


def _met_before(e: Evaluation, id: str, here: str, gives: dict[str, str]) -> tuple[str, str] | None:
    """The finding where this level was first passed on by a part that does not take it."""
    found = None
    while True:
        node, came = e.rig.nodes[id], e.rig.inputs[id]
        own = k.field_of(node, "gives", None) or getattr(node, "gives_by_kind", None)
        if own or not came or gives[came[0].rpartition(".")[0]] != here:
            return found
        wanted = k.field_of(node, "takes", None) or getattr(node, "takes_by_kind", None)
        if wanted is not None and wanted != here:
            found = ("level-kind", came[0])
        id = came[0].rpartition(".")[0]


@rule(
    "no-load", "amplifiers have their load", "alarm",
    "A valve amplifier without its load can destroy itself within seconds, and a speaker output is "
    "not a line output. Inside are lethal voltages even when unplugged: qualified technicians only.",
)  # fmt: skip
def no_load(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.PowerAmp):
        onward = [e.rig.nodes[e.rig.rails[p].target] for p in e.rig.outputs_of(node.id)]
        if not any(getattr(n, "carries_load", False) for n in onward):
            outs = e.rig.outputs_of(node.id)
            fix = (
                "Put a cabinet on it",
                Insert(at=outs[0] if outs else f"{node.id}.0", kind="cabinet"),
            )
            word = "a valve amplifier" if node.valve else "an amplifier"
            yield Found(
                node.id,
                f"{node.shown} is {word} without a load.",
                None,
                "",
                fix,
                "alarm" if node.valve else "caution",
            )


@rule(
    "mains", "mains safety", "note",
    "Never lift a safety earth to cure hum: use an isolating transformer. Switch off and mute "
    "before repatching; phantom power can harm what does not expect it. Local electrical codes and "
    "licensed practice come first.",
)  # fmt: skip
def mains(e: Evaluation) -> Iterator[Found]:
    amps = list(sounding(e.rig, k.PowerAmp))
    if len(amps) > 1:
        yield Found(
            amps[0].id,
            f"{len(amps)} amplifiers share one signal: hum is cured with an isolating transformer, never at the safety earth.",
            len(amps),
            "amplifiers",
        )


@rule(
    "hearing", "hearing", "note",
    "Closing a loop, or muting one side of a cancelling pair, can be far louder than what was heard "
    "before. Turn monitors down first. Long loud work harms hearing: take breaks, follow local "
    "noise-exposure rules.",
)  # fmt: skip
def hearing(e: Evaluation) -> Iterator[Found]:
    for loop in e.loops:
        if loop.gain_db is None or loop.gain_db > -12:
            yield Found(
                loop.port, "Turn monitors down before this loop is closed.", loop.gain_db, "dB"
            )
            return


@rule(
    "supply", "the supply is large enough", "caution",
    "Currents add up; a supply wants 20 % in reserve. Beyond its rating it hums, or fails on stage.",
)  # fmt: skip
def supply(e: Evaluation) -> Iterator[Found]:
    board = e.rig.board
    total = sum(n.current_ma or 0 for n in e.rig.nodes.values() if isinstance(n, k.Stage))
    if board.supply_ma and total > 0.8 * board.supply_ma:
        share = 100 * total / board.supply_ma
        yield Found(
            "",
            f"The pedals draw {total:g} mA of {board.supply_ma:g} mA: {fmt.number(share, 0)} %, less than 20 % in reserve.",
            share,
            "%",
            severity="alarm" if share > 100 else None,
        )


@rule(
    "supply-voltage", "supply voltages match", "alarm",
    "Voltage and polarity must match the label on the device.",
)  # fmt: skip
def supply_voltage(e: Evaluation) -> Iterator[Found]:
    for node in e.rig.nodes.values():
        if (
            isinstance(node, k.Stage)
            and node.supply_v is not None
            and e.rig.board.supply_ma
            and node.supply_v != e.rig.board.supply_v
        ):
            yield Found(
                node.id,
                f"{node.shown} wants {node.supply_v:g} V; the supply gives {e.rig.board.supply_v:g} V.",
                node.supply_v,
                "V",
            )


@rule(
    "pot-loading", "the pot suits what drives it", "note",
    "A 250 kΩ pot is made for directly behind a passive instrument, a 25 kΩ pot for behind a "
    "buffer. The other way round works: the low one dulls passive pickups, the high one is noisier.",
)  # fmt: skip
def pot_loading(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.VolumePedal):
        passive = _behind_passive(e, node.id)
        if passive is not None and node.pot_kohm < 100:
            corner, better = (
                loaded_corner_hz(passive.pickup_h, passive.pickup_kohm, pot, passive.cable_pf)
                for pot in (node.pot_kohm, 250)
            )
            yield Found(
                node.id,
                f"{node.shown} ({node.pot_kohm:g} kΩ) loads the passive pickups: with {passive.pickup_h:g} H "
                f"and {passive.cable_pf:g} pF of cable they fall by 3 dB at {corner / 1e3:.1f} kHz; behind "
                f"250 kΩ at {better / 1e3:.1f} kHz.",
                corner, "Hz",
                ("Take a 250 kΩ pot", Set(node=node.id, values={"pot_kohm": 250})),
            )  # fmt: skip
        elif passive is None and node.pot_kohm >= 100:
            yield Found(
                node.id,
                f"{node.shown} ({node.pot_kohm:g} kΩ) stands behind a buffer: 25 kΩ is quieter there.",
                node.pot_kohm,
                "kΩ",
                ("Take a 25 kΩ pot", Set(node=node.id, values={"pot_kohm": 25})),
            )


def loaded_corner_hz(
    pickup_h: float, pickup_kohm: float, load_kohm: float, cable_pf: float
) -> float:
    """Where a passive pickup behind a cable and a load has fallen by 3 dB (Hz).

    Inductance and winding in series, load and cable across: `H = 1 / (1 + (Rw + s L)(1/R + s C))`. With
    `a = 1 + Rw / R`, `b = L / R + Rw C`, `c = L C` it has half its power where
    `c^2 w^4 + (b^2 - 2 a c) w^2 = a^2`.

    >>> round(loaded_corner_hz(3, 8, 25, 700))
    2009
    """
    winding, load, cable = pickup_kohm * 1e3, load_kohm * 1e3, cable_pf * 1e-12
    a, b, c = 1 + winding / load, pickup_h / load + winding * cable, pickup_h * cable
    if c == 0:
        return a / b / (2 * math.pi)
    half = b * b - 2 * a * c
    square = (math.sqrt(half * half + 4 * (a * c) ** 2) - half) / (2 * c * c)
    return math.sqrt(square) / (2 * math.pi)


def _behind_passive(e: Evaluation, id: str) -> k.Source | None:
    """The passive source straight before a part, if there is one."""
    while e.rig.inputs[id]:
        id = e.rig.inputs[id][0].rpartition(".")[0]
        node = e.rig.nodes[id]
        if isinstance(node, k.Source):
            return node if node.passive else None
        if isinstance(node, k.Stage) and not node.bypassed:
            return None
    return None


@rule(
    "unit-twice", "each processor once", "caution",
    "One physical processor cannot stand in two places at once.",
)  # fmt: skip
def unit_twice(e: Evaluation) -> Iterator[Found]:
    held: dict[str, k.Node] = {}
    for id in sorted(e.rig.nodes):
        node = e.rig.nodes[id]
        unit = k.field_of(node, "unit", None)
        if unit and unit in held:
            yield Found(
                id,
                f"“{unit}” is used by {held[unit].shown} and by {node.shown}.",
                2,
                "places",
                ("It is another one", Set(node=id, values={"unit": None})),
            )
        elif unit:
            held[unit] = node


@rule(
    "stands-by", "every siding is called at", "note",
    "What stands at a siding that the line passes by is set, and not heard.",
)  # fmt: skip
def stands_by(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Frame):
        idle = [s for s in node.sidings if s.place not in node.calls]
        # Lines that were kept for comparing leave something out on purpose.
        if idle and not node.lines:
            names = ", ".join(s.stage.shown for s in idle)
            yield Found(
                node.id,
                f"{node.shown}: the line passes {names} by.",
                len(idle),
                "sidings",
                (
                    "Call there last",
                    Set(node=node.id, values={"calls": [*node.calls, *(s.place for s in idle)]}),
                ),
            )


@rule(
    "board-size", "everything fits on the board", "caution",
    "Footprints are laid out in rows on the board with 10 mm between them; plugs need room too.",
)  # fmt: skip
def board_size(e: Evaluation) -> Iterator[Found]:
    laid = lay_out(e.rig)
    if laid is not None and laid.left_over:
        names = ", ".join(e.rig.nodes[n].shown for n in laid.left_over)
        yield Found(
            laid.left_over[0], f"The board has no room for {names}.", len(laid.left_over), "pedals"
        )
