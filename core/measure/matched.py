"""Make A, the matched B and the residual again from the two files and a measurement.

Nothing is stored: what a null test found is enough to repeat its subtraction on any stretch.
"""

import tempfile
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Literal

import numpy as np

from core.audio.source import open_audio
from core.audio.wav_stream import float_wav_header
from core.errors import MeasureError
from core.measure.passes import BLOCK, ChannelMatch, MatchedReader
from core.measure.results import Measurement, NullOptions
from core.measure.view import View, resampled_copy, view_of

Which = Literal["a", "b", "residual"]
LONGEST_EXCERPT_S = 30.0


class MatchedAudio:
    """One of the three signals of a null test over the compared stretch, as a WAV stream.

    `start_s` and `length_s` count from the start of the compared stretch; `most_channels` leaves
    out the channels after so many. Closes its files when the stream is used up or closed.
    """

    def __init__(
        self,
        a: Path,
        b: Path,
        options: NullOptions,
        found: Measurement,
        which: Which,
        *,
        start_s: float = 0.0,
        length_s: float | None = None,
        most_channels: int = 8,
        scratch: Path | None = None,
    ) -> None:
        self._stack = ExitStack()
        self._which = which
        source_a = self._stack.enter_context(open_audio(a, found.a.name))
        source_b = self._stack.enter_context(open_audio(b, found.b.name))
        rate = source_a.rate_hz
        self.rate_hz = rate
        first = round(found.compared_start_s * rate)
        skip = round(start_s * rate)
        left = found.compared_samples - skip
        if skip < 0 or left <= 0:
            self._stack.close()
            raise MeasureError("That stretch lies outside what was compared.")
        self.frames = left if length_s is None else min(left, max(1, round(length_s * rate)))
        self._first = first + skip
        self._a = view_of(source_a, "A", options.region_a.start_s, options.region_a.length_s)
        matches = [
            ChannelMatch(m.a_channel, m.b_channel, m.lag, m.gain)
            for m in found.matched[:most_channels]
        ]
        self._matches = matches
        self.channels = len(matches)
        start_b = round(options.region_b.start_s * source_b.rate_hz)
        if source_b.rate_hz == rate:
            self._b = View(source_b, start_b, source_b.frames - start_b, rate)
        else:
            folder = self._stack.enter_context(tempfile.TemporaryDirectory(dir=scratch))
            ratio = source_b.rate_hz / rate
            lags = [m.whole for m in matches]
            margin = source_b.rate_hz // 2
            low = start_b + int((self._first + min(lags)) * ratio) - margin
            high = start_b + int((self._first + self.frames + max(lags)) * ratio) + margin
            copy, shift = resampled_copy(source_b, rate, Path(folder), stretch=(low, high))
            self._stack.callback(copy.close)
            begins = round(options.region_b.start_s * rate) - shift
            self._b = View(copy, begins, copy.frames - begins, source_b.rate_hz)
        self._dtype = np.result_type(source_a.dtype, self._b.source.dtype)

    @property
    def size_bytes(self) -> int:
        header = float_wav_header(self.rate_hz, self.channels, self.frames)
        return len(header) + 4 * self.channels * self.frames

    def close(self) -> None:
        self._stack.close()

    def pairs(self) -> Iterator[tuple[np.ndarray, np.ndarray]]:
        """Planar blocks (channels, at most BLOCK) of A and of the matched B."""
        reader = MatchedReader(self._b, self._matches, self._dtype)
        gains = np.array([m.gain for m in self._matches])[:, None]
        order = [m.a_channel for m in self._matches]
        for start in range(0, self.frames, BLOCK):
            n = min(BLOCK, self.frames - start)
            place = self._first + start
            yield self._a.read(place, n)[order], gains * reader.read(place, n)

    def blocks(self) -> Iterator[np.ndarray]:
        """Planar blocks (channels, at most BLOCK) of the chosen signal."""
        for a, matched in self.pairs():
            yield {"a": a, "b": matched}.get(self._which, a - matched)

    def wav(self) -> Iterator[bytes]:
        """The bytes of a 32-bit float WAV file, `size_bytes` in all."""
        try:
            yield float_wav_header(self.rate_hz, self.channels, self.frames)
            for block in self.blocks():
                yield np.ascontiguousarray(block.T, dtype="<f4").tobytes()
        finally:
            self.close()
