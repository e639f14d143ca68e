"""Why two clips do not null: what differs, what each difference takes away, and how sure that is.

B is predicted from A, one cause after the other; what a cause takes away is how far the residual
falls. What relates the two in time is looked for over the whole clip, what changes the sound on an
excerpt where the residual is loudest.
"""

from collections.abc import Sequence
from functools import partial

from core.audio.examine import Progress
from core.causes.beside import find_clicks, find_dc, find_width
from core.causes.in_sound import find_families, take_robust
from core.causes.in_time import (
    follow_times,
    other_speed,
    read_excerpt,
    related_at_all,
    say_drift,
    say_jumps,
    say_speed,
    steady_depth,
    with_jumps,
)
from core.causes.shares import find_mix
from core.causes.state import DEEP_DB, Explained
from core.measure import kernel
from core.measure.alignment import Alignment
from core.measure.passes import ChannelMatch, PassResult
from core.measure.view import View
from core.units.decibel import power_decibels

_MAY_JUMP_DB = -20.0
_BESIDE = (find_width, find_clicks, find_dc)


def explain(
    a: View, b: View, aligned: Alignment, matches: list[ChannelMatch], result: PassResult,
    floor_power: float, search_s: float, progress: Progress, stems: Sequence[View] = (),
    detectors: bool = True,
) -> Explained:  # fmt: skip
    """Find the causes of a residual. `floor_power`: mean square that rounding leaves (of A).

    `stems`: sounds that A is mixed of, on A's clock; a share of theirs that differs is looked for.
    `detectors`: whether it is searched what a gain over time follows.
    """
    reach = max(1, round(search_s * a.rate_hz))
    aa, rr = result.total(kernel.AA), result.total(kernel.RR)
    depth = power_decibels(max(rr / max(aa, 1e-30), 1e-40))
    out = Explained(True, matches)
    if rr <= 0:
        return out
    samples = result.frames * len(matches)
    floor_db = power_decibels(max(floor_power * samples / max(aa, 1e-30), 1e-40))
    if depth < DEEP_DB or depth < floor_db + 1.5:
        return out
    if not related_at_all(a, b, aligned, depth, reach):
        speed = other_speed(a, b, reach)
        out.related = speed is not None
        if speed is not None:
            say_speed(out, *speed)
        return out
    progress(0.05, "following the time")
    live = [k for k in range(len(matches)) if aligned.live[k]] or [0]
    lead = max(live, key=lambda k: float(result.sums[k, kernel.AA]))
    pairs = [(matches[k].a_channel, matches[k].b_channel) for k in live]
    times = follow_times(a, b, pairs, matches[lead].lag, result)
    if times.kind != "drift" and depth > _MAY_JUMP_DB:
        times = with_jumps(a, b, matches[lead], times, result)
    state = read_excerpt(a, b, matches, live, result, times, floor_db, out)
    state.detectors = detectors
    before_time = steady_depth(a, b, matches, live, state)
    if times.kind == "drift":
        say_drift(state, times, a.rate_hz, before_time, depth)
        state.keep("drift")
    elif times.kind == "jumps":
        say_jumps(state, a, b, matches[lead], times, depth, result)
        state.keep("jump")
    progress(0.3, "channels and offsets")
    for look in (partial(find_mix, state, stems), *(partial(f, state) for f in _BESIDE)):
        known = len(out.later)
        look()
        for step, _ in out.later[known:]:
            state.keep(step.code)
    if state.apart:
        take_robust(state, matches, live, 0.0, 0.0)
        out.uncertain = True
        return out
    progress(0.4, "filter, gain and curve")
    find_families(state, times, matches, live, progress)
    progress(0.9, "what is left")
    return out
