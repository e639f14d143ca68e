"""The null test: bring B onto A, subtract, and say what is left and what each step bought.

Order of work (domain: null test and what follows from it): open both, resample B if the rates
differ; find the offset in loud windows; fit lag, gain and polarity per channel; subtract over the
whole stretch and fit again as long as the residual still falls; measure the residual.
"""

import tempfile
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from core.audio.examine import Progress, to_db
from core.audio.source import AudioSource, open_audio
from core.measure import kernel
from core.measure.align import Coarse, Fit, Pairs, Window, coarse_lag, fit_lag, loud_windows
from core.measure.passes import (
    ChannelMatch,
    PassResult,
    improvement_left,
    refined,
    run_pass,
)
from core.measure.report import build_measurement
from core.measure.results import Measurement, NullOptions
from core.measure.view import View, resampled_copy, view_of
from core.units import format as fmt

_MOST_PASSES = 4
_WORTH_A_PASS = 0.01
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


def null_test(
    a: Path | str,
    b: Path | str,
    options: NullOptions = NullOptions(),
    *,
    a_name: str | None = None,
    b_name: str | None = None,
    progress: Progress = lambda share, stage: None,
    scratch: Path | None = None,
) -> Measurement:
    """Compare two audio files sample by sample after matching them.

    `progress(share, stage)` is called often and may raise to stop. `scratch` is a folder for a
    resampled copy of B, where the rates differ. Memory does not grow with length. Raises
    AudioError and MeasureError with a sentence for what cannot be compared.
    """
    with (
        tempfile.TemporaryDirectory(dir=scratch) as folder,
        open_audio(a, a_name) as source_a,
        open_audio(b, b_name) as source_b,
    ):
        notes: list[str] = []
        view_a, view_b = _views(source_a, source_b, options, Path(folder), notes, progress)
        try:
            return _compare(view_a, view_b, source_b, options, notes, progress)
        finally:
            view_b.source.close()


def _views(
    source_a: AudioSource,
    source_b: AudioSource,
    options: NullOptions,
    folder: Path,
    notes: list[str],
    progress: Progress,
) -> tuple[View, View]:
    region_a, region_b = options.region_a, options.region_b
    view_a = view_of(source_a, "A", region_a.start_s, region_a.length_s)
    view_of(source_b, "B", region_b.start_s, region_b.length_s)
    if source_a.rate_hz == source_b.rate_hz:
        return view_a, view_of(source_b, "B", region_b.start_s, region_b.length_s)
    notes.append(
        f"B was resampled from {source_b.rate_hz / 1e3:g} to {source_a.rate_hz / 1e3:g} kHz."
    )
    copy, _ = resampled_copy(
        source_b, source_a.rate_hz, folder, lambda share, stage: progress(0.3 * share, stage)
    )
    return view_a, view_of(copy, "B", region_b.start_s, region_b.length_s, source_b.rate_hz)


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


def _compare(
    a: View,
    b: View,
    original_b: AudioSource,
    options: NullOptions,
    notes: list[str],
    progress: Progress,
) -> Measurement:
    progress(0.3 if b.resampled else 0.0, "aligning")
    windows = loud_windows(a, "A")
    loud_windows(b, "B", 1)
    aligned = align(a, b, windows, options.search_s, notes)
    shown = _between(progress, 0.4 if b.resampled else 0.1, 1.0)
    result = _first_pass(a, b, windows, aligned, shown)
    matches = aligned.matches
    joint = _joint_sums(a, b, matches, result)
    for _ in range(_MOST_PASSES - 1):
        if improvement_left(result) < _WORTH_A_PASS:
            break
        better = refined(result, matches)
        trial = run_pass(a, b, better, progress=shown, stage="matching")
        trial.raw, trial.raw_frames = result.raw, result.raw_frames
        if trial.total(kernel.RR) >= result.total(kernel.RR):
            break
        matches, result = better, trial
        joint = _joint_sums(a, b, matches, result)
    progress(1.0, "measured")
    return build_measurement(
        a, b, original_b, matches, aligned, result, joint, windows, [*notes, *aligned.notes]
    )


def _between(progress: Progress, low: float, high: float) -> Progress:
    return lambda share, stage: progress(low + (high - low) * share, stage)


def _first_pass(
    a: View, b: View, windows: list[Window], aligned: Alignment, progress: Progress
) -> PassResult:
    """The full pass; where several offsets tie, the one with the deepest full residual."""
    lag = aligned.coarse.lag
    rivals = [lag, *aligned.coarse.rivals[:3]]
    if len(rivals) > 1 and len({m.lag for m in aligned.matches}) == 1:
        tried = []
        pairs = [(m.a_channel, m.b_channel) for m in aligned.matches]
        for rival in rivals:
            near = aligned.matches[0].lag
            if rival != lag:
                fit = fit_lag(a, b, windows, rival, pairs)
                near = _snapped(a, b, windows, fit, pairs)
            moved = _moved(aligned.matches, near)
            ratio = _ratio_of(run_pass(a, b, moved, bands=False, progress=progress, stage="matching"))
            tried.append((10 * np.log10(max(ratio, 1e-15)), abs(rival), moved))
        deepest = min(level for level, _, _ in tried)
        near = [item for item in tried if item[0] <= deepest + 0.5]
        aligned.matches[:] = min(near, key=lambda item: item[1])[2]
    return run_pass(a, b, aligned.matches, raw=True, progress=progress)


def _moved(matches: list[ChannelMatch], lag: float) -> list[ChannelMatch]:
    return [ChannelMatch(m.a_channel, m.b_channel, lag, m.gain) for m in matches]


def _ratio_of(result: PassResult) -> float:
    return result.total(kernel.RR) / max(result.total(kernel.AA), 1e-30)


def _joint_sums(
    a: View, b: View, matches: list[ChannelMatch], result: PassResult
) -> np.ndarray:
    """Sums at one common lag: those of the pass, unless the channels have lags of their own."""
    lags = {m.lag for m in matches}
    if len(lags) == 1:
        return result.sums
    weights = result.sums[:, kernel.AA]
    main = matches[int(np.argmax(weights))].lag
    common = [ChannelMatch(m.a_channel, m.b_channel, main, m.gain) for m in matches]
    return run_pass(a, b, common, bands=False).sums


def align(
    a: View, b: View, windows: list[Window], search_s: float, notes: list[str]
) -> Alignment:
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
        shared = fit_lag(a, b, windows, best.lag, together or pairs)
        lags = [_snapped(a, b, windows, shared, together or pairs)] * len(pairs)
    else:
        common = _snapped(a, b, windows, best, [pairs[fits.index(best)]])
        lags = [
            _snapped(a, b, windows, f, [p]) if f.ratio <= _POOR_RATIO and alive else common
            for f, p, alive in zip(fits, pairs, live, strict=True)
        ]
    gains = [_snap_gain(f.gains[0]) for f in fits]
    return [
        ChannelMatch(i, j, lag, gain)
        for (i, j), lag, gain in zip(pairs, lags, gains, strict=True)
    ]


def _snap_gain(gain: float) -> float:
    """Exactly 1 or -1 where it is so within the arithmetic of the fit."""
    return float(np.sign(gain)) if abs(abs(gain) - 1.0) < 1e-9 else gain


def _snapped(a: View, b: View, windows: list[Window], fit: Fit, pairs: Pairs) -> float:
    """The fitted lag, or the whole one where reading between the samples buys nothing."""
    whole = float(round(fit.lag))
    if abs(fit.lag - whole) > 0.01:
        return fit.lag
    there = fit_lag(a, b, windows, whole, pairs, move=False)
    return whole if there.ratio <= 1.002 * fit.ratio + 1e-26 else fit.lag
