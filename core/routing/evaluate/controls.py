"""What each single control does: faders, mutes, bypasses and solos against groups of arrivals."""

from dataclasses import dataclass

import numpy as np
import scipy

from core.routing.document import kinds as k
from core.routing.evaluate.arrivals import Evaluation
from core.routing.evaluate.paths import Path
from core.routing.evaluate.report import ControlEffect, ControlsOut
from core.routing.plan.build import taper_gain
from core.units.decibel import db_gain, power_db

DOWN_DB = 10.0
_STIRS = 1e-6


@dataclass(frozen=True)
class _Listed:
    """Listed paths at an output, of all sources: groups by what is heard, and what pairs share."""

    names: list[str]
    group: np.ndarray
    """(n,) the place of each path's group in `names`."""
    paths: list[Path]
    coupled: np.ndarray
    """(n, n) powers at the sources' levels; nothing between different sources."""


def _listed(e: Evaluation, output: str) -> _Listed:
    names: list[str] = []
    places: list[int] = []
    paths: list[Path] = []
    blocks: list[np.ndarray] = []
    boards = [b for b in e.boards if b.output == output]
    for board in boards:
        source = e.rig.nodes[board.source]
        assert isinstance(source, k.Source)
        found = e.paths[output, board.source]
        for path, arrival in zip(found, board.arrivals, strict=True):
            name = arrival.name.split(",")[0]
            name = f"{source.shown}: {name.lower()}" if len(boards) > 1 and not path.wet else name
            if name not in names:
                names.append(name)
            places.append(names.index(name))
        paths += found
        blocks.append(e.coupled[output, board.source] * e.power_of_source(board.source))
    whole = scipy.linalg.block_diag(*blocks) if blocks else np.zeros((0, 0))
    return _Listed(names, np.array(places, dtype=int), paths, whole)


def _changes(coupled: np.ndarray, scales: np.ndarray) -> list[float | None]:
    """Changes in dB of the power of some paths (n, n) by each move (moves, n) that scales them; None:
    silenced.
    """
    before = float(coupled.sum())
    found: list[float | None] = []
    for after in np.einsum("mi,mi->m", scales @ coupled, scales).tolist():
        if before <= 0 or abs(after - before) <= before * 1e-12:
            found.append(0.0)
        else:
            found.append(power_db(after / before) if after > before * 1e-9 else None)
    return found


def controls_at(e: Evaluation, output: str) -> ControlsOut:
    """The table at one output, from the listed paths (up to 64 a source), as they add up."""
    listed = _listed(e, output)
    names, bits = listed.names, e.network.bits
    masks = [p.mask for p in listed.paths]
    moves: list[tuple[str, str, str]] = []
    scales: list[list[float]] = []

    def row(control: str, move: str, label: str, hit: set[str], factor: float) -> None:
        meant = sum(bits.get(owner, 0) for owner in hit)
        moves.append((control, move, label))
        scales.append([factor if held & meant else 1.0 for held in masks])

    for node in e.rig.nodes.values():
        if isinstance(node, (k.Fader, k.Level, k.Send, k.Return, k.Bus)):
            shown = _label(e, node)
            row(node.id, f"down {DOWN_DB:g} dB", shown, {node.id}, db_gain(-DOWN_DB))
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
    whole = np.array(scales).reshape(len(moves), len(masks))
    members = [np.flatnonzero(listed.group == place) for place in range(len(names))]
    by_group = [_changes(listed.coupled[np.ix_(at, at)], whole[:, at]) for at in members]
    totals = _changes(listed.coupled, whole)
    rows = []
    for i, (control, move, label) in enumerate(moves):
        changes = [group[i] for group in by_group]
        if any(change != 0.0 for change in changes):
            rows.append(
                ControlEffect(
                    control=control, move=move, label=label, changes_db=changes, total_db=totals[i]
                )
            )
    return ControlsOut(output=output, groups=names, rows=rows)


def _label(e: Evaluation, node: k.Node) -> str:
    """A name that tells several returns and sends apart: by the device they belong to."""
    if node.name is not None:
        return node.name
    way = e.rig.upstream(node.id) if isinstance(node, k.Return) else e.rig.downstream(node.id)
    if isinstance(node, (k.Return, k.Send, k.Bus)):
        for other in way:
            device = e.rig.nodes[other]
            if isinstance(device, k.Stage) and device.wet_by_nature:
                return f"{node.title} of {device.shown}"
    return node.title


def _safe(e: Evaluation, port: str) -> bool:
    node = e.rig.nodes[port.rpartition(".")[0]]
    return isinstance(node, k.Return) and node.solo_safe


def pedal_travel(e: Evaluation, pedal: str, output: str, steps: int = 20) -> dict[str, list[float]]:
    """What passes through a volume pedal, from heel to toe, at an output (dBFS, sources as they are).

    Only paths through the pedal count; dry ones and wet ones, each as they add up. Returns columns:
    position_percent, dry_db, wet_db (-120 for silence).
    """
    node = e.rig.node(pedal)
    assert isinstance(node, k.VolumePedal)
    now = taper_gain(node.position_percent / 100, node.taper)
    at_toe = e
    if now < _STIRS:
        # At the heel nothing comes through: its paths are those of the toe.
        moved = node.model_copy(update={"position_percent": 100.0})
        at_toe = Evaluation(
            e.rig.model_copy(update={"nodes": {**e.rig.nodes, pedal: moved}}), e.context
        )
        now = 1.0
    listed = _listed(at_toe, output)
    powers = []
    for wet in (False, True):
        bit = at_toe.network.bits.get(pedal, 0)
        through = [i for i, p in enumerate(listed.paths) if p.wet == wet and p.mask & bit]
        powers.append(max(0.0, float(listed.coupled[np.ix_(through, through)].sum())))
    columns: dict[str, list[float]] = {"position_percent": [], "dry_db": [], "wet_db": []}
    for step in range(steps + 1):
        position = step / steps
        factor = taper_gain(position, node.taper) / now
        columns["position_percent"].append(100 * position)
        for name, power in zip(("dry_db", "wet_db"), powers, strict=True):
            columns[name].append(power_db(power * factor * factor))
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
