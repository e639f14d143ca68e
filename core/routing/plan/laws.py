"""What depends on level: compressors, duckers, drives at the level and crest that arrive.

A level is a distribution of sample values: that of a normal process, stretched in dB where the
crest is not that of noise. A detector that goes up with one time constant and comes back with
another settles where `up E[(w - r)+] = down E[(r - w)+]`: what a peak detector reads lies well above
the RMS value, the more the slower it comes back.
"""

import math
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
import scipy

from core.blend import compressed_db, lift_db
from core.routing.document import kinds as k
from core.routing.plan import responses as rs
from core.routing.plan.cells import CREST_DB, MIDDLE_HZ
from core.routing.plan.distortion import spectrum_made
from core.routing.plan.spread import Spread, _even, chorus, steady, tremolo
from core.routing.plan.spread import swept as swinging_filter
from core.routing.plan.waves import apart_of, depth_share, follow_share, wave_of
from core.units.decibel import SILENT_DB, db_gain, decibels, gain_db, power_db

RATE_HZ = 48_000.0
_STEPS = 160
_HOLD_S = 0.06
_QUIET_DB = -120.0
_LITTLE = 1e-5
"""Distortion below this share is left where it came in."""
_SQUARE_DB = 2.1
"""A square wave's own pitch reaches `4 / pi` above its top."""
RINGING = 1.65
"""What the filters round a shaper add to its flat tops."""


@dataclass(frozen=True)
class Heard:
    """What arrives: power of each side, how alike they are (-1 to 1), crest in dB, and the power of
    the louder side over the cells where it is asked for.
    """

    left: float
    right: float
    alike: float = 1.0
    crest_db: float = CREST_DB
    cells: np.ndarray | None = None

    @property
    def level_db(self) -> float:
        return power_db(max(self.left, self.right))


@lru_cache(maxsize=64)
def sizes(crest_db: float, voices: float = 1.0) -> np.ndarray:
    """Sizes of samples (rising, equally likely) of unit RMS; the largest of `voices` unlike sides.

    Those of a normal process: stretched in dB for a crest above that of noise, cut off at the top for
    one below it.
    """
    chance = ((np.arange(_STEPS) + 0.5) / _STEPS) ** (1 / voices)
    plain = math.sqrt(2) * scipy.special.erfinv((np.arange(_STEPS) + 0.5) / _STEPS)
    found = math.sqrt(2) * scipy.special.erfinv(chance)
    if crest_db >= CREST_DB:
        stretch = crest_db / CREST_DB
        return found**stretch / math.sqrt(float(np.mean(plain ** (2 * stretch))))
    top = _cut_at(crest_db)
    cut = np.minimum(plain, top)
    return np.minimum(found, top) / math.sqrt(float(np.mean(cut * cut)))


@lru_cache(maxsize=256)
def _cut_at(crest_db: float) -> float:
    """Where noise of unit RMS is cut off to have a crest."""
    plain = math.sqrt(2) * scipy.special.erfinv((np.arange(_STEPS) + 0.5) / _STEPS)

    def crest(top: float) -> float:
        return decibels(top / math.sqrt(float(np.mean(np.minimum(plain, top) ** 2)))) - crest_db

    low, high = 1e-3, float(plain[-1])
    if crest(high) <= 0:
        return high
    return low if crest(low) >= 0 else float(scipy.optimize.brentq(crest, low, high, xtol=1e-4))


def settled(wanted: np.ndarray, up: float, down: float) -> float:
    """Where a follower of `wanted` (rising, equally likely) comes to rest.

    up and down are its shares of the way a sample; in between values straight.
    """
    count = len(wanted)
    total = np.concatenate([[0.0], np.cumsum(wanted)])
    below = np.arange(count + 1)
    rest = (up * (total[-1] - total) + down * total) / (up * (count - below) + down * below)
    # The one that lies between its neighbours.
    floor = np.concatenate([[-np.inf], wanted])
    roof = np.concatenate([wanted, [np.inf]])
    found = np.flatnonzero((rest >= floor - 1e-12) & (rest <= roof + 1e-12))
    return float(rest[found[0]]) if len(found) else float(wanted.mean())


def _share(time_ms: float) -> float:
    return 1 - math.exp(-1 / (time_ms / 1e3 * RATE_HZ))


def _voices(heard: Heard) -> float:
    """How many unlike sides a detector of the louder one chooses between, 1 to 2."""
    low, high = sorted((heard.left, heard.right))
    if high <= 0 or low <= 0:
        return 1.0
    return round(1 + (1 - abs(heard.alike)) * low / high, 1)


@lru_cache(maxsize=4096)
def _reduction_db(
    level_db: float, crest_db: float, voices: float, threshold_db: float, ratio: float,
    knee_db: float, attack_ms: float, release_ms: float, detector: str,
) -> float:  # fmt: skip
    spread = sizes(crest_db, voices)
    if detector == "rms":
        level = level_db + power_db(float(np.mean(spread**2)))
        return level - compressed_db(level, threshold_db, ratio, knee_db)
    level = level_db + decibels(np.maximum(spread, 1e-6))
    over = level - threshold_db + knee_db / 2
    inside = np.clip(over, 0, knee_db)
    bend = inside**2 / (2 * knee_db) if knee_db > 1e-3 else 0 * inside
    taken = (1 - 1 / ratio) * (bend + np.maximum(over - knee_db, 0))
    return settled(taken, _share(attack_ms), _share(release_ms))


def compressor(node: k.Compressor, heard: Heard) -> Spread:
    """Both sides turned down together, by what settles at this level."""
    makeup = db_gain(node.makeup_db)
    taken = 0.0
    if heard.level_db > _QUIET_DB:
        taken = _reduction_db(
            round(heard.level_db, 3), round(heard.crest_db, 1), _voices(heard), node.threshold_db,
            node.ratio, node.knee_db, node.attack_ms, node.release_ms, node.detector,
        )  # fmt: skip
    gain = db_gain(node.makeup_db - taken)
    loud = heard.level_db + heard.crest_db
    most = loud - compressed_db(loud, node.threshold_db, node.ratio, node.knee_db)
    return Spread(
        gain=(gain, gain), rms=(gain, gain), most=makeup, loudest=makeup,
        range_db=(node.makeup_db, node.makeup_db - max(most, taken)),
    )  # fmt: skip


def shaped(shape: str, x: np.ndarray, ceiling: float) -> np.ndarray:
    """What a drive's shaper makes of sizes x (0 or more)."""
    if shape == "soft":
        return ceiling * np.tanh(x / ceiling)
    if shape == "hard":
        return np.minimum(x, ceiling)
    return ceiling * 2 / math.pi * np.arcsin(np.sin(math.pi / 2 * x / ceiling))


@lru_cache(maxsize=4096)
def _driven(
    level_db: float, crest_db: float, gain: float, shape: str, ceiling: float
) -> tuple[float, float]:
    """What stays in step (a gain), and the power of what is new against the power that came in."""
    x = sizes(crest_db) * db_gain(level_db)
    y = shaped(shape, gain * x, ceiling)
    power = float(np.mean(x * x))
    kept = float(np.mean(x * y)) / power
    return kept, max(0.0, float(np.mean(y * y)) / power - kept * kept)


def drive(node: k.Drive, heard: Heard) -> Spread:
    """Each side by itself: what is left in step, and distortion as diffuse power."""
    lift, ceiling = db_gain(node.gain_db), db_gain(node.ceiling_dbfs)
    found = []
    # A side on which nothing is counts as the other: what there is of it goes the same way.
    top = max(heard.left, heard.right)
    for power in (heard.left or top, heard.right or top):
        level = power_db(power)
        if level <= _QUIET_DB:
            found.append((lift, 0.0))
            continue
        found.append(_driven(round(level, 3), round(heard.crest_db, 1), lift, node.shape, ceiling))
    (left, extra_left), (right, extra_right) = found
    colour = None
    # The spectrum is the louder side's, and so is how much of it is new.
    kept, extra = found[heard.right > heard.left]
    if heard.cells is not None and extra > _LITTLE * kept**2:
        share = extra / (kept**2 + extra)
        swing = math.pi / 2 * lift * math.sqrt(top) / ceiling
        colour, passed = spectrum_made(heard.cells, node.shape, round(share, 3), swing)
        extra_left, extra_right = extra_left * passed, extra_right * passed
    kernel = None
    if extra_left or extra_right:
        kernel = _even(extra_left)
        kernel[1, 1] = extra_right
        kernel[2, 2] = kernel[3, 3] = math.sqrt(extra_left * extra_right)
    loud = db_gain(heard.level_db + heard.crest_db)
    floor = (
        gain_db(float(shaped(node.shape, np.array([lift * loud]), ceiling)[0]) / loud)
        if loud
        else node.gain_db
    )
    return Spread(
        gain=(left, right), kernel=kernel, colour=colour,
        rms=(math.sqrt(left**2 + extra_left), math.sqrt(right**2 + extra_right)), most=lift,
        loudest=lift, ceiling=ceiling * RINGING, range_db=(node.gain_db, floor),
    )  # fmt: skip


def _bands(node: k.ThreeBand) -> np.ndarray:
    """(3, CELLS) of the low, mid and high band's complex responses."""
    high_hz = max(node.high_hz, node.low_hz * 1.5)
    low, above = rs.linkwitz_riley(24, node.low_hz, MIDDLE_HZ)
    below, high = rs.linkwitz_riley(24, high_hz, MIDDLE_HZ)
    # The low band passes the upper crossover's all-pass, so that the three add up flat.
    return np.array([low * (below + high), above * below, above * high])


def three_band(node: k.ThreeBand, heard: Heard) -> Spread:
    """Each band at its own level; its level is held over 60 ms, so it reads near its peaks."""
    bands = _bands(node)
    gains, most, least, reach = [], [], [], []
    for band, trim in zip(bands, (node.low_db, node.mid_db, node.high_db), strict=True):
        share = np.abs(band) ** 2
        power = 0.0 if heard.cells is None else float((share * heard.cells).sum())
        lift = 0.0
        if power > 1e-12 and heard.cells is not None:
            centre = float((MIDDLE_HZ * share * heard.cells).sum() / power)
            peaks = max(2.0, 2 * centre * _HOLD_S)
            # Expected largest of so many, come down a little between them.
            read = power_db(power) + gain_db(0.88 * math.sqrt(2 * math.log(peaks) + 0.6))
            # A band of what is flat on top has peaks of its own, up to those of a square wave's.
            whole = power_db(float(heard.cells.sum())) + heard.crest_db
            lift = _lift(node, min(read, whole + _SQUARE_DB))
        gains.append(db_gain(trim + lift))
        reach += [trim + _lift(node, x) for x in range(-68, 1, 4)]
        most.append(db_gain(trim + node.up_most_db))
        least.append(db_gain(trim))
    shape = np.einsum("b,bc->c", np.array(gains), bands)
    power = np.abs(shape) ** 2
    total = float(heard.cells.sum()) if heard.cells is not None else 0.0
    rms = (
        math.sqrt(float((power * heard.cells).sum()) / total)
        if heard.cells is not None and total > 1e-12
        else 1.0
    )
    return Spread(
        shape=shape, rms=(rms, rms), most=max(most), loudest=max(*gains, *least),
        range_db=(min(reach), max(reach)),
    )  # fmt: skip


def _lift(node: k.ThreeBand, level: float) -> float:
    return lift_db(
        level, node.threshold_db, node.ratio, node.up_threshold_db, node.up_ratio, node.up_most_db
    )


def ducker(node: k.Ducker, key: Heard | None) -> Spread:
    """At its depth while the key sounds; open where nothing keys it."""
    if key is None or key.level_db <= _QUIET_DB:
        return steady(1.0)
    if node.way == "key":
        gain = db_gain(-node.depth_db)
    else:
        size = sizes(round(key.crest_db, 1), _voices(key)) * db_gain(key.level_db)
        envelope = settled(size, _share(node.attack_ms), _share(node.release_ms))
        gain = 1 - node.sensitivity_percent / 100 * min(
            1.0, db_gain(node.follower_gain_db) * envelope
        )
        gain = gain if node.below_zero else max(0.0, gain)
    low = gain_db(gain)
    return Spread(
        gain=(gain, gain), rms=(abs(gain), abs(gain)), most=1.0, loudest=1.0,
        range_db=(0.0, max(low, SILENT_DB)),
    )  # fmt: skip


def swept(node: k.Swept, heard: Heard) -> Spread:
    """A filter that the level moves, where it comes to rest."""
    size = sizes(round(heard.crest_db, 1)) * db_gain(heard.level_db)
    envelope = settled(size, _share(node.attack_ms), _share(node.release_ms))
    gone = float(follow_share(envelope, node.threshold_dbfs, node.full_dbfs))
    hz = node.frequency_hz * 2 ** (node.range_oct * gone)
    if node.mode == "comb":
        return Spread(range_db=(-6.0, 0.0))
    shape = rs.resonant(node.mode, min(hz, 0.45 * RATE_HZ), node.q, MIDDLE_HZ)
    power = np.abs(shape) ** 2
    rms = 1.0
    if heard.cells is not None and heard.cells.sum() > 1e-12:
        rms = math.sqrt(float((power * heard.cells).sum() / heard.cells.sum()))
    top = float(np.abs(shape).max())
    return Spread(
        shape=shape, rms=(rms, rms), most=max(1.0, node.q), loudest=top, range_db=(-6.0, 0.0)
    )


def turning(stage: k.Oscillated, heard: Heard) -> Spread:
    """A stage whose oscillator the level moves: its depth where it comes to rest."""
    size = sizes(round(heard.crest_db, 1)) * db_gain(heard.level_db)
    envelope = settled(size, _share(stage.attack_ms), _share(stage.release_ms))
    gone = follow_share(envelope, stage.threshold_dbfs, stage.full_dbfs)
    share = round(float(depth_share(gone, stage.level_depth_percent)), 3)
    wave, apart = wave_of(stage), apart_of(stage)
    if isinstance(stage, k.Tremolo):
        depth = stage.depth_percent / 100
        ends = [
            gain_db(tremolo(depth * float(depth_share(e, stage.level_depth_percent)), wave).rms[0])
            for e in (0.0, 1.0)
        ]
        found = tremolo(depth * share, wave, apart)
        return replace(found, range_db=(min(ends), max(ends)))
    if isinstance(stage, k.Chorus):
        return replace(chorus(stage.depth_ms / 1e3 * share, wave, apart), range_db=(0.0, 0.0))
    assert isinstance(stage, k.Swept)
    comb = rs.comb_of(stage.q, stage.comb_percent, stage.comb_minus)
    reach = stage.range_oct * share
    found = swinging_filter(stage.mode, stage.frequency_hz, stage.q, reach, wave, apart, comb)
    return replace(found, range_db=(-6.0, 0.0))


def operate(stage: k.Stage, heard: Heard, key: Heard | None) -> Spread:
    """A stage that depends on level, at a level. `key` is what it listens to where that is another."""
    if isinstance(stage, k.Compressor):
        return compressor(stage, heard if key is None else key)
    if isinstance(stage, k.Drive):
        return drive(stage, heard)
    if isinstance(stage, k.ThreeBand):
        return three_band(stage, heard)
    if isinstance(stage, k.Ducker):
        return ducker(stage, key)
    if isinstance(stage, k.Oscillated) and getattr(stage, "moved_by", "lfo") == "lfo":
        return turning(stage, heard if key is None else key)
    if isinstance(stage, k.Swept):
        return swept(stage, heard if key is None else key)
    if isinstance(stage, k.StandIn):
        label = k.Compressor(id=stage.id, threshold_db=stage.threshold_db, ratio=k.LOOP_RATIO)
        return compressor(label, heard)
    return steady(1.0)


def needs_cells(stage: k.Stage) -> bool:
    """Whether a stage has to know the level of each band."""
    return isinstance(stage, (k.ThreeBand, k.Swept, k.Drive))
