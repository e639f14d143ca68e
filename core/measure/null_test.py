"""The null test: bring B onto A, subtract, and say what is left and what each step bought.

Order of work (domain: null test and what follows from it): open both, resample B if the rates
differ; find the offset in loud windows; fit lag, gain and polarity per channel; subtract over the
whole stretch and fit again as long as the residual still falls; measure the residual.
"""

import tempfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Protocol

import numpy as np

from core.audio.examine import Progress
from core.audio.source import AudioSource, open_audio
from core.measure import kernel
from core.measure.align import Window, fit_lag, loud_windows
from core.measure.alignment import Alignment, align, nothing_to_align, snapped
from core.measure.passes import (
    BLOCK,
    ChannelMatch,
    PassResult,
    improvement_left,
    refined,
    run_pass,
)
from core.measure.report import build_measurement, floor_power
from core.measure.results import Measurement, NullOptions
from core.measure.view import View, resampled_copy, view_of
from core.units import format as fmt
from core.units.decibel import power_decibels

_MOST_PASSES = 4
_WORTH_A_PASS = 0.01
_NO_DEEPER = 1e-11
_SOME_NULL_DB = -25.0


@dataclass(frozen=True)
class Compared:
    """What a test has found so far, for whoever explains it."""

    a: View
    b: View
    aligned: Alignment
    matches: list[ChannelMatch]
    result: PassResult
    floor_power: float
    options: NullOptions
    progress: Progress


class Explanation(Protocol):
    """What explains a comparison: better matches, and how it is put on the measurement."""

    @property
    def matches(self) -> list[ChannelMatch]: ...

    def onto(self, found: Measurement) -> Measurement: ...


Explain = Callable[[Compared], Explanation]


def null_test(
    a: Path | str,
    b: Path | str,
    options: NullOptions = NullOptions(),
    *,
    a_name: str | None = None,
    b_name: str | None = None,
    progress: Progress = lambda share, stage: None,
    scratch: Path | None = None,
    explain: Explain | None = None,
) -> Measurement:
    """Compare two audio files sample by sample after matching them.

    `progress(share, stage)` is called often and may raise to stop. `scratch` is a folder for a
    resampled copy of B, where the rates differ. `explain` looks for causes in between and may
    correct time and level: the residual is then taken anew. Memory does not grow with length. Raises
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
            return _compare(view_a, view_b, source_b, options, notes, progress, explain)
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
    explain: Explain | None,
) -> Measurement:
    progress(0.3 if b.resampled else 0.0, "aligning")
    windows = loud_windows(a, "A")
    loud_windows(b, "B", 1)
    equal = _all_equal(a, b)
    aligned = (
        nothing_to_align(a.channels) if equal else align(a, b, windows, options.search_s, notes)
    )
    most = 1.0 if explain is None else 0.6
    shown = _between(progress, 0.4 if b.resampled else 0.1, most)
    result, aligned = _first_pass(a, b, windows, aligned, shown)
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
    if aligned.coarse.rivals:
        # What goes up and down alike repeats turned over as well, after half its period: a distance, no period.
        away = min(abs(x - matches[0].lag) for x in aligned.coarse.rivals)
        notes.append(
            f"The material repeats: an offset {fmt.significant(away / a.rate_hz * 1e3, 4)} ms from this one "
            "fits as well. The deepest null was taken, then the smallest offset."
        )
    explanation: Explanation | None = None
    if explain is not None:
        compared = Compared(
            a, b, aligned, matches, result,
            floor_power(a, b, original_b, matches, result, windows), options,
            _between(progress, 0.6, 0.9),
        )  # fmt: skip
        explanation = explain(compared)
        if _apart(explanation.matches, matches):
            matches = explanation.matches
            tally = run_pass(
                a, b, matches, progress=_between(progress, 0.9, 1.0), stage="subtracting again"
            )
            tally.raw, tally.raw_frames = result.raw, result.raw_frames
            result, joint = tally, _joint_sums(a, b, matches, tally)
    progress(1.0, "measured")
    found = build_measurement(a, b, original_b, matches, aligned, result, joint, windows, notes)
    return found if explanation is None else explanation.onto(found)


def _apart(some: list[ChannelMatch], others: list[ChannelMatch]) -> bool:
    """Whether two sets of matches differ by more than 0.002 dB or a thousandth of a sample."""
    return any(
        abs(m.lag - o.lag) > 1e-3 or abs(m.gain - o.gain) > 2.3e-4 * abs(o.gain)
        for m, o in zip(some, others, strict=True)
    )


def _all_equal(a: View, b: View) -> bool:
    """Whether every sample of every channel is the same; stops at the first that is not."""
    if (a.channels, a.frames) != (b.channels, b.frames) or b.resampled:
        return False
    return all(
        np.array_equal(a.read(start, n), b.read(start, n))
        for start in range(0, a.frames, BLOCK)
        for n in [min(BLOCK, a.frames - start)]
    )


def _between(progress: Progress, low: float, high: float) -> Progress:
    return lambda share, stage: progress(low + (high - low) * share, stage)


def _first_pass(
    a: View, b: View, windows: list[Window], aligned: Alignment, progress: Progress
) -> tuple[PassResult, Alignment]:
    """The full pass; where several offsets tie, each is tried over everything.

    The deepest residual wins, then the smallest offset, then upright. What comes within 1 dB of it
    stays a rival. Nothing below -110 dB decides: there it is arithmetic that differs.
    """
    lag = aligned.coarse.lag
    if not aligned.coarse.rivals or len({m.lag for m in aligned.matches}) > 1:
        return run_pass(a, b, aligned.matches, raw=True, progress=progress), aligned
    tried: list[tuple[float, list[ChannelMatch]]] = []
    pairs = [(m.a_channel, m.b_channel) for m in aligned.matches]
    for rival in [lag, *aligned.coarse.rivals[:3]]:
        matches = aligned.matches
        if rival != lag:
            near = snapped(a, b, windows, fit_lag(a, b, windows, rival, pairs), pairs)
            gains = fit_lag(a, b, windows, near, pairs, move=False).gains
            matches = [ChannelMatch(i, j, near, g) for (i, j), g in zip(pairs, gains, strict=True)]
        tally = run_pass(a, b, matches, bands=False, progress=progress, stage="matching")
        tried.append((float(power_decibels(max(_ratio_of(tally), _NO_DEEPER))), matches))
    deepest = min(level for level, _ in tried)

    def rank(item: tuple[float, list[ChannelMatch]]) -> tuple[float, bool]:
        return abs(item[1][0].lag), item[1][0].gain < 0

    tied = sorted((item for item in tried if item[0] <= deepest + 0.5), key=rank)
    chosen = tied[0][1]
    near_ties = [
        m[0].lag
        for level, m in tried
        if deepest < _SOME_NULL_DB and level <= deepest + 1.0 and m is not chosen
    ]
    coarse = replace(aligned.coarse, lag=chosen[0].lag, rivals=tuple(sorted(near_ties, key=abs)))
    settled = replace(aligned, matches=chosen, coarse=coarse)
    return run_pass(a, b, chosen, raw=True, progress=progress), settled


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
