"""A reverb: an early part, then a feedback delay network of eight lines that dies evenly.

Two all-pass diffusers thicken what comes in. Eight lines of unlike prime lengths are mixed by a
Hadamard matrix (Jot and Chaigne 1991): it keeps all energy, so a gain of `10^(-3 m / (fs RT60))`
behind a line of m samples makes every part of the tail lose 60 dB in RT60, whatever its pitch.
"""

import math
import zlib

import numba
import numpy as np

from core.routing import kinds as k

LINES = 8
_LENGTHS_MS = (29.7, 33.1, 37.3, 41.9, 43.7, 47.3, 53.9, 59.3)
_DIFFUSERS_MS = (4.73, 7.91)
_DIFFUSION = 0.6
_EARLY_MS = (0.0, 5.3, 9.7, 14.9, 19.1, 24.7)
_EARLY_SHARE = 0.5
_SWING_MS = 0.25
_SWING_HZ = (0.31, 0.47, 0.59, 0.71, 0.83, 0.97, 1.13, 1.31)


def _prime(n: int) -> int:
    """The first prime from `n` on."""
    while any(n % d == 0 for d in range(2, math.isqrt(n) + 1)):
        n += 1
    return n


@numba.njit(cache=True, nogil=True)
def _run(  # type: ignore[no-untyped-def]
    block, out, lines, lengths, gains, place, diffusers, spans, spot, early, taps, early_gains,
    at, swing, turns, moved,
):  # fmt: skip
    """Block (2, n) through the network into out (2, n); all state is changed in place."""
    whole = lines.shape[1]
    reach = early.shape[1]
    for i in range(block.shape[1]):
        for side in range(2):
            x = block[side, i]
            for d in range(2):
                held = diffusers[side, d, spot[side, d]]
                inner = x - _DIFFUSION * held
                diffusers[side, d, spot[side, d]] = inner
                x = held + _DIFFUSION * inner
                spot[side, d] = (spot[side, d] + 1) % spans[side, d]
            early[side, at[0]] = x
        s = np.zeros(8)
        for j in range(8):
            late = lengths[j] + swing * math.sin(
                2 * math.pi * (moved[0] * turns[j, 0] + turns[j, 1])
            )
            read = place[0] - late
            first = math.floor(read)
            u = read - first
            a = lines[j, int(first) % whole]
            b = lines[j, int(first + 1) % whole]
            s[j] = gains[j] * (a + u * (b - a))
        left = s[0] + s[2] + s[4] + s[6]
        right = s[1] + s[3] + s[5] + s[7]
        for t in range(taps.shape[1]):
            left += early_gains[t] * early[0, (at[0] - taps[0, t]) % reach]
            right += early_gains[t] * early[1, (at[0] - taps[1, t]) % reach]
        out[0, i] = left
        out[1, i] = right
        # The Hadamard matrix of eight by three rounds of sums and differences.
        for h in (1, 2, 4):
            for start in range(0, 8, 2 * h):
                for j in range(start, start + h):
                    p, q = s[j], s[j + h]
                    s[j] = p + q
                    s[j + h] = p - q
        for j in range(8):
            lines[j, place[0] % whole] = s[j] * 0.35355339059327373 + 0.5 * early[j % 2, at[0]]
        place[0] += 1
        at[0] = (at[0] + 1) % reach
        moved[0] += 1


class ReverbWork:
    """The tail of a reverb stage, with the energy that the plan counts it for.

    Scaled so that the whole response has the energy of its input (as the plan takes a diffuse arc).
    Unless it is locked, the lines swing by a quarter of a millisecond, each device from phases of
    its own, so that two of them never null.
    """

    latency = 0
    own = 0.0

    def __init__(self, stage: k.Reverb, rate_hz: int, channels: int) -> None:
        self.rate, self.stage, self.channels = rate_hz, stage, channels
        self._empty()
        seconds = min(30.0, stage.rt60_s * 0.75 + 0.2)
        response = np.zeros((2, round(seconds * rate_hz)))
        response[0, 0] = 1.0
        heard = self._through(response)
        energy = float((heard**2).sum() if channels == 2 else (heard[0] ** 2).sum())
        self.scale = 1 / math.sqrt(max(energy, 1e-12))
        self._empty()

    def _empty(self) -> None:
        rate, rt60 = self.rate, self.stage.rt60_s
        samples = [_prime(round(ms / 1e3 * rate)) for ms in _LENGTHS_MS]
        self.lengths = np.array(samples, dtype=float)
        self.gains = 10 ** (-3 * self.lengths / (rate * rt60))
        self.swing = 0.0 if self.stage.locked else _SWING_MS / 1e3 * rate
        self.lines = np.zeros((LINES, max(samples) + math.ceil(self.swing) + 4))
        self.place = np.array([self.lines.shape[1] * 4])
        self.spans = np.array(
            [
                [_prime(round(ms / 1e3 * rate) + 31 * side) for ms in _DIFFUSERS_MS]
                for side in (0, 1)
            ]
        )
        self.diffusers = np.zeros((2, 2, int(self.spans.max())))
        self.spot = np.zeros((2, 2), dtype=np.int64)
        self.taps = np.array(
            [[round(ms * (1 + 0.07 * side) / 1e3 * rate) for ms in _EARLY_MS] for side in (0, 1)]
        )
        self.early = np.zeros((2, int(self.taps.max()) + 1))
        times = np.array(_EARLY_MS) / 1e3
        self.early_gains = _EARLY_SHARE * 10 ** (-3 * times / rt60)
        self.at = np.zeros(1, dtype=np.int64)
        own = zlib.crc32(self.stage.id.encode()) / 2**32
        phases = (own + np.arange(LINES) / LINES) % 1.0
        self.turns = np.stack([np.array(_SWING_HZ) / rate, phases], axis=1)
        self.moved = np.zeros(1)

    def _through(self, block: np.ndarray) -> np.ndarray:
        out = np.empty_like(block)
        _run(
            np.ascontiguousarray(block), out, self.lines, self.lengths, self.gains, self.place,
            self.diffusers, self.spans, self.spot, self.early, self.taps, self.early_gains, self.at,
            self.swing, self.turns, self.moved,
        )  # fmt: skip
        return out

    def __call__(self, block: np.ndarray, key: np.ndarray | None = None) -> np.ndarray:
        out = self.scale * self._through(block)
        if self.channels == 1:
            out[1] = 0.0
        return out
