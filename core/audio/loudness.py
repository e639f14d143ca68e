"""Integrated loudness after ITU-R BS.1770: K-weighting, 400 ms blocks, an absolute and a relative gate."""

import math

import numpy as np
import scipy.signal

_ABSOLUTE_LUFS = -70.0
_RELATIVE_LU = -10.0
_OFFSET = -0.691


def k_weighting(rate_hz: float) -> np.ndarray:
    """The two K-weighting filters as (2, 6) second-order sections at any rate.

    Analogue corners and gains such that the coefficients printed in the standard come out at
    48 kHz (shelf 1681.97 Hz, 4 dB; high-pass 38.135 Hz).
    """
    k = math.tan(math.pi * 1681.974450955533 / rate_hz)
    high, q = 10 ** (3.999843853973347 / 20), 0.7071752369554196
    mid = high**0.4996667741545416
    a0 = 1 + k / q + k * k
    shelf = [
        (high + mid * k / q + k * k) / a0, 2 * (k * k - high) / a0,
        (high - mid * k / q + k * k) / a0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0,
    ]  # fmt: skip
    k, q = math.tan(math.pi * 38.13547087602444 / rate_hz), 0.5003270373238773
    a0 = 1 + k / q + k * k
    cut = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    return np.array([shelf, cut])


def integrated_lufs(sound: np.ndarray, rate_hz: float) -> float | None:
    """Loudness of (channels, n) in LUFS; None below the absolute gate or under 400 ms."""
    step = round(0.1 * rate_hz)
    count = sound.shape[1] // step
    if count < 4:
        return None
    weighted = scipy.signal.sosfilt(k_weighting(rate_hz), sound, axis=-1)
    tenths = (weighted[:, : count * step] ** 2).reshape(len(sound), count, step).mean(axis=2)
    blocks = sum(tenths[:, i : count - 3 + i] for i in range(4)).sum(axis=0) / 4

    def lufs(power: float) -> float:
        return _OFFSET + 10 * math.log10(power) if power > 0 else -math.inf

    heard = blocks[blocks > 10 ** ((_ABSOLUTE_LUFS - _OFFSET) / 10)]
    if not len(heard):
        return None
    gate = lufs(float(heard.mean())) + _RELATIVE_LU
    kept = heard[heard > 10 ** ((gate - _OFFSET) / 10)]
    return lufs(float(kept.mean())) if len(kept) else None
