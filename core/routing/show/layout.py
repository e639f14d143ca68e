"""Where a rig is drawn: columns and lanes, computed anew each time and never stored.

The sound runs left to right. A rail that leaves by a node's first output goes straight on; others
run in lanes below, the later ones nearer, so that lines do not cross. Rails that close a cycle run
back below what they close round. Units: one column is the width of a stage, lanes count downwards.
"""

from pydantic import Field

from core.edge import Edge
from core.routing.document import kinds as k
from core.routing.document.rig import PLAIN, Rig
from core.routing.plan.model import Plan
from core.routing.plan.walk import walk
from core.routing.show.captions import caption, strip_caption, taps_before_fader

_NARROW = {"split": 0.4, "merge": 0.45, "bus": 0.5, "passive_mixer": 0.6, "output": 0.6}
_MOST = 1.7


def _width(node: k.Node, words: str) -> float:
    """Columns that a part needs so that its name and caption stand clear of its neighbours'."""
    name = "" if node.name is None and k.kind_of(node) in ("split", "merge") else node.shown
    text = max(0.082 * min(len(name), 17), 0.074 * len(words)) + 0.14
    return min(_MOST, max(_NARROW.get(k.kind_of(node), 0.72), text))


class PlacedNode(Edge):
    id: str
    x: float = Field(description="Column of its middle")
    lane: float
    run: int = Field(description="Nodes of one run stand on one line")
    kind: str
    shown: str
    caption: str
    off: bool = Field(description="Bypassed or muted")
    wet: bool = Field(description="Whether wet sound comes out of it")


class PlacedRail(Edge):
    port: str
    target: str = ""
    xs: list[float]
    lanes: list[float]
    back: bool
    dry: bool = Field(False, description="Whether it carries dry sound")
    wet: bool = Field(False, description="Whether it carries wet sound")
    caption: str = Field("", description="What the strip at its end does")


class RigLayout(Edge):
    columns: float
    lanes: float
    nodes: list[PlacedNode]
    rails: list[PlacedRail]
    reading: list[str] = Field(description="Nodes in the order of the arrow keys")


def lay_out_rig(rig: Rig, plan: Plan) -> RigLayout:
    """Columns and lanes for every node, and a bent line for every rail."""
    times_ms = {name: time * 1e3 for name, time in plan.times_s.items()}
    order, back = walk(rig)
    taps = {s.id: taps_before_fader(rig, s.id) for s in rig.of_kind("send")}
    words = {n: caption(node, times_ms, taps.get(n)) for n, node in rig.nodes.items()}
    xs = _columns(rig, order, back, {n: _width(rig.nodes[n], words[n]) for n in rig.nodes})
    lanes, runs, bare, opened = _lanes(rig, order, back, xs)
    rails = []
    taken: dict[str, int] = {}
    low = max([*lanes.values(), *bare.values()], default=0.0)
    for port in sorted(
        rig.rails, key=lambda p: (lanes[rig.rails[p].target], xs[p.rpartition(".")[0]])
    ):
        source, target = port.rpartition(".")[0], rig.rails[port].target
        x1, x2, a, b = xs[source], xs[target], lanes[source], lanes[target]
        if port in back:
            depth = max(a, b) + 0.55
            low = max(low, depth)
            rails.append(
                PlacedRail(port=port, xs=[x1, x1, x2, x2], lanes=[a, depth, depth, b], back=True)
            )
            continue
        if a == b and port not in bare:
            rails.append(PlacedRail(port=port, xs=[x1, x2], lanes=[a, b], back=False))
        elif port in opened:
            rails.append(PlacedRail(port=port, xs=[x1, x1, x2], lanes=[a, b, b], back=False))
        else:
            count = taken.get(target, 0)
            taken[target] = count + 1
            place = x2 - 0.07 * count
            own = bare.get(port, a)
            if own != a:
                rails.append(
                    PlacedRail(
                        port=port, xs=[x1, x1, place, place], lanes=[a, own, own, b], back=False
                    )
                )
            else:
                rails.append(
                    PlacedRail(port=port, xs=[x1, place, place], lanes=[a, a, b], back=False)
                )
    styled = [_styled(rig, plan, rail) for rail in rails]
    reading = sorted(rig.nodes, key=lambda n: (lanes[n], xs[n]))
    return RigLayout(
        columns=max((xs[n] + 0.5 for n in rig.nodes), default=1.0),
        lanes=low + 1,
        nodes=[
            PlacedNode(
                id=n,
                x=round(xs[n], 4),
                lane=lanes[n],
                run=runs[n],
                kind=k.kind_of(rig.nodes[n]),
                shown=rig.nodes[n].shown,
                caption=words[n],
                off=bool(k.is_bypassed(rig.nodes[n]) or k.field_of(rig.nodes[n], "muted", False)),
                wet=_carries(plan, f"{n}.0")[1],
            )
            for n in sorted(rig.nodes)
        ],
        rails=styled,
        reading=reading,
    )


def _carries(plan: Plan, port: str) -> tuple[bool, bool]:
    """Dry and wet sound at an output port."""
    point = plan.outlet.get(port)
    if point is None:
        return False, False
    carried = plan.carried[point]
    return carried.dry_dbfs is not None, carried.wet_dbfs is not None


def _styled(rig: Rig, plan: Plan, rail: PlacedRail) -> PlacedRail:
    dry, wet = _carries(plan, rail.port)
    to = rig.rails[rail.port]
    words = strip_caption(to.strip)
    return rail.model_copy(update={"target": to.target, "dry": dry, "wet": wet, "caption": words})


def _columns(
    rig: Rig, order: list[str], back: set[str], widths: dict[str, float]
) -> dict[str, float]:
    """The middle of every node; names of sources and outputs stand beside them, not across."""
    xs: dict[str, float] = {}
    ends: dict[str, float] = {}
    for name in order:
        left = 0.0
        for port in rig.inputs[name]:
            source = port.rpartition(".")[0]
            if port not in back:
                # A second rail without a stage on it, and a strip's caption, need room to be seen.
                room = 0.0 if port.endswith(".0") else 0.5
                if rig.rails[port].strip != PLAIN:
                    room = max(room, 0.075 * len(strip_caption(rig.rails[port].strip)))
                left = max(left, ends[source] + room)
        kind = k.kind_of(rig.nodes[name])
        xs[name] = left + (0.05 if kind == "source" else widths[name] / 2)
        ends[name] = left + widths[name]
    last = max(xs.values(), default=0.0)
    for output in rig.of_kind("output"):
        xs[output.id] = last
    return xs


def _lanes(
    rig: Rig, order: list[str], back: set[str], xs: dict[str, float]
) -> tuple[dict[str, float], dict[str, int], dict[str, float], set[str]]:
    """Lane and run of every node, the lanes of rails that carry no stage of their own, and the rails
    that begin a run: they leave for its lane at once.
    """
    lanes: dict[str, float] = {}
    runs: dict[str, int] = {}
    held: dict[int, list[tuple[float, float]]] = {}
    bare: dict[str, float] = {}
    trunks: dict[str, tuple[int, float]] = {}
    opened: set[str] = set()

    def free(lane: int, low: float, high: float) -> bool:
        return all(high <= a or low >= b for a, b in held.get(lane, ()))

    def take(least: int, low: float, high: float) -> int:
        lane = least
        while not free(lane, low, high):
            lane += 1
        held.setdefault(lane, []).append((low, high))
        return lane

    def trunk(target: str, least: int, low: float) -> int:
        """A lane for a rail without a stage; those that go to one place share theirs."""
        if target in trunks:
            lane, began = trunks[target]
            if lane >= least and (low >= began or free(lane, low, began)):
                if low < began:
                    held[lane].append((low, began))
                    trunks[target] = lane, low
                return lane
        lane = take(least, low, xs[target] - 0.01)
        trunks[target] = lane, low
        return lane

    def run(start: str, least: int, low: float) -> None:
        chain: list[str] = []
        node: str | None = start
        end = xs[start]
        while node is not None and node not in lanes:
            chain.append(node)
            lanes[node] = -1
            end = xs[node]
            ports = [p for p in rig.outputs_of(node) if p not in back]
            straight = next((p for p in ports if p.endswith(".0")), ports[0] if ports else None)
            node = rig.rails[straight].target if straight else None
            if node is not None:
                end = max(end, xs[node])
        number = len(set(runs.values()))
        lane = take(least, low, end - 0.01)
        for one in chain:
            lanes[one], runs[one] = lane, number
        for one in reversed(chain):
            ports = [p for p in rig.outputs_of(one) if p not in back]
            straight = next((p for p in ports if p.endswith(".0")), ports[0] if ports else None)
            for port in ports:
                if port == straight:
                    continue
                target = rig.rails[port].target
                if target not in lanes:
                    opened.add(port)
                    run(target, lane + 1, xs[one])
                else:
                    bare[port] = trunk(target, lane + 1, xs[one])

    # The source with the longest course comes first.
    sources = sorted(
        (n.id for n in rig.of_kind("source")), key=lambda n: (-len(rig.downstream(n)), n)
    )
    for start in [*sources, *order]:
        if start not in lanes:
            least = 0 if not held else max(held) + 1
            run(start, least, xs[start] - 0.5)
    return lanes, runs, bare, opened
