"""Rails laid by hand: where a new rail leaves, what stands on it, and where it lands.

A place to land is written as a node that takes many inputs ('mix'), as a rail that is joined there
('reverb1.0'), or as 'output' for an output of its own and 'bus' for a bus where the first of the
gathered rails went. Nothing here draws or computes sound.
"""

from typing import Literal

from pydantic import Field

from core.edge import Edge
from core.routing.document.kinds import Split, Stage, field_of, kind_of
from core.routing.document.rig import PLAIN, Rail, Rig, RigError
from core.routing.edit.actions import Lay
from core.routing.edit.draft import Draft

Sort = Literal["rejoin", "join", "between", "output", "loop"]


class Landing(Edge):
    """One place where a rail may end."""

    place: str = Field(description="As an action takes it")
    at: str = Field(description="Node or rail to mark; empty for a new output")
    sort: Sort
    name: str
    detail: str
    possible: bool
    why: str = Field("", description="Why it cannot land here")
    closes: bool = Field(False, description="It would close a loop")


def lay(draft: Draft, action: Lay) -> tuple[str, str]:
    """Lay a rail, or several that land together. Raises RigError where one cannot be laid."""
    place = action.to
    chosen, first_port = "", ""
    gathered = place
    for number, start in enumerate(action.starts):
        old = draft.rails.get(start) if action.by == "end" else None
        if action.by == "end" and old is not None and old.target == gathered:
            if len(action.starts) > 1:
                continue
            raise RigError("It goes there already.", part=start)
        port = _leave(draft, action, start)
        if number == 0:
            if action.by == "send" and action.kind is not None:
                bus = draft.add("bus")
                draft.connect(port, bus)
                chosen = draft.add(action.kind, action.values)
                draft.connect(f"{bus}.0", chosen)
                back = draft.add("return", {"solo_safe": True})
                draft.connect(f"{chosen}.0", back)
                first_port, port, gathered = port, f"{back}.0", bus
            elif action.kind is not None:
                chosen = draft.add(action.kind, action.values)
                draft.connect(port, chosen)
                first_port, port = port, f"{chosen}.0"
            landed = _land(draft, port, place, action.join, old)
            if gathered == place:
                gathered = landed
            first_port = first_port or port
        else:
            strip = old.strip if old is not None else PLAIN
            draft.connect(port, gathered, strip)
    draft.tidy()
    said = {"split": "Rail laid", "send": "Send laid", "end": "Rail moved"}[action.by]
    select = chosen or (gathered if action.join == "bus" and place == "bus" else "")
    if not select:
        select = first_port if first_port in draft.rails else first_port.rpartition(".")[0]
    if select not in draft.nodes and select not in draft.rails:
        select = gathered if gathered in draft.nodes else ""
    return select, said if len(action.starts) == 1 else f"{len(action.starts)} rails laid together"


def _leave(draft: Draft, action: Lay, start: str) -> str:
    """The free output from which the new rail goes."""
    source = start.rpartition(".")[0]
    node = draft.node(source)
    if kind_of(node) == "output":
        raise RigError("Nothing comes after an output.", part=source)
    if action.by == "end":
        draft.rails.pop(start, None)
        return start
    if action.by == "send":
        old = draft.rails.pop(start, None)
        send = draft.add("send", {"level_db": action.level_db})
        draft.rails[start] = Rail(target=send)
        if old is not None:
            draft.rails[f"{send}.0"] = old
        return f"{send}.1"
    rail = draft.rails.get(start)
    around = [node] if rail is None else [node, draft.nodes[rail.target]]
    if action.mode == "full":
        for one in around:
            if isinstance(one, Split) and one.mode == "full":
                return _free(draft, one.id)
    split = draft.add("split", {"mode": action.mode})
    draft.rails[start] = Rail(target=split)
    if rail is not None:
        draft.rails[f"{split}.0"] = rail
    return f"{split}.1"


def _free(draft: Draft, id: str) -> str:
    node = draft.nodes[id]
    for n in range(node.most_outputs):
        if f"{id}.{n}" not in draft.rails:
            return f"{id}.{n}"
    raise RigError(f"{node.shown} has no output left.", part=id)


def _land(draft: Draft, port: str, place: str, join: str, old: Rail | None) -> str:
    """Join a rail to a place; returns the node that it goes into."""
    strip = old.strip if old is not None else PLAIN
    if place == "output":
        out = draft.add("output")
        draft.connect(port, out, strip)
        return out
    if place == "bus":
        bus = draft.add("bus")
        draft.connect(port, bus)
        if old is not None:
            draft.rails[f"{bus}.0"] = old
        return bus
    if "." not in place:
        draft.connect(port, place, strip)
        return place
    there = draft.rails.get(place)
    if there is not None and draft.nodes[there.target].many_inputs:
        draft.connect(port, there.target, strip)
        return there.target
    draft.node(place.rpartition(".")[0])
    merge = draft.add(join)
    draft.rails[place] = Rail(target=merge)
    if there is not None:
        draft.rails[f"{merge}.0"] = there
    draft.connect(port, merge, strip)
    return merge


def landings(rig: Rig, by: str, starts: tuple[str, ...], end: str | None = None) -> list[Landing]:
    """Where rails that leave at `starts` may land: what is meant most first, loops last.

    end: the rail behind the run that a rail is laid beside. Raises RigError for a start that is not
    there.
    """
    if not starts:
        raise RigError("Select a stage or a rail first.")
    for start in starts:
        rig.node(start.rpartition(".")[0])
    first = starts[0]
    source = first.rpartition(".")[0]
    behind = rig.downstream(source)
    before = {source, *rig.upstream(source)}
    # Behind its own start a rail lands in the order of the course.
    order = {name: n for n, name in enumerate(behind)}
    found: list[Landing] = []
    rejoin = end if end is not None else None
    now = rig.rails[first].target if first in rig.rails else None
    gives = _gives(rig)
    here = gives.get(source, "")
    for name, node in rig.nodes.items():
        if not node.many_inputs or (by == "end" and name == now):
            continue
        loop = name in before
        found.append(
            Landing(
                place=name, at=name, closes=loop,
                sort="loop" if loop else "output" if kind_of(node) == "output" else "join",
                name=f"Back into {node.shown}" if loop else f"Into {node.shown}",
                detail=_joined(rig, name), **_possible(rig, node, here),
            )
        )  # fmt: skip
    for port, rail in rig.rails.items():
        after, target = port.rpartition(".")[0], rig.nodes[rail.target]
        if port in starts or (target.many_inputs and port != rejoin):
            continue
        if by == "split" and after == source and isinstance(rig.nodes[source], Split):
            continue
        loop = after in before and port != first and rail.target in before
        sort: Sort = "rejoin" if port == rejoin else "loop" if loop else "between"
        shown = rig.nodes[after].shown
        found.append(
            Landing(
                place=port, at=port, sort=sort, closes=loop,
                name=f"Right after {shown}" if port == rejoin
                else f"Back before {target.shown}" if loop else f"Before {target.shown}",
                detail="rejoins the run that it stands beside" if port == rejoin else f"after {shown}",
                **(_possible(rig, target, here) if not target.many_inputs else _fits(here, gives.get(after, ""), shown)),
            )
        )  # fmt: skip
    if rejoin is not None and rejoin in rig.rails:
        # Where the run ends at a merge, that is the same place said twice.
        joined = rig.rails[rejoin].target
        found = [f for f in found if f.place != joined]
    found.append(
        Landing(
            place="output", at="", sort="output", name="An output of its own",
            detail="one cable more", possible=True,
        )
    )  # fmt: skip
    if by == "end" and len(starts) > 1:
        shown = rig.nodes[now].shown if now else "nothing"
        found.insert(0, Landing(
            place="bus", at=first, sort="rejoin", name="A bus of their own",
            detail=f"it goes into {shown}", possible=now is not None,
            why="" if now else "None of them goes anywhere yet.",
        ))  # fmt: skip
    ending = _straight_on(rig, first)[-1] if by == "send" else ""
    ranks = {"rejoin": 0, "join": 1, "between": 1, "output": 2, "loop": 3}

    def rank(one: Landing) -> tuple[bool, bool, int, int, str]:
        place = one.at.rpartition(".")[0] or one.at
        near = order.get(place, len(order) if place != source else -1)
        far = 0 if place in order or place == source else 1
        return (
            not one.possible,
            # What is sent comes back where the dry sound ends.
            one.at != ending if ending else False,
            ranks[one.sort] + (4 if far and one.sort in ("join", "between") else 0),
            near,
            one.place,
        )

    return sorted(found, key=rank)


def _straight_on(rig: Rig, port: str) -> list[str]:
    """Parts along first outputs from a rail: the way of what is not sent."""
    found: list[str] = []
    while port in rig.rails and rig.rails[port].target not in found:
        found.append(rig.rails[port].target)
        port = f"{found[-1]}.0"
    return found or [""]


def _joined(rig: Rig, name: str) -> str:
    came = [rig.nodes[p.rpartition(".")[0]].shown for p in rig.inputs[name]]
    if not came:
        return "nothing goes in yet"
    more = f" and {len(came) - 2} more" if len(came) > 2 else ""
    return "beside " + (" and ".join(came) if len(came) <= 2 else ", ".join(came[:2])) + more


_NAMES = {"instrument": "instrument level", "line": "line level", "mic": "microphone level",
          "speaker": "speaker level"}  # fmt: skip


def _gives(rig: Rig) -> dict[str, str]:
    """Level kind behind each node: its own, or what it passes on; empty where nothing is known."""
    from core.routing.plan.walk import walk

    found: dict[str, str] = {}
    for id in walk(rig)[0]:
        node = rig.nodes[id]
        own = field_of(node, "gives", None)
        if isinstance(node, Stage):
            own = own or node.gives_by_kind
        came = [
            found[p.rpartition(".")[0]] for p in rig.inputs[id] if p.rpartition(".")[0] in found
        ]
        found[id] = own or (came[0] if came else "")
    return found


def _possible(rig: Rig, node: object, here: str) -> dict[str, object]:
    wanted = getattr(node, "takes", None)
    if isinstance(node, Stage):
        wanted = wanted or node.takes_by_kind
    return _fits(here, wanted or "", getattr(node, "shown", ""))


def _fits(here: str, there: str, shown: str) -> dict[str, object]:
    """Only a loudspeaker takes speaker level, and it takes nothing else."""
    if here and there and here != there and "speaker" in (here, there):
        return {
            "possible": False,
            "why": f"{shown} has {_NAMES[there]}; this rail carries {_NAMES[here]}.",
        }
    return {"possible": True}
