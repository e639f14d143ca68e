"""Differences that are taken off before the sound is looked at: shares, width, clicks, 0 Hz."""

from collections.abc import Sequence

import numpy as np
import scipy.ndimage
import scipy.signal

from core.causes import say
from core.causes.find import Finder
from core.causes.pair import depth_db, power
from core.causes.state import State, sureness
from core.measure.results import Cause, ToSet
from core.measure.view import View
from core.units import format as fmt
from core.units.decibel import amplitude, decibels, power_decibels


def find_mix(state: State, stems: Sequence[View]) -> None:
    """Whether B holds other amounts of the given stems: least squares of the residual on them."""
    if not stems:
        return
    pair, x, y = state.pair, state.pair.inner, state.y
    rows = []
    for stem in stems:
        read = stem.read(pair.start, pair.frames).astype(np.float64)
        rows.append(np.stack([read[min(k, len(read) - 1)] for k in range(len(x))]))
    # A's own amount is one of the unknowns: a share that moved pulls the gain that was taken off.
    parts = np.array([x.ravel(), *(row.ravel() for row in rows)])
    gram = parts @ parts.T
    if np.linalg.cond(gram) > 1e9:
        return
    amounts = np.linalg.solve(gram, parts @ y.ravel())
    made = np.tensordot(amounts[1:] / amounts[0], np.array(rows), axes=1)
    undone = y / amounts[0] - made
    left = depth_db(undone - x, undone)
    takes = state.depth - left
    if takes < 6 or amounts[0] <= 0:
        _same_dry(state, stems, rows)
        return
    shares = [
        (stem.name, float(decibels(max(abs(1 + c), 1e-4))))
        for stem, c in zip(stems, amounts[1:] / amounts[0], strict=True)
    ]
    most = max(shares, key=lambda item: abs(item[1]))
    state.say(
        Cause(
            code="mix_share", title=f"B holds {'more' if most[1] > 0 else 'less'} of “{most[0]}”",
            takes_db=round(takes, 2), sure=sureness(takes, left),
            evidence=f"Against A: {', '.join(f'“{name}” {say.signed(v)} dB' for name, v in shares)}.",
            figures={f"stem_{k}_db": round(v, 3) for k, (_, v) in enumerate(shares, 1)},
            words={f"stem_{k}": name for k, (name, _) in enumerate(shares, 1)},
        )
    )  # fmt: skip
    state.out.later.append(
        (
            ToSet(
                code="mix_share", words=f"Set “{most[0]}” in B by", value=f"{say.signed(-most[1])} dB",
                leaves_db=None, takes_db=None,
            ),
            takes,
        )
    )  # fmt: skip
    state.gains = state.gains * amounts[0]
    state.y, state.depth = undone, left


_DRY_S, _DRY_DB, _WET_DB, _AS_LOUD_DB, _WET_DRY_DB = 0.05, 0.5, -30.0, 2.0, 12.0
_ONE_SOUND, _ALIKE = 0.9, 0.7


def _same_dry(state: State, stems: Sequence[View], rows: Sequence[np.ndarray]) -> None:
    """Whether a stem is in both alike and the rest is one effect that moved on its own in each.

    The rest then has the same levels, band by band and moment by moment, and another waveform.
    """
    x, y, rate = state.pair.inner, state.y, state.pair.rate_hz
    step = round(_DRY_S * rate)
    for stem, dry in zip(stems, rows, strict=True):
        shares = [_share_of(dry, sound, step) for sound in (x, y)]
        if None in shares:
            continue
        one, other = (float(s) for s in shares if s is not None)
        wets = [sound - share * dry for sound, share in ((x, one), (y, other))]
        sizes = [power(wet) for wet in wets]
        if min(sizes) < float(amplitude(_WET_DB)) ** 2 * power(x) or other * one <= 0:
            continue
        off_db = float(decibels(other / one))
        apart_db = float(decibels(np.sqrt(sizes[1] / sizes[0]))) - off_db
        same = float(np.vdot(wets[0], wets[1])) / float(np.sqrt(sizes[0] * sizes[1]))
        alike = _alike(wets[0], wets[1], rate)
        if abs(apart_db) > _AS_LOUD_DB or abs(same) > _ONE_SOUND or alike < _ALIKE:
            continue
        wet_db = float(decibels(np.sqrt(sizes[0] / max(one * one * power(dry), 1e-30))))
        if wet_db > _WET_DRY_DB:
            continue
        state.say(
            Cause(
                code="modulation", title="Same dry, modulation apart", takes_db=0.0, sure="likely",
                evidence=(
                    f"“{stem.name}” is in both; beside it lies an effect {fmt.number(wet_db, 1)} dB against it, equally "
                    "loud in every band at every moment, and another waveform: it moves on its own."
                ),
                figures={"dry_db": round(off_db, 3), "wet_db": round(wet_db, 2), "wet_correlation": round(same, 3)},
                words={"sort": "apart", "stem": stem.name},
            )
        )  # fmt: skip
        state.out.later.append(
            (
                ToSet(
                    code="modulation", words="Switch the modulation off in both, or start it at the same moment",
                    value="", leaves_db=None, takes_db=None,
                ),
                0.0,
            )
        )  # fmt: skip
        # Level is what the dry sound says, not what two waveforms of the wet make of it.
        state.gains = state.gains * (other / one)
        state.y = y / (other / one)
        state.depth = depth_db(state.y - x, state.y)
        state.apart = True
        return


def _share_of(dry: np.ndarray, sound: np.ndarray, step: int) -> float | None:
    """How much of a stem is in a sound: the median over short stretches, which an effect does not pull."""
    count = dry.shape[1] // step
    shape = (len(dry), count, step)
    a, b = (v[:, : count * step].reshape(shape) for v in (dry, sound))
    own = (a * a).sum(axis=(0, 2))
    heard = own > 1e-4 * own.max(initial=0.0)
    if heard.sum() < 20:
        return None
    return float(np.median((a * b).sum(axis=(0, 2))[heard] / own[heard]))


def _alike(one: np.ndarray, other: np.ndarray, rate_hz: int) -> float:
    """Correlation of two sounds' levels over bands and moments, in dB about each band's own mean."""
    size = 1 << round(np.log2(0.05 * rate_hz))
    maps = []
    for sound in (one, other):
        _, _, spectra = scipy.signal.stft(sound.mean(axis=0), rate_hz, nperseg=size)
        energy = np.abs(spectra) ** 2
        edges = np.unique(np.geomspace(2, len(energy), 20).astype(int))
        bands = np.add.reduceat(energy, edges[:-1], axis=0)
        maps.append(power_decibels(bands + 1e-6 * bands.max()))
    centred = [m - m.mean(axis=1, keepdims=True) for m in maps]
    return float(np.corrcoef(centred[0].ravel(), centred[1].ravel())[0, 1])


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
