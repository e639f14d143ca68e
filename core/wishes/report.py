"""Standing wishes of a rig with their figures, in words."""

from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.routing.document.wishes import WISHES, Bound, Taken, Wish, WishKind
from core.units import format as fmt
from core.wishes.measure import Looked, figure_of


class WishKindOut(Edge):
    """What can be wished for."""

    kind: WishKind
    words: str
    unit: str
    takes: list[Taken]
    bound: Bound
    usual: float
    low: float
    high: float
    about: str
    definition: str
    taste: bool
    of: list[str] = Field(description="Kinds of stages that its part can be; empty: any")


class WishOut(Edge):
    """A standing wish with what it measures."""

    wish: Wish
    title: str = Field(description="In words, without the bound")
    asked: str = Field(description="The bound in words: 'under −20 dB'")
    figure: float | None = Field(description="In its unit; null: it has none here")
    unit: str
    holds: bool | None
    short_by: float | None = Field(description="How far from it, in its unit; 0 where it holds")
    sentence: str
    about: str
    definition: str
    taste: bool
    heard: float | None = Field(None, description="The same, measured in a render")
    heard_holds: bool | None = Field(
        None, description="Whether it holds there, within the tolerance; null: not measured"
    )
    heard_said: str = Field("", description="What the render says, or why it says nothing")


class WishesOut(Edge):
    wishes: list[WishOut]
    held: int
    sentence: str
    computed_how: str


def wish_kinds() -> list[WishKindOut]:
    return [
        WishKindOut(
            kind=kind, words=s.words, unit=s.unit, takes=list(s.takes), bound=s.bound, usual=s.usual,
            low=s.low, high=s.high, about=s.about, definition=s.definition, taste=s.taste, of=list(s.of),
        )
        for kind, s in WISHES.items()
    ]  # fmt: skip


def title_of(wish: Wish, looked: Looked) -> str:
    """'Level of Echo against Dry', with parts by their names."""

    def shown(name: str) -> str:
        node = looked.rig.nodes.get(name)
        return name if node is None else node.shown

    said = wish.spec.words
    if wish.parts:
        said += " of " + ", ".join(shown(p) for p in wish.parts)
    if wish.kind == "balance":
        said += f" against {'the dry sound' if wish.against is None else shown(wish.against)}"
    if wish.variant:
        said += f" against variant {wish.variant}"
    if wish.during:
        said += f" in {wish.during}"
    if wish.output:
        said += f" at {shown(wish.output)}"
    if wish.when:
        said += f" {'from' if wish.kind == 'pre_delay' else 'after'} {wish.when}"
    if wish.low_hz or wish.high_hz:
        said += (
            f", {fmt.number(wish.low_hz or 20, 0)} to {fmt.number(wish.high_hz or 20_000, 0)} Hz"
        )
    return said[:1].upper() + said[1:]


def asked_of(wish: Wish) -> str:
    unit = wish.spec.unit
    said = f"{wish.bound} {_shown(wish, wish.value)}{'' if unit == ':1' else ' '}{unit}"
    return f"{said} ± {fmt.significant(wish.near, 2)}" if wish.bound == "about" else said


def shown_figure(wish: Wish, figure: float) -> str:
    """With its unit."""
    return f"{_shown(wish, figure)}{'' if wish.spec.unit == ':1' else ' '}{wish.spec.unit}"


def _shown(wish: Wish, figure: float) -> str:
    signed = wish.spec.unit == "dB" and wish.spec.low < 0
    digits = 1 if wish.spec.unit != "ms" else 2 if abs(figure) < 100 else 0
    return fmt.signed(figure, digits) if signed else fmt.number(figure, digits)


def measured(wish: Wish, looked: Looked) -> WishOut:
    """One wish over a rig; never raises for what the rig lacks."""
    spec = wish.spec
    figure: float | None = None
    try:
        figure = figure_of(wish, looked)
        short = wish.short_by(figure)
        said = shown_figure(wish, figure)
        if short > 0:
            said += f": {fmt.significant(short, 2)} {spec.apart} {_side(wish, figure)}."
        else:
            said += ": it holds."
    except FonodromeError as error:
        short, said = None, error.sentence
    return WishOut(
        wish=wish, title=title_of(wish, looked), asked=asked_of(wish), figure=figure,
        unit=spec.unit, holds=None if short is None else short <= 0, short_by=short, sentence=said,
        about=spec.about, definition=spec.definition, taste=spec.taste,
    )  # fmt: skip


def _side(wish: Wish, figure: float) -> str:
    return "too much" if figure > wish.value else "too little"


def wishes_of(looked: Looked, wishes: tuple[Wish, ...] | None = None) -> WishesOut:
    """All standing wishes of a rig, or others over it."""
    found = [measured(w, looked) for w in (looked.rig.wishes if wishes is None else wishes)]
    held = sum(one.holds is True for one in found)
    return WishesOut(
        wishes=found, held=held,
        sentence=(
            "No wishes stand." if not found
            else "All wishes hold." if held == len(found)
            else f"{held} of {len(found)} wishes hold."
        ),
        computed_how=(
            "Figures of the plan at nominal levels, each by its definition; over the clip in hand by its "
            "stored levels every 10 ms. What is proposed is rendered and measured before it is called "
            "fulfilled."
        ),
    )  # fmt: skip
