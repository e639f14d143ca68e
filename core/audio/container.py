"""Find the samples inside a WAV file, and how many of them the header promises.

Only what the general library does not tell: where the data starts (so that blocks can be read
without it) and whether the file stops early. Chunk layout after RFC 2361, EBU Tech 3306 (RF64)
and the AIFF 1.3 specification.
"""

import struct
from dataclasses import dataclass
from typing import BinaryIO

_PCM, _FLOAT, _EXTENSIBLE = 1, 3, 0xFFFE
_UNKNOWN_SIZE = {0, 0xFFFFFFFF, 0x7FFFFFFF}


@dataclass(frozen=True)
class WavLayout:
    """Where the sample data of a WAV file lies. Sizes in bytes; `kind` is 'pcm' or 'float'."""

    kind: str
    bits: int
    channels: int
    rate_hz: int
    data_offset: int
    promised_bytes: int | None
    available_bytes: int

    @property
    def frame_bytes(self) -> int:
        return self.channels * self.bits // 8


def _size(stream: BinaryIO) -> int:
    return stream.seek(0, 2)


def read_wav_layout(stream: BinaryIO) -> WavLayout | None:
    """Walk the chunks of a RIFF or RF64 WAV file; None where it is not one."""
    total = _size(stream)
    stream.seek(0)
    head = stream.read(12)
    if len(head) < 12 or head[:4] not in (b"RIFF", b"RF64") or head[8:] != b"WAVE":
        return None
    position, data_size_64, form = 12, None, None
    while position + 8 <= total:
        stream.seek(position)
        name, size = struct.unpack("<4sI", stream.read(8))
        body = position + 8
        if name == b"ds64":
            block = stream.read(24)
            if len(block) == 24:
                data_size_64 = struct.unpack("<Q", block[8:16])[0]
        elif name == b"fmt ":
            block = stream.read(min(size, 40))
            if len(block) < 16:
                return None
            tag, channels, rate, _, _, bits = struct.unpack("<HHIIHH", block[:16])
            if tag == _EXTENSIBLE and len(block) >= 26:
                tag = struct.unpack("<H", block[24:26])[0]
            form = (tag, channels, rate, bits)
        elif name == b"data":
            if form is None:
                return None
            tag, channels, rate, bits = form
            kind = {_PCM: "pcm", _FLOAT: "float"}.get(tag)
            if kind is None or not channels or bits % 8 or not bits:
                return None
            promised: int | None = size
            if size == 0xFFFFFFFF and data_size_64:
                promised = data_size_64
            elif size in _UNKNOWN_SIZE and not (size == 0 and body == total):
                promised = None
            there = total - body
            return WavLayout(
                kind=kind,
                bits=bits,
                channels=channels,
                rate_hz=rate,
                data_offset=body,
                promised_bytes=promised,
                available_bytes=there if promised is None else min(there, promised),
            )
        position = body + size + (size & 1)
    return None


def aiff_promised_frames(stream: BinaryIO) -> tuple[int, int] | None:
    """Frames that an AIFF or AIFC header promises, and those that fit into the file; else None.

    Only for uncompressed sound: compressed AIFC has no fixed size per frame.
    """
    total = _size(stream)
    stream.seek(0)
    head = stream.read(12)
    if len(head) < 12 or head[:4] != b"FORM" or head[8:] not in (b"AIFF", b"AIFC"):
        return None
    position, frames, frame_bytes = 12, None, 0
    while position + 8 <= total:
        stream.seek(position)
        name, size = struct.unpack(">4sI", stream.read(8))
        if name == b"COMM":
            block = stream.read(min(size, 22))
            if len(block) < 18 or block[18:22] not in (b"", b"NONE", b"sowt", b"twos"):
                return None
            channels, frames, bits = struct.unpack(">hIh", block[:8])
            frame_bytes = channels * ((bits + 7) // 8)
        elif name == b"SSND" and frames is not None and frame_bytes > 0:
            return frames, min(frames, max(0, total - position - 16) // frame_bytes)
        position += 8 + size + (size & 1)
    return None
