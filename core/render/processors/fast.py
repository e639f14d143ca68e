"""Levels, logarithms and gains in single precision, many samples at a time.

NumPy's own logarithm and exponential go through memory for every step; these take a stretch of a
thousand samples through all of it while it lies near the processor. `log2` and `exp2` are within 4e-7,
that is a hundred-thousandth of a dB.
"""

from typing import Any

import numpy as np

from core.sample_loops import sample_loop
from core.units.decibel import decibels

PIECE = 1024
_DB_PER_OCTAVE = np.float32(decibels(2))
_OCTAVES_PER_DB = np.float32(1 / (decibels(2)))
_FLOOR = np.float32(1e-9)
_KEEP: Any = {
    "error_model": "numpy",
    "fastmath": {"contract", "nsz", "arcp", "reassoc", "nnan"},
}


@sample_loop("void(float64[::1], float64[::1], float32[::1])", **_KEEP)
def loudest_into(left, right, out):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        out[i] = np.float32(max(abs(left[i]), abs(right[i])))


@sample_loop("void(int32[::1], float32[::1], int32[::1])", **_KEEP)
def _part(bits, exponents, mantissa):  # type: ignore[no-untyped-def]
    """Bits of positive floats as exponents and mantissas between 0.7 and 1.4."""
    for i in range(len(bits)):
        b = bits[i] - np.int32(0x3F3504F3)
        exponents[i] = np.float32(b >> np.int32(23))
        mantissa[i] = (b & np.int32(0x007FFFFF)) + np.int32(0x3F3504F3)


@sample_loop("void(float32[::1], float32[::1], float32[::1])", **_KEEP)
def _log(mantissa, exponents, out):  # type: ignore[no-untyped-def]
    """dB from mantissa and exponent: `log2 m = 2 / ln 2 (z + z^3/3 + z^5/5 + z^7/7)`."""
    for i in range(len(out)):
        z = (mantissa[i] - np.float32(1)) / (mantissa[i] + np.float32(1))
        w = z * z
        series = np.float32(2.8853900818) + w * (
            np.float32(0.9617966939) + w * (np.float32(0.5770780164) + w * np.float32(0.4121985831))
        )
        out[i] = (exponents[i] + z * series) * _DB_PER_OCTAVE


@sample_loop("void(float32[::1], float32[::1], int32[::1])", **_KEEP)
def _power(db, out, whole):  # type: ignore[no-untyped-def]
    """2 to the fraction into out, the whole octaves as bits of a float into whole."""
    for i in range(len(out)):
        y = db[i] * _OCTAVES_PER_DB
        n = np.floor(y + np.float32(0.5))
        f = (y - n) * np.float32(0.69314718056)
        out[i] = np.float32(1) + f * (
            np.float32(1)
            + f
            * (
                np.float32(0.5)
                + f
                * (
                    np.float32(1 / 6)
                    + f * (np.float32(1 / 24) + f * (np.float32(1 / 120) + f * np.float32(1 / 720)))
                )
            )
        )
        whole[i] = (np.int32(n) + np.int32(127)) << np.int32(23)


@sample_loop("void(float32[::1], float32[::1])", **_KEEP)
def _times(out, other):  # type: ignore[no-untyped-def]
    for i in range(len(out)):
        out[i] *= other[i]


@sample_loop("void(float32[::1])", **_KEEP)
def _not_nothing(x):  # type: ignore[no-untyped-def]
    for i in range(len(x)):
        x[i] = min(max(x[i], _FLOOR), np.float32(1e9))


@sample_loop("void(float32[::1], float32)", **_KEEP)
def _held_in(x, most):  # type: ignore[no-untyped-def]
    for i in range(len(x)):
        x[i] = min(max(x[i], -most), most)


@sample_loop("void(float32[::1], float32, float32, float32)", **_KEEP)
def reduce_into(level, threshold, slope, knee):  # type: ignore[no-untyped-def]
    """Levels in dB become what the static curve takes off, in dB."""
    if knee <= 0:
        for i in range(len(level)):
            level[i] = slope * max(level[i] - threshold, np.float32(0))
    else:
        half, bend = knee * np.float32(0.5), np.float32(0.5) / knee
        for i in range(len(level)):
            over = level[i] - threshold + half
            inside = min(max(over, np.float32(0)), knee)
            level[i] = slope * (inside * inside * bend + max(over - knee, np.float32(0)))


@sample_loop(
    "float64(float32[::1], float32[::1], float64, float64, float64)",
    error_model="numpy",
    fastmath={"contract", "nnan", "nsz"},
)
def follow(wanted, out, attack, release, state):  # type: ignore[no-untyped-def]
    """Follows `wanted` with one pole each way: attack while it grows, release while it falls.

    The larger of both updates is the right one when the attack is the shorter, else the smaller.
    `out` may be `wanted` itself.
    """
    up, down = 1 - attack, 1 - release
    if attack <= release:
        for i in range(len(wanted)):
            w = np.float64(wanted[i])
            state = max(attack * state + up * w, release * state + down * w)
            out[i] = state
    else:
        for i in range(len(wanted)):
            w = np.float64(wanted[i])
            state = min(attack * state + up * w, release * state + down * w)
            out[i] = state
    return state


@sample_loop("void(float64[::1], float32[::1], float64[::1])", **_KEEP)
def turn_down(row, gain, out):  # type: ignore[no-untyped-def]
    for i in range(len(gain)):
        out[i] = row[i] * gain[i]


class Scratch:
    """Room for one piece, seen as floats and as integers. Not for use by two threads."""

    def __init__(self) -> None:
        self.level = np.empty(PIECE, np.float32)
        self.level_bits = self.level.view(np.int32)
        self.mantissa = np.empty(PIECE, np.int32)
        self.exponents = np.empty(PIECE, np.float32)
        self.as_float = self.mantissa.view(np.float32)

    def to_db(self, size: np.ndarray) -> np.ndarray:
        """Sizes (float32, at most PIECE) in dB, -180 at the least; in place."""
        n = len(size)
        _not_nothing(size)
        _part(size.view(np.int32), self.exponents[:n], self.mantissa[:n])
        _log(self.as_float[:n], self.exponents[:n], size)
        return size

    def to_gain(self, db: np.ndarray) -> np.ndarray:
        """Levels in dB (float32, at most PIECE, within 180 dB) as gains; in place."""
        n = len(db)
        _held_in(db, np.float32(180))
        _power(db, db, self.mantissa[:n])
        _times(db, self.as_float[:n])
        return db


def rows(block: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """First and last row of (channels, n), each in one piece; not copied where they are already."""
    return np.ascontiguousarray(block[0]), np.ascontiguousarray(block[-1])


def loudest(block: np.ndarray) -> np.ndarray:
    """Size of the louder side in single precision (n,)."""
    out = np.empty(block.shape[1], np.float32)
    loudest_into(*rows(block), out)
    return out


def to_db(size: np.ndarray) -> np.ndarray:
    """Sizes (float32) in dB, -180 at the least; in place. Safe for use by many threads."""
    scratch = Scratch()
    for start in range(0, len(size), PIECE):
        scratch.to_db(size[start : start + PIECE])
    return size


def to_gain(db: np.ndarray) -> np.ndarray:
    """Levels in dB (float32, within 180 dB) as gains; in place."""
    scratch = Scratch()
    for start in range(0, len(db), PIECE):
        scratch.to_gain(db[start : start + PIECE])
    return db


@sample_loop(
    "float64(float64[::1], float64[::1], float64[::1], float64[::1], float64[:, ::1], "
    "float32[::1], int32[::1], float32[::1], int32[::1], float32[::1], float32, float32, "
    "float32, float32, float64, float64, float64)",
)
def compress(  # type: ignore[no-untyped-def]
    left, right, heard, other, out, level, level_bits, as_float, mantissa, exponents, threshold, slope,
    knee, makeup, attack, release, state,
):  # fmt: skip
    """A whole compressor, piece by piece: level, static curve, attack and release, gain.

    left and right into out (2, n); heard and other are the two sides of what it listens to.
    """
    total = len(left)
    for start in range(0, total, 1024):
        n = min(1024, total - start)
        x, bits = level[:n], level_bits[:n]
        loudest_into(heard[start : start + n], other[start : start + n], x)
        _not_nothing(x)
        _part(bits, exponents[:n], mantissa[:n])
        _log(as_float[:n], exponents[:n], x)
        reduce_into(x, threshold, slope, knee)
        state = follow(x, x, attack, release, state)
        for i in range(n):
            x[i] = makeup - x[i]
        _held_in(x, np.float32(180))
        _power(x, exponents[:n], mantissa[:n])
        _times(exponents[:n], as_float[:n])
        turn_down(left[start : start + n], exponents[:n], out[0, start : start + n])
        turn_down(right[start : start + n], exponents[:n], out[1, start : start + n])
    return state
