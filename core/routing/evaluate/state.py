"""What a point holds: arrivals of independent signals, and what they add up to.

A signal is one side of a source, or what a stage makes of its own: a reverb's tail, the distortion of
a drive, what modulation takes out of step. Copies of one signal add as amplitudes as far as its
spectrum leaves them alike at the time between them; different signals add as powers.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice

import numpy as np

from core.routing.evaluate.shapes import (
    FAR_TICKS,
    SHAPES,
    TICKS,
    Response,
    cell_power,
    fine_delays,
    fine_response,
    pair_table,
    shared_power,
)
from core.routing.plan.carried import Power
from core.routing.plan.cells import CELLS, in_common

Key = tuple[int, Response, bool]
"""Ticks, the response, wet."""
Arriving = dict[Key, list[float]]
"""To [left, right, peak]: gains, and what a peak meets against the gain."""
_FEW = 24
"""Pairs that are worked out one by one."""
_PAIRS = 512
"""Pairs of arrivals worked out at once."""


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
        """(source, wet) to power (4, CELLS): laps without end, carried on by themselves."""

    def __bool__(self) -> bool:
        return bool(self.arriving or self.grids or self.loose)

    @property
    def count(self) -> int:
        """How many arrivals are followed one by one."""
        return sum(len(found) for found in self.arriving.values())

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

    def part(self, wet: bool) -> "State":
        """What is wet of it alone, or what is dry."""
        part = State()
        for signal, found in self.arriving.items():
            part.arriving[signal] = {key: gains for key, gains in found.items() if key[2] == wet}
        part.grids = {name: grid for name, grid in self.grids.items() if name[1] == wet}
        part.loose = {name: power for name, power in self.loose.items() if name[1] == wet}
        return part

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

    def shared(self, one: Signal, a: Response, b: Response, apart: int) -> float:
        """Share of a signal's power that two responses have in common, so many ticks apart."""
        return shared_power(one.number, one.weights, a, b, apart)

    def _pairs(self, one: Signal, arriving: Arriving, into: "Sums") -> None:
        """Power of several arrivals of one signal, what dry and wet share apart from each."""
        scale = one.amplitude**2
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
        found: list[tuple[int, Response, bool, float, float]],
        scale: float,
        into: Sums,
    ) -> None:
        """The same for many arrivals at once, by the table of what each pair has in common."""
        table = pair_table(one.number, one.weights, tuple([(f[0], f[1]) for f in found]))
        # Left and right of what is dry, then of what is wet.
        rows = np.zeros((4, len(found)))
        for i, (_, _, wet, left, right) in enumerate(found):
            rows[2 * wet, i], rows[2 * wet + 1, i] = left, right
        (a, ab, ac, ad), (_, b, bc, bd), (_, _, c, cd), (_, _, _, d) = (
            scale * (rows @ table @ rows.T)
        ).tolist()
        into.add(False, a, b, ab)
        into.add(True, c, d, cd)
        into.add(None, 2 * ac, 2 * bd, ad + bc)

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
                sums = of(one.source)
                if len(arriving) == 1:
                    (((_, response, is_wet), (left, right, _)),) = arriving.items()
                    scale = one.amplitude**2
                    if response:
                        scale *= shared_power(one.number, one.weights, response, response, 0)
                    sums.add(
                        is_wet, scale * left * left, scale * right * right, scale * left * right
                    )
                else:
                    self._pairs(one, arriving, sums)
                if one.alike:
                    self._alike(state, index, sums)
        for index, dry, wet, whole in self._gridded(state):
            one = self.known[index]
            sums = of(one.source)
            for is_wet, cells in ((False, dry), (True, wet)):
                if cells is not None:
                    a, b, c, _ = (cells @ one.weights * one.amplitude**2).tolist()
                    sums.add(is_wet, a, b, c)
                    if whole is not None:
                        sums.add(None, -a, -b, -c)
            if whole is not None:
                a, b, c, _ = (whole @ one.weights * one.amplitude**2).tolist()
                sums.add(None, a, b, c)
        for (source, is_wet), power in state.loose.items():
            a, b, c = (float(x) for x in power[:3].sum(axis=1))
            of(source).add(is_wet, a, b, c)
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

    def _gridded(
        self, state: State
    ) -> Iterator[tuple[int, np.ndarray | None, np.ndarray | None, np.ndarray | None]]:
        """(signal, dry, wet, whole): means over each cell (4, CELLS) of what was too much to list.
        The whole stands only where there is both.
        """
        for index in dict.fromkeys(index for index, _ in state.grids):
            dry, wet = state.grids.get((index, False)), state.grids.get((index, True))
            both = None if dry is None or wet is None else cell_power(dry + wet)
            yield (
                index,
                None if dry is None else cell_power(dry),
                None if wet is None else cell_power(wet),
                both,
            )

    def power(self, state: State) -> Power:
        a = b = c = 0.0
        for sums in self.by_source(state).values():
            left, right, common = sums.total
            a, b, c = a + left, b + right, c + common
        return a, b, c

    def apart(self, state: State) -> dict[str, float]:
        """By source: power of all its arrivals, each by itself, both sides."""
        total: dict[str, float] = {}
        for index, arriving in state.arriving.items():
            one = self.known[index]
            sum_of = 0.0
            for (_, response, _), (left, right, _) in arriving.items():
                own = left * left + right * right
                sum_of += self.shared(one, response, response, 0) * own if response else own
            total[one.source] = total.get(one.source, 0.0) + sum_of * one.amplitude**2
        for index, dry, wet, whole in self._gridded(state):
            one = self.known[index]
            cells = next(x for x in (whole, dry, wet) if x is not None)
            power = float((cells[:2] @ one.weights).sum()) * one.amplitude**2
            total[one.source] = total.get(one.source, 0.0) + power
        for (name, _), loose in state.loose.items():
            total[name] = total.get(name, 0.0) + float(loose[:2].sum())
        return total

    def cells(self, state: State) -> dict[tuple[str, bool], np.ndarray]:
        """(source, wet) to power (4, CELLS): left, right, and the real and imaginary part of what they
        have in common. What dry and wet share goes with the wet.
        """
        found: dict[tuple[str, bool], np.ndarray] = {}

        def add(name: tuple[str, bool], power: np.ndarray) -> None:
            have = found.get(name)
            found[name] = power if have is None else have + power

        for index, arriving in state.arriving.items():
            one = self.known[index]
            scale = one.weights * one.amplitude**2
            # (wet, response) to what left, right and common power it is multiplied by.
            plain: dict[tuple[bool, Response], list[float]] = {}
            for (_, response, wet), (left, right, _) in arriving.items():
                own = plain.setdefault((wet, response), [0.0, 0.0, 0.0, 0.0])
                own[0] += left * left
                own[1] += right * right
                own[2] += left * right
            for wet, crossed in _met(arriving, arriving, scale, same=True):
                add((one.source, wet), crossed)
            partner = state.arriving.get(one.partner) if one.alike else None
            if partner:
                # What the two sides of a stereo source have in common.
                shared = one.alike * self.known[one.partner].amplitude / one.amplitude
                for wet, crossed in _met(arriving, partner, shared * scale, same=False):
                    add((one.source, wet), crossed)
            for (wet, response), sides in plain.items():
                seen = SHAPES.power(response) * scale if response else scale
                add((one.source, wet), np.array(sides)[:, None] * seen)
        for index, dry, wet_part, whole in self._gridded(state):
            one = self.known[index]
            scale = one.weights * one.amplitude**2
            if dry is not None:
                add((one.source, False), dry * scale)
            if wet_part is not None:
                both = wet_part if whole is None or dry is None else whole - dry
                add((one.source, True), both * scale)
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


def _met(
    these: Arriving, others: Arriving, scale: np.ndarray, *, same: bool
) -> Iterator[tuple[bool, np.ndarray]]:
    """What pairs of arrivals that lie near each other have in common: (wet, power (4, CELLS)).

    same: both lists are one, and each pair counts once. Many pairs go at once, in parts that fit a
    cache; of a few each by itself is quicker.
    """
    if len(these) * len(others) <= _FEW:
        yield from _one_by_one(these, others, scale, same=same)
        return
    first, second = _columns(these), _columns(others)
    near = np.abs(first.at[:, None] - second.at[None, :]) < FAR_TICKS
    rows, columns = np.nonzero(np.tril(near, -1) if same else near)
    for start in range(0, len(rows), _PAIRS):
        i, j = rows[start : start + _PAIRS], columns[start : start + _PAIRS]
        product = first.seen[i] * np.conj(second.seen[j]) * scale
        apart = first.at[i] - second.at[j]
        if apart.any():
            product = product * in_common(apart / TICKS)
        left, right, left_2, right_2 = (
            first.left[i],
            first.right[i],
            second.left[j],
            second.right[j],
        )
        real = np.stack((2 * left * left_2, 2 * right * right_2, left * right_2 + right * left_2))
        turned = left * right_2 - right * left_2
        wet = first.wet[i] | second.wet[j]
        for which in (False, True):
            mine = wet == which
            if mine.any():
                crossed = np.empty((4, CELLS))
                crossed[:3] = real[:, mine] @ product.real[mine]
                crossed[3] = turned[mine] @ product.imag[mine]
                yield which, crossed


def _one_by_one(
    these: Arriving, others: Arriving, scale: np.ndarray, *, same: bool
) -> Iterator[tuple[bool, np.ndarray]]:
    for i, ((at, response, wet), (left, right, _)) in enumerate(these.items()):
        for (other_at, other, other_wet), (left_2, right_2, _) in islice(
            others.items(), i if same else None
        ):
            apart = at - other_at
            if abs(apart) >= FAR_TICKS:
                continue
            product = response.cells * np.conj(other.cells) * scale
            if apart:
                product = product * in_common(np.array(apart / TICKS))
            sums = (2 * left * left_2, 2 * right * right_2, left * right_2 + right * left_2)
            crossed = np.empty((4, CELLS))
            crossed[:3] = np.outer(sums, product.real)
            crossed[3] = (left * right_2 - right * left_2) * product.imag
            yield wet or other_wet, crossed


@dataclass(frozen=True)
class _Columns:
    """Arrivals as columns: times (ticks), gains, whether wet, transfer over the cells (N, CELLS)."""

    at: np.ndarray
    left: np.ndarray
    right: np.ndarray
    wet: np.ndarray
    seen: np.ndarray


def _columns(arriving: Arriving) -> _Columns:
    keys, values = list(arriving), list(arriving.values())
    return _Columns(
        at=np.array([at for at, _, _ in keys], dtype=float),
        left=np.array([left for left, _, _ in values]),
        right=np.array([right for _, right, _ in values]),
        wet=np.array([wet for _, _, wet in keys], dtype=bool),
        seen=np.array([response.cells for _, response, _ in keys]).reshape(len(keys), -1),
    )
