"""Levels along the course: from source to output, in dBFS, dBu and dBV, with headroom at every stage."""

from pydantic import Field

from core.blend import LevelRequest, level_view
from core.edge import Edge, Word
from core.errors import FonodromeError
from core.routing import Context, compile_rig
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.plan.measured import StageGauge
from core.units import format as fmt
from core.units.decibel import power_db

_SILENT_DB = -119.0
_LITTLE_DB = 0.05


class CourseRequest(Edge):
    source: Word | None = None
    output: Word | None = None
    full_scale_dbu: float = Field(24, ge=0, le=30, description="What full scale is in dBu")
    crest_db: float | None = Field(
        None, ge=3, le=40, description="Of every source; null: what each one has"
    )


class PlaceLevel(Edge):
    """What leaves one node on the way, at nominal level."""

    node: str
    name: str
    kind: str
    level_dbfs: float = Field(description="RMS, the louder side")
    sides_dbfs: list[float | None] = Field(description="Left and right; one value for mono")
    dbu: float
    dbv: float
    measured: StageGauge | None = Field(description="In the render at hand; null: not measured")
    change_db: float = Field(description="Against what came in")
    peak_dbfs: float = Field(description="A bound: everything in step, no ceiling passed")
    by_level: bool = Field(description="Its gain depends on the level that arrives")
    headroom_db: float = Field(
        description="From the peak to full scale, or to the output's ceiling"
    )
    trim_db: float | None = Field(
        description="Output that makes a stage which works by level as loud after as before"
    )


class CourseLevels(Edge):
    source: str
    output: str
    places: list[PlaceLevel]
    lowest: str | None = Field(description="Node with the least headroom")
    cautions: list[str]
    sentence: str
    measured_clip: str | None = Field(description="Clip that the measured figures are of")
    computed_how: str


def course_levels(rig: Rig, context: Context, request: CourseRequest) -> CourseLevels:
    """Nominal levels of all that lies between a source and an output, in the order of the sound.

    Raises FonodromeError where the two are not in the rig, or do not meet.
    """
    if request.crest_db is not None:
        rig = with_crest(rig, request.crest_db)
    plan = compile_rig(rig, context)
    source = request.source or next(iter(plan.sources), None)
    output = request.output or next(iter(plan.outputs), None)
    if source not in plan.sources or output not in plan.outputs:
        raise FonodromeError("The rig has no such source or output.")
    assert source is not None
    assert output is not None
    reached, towards = set(rig.downstream(source)), set(rig.upstream(output))
    way = [n for n in plan.order if n in (source, output) or (n in reached and n in towards)]
    if output not in reached:
        raise FonodromeError("Nothing leads from that source to that output.")
    places = []
    for name in way:
        node = rig.nodes[name]
        out = (
            plan.inlet[name]
            if name in plan.outputs
            else plan.outlet.get(f"{name}.0", plan.inlet[name])
        )
        carried = plan.carried[out]
        level, peak = carried.level_dbfs, carried.peak_dbfs
        came = plan.carried[plan.inlet[name]].total
        if level is None or peak is None or level <= _SILENT_DB:
            continue
        gone = carried.total
        change = power_db(gone[0] + gone[1]) - power_db(came[0] + came[1])
        volts = level_view(
            LevelRequest(value=max(-200, level), unit="dBFS", full_scale_dbu=request.full_scale_dbu)
        )
        ceiling = node.ceiling_dbfs if isinstance(node, k.Output) else 0.0
        by_level = isinstance(node, k.Stage) and not node.linear and not node.bypassed
        trim = None
        if by_level and isinstance(node, k.Stage) and abs(change) > _LITTLE_DB:
            trim = round(node.output_db - change, 1)
        places.append(
            PlaceLevel(
                node=name, name=node.shown, kind=k.kind_of(node), level_dbfs=level,
                sides_dbfs=list(carried.sides_dbfs[: carried.channels]), dbu=volts.dbu,
                dbv=volts.dbv, change_db=change if came[0] + came[1] > 0 else 0.0, peak_dbfs=peak,
                by_level=by_level,
                measured=None if context.measured is None else context.measured.stages.get(name), headroom_db=ceiling - peak, trim_db=trim,
            )
        )  # fmt: skip
    low = min(places, key=lambda p: p.headroom_db, default=None)
    cautions = [
        f"{p.name}: a peak of {fmt.signed(p.peak_dbfs, 1)} dBFS passes its ceiling by "
        f"{fmt.number(-p.headroom_db, 1)} dB."
        for p in places if p.headroom_db < 0
    ]  # fmt: skip
    if low is None:
        said = "Nothing is heard on this way."
    else:
        said = (
            f"The least headroom is {fmt.number(low.headroom_db, 1)} dB, after {low.name}."
            if low.headroom_db >= 0
            else f"{low.name} passes its ceiling by {fmt.number(-low.headroom_db, 1)} dB."
        )
    return CourseLevels(
        source=source, output=output, places=places, lowest=None if low is None else low.node,
        cautions=cautions, sentence=said,
        measured_clip=None if context.measured is None else context.measured.clip,
        computed_how=(
            "RMS levels of the plan, the louder side: copies of one source add as amplitudes as far as "
            "its spectrum leaves them alike, tails and different sources as powers. Peaks are a bound: "
            "each source's level and crest, everything in step, no more than a drive's ceiling. dBu = "
            "dBFS + full scale; dBV = dBu − 2.22. A trim takes back what a stage adds at that level."
        ),
    )  # fmt: skip


def with_crest(rig: Rig, crest_db: float) -> Rig:
    """The rig with one crest for all its sources."""
    nodes = {
        name: node.model_copy(update={"crest_db": crest_db}) if isinstance(node, k.Source) else node
        for name, node in rig.nodes.items()
    }
    return rig.model_copy(update={"nodes": nodes})
