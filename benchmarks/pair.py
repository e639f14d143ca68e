"""The synthetic pair that the benchmarks measure on, made without the project's own code."""

from pathlib import Path

import numpy as np
import scipy.fft
import scipy.signal
import soundfile

RATE = 48_000


def _music_like(seconds: float, rng: np.random.Generator) -> np.ndarray:
    """Pink-ish noise under slow swells with sharp onsets, two channels, band-limited to 20 kHz."""
    n = round(seconds * RATE)
    size = scipy.fft.next_fast_len(n)
    hz = scipy.fft.rfftfreq(size, 1 / RATE)
    shape = np.where(hz < 19_500, 1 / np.sqrt(np.maximum(hz, 40)), 0.0)
    out = np.empty((n, 2))
    t = np.arange(n) / RATE
    swell = 0.3 + 0.7 * np.exp(-3 * (t % 0.64)) * (0.6 + 0.4 * np.sin(2 * np.pi * t / 17) ** 2)
    for channel in range(2):
        noise = scipy.fft.rfft(rng.standard_normal(size)) * shape
        out[:, channel] = scipy.fft.irfft(noise, size)[:n] * swell
    return out * 0.1 / np.sqrt(np.mean(out**2))


def write_pair(folder: Path, seconds: float, delay_samples: float, gain_db: float) -> list[Path]:
    """A and a delayed, quieter B as stereo 24-bit WAV; the delay is an exact phase ramp.

    Both are cut from a longer stretch, so that B's surroundings are real. Band-limited after
    the swells were laid on, by the same FFT that delays.
    """
    rng = np.random.default_rng(20_261_123)
    margin = RATE * 3
    n = round(seconds * RATE)
    long = np.concatenate([np.zeros((margin, 2)), _music_like(seconds, rng), np.zeros((margin, 2))])
    size = scipy.fft.next_fast_len(len(long), real=True)
    hz = scipy.fft.rfftfreq(size, 1 / RATE)
    spectrum = scipy.fft.rfft(long, size, axis=0)
    spectrum *= np.clip((20_000 - hz) / 500, 0, 1)[:, None]
    clean = scipy.fft.irfft(spectrum, size, axis=0)
    late = scipy.fft.irfft(
        spectrum * np.exp(-2j * np.pi * hz / RATE * delay_samples)[:, None], size, axis=0
    )
    paths = [folder / "a.wav", folder / "b.wav"]
    soundfile.write(paths[0], clean[margin : margin + n], RATE, subtype="PCM_24")
    soundfile.write(
        paths[1], late[margin : margin + n] * 10 ** (gain_db / 20), RATE, subtype="PCM_24"
    )
    return paths
