"""The stage sheet of a rig: all that is needed to build it up and play it, on one page."""

from collections.abc import Sequence
from datetime import datetime
from fractions import Fraction

from pydantic import Field

from core.delay import DelayLine, slug
from core.devices import nearest_setting
from core.edge import Edge
from core.errors import FonodromeError
from core.routing import Context, Evaluation, Rig, RigError, RigLayout, lay_out_rig, run_checks
from core.routing.checks.gear import carried_kinds
from core.routing.document import kinds as k
from core.routing.document.rig import Scene
from core.routing.edit.edits import with_scene
from core.routing.show.patch import PatchSheet, patch_sheet
from core.sheet.settings import Owned, SettingLine, settings_of, words_of
from core.tempo.song import TempoSection
from core.units import NoteValue, TempoFrame
from core.units import format as fmt

SHEET_VERSION = 1
_NOTES = (
    ("1/16", Fraction(1, 16), "straight"), ("1/16 dotted", Fraction(1, 16), "dotted"),
    ("1/8 triplet", Fraction(1, 8), "triplet"), ("1/8", Fraction(1, 8), "straight"),
    ("1/8 dotted", Fraction(1, 8), "dotted"), ("1/4", Fraction(1, 4), "straight"),
    ("1/4 dotted", Fraction(1, 4), "dotted"), ("1/2", Fraction(1, 2), "straight"),
)  # fmt: skip
_AROUND = (-3, -2, -1, 0, 1, 2, 3)
MOST_CAUTIONS = 6


class SceneCell(Edge):
    """What a scene does with a stage."""

    on: bool
    values: list[str] = Field(description="Settings that it calls up, as the device shows them")
    changed: bool = Field(description="Whether it is otherwise than with no scene")


class StageRow(Edge):
    number: int
    id: str
    name: str
    kind: str
    box: bool = Field(
        description="A device of its own: round on the drawing; else set in the mixer"
    )
    wet: bool
    on: bool
    settings: list[SettingLine]
    inner: list["InnerStage"] = Field(description="What stands at an insert frame's sidings")
    said: str = Field(description="All settings in one line")
    scenes: list[SceneCell] = Field(description="One for each scene of the sheet")


class InnerStage(Edge):
    place: int
    name: str
    called: bool
    said: str


class SceneHead(Edge):
    name: str
    program: int | None


class TimeRow(Edge):
    note: str
    ms: float
    hz: float
    set_to: list[float | None] = Field(
        description="Of each device: what it is set to; null: beyond"
    )
    used: bool = Field(description="Whether a delay of the song is this note value")


class TempoMove(Edge):
    """A tempo near the song's, and what the first delay of the song then is set to."""

    bpm: float
    ms: float
    set_to: float | None


class SheetTempo(Edge):
    bpm: float
    beat_unit: str
    metre: str
    beat_ms: float
    bar_ms: float
    sections: int
    note: str = Field(description="What else is to be known of it: ramps, further sections")


class Verified(Edge):
    """The last null test, in its own sentence."""

    sentence: str
    at: datetime
    passed: bool | None


class SheetFacts(Edge):
    """What a sheet says that is not of the rig."""

    song: str
    players: str = ""
    rig: str
    variant: str
    made_at: datetime
    saved: int = Field(description="Revision of the variant")
    verified: Verified | None = None


class StageSheet(Edge):
    version: int = SHEET_VERSION
    facts: SheetFacts
    scene: str | None = Field(description="Where the sheet is of one scene")
    tempo: SheetTempo
    layout: RigLayout
    rows: list[StageRow]
    scenes: list[SceneHead]
    devices: list[str] = Field(description="Delay devices of the song, heads of `times.set_to`")
    times: list[TimeRow]
    moved_by: str = Field(description="Which delay the tempo moves, and its device")
    moves: list[TempoMove]
    patch: PatchSheet
    cautions: list[str]
    notes: list[str]


def stage_sheet(
    rig: Rig, context: Context, facts: SheetFacts, sections: Sequence[TempoSection],
    delays: Sequence[DelayLine], owned: Owned | None = None, scene: str | None = None,
) -> StageSheet:  # fmt: skip
    """owned: how the devices read. scene: of that scene alone, as it sets the rig.

    Raises RigError for a rig that cannot be computed, and for a scene that is not there.
    """
    owned = owned or Owned()
    by_name = {slug(d.name): d.device for d in delays if d.device is not None}
    owned = Owned(owned.panels, {**owned.delays, **by_name})
    shown = rig
    if scene is not None:
        shown = with_scene(rig, _scene(rig, scene))
    e = Evaluation(shown, context)
    layout = lay_out_rig(shown, e.plan)
    channels = {r.port: r.channels for r in e.rails()}
    patch = patch_sheet(shown, carried_kinds(e), channels, layout)
    heads = [] if scene is not None else list(rig.scenes)
    called = [with_scene(rig, s) for s in heads]
    rows = [
        _row(s.number, shown.nodes[s.id], e, context, layout, owned, called) for s in patch.stages
    ]
    lines = [d for d in delays if d.device is not None]
    times, moves, moved_by = _times(context.frame, delays, lines)
    return StageSheet(
        facts=facts, scene=scene, tempo=_tempo(context.frame, sections), layout=layout, rows=rows,
        scenes=[SceneHead(name=s.name, program=s.program) for s in heads],
        devices=[d.device.name for d in lines if d.device], times=times, moved_by=moved_by,
        moves=moves, patch=patch, cautions=_cautions(e), notes=_notes(shown, patch),
    )  # fmt: skip


def _scene(rig: Rig, name: str) -> Scene:
    found = next((s for s in rig.scenes if s.name == name), None)
    if found is None:
        raise RigError(f"There is no scene “{name}” in this rig.", part=name)
    return found


# Stages -----------------------------------------------------------------------------------------
def _is_on(node: k.Node) -> bool:
    return not (k.is_bypassed(node) or bool(k.field_of(node, "muted", False)))


def _row(
    number: int, node: k.Node, e: Evaluation, context: Context, layout: RigLayout,
    owned: Owned, called: list[Rig],
) -> StageRow:  # fmt: skip
    placed = next(n for n in layout.nodes if n.id == node.id)
    time = e.plan.times_s.get(node.id)
    lines = settings_of(node, context, owned, None if time is None else time * 1e3)
    inner = []
    if isinstance(node, k.Frame):
        inner = [
            InnerStage(
                place=one.place, name=one.stage.shown, called=one.place in node.calls,
                said=words_of(settings_of(one.stage, context, owned)),
            )
            for one in node.sidings
        ]  # fmt: skip
    cells = []
    before = {line.field: line for line in settings_of(node, context, owned)} if called else {}
    for other in called:
        there = other.nodes[node.id]
        if there == node:
            cells.append(SceneCell(on=_is_on(node), values=[], changed=False))
            continue
        own = {line.field: line for line in settings_of(there, context, owned)}
        values = [
            f"{own[f].label} {own[f].shown}".strip()
            for f in own
            if f != "muted" and (f not in before or before[f].planned != own[f].planned)
        ]
        values += [f"not {before[f].label}" for f in before if f not in own and f != "muted"]
        if isinstance(there, k.Frame) and isinstance(node, k.Frame) and there.calls != node.calls:
            values.append("line " + (" ".join(map(str, there.calls)) or "none"))
        changed = bool(values) or _is_on(there) != _is_on(node)
        cells.append(SceneCell(on=_is_on(there), values=values, changed=changed))
    said = words_of([line for line in lines if line.field != "muted"])
    if isinstance(node, k.Frame):
        line = "line " + (" ".join(map(str, node.calls)) or "none")
        said = f"{line}, {said}" if said else line
    return StageRow(
        number=number, id=node.id, name=node.shown, kind=k.kind_of(node),
        box=type(node).stands_in == "own", wet=placed.wet, on=_is_on(node),
        settings=lines, inner=inner, said=said, scenes=cells,
    )  # fmt: skip


# Times ------------------------------------------------------------------------------------------
def _tempo(frame: TempoFrame, sections: Sequence[TempoSection]) -> SheetTempo:
    said = []
    if sections and sections[0].ramp_to_bpm is not None:
        said.append(f"the first section ramps to {sections[0].ramp_to_bpm:g}")
    for section in sections[1:]:
        name = f"{section.name} " if section.name else ""
        said.append(f"then {name}{section.tempo_bpm:g}, {section.metre_count}/{section.metre_unit}")
    more = f", and {len(said) - 3} more" if len(said) > 3 else ""
    return SheetTempo(
        bpm=frame.tempo_bpm, beat_unit=frame.beat_unit,
        metre=f"{frame.metre_count}/{frame.metre_unit}",
        beat_ms=frame.length_s(frame.beat) * 1e3,
        bar_ms=frame.length_s(NoteValue(frame.metre.bar, bars=1)) * 1e3,
        sections=len(sections), note="; ".join(said[:3]) + more,
    )  # fmt: skip


def _set_to(line: DelayLine, ms: float, sixteenth_ms: float) -> float | None:
    """What its device is set to for a time; None beyond its range."""
    assert line.device is not None
    found = nearest_setting(line.device, ms, sixteenth_ms)
    return found.set_ms if found.in_reach else None


def _times(
    frame: TempoFrame, delays: Sequence[DelayLine], lines: list[DelayLine]
) -> tuple[list[TimeRow], list[TempoMove], str]:
    sixteenth = frame.length_s(NoteValue(Fraction(1, 16))) * 1e3
    used = set()
    for line in delays:
        try:
            used.add(round(line.left_s(frame) * 1e6))
        except FonodromeError:
            continue
    notes = [(name, NoteValue(f, modifier)) for name, f, modifier in _NOTES]
    notes.append(("bar", NoteValue(frame.metre.bar, bars=1)))
    rows = []
    for name, note in notes:
        seconds = frame.length_s(note)
        rows.append(
            TimeRow(
                note=name, ms=seconds * 1e3, hz=1 / seconds,
                set_to=[_set_to(line, seconds * 1e3, sixteenth) for line in lines],
                used=round(seconds * 1e6) in used,
            )
        )  # fmt: skip
    moving = next((d for d in delays if _follows(d, frame)), None)
    if moving is None:
        return rows, [], ""
    step = max(1.0, round(frame.tempo_bpm * 0.02))
    moves = []
    for n in _AROUND:
        bpm = frame.tempo_bpm + n * step
        if not 1 <= bpm <= 999:
            continue
        other = frame.model_copy(update={"tempo_bpm": bpm})
        other = TempoFrame.model_validate(other.model_dump())
        ms = moving.left_s(other) * 1e3
        short = other.length_s(NoteValue(Fraction(1, 16))) * 1e3
        moves.append(
            TempoMove(bpm=bpm, ms=ms, set_to=_set_to(moving, ms, short) if moving.device else None)
        )
    by = f"{moving.name}, {moving.value}"
    return rows, moves, f"{by}, on {moving.device.name}" if moving.device else f"{by}, ms"


def _follows(line: DelayLine, frame: TempoFrame) -> bool:
    """Whether its time moves with the tempo."""
    faster = TempoFrame.model_validate(
        {**frame.model_dump(), "tempo_bpm": frame.tempo_bpm * 0.5 + 1}
    )
    try:
        return abs(line.left_s(frame) - line.left_s(faster)) > 1e-9
    except FonodromeError:
        return False


# Words ------------------------------------------------------------------------------------------
def _cautions(e: Evaluation) -> list[str]:
    found = [
        f.sentence for f in run_checks(e).findings
        if f.severity in ("alarm", "caution") and not f.intended
    ]  # fmt: skip
    more = len(found) - MOST_CAUTIONS
    return [*found[:MOST_CAUTIONS], f"And {more} more, under Route."] if more > 0 else found


def _notes(rig: Rig, patch: PatchSheet) -> list[str]:
    said = []
    if patch.reserve_ma is not None and patch.rating_ma:
        share = 100 * patch.reserve_ma / patch.rating_ma
        said.append(
            f"Supply: {fmt.significant(patch.drawn_ma)} of {fmt.significant(patch.rating_ma)} mA, "
            f"{fmt.number(share, 0)} % in reserve."
        )
    if any(c.level == "speaker" for c in patch.cables):
        said.append("Amplifiers off before a speaker cable is touched; never a valve amplifier without its load.")  # fmt: skip
    if sum(isinstance(n, k.PowerAmp) for n in rig.nodes.values()) > 1:
        said.append("Hum: an isolating transformer, never a lifted earth.")
    return said
