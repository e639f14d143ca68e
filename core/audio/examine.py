"""Listen through a file once: is it whole and sane, how loud is it, and what does it look like."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from pydantic import Field

from core.audio.source import AudioSource, open_audio
from core.edge import Edge
from core.errors import AudioError, TruncatedAudio
from core.units import format as fmt

PEAK_COLUMNS = 2000
Progress = Callable[[float, str], None]


class ClipReport(Edge):
    """What a decoded clip is. Levels are null for exact silence."""

    rate_hz: int
    channels: int
    frames: int
    seconds: float
    format: str
    encoding: str
    bits: int | None = Field(description="Word length of the samples; null for floats and lossy")
    peak_dbfs: float | None
    rms_dbfs: float | None
    silent: bool
    peaks_low: list[float] = Field(description="Lowest sample in each column, all channels, -1..1")
    peaks_high: list[float] = Field(description="Highest sample in each column")


def to_db(power: float) -> float | None:
    """Ten times the logarithm of a power; null for none."""
    return 10.0 * float(np.log10(power)) if power > 0 else None


class _Columns:
    """Lowest and highest sample of equal stretches, gathered block by block."""

    def __init__(self, frames: int) -> None:
        self.width = max(1, -(-frames // PEAK_COLUMNS))
        count = -(-frames // self.width)
        self.low, self.high = np.zeros(count), np.zeros(count)
        self._rest = np.zeros((0, 0))
        self._next = 0

    def push(self, block: np.ndarray, last: bool) -> None:
        held = block if self._rest.size == 0 else np.concatenate([self._rest, block], axis=1)
        whole = held.shape[1] // self.width
        if whole:
            cut = held[:, : whole * self.width].reshape(held.shape[0], whole, self.width)
            self.low[self._next : self._next + whole] = cut.min(axis=(0, 2))
            self.high[self._next : self._next + whole] = cut.max(axis=(0, 2))
            self._next += whole
        self._rest = held[:, whole * self.width :]
        if last and self._rest.shape[1]:
            self.low[self._next], self.high[self._next] = self._rest.min(), self._rest.max()


def _refuse_truncated(source: AudioSource, usable: int, promised: int) -> None:
    share = 100.0 * (1.0 - usable / promised)
    there = fmt.clock(usable / source.rate_hz)
    says = fmt.clock(promised / source.rate_hz)
    missing = "less than 1" if share < 1 else f"{share:.0f}"
    raise TruncatedAudio(
        f"“{source.name}” stops at {there}: the file says {says}, so {missing} % of it is "
        "missing. Nothing was changed.",
        usable_frames=usable,
        promised_frames=promised,
    )


def examine(
    path: Path | str,
    name: str | None = None,
    *,
    accept_truncated: bool = False,
    progress: Progress = lambda share, stage: None,
) -> ClipReport:
    """Decode a whole file and describe it.

    `progress(share, stage)` is called per block and may raise to stop. Raises AudioError for
    what is not audio, for samples that are not numbers, and TruncatedAudio for a file that stops
    before its header says, unless `accept_truncated`.
    """
    with open_audio(path, name) as source:
        return _describe(source, accept_truncated, progress)


def _describe(source: AudioSource, accept_truncated: bool, progress: Progress) -> ClipReport:
    usable = source.frames
    if source.frames < source.promised_frames and not accept_truncated:
        _refuse_truncated(source, usable, source.promised_frames)
    if source.frames == 0:
        raise AudioError(f"“{source.name}” holds no sound: it has a header but 0 samples.")
    columns = _Columns(source.frames)
    power, peak, done = 0.0, 0.0, 0
    blocks = source.blocks()
    while done < source.frames:
        try:
            block = next(blocks)
        except AudioError:
            if not accept_truncated or done == 0:
                _refuse_truncated(source, done, max(source.promised_frames, done + 1))
            source.frames = done
            break
        if not np.isfinite(block).all():
            bad = int(np.flatnonzero(~np.isfinite(block).all(axis=0))[0]) + done
            raise AudioError(
                f"“{source.name}” holds a sample that is not a number, at "
                f"{fmt.clock(bad / source.rate_hz)} (sample {fmt.number(bad, 0)}). Export it again."
            )
        power += float(np.einsum("ij,ij->", block, block, dtype=np.float64))
        peak = max(peak, float(np.abs(block).max()))
        done += block.shape[1]
        columns.push(block, last=done >= source.frames)
        progress(done / source.frames, "decoding")
    mean = power / (source.frames * source.channels)
    return ClipReport(
        rate_hz=source.rate_hz,
        channels=source.channels,
        frames=source.frames,
        seconds=source.seconds,
        format=source.format,
        encoding=source.subtype,
        bits=source.bits,
        peak_dbfs=to_db(peak * peak),
        rms_dbfs=to_db(mean),
        silent=peak == 0.0,
        peaks_low=[round(float(v), 4) for v in columns.low],
        peaks_high=[round(float(v), 4) for v in columns.high],
    )
