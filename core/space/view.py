"""Everything that the Space step draws of a reverb over a clip's phrases."""

import math
from fractions import Fraction
from typing import Literal

import numpy as np
from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.space.ducking import DuckingSettings
from core.space.gaps import GapFinder, Levels, Phrase, find_phrases
from core.space.tail import ducking_needed_db, longest_rt60_s, tail_db
from core.units import NoteValue, TempoFrame, parse_time
from core.units import format as fmt

OCTAVES_HZ = (125, 250, 500, 1000, 2000, 4000)
FUSED_MS = 30.0
School = Literal["fits", "clears", "taste"]
SCHOOLS: tuple[School, ...] = ("fits", "clears", "taste")
_LENGTHS: tuple[tuple[str, float], ...] = (
    ("1/4", 0.25), ("1/2", 0.5), ("½ bar", -0.5), ("1 bar", -1.0), ("2 bars", -2.0), ("4 bars", -4.0),
)  # fmt: skip
_PRE_DELAYS = (
    "1/128t",
    "1/128",
    "1/128.",
    "1/64",
    "1/64.",
    "1/32",
    "1/32.",
    "1/16t",
    "1/16",
    "1/16.",
    "1/8t",
    "1/8",
    "1/8.",
    "1/4t",
    "1/4",
    "1/4.",
    "1/2t",
    "1/2",
    "1/2.",
    "1 bar",
)
MOST_PHRASES = 2000


class SourceTaste(Edge):
    """Where people begin for a kind of source: taste, and said to be."""

    id: str
    name: str
    pre_delay_ms: list[float]
    rt60_s: list[float]


TASTES: tuple[SourceTaste, ...] = (
    SourceTaste(
        id="reed", name="slow reed or voice, warm", pre_delay_ms=[20, 40], rt60_s=[1.2, 1.8]
    ),
    SourceTaste(id="plucked", name="plucked strings", pre_delay_ms=[10, 30], rt60_s=[1.0, 2.0]),
    SourceTaste(id="drum", name="hand percussion, close", pre_delay_ms=[0, 15], rt60_s=[0.4, 0.9]),
    SourceTaste(id="wide", name="long and wide, ambient", pre_delay_ms=[30, 80], rt60_s=[2.5, 6.0]),
)


class KeptSpace(Edge):
    """A reverb as it is thought of for a song, and where it came from."""

    rt60_s: float = Field(1.8, ge=0.05, le=60)
    pre_delay: str = Field("20 ms", min_length=1, max_length=40)
    start_db: float = Field(
        0, ge=-60, le=24, description="Tail's level where it begins, against its phrase"
    )
    drop_db: float = Field(
        20, gt=0, le=90, description="How far the tail should be down at an entry"
    )
    school: School = "clears"
    taste: str = Field("reed", max_length=20)
    ratios: list[float] = Field(
        default=[1.15, 1.08, 1.0, 0.96, 0.8, 0.6], min_length=6, max_length=6,
        description="RT60 by octave from 125 Hz, as shares of RT60",
    )  # fmt: skip
    ducking: DuckingSettings | None = Field(None, description="Ducking thought of with it")
    ducking_on: bool = Field(False, description="It is drawn and counted")
    ducking_said: str = Field("", max_length=200, description="Where its settings came from")
    finder: GapFinder = GapFinder()
    phrases: list[Phrase] | None = Field(None, max_length=MOST_PHRASES, description="Set by hand")
    clip: str = Field("", max_length=200, description="Name of the clip it was last drawn over")


class SpaceRequest(Edge):
    frame: TempoFrame
    space: KeptSpace = KeptSpace()


class Gap(Edge):
    """A gap between two phrases and what the tail does in it."""

    start_s: float
    entry_s: float
    length_s: float
    tail_db: float = Field(description="At the entry, against its phrase, ducking not counted")
    longest_rt60_s: float
    ducking_db: float = Field(description="Needed instead, if the decay is kept")
    clear: bool


class SchoolRow(Edge):
    """One school with its proposal, all over the same gaps."""

    school: School
    name: str
    about: str
    pre_delay_ms: list[float] = Field(description="One value, or a range from and to")
    rt60_s: list[float]
    take_rt60_s: float | None = Field(description="What a press takes; null where it has none")
    take_pre_delay: str | None
    clear: int = Field(description="Gaps that are clear with that")


class Marked(Edge):
    name: str
    ms: float


class SpaceOut(Edge):
    pre_delay_ms: float
    falls_db_per_s: float
    whole_ms: float = Field(description="Pre-delay and RT60 together")
    bar_ms: float
    drop_after_ms: float = Field(description="When the tail is as far down as asked")
    phrases: list[Phrase]
    by_hand: bool
    gaps: list[Gap]
    clear: int
    schools: list[SchoolRow]
    pre_delays: list[Marked] = Field(description="Note values on the pre-delay scale")
    lengths: list[Marked] = Field(description="Decays that fit a length with this pre-delay")
    octave_rt60_s: list[float]
    tastes: list[SourceTaste]
    notes: list[str]
    sentence: str
    computed_how: str


def _pre_delay(text: str, frame: TempoFrame) -> float:
    return parse_time(text, frame)[0]


def _gaps(
    phrases: list[Phrase], pre_s: float, rt60_s: float, start_db: float, drop_db: float
) -> list[Gap]:
    out = []
    for before, after in zip(phrases, phrases[1:], strict=False):
        length = after.start_s - before.end_s
        level = tail_db(length, pre_s, rt60_s, start_db)
        wanted = drop_db + start_db
        longest = longest_rt60_s(length, pre_s, wanted) if wanted > 0 else math.inf
        need = ducking_needed_db(level, drop_db)
        out.append(
            Gap(
                start_s=before.end_s, entry_s=after.start_s, length_s=length, tail_db=level,
                longest_rt60_s=min(longest, 60.0), ducking_db=need, clear=need < 0.05,
            )
        )  # fmt: skip
    return out


def _check(phrases: list[Phrase]) -> None:
    for one, after in zip(phrases, [*phrases[1:], None], strict=False):
        if one.end_s <= one.start_s:
            raise FonodromeError(f"A phrase ends at {one.end_s:.2f} s before it has begun.")
        if after is not None and after.start_s < one.end_s:
            raise FonodromeError(f"Two phrases overlap at {after.start_s:.2f} s.")


def space_view(request: SpaceRequest, levels: Levels) -> SpaceOut:
    """The tail over the clip's gaps, and the three schools. Raises FonodromeError and QuantityError."""
    space, frame = request.space, request.frame
    pre_s = _pre_delay(space.pre_delay, frame)
    if pre_s > 10:
        raise FonodromeError("A pre-delay of more than 10 s is no pre-delay.")
    phrases = (
        space.phrases
        if space.phrases is not None
        else find_phrases(np.array(levels.db), space.finder)
    )
    _check(phrases)
    gaps = _gaps(phrases, pre_s, space.rt60_s, space.start_db, space.drop_db)
    clear = sum(g.clear for g in gaps)
    quarter = frame.length_s(NoteValue(Fraction(1, 4)))
    bar = quarter * 4 * frame.metre_count / frame.metre_unit
    lengths = []
    for name, size in _LENGTHS:
        whole = -size * bar if size < 0 else 4 * size * quarter
        if 0.05 <= whole - pre_s <= 60:
            lengths.append(Marked(name=name, ms=(whole - pre_s) * 1e3))
    marks = [Marked(name=text, ms=_pre_delay(text, frame) * 1e3) for text in _PRE_DELAYS]
    notes = []
    if not phrases:
        notes.append(
            "This clip is silent: there is no phrase in it. Choose another, or set phrases by hand."
        )
    elif not gaps:
        notes.append(
            "No gap was found: the phrases run into each other. Lower the gap's length, or set phrases by hand."
        )
    if pre_s * 1e3 > FUSED_MS:
        notes.append(
            f"A pre-delay above about {FUSED_MS:.0f} ms is heard as a first echo of its own by many."
        )
    if space.rt60_s < 0.25:
        notes.append(
            "So short a decay may ring: few modes, each one heard. More density and less size help."
        )
    grid = [space.rt60_s * share for share in space.ratios]
    longest = min((g.longest_rt60_s for g in gaps), default=None)
    shown = f"{clear} of {len(gaps)} gaps are clear" if gaps else "No gaps"
    return SpaceOut(
        pre_delay_ms=pre_s * 1e3, falls_db_per_s=60 / space.rt60_s,
        whole_ms=(pre_s + space.rt60_s) * 1e3, bar_ms=bar * 1e3,
        drop_after_ms=(pre_s + space.rt60_s * max(0.0, space.drop_db + space.start_db) / 60) * 1e3,
        phrases=phrases, by_hand=space.phrases is not None, gaps=gaps, clear=clear,
        schools=_schools(space, phrases, pre_s, bar, longest, marks, frame), pre_delays=marks,
        lengths=lengths, octave_rt60_s=grid, tastes=list(TASTES), notes=notes,
        sentence=f"{shown} with {fmt.significant(space.rt60_s, 3)} s and {fmt.significant(pre_s * 1e3, 4)} ms.",
        computed_how=(
            "Tail at an entry: L0 - 60 (gap - pre-delay) / RT60. Longest decay for a gap: "
            "60 (gap - pre-delay) / drop, with the drop counted from where the tail begins. Phrases: "
            "10 ms levels smoothed over 50 ms, open above the loudest less the threshold, closed "
            "with hysteresis."
        ),
    )  # fmt: skip


def _schools(
    space: KeptSpace, phrases: list[Phrase], pre_s: float, bar_s: float, longest: float | None,
    marks: list[Marked], frame: TempoFrame,
) -> list[SchoolRow]:  # fmt: skip
    def clear(rt60_s: float, pre: float) -> int:
        return sum(g.clear for g in _gaps(phrases, pre, rt60_s, space.start_db, space.drop_db))

    fits = [bar_s * n - pre_s for n in (0.5, 1, 2) if 0.05 <= bar_s * n - pre_s <= 60]
    best = min(fits, key=lambda v: abs(math.log(v / space.rt60_s)), default=None)
    near = min(marks, key=lambda m: abs(math.log(max(m.ms, 0.1) / max(pre_s * 1e3, 0.1))))
    taste = next((t for t in TASTES if t.id == space.taste), TASTES[0])
    middle = math.sqrt(taste.rt60_s[0] * taste.rt60_s[1])
    middle_ms = sum(taste.pre_delay_ms) / 2
    usable = longest is not None and longest >= 0.05
    near_s = _pre_delay(near.name, frame)
    return [
        SchoolRow(
            school="fits", name="Whole fits a length", about="pre-delay and decay fill a bar or a part of it",
            pre_delay_ms=[near.ms], rt60_s=fits, take_pre_delay=near.name,
            take_rt60_s=None if best is None else round(best + pre_s - near_s, 4),
            clear=0 if best is None else clear(best + pre_s - near_s, near_s),
        ),
        SchoolRow(
            school="clears", name="Clear of the next phrase",
            about=f"the tail is {fmt.significant(space.drop_db, 3)} dB down when it enters",
            pre_delay_ms=[0, FUSED_MS],
            rt60_s=[0.05, longest] if usable and longest is not None else [],
            take_pre_delay=None, take_rt60_s=math.floor(longest * 1000) / 1000 if usable and longest else None,
            clear=clear(max(0.05, longest - 1e-9), pre_s) if usable and longest is not None else 0,
        ),
        SchoolRow(
            school="taste", name="Source and style", about=f"a start for {taste.name}: taste, no rule",
            pre_delay_ms=taste.pre_delay_ms, rt60_s=taste.rt60_s,
            take_pre_delay=f"{middle_ms:g} ms", take_rt60_s=round(middle, 2), clear=clear(middle, middle_ms / 1e3),
        ),
    ]  # fmt: skip
