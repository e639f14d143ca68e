"""Read any part of an audio file as planar blocks, cheaply and without holding the file."""

import contextlib
import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile

from core.audio.container import WavLayout, aiff_promised_frames, read_wav_layout
from core.errors import AudioError, TruncatedAudio
from core.sample_loops import sample_loop
from core.units import format as fmt

MOST_CHANNELS = 8
MOST_SECONDS = 3_600
HIGHEST_RATE_HZ = 192_000
BLOCK_FRAMES = 1 << 17
WORKED_S, WORKED_RATE_HZ = 120.0, 48_000
_SHORT_FRAMES = 1024

_STEP_BITS = {"PCM_S8": 8, "PCM_U8": 8, "PCM_16": 16, "PCM_24": 24, "PCM_32": 32}


@sample_loop("void(uint8[::1], float32[:, ::1])")
def _unpack_24(raw, out):  # type: ignore[no-untyped-def]
    """Little-endian 24-bit interleaved bytes into planar samples in -1..1."""
    channels, frames = out.shape
    scale = np.float32(1.0 / 2147483648.0)
    for channel in range(channels):
        row = out[channel]
        place = 3 * channel
        for i in range(frames):
            word = np.int32(
                (np.int32(raw[place]) << 8)
                | (np.int32(raw[place + 1]) << 16)
                | (np.int32(raw[place + 2]) << 24)
            )
            row[i] = np.float32(word) * scale
            place += 3 * channels


class AudioSource:
    """An opened audio file. `read(start, count)` gives an array (channels, count).

    Frames outside the file read as silence. Samples of up to 24 bits and 32-bit floats come as
    float32, which holds them exactly; wider ones as float64. Not safe for use by two threads.
    """

    def __init__(self, path: Path, name: str) -> None:
        self.path, self.name = path, name
        self._native: WavLayout | None = None
        with path.open("rb") as stream:
            self._native = read_wav_layout(stream)
            self._aiff = aiff_promised_frames(stream)
        try:
            self._sound = soundfile.SoundFile(str(path))
        except (soundfile.LibsndfileError, RuntimeError, OSError):
            raise AudioError(
                f"“{name}” is not audio that can be read here: WAV, FLAC, AIFF and Ogg are. "
                "Nothing was changed."
            ) from None
        self.rate_hz = int(self._sound.samplerate)
        self.channels = int(self._sound.channels)
        self.frames = int(self._sound.frames)
        self.format = str(self._sound.format)
        self.subtype = str(self._sound.subtype)
        self.bits = _STEP_BITS.get(self.subtype)
        wide = self.subtype in {"PCM_32", "DOUBLE"}
        self.dtype = np.dtype(np.float64 if wide else np.float32)
        self.promised_frames = self.frames
        self._use_layout()
        self._handle = os.open(path, os.O_RDONLY) if self._native else -1
        self._buffer = np.zeros((self.channels, 0), self.dtype)
        self._buffer_start = 0

    def _use_layout(self) -> None:
        layout = self._native
        if self._aiff:
            self.promised_frames = self._aiff[0]
            self.frames = min(self.frames, self._aiff[1])
        if layout is None:
            return
        if (layout.channels, layout.rate_hz) != (self.channels, self.rate_hz):
            self._native = None
            return
        self.frames = layout.available_bytes // layout.frame_bytes
        promised = layout.promised_bytes
        self.promised_frames = (
            self.frames if promised is None else max(self.frames, promised // layout.frame_bytes)
        )
        if (layout.kind, layout.bits) not in {
            ("pcm", 16),
            ("pcm", 24),
            ("pcm", 32),
            ("float", 32),
            ("float", 64),
        }:
            self._native = None

    def __enter__(self) -> "AudioSource":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        self._sound.close()
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1

    @property
    def seconds(self) -> float:
        return self.frames / self.rate_hz

    def read(self, start: int, count: int) -> np.ndarray:
        """Planar samples (channels, count) from frame `start`; silence outside the file."""
        first, last = max(0, start), min(self.frames, start + count)
        if last <= first:
            return np.zeros((self.channels, count), self.dtype)
        inside = last - first
        part = (
            self._read_native(self._native, first, inside)
            if self._native
            else self._read_sliding(first, inside)
        )
        if inside == count:
            return part
        out = np.zeros((self.channels, count), self.dtype)
        out[:, first - start : last - start] = part
        return out

    def _read_native(self, layout: WavLayout, first: int, count: int) -> np.ndarray:
        raw = np.empty(count * layout.frame_bytes, np.uint8)
        place = layout.data_offset + first * layout.frame_bytes
        if os.preadv(self._handle, [raw.data], place) != len(raw):
            raise AudioError(f"“{self.name}” cannot be read: the file became shorter.")
        out = np.empty((self.channels, count), self.dtype)
        if layout.bits == 24:
            _unpack_24(raw, out)
            return out
        kind = f"<f{layout.bits // 8}" if layout.kind == "float" else f"<i{layout.bits // 8}"
        samples = raw.view(kind).reshape(-1, self.channels).T
        if layout.kind == "float":
            out[:] = samples
        else:
            np.multiply(samples, self.dtype.type(2.0 ** (1 - layout.bits)), out=out)
        return out

    def _read_sliding(self, first: int, count: int) -> np.ndarray:
        """Read through the library, keeping the newest samples so that overlaps cost nothing."""
        have = self._buffer.shape[1]
        if not self._buffer_start <= first <= self._buffer_start + have:
            self._sound.seek(first)
            self._buffer, self._buffer_start, have = self._buffer[:, :0], first, 0
        missing = first + count - self._buffer_start - have
        if missing > 0:
            position = self._buffer_start + have
            try:
                more = self._sound.read(missing, dtype=self.dtype.name, always_2d=True).T
            except (soundfile.LibsndfileError, RuntimeError):
                more = np.zeros((self.channels, 0), self.dtype)
            if more.shape[1] < missing:
                usable = self._readable_from(position)
                raise TruncatedAudio(
                    f"“{self.name}” cannot be read beyond {fmt.clock(usable / self.rate_hz)}.",
                    usable_frames=usable,
                    promised_frames=max(self.promised_frames, usable + 1),
                    rate_hz=self.rate_hz,
                )
            kept = self._buffer[:, first - self._buffer_start :]
            self._buffer = np.concatenate([kept, more], axis=1)
            self._buffer_start = first
        place = first - self._buffer_start
        return self._buffer[:, place : place + count].copy()

    def _readable_from(self, position: int) -> int:
        """How far a damaged file can be read, tried in short steps from a good position.

        After a fault the decoder cannot always seek back, so it begins anew before and after.
        """
        self._begin_anew()
        try:
            self._sound.seek(position)
            while got := len(self._sound.read(_SHORT_FRAMES, dtype="float32", always_2d=True)):
                position += got
        except (soundfile.LibsndfileError, RuntimeError):
            pass
        self._begin_anew()
        return position

    def _begin_anew(self) -> None:
        self._sound.close()
        self._sound = soundfile.SoundFile(str(self.path))
        self._buffer, self._buffer_start = self._buffer[:, :0], 0

    def blocks(self, size: int = BLOCK_FRAMES) -> Iterator[np.ndarray]:
        """The whole file in order, as planar blocks of at most `size` frames."""
        for start in range(0, self.frames, size):
            yield self.read(start, min(size, self.frames - start))


def worked_frames(source: AudioSource) -> int:
    """How many frames from its start are worked out while somebody waits: two minutes at 48 kHz and below,
    less above, so that the work is bounded. Who shows a figure says of which stretch it is.
    """
    return min(source.frames, round(WORKED_S * min(source.rate_hz, WORKED_RATE_HZ)))


def open_audio(path: Path | str, name: str | None = None, *, own: bool = False) -> AudioSource:
    """Open a file and refuse what cannot be used, with a sentence that says why.

    Limits: 8 channels, 60 minutes, 192 kHz; none of them for what this program wrote itself (`own`): a
    render is longer than its clip by its tail, and its paths lie side by side. A file that stops early opens
    (`promised_frames` tells); `examine` refuses it. Raises AudioError.
    """
    path = Path(path)
    shown = name or path.name
    if not path.is_file():
        raise AudioError(f"There is no file “{shown}”.")
    if path.stat().st_size == 0:
        raise AudioError(f"“{shown}” is empty: the file has 0 bytes.")
    with contextlib.ExitStack() as stack:
        source = stack.enter_context(AudioSource(path, shown))
        if source.frames == 0 and source.promised_frames == 0:
            raise AudioError(f"“{shown}” holds no sound: it has a header but 0 samples.")
        if not own and source.channels > MOST_CHANNELS:
            raise AudioError(
                f"“{shown}” has {source.channels} channels; up to {MOST_CHANNELS} can be used."
            )
        if source.rate_hz > HIGHEST_RATE_HZ:
            raise AudioError(
                f"“{shown}” is sampled at {fmt.significant(source.rate_hz / 1e3)} kHz; up to "
                f"{HIGHEST_RATE_HZ // 1000} kHz can be used."
            )
        if not own and source.promised_frames > MOST_SECONDS * source.rate_hz:
            raise AudioError(
                f"“{shown}” lasts {fmt.clock(source.promised_frames / source.rate_hz)}; up to "
                "60 minutes can be used. Cut it and bring it in again."
            )
        stack.pop_all()
    return source


def only_numbers(path: Path | str) -> None:
    """Raise AudioError where a file of floats holds samples that are no numbers.

    What is brought in is examined once; a file of the command line is not, and is read for it here.
    """
    with open_audio(path) as sound:
        for block in sound.blocks():
            if not np.isfinite(block).all():
                raise AudioError(
                    f"“{sound.name}” holds samples that are no numbers: export it again."
                )
