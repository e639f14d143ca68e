"""What a stage does that goes by a level: its gain while that level goes up and down."""

import math

import numpy as np

from core.errors import FonodromeError
from core.render.processors.base import Setting, one_pole
from core.render.processors.ducker import DuckerWork
from core.render.processors.fast import follow
from core.routing.document import kinds as k
from core.routing.plan.cells import pink
from core.routing.plan.laws import Heard, operate
from core.routing.plan.model import Plan
from core.space.gaps import FRAME_S
from core.units.decibel import amplitude, decibels, gain_db, power_of

_SLOW_HZ = 1000
_SIZE_OF_RMS = math.sqrt(2 / math.pi)
"""Mean size of a normal process of unit RMS: what a rectifier reads."""
_GRID_DB = np.arange(-90.0, 13.0, 3.0)
_SETTLE_S = 1.0


def listened_to(plan: Plan, node: k.Stage) -> int:
    """The point whose level a stage goes by. Raises FonodromeError where it goes by none."""
    tap = plan.keys.get(node.id)
    if tap is None and isinstance(node, k.Ducker):
        raise FonodromeError(f"{node.shown} has no key: nothing turns it down.")
    point = next((a.source for a in plan.arcs if a.stage is node), None) if tap is None else tap
    if point is None:
        raise FonodromeError(f"Nothing comes into {node.shown}.")
    return point


def gain_by_level(node: k.Stage, level_dbfs: np.ndarray) -> np.ndarray:
    """Gain (linear, make-up left out) every 10 ms of a ducker or compressor, of the level that it goes by
    (RMS, every 10 ms). Raises FonodromeError for another stage.
    """
    if isinstance(node, k.Ducker) and node.way == "shape":
        raise FonodromeError(f"{node.shown} dips in time, whatever sounds: it has no key.")
    if not isinstance(node, (k.Ducker, k.Compressor)):
        raise FonodromeError(f"{node.shown} is neither a ducker nor a compressor.")
    frames = round(FRAME_S * _SLOW_HZ)
    if isinstance(node, k.Ducker):
        size = _SIZE_OF_RMS if node.way == "envelope" else 1.0
        heard = np.repeat(amplitude(np.asarray(level_dbfs, float)) * size, frames)[None, :]
        # As a render has it: a key sounds above 40 dB below full scale.
        work = DuckerWork(node, Setting(_SLOW_HZ))
        gain = np.abs(np.asarray(work.gain(heard), float).reshape(-1))
    else:
        taken = np.repeat(np.interp(level_dbfs, _GRID_DB, _taken(node)), frames)
        gain = amplitude(-_followed(taken, node.attack_ms, node.release_ms))
    return np.asarray(gain.reshape(-1, frames).mean(axis=1), float)


def opened_db(plan: Plan, node: k.Stage, after_s: float) -> float:
    """How far (dB) a keyed stage has opened so long after its key has ended, against what it does while the
    key sounds at nominal level. 0 for what has no key.
    """
    tap = plan.keys.get(node.id)
    keyed = isinstance(node, k.Compressor) or (isinstance(node, k.Ducker) and node.way != "shape")
    if tap is None or not keyed:
        return 0.0
    level = plan.carried[tap].level_dbfs
    if level is None:
        return 0.0
    sounds, rests = round(_SETTLE_S / FRAME_S), round(max(0.0, after_s) / FRAME_S)
    curve = gain_by_level(node, np.concatenate([np.full(sounds, level), np.full(rests, -120.0)]))
    down, back = (max(float(v), 1e-6) for v in (curve[sounds - 1], curve[-1]))
    return float(decibels(back / down))


def _taken(node: k.Compressor) -> np.ndarray:
    """Static gain reduction (dB) over the grid of levels, for sound like the plan's."""
    found = []
    for level in _GRID_DB:
        power = power_of(float(level))
        heard = Heard(power, power, 1.0, cells=pink().weights * power)
        found.append(node.makeup_db - gain_db(max(operate(node, heard, None).rms)))
    return np.maximum(np.array(found), 0.0)


def _followed(taken: np.ndarray, attack_ms: float, release_ms: float) -> np.ndarray:
    """One pole each for more and for less reduction."""
    out = np.ascontiguousarray(taken, np.float32)
    start = float(out[0]) if len(out) else 0.0
    follow(out, out, one_pole(attack_ms, _SLOW_HZ), one_pole(release_ms, _SLOW_HZ), start)
    return out.astype(float)
