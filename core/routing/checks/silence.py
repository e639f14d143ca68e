"""Checks of what is not heard: muted, loose, without a device."""

from collections.abc import Iterator

from core.routing.checks.base import Found, before, rule, sounding
from core.routing.document import kinds as k
from core.routing.edit.actions import Connect, Insert, Set, SetStrip
from core.routing.evaluate.arrivals import Evaluation
from core.units.decibel import SILENT_DB


@rule(
    "silent-path", "no silent path", "note",
    "A path that passes nothing is easily taken for a broken one. The stage that silences it is "
    "named here.",
)  # fmt: skip
def silent_path(e: Evaluation) -> Iterator[Found]:
    for node in e.rig.nodes.values():
        if k.field_of(node, "muted", False):
            yield Found(
                node.id,
                f"{node.shown} is muted: nothing passes.",
                None,
                "dB",
                ("Unmute", Set(node=node.id, values={"muted": False})),
            )
        elif k.field_of(node, "level_db", 0) <= SILENT_DB and not isinstance(node, k.Source):
            yield Found(
                node.id,
                f"{node.shown} stands at minus infinity.",
                None,
                "dB",
                ("Set to 0 dB", Set(node=node.id, values={"level_db": 0})),
            )
        elif isinstance(node, k.VolumePedal) and node.position_percent == 0 and not node.bypassed:
            yield Found(
                node.id,
                f"{node.shown} is at the heel: nothing passes.",
                0,
                "%",
                ("Set to the toe", Set(node=node.id, values={"position_percent": 100})),
            )
    for port, rail in e.rig.rails.items():
        if rail.strip.muted:
            shown = e.rig.nodes[port.rpartition(".")[0]].shown
            yield Found(
                port,
                f"The input from {shown} is muted.",
                None,
                "dB",
                ("Unmute", SetStrip(rail=port, values={"muted": False})),
            )


@rule(
    "solo-on", "no solo left on", "note",
    "A solo silences every other input of its merge, except returns that are solo-safe.",
)  # fmt: skip
def solo_on(e: Evaluation) -> Iterator[Found]:
    for port, rail in e.rig.rails.items():
        if rail.strip.solo:
            shown = e.rig.nodes[port.rpartition(".")[0]].shown
            yield Found(
                port,
                f"{shown} is soloed: other inputs are silent.",
                None,
                "",
                ("Solo off", SetStrip(rail=port, values={"solo": False})),
            )


@rule(
    "dangling", "every rail leads somewhere", "caution",
    "What goes nowhere is not heard, and its device still costs power and noise.",
)  # fmt: skip
def dangling(e: Evaluation) -> Iterator[Found]:
    reaching = {n for o in e.rig.of_kind("output") for n in [o.id, *before(e.rig, o.id)]}
    for node in e.rig.nodes.values():
        if (
            node.id not in reaching
            and not e.rig.outputs_of(node.id)
            and not isinstance(node, k.Output)
        ):
            target = next((o.id for o in e.rig.of_kind("output")), None)
            fix = (
                (f"Lead it to {e.rig.nodes[target].shown}", Connect(port=f"{node.id}.0", to=target))
                if target
                else None
            )
            yield Found(node.id, f"{node.shown} goes nowhere.", None, "", fix)


@rule(
    "nothing-in", "every stage is fed", "note",
    "A stage without anything before it has nothing to work on.",
)  # fmt: skip
def nothing_in(e: Evaluation) -> Iterator[Found]:
    for node in e.rig.nodes.values():
        if not e.rig.inputs[node.id] and not isinstance(node, k.Source):
            yield Found(node.id, f"Nothing goes into {node.shown}.")


@rule(
    "wet-missing", "returns have a device", "caution",
    "A send whose return carries no effect is the dry signal once more, only louder.",
)  # fmt: skip
def wet_missing(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Return):
        chain = before(e.rig, node.id)
        if not any(isinstance(e.rig.nodes[n], k.Send) for n in chain):
            continue
        between = _since_send(e, node.id)
        if not any(
            isinstance(node := e.rig.nodes[n], k.Stage) and (node.processes or node.wet_by_nature)
            for n in between
        ):
            came = e.rig.inputs[node.id]
            fix = (
                (
                    "Put a reverb on it",
                    Insert(at=came[0], kind="reverb", values={"locked": True, "low_cut_hz": 150}),
                )
                if came
                else None
            )
            yield Found(
                node.id, f"{node.shown} has no device: it is the dry sound again.", None, "", fix
            )


def _since_send(e: Evaluation, id: str) -> list[str]:
    found: list[str] = []
    todo = [id]
    while todo:
        node = todo.pop()
        for port in e.rig.inputs[node]:
            source = port.rpartition(".")[0]
            if not isinstance(e.rig.nodes[source], k.Send) and source not in found:
                found.append(source)
                todo.append(source)
    return found


@rule(
    "unfed", "what keys and what feeds a bus is heard", "caution",
    "A source without a clip is silent when the rig is heard. What it keys does nothing then, and a "
    "bus, send or return that it alone feeds stays empty, as if the rig were another one. Give it a "
    "clip under Listen, or say there that it is silent on purpose.",
)  # fmt: skip
def unfed(e: Evaluation) -> Iterator[Found]:
    missing = e.context.unfed
    if not missing:
        return
    shown = {name: e.rig.nodes[name].shown for name in missing if name in e.rig.nodes}

    def only_missing(point: int) -> list[str]:
        """Names of what reaches a point, where all of it has no clip."""
        carried = e.plan.carried.get(point)
        by_source = {} if carried is None else carried.by_source
        heard = [name for name, power in by_source.items() if max(power[:2]) > 0]
        return [shown[n] for n in heard] if heard and all(n in shown for n in heard) else []

    for keyed, tap in e.plan.keys.items():
        names = only_missing(tap)
        if names and keyed in e.rig.nodes:
            yield Found(
                keyed,
                f"{e.rig.nodes[keyed].shown} is keyed by {' and '.join(names)}, which has no clip: "
                "nothing keys it when the rig is heard.",
            )
    for node in e.rig.nodes.values():
        if isinstance(node, (k.Bus, k.Send, k.Return)) and node.id in e.plan.inlet:
            names = only_missing(e.plan.inlet[node.id])
            if names:
                yield Found(
                    node.id,
                    f"Into {node.shown} plays only {' and '.join(names)}, which has no clip: it stays "
                    "silent when the rig is heard.",
                )
