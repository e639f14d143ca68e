"""What is left between two variants of a rig, by their plans."""

from collections import defaultdict

import numpy as np

from core.errors import FonodromeError
from core.routing import Evaluation
from core.routing.document import kinds as k
from core.routing.evaluate.network import transfers
from core.routing.evaluate.report import ArrivalOut
from core.routing.plan.cells import EDGES_HZ
from core.routing.plan.responses import GRID_HZ
from core.units.decibel import db_gain, power_db

_LEAST = 1e-12
_TOGETHER_MS = 0.05
"""Tails of one setting that begin so close to each other are one sound."""


def left_between_db(one: Evaluation, other: Evaluation, output: str) -> float:
    """Power of A - B against that of A at an output, dB, -120 at the least.

    What is in step by the transfers of both over the sources' spectra; tails whose reverbs have one
    setting and begin together by their gains, others as powers. What depends on level has the gain of its
    nominal level. Raises FonodromeError where the other has no such output, or nothing arrives.
    """
    if output not in other.plan.outputs:
        raise FonodromeError(f"The other variant has no output “{output}”.")
    ways = [transfers(e.network, output) for e in (one, other)]
    whole = left = 0.0
    for source, point in one.plan.sources.items():
        weights = _weights(one, source)
        there = other.plan.sources.get(source)
        a = ways[0].get(point, _NOTHING)
        b = _NOTHING if there is None else ways[1].get(there, _NOTHING)
        power = sum(one.plan.carried[point].total[:2])
        wide = one.plan.channels[point] == 2

        def of(h: np.ndarray, wide: bool = wide, weights: np.ndarray = weights) -> float:
            # A stereo source has unlike sides: their powers add.
            sides = (
                (np.abs(h) ** 2).sum(axis=(0, 1)) / 2
                if wide
                else (np.abs(h[:, 0]) ** 2).sum(axis=0)
            )
            return float((sides * weights).sum())

        tails = [_tails(e, source, output) for e in (one, other)]
        own = sum(g * g for group in tails[0].values() for g, _ in group)
        whole += power * (of(a) + own)
        left += power * (of(a - b) + _unlike(tails[0], tails[1]))
    if whole <= _LEAST:
        raise FonodromeError("Nothing arrives here that could be held against another variant.")
    return power_db(max(left / whole, _LEAST))


_NOTHING = np.zeros((2, 2, len(GRID_HZ)), complex)
Tails = dict[str, list[tuple[float, float]]]
"""Signed gain and time (ms) of each tail, by what makes it."""


def _weights(e: Evaluation, source: str) -> np.ndarray:
    """Shares of a source's power over the grid."""
    spectrum = e.context.spectrum(source).weights
    cell = np.clip(np.searchsorted(EDGES_HZ, GRID_HZ, "right") - 1, 0, len(spectrum) - 1)
    inside = np.bincount(cell, minlength=len(spectrum))
    shares = spectrum[cell] / np.maximum(inside[cell], 1)
    return np.asarray(shares / max(shares.sum(), _LEAST))


def _tails(e: Evaluation, source: str, output: str) -> Tails:
    found: Tails = defaultdict(list)
    for board in e.boards:
        if board.output == output and board.source == source:
            for a in board.arrivals:
                if a.diffuse:
                    found[_maker(e, a)].append((a.polarity * db_gain(a.gain_db), a.time_ms))
    return found


def _maker(e: Evaluation, a: ArrivalOut) -> str:
    """What makes a tail, by all that it is set to but where it stands."""
    nodes = [e.rig.nodes[n] for n in a.through if n in e.rig.nodes]
    made = [n for n in nodes if getattr(n, "diffuse", False) and isinstance(n, k.Stage)]
    plain = {"name", "output_db", "mix_percent", "pre_delay"}
    return repr([sorted(n.model_dump(exclude=plain).items(), key=str) for n in made])


def _unlike(one: Tails, other: Tails) -> float:
    """Power of one set of tails less another."""
    left = 0.0
    for maker in {*one, *other}:
        mine, theirs = list(one.get(maker, [])), list(other.get(maker, []))
        for gain, at in mine:
            same = next((t for t in theirs if abs(t[1] - at) <= _TOGETHER_MS), None)
            if same is not None:
                theirs.remove(same)
            left += (gain - (same[0] if same else 0.0)) ** 2
        left += sum(gain * gain for gain, _ in theirs)
    return left
