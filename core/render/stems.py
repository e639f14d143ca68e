"""What is summed at one place of a rig, as stems that can be balanced after rendering.

A place is a point where several inputs are added: a merge, a bus, an output, or the end of a device
that mixes its own dry and wet. Each input becomes a stem: what it alone brings to the output, with
all that lies before it. Their sum is the whole, so their gains can be moved live, where everything
behind the place is linear and no loop leads round it.
"""

from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import replace

from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.render.holding import held_points
from core.render.moves import Moves
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.plan.model import Arc, Plan

REST = "rest"
GROWING = (
    "A loop is at or above unity: the limiter that holds it does not treat loud and quiet alike."
)
MOST_STEMS = 12


class StemOut(Edge):
    """One input of a place."""

    id: str = Field(description="The port it comes from; 'dry' or 'wet' inside a device")
    name: str
    wet: bool = Field(description="What it brings is wet: a balance moves it against the dry ones")
    level_db: float | None = Field(
        description="What it is set to at the place (dB); null inside a device"
    )
    owner_db: float | None = Field(
        None,
        description="Level of the fader, return or level that it leaves, where it leaves alone",
    )
    delay_ms: float = Field(0.0, description="Of its strip, as it was rendered")
    inverted: bool = Field(False, description="Of its strip, as it was rendered")
    sources: tuple[str, ...] = Field((), description="Sources that are heard in it")
    moves: bool = Field(False, description="A balance moves it, unless another is chosen")
    passes: tuple["StemOut", ...] = Field(
        (), description="Where several places are balanced: the input that it takes at each"
    )

    @property
    def ports(self) -> tuple[str, ...]:
        """Ids of the inputs that it takes, one a place."""
        return tuple(one.id for one in self.passes) or (self.id,)


class PlaceOut(Edge):
    """A place whose inputs can be balanced."""

    id: str = Field(description="A node; 'frame@siding' for a section of a frame")
    name: str
    stems: list[StemOut]
    live: bool = Field(description="Everything behind it is linear: it can be balanced live")
    reason: str = Field(description="Why it needs a render instead; empty where it is live")
    inside: bool = Field(description="A device's own mix, not a merge")
    mix_law: str | None = Field(description="The law of a device's own mix")


def _owner_db(rig: Rig, port: str) -> float | None:
    """Level of the plain gain that a rail leaves; None for another part, and where something else
    hears that gain too.
    """
    name = port.rpartition(".")[0]
    node = rig.nodes[name]
    if not isinstance(node, (k.Level, k.Fader, k.Return)) or node.muted or node.bypassed:
        return None
    others = [p for p in rig.rails if p != port and p.rpartition(".")[0] == name]
    heard = any(key.tap == name for key in rig.keys.values())
    return None if others or heard else node.level_db


def reached(arcs: Iterable[Arc], starts: Iterable[int], *, backwards: bool = False) -> set[int]:
    ways: dict[int, list[int]] = {}
    for arc in arcs:
        a, b = (arc.target, arc.source) if backwards else (arc.source, arc.target)
        ways.setdefault(a, []).append(b)
    seen, todo = set(starts), list(starts)
    while todo:
        for other in ways.get(todo.pop(), ()):
            if other not in seen:
                seen.add(other)
                todo.append(other)
    return seen


def _point_of(rig: Rig, plan: Plan, place: str) -> int:
    if place in plan.sections:
        return plan.sections[place][0]
    node = rig.nodes[place]
    return plan.inlet[place] if node.many_inputs else plan.outlet[f"{place}.0"]


def _groups(rig: Rig, plan: Plan, place: str) -> dict[str, list[Arc]]:
    """Arcs into a place by stem."""
    point = _point_of(rig, plan, place)
    into = [a for a in (*plan.arcs, *plan.back) if a.target == point]
    if place in plan.sections:
        # Two plain ways meet: the dry one is that which left before the processor.
        left = plan.sections[place][1]
        apart = {"dry": [a for a in into if a.source == left]}
        apart["wet"] = [a for a in into if a.source != left]
        return {name: arcs for name, arcs in apart.items() if arcs}
    if rig.nodes[place].many_inputs:
        found: dict[str, list[Arc]] = {}
        for arc in into:
            found.setdefault(arc.owner, []).append(arc)
        return found
    return {
        name: arcs
        for name, arcs in (
            ("dry", [a for a in into if a.leak or not _processed(a)]),
            ("wet", [a for a in into if not a.leak and _processed(a)]),
        )
        if arcs
    }


def _processed(arc: Arc) -> bool:
    return arc.wet or arc.stage is not None or arc.shape is not None or arc.delay_s > 0


def _of(rig: Rig, place: str) -> tuple[k.Node, k.Stage | None]:
    """The node of a place, and of a frame's section the processor that it lies round."""
    name, _, siding = place.partition("@")
    node = rig.nodes[name]
    return node, node.standing(int(siding)) if siding and isinstance(node, k.Frame) else None


def _candidates(rig: Rig, plan: Plan, output: str) -> Iterator[str]:
    """Where ways could meet, the last ones first: nodes, and sections of frames."""
    for name in reversed(plan.order):
        node = rig.nodes[name]
        mixes = isinstance(node, k.Mixed) and not node.bypassed and 0 < node.mix_percent < 100
        if (node.many_inputs or mixes) and (name not in plan.outputs or name == output):
            yield name
        if isinstance(node, k.Frame):
            yield from (
                f"{name}@{place}" for place in reversed(node.calls)
                if f"{name}@{place}" in plan.sections
            )  # fmt: skip


def find_places(rig: Rig, plan: Plan, output: str) -> list[PlaceOut]:
    """Places on the way to an output where two or more inputs meet, the last ones first."""
    arcs = [*plan.arcs, *plan.back]
    towards = reached(arcs, [plan.outputs[output]], backwards=True)
    growing = any(loop.above for loop in held_points(plan, Moves()).values())
    found = []
    for name in _candidates(rig, plan, output):
        node, standing = _of(rig, name)
        inside = not node.many_inputs
        point = _point_of(rig, plan, name)
        if point not in towards:
            continue
        groups = _groups(rig, plan, name)
        if not 2 <= len(groups) <= MOST_STEMS:
            continue
        reason = GROWING if growing else _why_not(rig, plan, arcs, point, output)
        stems = [_stem(rig, plan, node, key, into) for key, into in groups.items()]
        stems = _moving(plan, stems, groups)
        stems.sort(key=lambda stem: stem.moves)
        found.append(
            PlaceOut(
                id=name, name=node.shown if standing is None else f"{node.shown}, {standing.shown}",
                stems=stems, live=not reason, reason=reason, inside=inside,
                mix_law=node.mix_law if isinstance(node, k.Mixed) else "linear" if standing else None,
            )
        )  # fmt: skip
    return found


def best_place(rig: Rig, plan: Plan, output: str) -> PlaceOut | None:
    """Where a person would balance: the last place where wet meets dry of one source, else where two
    ways of one source meet; a live one before others.
    """
    places = find_places(rig, plan, output)
    for wanted in (_wet_meets_dry, _ways_meet):
        both = [place for place in places if wanted(rig, plan, place)]
        if both:
            return next((place for place in both if place.live), both[0])
    return None


def _brought(rig: Rig, plan: Plan, place: PlaceOut) -> list[set[str]]:
    """Sources that each stem of a place brings."""
    groups = _groups(rig, plan, place.id)
    return [
        {
            name
            for arc in groups[stem.id]
            for name, power in plan.carried[arc.source].by_source.items()
            if max(power[:2]) > 0
        }
        for stem in place.stems
    ]


def _wet_meets_dry(rig: Rig, plan: Plan, place: PlaceOut) -> bool:
    """Whether a wet and a dry input bring the same source: two sources side by side are no balance."""
    heard: dict[bool, set[str]] = {False: set(), True: set()}
    for stem, names in zip(place.stems, _brought(rig, plan, place), strict=True):
        heard[stem.wet] |= names
    return bool(heard[False] & heard[True])


def _ways_meet(rig: Rig, plan: Plan, place: PlaceOut) -> bool:
    """Whether two inputs bring the same source, as a compressed copy and what it is a copy of."""
    seen: set[str] = set()
    for names in _brought(rig, plan, place):
        if seen & names:
            return True
        seen |= names
    return False


def _moving(plan: Plan, stems: list[StemOut], groups: dict[str, list[Arc]]) -> list[StemOut]:
    """Which stems a balance moves by itself: the wet ones, where there are dry ones too; else the
    input that more was done to than to the others, as a compressed copy; else the last.
    """
    if len({stem.wet for stem in stems}) > 1:
        return [stem.model_copy(update={"moves": stem.wet}) for stem in stems]
    arcs = [*plan.arcs, *plan.back]

    def done(stem: StemOut) -> int:
        into = groups[stem.id]
        before = reached(arcs, [a.source for a in into], backwards=True)
        worked = [*into, *(a for a in arcs if a.target in before)]
        return sum(a.stage is not None or a.shape is not None for a in worked)

    counts = [done(stem) for stem in stems]
    most = max(counts)
    only = counts.count(most) == 1
    at = counts.index(most) if only else len(stems) - 1
    return [stem.model_copy(update={"moves": i == at}) for i, stem in enumerate(stems)]


def _stem(rig: Rig, plan: Plan, node: k.Node, key: str, arcs: list[Arc]) -> StemOut:
    if not node.many_inputs:
        return StemOut(id=key, name=key, wet=key == "wet", level_db=None)
    feeder = rig.nodes[key.rpartition(".")[0]]
    carried = plan.carried[arcs[0].source]
    wet = sum(carried.wet[:2]) > sum(carried.dry[:2])
    strip = rig.rails[key].strip
    return StemOut(
        id=key, name=_name(rig, feeder, wet), wet=wet, level_db=strip.level_db,
        owner_db=_owner_db(rig, key), delay_ms=strip.delay_ms, inverted=strip.inverted,
    )  # fmt: skip


def _name(rig: Rig, node: k.Node, wet: bool) -> str:
    """What a person would call an input: the last thing on it that has a name or makes a sound."""
    at: k.Node = node
    while at.name is None and at.transparent:
        came = rig.inputs[at.id]
        if len(came) != 1:
            break
        at = rig.nodes[came[0].rpartition(".")[0]]
        if isinstance(at, k.Split) and not wet:
            return "dry"
    return at.shown


def _why_not(rig: Rig, plan: Plan, arcs: list[Arc], point: int, output: str) -> str:
    """Why the inputs of a point cannot be balanced after rendering; empty where they can."""
    behind = reached(arcs, [point])
    towards = reached(arcs, [plan.outputs[output]], backwards=True)
    if any(a.target == point for a in arcs if a.source in behind):
        return "A loop leads from here back to here."
    for arc in arcs:
        if (
            arc.stage is not None
            and arc.by_level
            and arc.source in behind
            and arc.target in towards
        ):
            return f"{arc.stage.shown} behind it does not treat loud and quiet alike."
    for place, loop in plan.loops.items():
        if loop.insert is not None and not loop.insert.linear and place in behind & towards:
            return f"What {rig.nodes[loop.owner].shown} has in its loop does not treat loud and quiet alike."
    for keyed, tap in plan.keys.items():
        if tap in behind and keyed in rig.nodes:
            return f"{rig.nodes[keyed].shown} is keyed from behind it."
    return ""


def only(rig: Rig, plan: Plan, place: str, stems: Collection[str]) -> Plan:
    """The plan with some inputs of a place alone, or, without any, with what goes past the place.

    What leads nowhere any more is left out, so that nothing is computed that is not heard.
    """
    groups = _groups(rig, plan, place)
    shut = {id(a) for name, arcs in groups.items() if name not in stems for a in arcs}
    arcs = [a for a in plan.arcs if id(a) not in shut]
    back = [a for a in plan.back if id(a) not in shut]
    if stems:
        # Only what goes through these inputs: ways past the place belong to the rest.
        kept = [arc for name in stems for arc in groups[name]]
        point = kept[0].target
        before = reached([*arcs, *back], [a.source for a in kept], backwards=True)
        after = reached([*arcs, *back], [point])
        ids = {id(a) for a in kept}
        heard = [
            a for a in (*arcs, *back)
            if id(a) in ids or (a.source in after and a.target in after)
            or (a.target in before and a.source not in after)
        ]  # fmt: skip
        inside = {id(a) for a in heard}
        # A key is listened to though it is not heard.
        taps = [plan.keys[a.stage.id] for a in heard if a.stage and a.stage.id in plan.keys]
        listened = reached([*arcs, *back], taps, backwards=True)
        inside |= {id(a) for a in (*arcs, *back) if a.target in listened}
        arcs = [a for a in arcs if id(a) in inside]
        back = [a for a in back if id(a) in inside]
    return pruned(replace(plan, arcs=arcs, back=back))


def parts_of(
    rig: Rig, plan: Plan, places: Sequence[PlaceOut], output: str
) -> list[tuple[StemOut, Plan]]:
    """The sum at an output in parts: one for every way through the inputs of all places, and the rest.

    Raises FonodromeError for more than `MOST_STEMS`.
    """
    found: list[tuple[tuple[StemOut, ...], Plan]] = [((), plan)]
    for turn, place in enumerate(places):
        # What moves by itself is what would at the first place: others are moved by their own names.
        known = [s if turn == 0 else s.model_copy(update={"moves": False}) for s in place.stems]
        after: list[tuple[tuple[StemOut, ...], Plan]] = []
        for passed, part in found:
            inputs = _groups(rig, part, place.id)
            after += [
                ((*passed, stem), only(rig, part, place.id, [stem.id]))
                for stem in known if inputs.get(stem.id)
            ]  # fmt: skip
            after.append((passed, only(rig, part, place.id, [])))
        end = plan.outputs[output]
        found = [
            (passed, part) for passed, part in after
            if any(a.target == end for a in (*part.arcs, *part.back))
        ]  # fmt: skip
    if len(found) > MOST_STEMS:
        raise FonodromeError(
            f"{len(found)} ways lead through these places; up to {MOST_STEMS} are kept apart. "
            "Choose fewer places."
        )
    return [(_through(passed), part) for passed, part in found]


def _through(passed: Sequence[StemOut]) -> StemOut:
    if not passed:
        return StemOut(id=REST, name="the rest", wet=False, level_db=None)
    if len(passed) == 1:
        return passed[0]
    return StemOut(
        id="+".join(one.id for one in passed), name=", ".join(one.name for one in passed),
        wet=any(one.wet for one in passed), level_db=None, moves=passed[0].moves,
        passes=tuple(passed),
    )  # fmt: skip


def pruned(plan: Plan) -> Plan:
    """The plan without arcs that no source reaches or that reach no output and no key."""
    arcs = [*plan.arcs, *plan.back]
    from_sources = reached(arcs, plan.sources.values())
    wanted = [*plan.outputs.values()]
    to_output = reached(arcs, wanted, backwards=True)
    taps = [
        tap for keyed, tap in plan.keys.items()
        if any(a.stage is not None and a.stage.id == keyed and a.target in to_output for a in arcs)
    ]  # fmt: skip
    to_output |= reached(arcs, taps, backwards=True)

    def used(arc: Arc) -> bool:
        return arc.source in from_sources and arc.target in to_output

    return replace(
        plan, arcs=[a for a in plan.arcs if used(a)], back=[a for a in plan.back if used(a)],
        loops={p: loop for p, loop in plan.loops.items() if p in from_sources and p in to_output},
    )  # fmt: skip


def to_output(plan: Plan, output: str) -> Plan:
    """The plan with one output alone."""
    return pruned(replace(plan, outputs={output: plan.outputs[output]}))
