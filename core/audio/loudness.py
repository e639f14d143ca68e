"""Integrated loudness after ITU-R BS.1770: K-weighting, 400 ms blocks, an absolute and a relative gate."""

import math

import numpy as np

from core.audio.biquads import Biquads, pair_powers
from core.units.decibel import amplitude, power_decibels, power_of

_ABSOLUTE_LUFS = -70.0
_RELATIVE_LU = -10.0
_OFFSET = -0.691


def k_weighting(rate_hz: float) -> np.ndarray:
    """The two K-weighting filters as (2, 6) second-order sections at any rate.

    Analogue corners and gains such that the coefficients printed in the standard come out at
    48 kHz (shelf 1681.97 Hz, 4 dB; high-pass 38.135 Hz).
    """
    k = math.tan(math.pi * 1681.974450955533 / rate_hz)
    high, q = amplitude(3.999843853973347), 0.7071752369554196
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


class EnergyMeter:
    """K-weighted energies of sounds that belong together, over steps of 100 ms, from blocks.

    `push` takes (sounds, channels, n) with one or two channels. `tenths()` gives (steps, sounds,
    sounds): for each step the mean of every product of two sounds, channels added. With gains g the
    mix of a step has the power `g^T E g`: so the loudness of any mix is known without mixing.
    """

    def __init__(self, rate_hz: int, sounds: int = 1) -> None:
        self.step = round(0.1 * rate_hz)
        self._weights = [Biquads(k_weighting(rate_hz)) for _ in range(sounds)]
        self._held = np.zeros((sounds, 2, 0))
        self._carry = np.zeros(2)
        self._done: list[np.ndarray] = []
        self._sounds = sounds

    def push(self, block: np.ndarray) -> None:
        sounds, channels, count = block.shape
        if sounds == 1:
            self._push_one(block[0])
            return
        weighted = np.zeros((sounds, 2, count))
        for sound, weigh in enumerate(self._weights):
            two = np.zeros((2, count))
            two[:channels] = block[sound]
            weighted[sound] = weigh(two)
        have = self._held.shape[2]
        whole = np.concatenate([self._held, weighted], axis=2) if have else weighted
        steps = whole.shape[2] // self.step
        if steps:
            used = whole[:, :, : steps * self.step].reshape(sounds, 2, steps, self.step)
            rows = used.transpose(2, 0, 1, 3).reshape(steps, sounds, 2 * self.step)
            self._done.append(rows @ rows.transpose(0, 2, 1) / self.step)
        self._held = whole[:, :, steps * self.step :].copy()

    def _push_one(self, block: np.ndarray) -> None:
        left = np.ascontiguousarray(block[0], dtype=np.float64)
        right = np.zeros_like(left) if len(block) == 1 else np.ascontiguousarray(block[1], float)
        powers = np.empty(len(left) // self.step + 1)
        weigh = self._weights[0]
        found = pair_powers(left, right, weigh.sos, weigh.state, self.step, self._carry, powers)
        self._done.append(powers[:found, None, None].copy())

    def tenths(self) -> np.ndarray:
        if not self._done:
            return np.zeros((0, self._sounds, self._sounds))
        return np.concatenate(self._done)


def _lufs(power: float) -> float:
    return _OFFSET + power_decibels(power) if power > 0 else -math.inf


def momentary_lufs(tenths: np.ndarray) -> np.ndarray:
    """Loudness of the 400 ms that begin at each step (-inf for silence) from powers per 100 ms."""
    if len(tenths) < 4:
        return np.zeros(0)
    blocks = np.convolve(tenths, np.ones(4) / 4, mode="valid")
    return _OFFSET + power_decibels(np.maximum(blocks, 1e-30))


def short_term_lufs(tenths: np.ndarray) -> np.ndarray:
    """Loudness of the 3 s that end with each step (EBU Tech 3341), silence before the first."""
    padded = np.concatenate([np.zeros(29), tenths])
    blocks = np.convolve(padded, np.ones(30) / 30, mode="valid")
    return _OFFSET + power_decibels(np.maximum(blocks, 1e-30))


def gated_lufs(tenths: np.ndarray) -> float | None:
    """Integrated loudness of powers per 100 ms (steps,); None below the absolute gate."""
    if len(tenths) < 4:
        return None
    blocks = np.convolve(tenths, np.ones(4) / 4, mode="valid")
    heard = blocks[blocks > power_of(_ABSOLUTE_LUFS - _OFFSET)]
    if not len(heard):
        return None
    gate = _lufs(float(heard.mean())) + _RELATIVE_LU
    kept = heard[heard > power_of(gate - _OFFSET)]
    return _lufs(float(kept.mean())) if len(kept) else None


def mixed_tenths(energies: np.ndarray, gains: np.ndarray) -> np.ndarray:
    """Powers per step of a mix with linear gains (sounds,), from an EnergyMeter's energies."""
    return np.asarray(np.einsum("i,bij,j->b", gains, energies, gains))


def integrated_lufs(sound: np.ndarray, rate_hz: float) -> float | None:
    """Loudness of (channels, n) in LUFS; None below the absolute gate or under 400 ms."""
    meter = EnergyMeter(round(rate_hz))
    for start in range(0, sound.shape[1], 1 << 16):
        meter.push(sound[None, :2, start : start + (1 << 16)])
    return gated_lufs(meter.tenths()[:, 0, 0])
