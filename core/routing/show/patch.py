"""The patch sheet: cables, mixer channels, supply and footprints, as rows to print or export."""

import csv
import io

from pydantic import Field

from core.edge import Edge
from core.routing.document import kinds as k
from core.routing.document.footprints import lay_out
from core.routing.document.rig import Rig
from core.routing.plan.walk import walk

_PLUGS = {
    "instrument": ("6.3 mm, unbalanced", "instrument"),
    "line": ("6.3 mm or XLR, balanced", "line"),
    "mic": ("XLR", "microphone"),
    "speaker": ("speaker cable, no screen", "speaker"),
    "air": ("none: through the air", "sound"),
}


class Cable(Edge):
    source: str
    target: str
    plug: str
    level: str
    channels: int


class MixerChannel(Edge):
    name: str
    role: str
    level_db: float
    feeds: str


class SupplyRow(Edge):
    name: str
    volts: float
    current_ma: float


class Footprint(Edge):
    """A pedal on the board, from its left and its far edge."""

    name: str
    x_mm: float
    y_mm: float
    width_mm: float
    depth_mm: float


class PatchSheet(Edge):
    cables: list[Cable]
    mixer: list[MixerChannel]
    supply: list[SupplyRow]
    drawn_ma: float
    rating_ma: float | None
    board_width_mm: float | None = Field(description="Null where the board has no size")
    board_depth_mm: float | None
    placed: list[Footprint]
    left_over: list[str]


def patch_sheet(rig: Rig, level_kinds: dict[str, str], channels: dict[str, int]) -> PatchSheet:
    """`level_kinds`: what each node gives; `channels`: 1 or 2 per output port."""
    cables = []
    order = {name: i for i, name in enumerate(walk(rig)[0])}
    for port in sorted(rig.rails, key=lambda p: (order[p.rpartition(".")[0]], p)):
        source = rig.nodes[port.rpartition(".")[0]]
        target = rig.nodes[rig.rails[port].target]
        plug, level = _PLUGS[level_kinds.get(source.id, "line")]
        cables.append(
            Cable(
                source=source.shown, target=target.shown, plug=plug, level=level,
                channels=channels.get(port, 1),
            )
        )  # fmt: skip
    mixer = []
    for node in rig.nodes.values():
        if isinstance(node, (k.Fader, k.Return, k.Bus)):
            onward = rig.outputs_of(node.id)
            feeds = rig.nodes[rig.rails[onward[0]].target].shown if onward else "nothing"
            role = {"fader": "channel", "return": "return", "bus": "bus"}[k.kind_of(node)]
            mixer.append(
                MixerChannel(name=node.shown, role=role, level_db=node.level_db, feeds=feeds)
            )
    supply = [
        SupplyRow(name=n.shown, volts=n.supply_v or rig.board.supply_v, current_ma=n.current_ma)
        for n in rig.nodes.values()
        if isinstance(n, k.Stage) and n.current_ma
    ]
    laid = lay_out(rig)
    return PatchSheet(
        cables=cables,
        mixer=mixer,
        supply=supply,
        drawn_ma=sum(row.current_ma for row in supply),
        rating_ma=rig.board.supply_ma,
        board_width_mm=rig.board.width_mm if laid else None,
        board_depth_mm=rig.board.depth_mm if laid else None,
        placed=[_footprint(rig, n, x, y) for n, x, y in laid.placed] if laid else [],
        left_over=[rig.nodes[n].shown for n in laid.left_over] if laid else [],
    )


def _footprint(rig: Rig, id: str, x: float, y: float) -> Footprint:
    node = rig.nodes[id]
    assert isinstance(node, k.Stage)
    return Footprint(
        name=node.shown, x_mm=x, y_mm=y, width_mm=node.width_mm or 0, depth_mm=node.depth_mm or 0
    )


def as_csv(sheet: PatchSheet) -> str:
    """The sheet as one CSV, a block for each part."""
    out = io.StringIO()
    write = csv.writer(out).writerow
    write(["from", "to", "connector", "level", "channels"])
    for cable in sheet.cables:
        write([cable.source, cable.target, cable.plug, cable.level, cable.channels])
    write([])
    write(["mixer channel", "role", "level dB", "feeds"])
    for row in sheet.mixer:
        write([row.name, row.role, f"{row.level_db:g}", row.feeds])
    write([])
    write(["device", "volts", "mA"])
    for item in sheet.supply:
        write([item.name, f"{item.volts:g}", f"{item.current_ma:g}"])
    if sheet.placed or sheet.left_over:
        write([])
        write(["on the board", "from the left mm", "from the far edge mm", "width mm", "depth mm"])
        for f in sheet.placed:
            write([f.name, f"{f.x_mm:g}", f"{f.y_mm:g}", f"{f.width_mm:g}", f"{f.depth_mm:g}"])
        for name in sheet.left_over:
            write([name, "no room"])
    return out.getvalue()
