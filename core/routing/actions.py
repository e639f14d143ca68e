"""What a person does to a rig: typed actions, each carried out on a draft.

An action is turned into an edit (`core.routing.edits`) by comparing the document before and after,
so each one can be undone exactly, whatever it did.
"""

from typing import Annotated, Any, Literal

from pydantic import Field

from core.edge import Edge
from core.routing.document import PORT, Board, Intended, Key, Rig, RigError, Scene, Strip
from core.routing.draft import Draft
from core.routing.kinds import ID, KINDS, Frame, Slot, kind_of
from core.routing.notation import parse_rig

Values = dict[str, Any]
NodeId = Annotated[str, Field(pattern=ID)]
Port = Annotated[str, Field(pattern=PORT)]


class Fragment(Edge):
    """Parts taken out of a rig: nodes and the rails between them."""

    nodes: dict[str, dict[str, Any]] = Field(max_length=200)
    rails: dict[str, dict[str, Any]] = Field(default_factory=dict)


class Start(Edge):
    do: Literal["start"] = "start"
    kind: Literal["source", "output"]
    values: Values = Field(default_factory=dict)
    id: NodeId | None = None
    into: NodeId | None = Field(None, description="Where a new source goes")


class Insert(Edge):
    """A stage on a rail, or at the end of a loose one."""

    do: Literal["insert"] = "insert"
    at: Port
    kind: str
    values: Values = Field(default_factory=dict)
    id: NodeId | None = None


class Connect(Edge):
    do: Literal["connect"] = "connect"
    port: Port
    to: NodeId
    strip: Strip = Strip()


class Disconnect(Edge):
    """Take a rail away; with `feed`, also what then leads nowhere, back to where it parted."""

    do: Literal["disconnect"] = "disconnect"
    port: Port
    feed: bool = False


class Remove(Edge):
    do: Literal["remove"] = "remove"
    nodes: tuple[NodeId, ...] = Field(min_length=1, max_length=100)


class Move(Edge):
    """Along the rail by so many stages, or onto another rail."""

    do: Literal["move"] = "move"
    node: NodeId
    by: int = Field(0, ge=-100, le=100)
    to: Port | None = None


class Set(Edge):
    do: Literal["set"] = "set"
    node: NodeId
    values: Values


class SetStrip(Edge):
    do: Literal["set_strip"] = "set_strip"
    rail: Port
    values: Values


class Bypass(Edge):
    do: Literal["bypass"] = "bypass"
    node: NodeId


class Parallel(Edge):
    """Split here: a second rail beside the stretch from `start` to `end`, joined again."""

    do: Literal["parallel"] = "parallel"
    start: Port
    end: Port | None = None
    mode: Literal["full", "balance", "crossover", "band", "mid-side"] = "full"
    kind: str | None = None
    values: Values = Field(default_factory=dict)


class AddSend(Edge):
    """A send with its device and return, or to a bus that is there."""

    do: Literal["send"] = "send"
    at: Port
    to: NodeId | None = None
    kind: str | None = "reverb"
    values: Values = Field(default_factory=dict)
    into: NodeId | None = None
    level_db: float = Field(0, ge=-120, le=60)


class Replace(Edge):
    do: Literal["replace"] = "replace"
    node: NodeId
    kind: str


class Duplicate(Edge):
    do: Literal["duplicate"] = "duplicate"
    node: NodeId


class Paste(Edge):
    """Copied parts: a chain goes onto the rail `at`; anything else stands beside, unconnected."""

    do: Literal["paste"] = "paste"
    fragment: Fragment
    at: Port | None = None


class SetKey(Edge):
    do: Literal["key"] = "key"
    keyed: NodeId
    tap: NodeId | None = None
    at: Literal["in", "out"] = "out"


class Arrange(Edge):
    """Frame: the letters in their order, and what stands in a slot."""

    do: Literal["arrange"] = "arrange"
    frame: NodeId
    order: str | None = Field(None, pattern=r"^[A-Za-z]{0,16}$")
    slot: str | None = Field(None, pattern=r"^[A-Z]$")
    kind: str | None = None
    values: Values = Field(default_factory=dict)
    half: Literal["whole", "first", "second"] | None = None


class SetRig(Edge):
    do: Literal["rig"] = "rig"
    title: str | None = Field(None, min_length=1, max_length=80)
    scenes: tuple[Scene, ...] | None = None
    board: Board | None = None


class Intend(Edge):
    """Mark a check as meant, or take the mark away."""

    do: Literal["intend"] = "intend"
    check: str = Field(max_length=60)
    at: str = Field("", max_length=60)
    reason: str = Field("", max_length=200)
    on: bool = True


class Notate(Edge):
    """The whole rig anew from its notation."""

    do: Literal["notate"] = "notate"
    text: str = Field(max_length=2_000_000)


class Several(Edge):
    """More than one action as one step."""

    do: Literal["several"] = "several"
    actions: tuple["Action", ...] = Field(max_length=100)


Action = Annotated[
    Start
    | Insert
    | Connect
    | Disconnect
    | Remove
    | Move
    | Set
    | SetStrip
    | Bypass
    | Parallel
    | AddSend
    | Replace
    | Duplicate
    | Paste
    | SetKey
    | Arrange
    | SetRig
    | Intend
    | Notate
    | Several,
    Field(discriminator="do"),
]
Several.model_rebuild()


class Done(Edge):
    """A changed rig, what to select now, and what was done in words."""

    rig: Rig
    select: str
    said: str


def perform(rig: Rig, action: Action) -> Done:
    """Carry out an action. Raises RigError, with the rig untouched, where it cannot be done."""
    if isinstance(action, Notate):
        return Done(rig=parse_rig(action.text, rig), select="", said="Notation read")
    if isinstance(action, Several):
        select, said = "", "Nothing"
        for one in action.actions:
            done = perform(rig, one)
            rig, select, said = done.rig, done.select or select, done.said
        return Done(rig=rig, select=select, said=said)
    draft = Draft(rig)
    select, said = _DO[type(action)](draft, action)
    return Done(rig=draft.done(), select=select, said=said)


def _start(draft: Draft, action: Start) -> tuple[str, str]:
    id = draft.add(action.kind, action.values, action.id)
    if action.into is not None:
        if action.kind == "output":
            raise RigError("An output goes nowhere.")
        draft.connect(f"{id}.0", action.into)
    return id, f"{draft.nodes[id].shown} added"


def _insert(draft: Draft, action: Insert) -> tuple[str, str]:
    if action.kind == "source":
        raise RigError("A source stands at the start of a rail, not on it.")
    source = action.at.rpartition(".")[0]
    if action.kind == "output":
        if action.at in draft.rails:
            raise RigError("An output ends a rail; this rail goes on.")
    elif kind_of(draft.node(source)) == "output":
        raise RigError("Nothing comes after an output.")
    id = draft.add(action.kind, action.values, action.id)
    if action.kind == "output":
        draft.connect(action.at, id)
    else:
        draft.place(id, action.at)
    return id, f"{draft.nodes[id].shown} inserted"


def _connect(draft: Draft, action: Connect) -> tuple[str, str]:
    draft.connect(action.port, action.to, action.strip)
    return action.to, f"Rail goes to {draft.nodes[action.to].shown}"


def _disconnect(draft: Draft, action: Disconnect) -> tuple[str, str]:
    draft.rail(action.port)
    del draft.rails[action.port]
    if action.feed:
        draft.drop_feed(action.port.rpartition(".")[0])
        draft.tidy()
        return "", "Way taken out"
    return action.port.rpartition(".")[0], "Rail taken away"


def _remove(draft: Draft, action: Remove) -> tuple[str, str]:
    first = draft.node(action.nodes[0])
    came = draft.into(first.id)
    shown = first.shown if len(action.nodes) == 1 else f"{len(action.nodes)} parts"
    for id in action.nodes:
        if id in draft.nodes:
            draft.remove(id)
    before = came[0].rpartition(".")[0] if came else ""
    return (before if before in draft.nodes else ""), f"{shown} deleted"


def _move(draft: Draft, action: Move) -> tuple[str, str]:
    node = draft.node(action.node)
    if len(draft.into(node.id)) > 1 or kind_of(node) in ("source", "output", "split"):
        raise RigError(f"{node.shown} stays where rails meet; move a stage instead.", part=node.id)
    target = action.to or _along(draft, node.id, action.by)
    if target is None:
        raise RigError(f"{node.shown} is at the end of its rail.", part=node.id)
    if target == f"{node.id}.0":
        raise RigError(f"{node.shown} is there already.", part=node.id)
    came = draft.into(node.id)
    if target in came:
        return node.id, f"{node.shown} stays"
    draft.take_out(node.id)
    draft.place(node.id, target)
    return node.id, f"{node.shown} moved"


def _along(draft: Draft, id: str, by: int) -> str | None:
    """The rail that lies `by` stages further on (or back) from a node."""
    came = draft.into(id)
    port: str | None = came[0] if came else None
    for _ in range(abs(by)):
        if port is None:
            return None
        if by > 0:
            start = f"{id}.0" if port in came else port
            rail = draft.rails.get(start)
            if (
                rail is None
                or draft.nodes[rail.target].many_inputs
                or kind_of(draft.nodes[rail.target]) == "split"
            ):
                return None
            port = f"{rail.target}.0"
        else:
            source = port.rpartition(".")[0]
            if (
                kind_of(draft.nodes[source]) in ("source", "split")
                or draft.nodes[source].many_inputs
            ):
                return None
            back = draft.into(source)
            port = back[0] if back else None
    return port


def _set(draft: Draft, action: Set) -> tuple[str, str]:
    draft.set(action.node, action.values)
    return action.node, f"{draft.nodes[action.node].shown} set"


def _set_strip(draft: Draft, action: SetStrip) -> tuple[str, str]:
    draft.set_strip(action.rail, action.values)
    return "", "Input set"


def _bypass(draft: Draft, action: Bypass) -> tuple[str, str]:
    node = draft.node(action.node)
    field = "bypassed" if "bypassed" in type(node).model_fields else "muted"
    if field not in type(node).model_fields:
        raise RigError(f"{node.shown} cannot be bypassed.", part=node.id)
    now = not getattr(node, field)
    draft.set(node.id, {field: now})
    return node.id, f"{node.shown} {field if now else 'on again'}"


def _parallel(draft: Draft, action: Parallel) -> tuple[str, str]:
    id = draft.parallel(action.start, action.end, action.mode, action.kind, action.values)
    return draft.rails[f"{id}.1"].target if action.kind else id, "Rail split"


def _send(draft: Draft, action: AddSend) -> tuple[str, str]:
    id = draft.send(action.at, action.to, action.kind, action.values, action.into, action.level_db)
    return id, "Send added" if action.to else "Send and return added"


def _replace(draft: Draft, action: Replace) -> tuple[str, str]:
    node = draft.node(action.node)
    if action.kind not in KINDS or not KINDS[action.kind].is_stage or not node.is_stage:
        raise RigError("A stage can be replaced by a stage.", part=action.kind)
    shared = {
        f: v
        for f, v in node.model_dump(exclude_defaults=True).items()
        if f in KINDS[action.kind].model_fields and f not in ("id", "kind", "name")
    }
    del draft.nodes[node.id]
    draft.add(action.kind, shared, node.id)
    return node.id, f"{node.shown} replaced by {draft.nodes[node.id].shown}"


def _duplicate(draft: Draft, action: Duplicate) -> tuple[str, str]:
    node = draft.node(action.node)
    if not node.is_stage:
        raise RigError(f"{node.shown} cannot be duplicated; duplicate a stage.", part=node.id)
    values = node.model_dump(exclude={"id", "kind"}, exclude_defaults=True)
    id = draft.add(kind_of(node), values)
    draft.place(id, f"{node.id}.0")
    return id, f"{node.shown} duplicated"


def copy_parts(rig: Rig, ids: list[str]) -> Fragment:
    """Nodes and the rails between them, for pasting here or elsewhere."""
    kept = {id: rig.node(id) for id in ids}
    return Fragment(
        nodes={id: node.model_dump(mode="json", exclude_defaults=True) | {"kind": kind_of(node)} for id, node in kept.items()},
        rails={
            port: rail.model_dump(mode="json")
            for port, rail in rig.rails.items()
            if port.rpartition(".")[0] in kept and rail.target in kept
        },
    )  # fmt: skip


def _paste(draft: Draft, action: Paste) -> tuple[str, str]:
    parts = action.fragment
    names: dict[str, str] = {}
    for old, values in parts.nodes.items():
        kind = str(values.get("kind"))
        plain = {f: v for f, v in values.items() if f not in ("id", "kind")}
        names[old] = draft.add(kind, plain, None if old in draft.nodes else old)
    fed = set()
    for port, rail in parts.rails.items():
        source, _, number = port.rpartition(".")
        if source in names and rail.get("target") in names:
            strip = Strip.model_validate(rail.get("strip", {}))
            draft.connect(f"{names[source]}.{number}", names[rail["target"]], strip)
            fed.add(rail["target"])
    heads = [n for n in parts.nodes if n not in fed]
    tails = [n for n in parts.nodes if f"{names[n]}.0" not in draft.rails]
    if action.at is not None:
        if len(heads) != 1 or len(tails) != 1 or kind_of(draft.nodes[names[heads[0]]]) == "source":
            raise RigError("Only a chain with one way in and one way out fits on a rail.")
        old_rail = draft.rails.pop(action.at, None)
        draft.connect(action.at, names[heads[0]])
        if old_rail is not None:
            draft.rails[f"{names[tails[0]]}.0"] = old_rail
    first = next(iter(names.values()), "")
    said = draft.nodes[first].shown if len(names) == 1 else f"{len(names)} parts"
    return first, f"{said} pasted"


def _key(draft: Draft, action: SetKey) -> tuple[str, str]:
    draft.node(action.keyed)
    if action.tap is None:
        draft.keys.pop(action.keyed, None)
        return action.keyed, "Key taken away"
    draft.node(action.tap)
    draft.keys[action.keyed] = Key(tap=action.tap, at=action.at)
    return action.keyed, f"Keyed by {draft.nodes[action.tap].shown}"


def _arrange(draft: Draft, action: Arrange) -> tuple[str, str]:
    frame = draft.node(action.frame)
    if not isinstance(frame, Frame):
        raise RigError(f"{frame.shown} is no insert frame.", part=frame.id)
    values: dict[str, Any] = {}
    if action.slot is not None:
        slots = [s.model_dump() for s in frame.slots if s.label != action.slot]
        if action.kind is not None:
            stage = {"kind": action.kind, "id": f"{action.kind}1", **action.values}
            slots.append(Slot.model_validate({"label": action.slot, "stage": stage}).model_dump())
        if len(slots) > frame.size:
            raise RigError(f"{frame.shown} has {frame.size} slots.")
        values["slots"] = sorted(slots, key=lambda s: s["label"])
        order = "".join(c for c in frame.order if c != action.slot)
        values["order"] = order + (action.slot if action.kind is not None else "")
    if action.order is not None:
        letters = action.order.upper()
        have = {s["label"] for s in values.get("slots", [x.model_dump() for x in frame.slots])}
        twice = next((c for c in letters if letters.count(c) > 1), None)
        if twice:
            raise RigError(f"Slot {twice} is named twice: a processor runs once.", part=twice)
        empty = next((c for c in letters if c not in have), None)
        if empty:
            raise RigError(f"Slot {empty} is empty.", part=empty)
        values["order"] = letters
    if action.half is not None:
        values["half"] = action.half
    draft.set(frame.id, values)
    return frame.id, f"{frame.shown} arranged"


def _rig(draft: Draft, action: SetRig) -> tuple[str, str]:
    if action.title is not None:
        draft.more["title"] = action.title
    if action.scenes is not None:
        draft.more["scenes"] = action.scenes
    if action.board is not None:
        draft.more["board"] = action.board.model_dump()
    return "", "Rig set"


def _intend(draft: Draft, action: Intend) -> tuple[str, str]:
    kept = [i for i in draft.rig.intended if (i.check, i.at) != (action.check, action.at)]
    if action.on:
        kept.append(Intended(check=action.check, at=action.at, reason=action.reason))
    draft.more["intended"] = [i.model_dump() for i in kept]
    return "", "Marked as intended" if action.on else "Mark taken away"


_DO: dict[type, Any] = {
    Start: _start, Insert: _insert, Connect: _connect, Disconnect: _disconnect, Remove: _remove,
    Move: _move, Set: _set, SetStrip: _set_strip, Bypass: _bypass, Parallel: _parallel,
    AddSend: _send, Replace: _replace, Duplicate: _duplicate, Paste: _paste, SetKey: _key,
    Arrange: _arrange, SetRig: _rig, Intend: _intend,
}  # fmt: skip
