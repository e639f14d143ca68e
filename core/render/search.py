"""How deep two rendered sounds null while a path of one is turned up and down, from stored products.

With stems b of the one and the other's whole a, what is left at gains g is
`a'a - 2 g'(b'a) + g'(b'b)g`: so every setting is known once the products are.
"""

import math
from collections.abc import Sequence
from contextlib import ExitStack
from pathlib import Path

import numpy as np
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
