"""The other way to connect what a rig holds: two devices side by side, an insert as a send."""

from collections.abc import Iterator
from typing import Literal

from pydantic import Field

from core.edge import Edge
from core.routing.document import kinds as k
from core.routing.document.kinds import kind_of
from core.routing.document.rig import Rig, RigError
from core.routing.edit.actions import Parallel, Remove
from core.routing.edit.convert import Conversion, convert
from core.routing.edit.perform import perform
from core.routing.evaluate.arrivals import Evaluation

_PLAIN = {"send", "return", "level", "fader", "volume", "tuner", "outboard"}
_KEPT = ("id", "kind")
MOST = 24


class Order(Edge):
    """A question that two rigs answer: the one that is there, and the other one."""

    id: str = Field(max_length=120, description="'series:delay1:reverb1', 'send:reverb1'")
    question: Literal["series", "send"]
    title: str
    devices: list[str] = Field(description="What they are called, one or two")
    here: str = Field(description="What the rig that is there does")
    other: str = Field(description="What the other one does")
    expects: str = Field(description="What arithmetic says of it before anything is heard")
    locks: list[str] = Field(description="What moves, and has to stand still for a null of devices")
    output: str = Field(description="Where both are heard")


def orders_of(e: Evaluation) -> list[Order]:
    """Every pair of devices that follow one another, and every insert with a mix of its own."""
    found: list[Order] = []
    for first, second in _pairs(e.rig):
        order = _series(e, first, second)
        if order is not None:
            found.append(order)
    for node in e.rig.nodes.values():
        if isinstance(node, k.Mixed) and 0 < node.mix_percent < 100 and not node.bypassed:
            order = _send(e, node)
            if order is not None:
                found.append(order)
    return found[:MOST]


def the_other(e: Evaluation, id: str) -> Rig:
    """The rig connected the other way. Raises RigError where it cannot be."""
    question, *names = id.split(":")
    if any(name not in e.rig.nodes for name in names):
        raise RigError("What was to be connected the other way is not there any more.")
    if question == "series" and len(names) == 2:
        return _side_by_side(e.rig, names[0], names[1])
    if question == "send" and len(names) == 1:
        found = _as_send(e, names[0])
        if found.rig is None:
            raise RigError(found.sentence, part=names[0])
        return found.rig
    raise RigError("There is no such question.")


def _pairs(rig: Rig) -> Iterator[tuple[k.Stage, k.Stage]]:
    for port, rail in rig.rails.items():
        first, second = rig.nodes[port.rpartition(".")[0]], rig.nodes[rail.target]
        if isinstance(first, k.Stage) and isinstance(second, k.Stage) and all(
            kind_of(n) not in _PLAIN and not getattr(n, "bypassed", False)
            and len(rig.inputs[n.id]) == 1 and len(rig.leaving[n.id]) == 1
            for n in (first, second)
        ):  # fmt: skip
            yield first, second


def _side_by_side(rig: Rig, first: str, second: str) -> Rig:
    """The second taken out, and put beside the first on a rail of its own."""
    node = rig.node(second)
    start = rig.inputs[first][0]
    values = {f: v for f, v in node.model_dump(exclude_defaults=True).items() if f not in _KEPT}
    without = perform(rig, Remove(nodes=(second,))).rig
    return perform(
        without, Parallel(start=start, end=f"{first}.0", kind=kind_of(node), values=values)
    ).rig


def _output(rig: Rig, node: str) -> str | None:
    return next((n for n in rig.downstream(node) if kind_of(rig.nodes[n]) == "output"), None)


def _locks(rig: Rig, names: list[str]) -> list[str]:
    """Stages before, at or between those that move by themselves."""
    near = {n for name in names for n in (name, *rig.upstream(name))}
    return [
        f"{rig.nodes[n].shown} moves by itself: switch its movement off, or lock it to a clock, before "
        "two runs of real devices are compared."
        for n in rig.nodes
        if n in near and getattr(rig.nodes[n], "moving", False)
    ]  # fmt: skip


def _dry_share(node: k.Stage) -> bool:
    """Whether the direct sound comes out of it, worked on or not."""
    return not node.wet_by_nature or (isinstance(node, k.Mixed) and node.mix_percent < 100)


def _series(e: Evaluation, first: k.Stage, second: k.Stage) -> Order | None:
    output = _output(e.rig, second.id)
    if output is None:
        return None
    try:
        _side_by_side(e.rig, first.id, second.id)
    except RigError:
        return None
    if _dry_share(first) and _dry_share(second):
        expects = "Both pass the dry sound: side by side it comes twice, up to 6 dB louder, and what the first makes does not reach the second."
    else:
        expects = f"Side by side {second.shown} hears the dry sound alone, and nothing of what {first.shown} makes."
    if not (first.linear and second.linear):
        expects += " One of them treats loud and quiet differently: their order changes its work."
    return Order(
        id=f"series:{first.id}:{second.id}", question="series",
        title=f"{first.shown} into {second.shown}, or side by side",
        devices=[first.shown, second.shown],
        here=f"{first.shown} into {second.shown}", other=f"{first.shown} beside {second.shown}",
        expects=expects, locks=_locks(e.rig, [first.id, second.id]), output=output,
    )  # fmt: skip


def _as_send(e: Evaluation, id: str) -> Conversion:
    """On a send whose return goes to the output; where more stages follow, beside the dry rail."""
    found = convert(e, id, "return")
    return found if found.rig is not None else convert(e, id, "parallel")


def _send(e: Evaluation, node: k.Mixed) -> Order | None:
    output = _output(e.rig, node.id)
    try:
        found = _as_send(e, node.id)
    except RigError:
        return None
    if output is None or found.rig is None:
        return None
    if found.exact:
        expects = "As a send with these levels it is the same sound, sample for sample: it has to null down to rounding."
    else:
        expects = found.sentence
    return Order(
        id=f"send:{node.id}", question="send", title=f"{node.shown} as an insert, or as a send",
        devices=[node.shown],
        here=f"{node.shown} inserted, {node.mix_percent:g} % wet",
        other=f"{node.shown} fully wet, beside the dry sound",
        expects=expects, locks=_locks(e.rig, [node.id]), output=output,
    )  # fmt: skip
