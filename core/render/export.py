"""Save a sound for other programs: WAV or FLAC, 16 or 24 bits with dither, or 32-bit float."""

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile

from core.audio import open_audio
from core.audio.floats import float_wav
from core.errors import FonodromeError
from core.units.decibel import decibels

Form = Literal["wav", "flac"]
Word = Literal["16", "24", "float"]
_BLOCK = 1 << 16
_FLAC_CHANNELS = 8
_LOOKED = 0.15
"""Share of the work that it takes to find the peak."""


def take_stems(source: Path, target: Path, count: int, wanted: Sequence[int]) -> None:
    """Add up some of the `count` stems that lie side by side in `source`: a float WAV as wide as one of
    them. wanted: places of stems from 0. Raises FonodromeError where there is none.
    """
    with open_audio(source, own=True) as sound:
        channels = sound.channels // max(1, count)
        if not wanted or not channels or max(wanted) >= count:
            raise FonodromeError("There is no such path in that render.")
        with float_wav(target, sound.rate_hz, channels) as out:
            for block in sound.blocks(_BLOCK):
                apart = np.asarray(block, np.float64).reshape(count, channels, -1)
                out.write(apart[list(wanted)].sum(axis=0).T.astype(np.float32))


def check_form(form: Form, word: Word) -> None:
    """Raises FonodromeError for FLAC in floats."""
    if form == "flac" and word == "float":
        raise FonodromeError("FLAC holds whole numbers only: choose 24 bits, or WAV for floats.")


def export_file(
    source: Path, target: Path, form: Form, word: Word, gain: float = 1.0,
    told: Callable[[float], None] = lambda share: None,
) -> float:  # fmt: skip
    """Write `source` again; returns by how much it was turned down so as not to clip (dB, 0 or less).

    told: is called now and then with the share that is done (0 to 1), and may raise to stop.

    Whole-number samples get triangular dither of one step each way, from a fixed seed: the same file
    comes to the same bytes. A peak above full scale turns the whole file down; floats are left.
    Raises FonodromeError for FLAC in floats.
    """
    check_form(form, word)
    with open_audio(source, own=True) as sound:
        if form == "flac" and sound.channels > _FLAC_CHANNELS:
            raise FonodromeError(
                f"FLAC holds up to {_FLAC_CHANNELS} channels, and these paths take {sound.channels}: choose WAV."
            )
        peak, done, all_frames = 0.0, 0, max(1, sound.frames)
        for block in sound.blocks(_BLOCK):
            peak = max(peak, gain * float(np.abs(block).max(initial=0)))
            done += block.shape[1]
            told(_LOOKED * done / all_frames)
        done = 0
        step = 2.0 ** (1 - int(word)) if word != "float" else 0.0
        most = 1 - 2 * step
        down = min(1.0, most / peak) if word != "float" and peak > 0 else 1.0
        rng = np.random.default_rng(20_211)
        rate, channels = sound.rate_hz, sound.channels
        with (
            float_wav(target, rate, channels)
            if word == "float"
            else soundfile.SoundFile(
                str(target), "w", rate, channels, f"PCM_{word}", format=form.upper()
            )
        ) as out:
            for block in sound.blocks(_BLOCK):
                told(_LOOKED + (1 - _LOOKED) * done / all_frames)
                done += block.shape[1]
                samples = np.asarray(block, np.float64).T * (gain * down)
                if step:
                    noise = rng.random(samples.shape) - rng.random(samples.shape)
                    whole = np.round(samples / step + noise)
                    limit = 2 ** (int(word) - 1)
                    whole = np.clip(whole, -limit, limit - 1)
                    shift = 32 - int(word)
                    out.write((whole.astype(np.int64) << shift).astype(np.int32))
                else:
                    out.write(samples.astype(np.float32))
    return float(decibels(down))
