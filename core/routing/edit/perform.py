"""Carry out typed actions on a draft of a rig."""

from typing import Any

from pydantic import ValidationError

from core.edge import Edge
from core.routing.document.kinds import KINDS, MOST_LINES, Frame, Siding, kind_of
from core.routing.document.notation import parse_rig
from core.routing.document.rig import Intended, Key, Rig, RigError, Strip, refuse_wide
from core.routing.edit.actions import (
    Action,
    AddSend,
    Arrange,
    Bypass,
    Connect,
    Disconnect,
    Duplicate,
    Fragment,
    Insert,
    Intend,
    Lay,
    MarkPath,
    Move,
    Notate,
    Parallel,
    Paste,
    Remove,
    Replace,
    Set,
    SetCable,
    SetKey,
    SetRig,
    SetStrip,
    SetWishes,
    Several,
    Start,
)
from core.routing.edit.draft import Draft
from core.routing.edit.edits import set_words
from core.routing.edit.lay import lay


class Done(Edge):
    """A changed rig, what to select now, and what was done in words."""

    rig: Rig
    select: str
    said: str


def perform(rig: Rig, action: Action) -> Done:
    """Carry out an action. Raises RigError, with the rig untouched, where it cannot be done."""
    done = _performed(rig, action)
    refuse_wide(done.rig, rig)
    return done


def _performed(rig: Rig, action: Action) -> Done:
    if isinstance(action, Notate):
        return Done(rig=parse_rig(action.text, rig), select="", said="Notation read")
    if isinstance(action, Several):
        select, said = "", "Nothing"
        for one in action.actions:
            done = _performed(rig, one)
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
            # The rail goes on: the output is a second one.
            laid = lay(draft, Lay(by="split", starts=(action.at,), to="output"))[0]
            out = draft.rails[laid].target
            draft.set(out, action.values)
            return out, f"{draft.nodes[out].shown} added"
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
    before = draft.nodes.get(action.node)
    draft.set(action.node, action.values)
    node = draft.nodes[action.node]
    said = [set_words(before, node, field) for field in action.values] if before else []
    changed = [words for words in said if words]
    if not changed:
        return action.node, f"{node.shown} set"
    more = f", {len(changed) - 2} more" if len(changed) > 2 else ""
    return action.node, f"{node.shown} {', '.join(changed[:2])}{more}"


def _set_strip(draft: Draft, action: SetStrip) -> tuple[str, str]:
    draft.set_strip(action.rail, action.values)
    return "", "Input set"


def _set_cable(draft: Draft, action: SetCable) -> tuple[str, str]:
    draft.set_cable(action.rail, action.values)
    source = action.rail.rpartition(".")[0]
    return "", f"Cable from {draft.nodes[source].shown} set"


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
        raise RigError(f"{frame.shown} has no sidings.", part=frame.id)
    values: dict[str, Any] = {}
    said = f"{frame.shown} arranged"
    if action.place is not None:
        said = _stand(frame, action, values)
    if action.take is not None:
        line = next((x for x in frame.lines if x.name == action.take), None)
        if line is None:
            raise RigError(f"No line is kept as “{action.take}”.", part=frame.id)
        values["calls"], said = line.calls, f"“{line.name}” is in force"
    if action.calls is not None:
        values["calls"], said = action.calls, f"{frame.shown}: the line calls otherwise"
    if action.beside is not None:
        values["beside"] = [one.model_dump() for one in action.beside]
        said = f"{frame.shown}: a path beside is {'laid' if action.beside else 'taken out'}"
    if action.keep is not None:
        others = [x.model_dump() for x in frame.lines if x.name != action.keep]
        if len(others) >= MOST_LINES:
            raise RigError(f"{frame.shown} keeps up to {MOST_LINES} lines. Forget one first.")
        calls = values.get("calls", frame.calls)
        values["lines"] = [*others, {"name": action.keep, "calls": calls}]
        said = f"The line is kept as “{action.keep}”"
    if action.drop is not None:
        values["lines"] = [x.model_dump() for x in frame.lines if x.name != action.drop]
        said = f"“{action.drop}” is forgotten"
    draft.set(frame.id, values)
    return frame.id, said


def _stand(frame: Frame, action: Arrange, values: dict[str, Any]) -> str:
    """Put something at a siding, take it away, or set it; the line and the kept ones follow."""
    place = action.place
    assert place is not None
    there = frame.standing(place)
    sidings = [s.model_dump() for s in frame.sidings if s.place != place]
    if action.clear:
        if there is None:
            raise RigError(f"Nothing stands at siding {place}.", part=frame.id)
        values["calls"] = tuple(p for p in frame.calls if p != place)
        values["lines"] = [
            {**x.model_dump(), "calls": tuple(p for p in x.calls if p != place)}
            for x in frame.lines
        ]
        values["beside"] = [b.model_dump() for b in frame.beside if b.of == "turn" or b.at != place]
        said = f"{there.shown} taken from {frame.shown}"
    else:
        if action.kind is not None:
            stage: dict[str, Any] = {"kind": action.kind, "id": f"{action.kind}1", **action.values}
            if there is None:
                values["calls"] = (*frame.calls, place)
        elif there is None:
            raise RigError(f"Nothing stands at siding {place}.", part=frame.id)
        else:
            unknown = [f for f in action.values if f not in type(there).model_fields]
            if unknown:
                raise RigError(f"{there.shown} has no “{unknown[0]}”.", part=unknown[0])
            stage = there.model_dump() | action.values
        try:
            made = Siding.model_validate({"place": place, "stage": stage})
        except ValidationError as error:
            first = error.errors()[0]
            message = str(first["msg"]).removeprefix("Value error, ")
            field = str(first["loc"][-1]).replace("_", " ")
            raise RigError(
                f"Siding {place}, {field}: {message[:1].lower()}{message[1:]}."
            ) from None
        sidings.append(made.model_dump())
        verb = "set" if action.kind is None else "stands"
        said = f"{made.stage.shown} {verb} in {frame.shown}"
    values["sidings"] = sorted(sidings, key=lambda s: s["place"])
    return said


def _rig(draft: Draft, action: SetRig) -> tuple[str, str]:
    if action.title is not None:
        draft.more["title"] = action.title
    if action.scenes is not None:
        draft.more["scenes"] = action.scenes
    if action.board is not None:
        draft.more["board"] = action.board.model_dump()
    if action.scenes is not None:
        return "", "Scenes set"
    return "", "Rig set" if action.board is None else "Board set"


def _intend(draft: Draft, action: Intend) -> tuple[str, str]:
    kept = [i for i in draft.rig.intended if (i.check, i.at) != (action.check, action.at)]
    if action.on:
        kept.append(Intended(check=action.check, at=action.at, reason=action.reason))
    draft.more["intended"] = [i.model_dump() for i in kept]
    return "", "Marked as intended" if action.on else "Mark taken away"


def _wishes(draft: Draft, action: SetWishes) -> tuple[str, str]:
    draft.more["wishes"] = [w.model_dump() for w in action.wishes]
    return "", "Wishes set"


def _path(draft: Draft, action: MarkPath) -> tuple[str, str]:
    draft.node(action.source)
    draft.node(action.output)
    own = [
        n for n in action.through
        if n in draft.nodes and draft.nodes[n].is_stage
        and _reaches(draft, action.source, action.output, without=n)
    ]  # fmt: skip
    if not own:
        raise RigError(
            "Nothing on this path is its own: put a level stage on its rail first, "
            "so that the mark has somewhere to stand."
        )
    if action.counts_as is not None:
        for id in own:
            draft.set(id, {"counts_as": action.counts_as if id == own[-1] else "auto"})
    if action.delay_is is not None:
        for id in own:
            draft.set(id, {"delay_is": action.delay_is})
    return own[-1], "Path marked"


def _reaches(draft: Draft, source: str, output: str, without: str) -> bool:
    """Whether a source still reaches an output past a node: then the node is not on every path."""
    seen, todo = {source}, [source]
    while todo:
        for port in draft.out_of(todo.pop()):
            target = draft.rails[port].target
            if target not in seen and target != without:
                seen.add(target)
                todo.append(target)
    return output in seen


_DO: dict[type, Any] = {
    Start: _start, Insert: _insert, Connect: _connect, Disconnect: _disconnect, Remove: _remove,
    Move: _move, Set: _set, SetStrip: _set_strip, SetCable: _set_cable, Bypass: _bypass, Parallel: _parallel,
    AddSend: _send, Lay: lay, Replace: _replace, Duplicate: _duplicate, Paste: _paste, SetKey: _key,
    Arrange: _arrange, SetRig: _rig, Intend: _intend, SetWishes: _wishes, MarkPath: _path,
}  # fmt: skip
