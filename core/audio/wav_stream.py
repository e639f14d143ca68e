"""Write a WAV file whose length is known beforehand to something that cannot seek."""

import struct

_LARGEST = 0xFFFF_FFFF - 128


def float_wav_header(rate_hz: int, channels: int, frames: int) -> bytes:
    """Header of a 32-bit float WAV file; RF64 (EBU Tech 3306) where 4 GB are not enough.

    The samples (interleaved little-endian float32) follow directly.
    """
    data = frames * channels * 4
    form = struct.pack(
        "<HHIIHHH", 3, channels, rate_hz, rate_hz * channels * 4, channels * 4, 32, 0
    )
    fact_frames = min(frames, 0xFFFF_FFFF)
    body = b"fmt " + struct.pack("<I", len(form)) + form
    body += b"fact" + struct.pack("<II", 4, fact_frames)
    if data <= _LARGEST:
        size = 4 + len(body) + 8 + data
        return (
            b"RIFF" + struct.pack("<I", size) + b"WAVE" + body + b"data" + struct.pack("<I", data)
        )
    size = 4 + 36 + len(body) + 8 + data
    ds64 = b"ds64" + struct.pack("<IQQQI", 28, size, data, frames, 0)
    whole = struct.pack("<I", 0xFFFF_FFFF)
    return b"RF64" + whole + b"WAVE" + ds64 + body + b"data" + whole
