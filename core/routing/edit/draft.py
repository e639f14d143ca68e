"""A rig being changed: the structural moves that actions are made of. No geometry anywhere."""

from typing import Any

from core.routing.document.kinds import KINDS, Node, Send, Split, kind_of
from core.routing.document.rig import MOST_NODES, PLAIN, Cable, Rail, Rig, RigError, Strip
from core.routing.document.versions import checked_rig


class Draft:
    """A document with its parts laid open. `done` checks it and closes it again."""

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self.nodes: dict[str, Node] = dict(rig.nodes)
        self.rails: dict[str, Rail] = dict(rig.rails)
        self.keys = dict(rig.keys)
        self.more: dict[str, Any] = {}

    def done(self) -> Rig:
        keys = {k: v for k, v in self.keys.items() if k in self.nodes and v.tap in self.nodes}
        scenes = self.more.get("scenes", self.rig.scenes)
        scenes = tuple(
            s.model_copy(
                update={
                    "off": tuple(n for n in s.off if n in self.nodes),
                    "on": tuple(n for n in s.on if n in self.nodes),
                    "values": {n: v for n, v in s.values.items() if n in self.nodes},
                }
            )
            for s in scenes
        )
        values: dict[str, Any] = {name: getattr(self.rig, name) for name in Rig.model_fields}
        values |= {"nodes": self.nodes, "rails": self.rails, "keys": keys, "scenes": scenes}
        values |= {name: value for name, value in self.more.items() if name != "scenes"}
        return checked_rig(values)

    # Small moves ---------------------------------------------------------------------------
    def node(self, id: str) -> Node:
        if id not in self.nodes:
            raise RigError(f"There is no “{id}” in this rig.", part=id)
        return self.nodes[id]

    def fresh(self, kind: str) -> str:
        number = 1
        while f"{kind}{number}" in self.nodes:
            number += 1
        return f"{kind}{number}"

    def add(self, kind: str, values: dict[str, Any] | None = None, id: str | None = None) -> str:
        """A new node, not connected yet; returns its id."""
        from pydantic import ValidationError

        if kind not in KINDS:
            raise RigError(f"“{kind}” is no kind of stage.", part=kind)
        if len(self.nodes) >= MOST_NODES:
            raise RigError(f"A rig has up to {MOST_NODES} parts. Take something out first.")
        name = id or self.fresh(kind)
        if name in self.nodes:
            raise RigError(f"There is a “{name}” already.", part=name)
        try:
            self.nodes[name] = KINDS[kind](id=name, **(values or {}))
        except ValidationError as error:
            raise RigError(f"{KINDS[kind].title}: {_plain(error)}", part=kind) from None
        return name

    def set(self, id: str, values: dict[str, Any]) -> None:
        from pydantic import ValidationError

        node = self.node(id)
        unknown = [f for f in values if f not in type(node).model_fields or f in ("id", "kind")]
        if unknown:
            raise RigError(f"{node.shown} has no “{unknown[0]}”.", part=unknown[0])
        try:
            self.nodes[id] = type(node).model_validate(node.model_dump() | values)
        except ValidationError as error:
            raise RigError(f"{node.shown}: {_plain(error)}", part=id) from None

    def set_strip(self, port: str, values: dict[str, Any]) -> None:
        from pydantic import ValidationError

        rail = self.rail(port)
        if not self.node(rail.target).many_inputs:
            raise RigError(f"{self.nodes[rail.target].shown} is no merge: set the stage instead.")
        try:
            strip = Strip.model_validate(rail.strip.model_dump() | values)
        except ValidationError as error:
            raise RigError(_plain(error), part=port) from None
        self.rails[port] = rail.model_copy(update={"strip": strip})

    def set_cable(self, port: str, values: dict[str, Any]) -> None:
        from pydantic import ValidationError

        rail = self.rail(port)
        try:
            cable = Cable.model_validate(rail.cable.model_dump() | values)
        except ValidationError as error:
            raise RigError(f"Cable: {_plain(error)}", part=port) from None
        self.rails[port] = rail.model_copy(update={"cable": cable})

    def rail(self, port: str) -> Rail:
        if port not in self.rails:
            raise RigError(f"No rail leaves “{port}”.", part=port)
        return self.rails[port]

    def into(self, id: str) -> list[str]:
        return sorted(p for p, r in self.rails.items() if r.target == id)

    def out_of(self, id: str) -> list[str]:
        node = self.nodes[id]
        return [f"{id}.{n}" for n in range(node.most_outputs) if f"{id}.{n}" in self.rails]

    def connect(self, port: str, target: str, strip: Strip = PLAIN) -> None:
        source, _, number = port.rpartition(".")
        node = self.node(source)
        if not number.isdigit() or int(number) >= node.most_outputs:
            raise RigError(f"{node.shown} has no such output.", part=port)
        if port in self.rails:
            raise RigError(f"That output of {node.shown} goes somewhere already.", part=port)
        there = self.node(target)
        if not there.many_inputs and self.into(target):
            raise RigError(f"{there.shown} takes one input. Put a merge before it.", part=target)
        self.rails[port] = Rail(target=target, strip=strip if there.many_inputs else PLAIN)

    def place(self, id: str, port: str) -> None:
        """Put a node with one way through on a rail; on a loose end it becomes the end."""
        old = self.rails.pop(port, None)
        if old is None:
            self.connect(port, id)
            return
        self.rails[port] = Rail(target=id)
        self.rails[f"{id}.0"] = old

    def take_out(self, id: str) -> None:
        """Close the rail over a node; the node stays in the draft, unconnected."""
        node = self.node(id)
        came, goes = self.into(id), self.rails.pop(f"{id}.0", None)
        if len(came) > 1:
            if goes is None or not self.nodes[goes.target].many_inputs:
                raise RigError(
                    f"{node.shown} joins {len(came)} rails; take the others away first.", part=id
                )
            for port in came:
                strip = self.rails[port].strip
                level = strip.level_db + goes.strip.level_db
                joined = strip.model_copy(update={"level_db": max(-120.0, min(60.0, level))})
                self.rails[port] = Rail(target=goes.target, strip=joined)
            return
        if came:
            if goes is None:
                del self.rails[came[0]]
            else:
                self.rails[came[0]] = goes

    def remove(self, id: str) -> None:
        """Take a node out, with the rails that only it feeds."""
        node = self.node(id)
        side = [p for p in self.out_of(id) if not p.endswith(".0")]
        if isinstance(node, Split) and f"{id}.0" not in self.rails and side:
            self.rails[f"{id}.0"] = self.rails.pop(side.pop(0))
        for port in side:
            self.drop_rail(port)
        if kind_of(node) == "source":
            if f"{id}.0" in self.rails:
                self.drop_rail(f"{id}.0")
        elif kind_of(node) == "output":
            for port in self.into(id):
                del self.rails[port]
        else:
            self.take_out(id)
        self.nodes.pop(id, None)
        self.keys.pop(id, None)
        self.tidy()

    def drop_rail(self, port: str) -> None:
        """Take a rail away, with what it alone feeds, up to where rails join."""
        rail = self.rails.pop(port, None)
        if rail is None:
            return
        target = self.nodes.get(rail.target)
        if target is None or kind_of(target) == "output" or self.into(rail.target):
            return
        for onward in self.out_of(rail.target):
            self.drop_rail(onward)
        self.nodes.pop(rail.target, None)

    def drop_feed(self, id: str) -> None:
        """Take away a stage that leads nowhere, and what only fed it, back to a split or source."""
        node = self.nodes[id]
        if self.out_of(id) or isinstance(node, (Split, Send)) or kind_of(node) == "source":
            return
        came = self.into(id)
        for port in came:
            del self.rails[port]
        del self.nodes[id]
        for port in came:
            self.drop_feed(port.rpartition(".")[0])

    def tidy(self) -> None:
        """A split with one rail and a merge with one plain input are no longer needed."""
        changed = True
        while changed:
            changed = False
            for id in sorted(self.nodes):
                node = self.nodes[id]
                one_in = self.into(id)
                lone_split = isinstance(node, Split) and len(self.out_of(id)) == 1 and one_in
                lone_merge = (
                    kind_of(node) == "merge"
                    and len(one_in) == 1
                    and self.rails[one_in[0]].strip == PLAIN
                    and node == KINDS["merge"](id=id)
                    and f"{id}.0" in self.rails
                )
                if lone_split and isinstance(node, Split) and node.mode == "full":
                    port = self.out_of(id)[0]
                    self.rails[f"{id}.0"] = self.rails.pop(port)
                    self.take_out(id)
                elif lone_merge:
                    self.take_out(id)
                else:
                    continue
                del self.nodes[id]
                changed = True
                break

    # Larger moves --------------------------------------------------------------------------
    def end_of_rail(self, port: str) -> str:
        """The last rail, from here on through single stages, before rails join or end."""
        seen = {port}
        while True:
            rail = self.rails.get(port)
            if rail is None:
                return port
            target = self.nodes[rail.target]
            onward = f"{rail.target}.0"
            if (
                target.many_inputs
                or isinstance(target, Split)
                or onward not in self.rails
                or onward in seen
            ):
                return port
            seen.add(onward)
            port = onward

    def parallel(
        self, start: str, end: str | None, mode: str, kind: str | None, values: dict[str, Any]
    ) -> str:
        """A second rail beside the stretch from rail `start` to rail `end`; returns the split.

        Where the stretch ends at a merge, the new rail goes in there.
        """
        finish = end or self.end_of_rail(start)
        goes = self.rail(finish)
        self.rail(start)
        split = self.add("split", {"mode": mode})
        if self.nodes[goes.target].many_inputs:
            merge = goes.target
        else:
            merge = self.add("merge")
            self.rails[finish] = Rail(target=merge)
            self.rails[f"{merge}.0"] = Rail(target=goes.target)
        into = self.rails[start]
        self.rails[start] = Rail(target=split)
        self.rails[f"{split}.0"] = into
        side = f"{split}.1"
        if kind is not None:
            stage = self.add(kind, values)
            self.rails[side] = Rail(target=stage)
            side = f"{stage}.0"
        self.rails[side] = Rail(target=merge)
        return split

    def send(
        self,
        at: str,
        to: str | None,
        kind: str | None,
        values: dict[str, Any],
        into: str | None,
        level_db: float,
    ) -> str:
        """A send on a rail, to an existing bus `to` or to a new bus, device and return `into`."""
        self.rail(at)
        send = self.add("send", {"level_db": level_db})
        old = self.rails[at]
        self.rails[at] = Rail(target=send)
        self.rails[f"{send}.0"] = old
        if to is not None:
            if not self.node(to).many_inputs:
                raise RigError(f"{self.nodes[to].shown} takes one input; send to a bus.", part=to)
            self.connect(f"{send}.1", to)
            return send
        target = into or next(
            (n for n in sorted(self.nodes) if kind_of(self.nodes[n]) == "output"), None
        )
        if target is None:
            raise RigError("There is no output for the return to go into.")
        last = self.add("bus")
        self.connect(f"{send}.1", last)
        if kind is not None:
            device = self.add(kind, values)
            self.connect(f"{last}.0", device)
            last = device
        back = self.add("return", {"solo_safe": True})
        self.connect(f"{last}.0", back)
        if self.node(target).many_inputs:
            self.connect(f"{back}.0", target)
        else:
            came = self.into(target)
            merge = self.add("merge")
            for port in came:
                self.rails[port] = Rail(target=merge)
            self.connect(f"{merge}.0", target)
            self.connect(f"{back}.0", merge)
        return send


def _plain(error: Any) -> str:
    first = error.errors()[0]
    field = str(first["loc"][0]).replace("_", " ") if first["loc"] else ""
    message = str(first["msg"]).removeprefix("Value error, ")
    return f"{field}: {message[:1].lower()}{message[1:]}."
