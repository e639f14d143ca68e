"""What each single control does: faders, mutes, bypasses and solos against groups of arrivals."""

import math

from core.routing.document import kinds as k
from core.routing.evaluate.arrivals import Evaluation
from core.routing.evaluate.paths import Path
from core.routing.evaluate.report import ControlEffect, ControlsOut

DOWN_DB = 10.0


def _groups(e: Evaluation, output: str) -> tuple[list[str], list[tuple[str, Path, float]]]:
    """Names of groups (by what is heard); every listed path with its group and its power."""
    names: list[str] = []
    found: list[tuple[str, Path, float]] = []
    many = sum(b.output == output for b in e.boards) > 1
    for board in e.boards:
        if board.output != output:
            continue
        source = e.rig.nodes[board.source]
        assert isinstance(source, k.Source)
        for path, arrival in zip(e.paths[output, board.source], board.arrivals, strict=True):
            name = arrival.name.split(",")[0]
            name = f"{source.shown}: {name.lower()}" if many and not path.wet else name
            if name not in names:
                names.append(name)
            power = path.gain**2 * 10 ** (source.level_dbfs / 10)
            found.append((name, path, power))
    return names, found


def _change(paths: list[tuple[Path, float]], hit: set[str], factor: float) -> float | None:
    """Change of a group's power in dB when arcs of these owners are scaled; None: silenced.

    paths: with the power of each at the output.
    """
    before = after = 0.0
    for path, power in paths:
        before += power
        after += power if hit.isdisjoint(path.owner_set) else power * factor**2
    if before == 0 or after == before:
        return 0.0
    return 10 * math.log10(after / before) if after > before * 1e-9 else None


def controls_at(e: Evaluation, output: str) -> ControlsOut:
    """The table at one output, from the listed paths (up to 64 a source)."""
    names, found = _groups(e, output)
    by_group = {n: [(p, power) for g, p, power in found if g == n] for n in names}
    everything = [(p, power) for _, p, power in found]
    rows: list[ControlEffect] = []

    def row(control: str, move: str, label: str, hit: set[str], factor: float) -> None:
        changes = [_change(by_group[n], hit, factor) for n in names]
        if any(c != 0.0 for c in changes):
            total = _change(everything, hit, factor)
            rows.append(
                ControlEffect(
                    control=control, move=move, label=label, changes_db=changes, total_db=total
                )
            )

    for node in e.rig.nodes.values():
        if isinstance(node, (k.Fader, k.Level, k.Send, k.Return, k.Bus)):
            shown = _label(e, node)
            row(node.id, f"down {DOWN_DB:g} dB", shown, {node.id}, 10 ** (-DOWN_DB / 20))
            row(node.id, "muted", shown, {node.id}, 0.0)
        elif isinstance(node, k.VolumePedal):
            row(node.id, "to the heel", node.shown, {node.id}, 0.0)
    inputs = [p for p in e.rig.inputs.get(output, ()) if e.rig.rails[p].target == output]
    for port in inputs:
        shown = f"Input from {e.rig.nodes[port.rpartition('.')[0]].shown}"
        row(port, "muted", shown, {port}, 0.0)
        others = {
            p for p in inputs
            if p != port and not _safe(e, p)
        }  # fmt: skip
        if others:
            row(port, "soloed", shown, others, 0.0)
    return ControlsOut(output=output, groups=names, rows=rows)


def _label(e: Evaluation, node: k.Node) -> str:
    """A name that tells several returns and sends apart: by the device they belong to."""
    if node.name is not None:
        return node.name
    way = e.rig.upstream(node.id) if isinstance(node, k.Return) else e.rig.downstream(node.id)
    if isinstance(node, (k.Return, k.Send, k.Bus)):
        for other in way:
            if isinstance(device := e.rig.nodes[other], (k.Delay, k.Reverb, k.Chorus)):
                return f"{node.title} of {device.shown}"
    return node.title


def _safe(e: Evaluation, port: str) -> bool:
    node = e.rig.nodes[port.rpartition(".")[0]]
    return isinstance(node, k.Return) and node.solo_safe


def pedal_travel(e: Evaluation, pedal: str, output: str, steps: int = 20) -> dict[str, list[float]]:
    """Wet and dry level (dB, against now at the toe) of a volume pedal from heel to toe.

    Returns columns: position_percent, dry_db, wet_db (-120 for silence).
    """
    from core.routing.plan.build import taper_gain

    node = e.rig.node(pedal)
    assert isinstance(node, k.VolumePedal)
    now = max(1e-6, taper_gain(node.position_percent / 100, node.taper))
    columns: dict[str, list[float]] = {"position_percent": [], "dry_db": [], "wet_db": []}
    _, found = _groups(e, output)
    for step in range(steps + 1):
        position = step / steps
        factor = taper_gain(position, node.taper) / now
        columns["position_percent"].append(100 * position)
        for name, wet in (("dry_db", False), ("wet_db", True)):
            power = sum(
                path.gain**2 * (factor**2 if pedal in path.owners else 1.0)
                for _, path, _ in found
                if path.wet == wet
            )
            columns[name].append(10 * math.log10(power) if power > 1e-12 else -120.0)
    return columns


def send_matrix(e: Evaluation) -> tuple[list[str], list[str], dict[tuple[str, str], list[str]]]:
    """Sources, buses that sends lead to, and the send nodes of each pair."""
    sources = sorted(e.plan.sources)
    buses: list[str] = []
    cells: dict[tuple[str, str], list[str]] = {}
    for send in e.rig.of_kind("send"):
        port = f"{send.id}.1"
        if port not in e.rig.rails:
            continue
        bus = e.rig.rails[port].target
        if bus not in buses:
            buses.append(bus)
        todo, seen = [send.id], set()
        while todo:
            node = todo.pop()
            if node in seen:
                continue
            seen.add(node)
            if node in sources:
                cells.setdefault((node, bus), []).append(send.id)
            todo += [p.rpartition(".")[0] for p in e.rig.inputs[node]]
    return sources, sorted(buses), cells
