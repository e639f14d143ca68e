"""The slope of a decay, or its two slopes, by maximum likelihood over the energies of short blocks.

A block of bandwidth times length k of noise-like sound has a gamma-distributed energy of shape k about
its mean; the mean is one falling exponential, or two, over a constant noise. Fisher scoring gives the
fit and how sure it is. A single response scatters less about this than about T20 or T30.
"""

from dataclasses import dataclass

import numpy as np

from core.units.decibel import power_decibels

_BLOCKS = 160
_RANGE_DB = 15.0
_NEPERS = 6 * np.log(10)
"""Nepers of energy in 60 dB."""
_DB_PER_NEPER = float(power_decibels(np.e))
_GAIN, _APART, _GAP_DB, _LEAKS = 10.0, 1.5, 35.0, 6.0
_LONGEST_S, _SHORTEST_S = 60.0, 0.03
_ROUNDS = 60


@dataclass(frozen=True)
class Slopes:
    """Seconds for 60 dB. `late_s` and `bend_db` only where the decay has two slopes."""

    rt60_s: float
    sigma: float
    """One standard deviation as a share of the time."""
    early_s: float | None = None
    late_s: float | None = None
    bend_db: float | None = None
    """How far down the late slope takes over."""


@dataclass(frozen=True)
class _Fit:
    likelihood: float
    terms: np.ndarray
    """log level and log rate of each exponential, then log noise."""
    covariance: np.ndarray


def _mean(terms: np.ndarray, t: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Expected energy (blocks,) and its slope by each term (blocks, terms)."""
    parts, slopes = [], []
    for level, rate in terms[:-1].reshape(-1, 2):
        part = np.exp(level - np.exp(rate) * t)
        parts.append(part)
        slopes += [part, -np.exp(rate) * t * part]
    noise = np.full(len(t), np.exp(terms[-1]))
    return np.sum([*parts, noise], axis=0), np.stack([*slopes, noise], axis=1)


def _likelihood(terms: np.ndarray, t: np.ndarray, e: np.ndarray, k: np.ndarray) -> float:
    mean = np.exp(terms[-1]) + sum(
        np.exp(level - np.exp(rate) * t) for level, rate in terms[:-1].reshape(-1, 2)
    )
    return float(-(k * (np.log(mean) + e / mean)).sum())


def _solved(matrix: np.ndarray, right: np.ndarray) -> np.ndarray:
    try:
        return np.linalg.solve(matrix, right)
    except np.linalg.LinAlgError:
        return np.asarray(np.linalg.lstsq(matrix, right, rcond=None)[0])


def _scored(terms: np.ndarray, t: np.ndarray, e: np.ndarray, k: np.ndarray) -> _Fit | None:
    """Fisher scoring with damping from one start; None where it runs away."""
    damp, now = 1.0, _likelihood(terms, t, e, k)
    rates = np.arange(1, len(terms) - 1, 2)
    low, high = np.log(_NEPERS / _LONGEST_S), np.log(_NEPERS / _SHORTEST_S)
    for _ in range(_ROUNDS):
        mean, slope = _mean(terms, t)
        relative = slope / mean[:, None]
        slant = (k * (e / mean - 1)) @ relative
        information = (relative * k[:, None]).T @ relative
        step = _solved(information + damp * np.diag(np.diag(information) + 1e-9), slant)
        tried = terms + np.clip(step, -1.5, 1.5)
        tried[rates] = np.clip(tried[rates], low, high)
        tried[-1] = max(tried[-1], np.log(e.max()) - 40)
        then = _likelihood(tried, t, e, k)
        if then > now:
            small = then - now < 1e-7 * abs(now) + 1e-6
            terms, now, damp = tried, then, max(1e-6, damp / 4)
            if small:
                break
        else:
            damp *= 4
            if damp > 1e8:
                break
    mean, slope = _mean(terms, t)
    relative = slope / mean[:, None]
    information = (relative * k[:, None]).T @ relative
    return _Fit(now, terms, np.linalg.pinv(information, hermitian=True))


def _best(starts: list[np.ndarray], t: np.ndarray, e: np.ndarray, k: np.ndarray) -> _Fit:
    fits = [fit for start in starts if (fit := _scored(start, t, e, k)) is not None]
    return max(fits, key=lambda fit: fit.likelihood)


def slopes_of(band: np.ndarray, width_hz: float, rate_hz: int, from_s: float) -> Slopes | None:
    """Slopes of one band, (frames,) from the direct sound on, read from `from_s` behind it.

    None where less than 15 dB stand over the noise.
    """
    # As many blocks as the decay allows, none shorter than the band can tell apart.
    fine = max(1, round(rate_hz / width_hz))
    n = len(band) // fine
    if n < 24:
        return None
    energy = (band[: n * fine].reshape(n, fine) ** 2).mean(axis=1)
    first = max(1, -(-round(from_s * rate_hz) // fine))
    smooth = np.convolve(energy, np.ones(3) / 3, "same")
    tail = float(np.median(energy[-max(6, n // 6) :]))
    start = first + int(np.argmax(smooth[first : first + max(3, n // 4)]))
    peak = float(smooth[start])
    if peak <= 0 or power_decibels(peak / max(tail, peak * 1e-14)) < _RANGE_DB:
        return None
    over = np.flatnonzero(smooth[start:] < max(2 * tail, peak * 1e-7))
    knee = int(over[0]) if len(over) else n - start
    stop = min(n, start + max(24, round(1.6 * knee)))
    group = max(1, (stop - start) // _BLOCKS)
    m = (stop - start) // group
    e = energy[start : start + m * group].reshape(m, group).mean(axis=1)
    e = np.maximum(e, peak * 1e-12)
    block_s = group * fine / rate_hz
    t = (np.arange(m) + 0.5) * block_s
    k = np.full(m, max(0.5, block_s * width_hz))
    knee_s = max(3 * fine / rate_hz, knee * fine / rate_hz)
    fall = np.log(peak / max(tail, peak * 1e-7)) / knee_s
    noise = np.log(max(tail, peak * 1e-9))
    one = _best(
        [np.array([np.log(peak), np.log(fall * c), noise]) for c in (0.5, 1, 2, 4)], t, e, k
    )
    found = _single(one)
    if m < 16:
        return found
    two = _best(
        [
            np.array([np.log(peak), np.log(fall * fast), np.log(peak) + down, np.log(fall * slow), noise])
            for fast, slow, down in ((3, 0.8, -3.0), (1.5, 0.6, -4.5), (4, 1, -1.5), (2, 1, -2.5))
        ], t, e, k,
    )  # fmt: skip
    return _double(one, two, found) or found


def _single(fit: _Fit) -> Slopes:
    rate = float(np.exp(fit.terms[1]))
    return Slopes(rt60_s=_NEPERS / rate, sigma=float(np.sqrt(max(0.0, fit.covariance[1, 1]))))


def _double(one: _Fit, two: _Fit, found: Slopes) -> Slopes | None:
    """Two slopes where they explain far more than one, lie apart and near enough to be heard."""
    (a1, r1), (a2, r2) = sorted(two.terms[:-1].reshape(-1, 2).tolist(), key=lambda p: -p[1])
    fast, slow = float(np.exp(r1)), float(np.exp(r2))
    gap = _DB_PER_NEPER * (a1 - a2)
    better = two.likelihood - one.likelihood
    if better > _LEAKS and gap >= _GAP_DB and fast > slow:
        # What a neighbour's longer decay leaves in this band, far down: no slope of its own.
        return Slopes(rt60_s=_NEPERS / fast, sigma=found.sigma)
    if better < _GAIN or fast < _APART * slow or gap <= 0:
        return None
    # The late slope has to stand over the noise.
    bend_s = (a1 - a2) / (fast - slow)
    if _DB_PER_NEPER * (a2 - slow * bend_s - two.terms[-1]) < 6:
        return None
    return Slopes(
        rt60_s=_NEPERS / fast, sigma=found.sigma, early_s=_NEPERS / fast, late_s=_NEPERS / slow,
        bend_db=_DB_PER_NEPER * fast * bend_s,
    )  # fmt: skip
