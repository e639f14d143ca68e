"""Tempo maps from and to Standard MIDI Files: tempo, metre, and the beat that is counted.

A section is a marker, a metre event (whose clocks per click say which note is the beat) and a tempo
event. A ramp is written as a tempo event on every metre beat, with a text event that says where it
goes, so that it is read back as a ramp.
"""

import io
import re
from fractions import Fraction

import mido
from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.tempo.map import OPEN_BARS, TempoMap
from core.tempo.song import MOST_SECTIONS, TempoSection, check_sections
from core.units import NoteValue
from core.units import format as fmt

TICKS = 960
MOST_BYTES = 512_000
_MOST_TICKS = 960 * 4 * 100_000
_RAMP = re.compile(r"^ramp to ([0-9.]+) BPM$")
# A number in a MIDI file has four bytes at most; the library would go on adding them up.
_ENDLESS = re.compile(rb"[\x80-\xff]{1000}")
_CLOCKS_IN_WHOLE = 96
_METRE_UNITS = (1, 2, 4, 8, 16, 32)


class MidiError(FonodromeError):
    """A file cannot be read as a tempo map."""

    code = "midi"


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
    for number, stretch in enumerate(tempo.stretches, 1):
        section = stretch.section
        start = round(stretch.quarters_from * TICKS)
        events.append((start, mido.MetaMessage("marker", text=section.name or f"Section {number}")))
        if section.ramp_to_bpm is not None:
            text = f"ramp to {section.ramp_to_bpm!r} BPM"
            events.append((start, mido.MetaMessage("text", text=text)))
        events += [(start, message) for message in meta_of(section)]
        if section.ramp_to_bpm is not None:
            beat = 4 / section.metre_unit
            for step in range(1, round(stretch.quarters / beat)):
                inside = step * beat
                # The mean tempo of the beat, so that bar lines stay where they are in time.
                lasts = stretch.seconds_in(inside + beat) - stretch.seconds_in(inside)
                place = round((stretch.quarters_from + inside) * TICKS)
                events.append((place, _tempo(60 * beat / lasts)))
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

    Raises MidiError with one sentence for anything else; nothing larger than 512 kB is opened.
    """
    if len(data) > MOST_BYTES:
        raise MidiError(
            f"This file is {len(data) // 1000} kB large. A tempo map needs a few: leave the notes "
            f"out, up to {MOST_BYTES // 1000} kB are read."
        )
    if not data.startswith(b"MThd"):
        raise MidiError("This is not a Standard MIDI File: it does not begin with its header.")
    if _ENDLESS.search(data):
        raise MidiError(
            "This MIDI file is damaged: it holds a length without an end. Nothing was changed."
        )
    file = _parsed(data)
    if file.type == 2:
        raise MidiError("This is a MIDI file of format 2, of separate songs; 0 and 1 are read.")
    if file.ticks_per_beat <= 0:
        raise MidiError("This MIDI file counts film frames, not beats: it holds no tempo map.")
    return _map_of(file)


def _parsed(data: bytes) -> mido.MidiFile:
    for charset in ("utf-8", "latin-1"):
        try:
            return mido.MidiFile(file=io.BytesIO(data), clip=True, charset=charset)
        except UnicodeDecodeError:
            continue
        except Exception as error:
            # The library has no error of its own for a damaged file: it raises what it meets.
            raise MidiError(
                "This MIDI file is damaged: it stops or says something impossible in its "
                f"{'header' if len(data) < 22 else 'tracks'}. Nothing was changed."
            ) from error
    raise MidiError("This MIDI file holds text that cannot be read. Nothing was changed.")


def _map_of(file: mido.MidiFile) -> MidiTempoMap:
    found: list[tuple[float, int, str, mido.MetaMessage]] = []
    end = 0
    for track in file.tracks:
        tick = 0
        for message in track:
            tick += message.time
            if tick > _MOST_TICKS * file.ticks_per_beat // TICKS:
                raise MidiError(
                    "This file goes on for more than 100,000 bars. Nothing was changed."
                )
            if message.is_meta and message.type in (
                "set_tempo",
                "time_signature",
                "marker",
                "text",
            ):
                found.append((tick, len(found), message.type, message))
        end = max(end, tick)
    found.sort(key=lambda f: (f[0], f[1]))
    notes: list[str] = []
    starts = _starts(found, file.ticks_per_beat, end, notes)
    if len(starts) > 20 * MOST_SECTIONS:
        raise _too_many(len(starts))
    sections = [_section(s, file.ticks_per_beat, notes) for s in starts]
    if not any(kind == "set_tempo" for _, _, kind, _ in found):
        notes.append("No tempo was given: 120 BPM is the MIDI default.")
    if len(sections) > MOST_SECTIONS:
        raise _too_many(len(sections))
    sections = _joined(sections, [s.marked for s in starts])
    check_sections(sections)
    total = sum(s.bars or OPEN_BARS for s in sections)
    return MidiTempoMap(
        sections=sections,
        notes=list(dict.fromkeys(notes)),
        sentence=f"{fmt.plural(len(sections), 'section')}, {fmt.plural(total, 'bar')} read.",
    )


def _too_many(count: int) -> MidiError:
    return MidiError(
        f"This file changes tempo {count} times; up to {MOST_SECTIONS} sections are read. "
        "Nothing was changed."
    )


class _Start:
    """What holds from a tick on."""

    def __init__(self, tick: float, end: float, micros: int, metre: tuple[int, int, int]) -> None:
        self.tick, self.end, self.micros, self.metre = tick, end, micros, metre
        self.name, self.marked, self.ramp_to = "", False, None  # type: tuple[str, bool, float | None]


def _starts(
    found: list[tuple[float, int, str, mido.MetaMessage]], per_quarter: int, end: int,
    notes: list[str],
) -> list[_Start]:  # fmt: skip
    """Where a section begins: at each change, but not at the steps of a ramp of our own."""
    at_tick: dict[float, list[tuple[str, mido.MetaMessage]]] = {0.0: []}
    for tick, _, kind, message in found:
        at_tick.setdefault(tick, []).append((kind, message))
    micros, metre = 500_000, (4, 4, 24)
    starts: list[_Start] = []
    for tick, here in sorted(at_tick.items()):
        name, ramp, opens = "", None, not starts
        for kind, message in here:
            if kind == "set_tempo":
                micros = message.tempo
            elif kind == "time_signature":
                denominator = message.denominator
                if denominator not in _METRE_UNITS or not 1 <= message.numerator <= 64:
                    notes.append(
                        f"A metre of {message.numerator}/{denominator} was left out: "
                        "it goes up to 64/32."
                    )
                    continue
                metre = (message.numerator, denominator, message.clocks_per_click)
                opens = True
            elif kind == "marker":
                name, opens = message.text[:40], True
            elif match := _RAMP.match(message.text):
                ramp, opens = float(match[1]), True
        tempo_only = all(kind == "set_tempo" for kind, _ in here) and bool(here)
        if tempo_only and starts and starts[-1].ramp_to is not None:
            continue
        if not (opens or tempo_only):
            continue
        if starts:
            starts[-1].end = tick
        start = _Start(tick, max(tick, end), micros, metre)
        start.marked = any(kind == "marker" for kind, _ in here)
        start.name, start.ramp_to = ("" if re.match(r"Section \d+$", name) else name), ramp
        starts.append(start)
    return [s for s in starts if s.end > s.tick or s is starts[-1]]


def _section(start: _Start, per_quarter: int, notes: list[str]) -> TempoSection:
    count, unit, clocks = start.metre
    quarters = (start.end - start.tick) / per_quarter
    bars = quarters / (4 * count / unit)
    whole = max(1, round(bars))
    open_end = start.end <= start.tick
    if abs(bars - whole) > 0.01 and bars > 0:
        notes.append(
            f"A change inside a bar was moved to the nearest bar line "
            f"(a section of {fmt.number(bars, 2)} bars became {whole})."
        )
    beat = NoteValue(Fraction(1, 4))
    for note in (
        NoteValue(Fraction(1, 2**p), m) for p in range(1, 5) for m in ("straight", "dotted")
    ):
        if note.whole_notes * _CLOCKS_IN_WHOLE == clocks:
            beat = note
            break
    unit_quarters = float(beat.whole_notes * 4)
    bpm = _plain_bpm(start.micros, unit_quarters)
    if not 5 <= bpm <= 999:
        held = min(max(bpm, 5), 999)
        notes.append(
            f"A tempo of {fmt.significant(bpm, 4)} BPM was taken as {held:g}: 5 to 999 can be set."
        )
        bpm = held
    ramp = start.ramp_to
    return TempoSection(
        name=start.name, bars=None if open_end else min(whole, 10_000), tempo_bpm=bpm,
        ramp_to_bpm=None if ramp is None or open_end else min(max(ramp, 5), 999), beat_unit=beat.id,
        metre_count=count, metre_unit=unit,
    )  # fmt: skip


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
            update={"bars": last.bars, "name": last.name}
        ) == last  # fmt: skip
        if last is not None and same and not own and section.ramp_to_bpm is None:
            both = None if section.bars is None else (last.bars or 0) + section.bars
            out[-1] = last.model_copy(update={"bars": both})
        else:
            out.append(section)
    return out
