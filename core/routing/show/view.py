"""Everything that the Route step shows of a rig, computed in one go."""

import re

import numpy as np
from pydantic import Field

from core.edge import Edge
from core.routing.checks import CheckReport, run_checks
from core.routing.checks.gear import carried_kinds
from core.routing.document.kinds import Split, field_of
from core.routing.document.notation import format_rig
from core.routing.document.rig import Rig
from core.routing.edit.edits import difference_in_words, with_scene
from core.routing.evaluate.arrivals import Evaluation, to_db
from core.routing.evaluate.controls import controls_at, pedal_travel, send_matrix
from core.routing.evaluate.report import ArrivalOut, ControlsOut, RigReport
from core.routing.plan.build import Context, build_plan, split_responses
from core.routing.show.layout import RigLayout, lay_out_rig
from core.routing.show.patch import PatchSheet, as_csv, patch_sheet
from core.units import format as fmt


class SendCell(Edge):
    source: str
    bus: str
    sends: list[str]
    levels_db: list[float]


class SendMatrix(Edge):
    """Which source sends how much to which bus."""

    sources: list[str]
    buses: list[str]
    devices: list[str] = Field(description="What hangs on each bus")
    cells: list[SendCell]


class Travel(Edge):
    """A volume pedal from heel to toe."""

    pedal: str
    output: str
    position_percent: list[float]
    dry_db: list[float]
    wet_db: list[float]


class SplitCurves(Edge):
    """What the branches of a crossover or band split let through, over the report's hz."""

    split: str
    first_db: list[float]
    second_db: list[float]
    sum_db: list[float] = Field(description="Both added, each with its branch's polarity")
    ripple_db: float = Field(description="Largest departure of the sum from 0 dB")


class SceneStep(Edge):
    """What changes when a scene is called up from the rig as it stands."""

    name: str
    program: int | None
    loops: list[int]
    level_change_db: float | None = Field(description="At the first output")
    said: list[str]
    arrivals: list[str] = Field(description="What arrives otherwise at the first output")


class RigView(Edge):
    layout: RigLayout
    report: RigReport
    checks: CheckReport
    controls: list[ControlsOut]
    sends: SendMatrix
    travel: list[Travel]
    splits: list[SplitCurves]
    patch: PatchSheet
    notation: str


def _matrix(e: Evaluation) -> SendMatrix:
    sources, buses, cells = send_matrix(e)
    devices = []
    for bus in buses:
        port, said = f"{bus}.0", ""
        if port in e.rig.rails:
            said = e.rig.nodes[e.rig.rails[port].target].shown
        devices.append(said)
    return SendMatrix(
        sources=sources,
        buses=buses,
        devices=devices,
        cells=[
            SendCell(
                source=source,
                bus=bus,
                sends=sends,
                levels_db=[float(field_of(e.rig.nodes[s], "level_db", 0)) for s in sends],
            )
            for (source, bus), sends in sorted(cells.items())
        ],
    )


def _branch_sign(rig: Rig, port: str) -> int:
    """-1 where a branch turns polarity over before it is joined again."""
    sign = 1
    while port in rig.rails:
        rail = rig.rails[port]
        node = rig.nodes[rail.target]
        if node.many_inputs or isinstance(node, Split):
            return -sign if rail.strip.inverted else sign
        if field_of(node, "inverted", False):
            sign = -sign
        port = f"{rail.target}.0"
    return sign


def _curves(rig: Rig, split: Split) -> SplitCurves:
    first, second = split_responses(split)
    whole = _branch_sign(rig, f"{split.id}.0") * first + _branch_sign(rig, f"{split.id}.1") * second
    sum_db = to_db(np.abs(whole))
    return SplitCurves(
        split=split.id,
        first_db=to_db(np.abs(first)),
        second_db=to_db(np.abs(second)),
        sum_db=sum_db,
        ripple_db=max(abs(v) for v in sum_db),
    )


_Way = tuple[str, str, str]
"""Source, id and name of an arrival: by what it goes through, whatever its rank among those of its name."""
_RANK = re.compile(r"(, from [^,]+)?, way [0-9]+$")
_MOST_SAID = 6


def _arrivals_changed(now: Evaluation, then: Evaluation, output: str | None) -> list[str]:
    """In words, from the strongest: what appears, what goes, what changes level or time."""
    before, after = _by_way(now, output), _by_way(then, output)
    called = _called(now.rig, {**after, **before})
    said = []
    for way, arrival in sorted(after.items(), key=lambda item: -item[1].gain_db):
        old = before.get(way)
        if old is None:
            said.append(f"{called[way]} comes in at {fmt.signed(arrival.gain_db, 1)} dB")
        elif abs(arrival.gain_db - old.gain_db) >= 0.05:
            change = fmt.signed(arrival.gain_db - old.gain_db, 1)
            said.append(f"{called[way]} {change} dB")
        elif abs(arrival.time_ms - old.time_ms) >= 0.01:
            change = fmt.signed(arrival.time_ms - old.time_ms, 2)
            said.append(f"{called[way]} {change} ms")
    said += [f"{called[way]} goes" for way in before if way not in after]
    rest = len(said) - _MOST_SAID
    return said if rest <= 1 else [*said[:_MOST_SAID], f"and {rest} more"]


def _by_way(e: Evaluation, output: str | None) -> dict[_Way, ArrivalOut]:
    return {(b.source, a.id, a.name): a for b in e.boards if b.output == output for a in b.arrivals}


def _called(rig: Rig, ways: dict[_Way, ArrivalOut]) -> dict[_Way, str]:
    """What each is called: by its name, with what tells it from another of that name, and where several play, by whose
    sound it is.
    """
    named: dict[tuple[str, str], list[_Way]] = {}
    for way in ways:
        named.setdefault((way[0], way[2]), []).append(way)
    several = len({source for source, _, _ in ways}) > 1
    called = {}
    for (source, name), alike in named.items():
        # Which of several it was counted as depends on its rank, and that on the scene.
        details = [_RANK.sub("", ways[way].detail) for way in alike]
        for way, detail in zip(alike, details, strict=True):
            told = detail
            if details.count(detail) > 1:
                told = ", ".join(part for part in (detail, _apart(rig, ways, way, alike)) if part)
            called[way] = (
                name
                + (f", {told}" if told and len(alike) > 1 else "")
                + (f", of {rig.nodes[source].shown}" if several else "")
            )
    return called


def _apart(rig: Rig, ways: dict[_Way, ArrivalOut], way: _Way, alike: list[_Way]) -> str:
    """By which part this way goes and not all of its name do: one that has a name, else by the output that leads there."""
    everywhere = set.intersection(*(set(ways[one].through) for one in alike))
    own = [part for part in ways[way].through if part not in everywhere]
    for part in own:
        named = rig.nodes[part].name if part in rig.nodes else None
        if named and named != way[2]:
            return f"by {named}"
    ports = (p for part in own for p, r in rig.rails.items() if part in (p, r.target))
    id, _, number = next(ports, "").rpartition(".")
    return f"from {rig.nodes[id].shown} {int(number) + 1}" if id else ""


def scene_steps(rig: Rig, context: Context = Context()) -> list[SceneStep]:
    """What each scene of a rig changes. Raises RigError where the rig, or it under a scene, cannot be
    computed.
    """
    e, steps = Evaluation(rig, context), []
    first = next(iter(e.plan.outputs), None)
    now = e.plan.carried[e.plan.outputs[first]].level_dbfs if first else None
    for scene in rig.scenes:
        called = with_scene(rig, scene)
        other = Evaluation(called, context)
        then = other.plan.carried[other.plan.outputs[first]].level_dbfs if first else None
        loops = sorted(
            {
                loop
                for name in (*scene.off, *scene.on)
                if (loop := field_of(rig.nodes[name], "loop", None)) is not None
            }
        )
        steps.append(
            SceneStep(
                name=scene.name,
                program=scene.program,
                loops=loops,
                level_change_db=None if now is None or then is None else then - now,
                said=difference_in_words(rig, called),
                arrivals=_arrivals_changed(e, other, first),
            )
        )
    return steps


def cautions_open(report: CheckReport) -> int:
    """How many checks ask for attention: alarms and cautions that nobody marked as meant."""
    return sum(f.severity in ("alarm", "caution") and not f.intended for f in report.findings)


def rig_view(rig: Rig, context: Context = Context()) -> RigView:
    """Raises RigError where the rig cannot be computed, as it stands or under one of its scenes; the document
    is not touched.
    """
    e = Evaluation(rig, context)
    for scene in rig.scenes:
        build_plan(with_scene(rig, scene), context)
    report = e.report()
    travel = []
    for pedal in rig.of_kind("volume"):
        for output in e.plan.outputs:
            travel.append(
                Travel(pedal=pedal.id, output=output, **pedal_travel(e, pedal.id, output))
            )
    layout = lay_out_rig(rig, e.plan)
    return RigView(
        layout=layout,
        report=report,
        checks=run_checks(e),
        controls=[controls_at(e, output) for output in e.plan.outputs],
        sends=_matrix(e),
        travel=travel,
        splits=[
            _curves(rig, s)
            for s in rig.of_kind("split")
            if isinstance(s, Split) and s.mode in ("crossover", "band")
        ],
        patch=patch_sheet(
            rig, carried_kinds(e), {r.port: r.channels for r in report.rails}, layout
        ),
        notation=format_rig(rig),
    )


def patch_csv(rig: Rig, context: Context = Context()) -> str:
    """The patch sheet of a rig as CSV."""
    e = Evaluation(rig, context)
    channels = {r.port: r.channels for r in e.rails()}
    return as_csv(patch_sheet(rig, carried_kinds(e), channels, lay_out_rig(rig, e.plan)))
