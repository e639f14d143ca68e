"""What each family of stages becomes in the plan: one entry a kind in a table."""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from core.blend import law_gains
from core.routing.document import kinds as k
from core.routing.document.rig import RigError
from core.routing.plan import responses as rs
from core.routing.plan.delays import expand_delay
from core.routing.plan.model import UNIT, Matrix, scaled, times
from core.routing.plan.spread import (
    Spread,
    TailSettings,
    chorus,
    dipping,
    impulse,
    swept,
    tail,
    tremolo,
    unknown_impulse,
)
from core.routing.plan.waves import apart_of
from core.units.decibel import db_gain

if TYPE_CHECKING:
    from core.routing.plan.build import Builder

_MS_SCALE = {"half": 0.5, "one": 1.0, "root-half": math.sqrt(0.5)}
_STAND_IN_FEEDBACK = 0.35


@dataclass(frozen=True, slots=True)
class Work:
    """What a stage does to its processed signal."""

    matrix: Matrix = UNIT
    delay_s: float = 0.0
    shape: rs.Shaped | None = None
    spread: Spread | None = None
    taps: tuple[tuple[float, float], ...] = ((1.0, 0.0),)
    own_lines: int = 0


Expansion = Callable[["Builder", Any, int], Work]
_TABLE: dict[type[k.Stage], Expansion] = {}


def _kind(*kinds: type[k.Stage]) -> Callable[[Expansion], Expansion]:
    def register(work: Expansion) -> Expansion:
        for one in kinds:
            _TABLE[one] = work
        return work

    return register


def expand_stage(
    b: "Builder", node: k.Stage, fed: int, out: int, after: float, *, opened: bool
) -> None:
    """Arcs of a sounding stage. `after` is its output gain with its polarity; `opened` says that
    two equal sides were made of one before it.
    """
    late = node.latency_ms / 1e3
    # A latency that the person calls intended is left alone like any wanted delay.
    wanted = late if node.delay_is == "intended" else 0.0
    shape = scaled(UNIT, after)
    if isinstance(node, k.Delay):
        expand_delay(b, node, fed, out, shape, late, wanted, opened=opened)
        return
    if isinstance(node, k.Frame):
        _frame(b, node, fed, out, shape, late, wanted)
        return
    known = _TABLE.get(type(node))
    work = known(b, node, fed) if known is not None else Work()
    stage = node if node.has_processor else None
    moved = work.delay_s if node.delay_is != "latency" else 0.0
    if isinstance(node, k.Mixed):
        dry, wet = law_gains(node.mix_law, node.mix_percent / 100)
        b.arc(
            fed, out, scaled(shape, dry), node.id, delay_s=late, wanted_s=wanted,
            leak=node.mix_percent > 0,
        )  # fmt: skip
        b.arc(
            fed, out, times(scaled(shape, wet), work.matrix), node.id,
            delay_s=late + work.delay_s, wanted_s=wanted + moved,
            wet=node.counts_as == "wet" or (node.wet_by_nature and node.counts_as == "auto"),
            shape=work.shape, stage=stage, spread=work.spread, taps=work.taps,
            own_lines=work.own_lines,
        )  # fmt: skip
        return
    spent = wanted + (work.delay_s if node.delay_is == "intended" else 0.0)
    b.arc(
        fed, out, times(shape, work.matrix), node.id, delay_s=late + work.delay_s, wanted_s=spent,
        wet=node.counts_as == "wet", shape=work.shape, stage=stage, spread=work.spread,
        taps=work.taps,
    )  # fmt: skip


# Gains -----------------------------------------------------------------------------------------
@_kind(k.Level, k.Fader, k.Return)
def _level(b: "Builder", node: Any, fed: int) -> Work:
    return Work(scaled(UNIT, 0.0 if node.muted else db_gain(node.level_db)))


@_kind(k.Preamp, k.EffectsLoop, k.PowerAmp, k.Generic)
def _gain(b: "Builder", node: Any, fed: int) -> Work:
    return Work(scaled(UNIT, db_gain(node.gain_db)))


@_kind(k.VolumePedal)
def _pedal(b: "Builder", node: k.VolumePedal, fed: int) -> Work:
    from core.routing.plan.build import taper_gain

    return Work(scaled(UNIT, taper_gain(node.position_percent / 100, node.taper)))


@_kind(k.MidSideEncoder, k.MidSideDecoder)
def _coder(b: "Builder", node: Any, fed: int) -> Work:
    scale = _MS_SCALE[node.scale]
    return Work((scale, scale, scale, -scale))


@_kind(k.Microphone, k.Air)
def _air(b: "Builder", node: Any, fed: int) -> Work:
    from core.routing.plan.build import speed_of_sound

    return Work(delay_s=node.distance_m / speed_of_sound(node.celsius))


# Tone ------------------------------------------------------------------------------------------
@_kind(k.Filter)
def _filter(b: "Builder", node: k.Filter, fed: int) -> Work:
    return Work(shape=rs.cuts(node.low_cut_hz, node.high_cut_hz, node.order))


@_kind(k.Cabinet, k.CabinetModel)
def _cabinet(b: "Builder", node: Any, fed: int) -> Work:
    return Work(shape=rs.cuts(node.low_cut_hz, node.high_cut_hz, 2))


@_kind(k.Equaliser)
def _equaliser(b: "Builder", node: k.Equaliser, fed: int) -> Work:
    return Work(
        shape=rs.three_bands(
            node.low_db,
            node.low_hz,
            node.mid_db,
            node.mid_hz,
            node.mid_q,
            node.high_db,
            node.high_hz,
        )  # fmt: skip
    )


def comb_taps(frequency_hz: float, back: float, sign: int = 1) -> tuple[tuple[float, float], ...]:
    """Gains and times (s) of a comb with peaks of gain 1: notches at odd multiples of a frequency, or
    (sign -1) at even ones. What it gives back is followed until it is 60 dB down.
    """
    late, start = 1 / (2 * frequency_hz), rs.comb_start(back, sign)
    taps, gain = [(start, 0.0)], start * (sign + back)
    for lap in range(1, _MOST_TAPS):
        taps.append((gain, lap * late))
        gain *= back
        if abs(gain) < 1e-3 * start:
            break
    return tuple(taps)


_MOST_TAPS = 160
"""Until 95 % have fallen by 60 dB, and some."""


@_kind(k.Swept)
def _swept(b: "Builder", node: k.Swept, fed: int) -> Work:
    comb = rs.comb_of(node.q, node.comb_percent, node.comb_minus)
    moved = None
    if node.moved_by == "lfo":
        wave = b.turning(node, fed)
        moved = swept(
            node.mode, node.frequency_hz, node.q, node.range_oct, wave, apart_of(node), comb
        )
    if node.mode == "comb":
        return Work(spread=moved) if moved else Work(taps=comb_taps(node.frequency_hz, *comb))
    at_rest = rs.shaped((rs.Section(node.mode, node.frequency_hz, q=node.q),))
    return Work(shape=at_rest, spread=moved)


# Space -----------------------------------------------------------------------------------------
@_kind(k.Reverb)
def _reverb(b: "Builder", node: k.Reverb, fed: int) -> Work:
    wanted = b.plan.times_s[node.id] = b.seconds(node.pre_delay, node)
    sides = b.plan.channels[fed]
    if sides == 1:
        b.idle(node.id, *_sided(node))
    settings = TailSettings(
        rt60_s=node.rt60_s, high_share=node.high_decay_percent / 100,
        octaves_s=(
            node.rt60_125_s, node.rt60_250_s, node.rt60_500_s, node.rt60_1000_s, node.rt60_2000_s,
            node.rt60_4000_s,
        ),
        swing=0.0 if node.locked else node.mod_depth_ms * node.mod_rate_hz,
        size=node.size_percent / 100, early_db=node.early_db,
        early_size=node.early_size_percent / 100,
        early=(
            node.early_low_cut_hz, node.early_high_cut_hz, node.early_pan_percent,
            node.early_side_db, node.early_cross_percent,
        ),
        tail=(
            node.tail_low_cut_hz, node.tail_high_cut_hz, node.tail_pan_percent, node.tail_side_db,
            0.0,
        ),
        density=node.density_percent / 100, sides=sides,
    )  # fmt: skip
    own = b.own_lines(settings, fed)
    return Work(
        delay_s=wanted, shape=rs.cuts(node.low_cut_hz, None, 2),
        spread=tail(replace(settings, own_lines=own)), own_lines=own,
    )  # fmt: skip


_SIDED = {
    "early_pan_percent": "early pan", "early_side_db": "early side",
    "early_cross_percent": "early cross-talk", "tail_pan_percent": "tail pan",
    "tail_side_db": "tail side", "mod_sides_deg": "sides apart",
}  # fmt: skip


def _sided(node: k.Reverb) -> list[str]:
    return [label for field, label in _SIDED.items() if getattr(node, field)]


@_kind(k.Convolution)
def _convolution(b: "Builder", node: k.Convolution, fed: int) -> Work:
    wanted = b.plan.times_s[node.id] = b.seconds(node.pre_delay, node)
    known = b.context.impulses.get(node.impulse or "")
    spread = unknown_impulse() if known is None else impulse(known, b.plan.channels[fed])
    return Work(delay_s=wanted, shape=rs.cuts(node.low_cut_hz, None, 2), spread=spread)


@_kind(k.StandIn)
def _stand_in(b: "Builder", node: k.StandIn, fed: int) -> Work:
    """By its label, as the plan has to take it: what it truly does is heard."""
    if node.device in k.STAND_IN_DELAYS:
        time = b.seconds(node.time, node)
        if time <= 0:
            raise RigError(f"{node.shown}: a delay time must be above 0 ms.", part=node.time)
        b.plan.times_s[node.id] = time
        repeats = tuple((_STAND_IN_FEEDBACK**n, n * time) for n in range(8))
        return Work(delay_s=time, taps=repeats)
    if node.device == "reverb":
        settings = TailSettings(rt60_s=node.rt60_s, sides=b.plan.channels[fed])
        own = b.own_lines(settings, fed)
        return Work(spread=tail(replace(settings, own_lines=own)), own_lines=own)
    return Work(delay_s=k.LOOP_LABEL_S if node.device == "loop" else 0.0)


# Movement --------------------------------------------------------------------------------------
@_kind(k.Chorus)
def _chorus(b: "Builder", node: k.Chorus, fed: int) -> Work:
    if b.plan.channels[fed] == 1 and node.spread:
        b.idle(node.id, "spread")
    wave = b.turning(node, fed)
    return Work(
        delay_s=node.centre_ms / 1e3, spread=chorus(node.depth_ms / 1e3, wave, apart_of(node))
    )


@_kind(k.Tremolo)
def _tremolo(b: "Builder", node: k.Tremolo, fed: int) -> Work:
    wave = b.turning(node, fed)
    return Work(spread=tremolo(node.depth_percent / 100, wave, apart_of(node)))


@_kind(k.Ducker)
def _ducker(b: "Builder", node: k.Ducker, fed: int) -> Work:
    if node.way != "shape":
        return Work()
    dip = b.seconds(node.dip_time, node)
    if dip <= 0:
        raise RigError(f"{node.shown}: a dip must last longer than 0 ms.", part=node.dip_time)
    b.plan.times_s[node.id] = dip
    return Work(spread=dipping(node.depth_db, b.turning(node, fed, dip), apart_of(node)))


# The insert frame ------------------------------------------------------------------------------
def _frame(
    b: "Builder", node: k.Frame, here: int, out: int, shape: Matrix, late: float, wanted: float
) -> None:
    """What the line of a frame calls at, dry paths laid round some of it."""
    at = here
    for place in node.calls:
        standing = node.standing(place)
        assert standing is not None
        stage = standing.model_copy(update={"id": node.id})
        section = node.section_at(place)
        _, end = b.through(stage, at)
        if section is not None:
            dry, wet = law_gains("linear", section.mix_percent / 100)
            level = db_gain(section.level_db)
            both = b.point(b.plan.channels[end])
            came = b.plan.channels[at]
            beside = UNIT if came == b.plan.channels[end] else _between(came)
            b.arc(at, both, scaled(beside, dry * level), node.id)
            b.arc(end, both, scaled(UNIT, wet * level), node.id)
            b.plan.sections[f"{node.id}@{place}"] = (both, at)
            end = both
        at = end
    last = UNIT if b.plan.channels[at] == b.plan.channels[out] else _between(b.plan.channels[at])
    b.arc(at, out, times(shape, last), node.id, delay_s=late, wanted_s=wanted)


def _between(came: int) -> Matrix:
    from core.routing.plan.build import DOWN, OPENED

    return OPENED if came == 1 else DOWN["sum"]
