"""A song's card: what is set and sent before it begins, in figures that are read from afar."""

from collections.abc import Sequence
from fractions import Fraction

from pydantic import Field

from core.delay import DelayLine
from core.devices import nearest_setting
from core.edge import Edge
from core.setlist.count import CountIn, count_in
from core.setlist.shapes import Entry, Program
from core.sheet import SettingLine, StageSheet
from core.tempo.song import TempoSection
from core.units import NoteValue, TempoFrame
from core.units import format as fmt

CARD_VERSION = 1
_TIMES = ("rt60_s", "time")
_SLOWER, _FASTER = 0.85, 1.15
_NOTE_OF = {"1/4": "quarters", "1/4.": "dotted quarters", "1/8": "eighths", "1/2": "halves"}


class CardLine(Edge):
    """One thing to set."""

    name: str
    said: str = Field(description="Beside it, small: '1/8., single, Delay pedal'")
    figure: str = Field(description="As the device shows it: '319', '1:30'")
    unit: str = ""
    by_tempo: list[str] = Field([], description="Its figure at each of the card's `tempos`")
    shown: bool = Field(True, description="Whether it is read on stage, or left away")


class Card(Edge):
    version: int = CARD_VERSION
    key: str
    kind: str = Field(description="song, pause, or missing where the song is gone")
    title: str
    about: str = Field("", description="Rig, variant and scene")
    tempo: str = Field("", description="'94', '126.5'")
    counted: str = Field("", description="What the tempo counts: 'dotted quarters a minute'")
    beat_ms: float = 0
    quarter_bpm: float = Field(0, description="Quarters a minute, for MIDI clock")
    count: CountIn | None = None
    then: str = Field("", description="How the tempo goes on")
    tempos: list[int] = Field([], description="Whole tempi round the song's own")
    lines: list[CardLine] = []
    programs: list[Program] = []
    note: str = ""
    caution: str = Field("", description="What could not be read, in words")


def pause_card(entry: Entry) -> Card:
    return Card(key=entry.key, kind="pause", title=entry.title or "Pause", note=entry.note)


def missing_card(entry: Entry) -> Card:
    return Card(
        key=entry.key, kind="missing", title=entry.title or "A song that is gone", note=entry.note,
        caution="This song was deleted, or is not yours. Take it out of the list, or bring it back.",
    )  # fmt: skip


def unread_card(entry: Entry, title: str, sentence: str) -> Card:
    """Of a song whose tempo or delay cannot be read: the sentence says which."""
    return Card(key=entry.key, kind="song", title=title, note=entry.note, caution=sentence)


def card_of(
    entry: Entry, title: str, sections: Sequence[TempoSection], sample_rate_hz: int,
    delays: Sequence[DelayLine], sheet: StageSheet | None = None, called: Program | None = None,
    caution: str = "",
) -> Card:  # fmt: skip
    """sheet: of the rig, as the entry's scene sets it, where it is played through one. called: what
    calls that scene; it is sent where the entry has no programs of its own.

    Raises QuantityError for a beat or a delay that cannot be read.
    """
    first = sections[0]
    frame = first.frame(sample_rate_hz)
    tempos = _tempos(frame.tempo_bpm)
    lines = [_delay_line(d, frame, tempos) for d in delays]
    if sheet is not None:
        lines += _stage_lines(sheet)
    programs = list(entry.programs) or ([called] if called is not None else [])
    about = ""
    if sheet is not None:
        letter, _, name = sheet.facts.variant.partition(" ")
        about = f"{sheet.facts.rig} {letter}" + (f" {name}" if name != sheet.facts.rig else "")
        about += f", {entry.scene}" if entry.scene else ""
    return Card(
        key=entry.key, kind="song", title=title, about=about,
        tempo=fmt.significant(frame.tempo_bpm, 6),
        counted=f"{_NOTE_OF.get(frame.beat_unit, frame.beat_unit)} a minute",
        beat_ms=frame.length_s(frame.beat) * 1e3, quarter_bpm=frame.quarter_bpm,
        count=count_in(frame, entry.count_bars), then=_then(sections), tempos=tempos,
        lines=_left_away(lines, entry.hidden),
        programs=programs, note=entry.note, caution=caution,
    )  # fmt: skip


def _left_away(lines: list[CardLine], hidden: list[str] | None) -> list[CardLine]:
    if hidden is None:
        return lines
    return [line.model_copy(update={"shown": line.name not in hidden}) for line in lines]


def _tempos(bpm: float) -> list[int]:
    """Whole tempi within 15 % of the song's own, the tempo itself among them where it is whole."""
    return [n for n in range(int(bpm * _SLOWER), int(bpm * _FASTER) + 2) if 1 <= n <= 999]


def _then(sections: Sequence[TempoSection]) -> str:
    said = []
    if sections[0].ramp_to_bpm is not None:
        said.append(f"moves to {sections[0].ramp_to_bpm:g}")
    if len(sections) > 1:
        after = sections[1]
        name = f"{after.name} " if after.name else ""
        said.append(f"then {name}{after.tempo_bpm:g}, {after.metre_count}/{after.metre_unit}")
    if len(sections) > 2:
        said.append(f"{len(sections) - 2} more")
    return "; ".join(said)


def _delay_line(line: DelayLine, frame: TempoFrame, tempos: list[int]) -> CardLine:
    figure, beside = _time_on(line, frame)
    by_tempo = []
    for bpm in tempos:
        moved = TempoFrame.model_validate({**frame.model_dump(), "tempo_bpm": bpm})
        by_tempo.append(_time_on(line, moved)[0])
    said = [line.value, *([line.device.name] if line.device else [])]
    if line.mode != "single":
        said.append(line.mode)
    if line.feedback_percent:
        said.append(f"feedback {fmt.significant(line.feedback_percent, 3)} %")
    if beside:
        said.append(beside)
    follows = len(set(by_tempo)) > 1
    return CardLine(
        name=line.name, said=", ".join(said), figure=figure, unit="ms",
        by_tempo=by_tempo if follows else [],
    )  # fmt: skip


def _time_on(line: DelayLine, frame: TempoFrame) -> tuple[str, str]:
    """What its device is set to, else the time itself; and what is to be known of it."""
    ms = line.left_s(frame) * 1e3
    if line.device is None:
        return fmt.significant(round(ms, 2), 7), ""
    sixteenth = frame.length_s(NoteValue(Fraction(1, 16))) * 1e3
    found = nearest_setting(line.device, ms, sixteenth)
    beside = "" if found.in_reach else f"out of reach: planned {fmt.number(ms, 2)} ms"
    return fmt.significant(found.set_ms, 7), beside


def _stage_lines(sheet: StageSheet) -> list[CardLine]:
    """Stages that stand in the way and have something to set; the delays have lines of their own."""
    lines = []
    boxes = any(row.box for row in sheet.rows)
    for row in sheet.rows:
        settings = [s for s in row.settings if s.field != "muted"]
        if not settings or (not row.on and not any(c.on for c in row.scenes)):
            continue
        first = _first(settings)
        if first.planned.startswith("@"):
            continue
        figure, unit, of = read_apart(first)
        rest = [f"{s.label} {s.shown}".strip() for s in settings if s is not first]
        said = ", ".join([part for part in (first.label, of) if part] + rest)
        if not row.on:
            said, figure, unit = said or figure, "off", ""
        lines.append(
            CardLine(
                name=f"{row.number} {row.name}", said=said, figure=figure, unit=unit,
                shown=row.box or not boxes,
            )
        )  # fmt: skip
    return lines


def _first(settings: list[SettingLine]) -> SettingLine:
    """What is looked for first: a time, else a figure, else a word."""
    times = (s for s in settings if s.field in _TIMES)
    return next(times, next((s for s in settings if s.value is not None), settings[0]))


def read_apart(line: SettingLine) -> tuple[str, str, str]:
    """A setting as (figure, unit, what it stands for): '1/8. 319.15 ms' is ('319.15', 'ms', '1/8.')."""
    shown = line.shown
    if line.by_panel:
        unit = line.unit if shown.endswith(f" {line.unit}") and line.unit else ""
        return shown.removesuffix(f" {unit}") if unit else shown, unit, ""
    unit = "" if line.unit == "ratio" else line.unit
    if not unit or not shown.endswith(f" {unit}"):
        return shown, "", ""
    head = shown.removesuffix(f" {unit}")
    of, _, figure = head.rpartition(" ")
    return figure, unit, of
