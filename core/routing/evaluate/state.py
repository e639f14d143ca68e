"""What a point holds: arrivals of independent signals, and what they add up to.

A signal is one side of a source, or what a stage makes of its own: a reverb's tail, the distortion of
a drive, what modulation takes out of step. Copies of one signal add as amplitudes as far as its
spectrum leaves them alike at the time between them; different signals add as powers.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from core.routing.evaluate.shapes import (
    FAR_TICKS,
    SHAPES,
    TICKS,
    cell_power,
    fine_delays,
    fine_response,
    pair_table,
    shared_power,
)
from core.routing.plan.carried import Power
from core.routing.plan.cells import in_common

Key = tuple[int, int, bool]
"""Ticks, number of the response, wet."""
Arriving = dict[Key, list[float]]
"""To [left, right, peak]: gains, and what a peak meets against the gain."""


@dataclass(frozen=True, slots=True)
class Signal:
    """One independent signal: whose it is, RMS amplitude, spectrum over the cells, crest (linear).

    `number` stands for the spectrum in what is remembered of pairs. `partner` is the left side of a
    stereo source's right one, `alike` their correlation; `made` by a stage, not by a source.
    """

    source: str
    amplitude: float
    weights: np.ndarray
    crest: float
    number: int
    partner: int = -1
    alike: float = 0.0
    made: bool = False


class State:
    """Arrivals by signal; what arrives over too many ways to list; power without a signal."""

    __slots__ = ("arriving", "grids", "loose")

    def __init__(self) -> None:
        self.arriving: dict[int, Arriving] = {}
        self.grids: dict[tuple[int, bool], np.ndarray] = {}
        """(signal, wet) to a transfer (2, fine places)."""
        self.loose: dict[tuple[str, bool], np.ndarray] = {}
        """(source, wet) to power (3, CELLS): laps without end, carried on by themselves."""

    def __bool__(self) -> bool:
        return bool(self.arriving or self.grids or self.loose)

    def meet(self, signal: int, key: Key, left: float, right: float, peak: float) -> None:
        into = self.arriving.setdefault(signal, {})
        have = into.get(key)
        if have is None:
            into[key] = [left, right, peak]
        else:
            have[0] += left
            have[1] += right
            have[2] = max(have[2], peak)

    def grid(self, name: tuple[int, bool], transfer: np.ndarray) -> None:
        have = self.grids.get(name)
        self.grids[name] = transfer if have is None else have + transfer

    def take(self, other: "State") -> None:
        for signal, found in other.arriving.items():
            for key, (left, right, peak) in found.items():
                self.meet(signal, key, left, right, peak)
        for name, transfer in other.grids.items():
            self.grid(name, transfer)


_NONE = [0.0, 0.0, 0.0]
_MANY = 7
"""Arrivals from which on pairs are taken together."""


class Sums:
    """Power (left, right, common): of what is dry, of what is wet, and what the two share."""

    __slots__ = ("both", "dry", "wet")

    def __init__(self) -> None:
        self.dry, self.wet, self.both = [0.0, 0.0, 0.0], [0.0, 0.0, 0.0], [0.0, 0.0, 0.0]

    def add(self, wet: bool | None, left: float, right: float, common: float) -> None:
        into = self.both if wet is None else self.wet if wet else self.dry
        into[0] += left
        into[1] += right
        into[2] += common

    @property
    def total(self) -> Power:
        d, w, b = self.dry, self.wet, self.both
        return max(0.0, d[0] + w[0] + b[0]), max(0.0, d[1] + w[1] + b[1]), d[2] + w[2] + b[2]


class Signals:
    """All signals of a plan, and sums over states of their arrivals."""

    def __init__(self) -> None:
        self.known: list[Signal] = []

    def add(self, signal: Signal) -> int:
        self.known.append(signal)
        return len(self.known) - 1

    def shared(self, one: Signal, a: int, b: int, apart: int) -> float:
        """Share of a signal's power that two responses have in common, so many ticks apart."""
        return shared_power(one.number, one.weights, a, b, apart)

    def _pairs(self, index: int, arriving: Arriving, into: "Sums") -> None:
        """Power of the arrivals of one signal, what dry and wet share apart from each."""
        one = self.known[index]
        scale = one.amplitude**2
        if len(arriving) == 1:
            ((_, response, wet), (left, right, _)) = next(iter(arriving.items()))
            if response:
                scale *= shared_power(one.number, one.weights, response, response, 0)
            into.add(wet, scale * left * left, scale * right * right, scale * left * right)
            return
        found = [
            (key[0], key[1], key[2], gains[0], gains[1])
            for key, gains in sorted(arriving.items(), key=_when)
        ]
        if len(found) >= _MANY:
            self._together(one, found, scale, into)
            return
        number, weights = one.number, one.weights
        for i, (at, response, wet, left, right) in enumerate(found):
            own = 1.0 if not response else shared_power(number, weights, response, response, 0)
            here = [own * left * left, own * right * right, own * left * right]
            mixed = [0.0, 0.0, 0.0]
            for other_at, other, other_wet, l2, r2 in found[:i]:
                if at - other_at > FAR_TICKS:
                    continue
                shared = shared_power(number, weights, response, other, at - other_at)
                into_these = here if wet == other_wet else mixed
                into_these[0] += 2 * shared * left * l2
                into_these[1] += 2 * shared * right * r2
                into_these[2] += shared * (left * r2 + right * l2)
            into.add(wet, scale * here[0], scale * here[1], scale * here[2])
            if mixed != _NONE:
                into.add(None, scale * mixed[0], scale * mixed[1], scale * mixed[2])

    def _together(
        self,
        one: Signal,
        found: list[tuple[int, int, bool, float, float]],
        scale: float,
        into: Sums,
    ) -> None:
        """The same for many arrivals at once, by the table of what each pair has in common."""
        table = pair_table(one.number, one.weights, tuple((f[0], f[1]) for f in found))
        wet = np.array([f[2] for f in found])
        sides = np.array([(f[3], f[4]) for f in found]).T
        whole = sides @ table @ sides.T
        apart = []
        for which in (False, True):
            part = np.where(wet == which, sides, 0.0)
            power = part @ table @ part.T
            apart.append(power)
            into.add(which, *(scale * float(x) for x in (power[0, 0], power[1, 1], power[0, 1])))
        rest = whole - apart[0] - apart[1]
        into.add(None, *(scale * float(x) for x in (rest[0, 0], rest[1, 1], rest[0, 1])))

    def by_source(self, state: State) -> dict[str, "Sums"]:
        """Power by source, with what is dry and what is wet of it alone."""
        found: dict[str, Sums] = {}

        def of(source: str) -> Sums:
            sums = found.get(source)
            if sums is None:
                sums = found[source] = Sums()
            return sums

        for index, arriving in state.arriving.items():
            if arriving:
                one = self.known[index]
                self._pairs(index, arriving, of(one.source))
                if one.alike:
                    self._alike(state, index, of(one.source))
        for which in (False, True, None) if state.grids else ():
            for index, cells in self._gridded(state, which):
                one = self.known[index]
                a, b, c = (float(x) for x in (cells * one.weights).sum(axis=1) * one.amplitude**2)
                sums = of(one.source)
                if which is None:
                    sums.both[0] += a
                    sums.both[1] += b
                    sums.both[2] += c
                else:
                    sums.add(which, a, b, c)
                    sums.add(None, -a, -b, -c)
        for (source, wet), power in state.loose.items():
            a, b, c = (float(x) for x in power.sum(axis=1))
            of(source).add(wet, a, b, c)
        return found

    def _alike(self, state: State, index: int, into: "Sums") -> None:
        """What the two sides of a stereo source have in common."""
        right = self.known[index]
        scale = right.alike * right.amplitude * self.known[right.partner].amplitude
        for (at, response, wet), (left, right_gain, _) in state.arriving[index].items():
            for (other_at, other, other_wet), (l2, r2, _) in state.arriving.get(
                right.partner, {}
            ).items():
                if abs(at - other_at) < FAR_TICKS:
                    shared = scale * self.shared(right, response, other, at - other_at)
                    into.add(
                        wet if wet == other_wet else None, 2 * shared * left * l2,
                        2 * shared * right_gain * r2, shared * (left * r2 + right_gain * l2),
                    )  # fmt: skip

    def _gridded(self, state: State, which: bool | None) -> Iterator[tuple[int, np.ndarray]]:
        """(signal, (3, CELLS)): means over each cell of what was too much to list."""
        for index in dict.fromkeys(index for index, _ in state.grids):
            wanted = (False, True) if which is None else (which,)
            parts = [state.grids[index, wet] for wet in wanted if (index, wet) in state.grids]
            if parts:
                yield index, cell_power(sum(parts[1:], parts[0]))

    def power(self, state: State) -> Power:
        a = b = c = 0.0
        for sums in self.by_source(state).values():
            left, right, common = sums.total
            a, b, c = a + left, b + right, c + common
        return a, b, c

    def apart(self, state: State, source: str) -> float:
        """Power of all arrivals of a source, each by itself, both sides."""
        total = 0.0
        for index, arriving in state.arriving.items():
            one = self.known[index]
            if one.source == source:
                for (_, response, _), (left, right, _) in arriving.items():
                    own = 1.0 if response == 0 else self.shared(one, response, response, 0)
                    total += own * (left * left + right * right) * one.amplitude**2
        for index, cells in self._gridded(state, None):
            one = self.known[index]
            if one.source == source:
                total += float((cells[:2] * one.weights).sum()) * one.amplitude**2
        for (name, _), power in state.loose.items():
            if name == source:
                total += float(power[:2].sum())
        return max(0.0, total)

    def cells(self, state: State) -> dict[tuple[str, bool], np.ndarray]:
        """(source, wet) to power (3, CELLS); what dry and wet share goes with the wet."""
        found: dict[tuple[str, bool], np.ndarray] = {}

        def add(name: tuple[str, bool], power: np.ndarray) -> None:
            have = found.get(name)
            found[name] = power if have is None else have + power

        for index, arriving in state.arriving.items():
            one = self.known[index]
            scale = one.weights * one.amplitude**2
            items = list(arriving.items())
            for i, ((at, response, wet), (left, right, _)) in enumerate(items):
                shape = SHAPES.held[response]
                seen = np.abs(shape) ** 2 * scale
                add((one.source, wet), np.outer((left * left, right * right, left * right), seen))
                for (other_at, other, other_wet), (l2, r2, _) in items[:i]:
                    apart = at - other_at
                    if abs(apart) < FAR_TICKS:
                        product = shape * np.conj(SHAPES.held[other]) * scale
                        if apart:
                            product = product * in_common(np.array(apart / TICKS))
                        crossed = (2 * left * l2, 2 * right * r2, left * r2 + right * l2)
                        add((one.source, wet or other_wet), np.outer(crossed, product.real))
        for index in dict.fromkeys(index for index, _ in state.grids):
            one = self.known[index]
            scale = one.weights * one.amplitude**2
            dry, wet_part = state.grids.get((index, False)), state.grids.get((index, True))
            alone = None if dry is None else cell_power(dry)
            if alone is not None:
                add((one.source, False), alone * scale)
            if wet_part is not None:
                whole = cell_power(wet_part if dry is None else dry + wet_part)
                add((one.source, True), (whole if alone is None else whole - alone) * scale)
        for name, power in state.loose.items():
            add(name, power)
        return found

    def to_grid(self, state: State, index: int) -> None:
        """The arrivals of a signal as a transfer over fine places."""
        for which in (False, True):
            rows = [
                (at, response, left, right)
                for (at, response, wet), (left, right, _) in state.arriving[index].items()
                if wet == which
            ]
            if rows:
                sides = np.array([(left, right) for _, _, left, right in rows])
                seen = fine_delays(tuple(at for at, *_ in rows))
                if any(response for _, response, *_ in rows):
                    seen = seen * np.array([fine_response(response) for _, response, *_ in rows])
                state.grid((index, which), sides.T @ seen)
        state.arriving[index] = {}


def _when(item: tuple[Key, list[float]]) -> int:
    return item[0][0]


def level_of(power: Power) -> tuple[float, float, float]:
    """Left, right, and how alike they are (-1 to 1)."""
    left, right, common = power
    both = math.sqrt(left * right)
    return left, right, common / both if both > 0 else 1.0
