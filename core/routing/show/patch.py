"""The patch sheet: cables, mixer channels, supply and footprints, as rows to print or export."""

from collections.abc import Iterator
from dataclasses import dataclass, replace

from pydantic import Field

from core.edge import Edge
from core.routing.document import kinds as k
from core.routing.document.footprints import lay_out
from core.routing.document.rig import PLAIN, UNSAID, Rig, Strip
from core.routing.show.boxes import MIXER, Lead, boxes_of, leads_of
from core.routing.show.layout import RigLayout
from core.routing.show.numbers import stage_numbers
from core.tables import Row, csv_text

_PLUGS = {
    "instrument": ("6.3 mm, unbalanced", "instrument"),
    "line": ("6.3 mm or XLR, balanced", "line"),
    "mic": ("XLR", "microphone"),
    "speaker": ("speaker cable, no screen", "speaker"),
    "air": ("none: through the air", "sound"),
}


class NumberedStage(Edge):
    number: int
    id: str
    name: str


class CableRow(Edge):
    """One cable. Its number is the one on the drawing."""

    number: int
    port: str = Field(description="Rail that it is; empty: the mixer's own way out")
    from_id: str = Field(description="Part that it leaves; empty: the mixer")
    from_number: int | None = Field(description="Number of the stage that it leaves")
    source: str
    from_jack: str
    to_id: str = Field(description="Part where it ends; empty: the mixer")
    to_number: int | None
    target: str
    to_jack: str
    plug: str
    level: str
    carries: str = Field(description="mono or stereo")
    length_m: float | None
    adaptor: str


class Uncabled(Edge):
    """A rail that is no cable."""

    port: str
    source: str
    target: str
    why: str


class MixerWay(Edge):
    """Where a channel goes inside the mixer, with all that is set on the way."""

    to: str
    stages: list[int] = Field(description="Numbers of what is set on the way")
    level_db: float = Field(description="All levels on the way, added")
    pan_percent: float
    width_percent: float
    delay_ms: float
    inverted: bool
    muted: bool


class MixerChannel(Edge):
    number: int
    inputs: str = Field(description="Jacks: '3', or '3, 4' for two sides")
    name: str
    ways: list[MixerWay] = Field(description="The straight one first, sends behind it")


class MixerBus(Edge):
    name: str
    number: int | None
    level_db: float
    muted: bool
    feeds: str


class SupplyRow(Edge):
    number: int | None
    name: str
    volts: float
    current_ma: float


class Footprint(Edge):
    """A pedal on the board, from its left and its far edge."""

    number: int | None
    name: str
    x_mm: float
    y_mm: float
    width_mm: float
    depth_mm: float


class PatchSheet(Edge):
    stages: list[NumberedStage] = Field(description="In the order of their numbers")
    cables: list[CableRow]
    uncabled: list[Uncabled]
    channels: list[MixerChannel]
    buses: list[MixerBus]
    supply: list[SupplyRow]
    drawn_ma: float
    rating_ma: float | None
    reserve_ma: float | None = Field(description="Left of the rating; below 0 it is too much")
    board_width_mm: float | None = Field(description="Null where the board has no size")
    board_depth_mm: float | None
    placed: list[Footprint]
    left_over: list[str]


def patch_sheet(
    rig: Rig, level_kinds: dict[str, str], channels: dict[str, int], layout: RigLayout
) -> PatchSheet:
    """`level_kinds`: what each node gives; `channels`: 1 or 2 per output port."""
    numbers = stage_numbers(rig, layout.reading)
    boxes = boxes_of(rig, level_kinds)
    leads = _in_order(rig, leads_of(rig, level_kinds, boxes), layout)
    inputs = _mixer_inputs(rig, leads, channels)
    cables = [
        _cable(rig, number, lead, leads, inputs, numbers, level_kinds, channels)
        for number, lead in enumerate(leads, 1)
    ]
    supply = [
        SupplyRow(
            number=numbers.get(n.id), name=n.shown, volts=n.supply_v or rig.board.supply_v,
            current_ma=n.current_ma,
        )
        for n in sorted(rig.nodes.values(), key=lambda n: (numbers.get(n.id, 0), n.id))
        if isinstance(n, k.Stage) and n.current_ma
    ]  # fmt: skip
    laid = lay_out(rig)
    drawn, rating = sum(row.current_ma for row in supply), rig.board.supply_ma
    return PatchSheet(
        stages=[NumberedStage(number=n, id=id, name=rig.nodes[id].shown) for id, n in numbers.items()],
        cables=cables,
        uncabled=_uncabled(rig, leads, level_kinds),
        channels=[
            _channel(rig, number, lead, inputs[lead.ports[0]], numbers, boxes)
            for number, lead in enumerate((c for c in leads if c.target == MIXER), 1)
        ],
        buses=_buses(rig, numbers, boxes),
        supply=supply,
        drawn_ma=drawn,
        rating_ma=rating,
        reserve_ma=None if rating is None else rating - drawn,
        board_width_mm=rig.board.width_mm if laid else None,
        board_depth_mm=rig.board.depth_mm if laid else None,
        placed=[_footprint(rig, n, x, y, numbers) for n, x, y in laid.placed] if laid else [],
        left_over=[rig.nodes[n].shown for n in laid.left_over] if laid else [],
    )  # fmt: skip


# Cables -----------------------------------------------------------------------------------------
def _in_order(rig: Rig, leads: list[Lead], layout: RigLayout) -> list[Lead]:
    """Along the drawing; the mixer's ways out come last."""
    place = {n.id: (n.lane, n.x) for n in layout.nodes}

    def key(lead: Lead) -> tuple[bool, float, float, str]:
        main = lead.source == MIXER and isinstance(rig.nodes.get(lead.target), k.Output)
        start = place[lead.ports[0].rpartition(".")[0] if lead.ports else lead.target]
        return main, *start, lead.ports[0] if lead.ports else ""

    return sorted(leads, key=key)


def _stereo(rig: Rig, lead: Lead, channels: dict[str, int]) -> bool:
    for port in lead.ports:
        said = rig.rails[port].cable.carries
        if said != "auto":
            return said == "stereo"
    output = rig.nodes.get(lead.target)
    if isinstance(output, k.Output) and lead.source == MIXER:
        return output.stereo or any(channels.get(p, 1) == 2 for p in rig.inputs[output.id])
    return any(channels.get(port, 1) == 2 for port in lead.ports)


def _mixer_inputs(rig: Rig, leads: list[Lead], channels: dict[str, int]) -> dict[str, str]:
    """Rail to the mixer's input jacks that it takes: two for two sides."""
    found, free = {}, 1
    for lead in leads:
        if lead.target == MIXER:
            wide = _stereo(rig, lead, channels)
            found[lead.ports[0]] = f"{free}, {free + 1}" if wide else f"{free}"
            free += 2 if wide else 1
    return found


def _cable(
    rig: Rig, number: int, lead: Lead, leads: list[Lead], inputs: dict[str, str],
    numbers: dict[str, int], level_kinds: dict[str, str], channels: dict[str, int],
) -> CableRow:  # fmt: skip
    said = rig.rails[lead.ports[0]].cable if lead.ports else UNSAID
    start = lead.ports[0].rpartition(".")[0] if lead.ports else ""
    plug, level = _PLUGS[level_kinds.get(start, "line")]
    return CableRow(
        number=number,
        port=lead.ports[0] if lead.ports else "",
        from_id=lead.source,
        from_number=numbers.get(lead.source),
        source="Mixer" if lead.source == MIXER else rig.nodes[lead.source].shown,
        from_jack=said.from_jack or _leaves(rig, lead, leads),
        to_id=lead.target,
        to_number=numbers.get(lead.target),
        target="Mixer" if lead.target == MIXER else rig.nodes[lead.target].shown,
        to_jack=said.to_jack or (f"input {inputs[lead.ports[0]]}" if lead.target == MIXER else ""),
        plug=said.connector or plug,
        level=level,
        carries="stereo" if _stereo(rig, lead, channels) else "mono",
        length_m=said.length_m,
        adaptor=said.adaptor or "",
    )


def _leaves(rig: Rig, lead: Lead, leads: list[Lead]) -> str:
    """The jack that a cable leaves, where nobody named it."""
    if lead.source == MIXER:
        mains = [
            c for c in leads if c.source == MIXER and isinstance(rig.nodes.get(c.target), k.Output)
        ]
        if lead in mains:
            return "main" if len(mains) == 1 else f"main {mains.index(lead) + 1}"
        sends = [c for c in leads if c.source == MIXER and c not in mains]
        return f"send {sends.index(lead) + 1}"
    if rig.nodes[lead.source].most_outputs > 1:
        return f"output {int(lead.ports[0].rpartition('.')[2]) + 1}"
    return ""


def _uncabled(rig: Rig, leads: list[Lead], level_kinds: dict[str, str]) -> list[Uncabled]:
    cabled = {port for lead in leads for port in lead.ports}
    found = []
    for port, rail in sorted(rig.rails.items()):
        if port in cabled:
            continue
        source = port.rpartition(".")[0]
        why = "inside the mixer"
        if rail.cable.counts == "no":
            why = "said to be none"
        elif level_kinds.get(source) == "air":
            why = "through the air"
        found.append(
            Uncabled(
                port=port, source=rig.nodes[source].shown, target=rig.nodes[rail.target].shown, why=why
            )
        )  # fmt: skip
    return found


# The mixer --------------------------------------------------------------------------------------
@dataclass(frozen=True)
class _Way:
    to: str
    stages: tuple[int, ...] = ()
    level_db: float = 0.0
    strip: Strip = PLAIN
    inverted: bool = False
    muted: bool = False


def _comes_from(rig: Rig, id: str) -> str:
    """The part that a person would name: a split without a name is called by what feeds it."""
    while isinstance(rig.nodes[id], k.Split) and rig.nodes[id].name is None and rig.inputs[id]:
        id = rig.inputs[id][0].rpartition(".")[0]
    return id


def _channel(
    rig: Rig, number: int, lead: Lead, inputs: str, numbers: dict[str, int], boxes: dict[str, str]
) -> MixerChannel:
    port = lead.ports[0]
    name = rig.nodes[_comes_from(rig, port.rpartition(".")[0])].shown
    ways = [
        MixerWay(
            to=way.to, stages=list(way.stages), level_db=round(way.level_db, 6),
            pan_percent=way.strip.pan_percent, width_percent=way.strip.width_percent,
            delay_ms=way.strip.delay_ms, inverted=way.inverted, muted=way.muted,
        )
        for way in _ways(rig, port, boxes, numbers, _Way(""))
    ]  # fmt: skip
    return MixerChannel(number=number, inputs=inputs, name=name, ways=ways)


def _place(rig: Rig, node: k.Node) -> str:
    """What a person calls a place: a bus without a name by what it feeds."""
    onward = rig.outputs_of(node.id)
    if isinstance(node, k.Bus) and node.name is None and onward:
        return f"{node.shown} to {rig.nodes[rig.rails[onward[0]].target].shown}"
    return node.shown


def _ways(
    rig: Rig, port: str, boxes: dict[str, str], numbers: dict[str, int], so_far: _Way
) -> Iterator[_Way]:
    """From a rail on to where it is added, or out of the mixer."""
    rail = rig.rails.get(port)
    if rail is None:
        return
    node = rig.nodes[rail.target]
    if node.many_inputs or boxes[node.id] != MIXER:
        strip = rail.strip
        yield replace(
            so_far, to=_place(rig, node), strip=strip, level_db=so_far.level_db + strip.level_db,
            inverted=so_far.inverted != strip.inverted, muted=so_far.muted or strip.muted,
        )  # fmt: skip
        return
    own = (numbers[node.id],) if node.id in numbers else ()
    level = float(k.field_of(node, "level_db", 0.0)) + float(k.field_of(node, "output_db", 0.0))
    passed = replace(
        so_far,
        stages=(*so_far.stages, *own),
        level_db=so_far.level_db + level,
        inverted=so_far.inverted != bool(k.field_of(node, "inverted", False)),
        muted=so_far.muted or bool(k.field_of(node, "muted", False)),
    )
    for out in rig.outputs_of(node.id):
        # A send's level is on what it sends, not on what goes on.
        straight = isinstance(node, k.Send) and out.endswith(".0")
        yield from _ways(rig, out, boxes, numbers, so_far if straight else passed)


def _buses(rig: Rig, numbers: dict[str, int], boxes: dict[str, str]) -> list[MixerBus]:
    found = []
    for node in rig.nodes.values():
        if boxes[node.id] == MIXER and node.many_inputs:
            onward = [rig.nodes[rig.rails[p].target].shown for p in rig.outputs_of(node.id)]
            found.append(
                MixerBus(
                    name=_place(rig, node), number=numbers.get(node.id),
                    level_db=k.field_of(node, "level_db", 0.0),
                    muted=bool(k.field_of(node, "muted", False)),
                    feeds=", ".join(onward) or "nothing",
                )
            )  # fmt: skip
    return found


def _footprint(rig: Rig, id: str, x: float, y: float, numbers: dict[str, int]) -> Footprint:
    node = rig.nodes[id]
    assert isinstance(node, k.Stage)
    return Footprint(
        number=numbers.get(id),
        name=node.shown,
        x_mm=x,
        y_mm=y,
        width_mm=node.width_mm or 0,
        depth_mm=node.depth_mm or 0,
    )


# As text ----------------------------------------------------------------------------------------
CABLE_HEAD = ("cable", "from", "jack", "to", "jack", "connector", "level", "carries", "length m", "adaptor")  # fmt: skip


def end_of(number: int | None, name: str) -> str:
    return f"{number} {name}" if number is not None else name


def cable_rows(sheet: PatchSheet) -> list[Row]:
    return [
        (
            c.number, end_of(c.from_number, c.source), c.from_jack, end_of(c.to_number, c.target),
            c.to_jack, c.plug, c.level, c.carries, c.length_m, c.adaptor,
        )
        for c in sheet.cables
    ]  # fmt: skip


CHANNEL_HEAD = ("channel", "inputs", "name", "goes to", "level dB", "pan %", "width %", "delay ms", "polarity", "muted")  # fmt: skip


def channel_rows(sheet: PatchSheet) -> list[Row]:
    return [
        (
            c.number, c.inputs, c.name, w.to, w.level_db, w.pan_percent, w.width_percent, w.delay_ms,
            "inverted" if w.inverted else "normal", "yes" if w.muted else "no",
        )
        for c in sheet.channels
        for w in c.ways
    ]  # fmt: skip


def patch_blocks(sheet: PatchSheet) -> list[tuple[tuple[str, ...], list[Row]]]:
    """Head and rows of each part of the sheet."""
    board: list[Row] = [
        (end_of(f.number, f.name), f.x_mm, f.y_mm, f.width_mm, f.depth_mm) for f in sheet.placed
    ]
    board += [(name, "no room") for name in sheet.left_over]
    buses: list[Row] = [
        (end_of(b.number, b.name), b.level_db, "yes" if b.muted else "no", b.feeds)
        for b in sheet.buses
    ]
    supply: list[Row] = [(r.number, r.name, r.volts, r.current_ma) for r in sheet.supply]
    if supply and sheet.rating_ma is not None:
        supply.append((None, f"in reserve of {sheet.rating_ma:g} mA", None, sheet.reserve_ma))
    return [
        (CABLE_HEAD, cable_rows(sheet)),
        (CHANNEL_HEAD, channel_rows(sheet)),
        (("bus", "level dB", "muted", "goes to"), buses),
        (("stage", "device", "volts", "mA"), supply),
        (("on the board", "from the left mm", "from the far edge mm", "width mm", "depth mm"), board),
    ]  # fmt: skip


def as_csv(sheet: PatchSheet) -> str:
    """The sheet as one CSV, a block for each part."""
    return csv_text(patch_blocks(sheet))
