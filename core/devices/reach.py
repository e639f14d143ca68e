"""What a device makes of every note value: set, tapped, clocked, or not at all."""

import math
from fractions import Fraction

from pydantic import Field

from core.devices.profile import DeviceProfile, Setting, nearest_setting
from core.edge import Edge
from core.errors import FonodromeError
from core.units import NoteValue, TempoFrame, parse_time

_ASKED = tuple(
    NoteValue(Fraction(1, 2**power), modifier)
    for power in range(0, 7)
    for modifier in ("straight", "dotted", "triplet")
)
_TAPPED = tuple(
    NoteValue(Fraction(1, 2**power), modifier)
    for modifier in ("straight", "dotted")
    for power in range(0, 4)
)
_FEEL_PERCENT = 10.0


class ReachRequest(Edge):
    frame: TempoFrame
    device: DeviceProfile
    wanted: str = Field("1/8.", max_length=60, description="The delay in hand")
    repeats: int = Field(8, ge=1, le=64, description="At which repeat the flam is read")


class ReachRow(Edge):
    """One note value on the device."""

    id: str
    name: str
    ms: float
    possible: bool = Field(description="In reach, by dial, tap or clock")
    set_ms: float | None = Field(description="What it is to read; null where it has no dial")
    error_ms: float
    error_of_sixteenth_percent: float
    flam_ms: float = Field(description="Distance from the grid at the repeat asked about")
    how: str = Field(description="How to get it, in words")
    next_best: str | None = Field(description="Nearest note value that it can do, where it cannot")


class ReachReport(Edge):
    wanted: ReachRow
    setting: Setting
    rows: list[ReachRow]
    cannot: list[str] = Field(description="Short forms of the note values out of its reach")
    taps: list[str] = Field(description="What to tap, and with which subdivision, nearest first")
    count_in_bpm: float | None = Field(
        description="Tempo at which its nearest setting is the wanted note value exactly"
    )
    ratios_ms: list[float] = Field(description="Further echoes at its fixed ratios")
    sentence: str
    computed_how: str


def tap_ways(device: DeviceProfile, note: NoteValue, frame: TempoFrame) -> list[str]:
    """What to tap for a note value, and with which subdivision; the beat first.

    A subdivision is a share of a tapped quarter: with '1/8.' the delay is 3/4 of what is tapped.
    """
    found: list[tuple[float, str]] = []
    if device.tap:
        for text, ratio in device.ratios():
            tapped = note.whole_notes / ratio
            if tapped == frame.beat.whole_notes:
                found.append((0.0, f"tap the beat ({frame.beat.id}), device on {text}"))
                continue
            value = next((v for v in _TAPPED if v.whole_notes == tapped), None)
            if value is not None:
                apart = abs(math.log2(float(tapped / frame.beat.whole_notes)))
                found.append((apart, f"tap every {value.id}, device on {text}"))
    if device.clock:
        for text, ratio in device.ratios():
            share = ratio if device.clock_acts_on == "time" else 1 / ratio
            if note.whole_notes * 4 == share:
                acts = "" if device.clock_acts_on == "time" else ", its ratio acting on the rate"
                found.append((0.5, f"clock it, device on {text}{acts}"))
    return [words for _, words in sorted(found, key=lambda f: f[0])]


def _row(request: ReachRequest, note: NoteValue | None, seconds: float) -> ReachRow:
    device, frame = request.device, request.frame
    sixteenth = frame.length_s(NoteValue(Fraction(1, 16))) * 1e3
    setting = nearest_setting(device, seconds * 1e3, sixteenth)
    ways = tap_ways(device, note, frame) if note is not None else []
    synced = bool(ways) and setting.in_reach
    # A tap or a clock gives the value itself; a dial gives its nearest step.
    error = setting.error_ms if device.dialled else 0.0
    possible = setting.in_reach and (device.dialled or synced)
    if not setting.in_reach:
        side = "shorter" if seconds * 1e3 < device.min_ms else "longer"
        how = f"{side} than it goes"
    elif device.dialled:
        how = f"set {setting.set_ms:g} ms"
        if ways:
            how += f", or {ways[0]}"
    else:
        how = ways[0] if ways else "no subdivision of it makes this value"
    return ReachRow(
        id=note.id if note else f"{seconds * 1e3:.6g} ms",
        name=note.name if note else f"{seconds * 1e3:.6g} ms",
        ms=seconds * 1e3,
        possible=possible,
        set_ms=setting.set_ms if device.dialled else None,
        error_ms=error,
        error_of_sixteenth_percent=100 * error / sixteenth,
        flam_ms=error * request.repeats,
        how=how,
        next_best=None,
    )


def device_reach(request: ReachRequest) -> ReachReport:
    """Every note value from 1/64 triplet to a dotted whole against a device.

    Raises QuantityError for an unreadable delay and FonodromeError for one of 0.
    """
    frame, device = request.frame, request.device
    seconds, note = parse_time(request.wanted, frame)
    if seconds <= 0:
        raise FonodromeError("A delay time must be above 0 ms.", part=request.wanted.strip())
    rows = [_row(request, value, frame.length_s(value)) for value in _ASKED]
    able = [r for r in rows if r.possible]

    def with_next(row: ReachRow) -> ReachRow:
        if row.possible or not able:
            return row
        best = min(able, key=lambda r: abs(math.log(r.ms / row.ms)))
        return row.model_copy(update={"next_best": best.id})

    wanted = with_next(_row(request, note, seconds))
    setting = nearest_setting(
        device, seconds * 1e3, frame.length_s(NoteValue(Fraction(1, 16))) * 1e3
    )
    count_in = None
    if note is not None and device.dialled and setting.in_reach:
        beats = float(note.whole_notes / frame.beat.whole_notes)
        count_in = 60_000 * beats / setting.true_ms
    rows = [with_next(r) for r in rows]
    cannot = [r.id for r in rows if not r.possible]
    taps = tap_ways(device, note, frame) if note is not None else []
    if not wanted.possible:
        sentence = f"{device.name} cannot do this: {wanted.how}."
        if wanted.next_best:
            sentence += f" The next best is {wanted.next_best}."
    elif taps and not device.dialled:
        sentence = f"{taps[0][0].upper()}{taps[0][1:]}".rstrip(".") + "."
    elif not device.tap and not device.clock and count_in is not None:
        off = abs(setting.error_of_sixteenth_percent)
        sentence = (
            f"It has no tap: count in at {count_in:.2f} BPM and the band follows it"
            f"{', or live with it: under a tenth of a sixteenth' if off < _FEEL_PERCENT else ''}."
        )
    else:
        sentence = setting.sentence
    return ReachReport(
        wanted=wanted,
        setting=setting,
        rows=rows,
        cannot=cannot,
        taps=taps,
        count_in_bpm=count_in,
        ratios_ms=[setting.true_ms * ratio for ratio in device.fixed_ratios],
        sentence=sentence,
        computed_how=(
            "The reading is rounded to the device's steps or detents, outside its dead zones; what "
            "it lasts is the reading with its known offset. A subdivision is a share of the tapped "
            "or clocked quarter; the count-in tempo is 60 times the note value over the beat, "
            "divided by what the setting lasts."
        ),
    )


class GlideRequest(Edge):
    from_ms: float = Field(gt=0, le=60_000)
    to_ms: float = Field(gt=0, le=60_000)
    ramp_ms: float = Field(gt=0, le=60_000, description="How long the change takes")


class Glide(Edge):
    """Pitch while a delay time changes over a ramp."""

    factor: float = Field(description="1 - (T2 - T1) / R: 2 is an octave up")
    semitones: float | None = Field(description="Null where what sounds runs backwards")
    sentence: str


def glide(request: GlideRequest) -> Glide:
    """The pitch factor while the time glides (domain 3.2): `1 - (T2 - T1) / R`.

    >>> glide(GlideRequest(from_ms=500, to_ms=375, ramp_ms=250)).factor
    1.5
    """
    factor = 1 - (request.to_ms - request.from_ms) / request.ramp_ms
    semitones = 12 * math.log2(factor) if factor > 0 else None
    if semitones is None:
        sentence = (
            "The echoes run backwards while it glides." if factor < 0 else "They stand still."
        )
    elif abs(semitones) < 0.005:
        sentence = "No pitch change."
    else:
        way = "up" if semitones > 0 else "down"
        sentence = (
            f"Echoes bend {way} by {abs(semitones):.2f} semitones for {request.ramp_ms:g} ms."
        )
    return Glide(factor=factor, semitones=semitones, sentence=sentence)
