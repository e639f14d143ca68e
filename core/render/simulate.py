"""What a parallel compressor would do to a clip: curves and levels, without a rig."""

import math
from functools import lru_cache
from pathlib import Path

import numpy as np
from pydantic import Field

from core.audio import open_audio, worked_frames
from core.audio.flush import tiny_is_nothing
from core.audio.loudness import EnergyMeter, gated_lufs, range_lu
from core.audio.onsets import find_onsets
from core.audio.oversample import LATENCY, Oversampler, true_peak
from core.blend import ParallelSettings, parallel_db
from core.edge import Edge
from core.errors import AudioError
from core.render.processors import Setting
from core.render.processors.dynamics import CompressorWork
from core.routing.document import kinds as k
from core.units.decibel import amplitude, db_gain, decibels

_BLOCK = 1 << 14
CURVE_S = 0.02
HISTOGRAM_LOW, HISTOGRAM_STEP = -72, 2
_NOTHING_DB = -110.0


class SideLevels(Edge):
    """Levels of a sound; null for silence."""

    loudness_lufs: float | None
    true_peak_dbtp: float | None
    crest_db: float | None = Field(description="Largest sample over RMS")
    range_lu: float | None = Field(description="Loudness range, EBU Tech 3342")


class ParallelMeasured(Edge):
    """A clip before and after a parallel compressor."""

    before: SideLevels
    after: SideLevels
    match_db: float = Field(
        description="Trim that makes after as loud as before; never above 0 is heard"
    )
    histogram_db: list[float] = Field(description="Lower edges of 2 dB steps, dBFS")
    histogram: list[float] = Field(description="Share of time at each level, 0 to 1")
    reduction_db: list[float] = Field(description="Gain reduction every 20 ms (dB, 0 or less)")
    level_dbfs: list[float] = Field(description="Level of the clip every 20 ms, RMS")
    most_reduction_db: float
    released_percent: float | None = Field(
        description="Of the reduction after a hit, gone again before the next one; median"
    )
    pumping_db: float | None = Field(description="How far the gain comes back between hits; median")
    hits: int
    release_said: str
    headroom_db: float | None = Field(description="From the true peak after to full scale")
    floor_dbfs: float | None = Field(description="Level that all but 5 % of the time is above")
    floor_lift_db: float | None = Field(description="What the sum lifts that floor by")
    reduced_percent: float = Field(description="Share of the time with more than 1 dB of reduction")
    cautions: list[str]
    seconds: float = Field(description="Worked out over so much from the clip's start (s)")


class _Side:
    def __init__(self, rate_hz: int, channels: int) -> None:
        self.energy, self.over = EnergyMeter(rate_hz), Oversampler(channels)
        self.peak = self.true = self.power = 0.0
        self.count = 0

    def push(self, block: np.ndarray) -> None:
        self.energy.push(block[None])
        self.peak = max(self.peak, float(np.abs(block).max(initial=0)))
        self.true = max(self.true, true_peak(block, self.over))
        self.power += float((block * block).sum())
        self.count += block.size

    def levels(self) -> SideLevels:
        last = np.zeros((self.over.channels, LATENCY))
        self.true = max(self.true, true_peak(last, self.over))
        tenths = self.energy.tenths()[:, 0, 0]
        rms = math.sqrt(self.power / max(1, self.count))
        sounding = rms > 1e-9
        return SideLevels(
            loudness_lufs=gated_lufs(tenths),
            true_peak_dbtp=decibels(max(self.true, self.peak)) if sounding else None,
            crest_db=decibels(self.peak / rms) if sounding else None,
            range_lu=range_lu(tenths),
        )  # fmt: skip


@tiny_is_nothing()
def measure_parallel(path: Path, name: str, s: ParallelSettings) -> ParallelMeasured:
    """Run a clip through a compressor beside its dry signal. Raises AudioError.

    Over as much from its start as can be worked out while somebody waits.
    """
    with open_audio(path, name) as sound:
        rate = sound.rate_hz
        frames_in = worked_frames(sound)
        stage = k.Compressor(
            id="c", threshold_db=max(-80, s.reaches_db), ratio=min(s.ratio, 100), knee_db=s.knee_db,
            makeup_db=s.made_up_db, attack_ms=s.attack_ms, release_ms=s.release_ms,
        )  # fmt: skip
        work = CompressorWork(stage, Setting(rate))
        # A mono clip is measured as one channel, as everywhere.
        sides = min(2, sound.channels)
        before, after = _Side(rate, sides), _Side(rate, sides)
        dry, wet = (db_gain(v) for v in (s.dry_db, s.wet_db))
        step = max(1, round(CURVE_S * rate))
        taken: list[np.ndarray] = []
        heard: list[np.ndarray] = []
        counts = np.zeros(-HISTOGRAM_LOW // HISTOGRAM_STEP + 1)
        size = max(step, _BLOCK // step * step)
        for start in range(0, frames_in, size):
            raw = np.asarray(sound.read(start, min(size, frames_in - start)), np.float64)
            block = np.stack([raw[0], raw[min(1, len(raw) - 1)]])
            reduction = work.reduction(block)
            squeezed = block * amplitude(s.made_up_db - reduction)
            before.push(block[:sides])
            after.push((dry * block + wet * squeezed)[:sides])
            frames = reduction[: len(reduction) // step * step].reshape(-1, step)
            taken.append(frames.max(axis=1))
            rms = np.sqrt(
                (block[:, : len(frames) * step] ** 2).mean(axis=0).reshape(-1, step).mean(axis=1)
            )
            level = decibels(np.maximum(rms, 1e-9))
            heard.append(level)
            index = np.floor((level - HISTOGRAM_LOW) / HISTOGRAM_STEP).astype(int)
            np.add.at(counts, np.clip(index[level >= HISTOGRAM_LOW], 0, len(counts) - 1), 1)
    first, second = before.levels(), after.levels()
    curve = -np.concatenate(taken) if taken else np.zeros(0)
    match = 0.0
    if first.loudness_lufs is not None and second.loudness_lufs is not None:
        match = first.loudness_lufs - second.loudness_lufs
    most = float(-curve.min(initial=0.0))
    headroom = None if second.true_peak_dbtp is None else -second.true_peak_dbtp
    cautions = []
    if first.loudness_lufs is None:
        cautions.append(
            "This clip is silent, or shorter than 0.4 s: nothing can be measured of it."
        )
    if headroom is not None and headroom < 0:
        cautions.append(f"The sum passes full scale by {-headroom:.1f} dB: turn both paths down.")
    elif headroom is not None and headroom < 6:
        cautions.append(f"{headroom:.1f} dB of headroom is left; mastering likes 6 dB or more.")
    total = counts.sum()
    hits_s = _hits(path)
    floor = _floor(np.concatenate(heard) if heard else np.zeros(0))
    lift = None if floor is None or (dry <= 0 and wet <= 0) else parallel_db(floor, s) - floor
    if lift is not None and floor is not None and lift - match > 6:
        cautions.append(
            f"The floor at {floor:.0f} dBFS comes up by {lift:.1f} dB: noise and spill with it."
        )
    share, depth = _released(curve, hits_s)
    return ParallelMeasured(
        before=first, after=second, match_db=match,
        histogram_db=[float(HISTOGRAM_LOW + HISTOGRAM_STEP * i) for i in range(len(counts))],
        histogram=[round(float(c / total), 5) if total else 0.0 for c in counts],
        level_dbfs=[round(float(v), 1) for part in heard for v in np.maximum(part, -120)],
        reduction_db=[round(float(v), 2) for v in curve], most_reduction_db=most,
        released_percent=share, pumping_db=depth, hits=len(hits_s),
        release_said=_release_said(share, depth),
        headroom_db=headroom, cautions=[c.replace("-", "\u2212") for c in cautions],
        floor_dbfs=floor, floor_lift_db=lift,
        reduced_percent=100 * float((curve < -1).mean()) if len(curve) else 0.0,
        seconds=round(frames_in / rate, 2),
    )  # fmt: skip


def _floor(levels: np.ndarray) -> float | None:
    """The level (dBFS) that all but a twentieth of the time is above; None for digital silence."""
    heard = levels[levels > _NOTHING_DB]
    return float(np.percentile(heard, 5)) if len(heard) else None


@lru_cache(maxsize=32)
def _hits(path: Path) -> tuple[float, ...]:
    """Where notes begin (s); nothing for silence. Kept: a file in the store never changes."""
    try:
        with open_audio(path) as sound:
            return tuple(float(onset) for onset in find_onsets(sound, worked_frames(sound)))
    except AudioError:
        return ()


def _released(curve: np.ndarray, hits_s: tuple[float, ...]) -> tuple[float | None, float | None]:
    """Share of the reduction that is released before the next hit (%), and by how many dB."""
    shares, depths = [], []
    for first, second in zip(hits_s, hits_s[1:], strict=False):
        a, b = int(first / CURVE_S), int(second / CURVE_S)
        part = -curve[a:b]
        if len(part) < 3 or float(part.max()) < 0.5:
            continue
        most, left = float(part.max()), float(part[-1])
        shares.append(100 * (1 - left / most))
        depths.append(most - left)
    if not shares:
        return None, None
    return float(np.median(shares)), float(np.median(depths))


def _release_said(share: float | None, depth: float | None) -> str:
    if share is None or depth is None:
        return "No two hits are far enough apart to judge the release."
    if share < 30:
        return f"Between hits only {share:.0f} % is released: it holds. A shorter release would let it breathe."
    if share > 80:
        return f"Between hits {share:.0f} % is released, {depth:.1f} dB: it pumps. A longer release would hold it."
    return f"Between hits {share:.0f} % is released, {depth:.1f} dB: between holding and pumping."
