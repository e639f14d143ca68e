"""A train of repeats: its period, how it grows or wanders, and what each octave loses from one to the next.

A filter in the loop leaves no one level for a repeat: it is another in every band. Levels are then read
from the energy of each repeat by octave, those of the octave that loses least stand for the control.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from core.bench.results import BandFall
from core.units.decibel import power_decibels, power_of

OCTAVES_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0)
_AFTER_S = 0.04
_OVER_NOISE = 4.0
_HOLDS = 0.5
"""How much of a band a known dry sound must fill before its level is read there."""
FLAT_DB = 0.4
"""Octaves that lose the same within this have no filter between them."""
_GROWS, _SIGMAS = 1e-4, 6.0
_CLEAR = 0.01
"""Repeats more than 20 dB below the strongest do not speak of wander."""


@dataclass(frozen=True)
class Train:
    """Repeats on one period; `index` is 0 for what is no part of it. Samples."""

    period: float
    index: np.ndarray
    growth: float = 0.0
    """By how much each interval is longer than the one before."""
    wander: float | None = None
    """The farthest that a repeat lies from where the train has it; None below four repeats."""


def _followed(times: np.ndarray, period: float) -> np.ndarray:
    """Index of each repeat, each interval taken from the one before: a period that grows is followed."""
    index = np.zeros(len(times))
    last_at, last_n, local = 0.0, 0.0, period
    for k, at in enumerate(times):
        steps = round((at - last_at) / local)
        if steps >= 1 and abs(at - last_at - steps * local) < 0.06 * local + 1:
            local = (at - last_at) / steps
            last_at, last_n = at, last_n + steps
            index[k] = last_n
    return index


def train_of(times: np.ndarray, levels: np.ndarray, sigma: float) -> Train | None:
    """The train in repeats at `times` (samples after the dry sound) of `levels` (dB).

    `sigma`: how far off the time of the strongest may be, in samples. None without repeats.
    """
    if len(times) == 0:
        return None
    if len(times) == 1:
        return Train(float(times[0]), np.array([1.0]))
    energy = power_of(levels)
    best: tuple[float, float, np.ndarray] | None = None
    for candidate in sorted({*times[:4], *np.diff(times)[:4]}):
        if candidate < 16:
            continue
        even = np.round(times / candidate)
        even *= np.abs(times - even * candidate) < 0.02 * candidate + 1.0
        for cost, index in ((0.0, even), (0.01, _followed(times, candidate))):
            used = index > 0
            share = float(energy[used].sum() / energy.sum())
            filled = len(np.unique(index[used])) / max(1.0, float(index.max(initial=1)))
            score = share * min(1.0, filled + 0.15) - cost
            if best is None or score > best[0] + 1e-3:
                best = (score, float(candidate), index)
    if best is None:
        return None
    index = best[2]
    used = index > 0
    return _fitted(index, times[used], energy[used] / energy[used].max(), sigma, best[1])


def _fitted(
    index: np.ndarray, t: np.ndarray, weight: np.ndarray, sigma: float, period: float
) -> Train:
    n = index[index > 0]
    if len(np.unique(n)) < 2:
        return Train(period, index)
    # The first repeat may have a time of its own; the period is the slope over all of them.
    line = np.stack([np.ones_like(n), n], axis=1)
    bow = np.concatenate([line, (n * (n - 1) / 2)[:, None]], axis=1)
    clear = weight > _CLEAR
    straight, off = _least(line, t, weight), _off(line, t, clear)
    if clear.sum() < 4:
        return Train(float(straight[1]), index)
    bent, rest = _least(bow, t, weight), _off(bow, t, clear)
    certain = np.linalg.inv((bow * weight[:, None]).T @ bow)[2, 2] ** 0.5 * sigma
    grows = abs(bent[2]) > max(_SIGMAS * certain, _GROWS * bent[1])
    if grows and clear.sum() > 4 and rest < 0.3 * off:
        return Train(float(bent[1]), index, float(bent[2]), rest)
    return Train(float(straight[1]), index, 0.0, off)


def _least(terms: np.ndarray, t: np.ndarray, weight: np.ndarray) -> np.ndarray:
    root = np.sqrt(weight)
    return np.asarray(np.linalg.lstsq(terms * root[:, None], t * root, rcond=None)[0])


def _off(terms: np.ndarray, t: np.ndarray, clear: np.ndarray) -> float:
    """The farthest that a clear repeat lies from a line or bow through the clear ones alone."""
    if clear.sum() <= terms.shape[1]:
        return np.inf
    terms, t = terms[clear], t[clear]
    return float(np.abs(t - terms @ _least(terms, t, np.ones(len(t)))).max())


def fall_of(n: np.ndarray, levels: np.ndarray) -> float | None:
    """dB from one repeat to the next, least squares; None where there is only one."""
    return float(np.polyfit(n, levels, 1)[0]) if len(np.unique(n)) > 1 else None


class Spectra:
    """Energy by octave of stretches of the lines that a train was found in."""

    def __init__(
        self, lines: Sequence[np.ndarray], rate_hz: int, period: float, before_s: float
    ) -> None:
        self.lines = lines
        self.before = round(before_s * rate_hz)
        self.length = round(min(before_s + _AFTER_S, 0.9 * period / rate_hz) * rate_hz)
        self.length = max(64, self.length)
        hz = np.fft.rfftfreq(self.length, 1 / rate_hz)
        self.hz = [b for b in OCTAVES_HZ if b * np.sqrt(2) < 0.46 * rate_hz]
        self._in = [(hz >= b / np.sqrt(2)) & (hz < b * np.sqrt(2)) for b in self.hz]
        # Two of a band's lines at least, or it is none.
        self._in = [i if i.sum() >= 2 else np.zeros_like(i) for i in self._in]

    def _energy(self, piece: np.ndarray) -> np.ndarray:
        power = np.abs(np.fft.rfft(piece, self.length)) ** 2
        return np.array([float(power[i].sum()) for i in self._in])

    def shape(self, sound: np.ndarray) -> np.ndarray:
        """(octaves,) of a sound by itself, as far as a stretch reaches."""
        return self._energy(sound[: self.length])

    def at(self, row: int, place: float) -> np.ndarray:
        """(octaves,) of the event at a place of a line, in samples."""
        first = max(0, round(place) - self.before)
        return self._energy(self.lines[row][first : first + self.length])

    def noise(self, row: int) -> np.ndarray:
        """(octaves,) of the quietest eighth of stretches, by their median."""
        line = self.lines[row]
        count = len(line) // self.length
        rows = line[: count * self.length].reshape(count, self.length)
        loud = (rows**2).sum(axis=1)
        quiet = rows[np.argsort(loud)[: max(2, count // 8)]]
        return np.median([self._energy(piece) for piece in quiet], axis=0)


def band_falls(
    spectra: Spectra, places: np.ndarray, rows: Sequence[int], index: np.ndarray,
    dry: np.ndarray, filled: np.ndarray | None = None,
) -> list[BandFall]:  # fmt: skip
    """What each octave of the repeats at `places` (samples, in line `rows`) loses from one to the next.

    `dry`: (octaves,) energy of the dry sound; `filled`: how much of each octave it fills, 0 to 1.
    """
    used = [k for k in range(len(places)) if index[k] > 0]
    noises = {row: spectra.noise(row) for row in set(rows)}
    energy = np.array([spectra.at(rows[k], places[k]) for k in used])
    noise = np.array([noises[rows[k]] for k in used])
    found = []
    for b, hz in enumerate(spectra.hz):
        if dry[b] <= 0 or (filled is not None and filled[b] < _HOLDS):
            continue
        heard = energy[:, b] > _OVER_NOISE**2 * noise[:, b]
        # Behind the first that is lost nothing is sure.
        count = int(np.argmin(heard)) if not heard.all() else len(heard)
        if count == 0:
            continue
        db = np.asarray(power_decibels((energy[:count, b] - noise[:count, b]) / dry[b]))
        n = index[used][:count]
        each = fall_of(n, db)
        found.append(
            BandFall(
                hz=hz, first_db=round(float(db[0]), 3), repeats=count,
                each_db=None if each is None else round(each, 3),
            )
        )  # fmt: skip
    return found


def least_lossy(bands: Sequence[BandFall]) -> BandFall | None:
    """The octave that stands for the feedback control where the loop is filtered; None where it is not."""
    falls = [(b.each_db, b) for b in bands if b.each_db is not None]
    # With one repeat alone there is no fall: what it is against the dry sound tells.
    known = falls if len(falls) > 1 else [(b.first_db, b) for b in bands if b.first_db is not None]
    if len(known) < 2:
        return None
    losses = [db for db, _ in known]
    if max(losses) - min(losses) < FLAT_DB:
        return None
    return known[int(np.argmax(losses))][1]
