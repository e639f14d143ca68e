"""Cells of frequency, and the spectrum that a source is taken to have.

Powers are kept over 96 cells of equal ratio from 20 Hz to 20 kHz. Two arrivals of one source that
are `apart` seconds from each other share `mean exp(-2j pi f apart)` of a cell, which has a closed
form: it is 1 for copies in step, and vanishes by itself where the time between them is long against
the cell, so that no frequency grid decides by luck whether a distant repeat adds or takes away.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np

from core.units.decibel import power_decibels, power_of

CELLS = 96
EDGES_HZ = np.geomspace(20.0, 20_000.0, CELLS + 1)
MIDDLE_HZ = np.sqrt(EDGES_HZ[1:] * EDGES_HZ[:-1])
_CENTRE = (EDGES_HZ[1:] + EDGES_HZ[:-1]) / 2
_WIDTH = np.diff(EDGES_HZ)
FINE = 8
_JITTER = np.random.default_rng(96).random((CELLS, FINE))
FINE_HZ = (
    EDGES_HZ[:-1, None]
    * (EDGES_HZ[1:] / EDGES_HZ[:-1])[:, None] ** ((np.arange(FINE) + _JITTER) / FINE)
).ravel()
"""Eight places in every cell, each somewhere in its eighth: where ways are too many to list."""
PINK_HZ = (40.0, 16_000.0)
CREST_DB = 12.0


@dataclass(frozen=True)
class Spectrum:
    """Shares of a source's power over the cells (they add up to 1), and how alike its sides are.

    `alike` is the correlation of left and right of a stereo source, -1 to 1.
    """

    shares: tuple[float, ...]
    alike: float = 0.0
    name: str = ""
    """Whose it is: a clip's name; empty for the stated default."""
    weights: np.ndarray = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        shares = np.array(self.shares, dtype=float)
        object.__setattr__(self, "weights", shares / max(float(shares.sum()), 1e-30))


@dataclass(frozen=True)
class ClipFacts:
    """What is known of the clip that plays into a source."""

    name: str
    spectrum: Spectrum
    rms_dbfs: float | None = None
    """The louder side's; None for silence."""
    crest_db: float = CREST_DB


@lru_cache(maxsize=1)
def pink() -> Spectrum:
    """Equal power in every octave from 40 Hz to 16 kHz: what is assumed where no clip is known."""
    low, high = np.log(PINK_HZ)
    logs = np.log(EDGES_HZ)
    inside = np.clip(np.minimum(logs[1:], high) - np.maximum(logs[:-1], low), 0, None)
    return Spectrum(tuple(inside / inside.sum()))


def spectrum_of(hz: np.ndarray, power: np.ndarray, alike: float = 0.0, name: str = "") -> Spectrum:
    """A spectrum from powers measured at frequencies (Hz, rising), e.g. of bands of a clip.

    Straight in dB on a log axis between them; falls to the floor outside. Silence gives pink.
    """
    if not len(hz) or float(np.max(power, initial=0.0)) <= 0:
        return pink()
    level = power_decibels(np.maximum(power, float(power.max()) * 1e-9))
    over = np.interp(np.log(MIDDLE_HZ), np.log(hz), level, left=level.min(), right=level.min())
    shares = power_of(over)
    return Spectrum(
        tuple(float(s) for s in shares / shares.sum()), max(-1.0, min(1.0, alike)), name
    )


def clip_facts(name: str, report: Mapping[str, Any], *, stereo: bool) -> ClipFacts:
    """Of a clip's report, for a source of one or two sides; the default spectrum for an older one."""
    bands = report.get("spectrum_db") or []
    spectrum = pink()
    if bands:
        edges = np.geomspace(20.0, 20_000.0, len(bands) + 1)
        hz = np.sqrt(edges[1:] * edges[:-1])
        # Powers of bands that are wider than a cell: spread over theirs.
        spectrum = spectrum_of(hz, power_of(np.array(bands)), float(report.get("alike", 0.0)), name)
    rms, peak = report.get("rms_dbfs"), report.get("peak_dbfs")
    sides = [side for side in report.get("sides_dbfs") or [] if side is not None]
    if sides:
        rms = max(sides)
    if not stereo and report.get("mono_dbfs") is not None:
        rms = report["mono_dbfs"]
    crest = CREST_DB if rms is None or peak is None else max(3.0, min(40.0, peak - rms))
    return ClipFacts(name, spectrum, rms, crest)


def in_common(apart_s: np.ndarray) -> np.ndarray:
    """Mean of exp(-2j pi f apart) over each cell: (..., CELLS) for times apart of any shape (s)."""
    apart = np.asarray(apart_s)[..., None]
    return np.exp(-2j * math.pi * _CENTRE * apart) * np.sinc(_WIDTH * apart)
