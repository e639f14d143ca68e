"""What is left when everything that could be fitted is taken away."""

from dataclasses import dataclass

import numpy as np
import scipy

from core.causes.track import Piece, lag_in
from core.units.decibel import decibels, power_decibels

_FRAME_S = 0.05


@dataclass(frozen=True)
class RestFound:
    """How the rest behaves. Levels in dBFS; `follows`: how its level moves with A's, dB by dB;
    `ties`: correlation of the two levels; `tonal`: share of its energy in a few lines.
    """

    level_dbfs: float
    follows: float
    ties: float
    deviation_db: float
    tonal: float
    lines_hz: tuple[float, ...]
    bands_hz: np.ndarray
    bands_db: np.ndarray
    slope_db_per_octave: float


def look_at_rest(rest: np.ndarray, a: np.ndarray, rate_hz: int) -> RestFound:
    """Levels of 50 ms frames against A's, lines in the spectrum, colour. (channels, frames) each."""
    step = round(_FRAME_S * rate_hz)
    count = rest.shape[1] // step

    def levels(x: np.ndarray) -> np.ndarray:
        frames = (x[:, : count * step] ** 2).reshape(len(x), count, step).mean(axis=(0, 2))
        return power_decibels(np.maximum(frames, 1e-18))

    lr, la = levels(rest), levels(a)
    ties = follows = 0.0
    heard = la > la.max() - 90
    if heard.sum() > 6 and np.std(la[heard]) > 0.5 and np.std(lr[heard]) > 1e-6:
        ties = float(np.corrcoef(la[heard], lr[heard])[0, 1])
        follows = float(np.polyfit(la[heard], lr[heard], 1)[0])
    size = min(1 << 15, 1 << int(np.log2(max(256, rest.shape[1] // 4))))
    hz, density = scipy.signal.welch(
        rest, rate_hz, "hann", size, axis=-1, scaling="density", detrend=False
    )
    density = density.mean(axis=0)
    around = scipy.signal.medfilt(density, 101) if len(density) > 200 else density
    tall = density > 40 * np.maximum(around, 1e-30)
    tall[: max(2, int(8 / (hz[1] - hz[0])))] = False
    total = float(density.sum())
    wide = np.convolve(tall, np.ones(5), "same") > 0
    tonal = float(density[wide].sum()) / total if total > 0 else 0.0
    peaks = [i for i in np.argsort(-density) if tall[i]]
    lines: list[float] = []
    for i in peaks:
        if all(abs(hz[i] - f) > 6 * (hz[1] - hz[0]) for f in lines):
            lines.append(float(hz[i]))
        if len(lines) == 6:
            break
    centres = 25 * 2 ** (np.arange(0, int(np.log2(0.45 * rate_hz / 25) * 3)) / 3)
    edges = np.searchsorted(hz, np.array([centres * 2 ** (-1 / 6), centres * 2 ** (1 / 6)]))
    bands = np.array([density[lo : max(hi, lo + 1)].mean() for lo, hi in edges.T])
    bands_db = power_decibels(np.maximum(bands, 1e-24))
    middle = (centres > 90) & (centres < 16_000)
    slope = float(np.polyfit(np.log2(centres[middle]), bands_db[middle], 1)[0])
    level = float(np.mean(rest**2))
    return RestFound(
        power_decibels(max(level, 1e-40)), follows, ties, float(np.std(lr)), tonal, tuple(lines),
        centres, bands_db, slope,
    )  # fmt: skip


@dataclass(frozen=True)
class Echo:
    """What is left holds A again: so many samples later, at so many dB, and how surely."""

    lag: float
    level_db: float
    sharp: float
    wander: float


def echo_in(rest: np.ndarray, a: np.ndarray, rate_hz: int, reach_s: float = 0.08) -> Echo | None:
    """Look for A in what is left, in windows of a third of a second; None where it is not there."""
    n = 1 << 14
    reach = round(reach_s * rate_hz)
    found = []
    for start in range(reach, rest.shape[1] - n - reach, n):
        block = a[:, start : start + n]
        if not np.any(block):
            continue
        lag, sharp, agree = lag_in(Piece(block), rest[:, start - reach : start + n + reach], reach)
        found.append((lag, sharp, agree))
    if len(found) < 3:
        return None
    table = np.array(found)
    keep = table[:, 1] > np.percentile(table[:, 1], 50)
    lags = table[keep, 0]
    middle = float(np.median(lags))
    return Echo(
        middle, float(decibels(max(np.median(np.abs(table[keep, 2])), 1e-6))),
        float(np.percentile(table[:, 1], 90)), float(np.median(np.abs(lags - middle))),
    )  # fmt: skip


def band_edge_hz(x: np.ndarray, y: np.ndarray, rate_hz: int) -> float | None:
    """Where B ends and A goes on: the frequency above which B lies 30 dB under A; None without."""
    size = 4096
    if x.shape[1] < 2 * size:
        return None
    hz, px = scipy.signal.welch(x, rate_hz, nperseg=size, axis=-1)
    _, py = scipy.signal.welch(y, rate_hz, nperseg=size, axis=-1)
    px, py = px.mean(axis=0), py.mean(axis=0)
    gone = (py < 1e-3 * px) & (px > 1e-14)
    last = len(hz) - 1
    while last > 0 and (gone[last] or px[last] <= 1e-14):
        last -= 1
    above = gone[last + 1 :]
    if above.sum() < 8 or hz[last] < 6000:
        return None
    return float(hz[last])
