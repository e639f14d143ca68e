"""The tempo map: where a bar lies in time, and which bar sounds at a time.

Within a section the tempo is constant, or linear over the bars. Position is counted in quarters
from the start of the song: with a ramp from b0 to b1 quarters a minute over L quarters,
`t(x) = 60 L / (b1 - b0) * ln(1 + (b1 - b0) x / (b0 L))` seconds.
"""

import math
from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from pydantic import Field

from core.devices import DeviceProfile, Setting, nearest_setting
from core.edge import Edge
from core.errors import FonodromeError
from core.tempo.song import MOST_SECTIONS, TempoSection, check_sections
from core.units import NoteValue, TempoFrame, parse_time
from core.units import format as fmt

OPEN_BARS = 8
MOST_BARS = 4000
_FLAT = 1e-9


@dataclass(frozen=True)
class _Stretch:
    """A section laid out: quarters and seconds from the start of the song; tempo in quarters."""

    section: TempoSection
    first_bar: int
    """The bar in which it begins."""
    first_beat: float
    """The beat of that bar at which it begins, from 1."""
    quarters_from: float
    quarters: float
    seconds_from: float
    seconds: float
    quarter_bpm: float
    quarter_bpm_end: float

    @property
    def bar_quarters(self) -> float:
        return 4 * self.section.metre_count / self.section.metre_unit

    def seconds_in(self, quarters: float) -> float:
        """Seconds from the section's start to so many quarters into it."""
        b0, change = self.quarter_bpm, self.quarter_bpm_end - self.quarter_bpm
        if abs(change) < _FLAT * b0:
            return 60 * quarters / b0
        slope = change / self.quarters
        return 60 / slope * math.log1p(slope * quarters / b0)

    def quarters_in(self, seconds: float) -> float:
        """Quarters into the section at so many seconds from its start."""
        b0, change = self.quarter_bpm, self.quarter_bpm_end - self.quarter_bpm
        if abs(change) < _FLAT * b0:
            return b0 * seconds / 60
        slope = change / self.quarters
        return b0 / slope * math.expm1(slope * seconds / 60)

    def bpm_at(self, quarters: float) -> float:
        share = quarters / self.quarters if self.quarters else 0.0
        return self.quarter_bpm + (self.quarter_bpm_end - self.quarter_bpm) * share


@dataclass(frozen=True)
class _Run:
    """Bars of one metre in a row: a change of tempo inside a bar does not begin another."""

    first_bar: int
    quarters_from: float
    metre: tuple[int, int]

    @property
    def bar_quarters(self) -> float:
        return 4 * self.metre[0] / self.metre[1]


_HAIR = 1e-6
"""Quarters that are no part of a bar."""


class TempoMap:
    """Sections laid out in time. An open last section counts as 8 bars and goes on beyond them.

    Raises FonodromeError where the sections contradict each other.
    """

    def __init__(self, sections: Sequence[TempoSection]) -> None:
        check_sections(sections)
        self.stretches: list[_Stretch] = []
        self.runs: list[_Run] = []
        quarters, seconds = 0.0, 0.0
        for section in sections:
            run = self.runs[-1] if self.runs else None
            if run is None or run.metre != section.metre:
                # Another metre begins a bar; what was under way is a short one.
                begun = 0 if run is None else (quarters - run.quarters_from) / run.bar_quarters
                first = 1 if run is None else run.first_bar + math.ceil(begun - _HAIR)
                run = _Run(first, quarters, section.metre)
                self.runs.append(run)
            into = (quarters - run.quarters_from) / run.bar_quarters
            whole = math.floor(into + _HAIR)
            beat = max(0.0, into - whole) * section.metre_count + 1
            unit = float(section.frame(48_000).beat.whole_notes * 4)
            start = section.tempo_bpm * unit
            end = start if section.ramp_to_bpm is None else section.ramp_to_bpm * unit
            length = section.quarters(OPEN_BARS)
            place = (section, run.first_bar + whole, round(beat, 9), quarters, length, seconds)
            flat = _Stretch(*place, 0.0, start, end)
            lasts = flat.seconds_in(length)
            self.stretches.append(_Stretch(*place, lasts, start, end))
            quarters, seconds = quarters + length, seconds + lasts
        self._quarters_from = [s.quarters_from for s in self.stretches]
        self._seconds_from = [s.seconds_from for s in self.stretches]
        self._bars_from = [r.first_bar for r in self.runs]
        self._runs_from = [r.quarters_from for r in self.runs]

    @property
    def bars(self) -> int:
        """Bars that begin in it."""
        last = self.runs[-1]
        return (
            last.first_bar
            - 1
            + math.ceil((self.quarters - last.quarters_from) / last.bar_quarters - _HAIR)
        )

    @property
    def seconds(self) -> float:
        last = self.stretches[-1]
        return last.seconds_from + last.seconds

    @property
    def quarters(self) -> float:
        last = self.stretches[-1]
        return last.quarters_from + last.quarters

    def _at(self, quarters: float) -> tuple[int, _Stretch]:
        index = max(0, bisect_right(self._quarters_from, quarters) - 1)
        return index, self.stretches[index]

    def time_s(self, quarters: float) -> float:
        """Seconds at a position in quarters; before 0 and beyond the end at the outer tempo."""
        _, stretch = self._at(quarters)
        inside = quarters - stretch.quarters_from
        if inside < 0:
            return 60 * inside / stretch.quarter_bpm
        over = inside - stretch.quarters
        if over > 0:
            return stretch.seconds_from + stretch.seconds + 60 * over / stretch.quarter_bpm_end
        return stretch.seconds_from + stretch.seconds_in(inside)

    def quarters_at(self, seconds: float) -> float:
        """The position in quarters at a time: the inverse of `time_s`."""
        stretch = self.stretches[max(0, bisect_right(self._seconds_from, seconds) - 1)]
        inside = seconds - stretch.seconds_from
        if inside < 0:
            return stretch.quarter_bpm * inside / 60
        over = inside - stretch.seconds
        if over > 0:
            return stretch.quarters_from + stretch.quarters + stretch.quarter_bpm_end * over / 60
        return stretch.quarters_from + stretch.quarters_in(inside)

    def _run_of(self, bar: int) -> _Run:
        return self.runs[max(0, bisect_right(self._bars_from, bar) - 1)]

    def quarters_of(self, bar: int, beat: float = 1.0) -> float:
        """Position in quarters of a bar and beat, both counted from 1. Beats are metre units."""
        if bar < 1 or beat < 1:
            raise FonodromeError("Bars and beats are counted from 1.")
        run = self._run_of(bar)
        in_bars = (bar - run.first_bar) * run.bar_quarters
        return run.quarters_from + in_bars + (beat - 1) * 4 / run.metre[1]

    def metre_of(self, bar: int) -> tuple[int, int]:
        """Beats of a bar and the note that one of them is."""
        return self._run_of(bar).metre

    def bar_at(self, quarters: float) -> tuple[int, float, int]:
        """Bar and beat (from 1) at a position, and the index of the section."""
        index, _ = self._at(quarters + 1e-9)
        run = self.runs[max(0, bisect_right(self._runs_from, quarters + 1e-9) - 1)]
        inside = max(0.0, quarters - run.quarters_from)
        bar = math.floor(inside / run.bar_quarters + 1e-9)
        beat = (inside - bar * run.bar_quarters) * run.metre[1] / 4
        return run.first_bar + bar, max(0.0, beat) + 1, index

    def frame_at(self, quarters: float, sample_rate_hz: int) -> TempoFrame:
        """The tempo that holds at a position, as a frame to read note values against."""
        _, stretch = self._at(quarters)
        inside = min(max(0.0, quarters - stretch.quarters_from), stretch.quarters)
        share = stretch.bpm_at(inside) / stretch.quarter_bpm
        frame = stretch.section.frame(sample_rate_hz)
        return frame.model_copy(update={"tempo_bpm": stretch.section.tempo_bpm * share})


class TempoMapRequest(Edge):
    sections: tuple[TempoSection, ...] = Field(max_length=MOST_SECTIONS)
    sample_rate_hz: int = Field(48_000, ge=8_000, le=384_000)
    delay: str = Field("1/8.", max_length=60, description="Note value or time to follow")
    device: DeviceProfile | None = None
    at_bar: int | None = Field(None, ge=1, le=100_000, description="A position to read")
    at_beat: float = Field(1, ge=1, le=64)
    at_s: float | None = Field(None, ge=0, le=86_400, description="A time to read")
    bars_until_s: float | None = Field(
        None, ge=0, le=7200, description="Also give where the bars begin, up to this time"
    )


class SectionOut(Edge):
    """A section as it lies in the song, and what the delay is in it."""

    first_bar: int = Field(description="The bar in which it begins")
    first_beat: float = Field(description="The beat of that bar, from 1; 1: at the bar line")
    bars: int
    beats: float = Field(description="On top of the bars")
    open: bool = Field(description="Goes on to the end of the song; 8 bars are drawn")
    start_s: float
    length_s: float
    bpm: float
    end_bpm: float
    bar_ms: float = Field(description="Length of its first bar")
    delay_ms: float = Field(description="The delay at its first beat")
    end_delay_ms: float = Field(description="The delay at its end; differs with a ramp")
    setting: Setting | None
    kept_error_ms: float = Field(description="Error at its worst point if the kept time stays")


class PositionOut(Edge):
    bar: int
    beat: float
    seconds: float
    section: int = Field(description="Index from 0")
    bpm: float = Field(description="In the section's beat unit")


class TempoMapOut(Edge):
    sections: list[SectionOut]
    length_s: float
    bars: int
    kept_ms: float = Field(description="One time for the whole song with the least worst error")
    worst_error_ms: float = Field(description="Largest error if it is kept")
    worst_section: int = Field(description="Index from 0 of where that is")
    follows: bool = Field(description="Whether the delay is a note value, which follows the tempo")
    position: PositionOut | None
    bar_starts_s: list[float] = Field(description="From bar 1; empty unless they were asked for")
    bar_beats: list[int] = Field(description="Beats of the metre in each of those bars")
    beat_starts_s: list[list[float]] = Field(
        description="When the beats of each of those bars fall: not evenly where the tempo changes"
    )
    computed_how: str


def _position(tempo: TempoMap, quarters: float) -> PositionOut:
    bar, beat, index = tempo.bar_at(quarters)
    frame = tempo.frame_at(quarters, 48_000)
    return PositionOut(
        bar=bar, beat=beat, seconds=tempo.time_s(quarters), section=index, bpm=frame.tempo_bpm
    )


def _bars(tempo: TempoMap, until_s: float | None) -> tuple[list[float], list[int]]:
    starts: list[float] = []
    beats: list[int] = []
    while until_s is not None and len(starts) < MOST_BARS:
        bar = len(starts) + 1
        quarters = tempo.quarters_of(bar)
        starts.append(tempo.time_s(quarters))
        beats.append(tempo.metre_of(bar)[0])
        if starts[-1] > until_s:
            break
    return starts, beats


def read_tempo_map(request: TempoMapRequest) -> TempoMapOut:
    """Lay out the sections, with the delay in each and the error of keeping one setting.

    Raises FonodromeError for contradicting sections and QuantityError for an unreadable delay.
    """
    tempo = TempoMap(request.sections)
    rows: list[tuple[float, float]] = []
    follows = False
    for stretch in tempo.stretches:
        ends = []
        for inside in (0.0, stretch.quarters):
            share = stretch.bpm_at(inside) / stretch.quarter_bpm
            frame = stretch.section.frame(request.sample_rate_hz)
            frame = frame.model_copy(update={"tempo_bpm": stretch.section.tempo_bpm * share})
            seconds, note = parse_time(request.delay, frame)
            follows = follows or note is not None
            ends.append(seconds * 1e3)
        rows.append((ends[0], ends[1]))
    low, high = min(min(r) for r in rows), max(max(r) for r in rows)
    if low <= 0:
        raise FonodromeError("A delay time must be above 0 ms.", part=request.delay.strip())
    # The middle of the range has the least worst error; the device rounds it.
    kept = (low + high) / 2
    sixteenth = NoteValue(Fraction(1, 16))

    def set_on(ms: float, frame: TempoFrame) -> Setting | None:
        if request.device is None:
            return None
        return nearest_setting(request.device, ms, frame.length_s(sixteenth) * 1e3)

    first = tempo.stretches[0].section.frame(request.sample_rate_hz)
    kept_set = set_on(kept, first)
    kept = kept if kept_set is None else kept_set.true_ms
    errors = [max((kept - a, kept - b), key=abs) for a, b in rows]
    worst = max(range(len(rows)), key=lambda i: abs(errors[i]))
    sections = []
    for stretch, (start, end), error in zip(tempo.stretches, rows, errors, strict=True):
        frame = stretch.section.frame(request.sample_rate_hz)
        sections.append(
            SectionOut(
                first_bar=stretch.first_bar,
                first_beat=stretch.first_beat,
                bars=OPEN_BARS if stretch.section.bars is None else stretch.section.bars,
                beats=stretch.section.beats,
                open=stretch.section.bars is None,
                start_s=stretch.seconds_from,
                length_s=stretch.seconds,
                bpm=stretch.section.tempo_bpm,
                end_bpm=stretch.section.ramp_to_bpm or stretch.section.tempo_bpm,
                bar_ms=60e3 / stretch.quarter_bpm * stretch.bar_quarters
                if stretch.quarters < stretch.bar_quarters
                else stretch.seconds_in(stretch.bar_quarters) * 1e3,
                delay_ms=start,
                end_delay_ms=end,
                setting=set_on(start, frame),
                kept_error_ms=error,
            )
        )
    position = None
    if request.at_bar is not None:
        position = _position(tempo, tempo.quarters_of(request.at_bar, request.at_beat))
    elif request.at_s is not None:
        position = _position(tempo, tempo.quarters_at(request.at_s))
    starts, beats = _bars(tempo, request.bars_until_s)
    return TempoMapOut(
        bar_starts_s=starts,
        bar_beats=beats,
        beat_starts_s=[
            [tempo.time_s(tempo.quarters_of(bar, beat)) for beat in range(1, count + 1)]
            for bar, count in enumerate(beats, 1)
        ],
        sections=sections,
        length_s=tempo.seconds,
        bars=tempo.bars,
        kept_ms=kept,
        worst_error_ms=errors[worst],
        worst_section=worst,
        follows=follows,
        position=position,
        computed_how=(
            "A constant section lasts its quarters times 60 over the tempo in quarters. A ramp is "
            "linear over the bars: t = 60 L / (b1 - b0) ln(1 + (b1 - b0) x / (b0 L)). The one "
            "setting kept is the middle between the shortest and the longest delay"
            f"{', as the device can be set' if request.device else ''}: "
            f"{fmt.significant(kept)} ms."
        ),
    )
