"""Where notes begin in a clip, and the tempo that they suggest.

Onset strength is the summed rise of log magnitudes between short spectra (spectral flux); a peak
of it well above its surroundings is an onset, placed where the level then rises fastest.
"""

import math

import numpy as np
import scipy

from core.audio.source import WORKED_RATE_HZ, AudioSource
from core.edge import Edge
from core.errors import AudioError

MOST_S = 180.0
_RATE = 22_050
_WINDOW = 1024
_HOP = 128
_GAP_S = 0.06
_LOWEST_BPM, _HIGHEST_BPM = 40.0, 240.0


class HeardTempo(Edge):
    bpm: float
    confidence: float
    relation: str


class FoundTempo(Edge):
    """Tempo candidates of a clip, the likeliest first. A suggestion, never more."""

    candidates: list[HeardTempo]
    onsets: int
    sentence: str


def _mono(source: AudioSource, frames: int | None = None) -> tuple[np.ndarray, float]:
    """The clip's first minutes, or so many frames, in mono at about 22 kHz, and that rate."""
    step = max(1, round(source.rate_hz / _RATE))
    most = round(MOST_S * min(source.rate_hz, WORKED_RATE_HZ))
    frames = min(source.frames, most if frames is None else frames)
    parts = []
    for start in range(0, frames, 1 << 18):
        block = source.read(start, min(1 << 18, frames - start))
        parts.append(np.asarray(block, dtype=np.float64).mean(axis=0))
    mono = np.concatenate(parts) if parts else np.zeros(0)
    if step > 1 and len(mono) > 64:
        mono = scipy.signal.decimate(mono, step, ftype="fir", zero_phase=True)
    return mono, source.rate_hz / step


def onset_strength(mono: np.ndarray, rate_hz: float) -> tuple[np.ndarray, float]:
    """Spectral flux (frames,) and its frames per second; frame i is centred at i / rate."""
    if len(mono) < _WINDOW:
        raise AudioError("This clip is too short to find notes in.")
    padded = np.concatenate([np.zeros(_WINDOW // 2), mono, np.zeros(_WINDOW // 2)])
    window = np.hanning(_WINDOW)
    count = 1 + (len(padded) - _WINDOW) // _HOP
    flux = np.zeros(count)
    before: np.ndarray | None = None
    loudest = float(np.abs(mono).max())
    if loudest <= 1e-6:
        raise AudioError("This clip is silent: there are no notes in it.")
    for start in range(0, count, 2048):
        stop = min(count, start + 2048)
        place = (np.arange(start, stop) * _HOP)[:, None] + np.arange(_WINDOW)[None, :]
        spectra = np.abs(np.fft.rfft(padded[place] * window, axis=1)) / loudest
        level = np.log1p(20 * spectra)
        first = level[:1] if before is None else before
        rise = np.diff(np.concatenate([first, level]), axis=0)
        flux[start:stop] = np.maximum(rise, 0).sum(axis=1)
        before = level[-1:]
    return flux, rate_hz / _HOP


def find_onsets(source: AudioSource, frames: int | None = None) -> np.ndarray:
    """Times (s, ascending) at which notes begin, in the first minutes or in so many frames.

    Raises AudioError for a silent or tiny clip.
    """
    mono, rate = _mono(source, frames)
    flux, frames_per_s = onset_strength(mono, rate)
    return _onsets(mono, rate, flux, frames_per_s)


def _onsets(mono: np.ndarray, rate: float, flux: np.ndarray, frames_per_s: float) -> np.ndarray:
    smooth = np.convolve(flux, np.hanning(7) / np.hanning(7).sum(), mode="same")
    around = scipy.ndimage.median_filter(smooth, size=round(frames_per_s * 0.4) | 1)
    floor = around + 0.12 * float(np.percentile(smooth, 99.5))
    peaks, _ = scipy.signal.find_peaks(
        smooth, height=floor, distance=max(1, round(_GAP_S * frames_per_s))
    )
    # The difference of neighbours lifts the attack above the slow cycles of what still sounds.
    edge = np.diff(mono, prepend=mono[:1])
    return np.array([_rise(edge, rate, p / frames_per_s) for p in peaks])


def _rise(edge: np.ndarray, rate: float, about_s: float) -> float:
    """Where the level rises most near a rough time, to about a millisecond.

    First by steps of 8 ms, longer than a cycle of most notes, then by 1 ms within that.
    """
    coarse = _steepest(edge, rate, about_s, reach_s=0.025, over_s=0.008, share=1.0)
    return _steepest(edge, rate, coarse, reach_s=0.006, over_s=0.001, share=0.35)


def _steepest(
    mono: np.ndarray, rate: float, about_s: float, *, reach_s: float, over_s: float, share: float
) -> float:
    """Where power over `over_s` first rises by a share of its largest rise within reach."""
    half, short = round(reach_s * rate), max(2, round(over_s * rate))
    low, high = max(short, round(about_s * rate) - half), round(about_s * rate) + half
    stretch = mono[low - short : min(len(mono), high + short)] ** 2
    if len(stretch) <= 3 * short:
        return about_s
    power = np.convolve(stretch, np.ones(short) / short, mode="valid")
    rise = power[short:] - power[:-short]
    top = float(rise.max())
    if top <= 0:
        return about_s
    # The rise grows from 0 to its top while `over_s` goes by; it is read on the way.
    first = int(np.argmax(rise >= share * top))
    return (low + first + (1 - share) * short) / rate


def find_tempo(source: AudioSource) -> FoundTempo:
    """Tempo candidates from the regularity of onset strength, with half and double.

    The strength's autocorrelation is read at every tempo from 40 to 240 BPM together with its
    multiples; the confidence is how far the best stands above the ordinary, 0 to 1.
    Raises AudioError for a clip that is silent or too short.
    """
    mono, rate = _mono(source)
    if len(mono) < 3 * rate:
        raise AudioError("A tempo needs at least 3 s of sound.")
    flux, frames_per_s = onset_strength(mono, rate)
    onsets = _onsets(mono, rate, flux, frames_per_s)
    if len(onsets) < 4:
        raise AudioError(
            f"Only {len(onsets)} notes begin in this clip: too few to tell a tempo from."
        )
    centred = flux - flux.mean()
    size = 1 << math.ceil(math.log2(2 * len(centred)))
    spectrum = np.fft.rfft(centred, size)
    auto = np.fft.irfft(spectrum * np.conj(spectrum), size)[: len(centred)]
    auto = auto / max(float(auto[0]), 1e-12)
    # An even weight for every lag: the overlap grows shorter.
    auto *= len(centred) / np.maximum(len(centred) - np.arange(len(centred)), len(centred) / 4)
    bpms = np.geomspace(_LOWEST_BPM, _HIGHEST_BPM, 900)
    lags = 60 / bpms * frames_per_s
    score = np.zeros(len(bpms))
    weight = 0.0
    for multiple, part in ((1, 1.0), (2, 0.5), (4, 0.25)):
        inside = lags * multiple < len(auto) - 1
        at_lag = np.interp(lags * multiple, np.arange(len(auto)), auto)
        score += part * np.where(inside, at_lag, 0.0)
        weight += part
    score /= weight
    # People tap nearer to 110 than to the ends; a mild preference breaks ties of octaves.
    taste = np.exp(-0.5 * (np.log2(bpms / 110) / 1.4) ** 2)
    best = int(np.argmax(score * taste))
    bpm = _refined(float(bpms[best]), onsets)
    confidence = float(np.clip((score[best] - np.median(score)) / (1 - np.median(score)), 0, 1))
    found = [HeardTempo(bpm=bpm, confidence=confidence, relation="likeliest")]
    for factor, said in ((0.5, "half"), (2.0, "double"), (2 / 3, "two thirds"), (1.5, "half as fast again")):  # fmt: skip
        other = bpm * factor
        if 30 <= other <= 300:
            value = float(np.interp(np.log(other), np.log(bpms), score * taste))
            share = max(0.0, value / max(float((score * taste)[best]), 1e-9)) * confidence
            if factor in (0.5, 2.0) or share > 0.3 * confidence:
                found.append(HeardTempo(bpm=other, confidence=share, relation=said))
    sure = "clear" if confidence > 0.5 else "likely" if confidence > 0.25 else "doubtful"
    return FoundTempo(
        candidates=found,
        onsets=len(onsets),
        sentence=f"{bpm:.1f} BPM is {sure}, from {len(onsets)} notes. Half and double fit too.",
    )


def _refined(bpm: float, onsets: np.ndarray) -> float:
    """A tempo near `bpm` at which onsets fall most nearly on a grid of quarters of the beat."""
    tries = bpm * np.linspace(0.97, 1.03, 601)
    cell = 60 / tries / 4
    phase = np.exp(2j * np.pi * onsets[None, :] / cell[:, None])
    return float(tries[int(np.argmax(np.abs(phase.sum(axis=1))))])
