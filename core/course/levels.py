"""Levels along the course: from source to output, in dBFS, dBu and dBV, with headroom at every stage."""

import math

from pydantic import Field

from core.blend import LevelRequest, level_view
from core.edge import Edge
from core.errors import FonodromeError
from core.routing import Context, compile_rig
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.units import format as fmt

_SILENT_DB = -119.0
_LITTLE_DB = 0.05


class CourseRequest(Edge):
    source: str | None = None
    output: str | None = None
    full_scale_dbu: float = Field(24, ge=0, le=30, description="What full scale is in dBu")
    crest_db: float = Field(12, ge=0, le=40, description="Peak above RMS that is expected")


class PlaceLevel(Edge):
    """What leaves one node on the way, at nominal level."""

    node: str
    name: str
    kind: str
    level_dbfs: float
    dbu: float
    dbv: float
    change_db: float = Field(description="Against what came in")
    peak_dbfs: float
    headroom_db: float = Field(
        description="From the peak to full scale, or to the output's ceiling"
    )
    trim_db: float | None = Field(
        description="Output trim that makes a drive or a compressor as loud after as before"
    )


class CourseLevels(Edge):
    source: str
    output: str
    places: list[PlaceLevel]
    lowest: str | None = Field(description="Node with the least headroom")
    cautions: list[str]
    sentence: str
    computed_how: str


def course_levels(rig: Rig, context: Context, request: CourseRequest) -> CourseLevels:
    """Nominal levels of all that lies between a source and an output, in the order of the sound.

    Raises FonodromeError where the two are not in the rig, or do not meet.
    """
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
        level = plan.carried[out].level_dbfs
        came = plan.carried[plan.inlet[name]].level_dbfs
        if level is None or level <= _SILENT_DB:
            continue
        volts = level_view(
            LevelRequest(value=max(-200, level), unit="dBFS", full_scale_dbu=request.full_scale_dbu)
        )
        ceiling = node.ceiling_dbfs if isinstance(node, k.Output) else 0.0
        flat = isinstance(node, k.Drive) and not node.bypassed
        peak = (
            min(level + request.crest_db, _flat(node, level)) if flat else level + request.crest_db
        )
        trim = None
        if isinstance(node, (k.Compressor, k.Drive)) and not node.bypassed:
            change = plan.nominal_db.get(name, 0.0)
            trim = round(node.output_db - change, 1) if abs(change) > _LITTLE_DB else None
        places.append(
            PlaceLevel(
                node=name, name=node.shown, kind=k.kind_of(node), level_dbfs=level, dbu=volts.dbu,
                dbv=volts.dbv, change_db=0.0 if came is None else level - came, peak_dbfs=peak,
                headroom_db=ceiling - peak, trim_db=trim,
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
        computed_how=(
            "Nominal RMS levels of the plan: powers of dry and wet added, the louder side. Peaks are "
            "the level and the crest; a drive flattens at its ceiling. dBu = dBFS + full scale; "
            "dBV = dBu − 2.22. A trim takes back what a compressor or drive adds at that level."
        ),
    )  # fmt: skip


def _flat(node: k.Node, level: float) -> float:
    """Highest peak that leaves a drive (dBFS)."""
    assert isinstance(node, k.Drive)
    return node.ceiling_dbfs + node.output_db if math.isfinite(level) else level
