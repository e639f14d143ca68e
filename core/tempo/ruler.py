"""The time ruler: every note value at a tempo, and one of them set against a device."""

import math
from fractions import Fraction
from functools import lru_cache
from typing import Literal

from pydantic import Field

from core.devices import DeviceProfile, Setting, nearest_setting
from core.edge import Edge
from core.errors import FonodromeError
from core.units import Metre, NoteValue, TempoFrame, parse_time
from core.units import format as fmt

Row = Literal["straight", "dotted", "triplet", "bars", "typed"]


class NoteReading(Edge):
    """One length of time in every unit it is needed in."""

    id: str = Field(description="Short form: '1/8.'; for a typed time its milliseconds")
    name: str = Field(description="Spoken form: 'dotted eighth'")
    row: Row = Field(description="Which row of the ruler it stands in")
    ms: float
    hz: float = Field(description="The same length as a rate, 1/t")
    samples: float = Field(description="Exact length in samples at the song's rate")
    nearest_samples: int
    rounding_error_us: float = Field(description="Nearest whole sample minus exact, microseconds")
    drift_ms_per_minute: float = Field(description="The rounding error added up over a minute")
    in_reach: bool | None = Field(description="Whether the device reaches it; null without one")


class TimeRulerRequest(Edge):
    frame: TempoFrame
    device: DeviceProfile | None = None
    chosen: str = Field("1/8.", max_length=60, description="A note value or a typed time")


class TimeRuler(Edge):
    notes: list[NoteReading] = Field(description="Ascending in time within each row")
    chosen: NoteReading
    setting: Setting | None = Field(description="What the device makes of the chosen time")
    cannot: str = Field("", description="Why the device cannot do it; empty where it can")
    next_best: NoteReading | None = Field(
        None, description="Note value nearest to it that the device can do, where it cannot"
    )
    beat_ms: float
    bar_ms: float
    sixteenth_ms: float
    computed_how: str = Field(description="Formula and assumptions, in words")


def clock_time_s(quarter_s: float, ppqn: int, multiply: int, divide: int) -> float:
    """Time between pulses of a divided clock: `(q / p) * d / m`.

    `ppqn` pulses in a quarter of `quarter_s` seconds, multiplied by `multiply` and divided by
    `divide`.

    >>> round(clock_time_s(60 / 128, 24, 2, 24) * 1000, 3)
    234.375
    """
    return quarter_s / ppqn * divide / multiply


def read_time(
    seconds: float, sample_rate_hz: int, *, id: str, name: str, row: Row, in_reach: bool | None
) -> NoteReading:
    """Express a length (seconds, above 0) as ms, Hz and samples with its rounding error."""
    samples = seconds * sample_rate_hz
    nearest = math.floor(samples + 0.5)
    error_s = (nearest - samples) / sample_rate_hz
    return NoteReading(
        id=id,
        name=name,
        row=row,
        ms=seconds * 1e3,
        hz=1.0 / seconds,
        samples=samples,
        nearest_samples=nearest,
        rounding_error_us=error_s * 1e6,
        drift_ms_per_minute=error_s / seconds * 60e3,
        in_reach=in_reach,
    )


@lru_cache(maxsize=64)
def _ruler_notes(metre: Metre) -> list[tuple[Row, float, str, str]]:
    """Row, length in whole notes, short form and name of all that stands on the ruler."""
    notes: list[tuple[Row, NoteValue]] = []
    rows: tuple[Row, ...] = ("straight", "dotted", "triplet")
    for row in rows:
        notes += [(row, NoteValue(Fraction(1, 2**k), row)) for k in range(7, -1, -1)]
    bar = metre.bar
    notes += [("bars", NoteValue(bar * count, bars=count)) for count in (1, 2, 4, 8)]
    return [(row, float(note.whole_notes), note.id, note.name) for row, note in notes]


def time_ruler(request: TimeRulerRequest) -> TimeRuler:
    """Lay out every note value from 1/128 triplet to 8 bars and read the chosen time.

    Raises QuantityError where the beat unit or the chosen time cannot be read, and
    FonodromeError where the chosen time is 0.
    """
    frame, device = request.frame, request.device

    def reach(seconds: float) -> bool | None:
        if device is None:
            return None
        return device.min_ms - 1e-9 <= seconds * 1e3 <= device.max_ms + 1e-9

    notes = []
    whole_s = 240.0 / frame.quarter_bpm
    for row, whole_notes, short, name in _ruler_notes(frame.metre):
        length = whole_s * whole_notes
        notes.append(
            read_time(
                length,
                frame.sample_rate_hz,
                id=short,
                name=name,
                row=row,
                in_reach=reach(length),
            )
        )
    seconds, typed = parse_time(request.chosen, frame)
    if seconds <= 0:
        raise FonodromeError("A delay time must be above 0 ms.", part=request.chosen.strip())
    chosen = next((n for n in notes if typed and n.id == typed.id), None)
    if chosen is None:
        name = typed.name if typed else f"{fmt.significant(seconds * 1e3, 6)} ms"
        chosen = read_time(
            seconds,
            frame.sample_rate_hz,
            id=typed.id if typed else f"{seconds * 1e3:.6g} ms",
            name=name,
            row="typed",
            in_reach=reach(seconds),
        )
    sixteenth_ms = frame.length_s(NoteValue(Fraction(1, 16))) * 1e3
    cannot, next_best = "", None
    if device is not None and not chosen.in_reach:
        below = chosen.ms < device.min_ms
        end = device.min_ms if below else device.max_ms
        cannot = f"cannot: {'shortest' if below else 'longest'} {fmt.significant(end, 5)} ms"
        # As heard, times lie apart by their ratio.
        next_best = min(
            (n for n in notes if n.in_reach),
            key=lambda n: abs(math.log(n.ms / chosen.ms)),
            default=None,
        )
    return TimeRuler(
        cannot=cannot,
        next_best=next_best,
        notes=notes,
        chosen=chosen,
        setting=nearest_setting(device, chosen.ms, sixteenth_ms) if device else None,
        beat_ms=frame.length_s(frame.beat) * 1e3,
        bar_ms=frame.length_s(NoteValue(frame.metre.bar)) * 1e3,
        sixteenth_ms=sixteenth_ms,
        computed_how=(
            f"A quarter lasts 60 / {fmt.significant(frame.quarter_bpm)} s; a note value lasts "
            "4 quarters times its fraction times its modifier (dotted 3/2, triplet 2/3). Samples "
            f"at {fmt.significant(frame.sample_rate_hz / 1e3)} kHz, rounded to the nearest. The "
            "error is the settable time less the wanted one; it adds up once per repeat."
        ),
    )
