"""Match the channels of B to those of A: which belongs to which, and how each is brought over."""

from dataclasses import dataclass

import numpy as np

from core.measure.align import Coarse, Fit, Pairs, Window, coarse_lag, fit_lag
from core.measure.passes import ChannelMatch
from core.measure.view import View
from core.units import format as fmt

_SAME_LAG = 0.02
_POOR_RATIO = 0.1
_SWAP_TRIED_ABOVE = 1e-6


@dataclass(frozen=True)
class Alignment:
    """Per channel matches, the search they came from, and what was noticed on the way."""

    matches: list[ChannelMatch]
    coarse: Coarse
    swapped: bool
    live: list[bool]
    notes: list[str]


def _pairs(a: View, b: View, notes: list[str]) -> Pairs:
    """Which channel of B belongs to which of A: same numbers; one channel serves all."""
    if a.channels == b.channels:
        return [(i, i) for i in range(a.channels)]
    if b.channels == 1:
        notes.append("B is mono: it was compared with every channel of A.")
        return [(i, 0) for i in range(a.channels)]
    if a.channels == 1:
        notes.append("A is mono: it was compared with every channel of B.")
        return [(0, j) for j in range(b.channels)]
    common = min(a.channels, b.channels)
    notes.append(f"Only the first {common} channels of each were compared.")
    return [(i, i) for i in range(common)]


def align(a: View, b: View, windows: list[Window], search_s: float, notes: list[str]) -> Alignment:
    """Find lag, gain and polarity of every channel from the loud windows of A."""
    pairs = _pairs(a, b, notes)
    reach = max(1, round(search_s * a.rate_hz))
    coarse = coarse_lag(a, b, windows, reach, pairs)
    fits = _fit_channels(a, b, windows, coarse, pairs, reach)
    swapped = False
    if a.channels == b.channels == 2 and max(f.ratio for f in fits) > _SWAP_TRIED_ABOVE:
        crossed: Pairs = [(0, 1), (1, 0)]
        other = coarse_lag(a, b, windows, reach, crossed)
        crossed_fits = _fit_channels(a, b, windows, other, crossed, reach)
        if sum(f.ratio for f in crossed_fits) < 0.25 * sum(f.ratio for f in fits):
            pairs, coarse, fits, swapped = crossed, other, crossed_fits, True
    live = [f.gains[0] != 0.0 for f in fits]
    found: list[str] = []
    matches = _reconcile(a, b, windows, coarse, pairs, fits, live)
    if coarse.rivals:
        period = min(abs(x - coarse.lag) for x in coarse.rivals)
        found.append(
            f"The material repeats about every {fmt.significant(period / a.rate_hz * 1e3, 4)} ms, "
            "so other offsets fit nearly as well; the deepest null was taken, then the smallest."
        )
    return Alignment(matches, coarse, swapped, live, found)


def _fit_channels(
    a: View, b: View, windows: list[Window], coarse: Coarse, pairs: Pairs, reach: int
) -> list[Fit]:
    """Fit each channel by itself; one that does not fit at the common lag is searched anew."""
    fits = []
    for pair in pairs:
        fit = fit_lag(a, b, windows, coarse.lag, [pair])
        if fit.ratio > _POOR_RATIO and len(pairs) > 1:
            own = coarse_lag(a, b, windows[:2], reach, [pair])
            if own.correlation > 0.3 and abs(own.lag - coarse.lag) > 1.0:
                other = fit_lag(a, b, windows, own.lag, [pair])
                fit = other if other.ratio < 0.5 * fit.ratio else fit
        fits.append(fit)
    return fits


def _reconcile(
    a: View,
    b: View,
    windows: list[Window],
    coarse: Coarse,
    pairs: Pairs,
    fits: list[Fit],
    live: list[bool],
) -> list[ChannelMatch]:
    """One lag where the channels agree on it (or have none of their own), else one each."""
    best = min(fits, key=lambda f: f.ratio)
    agree = [
        abs(f.lag - best.lag) < _SAME_LAG or f.ratio > _POOR_RATIO or not alive
        for f, alive in zip(fits, live, strict=True)
    ]
    if all(agree):
        together = [p for p, f in zip(pairs, fits, strict=True) if f.ratio <= _POOR_RATIO]
        spread = max(abs(f.lag - best.lag) for f in fits if f.ratio <= _POOR_RATIO or f is best)
        same = spread < 1e-6 and bool(together)
        shared = best if same else fit_lag(a, b, windows, best.lag, together or pairs)
        chosen = [pairs[fits.index(best)]] if same else (together or pairs)
        lags = [snapped(a, b, windows, shared, chosen)] * len(pairs)
    else:
        common = snapped(a, b, windows, best, [pairs[fits.index(best)]])
        lags = [
            snapped(a, b, windows, f, [p]) if f.ratio <= _POOR_RATIO and alive else common
            for f, p, alive in zip(fits, pairs, live, strict=True)
        ]
    gains = [_snap_gain(f.gains[0]) for f in fits]
    return [
        ChannelMatch(i, j, lag, gain) for (i, j), lag, gain in zip(pairs, lags, gains, strict=True)
    ]


def _snap_gain(gain: float) -> float:
    """Exactly 1 or -1 where it is so within the arithmetic of the fit."""
    return float(np.sign(gain)) if abs(abs(gain) - 1.0) < 1e-9 else gain


def snapped(a: View, b: View, windows: list[Window], fit: Fit, pairs: Pairs) -> float:
    """The fitted lag, or the whole one where reading between the samples buys nothing."""
    whole = float(round(fit.lag))
    if abs(fit.lag - whole) > 0.01:
        return fit.lag
    there = fit_lag(a, b, windows, whole, pairs, move=False)
    return whole if there.ratio <= 1.002 * fit.ratio + 1e-26 else fit.lag
