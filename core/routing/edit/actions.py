"""What a person does to a rig: typed actions. `core.routing.edit.perform` carries them out.

An action is turned into an edit (`core.routing.edit.edits`) by comparing the document before and after,
so each one can be undone exactly, whatever it did.
"""

from typing import Annotated, Literal

from pydantic import Field

from core.edge import Edge, Settings, Word
from core.routing.document.kinds import ID, Beside, Role
from core.routing.document.rig import PORT, Board, Scene, Strip
from core.routing.document.wishes import MOST_WISHES, Wish

Values = Settings
NodeId = Annotated[str, Field(pattern=ID)]
Port = Annotated[str, Field(pattern=PORT)]


class Fragment(Edge):
    """Parts taken out of a rig: nodes and the rails between them."""

    nodes: dict[str, Settings] = Field(max_length=200)
    rails: dict[str, Settings] = Field(default_factory=dict, max_length=400)


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
    kind: Word
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


class SetCable(Edge):
    """What a rail is on the stage: its jacks, plugs, length."""

    do: Literal["cable"] = "cable"
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
    kind: Word | None = None
    values: Values = Field(default_factory=dict)


class AddSend(Edge):
    """A send with its device and return, or to a bus that is there."""

    do: Literal["send"] = "send"
    at: Port
    to: NodeId | None = None
    kind: Word | None = "reverb"
    values: Values = Field(default_factory=dict)
    into: NodeId | None = None
    level_db: float = Field(0, ge=-120, le=60)


class Lay(Edge):
    """Lay a rail from where it leaves to where it lands; several starts land together.

    by: 'split' parts the sound, 'send' taps it and, with a kind, ends in a bus, that device and a
    return; 'end' moves the rail's own end. `kind` stands on the new rail.
    """

    do: Literal["lay"] = "lay"
    by: Literal["split", "send", "end"]
    starts: tuple[Port, ...] = Field(min_length=1, max_length=60)
    to: str = Field(
        pattern=r"^[a-z][a-z0-9_]{0,39}(\.\d{1,2})?$",
        description="A part that takes many inputs, a rail to join, 'output' or 'bus' for a new one",
    )
    kind: Word | None = None
    values: Values = Field(default_factory=dict)
    mode: Literal["full", "balance", "crossover", "band", "mid-side"] = "full"
    join: Literal["merge", "bus"] = Field("merge", description="What a joined rail gets")
    level_db: float = Field(0, ge=-120, le=60, description="Of a send")


class Replace(Edge):
    do: Literal["replace"] = "replace"
    node: NodeId
    kind: Word


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
    """Sidings: what stands at a place, how it is set, which the line calls at, what is kept."""

    do: Literal["arrange"] = "arrange"
    frame: NodeId
    place: int | None = Field(None, ge=1, le=16, description="The siding that is meant")
    kind: Word | None = Field(None, description="What is put there")
    clear: bool = Field(False, description="Take away what stands there")
    values: Values = Field(default_factory=dict, description="Settings of what stands there")
    calls: tuple[int, ...] | None = Field(None, max_length=16)
    beside: tuple[Beside, ...] | None = Field(None, max_length=2)
    keep: str | None = Field(
        None, min_length=1, max_length=40, description="Keep the line by a name"
    )
    drop: str | None = Field(None, max_length=40, description="Forget a line that was kept")
    take: str | None = Field(None, max_length=40, description="Put a line that was kept in force")


class SetRig(Edge):
    do: Literal["rig"] = "rig"
    title: str | None = Field(None, min_length=1, max_length=80)
    scenes: tuple[Scene, ...] | None = Field(None, max_length=64)
    board: Board | None = None


class Intend(Edge):
    """Mark a check as meant, or take the mark away."""

    do: Literal["intend"] = "intend"
    check: str = Field(max_length=60)
    at: str = Field("", max_length=60)
    reason: str = Field("", max_length=200)
    on: bool = True


class SetWishes(Edge):
    """What shall arrive, all of it as it shall stand."""

    do: Literal["wishes"] = "wishes"
    wishes: tuple[Wish, ...] = Field(max_length=MOST_WISHES)


class Notate(Edge):
    """The whole rig anew from its notation."""

    do: Literal["notate"] = "notate"
    text: str = Field(max_length=2_000_000)


class MarkPath(Edge):
    """What a whole path counts as, and whether its delay is wanted: kept on its own stages."""

    do: Literal["path"] = "path"
    source: NodeId
    output: NodeId
    through: tuple[Word, ...] = Field(max_length=400, description="As in an arrival")
    counts_as: Role | None = None
    delay_is: Literal["auto", "latency", "intended"] | None = None


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
    | SetCable
    | Bypass
    | Parallel
    | AddSend
    | Lay
    | Replace
    | Duplicate
    | Paste
    | SetKey
    | Arrange
    | SetRig
    | Intend
    | SetWishes
    | Notate
    | MarkPath
    | Several,
    Field(discriminator="do"),
]
Several.model_rebuild()
