"""How settings are laid before a person: which matter most, in what group the others stand, and on
what scale each is drawn.

A scale is the range that people work in; what can be typed goes as far as the field's own limits.
"""

from dataclasses import dataclass
from typing import Literal

from core.routing.document.fields import Parameter, parameters_of
from core.routing.document.kinds.base import Node, Stage

Group = Literal[
    "level", "time", "tone", "dynamics", "sides", "early part", "tail", "decay by octave",
    "modulation", "switching", "role", "gear",
]  # fmt: skip

MAIN: dict[str, tuple[str, ...]] = {
    "source": ("level_dbfs", "crest_db"),
    "compressor": ("threshold_db", "ratio", "attack_ms", "release_ms", "makeup_db"),
    "three_band": ("threshold_db", "ratio", "low_db", "mid_db", "high_db"),
    "ducker": ("depth_db", "attack_ms", "release_ms", "sensitivity_percent"),
    "drive": ("gain_db", "ceiling_dbfs", "output_db"),
    "filter": ("low_cut_hz", "high_cut_hz", "output_db"),
    "swept": ("frequency_hz", "q", "range_oct", "rate_hz", "full_dbfs", "mix_percent"),
    "equaliser": ("low_db", "mid_db", "mid_hz", "mid_q", "high_db"),
    "delay": ("time", "feedback_percent", "mix_percent", "low_cut_hz", "high_cut_hz"),
    "reverb": ("mix_percent", "pre_delay", "rt60_s", "low_cut_hz", "early_db"),
    "convolution": ("mix_percent", "pre_delay", "low_cut_hz"),
    "stand_in": ("time", "rt60_s", "mix_percent", "threshold_db"),
    "chorus": ("mix_percent", "rate_hz", "depth_ms", "centre_ms", "sides_deg"),
    "tremolo": ("rate_hz", "depth_percent", "sides_deg", "output_db"),
    "volume": ("position_percent", "pot_kohm", "output_db"),
    "level": ("level_db", "latency_ms"),
    "fader": ("level_db", "latency_ms"),
    "return": ("level_db", "latency_ms"),
    "ms_encode": ("output_db", "latency_ms"),
    "ms_decode": ("output_db", "latency_ms"),
    "preamp": ("gain_db", "output_db", "latency_ms"),
    "effects_loop": ("gain_db", "output_db", "latency_ms"),
    "power_amp": ("gain_db", "output_db", "latency_ms"),
    "cabinet": ("low_cut_hz", "high_cut_hz", "output_db"),
    "cabinet_model": ("low_cut_hz", "high_cut_hz", "latency_ms"),
    "load_box": ("output_db", "latency_ms"),
    "di": ("output_db", "latency_ms"),
    "reamp": ("output_db", "latency_ms"),
    "outboard": ("latency_ms", "mix_percent", "output_db"),
    "generic": ("gain_db", "latency_ms", "mix_percent"),
    "microphone": ("distance_m", "output_db", "celsius"),
    "air": ("distance_m", "output_db", "celsius"),
    "send": ("level_db",),
    "split": ("balance_percent", "crossover_hz", "upper_hz", "overlap_percent"),
    "merge": ("level_db", "crossfade_percent"),
    "bus": ("level_db",),
    "passive_mixer": ("loss_db",),
    "frame": ("output_db", "latency_ms"),
    "output": ("ceiling_dbfs",),
}
"""The scales that are seen first, by kind, in their order; at most six."""

_GROUPS: dict[Group, tuple[str, ...]] = {
    "level": ("gain_db", "output_db", "level_db", "level_dbfs", "crest_db", "makeup_db", "mix_percent",
              "mix_law", "ceiling_dbfs", "loss_db", "crossfade_percent", "position_percent", "taper",
              "balance_percent", "muted", "depth_percent", "pan_law", "full_dbfs", "threshold_dbfs"),
    "time": ("time", "pre_delay", "latency_ms", "delay_is", "feedback_percent", "hold", "on_change",
             "offset_ms", "mode", "rt60_s", "distance_m", "celsius", "impulse",
             "insert", "insert_percent", "device", "delay_ms"),
    "tone": ("low_cut_hz", "high_cut_hz", "order", "low_db", "low_hz", "mid_db", "mid_hz", "mid_q",
             "high_db", "high_hz", "frequency_hz", "q", "crossover_hz", "upper_hz", "slope",
             "overlap_percent", "swapped", "shape", "valve", "comb_percent", "comb_minus"),
    "dynamics": ("threshold_db", "ratio", "knee_db", "attack_ms", "release_ms", "detector",
                 "up_threshold_db", "up_ratio", "up_most_db", "way", "depth_db", "sensitivity_percent",
                 "follower_gain_db", "below_zero"),
    "sides": ("stereo", "side", "spread", "sides_deg", "channels", "down", "scale", "pan_percent", "width_percent",
              "inverted"),
    "early part": ("early_db", "early_size_percent", "early_low_cut_hz", "early_high_cut_hz",
                   "early_pan_percent", "early_side_db", "early_cross_percent"),
    "tail": ("high_decay_percent", "size_percent", "density_percent", "tail_low_cut_hz",
             "tail_high_cut_hz", "tail_pan_percent", "tail_side_db"),
    "decay by octave": ("rt60_125_s", "rt60_250_s", "rt60_500_s", "rt60_1000_s", "rt60_2000_s",
                        "rt60_4000_s"),
    "modulation": ("dip_time", "dip_shape", "moved_by", "range_oct", "wave", "rate_hz", "cycle", "start_deg", "smooth_percent", "steps", "seed",
                   "depth_ms", "centre_ms", "locked", "level_depth_percent", "level_rate_oct", "mod_rate_hz", "mod_depth_ms",
                   "mod_sides_deg"),
    "switching": ("bypassed", "bypass_is", "trails", "loop", "program", "second_output", "solo_safe",
                  "solo", "places", "first"),
    "role": ("name", "counts_as", "unit"),
    "gear": ("takes", "gives", "current_ma", "supply_v", "width_mm", "depth_mm", "passive", "pickup_h",
             "pickup_kohm", "cable_pf", "pot_kohm"),
}  # fmt: skip
_GROUP_OF: dict[str, Group] = {field: group for group, those in _GROUPS.items() for field in those}
_ELSEWHERE: dict[tuple[str, str], Group] = {
    ("split", "mode"): "tone", ("swept", "mode"): "tone", ("delay", "low_cut_hz"): "tone",
    **{
        (kind, field): "modulation"
        for kind in ("swept", "tremolo", "chorus")
        for field in ("threshold_dbfs", "full_dbfs", "attack_ms", "release_ms")
    },
    ("convolution", "name"): "role",
}  # fmt: skip
"""A word that means another thing in one kind."""

GROUPS: tuple[Group, ...] = tuple(_GROUPS)


def place_of(kind: str, field: str) -> tuple[int, int]:
    """Where a field stands: its group's place, and its own in the group. Raises KeyError."""
    group = group_of(kind, field)
    own = _GROUPS[group]
    return GROUPS.index(group), own.index(field) if field in own else len(own)


def group_of(kind: str, field: str) -> Group:
    """Raises KeyError for a field that nobody gave a group."""
    return _ELSEWHERE.get((kind, field)) or _GROUP_OF[field]


@dataclass(frozen=True)
class Scale:
    """low, high: ends in the field's unit (times in ms). log: equal steps are equal ratios."""

    low: float
    high: float
    log: bool = False


_SCALES: dict[str, Scale] = {
    "time": Scale(1, 2000, True), "cycle": Scale(20, 10_000, True),
    "threshold_dbfs": Scale(-80, 0), "pre_delay": Scale(1, 250, True), "dip_time": Scale(20, 2000, True),
    "rt60_s": Scale(0.2, 10, True), "attack_ms": Scale(0.1, 200, True),
    "release_ms": Scale(5, 2000, True), "rate_hz": Scale(0.05, 20, True),
    "mod_rate_hz": Scale(0.01, 10, True), "offset_ms": Scale(-50, 50), "latency_ms": Scale(0, 50),
    "delay_ms": Scale(0, 50), "feedback_percent": Scale(0, 120), "ratio": Scale(1, 20, True),
    "up_ratio": Scale(1, 20, True), "q": Scale(0.3, 30, True), "mid_q": Scale(0.1, 20, True),
    "threshold_db": Scale(-60, 0), "up_threshold_db": Scale(-80, 0), "level_db": Scale(-30, 12),
    "gain_db": Scale(-24, 36), "output_db": Scale(-24, 24), "makeup_db": Scale(-12, 24),
    "depth_db": Scale(0, 30), "early_db": Scale(-60, 12), "distance_m": Scale(0.01, 20, True),
    "cable_pf": Scale(0, 2000), "pot_kohm": Scale(25, 1000, True), "level_dbfs": Scale(-60, 0),
    "follower_gain_db": Scale(-24, 60), "sensitivity_percent": Scale(0, 400),
    "upper_hz": Scale(200, 20_000, True), "low_cut_hz": Scale(20, 2000, True),
    "high_cut_hz": Scale(500, 20_000, True), "current_ma": Scale(0, 500),
}  # fmt: skip


def scale_of(parameter: Parameter) -> Scale | None:
    """On what a number or a time is drawn; None for what is chosen, switched or written."""
    if parameter.sort not in ("number", "time", "whole"):
        return None
    known = _SCALES.get(parameter.field)
    if known is not None:
        low = known.low if parameter.low is None else max(known.low, parameter.low)
        high = known.high if parameter.high is None else min(known.high, parameter.high)
        return Scale(low, high, known.log)
    if parameter.unit == "Hz":
        return Scale(20, 20_000, True)
    if parameter.unit == "s":
        return Scale(0.1, 10, True)
    if parameter.low is None or parameter.high is None:
        return None
    return Scale(parameter.low, parameter.high)


def main_of(kind: str, model: type[Node]) -> tuple[str, ...]:
    """Fields of a kind that are seen first."""
    known = {p.field for p in parameters_of(model)}
    return tuple(field for field in MAIN.get(kind, ()) if field in known)


def is_shared(model: type[Node], field: str) -> bool:
    """What every stage has, whatever its kind."""
    return issubclass(model, Stage) and field in Stage.model_fields and field != "name"
