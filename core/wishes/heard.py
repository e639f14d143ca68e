"""What wishes come to in sound: a rig rendered on noise and on the clip in hand, measured from samples.

Noise of the plan's spectrum plays into every source at its nominal level, an impulse where a figure is of
times, the clip where it is over the clip. What a part brings is the whole less the whole without it. Kinds
that no sound can show, because they are arithmetic of settings, are said to be not measured.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property, lru_cache
from pathlib import Path

import numpy as np

from core.audio.loudness import integrated_lufs
from core.errors import FonodromeError
from core.render.clip import load_sound
from core.render.rig import Renderer
from core.render.run import run
from core.render.stems import pruned
from core.routing import Evaluation
from core.routing.document import kinds as k
from core.routing.document.wishes import Wish
from core.routing.plan.cells import CELLS, EDGES_HZ
from core.routing.plan.model import Plan
from core.space.gaps import FRAME_S
from core.units import parse_time
from core.units.decibel import amplitude, decibels, power_db
from core.wishes.measure import QUIETER_DB, Looked, NotThere, source_db
from core.wishes.over import ClipPart, ducked_db, recovery_s, reduction_db

RATE_HZ = 48_000
LONGEST_CLIP_S = 40.0
_SETTLE_S, _MEASURED_S = 3.0, 3.0
_BURST_S, _ABOUT_S = 2.5, 0.025
_NEAR_S, _AHEAD_S = 0.010, 0.05
_LOW_HZ = 200.0
_LEAST = 1e-12
_MOST_KEPT = 16
_FAINT = 1e-7

TOLERANCES: Mapping[str, float] = {
    "level": 1.2, "peak": 0.3, "gain": 1.2, "balance": 1.5, "spread": 1.0, "mono_loss": 0.5,
    "tail": 3.0, "repeats": 2.0, "low_end": 3.0, "quiet_lift": 1.2, "peak_change": 1.5, "ratio": 0.5,
    "reduction": 3.0, "ducking": 1.5, "recovery": 60.0, "loudness": 2.0, "null": 2.0,
}  # fmt: skip
"""How far sound and plan may be apart, in each kind's unit: noise is steady to about 1 dB over 3 s, a tail
to 3; the others (comb, pre-delay, loop gain, setting error) are arithmetic of settings."""


@dataclass(frozen=True)
class ClipSound:
    """Samples of the clip in hand at `RATE_HZ`, (channels, n)."""

    samples: np.ndarray


def clip_sound(path: Path, name: str) -> ClipSound:
    """The beginning of a clip at `RATE_HZ`, at most stereo. Raises AudioError."""
    return ClipSound(load_sound(path, name, RATE_HZ, LONGEST_CLIP_S))


Sounds = dict[str, np.ndarray]


@dataclass
class Hearing:
    """Renders of one rig, each made once."""

    looked: Looked
    impulses: Mapping[str, np.ndarray] = field(default_factory=dict)
    clip: ClipSound | None = None
    step: Callable[[], None] = lambda: None
    """Called between renders; may raise to stop."""
    _made: dict[tuple[str, ...], np.ndarray] = field(default_factory=dict)
    """What was rendered last, up to `_MOST_KEPT`: forty seconds of a clip are 15 MB."""
    _gauged: dict[str, dict[int, tuple[float, float]]] = field(default_factory=dict)

    # Plans ------------------------------------------------------------------------------------
    @property
    def plan(self) -> Plan:
        return self.looked.e.plan

    def without(self, part: str, plan: Plan | None = None) -> Plan:
        """The plan with nothing that goes through a part."""
        whole = self.plan if plan is None else plan
        return _cut(whole, lambda a: a.node == part)

    @property
    def dry(self) -> Plan:
        return _cut(self.plan, lambda a: a.wet)

    @cached_property
    def still(self) -> Plan:
        """The plan with what works by level held at the gain that it has at nominal level."""
        arcs = [replace(a, stage=None, spread=None) if a.by_level else a for a in self.plan.arcs]
        return replace(self.plan, arcs=arcs)

    # Renders ----------------------------------------------------------------------------------
    def noise(self, name: str, plan: Plan, output: str, by_db: float = 0.0) -> np.ndarray:
        """(2, n) at an output on noise at nominal levels, once it has settled."""
        key = ("noise", name, output, f"{by_db}")
        if key not in self._made:
            sounds = {
                n.id: self._noise_for(i, n) * amplitude(n.level_dbfs + by_db)
                for i, n in enumerate(self._sources())
            }
            skipped = round(_SETTLE_S * RATE_HZ)
            gauges: dict[int, tuple[float, float]] = {}
            heard = self._run(plan, sounds, output, skipped, gauges)
            self._gauged[f"{name} {by_db}"] = gauges
            return self._keep(key, heard[:, skipped:])
        return self._made[key]

    def gauge(self, point: int) -> tuple[float, float]:
        """RMS and peak (dBFS) of the louder side at a point of the whole rig on noise."""
        self.noise("whole", self.plan, next(iter(self.plan.outputs)))
        return self._gauged["whole 0.0"][point]

    def impulse(
        self, name: str, plan: Plan, source: str, output: str, seconds: float
    ) -> np.ndarray:
        """(2, n): what an output makes of an impulse in a source, weighed by that source's spectrum."""
        key = ("impulse", name, source, output, f"{seconds}")
        if key not in self._made:
            sound = np.zeros((1, round((_AHEAD_S + seconds) * RATE_HZ)))
            # Not at the very start: what its weight brings before it counts as well.
            sound[0, round(_AHEAD_S * RATE_HZ)] = 0.1
            heard = self._run(plan, {source: sound}, output) * 10
            return self._keep(key, _weighed(heard, self.looked.context.spectrum(source).shares))
        return self._made[key]

    def burst(self, name: str, plan: Plan, source: str, output: str, rest_s: float) -> np.ndarray:
        """(2, n) of a burst of noise from one source and the rest behind it."""
        key = ("burst", name, source, output, f"{rest_s}")
        if key not in self._made:
            node = self.looked.rig.nodes[source]
            assert isinstance(node, k.Source)
            noise = self._noise_for(0, node)[:, : round(_BURST_S * RATE_HZ)] * amplitude(
                node.level_dbfs
            )
            rest = np.zeros((len(noise), round(rest_s * RATE_HZ)))
            sounds = {source: np.concatenate([noise, rest], axis=1)}
            return self._keep(key, self._run(plan, sounds, output))
        return self._made[key]

    def played(self, name: str, plan: Plan, output: str) -> np.ndarray:
        """(2, n) of the clip through the rig. Raises NotThere without one."""
        if self.clip is None:
            raise NotThere("Its sound is not at hand.")
        key = ("clip", name, output)
        if key not in self._made:
            most = round(LONGEST_CLIP_S * RATE_HZ)
            sounds = {self.looked.played.id: self.clip.samples[:2, :most]}
            return self._keep(key, self._run(plan, sounds, output))
        return self._made[key]

    def _keep(self, key: tuple[str, ...], sound: np.ndarray) -> np.ndarray:
        """Remember a render; of many the oldest that is not of the whole rig is forgotten."""
        if len(self._made) >= _MOST_KEPT:
            old = next((one for one in self._made if one[1] != "whole"), next(iter(self._made)))
            del self._made[old]
        self._made[key] = np.asarray(sound, np.float32)
        return self._made[key]

    def _sources(self) -> list[k.Source]:
        return [n for n in self.looked.rig.nodes.values() if isinstance(n, k.Source)]

    def _noise_for(self, index: int, source: k.Source) -> np.ndarray:
        """(sides, n) of unit RMS, of the spectrum that the plan counts with."""
        spectrum, crest = self.looked.context.spectrum(source.id), amplitude(source.crest_db)
        first, second = (
            _noise(_SETTLE_S + _MEASURED_S, 2 * index + side + 1, spectrum.shares)
            for side in (0, 1)
        )
        if not source.stereo:
            return _no_higher(first, crest)[None, :]
        other = spectrum.alike * first + math.sqrt(1 - spectrum.alike**2) * second
        return np.stack([_no_higher(first, crest), _no_higher(other, crest)])

    def _run(
        self, plan: Plan, sounds: Sounds, output: str, skipped: int = 0,
        gauges: dict[int, tuple[float, float]] | None = None,
    ) -> np.ndarray:  # fmt: skip
        self.step()
        frames = max((s.shape[1] for s in sounds.values()), default=0)
        if not any(a.target == plan.outputs.get(output) for a in (*plan.arcs, *plan.back)):
            return np.zeros((2, frames))
        renderer = Renderer(plan, RATE_HZ, dict(self.impulses), metered=gauges is not None)
        blocks: list[np.ndarray] = []
        begun = [0]

        def read(start: int, count: int) -> Sounds:
            if gauges is not None and start <= skipped < start + count:
                begun[0] = start
                for gauge in renderer.gauges.values():
                    gauge.power[:] = 0
                    gauge.peak[:] = 0
            self.step()
            return {name: s[:, start : start + count] for name, s in sounds.items()}

        run(renderer, read, frames, lambda b: blocks.append(b[output].copy()), tail_s=0.0)
        if gauges is not None:
            length = frames + max(renderer.latency.values(), default=0) - begun[0]
            for point, gauge in renderer.gauges.items():
                peak = float(decibels(max(float(np.max(gauge.peak)), 1e-9)))
                sides = [v for v in gauge.rms_dbfs(length) if v is not None]
                gauges[point] = (max(sides, default=-120.0), peak)
        out = np.concatenate(blocks, axis=1) if blocks else np.zeros((2, 0))
        return out[:, :frames]


def _cut(plan: Plan, gone: Callable[..., bool]) -> Plan:
    arcs = [a for a in plan.arcs if not gone(a)]
    return pruned(replace(plan, arcs=arcs, back=[a for a in plan.back if not gone(a)]))


@lru_cache(maxsize=12)
def _noise(seconds: float, seed: int, shares: tuple[float, ...]) -> np.ndarray:
    """Of unit RMS, with these shares of its power over the plan's cells. The same for one seed."""
    n = round(seconds * RATE_HZ)
    rng = np.random.default_rng(seed)
    weight = _over_bins(np.fft.rfftfreq(n, 1 / RATE_HZ), shares)
    spectrum = weight * (rng.normal(size=len(weight)) + 1j * rng.normal(size=len(weight)))
    sound = np.fft.irfft(spectrum, n)
    return np.asarray(sound / np.sqrt(np.mean(sound**2)))


def _over_bins(hz: np.ndarray, shares: tuple[float, ...]) -> np.ndarray:
    """Amplitudes of frequencies, the power of each cell spread over its frequencies."""
    cell = np.searchsorted(EDGES_HZ, hz, "right") - 1
    inside = (cell >= 0) & (cell < CELLS)
    # A cell without a frequency of its own leaves its power to nobody: the lowest, in short sounds.
    counts = np.bincount(cell[inside], minlength=CELLS)
    weight = np.zeros(len(hz))
    weight[inside] = np.sqrt(np.array(shares)[cell[inside]] / counts[cell[inside]])
    return weight


def _no_higher(sound: np.ndarray, crest: float) -> np.ndarray:
    """Noise of unit RMS whose peaks stay within a crest factor."""
    for _ in range(8):
        sound = np.clip(sound, -crest, crest)
        sound = sound / np.sqrt(np.mean(sound**2))
    return np.clip(sound, -crest, crest)


def _weighed(h: np.ndarray, shares: tuple[float, ...]) -> np.ndarray:
    """A response as a sound with these shares of its power over the cells weighs it."""
    n = h.shape[1]
    weight = _over_bins(np.fft.rfftfreq(2 * n, 1 / RATE_HZ), shares)
    weight /= np.sqrt(np.mean(weight**2))
    return np.asarray(np.fft.irfft(np.fft.rfft(h, 2 * n) * weight, 2 * n)[:, :n])


def _power(sound: np.ndarray) -> float:
    return float((sound.astype(float) ** 2).mean(axis=1).sum())


def _ratio_db(one: float, other: float) -> float:
    if other <= _LEAST:
        raise NotThere("What it is held against is silent.")
    return power_db(max(one, _LEAST) / other)


# Figures -----------------------------------------------------------------------------------------
def heard_figure(wish: Wish, hearing: Hearing) -> float | None:
    """What a wish comes to in the render, in its unit; None for kinds that sound cannot show.

    Raises FonodromeError where it has no figure.
    """
    found = _HEARD.get(wish.kind)
    return None if found is None else found(wish, hearing)


def _louder(sound: np.ndarray) -> float:
    return power_db(max(float((sound.astype(float) ** 2).mean(axis=1).max()), _LEAST))


def _at_output(wish: Wish, h: Hearing, by_db: float = 0.0) -> float:
    output = h.looked.output(wish)
    return power_db(max(_power(h.noise("whole", h.plan, output, by_db)), _LEAST))


def _place(wish: Wish, h: Hearing) -> tuple[float, float]:
    name = wish.parts[0]
    shown = h.looked.part(name).shown
    point = h.plan.outputs.get(name, h.plan.outlet.get(f"{name}.0"))
    if point is None:
        raise NotThere(f"Nothing leaves {shown}.", part=name)
    if name in h.plan.outputs:
        sound = h.noise("whole", h.plan, name)
        return _louder(sound), float(decibels(max(float(np.abs(sound).max()), 1e-9)))
    h.noise("whole", h.plan, next(iter(h.plan.outputs)))
    if point not in h._gauged["whole 0.0"]:
        raise NotThere(f"Nothing is measured behind {shown} in a render.", part=name)
    return h.gauge(point)


def _level(wish: Wish, h: Hearing) -> float:
    return _place(wish, h)[0]


def _peak(wish: Wish, h: Hearing) -> float | None:
    # Noise shows that a bound is not passed; that it is reached no noise can show.
    return _place(wish, h)[1] if wish.bound == "under" else None


def _gain(wish: Wish, h: Hearing) -> float:
    return _at_output(wish, h) - max(source_db(n) for n in h._sources())


def _peak_change(wish: Wish, h: Hearing) -> float | None:
    crests = {n.crest_db for n in h._sources()}
    if len(crests) > 1:
        return None
    by = crests.pop()
    return _at_output(wish, h, by) - by - max(source_db(n) for n in h._sources())


def _ratio(wish: Wish, h: Hearing) -> float:
    return 2 / max(0.02, _at_output(wish, h, 1.0) - _at_output(wish, h, -1.0))


def _quiet_lift(wish: Wish, h: Hearing) -> float:
    return _at_output(wish, h, -QUIETER_DB) + QUIETER_DB - _at_output(wish, h)


def _balance(wish: Wish, h: Hearing) -> float:
    output = h.looked.output(wish)
    if wish.during is not None:
        return _over_clip(wish, h, output)

    def brought(part: str | None) -> np.ndarray:
        if part is None:
            plan = h.without(wish.parts[0], h.dry)
            return h.noise(f"dry without {wish.parts[0]}", plan, output)
        whole = h.noise("whole", h.plan, output)
        return whole - h.noise(f"without {part}", h.without(part), output)

    return _ratio_db(_power(brought(wish.parts[0])), _power(brought(wish.against)))


def _over_clip(wish: Wish, h: Hearing, output: str) -> float:
    clip, part = h.looked.phrases, wish.parts[0]
    whole = h.played("whole", h.plan, output)
    wet = _frames(whole - h.played(f"without {part}", h.without(part), output), clip)
    if wish.against is None:
        dry = _frames(h.played(f"dry without {part}", h.without(part, h.dry), output), clip)
    else:
        rest = h.played(f"without {wish.against}", h.without(wish.against), output)
        dry = _frames(whole - rest, clip)
    sounds, rests = clip.sounds[: len(wet)], clip.rests[: len(wet)]
    which = rests if wish.during == "gaps" else sounds
    if not which.any():
        raise NotThere("The stretch that is rendered has no gap.")
    return _ratio_db(float(wet[which].mean()), float(dry[sounds].mean()))


def _frames(sound: np.ndarray, clip: ClipPart) -> np.ndarray:
    """Power of both sides every 10 ms, no longer than the clip."""
    size = round(FRAME_S * RATE_HZ)
    count = min(sound.shape[1] // size, len(clip.db))
    parts = sound[:, : count * size].reshape(len(sound), count, size)
    return np.asarray((parts**2).mean(axis=2).sum(axis=0))


def _loudness(wish: Wish, h: Hearing) -> float:
    output = h.looked.output(wish)
    out = h.played("whole", h.plan, output)
    assert h.clip is not None
    bare = np.stack([h.clip.samples[0], h.clip.samples[-1]])[:, : out.shape[1]]
    if not h.looked.played.stereo:
        # One side stands in the middle, as loud as it is.
        bare = np.repeat(bare.mean(axis=0, keepdims=True), 2, axis=0) / math.sqrt(2)
    loud = [integrated_lufs(sound, RATE_HZ) for sound in (out, bare)]
    if loud[0] is None or loud[1] is None:
        raise NotThere("The clip is too quiet or too short for a loudness.")
    return loud[0] - loud[1]


def _turned(wish: Wish, h: Hearing) -> tuple[np.ndarray, ClipPart]:
    """Gain every 10 ms of a stage, heard behind it: what it lets through against what it would at rest.

    Raises NotThere where too little sounds there to tell.
    """
    clip, part = h.looked.phrases, wish.parts[0]
    node = h.looked.part(part)
    at_rest = node.model_copy(update={"bypassed": True})
    nodes = {**h.looked.rig.nodes, part: at_rest}
    plain = Evaluation(h.looked.rig.model_copy(update={"nodes": nodes}), h.looked.context).plan
    through, whole = (
        _frames(h.played(f"{name} {part}", _to(plan, f"{part}.0"), f"{part}.0"), clip)
        for name, plan in (("behind", h.plan), ("behind, at rest,", plain))
    )
    sure = np.flatnonzero(whole > _FAINT)
    asked = clip.rests if wish.kind == "recovery" else clip.sounds
    told_of = asked[: len(whole)] & (whole > _FAINT)
    if told_of.sum() < 0.5 * asked[: len(whole)].sum() or not len(sure):
        raise NotThere(f"Too little sounds at {node.shown} to tell in a render.")
    makeup = float(getattr(node, "makeup_db", 0.0) + getattr(node, "output_db", 0.0))
    told = np.sqrt(through[sure] / whole[sure]) / amplitude(makeup)
    gain = np.ones(len(clip.db))
    gain[: len(whole)] = np.interp(np.arange(len(whole)), sure, told)
    return gain, clip


def _to(plan: Plan, port: str) -> Plan:
    """The plan with the point behind a stage as its only output."""
    return pruned(replace(plan, outputs={port: plan.outlet[port]}))


def _reduction(wish: Wish, h: Hearing) -> float:
    return reduction_db(*_turned(wish, h))


def _ducking(wish: Wish, h: Hearing) -> float:
    return ducked_db(*_turned(wish, h))


def _recovery(wish: Wish, h: Hearing) -> float:
    return recovery_s(*_turned(wish, h)) * 1e3


def _low_end(wish: Wish, h: Hearing) -> float:
    output = h.looked.output(wish)
    dry = h.noise("dry", h.dry, output)
    wet = h.noise("whole", h.plan, output) - dry
    return _ratio_db(_low_power(wet), _low_power(dry))


def _low_power(sound: np.ndarray) -> float:
    hz = np.fft.rfftfreq(sound.shape[1], 1 / RATE_HZ)
    return float((np.abs(np.fft.rfft(sound)[:, hz <= _LOW_HZ]) ** 2).sum()) / sound.shape[1] ** 2


def _tail(wish: Wish, h: Hearing) -> float:
    clip = h.looked.phrases
    if not clip.gaps_s:
        raise NotThere("The clip in hand has no gaps.")
    gap = min(clip.gaps_s)
    reverb = wish.parts[0] if wish.parts else _first_reverb(h)
    # Of the source that feeds it most, as the plan has it.
    fed = [
        (max(a.level_db for a in b.arrivals if a.diffuse and reverb in a.through), b)
        for b in h.looked.e.boards
        if any(a.diffuse and reverb in a.through for a in b.arrivals)
    ]
    if not fed:
        raise NotThere("Nothing of it arrives.")
    board = max(fed, key=lambda one: one[0])[1]
    rest = gap + 2 * _ABOUT_S
    silent = _cut(h.plan, lambda a: a.diffuse and a.node == reverb)
    whole, without, dry = (
        h.burst(name, plan, board.source, board.output, rest)
        for name, plan in (("whole", h.plan), (f"no tail of {reverb}", silent), ("dry", h.dry))
    )
    end = round((_BURST_S + board.reference_ms / 1e3) * RATE_HZ)
    at, about = end + round(gap * RATE_HZ), round(_ABOUT_S * RATE_HZ)
    tail = (whole - without)[:, at - about : at + about]
    return _ratio_db(_power(tail), _power(dry[:, end - RATE_HZ : end]))


def _first_reverb(h: Hearing) -> str:
    found = [n.id for n in h.looked.rig.of_type((k.Reverb,)) if not k.is_bypassed(n)]
    if not found:
        raise NotThere("This rig has no reverb that sounds.")
    return found[0]


def _reaching(wish: Wish, h: Hearing, output: str) -> list[str]:
    return [b.source for b in h.looked.e.boards if b.output == output][:4]


def _spread(wish: Wish, h: Hearing) -> float | None:
    if not wish.parts:
        return None
    output = h.looked.output(wish)
    (source, *_) = _reaching(wish, h, output)
    seconds = min(12.0, 3.0 + max((a.time_ms for _, a in h.looked.dry(wish)), default=0) / 1e3)
    whole = h.impulse("whole", h.still, source, output, seconds)
    times = []
    for part in wish.parts:
        rest = h.impulse(f"without {part}", h.without(part, h.still), source, output, seconds)
        times.append(_first_s(whole - rest))
    return (max(times) - min(times)) * 1e3


def _first_s(h: np.ndarray) -> float:
    """When what arrives begins: a tenth of its largest moment is reached."""
    power = np.convolve((h**2).sum(axis=0), np.ones(12), mode="same")
    if power.max() <= _LEAST:
        raise NotThere("Nothing of it arrives.")
    return float(np.argmax(power >= 0.1 * power.max())) / RATE_HZ


def _mono_loss(wish: Wish, h: Hearing) -> float:
    output = h.looked.output(wish)
    losses = [0.0]
    for source in _reaching(wish, h, output):
        sound = h.impulse("whole", h.still, source, output, 3.0)
        start = round(_first_s(sound) * RATE_HZ)
        near = sound[:, max(0, start - 24) : start + round(_NEAR_S * RATE_HZ)]
        mono = 2 * float((near.mean(axis=0) ** 2).sum())
        losses.append(-power_db(max(mono, _LEAST) / max(float((near**2).sum()), _LEAST)))
    return max(losses)


def _repeats(wish: Wish, h: Hearing) -> float:
    output = h.looked.output(wish)
    after = parse_time(wish.when, h.looked.context.frame)[0]
    sharp = _cut(h.still, lambda a: a.diffuse)
    plain = _cut(sharp, lambda a: a.wet)
    found = [-120.0]
    for source in _reaching(wish, h, output):
        seconds = min(30.0, after + 6.0)
        dry = h.impulse("sharp dry", plain, source, output, seconds)
        wet = h.impulse("sharp", sharp, source, output, seconds) - dry
        if float((dry**2).sum()) <= _LEAST:
            continue
        # From the moment at which the dry sound arrives; a little before counts as at it.
        late = round((_first_s(dry) + after) * RATE_HZ) - 24
        found.append(_ratio_db(_loudest(wet[:, late:]), _loudest(dry)))
    return max(found)


def _loudest(h: np.ndarray) -> float:
    """Energy of the strongest 5 ms."""
    power = (h**2).sum(axis=0)
    return float(np.convolve(power, np.ones(240)).max(initial=0.0))


def _null(wish: Wish, h: Hearing) -> float:
    output = h.looked.output(wish)
    other = h.looked.others.get(wish.variant or "")
    if other is None:
        raise NotThere(f"There is no other variant {wish.variant} of this rig.")
    plan = Evaluation(other, h.looked.context).plan
    if output not in plan.outputs:
        raise NotThere(f"The other variant has no output “{output}”.")
    a = h.noise("whole", h.plan, output)
    return _ratio_db(_power(a - h.noise(f"variant {wish.variant}", plan, output)), _power(a))


_HEARD: dict[str, Callable[[Wish, Hearing], float | None]] = {
    "level": _level, "peak": _peak, "gain": _gain, "balance": _balance, "spread": _spread,
    "mono_loss": _mono_loss, "tail": _tail, "repeats": _repeats, "low_end": _low_end,
    "quiet_lift": _quiet_lift, "peak_change": _peak_change, "ratio": _ratio, "reduction": _reduction,
    "ducking": _ducking, "recovery": _recovery, "loudness": _loudness, "null": _null,
}  # fmt: skip


def heard_or_why(wish: Wish, hearing: Hearing) -> tuple[float | None, str]:
    """The figure, or why there is none."""
    try:
        found = heard_figure(wish, hearing)
    except FonodromeError as error:
        return None, error.sentence
    return found, "" if found is not None else "arithmetic of settings: no sound can show it"
