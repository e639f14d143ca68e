"""Mix laws and the arithmetic of equal settings (domain: blend laws and equivalence)."""

import math
from dataclasses import dataclass

import scipy

from core.errors import FonodromeError
from core.units.decibel import amplitude, decibels, power_decibels

LAWS = ("linear", "equal-power", "compromise", "full")


def law_gains(law: str, mix: float) -> tuple[float, float]:
    """Dry and wet gain (linear) of a mix of 0 to 1.

    linear (1-m, m); equal-power (cos, sin of a quarter turn); compromise, the square root of the
    product of those two (-4.5 dB at the centre); full, min(1, 2(1-m)) and min(1, 2m).

    >>> law_gains("full", 0.25)
    (1.0, 0.5)
    """
    if law == "linear":
        return 1.0 - mix, mix
    turn = mix * math.pi / 2
    power = (math.cos(turn) if mix < 1 else 0.0, math.sin(turn))
    if law == "equal-power":
        return power
    if law == "compromise":
        return math.sqrt((1.0 - mix) * power[0]), math.sqrt(mix * power[1])
    if law == "full":
        return min(1.0, 2 * (1.0 - mix)), min(1.0, 2 * mix)
    raise FonodromeError(f"“{law}” is no mix law: {', '.join(LAWS)}.", part=law)


PAN_LAWS = ("-3", "-4.5", "-6", "0")


def pan_gains(pan: float, law: str = "-3") -> tuple[float, float]:
    """Left and right gain of a mono signal at -1 (left) to 1, under a law of so many dB at centre.

    -3 is sine and cosine; -6 is linear; -4.5 lies between them; 0 keeps both sides full to the
    centre.
    """
    place = (pan + 1) / 2
    if law == "0":
        return min(1.0, 2 * (1 - place)), min(1.0, 2 * place)
    power = (math.cos(place * math.pi / 2) if place < 1 else 0.0, math.sin(place * math.pi / 2))
    if law == "-3":
        return power
    if law == "-6":
        return 1 - place, place
    return math.sqrt(power[0] * (1 - place)), math.sqrt(power[1] * place)


def pan_position(left: float, right: float, law: str = "-3") -> float:
    """The pan (-1 to 1) at which a law gives such gains to left and right (sizes, not both 0).

    >>> round(pan_position(*pan_gains(0.3)), 9)
    0.3
    """
    left, right = abs(left), abs(right)
    if left <= 0 or right <= 0:
        return 1.0 if right > left else -1.0
    if law == "-3":
        return 4 / math.pi * math.atan2(right, left) - 1
    if law == "-6":
        return (right - left) / (right + left)
    if law == "0":
        return 1 - left / right if right > left else right / left - 1
    turn = scipy.optimize.brentq(
        lambda p: math.log(right / left) - _log_ratio(p), -1 + 1e-9, 1 - 1e-9
    )
    return float(turn)


def _log_ratio(pan: float) -> float:
    left, right = pan_gains(pan, "-4.5")
    return math.log(right / left)


def mix_of_ratio(law: str, ratio: float) -> float:
    """The mix whose wet/dry gain ratio is `ratio` (0 or more, may be infinite)."""
    if math.isinf(ratio):
        return 1.0
    if law == "linear":
        return ratio / (1 + ratio)
    if law == "equal-power":
        return math.atan(ratio) * 2 / math.pi
    if law == "full":
        return ratio / 2 if ratio <= 1 else 1 - 1 / (2 * ratio)
    low, high = 0.0, 1.0
    for _ in range(200):
        middle = (low + high) / 2
        dry, wet = law_gains(law, middle)
        if wet > ratio * dry:
            high = middle
        else:
            low = middle
    return (low + high) / 2


@dataclass(frozen=True)
class EqualInsert:
    """An insert that sounds as a parallel path does: mix 0 to 1 and the trim behind it."""

    mix: float
    trim: float
    effective_dry: float
    effective_wet: float


def equal_insert(
    dry: float, wet: float, device_mix: float = 1.0, law: str = "linear"
) -> EqualInsert:
    """The insert equal to a dry fader beside a wet fader (linear gains, same polarity).

    With a device that is not fully wet (linear law) on the wet path, the dry sound is
    `D + W(1-p)` and the wet `W p`. Raises FonodromeError where nothing sounds, or where dry and
    wet have opposite signs.

    >>> round(20 * math.log10(equal_insert(1, 1).trim), 4)
    6.0206
    """
    effective_dry, effective_wet = dry + wet * (1 - device_mix), wet * device_mix
    if effective_dry == 0 and effective_wet == 0:
        raise FonodromeError("Nothing sounds here: there is no equal insert.")
    if effective_dry * effective_wet < 0:
        raise FonodromeError("Dry and wet have opposite polarity: no mix control does that.")
    ratio = math.inf if effective_dry == 0 else effective_wet / effective_dry
    mix = mix_of_ratio(law, ratio)
    law_dry, law_wet = law_gains(law, mix)
    trim = effective_dry / law_dry if law_dry > law_wet else effective_wet / law_wet
    return EqualInsert(mix, trim, effective_dry, effective_wet)


def null_limit_db(
    dry: float, wet: float, mix: float, trim: float, law: str = "linear", correlation: float = 0.0
) -> float | None:
    """Residual of a set insert against the wanted pair, dB relative to the set insert.

    Dry and wet of equal power with the given correlation; None where nothing is left.
    """
    law_dry, law_wet = law_gains(law, mix)
    a, b = dry - trim * law_dry, wet - trim * law_wet
    left = a * a + b * b + 2 * correlation * a * b
    total = dry * dry + wet * wet + 2 * correlation * dry * wet
    if left <= 1e-30 * max(total, 1e-300):
        return None
    return power_decibels(left / total)


_MOST_MIXES = 500


def nearest_steps(
    dry: float, wet: float, mix_step: float, level_step_db: float, law: str = "linear"
) -> tuple[float, float, float | None]:
    """The best settable (mix, trim in dB, residual in dB) near the exact insert.

    >>> mix, trim, residual = nearest_steps(1.0, 10 ** (-2.5 / 20), 0.01, 0.1)
    >>> round(mix, 2), round(trim, 1), round(residual, 3)
    (0.43, 4.9, -45.893)
    """
    exact = equal_insert(dry, wet, 1.0, law)
    best: tuple[float, float, float | None] | None = None
    # Every mix where there are few; of fine ones those about the exact one. For each the trim that
    # leaves least, `(D d + W w) / (d^2 + w^2)`, up and down to the next step.
    last = math.floor(1 / mix_step + 1e-9)
    middle = round(exact.mix / mix_step)
    for steps in range(max(0, middle - _MOST_MIXES), min(last, middle + _MOST_MIXES) + 1):
        mix = steps * mix_step
        law_dry, law_wet = law_gains(law, mix)
        wanted = (dry * law_dry + wet * law_wet) / (law_dry**2 + law_wet**2)
        if wanted == 0:
            continue
        level = math.floor(decibels(abs(wanted)) / level_step_db)
        for trim_db in (level * level_step_db, (level + 1) * level_step_db):
            found = null_limit_db(dry, wet, mix, math.copysign(amplitude(trim_db), wanted), law)
            if best is None or (found or -999) < (best[2] or -999):
                best = (mix, trim_db, found)
    assert best is not None
    return best
