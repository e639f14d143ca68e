"""What a device was set to and should do, and what a measurement says of its readings."""

from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import Field

from core.devices import DeviceProfile, nearest_setting
from core.edge import Edge
from core.units import format as fmt

_BESIDE = 6
"""Settable readings to either side of the nearest that are shown."""


class Reading(Edge):
    """One earlier measurement of the same device: what it read, and what it did."""

    label_ms: float = Field(gt=0, le=60_000)
    does_ms: float = Field(gt=0, le=60_000)


class BenchPlan(Edge):
    """What was planned, as far as it is known; null: not planned."""

    device: str = Field("", max_length=80, description="What the person calls it")
    profile: DeviceProfile | None = None
    label_ms: float | None = Field(None, gt=0, le=60_000, description="What the delay reads")
    wanted_ms: float | None = Field(None, gt=0, le=60_000)
    first_db: float | None = Field(None, ge=-96, le=24)
    each_db: float | None = Field(None, ge=-96, le=12)
    wet_only: bool = Field(False, description="No dry sound comes back")
    starts_together: bool = Field(False, description="The recording begins with the signal")
    home_ms: float | None = Field(None, ge=0, le=2000, description="What the cable alone takes")
    rt60_s: float | None = Field(None, gt=0, le=60)
    pre_delay_ms: float | None = Field(None, ge=0, le=2000)
    latency_ms: float | None = Field(None, ge=0, le=2000)
    gain_db: float | None = Field(None, ge=-96, le=48)
    inverted: bool | None = None
    mix_law: Literal["linear", "equal-power", "compromise", "full"] | None = None
    threshold_db: float | None = Field(
        None, ge=-96, le=24, description="Where its meter first moves"
    )
    ratio: float | None = Field(None, gt=1, le=1000)
    earlier: tuple[Reading, ...] = Field((), max_length=64)


class ReadingMark(Edge):
    """A reading of the device over what it does."""

    label_ms: float
    does_ms: float
    error_ms: float = Field(description="Does minus wanted")


class Readings(Edge):
    """What a delay's readings mean, and which of them is nearest to the plan."""

    offset_percent: float
    offset_ms: float
    steady: bool = Field(
        description="Read at several times, so that a share and a constant are told apart"
    )
    tolerance_ms: float = Field(description="How far the readings used lie from the line, at most")
    wanted_ms: float
    marks: list[ReadingMark] = Field(description="Readings that can be set, around the nearest")
    nearest: ReadingMark
    now: ReadingMark | None = Field(description="As it was set")
    sentence: str


def _law(readings: Sequence[Reading]) -> tuple[float, float, bool, float]:
    """Share (1 for true) and constant (ms) of does = share * label + constant; steady; largest miss.

    From one time only, a share is assumed: clocks are off by a share more often than by a constant.
    """
    x = np.array([r.label_ms for r in readings])
    y = np.array([r.does_ms for r in readings])
    apart = x.max() / x.min() > 1.5
    if not apart:
        share = float((x @ y) / (x @ x))
        return share, 0.0, False, float(np.abs(y - share * x).max())
    share, constant = (float(v) for v in np.polyfit(x, y, 1))
    # A constant within what the fit misses is none.
    alone = float((x @ y) / (x @ x))
    miss = float(np.abs(y - share * x - constant).max())
    if float(np.abs(y - alone * x).max()) <= max(0.02, 2 * miss):
        return alone, 0.0, True, float(np.abs(y - alone * x).max())
    return share, constant, True, miss


def readings_of(plan: BenchPlan, does_ms: float) -> Readings | None:
    """What to set instead of what it reads now; None where it is not known what it read or should do."""
    if plan.label_ms is None or plan.wanted_ms is None:
        return None
    profile = plan.profile or DeviceProfile(name="Device", min_ms=1, max_ms=10_000, step_ms=1)
    wanted = plan.wanted_ms
    share, constant, steady, miss = _law(
        [*plan.earlier, Reading(label_ms=plan.label_ms, does_ms=does_ms)]
    )
    percent = min(50.0, max(-50.0, 100 * (share - 1)))
    constant = min(1000.0, max(-1000.0, constant))
    known = profile.model_copy(update={"offset_percent": percent, "offset_ms": constant})
    best = nearest_setting(known, plan.wanted_ms, plan.wanted_ms)

    def mark(label: float) -> ReadingMark:
        does = known.true_ms(label)
        return ReadingMark(
            label_ms=round(label, 6),
            does_ms=round(does, 4),
            error_ms=round(does - wanted, 4),
        )

    around = {best.set_ms}
    for k in range(-_BESIDE, _BESIDE + 1):
        label = best.set_ms + k * profile.step_ms
        if profile.min_ms <= label <= profile.max_ms:
            around.add(
                round(
                    nearest_setting(known, max(1e-6, known.true_ms(label)), plan.wanted_ms).set_ms,
                    6,
                )
            )
    nearest = mark(best.set_ms)
    now = mark(plan.label_ms)
    name = plan.device or profile.name
    off = fmt.signed(percent, 2) if steady or abs(percent) < 50 else ""
    if abs(now.error_ms) <= abs(nearest.error_ms) + 1e-6:
        said = f"“{name}” stays at {fmt.significant(plan.label_ms, 6)}: no other reading comes nearer than {fmt.signed(now.error_ms, 2)} ms."
    else:
        said = (
            f"“{name}” runs {fmt.number(abs(percent), 2 if abs(percent) < 1 else 1)} % "
            f"{'long' if percent > 0 else 'short'}: set {fmt.significant(nearest.label_ms, 6)} and it does "
            f"{fmt.number(nearest.does_ms, 2)} ms."
        )
        if constant:
            said = (
                f"“{name}” does {off} % and {fmt.signed(constant, 2)} ms: set {fmt.significant(nearest.label_ms, 6)} "
                f"and it does {fmt.number(nearest.does_ms, 2)} ms."
            )
    return Readings(
        offset_percent=round(percent, 4), offset_ms=round(constant, 4), steady=steady,
        tolerance_ms=round(miss, 4), wanted_ms=plan.wanted_ms,
        marks=[mark(label) for label in sorted(around)], nearest=nearest, now=now, sentence=said,
    )  # fmt: skip
