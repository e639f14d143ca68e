"""Match the channels of B to those of A: which belongs to which, and how each is brought over."""

from dataclasses import dataclass

import numpy as np

from core.measure.align import Coarse, Fit, Pairs, Window, coarse_lag, fit_lag
from core.measure.passes import ChannelMatch
from core.measure.view import View
from core.units.decibel import power_of

_SAME_LAG = 0.002
_NOTHING = 0.98
_CLEARLY = 1.26
_LOOSE = 0.3
_TIE_DB = 0.5
_SWAP_TRIED_ABOVE = 1e-6


@dataclass(frozen=True)
class Alignment:
    """Per channel matches, the search they came from, and which channels hold sound in both."""

    matches: list[ChannelMatch]
    coarse: Coarse
    swapped: bool
    live: list[bool]


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
    """Find lag, gain and polarity of every channel from the loud windows of A.

    Every channel is searched by itself, over the whole range: two that lie apart are two.
    """
    pairs = _pairs(a, b, notes)
    reach = max(1, round(search_s * a.rate_hz))
    fits, coarse = _fit_channels(a, b, windows, pairs, reach)
    swapped = False
    if a.channels == b.channels == 2 and max(f.ratio for f in fits) > _SWAP_TRIED_ABOVE:
        crossed: Pairs = [(0, 1), (1, 0)]
        other_fits, other = _fit_channels(a, b, windows, crossed, reach)
        if sum(f.ratio for f in other_fits) < 0.25 * sum(f.ratio for f in fits):
            pairs, coarse, fits, swapped = crossed, other, other_fits, True
    live = [_sounds(a, b, windows, pair) for pair in pairs]
    matches = _reconcile(a, b, windows, pairs, fits, live)
    return Alignment(matches, coarse, swapped, live)


def nothing_to_align(channels: int) -> Alignment:
    """The alignment of two clips of which every sample is the same."""
    matches = [ChannelMatch(i, i, 0.0, 1.0) for i in range(channels)]
    return Alignment(matches, Coarse(0.0, 1.0, ()), False, [True] * channels)


def _sounds(a: View, b: View, windows: list[Window], pair: tuple[int, int]) -> bool:
    """Whether both channels of a pair hold anything but silence where A is loud."""
    for window in windows:
        heard_a = a.inside(window.start, window.frames)[pair[0]]
        heard_b = b.inside(window.start, window.frames)[pair[1]]
        if np.any(heard_a) and np.any(heard_b):
            return True
    return False


def _fit_channels(
    a: View, b: View, windows: list[Window], pairs: Pairs, reach: int
) -> tuple[list[Fit], Coarse]:
    """Fit each channel at its own best lag; the search of the best fitting one stands for all."""
    found: list[tuple[Fit, Coarse]] = []
    for pair in pairs:
        coarse = coarse_lag(a, b, windows, reach, [pair])
        fit = fit_lag(a, b, windows, coarse.lag, [pair])
        for other in [
            c for _, c in found if c.correlation > _LOOSE and abs(c.lag - coarse.lag) > 1
        ]:
            # A channel that fits poorly by itself may fit as well where another one does.
            there = fit_lag(a, b, windows, other.lag, [pair])
            if there.ratio <= fit.ratio * power_of(_TIE_DB):
                coarse, fit = other, there
        found.append((fit, coarse))
    best = min(range(len(found)), key=lambda k: found[k][0].ratio)
    return [fit for fit, _ in found], found[best][1]


def _reconcile(
    a: View, b: View, windows: list[Window], pairs: Pairs, fits: list[Fit], live: list[bool]
) -> list[ChannelMatch]:
    """The simplest lags that fit: one for all where they agree, else one for each channel.

    Channels that hardly fit have no say, and channels have lags of their own only where that
    lowers what is left clearly.
    """
    sound = [k for k in range(len(pairs)) if live[k] and fits[k].ratio < _NOTHING] or [0]
    best = min(sound, key=lambda k: fits[k].ratio)
    lags = [fits[best].lag] * len(pairs)
    together = [pairs[k] for k in sound]
    spread = max(abs(fits[k].lag - fits[best].lag) for k in sound)
    if spread < 1e-6:
        lags = [snapped(a, b, windows, fits[best], [pairs[best]])] * len(pairs)
    else:
        shared = fit_lag(a, b, windows, fits[best].lag, together)
        own = [fit_lag(a, b, windows, shared.lag, [pair], move=False) for pair in pairs]
        apart = any(
            abs(fits[k].lag - shared.lag) > _SAME_LAG and own[k].ratio > _CLEARLY * fits[k].ratio
            for k in sound
        )
        if apart:
            common = snapped(a, b, windows, fits[best], [pairs[best]])
            for k in range(len(pairs)):
                # Where this channel is no worse off at the best one's place, it stays with it.
                there = fit_lag(a, b, windows, common, [pairs[k]], move=False)
                leaves = k in sound and there.ratio > _CLEARLY * fits[k].ratio
                lags[k] = snapped(a, b, windows, fits[k], [pairs[k]]) if leaves else common
        else:
            lags = [snapped(a, b, windows, shared, together)] * len(pairs)
    gains = [
        _snap_gain(fit_lag(a, b, windows, lag, [pair], move=False).gains[0])
        for lag, pair in zip(lags, pairs, strict=True)
    ]
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
