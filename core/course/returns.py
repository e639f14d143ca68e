"""Several returns into one place: how much each brings, what they add up to, which comes first."""

import math
from typing import Any

import numpy as np
from pydantic import Field

from core.course.power import LOW, band_power, output_power
from core.edge import Edge
from core.errors import FonodromeError
from core.render.stems import PlaceOut, best_place, find_places, only, to_output
from core.routing import Context, Evaluation
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.evaluate.signal import Carrying
from core.routing.plan.cells import MIDDLE_HZ
from core.units import format as fmt
from core.units.decibel import power_db

FUSED_MS = 30.0
LOW_CUT_HZ = 150.0
_QUIETEST_DB = -48.0
_MOST_ECHOES = 40
_SILENT = 1e-12


class ReturnOut(Edge):
    """One input of the place."""

    id: str
    name: str
    wet: bool
    level_db: float = Field(description="Power at the output, against all that is dry there")
    low_db: float = Field(description="The same from 20 to 200 Hz")
    muted_db: float = Field(description="What the whole loses when it is muted")
    twice_db: float = Field(description="What the whole gains from one more like it")
    low_cut_on: str | None = Field(description="A stage on it that could cut its low end, not set")
    low_cut_rail: str | None = Field(description="Where a filter would do it, if no stage can")
    low_cut_saves_db: float = Field(description="What 150 Hz would take off its low end")


class MarkOut(Edge):
    """When something first arrives."""

    name: str
    kind: str = Field(description="dry, echo or tail")
    time_ms: float
    level_db: float = Field(description="Against the strongest dry arrival")
    rt60_s: float | None
    node: str


class StemPower(Edge):
    name: str
    power_db: list[float] = Field(description="Over hz, against the dry mean")


class ReturnsOut(Edge):
    output: str
    place: str
    places: list[str]
    returns: list[ReturnOut]
    apart_db: float | None = Field(description="All wet inputs as powers, against dry")
    in_step_db: float | None = Field(description="All wet inputs in step: no more than that")
    low_apart_db: float | None = Field(description="Low end of all wet inputs as powers")
    low_lift_db: float | None = Field(description="What they add to the low end of the whole")
    peak_dbfs: float | None = Field(
        description="Nominal level with everything in step, and the output's crest"
    )
    headroom_db: float | None
    hz: list[float]
    bands: list[StemPower]
    marks: list[MarkOut]
    order: list[str] = Field(description="What the order of arrivals does, in sentences")
    sentence: str
    computed_how: str


def _db(power: float) -> float:
    return power_db(power)


def _wet_place(rig: Rig, places: list[PlaceOut], wanted: str | None, best: PlaceOut) -> PlaceOut:
    if wanted is None:
        return best
    for place in places:
        if place.id == wanted:
            return place
    raise FonodromeError("There is no such place any more, or nothing meets there.")


def returns_view(
    rig: Rig, context: Context, output: str | None = None, place: str | None = None
) -> ReturnsOut:
    """Inputs of a place in a rig, as powers at an output. Raises FonodromeError where nothing meets."""
    e = Evaluation(rig, context)
    name = output or next(iter(e.plan.outputs), None)
    if name is None or name not in e.plan.outputs:
        raise FonodromeError("The rig has no such output.")
    plan = to_output(e.plan, name)
    best = best_place(rig, plan, name)
    places = find_places(rig, plan, name)
    if best is None:
        raise FonodromeError("Dry and wet meet nowhere in this rig: it has no returns to add up.")
    chosen = _wet_place(rig, places, place, best)

    def power_of(stems: list[str]) -> np.ndarray:
        return output_power(rig, only(rig, plan, chosen.id, stems), context, name)

    powers = {s.id: power_of([s.id]) for s in chosen.stems}
    whole = power_of([s.id for s in chosen.stems])
    wide = {id: band_power(p) for id, p in powers.items()}
    low = {id: band_power(p, LOW) for id, p in powers.items()}
    wet = [s for s in chosen.stems if s.wet]
    dry = [s.id for s in chosen.stems if not s.wet]
    # Dry ways are one sound: they meet in step, or cancel, before anything is held against them.
    together = power_of(dry) if dry else np.zeros_like(whole)
    dry_wide, dry_low = band_power(together), band_power(together, LOW)
    against, against_low = dry_wide or sum(wide.values()), dry_low or sum(low.values())
    if against <= _SILENT:
        raise FonodromeError("Nothing arrives at this output: there is nothing to add up.")
    total = band_power(whole)
    found = []
    for stem in chosen.stems:
        rest = [s.id for s in chosen.stems if s.id != stem.id]
        without = power_of(rest) if rest else np.zeros_like(whole)
        cut_on, cut_rail, saved = _low_cut(rig, stem.id, powers[stem.id], stem.wet)
        found.append(
            ReturnOut(
                id=stem.id, name=stem.name, wet=stem.wet, level_db=_db(wide[stem.id] / against),
                low_db=_db(low[stem.id] / against_low) if against_low > _SILENT else -120.0,
                muted_db=_db(max(band_power(without), _SILENT) / max(total, _SILENT)),
                twice_db=_db((total + wide[stem.id]) / max(total, _SILENT)), low_cut_on=cut_on,
                low_cut_rail=cut_rail,
                low_cut_saves_db=saved,
            )
        )  # fmt: skip
    wet_power, wet_low = sum(wide[s.id] for s in wet), sum(low[s.id] for s in wet)
    in_step = sum(math.sqrt(wide[s.id]) for s in wet) ** 2
    node = rig.nodes[name]
    assert isinstance(node, k.Output)
    peak = e.plan.carried[e.plan.outputs[name]].peak_dbfs
    marks = _marks(e, name)
    apart = _db(wet_power / against) if wet_power > _SILENT else None
    lift = _db(band_power(whole, LOW) / dry_low) if dry_low > _SILENT else None
    weights = _weights(e)
    drawn = np.flatnonzero(weights > 0)[::2]
    return ReturnsOut(
        output=name, place=chosen.id, places=[p.id for p in places], returns=found, apart_db=apart,
        in_step_db=_db(in_step / against) if in_step > _SILENT else None,
        low_apart_db=_db(wet_low / against_low) if wet_low > _SILENT and against_low else None,
        low_lift_db=lift, peak_dbfs=peak, headroom_db=None if peak is None else node.ceiling_dbfs - peak,
        hz=[round(float(f), 2) for f in MIDDLE_HZ[drawn]],
        bands=[
            StemPower(
                name=s.name if s.wet else "dry",
                power_db=[
                    round(_db(float(v) / against), 2)
                    for v in (powers[s.id].sum(axis=0)[drawn] / weights[drawn])
                ],
            )
            for s in chosen.stems
        ],
        marks=marks, order=_order_said(marks), sentence=_said(wet, apart, lift),
        computed_how=(
            "Each input is computed alone, as power over frequency on its source's spectrum: copies "
            "add as amplitudes as far as they are in step, tails as powers. Out of step: 10 log of "
            "the sum of powers; in step: 20 log of the sum of amplitudes, which is as loud as it can "
            "get; muted: the whole without it. Low end: up to 200 Hz; n equal and unrelated returns "
            "add 10 log n."
        ),
    )  # fmt: skip


def wet_low_db(e: Evaluation, output: str) -> float | None:
    """Power of all that is wet at an output up to 200 Hz against the dry low end there, in dB.

    As `returns_view` has it where its wet inputs are not in step with each other. None where nothing
    wet arrives. Raises FonodromeError where nothing dry does.
    """
    point = e.plan.outputs[output]
    assert isinstance(e.plan.carried, Carrying)
    wet, dry = (
        band_power(e.plan.carried.cells(point, wet=which)[:2], LOW) for which in (True, False)
    )
    if dry <= _SILENT:
        raise FonodromeError("Nothing dry arrives here that returns could be held against.")
    return None if wet <= _SILENT else _db(wet / dry)


def _weights(e: Evaluation) -> np.ndarray:
    """Shares of the first source's power over the cells."""
    name = next(iter(e.plan.sources), "")
    return e.context.spectrum(name).weights


def _said(wet: list[Any], apart: float | None, lift: float | None) -> str:
    if not wet or apart is None:
        return "No wet sound meets the dry one here."
    one = len(wet) == 1
    many = "The one return stands" if one else f"{len(wet)} returns together stand"
    said = f"{many} {fmt.signed(apart, 1)} dB against dry"
    if lift is not None:
        said += f" and {'lifts' if one else 'lift'} the low end by {fmt.number(lift, 1)} dB"
    return said + "."


def _low_cut(
    rig: Rig, port: str, power: np.ndarray, wet: bool
) -> tuple[str | None, str | None, float]:
    """What could cut a return's low end and does not: a stage, else a rail; and what it would save."""
    feeder = port.rpartition(".")[0]
    if not wet or feeder not in rig.nodes:
        return None, None, 0.0
    own: list[str] = []
    for name in [feeder, *rig.upstream(feeder)]:
        if isinstance(rig.nodes[name], (k.Split, k.Source)):
            break
        own.append(name)
    # A delay's own low cut is inside its loop: what stands in the way is asked for by its trait.
    stages = [n for n in own if getattr(rig.nodes[n], "has_low_cut", False)]
    if any(k.field_of(rig.nodes[n], "low_cut_hz", None) is not None for n in stages):
        return None, None, 0.0
    before = band_power(power, LOW)
    if before <= _SILENT:
        return None, None, 0.0
    cut = 1 / (1 + (LOW_CUT_HZ / MIDDLE_HZ) ** 4)
    saved = _db(band_power(power * cut, LOW) / before)
    return (stages[0], None, saved) if stages else (None, port, saved)


def _marks(e: Evaluation, output: str) -> list[MarkOut]:
    """First arrivals of everything, and the echoes of each delay down to -48 dB."""
    found: list[MarkOut] = []
    for board in e.boards:
        if board.output != output:
            continue
        for a in board.arrivals:
            if a.leak or a.level_db < _QUIETEST_DB:
                continue
            reverb = next(
                (n for n in a.through if getattr(e.rig.nodes.get(n), "diffuse", False)),
                None,
            )
            kind = "tail" if a.diffuse else "echo" if a.wet_percent > 50 else "dry"
            stage = e.rig.nodes.get(reverb) if reverb is not None else None
            rt60 = stage.rt60_s if isinstance(stage, k.Reverb) else None
            found.append(
                MarkOut(
                    name=a.name, kind=kind, time_ms=a.time_ms - board.reference_ms,
                    level_db=a.level_db, rt60_s=rt60, node=reverb or (a.through[-1] if a.through else ""),
                )
            )  # fmt: skip
        break
    found.sort(key=lambda m: m.time_ms)
    return found[:_MOST_ECHOES]


def _order_said(marks: list[MarkOut]) -> list[str]:
    """Whether each tail's pre-delay is heard, or hides behind the first repeat."""
    echoes = [m for m in marks if m.kind == "echo" and m.time_ms > 1]
    said = []
    for tail in [m for m in marks if m.kind == "tail"]:
        begins = f"{tail.name} begins after {fmt.number(tail.time_ms, 0)} ms"
        if not echoes:
            heard = (
                "as one with the dry sound" if tail.time_ms <= FUSED_MS else "as a gap of its own"
            )
            said.append(f"{begins}: no repeat comes before it, it is heard {heard}.")
            continue
        first = echoes[0]
        repeat = f"the first repeat ({first.name}, {fmt.number(first.time_ms, 0)} ms)"
        if abs(tail.time_ms - first.time_ms) <= FUSED_MS:
            said.append(f"{begins}, with {repeat}: its pre-delay hides behind that.")
        elif tail.time_ms > first.time_ms:
            said.append(f"{begins}, later than {repeat}: its pre-delay is not heard as one.")
        else:
            said.append(
                f"{begins}, {fmt.number(first.time_ms - tail.time_ms, 0)} ms before {repeat}: its "
                "pre-delay is heard."
            )
    return said
