"""What ducking would do to the wet sound over a clip, and one way of ducking made like another."""

import math
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path
from typing import Literal

import numpy as np
import scipy
from pydantic import Field

from core.audio import open_audio, worked_frames
from core.edge import Edge
from core.errors import FonodromeError
from core.render.processors import Setting
from core.render.processors.ducker import DuckerWork
from core.render.processors.dynamics import CompressorWork, EnvelopeFollower
from core.render.simulate import CURVE_S
from core.routing.document import kinds as k
from core.space.ducking import DuckingSettings, DuckingTail
from core.space.gaps import Phrase
from core.units.decibel import amplitude, decibels, power_decibels, power_of

_BLOCK = 1 << 14
_FIT_RATE = 1000
_FLOOR_DB = -40.0
_FULL_SHARE = 90
"""Percentile of the envelope in phrases that a solved follower gain brings to full ducking."""


class DuckingOut(Edge):
    """The wet gain over a clip, by a key."""

    gain_db: list[float] = Field(description="Every 20 ms; -120 for nothing")
    key_dbfs: list[float] = Field(description="RMS of the key every 20 ms; -120 for silence")
    ratio_db: list[float] = Field(description="Wet against dry every 20 ms, within 60 dB")
    ratio_in_phrases_db: float | None = Field(
        description="Wet power against dry, while phrases sound"
    )
    ratio_in_gaps_db: float | None = Field(description="Wet power in gaps against dry in phrases")
    inverted: bool = Field(description="Somewhere the wet signal's polarity is turned over")
    in_phrases_db: float | None = Field(description="Mean wet level while phrases sound")
    in_gaps_db: float | None
    at_entries_db: list[float] = Field(description="Wet gain where each phrase after a gap enters")
    recovery_s: float | None = Field(
        description="From a phrase's end until 3 dB below full again, median"
    )
    solved_follower_gain_db: float | None = Field(
        description="Pre-gain at which the envelope is full for a tenth of the phrases"
    )
    sentence: str
    seconds: float = Field(description="Worked out over so much from the clip's start (s)")


class DuckingFit(Edge):
    """One way made like another, as well as it can be."""

    settings: DuckingSettings
    difference_db: float = Field(description="Root mean square of what is left")
    largest_db: float
    sentence: str


_SHARED = (
    "way", "depth_db", "attack_ms", "release_ms", "sensitivity_percent", "follower_gain_db", "below_zero",
    "dip_shape",
)  # fmt: skip


def _gain_of(
    s: DuckingSettings, rate: int, nominal_dbfs: float
) -> Callable[[np.ndarray], np.ndarray]:
    """Key blocks (channels, n) to wet gains (n,)."""
    setting = Setting(rate, 2, nominal_dbfs, {"d": s.period_s})
    if s.way == "compressor":
        work = CompressorWork(
            k.Compressor(
                id="d", threshold_db=s.threshold_db, ratio=s.ratio, knee_db=0,
                attack_ms=s.attack_ms, release_ms=s.release_ms,
            ),
            setting,
        )  # fmt: skip
        return lambda block: amplitude(-work.reduction(block))
    stage = k.Ducker(id="d", **{name: getattr(s, name) for name in _SHARED})
    ducker = DuckerWork(stage, setting)
    return lambda block: np.atleast_2d(ducker.gain(block))[0]


def _frames(values: np.ndarray, step: int) -> np.ndarray:
    return np.asarray(values[: len(values) // step * step], float).reshape(-1, step)


def _blocks(path: Path, name: str, key_db: float) -> Iterator[tuple[int, np.ndarray]]:
    """Rate and blocks of a key, in whole frames of 20 ms. Raises AudioError."""
    gain = amplitude(key_db)
    with open_audio(path, name) as sound:
        rate = sound.rate_hz
        frames = worked_frames(sound)
        step = max(1, round(CURVE_S * rate))
        size = max(step, _BLOCK // step * step)
        for start in range(0, frames, size):
            block = np.asarray(sound.read(start, min(size, frames - start)), np.float64)[:2]
            yield rate, gain * block


def _levels(path: Path, name: str) -> np.ndarray:
    """Mean power every 20 ms (louder side)."""
    parts = []
    for rate, block in _blocks(path, name, 0.0):
        step = max(1, round(CURVE_S * rate))
        parts.append(_frames((block * block).max(axis=0), step).mean(axis=1))
    return np.concatenate(parts) if parts else np.zeros(0)


def _tail(power: np.ndarray, tail: DuckingTail) -> np.ndarray:
    """Power of the wet sound every 20 ms: what came in, dying away by 60 dB in RT60.

    A long note's tail settles at `start_db` against it.
    """
    keep = 10 ** (-6 * CURVE_S / tail.rt60_s)
    late = round(tail.pre_delay_s / CURVE_S)
    out, now = np.zeros(len(power)), 0.0
    for i in range(len(power)):
        came = power[i - late] if i >= late else 0.0
        now = keep * now + (1 - keep) * float(came)
        out[i] = now
    return out * power_of(tail.start_db)


def _mean_db(power: np.ndarray) -> float | None:
    return power_decibels(max(float(power.mean()), 1e-12)) if len(power) else None


def measure_ducking(
    path: Path, name: str, s: DuckingSettings, phrases: list[Phrase], nominal_dbfs: float,
    *, key: tuple[Path, str] | None = None, key_db: float = 0.0, tail: DuckingTail | None = None,
) -> DuckingOut:  # fmt: skip
    """The wet gain over a clip's phrases and gaps, keyed by it or by another clip.

    `key_db` is the level at which the key reaches the ducker: 0 for the dry sound before all
    effects, the send's level for the effect's own input. Over as much of both from their starts as can
    be worked out while somebody waits. Raises AudioError.
    """
    listened = (path, name) if key is None else key
    parts, envelope, keys = [], [], []
    gain: Callable[[np.ndarray], np.ndarray] | None = None
    follower: EnvelopeFollower | None = None
    for rate, block in _blocks(*listened, key_db):
        step = max(1, round(CURVE_S * rate))
        if gain is None or follower is None:
            gain = _gain_of(s, rate, nominal_dbfs)
            follower = EnvelopeFollower(s.attack_ms, s.release_ms, rate)
        parts.append(_frames(gain(block), step).mean(axis=1))
        envelope.append(_frames(follower(block), step).max(axis=1))
        keys.append(_frames((block * block).max(axis=0), step).mean(axis=1))
    curve = np.concatenate(parts) if parts else np.zeros(0)
    dry = _levels(path, name)
    count = len(dry)
    # A key that ends before the clip leaves the wet sound alone from there on.
    curve = np.concatenate([curve, np.ones(max(0, count - len(curve)))])[:count]
    heard = np.concatenate([*(envelope or [np.zeros(0)]), np.zeros(count)])[:count]
    keyed = np.concatenate([*(keys or [np.zeros(0)]), np.zeros(count)])[:count]
    times = (np.arange(count) + 0.5) * CURVE_S
    phrases = [p for p in phrases if p.start_s < count * CURVE_S]
    inside = np.zeros(count, bool)
    for phrase in phrases:
        inside |= (times >= phrase.start_s) & (times < phrase.end_s)
    size_db = decibels(np.maximum(np.abs(curve), 1e-6))
    recoveries = []
    for phrase, after in zip(phrases, [*phrases[1:], None], strict=False):
        first = int(phrase.end_s / CURVE_S)
        last = count if after is None else int(after.start_s / CURVE_S)
        up = np.flatnonzero(size_db[first:last] >= -3)
        if len(up):
            recoveries.append(float(up[0]) * CURVE_S)
    entries = [
        float(size_db[min(count - 1, max(0, int(p.start_s / CURVE_S) - 1))])
        for p in phrases[1:] if count
    ]  # fmt: skip
    low, high = _mean_db(curve[inside] ** 2), _mean_db(curve[~inside] ** 2)
    wet = _tail(dry, tail or DuckingTail()) * curve**2
    ratio = power_decibels(np.maximum(wet, 1e-14) / np.maximum(dry, 1e-14))
    loud = float(dry[inside].mean()) if inside.any() else 0.0

    def against(which: np.ndarray) -> float | None:
        if loud <= 1e-12 or not which.any():
            return None
        return power_decibels(max(float(wet[which].mean()), 1e-14) / loud)

    full = float(np.percentile(heard[inside], _FULL_SHARE)) if inside.any() else 0.0
    said = "Nothing sounds here." if low is None else f"{low:.1f} dB while phrases sound"
    if low is not None and high is not None:
        said += f", {high:.1f} dB between them."
    return DuckingOut(
        gain_db=[round(float(v), 2) for v in np.maximum(size_db, -120)],
        key_dbfs=[round(float(v), 1) for v in power_decibels(np.maximum(keyed, 1e-12))],
        ratio_db=[round(float(v), 1) for v in np.clip(ratio, -60, 60)],
        ratio_in_phrases_db=against(inside), ratio_in_gaps_db=against(~inside),
        inverted=bool((curve < -1e-6).any()), in_phrases_db=low, in_gaps_db=high,
        at_entries_db=entries, recovery_s=float(np.median(recoveries)) if recoveries else None,
        solved_follower_gain_db=round(-decibels(full), 1) if full > 1e-5 else None,
        sentence=said.replace("-", "\u2212"), seconds=round(count * CURVE_S, 2),
    )  # fmt: skip


# One way made like another -------------------------------------------------------------------
_BOUNDS: dict[str, tuple[float, float]] = {
    "depth_db": (0, 60), "attack_ms": (0.5, 500), "release_ms": (5, 5000), "sensitivity_percent": (0, 100),
    "threshold_db": (-70, 0), "ratio": (1, 40),
}  # fmt: skip
_FREE: dict[str, tuple[str, ...]] = {
    "key": ("depth_db", "attack_ms", "release_ms"),
    "envelope": ("sensitivity_percent", "attack_ms", "release_ms"),
    "compressor": ("threshold_db", "ratio", "attack_ms", "release_ms"),
    "shape": ("depth_db",),
}
_LOGARITHMIC = ("attack_ms", "release_ms", "ratio")


@lru_cache(maxsize=8)
def _slow_key(path: Path, name: str, key_db: float) -> dict[str, np.ndarray]:
    """A key at 1 kHz, as each way hears it: RMS, mean size, peak of every millisecond."""
    power, size, peak = [], [], []
    for rate, block in _blocks(path, name, key_db):
        step = max(1, round(rate / _FIT_RATE))
        loud = np.abs(block).max(axis=0)
        frames = _frames(loud, step)
        power.append(np.sqrt((frames * frames).mean(axis=1)))
        size.append(frames.mean(axis=1))
        peak.append(frames.max(axis=1))
    if not power:
        return {way: np.zeros((1, 0)) for way in _FREE}
    heard = {"key": power, "envelope": size, "compressor": peak, "shape": power}
    return {way: np.concatenate(parts)[None, :] for way, parts in heard.items()}


def _slow_curve(s: DuckingSettings, key: dict[str, np.ndarray], nominal_dbfs: float) -> np.ndarray:
    """Wet gain in dB every 20 ms, -40 at the least, at 1 kHz."""
    gain = _gain_of(s, _FIT_RATE, nominal_dbfs)(np.array(key[s.way]))
    mean = np.abs(_frames(gain, round(CURVE_S * _FIT_RATE)).mean(axis=1))
    return np.maximum(decibels(np.maximum(mean, 1e-6)), _FLOOR_DB)


def fit_ducking(
    path: Path, name: str, target: DuckingSettings, way: Literal["key", "envelope", "shape", "compressor"],
    nominal_dbfs: float, key_db: float = 0.0,
) -> DuckingFit:  # fmt: skip
    """Settings of one way whose wet gain over a clip is nearest to that of another.

    Least squares in dB (down to -40) by the simplex of Nelder and Mead from two starts, on the key
    at 1 kHz. Raises AudioError, and FonodromeError where the clip is silent.
    """
    key = _slow_key(path, name, key_db)
    if not key["key"].size or float(key["compressor"].max()) < 1e-6:
        raise FonodromeError(f"“{name}” is silent: no key comes from it.")
    wanted = _slow_curve(target, key, nominal_dbfs)
    deepest = float(-wanted.min())
    full = float(np.percentile(key["envelope"], 95))
    start = target.model_copy(
        update={
            "way": way, "depth_db": min(60.0, max(1.0, deepest)), "below_zero": False,
            "sensitivity_percent": 100 * (1 - amplitude(-deepest)),
            "follower_gain_db": max(-24.0, min(60.0, round(-decibels(max(full, 1e-4)), 1))),
            "threshold_db": decibels(float(np.percentile(key["compressor"], 70)) + 1e-4),
        }
    )  # fmt: skip
    names = _FREE[way]

    def pack(s: DuckingSettings) -> list[float]:
        return [math.log(v) if n in _LOGARITHMIC else v for n in names for v in (getattr(s, n),)]

    def unpack(values: np.ndarray) -> DuckingSettings:
        found = {}
        for n, v in zip(names, values, strict=True):
            low, high = _BOUNDS[n]
            found[n] = min(high, max(low, math.exp(min(v, 20)) if n in _LOGARITHMIC else float(v)))
        return start.model_copy(update=found)

    def miss(values: np.ndarray) -> float:
        return float(np.mean((_slow_curve(unpack(values), key, nominal_dbfs) - wanted) ** 2))

    best: tuple[float, np.ndarray] | None = None
    for ratio in (1.0, 3.0):
        begin = start.model_copy(
            update={
                "attack_ms": min(500.0, start.attack_ms * ratio),
                "release_ms": max(5.0, start.release_ms / ratio), "ratio": 2.0 * ratio,
            }
        )  # fmt: skip
        found = scipy.optimize.minimize(
            miss,
            pack(begin),
            method="Nelder-Mead",
            options={"maxfev": 140, "xatol": 1e-2, "fatol": 1e-3},
        )
        if best is None or found.fun < best[0]:
            best = (float(found.fun), found.x)
    assert best is not None
    made = unpack(best[1])
    digits = {"attack_ms": 1, "release_ms": 0, "sensitivity_percent": 0, "ratio": 1}
    made = made.model_copy(
        update={n: max(_BOUNDS[n][0], round(getattr(made, n), digits.get(n, 1))) for n in names}
    )
    left = _slow_curve(made, key, nominal_dbfs) - wanted
    rms, most = float(np.sqrt(np.mean(left**2))), float(np.abs(left).max())
    near = "nearly the same" if rms < 0.5 else "close" if rms < 1.5 else "another movement"
    return DuckingFit(
        settings=made,
        difference_db=rms,
        largest_db=most,
        sentence=f"As near as it comes: {rms:.1f} dB apart on the mean, {most:.1f} dB at most: {near}.",
    )
