"""The clip in hand as a rig hears it: its stored levels through what works by level, phrase by phrase.

Levels every 10 ms stand for the sound. A path that arrives brings them later, a tail lets them die away
by its decay; what listens to a key follows the key's level with its own attack and release. Samples
are read by a render only.
"""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import scipy

from core.course.turned import gain_by_level, listened_to
from core.errors import FonodromeError
from core.routing.document import kinds as k
from core.routing.plan.model import Plan
from core.space.gaps import FRAME_S, Levels, Phrase
from core.units.decibel import db_gain, decibels, power_of

_SILENT_DB = -120.0
_OPEN_DB = -3.0
"""So far below full a stage counts as open again."""


@dataclass(frozen=True, eq=False)
class ClipPart:
    """A clip as wishes see it: RMS every 10 ms (dBFS), and its phrases."""

    db: np.ndarray
    phrases: tuple[Phrase, ...]
    name: str = ""
    power: np.ndarray = field(init=False)
    sounds: np.ndarray = field(init=False)
    """Frames within a phrase."""
    rests: np.ndarray = field(init=False)
    """Frames between two phrases."""

    def __post_init__(self) -> None:
        times = (np.arange(len(self.db)) + 0.5) * FRAME_S
        inside = np.zeros(len(self.db), bool)
        for phrase in self.phrases:
            inside |= (times >= phrase.start_s) & (times < phrase.end_s)
        within = np.zeros(len(self.db), bool)
        if self.phrases:
            within = (times >= self.phrases[0].start_s) & (times < self.phrases[-1].end_s)
        object.__setattr__(self, "power", power_of(np.asarray(self.db, float)))
        object.__setattr__(self, "sounds", inside)
        object.__setattr__(self, "rests", within & ~inside)

    @property
    def gaps_s(self) -> tuple[float, ...]:
        return tuple(
            after.start_s - before.end_s
            for before, after in zip(self.phrases, self.phrases[1:], strict=False)
        )


def clip_part(levels: Levels, phrases: Sequence[Phrase], name: str) -> ClipPart:
    """Of a clip's stored levels."""
    return ClipPart(np.array(levels.db), tuple(phrases), name)


def steady_phrases(
    gaps_s: Sequence[float], level_dbfs: float = -18.0, length_s: float = 1.0
) -> ClipPart:
    """Phrases of one level with these gaps between them, and a second of silence at the end."""
    phrases, at, parts = [], 0.0, []
    for gap in (*gaps_s, 1.0):
        phrases.append(Phrase(start_s=at, end_s=at + length_s))
        parts += [
            np.full(round(length_s / FRAME_S), level_dbfs), np.full(round(gap / FRAME_S), -120.0)
        ]  # fmt: skip
        at += length_s + gap
    return ClipPart(np.concatenate(parts), tuple(phrases))


def gain_over(plan: Plan, node: k.Stage, clip: ClipPart, source_db: float) -> np.ndarray:
    """Gain (linear, make-up left out) every 10 ms of a ducker or compressor while a clip plays into the
    source whose nominal level is `source_db`. Raises FonodromeError for another stage, or without a key.
    """
    gain_by_level(node, np.zeros(0))
    nominal = plan.carried[listened_to(plan, node)].level_dbfs
    if nominal is None or nominal < _SILENT_DB:
        raise FonodromeError(f"Nothing of the clip in hand reaches what {node.shown} listens to.")
    return gain_by_level(node, np.asarray(clip.db, float) + (nominal - source_db))


def reduction_db(gain: np.ndarray, clip: ClipPart) -> float:
    """The most that is taken away while phrases sound."""
    return float(-decibels(max(float(gain[clip.sounds].min()), 1e-6)))


def ducked_db(gain: np.ndarray, clip: ClipPart) -> float:
    """How far it is turned down in phrases, on the mean of power."""
    mean = float((gain[clip.sounds] ** 2).mean())
    return -0.5 * float(decibels(max(mean, 1e-12)))


def recovery_s(gain: np.ndarray, clip: ClipPart) -> float:
    """From a phrase's end until 3 dB below full again, the median; a gap in which it is not counts whole."""
    found = []
    for before, after in zip(clip.phrases, clip.phrases[1:], strict=False):
        first, last = round(before.end_s / FRAME_S), round(after.start_s / FRAME_S)
        up = np.flatnonzero(decibels(np.maximum(gain[first:last], 1e-6)) >= _OPEN_DB)
        found.append((int(up[0]) if len(up) else last - first) * FRAME_S)
    return float(np.median(found))


@dataclass(frozen=True)
class Way:
    """One arrival as the clip's levels go through it."""

    level_db: float
    """Of its gain, at nominal level."""
    late_s: float
    rt60_s: float | None
    """Of a tail; None for what arrives at once."""
    gains: tuple[np.ndarray, ...]
    """Over the clip, of what is keyed on it, against what each is at nominal level."""

    def power(self, clip: ClipPart) -> np.ndarray:
        """Power every 10 ms."""
        late = round(self.late_s / FRAME_S)
        came = np.concatenate([np.zeros(late), clip.power])[: len(clip.power)]
        if self.rt60_s is not None:
            keep = 10 ** (-6 * FRAME_S / self.rt60_s)
            came = scipy.signal.lfilter([1 - keep], [1, -keep], came)
        came = came * db_gain(self.level_db) ** 2
        for gain in self.gains:
            came = came * gain**2
        return np.asarray(came)


def in_time(ways: Sequence[Way], clip: ClipPart, *, gaps: bool) -> float:
    """Mean power of ways in phrases, or in the gaps between them."""
    which = clip.rests if gaps else clip.sounds
    whole = sum((way.power(clip) for way in ways), np.zeros(len(clip.power)))
    return float(whole[which].mean())
