"""Recordings of the bench, whole and small, and how quiet they get."""

from pathlib import Path

import numpy as np
import soxr

from core.audio.source import open_audio
from core.errors import MeasureError
from core.units import format as fmt

LONGEST_S, SHORTEST_S = 60.0, 0.05


def read_short(
    path: Path | str, name: str | None = None, rate_hz: int | None = None
) -> tuple[np.ndarray, int]:
    """A file of up to a minute, (channels, frames) float64, at its own or another rate."""
    with open_audio(path, name) as source:
        if source.frames > LONGEST_S * source.rate_hz:
            raise MeasureError(
                f"“{source.name}” lasts {fmt.clock(source.seconds)}; a measurement takes up to a minute. "
                "Cut out the stretch with the test signal."
            )
        samples = np.asarray(source.read(0, source.frames), np.float64)
        rate = source.rate_hz
    if rate_hz and rate != rate_hz:
        samples, rate = soxr.resample(samples.T, rate, rate_hz, "VHQ").T, rate_hz
    if samples.shape[1] < SHORTEST_S * rate:
        raise MeasureError(
            f"The recording lasts {fmt.number(1e3 * samples.shape[1] / rate, 1)} ms: a measurement needs at least "
            f"{fmt.number(1e3 * SHORTEST_S, 0)} ms. Record on until everything has died away."
        )
    if not np.isfinite(samples).all():
        raise MeasureError("The recording holds values that are no numbers: export it again.")
    samples = samples - np.median(samples, axis=1, keepdims=True)
    if not np.any(samples):
        raise MeasureError("The recording is silent: check the cable, the input and its level.")
    return samples, rate


def noise_of(x: np.ndarray, rate_hz: int) -> float:
    """RMS of the quietest eighth of 5 ms blocks that are not digital silence; (frames,)."""
    step = max(16, rate_hz // 200)
    n = len(x) // step
    blocks = np.sqrt((x[: n * step].reshape(n, step) ** 2).mean(axis=1))
    blocks = np.sort(blocks[blocks > 0])
    return float(np.median(blocks[: max(1, len(blocks) // 8)])) if len(blocks) else 0.0
