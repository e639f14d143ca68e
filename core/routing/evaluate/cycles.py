"""What a stage that goes round by itself does over its cycle, to be drawn."""

from collections.abc import Iterator

import numpy as np
from pydantic import Field

from core.edge import Edge
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.plan.model import Plan
from core.routing.plan.spread import LOWEST_HZ, TOP_HZ
from core.routing.plan.waves import CYCLE, Wave, apart_of, wave_of

_POINTS, _SHOWN, _SHOWN_HELD = 401, 2, 6


class CycleOut(Edge):
    """Two cycles from where the song begins (six of sample and hold), at even times."""

    seconds: float = Field(description="Of what is shown")
    cycle_s: float
    unit: str = Field(description="%: share of the level that passes; dB; ms late; Hz")
    left: list[float]
    right: list[float] | None = Field(description="None where both sides go together")


def _stages(rig: Rig) -> Iterator[k.Waved]:
    for node in rig.nodes.values():
        for stage in (node, *(node.running() if isinstance(node, k.Frame) else ())):
            if isinstance(stage, k.Waved):
                yield stage


def _does(stage: k.Waved, wave: Wave, turns: np.ndarray) -> tuple[str, np.ndarray] | None:
    if isinstance(stage, k.Tremolo):
        return "%", 100 - stage.depth_percent * (1 - wave.level(turns))
    if isinstance(stage, k.Ducker) and stage.way == "shape":
        return "dB", -stage.depth_db * wave.level(turns)
    if isinstance(stage, k.Chorus):
        return "ms", np.maximum(0.0, stage.centre_ms + stage.depth_ms * wave.swing(turns))
    if isinstance(stage, k.Swept) and stage.moved_by == "lfo":
        hz = stage.frequency_hz * 2 ** (stage.range_oct * wave.swing(turns))
        return "Hz", np.clip(hz, LOWEST_HZ, TOP_HZ)
    return None


def cycles_of(rig: Rig, plan: Plan) -> dict[str, CycleOut]:
    """By stage; of what the level moves besides: as it is at a full level's depth and resting rate."""
    found = {}
    for stage in _stages(rig):
        own = "" if isinstance(stage, k.Ducker) else CYCLE
        wave = wave_of(stage, plan.times_s.get(stage.id + own))
        shown = _SHOWN_HELD if wave.shape == "sample-and-hold" else _SHOWN
        turns = shown * np.arange(_POINTS) / (_POINTS - 1) + stage.start_deg / 360
        ahead = apart_of(stage)
        left = _does(stage, wave, turns)
        if left is None:
            continue
        right = _does(stage, wave, turns + ahead) if ahead else None
        found[stage.id] = CycleOut(
            seconds=shown / wave.rate_hz, cycle_s=1 / wave.rate_hz, unit=left[0],
            left=left[1].round(4).tolist(), right=right[1].round(4).tolist() if right else None,
        )  # fmt: skip
    return found
