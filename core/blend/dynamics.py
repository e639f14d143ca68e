"""A compressor's static curve, alone and beside the dry signal."""

import math

from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.units.decibel import amplitude, db_gain, decibels, gain_db

LOWEST_DB, HIGHEST_DB = -72, 0


def compressed_db(
    level_db: float, threshold_db: float, ratio: float, knee_db: float, makeup_db: float = 0.0
) -> float:
    """Static curve with a quadratic knee (Giannoulis, Massberg and Reiss 2012, eq. 4).

    >>> compressed_db(-10, -40, 4, 6, 10)
    -22.5
    """
    over = level_db - threshold_db
    if 2 * over < -knee_db:
        out = level_db
    elif 2 * abs(over) <= knee_db and knee_db > 0:
        out = level_db + (1 / ratio - 1) * (over + knee_db / 2) ** 2 / (2 * knee_db)
    else:
        out = threshold_db + over / ratio
    return out + makeup_db


SILENT_DB = -70.0
"""Below it an upward compressor leaves alone what comes in: it would lift noise."""


def lift_db(
    level_db: float, threshold_db: float, ratio: float, up_threshold_db: float, up_ratio: float,
    up_most_db: float, knee_db: float = 6.0,
) -> float:  # fmt: skip
    """Gain (dB) of a compressor that works downwards above one threshold and upwards below another.

    Upwards `(1 - 1/R) (T - x)`, at most `up_most_db`, nothing below -70 dBFS.

    >>> lift_db(-50, 0, 2, -40, 2, 12)
    5.0
    """
    down = level_db - compressed_db(level_db, threshold_db, ratio, knee_db)
    up = (1 - 1 / up_ratio) * max(0.0, up_threshold_db - level_db)
    return (min(up, up_most_db) if level_db > SILENT_DB else 0.0) - down


def curve_slope(level_db: float, threshold_db: float, ratio: float, knee_db: float) -> float:
    """Slope of the static curve (dB out per dB in): 1 below the knee, 1/R above it."""
    over = level_db - threshold_db
    if 2 * over < -knee_db or (knee_db <= 0 and over < 0):
        return 1.0
    if knee_db > 0 and 2 * over <= knee_db:
        return 1 + (1 / ratio - 1) * (over + knee_db / 2) / knee_db
    return 1 / ratio


class ParallelSettings(Edge):
    """A compressor beside a dry path."""

    threshold_db: float = Field(-34, ge=-80, le=12)
    ratio: float = Field(4, ge=1, le=1000)
    knee_db: float = Field(6, ge=0, le=48)
    makeup_db: float = Field(0, ge=-24, le=48)
    follow: bool = Field(False, description="Make-up gives full scale its level back by itself")
    attack_ms: float = Field(10, ge=0.01, le=500)
    release_ms: float = Field(120, ge=1, le=5000)
    dry_db: float = Field(-3, ge=-120, le=24)
    wet_db: float = Field(0, ge=-120, le=24)
    detector_db: float = Field(
        0, ge=-24, le=48, description="Gain into the detector: the threshold reaches so much lower"
    )

    @property
    def follow_db(self) -> float:
        """Make-up that brings a sound at full scale back to full scale, 48 dB at most.

        >>> round(ParallelSettings(threshold_db=-40, ratio=4, knee_db=0).follow_db, 6)
        30.0
        """
        return min(48.0, -compressed_db(0.0, self.reaches_db, self.ratio, self.knee_db))

    @property
    def made_up_db(self) -> float:
        """The make-up in force."""
        return self.follow_db if self.follow else self.makeup_db

    @property
    def reaches_db(self) -> float:
        """The level from which it truly works: the threshold less the gain into the detector."""
        return self.threshold_db - self.detector_db


def _gain(db: float) -> float:
    return db_gain(db)


def parallel_db(level_db: float, s: ParallelSettings) -> float:
    """The sum of dry and compressed, coherent: `20 log(d 10^(x/20) + w 10^(y/20))`.

    >>> round(parallel_db(-50, ParallelSettings(threshold_db=-30, ratio=1000, knee_db=0, dry_db=0)), 3)
    -43.979
    """
    dry, wet = _shares(level_db, s)
    if dry + wet <= 0:
        raise FonodromeError("Dry and wet are both turned off: there is no sum.")
    return gain_db(dry + wet)


def _shares(level_db: float, s: ParallelSettings) -> tuple[float, float]:
    out = compressed_db(level_db, s.reaches_db, s.ratio, s.knee_db, s.made_up_db)
    return _gain(s.dry_db) * amplitude(level_db), _gain(s.wet_db) * amplitude(out)


def local_slope(level_db: float, s: ParallelSettings) -> float:
    """Slope of the sum: the two slopes weighted by what each path brings."""
    dry, wet = _shares(level_db, s)
    own = curve_slope(level_db, s.reaches_db, s.ratio, s.knee_db)
    return (dry + wet * own) / (dry + wet)


class BlendCurve(Edge):
    """Levels out over levels in, dBFS."""

    in_db: list[float]
    dry_db: list[float]
    wet_db: list[float]
    sum_db: list[float]
    ratio: list[float] = Field(description="Local ratio of the sum, in : out")


class Burst(Edge):
    """A burst from quiet to loud and back: levels every 2 ms, dBFS."""

    step_ms: float
    in_db: list[float]
    compressor_db: list[float]
    sum_db: list[float]
    overshoot_db: float = Field(
        description="How far the compressor's own hit stands above its hold"
    )
    sum_overshoot_db: float = Field(description="The same of the sum")
    sentence: str


class Instead(Edge):
    """The plain compressor that quiet sounds and full scale leave as the sum does."""

    ratio: float
    makeup_db: float
    out_db: list[float] = Field(description="Over the curve's levels in")
    most_apart_db: float = Field(description="Sum less that compressor, where they differ most")
    at_db: float
    sentence: str


class ParallelOut(Edge):
    makeup_db: float = Field(description="In force")
    follow_db: float = Field(description="That would bring full scale back to full scale")
    instead: Instead | None = Field(description="Null where no plain compressor ends there")
    curve: BlendCurve
    burst: Burst
    reaches_db: float = Field(description="Level from which it works, detector gain counted")
    quiet_boost_db: float = Field(
        description="What quiet sounds gain; less if the compressor works on them"
    )
    peak_db: float = Field(description="Change of a peak at 0 dBFS")
    equal_at_db: float | None = Field(description="Input where both paths bring the same")
    equal_ratio: float | None
    most_ratio: float
    most_ratio_at_db: float
    boost_gone_at_db: float | None = Field(description="Input where the boost has fallen to 1 dB")
    cautions: list[str]
    sentence: str


class ParallelSchool(Edge):
    """A starting point with its reason."""

    id: str
    name: str
    why: str
    settings: ParallelSettings


SCHOOLS: tuple[ParallelSchool, ...] = (
    ParallelSchool(
        id="quiet", name="Lift the quiet",
        why="Below all material, so that the copy evens everything out; a fast attack leaves the hits to the dry path.",
        settings=ParallelSettings(threshold_db=-44, ratio=3, attack_ms=1, release_ms=150, dry_db=0, wet_db=0, makeup_db=0),
    ),
    ParallelSchool(
        id="smash", name="Crush and tuck under",
        why="Drums: low and hard, then blended in from below until it is missed when it is muted.",
        settings=ParallelSettings(threshold_db=-42, ratio=10, attack_ms=5, release_ms=80, dry_db=0, wet_db=-6, makeup_db=8),
    ),
    ParallelSchool(
        id="whole", name="Touch the whole mix",
        why="A ratio of 2 to 4, slow attack, 1 to 2 dB of reduction, no make-up: room is left for mastering.",
        settings=ParallelSettings(threshold_db=-16, ratio=2.5, attack_ms=30, release_ms=250, dry_db=-6, wet_db=-6),
    ),
)  # fmt: skip


def parallel_view(s: ParallelSettings) -> ParallelOut:
    """The curves of a compressor beside the dry signal, and what they say. Raises FonodromeError."""
    levels = [LOWEST_DB + 0.5 * i for i in range(2 * (HIGHEST_DB - LOWEST_DB) + 1)]
    sums = [parallel_db(x, s) for x in levels]
    slopes = [local_slope(x, s) for x in levels]
    shares = [_shares(x, s) for x in levels]
    steepest = min(range(len(levels)), key=lambda i: slopes[i])
    equal = _crossing(s)
    boosts = [y - x for x, y in zip(levels, sums, strict=True)]
    quiet = decibels(_gain(s.dry_db) + _gain(s.wet_db) * _gain(s.made_up_db))
    gone = next(
        (x for x, b in zip(reversed(levels), reversed(boosts), strict=True) if b >= min(1.0, quiet)), None
    ) if quiet > 1 else None  # fmt: skip
    cautions = []
    if s.ratio < 1.01:
        cautions.append("A ratio of 1 compresses nothing: the sum is only louder.")
    if boosts[-1] > 6:
        cautions.append("Peaks gain more than 6 dB: turn both paths down before they clip.")
    ratio = 1 / slopes[steepest]
    if s.detector_db:
        low = s.reaches_db
        cautions.append(
            f"{s.detector_db:+.0f} dB into the detector: a threshold of {s.threshold_db:.0f} dBFS works from "
            f"{low:.0f} dBFS.".replace("-", "\u2212")
        )
    return ParallelOut(
        instead=_instead(s, levels, sums, quiet), makeup_db=s.made_up_db, follow_db=s.follow_db,
        burst=burst_of(s), reaches_db=s.reaches_db,
        curve=BlendCurve(
            in_db=levels, sum_db=[round(v, 3) for v in sums],
            dry_db=[_level(d) for d, _ in shares], wet_db=[_level(w) for _, w in shares],
            ratio=[round(1 / v, 4) for v in slopes],
        ),
        quiet_boost_db=quiet, peak_db=boosts[-1], equal_at_db=equal,
        equal_ratio=None if equal is None else 1 / local_slope(equal, s), most_ratio=ratio,
        most_ratio_at_db=levels[steepest], boost_gone_at_db=gone, cautions=cautions,
        sentence=(
            f"Quiet sounds gain {quiet:.1f} dB, a peak at full scale {boosts[-1]:+.1f} dB; the sum compresses "
            f"by {ratio:.1f}:1 at most, at {levels[steepest]:.0f} dBFS."
        ).replace("-", "\u2212"),
    )  # fmt: skip


def _instead(
    s: ParallelSettings, levels: list[float], sums: list[float], quiet: float
) -> Instead | None:
    """A plain compressor with the same threshold and knee: its make-up is the quiet boost, its ratio
    whatever brings full scale to where the sum has it. The two differ in between.
    """
    per_slope = -(compressed_db(0, s.reaches_db, 1e9, s.knee_db))
    taken = quiet - sums[-1]
    if per_slope < 1 or not 0.02 <= taken <= 0.98 * per_slope:
        return None
    ratio = 1 / (1 - taken / per_slope)
    plain = [compressed_db(x, s.reaches_db, ratio, s.knee_db, quiet) for x in levels]
    apart = [a - b for a, b in zip(sums, plain, strict=True)]
    most = max(range(len(levels)), key=lambda i: abs(apart[i]))
    said = (
        f"A plain compressor at {ratio:.2f}:1 with {quiet:+.1f} dB ends at the same quiet and loud; at "
        f"{levels[most]:.0f} dBFS the blend is {abs(apart[most]):.1f} dB {'louder' if apart[most] > 0 else 'softer'}."
    )
    return Instead(
        ratio=ratio, makeup_db=quiet, out_db=[round(v, 3) for v in plain],
        most_apart_db=apart[most], at_db=levels[most], sentence=said.replace("-", "\u2212"),
    )  # fmt: skip


_BURST_STEP_S = 0.002
_QUIET_DB, _LOUD_DB = -40.0, -10.0
_BURST_S = (0.06, 0.30, 0.50)
"""Where the burst begins and ends, and the whole."""


def burst_of(s: ParallelSettings) -> Burst:
    """A burst from -40 to -10 dBFS through the compressor and through the sum.

    The gain reduction in dB follows the static curve with one pole each for attack and release
    (Giannoulis, Massberg and Reiss 2012, eq. 16), taken every 0.5 ms.
    """
    fine = 4
    step = _BURST_STEP_S / fine
    attack, release = (math.exp(-step / (t / 1e3)) for t in (s.attack_ms, s.release_ms))
    dry, wet = _gain(s.dry_db), _gain(s.wet_db)
    state = _QUIET_DB - compressed_db(_QUIET_DB, s.reaches_db, s.ratio, s.knee_db)
    came, alone, both = [], [], []
    for i in range(round(_BURST_S[2] / step)):
        t = i * step
        level = _LOUD_DB if _BURST_S[0] <= t < _BURST_S[1] else _QUIET_DB
        wanted = level - compressed_db(level, s.reaches_db, s.ratio, s.knee_db)
        keep = attack if wanted > state else release
        state = keep * state + (1 - keep) * wanted
        if i % fine == 0:
            own = level - state + s.made_up_db
            came.append(level)
            alone.append(round(own, 2))
            both.append(_level(dry * amplitude(level) + wet * amplitude(own)))
    first, last = round(_BURST_S[0] / _BURST_STEP_S), round(_BURST_S[1] / _BURST_STEP_S) - 1
    over, summed = alone[first] - alone[last], both[first] - both[last]
    said = (
        f"At a hit the compressor alone stands {over:.1f} dB above where it settles, the sum {summed:.1f} dB."
    ).replace("-", "\u2212")
    return Burst(
        step_ms=_BURST_STEP_S * 1e3, in_db=came, compressor_db=alone, sum_db=both, overshoot_db=over,
        sum_overshoot_db=summed, sentence=said,
    )  # fmt: skip


def _level(linear: float) -> float:
    return round(decibels(max(linear, 1e-7)), 3)


def _crossing(s: ParallelSettings) -> float | None:
    """Where dry and wet bring the same, by halving; None where one is louder throughout."""

    def apart(x: float) -> float:
        dry, wet = _shares(x, s)
        return dry - wet

    low, high = float(LOWEST_DB) - 60, float(HIGHEST_DB) + 12
    if apart(low) * apart(high) > 0:
        return None
    for _ in range(60):
        middle = (low + high) / 2
        if apart(low) * apart(middle) <= 0:
            high = middle
        else:
            low = middle
    return (low + high) / 2
