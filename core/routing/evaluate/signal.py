"""The signal model: what every point of a plan carries, per source and side, in step and diffuse.

Going forward along the arcs, each point holds the arrivals of every signal (`state`). What a stage
makes of its own, a tail, distortion, what modulation takes out of step, is a signal of its own from
there on. What depends on level gets its gain here, from the level and crest that arrive at it.
Repeats are followed one by one as long as they matter; the rest of their series is one signal more.
"""

import math
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import partial

import numpy as np

from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.evaluate.shapes import (
    FLAT,
    SHAPES,
    TICKS,
    Response,
    fine_delay,
    fine_response,
    number_of,
    spectrum_number,
    weights_number,
)
from core.routing.evaluate.state import Arriving, Signal, Signals, State, level_of
from core.routing.plan.build import Context, build_plan
from core.routing.plan.carried import Carried, Power
from core.routing.plan.cells import CELLS, CREST_DB
from core.routing.plan.laws import RINGING, Heard, needs_cells, operate
from core.routing.plan.model import Arc, Plan, SelfLoop, size, times
from core.routing.plan.spread import Spread, of_matrix, swinging, taps_over
from core.units.decibel import db_gain, power_db

MOST_ARRIVALS = 64
_KEPT = 48
_CROWDED_S = 0.004
"""Arrivals closer than this belong together: what is kept of one is kept of all."""
_FLOOR = 1e-3
"""A repeat or lap this far below the first is left to the rest of the series."""
_MOST_REPEATS, _MOST_SHORT_REPEATS = 12, 40
_SHORT_S = 0.06
_MOST_LAPS = 8
_MOST_COMING = 200
"""Arrivals that go round a cycle at once: where paths part and meet on it they multiply with each lap."""
_SETTLING = 12
_GROWING = 1 - 1e-9
_NOISE = db_gain(CREST_DB)
_FLAT = np.ones(CELLS, complex)
_TAIL_CREST = 5.6
"""Peak against RMS of what is diffuse: of a normal process over some minutes."""
_PHASE = 1.2
"""What filters may add to a peak by phase alone, beyond what they pass of its power."""
_SIDES_LEAST = np.array([[0.0], [0.0], [-np.inf], [-np.inf]])
"""A side's power is no less than nothing; what sides have in common may be."""
_SWAPPED = np.array([[1.0], [1.0], [1.0], [-1.0]])
"""Sides that change places turn what they have in common the other way."""
_UNLIKE = 0.002
"""Share of power in common, of one sign at all frequencies, that may be missed."""
_READ = 1.05
"""Where a detector reads a shaper's flat tops, against its ceiling."""
_NOTHING = 1e-15
_LITTLE = 1e-5
"""Share of a power that is left out where it would be a signal of its own."""


class Carrying(Mapping[int, Carried]):
    """What each point of a plan carries; found at once, summed up when asked for."""

    def __init__(self, rig: Rig, plan: Plan, context: Context, *, hold: bool = False) -> None:
        """hold: stages that work by level keep the gains that they have, as in a part of a plan
        whose whole was carried before.
        """
        SHAPES.trim()
        self.rig, self.plan, self.context, self.hold = rig, plan, context, hold
        self.found: dict[int, Carried] = {}
        self.grows: set[int] = set()
        self.leaving: dict[int, list[Arc]] = {}
        for arc in plan.arcs:
            self.leaving.setdefault(arc.source, []).append(arc)
        self._forward()
        if plan.back:
            self._laps()
            inside = [
                a for a in plan.arcs if a.by_level and a.stage and a.stage.id in plan.in_cycle
            ]
            if inside and not hold:
                # Once more, at the levels that the laps bring; they hardly move after that.
                fixed = {id(arc): self._operated(arc) for arc in inside}
                self._forward(fixed)
                self._laps()

    # As a mapping ------------------------------------------------------------------------------
    def __getitem__(self, point: int) -> Carried:
        point = self.same.get(point, point)
        found = self.found.get(point)
        if found is None:
            found = self.found[point] = self._summed(point)
        return found

    def __iter__(self) -> Iterator[int]:
        return iter(range(self.plan.points))

    def __len__(self) -> int:
        return self.plan.points

    def cells(self, point: int, *, wet: bool | None = None) -> np.ndarray:
        """Power over the cells at a point: left, right, in common (4, CELLS); of all, or of what is wet
        or dry alone.
        """
        state = self.states[point] if wet is None else self.states[point].part(wet)
        total = np.zeros((4, CELLS))
        for power in self.signals.cells(state).values():
            total += power
        return total

    def apart(self, point: int) -> dict[str, float]:
        """By source: amplitude of all its arrivals at a point, added as powers, both sides."""
        found = self.signals.apart(self.states[point])
        return {source: math.sqrt(max(0.0, power)) for source, power in found.items()}

    # Going forward -----------------------------------------------------------------------------
    def _forward(self, fixed: Mapping[int, Spread] | None = None) -> None:
        """fixed: gains of stages in a cycle, where they are known already."""
        plan = self.plan
        self.signals = Signals()
        self._asked: tuple[State, dict[tuple[str, bool], np.ndarray]] | None = None
        self.states = [State() for _ in range(plan.points)]
        self.times: list[tuple[float, float, float | None]] = [
            (math.inf, math.inf, None)
        ] * plan.points
        self.caps: list[tuple[float, float]] = [(0.0, 0.0)] * plan.points
        self.tops: list[tuple[float, float]] = [(0.0, 0.0)] * plan.points
        """As `caps`, flat tops without most of what filters round a shaper ring on top of them."""
        self.ripe: set[int] = set()
        self.same: dict[int, int] = {}
        alone = self._entered_once()
        for name, point in plan.sources.items():
            self._begin(name, point)
        for arc in plan.arcs:
            here = arc.source
            if here not in self.ripe:
                self._finish(here)
            if arc.by_level and not self.hold:
                known = None if fixed is None else fixed.get(id(arc))
                arc.spread = self._operated(arc) if known is None else known
                arc.matrix = times(arc.bare, (arc.spread.rms[0], 0.0, 0.0, arc.spread.rms[1]))
            if arc.target in alone and arc.changes_nothing(plan.channels):
                self.states[arc.target] = self.states[here]
                self.same[arc.target] = self.same.get(here, here)
                self.ripe.add(arc.target)
            else:
                self._cross(arc, self.states[here], self.states[arc.target])
            self._carry_times(arc)
            self._carry_caps(arc, self.caps, 1.0)
            self._carry_caps(arc, self.tops, _READ / RINGING)
            if here in self.grows:
                self.grows.add(arc.target)
        for point in range(plan.points):
            self._finish(point)

    def _entered_once(self) -> set[int]:
        """Points to which one arc leads and that make nothing of their own. None where there are
        cycles: laps are added to what is at a point already.
        """
        if self.plan.back:
            return set()
        ways = Counter(arc.target for arc in self.plan.arcs)
        own = {*self.plan.loops, *self.plan.sources.values()}
        return {point for point, count in ways.items() if count == 1 and point not in own}

    def _begin(self, name: str, point: int) -> None:
        node = self.rig.nodes[name]
        assert isinstance(node, k.Source)
        spectrum = self.context.spectrum(name)
        number, level = spectrum_number(spectrum), db_gain(node.level_dbfs)
        crest, first = db_gain(node.crest_db), -1
        for side in range(self.plan.channels[point]):
            signal = self.signals.add(
                Signal(
                    name,
                    level,
                    spectrum.weights,
                    crest,
                    number,
                    first,
                    spectrum.alike if side else 0.0,
                )  # fmt: skip
            )
            first = signal if side == 0 else first
            ends = (1.0, 0.0) if side == 0 else (0.0, 1.0)
            self.states[point].arriving[signal] = {(0, FLAT, False): [*ends, crest]}
        self.times[point] = (0.0, math.inf, 0.0)
        top = level * crest
        self.caps[point] = (top, top if self.plan.channels[point] == 2 else 0.0)
        self.tops[point] = self.caps[point]

    def _operated(self, arc: Arc) -> Spread:
        stage = arc.stage
        assert stage is not None
        tapped = self.plan.keys.get(stage.id)
        key = None if tapped is None else self._heard(tapped, stage)
        return operate(stage, self._heard(arc.source, stage), key)

    def _heard(self, point: int, stage: k.Stage | None = None) -> Heard:
        state, cells = self.states[point], None
        if stage is not None and needs_cells(stage):
            whole = np.zeros((4, CELLS))
            for power in self._cells_of(state).values():
                whole += power
            cells = whole[0] if whole[0].sum() >= whole[1].sum() else whole[1]
        left, right, alike = level_of(self.signals.power(state))
        crest = self._crest(state)
        if left or right:
            # No more than what every way's amplitude and every flat top allow; before a loop closes.
            reach = max(self.tops[point]) / math.sqrt(max(left, right))
            if not self.plan.back and reach > 0:
                crest = min(crest, max(1.0, reach))
        return Heard(left, right, alike, power_db(crest * crest), cells)

    def _crest(self, state: State) -> float:
        """Of what a point holds: the crests of its parts by power, none above its signal's."""
        top = total = 0.0
        for index, found in state.arriving.items():
            one = self.signals.known[index]
            weight, most = one.amplitude**2, min(one.crest, _NOISE if one.made else one.crest)
            for left, right, peak in found.values():
                power = weight * (left * left + right * right)
                total += power
                # A shaper's flat tops are the peaks; what its filters ring on top is not the crest.
                reach = most if peak >= one.crest else max(1.0, peak / RINGING)
                top += power * reach * reach
        return math.sqrt(top / total) if total > 0 else _NOISE

    def _cross(self, arc: Arc, came: State, goes: State) -> None:
        """What a state becomes across an arc, added to another."""
        if not came:
            return
        spread, taps = arc.spread, arc.taps
        shape = self._shape(arc)
        a, b, c, d = arc.bare if arc.stage is not None else arc.matrix
        if spread is not None:
            left_gain, right_gain = spread.gain
            a, b, c, d = a * left_gain, b * right_gain, c * left_gain, d * right_gain
            shape = SHAPES.joined(shape, number_of(None, spread))
            if arc.by_level or _loudest(spread):
                # What a gain that moves lets through stays apart from copies that went round it.
                shape = SHAPES.joined(shape, SHAPES.number(("own", arc.owner), _FLAT))
        if a or b or c or d:
            ticks = round(arc.delay_s * TICKS)
            late = [(gain, ticks + round(t * TICKS)) for gain, t in taps]
            by_level, joined, wet_here = arc.by_level, SHAPES.joined, arc.wet
            swung = _loudest(spread)
            for index, found in came.arriving.items():
                into = goes.arriving.setdefault(index, {})
                one = self.signals.known[index]
                amplitude = one.amplitude
                for (at, response, wet), (left, right, peak) in found.items():
                    gl, gr = a * left + b * right, c * left + d * right
                    if gl == 0.0 and gr == 0.0:
                        continue
                    if by_level and spread is not None:
                        level = amplitude * math.hypot(left, right)
                        if response:
                            level *= math.sqrt(self.signals.shared(one, response, response, 0))
                        peak = _peak_after(spread, peak, level)
                    elif swung:
                        peak *= swung
                    filtered = joined(response, shape) if shape else response
                    for gain, after in late:
                        key = (at + after, filtered, wet or wet_here)
                        have = into.get(key)
                        if have is None:
                            into[key] = [gain * gl, gain * gr, peak]
                        else:
                            have[0] += gain * gl
                            have[1] += gain * gr
                            have[2] = max(have[2], peak)
            for (index, wet), transfer in came.grids.items():
                left_row, right_row = transfer
                turned = fine_response(shape) * fine_delay(arc.delay_s)
                if len(taps) > 1:
                    turned = turned * np.sum([g * fine_delay(t) for g, t in taps], axis=0)
                rows = [
                    (a * left_row + b * right_row) * turned,
                    (c * left_row + d * right_row) * turned,
                ]
                goes.grid((index, wet or wet_here), np.stack(rows))
        if spread is not None and spread.kernel is not None:
            made = self._made(arc, spread, came)
            # What a gain that moves leaves out of step has its peaks where those in step are counted.
            crest = _TAIL_CREST if arc.diffuse else 0.0 if _loudest(spread) else _NOISE
            for (source, wet), power in made.items():
                self._emit(goes, source, wet, power, crest)

    def _shape(self, arc: Arc) -> Response:
        # A swept filter that moves is what its spread says, not what it rests at.
        moved = isinstance(arc.stage, k.Swept) and arc.spread is not None
        return FLAT if moved else number_of(arc.shape)

    def _made(self, arc: Arc, spread: Spread, came: State) -> dict[tuple[str, bool], np.ndarray]:
        """Power (4, CELLS) of its own that an arc makes, by (source, wet)."""
        assert spread.kernel is not None
        found: dict[tuple[str, bool], np.ndarray] = {}
        over = self._behind(arc)
        for (source, wet), power in self._cells_of(came).items():
            made = over @ spread.made(power) * self._colour(arc)
            name = (source, wet or arc.wet)
            found[name] = made if name not in found else found[name] + made
        return found

    def _cells_of(self, state: State) -> dict[tuple[str, bool], np.ndarray]:
        """Power over the cells of a state that is asked twice in a row: for a stage's level, and for
        what the stage makes of it.
        """
        if self._asked is None or self._asked[0] is not state:
            self._asked = (state, self.signals.cells(state))
        return self._asked[1]

    def _behind(self, arc: Arc) -> np.ndarray:
        m = arc.bare if arc.stage is not None else arc.matrix
        return of_matrix(np.array([[m[0], m[1]], [m[2], m[3]]]))

    def _colour(self, arc: Arc) -> np.ndarray | float:
        """|H|^2 of an arc's filters and copies over the cells."""
        shape = self._shape(arc)
        found: np.ndarray | float = 1.0 if shape == 0 else np.abs(shape.cells) ** 2
        if len(arc.taps) > 1:
            if max(t for _, t in arc.taps) < _SHORT_S:
                return found * np.abs(taps_over(arc.taps)) ** 2
            return found * sum(g * g for g, _ in arc.taps)
        return found

    def _emit(self, state: State, source: str, wet: bool, power: np.ndarray, crest: float) -> None:
        """Power (4, CELLS) as new signals: what both sides have in common, and each side's own."""
        left, right, common, turned = power
        whole = float(left.sum() + right.sum())
        least = max(_NOTHING, _LITTLE * whole)
        sign = 1.0 if float(common.sum()) >= 0 else -1.0
        both = np.maximum(np.minimum(sign * common, np.minimum(left, right)), 0)
        if float(np.hypot(sign * common - both, turned).sum()) > max(least, _UNLIKE * whole):
            self._emit_turned(state, source, wet, power, crest, least)
            return
        for cells, ends in (
            (both, (1.0, sign)), (left - both, (1.0, 0.0)), (right - both, (0.0, 1.0))
        ):  # fmt: skip
            self._emit_one(state, source, wet, cells, crest, least, {FLAT: ends})

    def _emit_turned(
        self, state: State, source: str, wet: bool, power: np.ndarray, crest: float, least: float
    ) -> None:
        """The same where the sides have something else in common at each frequency: the right one as
        the left through a response of its own.
        """
        left, right = np.maximum(power[:2], 1e-30)
        common = power[2] + 1j * power[3]
        most = np.sqrt(left * right)
        alike = np.minimum(np.abs(common) / most, 1.0)
        over = np.exp(-1j * np.angle(common)) * np.sqrt(right / left)
        shape = SHAPES.number(("over", over.tobytes()), over)
        for cells, ends in (
            (alike * left, {FLAT: (1.0, 0.0), shape: (0.0, 1.0)}),
            ((1 - alike) * left, {FLAT: (1.0, 0.0)}),
            ((1 - alike) * right, {FLAT: (0.0, 1.0)}),
        ):
            self._emit_one(state, source, wet, cells, crest, least, ends)

    def _emit_one(
        self, state: State, source: str, wet: bool, cells: np.ndarray, crest: float, least: float,
        ends: Mapping[Response, tuple[float, float]],
    ) -> None:  # fmt: skip
        """ends: by response, gains to left and right."""
        total = float(cells.sum())
        if total > least:
            weights = np.maximum(cells, 0) / total
            made = Signal(
                source, math.sqrt(total), weights, crest, weights_number(weights), made=True
            )
            state.arriving[self.signals.add(made)] = {
                (0, response, wet): [*gains, crest] for response, gains in ends.items()
            }

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
        """Too many arrivals to list: the weakest go on as a signal of their own where they lie apart
        in time; where they crowd, all go on as a transfer over fine places of frequency.
        """
        gridded = {index for index, _ in state.grids}
        for index, found in list(state.arriving.items()):
            if len(found) <= MOST_ARRIVALS and index not in gridded:
                continue
            groups = [] if index in gridded else _by_time(found)
            if groups and max(len(group) for group in groups) <= _KEPT:
                self._weakest(state, index, groups)
            else:
                self.signals.to_grid(state, index)

    def _weakest(self, state: State, index: int, groups: list[Arriving]) -> None:
        """Whole groups of what arrives together: copies that meet in one must still cancel or add."""
        one = self.signals.known[index]
        groups.sort(key=lambda group: -sum(a * a + b * b for a, b, _ in group.values()))
        kept: Arriving = {}
        power: dict[tuple[str, bool], np.ndarray] = {}
        for group in groups:
            if len(kept) + len(group) <= _KEPT:
                kept.update(group)
                continue
            alone = State()
            alone.arriving[index] = group
            for name, found in self.signals.cells(alone).items():
                power[name] = power[name] + found if name in power else found
        state.arriving[index] = kept
        for (source, wet), rest in power.items():
            self._emit(state, source, wet, np.maximum(rest, _SIDES_LEAST), one.crest)

    # A point that feeds itself -----------------------------------------------------------------
    def _rung(self, point: int, loop: SelfLoop, state: State) -> State:
        """A state with all its repeats: the first ones as arrivals, the rest as one signal more."""
        swapped = loop.matrix[0] == 0.0 and loop.matrix[3] == 0.0
        gain = loop.matrix[1] if swapped else loop.matrix[0]
        shape = number_of(loop.shape)
        seen = np.abs(shape.cells) ** 2
        steady = np.ones(CELLS)
        gains = np.array([gain, gain])
        if isinstance(loop.insert, k.Drive):
            # Unity for what is quiet; above that the shaper holds every lap down.
            gains = gain * self._held_down(loop.insert, self._heard(point), abs(gain), swapped)
        elif isinstance(loop.insert, k.Chorus):
            swung = swinging(loop.insert.depth_ms / 1e3, False)
            assert swung.shape is not None
            steady = swung.shape.real
            shape = SHAPES.joined(shape, number_of(None, swung))
        top = math.sqrt(float(seen.max()))
        if float(np.abs(gains).max()) * loop.shape_most >= _GROWING:
            self.grows.add(point)
            gains = np.copysign(np.minimum(np.abs(gains), 0.999 / top), gain)
        lap = round(loop.delay_s * TICKS)
        out = State()
        out.take(state)
        out.loose = dict(state.loose)
        entering = self.signals.cells(state)
        total = self._repeat(state, out, gains, shape, lap, loop.delay_s, swapped)
        for place, transfer in state.grids.items():
            turned = gains[:, None] * fine_response(shape) * fine_delay(loop.delay_s)
            if swapped:
                ringing = (transfer + turned * transfer[::-1]) / (1 - turned * turned)
            else:
                ringing = transfer / (1 - turned)
            out.grids[place] = ringing
            entering.pop((self.signals.known[place[0]].source, place[1]), None)
        left, right = gains
        z = np.outer([left * left, right * right, left * right, left * right], seen)
        scattered = None
        if np.any(steady != 1.0):
            # What the laps spread: all their power less what is still in step.
            still = z * steady**2
            whole = z * (1 - z**total) / (1 - z)
            scattered = np.maximum(whole - still * (1 - still**total) / (1 - still), 0)
        for (source, wet), power in entering.items():
            rest = _from_lap(total + 1, z, power, swapped)
            if scattered is not None:
                rest = rest + scattered * power
            if float(rest[:2].sum()) > _LITTLE * float(power[:2].sum()):
                self._emit(out, source, wet, rest, _TAIL_CREST)
        return out

    def _repeat(
        self, state: State, out: State, gains: np.ndarray, shape: Response, lap: int, lap_s: float,
        swapped: bool,
    ) -> int:  # fmt: skip
        """Add repeats one by one; how many were added. gains: of a lap, left and right."""
        here, there = 1.0, 1.0
        of_left, of_right = gains.tolist()
        response, total = FLAT, 0
        for count in range(1, (_MOST_SHORT_REPEATS if lap_s < _SHORT_S else _MOST_REPEATS) + 1):
            here, there = here * of_left, there * of_right
            if max(abs(here), abs(there)) < _FLOOR:
                break
            response, total = SHAPES.joined(response, shape), count
            for index, found in state.arriving.items():
                for (at, filtered, wet), (left, right, peak) in found.items():
                    if swapped and count % 2 == 1:
                        left, right = right, left
                    key = (at + count * lap, SHAPES.joined(filtered, response), wet)
                    out.meet(index, key, here * left, there * right, peak)
        return total

    def _held_down(self, insert: k.Drive, heard: Heard, gain: float, swapped: bool) -> np.ndarray:
        """What a drive in a loop leaves of each lap once dry sound and laps have settled, left and right: each side by
        itself, and where laps change sides, as it leaves the louder one.
        """
        back, held = db_gain(insert.output_db), np.ones(2)
        for _ in range(_SETTLING):
            left, right = 1 / (1 - np.minimum(0.98, gain * held) ** 2)
            louder = replace(heard, left=heard.left * float(left), right=heard.right * float(right))
            left_as, right_as = operate(insert, louder, None).rms
            if swapped:
                left_as = right_as = right_as if heard.right > heard.left else left_as
            held = 0.5 * (held + np.minimum(1.0, np.array([left_as, right_as]) * back))
        return held

    # Cycles ------------------------------------------------------------------------------------
    def _laps(self) -> None:
        """What goes back along the rails that close cycles, lap by lap, and the rest as power."""
        coming = {arc.target: State() for arc in self.plan.back}
        for arc in self.plan.back:
            self._cross(arc, self.states[arc.source], coming[arc.target])
        start = self._strength(coming)
        for _ in range(_MOST_LAPS):
            if start == 0 or self._strength(coming) <= start * _FLOOR**2:
                break
            if sum(state.count for state in coming.values()) > _MOST_COMING:
                break
            coming = self._lap(coming)
        if self._strength(coming) > 0:
            self._rest(coming)
        self.found.clear()

    def _strength(self, states: dict[int, State]) -> float:
        return sum(sum(self.signals.power(state)[:2]) for state in states.values())

    def _lap(self, coming: dict[int, State]) -> dict[int, State]:
        """One more time through all that lies behind; what comes back at the closing rails."""
        moving = {}
        for point, state in coming.items():
            moving[point] = fresh = State()
            fresh.take(state)
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
                self.states[point].take(state)
                self._thin(self.states[point])
            return state

        for arc in self.plan.arcs:
            state = arrived(arc.source)
            if state:
                self._cross(arc, state, moving.setdefault(arc.target, State()))
        for point in list(moving):
            arrived(point)
        back = {arc.target: State() for arc in self.plan.back}
        for arc in self.plan.back:
            if arc.source in moving:
                self._cross(arc, moving[arc.source], back[arc.target])
        return back

    def _rest(self, coming: dict[int, State]) -> None:
        """Laps without end, as power: x = coming + K x, solved per cell, then carried on once."""
        targets = list(coming)
        held = {target: self.signals.cells(state) for target, state in coming.items()}
        names = sorted({name for found in held.values() for name in found})
        width = 4 * len(targets)
        system = np.zeros((CELLS, width, width))
        for j, target in enumerate(targets):
            for c in range(4):
                unit = np.zeros((4, CELLS))
                unit[c] = 1.0
                walked = self._walk({target: unit})
                for i, other in enumerate(targets):
                    for arc in self.plan.back:
                        if arc.target == other and arc.source in walked:
                            back = self._power_over(arc, walked[arc.source])
                            system[:, 4 * i : 4 * i + 4, 4 * j + c] += back.T
        radius = float(np.abs(np.linalg.eigvals(system)).max())
        if radius >= _GROWING:
            for target in targets:
                self._mark_growing(target)
            system *= 0.999 / radius
        start = np.zeros((CELLS, width, len(names)))
        for i, target in enumerate(targets):
            for n, name in enumerate(names):
                if name in held[target]:
                    start[:, 4 * i : 4 * i + 4, n] = held[target][name].T
        solved = np.linalg.solve(np.eye(width)[None] - system, start)
        for n, name in enumerate(names):
            begin = {t: solved[:, 4 * i : 4 * i + 4, n].T for i, t in enumerate(targets)}
            for point, power in self._walk(begin).items():
                loose = self.states[point].loose
                kept = np.concatenate([np.maximum(power[:2], 0), power[2:]])
                loose[name] = kept if name not in loose else loose[name] + kept

    def _walk(self, start: dict[int, np.ndarray]) -> dict[int, np.ndarray]:
        """Power (4, CELLS) at every point behind some, everything out of step."""
        found = dict(start)
        rung: set[int] = set()
        for arc in self.plan.arcs:
            power = found.get(arc.source)
            if power is None:
                continue
            loop = self.plan.loops.get(arc.source)
            if loop is not None and arc.source not in rung:
                rung.add(arc.source)
                swapped = loop.matrix[0] == 0.0 and loop.matrix[3] == 0.0
                gain = min(0.999, abs(loop.matrix[1] if swapped else loop.matrix[0]))
                z = gain * gain * np.abs(number_of(loop.shape).cells) ** 2
                found[arc.source] = power = power + _from_lap(1, z, power, swapped)
            gone = self._power_over(arc, power)
            have = found.get(arc.target)
            found[arc.target] = gone if have is None else have + gone
        return found

    def _power_over(self, arc: Arc, power: np.ndarray) -> np.ndarray:
        """Power behind an arc, steady and made of its own."""
        spread, kept = arc.spread, power
        if spread is not None:
            left, right = spread.gain
            factor = 1.0 if spread.shape is None else np.abs(spread.shape) ** 2
            kept = (
                power * factor * np.array([[left * left], [right * right], *[[left * right]] * 2])
            )
            if spread.kernel is not None:
                kept = kept + spread.made(power)
        gone: np.ndarray = (self._behind(arc) @ kept) * self._colour(arc)
        return gone

    def _mark_growing(self, point: int) -> None:
        todo = [point]
        while todo:
            here = todo.pop()
            if here not in self.grows:
                self.grows.add(here)
                todo += [arc.target for arc in self.leaving.get(here, ())]

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

    def _carry_caps(self, arc: Arc, held: list[tuple[float, float]], flat: float) -> None:
        """What no peak can pass, whatever adds up: amplitudes along every way, and ceilings times
        `flat`.
        """
        left, right = held[arc.source]
        loop, spread = self.plan.loops.get(arc.source), arc.spread
        if loop is not None and (left or right):
            g = size(loop.matrix)
            left = right = math.inf if g >= _GROWING else max(left, right) / (1 - g)
        a, b, c, d = arc.bare if arc.stage is not None else arc.matrix
        lift = 1.0 if arc.shape is None else 2.0 * max(1.0, arc.shape.top)
        if spread is not None:
            if arc.diffuse or spread.shape is not None:
                lift = math.inf
            elif spread.kernel is not None and not arc.by_level:
                lift = max(lift, spread.loudest)
            left, right = (min(x * spread.loudest, spread.ceiling * flat) for x in (left, right))
        have = held[arc.target]
        held[arc.target] = (
            have[0] + lift * (_by(a, left) + _by(b, right)) if a or b else have[0],
            have[1] + lift * (_by(c, left) + _by(d, right)) if c or d else have[1],
        )

    def _peak(self, point: int) -> tuple[float, float]:
        """Arrivals of each signal in step, those at one time as they add; all signals in step too. No
        more than what every way's amplitude and every ceiling allow.
        """
        state, tops = self.states[point], [0.0, 0.0]
        for index, arriving in state.arriving.items():
            one = self.signals.known[index]
            if len(arriving) == 1:
                (((_, response, _), (left, right, peak)),) = arriving.items()
                reach = one.amplitude * peak
                if response:
                    reach *= _PHASE * math.sqrt(self.signals.shared(one, response, response, 0))
                tops[0] += reach * abs(left)
                tops[1] += reach * abs(right)
                continue
            # What comes at one time and with one crest adds; sizes of the rest add.
            meeting: dict[tuple[int, float], dict[Response, list[float]]] = {}
            for (at, response, _), (left, right, peak) in arriving.items():
                group = meeting.setdefault((at, round(peak, 6)), {})
                sides = group.setdefault(response, [0.0, 0.0])
                sides[0] += left * peak
                sides[1] += right * peak
            filters = {response for group in meeting.values() for response in group}
            if len(filters) == 1:
                # One filter over all of it: sizes are numbers.
                (only,) = filters
                reach = one.amplitude
                if only:
                    reach *= _PHASE * math.sqrt(self.signals.shared(one, only, only, 0))
                for side in (0, 1):
                    tops[side] += reach * sum(abs(g[only][side]) for g in meeting.values())
                continue
            seen = np.zeros((2, CELLS))
            alone: dict[Response, list[float]] = {}
            for group in meeting.values():
                if len(group) == 1:
                    ((response, sides),) = group.items()
                    whole_of = alone.setdefault(response, [0.0, 0.0])
                    whole_of[0] += abs(sides[0])
                    whole_of[1] += abs(sides[1])
                else:
                    rows = np.array(list(group.values())).T
                    seen += np.abs(rows @ np.array([r.cells for r in group]))
            if alone:
                sizes = np.sqrt(np.array([SHAPES.power(response) for response in alone]))
                seen += np.array(list(alone.values())).T @ sizes
            whole = _PHASE * one.amplitude * np.sqrt((seen**2) @ one.weights)
            tops[0] += float(whole[0])
            tops[1] += float(whole[1])
        for power in state.loose.values():
            for side in (0, 1):
                tops[side] += _TAIL_CREST * math.sqrt(max(0.0, float(power[side].sum())))
        left, right = self.caps[point]
        if state.grids:
            # Not listed: all that is known is what every way's amplitude allows.
            return left, right
        if self.plan.back:
            return tops[0], tops[1]
        return min(tops[0], left), min(tops[1], right)

    # Summing up --------------------------------------------------------------------------------
    def _summed(self, point: int) -> Carried:
        state = self.states[point]
        dry_s, wet_s, latency = self.times[point]
        by_source = self.signals.by_source(state)
        total, dry, wet = [0.0, 0.0, 0.0], [0.0, 0.0, 0.0], [0.0, 0.0, 0.0]
        whole: dict[str, Power] = {}
        for source, sums in by_source.items():
            whole[source] = sums.total
            for i in range(3):
                total[i] += whole[source][i]
                dry[i] += sums.dry[i]
                wet[i] += sums.wet[i]
        return Carried(
            channels=self.plan.channels[point], total=(total[0], total[1], total[2]),
            dry=(dry[0], dry[1], dry[2]), wet=(wet[0], wet[1], wet[2]), by_source=whole,
            find_peak=partial(self._peak, point), dry_s=dry_s, wet_s=wet_s, latency_s=latency,
            grows=point in self.grows,
        )  # fmt: skip


def _by_time(found: Arriving) -> list[Arriving]:
    """Arrivals of one signal, those less than 4 ms apart together."""
    groups: list[Arriving] = []
    last = -math.inf
    for key in sorted(found):
        if key[0] - last > _CROWDED_S * TICKS:
            groups.append({})
        groups[-1][key] = found[key]
        last = key[0]
    return groups


def _from_lap(first: int, z: np.ndarray, power: np.ndarray, swapped: bool) -> np.ndarray:
    """Power of all laps from the `first` on, of a loop of power gain z that may swap the sides."""
    if not swapped:
        return z**first / (1 - z) * power
    turned = power[[1, 0, 2, 3]] * _SWAPPED
    here, there = (turned, power) if first % 2 == 1 else (power, turned)
    whole: np.ndarray = z**first / (1 - z * z) * (here + z * there)
    return whole


def _by(gain: float, top: float) -> float:
    return abs(gain) * top if gain else 0.0


def _loudest(spread: Spread | None) -> float:
    """What a peak may meet more than the mean of a gain that moves by itself; 0 for other spreads."""
    moves = spread is not None and spread.kernel is not None and spread.shape is None
    if spread is None or not moves or spread.gain[0] <= 0 or spread.range_db is not None:
        return 0.0
    return spread.loudest / spread.gain[0]


def _peak_after(spread: Spread, peak: float, level: float) -> float:
    """Peak against RMS gain behind a stage that depends on level: peaks may meet its largest gain,
    and nothing passes its ceiling.
    """
    kept = max(spread.gain)
    if kept <= 0 or level <= 0:
        return peak
    return min(peak * level * spread.loudest, spread.ceiling) / (kept * level)


def compile_rig(rig: Rig, context: Context = Context()) -> Plan:
    """Build a rig's plan and find what every point carries; what depends on level has its gain.

    Raises RigError for a parameter that cannot be read under this tempo.
    """
    plan = build_plan(rig, context)
    plan.carried = Carrying(rig, plan, context)
    return plan
