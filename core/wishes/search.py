"""The smallest change of settings that fulfils wishes: linear programs over the plan's own slopes.

Each round takes the figures' slopes by small steps of the settings, asks a linear program for the
smallest change (in steps that are heard alike) under which all wishes hold, goes there as far as the
slopes can be believed, and looks again. Then settings go to values that can be set, and every change
that bought nothing is taken back. Nothing is left to chance: the same question has the same answer.
"""

import math
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import scipy

from core.errors import FonodromeError
from core.routing import Rig
from core.routing.document.wishes import Wish
from core.wishes.measure import Looked, figure_of, pieces_of
from core.wishes.settings import Setting, with_values

MOST_ROUNDS, MOST_LOOKS = 14, 900
_MUST, _SHOULD = 1000.0, 40.0
"""What a step of shortfall costs against a step of change."""
_FIRST_REACH, _LEAST_REACH = 12.0, 0.3
_NO_FIGURE = 400.0
"""So many steps short is a wish that has no figure any more."""
_SIZES = {"recovery": 20.0, "ratio": 0.2}
"""What counts as a step of shortfall, of kinds where it is not one of their unit."""
_EXACT = 1e-6
_MENDINGS = 3
_NEARLY = 0.05
"""So little short between two rounds is as good as there."""

Values = dict[Setting, float]
Moved = tuple[tuple[str, float], ...]
Measured = tuple[float | None, tuple[float, ...]]
"""A figure, and the pieces of which it is the largest."""


class Stopped(Exception):
    """The person has seen enough: the best so far is kept."""


@dataclass
class Found:
    """Values with what the wishes come to there."""

    values: Values
    figures: tuple[float | None, ...]
    pieces: tuple[tuple[float, ...], ...]
    """Of each wish that has to stay under a bound, what its figure is the largest of."""
    must_short: float
    should_short: float
    change: float

    @property
    def merit(self) -> float:
        return _MUST * self.must_short + _SHOULD * self.should_short + self.change

    @property
    def fulfils(self) -> bool:
        """Whether all musts hold."""
        return self.must_short <= _EXACT

    def better(self, other: "Found") -> bool:
        """First the musts, then the shoulds against what they cost."""
        if abs(self.must_short - other.must_short) > _EXACT:
            return self.must_short < other.must_short
        return self.merit < other.merit - 1e-9


@dataclass
class Question:
    """A rig, its wishes, and what may move."""

    looked: Looked
    wishes: tuple[Wish, ...]
    settings: Sequence[Setting]
    stop: Callable[[], bool] = lambda: False
    seen: Callable[[Found], None] = lambda found: None
    looks: int = 0
    memory: dict[Moved, dict[Hashable, Measured]] = field(default_factory=dict)
    """What was measured already, by what had moved; shared between questions about one rig."""

    def rig(self, values: Mapping[Setting, float]) -> Rig:
        return with_values(self.looked.rig, values)

    def look(self, values: Mapping[Setting, float]) -> Found:
        """What the wishes come to with these values; settings that are not named stay."""
        moved = {s: v for s, v in values.items() if v != s.value}
        held = self.memory.setdefault(tuple(sorted((s.key, v) for s, v in moved.items())), {})
        lacking = [w for w in self.wishes if _named(w) not in held]
        if lacking:
            if self.looks and self.stop():
                raise Stopped
            self.looks += 1
            looked = replace(self.looked, rig=self.rig(moved))
            for wish in lacking:
                held[_named(wish)] = _measured(wish, looked)
        told = [held[_named(w)] for w in self.wishes]
        shorts = [self._short(w, figure) for w, (figure, _) in zip(self.wishes, told, strict=True)]
        return Found(
            moved, tuple(figure for figure, _ in told), tuple(pieces for _, pieces in told),
            sum(s for w, s in zip(self.wishes, shorts, strict=True) if w.must),
            sum(s for w, s in zip(self.wishes, shorts, strict=True) if not w.must),
            sum(abs(s.place(v)) for s, v in moved.items()),
        )  # fmt: skip

    def _short(self, wish: Wish, figure: float | None) -> float:
        if figure is None:
            return _NO_FIGURE
        return wish.short_by(figure) / _SIZES.get(wish.kind, 1.0)


def _named(wish: Wish) -> Hashable:
    """What a wish measures, whatever it is held to."""
    return (
        wish.kind, wish.parts, wish.against, wish.output, wish.when, wish.low_hz, wish.high_hz,
        wish.during, wish.variant,
        # Only to stay below the largest is to stay below each.
        wish.bound == "over",
    )  # fmt: skip


def _measured(wish: Wish, looked: Looked) -> Measured:
    try:
        figure = figure_of(wish, looked)
    except FonodromeError:
        return None, ()
    return figure, (figure,) if wish.bound == "over" else tuple(pieces_of(wish, looked))


def search(question: Question, start: Values | None = None, *, sparing: bool = True) -> Found:
    """The best that was found, its values all ones that can be set. When it is stopped, the best so far."""
    best = settled = question.look({})
    try:
        for found in _rounds(question, start or {}):
            if found.better(best):
                best = found
        best = settled = _settable(question, best)
        if sparing:
            best = settled = _spared(question, best)
    except Stopped:
        # Only what can be set is offered; what is nearest to the best is likely to be as good.
        rounded = {s: s.snapped(v) for s, v in best.values.items()}
        question.looks = 0
        near = question.look(rounded)
        best = near if near.better(settled) else settled
    question.seen(best)
    return best


def feasible(question: Question, start: Values | None = None) -> bool:
    """Whether all musts can hold at once, as far as is seen."""
    try:
        return any(found.must_short <= _NEARLY for found in _rounds(question, start or {}))
    except Stopped:
        return False


def _can_be_set(found: Found) -> bool:
    return all(abs(s.snapped(v) - v) < 1e-9 for s, v in found.values.items())


def _rounds(question: Question, start: Values) -> Iterator[Found]:
    """Where the linear programs lead, round by round."""
    settings = question.settings
    at = np.array([s.place(start.get(s, s.value)) for s in settings])
    here = question.look(_at(settings, at))
    yield here
    reach = _FIRST_REACH
    slopes: list[np.ndarray] | None = None
    looked_at = at
    for _ in range(MOST_ROUNDS):
        if question.looks > MOST_LOOKS or reach < _LEAST_REACH:
            break
        # Slopes of what has not moved are taken as they were: the next round finds out where they are not.
        again = (
            range(len(settings))
            if slopes is None
            else np.flatnonzero((np.abs(at) > 1e-9) | (np.abs(at - looked_at) > 1e-9)).tolist()
        )
        slopes, looked_at = _slopes(question, at, here, slopes, again), at
        goal = _program(question, at, here, slopes, reach)
        if goal is None or np.max(np.abs(goal - at), initial=0) < 1e-4:
            break
        there = question.look(_at(settings, goal))
        question.seen(there)
        yield there
        if there.merit < here.merit - 1e-6:
            step = float(np.max(np.abs(goal - at)))
            at, here = goal, there
            reach = min(40.0, reach * 2) if step > 0.9 * reach else reach
        else:
            reach /= 3


def _at(settings: Sequence[Setting], places: np.ndarray) -> Values:
    return {s: s.at(float(p)) for s, p in zip(settings, places, strict=True) if abs(p) > 1e-9}


def _slopes(
    question: Question, at: np.ndarray, here: Found, known: list[np.ndarray] | None, which: Iterable[int]
) -> list[np.ndarray]:  # fmt: skip
    """For each wish (pieces, settings): change of each piece for one step of each setting."""
    fits = known is not None and [len(k) for k in known] == [len(p) for p in here.pieces]
    found = (
        [k.copy() for k in known]
        if fits and known is not None
        else [np.zeros((len(p), len(question.settings))) for p in here.pieces]
    )
    for j in which if fits else range(len(question.settings)):
        setting = question.settings[j]
        # Inwards at an end of the range.
        by = 0.5 if setting.place(setting.high) - at[j] > 0.5 else -0.5
        if by < 0 and at[j] - setting.place(setting.low) < 0.5:
            by /= 10
        moved = at.copy()
        moved[j] += by
        there = question.look(_at(question.settings, moved))
        for slopes, a, b in zip(found, here.pieces, there.pieces, strict=True):
            slopes[:, j] = (np.array(b) - np.array(a)) / by if len(a) == len(b) else 0.0
    return found


def _program(
    question: Question, at: np.ndarray, here: Found, slopes: list[np.ndarray], reach: float
) -> np.ndarray | None:
    """Places of the smallest change whose figures, by the slopes, fulfil the wishes.

    Variables: up and down of each setting from where it stood at first, then what each wish stays short.
    """
    n, m = len(question.settings), len(question.wishes)
    rows: list[np.ndarray] = []
    most: list[float] = []
    costs = [1.0] * (2 * n) + [_MUST if w.must else _SHOULD for w in question.wishes]

    def rows_of(i: int, sign: float, bound: float) -> None:
        # sign * (piece + slopes (y - at)) - short <= sign * bound
        for piece, slope in zip(here.pieces[i], slopes[i], strict=True):
            line = np.zeros(2 * n + m)
            line[:n], line[n : 2 * n] = sign * slope, -sign * slope
            line[2 * n + i] = -1.0
            rows.append(line)
            most.append(sign * (bound - piece + float(slope @ at)))

    for i, wish in enumerate(question.wishes):
        off = wish.near if wish.bound == "about" else 0.0
        # A hair inside, so that rounding does not put it outside.
        if wish.bound in ("under", "about"):
            rows_of(i, 1.0, wish.value + off - 1e-4)
        if wish.bound == "over" or (wish.bound == "about" and len(here.pieces[i]) == 1):
            rows_of(i, -1.0, wish.value - off + 1e-4)
    for j, setting in enumerate(question.settings):
        low = max(setting.place(setting.low), at[j] - reach)
        high = min(setting.place(setting.high), at[j] + reach)
        line = np.zeros(2 * n + m)
        line[j], line[n + j] = 1.0, -1.0
        rows += [line, -line]
        most += [high, -low]
    done = scipy.optimize.linprog(
        costs, A_ub=np.array(rows), b_ub=np.array(most), bounds=[(0, None)] * (2 * n + m),
        method="highs",
    )  # fmt: skip
    if done.status != 0:
        return None
    places: np.ndarray = done.x[:n] - done.x[n : 2 * n]
    return places


def _settable(question: Question, found: Found) -> Found:
    """Each value to one that can be set, the one that moved farthest first."""
    best: Found | None = None
    values = dict(found.values)
    for setting in sorted(values, key=lambda s: (-abs(s.place(found.values[s])), s.key)):
        tries = []
        for up in (None, True, False):
            value = setting.snapped(values[setting], up)
            tries.append(question.look({**values, setting: value}))
        best = min(tries, key=lambda f: (round(f.must_short, 6), f.merit))
        values[setting] = best.values.get(setting, setting.value)
    done = question.look(values) if best is None else best
    # A step more or less where rounding took a wish away: of what moved first, then of anything.
    for _ in range(_MENDINGS):
        before = done
        moved = sorted(done.values, key=lambda s: (-abs(s.place(done.values[s])), s.key))
        for setting in (*moved, *(s for s in question.settings if s not in done.values)):
            if done.fulfils and done.should_short <= _EXACT:
                return done
            for turn in (1, -1):
                value = setting.snapped(
                    done.values.get(setting, setting.value) + turn * setting.step, turn > 0
                )
                there = question.look({**done.values, setting: value})
                if there.better(done) and _can_be_set(there):
                    done = there
        if done is before:
            break
    return done


def _spared(question: Question, found: Found) -> Found:
    """What each change bought is asked: those that bought nothing go back, wholly or in part."""
    best = found
    for setting in sorted(found.values, key=lambda s: (abs(s.place(found.values[s])), s.key)):
        without = question.look({s: v for s, v in best.values.items() if s != setting})
        if not best.better(without):
            best = without
            continue
        # Back by halves as long as nothing is lost.
        inner, outer = setting.value, best.values[setting]
        for _ in range(8):
            middle = setting.snapped((inner + outer) / 2)
            if middle in (inner, outer):
                break
            there = question.look({**best.values, setting: middle})
            if there.better(best):
                best, outer = there, middle
            else:
                inner = middle
    return best


def is_short(found: Found, wishes: Sequence[Wish]) -> list[int]:
    """Places of the wishes that do not hold."""
    return [
        i
        for i, (w, f) in enumerate(zip(wishes, found.figures, strict=True))
        if f is None or w.short_by(f) > _EXACT or math.isnan(f)
    ]
