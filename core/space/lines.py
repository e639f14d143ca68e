"""The lines of the reverb: their lengths, what each loses a lap, and the energy that comes out.

The design that the renderer builds and the plan counts: eight lines mixed by an orthonormal matrix
(Jot and Chaigne 1991), an early part of six taps a side, left feeding the even lines and right the
odd ones, each side hearing all lines with the signs of a row of its own.
"""

import math
import random

import numpy as np
import scipy

from core.units.decibel import amplitude

LINES = 8
OCTAVES_HZ = (125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0)
LENGTHS_MS = (29.7, 33.1, 37.3, 41.9, 43.7, 47.3, 53.9, 59.3)
EARLY_MS = (0.0, 5.3, 9.7, 14.9, 19.1, 24.7)
EARLY_DB = -6.0
"""Level of a tap against the tail's lines, before its own setting."""


def tail_energy(kept: np.ndarray, side: int) -> tuple[np.ndarray, np.ndarray]:
    """Energy of the tail on each side, and its energy in common, for unit energy into one side.

    kept (8, F): energy gain of each line a lap; side: 0 left, 1 right. What leaves line j over all
    laps is `E_j = G_j (u_j + sum E / 8)`, u_j what is fed to it (a quarter to each of four); each
    side hears `sum E / 2`, in common `sum (-1)^j E_j / 2`.
    """
    fed = np.where(np.arange(LINES) % 2 == side, 0.25, 0.0)[:, None]
    whole = (kept * fed).sum(axis=0) / (1 - kept.sum(axis=0) / LINES)
    each = kept * (fed + whole / LINES)
    signs = np.where(np.arange(LINES) % 2 == 0, 1.0, -1.0)[:, None]
    return each.sum(axis=0) / 2, (signs * each).sum(axis=0) / 2


_LAP_DB = np.array([0.1, 0.2, 0.4, 0.7, 1.0, 1.5, 2.0, 3.0, 4.5, 6.0, 9.0, 12.0, 18.0, 30.0])
_SAME = np.array(
    [1.721, 1.67, 1.608, 1.558, 1.505, 1.428, 1.379, 1.287, 1.189, 1.13, 1.061, 1.029, 1.009, 1.001]
)
_OTHER = np.array(
    [
        1.332,
        1.303,
        1.275,
        1.26,
        1.236,
        1.205,
        1.189,
        1.152,
        1.113,
        1.087,
        1.047,
        1.023,
        1.008,
        1.001,
    ]
)
_ACROSS = np.array(
    [
        0.443,
        0.424,
        0.403,
        0.378,
        0.345,
        0.302,
        0.269,
        0.209,
        0.144,
        0.102,
        0.052,
        0.025,
        0.008,
        0.001,
    ]
)
_BOTH = np.array(
    [0.581, 0.546, 0.502, 0.453, 0.415, 0.359, 0.317, 0.248, 0.175, 0.126, 0.065, 0.034, 0.007, 0.0]
)
_CROSSED = np.array(
    [0.389, 0.367, 0.332, 0.296, 0.266, 0.219, 0.185, 0.131, 0.072, 0.041, 0.012, 0.005, 0.001, 0.0]
)
"""What ways of the same lines in another order, which arrive at one time, add to the energies of
`tail_energy`, against the loss of a lap in dB: on the side that is fed and the other (factors), in
common, of what both sides are fed in common, and of that in common (shares). Means over lines of
any length; `core/space/tests` finds them again.
"""


def tail_power(kept: np.ndarray, together: np.ndarray, still: np.ndarray | float) -> np.ndarray:
    """(4, 4, F) power out of power in, each as left, right, and the real and imaginary part of what they
    have in common, of lines of kept (8, F) power a lap.

    together (F,), complex: what is left of common power before the lines, as their all-passes turn the sides
    apart; still: share of them that modulation does not move apart, 0 to 1.
    """
    lap = -10 * np.log10(np.maximum(kept, 1e-30)).mean(axis=0)
    most = np.sqrt(still)
    same, other, across, both, crossed = (
        start + share * (np.interp(np.log(lap + 1e-9), np.log(_LAP_DB), row) - start)
        for start, share, row in (
            (1, most, _SAME),
            (1, most, _OTHER),
            (0, still, _ACROSS),
            (0, still, _BOTH),
            (0, still, _CROSSED),
        )
    )
    (left, left_common), (right, right_common) = (tail_energy(kept, n) for n in (0, 1))
    mixed, crossed = 2 * both * left, crossed * left
    real, turned, none = together.real, together.imag, np.zeros(kept.shape[1])
    return np.array(
        [
            [same * left, other * right, real * mixed, -turned * mixed],
            [other * left, same * right, -real * mixed, turned * mixed],
            [
                left_common + across * left, right_common - across * right, real * crossed,
                -turned * crossed,
            ],
            [none, none, none, none],
        ]
    )  # fmt: skip


def early_energy(early_db: float, rt60_s: float, times: np.ndarray) -> float:
    """Energy of the early part's six taps (times in s), for unit energy into their own side."""
    taps = amplitude(early_db + EARLY_DB) * 10 ** (-3 * times / rt60_s)
    return float((taps**2).sum())


_OWN, _SEEDED = 0.16, 0.04


SHORT_S = 0.6
_LEAST = 0.45


def lines_size(size: float, longest_s: float) -> float:
    """Size of the lines for the longest decay asked: a short one takes shorter lines.

    Lines of 45 ms lose 9 dB a lap at 0.3 s: the tail falls in steps, and what a measurement from -5 to
    -35 dB finds is the luck of a few laps. A small room is a short one.

    >>> lines_size(1.0, 2.0), lines_size(1.0, 0.3)
    (1.0, 0.5)
    """
    return size * min(1.0, max(_LEAST, longest_s / SHORT_S))


def line_lengths(
    size: float, rate_hz: float, own: int = 0, seed: int = 0
) -> tuple[int, ...]:  # fmt: skip
    """Samples of the eight lines: primes, so that no two share a period.

    Reverbs that differ have lines of their own, up to 16 % from the first one's: with equal lines the
    peaks of two responses would meet, and one behind the other would be 3 dB louder for that.
    """
    return tuple(
        next_prime(max(67, round(ms * size * one * other / 1e3 * rate_hz)))
        for ms, one, other in zip(
            LENGTHS_MS, _stretched(own, _OWN, LINES), _stretched(seed, _SEEDED, LINES), strict=True
        )
    )


def _stretched(start: int, most: float, count: int) -> list[float]:
    rng = random.Random(start)
    return [1 + most * (2 * rng.random() - 1) if start else 1.0 for _ in range(count)]


def early_times(size: float, own: int = 0) -> np.ndarray:
    """Times (s) of the early part's six taps on the left; the right's are 7 % longer."""
    return np.array(EARLY_MS) / 1e3 * size * _stretched(-own, _OWN, len(EARLY_MS))


def diffuser_spans(rate_hz: float, own: int = 0) -> np.ndarray:
    """(2, 2): samples of the two all-passes of each side, before the lines and the early part."""
    stretch = _stretched(own + 7 * (own > 0), 2 * _OWN, len(DIFFUSERS_MS))
    return np.array(
        [
            [
                next_prime(round(ms * one / 1e3 * rate_hz) + DIFFUSER_APART * side)
                for ms, one in zip(DIFFUSERS_MS, stretch, strict=True)
            ]
            for side in (0, 1)
        ]
    )


def next_prime(n: int) -> int:
    """The first prime from `n` on."""
    while any(n % d == 0 for d in range(2, math.isqrt(n) + 1)):
        n += 1
    return n


DIFFUSERS_MS = (4.73, 7.91)
DIFFUSER_APART = 31
"""Samples by which the right side's are longer."""
MOST_DIFFUSION = 0.75


def diffusers(
    hz: np.ndarray, density: float, own: int = 0, rate_hz: float = 48_000.0
) -> np.ndarray:  # fmt: skip
    """(2, F): the all-passes before the lines, a side each: `(g + z^-n) / (1 + g z^-n)`, two in a row.

    They change no magnitude, but turn the two sides unlike each other.
    """
    share = MOST_DIFFUSION * density
    found = np.ones((2, len(hz)), complex)
    for side, spans in enumerate(diffuser_spans(rate_hz, own)):
        for span in spans:
            z = np.exp(-2j * math.pi * hz * span / rate_hz)
            found[side] *= (share + z) / (1 + share * z)
    return found


def _hadamard(rows: np.ndarray) -> np.ndarray:
    """All eight rows through the orthonormal mixing, in three rounds."""
    mixed = rows
    for step in (1, 2, 4):
        pairs = mixed.reshape(-1, 2, step, mixed.shape[1])
        mixed = np.stack([pairs[:, 0] + pairs[:, 1], pairs[:, 0] - pairs[:, 1]], axis=1)
        mixed = mixed.reshape(LINES, -1)
    return mixed / math.sqrt(LINES)


LOW_HZ = np.arange(20.0, 260.0, 0.5)
"""Where single modes of a tail stand out, and a cell holds few of them."""
_MIXED = _hadamard(np.eye(LINES))


def low_transfer(
    lengths: tuple[int, ...], losses: np.ndarray, rate_hz: float = 48_000.0
) -> np.ndarray:
    """The tail's transfer at LOW_HZ (2, 2, F), out by in, exactly: `C X (I - M X)^-1 B` with X the lines
    and their losses (8, F), M the mixing, B what is fed, C what is heard.
    """
    turn = np.exp(-2j * np.pi * np.array(lengths)[:, None] / rate_hz * LOW_HZ[None, :])
    through = (turn * losses).T
    system = np.eye(LINES)[None] - _MIXED[None] * through[:, None, :]
    odd = np.arange(LINES) % 2
    fed = 0.5 * np.stack([odd == 0, odd == 1], axis=1).astype(complex)
    held = np.linalg.solve(system, np.broadcast_to(fed, (len(LOW_HZ), LINES, 2)))
    heard = np.stack([np.ones(LINES), np.where(odd == 0, 1.0, -1.0)]) / math.sqrt(2)
    found: np.ndarray = np.einsum("oj,fj,fji->oif", heard, through, held)
    return found


_FINER = 4


def tail_response(
    lengths: tuple[int, ...], gains: np.ndarray, sections: np.ndarray, seconds: float,
    rate_hz: float = 48_000.0,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Hz (F,) and the tail's transfer (2, 2, F), out by in, of lines with gains (8,) and first-order
    sections (m, 3, 8) as b0, b1, a1.

    Found from the response itself over so many seconds, computed in stretches as long as the
    shortest line. All-passes before the lines are left out.
    """
    step, longest = min(lengths), max(lengths)
    count = 1 << max(12, math.ceil(math.log2(min(12.0, max(0.3, seconds)) * rate_hz)))
    found = []
    for side in (0, 1):
        lines = np.zeros((LINES, longest + count + step))
        lines[:, longest] = np.where(np.arange(LINES) % 2 == side, 0.5, 0.0)
        states = np.zeros((len(sections), LINES, 1))
        heard = np.zeros((2, count))
        for start in range(0, count, step):
            stop = min(count, start + step)
            came = np.stack(
                [
                    gains[j] * lines[j, longest + start - n : longest + stop - n]
                    for j, n in enumerate(lengths)
                ]
            )
            for m, (b0, b1, a1) in enumerate(sections):
                for j in range(LINES):
                    came[j], states[m, j] = scipy.signal.lfilter(
                        [b0[j], b1[j]], [1, a1[j]], came[j], zi=states[m, j]
                    )
            signs = np.where(np.arange(LINES) % 2 == 0, 1.0, -1.0)
            heard[0, start:stop] = came.sum(axis=0) / math.sqrt(2)
            heard[1, start:stop] = (signs[:, None] * came).sum(axis=0) / math.sqrt(2)
            lines[:, longest + start : longest + stop] += _hadamard(came)
        # Finer than the response is long, so that no peak lies between two places.
        found.append(np.fft.rfft(heard, _FINER * count, axis=1))
    return np.fft.rfftfreq(_FINER * count, 1 / rate_hz), np.stack(found, axis=1)
