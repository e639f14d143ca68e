"""32-bit float WAV files in which the same samples make the same bytes.

The general library adds a PEAK chunk to files of floats, and in it the second of the clock at which
they were written: two renders of one sound would be two sounds, by whether a second ended between
them. Chunk layout after the PEAK chunk as it is commonly written: name, size, version, time stamp.
"""

import struct
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile

_TIME = struct.Struct("<4x4x4xI")


@contextmanager
def float_wav(
    path: Path, rate_hz: int, channels: int, form: Literal["WAV", "RF64"] = "WAV"
) -> Iterator[soundfile.SoundFile]:
    """A file to write blocks (n, channels) of float32 into. Raises soundfile.LibsndfileError."""
    with soundfile.SoundFile(str(path), "w", rate_hz, channels, "FLOAT", format=form) as out:
        yield out
    _without_clock(path)


def write_float(path: Path, sound: np.ndarray, rate_hz: int) -> None:
    """Keep (channels, n), or (n,), as a 32-bit float WAV. Raises soundfile.LibsndfileError."""
    rows = np.atleast_2d(sound)
    with float_wav(path, rate_hz, len(rows)) as out:
        out.write(rows.T.astype(np.float32))


def _without_clock(path: Path) -> None:
    with path.open("r+b") as file:
        at = 12
        while True:
            file.seek(at)
            name, size = struct.unpack("<4sI", file.read(8).ljust(8, b"\0"))
            if name == b"PEAK":
                file.seek(at + _TIME.size - 4)
                file.write(bytes(4))
            # What the chunk tells of comes before the samples: nothing is looked for behind them.
            if name in (b"PEAK", b"data", bytes(4)):
                return
            at += 8 + size + size % 2
