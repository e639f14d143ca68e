"""A stretch of a clip under test: its own clock, its own start, and the file around it."""

import math
import os
import tempfile
from pathlib import Path

import numpy as np
import soxr

from core.audio.examine import Progress
from core.audio.floats import float_wav
from core.audio.source import BLOCK_FRAMES, AudioSource, open_audio
from core.errors import MeasureError
from core.units import format as fmt


class View:
    """Frames `start` to `start + frames` of a source, numbered from 0.

    `read` reaches beyond both ends into the file, so that filters have their surroundings.
    `factor` is how many frames of the original file one frame of the view stands for.
    """

    def __init__(self, source: AudioSource, start: int, frames: int, origin_rate_hz: int) -> None:
        self.source, self.start, self.frames = source, start, frames
        self.origin_rate_hz = origin_rate_hz

    @property
    def name(self) -> str:
        return self.source.name

    @property
    def channels(self) -> int:
        return self.source.channels

    @property
    def rate_hz(self) -> int:
        return self.source.rate_hz

    @property
    def resampled(self) -> bool:
        return self.origin_rate_hz != self.source.rate_hz

    def read(self, start: int, count: int) -> np.ndarray:
        """Planar samples from frame `start` of the view, wider than the view if asked."""
        return self.source.read(self.start + start, count)

    def inside(self, start: int, count: int) -> np.ndarray:
        """Like `read`, with silence outside the view."""
        block = self.read(start, count)
        if start < 0:
            block[:, : min(count, -start)] = 0
        if start + count > self.frames:
            block[:, max(0, self.frames - start) :] = 0
        return block

    def first_possible(self) -> int:
        """The frame number at which the file begins: 0 or below."""
        return -self.start

    def end_possible(self) -> int:
        """The frame number at which the file ends: `frames` or above."""
        return self.source.frames - self.start


def view_of(
    source: AudioSource,
    letter: str,
    start_s: float | None,
    length_s: float | None,
    origin_rate_hz: int | None = None,
) -> View:
    """Cut a region (seconds; None for the whole clip) out of a source.

    Raises MeasureError where the region lies outside the clip or is too short to measure.
    """
    rate = source.rate_hz
    start = round((start_s or 0.0) * rate)
    if not 0 <= start < source.frames:
        raise MeasureError(
            f"The region of {letter} starts at {fmt.clock(start / rate)}, but “{source.name}” "
            f"lasts {fmt.clock(source.seconds)}."
        )
    frames = source.frames - start
    if length_s is not None:
        frames = min(frames, round(length_s * rate))
    if frames < 0.01 * rate:
        raise MeasureError(
            f"{letter} is {fmt.plural(max(frames, 0), 'sample')} long; a null test needs at least "
            "10 ms of sound."
        )
    return View(source, start, frames, origin_rate_hz or rate)


def resampled_copy(
    source: AudioSource,
    rate_hz: int,
    folder: Path,
    progress: Progress = lambda share, stage: None,
    stretch: tuple[int, int] | None = None,
) -> tuple[AudioSource, int]:
    """Write the source (or a stretch of its frames) at another rate and open the copy.

    soxr at very high quality, 32-bit float WAV in `folder`, block by block. A stretch starts
    where both rates have a sample at the same instant. Returns the copy and the frame number, at
    the new rate, that its first sample has in the whole.
    """
    grid = source.rate_hz // math.gcd(source.rate_hz, rate_hz)
    first, end = stretch or (0, source.frames)
    first, end = max(0, first) // grid * grid, min(end, source.frames)
    handle, name = tempfile.mkstemp(suffix=".wav", dir=folder)
    os.close(handle)
    target = Path(name)
    stream = soxr.ResampleStream(
        source.rate_hz, rate_hz, source.channels, dtype="float32", quality="VHQ"
    )
    with float_wav(target, rate_hz, source.channels, "RF64") as out:
        for start in range(first, end, BLOCK_FRAMES):
            block = source.read(start, min(BLOCK_FRAMES, end - start))
            last = start + block.shape[1] >= end
            interleaved = np.ascontiguousarray(block.T, dtype=np.float32)
            out.write(stream.resample_chunk(interleaved, last=last))
            progress((start + block.shape[1] - first) / (end - first), "resampling B")
    return open_audio(target, source.name), first * rate_hz // source.rate_hz
