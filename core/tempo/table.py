"""Every note value at a tempo in a table, and the clock that makes it."""

import re
from fractions import Fraction

from pydantic import Field

from core.devices import DeviceProfile, Setting, nearest_setting
from core.edge import Edge, Word
from core.errors import FonodromeError
from core.tempo.ruler import NoteReading, Row, clock_time_s, read_time
from core.units import MODIFIERS, NoteValue, TempoFrame

MOST_EXTRA = 12


class TableRequest(Edge):
    frame: TempoFrame
    device: DeviceProfile | None = None
    tuplets: tuple[Word, ...] = Field(
        (), max_length=MOST_EXTRA, description="Further ratios, 'n:m': n in the time of m"
    )


class TableRow(Edge):
    reading: NoteReading
    modifier: str
    setting: Setting | None
    bars: float = Field(description="Length in bars")


class ValueTable(Edge):
    rows: list[TableRow] = Field(description="Longest first within each modifier")
    computed_how: str


_RATIO = re.compile(r"(\d{1,2}):(\d{1,2})")


def value_table(request: TableRequest) -> ValueTable:
    """Straight, dotted, double-dotted, triplet, quintuplet, septuplet, any n:m and whole bars.

    Raises FonodromeError for a ratio that is none.
    """
    frame, device = request.frame, request.device
    modifiers = list(MODIFIERS)
    for text in request.tuplets:
        match = _RATIO.fullmatch(text.replace(" ", ""))
        n, m = (int(match[1]), int(match[2])) if match else (0, 0)
        if not n or not m:
            raise FonodromeError(f"“{text}” is no ratio: 7:4 means seven in the time of four.")
        modifiers.append(f"{n}:{m}")
    sixteenth = frame.length_s(NoteValue(Fraction(1, 16))) * 1e3
    notes: list[tuple[str, NoteValue]] = [
        (m, NoteValue(Fraction(1, 2**p), m)) for m in modifiers for p in range(0, 8)
    ]
    notes += [("bars", NoteValue(frame.metre.bar * b, bars=b)) for b in (8, 4, 2, 1)]
    rows = []
    for modifier, note in notes:
        seconds = frame.length_s(note)
        row: Row = modifier if modifier in ("straight", "dotted", "triplet", "bars") else "typed"  # type: ignore[assignment]
        setting = nearest_setting(device, seconds * 1e3, sixteenth) if device else None
        reading = read_time(
            seconds, frame.sample_rate_hz, id=note.id, name=note.name, row=row,
            in_reach=setting.in_reach if setting else None,
        )  # fmt: skip
        rows.append(
            TableRow(
                reading=reading, modifier=modifier, setting=setting,
                bars=float(note.whole_notes / frame.metre.bar),
            )
        )  # fmt: skip
    return ValueTable(
        rows=rows,
        computed_how=(
            "A note value lasts 4 quarters times its fraction times its modifier: dotted 3/2, "
            "double-dotted 7/4, triplet 2/3, quintuplet 4/5, septuplet 4/7, n:m m/n. Samples are "
            "rounded to the nearest; the drift is that rounding added up over a minute."
        ),
    )


class ClockRequest(Edge):
    frame: TempoFrame
    ppqn: int = Field(24, ge=1, le=960, description="Pulses per quarter")
    multiply: int = Field(1, ge=1, le=64)
    divide: int = Field(1, ge=1, le=9600)


class Clock(Edge):
    pulse_ms: float = Field(description="Between pulses of the clock itself")
    out_ms: float = Field(description="Between pulses after multiplication and division")
    out_hz: float
    note: str | None = Field(description="The note value that this is, if it is one")
    ways: list[str] = Field(description="Divisions that give common note values with this clock")


def clock(request: ClockRequest) -> Clock:
    """A pulse train of p pulses a quarter, multiplied and divided: `t = (q / p) d / m`."""
    quarter = 60 / request.frame.quarter_bpm
    out = clock_time_s(quarter, request.ppqn, request.multiply, request.divide)
    share = Fraction(request.divide, request.ppqn * request.multiply) / 4
    names: dict[Fraction, NoteValue] = {}
    for modifier in ("straight", "dotted", "triplet", "double-dotted"):
        for power in range(0, 8):
            value = NoteValue(Fraction(1, 2**power), modifier)
            names.setdefault(value.whole_notes, value)
    found = names.get(share)
    ways = []
    for text in ("1/4", "1/8.", "1/8", "1/8T", "1/16"):
        value = next(v for v in names.values() if v.id == text)
        divide = value.whole_notes * 4 * request.ppqn * request.multiply
        if divide.denominator == 1:
            ways.append(f"{text}: divide by {divide}")
    return Clock(
        pulse_ms=quarter / request.ppqn * 1e3,
        out_ms=out * 1e3,
        out_hz=1 / out,
        note=found.id if found else None,
        ways=ways,
    )
