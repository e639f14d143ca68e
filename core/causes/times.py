"""What the lags over a whole clip tell: one offset, a clock that drifts, places where it jumps."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from core.causes.track import Lags, Piece, lag_in
from core.measure.view import View

WINDOW = 8192
_MOST_WINDOWS = 160
_REACH = 512
_FAR = 1 << 14
_AGREES = 0.93
_LEAST_PPM = 0.3
_JUMP = 0.5


@dataclass(frozen=True)
class Jump:
    """From `at` (frame of A) on, B lies `by` samples later than before."""

    at: int
    by: float


@dataclass(frozen=True)
class TimeFound:
    """How the offset behaves: `lag0 + slope n` at frame n, or pieces between jumps."""

    kind: Literal["steady", "drift", "jumps", "wander", "unknown"]
    lags: Lags
    lag0: float
    slope: float
    error_ppm: float
    jumps: tuple[Jump, ...]
    spread: float

    @property
    def ppm(self) -> float:
        return self.slope * 1e6


def lags_over(
    a: View, b: View, pairs: list[tuple[int, int]], lag: float, first: int, end: int
) -> Lags:
    """Lags in up to 160 windows between two frames of A, followed outwards from a known one."""
    count = int(np.clip((end - first) // (WINDOW // 2), 1, _MOST_WINDOWS))
    places = np.linspace(first, max(first, end - WINDOW), count).astype(int)
    rows_a, rows_b = [i for i, _ in pairs], [j for _, j in pairs]
    out = np.zeros((count, 3))
    middle = count // 2
    step = places[1] - places[0] if count > 1 else 1
    seen: list[float] = [lag]
    for order in (range(middle, count), range(middle - 1, -1, -1)):
        near, slope, last = lag, 0.0, None
        if order.step < 0 and out[middle, 1] > 7:
            near = float(out[middle, 0])
        for k in order:
            start = int(places[k])
            block = Piece(a.read(start, WINDOW)[rows_a].astype(np.float64))
            best = (0.0, 0.0, 0.0)
            # Where it was last, then where it has been before, then far around.
            for guess, reach in [(near + slope, _REACH), *((v, 64) for v in seen), (near, _FAR)]:
                whole = round(guess)
                around = b.read(start + whole - reach, WINDOW + 2 * reach)[rows_b]
                found = lag_in(block, around.astype(np.float64), reach)
                if abs(found[2]) > abs(best[2]) + 0.02 or best[1] == 0.0:
                    best = (whole + found[0], found[1], found[2])
                if abs(best[2]) > _AGREES and best[1] > 6:
                    break
            out[k] = best
            if best[1] > 9 and abs(best[2]) > 0.5:
                here = best[0]
                if last is not None and abs(here - last) < 0.02 * step:
                    slope = 0.5 * slope + 0.5 * (here - last)
                    near = here
                    if all(abs(here - v) > 8 for v in seen) and abs(slope) < 1 and len(seen) < 4:
                        seen.append(here)
                last = here
    return Lags(places + WINDOW / 2, out[:, 0], out[:, 1], out[:, 2])


def _line(x: np.ndarray, y: np.ndarray) -> tuple[float, float, float, float]:
    """Robust straight line: offset, slope, its standard error, scatter (median, as a deviation)."""
    weight = np.ones(len(x))
    at = height = slope = scale = width = 0.0
    for _ in range(12):
        total = float(weight.sum())
        at, height = float(weight @ x) / total, float(weight @ y) / total
        width = float(weight @ (x - at) ** 2)
        slope = float(weight @ ((x - at) * (y - height))) / max(width, 1e-12)
        off = y - height - slope * (x - at)
        scale = max(1.4826 * float(np.median(np.abs(off))), 1e-6)
        weight = 1 / (1 + (off / (2 * scale)) ** 2) ** 2
    return height - slope * at, slope, scale / float(np.sqrt(max(width, 1e-12))), scale


def read_times(lags: Lags, rate_hz: int) -> TimeFound:
    """Tell steady, drifting and jumping lags apart. Drift is looked for before jumps: a clock that
    drifts offers two places that fit, and looks spliced.
    """
    sure = lags.sure()
    if len(sure.lag) < 4:
        only = float(np.median(sure.lag)) if len(sure.lag) else 0.0
        return TimeFound("unknown", lags, only, 0.0, 0.0, (), 0.0)
    at, lag = sure.at, sure.lag
    middle = float(np.median(lag))
    spread = float(np.percentile(lag, 92) - np.percentile(lag, 8))
    lag0, slope, error, scatter = _line(at, lag)
    ppm = abs(slope) * 1e6
    straight = spread > 0 and scatter < 0.25 * max(spread, 1e-9)
    reach = abs(slope) * (at[-1] - at[0])
    if straight and ppm > max(_LEAST_PPM, 6 * error * 1e6) and reach > 6 * scatter:
        steps = np.abs(np.diff(lag))
        # A clock moves a little everywhere; a splice moves everything in one place.
        if not (reach > 1 and steps.max() > 0.6 * reach):
            return TimeFound("drift", lags, lag0, slope, error * 1e6, (), spread)
    kind: Literal["steady", "wander"] = "wander" if spread > 0.3 else "steady"
    return TimeFound(kind, lags, middle, 0.0, error * 1e6, (), spread)


def candidates(lags: Lags, lag: float) -> list[float]:
    """Lags at which several windows lie, the most frequent first, with the one that was matched."""
    sure = lags.sure()
    groups: list[list[float]] = []
    for value in sure.lag:
        for group in groups:
            if abs(value - float(np.median(group))) < 0.4:
                group.append(float(value))
                break
        else:
            groups.append([float(value)])
    groups.sort(key=len, reverse=True)
    found: list[float] = []
    for group in groups:
        value = float(np.median(group))
        if len(group) >= 2 and all(abs(value - v) > _JUMP for v in found):
            found.append(float(round(value)) if abs(value - round(value)) < 0.05 else value)
    if all(abs(lag - v) > _JUMP for v in found):
        found.insert(0, lag)
    return found[:5]


def pieces(
    a: View, b: View, pair: tuple[int, int], gain: float, lags: list[float], first: int, end: int
) -> tuple[list[tuple[int, float]], float, float]:
    """The cheapest way through the clip that may change between a few lags.

    Squared residuals in blocks of 512 for each lag, then the path with the least sum where every
    change costs (Viterbi, 1967). Returns [(frame, lag from there on)], what that path leaves, and
    what the best single lag leaves, both against B.
    """
    size = 512
    count = (end - first) // size
    costs = np.zeros((len(lags), count))
    whole = 0.0
    step = 256
    for block in range(0, count, step):
        n = min(step, count - block)
        x = a.read(first + block * size, n * size)[pair[0]].astype(np.float64) * gain
        for k, lag in enumerate(lags):
            y = b.read(first + block * size + round(lag), n * size)[pair[1]].astype(np.float64)
            costs[k, block : block + n] = ((y - x) ** 2).reshape(n, size).sum(axis=1)
            if k == 0:
                whole += float((x * x).sum())
    penalty = 3e-3 * whole
    paid = costs[:, 0].copy()
    came = np.zeros((len(lags), count), int)
    for m in range(1, count):
        cheapest = int(np.argmin(paid))
        stay = paid <= paid[cheapest] + penalty
        came[:, m] = np.where(stay, np.arange(len(lags)), cheapest)
        paid = np.where(stay, paid, paid[cheapest] + penalty) + costs[:, m]
    k = int(np.argmin(paid))
    path = np.empty(count, int)
    for m in range(count - 1, -1, -1):
        path[m] = k
        k = came[k, m]
    left = float(costs[path, np.arange(count)].sum())
    changes = np.flatnonzero(np.diff(path)) + 1
    out = [(first, lags[path[0]]), *((first + int(m) * size, lags[path[m]]) for m in changes)]
    return out, left / max(whole, 1e-30), float(costs.sum(axis=1).min()) / max(whole, 1e-30)


def place_of_jump(
    a: View, b: View, pair: tuple[int, int], gain: float, before: float, after: float,
    near: int, width: int,
) -> int:  # fmt: skip
    """The frame of A from which B fits the later lag better: least squares before plus after."""
    first = max(0, near - width)
    n = min(2 * width, a.frames - first)
    x = a.read(first, n)[pair[0]].astype(np.float64) * gain
    y1 = b.read(first + round(before), n)[pair[1]].astype(np.float64)
    y2 = b.read(first + round(after), n)[pair[1]].astype(np.float64)
    early = np.concatenate([[0.0], np.cumsum((y1 - x) ** 2)])
    late = np.concatenate([[0.0], np.cumsum((y2 - x) ** 2)])
    return first + int(np.argmin(early + late[-1] - late))
