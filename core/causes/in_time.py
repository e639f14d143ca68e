"""What relates two clips in time: at all, at another speed, along a drifting clock, between jumps."""

from dataclasses import replace

import numpy as np
import soxr

from core.causes import say
from core.causes.pair import Pair, depth_db, power, read_pair
from core.causes.state import Explained, State, sureness
from core.causes.times import (
    Jump,
    TimeFound,
    candidates,
    lags_over,
    pieces,
    place_of_jump,
    read_times,
)
from core.causes.track import Piece, lag_in
from core.causes.warp import HALF, read_at
from core.measure.alignment import Alignment
from core.measure.passes import ChannelMatch, PassResult
from core.measure.results import Cause, Mark, Picture, Series, ToSet
from core.measure.view import View
from core.units import format as fmt
from core.units.decibel import decibels, power_decibels

EXCERPT_S = 12.0

_MOST_SAMPLES = 1_300_000

_AFTER_DRIFT_DB = -74.0

_FAR_APART_DB = 3.0


def related_at_all(a: View, b: View, aligned: Alignment, depth_db_: float, reach: int) -> bool:
    """Whether anything relates the two: their correlation, or windows that agree on an offset.

    Windows of two thirds of a second are searched over the whole range, whitened, so that bands
    of every strength count (Knapp and Carter, 1976).
    """
    if depth_db_ < -3 or aligned.coarse.correlation**2 > 0.25:
        return True
    n = 1 << 15
    starts = np.unique(np.linspace(0, max(0, a.frames - n), 9).astype(int))
    lags = []
    for start in starts:
        block = a.inside(int(start), n).astype(np.float64)
        around = b.inside(int(start) - reach, n + 2 * reach).astype(np.float64)
        rows = min(len(block), len(around))
        if not np.any(block) or not np.any(around):
            continue
        lag, sharp, _ = lag_in(Piece(block[:rows]), around[:rows], reach)
        if sharp > 11:
            lags.append(lag)
    if len(lags) < max(2, len(starts) // 4):
        return False
    middle = float(np.median(lags))
    near = [lag for lag in lags if abs(lag - middle) < 0.06 * a.rate_hz]
    return len(near) >= max(2, 0.6 * len(lags))


_SPEEDS = ((44_100, 48_000), (48_000, 44_100), (1, 2), (2, 1), (2, 3), (3, 2))


def other_speed(a: View, b: View, reach: int) -> tuple[int, int] | None:
    """Whether B is A at another speed, as when a rate was written on the file that is not its own.

    B's loudest ten seconds at each ratio against A; that a window of a second agrees by half is enough.
    """
    n = min(a.frames, b.frames, 12 * a.rate_hz)
    if n < 3 * a.rate_hz:
        return None
    one = a.inside(0, n).mean(axis=0).astype(np.float64)
    other = b.inside(0, n).mean(axis=0).astype(np.float64)
    width = a.rate_hz
    begin = reach if reach < n // 3 else 0
    # Second by second from there on, as many as are whole.
    seconds = (n - begin) // width
    loud = (one[begin : begin + seconds * width] ** 2).reshape(seconds, width).sum(axis=1)
    start = begin + int(np.argmax(loud)) * width
    for was, is_now in _SPEEDS:
        moved = soxr.resample(other, was, is_now, "HQ")
        around = min(reach, start, max(0, len(moved) - start - width))
        if around < 64:
            continue
        _, sharp, agree = lag_in(
            Piece(one[None, start : start + width]),
            moved[None, start - around : start + width + around], around,
        )  # fmt: skip
        if agree * agree > 0.5 and sharp > 10:
            return was, is_now
    return None


def say_speed(out: Explained, was: int, is_now: int) -> None:
    share = 100 * (is_now / was - 1)
    rates = f"{was / 1e3:g} kHz read as {is_now / 1e3:g} kHz" if was > 1000 else f"{was}:{is_now}"
    out.causes.append(
        Cause(
            code="rate", title="B runs at another speed", sure="certain",
            evidence=f"B is A, {fmt.number(abs(share), 1)} % {'fast' if share > 0 else 'slow'}: {rates}. Export it again at the right rate.",
            figures={"speed_percent": round(share, 3)},
        )
    )  # fmt: skip
    out.uncertain = True
    out.offset_is_sure = False


def follow_times(
    a: View, b: View, pairs: list[tuple[int, int]], lag: float, result: PassResult
) -> TimeFound:
    if result.frames < 3 * 8192:
        empty = lags_over(a, b, pairs, lag, result.first, result.end)
        return replace(read_times(empty, a.rate_hz), kind="unknown")
    return read_times(lags_over(a, b, pairs, lag, result.first, result.end), a.rate_hz)


def with_jumps(
    a: View, b: View, lead: ChannelMatch, times: TimeFound, result: PassResult
) -> TimeFound:
    """The lags as pieces, where changing between a few of them leaves less than half of one."""
    lags = candidates(times.lags, lead.lag)
    if len(lags) < 2:
        return times
    path, left, single = pieces(
        a, b, (lead.a_channel, lead.b_channel), 1.0 / lead.gain if lead.gain else 1.0, lags,
        result.first, result.end,
    )  # fmt: skip
    if len(path) < 2 or len(path) > 12 or left > 0.5 * single:
        # The gain was fitted on a place where the two lie apart, perhaps: once more, plainly.
        gain = float(np.sign(lead.gain) or 1.0)
        path, left, single = pieces(
            a, b, (lead.a_channel, lead.b_channel), gain, lags, result.first, result.end
        )
        if len(path) < 2 or len(path) > 12 or left > 0.5 * single:
            return times
    jumps = tuple(
        Jump(at, lag - before) for (_, before), (at, lag) in zip(path, path[1:], strict=False)
    )
    return replace(times, kind="jumps", lag0=path[0][1], slope=0.0, jumps=jumps)


def read_excerpt(
    a: View, b: View, matches: list[ChannelMatch], live: list[int], result: PassResult,
    times: TimeFound, floor_db: float, out: Explained,
) -> State:  # fmt: skip
    """Read the stretch to look at: the longest without a jump, of it where most is left."""
    first, end = result.first, result.end
    moved = [matches[k] for k in live]
    if times.kind == "jumps":
        edges = [first, *[j.at for j in times.jumps], end]
        spans = [
            (e2 - e1, k, e1, e2) for k, (e1, e2) in enumerate(zip(edges, edges[1:], strict=False))
        ]
        _, k, first, end = max(spans)
        lag = times.lag0 + sum(j.by for j in times.jumps[:k])
        moved = [
            replace(m, lag=float(round(lag)) if abs(lag - round(lag)) < 0.05 else lag)
            for m in moved
        ]
        guard = min(4096, (end - first) // 8)
        first, end = first + guard * (k > 0), end - guard * (k < len(times.jumps))
    length = min(round(EXCERPT_S * a.rate_hz), _MOST_SAMPLES // len(moved))
    if end - first > length:
        step = result.frame_frames
        rest = np.concatenate([[0.0], np.cumsum(result.frame_r)])
        lo, hi, n = (first - result.first) // step, (end - result.first) // step, length // step
        starts = np.arange(lo, max(lo + 1, hi - n))
        sums = rest[np.minimum(starts + n, len(rest) - 1)] - rest[starts]
        first = result.first + int(starts[int(np.argmax(sums))]) * step
        end = first + length
    if times.kind == "drift":
        pair = _drifted(a, b, moved, times, first, end)
    else:
        pair = read_pair(a, b, moved, first, end)
    x, y = pair.inner, pair.b
    gains = np.array(
        [float(np.dot(p, q)) / max(float(np.dot(p, p)), 1e-30) for p, q in zip(x, y, strict=True)]
    )
    gains = _shared(gains, [power(row) for row in x])
    # In its own room: silence, which is all that B as it came is asked for later, stays silence.
    y /= gains[:, None]
    masked = np.zeros(pair.frames, bool)
    return State(out, pair, y, gains, floor_db, depth_db(y - x, y), masked)


def _shared(gains: np.ndarray, energies: list[float]) -> np.ndarray:
    """One size for all channels, each with its own sign, unless they lie far apart.

    Where something changes the sound, each channel's own best gain is pulled by what it holds; what
    really lies between channels is looked for again once the rest is taken away.
    """
    out = np.where(np.abs(gains) < 1e-5, 1.0, gains)
    size = float(np.average(np.abs(out), weights=np.maximum(energies, 1e-30)))
    if np.all(np.abs(decibels(np.abs(out) / size)) < _FAR_APART_DB):
        out = np.sign(out) * size
    return out


def _drifted(
    a: View, b: View, moved: list[ChannelMatch], times: TimeFound, first: int, end: int
) -> Pair:
    """The excerpt with B read along the line of its lags."""
    pair = read_pair(a, b, [replace(m, lag=0.0) for m in moved], first, end)
    at = np.arange(first, end, dtype=float)
    places = at + times.lag0 + times.slope * at
    low, high = int(places.min()) - 2 * HALF, int(places.max()) + 2 * HALF
    raw = b.read(low, high - low)
    rows = [read_at(raw[m.b_channel], places - low) for m in moved]
    return Pair(pair.rate_hz, pair.a, np.array(rows), first)


def steady_depth(
    a: View, b: View, matches: list[ChannelMatch], live: list[int], state: State
) -> float:
    """What one lag for all leaves on the excerpt."""
    first = state.pair.start
    plain = read_pair(a, b, [matches[k] for k in live], first, first + state.pair.frames)
    left = 0.0
    for row, under in zip(plain.b, plain.inner, strict=True):
        gain = float(np.dot(row, under)) / max(float(np.dot(under, under)), 1e-30)
        left += power(row - gain * under)
    return float(power_decibels(max(left / max(power(plain.b), 1e-30), 1e-40)))


def say_drift(
    state: State, times: TimeFound, rate_hz: int, before: float, whole_before: float
) -> None:
    """Follow the line once more on the excerpt, and say it, unless it buys less than 1 dB."""
    takes = min(before, whole_before) - state.depth
    if takes < 1.0:
        return
    seconds = times.lags.at / rate_hz
    sure = times.lags.sharp > 7
    line = times.lag0 + times.slope * times.lags.at
    pick = np.flatnonzero(sure)
    word = "slow" if times.slope > 0 else "fast"
    state.say(
        Cause(
            code="drift", title=f"B's clock runs {word}", takes_db=round(takes, 2),
            sure=sureness(takes, state.depth),
            evidence=(
                f"The offset moves evenly, {fmt.signed(times.ppm, 2)} ppm: from "
                f"{fmt.number(line[0], 2)} to {fmt.number(line[-1], 2)} samples. Two devices on clocks of their own do that."
            ),
            figures={"ppm": round(times.ppm, 4), "error_ppm": round(times.error_ppm, 4),
                     "from_samples": round(float(line[0]), 3), "to_samples": round(float(line[-1]), 3)},
            pictures=[Picture(title="Offset over time", about="samples, B late", x_unit="s", y_unit="samples",
                series=[
                    Series(name="one clock's line", look="fit", x=say.rounded(seconds[[0, -1]], 3), y=list(say.rounded(line[[0, -1]], 4))),
                    Series(name="found", look="points", x=say.rounded(seconds[pick], 3), y=list(say.rounded(times.lags.lag[pick], 4))),
                ])],
        )
    )  # fmt: skip
    state.out.later.append(
        (
            ToSet(
                code="drift", words="Lock both devices to one clock, or stretch B by",
                value=f"{fmt.signed(-times.ppm, 2)} ppm", leaves_db=None, takes_db=None,
            ),
            takes,
        )
    )  # fmt: skip
    state.floor_db = max(state.floor_db, _AFTER_DRIFT_DB)
    start = 0.0 if abs(times.lag0) < 0.05 else times.lag0
    state.start_lag = float(round(start)) if abs(start - round(start)) < 0.03 else start


def _depth_in_pieces(
    a: View, b: View, lead: ChannelMatch, gain: float, lag: float, jumps: list[Jump],
    first: int, end: int,
) -> float:  # fmt: skip
    """What is left of the leading channel over everything, each piece at its own lag."""
    edges = [first, *[j.at for j in jumps], end]
    left = whole = 0.0
    for k, (low, high) in enumerate(zip(edges, edges[1:], strict=False)):
        here = lag + sum(j.by for j in jumps[:k])
        match = replace(lead, lag=float(round(here)) if abs(here - round(here)) < 0.05 else here)
        for start in range(low, high, 1 << 18):
            piece = read_pair(a, b, [match], start, min(high, start + (1 << 18)))
            left += power(piece.b - gain * piece.inner)
            whole += power(piece.b)
    return float(power_decibels(max(left / max(whole, 1e-30), 1e-40)))


def say_jumps(
    state: State, a: View, b: View, lead: ChannelMatch, times: TimeFound, before: float,
    result: PassResult,
) -> None:  # fmt: skip
    found: list[Jump] = []
    lag = times.lag0
    gain = float(state.gains[0])
    for jump in times.jumps:
        place = place_of_jump(
            a, b, (lead.a_channel, lead.b_channel), gain, lag, lag + jump.by, jump.at, 16_384
        )
        found.append(
            Jump(place, round(jump.by) if abs(jump.by - round(jump.by)) < 0.05 else jump.by)
        )
        lag += jump.by
    after = _depth_in_pieces(a, b, lead, gain, times.lag0, found, result.first, result.end)
    takes = before - after
    state.start_lag = 0.0 if abs(times.lag0) < 0.05 else times.lag0
    rate = a.rate_hz
    places = [round(j.at / rate, 5) for j in found]
    what = ", ".join(
        f"{fmt.number(abs(j.by), 0)} samples {'too many' if j.by > 0 else 'missing'} at {fmt.clock(j.at / rate)}"
        for j in found[:4]
    )
    seconds = times.lags.at / rate
    pick = np.flatnonzero(times.lags.sharp > 7)
    state.say(
        Cause(
            code="jump", title="Samples are missing or too many in B", takes_db=round(max(takes, 0.0), 2),
            sure="certain" if takes > 6 else "likely",
            evidence=f"The offset jumps: {what}.", at_s=places,
            figures={"count": float(len(found)), "by_samples": float(found[0].by)},
            pictures=[Picture(title="Offset over time", about="samples, B late", x_unit="s", y_unit="samples",
                series=[Series(name="found", look="points", x=say.rounded(seconds[pick], 3), y=list(say.rounded(times.lags.lag[pick], 3)))],
                marks=[Mark(x=p, label=f"{fmt.signed(j.by, 0)}") for p, j in zip(places, found, strict=True)])],
        )
    )  # fmt: skip
    state.out.later.append(
        (
            ToSet(
                code="jump", words="Record B again, or mend it at", value=", ".join(fmt.clock(p) for p in places[:4]),
                beside=what, leaves_db=None, takes_db=None,
            ),
            max(takes, 0.0),
        )
    )  # fmt: skip
