"""Pairs of sounds that are not the catalogue's, differing in ways and by amounts that are drawn by chance.

What is right for a pair is known from how it was made, here and with NumPy and SciPy alone.
"""

import tempfile
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import scipy.signal

from core.causes import explained_test
from core.causes.tests.catalogue import RATE, Notes, bell, compressed, shelf
from core.causes.tests.test_other_sounds import bass, hits, later, pad
from core.measure.tests.pairs import write

SECONDS = 7.0
Sound = np.ndarray
Change = Callable[[Sound, np.random.Generator], Sound]


def speech(seconds: float, rng: np.random.Generator) -> Sound:
    """Voiced syllables of a gliding pitch through three formants, with breaths between; (frames, 1)."""
    n = round(seconds * RATE)
    out = np.zeros(n)
    at = 0
    while at < n - RATE // 2:
        size = int(rng.uniform(0.1, 0.35) * RATE)
        t = np.arange(size) / RATE
        pitch = rng.uniform(90, 220) * (1 + rng.uniform(-0.2, 0.2) * t)
        source = scipy.signal.sawtooth(2 * np.pi * np.cumsum(pitch) / RATE)
        source = source + 0.05 * rng.standard_normal(size)
        voice = np.zeros(size)
        for hz in rng.uniform((300, 900, 2200), (800, 2000, 3400)):
            band = scipy.signal.butter(1, [0.9 * hz, 1.1 * hz], "bandpass", fs=RATE, output="sos")
            voice += scipy.signal.sosfilt(band, source)
        out[at : at + size] += voice * np.hanning(size) * rng.uniform(0.3, 1)
        at += size + int(rng.uniform(0.02, 0.2) * RATE)
    out += 2e-3 * rng.standard_normal(n)
    return (0.4 * out / np.abs(out).max())[:, None]


def sounds(seed: int) -> dict[str, Sound]:
    """One of each sort, at places of a seed's own in what is written in the tests."""
    rng = np.random.default_rng(seed)
    first = rng.integers(0, 3 * RATE)
    end = first + round(SECONDS * RATE)
    t = np.arange(round(SECONDS * RATE)) / RATE
    return {
        "notes": Notes(SECONDS, seed + 400).at(t),
        "pad": pad(SECONDS + 3)[first:end],
        "hits": hits(SECONDS + 3)[first:end],
        "bass": bass(SECONDS + 3)[first:end],
        "speech": speech(SECONDS, rng),
    }


def _noise(x: Sound, rng: np.random.Generator) -> Sound:
    level = 10 ** (rng.uniform(-60, -35) / 20) * np.sqrt(np.mean(x**2))
    return x + level * rng.standard_normal(x.shape)


def _hum(x: Sound, rng: np.random.Generator) -> Sound:
    t = np.arange(len(x)) / RATE
    base = rng.choice([50.0, 60.0])
    hum = sum(np.sin(2 * np.pi * base * h * t + rng.uniform(0, 6)) / h for h in (1, 2, 3))
    return x + (10 ** (rng.uniform(-50, -30) / 20) * np.sqrt(np.mean(x**2)) * hum)[:, None]


def _cut(x: Sound, rng: np.random.Generator) -> Sound:
    order = int(rng.integers(1, 3))
    if rng.random() < 0.5:
        sos = scipy.signal.butter(order, rng.uniform(60, 250), "highpass", fs=RATE, output="sos")
    else:
        sos = scipy.signal.butter(order, rng.uniform(1500, 9000), fs=RATE, output="sos")
    return np.asarray(scipy.signal.sosfilt(sos, x, axis=0))


def _ride(x: Sound, rng: np.random.Generator) -> Sound:
    t = np.arange(len(x)) / RATE
    swing = rng.uniform(1, 3) * np.sin(2 * np.pi * rng.uniform(0.1, 0.5) * t + rng.uniform(0, 6))
    return x * 10 ** (swing / 20)[:, None]


def _driven(x: Sound, rng: np.random.Generator) -> Sound:
    peak, drive = np.abs(x).max(), rng.uniform(1, 3)
    return np.asarray(np.tanh(drive * x / peak) * peak / drive)


def _clipped(x: Sound, rng: np.random.Generator) -> Sound:
    ceiling = rng.uniform(0.3, 0.8) * np.abs(x).max()
    return np.clip(x, -ceiling, ceiling)


def _gone(x: Sound, rng: np.random.Generator) -> Sound:
    at, size = int(rng.uniform(0.2, 0.8) * len(x)), int(rng.integers(30, 2000))
    return np.concatenate([x[:at], x[at + size :]])


def _clicked(x: Sound, rng: np.random.Generator) -> Sound:
    out = x.copy()
    for at in rng.integers(RATE // 2, len(x) - RATE // 2, int(rng.integers(1, 4))):
        out[at : at + 3] += rng.uniform(0.2, 0.5)
    return out


def _squeezed(x: Sound, rng: np.random.Generator) -> Sound:
    top = 20 * np.log10(np.abs(x).max())
    return compressed(
        x, top - rng.uniform(8, 20), rng.uniform(1.5, 5), rng.uniform(2, 20), rng.uniform(50, 250)
    )[0]


CHANGES: dict[str, Change] = {
    "level": lambda x, rng: x * 10 ** (rng.uniform(-6, -0.05) / 20),
    "offset": lambda x, rng: later(x, rng.uniform(1, 3000)),
    "polarity": lambda x, rng: -x,
    "filter, a shelf": lambda x, rng: shelf(x, rng.uniform(1.5, 6), rng.uniform(300, 6000), True),
    "filter, a bell": lambda x, rng: bell(
        x, rng.uniform(2, 6), rng.uniform(300, 3000), rng.uniform(0.6, 2)
    ),
    "filter, a cut": _cut,
    "dynamics": _squeezed,
    "level_moves": _ride,
    "distortion": _driven,
    "clipping": _clipped,
    "jump": _gone,
    "click": _clicked,
    "noise": _noise,
    "added_sound": _hum,
    "dc": lambda x, rng: x + rng.uniform(2e-3, 2e-2),
}
BESIDE = ("level", "offset", "polarity", "rounding", "length")
"""What a file and a change bring along, said of any pair with right."""


@dataclass(frozen=True)
class Pair:
    sort: str
    was: str
    a: Sound
    b: Sound
    subtype: str


def pairs(seed: int) -> Iterator[Pair]:
    rng = np.random.default_rng(1000 + seed)
    for sort, x in sounds(seed).items():
        for was, change in CHANGES.items():
            yield Pair(sort, was, x, change(x, rng), str(rng.choice(["FLOAT", "PCM_24", "PCM_16"])))


def random_pairs(seeds: range) -> tuple[Counter[tuple[str, str, str]], int, int]:
    """Counts of (sort, what it was, what was said first), right ones, and false ones that were certain."""
    table: Counter[tuple[str, str, str]] = Counter()
    right = wrong = 0
    for seed in seeds:
        for pair in pairs(seed):
            with tempfile.TemporaryDirectory() as held:
                found = explained_test(
                    write(Path(held), "a.wav", pair.a, pair.subtype),
                    write(Path(held), "b.wav", pair.b, pair.subtype),
                )
            code = pair.was.split(",")[0]
            said = [c for c in found.causes if c.code == code or c.code not in BESIDE]
            first = said[0].code if said else "nothing"
            table[(pair.sort, pair.was, first)] += 1
            right += first == code
            wrong += any(c.sure == "certain" and c.code != code for c in said)
    return table, right, wrong
