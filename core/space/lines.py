"""The lines of the reverb: their lengths, what each loses a lap, and the energy that comes out.

The design that the renderer builds and the plan counts: eight lines mixed by an orthonormal matrix
(Jot and Chaigne 1991), an early part of six taps a side, left feeding the even lines and right the
odd ones, each side hearing all lines with the signs of a row of its own.
"""

import math

import numpy as np

LINES = 8
OCTAVES_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0)
LENGTHS_MS = (29.7, 33.1, 37.3, 41.9, 43.7, 47.3, 53.9, 59.3)
EARLY_MS = (0.0, 5.3, 9.7, 14.9, 19.1, 24.7)
EARLY_DB = -6.0
"""Level of a tap against the tail's lines, before its own setting."""


def decay_over(
    hz: np.ndarray, rt60_s: float, high_share: float, octaves_s: tuple[float | None, ...],
    rate_hz: float = 48_000.0,
) -> np.ndarray:  # fmt: skip
    """RT60 (s) at frequencies: by octave where any is given, else with the one pole of a high decay.

    Between the octaves' middles straight on a log frequency axis, held beyond them. The one pole
    (Jot 1991) is chosen for `high_share` times RT60 at half the rate.
    """
    if any(s is not None for s in octaves_s):
        given = [rt60_s if s is None else s for s in octaves_s]
        return np.interp(np.log2(hz), np.log2(OCTAVES_HZ), given)
    if high_share >= 1:
        return np.full(hz.shape, rt60_s)
    length_s = float(np.mean(LENGTHS_MS)) / 1e3
    rest = 10 ** (-3 * length_s / rt60_s)
    top = 10 ** (-3 * length_s / (rt60_s * high_share)) / rest
    pole = (1 - top) / (1 + top)
    turn = 2 * math.pi * hz / rate_hz
    loss = rest * (1 - pole) / np.sqrt(1 - 2 * pole * np.cos(turn) + pole * pole)
    return -3 * length_s / np.log10(np.minimum(loss, 1 - 1e-9))


def tail_energy(
    decay_s: np.ndarray, size: float, side: int
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Energy of the tail on each side, and its energy in common, for unit energy into one side.

    decay_s (F,): RT60 over frequency; side: 0 left, 1 right. What leaves line j over all laps is
    `E_j = G_j (u_j + sum E / 8)`, G_j its energy gain a lap, u_j what is fed to it (a quarter to
    each of four); each side hears `sum E / 2`, in common `sum (-1)^j E_j / 2`.
    """
    lengths = np.array(LENGTHS_MS)[:, None] / 1e3 * size
    kept = 10 ** (-6 * lengths / decay_s[None, :])
    fed = np.where(np.arange(LINES) % 2 == side, 0.25, 0.0)[:, None]
    whole = (kept * fed).sum(axis=0) / (1 - kept.sum(axis=0) / LINES)
    each = kept * (fed + whole / LINES)
    signs = np.where(np.arange(LINES) % 2 == 0, 1.0, -1.0)[:, None]
    return each.sum(axis=0) / 2, (signs * each).sum(axis=0) / 2


def early_energy(early_db: float, rt60_s: float, size: float) -> float:
    """Energy of the early part's six taps, for unit energy into their own side."""
    times = np.array(EARLY_MS) / 1e3 * size
    taps = 10 ** ((early_db + EARLY_DB) / 20) * 10 ** (-3 * times / rt60_s)
    return float((taps**2).sum())
