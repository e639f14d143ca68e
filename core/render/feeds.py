"""What plays into the sources of a rig: clips of the song, placed on the song's time.

A source may have several clips, one after the other or over one another; without one it is silent.
All sources are read at one rate, the highest of their clips: what comes at another is resampled while
it streams past.
"""

from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from math import gcd
from pathlib import Path
from typing import Literal

import numpy as np
import soxr
from pydantic import Field

from core.audio import open_audio
from core.audio.source import AudioSource
from core.edge import Edge
from core.errors import FonodromeError
from core.units.decibel import amplitude

MOST_PLACEMENTS, MOST_REPEATS = 24, 200
_CUT_S = 0.003
"""Where a clip is cut it fades this long, so that it does not click."""
_BEFORE = 4096
"""Samples that a resampler runs before it is heard."""
Sides = Literal["both", "mono", "left", "right"]


class FeedError(FonodromeError):
    """What was placed at a source cannot be played."""

    code = "feed"


class Placement(Edge):
    """A clip, or a part of one, on the song's time."""

    clip: str = Field(max_length=40, description="The clip's id")
    at_s: float = Field(0.0, ge=0, le=7200, description="Where in the song it begins")
    from_s: float = Field(0.0, ge=0, le=7200, description="What of the clip is left out before it")
    length_s: float | None = Field(None, gt=0, le=7200, description="Null: to the clip's end")
    repeats: int = Field(1, ge=1, le=MOST_REPEATS, description="How often it plays, without a gap")
    gain_db: float = Field(0.0, ge=-60, le=24)
    sides: Sides = Field("both", description="Of a stereo clip: both, their mean, or one alone")


class Feed(Edge):
    """What plays into one source."""

    source: str = Field(max_length=40)
    placements: tuple[Placement, ...] = Field((), max_length=MOST_PLACEMENTS)
    silent: bool = Field(False, description="Silent on purpose: nothing is missing")

    @property
    def sounds(self) -> bool:
        return bool(self.placements) and not self.silent


@dataclass(frozen=True)
class ClipFile:
    """Where a clip's samples are, and what it is called."""

    path: Path
    name: str


class _Part:
    """One playing of a clip: from which frame of the song on, and what of the clip."""

    def __init__(self, place: Placement, sound: AudioSource, rate_hz: int, at_s: float) -> None:
        own = sound.rate_hz
        self.sound, self.rate, self.place = sound, rate_hz, place
        self.first = round(place.from_s * own)
        whole = sound.frames - self.first
        wanted = whole if place.length_s is None else round(place.length_s * own)
        self.count = max(0, min(whole, wanted))
        self.start = round(at_s * rate_hz)
        self.frames = -(-self.count * rate_hz // own)
        self.cut = (self.first > 0, self.count < whole)
        self.gain = amplitude(place.gain_db)
        self._next = -1
        self._stream: soxr.ResampleStream | None = None
        self._ready = np.zeros((0, 0))

    @property
    def end(self) -> int:
        return self.start + self.frames

    def read(self, start: int, count: int) -> np.ndarray:
        """(channels, count) from a frame of the song on, which lies inside this part's own time."""
        n = start - self.start
        two = self._at_rate(n, count)
        two = two[:2] if len(two) > 1 else two
        if len(two) > 1:
            if self.place.sides == "mono":
                two = two.mean(axis=0, keepdims=True)
            elif self.place.sides != "both":
                side = 0 if self.place.sides == "left" else 1
                two = two[side : side + 1]
        return two * self.gain * self._edges(n, count)

    def _edges(self, n: int, count: int) -> np.ndarray | float:
        fade = max(1, round(_CUT_S * self.rate))
        last = n + count
        if not any(self.cut) or (fade <= n and last <= self.frames - fade):
            return 1.0
        at = np.arange(n, last)
        gains = np.ones(count)
        if self.cut[0]:
            gains *= np.clip((at + 0.5) / fade, 0, 1)
        if self.cut[1]:
            gains *= np.clip((self.frames - at - 0.5) / fade, 0, 1)
        return gains

    def _clip(self, n: int, count: int) -> np.ndarray:
        """Frames of the part at the clip's own rate; silence outside of it."""
        inside = max(0, min(count, self.count - n))
        some = np.asarray(self.sound.read(self.first + n, inside), np.float64)
        if inside == count:
            return some
        return np.pad(some, ((0, 0), (0, count - inside)))

    def _at_rate(self, n: int, count: int) -> np.ndarray:
        own = self.sound.rate_hz
        if own == self.rate:
            return self._clip(n, count)
        if n != self._next:
            self._seek(n)
        step = 1 << 15
        while self._ready.shape[1] < count:
            assert self._stream is not None
            last = self._place >= self.count
            block = self._clip(self._place, step)
            self._place += step
            made = self._stream.resample_chunk(np.ascontiguousarray(block.T), last=last).T
            if self._drop:
                gone = min(self._drop, made.shape[1])
                self._drop -= gone
                made = made[:, gone:]
            self._ready = np.concatenate([self._ready, made], axis=1)
            if last and self._ready.shape[1] < count:
                short = count - self._ready.shape[1]
                self._ready = np.pad(self._ready, ((0, 0), (0, short)))
        out, self._ready = self._ready[:, :count], self._ready[:, count:]
        self._next = n + count
        return out

    def _seek(self, n: int) -> None:
        """Begin anew where both rates have a sample at the same instant, well before `n`."""
        own, both = self.sound.rate_hz, gcd(self.sound.rate_hz, self.rate)
        laps = max(0, (n - _BEFORE) // (self.rate // both))
        self._place = laps * (own // both)
        self._drop = n - laps * (self.rate // both)
        channels = self.sound.channels
        self._stream = soxr.ResampleStream(own, self.rate, channels, dtype="float64", quality="VHQ")
        self._ready = np.zeros((channels, 0))

    _place = 0
    _drop = 0


class SongReader:
    """The sources of a stretch of the song. `read(start, count)` gives (channels, count) per source.

    Opens every clip once; to be closed, and not for two threads. Raises FeedError for a clip that is
    gone and for a stretch in which nothing plays.
    """

    def __init__(
        self, feeds: Sequence[Feed], clips: Mapping[str, ClipFile], start_s: float,
        length_s: float | None, *, shortest_s: float = 0.05,
    ) -> None:  # fmt: skip
        self._held = ExitStack()
        try:
            opened = dict(self._open(feeds, clips))
            self.rate_hz = max((s.rate_hz for s in opened.values()), default=48_000)
            self.parts = {
                feed.source: [p for place in feed.placements for p in self._parts(place, opened)]
                for feed in feeds
                if feed.sounds
            }
            self.first = round(start_s * self.rate_hz)
            end = max((p.end for parts in self.parts.values() for p in parts), default=0)
            self.seconds = end / self.rate_hz
            wanted = end - self.first if length_s is None else round(length_s * self.rate_hz)
            self.frames = min(wanted, end - self.first)
            if self.frames < shortest_s * self.rate_hz:
                raise FeedError(_nothing(self.seconds, [s.name for s in opened.values()]))
        except BaseException:
            self._held.close()
            raise

    def _open(
        self, feeds: Sequence[Feed], clips: Mapping[str, ClipFile]
    ) -> Iterator[tuple[str, AudioSource]]:
        for clip in dict.fromkeys(p.clip for f in feeds if f.sounds for p in f.placements):
            file = clips.get(clip)
            if file is None:
                raise FeedError("A clip that was placed at a source is not in this song any more.")
            yield clip, self._held.enter_context(open_audio(file.path, file.name))

    def _parts(self, place: Placement, opened: Mapping[str, AudioSource]) -> list[_Part]:
        sound = opened[place.clip]
        one = _Part(place, sound, self.rate_hz, place.at_s)
        long_s = one.count / sound.rate_hz
        # A resampler goes on from block to block: every playing has one of its own.
        return [
            _Part(place, sound, self.rate_hz, place.at_s + i * long_s)
            for i in range(place.repeats if long_s > 0 else 0)
        ]

    def read(self, start: int, count: int) -> dict[str, np.ndarray]:
        """What the sources give from frame `start` of the stretch on; a silent one is left out."""
        first = self.first + start
        last, out = first + count, {}
        for source, parts in self.parts.items():
            total: np.ndarray | None = None
            for part in parts:
                low, high = max(first, part.start), min(last, part.end)
                if high <= low:
                    continue
                some = part.read(low, high - low)
                if total is None:
                    total = np.zeros((len(some), count))
                elif len(some) > len(total):
                    total = np.concatenate([total, total])
                total[:, low - first : high - first] += some
            if total is not None:
                out[source] = total
        return out

    def __enter__(self) -> "SongReader":
        return self

    def __exit__(self, *_: object) -> None:
        self._held.close()


def _nothing(seconds: float, names: list[str]) -> str:
    if not names:
        return (
            "No source has a clip: there is nothing to play. Choose one for a source under Listen."
        )
    return (
        f"“{names[0]}”{f' and {len(names) - 1} more' if len(names) > 1 else ''} "
        f"{'end' if len(names) > 1 else 'lasts'} {'at ' if len(names) > 1 else ''}{seconds:.2f} s: "
        "nothing of it lies in the stretch chosen."
    )


def one_clip(source: str, clip: str) -> tuple[Feed, ...]:
    """A single clip from the song's beginning on, at one source."""
    return (Feed(source=source, placements=(Placement(clip=clip),)),)


def cast(sources: Mapping[str, str], clips: Mapping[str, str]) -> dict[str, str]:
    """Source to clip (ids) by the words that their names share; what is left goes in order.

    sources, clips: id to name. A clip is given once; a source without one is left out.
    """

    def words(name: str) -> set[str]:
        plain = "".join(c if c.isalnum() else " " for c in name.lower())
        return {w.rstrip("s") for w in plain.split() if len(w) > 2}

    kin = ({"drum", "percussion", "kick", "snare", "hand"}, {"voice", "vocal", "singer"})

    def alike(a: set[str], b: set[str]) -> int:
        near = sum(bool(a & group) and bool(b & group) for group in kin)
        return 2 * len(a & b) + near

    left = {clip: words(name) for clip, name in clips.items()}
    found: dict[str, str] = {}
    for source, name in sources.items():
        best = max(left, key=lambda c: alike(words(name), left[c]), default=None)
        if best is not None and alike(words(name), left[best]):
            found[source] = best
            del left[best]
    for source in sources:
        if source not in found and left:
            found[source] = next(iter(left))
            del left[found[source]]
    return found
