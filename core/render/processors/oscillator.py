"""A low-frequency oscillator at work: turns over time by the song's clock, and by a level."""

from collections.abc import Iterable

import numpy as np

from core.render.processors.base import Processor, Setting, lfo_phase
from core.render.processors.dynamics import EnvelopeFollower
from core.routing.document import kinds as k
from core.routing.plan.waves import (
    CYCLE,
    FASTEST_HZ,
    apart_of,
    depth_share,
    follow_share,
    rate_of,
    wave_of,
)

SEGMENT = 32
FAST_HZ = 20.0
"""Above it, what moves is computed for every sample; below, every 32nd, straight between."""


def segments(start: int, count: int, every: int = SEGMENT) -> np.ndarray:
    """Samples at which a slow value is computed: one in so many from `start`, one beyond the end."""
    return start + every * np.arange(-(-count // every) + 1)


class Oscillator:
    """Turns of both sides over blocks.

    They go by the song's time, so that a passage sounds alike in every stretch; but where the level
    moves the rate, they are counted from where the sound begins. Unlocked ones begin at a phase of
    their device's own, unless their cycle is a note value.
    """

    def __init__(self, stage: k.Waved, setting: Setting) -> None:
        period = setting.times_s.get(stage.id + CYCLE)
        if isinstance(stage, k.Ducker):
            period = setting.times_s.get(stage.id)
        oscillated = stage if isinstance(stage, k.Oscillated) else None
        rate = rate_of(stage, period)
        self.wave, self.step = wave_of(stage, period), rate / setting.rate_hz
        self.every = 1 if rate > FAST_HZ else SEGMENT
        free = oscillated is not None and period is None
        own = lfo_phase(stage.id, getattr(stage, "locked", True) or not free)
        self.turn = own + stage.start_deg / 360 + setting.start_s * rate
        self.ahead = (0.0, apart_of(stage))
        self.follower: EnvelopeFollower | None = None
        if oscillated is not None and oscillated.by_level:
            self.depth_by, self.octaves = (
                oscillated.level_depth_percent, oscillated.level_rate_oct,
            )  # fmt: skip
            self.ends = (oscillated.threshold_dbfs, oscillated.full_dbfs)
            self.follower = EnvelopeFollower(
                oscillated.attack_ms, oscillated.release_ms, setting.rate_hz
            )
            # The level drives it no faster than a rate can be set.
            self.most = FASTEST_HZ / setting.rate_hz
            fastest = min(FASTEST_HZ, rate * 2 ** max(0.0, self.octaves))
            self.every = 1 if fastest > FAST_HZ else SEGMENT

    def later(self, samples: int) -> None:
        """What it is given is so much behind the song."""
        self.turn -= samples * self.step

    def over(self, heard: np.ndarray, every: int = 1) -> tuple[np.ndarray, np.ndarray]:
        """Turns of the left side, and shares of the depth, at every so many samples of a block (2, n)
        and one beyond its end; the next block goes on from there.
        """
        count = heard.shape[1]
        at = segments(0, count, every)
        if self.follower is None:
            turns = self.turn + self.step * at
            self.turn += self.step * count
            return turns, np.ones(len(at))
        # The follower is in single precision; turns are summed over a whole song.
        gone = follow_share(self.follower(heard).astype(np.float64), *self.ends)
        steps = np.minimum(self.step * 2 ** (self.octaves * gone), self.most)
        turned = np.concatenate([[0.0], np.cumsum(steps)])
        turned = np.concatenate([turned, turned[-1] + steps[-1] * np.arange(1, every + 1)])
        turns = self.turn + turned[at]
        self.turn += float(turned[count])
        share = depth_share(gone[np.minimum(at, count - 1)], self.depth_by)
        return turns, share

    def sides(self, turns: np.ndarray) -> Iterable[np.ndarray]:
        """Turns of left and right, of those of the left."""
        return (turns + ahead for ahead in self.ahead)


def begin_later(work: Processor | None, samples: int) -> None:
    """Tell a processor that goes by the song's time how far behind it is what it is given."""
    later = getattr(getattr(work, "oscillator", work), "later", None)
    if later is not None:
        later(samples)
