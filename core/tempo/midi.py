"""Tempo maps from and to Standard MIDI Files: tempo, metre, and the beat that is counted.

A section is a marker, a metre event (whose clocks per click say which note is the beat) and a tempo
event. It may begin anywhere: only another metre begins a bar. A ramp is written as a tempo event on
every metre beat, with a text event that says where it goes, so that it is read back as a ramp.
"""

import io
import math
import re
from fractions import Fraction

import mido
from pydantic import Field

from core.edge import Edge
from core.tempo.events import Event as Event
from core.tempo.events import MidiError as MidiError
from core.tempo.events import read_events
from core.tempo.map import TempoMap
from core.tempo.song import LEAST_BPM, MOST_BPM, MOST_SECTIONS, TempoSection, check_sections
from core.units import NoteValue
from core.units import format as fmt

TICKS = 960
MOST_BYTES = 2_100_000
_MOST_QUARTERS = 400_000
_RAMP = re.compile(r"^ramp to (\d{1,6}(?:\.\d{1,12})?) BPM$")
_CLOCKS_IN_WHOLE = 96
_METRE_UNITS = (1, 2, 4, 8, 16, 32)


class MidiTempoMap(Edge):
    """What was found in a MIDI file."""

    sections: list[TempoSection]
    notes: list[str] = Field(description="What was left out or taken differently, in words")
    sentence: str


def _beat_of(section: TempoSection) -> Fraction:
    return section.frame(48_000).beat.whole_notes


def meta_of(section: TempoSection, bpm: float | None = None) -> list[mido.MetaMessage]:
    """The events at a section's start, all at time 0 of it."""
    beat = _beat_of(section)
    quarters = (bpm or section.tempo_bpm) * float(beat * 4)
    clocks = beat * _CLOCKS_IN_WHOLE
    return [
        mido.MetaMessage(
            "time_signature",
            numerator=section.metre_count,
            denominator=section.metre_unit,
            clocks_per_click=int(clocks) if clocks.denominator == 1 and clocks < 256 else 24,
        ),
        _tempo(quarters),
    ]


def _tempo(quarter_bpm: float) -> mido.MetaMessage:
    micros = round(60_000_000 / quarter_bpm)
    return mido.MetaMessage("set_tempo", tempo=max(1, min(micros, 0xFFFFFF)))


def write_midi(sections: list[TempoSection], title: str = "") -> bytes:
    """A tempo map as a MIDI file of format 1, one track, 960 ticks a quarter.

    MIDI keeps whole microseconds a quarter: a tempo is exact to about one part in a million.
    Raises FonodromeError where the sections contradict each other.
    """
    tempo = TempoMap(sections)
    events: list[tuple[int, mido.MetaMessage]] = []
    counted = None
    for number, stretch in enumerate(tempo.stretches, 1):
        section = stretch.section
        before, counted = counted, (section.metre, section.beat_unit)
        start = round(stretch.quarters_from * TICKS)
        events.append((start, mido.MetaMessage("marker", text=section.name or f"Section {number}")))
        if section.ramp_to_bpm is not None:
            text = f"ramp to {section.ramp_to_bpm!r} BPM"
            events.append((start, mido.MetaMessage("text", text=text)))
        metre, tempo_here = meta_of(section)
        # A metre event begins a bar for who reads it: only where the metre or its beat is another.
        if counted != before:
            events.append((start, metre))
        events.append((start, tempo_here))
        if section.ramp_to_bpm is not None:
            beat = 4 / section.metre_unit
            for step in range(1, math.ceil(stretch.quarters / beat - 1e-6)):
                inside = step * beat
                # The mean tempo of the beat, so that bar lines stay where they are in time.
                goes = min(beat, stretch.quarters - inside)
                lasts = stretch.seconds_in(inside + goes) - stretch.seconds_in(inside)
                place = round((stretch.quarters_from + inside) * TICKS)
                events.append((place, _tempo(60 * goes / lasts)))
    track = mido.MidiTrack([mido.MetaMessage("track_name", name=title[:60] or "Tempo map")])
    before = 0
    for tick, message in events:
        track.append(message.copy(time=tick - before))
        before = tick
    # A song that goes on has no end of its own: the file ends where the last section begins.
    end = 0 if sections[-1].bars is None else round(tempo.quarters * TICKS) - before
    track.append(mido.MetaMessage("end_of_track", time=end))
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS, charset="utf-8")
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def read_midi(data: bytes) -> MidiTempoMap:
    """Read the tempo map of a MIDI file of format 0 or 1.

    Raises MidiError with one sentence for anything else; nothing larger than 2 MB is opened.
    """
    if len(data) > MOST_BYTES:
        raise MidiError(
            f"This file is {fmt.number(len(data) / 1e6, 1)} MB large. A tempo map needs a few kB: leave "
            "the notes out, up to 2 MB are read."
        )
    per_quarter, events, end, notes = read_events(data)
    if end > _MOST_QUARTERS * per_quarter:
        raise MidiError("This file goes on for more than 100,000 bars. Nothing was changed.")
    starts = _starts(events, end, notes)
    if len(starts) > MOST_SECTIONS:
        raise MidiError(
            f"This file changes tempo {len(starts)} times; up to {MOST_SECTIONS} changes are read. "
            "Nothing was changed."
        )
    sections = [_section(s, per_quarter, notes) for s in starts]
    if not any(event.kind == "tempo" for event in events):
        notes.append("No tempo was given: 120 BPM is the MIDI default.")
    sections = _joined(sections, [s.marked for s in starts])
    check_sections(sections)
    bars = TempoMap(sections).bars
    return MidiTempoMap(
        sections=sections,
        notes=list(dict.fromkeys(notes)),
        sentence=f"{fmt.plural(len(sections), 'section')}, {fmt.plural(bars, 'bar')} read.",
    )


class _Start:
    """What holds from a tick on."""

    def __init__(self, tick: int, end: int, micros: int, metre: tuple[int, int, int]) -> None:
        self.tick, self.end, self.micros, self.metre = tick, end, micros, metre
        self.name, self.marked, self.ramp_to = "", False, None  # type: tuple[str, bool, float | None]


def _starts(events: list[Event], end: int, notes: list[str]) -> list[_Start]:
    """Where a section begins: at each change, but not at the steps of a ramp of our own."""
    at_tick: dict[int, list[Event]] = {0: []}
    for event in events:
        at_tick.setdefault(event.tick, []).append(event)
    micros, metre = 500_000, (4, 4, 24)
    starts: list[_Start] = []
    for tick, here in sorted(at_tick.items()):
        name, ramp, opens = "", None, not starts
        for event in here:
            if event.kind == "tempo":
                micros = event.number
            elif event.kind == "metre":
                count, unit, clocks = event.metre
                if unit not in _METRE_UNITS or not 1 <= count <= 64:
                    notes.append(f"A metre of {count}/{unit} was left out: it goes up to 64/32.")
                    continue
                metre = (count, unit, clocks)
                opens = True
            elif event.kind == "marker":
                name, opens = event.text[:40], True
            elif match := _RAMP.match(event.text):
                ramp, opens = float(match[1]), True
        tempo_only = all(event.kind == "tempo" for event in here) and bool(here)
        if tempo_only and starts and starts[-1].ramp_to is not None:
            continue
        if not (opens or tempo_only):
            continue
        if starts:
            starts[-1].end = tick
        start = _Start(tick, max(tick, end), micros, metre)
        start.marked = any(event.kind == "marker" for event in here)
        start.name, start.ramp_to = ("" if re.match(r"Section \d+$", name) else name), ramp
        starts.append(start)
    return [s for s in starts if s.end > s.tick or s is starts[-1]]


def _section(start: _Start, per_quarter: int, notes: list[str]) -> TempoSection:
    count, unit, clocks = start.metre
    beats = Fraction(start.end - start.tick, per_quarter) * Fraction(unit, 4)
    bars, over = divmod(beats, count)
    open_end = start.end <= start.tick
    beat = NoteValue(Fraction(1, 4))
    for note in (
        NoteValue(Fraction(1, 2**p), m) for p in range(1, 5) for m in ("straight", "dotted")
    ):
        if note.whole_notes * _CLOCKS_IN_WHOLE == clocks:
            beat = note
            break
    bpm = _held(_plain_bpm(start.micros, float(beat.whole_notes * 4)), notes)
    ramp = start.ramp_to
    return TempoSection(
        name=start.name, bars=None if open_end else int(bars),
        beats=0 if open_end else float(over), tempo_bpm=bpm,
        ramp_to_bpm=None if ramp is None or open_end else _held(ramp, notes), beat_unit=beat.id,
        metre_count=count, metre_unit=unit,
    )  # fmt: skip


def _held(bpm: float, notes: list[str]) -> float:
    if LEAST_BPM <= bpm <= MOST_BPM:
        return bpm
    held = min(max(bpm, LEAST_BPM), MOST_BPM)
    notes.append(
        f"A tempo of {fmt.significant(bpm, 4)} BPM was taken as {held:g}: "
        f"{LEAST_BPM:g} to {MOST_BPM:g} can be set."
    )
    return held


def _plain_bpm(micros: int, unit_quarters: float) -> float:
    """The shortest decimal tempo that is written as these microseconds a quarter."""
    exact = 60_000_000 / max(1, micros) / unit_quarters
    for decimals in range(0, 7):
        rounded = round(exact, decimals)
        if rounded > 0 and round(60_000_000 / (rounded * unit_quarters)) == micros:
            return rounded
    return exact


def _joined(sections: list[TempoSection], marked: list[bool]) -> list[TempoSection]:
    """Neighbours that say the same become one; one that a marker opens stays apart."""
    out: list[TempoSection] = []
    for section, own in zip(sections, marked, strict=True):
        last = out[-1] if out else None
        same = last is not None and section.model_copy(
            update={"bars": last.bars, "beats": last.beats, "name": last.name}
        ) == last  # fmt: skip
        if last is not None and same and not own and section.ramp_to_bpm is None:
            if section.bars is None:
                out[-1] = last.model_copy(update={"bars": None, "beats": 0})
                continue
            beats = last.beats + section.beats
            more, over = divmod(beats, section.metre_count)
            both = (last.bars or 0) + section.bars + int(more)
            out[-1] = last.model_copy(update={"bars": both, "beats": over})
        else:
            out.append(section)
    return out
