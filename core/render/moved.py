"""The plan where its settings move: what the checks say at the corners of the moves and not at rest."""

from bisect import bisect_right
from collections.abc import Sequence

from pydantic import BaseModel, Field

from core.edge import Edge
from core.render.moves import MoveError, Value, WrittenMove, with_value
from core.routing import Context, Evaluation, run_checks
from core.routing.checks.base import Finding
from core.routing.document import kinds as k
from core.routing.document.fields import parameters_of
from core.routing.document.rig import Rig
from core.tempo import TempoMap

MOST_CORNERS = 16
"""Places that are worked out: each is a plan of its own."""
_WORSE = {"note": 0, "caution": 1, "alarm": 2}


class MovedRange(Edge):
    """How far a setting goes."""

    part: str
    field: str
    label: str
    unit: str
    least: float
    most: float
    switch: bool = Field(description="It is switched: 0 is off, 1 is on")


class MovedFinding(Edge):
    """What a check says while settings stand as they do at a place, and does not say at rest."""

    bar: int
    beat: float
    finding: Finding


class MovedOut(Edge):
    ranges: list[MovedRange]
    findings: list[MovedFinding] = Field(description="Alarms first, each at the first place of it")
    looked_at: int = Field(description="Places at which the plan was worked out")
    places: int = Field(description="Places at which a move has a point")


def value_at(move: WrittenMove, resting: Value, times: Sequence[float], at: float) -> Value:
    """What a setting is at a time. times: of the move's points, ascending; a ramp is straight."""
    index = bisect_right(times, at + 1e-9)
    before: Value = resting if index == 0 else move.points[index - 1].value
    if index == len(times) or not move.points[index].ramp or index == 0:
        return before
    goal = move.points[index].value
    if before is None or isinstance(before, bool) or isinstance(goal, bool):
        return before
    share = (at - times[index - 1]) / max(1e-9, times[index] - times[index - 1])
    return before + share * (goal - before)


def _owner(rig: Rig, part: str) -> BaseModel:
    return rig.nodes[part] if part in rig.nodes else rig.rails[part].strip


def _resting(rig: Rig, move: WrittenMove) -> Value | str:
    found: Value | str = getattr(_owner(rig, move.part), move.field, None)
    return found


def _written(rig: Rig, part: str, name: str, value: Value) -> Value | str:
    # A delay's time moves in milliseconds, whatever it rests at.
    if isinstance(rig.nodes.get(part), k.Delay) and name == "time" and value is not None:
        return f"{value} ms"
    return value


def _range(rig: Rig, move: WrittenMove) -> MovedRange:
    known = {p.field: p for p in parameters_of(type(_owner(rig, move.part)))}
    shown = known.get(move.field)
    values = [float(p.value) for p in move.points]
    resting = _resting(rig, move)
    if isinstance(resting, (int, float)):
        values.append(float(resting))
    return MovedRange(
        part=move.part, field=move.field, label=shown.label if shown else move.field,
        unit="ms" if move.field == "time" else shown.unit if shown else "",
        least=min(values), most=max(values),
        switch=any(isinstance(p.value, bool) for p in move.points),
    )  # fmt: skip


def _chosen(
    moves: Sequence[WrittenMove], places: Sequence[float], times: dict[int, list[float]]
) -> list[float]:
    """The places to work out, where there are more than `MOST_CORNERS`: the ends of every setting
    first, then such as lie far from each other.
    """
    if len(places) <= MOST_CORNERS:
        return list(places)
    kept: list[float] = []
    for i, move in enumerate(moves):
        order = sorted(range(len(move.points)), key=lambda j: float(move.points[j].value))
        kept += [times[i][j] for j in (order[-1], order[0])]
    first = list(dict.fromkeys(kept))[:MOST_CORNERS]
    left = [p for p in places if p not in first]
    room = MOST_CORNERS - len(first)
    step = max(1.0, len(left) / room) if room else 0
    first += [left[int(i * step)] for i in range(min(room, len(left)))]
    return sorted(first)


def plan_where_it_moves(
    rig: Rig, context: Context, moves: Sequence[WrittenMove], tempo: TempoMap
) -> MovedOut:
    """What the checks find at the points of moves, all settings as they stand there.

    Between two points lines are straight, so that what rises and falls has its extremes at points; a
    comb that is deepest on the way from one to the other is not found. Raises MoveError for a move of
    what is not in the rig.
    """
    for move in moves:
        if move.part not in rig.nodes and move.part not in rig.rails:
            raise MoveError(f"A move names “{move.part}”, which is not in this rig any more.")
    sorted_moves, times = [], {}
    where: dict[float, tuple[int, float]] = {}
    for i, move in enumerate(moves):
        placed = sorted(
            ((tempo.time_s(tempo.quarters_of(p.bar, p.beat)), p) for p in move.points),
            key=lambda pair: pair[0],
        )
        sorted_moves.append(move.model_copy(update={"points": tuple(p for _, p in placed)}))
        times[i] = [at for at, _ in placed]
        where |= {at: (p.bar, p.beat) for at, p in placed}
    places = sorted(where)
    chosen = _chosen(sorted_moves, places, times)
    seen = {
        (f.check, f.at): _WORSE[f.severity] for f in run_checks(Evaluation(rig, context)).findings
    }
    found: list[MovedFinding] = []
    for at in chosen:
        here = rig
        for i, move in enumerate(sorted_moves):
            resting = _resting(rig, move)
            value = value_at(move, None if isinstance(resting, str) else resting, times[i], at)
            if at + 1e-9 >= times[i][0]:
                written = _written(rig, move.part, move.field, value)
                here = with_value(here, move.part, move.field, written)
        for finding in run_checks(Evaluation(here, context)).findings:
            key = (finding.check, finding.at)
            if finding.intended or seen.get(key, -1) >= _WORSE[finding.severity]:
                continue
            seen[key] = _WORSE[finding.severity]
            bar, beat = where[at]
            # What mends it at rest would change what it comes back to.
            told = finding.model_copy(update={"fix": None})
            found.append(MovedFinding(bar=bar, beat=beat, finding=told))
    found.sort(key=lambda one: -_WORSE[one.finding.severity])
    return MovedOut(
        ranges=[_range(rig, move) for move in moves], findings=found, looked_at=len(chosen),
        places=len(places),
    )  # fmt: skip
