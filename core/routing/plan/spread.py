"""What a stage leaves in step with its input, and what it makes diffuse.

Every processed arc has a steady part, which goes on as an amplitude, and a kernel that takes the
power of both sides and what they have in common (left, right, common) to diffuse power. A reverb
has no steady part. What is modulated is taken as its mean over time: a delay that swings by d
leaves `J0(2 pi f d)` in step, a tremolo its mean gain, and the rest is diffuse.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy

from core.routing.plan.cells import CELLS, EDGES_HZ, MIDDLE_HZ, PINK_HZ, in_common, pink
from core.routing.plan.responses import combed, high_pass, low_pass, resonant
from core.routing.plan.waves import Wave, turns_of
from core.space.absorb import Losses, line_losses
from core.space.lines import (
    EARLY_DB,
    LINES,
    LOW_HZ,
    diffusers,
    early_energy,
    early_times,
    line_lengths,
    lines_size,
    low_transfer,
    tail_power,
    tail_response,
)
from core.units.decibel import amplitude, db_gain

Kernel = np.ndarray
"""(4, 4, CELLS): power out of power in, each as left, right, and the real and imaginary part of what
they have in common."""
_GAIN_TURNS, _SWING_TURNS = 4096, 8192
_SINE = Wave()
LOWEST_HZ, TOP_HZ = 20.0, 21_600.0
"""Between which a frequency that is moved is held."""
RATE_HZ = 48_000.0
"""At which a reverb is counted; others differ by what its lines' lengths are rounded to."""


@dataclass(frozen=True, eq=False, slots=True)
class Spread:
    """`gain` (left, right) and `shape` (CELLS, complex; None: flat) of what stays in step; what
    becomes diffuse by `kernel` (None: nothing); `rms` gain per side of both together.

    `most` bounds the amplitude gain, for loops (a number, or over CELLS by `find_most`, which takes
    its time); `loudest` is the gain that a peak may meet, `ceiling` a peak that nothing passes.
    """

    gain: tuple[float, float] = (1.0, 1.0)
    shape: np.ndarray | None = None
    kernel: Kernel | None = None
    rms: tuple[float, float] = (1.0, 1.0)
    most: float = 1.0
    find_most: Callable[[], np.ndarray] | None = None
    loudest: float = 1.0
    ceiling: float = math.inf
    colour: np.ndarray | None = None
    """Shares over the cells of what the kernel makes; None: where it came in."""
    range_db: tuple[float, float] | None = None
    """Of a stage that depends on level: its gain for what is quiet and for what is loud."""

    def made(self, power: np.ndarray) -> np.ndarray:
        """Power (4, CELLS) that it makes of its own, of a power that comes in."""
        assert self.kernel is not None
        found: np.ndarray = np.einsum("ijc,jc->ic", self.kernel, power)
        if self.colour is not None:
            found = found.sum(axis=1, keepdims=True) * self.colour
        return found


def of_matrix(matrix: np.ndarray) -> np.ndarray:
    """(4, 4): what a real 2 x 2 matrix does to left, right and common power."""
    (a, b), (c, d) = matrix
    return np.array(
        [
            [a * a, b * b, 2 * a * b, 0.0],
            [c * c, d * d, 2 * c * d, 0.0],
            [a * c, b * d, a * d + b * c, 0.0],
            [0.0, 0.0, 0.0, a * d - b * c],
        ]
    )


def _even(share: np.ndarray | float) -> Kernel:
    """The same share of all four."""
    return np.eye(4)[:, :, None] * (np.ones(CELLS) * share)


def steady(gain: float) -> Spread:
    """A plain gain that peaks meet as well."""
    return Spread(gain=(gain, gain), rms=(gain, gain), most=gain, loudest=gain)


@lru_cache(maxsize=256)
def swinging(depth_s: float, apart: bool) -> Spread:
    """A delay that swings by a sine of `depth_s`; `apart`: right against left."""
    left = scipy.special.j0(2 * math.pi * MIDDLE_HZ * depth_s)
    kernel = _even(1 - left**2)
    if apart:
        kernel[2, 2] = kernel[3, 3] = scipy.special.j0(4 * math.pi * MIDDLE_HZ * depth_s) - left**2
    return Spread(shape=left.astype(complex), kernel=kernel)


def of_gains(gains: np.ndarray, right: np.ndarray | None = None) -> Spread:
    """A gain that goes through the values of `gains` again and again; `right`: of the right side,
    which goes through the same at another time.
    """
    mean, power = float(gains.mean()), float((gains**2).mean())
    rms, top = math.sqrt(power), float(np.abs(gains).max())
    kernel = _even(power - mean * mean)
    if right is not None:
        kernel[2, 2] = kernel[3, 3] = float((gains * right).mean()) - mean * mean
    return Spread(gain=(mean, mean), kernel=kernel, rms=(rms, rms), most=top, loudest=top)


@lru_cache(maxsize=256)
def tremolo(depth: float, wave: Wave = _SINE, apart: float = 0.0) -> Spread:
    """From 1 down to 1 - depth and back; apart: turns by which right is ahead of left."""
    turn = turns_of(wave.shape, _GAIN_TURNS)
    return of_gains(1 - depth * (1 - wave.level(turn)), 1 - depth * (1 - wave.level(turn + apart)))


@lru_cache(maxsize=256)
def dipping(depth_db: float, wave: Wave, apart: float = 0.0) -> Spread:
    """Down by so many dB, as far as the wave is up."""
    turn = turns_of(wave.shape, _GAIN_TURNS)
    return of_gains(*(amplitude(-depth_db * wave.level(turn + a)) for a in (0.0, apart)))


@lru_cache(maxsize=256)
def chorus(depth_s: float, wave: Wave = _SINE, apart: float = 0.0) -> Spread:
    """A delay that swings by a wave; apart: turns by which right is ahead of left.

    A sine's mean is Bessel's J0; another's is taken over its cycle.
    """
    if wave.shape == "sine" and wave.width == 0 and apart in (0.0, 0.5):
        return swinging(depth_s, apart == 0.5)
    turn = turns_of(wave.shape, _SWING_TURNS)
    angle = -2 * math.pi * depth_s * MIDDLE_HZ
    left, right = (
        np.exp(1j * angle[None, :] * wave.swing(turn + a)[:, None]) for a in (0.0, apart)
    )
    return _of_responses(left, right)


@lru_cache(maxsize=256)
def swept(
    mode: str, frequency_hz: float, q: float, range_oct: float, wave: Wave = _SINE,
    apart: float = 0.0, comb: tuple[float, int] = (0.0, 1),
) -> Spread:  # fmt: skip
    """A resonant filter, or a comb, whose frequency swings by so many octaves either way."""
    turn = turns_of(wave.shape)

    def over(ahead: float) -> np.ndarray:
        hz = np.clip(frequency_hz * 2 ** (range_oct * wave.swing(turn + ahead)), LOWEST_HZ, TOP_HZ)
        if mode == "comb":
            return np.array([combed(f, *comb, MIDDLE_HZ) for f in hz])
        return np.array([resonant(mode, f, q, MIDDLE_HZ) for f in hz])

    left = over(0.0)
    return _of_responses(left, left if apart % 1 == 0 else over(apart))


def _of_responses(left: np.ndarray, right: np.ndarray) -> Spread:
    """Responses (turns, cells) of both sides that go on and on: their mean, and what is made of
    power besides. Both sides do the same, one ahead of the other, so that they have one mean.
    """
    mean, power = left.mean(axis=0), (np.abs(left) ** 2).mean(axis=0)
    kernel = _even(np.maximum(power - np.abs(mean) ** 2, 0))
    if right is not left:
        both = (left * right.conj()).mean(axis=0) - np.abs(mean) ** 2
        kernel[2, 2] = kernel[3, 3] = both.real
        kernel[2, 3], kernel[3, 2] = -both.imag, both.imag
    rms = math.sqrt(float((pink().weights * power).sum()))
    top = float(np.abs(left).max())
    return Spread(shape=mean, kernel=kernel, rms=(rms, rms), most=top, loudest=top)


Part = tuple[float | None, float | None, float, float, float]
"""Of a reverb's early part or tail: low cut and high cut (Hz), pan (%), side (dB), cross-talk (%)."""


def _sides(part: Part) -> np.ndarray:
    """(2, 2): mid/side, then cross-talk, then balance."""
    side, cross, pan = db_gain(part[3]), part[4] / 100, part[2] / 100
    wide = np.array([[1 + side, 1 - side], [1 - side, 1 + side]]) / 2
    over = np.array([[1, cross], [cross, 1]]) / math.sqrt(1 + cross * cross)
    mixed: np.ndarray = np.diag([min(1.0, 1 - pan), min(1.0, 1 + pan)]) @ over @ wide
    return mixed


def _cuts(part: Part, hz: np.ndarray) -> np.ndarray:
    """Complex response of a part's low and high cut."""
    found = np.ones(hz.shape, complex)
    heard = np.maximum(hz, 1e-3)
    if part[0] is not None:
        found = found * high_pass(2, part[0], heard)
    if part[1] is not None:
        found = found * low_pass(2, part[1], heard)
    return found


def _part(part: Part) -> np.ndarray:
    """(4, 4, CELLS): what a part of a reverb does to power."""
    return of_matrix(_sides(part))[:, :, None] * np.abs(_cuts(part, MIDDLE_HZ)) ** 2


@dataclass(frozen=True)
class TailSettings:
    """What of a reverb decides its power: seconds, shares, dB."""

    rt60_s: float
    high_share: float = 1.0
    octaves_s: tuple[float | None, ...] = (None,) * 6
    size: float = 1.0
    early_db: float = 0.0
    early_size: float = 1.0
    early: Part = (None, None, 0.0, 0.0, 0.0)
    tail: Part = (None, None, 0.0, 0.0, 0.0)
    density: float = 0.8
    sides: int = 2
    own_lines: int = 0
    swing: float = 0.0
    """Depth (ms) times rate (Hz) of its lines' modulation."""

    @property
    def longest_s(self) -> float:
        """The longest decay asked for."""
        return max(self.rt60_s, *(x for x in self.octaves_s if x is not None), 0.0)


_LOW = np.clip(np.searchsorted(EDGES_HZ, LOW_HZ, "right") - 1, 0, CELLS - 1)
_LOW_COUNT = np.bincount(_LOW, minlength=CELLS)
_LOW_CELLS = np.flatnonzero(
    (_LOW_COUNT > 0) & (EDGES_HZ[1:] <= LOW_HZ[-1]) & (EDGES_HZ[:-1] >= LOW_HZ[0])
)


def _early_transfer(s: TailSettings, hz: np.ndarray) -> np.ndarray:
    """(2, 2, F): the early part's taps, each side its own."""
    times = early_times(s.size * s.early_size, s.own_lines)
    taps = db_gain(s.early_db + EARLY_DB) * 10 ** (-3 * times / s.rt60_s)
    soon = np.zeros((2, 2, len(hz)), complex)
    for side, stretch in enumerate((1.0, 1.07)):
        turn = np.exp(-2j * math.pi * times[:, None] * stretch * hz[None, :])
        soon[side, side] = (taps[:, None] * turn).sum(axis=0)
    return soon


def _low(s: TailSettings) -> tuple[np.ndarray, np.ndarray]:
    """(4, 4, cells) power out of power in, as in Kernel, in the lowest cells, as
    lines and early part make it together: at rest, and with its parts as they are set.
    """
    lengths = line_lengths(lines_size(s.size, s.longest_s), RATE_HZ, s.own_lines)
    late = low_transfer(lengths, _losses(s).over(LOW_HZ, RATE_HZ))
    soon = _early_transfer(s, LOW_HZ)
    if s.sides == 1:
        parts = soon * _cuts(s.early, LOW_HZ) + late * _cuts(s.tail, LOW_HZ)
    else:
        parts = np.einsum("ij,jkf->ikf", _sides(s.early), soon * _cuts(s.early, LOW_HZ))
        parts = parts + np.einsum("ij,jkf->ikf", _sides(s.tail), late * _cuts(s.tail, LOW_HZ))
        # The sides are turned unlike before they meet.
        parts = parts * diffusers(LOW_HZ, s.density, s.own_lines)[None, :, :]
    return _low_power(soon + late), _low_power(parts)


def _low_power(transfer: np.ndarray) -> np.ndarray:
    found = np.empty((4, 4, len(_LOW_CELLS)))
    (a, b), (c, d) = transfer
    ab, cd = a * np.conj(b), c * np.conj(d)
    ac, bd, ad, bc = a * np.conj(c), b * np.conj(d), a * np.conj(d), b * np.conj(c)
    rows = (
        (np.abs(a) ** 2, np.abs(b) ** 2, 2 * ab.real, -2 * ab.imag),
        (np.abs(c) ** 2, np.abs(d) ** 2, 2 * cd.real, -2 * cd.imag),
        (ac.real, bd.real, ad.real + bc.real, bc.imag - ad.imag),
        (ac.imag, bd.imag, ad.imag + bc.imag, ad.real - bc.real),
    )
    for i, row in enumerate(rows):
        for j, power in enumerate(row):
            mean = np.bincount(_LOW, power, CELLS) / np.maximum(_LOW_COUNT, 1)
            found[i, j] = mean[_LOW_CELLS]
    return found


_MOVED_HZ = 360.0
"""Where a swing of 1 has moved ways of the same lines apart; found by rendering (docs/decisions)."""
_WITHIN = (np.arange(8) + 0.5) / 8


@lru_cache(maxsize=64)
def _turned_apart(density: float, own: int) -> np.ndarray:
    """(CELLS,), complex: what the all-passes of the two sides leave of common power, mean over cells."""
    hz = (EDGES_HZ[:-1, None] + np.diff(EDGES_HZ)[:, None] * _WITHIN[None, :]).ravel()
    found = diffusers(hz, density, own)
    return np.asarray((found[0] * np.conj(found[1])).reshape(CELLS, -1).mean(axis=1))


def _together(s: TailSettings) -> np.ndarray:
    return _turned_apart(s.density, s.own_lines)


def _still(s: TailSettings) -> np.ndarray:
    return np.asarray(1 / (1 + (MIDDLE_HZ * s.swing / _MOVED_HZ) ** 2))


@lru_cache(maxsize=256)
def tail(settings: TailSettings) -> Spread:
    """A reverb: as much power out as pink noise brings in, by band and side as its parts are set."""
    s = settings
    kept = np.abs(_losses(s).over(MIDDLE_HZ, RATE_HZ)) ** 2
    early = early_energy(s.early_db, s.rt60_s, early_times(s.size * s.early_size, s.own_lines))
    late = tail_power(kept, _together(s), _still(s))
    left, right = late[0, 0], late[1, 0]
    soon = np.zeros((4, 4, CELLS))
    soon[0, 0] = soon[1, 1] = early
    if s.sides == 1:
        whole = early + left
    else:
        whole = early + left + right
    plain, parted = _low(s)
    whole[_LOW_CELLS] = plain[0, 0] if s.sides == 1 else plain[0, 0] + plain[1, 0]
    scale = float((pink().weights * whole).sum())
    if s.sides == 1:
        kernel = np.zeros((4, 4, CELLS))
        kernel[0, 0] = early * _part(s.early)[0, 0] + left * _part(s.tail)[0, 0]
        kernel[0, 0, _LOW_CELLS] = parted[0, 0]
    else:
        kernel = np.einsum("ijc,jkc->ikc", _part(s.early), soon) + np.einsum(
            "ijc,jkc->ikc", _part(s.tail), late
        )
        kernel[:, :, _LOW_CELLS] = parted
    kernel = kernel / scale
    # Two equal and unlike sides in: what comes out of each, for levels of a path.
    out = (kernel[:, 0] + kernel[:, 1]) @ pink().weights
    rms = (math.sqrt(max(float(out[0]), 0)), math.sqrt(max(float(out[1]), 0)))
    return Spread(
        gain=(0.0, 0.0), kernel=kernel, rms=rms, find_most=lambda: strongest(settings, scale)
    )


TURNED = math.sqrt(0.5) * np.array([[1.0, 1.0], [1.0, -1.0]])
"""Left and right as mid and side of the same power, and back."""


@lru_cache(maxsize=64)
def strongest(s: TailSettings, scale: float) -> np.ndarray:
    """(2, 2, 2, CELLS): the largest sizes of a reverb's transfer, out by in, in each cell.

    First between left and right, then between mid and side: what is fed equally and added up again
    meets the mid alone.
    """
    losses = _losses(s)
    longest = s.longest_s
    poles = np.stack([np.ones(LINES), np.zeros(LINES), -losses.poles])[None]
    sections = np.concatenate([poles, losses.shelves]) if losses.poles.any() else losses.shelves
    lengths = line_lengths(lines_size(s.size, longest), RATE_HZ, s.own_lines)
    hz, late = tail_response(lengths, losses.gains, sections, _HEARD * longest, RATE_HZ)
    soon = _early_transfer(s, hz)
    if s.sides == 1:
        whole = np.zeros_like(late)
        whole[0, 0] = soon[0, 0] * _cuts(s.early, hz) + late[0, 0] * _cuts(s.tail, hz)
        found = np.stack([_cell_tops(hz, np.abs(whole))] * 2)
    else:
        whole = np.einsum("ij,jkf->ikf", _sides(s.early), soon * _cuts(s.early, hz))
        whole = whole + np.einsum("ij,jkf->ikf", _sides(s.tail), late * _cuts(s.tail, hz))
        whole = whole * diffusers(hz, s.density, s.own_lines)[None, :, :]
        found = np.stack([_cell_tops(hz, np.abs(w)) for w in (whole, _turned(whole))])
    return found / math.sqrt(scale)


_HEARD = 0.8
"""Share of the longest RT60 that a response is followed for."""


def _losses(s: TailSettings) -> Losses:
    lengths = line_lengths(lines_size(s.size, s.longest_s), RATE_HZ, s.own_lines)
    return line_losses(s.rt60_s, s.high_share, s.octaves_s, lengths, RATE_HZ)


def _turned(transfer: np.ndarray) -> np.ndarray:
    return np.einsum("ij,jkf,kl->ilf", TURNED, transfer, TURNED)


def _cell_tops(hz: np.ndarray, size: np.ndarray) -> np.ndarray:
    """(2, 2, CELLS): the largest of (2, 2, F) in each cell; narrow empty ones take neighbours'."""
    # What lies below and above the cells can run away as well: it counts with the outermost ones.
    inside = np.clip(np.searchsorted(EDGES_HZ, hz) - 1, 0, CELLS - 1)
    good = np.ones(len(hz), bool)
    found = np.zeros((2, 2, CELLS))
    for i in (0, 1):
        for j in (0, 1):
            np.maximum.at(found[i, j], inside[good], size[i, j, good])
    filled = np.bincount(inside[good], minlength=CELLS) > 0
    for i in (0, 1):
        for j in (0, 1):
            row = found[i, j]
            row[~filled] = np.interp(MIDDLE_HZ[~filled], MIDDLE_HZ[filled], row[filled])
    return found


@dataclass(frozen=True, eq=False)
class Impulse:
    """An impulse response as the plan counts it, scaled to unit energy for pink noise.

    sides (1 or 2) is how many of its own it has; `early` (2, CELLS), complex, is what stays in step
    (its first 50 ms); `late` (2, CELLS) the power of the rest; `most` its largest magnitude.
    """

    sides: int
    early: np.ndarray
    late: np.ndarray
    most: float
    seconds: float


def impulse(facts: Impulse, sides: int) -> Spread:
    """A convolution with a response that is known."""
    kernel = np.zeros((4, 4, CELLS))
    kernel[0, 0], kernel[1, 1] = facts.late[0], facts.late[-1]
    power = np.abs(facts.early) ** 2 + facts.late
    rms = tuple(math.sqrt(float((pink().weights * p).sum())) for p in power)
    same = facts.sides == 1 or np.allclose(facts.early[0], facts.early[1])
    shape = facts.early[0] if same else None
    if shape is None:
        # Unlike sides: what is early is diffuse too, as nothing of it is in step across.
        kernel[0, 0], kernel[1, 1] = power[0], power[1]
    gain = (1.0, 1.0) if shape is not None else (0.0, 0.0)
    return Spread(
        gain=gain, shape=shape, kernel=kernel, rms=(rms[0], rms[-1]), most=facts.most,
        loudest=max(1.0, facts.most),
    )  # fmt: skip


def unknown_impulse() -> Spread:
    """A convolution with a response that nobody has chosen: unit energy, all of it diffuse."""
    kernel = np.zeros((4, 4, CELLS))
    kernel[0, 0] = kernel[1, 1] = 1.0
    return Spread(gain=(0.0, 0.0), kernel=kernel, most=4.0)


def impulse_facts(response: np.ndarray, rate_hz: float) -> Impulse:
    """Facts of a response (1 or 2 channels, n). Scaled to unit energy for pink noise, both sides
    alike.
    """
    sides = [np.asarray(response[0], float), np.asarray(response[-1], float)]
    first = max(
        int(np.argmax(np.abs(side) > 0.05 * (np.abs(side).max() + 1e-30))) for side in sides
    )
    soon = min(len(sides[0]), first + round(0.05 * rate_hz))
    whole, early, tops = [], [], []
    for side in sides:
        spectrum = np.fft.rfft(side)
        hz = np.fft.rfftfreq(len(side), 1 / rate_hz)
        tops.append(float(np.abs(spectrum).max()))
        power = np.interp(
            np.log(MIDDLE_HZ), np.log(np.maximum(hz, 1e-3)), _smooth(np.abs(spectrum) ** 2, hz)
        )
        whole.append(power)
        turn = np.exp(-2j * math.pi * MIDDLE_HZ[:, None] * np.arange(soon)[None, :] / rate_hz)
        early.append(turn @ side[:soon])
    scale = pink_scale(response, rate_hz)
    first_part = np.array(early) * scale
    rest = np.maximum(np.array(whole) * scale * scale - np.abs(first_part) ** 2, 0)
    if soon >= len(sides[0]):
        rest = np.zeros_like(rest)
    return Impulse(
        sides=1 if len(response) == 1 else 2, early=first_part, late=rest, most=max(tops) * scale,
        seconds=response.shape[1] / rate_hz,
    )  # fmt: skip


def pink_scale(response: np.ndarray, rate_hz: float) -> float:
    """Gain that gives a response (channels, n) unit energy for pink noise, mean of its sides."""
    power = (np.abs(np.fft.rfft(response, axis=1)) ** 2).mean(axis=0)
    hz = np.fft.rfftfreq(response.shape[1], 1 / rate_hz)
    inside = (hz >= PINK_HZ[0]) & (hz <= PINK_HZ[1])
    if not inside.any():
        return 1 / math.sqrt(max(float(power.mean()), 1e-30))
    energy = float((power[inside] / hz[inside]).sum() / (1 / hz[inside]).sum())
    return 1 / math.sqrt(max(energy, 1e-30))


def _smooth(power: np.ndarray, hz: np.ndarray) -> np.ndarray:
    """Mean over a tenth of an octave about each point."""
    total = np.concatenate([[0.0], np.cumsum(power)])
    step = hz[1] if len(hz) > 1 else 1.0
    low = np.clip((hz / 2**0.05 / step).astype(int), 0, len(power) - 1)
    high = np.clip((hz * 2**0.05 / step).astype(int) + 1, 1, len(power))
    return (total[high] - total[low]) / np.maximum(high - low, 1)


def taps_over(taps: tuple[tuple[float, float], ...]) -> np.ndarray:
    """Complex response of copies over the cells."""
    gains = np.array([g for g, _ in taps])
    return (gains[:, None] * in_common(np.array([t for _, t in taps]))).sum(axis=0)
