"""The rhythm lattice: played notes and their echoes on the slots of a bar (domain 3.4)."""

import math
from fractions import Fraction
from typing import Literal

import numpy as np
from pydantic import Field

from core.delay.line import DelayLine
from core.delay.repeats import echo_times
from core.edge import Edge
from core.errors import FonodromeError
from core.units import NoteValue, TempoFrame
from core.units import format as fmt
from core.units.decibel import decibels, power_decibels, power_of

MOST_SLOTS = 256
MOST_NOTES = 64
MOST_REPEATS = 16
_EQUAL_DB = 0.5
SlotKind = Literal["played", "filled", "collision", "empty"]
EchoKind = Literal["fills", "collides", "off", "beyond"]


class PlayedNote(Edge):
    slot: int = Field(ge=0, le=MOST_SLOTS)
    midi: int | None = Field(None, ge=0, le=127, description="Pitch, if one was typed")


class Pattern(Edge):
    """What is played: on which slots of how many bars."""

    slots_per_beat: int = Field(4, ge=1, le=16)
    bars: int = Field(1, ge=1, le=8)
    swing_percent: float = Field(50, ge=50, le=80, description="Where the off slot sits in a pair")
    played: tuple[PlayedNote, ...] = Field((), max_length=MOST_NOTES)


class KeptFigure(Edge):
    """The figure of a song, as it is kept with it."""

    pattern: Pattern = Pattern()
    repeats: int = Field(4, ge=1, le=MOST_REPEATS)
    wraps: bool = True


class LatticeRequest(Edge):
    frame: TempoFrame
    pattern: Pattern
    line: DelayLine
    repeats: int = Field(4, ge=1, le=MOST_REPEATS, description="Echoes looked at per note")
    threshold_db: float = Field(40, ge=1, le=120, description="Below this an echo does not count")
    wraps: bool = Field(True, description="The pattern goes round: echoes run on into its start")
    tolerance_ms: float = Field(12, ge=0.1, le=100, description="Further off is off the lattice")


class SlotOut(Edge):
    index: int
    time_ms: float
    kind: SlotKind
    midi: int | None
    level_db: float | None = Field(description="Of the echoes that land here, as powers")
    downbeat: bool = Field(description="A beat begins here")


class EchoOut(Edge):
    """One echo of one note; each is counted once."""

    note: int = Field(description="Index of the played note")
    k: int
    side: Literal["both", "left", "right"]
    time_ms: float = Field(description="From the pattern's start, not wrapped")
    at_ms: float = Field(description="Within the pattern")
    slot: int | None = Field(description="Null: off the lattice, or beyond the pattern's end")
    offset_ms: float = Field(description="From the nearest slot")
    level_db: float
    midi: int | None
    kind: EchoKind


class Condition(Edge):
    said: str
    met: bool


class LatticeOut(Edge):
    slots: list[SlotOut]
    echoes: list[EchoOut]
    length_ms: float
    slot_ms: float
    beats: int = Field(description="In the pattern; the last may be a part of one")
    slots_per_bar: int
    filled: int
    collisions: int = Field(description="Echoes that land on played notes")
    empty: int
    off: int
    conditions: list[Condition] = Field(description="Of the dotted-eighth figure")
    is_figure: bool = Field(description="Whether all of them are met")
    sentence: str
    computed_how: str


class Grid:
    """The slots of a pattern in time. Raises FonodromeError where they do not fit the metre."""

    def __init__(self, frame: TempoFrame, pattern: Pattern) -> None:
        beats = frame.metre.bar / frame.beat.whole_notes
        in_bar = beats * pattern.slots_per_beat
        if in_bar.denominator != 1:
            raise FonodromeError(
                f"{pattern.slots_per_beat} slots a beat do not fill a bar of "
                f"{frame.metre_count}/{frame.metre_unit} evenly: "
                f"take a multiple of {(beats * 1).denominator}."
            )
        self.in_bar = int(in_bar)
        self.count = self.in_bar * pattern.bars
        if self.count > MOST_SLOTS:
            raise FonodromeError(f"A pattern has up to {MOST_SLOTS} slots; this has {self.count}.")
        beyond = [n.slot for n in pattern.played if n.slot >= self.count]
        if beyond:
            raise FonodromeError(
                f"The pattern is longer than the bar: slot {beyond[0] + 1} of {self.count}. "
                "Take more bars, or fewer notes."
            )
        if pattern.swing_percent != 50 and pattern.slots_per_beat % 2:
            raise FonodromeError("Swing needs an even number of slots a beat.")
        self.slot_s = frame.length_s(frame.beat) / pattern.slots_per_beat
        self.length_s = self.count * self.slot_s
        index = np.arange(self.count)
        late = (pattern.swing_percent / 50 - 1) * self.slot_s
        self.times_s = index * self.slot_s + np.where(index % 2 == 1, late, 0.0)

    def nearest(self, seconds: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Nearest slot (the first again after the last) and the offset from it in seconds."""
        edges = np.concatenate([self.times_s, [self.length_s]])
        after = np.clip(np.searchsorted(edges, seconds), 1, self.count)
        before = after - 1
        closer = np.where(seconds - edges[before] <= edges[after] - seconds, before, after)
        return closer % self.count, seconds - edges[closer]


def lattice(request: LatticeRequest) -> LatticeOut:
    """Every echo of every played note in its slot.

    Raises FonodromeError where pattern and metre do not fit, QuantityError for an unreadable time.
    """
    frame, pattern, line = request.frame, request.pattern, request.line
    grid = Grid(frame, pattern)
    played = {n.slot: n.midi for n in pattern.played}
    left, right = line.times_s(frame)
    train = [
        e for e in echo_times(line, left, right, -request.threshold_db)
        if e.k <= request.repeats
    ]  # fmt: skip
    tolerance = min(request.tolerance_ms / 1e3, grid.slot_s / 4)
    notes = sorted(played.items())
    starts = grid.times_s[[slot for slot, _ in notes]] if notes else np.zeros(0)
    # (notes, echoes): when each arrives, and where that is in the pattern.
    times = starts[:, None] + np.array([e.time_ms / 1e3 for e in train])[None, :]
    inside = times % grid.length_s if request.wraps else times
    if request.wraps:
        # A rounding short of the end is the start again.
        inside[grid.length_s - inside < 1e-9] = 0.0
    near, offset = grid.nearest(inside.ravel())
    near, offset = near.reshape(times.shape), offset.reshape(times.shape)
    echoes: list[EchoOut] = []
    powers = np.zeros(grid.count)
    for index, (_, midi) in enumerate(notes):
        for place, e in enumerate(train):
            time, apart = float(times[index, place]), float(offset[index, place])
            target: int | None = int(near[index, place])
            kind: EchoKind
            if not request.wraps and time >= grid.length_s - 1e-9:
                kind, target = "beyond", None
            elif abs(apart) > tolerance:
                kind, target = "off", None
            else:
                kind = "collides" if target in played else "fills"
                powers[target] += power_of(e.level_db)
            echoes.append(
                EchoOut(
                    note=index, k=e.k, side=e.side, time_ms=time * 1e3,
                    at_ms=float(inside[index, place]) * 1e3, slot=target, offset_ms=apart * 1e3,
                    level_db=e.level_db, midi=midi, kind=kind,
                )
            )  # fmt: skip
    filled = {e.slot for e in echoes if e.kind == "fills"}
    hit = {e.slot for e in echoes if e.kind == "collides"}
    slots = []
    for i in range(grid.count):
        kind_of: SlotKind = "empty"
        if i in played:
            kind_of = "collision" if i in hit else "played"
        elif i in filled:
            kind_of = "filled"
        slots.append(
            SlotOut(
                index=i,
                time_ms=float(grid.times_s[i]) * 1e3,
                kind=kind_of,
                midi=played.get(i),
                level_db=power_decibels(powers[i]) if powers[i] > 0 else None,
                downbeat=i % grid.in_bar % pattern.slots_per_beat == 0,
            )
        )
    collisions = sum(e.kind == "collides" for e in echoes)
    off = sum(e.kind == "off" for e in echoes)
    empty = sum(s.kind == "empty" for s in slots)
    conditions = _conditions(request, grid, empty)
    return LatticeOut(
        slots=slots,
        echoes=echoes,
        length_ms=grid.length_s * 1e3,
        slot_ms=grid.slot_s * 1e3,
        beats=math.ceil(grid.count / pattern.slots_per_beat),
        slots_per_bar=grid.in_bar,
        filled=len(filled),
        collisions=collisions,
        empty=empty,
        off=off,
        conditions=conditions,
        is_figure=bool(played) and all(c.met for c in conditions),
        sentence=_said(echoes, len(filled), collisions, empty, off, bool(played)),
        computed_how=(
            "A slot is the beat over its slots; with swing the second of each pair sits at its "
            "share of the pair. Every echo of every note goes to its nearest slot, or is off the "
            f"lattice beyond {fmt.number(tolerance * 1e3, 1)} ms. Levels in a slot add as powers."
        ),
    )


def _conditions(request: LatticeRequest, grid: Grid, empty: int) -> list[Condition]:
    """Of the dotted-eighth figure: play eighths, hear sixteenths."""
    line, frame = request.line, request.frame
    sixteenth = frame.length_s(NoteValue(Fraction(1, 16)))
    delay, _ = line.times_s(frame)
    off = (delay - 3 * sixteenth) * 1e3
    second = decibels(line.feedback_percent / 100) if line.feedback_percent else -math.inf
    slots = grid.slot_s / sixteenth
    played = sorted(n.slot * slots for n in request.pattern.played)
    wanted = [2.0 * i for i in range(round(grid.count * slots / 2))]
    return [
        Condition(
            said="every second sixteenth is played",
            met=len(played) == len(wanted)
            and all(abs(a - b) < 1e-6 for a, b in zip(played, wanted, strict=True)),
        ),
        Condition(
            said=f"the delay is three sixteenths ({fmt.signed(off, 2)} ms off)",
            met=abs(off) <= request.tolerance_ms,
        ),
        Condition(
            said="one repeat"
            if second == -math.inf
            else f"one repeat (the second is {fmt.number(-second, 1)} dB below it)",
            met=second <= -20,
        ),
        Condition(
            said=f"the repeat is as loud as the note ({fmt.signed(line.first_db, 1)} dB)",
            met=abs(line.first_db) <= _EQUAL_DB,
        ),
        Condition(said="every slot sounds", met=empty == 0),
    ]


def _said(
    echoes: list[EchoOut], filled: int, collisions: int, empty: int, off: int, played: bool
) -> str:  # fmt: skip
    if not played:
        return "Click slots, or type what is played: 1 3 5 7."
    if not echoes:
        return "No echo is loud enough to count."
    by_k: dict[int, set[str]] = {}
    for e in echoes:
        by_k.setdefault(e.k, set()).add(e.kind)
    fills = [str(k) for k, kinds in by_k.items() if kinds == {"fills"}]
    lands = [str(k) for k, kinds in by_k.items() if kinds == {"collides"}]
    parts = []
    if fills and len(by_k) > 1:
        parts.append(
            f"echo{'es' if len(fills) > 1 else ''} {' and '.join(fills[:4])} "
            f"fill{'' if len(fills) > 1 else 's'} the gaps"
        )
    if lands and len(by_k) > 1:
        parts.append(f"{' and '.join(lands[:4])} land{'' if len(lands) > 1 else 's'} on your notes")
    if not parts:
        parts.append(f"{fmt.plural(filled, 'slot')} filled")
        if collisions:
            parts.append(f"{fmt.plural(collisions, 'echo', 'echoes')} on your notes")
    if off:
        parts.append(f"{fmt.plural(off, 'echo', 'echoes')} off the lattice")
    parts.append("every slot sounds" if empty == 0 else f"{empty} left empty")
    said = "; ".join(parts)
    return said[0].upper() + said[1:] + "."


class Found(Edge):
    """A delay that fits a pattern."""

    id: str = Field(description="Note value, or the number of slots: '5 slots' as its ms")
    name: str
    ms: float
    filled: int
    collisions: int
    empty: int
    off: int


class SearchOut(Edge):
    best: list[Found] = Field(description="Most gaps filled with fewest collisions first")
    fills_all: list[str] = Field(description="Values that fill every gap without a collision")
    tried: int


class SearchRequest(LatticeRequest):
    most: int = Field(12, ge=1, le=50)


def _values(frame: TempoFrame, grid: Grid) -> list[tuple[str, str, float]]:
    """Every note value up to two bars, and every number of slots: id, name, seconds."""
    found: dict[float, tuple[str, str, float]] = {}
    longest = frame.length_s(frame.beat) * float(frame.metre.bar / frame.beat.whole_notes) * 2
    for power in range(0, 7):
        for modifier in ("straight", "dotted", "double-dotted", "triplet", "quintuplet"):
            note = NoteValue(Fraction(1, 2**power), modifier)
            seconds = frame.length_s(note)
            if seconds <= longest + 1e-9:
                found[round(seconds, 9)] = (note.id, note.name, seconds)
    for bars in (1, 2):
        note = NoteValue(frame.metre.bar * bars, bars=bars)
        found[round(frame.length_s(note), 9)] = (note.id, note.name, frame.length_s(note))
    for slots in range(1, math.floor(longest / grid.slot_s + 1e-9) + 1):
        seconds = slots * grid.slot_s
        if round(seconds, 9) not in found:
            words = f"{slots} slots"
            found[round(seconds, 9)] = (f"{seconds * 1e3:.6g} ms", words, seconds)
    return sorted(found.values(), key=lambda v: v[2])


def search(request: SearchRequest) -> SearchOut:
    """Delays that fill the gaps of a pattern: all note values and slot counts up to two bars."""
    frame, pattern, line = request.frame, request.pattern, request.line
    grid = Grid(frame, pattern)
    played = np.unique([n.slot for n in pattern.played]).astype(int)
    if not len(played):
        raise FonodromeError("Play something first: click a slot.")
    values = _values(frame, grid)
    g = line.feedback_percent / 100
    count = request.repeats
    if g == 0:
        count = 1
    elif g < 1:
        reach = (request.threshold_db + line.first_db) / (-decibels(g))
        count = max(1, min(count, 1 + math.floor(reach + 1e-9)))
    seconds = np.array([v[2] for v in values])
    k = np.arange(1, count + 1)
    # (values, repeats, notes): when each echo of each note arrives.
    times = seconds[:, None, None] * k[None, :, None] + grid.times_s[played][None, None, :]
    beyond = np.zeros(times.shape, bool)
    if request.wraps:
        times = times % grid.length_s
        times[grid.length_s - times < 1e-9] = 0.0
    else:
        beyond = times >= grid.length_s - 1e-9
    near, offset = grid.nearest(times.ravel())
    near, offset = near.reshape(times.shape), offset.reshape(times.shape)
    tolerance = min(request.tolerance_ms / 1e3, grid.slot_s / 4)
    off = (np.abs(offset) > tolerance) & ~beyond
    lands = ~off & ~beyond
    is_played = np.zeros(grid.count, bool)
    is_played[played] = True
    hits = (lands & is_played[near]).sum(axis=(1, 2))
    gaps = grid.count - len(played)
    row = np.broadcast_to(np.arange(len(values))[:, None, None], times.shape)
    covered = np.zeros((len(values), grid.count), bool)
    fills = lands & ~is_played[near]
    covered[row[fills], near[fills]] = True
    filled = covered.sum(axis=1)
    offs = off.sum(axis=(1, 2))
    order = np.lexsort((seconds, offs, hits, -filled))
    best = [
        Found(
            id=values[i][0], name=values[i][1], ms=values[i][2] * 1e3, filled=int(filled[i]),
            collisions=int(hits[i]), empty=gaps - int(filled[i]), off=int(offs[i]),
        )
        for i in order[: request.most]
    ]  # fmt: skip
    clean = (filled == gaps) & (hits == 0) & (offs == 0)
    return SearchOut(
        best=best,
        fills_all=[values[i][0] for i in np.flatnonzero(clean)] if gaps else [],
        tried=len(values),
    )
