"""Cycles: the loop gain of each rail that closes one, and whether the whole is certainly stable."""

import math
from dataclasses import dataclass

import numpy as np

from core.routing.evaluate.network import Link, Network
from core.routing.plan.model import Matrix
from core.routing.plan.responses import GRID_HZ, GRID_POINTS
from core.routing.plan.spread import TURNED
from core.units.decibel import decibels

BANDS_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0)


@dataclass(frozen=True)
class LoopGain:
    """Of one closing rail, broken there with all else connected; a bound that phase may lower.

    `gain_db` is the largest over frequency, at `hz`; None where what is left is unstable by itself.
    `lap_s` is the quickest way round.
    """

    port: str
    gain_db: float | None
    hz: float
    lap_s: float
    bands_db: tuple[float, ...]


def _absolute(matrix: Matrix, before: np.ndarray, behind: np.ndarray) -> np.ndarray:
    a, b, c, d = matrix
    return np.abs(behind @ np.array([[a, b], [c, d]]) @ before)


def _strength(network: Network, link: Link, turned: bool) -> np.ndarray:
    """(2, 2, F) of gain magnitudes, at the most that each can come to: a compressor at rest, the
    peaks of a reverb's own response. `turned`: two sides taken as mid and side.
    """
    response = np.ones(GRID_POINTS) if link.response is None else np.abs(link.response)
    if link.strongest is not None:
        return link.strongest[int(turned)] * response
    wide = network.plan.channels
    before = TURNED if turned and wide[link.source] == 2 else _STRAIGHT
    behind = TURNED if turned and wide[link.target] == 2 else _STRAIGHT
    return _absolute(link.matrix, before, behind)[:, :, None] * (response * link.most)


_STRAIGHT = np.eye(2)


def _ring(network: Network, point: int) -> np.ndarray | float:
    """What a feedback delay inside a cycle counts as: 1 / (1 - g), over frequency."""
    loop = network.plan.loops.get(point)
    if loop is None:
        return 1.0
    g = max(abs(x) for x in loop.matrix)
    shape = np.ones(GRID_POINTS) if loop.response is None else np.abs(loop.response)
    return 1 / np.maximum(1 - g * shape, 1e-6)


def loop_gains(network: Network) -> tuple[list[LoopGain], float | None]:
    """Each closing rail's loop gain, and the largest spectral radius over frequency.

    With K the magnitudes from closing rail to closing rail, the radius of K below 1 at every
    frequency means that the rig is stable whatever the phases; the loop gain at rail c is
    `K_cc + K_cr (I - K_rr)^-1 K_rc`, which equals `1 - det(I - M) / det(I - M0)`. Both ways of
    looking at two sides, left and right or mid and side, bound it: the smaller one counts.
    """
    if not network.back:
        return [], None
    found, radius = _gains_in(network, turned=False)
    if any(channels == 2 for channels in network.plan.channels.values()):
        others, other_radius = _gains_in(network, turned=True)
        found = [_smaller(a, b) for a, b in zip(found, others, strict=True)]
        radius = min(radius, other_radius)
    return found, radius


def _smaller(one: "LoopGain", other: "LoopGain") -> "LoopGain":
    if one.gain_db is None or other.gain_db is None:
        return one if other.gain_db is None else other
    return one if one.gain_db <= other.gain_db else other


def _gains_in(network: Network, *, turned: bool) -> tuple[list[LoopGain], float]:
    back = network.back
    k = len(back)
    round_about = [link for link in network.links if link.loops]
    strength = {id(link): _strength(network, link, turned) for link in (*round_about, *back)}
    whole = np.zeros((GRID_POINTS, 2 * k, 2 * k))
    for j, closing in enumerate(back):
        found: dict[int, np.ndarray] = {
            closing.source: np.eye(2)[:, :, None] * np.ones(GRID_POINTS)
        }
        for link in reversed(round_about):
            onward = found.get(link.target)
            if onward is None:
                continue
            part = np.einsum("ijf,jkf->ikf", onward, strength[id(link)])
            part = part * _ring(network, link.source)
            have = found.get(link.source)
            found[link.source] = part if have is None else have + part
        across = strength[id(closing)]
        for i, into in enumerate(back):
            if into.target in found:
                part = np.einsum("ijf,jkf->fik", across, found[into.target])
                whole[:, 2 * j : 2 * j + 2, 2 * i : 2 * i + 2] = part
    radius = float(np.abs(np.linalg.eigvals(whole)).max())
    return [_one(network, whole, j) for j in range(k)], radius


def _one(network: Network, whole: np.ndarray, j: int) -> LoopGain:
    k = whole.shape[1] // 2
    own = [2 * j, 2 * j + 1]
    rest = [i for i in range(2 * k) if i not in own]
    block = whole[:, own][:, :, own]
    lap = _lap_s(network, network.back[j])
    if rest:
        inner = whole[:, rest][:, :, rest]
        if float(np.abs(np.linalg.eigvals(inner)).max()) >= 1:
            return LoopGain(network.back[j].closes, None, 0.0, lap, ())
        solved = np.linalg.solve(np.eye(len(rest))[None] - inner, whole[:, rest][:, :, own])
        block = block + whole[:, own][:, :, rest] @ solved
    gain = np.abs(np.linalg.eigvals(block)).max(axis=1)
    top = int(np.argmax(gain))
    level = decibels(np.maximum(gain, 1e-12))
    bands = tuple(float(np.interp(hz, GRID_HZ, level)) for hz in BANDS_HZ)
    return LoopGain(network.back[j].closes, float(level[top]), float(GRID_HZ[top]), lap, bands)


def _lap_s(network: Network, closing: Link) -> float:
    """The quickest way from where the closing rail ends back to it, and across."""
    quick = {closing.source: 0.0}
    for _ in range(1 + len(network.back)):
        for link in (*network.back, *reversed(network.links)):
            if link.target in quick and link is not closing:
                time = link.delay_s + quick[link.target]
                quick[link.source] = min(time, quick.get(link.source, math.inf))
    return quick.get(closing.target, 0.0) + closing.delay_s
