"""All kinds by name, and how they are described for menus and the inspector."""

from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, Field

from core.edge import Edge
from core.routing.document.fields import (
    parameters_of,
)
from core.routing.document.kinds.base import Mixed, Node, Stage
from core.routing.document.kinds.dynamics import Compressor, Drive, Ducker, ThreeBand
from core.routing.document.kinds.frame import FRAMED, Frame
from core.routing.document.kinds.gains import (
    EffectsLoop,
    Fader,
    Generic,
    Level,
    MidSideDecoder,
    MidSideEncoder,
    Outboard,
    PowerAmp,
    Preamp,
    VolumePedal,
)
from core.routing.document.kinds.gear import (
    DI,
    Air,
    Cabinet,
    CabinetModel,
    LoadBox,
    Microphone,
    ReampBox,
)
from core.routing.document.kinds.joins import (
    Bus,
    Merge,
    Output,
    PassiveMixer,
    Return,
    Send,
    Source,
    Split,
)
from core.routing.document.kinds.movement import Chorus, Tremolo
from core.routing.document.kinds.settings import Group, group_of, main_of, place_of, scale_of
from core.routing.document.kinds.space import Convolution, Delay, Reverb, StandIn
from core.routing.document.kinds.tone import Equaliser, Filter, Swept

AnyNode = Annotated[
    Source
    | Compressor
    | ThreeBand
    | Ducker
    | Drive
    | Filter
    | Swept
    | Equaliser
    | Delay
    | Reverb
    | Convolution
    | StandIn
    | Chorus
    | Tremolo
    | VolumePedal
    | Level
    | Fader
    | MidSideEncoder
    | MidSideDecoder
    | Preamp
    | EffectsLoop
    | PowerAmp
    | Cabinet
    | CabinetModel
    | LoadBox
    | DI
    | ReampBox
    | Outboard
    | Generic
    | Microphone
    | Air
    | Return
    | Send
    | Split
    | Merge
    | Bus
    | PassiveMixer
    | Frame
    | Output,
    Field(discriminator="kind"),
]


_ALL: tuple[type[Node], ...] = (
    Source, Compressor, ThreeBand, Ducker, Drive, Filter, Swept, Equaliser, Delay, Reverb,
    Convolution, StandIn, Chorus, Tremolo, VolumePedal, Level, Fader, MidSideEncoder, MidSideDecoder, Preamp, EffectsLoop, PowerAmp,
    Cabinet, CabinetModel, LoadBox, DI, ReampBox, Outboard, Generic, Microphone, Air, Return, Send, Split,
    Merge, Bus, PassiveMixer, Frame, Output,
)  # fmt: skip


KINDS: dict[str, type[Node]] = {str(k.model_fields["kind"].default): k for k in _ALL}


STAGE_KINDS = tuple(name for name, model in KINDS.items() if model.is_stage)


def kind_of(node: Node) -> str:
    kind: str = node.kind  # type: ignore[attr-defined]
    return kind


def field_of(node: Node, name: str, default: Any = None) -> Any:
    """A field that not every kind has. Much quicker than getattr, which searches the model first."""
    return node.__dict__.get(name, default)


def has_trails(node: Stage) -> bool:
    """Whether a stage's tail rings on when it is switched off, said in either of two ways.

    Delays and reverbs have a flag for it; every stage can say it as what its bypass is.
    """
    return node.bypass_is == "trails" or bool(field_of(node, "trails", False))


def passes_input(node: Stage) -> bool:
    """Whether a stage lets its input through while it is bypassed.

    With trails only what mixes dry in by itself does: at 100 % wet nothing but the tail is left.
    """
    if not has_trails(node):
        return node.bypass_is == "thru"
    return not isinstance(node, Mixed) or node.mix_percent < 100


def is_bypassed(node: Node) -> bool:
    return isinstance(node, Stage) and node.bypassed


Trait = Literal[
    "linear", "wet_by_nature", "diffuse", "stereo_by_nature", "moving", "has_tail", "transparent",
    "many_inputs", "processes", "has_low_cut", "takes_key", "mixes", "fits_frame",
]  # fmt: skip


def traits_of(node: Node) -> tuple[Trait, ...]:
    """What a node is, by name, with the settings that it has."""
    found: list[Trait] = [name for name in get_args(Trait) if getattr(node, name, False)]
    if isinstance(node, Mixed):
        found.append("mixes")
    if type(node) in FRAMED:
        found.append("fits_frame")
    return tuple(found)


class ScaleOut(Edge):
    """The range that people work in; what can be typed goes as far as the limits."""

    low: float
    high: float
    log: bool


class ParameterOut(Edge):
    """A settable field, described for the interface."""

    field: str
    label: str
    sort: Literal["number", "time", "choice", "flag", "text", "whole"]
    unit: str
    low: float | None
    high: float | None
    choices: tuple[str, ...]
    about: str
    optional: bool
    own: bool = Field(description="Of this kind alone; false for what every stage has")
    group: Group = Field(description="What it is listed under")
    default: float | bool | str | None = Field(description="Its value at rest")
    scale: ScaleOut | None = Field(description="Of numbers, and of times in ms")


class KindOut(Edge):
    kind: str
    title: str
    stage: bool
    traits: tuple[Trait, ...] = Field(description="What it is, with its settings at rest")
    parameters: tuple[ParameterOut, ...]
    main: tuple[str, ...] = Field(description="Fields that are seen first, in their order")


_STRIP_MAIN = ("level_db", "pan_percent", "width_percent", "delay_ms", "inverted")


def describe_strip() -> KindOut:
    """The strip of an input, described as a kind is."""
    from core.routing.document.rig import Strip

    return KindOut(
        kind="strip", title="Strip", stage=False, traits=(), main=_STRIP_MAIN,
        parameters=_described("strip", Strip, set()),
    )  # fmt: skip


def _described(kind: str, model: type[BaseModel], shared: set[str]) -> tuple[ParameterOut, ...]:
    found = []
    for p in parameters_of(model):
        scale = scale_of(p)
        found.append(
            ParameterOut(
                field=p.field,
                label=p.label,
                sort=p.sort,
                unit=p.unit,
                low=p.low,
                high=p.high,
                choices=p.choices,
                about=p.about,
                optional=p.optional,
                own=p.field not in shared or p.field == "name",
                group=group_of(kind, p.field),
                default=p.default,
                scale=ScaleOut(low=scale.low, high=scale.high, log=scale.log) if scale else None,
            )  # fmt: skip
        )
    return tuple(sorted(found, key=lambda p: place_of(kind, p.field)))


def describe_kinds() -> tuple[KindOut, ...]:
    """Every kind with its fields, for menus and the inspector."""
    shared = set(Stage.model_fields)
    return tuple(
        KindOut(
            kind=name,
            title=model.title,
            stage=model.is_stage,
            traits=traits_of(model(id="x")),
            parameters=_described(name, model, shared),
            main=main_of(name, model),
        )  # fmt: skip
        for name, model in KINDS.items()
    )


def make(kind: str, id: str, **values: Any) -> Node:
    """A node of a kind by name."""
    return KINDS[kind](id=id, **values)
