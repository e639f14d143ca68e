"""Differences that are taken off before the sound is looked at: width, clicks, 0 Hz."""

import numpy as np
import scipy

from core.causes.find import Finder
from core.causes.pair import depth_db, power
from core.causes.state import State, sureness
from core.measure.results import Cause, ToSet
from core.units import format as fmt
from core.units.decibel import amplitude, decibels


def find_width(state: State) -> None:
    """Whether the two channels of B hold a part of each other: a matrix against gains alone."""
    x, y = state.pair.inner, state.y
    if len(x) != 2 or not np.all(np.abs(x).max(axis=1) > 0):
        return
    gram = x @ x.T
    if np.linalg.cond(gram) > 1e7:
        return
    matrix = np.linalg.solve(gram, x @ y.T).T
    rest = power(y - matrix @ x)
    if rest > 0.33 * power(y - x):
        return
    full = matrix * state.gains[:, None]
    total = float(full.sum())
    side = float(full[0, 0] + full[1, 1] - full[0, 1] - full[1, 0])
    even = abs(full[0, 1] - full[1, 0]) < 0.1 * max(abs(full[0, 1]), abs(full[1, 0]), 1e-9)
    takes = state.depth - depth_db(y - matrix @ x, y)
    width_db = decibels(max(abs(side / total), 1e-6)) if total else 0.0
    state.say(
        Cause(
            code="width", title="B is wider" if width_db > 0 else "B is narrower",
            takes_db=round(takes, 2), sure=sureness(takes, state.depth - takes),
            evidence=(
                f"The side is {fmt.signed(width_db, 2)} dB against the middle."
                if even else
                f"Right holds {fmt.number(decibels(max(abs(full[1, 0]), 1e-6)), 1)} dB of left, left "
                f"{fmt.number(decibels(max(abs(full[0, 1]), 1e-6)), 1)} dB of right."
            ),
            figures={"side_db": round(float(width_db), 3), "left_to_left": round(float(full[0, 0]), 5),
                     "right_to_left": round(float(full[0, 1]), 5), "left_to_right": round(float(full[1, 0]), 5),
                     "right_to_right": round(float(full[1, 1]), 5)},
        )
    )  # fmt: skip
    state.out.later.append(
        (ToSet(code="width", words="Set B's width by", value=f"{fmt.signed(-width_db, 2)} dB",
               beside="side against middle", leaves_db=None, takes_db=None), takes)
    )  # fmt: skip
    # Turned back: what follows is looked for on channels that are A's own.
    undone = np.linalg.solve(matrix, y)
    state.y = undone
    state.depth = depth_db(undone - x, undone)
    if even and total:
        state.gains = np.full(2, total / 2)


_FEW = 8
"""More places than this are clicks only where they explain much: hits that a gain bends look alike."""


def find_clicks(state: State) -> None:
    """Short places where far more is left than around them: masked, and said."""
    x, y = state.pair.inner, state.y
    size = 64
    n = y.shape[1] // size
    rest = ((y - x)[:, : n * size] ** 2).reshape(len(x), n, size).sum(axis=(0, 2))
    programme = (x[:, : n * size] ** 2).reshape(len(x), n, size).sum(axis=(0, 2))
    width = max(3, round(0.25 * state.pair.rate_hz / size) | 1)
    if n < 2 * width:
        return
    around = scipy.ndimage.median_filter(rest, width, mode="nearest")
    local = scipy.ndimage.uniform_filter1d(programme, width, mode="nearest")
    odd = rest > 300 * (around + 1e-4 * local + 1e-12)
    if not odd.any() or odd.mean() > 0.03 or rest[odd].sum() < 0.5 * rest.sum():
        return
    wide = scipy.ndimage.binary_dilation(odd, iterations=2)
    labels, count = scipy.ndimage.label(wide)
    # Several near each other, a few blocks apart, are one.
    starts = [int(np.flatnonzero(labels == k)[0]) for k in range(1, count + 1)]
    places = [
        s
        for k, s in enumerate(starts)
        if k == 0 or (s - starts[k - 1]) * size > 0.01 * state.pair.rate_hz
    ]
    mask = np.zeros(y.shape[1], bool)
    mask[: n * size] = np.repeat(wide, size)
    silent = [k for k in places if not np.any(state.pair.b[:, (k + 2) * size : (k + 3) * size])]
    before = state.depth
    left = depth_db((y - x)[:, ~mask], y[:, ~mask])
    # Clipping, too, shows in short places; but those follow A's level, and one curve mends them all.
    # So does what a filter does to hits.
    finder = Finder(state.pair.a, y, state.floor_db)
    if min(finder.one("S").depth, finder.one("F").depth) < left:
        return
    rate = state.pair.rate_hz
    at_s = []
    for k in places:
        near = slice(k * size, min((k + 8) * size, y.shape[1]))
        at_s.append(
            round(
                (state.pair.start + k * size + int(np.argmax(np.abs(y - x)[:, near].max(axis=0))))
                / rate,
                5,
            )
        )
    what = "Samples are gone" if len(silent) * 2 > len(places) else "Clicks"
    state.say(
        Cause(
            code="click", title=f"{what} in B", takes_db=round(before - left, 2),
            sure=sureness(before - left, left) if len(places) > _FEW else "certain", at_s=at_s,
            evidence=f"{fmt.plural(len(places), 'place')} of a few milliseconds: at {', '.join(fmt.clock(t) for t in at_s[:5])}.",
            figures={"count": float(len(places))},
        )
    )  # fmt: skip
    state.out.later.append(
        (ToSet(code="click", words="Record B again, or mend it at", value=", ".join(fmt.clock(t) for t in at_s[:4]),
               leaves_db=None, takes_db=None), before - left)
    )  # fmt: skip
    state.masked |= mask
    state.y = np.where(mask, x, y)
    state.depth = left


_OF_ROUNDING = 7.3
"""Three steps of a word length against what two such words leave (a step / sqrt 6)."""


def find_dc(state: State) -> None:
    x, y = state.pair.inner, state.y
    rest = y - x
    means = rest.mean(axis=1)
    level = np.abs(means * state.gains)
    if level.max() < 2e-5:
        return
    without = y - means[:, None]
    depth = depth_db(without - x, y)
    takes = state.depth - depth
    # A filter that takes A's own offset away is not an offset of B.
    if takes < WORTH or np.allclose(means, -x.mean(axis=1), rtol=0.1, atol=1e-6):
        return
    rounding = np.sqrt(power(y) / y.size) * amplitude(state.floor_db)
    if float(np.abs(means).max()) < _OF_ROUNDING * rounding:
        # Files that round downwards rather than to the nearest differ by this.
        state.y, state.depth = without, depth
        return
    state.say(
        Cause(
            code="dc", title="B has an offset of 0 Hz", takes_db=round(takes, 2), sure="certain",
            evidence=f"{fmt.number(decibels(float(level.max())), 1)} dBFS: {', '.join(fmt.signed(float(v), 5) for v in means * state.gains)} of full scale.",
            figures={"dc": round(float((means * state.gains)[int(np.argmax(level))]), 7),
                     "dc_dbfs": round(float(decibels(level.max())), 2)},
        )
    )  # fmt: skip
    state.out.later.append(
        (ToSet(code="dc", words="Take the offset of 0 Hz out of B", value=fmt.signed(float(-(means * state.gains)[int(np.argmax(level))]), 5),
               beside="of full scale", leaves_db=None, takes_db=None), takes)
    )  # fmt: skip
    state.y = without
    state.depth = depth


WORTH = 0.25
