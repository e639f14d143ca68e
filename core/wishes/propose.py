"""Ways to fulfil wishes, at most three that differ in kind; and where it cannot be, what contradicts what."""

from collections.abc import Callable, Collection, Hashable, Sequence
from dataclasses import replace
from typing import Any

from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.routing import Context, Rig
from core.routing.document.wishes import Wish
from core.routing.edit.actions import Several
from core.sheet import Owned
from core.units import format as fmt
from core.wishes.measure import Looked
from core.wishes.report import WishOut, asked_of, measured, title_of
from core.wishes.search import (
    Found,
    Measured,
    Moved,
    Question,
    Values,
    feasible,
    is_short,
    search,
)
from core.wishes.settings import Setting, Sort, action_of, settings_that_move

MOST_WAYS, MOST_FREE = 3, 40
_POINTS = (0, 6, 3, 1, 5, 2, 4)
"""Sixths of the way, so that a curve that is cut short has been gone along all the same."""
_NAMES: dict[Sort, str] = {
    "levels": "levels", "shorter": "decay and feedback", "times": "times", "filters": "filters",
    "dynamics": "dynamics", "sides": "sides",
}  # fmt: skip
_SHOWN = 4
_COUNTS = 0.15
"""So large a share of the change gives a way its name."""
_USUAL: tuple[Sort, ...] = ("levels", "shorter", "filters", "dynamics")
_OF_TIMES = ("spread", "comb", "pre_delay", "setting_error")
_OF_MOTION = ("recovery", "reduction", "ducking")


class FreeOut(Edge):
    """A setting that may be let move."""

    key: str
    part: str
    label: str
    shown: str = Field(description="As it stands")
    unit: str
    value: float
    low: float
    high: float
    sort: Sort
    usual: bool = Field(description="Whether it is free unless somebody says otherwise")


class FreeAsked(Edge):
    """What may move, and how far."""

    key: str = Field(max_length=200)
    low: float | None = Field(None, ge=-1e6, le=1e6)
    high: float | None = Field(None, ge=-1e6, le=1e6)


class MoveOut(Edge):
    """What changes, and what that bought."""

    key: str
    part: str
    label: str
    before: str
    after: str
    steps: float = Field(description="Of change, as they are heard")
    bought: list[str] = Field(description="Wishes that would not hold without it")


class ProposalOut(Edge):
    name: str
    sorts: list[Sort]
    moves: list[MoveOut]
    steps: float = Field(description="All changes together, in steps that are heard alike")
    wishes: list[WishOut] = Field(description="Each wish as it would then be")
    musts_held: bool
    held: int
    action: Several = Field(description="One action that can be undone")
    sentence: str
    checked: bool | None = Field(
        None,
        description="Whether all that holds in the plan holds in its render; null: not rendered",
    )
    checked_said: str = ""


class BestSoFar(Edge):
    """What a search has come to while it goes on."""

    looked_at: int
    held: int = Field(description="Wishes that hold there")
    wishes: int
    musts_held: bool
    moves: list[str] = Field(
        description="What would move: 'Hall: decay 2 s → 1.1 s', the most first"
    )
    sentence: str


class ProposalsOut(Edge):
    before: list[WishOut]
    proposals: list[ProposalOut] = Field(description="The smallest change first")
    contradiction: list[int] = Field(
        description="Places of the fewest wishes that cannot hold together; empty where all can"
    )
    looked_at: int = Field(description="Settings that were tried")
    whole: bool = Field(description="Whether the search came to its end")
    sentence: str
    computed_how: str


class TradePoint(Edge):
    """What the one wish comes to where the other is held to a bound."""

    held_to: float
    figure: float
    other: float
    action: Several
    steps: float


class TradeOut(Edge):
    one: str
    other: str
    one_unit: str
    other_unit: str
    one_asked: float
    other_asked: float
    points: list[TradePoint]
    now: list[float] | None = Field(description="Both figures as the rig stands")
    sentence: str


def free_settings(rig: Rig, context: Context, owned: Owned | None = None) -> list[FreeOut]:
    kinds = {w.kind for w in rig.wishes}
    return [
        FreeOut(
            key=s.key, part=s.part, label=s.label, shown=s.said(s.value), unit=s.unit, value=s.value,
            low=s.low, high=s.high, sort=s.sort, usual=_usual(s, kinds),
        )
        for s in settings_that_move(rig, context, owned)
    ]  # fmt: skip


def _usual(setting: Setting, kinds: Collection[str]) -> bool:
    """What a person would turn: faders, decays, cuts; times where a wish is of times."""
    if setting.sort == "times":
        return any(kind in _OF_TIMES for kind in kinds)
    if setting.field in ("attack_ms", "release_ms"):
        return any(kind in _OF_MOTION for kind in kinds)
    return setting.sort in _USUAL and setting.field not in ("output_db", "mix_percent")


def chosen(
    rig: Rig, context: Context, free: Sequence[FreeAsked] | None, owned: Owned | None = None
) -> list[Setting]:
    """Settings that may move. Raises FonodromeError for one that is not there, or a range of nothing."""
    every = {s.key: s for s in settings_that_move(rig, context, owned)}
    if free is None:
        kinds = {w.kind for w in rig.wishes}
        found = [s for s in every.values() if _usual(s, kinds)][:MOST_FREE]
    else:
        found = []
        for one in free:
            if one.key not in every:
                raise FonodromeError(
                    "A setting that was free to move is not there any more.", part=one.key
                )
            found.append(_ranged(every[one.key], one))
    if not found:
        raise FonodromeError("Nothing is free to move: choose at least one setting.")
    if len(found) > MOST_FREE:
        raise FonodromeError(f"Up to {MOST_FREE} settings can be free at once.")
    return found


def _ranged(setting: Setting, asked: FreeAsked) -> Setting:
    low = setting.low if asked.low is None else asked.low
    high = setting.high if asked.high is None else asked.high
    if low > high:
        raise FonodromeError(f"{setting.label}: the range ends below where it begins.")
    low, high = max(low, setting.low), min(high, setting.high)
    if not low <= setting.value <= high:
        # What stands outside its range may stay, and comes no farther out.
        low, high = min(low, setting.value), max(high, setting.value)
    return Setting(**{**setting.__dict__, "low": low, "high": high})


def asked_for(looked: Looked) -> list[WishOut]:
    """Wishes as they stand, where something can be proposed. Raises FonodromeError where it cannot."""
    if not looked.rig.wishes:
        raise FonodromeError("No wishes stand: say first what shall arrive.")
    if not looked.e.stable:
        raise FonodromeError("A loop of this rig grows: mend that first, then nothing has a level.")
    before = [measured(w, looked) for w in looked.rig.wishes]
    lacking = [one for one in before if one.figure is None and one.wish.must]
    if lacking:
        raise FonodromeError(f"{lacking[0].title}: {lacking[0].sentence}")
    if all(one.figure is None for one in before):
        raise FonodromeError(f"{before[0].title}: {before[0].sentence}")
    return before


def propose(
    looked: Looked, settings: Sequence[Setting], *,
    stop: Callable[[], bool] = lambda: False,
    seen: Callable[[BestSoFar], None] = lambda best: None,
) -> ProposalsOut:  # fmt: skip
    """Settings that fulfil a rig's wishes. Raises FonodromeError where it has none, or grows.

    stop: asked before each look; once it is true the best so far is given. seen: told of whatever is
    better than all before it, of the wishes that all of it is about.
    """
    rig, before = looked.rig, asked_for(looked)
    wishes = tuple(one.wish for one in before if one.figure is not None)
    looks, whole, found = 0, True, list[Found]()
    memory: dict[Moved, dict[Hashable, Measured]] = {}

    best: Found | None = None

    def told(found: Found) -> None:
        nonlocal best
        if best is None or found.better(best):
            best = found
        seen(best_so_far(best, wishes, len(memory)))

    def question(those: Sequence[Setting], wanted: tuple[Wish, ...]) -> Question:
        # Of fewer wishes it would be no answer to what was asked.
        of_all = told if wanted == wishes else lambda found: None
        return Question(looked, wanted, those, stop, of_all, memory=memory)

    def asked(those: Sequence[Setting], wanted: tuple[Wish, ...] = wishes) -> Found:
        nonlocal looks, whole
        one = question(those, wanted)
        answer = search(one)
        looks += one.looks
        whole = whole and not stop()
        return answer

    if all(one.holds for one in before if one.figure is not None):
        return _out(rig, before, [], [], looks, True, "All wishes hold already: nothing has to move.")  # fmt: skip
    first = asked(settings)
    found.append(first)
    left_out: set[Sort] = set()
    while len(found) < MOST_WAYS and first.fulfils and whole:
        left_out.add(_main_sort(found[-1]))
        rest = [s for s in settings if s.sort not in left_out]
        if not rest:
            break
        other = asked(rest)
        if not other.fulfils or not other.values or any(_alike(other, f) for f in found):
            break
        found.append(other)
    contradiction: list[int] = []
    up: dict[int, str] = {}
    between = False
    short = is_short(first, wishes)
    if short and whole:
        # What should hold is asked once as if it had to.
        asking = [i for i, w in enumerate(wishes) if w.must or i in short]

        def all_of(places: Sequence[int]) -> tuple[Wish, ...]:
            return tuple(wishes[i].model_copy(update={"must": True}) for i in places)

        def can(places: Sequence[int]) -> bool:
            nonlocal looks
            one = question(settings, all_of(places))
            # From where it stands, and from where the search had got to.
            able = feasible(one) or feasible(one, first.values)
            looks += one.looks
            return able

        together = asked(settings, all_of(asking))
        if together.fulfils:
            whole_way = question(settings, wishes).look(together.values)
            # Of the same kind it takes the place of what left a wish open.
            kind = _main_sort(whole_way)
            found = [whole_way, *(f for f in found if _main_sort(f) != kind)]
        elif can(asking):
            between = True
        else:
            fewest = _contradiction(asking, can)
            contradiction = [rig.wishes.index(wishes[i]) for i in fewest]
            if not first.fulfils:
                # No way that holds all: what holds when one of them is given up.
                found = []
                for given in fewest[:MOST_WAYS] if len(fewest) > 1 else []:
                    others = tuple(w for i, w in enumerate(wishes) if i != given)
                    other = asked(settings, others)
                    if other.fulfils and other.values:
                        found.append(question(settings, wishes).look(other.values))
                        up[id(found[-1])] = title_of(wishes[given], looked)
    kept = [f for f in found if f.values]
    kept.sort(key=lambda f: (round(f.must_short, 6), len(is_short(f, wishes)), f.change))
    kept = kept[:MOST_WAYS]
    proposals = [_proposal(rig, looked, wishes, f, memory, up.get(id(f), "")) for f in kept]
    return _out(rig, before, proposals, contradiction, looks, whole, _said(proposals, contradiction, between, rig, looked))  # fmt: skip


def _out(
    rig: Rig, before: list[WishOut], proposals: list[ProposalOut], contradiction: list[int],
    looks: int, whole: bool, sentence: str,
) -> ProposalsOut:  # fmt: skip
    return ProposalsOut(
        before=before, proposals=proposals, contradiction=contradiction, looked_at=looks,
        whole=whole, sentence=sentence,
        computed_how=(
            "The smallest change that fulfils all musts, then as much of the shoulds as it is worth: "
            "1 dB, a tenth of a decay, a fifth of a corner, 5 % count as one step. Found by the slopes "
            "of the figures and linear programs, then set to steps that can be set, and every change "
            "that bought nothing taken back. Figures of the plan: listen before you believe them. There "
            "is no right or wrong in it."
        ),
    )  # fmt: skip


def _shares(found: Found) -> dict[Sort, float]:
    """Share of each sort in the whole change, the largest first."""
    by: dict[Sort, float] = {}
    for setting, value in found.values.items():
        by[setting.sort] = by.get(setting.sort, 0.0) + abs(setting.place(value))
    whole = sum(by.values()) or 1.0
    return {s: by[s] / whole for s in sorted(by, key=lambda s: (-by[s], s))}


def _main_sort(found: Found) -> Sort:
    return next(iter(_shares(found)), "levels")


def _name(found: Found) -> str:
    words = [_NAMES[sort] for sort, share in _shares(found).items() if share >= _COUNTS]
    return f"By {', '.join(words[:-1])} and {words[-1]}" if len(words) > 1 else f"By {words[0]}"


def _alike(one: Found, other: Found) -> bool:
    return {s.key: v for s, v in one.values.items()} == {s.key: v for s, v in other.values.items()}


def _contradiction(asked: list[int], can: Callable[[Sequence[int]], bool]) -> list[int]:
    """The fewest wishes that cannot hold together, by their places: each is left out in turn, and
    stays out where the others still cannot.
    """
    kept = list(asked)
    for place in asked:
        rest = [i for i in kept if i != place]
        if rest and not can(rest):
            kept = rest
    return kept


def _proposal(
    rig: Rig, looked: Looked, wishes: tuple[Wish, ...], found: Found,
    memory: dict[Moved, dict[Hashable, Measured]], given_up: str,
) -> ProposalOut:  # fmt: skip
    settings = sorted(found.values, key=lambda s: -abs(s.place(found.values[s])))
    question = Question(looked, wishes, settings, memory=memory)
    after = replace(looked, rig=question.rig(found.values))
    held = set(range(len(wishes))) - set(is_short(found, wishes))
    moves = []
    for setting in settings:
        value = found.values[setting]
        without = question.look({s: v for s, v in found.values.items() if s != setting})
        lost = held & set(is_short(without, wishes))
        moves.append(
            MoveOut(
                key=setting.key, part=setting.part, label=setting.label,
                before=setting.said(setting.value), after=setting.said(value),
                steps=round(setting.place(value), 2),
                bought=[title_of(wishes[i], looked) for i in sorted(lost)],
            )
        )  # fmt: skip
    told = [measured(w, after) for w in rig.wishes]
    sorts = list(dict.fromkeys(s.sort for s in settings))
    holding = sum(one.holds is True for one in told)
    return ProposalOut(
        name=f"Without “{given_up}”" if given_up else _name(found), sorts=sorts, moves=moves, steps=round(found.change, 2),
        wishes=told, musts_held=found.fulfils, held=holding, action=action_of(found.values),
        sentence=(
            f"{holding} of {len(told)} wishes hold with {len(moves)} "
            f"{'change' if len(moves) == 1 else 'changes'}, "
            f"{fmt.significant(found.change, 2)} steps in all."
        ),
    )  # fmt: skip


def best_so_far(found: Found, wishes: Sequence[Wish], looked_at: int) -> BestSoFar:
    """In words, of a place that a search has come to."""
    moved = sorted(found.values, key=lambda s: -abs(s.place(found.values[s])))
    held = len(wishes) - len(is_short(found, wishes))
    return BestSoFar(
        looked_at=looked_at, held=held, wishes=len(wishes), musts_held=found.fulfils,
        moves=[f"{s.label} {s.said(s.value)} → {s.said(s.snapped(found.values[s]))}" for s in moved[:_SHOWN]],
        sentence=f"{held} of {len(wishes)} hold so far with {len(moved)} {'change' if len(moved) == 1 else 'changes'}.",
    )  # fmt: skip


def _said(
    proposals: list[ProposalOut], contradiction: list[int], between: bool, rig: Rig, looked: Looked
) -> str:  # fmt: skip
    if contradiction:
        those = [f"“{title_of(rig.wishes[i], looked)} {asked_of(rig.wishes[i])}”" for i in contradiction]  # fmt: skip
        if len(those) == 1:
            return f"{those[0]} cannot be reached with what is free to move."
        return f"{', '.join(those[:-1])} and {those[-1]} cannot hold together with what is free to move."  # fmt: skip
    if between:
        return "They hold together only between the steps that can be set: this is the nearest."
    if not proposals:
        return "Nothing that is free to move brings them nearer."
    return proposals[0].sentence


def traded(looked: Looked, one: int, other: int) -> tuple[Wish, Wish, float, float]:
    """The two wishes of a trade with their figures. Raises FonodromeError where they are no two."""
    wishes = looked.rig.wishes
    if not (0 <= one < len(wishes) and 0 <= other < len(wishes)) or one == other:
        raise FonodromeError("A trade is between two of the wishes.")
    a, b = wishes[one], wishes[other]
    now = [measured(w, looked).figure for w in (a, b)]
    if now[0] is None or now[1] is None:
        raise FonodromeError("One of the two has no figure here.")
    return a, b, now[0], now[1]


def trade(
    looked: Looked, settings: Sequence[Setting], one: int, other: int,
    stop: Callable[[], bool] = lambda: False,
) -> TradeOut:  # fmt: skip
    """What one wish costs another: the first held from where the second holds to where it does itself,
    the second brought as near as it can. All other musts hold. Raises FonodromeError.
    """
    rig = looked.rig
    a, b, *now = traded(looked, one, other)
    rest = tuple(
        w for i, w in enumerate(rig.wishes)
        if w.must and i not in (one, other) and measured(w, looked).figure is not None
    )  # fmt: skip
    memory: dict[Moved, dict[Hashable, Measured]] = {}

    def at(first: Wish, second: Wish, start: Values) -> Found:
        question = Question(looked, (first, second, *rest), settings, stop, memory=memory)
        return search(question, start, sparing=False)

    def held(wish: Wish, must: bool, **more: Any) -> Wish:
        return wish.model_copy(update={"must": must, **more})

    # Where the other one holds, and where the first does: the trade lies between.
    ends = [at(held(a, False), held(b, True), {}), at(held(a, True), held(b, False), {})]
    points: list[TradePoint] = []
    if all(end.figures[0] is not None and end.figures[1] is not None for end in ends):
        low, high = (float(end.figures[0] or 0.0) for end in ends)
        wide = max(abs(high - low) / 40, 0.02)
        for step in _POINTS:
            if stop() or (step and abs(high - low) < 2 * wide):
                break
            bound = low + (high - low) * step / 6
            found = ends[0] if step == 0 else ends[1]
            if 0 < step < 6:
                fixed = held(a, True, bound="about", value=bound, within=wide)
                found = at(fixed, held(b, False), ends[0].values if step < 3 else ends[1].values)
                if not found.fulfils:
                    continue
            assert found.figures[0] is not None
            assert found.figures[1] is not None
            points.append(
                TradePoint(
                    held_to=round(bound, 3), figure=found.figures[0], other=found.figures[1],
                    action=action_of(found.values), steps=round(found.change, 2),
                )
            )  # fmt: skip
        points = sorted(_undominated(points, low, b), key=lambda p: abs(p.figure - low))
    return TradeOut(
        one=title_of(a, looked), other=title_of(b, looked), one_unit=a.spec.unit,
        other_unit=b.spec.unit, one_asked=a.value, other_asked=b.value, points=points,
        now=[now[0], now[1]], sentence=_trade_said(a, b, points, looked),
    )  # fmt: skip


def _undominated(points: list[TradePoint], low: float, other: Wish) -> list[TradePoint]:
    """Those where no other point is farther along and no shorter of the other wish."""

    def worse(p: TradePoint, q: TradePoint) -> bool:
        along = abs(q.figure - low) - abs(p.figure - low)
        short = other.short_by(p.other) - other.short_by(q.other)
        return along >= 0 and short >= -0.01 and (along > 1e-9 or short > 0.01)

    return [p for p in points if not any(worse(p, q) for q in points if q is not p)]


def _trade_said(a: Wish, b: Wish, points: list[TradePoint], looked: Looked) -> str:
    if len(points) < 2:
        return "With what is free to move, the first of them cannot be moved any nearer."
    first, last = points[0], points[-1]
    if abs(last.figure - first.figure) < 1e-6:
        return "The first of them stays where it is."
    rate = (last.other - first.other) / abs(last.figure - first.figure)
    if abs(rate) < 0.01:
        return "The one costs the other nothing."
    return (
        f"Each {a.spec.apart} of {_within(title_of(a, looked))} costs "
        f"{fmt.significant(abs(rate), 2)} {b.spec.apart} of {_within(title_of(b, looked))}."
    )


def _within(title: str) -> str:
    """A title within a sentence: names in it keep their letters."""
    return title[:1].lower() + title[1:]
