"""Repeats of a delay: levels, how many are heard, when it is silent, when it never is (domain 3.3)."""

import math
from typing import Literal

from pydantic import Field

from core.delay.line import DelayLine
from core.edge import Edge
from core.units import TempoFrame
from core.units import format as fmt
from core.units.decibel import amplitude, decibels, power_decibels

BANDS_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
SILENCE_DB = 60.0
_MOST_DRAWN = 240
_GROWING_DRAWN = 24
Side = Literal["both", "left", "right"]


class RepeatsRequest(Edge):
    frame: TempoFrame
    line: DelayLine
    threshold_db: float = Field(40, ge=1, le=120, description="What counts as gone, below dry")
    headroom_db: float = Field(12, ge=0, le=60, description="From dry to full scale")
    wanted_repeats: int = Field(4, ge=1, le=200)


class Echo(Edge):
    """One echo of one note."""

    k: int = Field(description="1 is the first")
    time_ms: float
    level_db: float = Field(description="Against dry")
    side: Side


class BandOut(Edge):
    hz: float
    loss_db: float = Field(description="Of one pass through the loop's filter")
    repeats: int | None = Field(description="Above the threshold; null: it never dies")
    rt60_s: float | None


class GoneBy(Edge):
    """What the loop gain has to be for silence by a bar line."""

    bars: int
    loop_db: float | None = Field(description="Null where not even one repeat fits")
    feedback_percent: float | None


class Runaway(Edge):
    """At and above unity."""

    growth_db: float = Field(description="Per repeat")
    repeats_to_full_scale: int | None = Field(description="Null at unity: it stays as it is")
    seconds_to_full_scale: float | None


class RepeatsOut(Edge):
    left_ms: float
    right_ms: float
    feedback_fraction: float
    feedback_db: float | None = Field(description="Null for none")
    count: int | None = Field(description="Repeats above the threshold; null: it never dies")
    silence_s: float | None = Field(description="Last repeat above the threshold")
    rt60_s: float | None = Field(description="Of the train of echoes")
    echoes: list[Echo]
    bands: list[BandOut]
    gone_by: list[GoneBy]
    feedback_for_wanted_percent: float = Field(description="For the number of repeats asked for")
    runaway: Runaway | None
    cautions: list[str]
    sentence: str
    computed_how: str


def loop_loss_db(hz: float, low_cut_hz: float | None, high_cut_hz: float | None) -> float:
    """Loss of one pass (dB, 0 or more) through first-order cuts: `10 log(1 + (fc/f)^2)` each."""
    loss = 0.0
    if low_cut_hz is not None:
        loss += power_decibels(1 + (low_cut_hz / hz) ** 2)
    if high_cut_hz is not None:
        loss += power_decibels(1 + (hz / high_cut_hz) ** 2)
    return loss


def repeats_above(first_db: float, per_repeat_db: float, threshold_db: float) -> int | None:
    """Largest k with `L1 + (k - 1) * per_repeat >= -threshold`; None where it never dies.

    >>> repeats_above(-3, 20 * math.log10(0.55), 40)
    8
    """
    if first_db < -threshold_db - 1e-9:
        return 0
    if per_repeat_db >= -1e-12:
        return None
    if per_repeat_db == -math.inf:
        return 1
    return 1 + math.floor((threshold_db + first_db) / -per_repeat_db + 1e-9)


def feedback_for_repeats(count: int, first_db: float, threshold_db: float) -> float:
    """Loop gain (linear) that leaves `count` repeats above the threshold; 0 for one.

    `10^((-X - L1) / (20 (n - 1)))`: the last one lies on the threshold; choose a hair above.

    >>> round(feedback_for_repeats(5, -4, 40), 6)
    0.354813
    """
    if count <= 1:
        return 0.0
    return float(10 ** ((-threshold_db - first_db) / (20 * (count - 1))))


def feedback_for_silence(
    by_s: float, delay_s: float, first_db: float, threshold_db: float
) -> float | None:
    """Loop gain (dB) that brings the first repeat at or after `by_s` down to the threshold."""
    k = math.ceil(by_s / delay_s - 1e-9)
    if k < 2:
        return None if first_db > -threshold_db else 0.0
    return min(0.0, (-threshold_db - first_db) / (k - 1))


def echo_times(
    line: DelayLine, left_s: float, right_s: float, floor_db: float, most: int = _MOST_DRAWN
) -> list[Echo]:
    """Every echo of one note down to a level (dB against dry), in order of time.

    Single: k T on both sides. Dual: each side its own. Ping-pong: sides alternate, one delay time
    apart. Cascade: left feeds right, arrivals at i TL + j TR.
    """
    g = line.feedback_percent / 100
    per = decibels(g) if g > 0 else -math.inf

    def level(k: int) -> float:
        return line.first_db + (0.0 if k == 1 else (k - 1) * per)

    def count(first: float) -> int:
        if g == 0:
            return 1 if first >= floor_db else 0
        if per >= -1e-12:
            return _GROWING_DRAWN
        if first < floor_db:
            return 0
        return min(most, 1 + math.floor((first - floor_db) / -per + 1e-9))

    found: list[Echo] = []

    def add(k: int, seconds: float, db: float, side: Side) -> None:
        found.append(Echo(k=k, time_ms=seconds * 1e3, level_db=db, side=side))

    if line.mode == "dual":
        for k in range(1, count(line.first_db) + 1):
            add(k, k * left_s, level(k), "left")
            add(k, k * right_s, level(k), "right")
    elif line.mode == "cascade":
        for i in range(1, count(line.first_db) + 1):
            add(i, i * left_s, level(i), "left")
            # What leaves the left side goes into the right one, at the same level again.
            for j in range(1, count(level(i) + line.first_db) + 1):
                add(j, i * left_s + j * right_s, level(i) + level(j), "right")
                if len(found) > 4 * most:
                    break
    else:
        for k in range(1, count(line.first_db) + 1):
            alternate: Side = "left" if k % 2 else "right"
            add(k, k * left_s, level(k), alternate if line.mode == "ping-pong" else "both")
    found.sort(key=lambda e: (e.time_ms, e.k))
    return found[:most]


def repeats(request: RepeatsRequest) -> RepeatsOut:
    """Everything about the repeats of one delay under a tempo.

    Raises QuantityError for an unreadable time and FonodromeError for one of 0.
    """
    line, frame = request.line, request.frame
    left, right = line.times_s(frame)
    g = line.feedback_percent / 100
    per = decibels(g) if g > 0 else -math.inf
    count = repeats_above(line.first_db, per, request.threshold_db)
    longest = max(left, right) if line.mode in ("dual", "cascade") else left
    bands = []
    for hz in BANDS_HZ:
        loss = loop_loss_db(hz, line.low_cut_hz, line.high_cut_hz)
        total = per - loss
        bands.append(
            BandOut(
                hz=hz,
                loss_db=loss,
                repeats=repeats_above(line.first_db, total, request.threshold_db),
                rt60_s=None
                if total >= -1e-12
                else (SILENCE_DB / -total * longest if g > 0 else 0.0),
            )
        )
    bar = frame.length_s(frame.beat) * float(frame.metre.bar / frame.beat.whole_notes)
    gone = []
    for bars in (1, 2, 3, 4):
        need = feedback_for_silence(bars * bar, longest, line.first_db, request.threshold_db)
        gone.append(
            GoneBy(
                bars=bars,
                loop_db=need,
                feedback_percent=None if need is None else 100 * amplitude(need),
            )
        )
    runaway = None
    if g > 0 and per >= -1e-12:
        room = request.headroom_db - line.first_db
        steps = math.ceil(room / per - 1e-9) if per > 1e-9 else None
        steps = None if steps is None else max(0, steps)
        runaway = Runaway(
            growth_db=max(0.0, per),
            repeats_to_full_scale=steps,
            seconds_to_full_scale=None if steps is None else (steps + 1) * longest,
        )
    wanted = feedback_for_repeats(request.wanted_repeats, line.first_db, request.threshold_db)
    return RepeatsOut(
        left_ms=left * 1e3,
        right_ms=right * 1e3,
        feedback_fraction=g,
        feedback_db=per if g > 0 else None,
        count=count,
        silence_s=None if count is None else count * longest,
        rt60_s=None if g > 0 and per >= -1e-12 else (SILENCE_DB / -per * longest if g > 0 else 0.0),
        echoes=echo_times(line, left, right, -request.threshold_db - 12),
        bands=bands,
        gone_by=gone,
        feedback_for_wanted_percent=100 * wanted,
        runaway=runaway,
        cautions=_cautions(line, runaway),
        sentence=_said(count, longest, request.threshold_db, runaway),
        computed_how=(
            "Repeat k lies at k times the delay, at the first repeat's level plus k - 1 times the "
            "loop gain and the loop filter's loss (first-order cuts). The train of echoes decays "
            "60 dB in 3 T / -log g. Silent by a bar line: the first repeat on or after it lies at "
            "the threshold."
        ),
    )


def _cautions(line: DelayLine, runaway: Runaway | None) -> list[str]:
    found = []
    if runaway is not None:
        found.append(
            "At or above 100 % the loop never dies: turn monitors down before you close it."
        )
    device = line.device
    if device is not None:
        low, high = device.feedback_min_percent, device.feedback_max_percent
        if not low <= line.feedback_percent <= high:
            found.append(
                f"{device.name} goes from {low:g} to {high:g} % feedback; "
                f"{line.feedback_percent:g} % cannot be set on it."
            )
    return found


def _said(
    count: int | None, delay_s: float, threshold_db: float, runaway: Runaway | None
) -> str:  # fmt: skip
    if runaway is not None:
        if runaway.repeats_to_full_scale is None:
            return "At unity every repeat is as loud as the last: it never dies."
        return (
            f"It grows {fmt.number(runaway.growth_db, 2)} dB a repeat and meets full scale after "
            f"{fmt.plural(runaway.repeats_to_full_scale, 'repeat')}, "
            f"{fmt.number(runaway.seconds_to_full_scale or 0, 1)} s."
        )
    assert count is not None
    if count == 0:
        return f"Even the first repeat is more than {threshold_db:g} dB down."
    return (
        f"{fmt.plural(count, 'repeat')} above −{threshold_db:g} dB, the last at "
        f"{fmt.number(count * delay_s, 2)} s."
    )
