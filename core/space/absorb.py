"""What each line of the reverb loses a lap: a gain, one pole, or shelves that decay octave by octave."""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy

from core.space.lines import LINES, OCTAVES_HZ
from core.units.decibel import amplitude, decibels, power_decibels

_LONGER = 1.25
"""How much longer than the longest decay asked for anything may ring, outside the octaves."""
_MOST_SHELF_DB = 40.0


def _shelf(gain: float, hz: float, rate_hz: float) -> tuple[float, float, float]:
    """First-order high shelf (b0, b1, a1): `gain` (linear) at the top, 1 at 0 Hz; bilinear."""
    t = 1 / math.tan(math.pi * hz / rate_hz)
    root = math.sqrt(gain)
    a0 = t / root + 1
    return (t * root + 1) / a0, (1 - t * root) / a0, (1 - t / root) / a0


def _sections(steps: np.ndarray, edges: np.ndarray, rate_hz: float) -> np.ndarray:
    return np.array(
        [_shelf(amplitude(g), hz, rate_hz) for g, hz in zip(steps, edges, strict=True)]
    ).reshape(-1, 3)


class _Shelving:
    """Five first-order shelves in the lines, as a design problem in dB."""

    def __init__(self, lengths: tuple[int, ...], rate_hz: float) -> None:
        self.lengths, self.rate = lengths, rate_hz
        self.middles = np.array([hz for hz in OCTAVES_HZ if hz < 0.45 * rate_hz])
        self.edges = self.middles[1:] / math.sqrt(2)
        self.mean = float(np.mean(lengths))
        self.fine = self.middles[:, None] * 2 ** np.linspace(-1, 1, 33)[None, :]
        apart = self.fine / self.middles[:, None]
        # What an octave filter (Butterworth, fourth order) lets through of each pitch, per octave.
        self.weight = apart / (1 + ((apart - 1 / apart) / (2**0.5 - 2**-0.5)) ** 8)

    def level(self, values: np.ndarray, hz: np.ndarray) -> np.ndarray:
        """Response in dB at `hz` of a gain (dB) and shelves (dB)."""
        z = np.exp(-2j * np.pi * hz / self.rate)
        total = np.full(hz.shape, values[0])
        for b0, b1, a1 in _sections(values[1:], self.edges, self.rate):
            total = total + decibels(np.abs((b0 + b1 * z) / (1 + a1 * z)))
        return total

    def solve(self, rt60_s: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Values for a line of mean length that come nearest in the octaves' middles; their slope."""
        wanted = -60 * self.mean / rt60_s / self.rate
        first = np.concatenate([wanted[:1], np.diff(wanted)])
        # Below the lowest octave the tail may ring on a little longer, not without end.
        most = np.full(len(first), _MOST_SHELF_DB + 1)
        most[0] = -60 * self.mean / (_LONGER * rt60_s.max()) / self.rate
        found = scipy.optimize.least_squares(
            lambda v: self.level(v, self.middles) - wanted,
            np.minimum(np.clip(first, -_MOST_SHELF_DB, _MOST_SHELF_DB), most - 1e-3),
            bounds=(-_MOST_SHELF_DB - 1, most), xtol=1e-6, ftol=1e-6, max_nfev=60,
        )  # fmt: skip
        return found.x, found.jac

    def heard(self, values: np.ndarray) -> np.ndarray:
        """RT60 that each octave filter would measure, from -5 to -35 dB: the slow part shows more."""
        loss = np.minimum(self.level(values, self.fine), -1e-3)
        rt60 = -60 * self.mean / loss / self.rate
        found = []
        for decay, weight in zip(rt60, self.weight, strict=True):
            t = np.linspace(0, 1.2 * decay.max(), 400)
            left = (weight * decay * np.exp(-13.8155 * t[:, None] / decay)).sum(axis=1)
            fall = power_decibels(left / left[0])
            found.append(2 * (np.interp(35, -fall, t) - np.interp(5, -fall, t)))
        return np.array(found)


@lru_cache(maxsize=64)
def absorbing_shelves(
    rt60_s: tuple[float, ...], lengths: tuple[int, ...], rate_hz: float
) -> tuple[np.ndarray, np.ndarray]:
    """Gains (lines,) and five shelves (5, 3, lines) for so long a decay in each of the six octaves.

    Least squares on the shelves' gains, then four rounds in which what an octave filter would
    measure is brought to what was asked. A decay that rises or falls from octave to octave is met
    within some percent; shelves of first order cannot go up and down again within three octaves.
    """
    problem = _Shelving(lengths, rate_hz)
    asked = np.array(rt60_s[: len(problem.middles)])
    aim = asked.copy()
    values, slope = problem.solve(aim)
    for _ in range(4):
        aim = np.clip(aim * np.clip(asked / problem.heard(values), 0.7, 1.4), 0.05, 120)
        values, slope = problem.solve(aim)
    gains, shelves = [], []
    for length in lengths:
        # A line's loss is as its length; so, nearly, are its shelves: one step of Newton is left.
        wanted = -60 * length / aim / rate_hz
        plain = values * length / problem.mean
        missing = wanted - problem.level(plain, problem.middles)
        better = plain + np.clip(np.linalg.lstsq(slope, missing, rcond=1e-3)[0], -3, 3)
        off = [np.abs(problem.level(v, problem.middles) - wanted).max() for v in (plain, better)]
        chosen = np.array(better if off[1] < off[0] else plain)
        chosen[0] = min(chosen[0], -60 * length / (_LONGER * asked.max()) / rate_hz)
        gains.append(amplitude(chosen[0]))
        shelves.append(_sections(chosen[1:], problem.edges, rate_hz))
    return np.array(gains), np.stack(shelves, axis=2)


def _held(
    gains: np.ndarray, shelves: np.ndarray, lengths: np.ndarray, longest_s: float, rate_hz: float
) -> np.ndarray:  # fmt: skip
    """Gains with which nothing rings much longer than the longest decay, at any pitch."""
    z = np.exp(-2j * np.pi * np.geomspace(5, rate_hz / 2, 400) / rate_hz)[:, None]
    total = np.abs(gains)[None, :] * np.ones((400, 1))
    for b0, b1, a1 in shelves:
        total = total * np.abs((b0 + b1 * z) / (1 + a1 * z))
    most = 10 ** (-3 * lengths / rate_hz / (1.2 * _LONGER * longest_s))
    return np.asarray(gains * np.minimum(1, most / total.max(axis=0)))


@dataclass(frozen=True, eq=False)
class Losses:
    """Of eight lines: gains (8,), poles (8,) of `y = x + p y` behind them (0: none), and first-order
    shelves (m, 3, 8) as b0, b1, a1.
    """

    gains: np.ndarray
    poles: np.ndarray
    shelves: np.ndarray

    def over(self, hz: np.ndarray, rate_hz: float) -> np.ndarray:
        """(8, F): complex loss of each line at frequencies."""
        z = np.exp(-2j * math.pi * hz / rate_hz)[None, :]
        found = self.gains[:, None] / (1 - self.poles[:, None] * z)
        for b0, b1, a1 in self.shelves:
            found = found * (b0[:, None] + b1[:, None] * z) / (1 + a1[:, None] * z)
        return found


@lru_cache(maxsize=64)
def line_losses(
    rt60_s: float, high_share: float, octaves_s: tuple[float | None, ...],
    lengths: tuple[int, ...], rate_hz: float,
) -> Losses:  # fmt: skip
    """Losses for a decay: by octave where any is given, else even or with one pole for the top."""
    samples = np.array(lengths)
    poles, shelves = np.zeros(LINES), np.zeros((0, 3, LINES))
    if any(s is not None for s in octaves_s):
        wanted = tuple(rt60_s if s is None else s for s in octaves_s)
        gains, shelves = absorbing_shelves(wanted, lengths, rate_hz)
        return Losses(_held(gains, shelves, samples, max(wanted), rate_hz), poles, shelves)
    lost = 60 * samples / rate_hz
    gains = amplitude(-lost / rt60_s)
    if high_share < 1:
        # One pole that loses at half the rate what the shorter decay asks (Jot 1991).
        top = amplitude(-lost / (rt60_s * high_share)) / gains
        poles = (1 - top) / (1 + top)
        gains = gains * (1 - poles)
    return Losses(gains, poles, shelves)
