"""Stream the sources of a rig through a renderer, with the tail after them."""

import math
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from core.audio.flush import tiny_is_nothing
from core.render.rig import LONGEST_BLOCK, Renderer, RenderError
from core.routing.evaluate.loops import loop_gains
from core.routing.evaluate.network import build_network
from core.routing.plan.model import Plan
from core.units.decibel import amplitude, decibels

SILENT_DB = -80.0
LONGEST_TAIL_S = 30.0
_TAIL_GAP_S = 1.0
"""Silence that a tail may have in it before it begins, or between its early part and the rest."""
LONGEST_HELD_S = 8.0
"""Of a loop that never dies, held by a limiter."""
RUNAWAY_DB = 40.0
_TAIL_STEP_S = 4.0
Progress = Callable[[float], None]

Reader = Callable[[int, int], dict[str, np.ndarray]]
"""Start and count to one (channels, count) per source; silence beyond the end."""
Writer = Callable[[dict[str, np.ndarray]], None]


def _prepared(
    renderer: Renderer, given: Mapping[str, np.ndarray], count: int
) -> dict[str, np.ndarray]:
    """What sources give, as (2, count) each: a mono source from a stereo clip is its mean."""
    plan, out = renderer.plan, {}
    for name, point in plan.sources.items():
        two = np.zeros((2, count))
        sound = given.get(name)
        if sound is not None:
            if not np.isfinite(sound).all():
                raise RenderError("A clip holds samples that are no numbers; it is not rendered.")
            wide = plan.channels[point] == 2
            two[0] = sound[0] if wide or len(sound) == 1 else sound.mean(axis=0)
            if wide:
                two[1] = sound[-1]
        out[name] = two
    return out


def longest_ways(renderer: Renderer) -> tuple[float, float]:
    """Seconds of the slowest way through without going round, and of the slowest lap of a loop."""
    plan = renderer.plan
    longest = max((i.shape[-1] for i in renderer.impulses.values()), default=0)
    tail_s = max(_TAIL_GAP_S, longest / renderer.rate_hz)
    late = [0.0] * plan.points
    for arc in plan.arcs:
        own = plan.loops[arc.target].delay_s if arc.target in plan.loops else 0.0
        own += max((t for _, t in arc.taps), default=0.0)
        own += tail_s if arc.stage is not None and arc.stage.has_tail else 0.0
        late[arc.target] = max(late[arc.target], late[arc.source] + arc.delay_s + own)
    through = max(late, default=0.0)
    laps = [loop.delay_s for loop in plan.loops.values()]
    # Round a cycle: no longer than all the way through and back.
    laps += [through + arc.delay_s for arc in plan.back]
    return through, max(laps, default=0.0)


class NotSilent(Exception):
    """The tail lasts longer than what was to be kept of it."""


def tail_class_s(renderer: Renderer) -> float:
    """Seconds within which a tail should have died away by 80 dB, from decays and loops; in steps, so
    that parts that are kept have few lengths. Up to `LONGEST_TAIL_S`.
    """
    plan = renderer.plan
    if renderer.growing:
        return LONGEST_HELD_S
    late = [0.0] * plan.points
    for arc in plan.arcs:
        loop, own = plan.loops.get(arc.target), max((t for _, t in arc.taps), default=0.0)
        if loop is not None:
            fall = -decibels(max(loop.most, 1e-6))
            own += loop.delay_s * (1 + (-SILENT_DB / fall if fall > 0.1 else 1000))
        rt60 = getattr(arc.stage, "rt60_s", 0.0) if arc.stage is not None else 0.0
        own += rt60 * SILENT_DB / -60
        if arc.stage is not None and arc.stage.has_tail and not rt60:
            own += (
                max((i.shape[-1] for i in renderer.impulses.values()), default=0) / renderer.rate_hz
            )
        late[arc.target] = max(late[arc.target], late[arc.source] + arc.delay_s + own)
    wanted = max(late, default=0.0) + _round_s(plan)
    steps = math.ceil((wanted + _TAIL_GAP_S) / _TAIL_STEP_S)
    return min(LONGEST_TAIL_S, _TAIL_STEP_S * steps)


def _round_s(plan: Plan) -> float:
    """Seconds until what goes round in cycles of the plan has fallen by 80 dB."""
    if not plan.back:
        return 0.0
    laps = []
    for loop in loop_gains(build_network(plan))[0]:
        fall = 0.0 if loop.gain_db is None else -loop.gain_db
        # All that a lap can take: what is longer than the quickest way round.
        lap = max(loop.lap_s, sum(a.delay_s for a in plan.arcs if a.owner in plan.in_cycle))
        laps.append(lap * (1 - SILENT_DB / fall) if fall > 0.1 else LONGEST_TAIL_S)
    return max(laps, default=0.0)


@tiny_is_nothing()
def run(
    renderer: Renderer, read: Reader, frames: int, write: Writer, *, tail_s: float | None = None,
    progress: Progress | None = None, whole_s: float | None = None, most_late: int = 0,
) -> int:  # fmt: skip
    """Stream `frames` samples through a renderer, and the tail after them; returns what was written.

    A loop at or above unity is held at 0 dBFS (`renderer.held_back` says which was) and its tail
    ends after 8 s.

    `write` gets each output as (2, n), latencies taken off. Without `tail_s` the tail goes on until
    it is 80 dB below the loudest, or 30 s. Memory does not grow with the length. Raises RenderError
    for samples that are no numbers, and for what grows all the same.

    whole_s: seconds of tail that parts are kept of; what is written still ends where it is silent.
    Raises NotSilent where that is later. most_late: latency that all parts of a plan are run for.
    """
    late = renderer.latency
    most_late, rate = max([most_late, *late.values()]), renderer.rate_hz
    end = frames + most_late
    most = LONGEST_HELD_S if renderer.growing else LONGEST_TAIL_S
    if whole_s is not None:
        most = min(most, whole_s)
    longest = end + round((most if tail_s is None else tail_s) * rate)
    step = renderer.block * max(1, LONGEST_BLOCK // renderer.block)
    # Outputs that are less late than the slowest wait for it, so that all are written alike.
    waiting = {name: np.zeros((2, 0)) for name in late}
    skip = dict(late)
    loudest, done, written = 0.0, 0, 0
    through, lap = (math.ceil(s * rate) for s in longest_ways(renderer))
    quiet_from, over = 0, False
    while done < longest:
        # A block ends where the clip does: what rings on after it counts for peaks, not for means.
        size = min(step, (frames if done < frames else longest) - done)
        inside = max(0, min(size, frames - done))
        given = read(done, inside) if inside and renderer.listens else {}
        renderer.counting = done < frames
        padded = {n: _stretch(s, size) for n, s in given.items()}
        out = renderer.process(_prepared(renderer, padded, size))
        done += size
        peak = max((max(float(b.max()), -float(b.min())) for b in out.values()), default=0.0)
        loudest = max(loudest, peak)
        if not peak <= amplitude(RUNAWAY_DB):
            raise RenderError(
                "This rig grows without limit. Turn its loops down, then render again."
            )
        for name, block in out.items():
            drop = min(skip[name], block.shape[1])
            skip[name] -= drop
            new = block[:, drop:] if drop else block
            held = waiting[name]
            waiting[name] = np.concatenate([held, new], axis=1) if held.shape[1] else new
        ready = min((w.shape[1] for w in waiting.values()), default=0)
        if peak > loudest * amplitude(SILENT_DB):
            quiet_from = done
        if ready and not over:
            write({name: w[:, :ready] for name, w in waiting.items()})
            waiting = {name: w[:, ready:] for name, w in waiting.items()}
            written += ready
        if progress is not None:
            progress(min(1.0, done / longest))
        # Silence between two repeats is no end: nothing may be under way any more.
        quiet = done >= max(end + through, quiet_from + lap, quiet_from + 1)
        over = over or (tail_s is None and quiet)
        if over and (renderer.keeping is None or not renderer.keeping.keepers):
            break
    free = whole_s is not None and tail_s is None and not renderer.growing
    if free and late and not over and most < LONGEST_TAIL_S:
        raise NotSilent
    return written


def _stretch(sound: np.ndarray, size: int) -> np.ndarray:
    if sound.shape[1] == size:
        return sound
    out = np.zeros((len(sound), size))
    out[:, : sound.shape[1]] = sound
    return out


def render_clip(
    plan: Plan,
    rate_hz: int,
    sources: dict[str, np.ndarray],
    *,
    tail_s: float | None = None,
    progress: Progress | None = None,
    **more: Any,
) -> dict[str, np.ndarray]:
    """Whole sources of (channels, n) in; each output as (2, n + tail), latencies taken off.

    A mono signal travels in the left channel; a mono output has it there. `more` goes to the
    Renderer. Raises RenderError, also for samples that are no numbers and for unlike lengths.
    """
    if set(sources) - set(plan.sources):
        raise RenderError("A clip was given for a source that the rig does not have.")
    lengths = {s.shape[1] for s in sources.values()}
    if len(lengths) != 1 or 0 in lengths:
        raise RenderError("The clips for the sources need to be equally long, and not empty.")
    parts: dict[str, list[np.ndarray]] = {name: [] for name in plan.outputs}

    def write(blocks: dict[str, np.ndarray]) -> None:
        for name, block in blocks.items():
            parts[name].append(block)

    run(
        Renderer(plan, rate_hz, **more),
        lambda start, count: {n: s[:, start : start + count] for n, s in sources.items()},
        next(iter(lengths)), write, tail_s=tail_s, progress=progress,
    )  # fmt: skip
    return {name: np.concatenate(p, axis=1) for name, p in parts.items()}
