"""Blind trials: excerpts that tell nothing but their sound, practice pairs, and the chance of hits."""

import io
import math
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile

from core.audio import open_audio
from core.audio.loudness import integrated_lufs
from core.edge import Edge
from core.errors import FonodromeError
from core.render.processors import Setting, processor_for
from core.routing.document import kinds as k
from core.units.decibel import amplitude, decibels

LONGEST_EXCERPT_S = 30.0
SHORTEST_EXCERPT_S = 0.5
_FADE_S = 0.01
_CEILING = amplitude(-1)
Practice = Literal["level", "repeat", "compression", "polarity"]
PRACTICE: dict[str, tuple[str, str]] = {
    "level": ("1 dB", "B is 1 dB louder than A; nothing is matched here, for it is what you listen for."),
    "repeat": ("A repeat after 20 ms", "B has one repeat, 20 ms later and 12 dB below."),
    "compression": ("2 dB of compression", "B is compressed by about 2 dB and as loud as A."),
    "polarity": ("An inverted side", "B has its right side turned over: hollow in mono, wide in stereo."),
}  # fmt: skip


def chance(hits: int, trials: int) -> float:
    """Probability of so many hits or more by guessing: `sum_{i >= k} C(n, i) / 2^n`.

    >>> round(chance(12, 16), 3)
    0.038
    """
    return float(sum(math.comb(trials, i) for i in range(hits, trials + 1)) / 2**trials)


def needed(trials: int, most: float = 0.05) -> int | None:
    """The fewest hits that guessing reaches with at most `most`; None where not even all are enough."""
    return next((h for h in range(trials + 1) if chance(h, trials) <= most), None)


class TrialVerdict(Edge):
    """What the hits of a trial say."""

    hits: int
    trials: int
    chance: float
    needed: int | None
    sentence: str


def judge(hits: int, trials: int) -> TrialVerdict:
    p = chance(hits, trials)
    share = f"1 in {round(1 / p)}" if p < 0.5 else f"{100 * p:.0f} in 100"
    if trials == 0:
        said = "Nothing was answered."
    elif p <= 0.05:
        said = f"{hits} of {trials} right. By guessing that comes {share} times: the difference was heard."
    else:
        said = (
            f"{hits} of {trials} right. By guessing that comes {share} times: it was not shown to be "
            "heard, which is no proof that it cannot be."
        )
    return TrialVerdict(hits=hits, trials=trials, chance=p, needed=needed(trials), sentence=said)


def read_excerpt(path: Path, name: str, start_s: float, length_s: float) -> tuple[np.ndarray, int]:
    """A stretch of a file as (channels, n), at most stereo. Raises FonodromeError where it is too short."""
    with open_audio(path, name, own=True) as sound:
        rate = sound.rate_hz
        first = round(start_s * rate)
        count = min(round(min(length_s, LONGEST_EXCERPT_S) * rate), sound.frames - first)
        if count < SHORTEST_EXCERPT_S * rate:
            raise FonodromeError(
                f"“{name}” has less than half a second from {start_s:.1f} s on: choose another stretch."
            )
        return np.asarray(sound.read(first, count), np.float64)[:2], rate


def matched_gains(
    a: np.ndarray, b: np.ndarray, rate_hz: int, *, match: bool = True
) -> tuple[float, float]:
    """Linear gains of at most 1 that make two excerpts equally loud and keep both below full scale."""
    loud = [integrated_lufs(x, rate_hz) for x in (a, b)]
    gains = [1.0, 1.0]
    if match and loud[0] is not None and loud[1] is not None:
        quiet = min(loud[0], loud[1])
        gains = [amplitude(quiet - level) for level in (loud[0], loud[1])]
    peak = max(float(np.abs(x).max(initial=0)) * g for x, g in zip((a, b), gains, strict=True))
    hold = min(1.0, _CEILING / peak) if peak > 0 else 1.0
    return gains[0] * hold, gains[1] * hold


def excerpt_wav(sound: np.ndarray, rate_hz: int, gain: float, rng: np.random.Generator) -> bytes:
    """A 24-bit stereo WAV with fades of 10 ms and dither of its own.

    Two excerpts of the same sound are as long and never the same bytes: neither size nor content
    says which of two a third one is.
    """
    wide = np.stack([sound[0], sound[-1]]) * gain
    fade = min(round(_FADE_S * rate_hz), wide.shape[1] // 4)
    ramp = 0.5 - 0.5 * np.cos(np.pi * np.arange(fade) / max(1, fade))
    wide[:, :fade] *= ramp
    wide[:, wide.shape[1] - fade :] *= ramp[::-1]
    noise = rng.random(wide.shape) - rng.random(wide.shape)
    whole = np.clip(np.round(wide * 2**23 + noise), -(2**23), 2**23 - 1).astype(np.int64) << 8
    out = io.BytesIO()
    soundfile.write(out, whole.T.astype(np.int32), rate_hz, format="WAV", subtype="PCM_24")
    return out.getvalue()


def practice_pair(kind: str, sound: np.ndarray, rate_hz: int) -> tuple[np.ndarray, np.ndarray]:
    """A and B of a practice trial from an excerpt (channels, n). Raises FonodromeError."""
    if kind not in PRACTICE:
        raise FonodromeError(f"“{kind}” is no practice trial: {', '.join(PRACTICE)}.")
    a = np.stack([sound[0], sound[-1]])
    if kind == "level":
        return a, a * amplitude(1)
    if kind == "polarity":
        return a, np.stack([a[0], -a[1]])
    if kind == "repeat":
        late = round(0.020 * rate_hz)
        b = a.copy()
        b[:, late:] += amplitude(-12) * a[:, :-late]
        return a, b
    level = decibels(max(float(np.sqrt((a * a).mean())), 1e-6))
    stage = k.Compressor(
        id="practice", threshold_db=max(-80.0, level - 2), ratio=2, knee_db=6, attack_ms=10, release_ms=120
    )  # fmt: skip
    # Brought to where it takes 2 dB from the loud part, on the mean.
    for _ in range(12):
        work = processor_for(stage, Setting(rate_hz))
        b = work(a)
        loud = np.abs(a).max(axis=0) > amplitude(level)
        sizes = np.abs(a).max(axis=0)[loud], np.abs(b).max(axis=0)[loud]
        taken = -decibels(max(float(sizes[1].mean() / max(sizes[0].mean(), 1e-9)), 1e-6))
        if abs(taken - 2) < 0.1:
            break
        stage = stage.model_copy(
            update={"threshold_db": float(np.clip(stage.threshold_db - (2 - taken) * 2, -80, 12))}
        )
    return a, b


def trial_excerpt(path: Path, start_s: float, length_s: float, gain: float, seed: int) -> bytes:
    """What a trial plays of a file: see `excerpt_wav`."""
    sound, rate = read_excerpt(path, "the sound", start_s, length_s)
    count = round(length_s * rate)
    return excerpt_wav(sound[:, :count], rate, gain, np.random.default_rng(seed))
