"""Pairs whose difference is known, made with NumPy and SciPy alone: nothing of what is under test.

Sounds are written as sums of decaying partials, so that they can be read at any instant: a clock
that drifts or a time that wanders is exact, not resampled.
"""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import numpy as np
import scipy.signal

RATE = 48_000


def waves(poles: np.ndarray, sizes: np.ndarray, t: np.ndarray) -> np.ndarray:
    """Im of the sum of sizes exp(poles t); (len(t), 2). poles: (k,), per second; sizes: (k, 2).

    On an even grid it is a product of two short tables, in a fiftieth of the time.
    """
    n = len(t)
    step = (t[-1] - t[0]) / (n - 1) if n > 1 else 0.0
    if n < 64 or np.abs(np.diff(t) - step).max() > 1e-12:
        out = np.zeros((n, 2))
        for pole, size in zip(poles, sizes, strict=True):
            # What has fallen by 110 dB is left out.
            last = np.searchsorted(t, 13 / max(-pole.real, 1e-9))
            angle, left = pole.imag * t[:last], np.exp(pole.real * t[:last])
            out[:last] += (left * np.sin(angle))[:, None] * size.real
            out[:last] += (left * np.cos(angle))[:, None] * size.imag
        return out
    short = round(n**0.5)
    fine = np.exp(poles[:, None] * step * np.arange(short))
    coarse = np.exp(poles[:, None] * (t[0] + step * short * np.arange(-(-n // short))))
    sides = []
    for size in sizes.T:
        at = size[:, None] * coarse
        sides.append((at.real.T @ fine.imag + at.imag.T @ fine.real).ravel()[:n])
    return np.stack(sides, axis=1)


class Notes:
    """Plucked chords, two channels, with breath between: `at(seconds)` reads it anywhere."""

    def __init__(self, seconds: float, seed: int) -> None:
        rng = np.random.default_rng(seed)
        self.seconds = seconds
        self.chords = []
        onset = 0.03
        while onset < seconds:
            root = 82.4 * 2 ** (rng.integers(0, 24) / 12)
            loud = rng.uniform(0.25, 1.0)
            poles, sizes = [], []
            for k in range(1, 40):
                hz = root * k * np.sqrt(1 + 1e-4 * k * k)
                if hz > 17_000:
                    break
                size = loud / k**0.9 * rng.uniform(0.5, 1.0, 2)
                sizes.append(size * np.exp(1j * rng.uniform(0, 2 * np.pi)))
                poles.append(2j * np.pi * hz - (2 + 0.25 * k))
            self.chords.append((onset, np.array(poles), np.array(sizes)))
            onset += rng.choice([0.12, 0.24, 0.36, 0.48])
        self.scale = 1.0
        peak = np.abs(self.at(np.arange(0, seconds, 4 / RATE))).max()
        self.scale = 0.5 / peak

    def at(self, t: np.ndarray) -> np.ndarray:
        """(len(t), 2). t rises."""
        out = np.zeros((len(t), 2))
        for onset, poles, sizes in self.chords:
            first = np.searchsorted(t, onset)
            u = t[first:] - onset
            chord = waves(poles, sizes, u)
            rising = np.searchsorted(u, 0.03)
            chord[:rising] *= (1 - np.exp(-u[:rising] / 0.0008))[:, None]
            out[first:] += chord
        # Breath: many quiet partials of fixed places, so that no moment is empty.
        rng = np.random.default_rng(7)
        hz = np.geomspace(60, 16_000, 48) * rng.uniform(0.97, 1.03, 48)
        out += 3e-3 * waves(2j * np.pi * hz, np.exp(1j * rng.uniform(0, 2 * np.pi, (48, 2))), t)
        return out * self.scale


def compressed(
    x: np.ndarray, threshold_db: float, ratio: float, attack_ms: float, release_ms: float
) -> tuple[np.ndarray, np.ndarray]:
    """A textbook compressor, sample by sample in plain Python, and its gain in dB."""
    level = np.abs(x).max(axis=1)
    ka, kr = (np.exp(-1e3 / (ms * RATE)) for ms in (attack_ms, release_ms))
    gain = np.empty(len(x))
    state = 0.0
    for i, value in enumerate(level.tolist()):
        over = 20 * np.log10(value) - threshold_db if value > 1e-6 else 0.0
        wanted = over * (1 - 1 / ratio) if over > 0 else 0.0
        keep = ka if wanted > state else kr
        state = keep * state + (1 - keep) * wanted
        gain[i] = -state
    return x * 10 ** (gain / 20)[:, None], gain


def shelf(x: np.ndarray, gain_db: float, hz: float, high: bool) -> np.ndarray:
    """A first-order analogue shelf, half its dB at `hz`, through the bilinear transform."""
    root = 10 ** (gain_db / 40)
    w = 2 * RATE * np.tan(np.pi * hz / RATE)
    low = ([1, w * root], [1, w / root])
    up = ([root, w], [1 / root, w])
    b, a = scipy.signal.bilinear(*(up if high else low), fs=RATE)
    return scipy.signal.lfilter(b, a, x, axis=0)


def bell(x: np.ndarray, gain_db: float, hz: float, q: float) -> np.ndarray:
    """An analogue bell (s^2 + s A w/Q + w^2) / (s^2 + s w/(A Q) + w^2), by the bilinear transform."""
    a_, w = 10 ** (gain_db / 40), 2 * RATE * np.tan(np.pi * hz / RATE)
    b, a = scipy.signal.bilinear([1, a_ * w / q, w * w], [1, w / (a_ * q), w * w], fs=RATE)
    return scipy.signal.lfilter(b, a, x, axis=0)


@dataclass
class Case:
    """A pair, the codes that are right for it, and figures that it must give back."""

    name: str
    codes: tuple[str, ...]
    a: np.ndarray
    b: np.ndarray
    offset: float = 0.0
    gain_db: float = 0.0
    figures: dict[str, tuple[float, float]] = field(default_factory=dict)
    """By name in the first cause: value and how far off it may be."""
    subtype: str = "FLOAT"


Make = Callable[[Notes, np.ndarray, np.random.Generator], Case]


def cases(seconds: float, seed: int) -> Iterator[Case]:
    """One of every kind of difference, on sounds of a seed."""
    notes = Notes(seconds, seed)
    t = np.arange(round(seconds * RATE)) / RATE
    x = notes.at(t)
    n, rng = len(x), np.random.default_rng(seed + 1)
    peak = float(np.abs(x).max())

    def noise(db: float) -> np.ndarray:
        return 10 ** (db / 20) * rng.standard_normal(x.shape)

    yield Case("the same", ("identical",), x, x)
    yield Case("level", ("level",), x, x * 10 ** (-1.7 / 20), gain_db=-1.7)
    late = 23.37 + seed % 7
    yield Case("late", ("offset",), x, notes.at(t - late / RATE), offset=late)
    yield Case("inverted", ("polarity",), x, -x)
    yield Case("one side inverted", ("channel_polarity",), x, x * [1, -1])
    yield Case("sides swapped", ("channel_swap",), x, x[:, ::-1])
    yield Case("sides 0.1 dB apart", ("channel_level",), x, x * 10 ** (np.array([0.05, -0.05]) / 20),
               figures={"apart_db": (0.1, 0.005)})  # fmt: skip
    right = np.stack([x[:, 0], np.roll(x[:, 1], 12)], axis=1)
    right[:12, 1] = 0
    yield Case("right 12 late", ("channel_offset",), x, right, offset=0.0,
               figures={"apart_samples": (12, 0.01)})  # fmt: skip
    mid, side = x.mean(axis=1), (x[:, 0] - x[:, 1]) / 2
    wide = 10 ** (3 / 20)
    yield Case("wider", ("width",), x, np.stack([mid + wide * side, mid - wide * side], axis=1),
               figures={"side_db": (3, 0.05)})  # fmt: skip
    yield Case("high shelf", ("filter",), x, shelf(x, 3.0, 4000, True),
               figures={"gain_db": (3.0, 0.2)})  # fmt: skip
    yield Case("low shelf", ("filter",), x, shelf(x, -4.0, 220, False),
               figures={"gain_db": (-4.0, 0.2)})  # fmt: skip
    yield Case("bell", ("filter",), x, bell(x, 2.5, 900, 1.4),
               figures={"gain_db": (2.5, 0.2), "hz": (900, 20), "q": (1.4, 0.1)})  # fmt: skip
    cut = scipy.signal.butter(2, 110, "highpass", fs=RATE, output="sos")
    yield Case("low cut", ("filter",), x, scipy.signal.sosfilt(cut, x, axis=0),
               figures={"hz": (110, 4)})  # fmt: skip
    top = scipy.signal.butter(1, 5000, "lowpass", fs=RATE, output="sos")
    yield Case("high cut", ("filter",), x, scipy.signal.sosfilt(top, x, axis=0),
               figures={"hz": (5000, 150)})  # fmt: skip
    for threshold, ratio, attack, release in ((-26, 4, 8, 90), (-20, 2, 2, 200)):
        b, _ = compressed(x, threshold, ratio, attack, release)
        yield Case(f"compressed {ratio}:1", ("dynamics",), x, b,
                   figures={"threshold_db": (threshold, 1.0), "ratio": (ratio, 0.1 * ratio)})  # fmt: skip
    ride = -1.5 * (1 + np.sin(2 * np.pi * 0.23 * t))
    yield Case("a ride", ("level_moves",), x, x * 10 ** (ride / 20)[:, None], gain_db=np.nan)
    yield Case("driven", ("distortion",), x, np.tanh(2 * x / peak) * peak / 2)
    yield Case("clipped", ("clipping",), x, np.clip(x, -0.5 * peak, 0.5 * peak),
               figures={"ceiling_dbfs": (20 * np.log10(0.5 * peak), 0.1)})  # fmt: skip
    yield Case("12 ppm fast", ("drift",), x, notes.at(t * (1 + 12e-6)),
               figures={"ppm": (-12, 0.5)})  # fmt: skip
    swing = 0.6e-3 * np.sin(2 * np.pi * 0.9 * t)
    yield Case("vibrato", ("modulation",), x, notes.at(t - 1e-3 - swing), offset=np.nan, gain_db=np.nan,
               figures={"wander_hz": (0.9, 0.1), "wander_ms": (1.2, 0.15)})  # fmt: skip
    k = n * 2 // 5
    yield Case("300 samples gone", ("jump",), x, np.concatenate([x[:k], x[k + 300 :]]),
               figures={"by_samples": (-300, 0.01)})  # fmt: skip
    b = x.copy()
    b[n // 3 : n // 3 + 3] += 0.3
    yield Case("a click", ("click",), x, b)
    yield Case("noise", ("noise",), x, x + noise(-62))
    hum = 2e-3 * np.sin(2 * np.pi * 50 * t) + 1e-3 * np.sin(2 * np.pi * 150 * t)
    yield Case("hum", ("added_sound",), x, x + hum[:, None])
    other = Notes(seconds, seed + 50).at(t) * 0.1
    yield Case("another sound", ("added_sound",), x, x + other, gain_db=np.nan)
    yield Case("offset of 0 Hz", ("dc",), x, x + 0.004)
    yield Case("16 bits", ("rounding",), np.round(x * 2**23) / 2**23, np.round(x * 2**15) / 2**15)
    yield Case("something else", ("unrelated",), x, Notes(seconds, seed + 90).at(t),
               offset=np.nan, gain_db=np.nan)  # fmt: skip
    tone = 0.3 * np.sin(2 * np.pi * 440 * t)[:, None]
    moved = 0.3 * np.sin(2 * np.pi * 440 * (t - 20 / RATE))[:, None]
    yield Case("a steady tone", ("periodic",), tone, moved, offset=np.nan, gain_db=np.nan)
    b = -notes.at(t - late / RATE) * 10 ** (-1.7 / 20)
    yield Case("late, inverted, quieter", ("offset", "polarity", "level"), x, b, late, -1.7)
    yield Case("quieter, with a shelf", ("filter", "level"), x, 0.7 * shelf(x, -3.0, 3000, True),
               gain_db=20 * np.log10(0.7))  # fmt: skip
