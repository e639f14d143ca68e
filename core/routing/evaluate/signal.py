"""The signal model: what every point of a plan carries, per source and side, in step and diffuse.

Going forward along the arcs, each point holds, for every side of every source, its arrivals (time,
filters, gains to left and right) and the diffuse power over cells of frequency. Arrivals of one
source add as amplitudes as far as its own spectrum leaves them alike at the time between them;
diffuse parts, unlike sides and different sources add as powers. What depends on level gets its gain
here, from the level and crest that arrive at it. Repeats and laps are followed one by one as long
as they matter; the rest of their geometric series is added as power.
"""

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.evaluate.shapes import (
    FAR_TICKS,
    SHAPES,
    TICKS,
    cell_power,
    fine_delay,
    fine_response,
    number_of,
    shared_power,
    spectrum_number,
)
from core.routing.plan.build import Context, build_plan
from core.routing.plan.carried import Carried, Power
from core.routing.plan.cells import CELLS, CREST_DB, in_common
from core.routing.plan.laws import Heard, needs_cells, operate
from core.routing.plan.model import Arc, Matrix, Plan, SelfLoop, size, times
from core.routing.plan.spread import Spread, of_matrix, swinging, taps_over
from core.units.decibel import db_gain, power_db

MOST_ARRIVALS = 48
_FLOOR = 1e-3
"""A repeat or lap this far below the first is left to the rest of the series."""
_MOST_REPEATS = 12
_MOST_SHORT_REPEATS = 40
_SHORT_S = 0.06
_MOST_LAPS = 8
_SETTLING = 12
_GROWING = 1 - 1e-9
_NOISE = db_gain(CREST_DB)
_TAIL_CREST = 5.0
"""Peak against RMS of what is diffuse: of a normal process over some minutes."""
_PHASE = 1.2
"""What filters may add to a peak by phase alone, beyond what they pass of its power."""


@dataclass(frozen=True, slots=True)
class Column:
    """One side of one source: its number, RMS amplitude, spectrum and crest (linear)."""

    source: str
    side: int
    amplitude: float
    weights: np.ndarray
    crest: float
    number: int
    """Of its spectrum, for what is remembered of pairs."""
    alike: float


Arriving = dict[tuple[int, int, bool], list[float]]
"""(ticks, response, wet) to [left, right, peak]: gains, and what a peak meets against the gain."""


class State:
    """What a point holds: arrivals by column, diffuse power (3, CELLS) by (source, wet)."""

    __slots__ = ("arriving", "diffuse", "grids")

    def __init__(self) -> None:
        self.arriving: dict[int, Arriving] = {}
        self.diffuse: dict[tuple[str, bool], np.ndarray] = {}
        self.grids: dict[tuple[int, bool], np.ndarray] = {}
        """(column, wet) to (2, fine places): what arrives over too many ways to list."""

    def __bool__(self) -> bool:
        return bool(self.arriving or self.diffuse or self.grids)

    def grid(self, name: tuple[int, bool], transfer: np.ndarray) -> None:
        have = self.grids.get(name)
        self.grids[name] = transfer if have is None else have + transfer

    def take(self, other: "State") -> None:
        for column, found in other.arriving.items():
            mine = self.arriving.setdefault(column, {})
            for key, (left, right, peak) in found.items():
                _meet(mine, key, left, right, peak)
        for name, power in other.diffuse.items():
            self.spread(name, power)
        for place, transfer in other.grids.items():
            self.grid(place, transfer)

    def spread(self, name: tuple[str, bool], power: np.ndarray) -> None:
        have = self.diffuse.get(name)
        self.diffuse[name] = power if have is None else have + power


def _meet(
    into: Arriving, key: tuple[int, int, bool], left: float, right: float, peak: float
) -> None:
    have = into.get(key)
    if have is None:
        into[key] = [left, right, peak]
    else:
        have[0] += left
        have[1] += right
        have[2] = max(have[2], peak)


class Signals(Mapping[int, Carried]):
    """What each point of a plan carries; computed at once, summed up when asked for."""

    def __init__(self, rig: Rig, plan: Plan, context: Context, *, hold: bool = False) -> None:
        """hold: stages that work by level keep the gains that they have, as in a part of a plan
        whose whole was carried before.
        """
        SHAPES.trim()
        self.plan, self.hold = plan, hold
        self.columns = list(_columns(rig, plan, context))
        self.states: list[State] = [State() for _ in range(plan.points)]
        self.times: list[tuple[float, float, float | None]] = [
            (math.inf, math.inf, None)
        ] * plan.points
        self.caps: list[tuple[float, float]] = [(0.0, 0.0)] * plan.points
        self.grows: set[int] = set()
        self.found: dict[int, Carried] = {}
        self.ripe: set[int] = set()
        self.leaving: dict[int, list[Arc]] = {}
        for arc in plan.arcs:
            self.leaving.setdefault(arc.source, []).append(arc)
        self._run()

    # As a mapping ------------------------------------------------------------------------------
    def __getitem__(self, point: int) -> Carried:
        found = self.found.get(point)
        if found is None:
            found = self.found[point] = self._summed(point)
        return found

    def __iter__(self) -> Iterator[int]:
        return iter(range(self.plan.points))

    def __len__(self) -> int:
        return self.plan.points

    # Going forward -----------------------------------------------------------------------------
    def _run(self) -> None:
        plan = self.plan
        for column, one in enumerate(self.columns):
            point = plan.sources[one.source]
            gains = (1.0, 0.0) if one.side == 0 else (0.0, 1.0)
            self.states[point].arriving[column] = {(0, 0, False): [*gains, one.crest]}
            self.times[point] = (0.0, math.inf, 0.0)
            top = one.amplitude * one.crest
            have = self.caps[point]
            self.caps[point] = (top, have[1]) if one.side == 0 else (have[0], top)
        self._forward(plan.arcs)
        if plan.back:
            self._laps()
            again = [
                a
                for a in plan.arcs
                if a.by_level and a.stage is not None and a.stage.id in plan.in_cycle
            ]
            if again and not self.hold:
                # Once more, at the levels that the laps bring; they hardly move after that.
                self._once_more(again)
        for point in range(plan.points):
            self._finish(point)

    def _forward(self, arcs: Iterable[Arc]) -> None:
        for arc in arcs:
            here = arc.source
            if here not in self.ripe:
                self._finish(here)
            spread = arc.spread
            if arc.by_level and not self.hold:
                assert arc.stage is not None
                spread = arc.spread = operate(
                    arc.stage, self._heard(here, arc.stage), self._key(arc.stage)
                )
                arc.matrix = times(arc.bare, (spread.rms[0], 0.0, 0.0, spread.rms[1]))
            self._cross(arc, spread, self.states[here], self.states[arc.target])
            self._carry_times(arc)
            self._carry_caps(arc, spread)
            if here in self.grows:
                self.grows.add(arc.target)

    def _key(self, stage: k.Stage) -> Heard | None:
        point = self.plan.keys.get(stage.id)
        return None if point is None else self._heard(point, stage)

    def _heard(self, point: int, stage: k.Stage) -> Heard:
        state = self.states[point]
        left, right, common = self._power(state)
        crest = self._crest(state)
        cells = None
        if needs_cells(stage):
            whole = self._cells(state)
            cells = whole[0] if whole[0].sum() >= whole[1].sum() else whole[1]
        both = math.sqrt(left * right)
        return Heard(
            left, right, common / both if both > 0 else 1.0, power_db(crest * crest), cells
        )

    def _crest(self, state: State) -> float:
        """Of what a point holds: the crests of its parts by power, none above its source's."""
        top = total = 0.0
        for column, found in state.arriving.items():
            one = self.columns[column]
            weight = one.amplitude**2
            for left, right, peak in found.values():
                power = weight * (left * left + right * right)
                total += power
                top += power * min(peak, one.crest) ** 2
        for spread in state.diffuse.values():
            part = float(spread[0].sum() + spread[1].sum())
            total += part
            top += part * _NOISE**2
        return math.sqrt(top / total) if total > 0 else _NOISE

    def _cross(self, arc: Arc, spread: Spread | None, came: State, goes: State) -> None:
        """What a state becomes across an arc, added to another."""
        if not came:
            return
        ticks = round(arc.delay_s * TICKS)
        shape = (
            0
            if arc.stage is not None and isinstance(arc.stage, k.Swept) and spread is not None
            else number_of(arc.shape)
        )
        loudest, ceiling = 1.0, math.inf
        if spread is None:
            a, b, c, d = arc.bare if arc.stage is not None else arc.matrix
        else:
            m = arc.bare
            left_gain, right_gain = spread.gain
            a, b, c, d = m[0] * left_gain, m[1] * right_gain, m[2] * left_gain, m[3] * right_gain
            loudest, ceiling = spread.loudest, spread.ceiling
            if spread.shape is not None:
                shape = SHAPES.joined(shape, SHAPES.number(spread, spread.shape))
        if a or b or c or d:
            wet_here = arc.wet
            joined = SHAPES.joined
            taps = [(g, ticks + round(t * TICKS)) for g, t in arc.taps]
            for column, found in came.arriving.items():
                into = goes.arriving.setdefault(column, {})
                amplitude = self.columns[column].amplitude
                for (at, response, wet), (left, right, peak) in found.items():
                    gl, gr = a * left + b * right, c * left + d * right
                    if gl == 0.0 and gr == 0.0:
                        continue
                    top = peak
                    if spread is not None and arc.by_level:
                        top = _peak_after(
                            spread, peak, amplitude * math.hypot(left, right), loudest, ceiling
                        )
                    filtered = joined(response, shape) if shape else response
                    for gain, late in taps:
                        key = (at + late, filtered, wet or wet_here)
                        have = into.get(key)
                        if have is None:
                            into[key] = [gain * gl, gain * gr, top]
                        else:
                            have[0] += gain * gl
                            have[1] += gain * gr
                            have[2] = max(have[2], top)
        for (column, wet), transfer in came.grids.items():
            left, right = transfer
            late = fine_response(shape) * fine_delay(arc.delay_s)
            if len(arc.taps) > 1:
                late = late * sum(g * fine_delay(t) for g, t in arc.taps)
            gone = np.stack([(a * left + b * right) * late, (c * left + d * right) * late])
            goes.grid((column, wet or arc.wet), gone)
        if came.diffuse or (spread is not None and spread.kernel is not None):
            self._cross_diffuse(arc, spread, shape, came, goes)

    def _cross_diffuse(
        self, arc: Arc, spread: Spread | None, shape: int, came: State, goes: State
    ) -> None:
        behind = of_matrix(np.array([[arc.bare[0], arc.bare[1]], [arc.bare[2], arc.bare[3]]]))
        if spread is None and arc.stage is None:
            m = arc.matrix
            behind = of_matrix(np.array([[m[0], m[1]], [m[2], m[3]]]))
        over = np.abs(SHAPES.held[number_of(arc.shape)]) ** 2 if arc.shape is not None else None
        if isinstance(arc.stage, k.Swept) and spread is not None:
            over = None
        echoes = sum(g * g for g, _ in arc.taps) if len(arc.taps) > 1 else 1.0
        if len(arc.taps) > 1 and max(t for _, t in arc.taps) < _SHORT_S:
            near = np.abs(taps_over(arc.taps)) ** 2
            over = near if over is None else over * near
            echoes = 1.0
        made: dict[tuple[str, bool], np.ndarray] = {}

        def add(name: tuple[str, bool], power: np.ndarray) -> None:
            have = made.get(name)
            made[name] = power if have is None else have + power

        steady = None
        if spread is not None:
            left, right = spread.gain
            factor = 1.0 if spread.shape is None else np.abs(spread.shape) ** 2
            steady = (left * left * factor, right * right * factor, left * right * factor)
        for (source, wet), power in came.diffuse.items():
            kept = power if steady is None else np.stack([power[i] * steady[i] for i in range(3)])
            if spread is not None and spread.kernel is not None:
                kept = kept + np.einsum("ijc,jc->ic", spread.kernel, power)
            add((source, wet or arc.wet), kept)
        if spread is not None and spread.kernel is not None:
            for source, wet, power in self._coherent_cells(came):
                add((source, wet or arc.wet), np.einsum("ijc,jc->ic", spread.kernel, power))
        for name, power in made.items():
            whole = behind @ power
            if over is not None:
                whole = whole * over
            goes.spread(name, whole * echoes if echoes != 1.0 else whole)

    def _finish(self, point: int) -> None:
        """Once all that comes in is there: the loop it feeds to itself, and no more arrivals than can
        be handled.
        """
        if point in self.ripe:
            return
        self.ripe.add(point)
        loop = self.plan.loops.get(point)
        state = self.states[point]
        if loop is not None and state:
            self.states[point] = state = self._rung(point, loop, state)
        self._thin(state)

    def _thin(self, state: State) -> None:
        """Too many arrivals to list go on as a transfer over fine places of frequency."""
        gridded = {column for column, _ in state.grids}
        for column, found in state.arriving.items():
            if len(found) <= MOST_ARRIVALS and column not in gridded:
                continue
            for (at, response, wet), (left, right, _) in found.items():
                seen = fine_response(response) * fine_delay(at / TICKS)
                state.grid((column, wet), np.stack([left * seen, right * seen]))
            state.arriving[column] = {}

    def _rung(self, point: int, loop: SelfLoop, state: State) -> State:
        """A state with all its repeats: the first ones as arrivals, the rest as power."""
        swapped = loop.matrix[0] == 0.0 and loop.matrix[3] == 0.0
        gain = loop.matrix[1] if swapped else loop.matrix[0]
        shape = number_of(loop.shape)
        seen = np.abs(SHAPES.held[shape]) ** 2
        steady = np.ones(CELLS)
        if isinstance(loop.insert, k.Drive):
            # Unity for what is quiet; above that the shaper holds every lap down.
            gain *= self._held_down(loop.insert, self._heard_state(state), abs(gain))
        elif isinstance(loop.insert, k.Chorus):
            swung = swinging(loop.insert.depth_ms / 1e3, False)
            assert swung.shape is not None
            steady = swung.shape.real
            shape = SHAPES.joined(shape, SHAPES.number(swung, swung.shape))
        top = abs(gain) * math.sqrt(float(seen.max()))
        if top >= _GROWING:
            self.grows.add(point)
            gain = math.copysign(min(abs(gain), 0.999 / math.sqrt(float(seen.max()))), gain)
        lap = round(loop.delay_s * TICKS)
        most = _MOST_SHORT_REPEATS if loop.delay_s < _SHORT_S else _MOST_REPEATS
        out = State()
        out.take(state)
        entering = list(self._coherent_cells(state))
        turn = {True: (1, 0, 2), False: (0, 1, 2)}
        now, response, total = 1.0, 0, 0
        for count in range(1, most + 1):
            now *= gain
            if abs(now) < _FLOOR:
                break
            response = SHAPES.joined(response, shape)
            total = count
            flip = swapped and count % 2 == 1
            for column, found in state.arriving.items():
                into = out.arriving[column]
                for (at, filtered, wet), (left, right, peak) in found.items():
                    if flip:
                        left, right = right, left
                    key = (at + count * lap, SHAPES.joined(filtered, response), wet)
                    _meet(into, key, now * left, now * right, peak)
        out.grids = {}
        for place, transfer in state.grids.items():
            turned = gain * fine_response(shape) * fine_delay(loop.delay_s)
            if swapped:
                both = 1 / (1 - turned * turned)
                out.grids[place] = (transfer + turned * transfer[::-1]) * both
            else:
                out.grids[place] = transfer / (1 - turned)
        z = (gain * gain) * seen
        ratio = z**total
        scatter = None
        if np.any(steady != 1.0):
            # What the laps spread: all their power less what is still in step.
            whole = z * (1 - ratio) / (1 - z)
            still = z * steady**2
            scatter = np.maximum(whole - still * (1 - still**total) / (1 - still), 0)
        # From the lap after the last one listed on.
        first, pairs = z ** (total + 1), 1 / (1 - z * z)
        odd = (total + 1) % 2 == 1
        powers = [(s, w, p, True) for s, w, p in entering]
        powers += [(s, w, p, False) for (s, w), p in state.diffuse.items()]
        for source, wet, power, listed in powers:
            begin = first if listed else z
            begins_odd = odd if listed else True
            if swapped:
                here = power[list(turn[begins_odd])]
                there = power[list(turn[not begins_odd])]
                rest = begin * pairs * (here + z * there)
            else:
                rest = begin / (1 - z) * power
            if listed and scatter is not None:
                rest = rest + scatter * power
            out.spread((source, wet), rest)
        return out

    def _held_down(self, insert: k.Drive, heard: Heard, gain: float) -> float:
        """What a drive in a loop leaves of each lap once dry sound and laps have settled."""
        back, held = db_gain(insert.output_db), 1.0
        for _ in range(_SETTLING):
            lift = 1 / (1 - min(0.98, gain * held) ** 2)
            louder = replace(heard, left=heard.left * lift, right=heard.right * lift)
            held = 0.5 * (held + min(1.0, max(operate(insert, louder, None).rms) * back))
        return held

    def _heard_state(self, state: State) -> Heard:
        left, right, common = self._power(state)
        both = math.sqrt(left * right)
        return Heard(
            left, right, common / both if both > 0 else 1.0, power_db(self._crest(state) ** 2)
        )

    # Cycles ------------------------------------------------------------------------------------
    def _laps(self) -> None:
        """What goes back along the rails that close cycles, lap by lap, and the rest as power."""
        coming = {arc.target: State() for arc in self.plan.back}
        for arc in self.plan.back:
            self._finish(arc.source)
            self._cross(arc, arc.spread, self.states[arc.source], coming[arc.target])
        start = self._strength(coming)
        for _ in range(_MOST_LAPS):
            if self._strength(coming) <= start * _FLOOR**2 or start == 0:
                break
            coming = self._lap(coming, keep=True)
        if self._strength(coming) > 0:
            self._rest(coming)
        self.found.clear()

    def _lap(self, coming: dict[int, State], *, keep: bool) -> dict[int, State]:
        """One more time through all that lies behind; what comes back at the closing rails."""
        moving: dict[int, State] = {}
        for point, state in coming.items():
            fresh = State()
            fresh.take(state)
            moving[point] = fresh
        done: set[int] = set()

        def arrived(point: int) -> State:
            state = moving.get(point)
            if state is None or not state:
                return State()
            if point not in done:
                done.add(point)
                loop = self.plan.loops.get(point)
                if loop is not None:
                    moving[point] = state = self._rung(point, loop, state)
                self._thin(state)
                if keep:
                    self.states[point].take(state)
                    self._thin(self.states[point])
            return state

        for arc in self.plan.arcs:
            state = arrived(arc.source)
            if state:
                self._cross(arc, arc.spread, state, moving.setdefault(arc.target, State()))
        for point in list(moving):
            arrived(point)
        back = {arc.target: State() for arc in self.plan.back}
        for arc in self.plan.back:
            if arc.source in moving:
                self._cross(arc, arc.spread, moving[arc.source], back[arc.target])
        return back

    def _strength(self, states: dict[int, State]) -> float:
        return sum(sum(self._power(state)[:2]) for state in states.values())

    def _rest(self, coming: dict[int, State]) -> None:
        """Laps without end, as power: x = coming + K x, solved per cell, then carried on once."""
        targets = list(coming)
        names = sorted({n for s in coming.values() for n in self._all_power(s)})
        if not names:
            return
        probe = ("", True)
        size_ = 3 * len(targets)
        system = np.zeros((CELLS, size_, size_))
        for j, target in enumerate(targets):
            for c in range(3):
                unit = State()
                power = np.zeros((3, CELLS))
                power[c] = 1.0
                unit.diffuse[probe] = power
                back = self._lap({target: unit}, keep=False)
                for i, other in enumerate(targets):
                    found = back[other].diffuse.get(probe)
                    if found is not None:
                        system[:, 3 * i : 3 * i + 3, 3 * j + c] = found.T
        radius = float(np.abs(np.linalg.eigvals(system)).max())
        if radius >= _GROWING:
            for target in targets:
                self.grows.add(target)
                self._mark_growing(target)
            system *= 0.999 / radius
        start = np.zeros((CELLS, size_, len(names)))
        for i, target in enumerate(targets):
            held = self._all_power(coming[target])
            for n, name in enumerate(names):
                if name in held:
                    start[:, 3 * i : 3 * i + 3, n] = held[name].T
        solved = np.linalg.solve(np.eye(size_)[None] - system, start)
        on: dict[int, State] = {}
        for i, target in enumerate(targets):
            state = State()
            for n, name in enumerate(names):
                state.diffuse[name] = np.maximum(solved[:, 3 * i : 3 * i + 3, n].T, _LEAST)
            on[target] = state
        self._lap(on, keep=True)

    def _mark_growing(self, point: int) -> None:
        todo, seen = [point], {point}
        while todo:
            here = todo.pop()
            self.grows.add(here)
            for arc in self.leaving.get(here, ()):
                if arc.target not in seen:
                    seen.add(arc.target)
                    todo.append(arc.target)

    def _once_more(self, arcs: list[Arc]) -> None:
        gains = {
            id(arc): operate(arc.stage, self._heard(arc.source, arc.stage), self._key(arc.stage))
            for arc in arcs
            if arc.stage is not None
        }
        held = {a.stage.id for a in arcs if a.stage is not None}
        self.states = [State() for _ in range(self.plan.points)]
        self.ripe.clear()
        for column, one in enumerate(self.columns):
            ends = (1.0, 0.0) if one.side == 0 else (0.0, 1.0)
            point = self.plan.sources[one.source]
            self.states[point].arriving[column] = {(0, 0, False): [*ends, one.crest]}
        for arc in self.plan.arcs:
            if arc.source not in self.ripe:
                self._finish(arc.source)
            if id(arc) in gains:
                arc.spread = gains[id(arc)]
            elif arc.by_level and arc.stage is not None and arc.stage.id not in held:
                arc.spread = operate(
                    arc.stage, self._heard(arc.source, arc.stage), self._key(arc.stage)
                )
            if arc.by_level and arc.spread is not None:
                arc.matrix = times(arc.bare, (arc.spread.rms[0], 0.0, 0.0, arc.spread.rms[1]))
            self._cross(arc, arc.spread, self.states[arc.source], self.states[arc.target])
        self._laps()

    # Times and peaks ---------------------------------------------------------------------------
    def _carry_times(self, arc: Arc) -> None:
        dry_s, wet_s, latency = self.times[arc.source]
        dry_to, wet_to, late_to = self.times[arc.target]
        if not arc.wet:
            dry_to = min(dry_to, dry_s + arc.delay_s)
        reached = min(wet_s, dry_s) if arc.wet else wet_s
        wet_to = min(wet_to, reached + arc.delay_s)
        if not arc.wet and not arc.diffuse and latency is not None:
            late = latency + arc.delay_s - arc.wanted_s
            late_to = late if late_to is None else max(late_to, late)
        self.times[arc.target] = (dry_to, wet_to, late_to)

    def _carry_caps(self, arc: Arc, spread: Spread | None) -> None:
        """What no peak can pass, whatever adds up: amplitudes along every way, and ceilings."""
        left, right = self.caps[arc.source]
        loop = self.plan.loops.get(arc.source)
        if loop is not None and (left or right):
            g = size(loop.matrix)
            left = right = math.inf if g >= _GROWING else max(left, right) / (1 - g)
        a, b, c, d = (
            (abs(x) for x in arc.bare) if arc.stage is not None else (abs(x) for x in arc.matrix)
        )
        lift = 1.0 if arc.shape is None else 2.0 * max(1.0, arc.shape.top)
        if spread is not None:
            if arc.diffuse or spread.shape is not None:
                lift = math.inf
            elif spread.kernel is not None and not arc.by_level:
                lift = max(lift, spread.loudest)
            left, right = _capped(left, spread), _capped(right, spread)
        have = self.caps[arc.target]
        into = (
            have[0] + lift * (_by(a, left) + _by(b, right)) if a or b else have[0],
            have[1] + lift * (_by(c, left) + _by(d, right)) if c or d else have[1],
        )
        self.caps[arc.target] = into

    # Sums --------------------------------------------------------------------------------------
    def _of_arrivals(
        self, column: int, found: list[tuple[tuple[int, int, bool], list[float]]]
    ) -> Power:
        one = self.columns[column]
        scale = one.amplitude**2
        if len(found) == 1:
            (_, response, _), (left, right, _) = found[0]
            if response:
                scale *= shared_power(one.number, one.weights, response, response, 0)
            return scale * left * left, scale * right * right, scale * left * right
        number, weights, common = one.number, one.weights, SHAPES.common
        left_sum = right_sum = both = 0.0
        found.sort(key=_when)
        for i, ((at, response, _), (left, right, _)) in enumerate(found):
            own = 1.0 if response == 0 else shared_power(number, weights, response, response, 0)
            left_sum += own * left * left
            right_sum += own * right * right
            both += own * left * right
            for j in range(i - 1, -1, -1):
                (other_at, other, _), (l2, r2, _) = found[j]
                apart = at - other_at
                if apart > FAR_TICKS:
                    break
                if response <= other:
                    shared = common.get((number, response, other, apart))
                else:
                    shared = common.get((number, other, response, -apart))
                if shared is None:
                    shared = shared_power(number, weights, response, other, apart)
                left_sum += 2 * shared * left * l2
                right_sum += 2 * shared * right * r2
                both += shared * (left * r2 + right * l2)
        return max(0.0, left_sum * scale), max(0.0, right_sum * scale), both * scale

    def _coherent(self, state: State, which: bool | None = None) -> dict[str, list[float]]:
        """Power of the arrivals by source; of the dry or wet ones alone where `which` says so."""
        found: dict[str, list[float]] = {}
        for column, arriving in state.arriving.items():
            items = [x for x in arriving.items() if which is None or x[0][2] == which]
            if not items:
                continue
            power = self._of_arrivals(column, items)
            total = found.setdefault(self.columns[column].source, [0.0, 0.0, 0.0])
            for i in range(3):
                total[i] += power[i]
            if self.columns[column].side == 1 and self.columns[column].alike:
                self._add_alike(state, column, which, total)
        for column, own in self._gridded(state, which):
            one = self.columns[column]
            total = found.setdefault(one.source, [0.0, 0.0, 0.0])
            sums = (own * one.weights).sum(axis=1) * one.amplitude**2
            for i in range(3):
                total[i] += float(sums[i])
        return found

    def _gridded(self, state: State, which: bool | None) -> Iterator[tuple[int, np.ndarray]]:
        """(column, (3, CELLS)): means over each cell of what was too much to list."""
        for column in dict.fromkeys(column for column, _ in state.grids):
            wanted = (False, True) if which is None else (which,)
            parts = [state.grids[column, wet] for wet in wanted if (column, wet) in state.grids]
            if parts:
                yield column, cell_power(sum(parts[1:], parts[0]))

    def _add_alike(self, state: State, column: int, which: bool | None, total: list[float]) -> None:
        """What the two sides of a stereo source have in common."""
        right = self.columns[column]
        left_column = column - 1
        scale = 2 * right.alike * right.amplitude * self.columns[left_column].amplitude
        far = FAR_TICKS
        for (at, response, wet), (left, right_gain, _) in state.arriving[column].items():
            for (other_at, other, other_wet), (l2, r2, _) in state.arriving.get(
                left_column, {}
            ).items():
                if which is not None and (wet != which or other_wet != which):
                    continue
                if abs(at - other_at) < far:
                    shared = scale * shared_power(
                        right.number, right.weights, response, other, at - other_at
                    )
                    total[0] += shared * left * l2
                    total[1] += shared * right_gain * r2
                    total[2] += shared * (left * r2 + right_gain * l2) / 2

    def _power(self, state: State) -> Power:
        left = right = common = 0.0
        for a, b, c in self._coherent(state).values():
            left, right, common = left + a, right + b, common + c
        for diffuse in state.diffuse.values():
            sums = diffuse.sum(axis=1)
            left, right, common = (
                left + float(sums[0]),
                right + float(sums[1]),
                common + float(sums[2]),
            )
        return left, right, common

    def _coherent_cells(self, state: State) -> Iterator[tuple[str, bool, np.ndarray]]:
        """(source, wet, power (3, CELLS)) of the arrivals; cross terms go with the wet ones."""
        for column, arriving in state.arriving.items():
            one = self.columns[column]
            items = list(arriving.items())
            dry = np.zeros((3, CELLS))
            wet_power = np.zeros((3, CELLS))
            any_wet = any(key[2] for key, _ in items)
            any_dry = any(not key[2] for key, _ in items)
            for i, ((at, response, wet), (left, right, _)) in enumerate(items):
                shape = SHAPES.held[response]
                own = np.outer((left * left, right * right, left * right), np.abs(shape) ** 2)
                for (other_at, other, other_wet), (l2, r2, _) in items[:i]:
                    apart = at - other_at
                    if abs(apart) < FAR_TICKS:
                        product = shape * np.conj(SHAPES.held[other])
                        if apart:
                            product = product * in_common(np.array(apart / TICKS))
                        crossed = np.outer(
                            (2 * left * l2, 2 * right * r2, left * r2 + right * l2), product.real
                        )
                        if wet == other_wet:
                            own = own + crossed
                        else:
                            wet_power += crossed
                if wet:
                    wet_power += own
                else:
                    dry += own
            scale = one.weights * one.amplitude**2
            if not items:
                continue
            if any_dry:
                yield one.source, False, dry * scale
            if any_wet:
                yield one.source, True, wet_power * scale

        for column in dict.fromkeys(column for column, _ in state.grids):
            one = self.columns[column]
            scale = one.weights * one.amplitude**2
            dry_part, wet_part = state.grids.get((column, False)), state.grids.get((column, True))
            only_dry = np.zeros((3, CELLS)) if dry_part is None else cell_power(dry_part)
            if dry_part is not None:
                yield one.source, False, only_dry * scale
            if wet_part is not None:
                whole = wet_part if dry_part is None else dry_part + wet_part
                # What dry and wet have in common goes with the wet.
                yield one.source, True, (cell_power(whole) - only_dry) * scale

    def _all_power(self, state: State) -> dict[tuple[str, bool], np.ndarray]:
        found = {name: power.copy() for name, power in state.diffuse.items()}
        for source, wet, power in self._coherent_cells(state):
            have = found.get((source, wet))
            found[source, wet] = power if have is None else have + power
        return found

    def _cells(self, state: State) -> np.ndarray:
        """Power (3, CELLS) of everything."""
        total = np.zeros((3, CELLS))
        for power in self._all_power(state).values():
            total += power
        return total

    def cells(self, point: int) -> np.ndarray:
        """Power over the cells at a point: left, right, in common (3, CELLS)."""
        return self._cells(self.states[point])

    def apart(self, point: int, source: str) -> float:
        """Amplitude of all arrivals of a source at a point, added as powers, both sides."""
        state = self.states[point]
        total = 0.0
        for column, arriving in state.arriving.items():
            one = self.columns[column]
            if one.source != source:
                continue
            for (_, response, _), (left, right, _) in arriving.items():
                own = (
                    1.0
                    if response == 0
                    else shared_power(one.number, one.weights, response, response, 0)
                )
                total += own * (left * left + right * right) * one.amplitude**2
        for (name, _), power in state.diffuse.items():
            if name == source:
                total += float(power[:2].sum())
        for column, cells in self._gridded(state, None):
            one = self.columns[column]
            if one.source == source:
                total += float((cells[:2] * one.weights).sum()) * one.amplitude**2
        return math.sqrt(max(0.0, total))

    def _summed(self, point: int) -> Carried:
        state = self.states[point]
        dry_s, wet_s, latency = self.times[point]
        by_source = {s: list(p) for s, p in self._coherent(state).items()}
        dry, wet = [0.0, 0.0, 0.0], [0.0, 0.0, 0.0]
        mixed = bool(state.grids) or any(
            any(key[2] for key in found) and not all(key[2] for key in found)
            for found in state.arriving.values()
        )
        if mixed:
            for which, into in ((False, dry), (True, wet)):
                for power in self._coherent(state, which).values():
                    for i in range(3):
                        into[i] += power[i]
        else:
            for column, found in state.arriving.items():
                if self.columns[column].side == 1 or not found:
                    continue
                source = self.columns[column].source
                into = wet if next(iter(found))[2] else dry
                for i in range(3):
                    into[i] += by_source[source][i]
            for column, found in state.arriving.items():
                one = self.columns[column]
                if one.side == 1 and found and not state.arriving.get(column - 1):
                    into = wet if next(iter(found))[2] else dry
                    for i in range(3):
                        into[i] += by_source[one.source][i]
        for (source, is_wet), spread in state.diffuse.items():
            sums = spread.sum(axis=1)
            held = by_source.setdefault(source, [0.0, 0.0, 0.0])
            into = wet if is_wet else dry
            for i in range(3):
                held[i] += float(sums[i])
                into[i] += float(sums[i])
        total = [sum(p[i] for p in by_source.values()) for i in range(3)]
        return Carried(
            channels=self.plan.channels[point], total=_three(total), dry=_three(dry), wet=_three(wet),
            by_source={s: _three(p) for s, p in by_source.items()}, find_peak=partial(self._peak, point),
            dry_s=dry_s, wet_s=wet_s, latency_s=latency, grows=point in self.grows,
        )  # fmt: skip

    def _peak(self, point: int) -> tuple[float, float]:
        """Arrivals of each source in step, those at one time as they add; sources and tails in step
        too. No more than what every way's amplitude and every ceiling allow.
        """
        state = self.states[point]
        tops = [0.0, 0.0]
        for column, arriving in state.arriving.items():
            one = self.columns[column]
            at_once: dict[int, list[tuple[int, float, float]]] = {}
            flat = True
            for (at, response, _), (left, right, peak) in arriving.items():
                at_once.setdefault(at, []).append((response, left * peak, right * peak))
                flat = flat and response == 0
            if flat:
                for group in at_once.values():
                    tops[0] += one.amplitude * abs(sum(x for _, x, _ in group))
                    tops[1] += one.amplitude * abs(sum(y for _, _, y in group))
                continue
            seen = np.zeros((2, CELLS))
            for group in at_once.values():
                for side in (0, 1):
                    seen[side] += np.abs(sum(g[1 + side] * SHAPES.held[g[0]] for g in group))
            whole = _PHASE * one.amplitude * np.sqrt((seen**2) @ one.weights)
            tops[0] += float(whole[0])
            tops[1] += float(whole[1])
        for power in state.diffuse.values():
            for side in (0, 1):
                tops[side] += _TAIL_CREST * math.sqrt(max(0.0, float(power[side].sum())))
        left, right = self.caps[point]
        if state.grids:
            # Not listed: all that is known is what every way's amplitude allows.
            return left, right
        if self.plan.back:
            return tops[0], tops[1]
        return min(tops[0], left), min(tops[1], right)


def _when(item: tuple[tuple[int, int, bool], list[float]]) -> int:
    return item[0][0]


_LEAST = np.array([[0.0], [0.0], [-np.inf]])
"""Powers of sides are not negative; what they have in common may be."""


def _three(values: list[float]) -> Power:
    return values[0], values[1], values[2]


def _by(gain: float, top: float) -> float:
    return gain * top if gain else 0.0


def _capped(top: float, spread: Spread) -> float:
    return min(top * spread.loudest, spread.ceiling)


def _peak_after(spread: Spread, peak: float, level: float, loudest: float, ceiling: float) -> float:
    """Peak against RMS gain behind a stage that depends on level: peaks may meet its largest gain,
    and nothing passes its ceiling.
    """
    kept = max(spread.gain)
    if kept <= 0 or level <= 0:
        return peak
    top = min(peak * level * loudest, ceiling)
    return top / (kept * level)


def _columns(rig: Rig, plan: Plan, context: Context) -> Iterator[Column]:
    for name in plan.sources:
        node = rig.nodes[name]
        assert isinstance(node, k.Source)
        spectrum = context.spectrum(name)
        number = spectrum_number(spectrum)
        for side in range(plan.channels[plan.sources[name]]):
            yield Column(
                name, side, db_gain(node.level_dbfs), spectrum.weights, db_gain(node.crest_db),
                number, spectrum.alike,
            )  # fmt: skip


def compile_rig(rig: Rig, context: Context = Context()) -> Plan:
    """Build a rig's plan and find what every point carries; what depends on level has its gain.

    Raises RigError for a parameter that cannot be read under this tempo.
    """
    plan = build_plan(rig, context)
    plan.carried = Signals(rig, plan, context)
    return plan


__all__ = ["Arriving", "Matrix", "Signals", "State", "compile_rig", "replace"]
