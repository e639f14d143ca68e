"""Move a signal by a part of a sample: a long windowed-sinc filter, applied by FFT blocks."""

import numpy as np
import scipy.fft

HALF_TAPS = 256
_FFT = 16_384
_STEP = _FFT - 2 * HALF_TAPS
_BETA = 14.0


def delay_taps(fraction: float, half: int = HALF_TAPS) -> np.ndarray:
    """Taps h (2 half + 1) so that `sum h[k] x[n + k - half]` reads x at n + fraction.

    Kaiser-windowed sinc, beta 14: errors below -130 dB up to 0.97 of Nyquist with 256 taps a
    side (Laakso et al., 'Splitting the unit delay', 1996, section on windowed sinc).
    """
    k = np.arange(-half, half + 1)
    taps = np.sinc(k - fraction) * np.kaiser(2 * half + 1, _BETA)
    return taps / taps.sum()


class FractionalReader:
    """Filters planar blocks so that sample n of the result is the input at n + fraction.

    `apply(padded)` takes an array (channels, n + 2 * HALF_TAPS) that starts HALF_TAPS before the
    wanted sample and returns (channels, n) in the input's precision.
    """

    def __init__(self, fraction: float) -> None:
        taps = np.zeros(_FFT)
        taps[: 2 * HALF_TAPS + 1] = delay_taps(fraction)[::-1]
        self._response = scipy.fft.rfft(taps)
        self._response32 = self._response.astype(np.complex64)

    def apply(self, padded: np.ndarray) -> np.ndarray:
        channels, have = padded.shape
        wanted = have - 2 * HALF_TAPS
        pieces = -(-wanted // _STEP)
        held = np.zeros((channels, (pieces - 1) * _STEP + _FFT), padded.dtype)
        held[:, :have] = padded
        views = np.lib.stride_tricks.sliding_window_view(held, _FFT, axis=1)[:, ::_STEP]
        spectrum = scipy.fft.rfft(views, axis=-1)
        single = spectrum.dtype == np.complex64
        spectrum *= self._response32 if single else self._response
        out = scipy.fft.irfft(spectrum, _FFT, axis=-1, overwrite_x=True)[:, :, 2 * HALF_TAPS :]
        return np.ascontiguousarray(out).reshape(channels, -1)[:, :wanted]
