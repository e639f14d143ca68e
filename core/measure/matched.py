"""Make A, the matched B and the residual again from the two files and a measurement.

Nothing is stored: what a null test found is enough to repeat its subtraction on any stretch.
"""

import tempfile
from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Literal

import numpy as np
import soundfile

from core.audio.source import open_audio
from core.audio.wav_stream import float_wav_header
from core.errors import MeasureError
from core.measure.passes import BLOCK, ChannelMatch, MatchedReader
from core.measure.results import Measurement, NullOptions
from core.measure.view import View, resampled_copy, view_of
from core.units.decibel import amplitude

Which = Literal["a", "b", "residual"]
_STEPS = {
    "channel_swap", "offset", "channel_offset", "polarity", "channel_polarity", "level",
    "channel_level",
}  # fmt: skip
LONGEST_EXCERPT_S = 30.0


def matched_so_far(found: Measurement, after: int) -> list[ChannelMatch] | None:
    """How B is read once the first `after` steps of `to_set` are done; 0: as delivered.

    None where such a step cannot be undone by matching. Raises MeasureError for no such step.
    """
    if not 0 <= after <= len(found.to_set):
        raise MeasureError("There is no such step.")
    done = {str(step.code) for step in found.to_set[:after]}
    if not done <= _STEPS:
        return None
    all_of_it = {str(step.code) for step in found.to_set}

    def how(own: float, common: float, rest: float, step: str) -> float:
        """A channel's own value, what all share, or what it is as delivered."""
        if f"channel_{step}" in done:
            return own
        return rest if step not in done else common if f"channel_{step}" in all_of_it else own

    common_gain = amplitude(-(found.gain_db or 0.0))
    rows = []
    for m in found.matched:
        size = how(abs(m.gain), common_gain, 1.0, "level")
        sign = np.sign(m.gain) if done & {"polarity", "channel_polarity"} else 1.0
        straight = min(m.a_channel, found.b.channels - 1)
        rows.append(
            ChannelMatch(
                m.a_channel, m.b_channel if "channel_swap" in done else straight,
                how(m.lag, found.offset_samples or 0.0, 0.0, "offset"), float(sign * size),
            )
        )  # fmt: skip
    return rows


class MatchedAudio:
    """One of the three signals of a null test over the compared stretch, as a WAV stream.

    `after`: with only so many of `to_set` done, as long as matching can do them.
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
        after: int | None = None,
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
        matches = None if after is None else matched_so_far(found, after)
        if matches is None:
            matches = [ChannelMatch(m.a_channel, m.b_channel, m.lag, m.gain) for m in found.matched]
        matches = matches[:most_channels]
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


def kept_wav(path: Path, found: Measurement, after: int, most_channels: int = 2) -> bytes:
    """What is left of the kept excerpt after a step that matching cannot do, as a float WAV.

    Raises MeasureError where nothing was kept of that step.
    """
    code = found.to_set[after - 1].code if 0 < after <= len(found.to_set) else None
    if found.rests is None or code not in found.rests.codes:
        raise MeasureError("What that step leaves was not kept. Run the test again to hear it.")
    frames = found.rests.frames
    with soundfile.SoundFile(path) as held:
        held.seek(found.rests.codes.index(code) * frames)
        sound = held.read(frames, dtype="float32", always_2d=True)[:, :most_channels]
    header = float_wav_header(found.rests.rate_hz, sound.shape[1], len(sound))
    return header + np.ascontiguousarray(sound, dtype="<f4").tobytes()
