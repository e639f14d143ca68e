"""What is heard of rendered sounds: stems with gains, one sound less another, measured as it sounds."""

from collections.abc import Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile
from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.render.meters import SoundMeter
from core.render.sound_files import BLOCK
from core.units.decibel import power_decibels, power_of

LONGEST_S = 600.0
LOW_HZ = 150.0
_GONE_DB = -60.0
_FRAME_S = 0.05


@dataclass(frozen=True)
class HeardPart:
    """A file of stems side by side (or one sound), and a linear gain for each, negative to take away."""

    path: Path
    gains: tuple[float, ...]


class HeardOut(Edge):
    """Levels of what is heard; null for silence."""

    seconds: float
    loudness_lufs: float | None = Field(description="Integrated, ITU-R BS.1770")
    rms_dbfs: float | None
    peak_dbfs: float | None = Field(description="Largest sample")
    low_dbfs: float | None = Field(description=f"RMS of what lies below {LOW_HZ:.0f} Hz")
    until_s: float | None = Field(
        description="When it has fallen by 60 dB from its loudest 50 ms for good"
    )
    band_hz: list[float]
    band_dbfs: list[float] = Field(description="RMS by third-octave, sides together")


def heard(parts: Sequence[HeardPart]) -> HeardOut:
    """Measure the sum of parts, up to ten minutes of it. Mono is heard on both sides.

    Raises FonodromeError for gains that do not fit, and for unlike sample rates.
    """
    with ExitStack() as held:
        files = [held.enter_context(soundfile.SoundFile(str(part.path))) for part in parts]
        rate = files[0].samplerate
        if any(file.samplerate != rate for file in files):
            raise FonodromeError("The two sounds have different sample rates: render them alike.")
        for file, part in zip(files, parts, strict=True):
            fits = part.gains and file.channels % len(part.gains) == 0
            if not fits or file.channels // len(part.gains) > 2:
                raise FonodromeError("As many gains are needed as the sound has stems.")
        frames = min(max(file.frames for file in files), round(LONGEST_S * rate))
        meter = SoundMeter(2, rate, frames)
        step = max(1, round(_FRAME_S * rate))
        powers: list[np.ndarray] = []
        left, total = np.zeros(0), 0.0
        for start in range(0, frames, BLOCK):
            size = min(BLOCK, frames - start)
            both = np.zeros((2, size))
            for file, part in zip(files, parts, strict=True):
                some = file.read(size, dtype="float64", always_2d=True).T
                if not some.shape[1]:
                    continue
                stems = some.reshape(len(part.gains), -1, some.shape[1])
                mixed = np.tensordot(np.array(part.gains), stems, axes=1)
                both[:, : some.shape[1]] += mixed
            meter.push(both)
            squares = np.square(both).sum(axis=0)
            total += float(squares.sum())
            left = np.concatenate([left, squares])
            whole = len(left) // step * step
            powers.append(left[:whole].reshape(-1, step).mean(axis=1))
            left = left[whole:]
    report, curves = meter.report(), meter.curves()
    power = np.concatenate(powers) if powers else np.zeros(0)
    bands = power_of(np.array(curves.band_dbfs))
    low = float(bands[np.array(curves.band_hz) * 2 ** (1 / 6) <= LOW_HZ * 1.001].sum())
    top = float(power.max(initial=0.0))
    sounding = np.flatnonzero(power > top * power_of(_GONE_DB)) if top > 0 else np.zeros(0)
    return HeardOut(
        seconds=frames / rate, loudness_lufs=report.loudness_lufs, peak_dbfs=report.peak_dbfs,
        rms_dbfs=float(power_decibels(total / frames)) if total > 1e-14 * frames else None,
        low_dbfs=float(power_decibels(low)) if low > 1e-14 else None,
        until_s=float((sounding[-1] + 1) * _FRAME_S) if len(sounding) else None,
        band_hz=curves.band_hz, band_dbfs=curves.band_dbfs,
    )  # fmt: skip
