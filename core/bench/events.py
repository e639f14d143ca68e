"""Find the events of a recording, a click and its repeats, by what the first of them looks like."""

import functools
from dataclasses import dataclass

import numpy as np
import scipy

from core.errors import MeasureError
from core.units.decibel import amplitude

_EVENT_S, _CALM_S = 0.04, 0.002
_ENDED_DB = 36.0
_NEAR_S, _WIDE_S, _WIDE_DB = 0.003, 0.03, 28.0
_RING = 64
_MOST = 64
_SIGMAS = 7.0
QUIET_DB = 34.0


@dataclass(frozen=True)
class Event:
    at: float
    size: float


def deconvolved_by(
    y: np.ndarray, dry: np.ndarray, noise: float, before: int
) -> tuple[np.ndarray, np.ndarray]:
    """Response of y to the dry sound from `before` samples before it, and what a wire would give.

    `H = Y conj(X) / (|X|^2 + r)`: r from the noise, so that bands without sound stay out.
    """
    size = scipy.fft.next_fast_len(len(y) + len(dry), real=True)
    sx, sy = scipy.fft.rfft(dry, size), scipy.fft.rfft(y, size)
    energy = np.abs(sx) ** 2
    floor = max(1e-4 * float(energy.mean()), noise**2 * len(y))
    pulse = scipy.fft.irfft(energy / (energy + floor), size)
    line = scipy.fft.irfft(sy * sx.conj() / (energy + floor), size)
    wrapped = np.concatenate([line[-before:], line[: len(y)]])
    return wrapped, np.concatenate([pulse[-before:], pulse[: before + 1]])


_FINER = np.linspace(-1, 1, 33)


@functools.lru_cache(32)
def _between(half: int) -> np.ndarray:
    """Weights that read a line between samples, up to one sample from the middle of `half` on either side."""
    taps = np.sinc(_FINER[:, None] - np.arange(-half, half + 1)) * np.kaiser(2 * half + 1, 8.0)
    taps /= taps.sum(axis=1, keepdims=True)
    taps.flags.writeable = False
    return taps


def _top(values: np.ndarray, k: int) -> tuple[float, float]:
    """Place and height of the band-limited peak near an index, sign kept."""
    half = min(24, k, len(values) - 1 - k)
    if half < 4:
        return float(k), float(values[k])
    near = values[k - half : k + half + 1]
    fine = _between(half) @ near * np.sign(values[k])
    top = int(np.argmax(fine[1:-1])) + 1
    a, b, c = fine[top - 1 : top + 2]
    bow = a - 2 * b + c
    part = float(np.clip(0.5 * (a - c) / bow, -0.5, 0.5)) if abs(bow) > 1e-15 else 0.0
    return k + float(_FINER[top]) + part / 16, float(
        (b - 0.25 * (a - c) * part) * np.sign(values[k])
    )


def events_in(
    x: np.ndarray, template: np.ndarray, lead: int, rate_hz: int, noise: float
) -> list[Event]:
    """Matched filter, the strongest first, each taken away before the next is looked for."""
    energy = float(template @ template)
    size = scipy.fft.next_fast_len(len(x) + len(template), real=True)
    s_template = scipy.fft.rfft(template, size)
    rest = x.copy()
    near = max(len(template), round(_NEAR_S * rate_hz))
    wide_near = round(_WIDE_S * rate_hz)
    found: list[Event] = []
    width = len(template)
    # A part of a sample later rings before the event as well.
    span = 2 * _RING + width
    whole = scipy.fft.next_fast_len(2 * span, real=True)
    spectrum = scipy.fft.rfft(np.pad(template, (_RING, 0)), whole)
    omega = 2j * np.pi * np.arange(len(spectrum)) / whole
    match = scipy.fft.irfft(scipy.fft.rfft(rest, size) * s_template.conj(), size)[: len(x)] / energy
    own = scipy.fft.irfft(np.abs(s_template) ** 2, size) / energy
    reach = np.arange(-width - 2, width + 3)
    near_own = own[reach]
    for _ in range(_MOST):
        k = int(np.argmax(np.abs(match[1:-1]))) + 1
        size_here = abs(match[k])
        if size_here * np.sqrt(energy) < _SIGMAS * noise or size_here < amplitude(-QUIET_DB * 2.2):
            break
        part = _top(match, k)[0] - k
        turned = scipy.fft.irfft(spectrum * np.exp(-omega * part), whole)[:span]
        begin, end = max(0, k - _RING), min(len(rest), k + width + _RING)
        shape = turned[begin - k + _RING : end - k + _RING]
        # Read between the samples, a peak loses what lies near the top of the band: level by
        # projection.
        height = float(rest[begin:end] @ shape) / float(shape @ shape)
        found.append(Event(k + part + lead, height))
        rest[begin:end] -= height * shape
        # The matched filter of what was taken away, where it reaches.
        low, high = max(0, k - width), min(len(match), k + width)
        lags = np.arange(low, high) - k - part
        match[low:high] -= height * np.interp(lags, reach, near_own)
        match[max(0, k - 2) : k + 3] = 0.0
    kept: list[Event] = []
    for event in sorted(found, key=lambda e: -abs(e.size)):
        # What follows a stronger one closely is its ripple.
        shadow = any(
            (abs(event.at - other.at) < near and abs(event.size) < 0.5 * abs(other.size))
            or (
                abs(event.at - other.at) < wide_near
                and abs(event.size) < amplitude(-_WIDE_DB) * abs(other.size)
            )
            for other in kept
        )
        if not shadow:
            kept.append(event)
    return sorted(kept, key=lambda e: e.at)


def template_of(x: np.ndarray, rate_hz: int, noise: float) -> tuple[np.ndarray, int]:
    """The first event of a capture: from its onset until it is 45 dB down or in the noise."""
    size = np.abs(x)
    top = float(size.max())
    over = np.flatnonzero(size > max(0.2 * top, 10 * noise))
    if len(over) == 0:
        raise MeasureError("No click stands out of the noise: send it louder, or nearer.")
    first = int(over[0])
    start = first
    while (
        start > 0
        and size[start - 1] > max(1e-4 * top, 4 * noise)
        and first - start < 0.005 * rate_hz
    ):
        start -= 1
    longest = round(_EVENT_S * rate_hz)
    piece = x[start : start + longest]
    if len(piece) < round(_CALM_S * rate_hz):
        raise MeasureError(
            "The click is cut off at the end: record on until its repeats have died away."
        )
    # Quiet for so long that what follows is another event: a short delay's first repeat is none of it.
    calm = round(_CALM_S * rate_hz)
    loud = np.append(np.abs(piece), np.zeros(calm))
    ahead = scipy.ndimage.maximum_filter1d(loud, calm, origin=-(calm // 2))[: len(piece)]
    quiet = np.flatnonzero(ahead < max(top * amplitude(-45), 4 * noise))
    quiet = quiet[quiet > first - start]
    return piece[: int(quiet[0]) + 2 if len(quiet) else longest].copy(), start


def rings_on(template: np.ndarray, rate_hz: int) -> bool:
    """Whether the first event is still there where its longest stretch ends: a tone, not a click."""
    if len(template) < round(_EVENT_S * rate_hz):
        return False
    end = template[-max(1, len(template) // 8) :]
    return float(np.abs(end).max()) > float(np.abs(template).max()) * amplitude(-_ENDED_DB)
