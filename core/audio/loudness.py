"""Loudness after ITU-R BS.1770 and EBU R 128: K-weighting, 400 ms blocks, two gates; largest values and
range after EBU Tech 3341 and 3342.

Integrated loudness looks every 100 ms, as the standard has it. The largest momentary and short-term
loudness are looked for every 10 ms: a burst may fall between the tenths.
"""

import math
from dataclasses import dataclass

import numpy as np

from core.audio.biquads import Biquads, pair_powers
from core.audio.flush import tiny_is_nothing
from core.audio.layout import layout_of
from core.units.decibel import amplitude, power_decibels, power_of

_ABSOLUTE_LUFS = -70.0
_NOTHING_LUFS = -150.0
_RELATIVE_LU = -10.0
_OFFSET = -0.691
FINE = 10
"""Steps of 10 ms in one of 100 ms."""


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

    `push` takes (sounds, channels, n); several sounds have one or two channels, one alone may have any
    usual layout. `tenths()` gives (steps, sounds, sounds): for each step the mean of every product of
    two sounds, channels added. With gains g the mix of a step has the power `g^T E g`: so the loudness
    of any mix is known without mixing. `hundredths()` has the powers of one sound every 10 ms. Raises
    AudioError for a number of channels without a layout.
    """

    def __init__(self, rate_hz: int, sounds: int = 1) -> None:
        self.fine = max(1, round(0.01 * rate_hz))
        self.step = FINE * self.fine
        self._rate = rate_hz
        self._weights = [Biquads(k_weighting(rate_hz)) for _ in range(sounds)]
        self._more: list[tuple[Biquads, np.ndarray]] = []
        """Filters and what is carried of further pairs of channels."""
        self._held = np.zeros((sounds, 2, 0))
        self._carry = np.zeros(2)
        self._done: list[np.ndarray] = []
        self._sounds = sounds

    @tiny_is_nothing()
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
        counts = layout_of(len(block)).weights
        while len(self._more) < (len(counts) - 1) // 2:
            self._more.append((Biquads(k_weighting(self._rate)), np.zeros(2)))
        total = np.zeros(0)
        pairs = [(self._weights[0], self._carry), *self._more]
        for first, (weigh, carry) in zip(range(0, len(block), 2), pairs, strict=False):
            sides = [
                np.ascontiguousarray(row, dtype=np.float64) for row in block[first : first + 2]
            ]
            for i, side in enumerate(sides):
                if counts[first + i] != 1.0:
                    sides[i] = math.sqrt(counts[first + i]) * side
            right = sides[1] if len(sides) == 2 else np.zeros_like(sides[0])
            powers = np.empty(len(right) // self.fine + 1)
            found = pair_powers(sides[0], right, weigh.sos, weigh.state, self.fine, carry, powers)
            total = powers[:found].copy() if first == 0 else total + powers[:found]
        self._done.append(total[:, None, None])

    def hundredths(self) -> np.ndarray:
        """Power of the one sound over each 10 ms, channels as they count."""
        if self._sounds != 1:
            raise ValueError("Only of one sound.")
        return np.concatenate(self._done)[:, 0, 0] if self._done else np.zeros(0)

    def tenths(self) -> np.ndarray:
        if not self._done:
            return np.zeros((0, self._sounds, self._sounds))
        whole = np.concatenate(self._done)
        if self._sounds > 1:
            return whole
        steps = len(whole) // FINE
        return whole[: steps * FINE].reshape(steps, FINE, 1, 1).mean(axis=1)


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


def largest_lufs(hundredths: np.ndarray, seconds: float) -> float | None:
    """Largest loudness of any stretch of so many seconds, looked at every 10 ms; None where there is
    none so long, or nothing in it.
    """
    count = round(100 * seconds)
    if len(hundredths) < count:
        return None
    total = np.concatenate([[0.0], np.cumsum(hundredths)])
    top = float((total[count:] - total[:-count]).max()) / count
    return _lufs(top) if top > power_of(_NOTHING_LUFS - _OFFSET) else None


def range_lu(tenths: np.ndarray) -> float | None:
    """Loudness range, EBU Tech 3342: 3 s windows, gates at -70 LUFS and 20 LU below; None where too
    little of it sounds.
    """
    if len(tenths) < 30:
        return None
    windows = np.convolve(tenths, np.ones(30) / 30, mode="valid")
    loud = _OFFSET + power_decibels(np.maximum(windows, 1e-30))
    kept = windows[loud >= _ABSOLUTE_LUFS]
    if not len(kept):
        return None
    gate = _lufs(float(kept.mean())) - 20
    inside = loud[loud >= gate]
    if len(inside) < 2:
        return None
    return float(np.percentile(inside, 95) - np.percentile(inside, 10))


@dataclass(frozen=True)
class Loudness:
    """What a loudness meter shows at the end of a sound; None where it does not exist."""

    integrated_lufs: float | None
    momentary_max_lufs: float | None
    short_term_max_lufs: float | None
    range_lu: float | None


def loudness_of(meter: EnergyMeter) -> Loudness:
    """All four figures of one sound."""
    tenths, fine = meter.tenths()[:, 0, 0], meter.hundredths()
    return Loudness(
        gated_lufs(tenths), largest_lufs(fine, 0.4), largest_lufs(fine, 3.0), range_lu(tenths)
    )


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
    """Loudness of (channels, n) in LUFS; None below the absolute gate or under 400 ms.

    Raises AudioError for a number of channels without a usual layout.
    """
    meter = EnergyMeter(round(rate_hz))
    for start in range(0, sound.shape[1], 1 << 16):
        meter.push(sound[None, :, start : start + (1 << 16)])
    return gated_lufs(meter.tenths()[:, 0, 0])
