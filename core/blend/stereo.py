"""One side later than the other, chorus on two amps, and what a level is in volts."""

import math
from typing import Any

from pydantic import Field

from core.blend.laws import PAN_LAWS, pan_gains
from core.edge import Edge
from core.units.decibel import amplitude, decibels, power_decibels, power_of

_DBV_TO_DBU = decibels(1 / math.sqrt(0.6))
_POINTS = 480


class StereoRequest(Edge):
    """A copy on one side, later by some milliseconds."""

    apart_ms: float = Field(12, ge=0, le=200)
    level_db: float = Field(0, ge=-60, le=12, description="Of the later side against the earlier")
    inverted: bool = False
    fused_ms: float = Field(25, ge=1, le=60, description="Where the listener still hears one sound")
    chorus_depth_ms: float = Field(2, ge=0, le=30)
    chorus_rate_hz: float = Field(0.8, ge=0.01, le=50)
    centre_db: float = Field(-6, ge=-60, le=12, description="A clean third channel in the middle")
    wet_side_db: float = Field(
        -9, ge=-60, le=12, description="Each of two wet sides against a dry centre"
    )
    sides_correlation: float = Field(0, ge=-1, le=1, description="Of the two wet sides")
    wanted_wet_db: float = Field(-6, ge=-60, le=12, description="Both together against the centre")
    width_percent: float = Field(100, ge=-100, le=100)
    pan_percent: float = Field(0, ge=-100, le=100)


class PanRow(Edge):
    """Where a pan law puts one mono sound."""

    law: str
    left_db: float | None
    right_db: float | None
    mono_db: float = Field(description="Mono sum against the same sound in the middle")


class StereoOut(Edge):
    wet_db: float = Field(description="Both wet sides as powers against the centre")
    mono_wet_db: float = Field(description="The same once all is summed to mono")
    side_needed_db: float = Field(description="Each side, for the wanted sum in stereo")
    room_db: float = Field(description="Centre and sides together against the centre alone")
    plan_said: str
    width_mid_db: float | None = Field(description="Mid of two unlike sides at that width")
    width_side_db: float | None
    width_mono_db: float = Field(description="Mono sum against the same at full width")
    pans: list[PanRow]
    notches_hz: list[float] = Field(description="First notches in mono")
    notch_db: float | None = Field(description="Depth; null for a full null")
    peak_db: float
    fused: bool
    trade_db: float = Field(
        description="About how much louder the later side has to be to sit in the middle"
    )
    cents: float = Field(description="Peak pitch deviation of the chorus")
    centre_share_percent: float = Field(description="Of the sound's power that stays still")
    response_hz: list[float]
    response_db: list[float]
    sentence: str


def trade_db(apart_ms: float) -> float:
    """Level against time: about 5 dB for 1 ms rising to about 10 dB at 5 ms and beyond; rough.

    >>> trade_db(1), trade_db(5), trade_db(20)
    (5.0, 10.0, 10.0)
    """
    if apart_ms <= 1:
        return 5.0 * apart_ms
    return min(10.0, 5 + 5 * (apart_ms - 1) / 4)


def chorus_cents(depth_ms: float, rate_hz: float) -> float:
    """Peak pitch deviation: `1200 log2(1 + 2 pi f d)`.

    >>> round(chorus_cents(2, 0.8), 3)
    17.317
    """
    return 1200 * math.log2(1 + 2 * math.pi * rate_hz * depth_ms / 1e3)


def stereo_view(request: StereoRequest) -> StereoOut:
    """What a one-sided delay does in mono and to the image, and a chorus beside a still centre."""
    tau = request.apart_ms / 1e3
    gain = amplitude(request.level_db)
    ratio = min(gain, 1 / gain)
    sign = -1 if request.inverted else 1
    notches = []
    if tau > 0:
        notches = [
            (n / tau if request.inverted else (2 * n + 1) / (2 * tau))
            for n in range(int(request.inverted), 4)
        ]
    # Up to the tenth peak: beyond, teeth stand closer than any drawing tells apart.
    top = min(20_000.0, max(200.0, 10 / tau)) if tau > 0 else 20_000.0
    hz = [20 * (top / 20) ** (i / _POINTS) for i in range(_POINTS + 1)]
    response = []
    for f in hz:
        turn = 2 * math.pi * f * tau
        size = math.hypot(1 + sign * gain * math.cos(turn), sign * gain * math.sin(turn)) / (
            1 + gain
        )
        response.append(round(decibels(max(size, 1e-3)), 3))
    fused = request.apart_ms <= request.fused_ms
    still = power_of(request.centre_db)
    trade = trade_db(request.apart_ms)
    first = f"{notches[0]:.0f} Hz" if notches and notches[0] < 20_000 else "nowhere below 20 kHz"
    said = (
        f"In mono the first notch lies at {first}; it is heard as {'one sound' if fused else 'an echo'}, drawn to the "
        f"earlier side by what about {trade:.0f} dB would do."
    )
    return StereoOut(
        **_three(request), **_width(request), pans=_pans(request.pan_percent / 100),
        notches_hz=[n for n in notches if n < 20_000],
        notch_db=decibels(1 - ratio) if ratio < 0.9999 else None,
        peak_db=decibels(1 + ratio), fused=fused, trade_db=trade,
        cents=chorus_cents(request.chorus_depth_ms, request.chorus_rate_hz),
        centre_share_percent=100 * still / (still + 2), response_hz=[round(f, 2) for f in hz],
        response_db=response, sentence=said,
    )  # fmt: skip


def _db(power: float) -> float:
    return power_decibels(max(power, 1e-12))


def _three(request: StereoRequest) -> dict[str, Any]:
    """A dry centre and two wet sides: levels in the room, in mono, and for what is wanted."""
    side = power_of(request.wet_side_db)
    both = 2 * side
    # In mono each side stands beside the centre with half the gain; like parts add in step.
    mono = both * (1 + request.sides_correlation) / 2
    needed = request.wanted_wet_db - _db(2)
    said = (
        f"Two wet sides at {request.wet_side_db:+.1f} dB are {_db(both):+.1f} dB together; in mono they come to "
        f"{_db(mono):+.1f} dB against the centre. For {request.wanted_wet_db:+.1f} dB set each to {needed:+.1f} dB."
    )
    return {
        "wet_db": _db(both), "mono_wet_db": _db(mono), "side_needed_db": needed,
        "room_db": _db(1 + both), "plan_said": said.replace("-", "\u2212"),
    }  # fmt: skip


def _width(request: StereoRequest) -> dict[str, Any]:
    """Mid and side of two unlike sides of equal power: `L' = M + w S`, `R' = M - w S`.

    Mono is M whatever the width; against the louder sides it falls as the width grows.
    """
    w = request.width_percent / 100
    mid, side = 0.5, 0.5 * w * w
    return {
        "width_mid_db": _db(mid), "width_side_db": _db(side) if w else None,
        "width_mono_db": _db((1 + 1) / (1 + w * w)),
    }  # fmt: skip


def _pans(pan: float) -> list[PanRow]:
    rows = []
    for law in PAN_LAWS:
        left, right = pan_gains(pan, law)
        centre = sum(pan_gains(0.0, law))
        rows.append(
            PanRow(
                law=law, left_db=_db(left * left) if left > 1e-6 else None,
                right_db=_db(right * right) if right > 1e-6 else None,
                mono_db=decibels((left + right) / centre),
            )
        )  # fmt: skip
    return rows


class LevelRequest(Edge):
    """A level in one unit, under an alignment."""

    value: float = Field(-18, ge=-200, le=60)
    unit: str = Field("dBFS", pattern="^(dBFS|dBu|dBV)$")
    full_scale_dbu: float = Field(24, ge=0, le=30, description="What full scale is in dBu")


class LevelOut(Edge):
    dbfs: float
    dbu: float
    dbv: float
    volts: float
    headroom_db: float


def level_view(request: LevelRequest) -> LevelOut:
    """The same level in dBFS, dBu (re 0.7746 V) and dBV (re 1 V): `dBu = dBV + 2.218`.

    >>> round(level_view(LevelRequest(value=-10, unit="dBV")).dbu, 3)
    -7.782
    """
    if request.unit == "dBu":
        dbu = request.value
    elif request.unit == "dBV":
        dbu = request.value + _DBV_TO_DBU
    else:
        dbu = request.value + request.full_scale_dbu
    dbv = dbu - _DBV_TO_DBU
    return LevelOut(
        dbfs=dbu - request.full_scale_dbu, dbu=dbu, dbv=dbv, volts=amplitude(dbv),
        headroom_db=request.full_scale_dbu - dbu,
    )  # fmt: skip
