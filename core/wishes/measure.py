"""What each wish measures in a rig: one function a kind, in its unit.

A figure is of the plan, at nominal levels or over the stored levels of the clip in hand: what a render of
the rig shows is another thing (`heard`), and is said to be.
"""

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from core.course.returns import wet_low_db
from core.course.tails import tail_at_db
from core.errors import FonodromeError
from core.routing import Context, Evaluation, Rig, compile_rig
from core.routing.document import kinds as k
from core.routing.document.wishes import Wish
from core.routing.evaluate.report import ArrivalOut, BoardOut
from core.routing.plan.model import Plan
from core.sheet import Owned, error_ms
from core.units import parse_time
from core.units.decibel import power_db, power_of
from core.wishes.apart import left_between_db
from core.wishes.over import ClipPart, Way, ducked_db, gain_over, in_time, recovery_s, reduction_db

QUIETER_DB = 20.0
_COMPLETE_DB = 60.0
"""A notch that is complete counts as so deep."""
_FLOOR_DB = -120.0
_MOST_TIMES = 12
_SILENCED_DB = -200.0
_SILENT = 1e-12
_OF_THE_CLIP = ("reduction", "ducking", "recovery", "loudness")
_STEEPEST = 100.0
_LOUDNESS_STEPS = 5
"""Levels between the quietest and the loudest of what counts at which the rig is looked at."""
_COUNTS_DB = 20.0
"""What is so far below the loudest moments brings next to nothing to their power."""


class NotThere(FonodromeError):
    """A wish about what is not there, or what has no such figure."""

    code = "wish"


@dataclass
class Looked:
    """A rig as it is looked at by all of its wishes: nothing is worked out twice."""

    rig: Rig
    context: Context
    clip: ClipPart | None = None
    """The clip in hand."""
    into: str = ""
    """The source that it plays into; none: the first."""
    others: Mapping[str, Rig] = field(default_factory=dict)
    """Other variants of the rig, by letter."""
    owned: Owned = field(default_factory=Owned)
    """Devices as their owner knows them."""

    @cached_property
    def e(self) -> Evaluation:
        return Evaluation(self.rig, self.context)

    @cached_property
    def _moved(self) -> dict[float, Plan]:
        return {0.0: self.e.plan}

    def at(self, by_db: float) -> Plan:
        """The plan with every source so much louder."""
        if by_db not in self._moved:
            self._moved[by_db] = self._louder({n.id: by_db for n in self._sources})
        return self._moved[by_db]

    @cached_property
    def at_crest(self) -> Plan:
        """The plan with every source as loud as its crest."""
        return self._louder({n.id: n.crest_db for n in self._sources})

    @property
    def _sources(self) -> list[k.Source]:
        return [n for n in self.rig.nodes.values() if isinstance(n, k.Source)]

    def _louder(self, by: Mapping[str, float]) -> Plan:
        nodes = {
            name: node.model_copy(update={"level_dbfs": node.level_dbfs + by[name]})
            if isinstance(node, k.Source)
            else node
            for name, node in self.rig.nodes.items()
        }
        return compile_rig(self.rig.model_copy(update={"nodes": nodes}), self.context)

    @cached_property
    def solo(self) -> "Looked":
        """The same with nothing but the clip sounding: other sources are silent."""
        others = {n.id: _SILENCED_DB for n in self._sources if n is not self.played}
        if not others:
            return self
        nodes = {
            name: node.model_copy(update={"level_dbfs": others[name]}) if name in others else node
            for name, node in self.rig.nodes.items()
        }
        return replace(self, rig=self.rig.model_copy(update={"nodes": nodes}))

    @property
    def by_level(self) -> bool:
        """Whether anything treats loud and quiet unlike."""
        return any(arc.by_level for arc in (*self.e.plan.arcs, *self.e.plan.back))

    @cached_property
    def phrases(self) -> ClipPart:
        """The clip in hand. Raises NotThere without one, or without a phrase in it."""
        if self.clip is None:
            raise NotThere("It is measured over a clip: bring one in.")
        if not self.clip.sounds.any():
            raise NotThere("The clip in hand is silent: there is no phrase in it.")
        return self.clip

    @cached_property
    def gapped(self) -> ClipPart:
        """The clip in hand. Raises NotThere where it has no gaps."""
        if self.phrases.rests.any():
            return self.phrases
        raise NotThere("The clip in hand has no gaps between its phrases.")

    @cached_property
    def played(self) -> k.Source:
        """The source that the clip plays into. Raises NotThere for a rig without one."""
        if not self._sources:
            raise NotThere("This rig has no source yet.")
        return next((n for n in self._sources if n.id == self.into), self._sources[0])

    def turning(self, name: str) -> np.ndarray:
        """Gain over the clip of a ducker or compressor. Raises FonodromeError."""
        if name not in self._turned:
            self._turned[name] = self._turn(name)
        return self._turned[name]

    @cached_property
    def _turned(self) -> dict[str, np.ndarray]:
        return {}

    def _turn(self, name: str) -> np.ndarray:
        node = self.part(name)
        assert not isinstance(node, k.Source)
        if k.is_bypassed(node):
            raise NotThere(f"{node.shown} is bypassed.", part=name)
        return gain_over(self.e.plan, node, self.phrases, self.played.level_dbfs)  # type: ignore[arg-type]

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

    def power(self, wish: Wish, those: Iterable[ArrivalOut]) -> float:
        """Of arrivals together: those of one source as far as they are in step, of several as powers."""
        wanted, total = {id(a) for a in those}, 0.0
        for board in self.boards(wish):
            places = [i for i, a in enumerate(board.arrivals) if id(a) in wanted]
            coupled = self.e.coupled[board.output, board.source][np.ix_(places, places)]
            total += max(0.0, float(coupled.sum())) * self.e.power_of_source(board.source)
        return total

    def _levelled(self, wish: Wish) -> list[tuple[float, ArrivalOut]]:
        name = self.output(wish)
        if name not in self._levels:
            self._levels[name] = self._all_levels(wish)
        return self._levels[name]

    @cached_property
    def _levels(self) -> dict[str, list[tuple[float, ArrivalOut]]]:
        return {}

    def _all_levels(self, wish: Wish) -> list[tuple[float, ArrivalOut]]:
        found: list[tuple[float, ArrivalOut]] = []
        for board in self.boards(wish):
            source = self.rig.nodes[board.source]
            level = source.level_dbfs if isinstance(source, k.Source) else 0.0
            found += [(a.gain_db + level, a) for a in board.arrivals]
        return sorted(found, key=lambda f: -f[0])


def figure_of(wish: Wish, looked: Looked) -> float:
    """What a wish measures, in its unit. Raises FonodromeError with a sentence where it has no figure."""
    over_clip = wish.kind in _OF_THE_CLIP or wish.during is not None
    figure = _FIGURES[wish.kind](wish, looked.solo if over_clip and looked.clip else looked)
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


def _out_level(plan: Plan, output: str) -> float:
    carried = plan.carried[plan.outputs[output]]
    if carried.grows:
        raise NotThere("A loop that grows feeds this output: it has no level.")
    return _FLOOR_DB if carried.level_dbfs is None else carried.level_dbfs


def _out_db(plan: Plan, output: str) -> float:
    """Power of both sides at an output in dB: a mono sound in the middle is as loud as it was."""
    _out_level(plan, output)
    return power_db(max(sum(plan.carried[plan.outputs[output]].total[:2]), _SILENT))


def source_db(source: k.Source) -> float:
    """Power of a source in dB, of both its sides."""
    return source.level_dbfs + (power_db(2.0) if source.stereo else 0.0)


def _gain(wish: Wish, looked: Looked) -> float:
    return _out_db(looked.e.plan, looked.output(wish)) - source_db(_loudest(wish, looked))


def _loudest(wish: Wish, looked: Looked) -> k.Source:
    """The source that sounds loudest at the output."""
    found = [looked.rig.nodes[board.source] for board in looked.boards(wish)]
    return max((n for n in found if isinstance(n, k.Source)), key=source_db)


def _peak_change(wish: Wish, looked: Looked) -> float:
    loudest = _loudest(wish, looked)
    return _out_db(looked.at_crest, looked.output(wish)) - source_db(loudest) - loudest.crest_db


def _ratio(wish: Wish, looked: Looked) -> float:
    output = looked.output(wish)
    if not looked.by_level:
        return 1.0
    out = _out_db(looked.at(1.0), output) - _out_db(looked.at(-1.0), output)
    return min(_STEEPEST, 2.0 / out) if out > 2.0 / _STEEPEST else _STEEPEST


def _loudness(wish: Wish, looked: Looked) -> float:
    clip, output = looked.phrases, looked.output(wish)
    came = clip.power[clip.sounds]
    if not looked.by_level:
        return _out_db(looked.e.plan, output) - source_db(looked.played)
    level = clip.db[clip.sounds] - looked.played.level_dbfs
    top = float(level.max())
    low = max(float(level.min()), top - _COUNTS_DB)
    # Whole steps of 2 dB, so that what was looked at for one clip serves others.
    grid = sorted({2.0 * round(g / 2) for g in np.linspace(low, top, _LOUDNESS_STEPS)})
    gains = [_out_db(looked.at(g), output) - source_db(looked.played) - g for g in grid]
    out = came * power_of(np.interp(level, grid, gains))
    return power_db(float(out.mean()) / float(came.mean()))


def _reduction(wish: Wish, looked: Looked) -> float:
    return reduction_db(looked.turning(wish.parts[0]), looked.phrases)


def _ducking(wish: Wish, looked: Looked) -> float:
    return ducked_db(looked.turning(wish.parts[0]), looked.phrases)


def _recovery(wish: Wish, looked: Looked) -> float:
    return recovery_s(looked.turning(wish.parts[0]), looked.gapped) * 1e3


def _null(wish: Wish, looked: Looked) -> float:
    assert wish.variant
    other = looked.others.get(wish.variant)
    if other is None:
        raise NotThere(f"There is no other variant {wish.variant} of this rig.")
    return left_between_db(looked.e, Evaluation(other, looked.context), looked.output(wish))


def _setting_error(wish: Wish, looked: Looked) -> float:
    node = looked.part(wish.parts[0])
    found = error_ms(node, looked.context, looked.owned)
    if found is None:
        raise NotThere(f"No device is known for {node.shown}: name one, or say how it reads.")
    return found


def _balance(wish: Wish, looked: Looked) -> float:
    own = [a for _, a in looked.through(wish, wish.parts[0])]
    if wish.against is not None:
        other = [a for _, a in looked.through(wish, wish.against)]
    else:
        mine = {id(a) for a in own}
        other = [a for _, a in looked.dry(wish) if id(a) not in mine]
    if not other:
        raise NotThere("Nothing dry arrives there to hold it against.")
    if wish.during is None:
        return _against(looked.power(wish, own), looked.power(wish, other))
    clip = looked.phrases if wish.during == "phrases" else looked.gapped
    wet = _in_time(wish, own, looked, clip, gaps=wish.during == "gaps")
    return _against(wet, _in_time(wish, other, looked, clip, gaps=False))


def _against(one: float, other: float) -> float:
    if other <= _SILENT:
        raise NotThere("What it is held against is silent.")
    if one <= _SILENT:
        raise NotThere("Nothing of what sounds goes through it.")
    return power_db(one / other)


def _in_time(
    wish: Wish, found: list[ArrivalOut], looked: Looked, clip: ClipPart, *, gaps: bool
) -> float:
    """Mean power of arrivals over the clip, those in step counted as they meet at nominal level."""
    source = looked.played
    mine = {id(a) for b in looked.boards(wish) if b.source == source.id for a in b.arrivals}
    those = [a for a in found if id(a) in mine]
    apart = looked.e.power_of_source(source.id) * sum(power_of(a.gain_db) for a in those)
    if apart <= _SILENT:
        return 0.0
    met = looked.power(wish, those) / apart
    return met * in_time([_way(looked, a) for a in those], clip, gaps=gaps)


def _way(looked: Looked, a: ArrivalOut) -> Way:
    """An arrival of what the clip plays into, as its levels go through it."""
    nodes = [looked.rig.nodes[n] for n in a.through if n in looked.rig.nodes]
    tail = next((n for n in nodes if getattr(n, "diffuse", False)), None)
    gains = [
        looked.turning(n.id) / max(_at_nominal(looked, n), 1e-6)
        for n in nodes
        if isinstance(n, k.Ducker) and n.way != "shape" and n.id in looked.e.plan.keys
    ]
    rt60 = tail.rt60_s if a.diffuse and isinstance(tail, k.Reverb) else None
    return Way(a.gain_db, a.time_ms / 1e3, rt60, tuple(gains))


def _at_nominal(looked: Looked, node: k.Ducker) -> float:
    """The gain that the plan counts for a ducker while its key sounds."""
    gains = [max(a.spread.rms) for a in looked.e.plan.arcs if a.stage is node and a.spread]
    return gains[0] if gains else 1.0


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
    if looked.clip is None:
        raise NotThere("Without a clip there are no entries: bring one in.")
    gaps_s = looked.clip.gaps_s
    if not gaps_s:
        raise NotThere("The clip in hand has no gaps: there is no entry to be clear of.")
    # The shortest gap leaves most of it.
    return tail_at_db(looked.e, min(gaps_s), _reverb(wish, looked).id)


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
        loudest += _going_on(looked, board, late)
        if not board.complete and board.arrivals:
            # The board lists the strongest: what it leaves out is no louder than the weakest of them.
            loudest.append(min(a.level_db for a in board.arrivals))
    return max(loudest)


def _going_on(looked: Looked, board: BoardOut, late_ms: float) -> list[float]:
    """Levels of what goes round more often than a board lists, at a time or at the first lap after it.

    Each way round is followed for some laps; from there on each lap takes as much as the last one took.
    """
    paths = looked.e.paths[board.output, board.source]
    families: dict[tuple[frozenset[str], bool], list[tuple[int, ArrivalOut]]] = {}
    for path, a in zip(paths, board.arrivals, strict=True):
        turns = path.repeats + path.laps
        if turns and not a.diffuse and a.wet_percent > 0:
            families.setdefault((path.owner_set, path.laps > 0), []).append((turns, a))
    found = []
    for family in families.values():
        family.sort(key=lambda one: (one[0], one[1].time_ms))
        if len(family) < 2:
            continue
        before, last = family[-2][1], family[-1][1]
        lap_ms, lost = last.time_ms - before.time_ms, before.level_db - last.level_db
        if lap_ms <= 0:
            continue
        more = max(1, math.ceil((late_ms - last.time_ms) / lap_ms))
        found.append(max(_FLOOR_DB, last.level_db - more * max(0.0, lost)))
    return found


def _pre_delay(wish: Wish, looked: Looked) -> float:
    reverb = _reverb(wish, looked)
    if reverb.id not in looked.e.plan.times_s:
        raise NotThere(f"{reverb.shown} has no pre-delay.", part=reverb.id)
    return abs(looked.e.plan.times_s[reverb.id] * 1e3 - _when_ms(wish, looked))


def _low_end(wish: Wish, looked: Looked) -> float:
    output = looked.output(wish)
    low = wet_low_db(looked.e, output)
    return _FLOOR_DB if low is None else low


def _loop_gain(wish: Wish, looked: Looked) -> float:
    gains = [loop.gain_db for loop in looked.e.loops]
    if not gains:
        raise NotThere("Nothing goes round in this rig: it has no loop.")
    return max(math.inf if gain is None else gain for gain in gains)


def _quiet_lift(wish: Wish, looked: Looked) -> float:
    output = looked.output(wish)
    loud, quiet = _out_db(looked.e.plan, output), _out_db(looked.at(-QUIETER_DB), output)
    return quiet + QUIETER_DB - loud


_FIGURES: dict[str, Callable[[Wish, Looked], float]] = {
    "level": _level, "peak": _peak, "gain": _gain, "balance": _balance, "spread": _spread,
    "mono_loss": _mono_loss, "comb": _comb, "tail": _tail, "repeats": _repeats,
    "pre_delay": _pre_delay, "low_end": _low_end, "loop_gain": _loop_gain,
    "quiet_lift": _quiet_lift, "peak_change": _peak_change, "ratio": _ratio,
    "reduction": _reduction, "ducking": _ducking, "recovery": _recovery, "loudness": _loudness,
    "null": _null, "setting_error": _setting_error,
}  # fmt: skip
