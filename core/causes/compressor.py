"""What a gain over time follows: the level of A, as a compressor's or an expander's does, or not.

Textbook detectors are tried (Giannoulis, Massberg and Reiss, 2012): peak level with the gain
smoothed, peak level itself smoothed, and mean square; with them threshold, knee, attack and
release are searched, and slope and make-up follow by least squares, as both are linear.
"""

from dataclasses import dataclass, replace
from itertools import product

import numpy as np
import scipy

from core.causes.families import BLOCK, block_sums
from core.sample_loops import sample_loop
from core.units.decibel import amplitude, decibels, power_decibels, power_of

GAIN, LEVEL, SQUARE = range(3)
DETECTORS = ("peak, gain smoothed", "peak, level smoothed", "mean square")
_LOWEST_DB = -90.0
_DB_PER_E = decibels(float(np.e))
_COARSE = 8
_CLOSE_S = 6.0
_ATTACKS_MS, _RELEASES_MS = (0.7, 5.0, 25.0), (15.0, 60.0, 200.0, 700.0)
_WAYS = ((GAIN, False), (GAIN, True), (LEVEL, False), (LEVEL, True), (SQUARE, False))
_EXACT = 1e-5
_HOPELESS = 0.6
_RMS_S = 0.01
_LONGEST_RELEASE_S = 3.0


@sample_loop("float64(float64, float64, float64, boolean)")
def _over(level, threshold, knee, below):  # type: ignore[no-untyped-def]
    """dB past the threshold, with a quadratic knee."""
    x = threshold - level if below else level - threshold
    if knee > 0 and 2 * abs(x) <= knee:
        return (x + knee / 2) ** 2 / (2 * knee)
    return max(0.0, x)


@sample_loop(
    "void(float64[::1], int64, float64, float64, float64, float64, boolean, int64, float64[::1])"
)
def _run(level, kind, threshold, knee, attack, release, below, step, out):  # type: ignore[no-untyped-def]
    """Means over `step` samples of the dB past the threshold, smoothed as the detector does."""
    state = -1.0
    total = 0.0
    place = 0
    for i in range(len(level)):
        if kind == 1:
            if state < 0:
                state = level[i]
            keep = attack if level[i] > state else release
            state = keep * state + (1 - keep) * level[i]
            past = _over(_DB_PER_E * np.log(max(state, 3e-5)), threshold, knee, below)
        else:
            wanted = _over(level[i], threshold, knee, below)
            if state < 0:
                state = wanted
            keep = attack if wanted > state else release
            if below:
                keep = release if wanted > state else attack
            state = keep * state + (1 - keep) * wanted
            past = state
        total += past
        if (i + 1) % step == 0:
            out[place] = total / step
            total = 0.0
            place += 1


@dataclass(frozen=True)
class Settings:
    """A compressor (or, `below`, an expander): `slope` dB of gain for each dB past the threshold."""

    kind: int
    below: bool
    threshold_db: float
    knee_db: float
    attack_ms: float
    release_ms: float
    slope: float = 0.0
    makeup_db: float = 0.0

    @property
    def ratio(self) -> float:
        """In over out. Below 1 to 1 it expands.

        >>> Settings(0, False, -30, 0, 1, 100, -0.75).ratio
        4.0
        """
        if self.below:
            return 1 - self.slope
        return 1 / max(1 + self.slope, 1e-3)


@dataclass(frozen=True)
class DynamicsFit:
    """The settings that explain a gain over time best, and its gain (dB) every 32 samples.

    `explained`: share of the gain's variance; `error_db`: RMS; `left`: residual power against B.
    """

    settings: Settings
    gain_db: np.ndarray
    explained: float
    error_db: float
    left: float


def _levels(x: np.ndarray, rate_hz: float, kind: int) -> np.ndarray:
    if kind == SQUARE:
        keep = np.exp(-1 / (_RMS_S * rate_hz))
        square = scipy.signal.lfilter([1 - keep], [1, -keep], np.max(x * x, axis=0))
        return power_decibels(np.maximum(square, power_of(_LOWEST_DB)))
    level = np.max(np.abs(x), axis=0)
    if kind == LEVEL:
        return level
    return decibels(np.maximum(level, amplitude(_LOWEST_DB)))


def _past(level: np.ndarray, s: Settings, rate_hz: float, step: int) -> np.ndarray:
    out = np.zeros(len(level) // step)
    attack, release = (np.exp(-1e3 / (max(t, 1e-3) * rate_hz)) for t in (s.attack_ms, s.release_ms))
    _run(level, s.kind, s.threshold_db, s.knee_db, attack, release, s.below, step, out)
    return out


def _linear(
    past: np.ndarray, gain_db: np.ndarray, weight: np.ndarray
) -> tuple[float, float, float]:
    """Slope, make-up and weighted mean square error of `gain = makeup + slope past`."""
    total = float(weight.sum())
    mean_p, mean_g = float(weight @ past) / total, float(weight @ gain_db) / total
    p, g = past - mean_p, gain_db - mean_g
    spread = float(weight @ (p * p))
    slope = float(weight @ (p * g)) / spread if spread > 1e-9 * total else 0.0
    error = float(weight @ (g - slope * p) ** 2) / total
    return slope, mean_g - slope * mean_p, error


def fit_dynamics(x: np.ndarray, y: np.ndarray, rate_hz: float) -> DynamicsFit:
    """Search the settings that make y of x best: `y = x 10^((makeup + slope past) / 20)`.

    x, y: (channels, frames); channels are linked by the louder. Screened on levels once every 32
    samples against the gain that is seen there, then refined by Nelder and Mead on the residual.
    """
    blocks = x.shape[1] // BLOCK
    x, y = x[:, : blocks * BLOCK], y[:, : blocks * BLOCK]
    sums = block_sums(x, y)
    products, energies, _ = sums
    seen = np.maximum(products / np.maximum(energies, 1e-30), 1e-4)
    gain_db = decibels(seen)
    weight = energies / (energies + float(np.median(energies)) + 1e-30)
    weight = np.where(products > 0, weight, 0.0)
    weight = _settled(weight, rate_hz) ** 2
    # Every eighth sample, not a mean or a peak of eight: a detector sees the same distribution.
    coarse, coarse_hz, step = x[:, ::_COARSE], rate_hz / _COARSE, BLOCK // _COARSE
    highest = decibels(np.maximum(np.abs(coarse).max(axis=0), 3e-5))
    tops = np.percentile(highest, [8, 25, 45, 60, 72, 82, 90, 96])

    def screened(kind: int, below: bool) -> list[tuple[float, Settings]]:
        """The two nearest of a coarse grid, each block by a single sample."""
        level = _levels(x[:, ::BLOCK], rate_hz / BLOCK, kind)
        tried: list[tuple[float, Settings]] = []
        for threshold, attack, release in product(tops, _ATTACKS_MS, _RELEASES_MS):
            s = Settings(kind, below, float(threshold), 0.0, attack, release)
            slope, makeup, error = _linear(_past(level, s, rate_hz / BLOCK, 1), gain_db, weight)
            if slope < 0 or not below:
                tried.append((error, replace(s, slope=slope, makeup_db=makeup)))
        return sorted(tried, key=lambda item: item[0])[:2]

    found = [one for way in _WAYS for one in screened(*way)]
    near = _liveliest(gain_db, weight, round(_CLOSE_S * rate_hz / BLOCK))
    target = _Target(gain_db, np.sqrt(weight))
    close = _Target(gain_db[near], _settled(weight[near], rate_hz))
    x_close = x[:, near.start * BLOCK : near.stop * BLOCK]
    # Every detector by itself, coarsely first; the ones that come near the best at full rate.
    levels = {kind: _levels(coarse, coarse_hz, kind) for kind in (GAIN, LEVEL, SQUARE)}
    rough = [_refined(levels[s.kind], s, target, coarse_hz, step, 12, False) for _, s in found]
    rough.sort(key=lambda item: item[0])
    kinds: dict[tuple[int, bool], Settings] = {}
    for error, s in rough:
        if error < 6 * rough[0][0] + 1e-9:
            kinds.setdefault((s.kind, s.below), s)
    total = float(weight.sum())
    mean = float(weight @ gain_db) / total
    spread = float(weight @ (gain_db - mean) ** 2) / total
    enough = _EXACT * spread
    refined = []
    if rough[0][0] > _HOPELESS * spread:
        # Not even coarsely does the gain follow the level: no detector is worth the trouble.
        kinds = {}
        refined = rough[:1]

    def closely(s: Settings) -> tuple[float, Settings]:
        level = _levels(x_close, rate_hz, s.kind)
        plain = _refined(level, s, close, rate_hz, BLOCK, 9, False)
        if plain[0] <= enough:
            return plain
        kneed = _refined(level, plain[1], close, rate_hz, BLOCK, 9, True)
        return min(plain, kneed, key=lambda item: item[0])

    for s in list(kinds.values())[:3]:
        refined.append(closely(s))
        if refined[-1][0] < enough:
            break
    refined.sort(key=lambda item: item[0])
    _, best = refined[0]
    made = best.makeup_db + best.slope * _past(_levels(x, rate_hz, best.kind), best, rate_hz, BLOCK)
    error = float(weight @ (made - gain_db) ** 2) / total
    whole = float(sums[2].sum())
    return DynamicsFit(
        best, made, 1 - error / max(spread, 1e-12), float(np.sqrt(error)),
        _left(sums, made) / max(whole, 1e-30),
    )  # fmt: skip


def _settled(weight: np.ndarray, rate_hz: float) -> np.ndarray:
    """Roots of weights, nothing at the start: what the detector held before is not known, and it is
    given time to forget."""
    out = np.sqrt(weight)
    out[: min(len(out) // 6, round(0.8 * rate_hz / BLOCK))] = 0.0
    return out


def _liveliest(gain_db: np.ndarray, weight: np.ndarray, blocks: int) -> slice:
    """The stretch of so many blocks in which the gain moves most."""
    if len(gain_db) <= blocks:
        return slice(0, len(gain_db))
    mean = float(weight @ gain_db) / max(float(weight.sum()), 1e-30)
    sums = np.concatenate([[0.0], np.cumsum(weight * np.minimum(np.abs(gain_db - mean), 6.0))])
    first = int(np.argmax(sums[blocks:] - sums[:-blocks]))
    return slice(first, first + blocks)


def _left(sums: tuple[np.ndarray, np.ndarray, np.ndarray], gain_db: np.ndarray) -> float:
    products, energies, wanted = sums
    gain = amplitude(gain_db)
    return float((wanted - 2 * gain * products + gain * gain * energies).sum())


@dataclass(frozen=True)
class _Target:
    gain_db: np.ndarray
    root_weight: np.ndarray


def _refined(
    level: np.ndarray,
    start: Settings,
    target: _Target,
    rate_hz: float,
    step: int,
    most: int,
    knee: bool,
) -> tuple[float, Settings]:
    """Least squares (Levenberg and Marquardt) in all settings, the knee where wished, from a start.

    Slope and make-up are linear: they are solved for at every step, not searched (Golub and Pereyra,
    1973, variable projection).
    """
    weight = target.root_weight**2

    def settings(v: np.ndarray) -> Settings:
        return replace(
            start,
            threshold_db=float(np.clip(v[0], -85, 6)),
            attack_ms=float(np.exp(np.clip(v[1], np.log(0.01), np.log(500)))),
            release_ms=float(np.exp(np.clip(v[2], np.log(1), np.log(1e3 * _LONGEST_RELEASE_S)))),
            knee_db=float(min(v[3] * v[3], 30)) if len(v) > 3 else start.knee_db,
        )

    def with_lines(s: Settings) -> tuple[Settings, np.ndarray]:
        past = _past(level, s, rate_hz, step)
        slope, makeup, _ = _linear(past, target.gain_db, weight)
        kept = float(np.clip(slope, -30 if start.below else -0.9999, 3))
        makeup += (slope - kept) * float(weight @ past) / float(weight.sum())
        return replace(s, slope=kept, makeup_db=makeup), makeup + kept * past

    def errors(v: np.ndarray) -> np.ndarray:
        return (with_lines(settings(v))[1] - target.gain_db) * target.root_weight

    v = np.array(
        [start.threshold_db, np.log(start.attack_ms), np.log(start.release_ms), 1.0][: 3 + knee]
    )
    done = scipy.optimize.least_squares(
        errors, v, method="lm", diff_step=1e-4, max_nfev=(len(v) + 2) * most,
        x_scale=[3.0, 0.5, 0.5, 1.0][: len(v)],
    )  # fmt: skip
    return 2 * float(done.cost) / float(weight.sum()), with_lines(settings(done.x))[0]
