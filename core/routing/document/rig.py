"""The rig document: nodes, the rails between them, keys, scenes; one versioned form.

A document is a value: operations return new ones. Nodes and rails are keyed, so that two
documents are equal when they say the same, in whatever order it was said.
"""

from collections.abc import Callable, Iterator
from functools import cached_property
from typing import Any, Literal

from pydantic import Field, model_validator

from core.edge import Edge, Settings, Word
from core.errors import FonodromeError
from core.routing.document.fields import choice, db, flag, percent, quantity, text
from core.routing.document.kinds import ID, AnyNode, Node, kind_of
from core.routing.document.wishes import MOST_WISHES, Wish

VERSION = 7
PORT = r"^[a-z][a-z0-9_]{0,39}\.\d{1,2}$"
MOST_NODES = 600
MOST_RAILS = 2400
MOST_WAYS = 300
"""Sources times outputs: each pair has an arrivals board of its own."""
MOST_SCENE_PARTS = 3000
"""Every scene is worked out as a rig of its own."""
MOST_MOVED, _MOVED = 24, {"chorus", "tremolo"}
MOST_DRIVEN, _DRIVEN = 40, {"drive"}
MOST_RINGING, _RINGING = 200, {"reverb", "convolution"}
"""What each of these makes is followed as a sound of its own, pair by pair, through all that stands behind it."""


class RigError(FonodromeError):
    """A rig document, or a change to one, cannot be used."""

    code = "rig"


class Strip(Edge):
    """How one input comes into a merge, a bus or an output."""

    level_db: float = db(0, "level")
    pan_percent: float = percent(0, "pan", -100, 100, "-100 left, 100 right")
    width_percent: float = percent(100, "width", -100, 100)
    delay_ms: float = quantity(0, "delay", "ms", 0, 2000, "Added so that inputs arrive together")
    inverted: bool = flag("inverted")
    muted: bool = flag("muted")
    solo: bool = flag("solo")
    first: bool = flag("first", "A crossfade begins at this input")


PLAIN = Strip()


class Cable(Edge):
    """What lies between two boxes on a stage or in a rack: no sound depends on it.

    Whether a rail is a cable is seen from what stands at its ends, unless `counts` says it.
    """

    counts: Literal["auto", "yes", "no"] = choice(
        "auto", "counts", "Whether it is a cable: seen from its ends, yes, or no"
    )
    from_jack: str | None = text("from jack", "Jack that it leaves: “send 1”")
    to_jack: str | None = text("to jack", "Jack that it ends in: “input 3”")
    connector: str | None = text("connector", "Its plugs, where they are not the usual ones")
    length_m: float | None = quantity(None, "length", "m", 0.01, 500)
    carries: Literal["auto", "mono", "stereo"] = choice("auto", "carries")
    adaptor: str | None = text("adaptor", "What else is needed: an adaptor, an isolator")


UNSAID = Cable()


class Rail(Edge):
    """A connection from an output port to a node."""

    target: str = Field(pattern=ID)
    strip: Strip = PLAIN
    cable: Cable = UNSAID


class Key(Edge):
    """What a compressor or ducker listens to: a tap at another node's input or output."""

    tap: str = Field(pattern=ID)
    at: Literal["in", "out"] = "out"


class Scene(Edge):
    """Stages on or off and parameters overridden, called up together."""

    name: str = Field(min_length=1, max_length=40)
    program: int | None = Field(None, ge=0, le=127, description="Program change that calls it")
    off: tuple[Word, ...] = Field((), max_length=MOST_NODES)
    on: tuple[Word, ...] = Field((), max_length=MOST_NODES)
    values: dict[str, Settings] = Field(
        default_factory=dict, max_length=MOST_NODES, description="Node id to field to value"
    )


class Intended(Edge):
    """A check that the person marked as meant."""

    check: str = Field(max_length=60)
    at: str = Field("", max_length=60)
    reason: str = Field("", max_length=200)


class Board(Edge):
    """What feeds and carries the pedals."""

    supply_ma: float | None = Field(None, ge=0, le=20_000, description="Rating of the supply")
    supply_v: float = Field(9, ge=1, le=60)
    width_mm: float | None = Field(None, ge=50, le=3000)
    depth_mm: float | None = Field(None, ge=50, le=3000)


class Rig(Edge):
    """A routing. `rails` maps an output port ('send1.1') to where it goes."""

    version: Literal[7] = 7
    title: str = Field("Rig", min_length=1, max_length=80)
    nodes: dict[str, AnyNode] = Field(default_factory=dict, max_length=MOST_NODES)
    rails: dict[str, Rail] = Field(default_factory=dict, max_length=MOST_RAILS)
    keys: dict[str, Key] = Field(
        default_factory=dict, max_length=MOST_NODES, description="Keyed stage to its tap"
    )
    scenes: tuple[Scene, ...] = Field((), max_length=64)
    intended: tuple[Intended, ...] = Field((), max_length=200)
    board: Board = Board()
    wishes: tuple[Wish, ...] = Field((), max_length=MOST_WISHES, description="What shall arrive")

    @model_validator(mode="after")
    def _hangs_together(self) -> "Rig":
        for key, node in self.nodes.items():
            if key != node.id:
                raise ValueError(f"“{key}” holds a part that calls itself “{node.id}”.")
        seen: dict[str, str] = {}
        for port, rail in self.rails.items():
            source, _, number = port.rpartition(".")
            if source not in self.nodes or not number.isdigit():
                raise ValueError(f"A rail leaves “{port}”, which is not there.")
            if rail.target not in self.nodes:
                raise ValueError(
                    f"A rail from {source} goes to “{rail.target}”, which is not there."
                )
            node, target = self.nodes[source], self.nodes[rail.target]
            if int(number) >= node.most_outputs:
                raise ValueError(f"{node.shown} has no output {number}.")
            if kind_of(target) == "source":
                raise ValueError(f"{target.shown} is a source: nothing can go into it.")
            if not target.many_inputs:
                if rail.target in seen:
                    raise ValueError(
                        f"{target.shown} takes one input; two rails end there. Put a merge before it."
                    )
                seen[rail.target] = port
                if rail.strip != PLAIN:
                    raise ValueError(f"{target.shown} is no merge: levels belong on a stage.")
        for keyed, tapped in self.keys.items():
            if keyed not in self.nodes or tapped.tap not in self.nodes:
                raise ValueError(f"A key names “{keyed}” or “{tapped.tap}”, which is not there.")
            if not self.nodes[keyed].takes_key:
                raise ValueError(f"{self.nodes[keyed].shown} takes no key.")
        for scene in self.scenes:
            for name in (*scene.off, *scene.on, *scene.values):
                if name not in self.nodes:
                    raise ValueError(f"Scene “{scene.name}” names “{name}”, which is not there.")
        return self

    @cached_property
    def inputs(self) -> dict[str, list[str]]:
        """Node id to the ports that lead into it, in a steady order."""
        found: dict[str, list[str]] = {name: [] for name in self.nodes}
        for port in sorted(self.rails):
            found[self.rails[port].target].append(port)
        return found

    def in_order(self, node: str) -> list[str]:
        """Ports that lead into a node, one marked as first before the others."""
        return sorted(self.inputs[node], key=lambda port: not self.rails[port].strip.first)

    @cached_property
    def reached(self) -> dict[tuple[str, bool], list[str]]:
        """What `upstream` and `downstream` found, kept with the document."""
        return {}

    @cached_property
    def leaving(self) -> dict[str, list[str]]:
        """Node id to its connected output ports."""
        return {
            name: [f"{name}.{n}" for n in range(node.most_outputs) if f"{name}.{n}" in self.rails]
            for name, node in self.nodes.items()
        }

    def outputs_of(self, node: str) -> list[str]:
        """The connected output ports of a node."""
        return self.leaving[node]

    def downstream(self, node: str) -> list[str]:
        """Every node that this one feeds, nearest first, each once."""
        if (node, True) not in self.reached:
            self.reached[node, True] = _reach(
                node, lambda n: [self.rails[p].target for p in self.leaving[n]]
            )
        return self.reached[node, True]

    def upstream(self, node: str) -> list[str]:
        """Every node that feeds this one, nearest first, each once."""
        if (node, False) not in self.reached:
            self.reached[node, False] = _reach(
                node, lambda n: [p.rpartition(".")[0] for p in self.inputs[n]]
            )
        return self.reached[node, False]

    def node(self, id: str) -> Node:
        """Raises RigError where there is no such part."""
        if id not in self.nodes:
            raise RigError(f"There is no “{id}” in this rig.", part=id)
        return self.nodes[id]

    def of_kind(self, *kinds: str) -> Iterator[Node]:
        return iter(self._of(kinds, lambda node: kind_of(node) in kinds))

    def of_type(self, types: tuple[type, ...]) -> list[Any]:
        """Nodes of these types, in the order of the document."""
        return self._of(types, lambda node: isinstance(node, types))

    @cached_property
    def picked(self) -> dict[tuple[Any, ...], list[Any]]:
        """What `of_kind` and `of_type` found, kept with the document."""
        return {}

    def _of(self, key: tuple[Any, ...], wanted: Callable[[Node], bool]) -> list[Any]:
        if key not in self.picked:
            self.picked[key] = [node for node in self.nodes.values() if wanted(node)]
        return self.picked[key]

    def rail(self, port: str) -> Rail:
        if port not in self.rails:
            raise RigError(f"No rail leaves “{port}”.", part=port)
        return self.rails[port]


def _reach(id: str, step: Callable[[str], list[str]]) -> list[str]:
    found: list[str] = []
    todo = step(id)
    seen = {id}
    while todo:
        node = todo.pop(0)
        if node not in seen:
            seen.add(node)
            found.append(node)
            todo += step(node)
    return found


def refuse_wide(rig: Rig, before: Rig | None = None) -> Rig:
    """The rig, where its arrivals can be listed at all. Raises RigError for more than people wire.

    before: what it was; one that was as wide already can be mended step by step.
    """
    for place, (count, most, words, way_out) in enumerate(_work(rig)):
        held = 0 if before is None else _work(before)[place][0]
        if count > max(most, held):
            raise RigError(f"{count} {words}; up to {most} are worked out. {way_out}")
    return rig


def _work(rig: Rig) -> list[tuple[int, int, str, str]]:
    """What the work grows with faster than with the rig: count, limit, its words, what to do instead."""
    sources, outputs = _ends(rig)
    parts = len(rig.nodes) + len(rig.rails)
    kinds = [node.kind for node in rig.nodes.values()]

    def of(some: set[str]) -> int:
        return sum(kind in some for kind in kinds)

    return [
        (
            sources * outputs, MOST_WAYS,
            f"arrivals boards are made by {sources} sources into {outputs} outputs",
            "Make several rigs of it, or fewer outputs.",
        ),
        (
            len(rig.scenes) * parts, MOST_SCENE_PARTS,
            f"parts in all are in {len(rig.scenes)} scenes of {parts} parts each",
            "Make several rigs of it, or fewer scenes.",
        ),
        (of(_MOVED), MOST_MOVED, "choruses and tremolos are in it", "Bounce some of them."),
        (of(_DRIVEN), MOST_DRIVEN, "drives are in it", "Bounce some of them."),
        (of(_RINGING), MOST_RINGING, "reverbs are in it", "Make several rigs of it."),
    ]  # fmt: skip


def _ends(rig: Rig) -> tuple[int, int]:
    kinds = [node.kind for node in rig.nodes.values()]
    return kinds.count("source"), kinds.count("output")
