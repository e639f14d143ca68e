"""Noise of a stated spectrum, made apart from the code under test, and rigs rendered on it."""

import numpy as np

from core.render.rig import Renderer
from core.render.run import run

RATE = 48_000


def pink(seconds: float, seed: int, low: float = 40.0, high: float = 16_000.0) -> np.ndarray:
    """(n,) of unit RMS: equal power in every octave from `low` to `high`, nothing outside."""
    n = round(seconds * RATE)
    rng = np.random.default_rng(seed)
    hz = np.fft.rfftfreq(n, 1 / RATE)
    spectrum = np.zeros(len(hz), complex)
    inside = (hz >= low) & (hz <= high)
    count = int(inside.sum())
    spectrum[inside] = (rng.normal(size=count) + 1j * rng.normal(size=count)) / np.sqrt(hz[inside])
    sound = np.fft.irfft(spectrum, n)
    return sound / np.sqrt(np.mean(sound**2))


def measured(rig, plan, seconds: float = 8.0, settle: float = 4.0, seed: int = 1, impulses=None):
    """RMS (dBFS) per side and peak (dBFS) after every node, and at the outputs, on noise at the
    sources' levels, once all has settled.
    """
    rng = seed * 100
    sounds = {}
    for name, node in rig.nodes.items():
        if node.kind != "source":
            continue
        gain = 10 ** (node.level_dbfs / 20)
        count = 2 if node.stereo else 1
        sounds[name] = np.stack([pink(seconds + settle, rng + i) * gain for i in range(count)])
        rng += count
    renderer = Renderer(plan, RATE, impulses or {}, metered=True)
    frames = round((seconds + settle) * RATE)
    begin = round(settle * RATE)
    seen = {"done": 0}

    def write(blocks):
        seen["done"] += next(iter(blocks.values())).shape[1]

    def read(start, count):
        if start <= begin < start + count or (start == 0 and begin == 0):
            for gauge in renderer.gauges.values():
                gauge.power[:] = 0
                gauge.peak[:] = 0
        return {name: s[:, start : start + count] for name, s in sounds.items()}

    run(renderer, read, frames, write, tail_s=0.0)
    first = (begin // _step(renderer)) * _step(renderer)
    length = frames + max(renderer.latency.values(), default=0) - first
    found = {}
    for node in rig.nodes:
        point = plan.outputs.get(node, plan.outlet.get(f"{node}.0"))
        gauge = renderer.gauges.get(point)
        if gauge is not None:
            found[node] = (gauge.rms_dbfs(length), 20 * np.log10(np.maximum(gauge.peak, 1e-9)))
    return found


def _step(renderer) -> int:
    return renderer.block * max(1, 16_384 // renderer.block)
