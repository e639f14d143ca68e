"""Which of filter, gain over time and curve make B of A: one of them, or two after another."""

from dataclasses import dataclass, field

import numpy as np

from core.causes.families import (
    BEFORE,
    CurveFit,
    FilterFit,
    GainFit,
    convolved,
    fit_curve,
    fit_gain,
)
from core.causes.pair import MARGIN, depth_db
from core.units.decibel import decibels

WORTH_DB, PAIR_WORTH_DB = 0.25, 1.5
_ROUNDS = 3
_LOUD = 0.02


@dataclass
class Model:
    """How B is made: some of `taps`, `gain`, `curve`, in the order of `order` ('F', 'D', 'S')."""

    order: str
    made: np.ndarray
    depth: float
    taps: np.ndarray | None = None
    gain: GainFit | None = None
    curve: CurveFit | None = None
    before: dict[str, float] = field(default_factory=dict)
    """What is left (dB) with only the first of two, and with only the second."""


@dataclass
class Search:
    """Every way that was tried: depth by its letters; the chosen one (None: nothing helps)."""

    plain: float
    tried: dict[str, float]
    chosen: Model | None
    singles: dict[str, Model] = field(default_factory=dict)


def _bends_db(curve: CurveFit) -> float:
    """How far a curve is from straight: RMS off a line against that line, dB."""
    x, y = curve.level_in, curve.level_out
    slope = float(x @ y) / float(x @ x)
    return depth_db((y - slope * x)[None], (slope * x)[None])


class Finder:
    """Tries ways of making y (channels, frames) of x, the middle of `wide`."""

    def __init__(self, wide: np.ndarray, y: np.ndarray, floor_db: float) -> None:
        self.wide, self.y, self.floor = wide, y, floor_db
        self.x = wide[:, MARGIN : MARGIN + y.shape[1]]
        self._filter: FilterFit | None = None
        n = y.size
        self._cost_f = -decibels(1 - min(0.5, 2048 / n))

    @property
    def filter(self) -> FilterFit:
        if self._filter is None:
            self._filter = FilterFit(self.wide)
        return self._filter

    def _depth(self, made: np.ndarray) -> float:
        return depth_db(self.y - made, self.y)

    def one(self, kind: str) -> Model:
        if kind == "F":
            taps, made = self.filter.fit(self.y)
            return Model("F", made, self._depth(made) + self._cost_f, taps=taps)
        if kind == "D":
            gain = fit_gain(self.x, self.y)
            made = self.x * gain.over(self.y.shape[1])
            return Model("D", made, self._depth(made), gain=gain)
        curve = fit_curve(self.x, self.y)
        made = curve.of(self.x)
        return Model("S", made, self._depth(made), curve=curve)

    def filter_then_gain(self, start: GainFit) -> Model:
        """y = g (h * x), in turns: the filter for y / g, then the gain of what it makes."""
        n = self.y.shape[1]
        gain, taps, made = start, np.zeros(1), self.x
        best: Model | None = None
        for _ in range(_ROUNDS):
            g = gain.over(n)
            level = float(np.median(np.abs(g)))
            safe = np.where(np.abs(g) < _LOUD * level, _LOUD * level, g)
            # y / g where the gain is not near nothing: the filter is fitted to that.
            taps, made = self.filter.fit(self.y / safe, rounds=4)
            gain = fit_gain(made, self.y)
            whole = made * gain.over(n)
            depth = self._depth(whole)
            if best is not None and depth > best.depth - 0.1:
                break
            best = Model("FD", whole, depth, taps=taps, gain=gain)
        assert best is not None
        return best

    def gain_then_filter(self, start: Model) -> Model:
        """y = h * (g x): the gain is fitted to what the filter leaves over."""
        assert start.gain is not None
        n = self.y.shape[1]
        gain, best = start.gain, start
        for _ in range(_ROUNDS):
            moved = self._over_wide(gain)
            inner = FilterFit(moved)
            taps, made = inner.fit(self.y, rounds=4)
            depth = self._depth(made)
            if depth > best.depth - 0.3:
                break
            best = Model("DF", made, depth, taps=taps, gain=gain)
            level = np.abs(np.fft.rfft(taps)).max()
            gx = self.x * gain.over(n)
            gain = fit_gain(self.x, gx + (self.y - made) / max(level, 1e-9))
        return best

    def _over_wide(self, gain: GainFit) -> np.ndarray:
        g = gain.over(self.y.shape[1])
        return self.wide * np.pad(g, (MARGIN, MARGIN), mode="edge")

    def curve_and_filter(self, taps: np.ndarray | None) -> Model:
        """y = h * s(x): in turns."""
        curve = fit_curve(self.x, self.y)
        best: Model | None = None
        made = curve.of(self.x)
        for _ in range(_ROUNDS):
            bent = curve.of(self.wide)
            inner = FilterFit(bent)
            taps, made = inner.fit(self.y, rounds=4)
            depth = self._depth(made)
            if best is not None and depth > best.depth - 0.1:
                break
            best = Model("SF", made, depth, taps=taps, curve=curve)
            peak = max(float(np.abs(np.fft.rfft(taps)).max()), 1e-9)
            curve = fit_curve(self.x, curve.of(self.x) + (self.y - made) / peak)
        assert best is not None
        return best

    def filter_then_curve(self, start: np.ndarray) -> Model:
        """y = s(h * x): the filter from what the curve's slope lets through."""
        taps = start
        best: Model | None = None
        filtered = convolved(self.wide, taps, BEFORE)
        for _ in range(_ROUNDS):
            curve = fit_curve(filtered, self.y)
            made = curve.of(filtered)
            depth = self._depth(made)
            if best is not None and depth > best.depth - 0.1:
                break
            best = Model("FS", made, depth, taps=taps, curve=curve)
            slope = max(float(np.max(curve.slopes())), 1e-9)
            step, _ = self.filter.fit((self.y - made) / slope, rounds=2, from_nothing=True)
            taps = taps + step
            filtered = convolved(self.wide, taps, BEFORE)
        assert best is not None
        return best

    def search(self) -> Search:
        plain = self._depth(self.x)
        singles = {kind: self.one(kind) for kind in "FDS"}
        tried = {kind: model.depth for kind, model in singles.items()}
        best = min(singles.values(), key=lambda m: m.depth)
        if best.depth > plain - WORTH_DB:
            return Search(plain, tried, None)
        enough = max(self.floor + 6, -62.0)
        if best.depth <= enough:
            return Search(plain, tried, best, singles)
        pairs: list[Model] = []
        if "F" in (best.order, min(tried, key=lambda k: tried[k])) or best.order == "D":
            both = self.filter_then_gain(
                singles["D"].gain if tried["D"] < plain - 1 else GainFit(np.ones(2), 1)  # type: ignore[arg-type]
            )
            if both.depth > -60 and both.depth < best.depth - PAIR_WORTH_DB:
                both = self.gain_then_filter(both)
            pairs.append(both)
        if best.order in ("F", "S"):
            pairs.append(self.curve_and_filter(None))
            assert singles["F"].taps is not None
            pairs.append(self.filter_then_curve(singles["F"].taps))
        # A curve that bends by less than what is left is no curve.
        pairs = [m for m in pairs if m.curve is None or _bends_db(m.curve) > m.depth - 20]
        for model in pairs:
            tried[model.order] = model.depth
        two = min(pairs, key=lambda m: m.depth) if pairs else None
        if two is not None and two.depth < best.depth - PAIR_WORTH_DB:
            two.before = {k: tried[k] for k in two.order}
            best = two
        return Search(plain, tried, best, singles)
