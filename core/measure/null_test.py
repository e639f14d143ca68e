"""The null test: bring B onto A, subtract, and say what is left and what each step bought.

Order of work (domain: null test and what follows from it): open both, resample B if the rates
differ; find the offset in loud windows; fit lag, gain and polarity per channel; subtract over the
whole stretch and fit again as long as the residual still falls; measure the residual.
"""

import tempfile
from pathlib import Path

import numpy as np

from core.audio.examine import Progress
from core.audio.source import AudioSource, open_audio
from core.measure import kernel
from core.measure.align import Window, fit_lag, loud_windows
from core.measure.alignment import Alignment, align, snapped
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
from core.units.decibel import power_decibels

_MOST_PASSES = 4
_WORTH_A_PASS = 0.01


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
        tried: list[tuple[float, float, list[ChannelMatch]]] = []
        pairs = [(m.a_channel, m.b_channel) for m in aligned.matches]
        for rival in rivals:
            near = aligned.matches[0].lag
            if rival != lag:
                fit = fit_lag(a, b, windows, rival, pairs)
                near = snapped(a, b, windows, fit, pairs)
            moved = _moved(aligned.matches, near)
            ratio = _ratio_of(
                run_pass(a, b, moved, bands=False, progress=progress, stage="matching")
            )
            tried.append((float(power_decibels(max(ratio, 1e-15))), abs(rival), moved))
        deepest = min(level for level, _, _ in tried)
        tied = [item for item in tried if item[0] <= deepest + 0.5]
        aligned.matches[:] = min(tied, key=lambda item: item[1])[2]
    return run_pass(a, b, aligned.matches, raw=True, progress=progress)


def _moved(matches: list[ChannelMatch], lag: float) -> list[ChannelMatch]:
    return [ChannelMatch(m.a_channel, m.b_channel, lag, m.gain) for m in matches]


def _ratio_of(result: PassResult) -> float:
    return result.total(kernel.RR) / max(result.total(kernel.AA), 1e-30)


def _joint_sums(a: View, b: View, matches: list[ChannelMatch], result: PassResult) -> np.ndarray:
    """Sums at one common lag: those of the pass, unless the channels have lags of their own."""
    lags = {m.lag for m in matches}
    if len(lags) == 1:
        return result.sums
    weights = result.sums[:, kernel.AA]
    main = matches[int(np.argmax(weights))].lag
    common = [ChannelMatch(m.a_channel, m.b_channel, main, m.gain) for m in matches]
    return run_pass(a, b, common, bands=False).sums
