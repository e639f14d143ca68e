"""How a player's own take sits against the slots: mean and spread in ms."""

import math

import numpy as np
from pydantic import Field

from core.delay.lattice import Grid, Pattern
from core.edge import Edge
from core.errors import FonodromeError
from core.units import TempoFrame
from core.units import format as fmt

MOST_ONSETS = 5000


class TakeRequest(Edge):
    frame: TempoFrame
    pattern: Pattern
    onsets_s: list[float] = Field(max_length=MOST_ONSETS, description="Ascending")
    starts_s: float | None = Field(
        None, description="Where bar 1 begins in the clip; null: at the first note"
    )


class TakeNote(Edge):
    time_s: float
    slot: int
    offset_ms: float = Field(description="Positive is late")


class SlotTiming(Edge):
    """All notes of one slot of the beat."""

    slot: int = Field(description="Within the beat, from 0")
    notes: int
    mean_ms: float
    spread_ms: float | None = Field(description="Standard deviation; null for one note")


class TakeOut(Edge):
    notes: list[TakeNote]
    mean_ms: float
    spread_ms: float | None
    by_slot: list[SlotTiming]
    starts_s: float
    slot_ms: float
    sentence: str
    computed_how: str


def against_slots(request: TakeRequest) -> TakeOut:
    """Set onsets against the slots of a pattern that goes on for ever.

    Raises FonodromeError where there are no onsets, or pattern and metre do not fit.
    """
    if not request.onsets_s:
        raise FonodromeError("No notes begin in this clip.")
    plain = Pattern(
        slots_per_beat=request.pattern.slots_per_beat, swing_percent=request.pattern.swing_percent
    )
    grid = Grid(request.frame, plain)
    onsets = np.asarray(request.onsets_s, dtype=float)
    start = float(onsets[0]) if request.starts_s is None else request.starts_s
    inside = np.mod(onsets - start, grid.length_s)
    slots, offsets = grid.nearest(inside)
    late = offsets * 1e3
    in_beat = slots % plain.slots_per_beat

    def spread(values: np.ndarray) -> float | None:
        return float(values.std(ddof=1)) if len(values) > 1 else None

    rows = [
        SlotTiming(
            slot=slot,
            notes=int((in_beat == slot).sum()),
            mean_ms=float(late[in_beat == slot].mean()),
            spread_ms=spread(late[in_beat == slot]),
        )
        for slot in range(plain.slots_per_beat)
        if (in_beat == slot).any()
    ]
    mean, wide = float(late.mean()), spread(late)
    side = "late" if mean > 0 else "early"
    said = f"{fmt.plural(len(onsets), 'note')}, {fmt.number(abs(mean), 1)} ms {side} on average"
    if wide is not None:
        said += f", spread {fmt.number(wide, 1)} ms"
    if math.isclose(mean, 0, abs_tol=0.05):
        said = f"{fmt.plural(len(onsets), 'note')}, on the slots on average"
    return TakeOut(
        notes=[
            TakeNote(time_s=float(t), slot=int(s), offset_ms=float(o))
            for t, s, o in zip(onsets, slots, late, strict=True)
        ],
        mean_ms=mean,
        spread_ms=wide,
        by_slot=rows,
        starts_s=start,
        slot_ms=grid.slot_s * 1e3,
        sentence=said + ".",
        computed_how=(
            "A note begins where the spectrum rises; its time is read to about a millisecond. Each "
            "goes to its nearest slot, bar 1 beginning "
            f"{'at the first note' if request.starts_s is None else 'where you say'}."
        ),
    )
