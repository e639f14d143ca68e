"""Wishes: what standing ones cost, how long a proposal takes, and how near it is to the best one known."""

import itertools
import statistics
import time
from collections.abc import Iterator

from core.routing import Context, Evaluation, parse_rig
from core.units import TempoFrame
from core.wishes import FreeAsked, Looked, chosen, propose, steady_phrases, wishes_of
from core.wishes.search import Question

_C = Context(TempoFrame(tempo_bpm=96))
_CLIP = steady_phrases((0.31, 0.44, 0.62, 0.9))
# Fifteen stages, two returns and a squeezed copy.
_RIG = """
voice: source "Voice" (level -20 dB) > pre: preamp (gain 6 dB) > ways: split > sum: merge > desk: output (stereo)
ways > squash: compressor (threshold -26 dB, ratio 4) > trim: level (level -8 dB) > sum
ways > s1: send (level -4 dB) > sum [level -20 dB]
s1 > b1: bus > hall: reverb (RT60 2.2 s, pre-delay 25 ms, locked) > back1: return (level -5 dB) > sum
ways > s2: send (level -6 dB) > sum [level -20 dB]
s2 > b2: bus > echo: delay (time 1/8., feedback 38 %) > back2: return (level -3 dB) > sum
"""
_WISHES = (
    "tail at entries under -26 dB", "should level of hall against dry about -14 dB within 2 dB",
    "level of echo against dry under -11 dB", "repeats by 1/1 under -45 dB",
    "peak of desk under 0 dBFS", "should low end of returns under -10 dB", "mono loss under 1 dB",
    "should louder than bare about 6 dB within 1 dB",
)  # fmt: skip
_TEN = (
    "node/hall/rt60_s", "node/back1/level_db", "node/s1/level_db", "node/hall/low_cut_hz",
    "node/echo/feedback_percent", "node/back2/level_db", "node/s2/level_db", "node/trim/level_db",
    "node/squash/threshold_db", "node/pre/gain_db",
)  # fmt: skip
_THREE = ("node/hall/rt60_s", "node/back1/level_db", "node/echo/feedback_percent")


def _rig(wishes: tuple[str, ...] = _WISHES):
    return parse_rig(_RIG + "\n".join(f"wish {w}" for w in wishes))


def _seconds(work) -> float:
    began = time.process_time()
    work()
    return time.process_time() - began


def measure_wishes() -> Iterator[tuple[str, float, str, str]]:
    rig = _rig()
    Evaluation(rig, _C)
    ratios = []
    for _ in range(15):
        alone = _seconds(lambda: Evaluation(rig, _C))
        both = _seconds(lambda: wishes_of(Looked(rig, _C, _CLIP)))
        ratios.append(both / alone - 1)
    yield "standing wishes / evaluation, what 8 add", statistics.median(ratios), "at most 0.20", ""
    times = []
    for start in range(5):
        moved = _RIG.replace("RT60 2.2 s", f"RT60 {2.2 + 0.3 * start:.1f} s")
        one = parse_rig(moved + "\n".join(f"wish {w}" for w in _WISHES))
        free = chosen(one, _C, [FreeAsked(key=key) for key in _TEN])
        times.append(_seconds(lambda o=one, f=free: propose(Looked(o, _C, _CLIP), f)))
    yield "a proposal, 10 settings, 8 wishes", statistics.median(times), "below 3", " s"
    yield "change / least change of all settings there are", _against_all(), "at most 1.05", ""


def _against_all() -> float:
    """Three settings in their own steps, every combination looked at."""
    rig = _rig((_WISHES[0], "repeats by 1/1 under -55 dB"))
    settings = chosen(rig, _C, [FreeAsked(key=key) for key in _THREE])
    best = propose(Looked(rig, _C, _CLIP), settings).proposals[0].steps
    question = Question(Looked(rig, _C, _CLIP), rig.wishes, settings)
    steps = []
    for setting, (low, high, by) in zip(settings, ((0.8, 2.25, 0.05), (-14, -4.5, 0.5), (20, 39, 1)), strict=True):  # fmt: skip
        count = round((high - low) / by) + 1
        steps.append([setting.value, *(setting.snapped(low + by * n) for n in range(count))])
    least = min(
        (found.change for values in itertools.product(*steps)
         if (found := question.look(dict(zip(settings, values, strict=True)))).fulfils),
        default=float("nan"),
    )  # fmt: skip
    return best / least
