"""How deep two rendered sounds null while a path of one is turned up and down, from stored products.

With stems b of the one and the other's whole a, what is left at gains g is
`a'a - 2 g'(b'a) + g'(b'b)g`: so every setting is known once the products are.
"""

import math
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path

import numpy as np
import scipy
import soundfile
from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.render.sound_files import BLOCK
from core.units.decibel import amplitude, decibels, power_decibels

LONGEST_S = 600.0
DEEPEST_DB = -160.0


class Products(Edge):
    """Energies of two sounds: of the whole of one, across, and among the stems of the other."""

    whole: float
    across: list[float]
    among: list[list[float]]


class AgainstOut(Edge):
    """What is left of A less B, against A; the change of B's path that leaves least."""

    depth_db: float = Field(description="At the gains that were given")
    best_db: float | None = Field(description="Change of the path, in steps; null: leave it out")
    best_inverted: bool = Field(description="The path would have to be inverted")
    best_depth_db: float


def products_of(a: Path, a_gains: Sequence[float], b: Path, stems: int) -> Products:
    """Of A's stems with gains (none: the whole file) and B's stems, up to ten minutes of them.

    Raises FonodromeError for sounds of different rates and for gains that do not fit.
    """
    gains = np.array(a_gains if len(a_gains) else [1.0])
    with ExitStack() as held:
        one, two = (held.enter_context(soundfile.SoundFile(str(p))) for p in (a, b))
        if one.samplerate != two.samplerate:
            raise FonodromeError("The two sounds have different sample rates: render them alike.")
        if one.channels % len(gains) or two.channels % stems:
            raise FonodromeError("As many gains are needed as the sound has stems.")
        wide = one.channels // len(gains)
        if wide != two.channels // stems:
            raise FonodromeError("One of the two is mono, the other has two sides.")
        frames = min(max(one.frames, two.frames), round(LONGEST_S * one.samplerate))
        whole, across, among = 0.0, np.zeros(stems), np.zeros((stems, stems))
        for start in range(0, frames, BLOCK):
            size = min(BLOCK, frames - start)
            blocks = []
            for file, count in ((one, len(gains)), (two, stems)):
                some = file.read(size, dtype="float64", always_2d=True)
                full = np.zeros((size, count * wide))
                full[: len(some)] = some
                blocks.append(full.reshape(size, count, wide).transpose(1, 0, 2).reshape(count, -1))
            mix, rows = gains @ blocks[0], blocks[1]
            whole += float(mix @ mix)
            across += rows @ mix
            among += rows @ rows.T
    return Products(whole=whole, across=across.tolist(), among=among.tolist())


def depth_db(found: Products, gains: Sequence[float]) -> float:
    """What is left at gains of B's stems, dB against A; never below -160."""
    g, among = np.array(gains), np.array(found.among)
    left = found.whole - 2 * float(g @ np.array(found.across)) + float(g @ among @ g)
    if found.whole <= 0:
        raise FonodromeError("The first of the two is silent: nothing can be set against it.")
    return max(DEEPEST_DB, float(power_decibels(max(left, 1e-30) / found.whole)))


def against(
    found: Products, gains: Sequence[float], moving: Sequence[bool], step_db: float
) -> AgainstOut:
    """The depth at gains, and the change of all stems that move, in steps of dB, that leaves least."""
    g, free = np.array(gains, dtype=float), np.array(moving, dtype=float)
    f, rest = g * free, g * (1 - free)
    among, across = np.array(found.among), np.array(found.across)
    size = float(f @ among @ f)
    if size <= 0:
        raise FonodromeError("The path that would be moved is silent: it changes nothing.")
    best = float(f @ across - f @ among @ rest) / size
    here = depth_db(found, gains)
    if abs(best) < amplitude(-60):
        without = depth_db(found, rest.tolist())
        return AgainstOut(depth_db=here, best_db=None, best_inverted=False, best_depth_db=without)
    exact = decibels(abs(best))
    sign = math.copysign(1.0, best)
    step = max(0.001, step_db)
    near = [step * n for n in (math.floor(exact / step), math.ceil(exact / step))]
    tried = [(depth_db(found, (rest + sign * amplitude(db) * f).tolist()), db) for db in near]
    deep, db = min(tried)
    return AgainstOut(
        depth_db=here, best_db=round(db, 3), best_inverted=sign < 0, best_depth_db=deep
    )


# A delay ------------------------------------------------------------------------------------------
_LONGEST_DELAY_S = 120.0
_REACH_MS = 20.0
_TAPS, _BETA = 32, 12.0
_SHOWN = 401


class LateOut(Edge):
    """What is left of A less B while B's path comes later or earlier."""

    changes_ms: list[float] = Field(description="Of the path's delay, even steps")
    depths_db: list[float] = Field(description="At each, against A")
    depth_db: float = Field(description="As it stands")
    best_ms: float = Field(description="The change that leaves least, in steps of the control")
    best_depth_db: float
    from_s: float = Field(description="What was measured of the sounds")
    until_s: float


def _at(across: np.ndarray, place: float) -> float:
    """A correlation between its samples: a windowed sinc of 64 taps (Kaiser)."""
    whole = math.floor(place)
    n = np.arange(max(0, whole - _TAPS + 1), min(len(across), whole + _TAPS + 1))
    away = place - n
    window = np.i0(_BETA * np.sqrt(np.maximum(0, 1 - (away / _TAPS) ** 2))) / np.i0(_BETA)
    return float((across[n] * np.sinc(away) * window).sum())


def late(
    a: Path, a_gains: Sequence[float], b: Path, b_gains: Sequence[float], moving: Sequence[bool],
    step_ms: float, reach_ms: float,
) -> LateOut:  # fmt: skip
    """The depth over a change of delay of B's stems that move, up to two minutes of both.

    One correlation says all of it: with d = A less what stays of B, and f what moves,
    `|d - f later|^2 = d'd + f'f - 2 (d with f later)`. Raises FonodromeError.
    """
    gains = np.array(a_gains if len(a_gains) else [1.0])
    g, free = np.array(b_gains, float), np.array(moving, float)
    if not 0 < reach_ms <= _REACH_MS or step_ms <= 0:
        raise FonodromeError(f"A delay is searched up to {_REACH_MS:g} ms either way.")
    with ExitStack() as held:
        one, two = (held.enter_context(soundfile.SoundFile(str(p))) for p in (a, b))
        if one.samplerate != two.samplerate:
            raise FonodromeError("The two sounds have different sample rates: render them alike.")
        rate = one.samplerate
        wide = one.channels // len(gains)
        if one.channels % len(gains) or two.channels % len(g) or wide != two.channels // len(g):
            raise FonodromeError("As many gains are needed as the sound has stems.")
        frames = min(max(one.frames, two.frames), round(_LONGEST_DELAY_S * rate))
        most = math.ceil(reach_ms / 1e3 * rate) + _TAPS + 1

        def read(file: soundfile.SoundFile, start: int, size: int, count: int) -> np.ndarray:
            """(count, wide, size) from sample `start`, which may lie before the sound begins."""
            out = np.zeros((size, count * wide))
            first = max(0, start)
            if first < file.frames and start + size > 0:
                file.seek(first)
                some = file.read(start + size - first, dtype="float64", always_2d=True)
                out[first - start : first - start + len(some)] = some
            return out.reshape(size, count, wide).transpose(1, 2, 0)

        across, own, left, whole = np.zeros(2 * most + 1), 0.0, 0.0, 0.0
        for start in range(0, frames, BLOCK):
            size = min(BLOCK, frames - start)
            mix = np.tensordot(gains, read(one, start, size, len(gains)), 1)
            rows = read(two, start - most, size + 2 * most, len(g))
            moved = np.tensordot(g * free, rows, 1)
            rest = np.tensordot(g * (1 - free), rows[:, :, most : most + size], 1)
            stays = mix - rest
            inside = moved[:, most : most + size]
            whole += float((mix * mix).sum())
            left += float((stays * stays).sum())
            own += float((inside * inside).sum())
            for side in range(wide):
                found = scipy.signal.correlate(moved[side], stays[side], "valid", "fft")
                across += found[::-1]
    if whole <= 0:
        raise FonodromeError("The first of the two is silent: nothing can be set against it.")
    if own <= 0:
        raise FonodromeError("The path that would be moved is silent: it changes nothing.")

    def depth(ms: float) -> float:
        power = left + own - 2 * _at(across, most + ms / 1e3 * rate)
        return max(DEEPEST_DB, float(power_decibels(max(power, 1e-30) / whole)))

    shown = np.linspace(-reach_ms, reach_ms, _SHOWN)
    lags = (np.arange(2 * most + 1) - most) / rate * 1e3
    inside = np.abs(lags) <= reach_ms
    top = float(lags[inside][int(np.argmax(across[inside]))])
    # All steps of a coarse control; of a fine one, those within a sample of the best.
    per = 1e3 / rate if 2 * reach_ms / step_ms > _SHOWN else 2 * reach_ms
    near = np.arange(math.floor((top - per) / step_ms), math.ceil((top + per) / step_ms) + 1)
    if len(near) > 4001:
        raise FonodromeError("A control that fine cannot be searched: take steps of 0.0001 ms.")
    tried = [(depth(float(n) * step_ms), float(n) * step_ms) for n in near]
    tried = [t for t in tried if abs(t[1]) <= reach_ms + 1e-9] or [(depth(0.0), 0.0)]
    deep, best = min(tried)
    return LateOut(
        changes_ms=shown.round(4).tolist(), depths_db=[round(depth(float(ms)), 2) for ms in shown],
        depth_db=depth(0.0), best_ms=round(best, 5), best_depth_db=deep, from_s=0.0,
        until_s=frames / rate,
    )  # fmt: skip
