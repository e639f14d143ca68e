"""What each source alone brings to an output, where several of them share a way.

What is linear adds up, so a source is heard alone by running the plan with it alone. A compressor
turns down by what all of them bring: it is run twice, once with all of them, which nobody hears, and
once with the one, keyed from the first. So the parts add up to the whole, gain by gain. What bends
the wave itself, as a drive does, cannot be taken apart.
"""

from dataclasses import replace

from core.render.moves import Moves
from core.render.stems import pruned, reached
from core.routing.document import kinds as k
from core.routing.plan.model import UNIT, Arc, Plan

_FOLLOWS = (k.Compressor, k.Ducker, k.Oscillated)
"""All that depends on level in them follows a key, or can."""
_BY_THEMSELVES = (k.Compressor, k.Oscillated)
"""Without a key they follow what passes them; a ducker does nothing then."""


def sources_heard(plan: Plan) -> list[str]:
    """Sources that reach an output, in the plan's order: not those that only key something."""
    arcs = [*plan.arcs, *plan.back]
    towards = reached(arcs, plan.outputs.values(), backwards=True)
    return [name for name, point in plan.sources.items() if point in towards]


def why_one(plan: Plan) -> str:
    """Why the sources of a plan cannot be heard one by one; empty where they can."""
    arcs = [*plan.arcs, *plan.back]
    towards = reached(arcs, plan.outputs.values(), backwards=True)
    ways = {
        name: reached(arcs, [plan.sources[name]]) for name in sources_heard(plan)
    }  # fmt: skip

    def shared(point: int) -> bool:
        return point in towards and sum(point in way for way in ways.values()) > 1

    for arc in arcs:
        stage = arc.stage
        bends = stage is not None and arc.by_level and not isinstance(stage, _FOLLOWS)
        if stage is not None and bends and shared(arc.source):
            return f"{stage.shown} does not treat its sources one by one."
    for point, loop in plan.loops.items():
        if loop.insert is not None and not loop.insert.linear and shared(point):
            return f"What stands in the loop of {loop.owner} does not treat its sources one by one."
    return ""


def alone(plan: Plan, moves: Moves, source: str) -> tuple[Plan, Moves]:
    """The plan with one source heard; all others only where something listens to them."""
    arcs = [*plan.arcs, *plan.back]
    start = plan.sources[source]
    heard = reached(arcs, [start]) & reached(arcs, plan.outputs.values(), backwards=True)
    by_level = {
        a.stage.id: a.source for a in arcs
        if isinstance(a.stage, _BY_THEMSELVES) and a.by_level and a.source in heard
    }  # fmt: skip
    keys = {**by_level, **plan.keys}
    taps = [
        keys[a.stage.id] for a in arcs
        if a.stage is not None and a.stage.id in keys and a.source in heard and a.target in heard
    ]  # fmt: skip
    listened = reached(arcs, taps, backwards=True)
    more = plan.points
    own = {p: p + more for p in heard}
    fresh: dict[int, Arc] = {}

    def copies(some: list[Arc]) -> list[Arc]:
        out = []
        for arc in some:
            if arc.source in heard and arc.target in heard:
                fresh[id(arc)] = replace(arc, source=own[arc.source], target=own[arc.target])
                out.append(fresh[id(arc)])
        return out

    keyed = [a for a in plan.arcs if a.target in listened]
    keyed_back = [a for a in plan.back if a.target in listened]
    split = replace(
        plan, points=2 * more,
        # What a source gives is heard and listened to alike.
        arcs=[Arc(start, own[start], UNIT, 0.0, source), *keyed, *copies(plan.arcs)],
        back=[*keyed_back, *copies(plan.back)],
        loops={
            **{p: loop for p, loop in plan.loops.items() if p in listened},
            **{own[p]: replace(loop, point=own[p]) for p, loop in plan.loops.items() if p in heard},
        },
        channels={**plan.channels, **{p + more: c for p, c in plan.channels.items()}},
        outputs={n: own[p] for n, p in plan.outputs.items() if p in heard},
        outlet={}, keys=keys,
        carried={**plan.carried, **{own[p]: plan.carried[p] for p in heard if p in plan.carried}},
    )  # fmt: skip

    def both(some: dict[int, object]) -> dict[int, object]:
        return {**some, **{id(fresh[i]): v for i, v in some.items() if i in fresh}}

    def points(some: dict[int, object]) -> dict[int, object]:
        return {**some, **{own[p]: v for p, v in some.items() if p in own}}

    moved = Moves(
        both(moves.arcs), both(moves.gates), both(moves.delays), points(moves.loops),  # type: ignore[arg-type]
        points(moves.loop_delays), moves.fading, moves.fields,  # type: ignore[arg-type]
        both(moves.morphs), points(moves.loop_shapes),  # type: ignore[arg-type]
    )  # fmt: skip
    return pruned(split), moved
