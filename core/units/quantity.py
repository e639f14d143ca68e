"""Read quantities as people type them: '1/8.', '479', '0.479 s', '-3 dB', '50%', '4.5k'."""

import math
import re
from fractions import Fraction
from functools import cached_property
from typing import Literal

from pydantic import Field

from core.edge import Edge, Word
from core.errors import QuantityError
from core.units import format as fmt
from core.units.note_value import Metre, NoteValue, note_length_s, parse_note_value

TEMPO_BPM = (5.0, 999.0)
SAMPLE_RATES_HZ = (8_000, 384_000)
LONGEST_TIME_S = 3_600.0

_NUMBER = re.compile(
    r"^([+-]?)(\d{1,3}(?:,\d{3})+(?:\.\d+)?(?!\d)|\d+[.,]\d+|\d+[.,]?|[.,]\d+)\s*(.*)$"
)


class TempoFrame(Edge):
    """What a length of time is read against."""

    tempo_bpm: float = Field(120.0, ge=1, le=999, description="Beats per minute")
    beat_unit: Word = Field("1/4", description="Note value that the tempo counts: '1/4', '1/4.'")
    metre_count: int = Field(4, ge=1, le=64, description="Upper number of the metre")
    metre_unit: Literal[1, 2, 4, 8, 16, 32] = Field(4, description="Lower number of the metre")
    sample_rate_hz: int = Field(48_000, ge=8_000, le=384_000, description="Samples per second")

    @property
    def metre(self) -> Metre:
        return Metre(self.metre_count, self.metre_unit)

    @cached_property
    def beat(self) -> NoteValue:
        """The beat unit as a note value. Raises QuantityError where it is none."""
        note = parse_note_value(self.beat_unit, self.metre)
        if note is None:
            raise QuantityError(
                f"“{self.beat_unit}” is not a beat: 1/4, 1/8, 1/4. and so on.", part=self.beat_unit
            )
        return note

    @cached_property
    def quarter_bpm(self) -> float:
        """`bpm * unit / (1/4)`: 94 dotted quarters a minute are 141 quarters."""
        return self.tempo_bpm * float(self.beat.whole_notes / Fraction(1, 4))

    def length_s(self, note: NoteValue) -> float:
        return note_length_s(note, self.quarter_bpm)


class Quantity(Edge):
    """What was understood, in the base unit of its kind, with the sentence that reads it back."""

    kind: Literal["tempo", "time", "level", "percent", "frequency", "sample_rate"]
    value: float = Field(description="BPM, milliseconds, decibels, per cent or hertz, by kind")
    unit: str = Field(description="Unit of the value as shown")
    note_value: str | None = Field(None, description="Short form, where a note value was typed")
    read_back: str = Field(description="How it was understood, for the line below the field")


class QuantityRequest(Edge):
    kind: Literal["tempo", "time", "level", "percent", "frequency", "sample_rate"]
    text: str = Field(max_length=200, description="What was typed")
    frame: TempoFrame = TempoFrame()


def parse_number(text: str) -> tuple[float, str]:
    """Split '−6,5 dB' into (-6.5, 'dB'). Point or comma; '10,000' is ten thousand.

    A comma before exactly three digits groups thousands, unless a lone 0 stands before it.
    Raises QuantityError when it does not start with a number.
    """
    plain = text.strip().replace("\u2212", "-").replace("\u2013", "-")
    plain = re.sub(r"(?<=\d)[\s\u202f\u00a0'](?=\d{3}(?!\d))", "", plain)
    match = _NUMBER.match(plain)
    if match is None:
        shown = text.strip()[:40]
        raise QuantityError(
            f"“{shown}” is not a number." if shown else "Type a number.", part=shown or None
        )
    sign, digits, unit = match.groups()
    if "," in digits:
        head, tail = digits.split(",", 1)
        grouped = re.fullmatch(r"[1-9]\d{0,2}(,\d{3})+(\.\d+)?", digits) is not None
        if not grouped and not tail.isdecimal():
            raise QuantityError(
                f"“{text.strip()[:40]}” has a comma and a point: write one of them.",
                part=text.strip()[:40],
            )
        digits = digits.replace(",", "") if grouped else f"{head or '0'}.{tail}"
    value = float(digits)
    if not math.isfinite(value):
        raise QuantityError("That number is too large.", part=text.strip()[:40])
    return (-value if sign == "-" else value), unit.strip()


def _expect_unit(unit: str, known: dict[str, float], what: str, examples: str) -> float:
    factor = known.get(unit.lower().rstrip("."), known.get(unit))
    if factor is None:
        raise QuantityError(f"“{unit}” is not a {what}. {examples}?", part=unit)
    return factor


def parse_tempo_bpm(text: str) -> float:
    """Beats per minute, 5 to 999: '94', '94,5', '94 BPM'."""
    value, unit = parse_number(text)
    _expect_unit(unit, {"": 1, "bpm": 1}, "tempo", "BPM")
    low, high = TEMPO_BPM
    if not low <= value <= high:
        raise QuantityError(
            f"A tempo of {fmt.significant(value)} BPM is out of range: 5 to 999 BPM.",
            part=text.strip(),
        )
    return value


def parse_level_db(text: str) -> float:
    """Decibels: '-3', '−3 dB', '+0.42 dB'."""
    value, unit = parse_number(text)
    _expect_unit(unit, {"": 1, "db": 1, "dbfs": 1}, "level", "dB")
    if not -400 <= value <= 200:
        raise QuantityError("Levels go from −400 to +200 dB.", part=text.strip())
    return value


def parse_percent(text: str) -> float:
    """Per cent, 0 to 100: '50', '50%', '0.5 %'."""
    value, unit = parse_number(text)
    _expect_unit(unit, {"": 1, "%": 1, "percent": 1, "per cent": 1}, "share", "%")
    if not 0 <= value <= 100:
        raise QuantityError("A share goes from 0 to 100 %.", part=text.strip())
    return value


def parse_frequency_hz(text: str) -> float:
    """Hertz: '440', '4.5k', '4.5 kHz', '0.5 Hz'."""
    value, unit = parse_number(text)
    factor = _expect_unit(unit, {"": 1, "hz": 1, "k": 1e3, "khz": 1e3}, "frequency", "Hz, kHz")
    if not 0 < value * factor <= 1e6:
        raise QuantityError("A frequency is above 0 Hz and at most 1 MHz.", part=text.strip())
    return value * factor


_TIME_UNITS = {
    "": 1e-3,
    "ms": 1e-3,
    "s": 1.0,
    "sec": 1.0,
    "us": 1e-6,
    "µs": 1e-6,
    "min": 60.0,
}


def parse_time(text: str, frame: TempoFrame) -> tuple[float, NoteValue | None]:
    """Seconds, and the note value if one was typed: '479', '0.479 s', '1280 samples', '1/8.'.

    A bare number is milliseconds. Raises QuantityError below 0 or above an hour.
    """
    note = frame.beat if text.strip().lower() == "beat" else parse_note_value(text, frame.metre)
    if note is not None:
        return frame.length_s(note), note
    try:
        value, unit = parse_number(text)
    except QuantityError as error:
        raise QuantityError(
            f"{error.sentence} Type a time such as 479, 0.479 s, 1/8. or dotted eighth.",
            part=error.part,
        ) from None
    if unit.lower() in {"samples", "sample", "smp", "spl"}:
        seconds = value / frame.sample_rate_hz
    elif unit.lower() == "hz":
        if value <= 0:
            raise QuantityError("A rate is above 0 Hz.", part=text.strip())
        seconds = 1.0 / value
    else:
        seconds = value * _expect_unit(unit, _TIME_UNITS, "time", "s, ms, samples, bars")
    if not 0 <= seconds <= LONGEST_TIME_S:
        raise QuantityError("A time goes from 0 to one hour.", part=text.strip())
    return seconds, None


def parse_sample_rate_hz(text: str) -> float:
    """Samples per second: '48000', '48k', '44.1 kHz'. A bare number below 1000 is in kHz."""
    value, unit = parse_number(text)
    factor = _expect_unit(unit, {"": 1, "hz": 1, "k": 1e3, "khz": 1e3}, "sample rate", "Hz, kHz")
    if unit == "" and value < 1000:
        factor = 1e3
    low, high = SAMPLE_RATES_HZ
    rate = round(value * factor)
    if not low <= rate <= high:
        raise QuantityError("A sample rate goes from 8 to 384 kHz.", part=text.strip())
    return float(rate)


def parse_quantity(request: QuantityRequest) -> Quantity:
    """Read one typed quantity of a named kind, with the sentence that reads it back."""
    text, kind = request.text, request.kind
    if kind == "time":
        seconds, note = parse_time(text, request.frame)
        ms = fmt.significant(seconds * 1e3, 6)
        said = f"{note.name} = {ms} ms" if note else f"= {ms} ms"
        return Quantity(
            kind=kind,
            value=seconds * 1e3,
            unit="ms",
            note_value=note.id if note else None,
            read_back=said,
        )
    value, unit = {
        "tempo": lambda: (parse_tempo_bpm(text), "BPM"),
        "level": lambda: (parse_level_db(text), "dB"),
        "percent": lambda: (parse_percent(text), "%"),
        "frequency": lambda: (parse_frequency_hz(text), "Hz"),
        "sample_rate": lambda: (parse_sample_rate_hz(text), "Hz"),
    }[kind]()
    return Quantity(
        kind=kind, value=value, unit=unit, read_back=f"read as {fmt.significant(value)} {unit}"
    )
