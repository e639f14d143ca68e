"""Balance a matched B against A for what is loud or for what rings on.

Where a compressor works there is no one level: matched at the peaks, what it lifts is left; matched
where the sound rings on, what it holds down is left.
"""

from collections.abc import Iterable

import numpy as np
from pydantic import Field

from core.edge import Edge
from core.units import format as fmt
from core.units.decibel import decibels, power_decibels

FRAME_S = 0.02
LONGEST_S = 120.0
_PEAKS = 0.95
_RINGS_DB = (-30.0, -8.0)
_LEAST_FRAMES = 5
_LEAST_RANGE_DB = 6.0


class Balanced(Edge):
    """B's level for one part of the sound, against its matched level."""

    trim_db: float = Field(description="Added to B; negative where B is louder there than matched")
    left_db: float | None = Field(description="Residual against A over all, with it; null: nothing")
    own_left_db: float | None = Field(description="Over the frames that it was balanced for")
    frames: int = Field(description="Of 20 ms")


class Balance(Edge):
    """What to balance for: everything, the peaks, or what rings on between them."""

    matched_left_db: float | None
    peaks: Balanced | None
    sustain: Balanced | None
    apart_db: float | None = Field(description="Peaks less sustain: what is held down between them")
    over_s: float
    sentence: str


def _left_db(aa: float, ab: float, bb: float, gain: float) -> float | None:
    left = aa - 2 * gain * ab + gain * gain * bb
    return None if left <= 1e-13 * aa or aa <= 0 else round(power_decibels(left / aa), 3)


def balance_of(pairs: Iterable[tuple[np.ndarray, np.ndarray]], rate_hz: int) -> Balance:
    """Gains of B by least squares over the loudest twentieth of frames, and over those 8 to 30 dB
    under them. `pairs`: planar blocks (channels, n) of A and of the matched B, one after the other.

    Frames are 20 ms; their level is that of A's loudest channel.
    """
    step = round(FRAME_S * rate_hz)
    a_rest = b_rest = np.zeros((0, 0))
    sums: list[np.ndarray] = []
    level: list[np.ndarray] = []
    done = 0
    for a, b in pairs:
        a = a if a_rest.size == 0 else np.concatenate([a_rest, a], axis=1)
        b = b if b_rest.size == 0 else np.concatenate([b_rest, b], axis=1)
        count = a.shape[1] // step
        whole = count * step
        x, y = (s[:, :whole].reshape(len(s), count, step).astype(float) for s in (a, b))
        sums.append(np.stack([(p * q).sum(axis=(0, 2)) for p, q in ((x, x), (x, y), (y, y))]))
        level.append((x * x).mean(axis=2).max(axis=0))
        a_rest, b_rest = a[:, whole:], b[:, whole:]
        done += whole
    aa, ab, bb = np.concatenate(sums, axis=1) if sums else np.zeros((3, 0))
    db = power_decibels(np.maximum(np.concatenate(level) if level else np.zeros(0), 1e-14))
    total = (float(aa.sum()), float(ab.sum()), float(bb.sum()))

    def balanced(chosen: np.ndarray) -> Balanced | None:
        p, q, r = float(aa[chosen].sum()), float(ab[chosen].sum()), float(bb[chosen].sum())
        if int(chosen.sum()) < _LEAST_FRAMES or r <= 0 or q <= 0:
            return None
        gain = q / r
        return Balanced(
            trim_db=round(decibels(gain), 3), left_db=_left_db(*total, gain),
            own_left_db=_left_db(p, q, r, gain), frames=int(chosen.sum()),
        )  # fmt: skip

    heard = db > -120
    peaks = sustain = None
    if heard.sum() >= _LEAST_FRAMES:
        loud = float(np.quantile(db[heard], _PEAKS))
        if float(db[heard].min()) < loud - _LEAST_RANGE_DB:
            peaks = balanced(db >= loud)
            sustain = balanced((db >= loud + _RINGS_DB[0]) & (db <= loud + _RINGS_DB[1]))
    apart = None if peaks is None or sustain is None else round(peaks.trim_db - sustain.trim_db, 3)
    return Balance(
        matched_left_db=_left_db(*total, 1.0), peaks=peaks, sustain=sustain, apart_db=apart,
        over_s=round(done / rate_hz, 3), sentence=_said(apart),
    )  # fmt: skip


def _said(apart: float | None) -> str:
    if apart is None:
        return "The level hardly changes: there are no peaks apart from what rings on."
    if abs(apart) < 0.05:
        return "Peaks and what rings on want the same level: within 0.05 dB nothing is held down."
    word = "held down" if apart > 0 else "lifted"
    return (
        f"Balanced for what rings on, B's peaks are {word} by {fmt.number(abs(apart), 2)} dB; balanced "
        f"for the peaks, what rings on is {'lifted' if apart > 0 else 'held down'} by as much."
    )
