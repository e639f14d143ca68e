"""Sums of listed paths of one source: in step, and as heard on its spectrum."""

import math

import numpy as np

from core.routing.evaluate.paths import Path
from core.routing.evaluate.shapes import TICKS, pair_table, shared_power, spectrum_number
from core.routing.plan.cells import CELLS, Spectrum

_AT_ONCE = 2


def sides_of(path: Path, sides: int) -> tuple[float, float]:
    """Gains to left and right: of a stereo source what its two equal sides bring."""
    a, b, c, d = path.matrix
    if b == 0 and d == 0:
        return a, c if sides == 2 else 0.0
    return (a + b) / math.sqrt(2), (c + d) / math.sqrt(2) if sides == 2 else 0.0


def in_step(paths: list[Path], sides: int, spectrum: Spectrum) -> float:
    """Gain of paths in step: what comes at one time as it adds, sizes of the rest added, both sides."""
    groups: list[list[Path]] = []
    for path in sorted(paths, key=lambda p: p.delay_s):
        same = groups and round((path.delay_s - groups[-1][0].delay_s) * TICKS) < _AT_ONCE
        if same and not path.diffuse:
            groups[-1].append(path)
        else:
            groups.append([path])
    if all(path.shape == 0 for path in paths):
        tops = [0.0, 0.0]
        for group in groups:
            pairs = [sides_of(path, sides) for path in group]
            for side in (0, 1):
                tops[side] += abs(sum(pair[side] for pair in pairs))
        return math.hypot(*tops)
    seen = [np.zeros(CELLS), np.zeros(CELLS)]
    for group in groups:
        for side in (0, 1):
            whole = sum(sides_of(p, sides)[side] * p.shape.cells for p in group)
            seen[side] = seen[side] + np.abs(whole)
    return math.sqrt(float(sum((spectrum.weights * top**2).sum() for top in seen)))


def coupling(paths: list[Path], sides: int, spectrum: Spectrum) -> np.ndarray:
    """(n, n): power that paths bring together, both sides: `s @ C @ s` for gains s on top of theirs.

    Diffuse and modulated ones share nothing with others; what filters on them take of the source's
    spectrum is taken from all.
    """
    gains = np.array([sides_of(path, sides) for path in paths]).reshape(-1, 2)
    number = spectrum_number(spectrum)
    passed = np.array(
        [
            shared_power(number, spectrum.weights, p.shape, p.shape, 0) if p.shape else 1.0
            for p in paths
        ]
    )
    found = np.diag((gains**2).sum(axis=1) * passed.reshape(-1))
    kept = sorted(
        (round(path.delay_s * TICKS), i)
        for i, path in enumerate(paths)
        if not (path.diffuse or path.swings)
    )
    if kept:
        places = [i for _, i in kept]
        arriving = tuple((at, paths[i].shape) for at, i in kept)
        table = pair_table(number, spectrum.weights, arriving)
        found[np.ix_(places, places)] = table * (gains[places] @ gains[places].T)
    return found
