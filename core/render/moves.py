"""Written moves: a setting that follows steps and ramps against bars; its resting value stays.

Moved are the settings that come down to gains (levels, mix, pan, polarity of a fader, position of a
pedal), mute, bypass as the device does it, the feedback and the time of a delay, the frequency of a
swept filter, and every other number that leaves the rig's ways and their times as they are: of those
several values run side by side and are crossfaded. What a value becomes is asked of the compiler, so
that a move says what the same setting at rest would.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.render.processors.base import Curve
from core.routing import Context, compile_rig
from core.routing.document import kinds as k
from core.routing.document.fields import parameters_of
from core.routing.document.rig import Rig
from core.routing.plan.model import UNIT, Arc, Matrix, Plan
from core.routing.plan.responses import Shaped
from core.tempo import TempoMap

Value = float | bool | None
"""Of a setting that moves; None for a filter that is off."""
_RAMP_POINTS = 12
_SOFT_S = 0.004
"""A step takes this long, so that it does not click."""
_BY_PROCESSOR = {("swept", "frequency_hz"), ("stand_in", "program")}
MOST_MOVES, MOST_POINTS = 40, 400


class MoveError(FonodromeError):
    """A written move cannot be used."""

    code = "move"


class MovePoint(Edge):
    """A breakpoint: from here on this value, or reached in a straight line from the one before."""

    bar: int = Field(ge=1, le=10_000)
    beat: float = Field(1, ge=1, lt=65, description="Beats of the metre from 1, with fractions")
    value: float | bool
    ramp: bool = Field(False, description="Reached in a straight line since the point before")


class WrittenMove(Edge):
    """The moves of one setting. `part` is a node, or the port of a rail that ends in a merge."""

    part: str = Field(max_length=45)
    field: str = Field(max_length=40)
    points: tuple[MovePoint, ...] = Field(min_length=1, max_length=MOST_POINTS)


@dataclass(frozen=True)
class Moved:
    """A 2 x 2 matrix over time."""

    at: np.ndarray
    """Samples (m,), rising."""
    matrices: np.ndarray
    """(m, 4)."""

    def later(self, samples: int) -> "Moved":
        return Moved(self.at + samples, self.matrices)

    def over(self, block: np.ndarray, start: int) -> np.ndarray:
        """A block (2, n) that begins at sample `start`, through the matrix as it moves."""
        n = np.arange(start, start + block.shape[1])
        a, b, c, d = (np.interp(n, self.at, column) for column in self.matrices.T)
        return np.stack([a * block[0] + b * block[1], c * block[0] + d * block[1]])


MOST_VERSIONS = 9
"""Of a setting that is no gain: so many values run side by side, and are crossfaded."""


@dataclass(frozen=True)
class Weights:
    """How much of each of several versions is heard over time; they add up to 1."""

    at: np.ndarray
    """Samples (m,), rising."""
    shares: np.ndarray
    """(m, versions)."""

    def later(self, samples: int) -> "Weights":
        return Weights(self.at + samples, self.shares)

    def over(self, start: int, count: int) -> np.ndarray:
        """(versions, count) from sample `start`."""
        n = np.arange(start, start + count)
        return np.stack([np.interp(n, self.at, column) for column in self.shares.T])


@dataclass(frozen=True)
class Morph:
    """An arc whose setting moves: what it is at several values, and how much of each is heard."""

    weights: Weights
    arcs: tuple[Arc, ...]
    times_s: tuple[Mapping[str, float], ...]
    """Note values in seconds of each."""


@dataclass(frozen=True)
class LoopMorph:
    """The same of the filters in a loop."""

    weights: Weights
    shapes: tuple[Shaped | None, ...]


def _versions(times: Sequence[float], values: Sequence[Value]) -> tuple[list[Value], Weights]:
    """Values to run side by side (None for off, by itself), and their shares at each breakpoint: all values that there are, or
    as many between the least and the largest as can be run, each in between a mix of its neighbours.
    """
    distinct = sorted({v for v in values if v is not None})
    chosen: list[Value] = list(distinct)
    if len(distinct) > MOST_VERSIONS:
        places = np.linspace(0, len(distinct) - 1, MOST_VERSIONS).round().astype(int)
        chosen = [distinct[i] for i in places]
    grid = np.array([float(v) for v in chosen if v is not None])
    if None in values:
        chosen.append(None)
    shares = np.zeros((len(values), len(chosen)))
    for row, value in zip(shares, values, strict=True):
        if value is None:
            row[-1] = 1.0
            continue
        above = int(np.searchsorted(grid, float(value)))
        if above == 0 or grid[min(above, len(grid) - 1)] == float(value):
            row[min(above, len(grid) - 1)] = 1.0
            continue
        low, high = grid[above - 1], grid[above]
        row[above] = (float(value) - low) / (high - low)
        row[above - 1] = 1.0 - row[above]
    return chosen, Weights(np.array(times, dtype=float), shares)


ArcKey = tuple[int, int, str, bool, bool, int]


def _keys(plan: Plan) -> dict[ArcKey, Arc]:
    """Arcs under names that stay while gains change."""
    found: dict[ArcKey, Arc] = {}
    for arc in (*plan.arcs, *plan.back):
        place = 0
        while (key := (arc.source, arc.target, arc.owner, arc.wet, arc.leak, place)) in found:
            place += 1
        found[key] = arc
    return found


@dataclass
class Moves:
    """What moves, ready for a renderer: matrices by arc, and fields of stages by name."""

    arcs: dict[int, Moved] = field(default_factory=dict)
    gates: dict[int, Moved] = field(default_factory=dict)
    """What is let into an arc: a bypass that leaves the trails to die away."""
    delays: dict[int, Curve] = field(default_factory=dict)
    """Delays of arcs in samples, by arc."""
    loops: dict[int, Moved] = field(default_factory=dict)
    loop_delays: dict[int, Curve] = field(default_factory=dict)
    """Of points that feed themselves, by point."""
    fading: set[str] = field(default_factory=set)
    """Delays whose times crossfade."""
    fields: dict[str, dict[str, Curve]] = field(default_factory=dict)
    morphs: dict[int, Morph] = field(default_factory=dict)
    """Of arcs whose processor or filter is another one at another value, by arc."""
    loop_shapes: dict[int, LoopMorph] = field(default_factory=dict)
    """Of points that feed themselves through filters that move, by point."""

    def of(self, arc: Arc) -> Moved | None:
        return self.arcs.get(id(arc))


def with_value(rig: Rig, part: str, name: str, value: Value | str) -> Rig:
    """The rig with one setting at another value. Raises MoveError where it cannot be."""
    try:
        if part in rig.nodes:
            old = rig.nodes[part]
            node = type(old).model_validate(old.model_dump() | {name: value})
            return rig.model_copy(update={"nodes": {**rig.nodes, part: node}})
        rail = rig.rails[part]
        strip = type(rail.strip).model_validate(rail.strip.model_dump() | {name: value})
        rails = {**rig.rails, part: rail.model_copy(update={"strip": strip})}
        return rig.model_copy(update={"rails": rails})
    except ValueError:
        raise MoveError(f"{_shown(rig, part)}: {value} is no value for its {name}.") from None


def _shown(rig: Rig, part: str) -> str:
    if part in rig.nodes:
        return rig.nodes[part].shown
    return f"The input from {rig.nodes[part.rpartition('.')[0]].shown}"


def resolve_moves(
    rig: Rig, context: Context, moves: Sequence[WrittenMove], tempo: TempoMap, rate_hz: int,
    start_s: float = 0.0,
) -> tuple[Plan, Moves]:  # fmt: skip
    """The plan and its moves for a render that begins `start_s` into the song.

    The plan has every arc that any value opens. Raises MoveError for what cannot be moved.
    """
    if not moves:
        return compile_rig(rig, context), Moves()
    if len(moves) > MOST_MOVES:
        raise MoveError(f"Up to {MOST_MOVES} settings can be moved; there are {len(moves)}.")
    resting_rig = rig
    for move in moves:
        # What is switched on and off has to be there.
        if move.field == "bypassed" and isinstance(rig.nodes.get(move.part), k.Stage):
            rig = with_value(rig, move.part, "bypassed", False)
    plan = compile_rig(rig, context)
    known, curves = _keys(plan), Moves()
    wanted: dict[ArcKey, tuple[np.ndarray, np.ndarray]] = {}
    for move in moves:
        if move.part not in rig.nodes and move.part not in rig.rails:
            raise MoveError(f"A move names “{move.part}”, which is not in this rig any more.")
        times, values, resting = _timeline(resting_rig, context, move, tempo, rate_hz, start_s)
        node = rig.nodes.get(move.part)
        if node is not None and (k.kind_of(node), move.field) in _BY_PROCESSOR:
            fields = curves.fields.setdefault(move.part, {})
            fields[move.field] = Curve(tuple(times), tuple(float(v or 0.0) for v in values))
            continue
        if isinstance(node, k.Stage) and move.field == "bypassed":
            _move_bypass(rig, plan, node, times, values, known, wanted, curves)
            continue
        if isinstance(node, k.Delay) and move.field == "time":
            _move_time(rig, context, plan, node, times, values, rate_hz, curves)
            continue
        if isinstance(node, k.Delay) and move.field == "feedback_percent":
            _within_device(context, node, values)
        compiled: dict[Value, dict[ArcKey, Arc]] = {}
        rounds: dict[Value, Plan] = {}
        changed: set[ArcKey] = set()
        for value in dict.fromkeys((resting, *values)):
            other = compile_rig(with_value(rig, move.part, move.field, value), context)
            there = _keys(other)
            changed |= _changed(rig, move, known, there, other.points == plan.points)
            compiled[value], rounds[value] = there, other
        loops = _move_loops(rig, plan, rounds, times, values, move, curves)
        heard = loops or bool(changed)
        _morph(rig, move, known, compiled, rounds, (times, values), changed, curves)
        owned = {
            key for there in compiled.values() for key, arc in there.items()
            if arc.owner == move.part
        }  # fmt: skip
        for key in owned - changed:
            rows = np.array([_matrix(compiled[v].get(key)) for v in values])
            if not np.allclose(rows, rows[0]) or not np.allclose(rows[0], _matrix(known.get(key))):
                heard = True
                if key in wanted:
                    raise MoveError(
                        f"{_shown(rig, move.part)}: two of its settings move; one at a time can."
                    )
                wanted[key] = (np.array(times, dtype=float), rows)
            if key not in known:
                known[key] = next(c[key] for c in compiled.values() if key in c)
                plan.arcs.append(known[key])
        if not heard and any(value != resting for value in values):
            raise MoveError(
                f"{_shown(rig, move.part)}: moving its {_labelled(rig, move)} would not be heard."
            )
    curves.arcs = {id(known[key]): Moved(at, rows) for key, (at, rows) in wanted.items()}
    return plan, curves


def _move_bypass(
    rig: Rig, plan: Plan, node: k.Stage, times: list[float], values: list[Value],
    known: dict[ArcKey, Arc], wanted: dict[ArcKey, tuple[np.ndarray, np.ndarray]], curves: Moves,
) -> None:  # fmt: skip
    """A stage switched on and off as the device does it: thru, mute, or trails.

    Thru and mute close what leaves it; trails close what enters it, so that repeats and tails die
    away, while its own dry signal, where it has one, goes on at unity.
    """
    if node.id in plan.in_cycle:
        raise MoveError(f"{node.shown} stands in a loop of the rig: it cannot be switched there.")
    here, out = plan.fed[node.id], plan.outlet[f"{node.id}.0"]
    at = np.array(times, dtype=float)
    on = np.array([0.0 if v else 1.0 for v in values])
    trails = k.has_trails(node)
    for key, arc in list(known.items()):
        if arc.owner != node.id:
            continue
        enters = arc.source == here and (arc.target != out or arc.stage is not None or arc.wet)
        if trails and enters:
            curves.gates[id(arc)] = Moved(at, on[:, None] * np.array([UNIT]))
        elif arc.target == out and not (trails and arc.source != here):
            if key in wanted:
                raise MoveError(f"{node.shown}: two of its settings move; one at a time can.")
            wanted[key] = (at, on[:, None] * np.array([_matrix(arc)]))
    if not k.passes_input(node):
        return
    arc = Arc(here, out, (0.0, 0.0, 0.0, 0.0), 0.0, node.id)
    plan.arcs.append(arc)
    key = (here, out, node.id, False, False, -1)
    known[key] = arc
    wanted[key] = (at, (1 - on)[:, None] * np.array([UNIT]))


def _within_device(context: Context, node: k.Delay, values: list[Value]) -> None:
    device = context.feedback_of(node)
    if device is not None:
        for value in values[1:]:
            if value is not None and not device[0] <= value <= device[1]:
                raise MoveError(
                    f"{node.shown}: its device goes from {device[0]:g} to {device[1]:g} % feedback; "
                    f"this move asks for {value:g} %."
                )


def _labelled(rig: Rig, move: WrittenMove) -> str:
    node = rig.nodes.get(move.part)
    if node is not None:
        for one in parameters_of(type(node)):
            if one.field == move.field:
                return one.label
    return move.field.replace("_", " ")


def _move_loops(
    rig: Rig, plan: Plan, rounds: Mapping[Value, Plan], times: list[float],
    values: list[Value], move: WrittenMove, curves: Moves,
) -> bool:  # fmt: skip
    """What goes round in a delay, where its feedback moves; whether anything of it does."""
    owner, moved = move.part, False
    points = {p for other in rounds.values() for p, lp in other.loops.items() if lp.owner == owner}
    for point in points:
        there = [other.loops[point] for other in rounds.values() if point in other.loops]
        if len({(loop.insert, loop.delay_s) for loop in there}) > 1:
            raise _cannot(rig, move)
        if len({id(loop.shape) for loop in there}) > 1:
            moved = True
            chosen, weights = _versions(times, values)
            curves.loop_shapes[point] = LoopMorph(
                weights,
                tuple(
                    rounds[v].loops[point].shape if point in rounds[v].loops else None
                    for v in chosen
                ),
            )
        rows = np.array(
            [
                rounds[v].loops[point].matrix if point in rounds[v].loops else (0.0,) * 4
                for v in values
            ]
        )
        if np.allclose(rows, rows[0]):
            continue
        moved = True
        curves.loops[point] = Moved(np.array(times, dtype=float), rows)
        if point not in plan.loops:
            plan.loops[point] = next(o.loops[point] for o in rounds.values() if point in o.loops)
    return moved


def _move_time(
    rig: Rig, context: Context, plan: Plan, node: k.Delay, times: list[float],
    values: list[Value], rate_hz: int, curves: Moves,
) -> None:  # fmt: skip
    """A delay time (values in ms) that moves: its legs and its laps alike."""
    if node.id in plan.in_cycle:
        raise MoveError(
            f"{node.shown} stands in a loop of the rig: its time cannot be moved there."
        )
    plans: dict[Value, Plan] = {}
    for value in dict.fromkeys(values):
        if value is None or isinstance(value, bool) or value < 1:
            raise MoveError(f"{node.shown}: a delay time must be a number of ms from 1 on.")
        plans[value] = compile_rig(
            with_value(rig, node.id, "time", f"{float(value):.6f} ms"), context
        )
    at = tuple(times)
    if node.on_change == "crossfade":
        curves.fading.add(node.id)
    known = _keys(plan)
    there = {value: _keys(other) for value, other in plans.items()}
    for key, arc in known.items():
        if arc.owner != node.id:
            continue
        late = tuple(there[v][key].delay_s * rate_hz for v in values)
        if max(late) - min(late) > 1e-9:
            curves.delays[id(arc)] = Curve(at, late)
    for point, loop in plan.loops.items():
        if loop.owner == node.id:
            curves.loop_delays[point] = Curve(
                at, tuple(plans[v].loops[point].delay_s * rate_hz for v in values)
            )


def _cannot(rig: Rig, move: WrittenMove) -> MoveError:
    return MoveError(
        f"{_shown(rig, move.part)}: its {_labelled(rig, move)} cannot be moved: at another value the "
        "rig has other ways, or they arrive at another time. Make a variant of it instead."
    )


def _matrix(arc: Arc | None) -> Matrix:
    if arc is None:
        return (0.0, 0.0, 0.0, 0.0)
    return arc.bare if arc.stage is not None else arc.matrix


def _changed(
    rig: Rig,
    move: WrittenMove,
    known: Mapping[ArcKey, Arc],
    there: Mapping[ArcKey, Arc],
    alike: bool,
) -> set[ArcKey]:
    """Arcs that are more than another gain at another value. Raises MoveError where the rig itself is
    another one then, or comes at another time.
    """
    found = set()
    for key, arc in there.items():
        before = known.get(key)
        if before is None and alike:
            continue
        if before is None:
            before = arc
        same = (before.delay_s, before.stage is None, type(before.stage)) == (
            arc.delay_s, arc.stage is None, type(arc.stage),
        )  # fmt: skip
        if not alike or not same:
            raise _cannot(rig, move)
        settings = before.stage is None or arc.stage is None or (
            before.stage.model_dump(exclude=_GAINS) == arc.stage.model_dump(exclude=_GAINS)
        )  # fmt: skip
        if not settings or before.shape is not arc.shape:
            found.add(key)
    return found


def _morph(
    rig: Rig, move: WrittenMove, known: Mapping[ArcKey, Arc],
    compiled: Mapping[Value, Mapping[ArcKey, Arc]], rounds: Mapping[Value, Plan],
    line: tuple[list[float], list[Value]], changed: set[ArcKey], curves: Moves,
) -> None:  # fmt: skip
    """What is another processor or filter at another value: versions side by side, crossfaded."""
    if not changed:
        return
    chosen, weights = _versions(*line)
    for key in changed:
        arc = known[key]
        if id(arc) in curves.morphs:
            raise MoveError(
                f"{_shown(rig, move.part)}: two of its settings move; one at a time can."
            )
        if any(key not in compiled[v] for v in chosen):
            raise _cannot(rig, move)
        curves.morphs[id(arc)] = Morph(
            weights,
            tuple(compiled[v][key] for v in chosen),
            tuple(rounds[v].times_s for v in chosen),
        )


_GAINS = {"mix_percent", "mix_law", "output_db", "inverted", "bypassed", "muted", "level_db"}


def _can_be_off(owner: Any, name: str) -> bool:
    """Whether a setting is a number that may be off, as a filter's corner."""
    if not isinstance(owner, k.Node):
        return False
    return any(p.field == name and p.sort == "number" for p in parameters_of(type(owner)))


def _timeline(
    rig: Rig, context: Context, move: WrittenMove, tempo: TempoMap, rate_hz: int, start_s: float
) -> tuple[list[float], list[Value], Value]:
    """Breakpoints in samples with values: ramps in many small pieces, steps softened."""
    node = rig.nodes.get(move.part)
    owner = node if node is not None else rig.rails[move.part].strip
    resting = getattr(owner, move.field, None)
    if isinstance(node, k.Delay) and move.field == "time":
        resting = compile_rig(rig, context).times_s[node.id] * 1e3
    if isinstance(resting, str) or (resting is None and not _can_be_off(owner, move.field)):
        raise MoveError(f"{_shown(rig, move.part)} has no {move.field} that could be moved.")
    crossfades = move.field == "time" and getattr(node, "on_change", "") == "crossfade"
    placed = []
    for point in move.points:
        seconds = tempo.time_s(tempo.quarters_of(point.bar, point.beat)) - start_s
        placed.append((seconds * rate_hz, point))
    placed.sort(key=lambda pair: pair[0])
    soft = _SOFT_S * rate_hz
    times: list[float] = [min(-1.0, placed[0][0] - 1)]
    values: list[Value] = [resting]
    for at, point in placed:
        before = values[-1]
        numbers = before is not None and not any(isinstance(v, bool) for v in (before, point.value))
        if point.ramp and numbers and not crossfades and at > times[-1] + 1:
            assert before is not None
            began = max(times[-1], -1e12)
            for step in range(1, _RAMP_POINTS):
                share = step / _RAMP_POINTS
                times.append(began + share * (at - began))
                values.append(before + share * (point.value - before))
            times.append(at)
        else:
            held = max(at, times[-1] + 1)
            times.append(held)
            values.append(before)
            times.append(held + soft)
        values.append(point.value)
    return times, values, resting
