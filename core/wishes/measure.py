"""What each wish measures in a rig: one function a kind, in its unit.

A figure is of the plan, at nominal levels: what a render of the rig on a clip shows is another thing, and
is said to be.
"""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cached_property

from core.course.returns import low_end_db
from core.course.tails import TailRequest, tail_of
from core.errors import FonodromeError
from core.routing import Context, Evaluation, Rig
from core.routing.document import kinds as k
from core.routing.document.wishes import Wish
from core.routing.evaluate.report import ArrivalOut, BoardOut
from core.units import parse_time
from core.units.decibel import power_db, power_of

QUIETER_DB = 20.0
_COMPLETE_DB = 60.0
"""A notch that is complete counts as so deep."""
_FLOOR_DB = -120.0
_MOST_TIMES = 12


class NotThere(FonodromeError):
    """A wish about what is not there, or what has no such figure."""

    code = "wish"


@dataclass
class Looked:
    """A rig as it is looked at by all of its wishes: nothing is worked out twice."""

    rig: Rig
    context: Context
    gaps_s: tuple[float, ...] | None = None
    """Of the clip in hand; None without one."""

    @cached_property
    def e(self) -> Evaluation:
        return Evaluation(self.rig, self.context)

    @cached_property
    def quieter(self) -> Evaluation:
        """The same with every source 20 dB quieter."""
        nodes = {
            name: node.model_copy(update={"level_dbfs": node.level_dbfs - QUIETER_DB})
            if isinstance(node, k.Source)
            else node
            for name, node in self.rig.nodes.items()
        }
        return Evaluation(self.rig.model_copy(update={"nodes": nodes}), self.context)

    # What wishes name --------------------------------------------------------------------------
    def part(self, name: str) -> k.Node:
        node = self.rig.nodes.get(name)
        if node is None:
            raise NotThere(f"There is no “{name}” in this rig any more.", part=name)
        return node

    def output(self, wish: Wish) -> str:
        """The output that a wish is of. Raises NotThere."""
        name = wish.output or next(iter(self.e.plan.outputs), None)
        if name is None:
            raise NotThere("This rig has no output yet.")
        if name not in self.e.plan.outputs:
            raise NotThere(f"There is no output “{name}” in this rig any more.", part=name)
        return name

    def boards(self, wish: Wish) -> list[BoardOut]:
        name = self.output(wish)
        found = [b for b in self.e.boards if b.output == name]
        if not found:
            raise NotThere(f"Nothing arrives at {self.rig.nodes[name].shown}.")
        return found

    def through(self, wish: Wish, part: str) -> list[tuple[float, ArrivalOut]]:
        """Arrivals through a part with their levels in dBFS, the strongest first. Raises NotThere."""
        shown = self.part(part).shown
        found = [
            (level, a)
            for level, a in self._levelled(wish)
            if part in a.through or f"{part}.0" in a.through
        ]
        if not found:
            raise NotThere(f"Nothing that goes through {shown} arrives there.", part=part)
        return found

    def dry(self, wish: Wish) -> list[tuple[float, ArrivalOut]]:
        return [(level, a) for level, a in self._levelled(wish) if a.wet_percent == 0]

    def _levelled(self, wish: Wish) -> list[tuple[float, ArrivalOut]]:
        found: list[tuple[float, ArrivalOut]] = []
        for board in self.boards(wish):
            source = self.rig.nodes[board.source]
            level = source.level_dbfs if isinstance(source, k.Source) else 0.0
            found += [(a.gain_db + level, a) for a in board.arrivals]
        return sorted(found, key=lambda f: -f[0])


def figure_of(wish: Wish, looked: Looked) -> float:
    """What a wish measures, in its unit. Raises FonodromeError with a sentence where it has no figure."""
    figure = _FIGURES[wish.kind](wish, looked)
    if not math.isfinite(figure):
        raise NotThere("It has no figure here: something grows without end.")
    return figure


def pieces_of(wish: Wish, looked: Looked) -> list[float]:
    """Figures of which the wish's own is the largest, in an order that stays: each has a slope of its own
    where the largest changes hands. Raises FonodromeError as `figure_of` does.
    """
    if wish.kind == "spread":
        times = _times(wish, looked)[:_MOST_TIMES]
        return [a - b for i, a in enumerate(times) for j, b in enumerate(times) if i != j]
    return [figure_of(wish, looked)]


def _place(wish: Wish, looked: Looked) -> int:
    """The point of the plan behind a part, or at an output."""
    name = wish.parts[0]
    shown, plan = looked.part(name).shown, looked.e.plan
    point = plan.outputs.get(name, plan.outlet.get(f"{name}.0"))
    if point is None:
        raise NotThere(f"Nothing leaves {shown}.", part=name)
    if plan.carried[point].grows:
        raise NotThere(f"A loop feeds {shown} that grows: it has no level.", part=name)
    return point


def _level(wish: Wish, looked: Looked) -> float:
    level = looked.e.plan.carried[_place(wish, looked)].level_dbfs
    return _FLOOR_DB if level is None else level


def _peak(wish: Wish, looked: Looked) -> float:
    peak = looked.e.plan.carried[_place(wish, looked)].peak_dbfs
    return _FLOOR_DB if peak is None else peak


def _out_level(e: Evaluation, output: str) -> float:
    carried = e.plan.carried[e.plan.outputs[output]]
    if carried.grows:
        raise NotThere("A loop that grows feeds this output: it has no level.")
    return _FLOOR_DB if carried.level_dbfs is None else carried.level_dbfs


def _gain(wish: Wish, looked: Looked) -> float:
    output = looked.output(wish)
    levels = []
    for board in looked.boards(wish):
        source = looked.rig.nodes[board.source]
        assert isinstance(source, k.Source)
        levels.append(source.level_dbfs)
    return _out_level(looked.e, output) - max(levels)


def _power(arrivals: Iterable[tuple[float, ArrivalOut]]) -> float:
    return sum(power_of(level) for level, _ in arrivals)


def _balance(wish: Wish, looked: Looked) -> float:
    own = looked.through(wish, wish.parts[0])
    if wish.against is not None:
        other = looked.through(wish, wish.against)
    else:
        other = [(level, a) for level, a in looked.dry(wish) if not _within(a, own)]
    if not other:
        raise NotThere("Nothing dry arrives there to hold it against.")
    return power_db(_power(own) / _power(other))


def _within(one: ArrivalOut, own: list[tuple[float, ArrivalOut]]) -> bool:
    return any(one is a for _, a in own)


def _times(wish: Wish, looked: Looked) -> list[float]:
    """Of the arrivals that shall be together or apart, in an order that stays."""
    if wish.parts:
        times = [looked.through(wish, part)[0][1].time_ms for part in wish.parts]
    else:
        # By the parts on the way: a delay set on a rail makes another arrival of it, at the same place.
        nodes = looked.rig.nodes
        dry = [a for _, a in looked.dry(wish) if not a.leak]
        dry.sort(key=lambda a: [one for one in a.through if one in nodes])
        times = [a.time_ms for a in dry]
    if len(times) < 2:
        raise NotThere("There is only one arrival of these: nothing to be together with.")
    return times


def _spread(wish: Wish, looked: Looked) -> float:
    times = _times(wish, looked)
    return max(times) - min(times)


def _mono_loss(wish: Wish, looked: Looked) -> float:
    losses = [-(b.sums.mono_db or 0.0) for b in looked.boards(wish) if b.sums is not None]
    return max(0.0, *losses)


def _comb(wish: Wish, looked: Looked) -> float:
    low, high = wish.low_hz or 20.0, wish.high_hz or 20_000.0
    depths = [
        _COMPLETE_DB if notch.depth_db is None else min(_COMPLETE_DB, abs(notch.depth_db))
        for board in looked.boards(wish) if board.sums is not None
        for notch in board.sums.notches if low <= notch.hz <= high
    ]  # fmt: skip
    cancels = any(board.sums is not None and board.sums.cancels for board in looked.boards(wish))
    return _COMPLETE_DB if cancels else max(depths, default=0.0)


def _reverb(wish: Wish, looked: Looked) -> k.Node:
    if wish.parts:
        return looked.part(wish.parts[0])
    found = [n for n in looked.rig.of_type((k.Reverb,)) if not k.is_bypassed(n)]
    if not found:
        raise NotThere("This rig has no reverb that sounds.")
    node: k.Node = found[0]
    return node


def _tail(wish: Wish, looked: Looked) -> float:
    if looked.gaps_s is None:
        raise NotThere("Without a clip there are no entries: bring one in.")
    if not looked.gaps_s:
        raise NotThere("The clip in hand has no gaps: there is no entry to be clear of.")
    reverb = _reverb(wish, looked)
    out = tail_of(looked.e, TailRequest(gaps_s=list(looked.gaps_s), reverb=reverb.id))
    return max(gap.tail_db for gap in out.gaps)


def _when_ms(wish: Wish, looked: Looked) -> float:
    return parse_time(wish.when, looked.context.frame)[0] * 1e3


def _repeats(wish: Wish, looked: Looked) -> float:
    after = _when_ms(wish, looked)
    loudest = [_FLOOR_DB]
    for board in looked.boards(wish):
        echoes = [a for a in board.arrivals if not a.diffuse and a.wet_percent > 0]
        # A rounding of the time is no echo that comes in time.
        late = board.reference_ms + after - 1e-6
        loudest += [a.level_db for a in echoes if a.time_ms >= late]
        if not board.complete and board.arrivals:
            # The board lists the strongest: what it leaves out is no louder than the weakest of them.
            loudest.append(min(a.level_db for a in board.arrivals))
    return max(loudest)


def _pre_delay(wish: Wish, looked: Looked) -> float:
    reverb = _reverb(wish, looked)
    if reverb.id not in looked.e.plan.times_s:
        raise NotThere(f"{reverb.shown} has no pre-delay.", part=reverb.id)
    return abs(looked.e.plan.times_s[reverb.id] * 1e3 - _when_ms(wish, looked))


def _low_end(wish: Wish, looked: Looked) -> float:
    output = looked.output(wish)
    low = low_end_db(looked.e, output)
    return _FLOOR_DB if low is None else low


def _loop_gain(wish: Wish, looked: Looked) -> float:
    gains = [loop.gain_db for loop in looked.e.loops]
    if not gains:
        raise NotThere("Nothing goes round in this rig: it has no loop.")
    return max(math.inf if gain is None else gain for gain in gains)


def _quiet_lift(wish: Wish, looked: Looked) -> float:
    output = looked.output(wish)
    loud, quiet = _out_level(looked.e, output), _out_level(looked.quieter, output)
    return quiet + QUIETER_DB - loud


_FIGURES: dict[str, Callable[[Wish, Looked], float]] = {
    "level": _level, "peak": _peak, "gain": _gain, "balance": _balance, "spread": _spread,
    "mono_loss": _mono_loss, "comb": _comb, "tail": _tail, "repeats": _repeats,
    "pre_delay": _pre_delay, "low_end": _low_end, "loop_gain": _loop_gain,
    "quiet_lift": _quiet_lift,
}  # fmt: skip
