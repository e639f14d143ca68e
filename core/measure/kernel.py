"""The one loop over all samples of a null test."""

import numpy as np

from core.sample_loops import sample_loop

# Places in the row of sums that `accumulate` adds to, one row a channel.
AA, BB, AB, RB, RR, RD, DD, PEAK_R, PEAK_A = range(9)
SUMS = 9


def _accumulate(a, b, gain, position, frame_frames, sums, frame_a, frame_r, residual):  # type: ignore[no-untyped-def]
    """Subtract gain * b from a and add up what the test needs, except the peaks.

    a, b, residual: one channel, n samples. position: index of a[0] from the start of the
    compared stretch. sums: row of SUMS. frame_a, frame_r: energies per `frame_frames` samples.
    Peaks are left to `largest`: a maximum in this loop would keep it from being vectorised.
    """
    n = len(a)
    i = 0
    while i < n:
        frame = (position + i) // frame_frames
        end = min(n, (frame + 1) * frame_frames - position)
        part_a, part_b, rest = a[i:end], b[i:end], residual[i:end]
        aa = bb = ab = rb = rr = 0.0
        for j in range(len(part_a)):
            x = np.float64(part_a[j])
            y = np.float64(part_b[j])
            r = x - gain * y
            rest[j] = r
            aa += x * x
            bb += y * y
            ab += x * y
            rb += r * y
            rr += r * r
        sums[AA] += aa
        sums[BB] += bb
        sums[AB] += ab
        sums[RB] += rb
        sums[RR] += rr
        frame_a[frame] += aa
        frame_r[frame] += rr
        i = end


def largest(line: np.ndarray) -> float:
    """The largest magnitude in a line of samples."""
    return float(max(line.max(), -line.min()))


accumulate = sample_loop(
    *(
        f"void({real}[::1], {real}[::1], float64, int64, int64, float64[::1], float64[::1], "
        f"float64[::1], {real}[::1])"
        for real in ("float32", "float64")
    ),
    fastmath={"reassoc", "contract", "nsz"},
)(_accumulate)


@sample_loop(
    "void(float32[::1], float32[::1], float64[::1])",
    "void(float64[::1], float64[::1], float64[::1])",
    fastmath={"reassoc", "contract", "nsz"},
)
def slopes(residual, b, sums):  # type: ignore[no-untyped-def]
    """Dots of the residual with the central difference of b, and of that with itself.

    They tell whether moving b by a little would lower the residual.
    """
    n = len(b)
    rd = dd = 0.0
    before, after, rest = b[: n - 2], b[2:], residual[1 : n - 1]
    for i in range(n - 2):
        d = 0.5 * (np.float64(after[i]) - np.float64(before[i]))
        rd += d * np.float64(rest[i])
        dd += d * d
    sums[RD] += rd
    sums[DD] += dd


@sample_loop(
    "void(complex64[:, ::1], float64[::1])",
    "void(complex128[:, ::1], float64[::1])",
    fastmath={"reassoc", "contract", "nsz"},
)
def add_power(spectrum, power):  # type: ignore[no-untyped-def]
    """Add the squared magnitude of every row to `power`."""
    rows, bins = spectrum.shape
    for row in range(rows):
        line = spectrum[row]
        for i in range(bins):
            power[i] += np.float64(line[i].real) ** 2 + np.float64(line[i].imag) ** 2


@sample_loop(
    "UniTuple(float64, 2)(float32[::1], float32[::1], float32[::1])",
    "UniTuple(float64, 2)(float64[::1], float64[::1], float64[::1])",
    fastmath={"reassoc", "contract", "nsz"},
)
def difference(a, b, out):  # type: ignore[no-untyped-def]
    """Write a - b of one channel to `out`; its energy, and the energy of a."""
    rr = aa = 0.0
    for i in range(len(a)):
        x = np.float64(a[i])
        r = x - np.float64(b[i])
        out[i] = r
        rr += r * r
        aa += x * x
    return rr, aa
