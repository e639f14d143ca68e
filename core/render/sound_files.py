"""The files of a render: its voices added up and side by side, and what is measured of them."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile

from core.audio.floats import float_wav
from core.audio.loudness import EnergyMeter, gated_lufs
from core.render.meters import SoundMeter, SoundReport, to_dbfs
from core.render.report import RenderDetail

BLOCK = 1 << 15
_WAV_BYTES = 4_000_000_000
Progress = Callable[[float, str], None]


@dataclass
class Gathered:
    sound: SoundReport
    levels: list[tuple[float | None, float | None]]


def write_sound(files: list[Path], frames: int, channels: int, folder: Path, stems: bool) -> None:
    """Add the voices up to mix.wav, and put them side by side in stems.wav: both at once."""

    def mixed(blocks: np.ndarray) -> np.ndarray:
        # One after the other: many times quicker than along the middle of three axes.
        whole = np.zeros((len(blocks), channels))
        for i in range(blocks.shape[1]):
            whole += blocks[:, i]
        return whole.astype(np.float32)

    def apart(blocks: np.ndarray) -> np.ndarray:
        return blocks.reshape(len(blocks), -1)

    with ThreadPoolExecutor(2) as pool:
        jobs = [pool.submit(_write, files, frames, channels, folder / "mix.wav", channels, mixed)]
        if stems:
            wide = channels * len(files)
            jobs.append(
                pool.submit(_write, files, frames, channels, folder / "stems.wav", wide, apart)
            )
        for job in jobs:
            job.result()


def _write(
    files: list[Path], frames: int, channels: int, target: Path, wide: int,
    shaped: Callable[[np.ndarray], np.ndarray],
) -> None:  # fmt: skip
    """A file of `wide` channels of what is made of the voices' blocks (size, voices, channels)."""
    with ExitStack() as held:
        inputs = [held.enter_context(soundfile.SoundFile(str(file))) for file in files]
        # Past 4 GB a plain WAV cannot say how long it is.
        form: Literal["WAV", "RF64"] = "RF64" if 4 * wide * frames > _WAV_BYTES else "WAV"
        out = held.enter_context(float_wav(target, inputs[0].samplerate, wide, form))
        for start in range(0, frames, BLOCK):
            size = min(BLOCK, frames - start)
            blocks = np.zeros((size, len(inputs), channels), np.float32)
            for i, sound in enumerate(inputs):
                some = sound.read(size, dtype="float32", always_2d=True)[:, :channels]
                blocks[: len(some), i] = some
            out.write(shaped(blocks))


def measure_sound(
    count: int, frames: int, channels: int, folder: Path, stems: bool, progress: Progress
) -> tuple[Gathered, RenderDetail]:
    """What mix.wav and the stems are like, block by block: the two side by side, on two cores."""
    peaks = np.zeros(count)
    with ExitStack() as held:
        mix = held.enter_context(soundfile.SoundFile(str(folder / "mix.wav")))
        meter = SoundMeter(channels, mix.samplerate, frames)
        energies = EnergyMeter(mix.samplerate, count)

        def push_stems() -> None:
            with soundfile.SoundFile(str(folder / "stems.wav")) as parts:
                for start in range(0, frames, BLOCK):
                    some = parts.read(min(BLOCK, frames - start), dtype="float64", always_2d=True)
                    blocks = some.T.reshape(count, channels, -1)
                    np.maximum(peaks, np.abs(blocks).max(axis=(1, 2)), out=peaks)
                    energies.push(blocks)

        with ThreadPoolExecutor(1) as beside:
            waiting = beside.submit(push_stems) if stems else None
            for start in range(0, frames, BLOCK):
                size = min(BLOCK, frames - start)
                meter.push(mix.read(size, dtype="float64", always_2d=True).T)
                progress(0.8 + 0.2 * start / max(1, frames), "Measuring")
            if waiting is not None:
                waiting.result()
    rows: list[list[float]] = []
    levels: list[tuple[float | None, float | None]] = [(None, None)] * count
    if stems:
        tenths = energies.tenths()
        upper = np.triu_indices(count)
        rows = [[float(f"{v:.6g}") for v in step[upper]] for step in tenths]
        levels = [(gated_lufs(tenths[:, i, i]), to_dbfs(float(peaks[i]))) for i in range(count)]
    detail = RenderDetail(**meter.curves().model_dump(), energies=rows, before_dbfs=[])
    return Gathered(meter.report(), levels), detail
