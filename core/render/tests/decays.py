"""Decay of a rendered reverb by octave, measured apart: no filter rings into it.

An impulse into each side by itself. The spectrum of what comes out is cut by a Gaussian on a log axis,
half an octave wide, and what that leaves is squared, added over both sides and both impulses, and
summed backwards (Schroeder). A Gaussian has no ringing: its own tail is over in some hundredths of a
second, in the lowest octave too.
"""

import numpy as np

from core.render.processors import Setting, processor_for
from core.routing.document import kinds as k

RATE = 48_000
OCTAVES = (125, 250, 500, 1000, 2000, 4000, 8000)
_WIDTH = 0.21
"""Standard deviation in octaves."""
_BEGIN_S = 0.06
"""The early part is over by then."""


def decays(stage: k.Reverb, seed: int, octaves=OCTAVES) -> np.ndarray:
    """RT60 in each octave, from -5 to -35 dB. The seed chooses the lines and the phases."""
    n = round((0.35 + 0.75 * stage.rt60_s) * RATE)
    responses = []
    for side in range(2):
        work = processor_for(stage, Setting(RATE, 2, seed=seed))
        sound = np.zeros((2, n))
        sound[side, 0] = 1.0
        responses += [work(sound[:, at : at + 16_384]) for at in range(0, n, 16_384)]
    half = len(responses) // 2
    out = np.concatenate(
        [np.concatenate(responses[:half], axis=1), np.concatenate(responses[half:], axis=1)]
    )
    out = np.concatenate([out, np.zeros((4, RATE // 4))], axis=1)
    begin = round(_BEGIN_S * RATE)
    spectrum = np.fft.rfft(out, axis=1)
    hz = np.maximum(np.fft.rfftfreq(out.shape[1], 1 / RATE), 1e-3)
    found = []
    for middle in octaves:
        cut = np.exp(-0.5 * (np.log2(hz / middle) / _WIDTH) ** 2)
        band = np.fft.irfft(spectrum * cut, out.shape[1], axis=1)
        power = (band**2).sum(axis=0)[begin : -RATE // 4]
        left = np.cumsum(power[::-1])[::-1]
        fall = 10 * np.log10(np.maximum(left / left[0], 1e-15))
        start, stop = np.argmax(fall <= -5), np.argmax(fall <= -35)
        at = np.arange(start, stop)
        found.append(-60 / np.polyfit(at / RATE, fall[start:stop], 1)[0])
    return np.array(found)


def mean_decays(stage: k.Reverb, seeds=range(1, 9)) -> np.ndarray:
    """Mean over seeds."""
    return np.mean([decays(stage, seed) for seed in seeds], axis=0)
