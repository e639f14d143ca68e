"""Listen through a file once: is it whole and sane, how loud is it, and what does it look like."""

from collections.abc import Callable
from pathlib import Path
from typing import NoReturn

import numpy as np
import soundfile
from pydantic import Field

from core.audio.layout import layout_said
from core.audio.source import BLOCK_FRAMES, AudioSource, open_audio
from core.audio.spectrum import SpectrumMeter
from core.edge import Edge
from core.errors import AudioError, TruncatedAudio
from core.units import format as fmt
from core.units.decibel import power_decibels

PEAK_COLUMNS = 2000
Progress = Callable[[float, str], None]


class ClipReport(Edge):
    """What a decoded clip is. Levels are null for exact silence."""

    rate_hz: int
    channels: int
    layout: str = Field("", description="Which channel is which loudspeaker, as it is taken")
    frames: int
    seconds: float
    format: str
    encoding: str
    bits: int | None = Field(description="Word length of the samples; null for floats and lossy")
    peak_dbfs: float | None
    rms_dbfs: float | None
    silent: bool
    spectrum_db: list[float] = Field(
        [], description="64 bands of equal ratio from 20 Hz to 20 kHz, against the strongest"
    )
    alike: float = Field(0.0, description="Correlation of left and right, -1 to 1")
    mono_dbfs: float | None = Field(None, description="RMS of the mean of left and right")
    sides_dbfs: list[float | None] = Field([], description="RMS of left and right, or of the one")
    peaks_low: list[float] = Field(description="Lowest sample in each column, all channels, -1..1")
    peaks_high: list[float] = Field(description="Highest sample in each column")


LOUDEST = 1e4
"""A sample above it (80 dB over full scale) is no sound, and its square may be no number."""


def to_db(power: float) -> float | None:
    """Ten times the logarithm of a power; null for none."""
    return power_decibels(float(power)) if power > 0 else None


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


def _refuse_truncated(source: AudioSource, usable: int, promised: int) -> NoReturn:
    share = 100.0 * (1.0 - usable / promised)
    there = fmt.clock(usable / source.rate_hz)
    says = fmt.clock(promised / source.rate_hz)
    missing = "less than 1" if share < 1 else f"{share:.0f}"
    raise TruncatedAudio(
        f"“{source.name}” stops at {there}: the file says {says}, so {missing} % of it is "
        "missing. Nothing was changed.",
        usable_frames=usable,
        promised_frames=promised,
        rate_hz=source.rate_hz,
    )


def examine(
    path: Path | str,
    name: str | None = None,
    *,
    progress: Progress = lambda share, stage: None,
) -> ClipReport:
    """Decode a whole file and describe it.

    `progress(share, stage)` is called per block and may raise to stop. Raises AudioError for
    what is not audio and for samples that are not numbers, and TruncatedAudio for a file that
    stops before its header says (`salvage` makes use of what is there).
    """
    with open_audio(path, name) as source:
        return _describe(source, progress)


def salvage(path: Path | str, name: str, target: Path) -> None:
    """Write what can be read of a file that stops early as a whole WAV file.

    Same word length and rate (32-bit float where it had none), block by block. Raises AudioError
    where nothing can be read.
    """
    with open_audio(path, name) as source:
        subtype = source.subtype if source.subtype.startswith("PCM_") else "FLOAT"
        subtype = "PCM_U8" if subtype == "PCM_S8" else subtype
        with soundfile.SoundFile(
            str(target), "w", source.rate_hz, source.channels, subtype, format="RF64"
        ) as out:
            done, end = 0, source.frames
            while done < end:
                try:
                    block = source.read(done, min(BLOCK_FRAMES, end - done))
                except TruncatedAudio as error:
                    end = error.usable_frames
                    continue
                out.write(np.ascontiguousarray(block.T))
                done += block.shape[1]
    if done == 0:
        raise AudioError(f"Nothing of “{name}” can be read.")


def _describe(source: AudioSource, progress: Progress) -> ClipReport:
    if source.frames < source.promised_frames:
        _refuse_truncated(source, source.frames, source.promised_frames)
    columns = _Columns(source.frames)
    power, peak, done = 0.0, 0.0, 0
    spectrum = SpectrumMeter(source.channels, source.rate_hz)
    while done < source.frames:
        try:
            block = source.read(done, min(BLOCK_FRAMES, source.frames - done))
        except TruncatedAudio as error:
            _refuse_truncated(source, error.usable_frames, error.promised_frames)
        if not np.isfinite(block).all():
            bad = int(np.flatnonzero(~np.isfinite(block).all(axis=0))[0]) + done
            raise AudioError(
                f"“{source.name}” holds a sample that is not a number, at "
                f"{fmt.clock(bad / source.rate_hz)} (sample {fmt.number(bad, 0)}). Export it again."
            )
        if np.abs(block).max(initial=0) > LOUDEST:
            bad = int(np.flatnonzero((np.abs(block) > LOUDEST).any(axis=0))[0]) + done
            raise AudioError(
                f"“{source.name}” holds a sample more than 80 dB above full scale, at "
                f"{fmt.clock(bad / source.rate_hz)} (sample {fmt.number(bad, 0)}): that is no sound. "
                "Export it again."
            )
        power += float(np.einsum("ij,ij->", block, block, dtype=np.float64))
        peak = max(peak, float(np.abs(block).max()))
        done += block.shape[1]
        spectrum.push(block)
        columns.push(block, last=done >= source.frames)
        progress(done / source.frames, "decoding")
    mean = power / (source.frames * source.channels)
    return ClipReport(
        rate_hz=source.rate_hz,
        channels=source.channels,
        layout=layout_said(source.channels),
        frames=source.frames,
        seconds=source.seconds,
        format=source.format,
        encoding=source.subtype,
        bits=source.bits,
        peak_dbfs=to_db(peak * peak),
        rms_dbfs=to_db(mean),
        silent=peak == 0.0,
        spectrum_db=spectrum.bands_db(),
        alike=spectrum.alike() if source.channels > 1 else 0.0,
        mono_dbfs=to_db(spectrum.mono / source.frames),
        sides_dbfs=[
            to_db(float(power) / source.frames)
            for power in spectrum.sides[: min(2, source.channels)]
        ],
        peaks_low=[round(float(v), 4) for v in columns.low],
        peaks_high=[round(float(v), 4) for v in columns.high],
    )
