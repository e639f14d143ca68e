"""Name what changes the sound: a filter, a gain over time, a curve; and the true level and time."""

from dataclasses import replace

import numpy as np
import scipy

from core.audio.examine import Progress
from core.causes import say
from core.causes.compressor import fit_dynamics
from core.causes.families import BEFORE, BLOCK, block_sums, convolved, fit_gain
from core.causes.find import Finder, Model, Search
from core.causes.pair import MARGIN, depth_db
from core.causes.remainder import find_remainder
from core.causes.shapes import Response, Shape, chosen, fit_shapes, minimum_phase, response_of
from core.causes.state import DEEP_DB, OWN_DB, READER_DB, State, sureness
from core.causes.times import TimeFound
from core.causes.wander import find_wander, say_wander
from core.measure.passes import ChannelMatch
from core.measure.results import Cause, Sure, ToSet
from core.units import format as fmt
from core.units.decibel import amplitude, decibels, power_decibels, power_of

_LEAST_FRAMES = 12_000

_LETTER = {"filter": "F", "dynamics": "D", "level_moves": "D", "distortion": "S", "clipping": "S"}

_NEAR_FLOOR_DB = 6.0
"""What stands no further over the rounding of the files than this is theirs."""

_TOP, _TOP_MOVED = 0.94, (0.88, -50.0)
"""Share of half the rate that is read well: at one lag, and along a clock's line (with its limit, dB)."""

_PERHAPS = 0.33

_WEAK_DB = -12.0

_ENOUGH_DB = -72.0

_ENOUGH_MOVED_DB = -40.0


def find_families(
    state: State, times: TimeFound, matches: list[ChannelMatch], live: list[int],
    progress: Progress,
) -> None:  # fmt: skip
    where = ""
    rows = list(range(len(state.y)))
    if len(rows) > 1:
        poor = _poor_channels(state)
        if poor:
            rows = poor
            where = f", {_side(poor[0], len(state.y))} only"
    whole = len(rows) == len(state.y)
    wide = state.pair.a if whole else state.pair.a[rows]
    y = state.y if whole else state.y[rows]
    if not where:
        y = _own_gains(state, rows, y, wide[:, MARGIN : MARGIN + y.shape[1]], 3.0)
    finder = Finder(wide, y, state.floor_db)
    plain = depth_db(y - finder.x, y)
    enough = _ENOUGH_DB if state.start_lag is None else _ENOUGH_MOVED_DB
    if state.start_lag is not None or any(m.fraction for m in matches):
        # Read between samples: what the reader itself leaves is no cause.
        share, least = (_TOP, READER_DB) if state.start_lag is None else _TOP_MOVED
        left = _below_top_db(y - finder.x, y, share)
        own = left < max(state.floor_db + _NEAR_FLOOR_DB, least)
    else:
        own = plain < max(state.floor_db + _NEAR_FLOOR_DB, DEEP_DB)
    if own or (state.out.causes and plain < enough):
        if state.out.causes:
            state.out.left_db = plain
        take_robust(state, matches, live, 0.0, 0.0)
        return
    if y.shape[1] < _LEAST_FRAMES:
        # A filter of 2048 taps explains anything that is as short as itself.
        take_robust(state, matches, live, 0.0, 0.0)
        _say_short(state, plain)
        return
    wander = find_wander(state, wide, y, times) if plain > -60 else None
    search = finder.search()
    if search.chosen is not None and len(rows) > 1:
        again = _own_gains(state, rows, y, search.chosen.made, 1.5)
        if again is not y:
            y = again
            finder = Finder(wide, y, state.floor_db)
            search = finder.search()
    if search.chosen and search.chosen.order == "D" and _imitates(finder, search.chosen.made):
        search.chosen = None
    least = 3.0 if search.chosen and "D" in search.chosen.order else 1.5
    if search.chosen and plain - search.chosen.depth < least and search.chosen.depth > -60:
        # What lowers it by a decibel is as likely to imitate what was added.
        search.chosen = None
    progress(0.75, "naming what was found")
    if search.chosen and search.chosen.depth > _WEAK_DB and plain - search.chosen.depth < 3:
        # A decibel or two where almost everything stays is no explanation.
        search.chosen = None
    best = search.chosen.depth if search.chosen else plain
    if wander is not None and wander[0] < best - 1.5:
        say_wander(state, wander, plain)
        state.keep("modulation", wander[1], rows)
        if len(rows) == len(state.y):
            state.gains = state.gains * wander[4]
        take_robust(state, matches, live, 0.0, 0.0)
        find_remainder(state, finder, wander[1], wander[0], search)
        return
    if search.chosen is None:
        take_robust(state, matches, live, 0.0, 0.0)
        find_remainder(state, finder, finder.x, plain, search)
        return
    _name(state, finder, search.chosen, search, plain, where, matches, live)
    _keep(state, search, rows)
    find_remainder(state, finder, search.chosen.made, search.chosen.depth, search)


def _below_top_db(rest: np.ndarray, whole: np.ndarray, share: float) -> float:
    """What is left below a share of half the rate, where samples say what lies between them, dB."""
    left = 0.0
    size = scipy.fft.next_fast_len(rest.shape[1], real=True)
    for row in rest:
        low = scipy.fft.rfft(row, size)[: round(share * (size // 2 + 1))]
        left += 2 * float(np.vdot(low, low).real) / size
    return float(power_decibels(max(left / max(float(np.vdot(whole, whole)), 1e-30), 1e-40)))


def _imitates(finder: Finder, made: np.ndarray) -> bool:
    """Whether a gain over time makes some bands worse: it imitates what was added in others."""
    size = scipy.fft.next_fast_len(made.shape[1], real=True)
    parts = [scipy.fft.rfft(v, size) for v in (finder.y, finder.y - finder.x, finder.y - made)]
    power_in = [(p.real**2 + p.imag**2).sum(axis=0) for p in parts]
    edges = np.unique(np.geomspace(1, len(power_in[0]), 25).astype(int))
    whole, before, after = (np.add.reduceat(p, edges[:-1]) for p in power_in)
    counts = whole > 1e-5 * whole.max()
    worse = (after > 4 * before) & (after > 1e-6 * whole) & counts
    return int(worse.sum()) >= 3


def _keep(state: State, search: Search, rows: list[int]) -> None:
    """What each of the families leaves, to be heard: the greater alone, then both."""
    codes = [step.code for step, _ in state.out.later if step.code in _LETTER]
    assert search.chosen
    for k, code in enumerate(codes):
        last = k == len(codes) - 1
        made = search.chosen.made if last else search.singles[_LETTER[code]].made
        state.keep(code, made, rows)


def _poor_channels(state: State) -> list[int]:
    """Channels that do not null beside ones that do, each with its own gain; none where all are alike.

    The ones that null tell the gain: it is taken for the others too, which are then looked at alone.
    """
    x, y = state.pair.inner, state.y
    own = np.array([float(p @ q) / max(float(p @ p), 1e-30) for p, q in zip(x, y, strict=True)])
    each = [depth_db(y[[k]] - own[k] * x[[k]], y[[k]]) for k in range(len(y))]
    poor = [k for k in range(len(y)) if each[k] > min(each) + 25]
    good = [k for k in range(len(y)) if k not in poor]
    if not poor or not good or min(own[good]) <= 0:
        return []
    true = state.gains * own
    size = float(np.abs(true[good]).mean())
    for k in range(len(y)):
        gain = true[k] if k in good else float(np.sign(true[k]) or 1.0) * size
        state.y[k] = state.y[k] * state.gains[k] / gain
        state.gains[k] = gain
    return poor


def _say_short(state: State, depth: float) -> None:
    if depth > max(state.floor_db + 1.5, OWN_DB):
        state.out.uncertain = True
        state.say(
            Cause(
                code="unknown", title="Too short to tell what else differs", sure="possible",
                evidence=(
                    f"{fmt.number(1e3 * state.pair.frames / state.pair.rate_hz, 0)} ms were compared; filter, "
                    "gain and curve are told apart from a quarter of a second on."
                ),
            )
        )  # fmt: skip


def _own_gains(
    state: State, rows: list[int], y: np.ndarray, made: np.ndarray, worth_db: float
) -> np.ndarray:
    """B with each channel's own gain against a prediction taken off, where that buys enough."""
    own = np.array([float(m @ r) / max(float(m @ m), 1e-30) for m, r in zip(made, y, strict=True)])
    apart = float(np.abs(decibels(np.maximum(np.abs(own), 1e-6))).max())
    if apart < 5e-4 or np.any(own <= 0):
        return y
    before, after = depth_db(y - made, y), depth_db(y - own[:, None] * made, y)
    if after > before - worth_db:
        return y
    state.gains[rows] = state.gains[rows] * own
    return y / own[:, None]


def _side(index: int, count: int) -> str:
    return ("left", "right")[index] if count == 2 else f"channel {index + 1}"


def _spectrum_of(x: np.ndarray, rate_hz: int) -> np.ndarray:
    size = min(16_384, 1 << int(np.log2(max(64, x.shape[1] // 4))))
    # Channel by channel: all overlapping pieces of one lie in memory together.
    rows = [scipy.signal.welch(row, rate_hz, nperseg=size)[1] for row in x]
    return np.asarray(np.mean(rows, axis=0))


def _name(
    state: State, finder: Finder, model: Model, search: Search, plain: float, where: str,
    matches: list[ChannelMatch], live: list[int],
) -> None:  # fmt: skip
    """Say what each part of a model is, in the order of what it takes away."""
    rate = state.pair.rate_hz
    rest = model.depth
    takes = _shares(model, plain)
    level_db = lag = 0.0
    notes: list[str] = []
    said: list[tuple[float, Cause, ToSet]] = []
    if model.taps is not None:
        cause, step, level, lag = _filter(state, finder, model, takes["F"], rest, where, rate)
        level_db += level
        said.append((takes["F"], cause, step))
        notes.append("Level and time are those beside the filter.")
    if model.gain is not None:
        cause, step, level, note = _gain(state, finder, model, takes["D"], rest, where, rate)
        level_db += level
        said.append((takes["D"], cause, step))
        notes.append(note)
    if model.curve is not None:
        cause, step, level, note = _curve(state, finder, model, takes["S"], rest, where)
        level_db += level
        said.append((takes["S"], cause, step))
        notes.append(note)
    for amount, cause, step in sorted(said, key=lambda item: -item[0]):
        state.say(cause)
        state.out.later.append((step, amount))
    state.out.level_note = " ".join(notes)
    take_robust(state, matches, live, level_db if not where else 0.0, lag if not where else 0.0)


def _shares(model: Model, plain: float) -> dict[str, float]:
    """What each of two takes: the mean of first and last, scaled to what both take."""
    whole = plain - model.depth
    if len(model.order) == 1:
        return {model.order: whole}
    one, two = model.order[0], model.order[1]
    first_one = max(plain - model.before.get(one, plain), 0.0)
    first_two = max(plain - model.before.get(two, plain), 0.0)
    share = 0.5 * (first_one + whole - first_two)
    share = float(np.clip(share, 0.1 * whole, 0.9 * whole))
    return {one: share, two: whole - share}


def _filter(
    state: State, finder: Finder, model: Model, takes: float, rest: float, where: str, rate: int
) -> tuple[Cause, ToSet, float, float]:
    assert model.taps is not None
    found: Response = response_of(model.taps, _spectrum_of(finder.x, rate), rate)
    shapes = fit_shapes(found)
    named = chosen(shapes) if shapes and shapes[0].error_db < 0.5 else []
    span = float(np.ptp(found.db[found.weight > 0])) if np.any(found.weight > 0) else 0.0
    # A wrong name is worse than none: the fit has to be far better than the response is uneven.
    if named and named[0].error_db > max(0.02, 0.25 * span):
        named = []
    sure = sureness(takes, rest)
    cause = say.filter_cause(found, named, shapes, round(takes, 2), sure, where)
    if named:
        best: Shape = named[0]
        lag, off, sign = minimum_phase(found, best.sos(rate))
        if off > 0.35:
            lag, sign = 0.0, 1.0
        state.gains = state.gains * sign
        value, level = say.opposite(best), best.level_db
        words = f"Set a {best.kind} on B" if not best.kind.endswith("cut") else "On B"
        beside = f"Q {fmt.number(best.q, 2)}" if best.order == 2 else ""
    else:
        weights = found.weight
        order = np.argsort(found.db)
        share = np.cumsum(weights[order])
        level = float(found.db[order][np.searchsorted(share, share[-1] / 2)])
        lag, off, _ = minimum_phase(found, np.array([[1.0, 0, 0, 1, 0, 0]]))
        if off > 0.2 or abs(lag) < 0.02:
            lag = 0.0
        value = f"{fmt.signed(-float(found.db[weights > 0].max()), 1)} to {fmt.signed(-float(found.db[weights > 0].min()), 1)} dB"
        words, beside = "Undo the filter on B", "as drawn"
    return cause, ToSet(code="filter", words=words, value=value, beside=beside, leaves_db=None, takes_db=None), level, lag  # fmt: skip


def _gain(
    state: State, finder: Finder, model: Model, takes: float, rest: float, where: str, rate: int
) -> tuple[Cause, ToSet, float, str]:
    assert model.gain is not None
    x = (
        finder.x
        if model.taps is None or model.order == "DF"
        else convolved(finder.wide, model.taps, BEFORE)
    )
    y = finder.y if model.order != "DF" else x * model.gain.over(x.shape[1])
    _, energies, _ = block_sums(x, y)
    n = min(len(energies), len(model.gain.gain))
    energies = energies[:n]
    start = state.pair.start / rate
    source = finder.x
    fit = fit_dynamics(x, y, rate) if state.detectors and n > 64 and np.any(energies > 0) else None
    # The same freedom without a cause: how well a slow curve over time alone would do.
    slow = fit_gain(x, y, (512, 1024)) if n > 1100 else None
    slow_left = depth_db(y - x * slow.over(y.shape[1]), y) if slow is not None else 0.0
    own_left = power_decibels(max(fit.left, 1e-12)) if fit is not None else 0.0
    follows = fit is not None and fit.explained > 0.6 and not (slow_left < own_left - 3)
    gains_db = decibels(np.maximum(np.abs(model.gain.gain[:n]), 1e-4))
    heard = energies > 1e-6 * float(np.percentile(energies, 98))
    if follows and fit is not None:
        level_db = _level_of(source, n)
        cause = say.dynamics_cause(fit, model.gain, energies, level_db, rate, start, round(takes, 2),
                                   "certain" if fit.explained > 0.9 else "likely")  # fmt: skip
        cause = cause.model_copy(update={"title": cause.title + where})
        s = fit.settings
        step = ToSet(code="dynamics", words="Put the same into the plan, or take it out of B",
                     value=f"{fmt.significant(min(s.ratio, 100.0), 3)}:1 from {fmt.number(s.threshold_db, 1)} dBFS",
                     beside=f"{fmt.significant(s.attack_ms, 2)} ms, {fmt.significant(s.release_ms, 2)} ms",
                     leaves_db=None, takes_db=None)  # fmt: skip
        return cause, step, s.makeup_db, "The level is that where nothing is compressed."
    order = np.argsort(gains_db[heard])
    share = np.cumsum(energies[heard][order])
    base = (
        float(gains_db[heard][order][np.searchsorted(share, share[-1] / 2)]) if heard.any() else 0.0
    )
    # Where a detector follows it by a third, it may be one that is none of the textbook's.
    half = fit is not None and fit.explained > _PERHAPS
    sure: Sure = "likely" if half else sureness(takes, rest)
    cause = say.moves_cause(model.gain, energies, rate, start, base, round(takes, 2), sure)
    cause = cause.model_copy(update={"title": cause.title + where})
    step = ToSet(code="level_moves", words="Draw the opposite move on B", value=f"{fmt.signed(-cause.figures['most_db'], 2)} to {fmt.signed(-cause.figures['least_db'], 2)} dB",
                 beside="as drawn", leaves_db=None, takes_db=None)  # fmt: skip
    return cause, step, base, "The level is the one that holds for most of the sound."


def _level_of(x: np.ndarray, blocks: int) -> np.ndarray:
    """A's level (dBFS, peak of 5 ms or so) at every block of 32 samples."""
    n = blocks * BLOCK
    if x.shape[1] < n:
        x = np.pad(x, ((0, 0), (0, n - x.shape[1])))
    peaks = np.abs(x[:, :n]).max(axis=0).reshape(blocks, BLOCK).max(axis=1)
    peaks = scipy.ndimage.maximum_filter1d(peaks, 7)
    return decibels(np.maximum(peaks, 1e-5))


def _curve(
    state: State, finder: Finder, model: Model, takes: float, rest: float, where: str
) -> tuple[Cause, ToSet, float, str]:
    assert model.curve is not None
    curve = model.curve
    slopes = curve.slopes()
    middle = float(np.median(slopes[len(slopes) // 2 - 3 : len(slopes) // 2 + 4]))
    level_db = decibels(max(abs(middle), 1e-6))
    y = finder.y
    top, bottom = float(y.max()), float(y.min())
    piled = float((y > 0.99 * top).mean() + (y < 0.99 * bottom).mean())
    bent = np.flatnonzero(np.abs(slopes) < 0.15 * abs(middle))
    straight = slopes[
        (np.abs(curve.level_in[:-1]) < 0.5 * np.abs(curve.level_in[bent]).min(initial=9.0))
        if len(bent)
        else slice(None)
    ]
    hard = len(straight) > 4 and float(np.percentile(np.abs(straight / middle - 1), 80)) < 0.03
    clipped = len(bent) > 0 and hard and (piled > 2e-4 or _cut_off(finder, middle))
    orders = say.orders_of(curve)
    figures = {f"order_{k}_db": v for k, v in zip(range(2, 8), orders, strict=True)}
    figures["percent"] = round(100 * float(np.sqrt(sum(power_of(v) for v in orders))), 3)
    sure = sureness(takes, rest)
    if clipped:
        knee = float(np.abs(curve.level_in[bent]).min())
        ceiling = max(abs(top), abs(bottom)) * float(np.abs(state.gains).max())
        flat = (y >= 0.995 * top) | (y <= 0.995 * bottom)
        hits = np.flatnonzero(flat.any(axis=0))
        rate = state.pair.rate_hz
        starts = hits[np.concatenate([[True], np.diff(hits) > 0.05 * rate])] if len(hits) else hits
        at_s = [round((state.pair.start + int(h)) / rate, 4) for h in starts[:200]]
        figures |= {"ceiling_dbfs": round(decibels(float(max(ceiling, 1e-9))), 2),
                    "from_dbfs": round(decibels(float(max(knee, 1e-9))), 2),
                    "share_percent": round(100 * float(flat.mean()), 4)}  # fmt: skip
        cause = Cause(
            code="clipping", title=f"B is clipped{where}", sure=sure, takes_db=round(takes, 2), figures=figures,
            evidence=f"Flat at {fmt.number(figures['ceiling_dbfs'], 1)} dBFS, in {fmt.plural(len(starts), 'place')}; first at {fmt.clock(at_s[0]) if at_s else ''}.",
            at_s=at_s, pictures=say.curve_picture(curve),
        )  # fmt: skip
        step = ToSet(code="clipping", words="Turn down what goes into B by", value=f"{fmt.number(max(0.1, decibels(float(curve.level_in[-1] / max(knee, 1e-9)))), 1)} dB",
                     beside="and up again after it", leaves_db=None, takes_db=None)  # fmt: skip
        return cause, step, level_db, "The level is that below the clipping."
    cause = Cause(
        code="distortion", title=f"B is distorted{where}", sure=sure, takes_db=round(takes, 2), figures=figures,
        evidence=(
            f"Loud is bent against quiet, the same at every moment: {fmt.significant(figures['percent'], 2)} % at A's loudest, "
            f"2nd {fmt.number(orders[0], 0)}, 3rd {fmt.number(orders[1], 0)} dB."
        ),
        pictures=say.curve_picture(curve),
    )  # fmt: skip
    step = ToSet(code="distortion", words="Drive B less, or put the same drive into the plan", value=f"{fmt.significant(figures['percent'], 2)} %",
                 beside="at A's loudest", leaves_db=None, takes_db=None)  # fmt: skip
    return cause, step, level_db, "The level is that of the quiet, where the curve is straight."


def _cut_off(finder: Finder, slope: float) -> bool:
    """Whether B stands still at its ends where A goes on: flat tops, however few."""
    x, y = slope * finder.x, finder.y
    there = beyond = 0
    for ceiling, sign in ((float(y.max()), 1), (float(-y.min()), -1)):
        at = sign * y >= 0.998 * ceiling
        there += int(at.sum())
        beyond += int(np.sum(sign * x[at] > 1.01 * ceiling))
    return beyond >= 6 and beyond > 0.7 * there


def take_robust(
    state: State, matches: list[ChannelMatch], live: list[int], level_db: float, lag: float
) -> None:
    """Time and level of B as they are beside the other causes, in place of the fitted ones.

    B is `gains` times A where the sound was compared; a filter's base, a compressor's make-up and a
    curve's middle come on top, a filter's delay goes to the offset.
    """
    out = list(matches)
    scale = amplitude(level_db)
    shift = 0.0 if abs(lag) < 0.02 else lag
    for row, k in enumerate(live):
        old = matches[k]
        gain = 1.0 / (float(state.gains[row]) * scale)
        if abs(decibels(abs(gain))) < 0.002:
            gain = float(np.sign(gain))
        new_lag = (old.lag if state.start_lag is None else state.start_lag) + shift
        if shift and abs(new_lag - round(new_lag)) < 0.03:
            new_lag = float(round(new_lag))
        out[k] = replace(old, gain=gain, lag=new_lag)
    state.out.matches = out
