"""Phrases and the gaps between them, found in a clip by its level with hysteresis."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from pydantic import Field

from core.audio import open_audio
from core.edge import Edge
from core.sample_loops import sample_loop
from core.units.decibel import power_decibels, power_of

FRAME_S = 0.01
_SILENT_DB = -120.0
_SMOOTH = 5
COLUMNS = 1200


class Phrase(Edge):
    """A stretch that sounds."""

    start_s: float = Field(ge=0)
    end_s: float = Field(ge=0)


class GapFinder(Edge):
    """How phrases are told from gaps."""

    below_db: float = Field(
        26, ge=3, le=80, description="A phrase is louder than the loudest less this"
    )
    hysteresis_db: float = Field(6, ge=0, le=40, description="It ends only this much below that")
    shortest_gap_s: float = Field(
        0.12, ge=0.02, le=10, description="Shorter ones belong to a phrase"
    )
    shortest_phrase_s: float = Field(0.08, ge=0.02, le=10, description="Shorter ones are no phrase")


class Levels(Edge):
    """RMS of a clip every 10 ms (dBFS, all channels, -120 for silence), and its outline."""

    seconds: float
    db: list[float]
    low: list[float]
    high: list[float]


@sample_loop("void(float32[:, ::1], int64, float64[::1], float32[::1], float32[::1])")
def _frames(block, size, power, low, high):  # type: ignore[no-untyped-def]
    """Mean square, lowest and highest sample of each whole frame of a block."""
    channels = block.shape[0]
    for f in range(len(power)):
        total, least, most = 0.0, np.float32(0), np.float32(0)
        for c in range(channels):
            part = block[c, f * size : (f + 1) * size]
            own = 0.0
            for i in range(len(part)):
                x = part[i]
                own += x * x
                least = min(least, x)
                most = max(most, x)
            total += own
        power[f] = total / (channels * size)
        low[f] = least
        high[f] = most


def clip_levels(
    path: Path, name: str, progress: Callable[[float, str], None] = lambda share, stage: None
) -> Levels:
    """Read a clip once. Raises AudioError."""
    with open_audio(path, name) as sound:
        size = max(1, round(FRAME_S * sound.rate_hz))
        powers, lows, highs = [], [], []
        step = size * 1024
        for start in range(0, sound.frames, step):
            block = np.ascontiguousarray(sound.read(start, step), dtype=np.float32)
            count = min(1024, -(-(sound.frames - start) // size))
            power, low, high = (
                np.zeros(count),
                np.zeros(count, np.float32),
                np.zeros(count, np.float32),
            )
            _frames(block, size, power, low, high)
            powers.append(power)
            lows.append(low)
            highs.append(high)
            progress(start / max(1, sound.frames), "Listening")
        power = np.concatenate(powers)
        db = power_decibels(np.maximum(power, power_of(_SILENT_DB)))
        low, high = np.concatenate(lows), np.concatenate(highs)
        width = max(1, -(-len(low) // COLUMNS))
        starts = np.arange(0, len(low), width)
        return Levels(
            seconds=sound.seconds, db=[round(float(v), 2) for v in db],
            low=[round(float(v), 4) for v in np.minimum.reduceat(low, starts)],
            high=[round(float(v), 4) for v in np.maximum.reduceat(high, starts)],
        )  # fmt: skip


def find_phrases(db: np.ndarray, finder: GapFinder) -> list[Phrase]:
    """Phrases in levels every 10 ms. Nothing for silence; one phrase where there is no gap.

    Levels are smoothed over 50 ms, so that a beat between two notes is no gap.
    """
    if not len(db) or float(db.max()) <= _SILENT_DB + 20:
        return []
    power = power_of(db)
    smooth = power_decibels(np.convolve(power, np.ones(_SMOOTH) / _SMOOTH, mode="same") + 1e-13)
    opens = float(smooth.max()) - finder.below_db
    closes = opens - finder.hysteresis_db
    loud, quiet = smooth >= opens, smooth < closes
    found: list[list[int]] = []
    sounding = False
    changes = np.flatnonzero(loud | quiet)
    for i in changes:
        if not sounding and loud[i]:
            found.append([int(i), len(db)])
            sounding = True
        elif sounding and quiet[i]:
            found[-1][1] = int(i)
            sounding = False
    # Smoothing spreads a phrase by two frames each way: its edges are those of the levels themselves.
    for edges in found:
        for _ in range(_SMOOTH // 2):
            edges[0] += int(edges[0] < edges[1] - 1 and db[edges[0]] < opens)
            edges[1] -= int(edges[1] - 1 > edges[0] and db[edges[1] - 1] < closes)
    joined: list[list[int]] = []
    for start, end in found:
        if joined and (start - joined[-1][1]) * FRAME_S < finder.shortest_gap_s:
            joined[-1][1] = end
        else:
            joined.append([start, end])
    return [
        Phrase(start_s=start * FRAME_S, end_s=end * FRAME_S)
        for start, end in joined
        if (end - start) * FRAME_S >= finder.shortest_phrase_s
    ]
