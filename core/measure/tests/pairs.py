"""Pairs of files for the tests, made with SciPy and NumPy alone."""

from pathlib import Path

import numpy as np
import scipy.signal
import soundfile

RATE = 48_000


def band_limited(
    seconds: float, seed: int, channels: int = 2, top_hz: float = 20_000
) -> np.ndarray:
    """Noise with swells between 30 Hz and `top_hz`, about -20 dBFS; (frames, channels)."""
    rng = np.random.default_rng(seed)
    n = round(seconds * RATE)
    swell = 0.4 + 0.6 * np.abs(np.sin(np.arange(n) / RATE * 2.1))[:, None]
    spectrum = np.fft.rfft(rng.standard_normal((n, channels)) * swell, axis=0)
    hz = np.fft.rfftfreq(n, 1 / RATE)
    spectrum *= (np.clip((top_hz - hz) / 400, 0, 1) / np.sqrt(np.maximum(hz, 60)))[:, None]
    spectrum[hz < 30] = 0
    sound = np.fft.irfft(spectrum, n, axis=0)
    return sound * 0.1 / np.sqrt(np.mean(sound**2))


def moved(sound: np.ndarray, samples: float) -> np.ndarray:
    """The sound later by so many samples (may be a fraction), by an exact phase ramp.

    Padded with silence on both sides first, so nothing wraps round.
    """
    n = len(sound)
    pad = 4096 + int(abs(samples))
    spectrum = np.fft.rfft(np.pad(sound, ((pad, pad), (0, 0))), axis=0)
    turn = np.exp(-2j * np.pi * np.fft.rfftfreq(n + 2 * pad) * samples)
    return np.fft.irfft(spectrum * turn[:, None], n + 2 * pad, axis=0)[pad : pad + n]


def faded(sound: np.ndarray, frames: int = 4800) -> np.ndarray:
    """With silence-to-full slopes at both ends, so that cutting does not matter."""
    slope = scipy.signal.windows.hann(2 * frames)[:frames, None]
    out = sound.copy()
    out[:frames] *= slope
    out[-frames:] *= slope[::-1]
    return out


def write(
    folder: Path, name: str, sound: np.ndarray, subtype: str = "FLOAT", rate: int = RATE
) -> Path:
    path = folder / name
    soundfile.write(path, sound, rate, subtype=subtype)
    return path


def rounded_16(sound: np.ndarray, seed: int | None) -> np.ndarray:
    """On the 16-bit grid; with triangular dither of two steps width where a seed is given."""
    step = 2.0**-15
    if seed is not None:
        rng = np.random.default_rng(seed)
        sound = sound + step * (rng.random(sound.shape) - rng.random(sound.shape))
    return np.round(sound / step) * step
