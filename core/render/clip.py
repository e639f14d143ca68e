"""A rig on a clip: from one file to others, whole or in stems, with what was measured on the way.

Samples stream from disk to disk, so that memory does not grow with the length. Stems are independent
of each other and rendered side by side, one thread each; a second pass adds them up and measures.
"""

import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

import numpy as np
import soundfile
import soxr
from pydantic import Field

from core.audio import open_audio
from core.audio.loudness import EnergyMeter, gated_lufs
from core.edge import Edge
from core.errors import Cancelled
from core.render.gauges import shared_out, stage_gauges
from core.render.holding import held_points
from core.render.meters import SoundCurves, SoundMeter, SoundReport, to_dbfs
from core.render.moves import Moves
from core.render.processors.convolution import LONGEST_S
from core.render.rig import Renderer, RenderError, run
from core.render.stems import GROWING, REST, PlaceOut, StemOut, find_places, only, to_output
from core.routing import parse_rig
from core.routing.document.rig import Rig
from core.routing.plan.measured import StageGauge
from core.routing.plan.model import Plan
from core.routing.plan.spread import Impulse, impulse_facts
from core.units.decibel import power_decibels

_BLOCK = 1 << 15
_POLL_S = 0.2
_AT_ONCE = 2
SHORTEST_REGION_S = 0.05
Progress = Callable[[float, str], None]


class RenderJob(Edge):
    """What is rendered: a way through the rig, a stretch of the clip, and a place to balance."""

    source: str = Field(max_length=40)
    output: str = Field(max_length=40)
    place: str | None = Field(
        None,
        max_length=40,
        description="A merge, bus or device whose inputs become stems; 'auto' for the best one",
    )
    start_s: float = Field(0, ge=0, le=7200)
    length_s: float | None = Field(None, gt=0, le=7200, description="Null: to the clip's end")
    tail: bool = Field(True, description="Goes on until all has died away")
    bare: bool = Field(False, description="The clip itself, past the whole rig")


def bare_rig(job: RenderJob, channels: int = 2) -> Rig:
    """What leads a clip of so many channels to where the rig would, through nothing at all. Mono goes
    to two sides as it does everywhere: at the loudness that it has.
    """
    sides = " (stereo)" if channels > 1 else ""
    return parse_rig(f"{job.source}: source{sides} > {job.output}: output (stereo)")


class StemReport(StemOut):
    """A stem as it was rendered, at the gain that the rig gives it."""

    loudness_lufs: float | None
    peak_dbfs: float | None


class RenderReport(SoundReport):
    """A rig rendered on a clip."""

    start_s: float
    place: str | None
    alarm: str = Field("", description="What would run away, and is held here; else empty")
    needs_render: str = Field(description="Why the place cannot be balanced live; else empty")
    stems: list[StemReport]
    sentence: str


class RenderDetail(SoundCurves):
    """The curves, and the energies of the stems for balancing.

    `energies` has a row every 100 ms with the products of stems i <= j in order (0,0), (0,1), ...,
    (1,1), ...: K-weighted means, channels added.
    """

    energies: list[list[float]]
    stages: list[StageGauge] = Field([], description="What left each stage")
    plan: str = Field("", description="Digest of the plan that was rendered")
    before_dbfs: list[float] = Field(description="The clip itself in the same bands")


@dataclass
class Material:
    """What a render needs besides the rig: impulse responses and moves."""

    impulses: Mapping[str, np.ndarray] = field(default_factory=dict)
    moves: Moves = field(default_factory=Moves)


class _Shared:
    """Progress of several threads, and the wish to stop them."""

    def __init__(self, count: int) -> None:
        self.shares = [0.0] * count
        self.stop = threading.Event()

    def reporter(self, index: int) -> Callable[[float], None]:
        def report(share: float) -> None:
            self.shares[index] = share
            if self.stop.is_set():
                raise Cancelled

        return report


def _stem_file(
    plan: Plan, job: RenderJob, clip: Path, name: str, target: Path, material: Material,
    report: Callable[[float], None], gauged: frozenset[int],
) -> tuple[int, int, Renderer]:  # fmt: skip
    """Render one plan into a float WAV of two channels; its frames, those of the clip, and the
    renderer that did it.
    """
    with open_audio(clip, name) as sound:
        rate = sound.rate_hz
        first, frames = _region(job, sound.frames, rate, name)
        renderer = Renderer(
            plan, rate, material.impulses, material.moves, metered=bool(gauged), gauged=gauged
        )

        def read(start: int, count: int) -> dict[str, np.ndarray]:
            return {job.source: np.asarray(sound.read(first + start, count), np.float64)[:2]}

        with soundfile.SoundFile(str(target), "w", rate, 2, "FLOAT", format="WAV") as out:
            written = run(
                renderer, read, frames, lambda b: out.write(b[job.output].T.astype(np.float32)),
                tail_s=None if job.tail else 0.0, progress=report,
            )  # fmt: skip
        return written, frames, renderer


def _region(job: RenderJob, frames: int, rate: int, name: str) -> tuple[int, int]:
    first = round(job.start_s * rate)
    count = frames - first if job.length_s is None else round(job.length_s * rate)
    count = min(count, frames - first)
    if count < SHORTEST_REGION_S * rate:
        raise RenderError(
            f"“{name}” lasts {frames / rate:.2f} s: nothing of it lies in the stretch chosen."
        )
    return first, count


def render_file(
    rig: Rig, plan: Plan, job: RenderJob, clip: Path, name: str, folder: Path, progress: Progress,
    material: Material = Material(),
) -> tuple[RenderReport, RenderDetail]:  # fmt: skip
    """Render a stretch of `clip` into `folder`: mix.wav, and stems.wav where a place was given.

    32-bit float at the clip's own rate; stems.wav has two channels a stem, in the report's order.
    The other sources are silent. Raises RenderError, AudioError and what `progress` raises; nothing
    is left in the folder then but what its owner removes.
    """
    if job.source not in plan.sources or job.output not in plan.outputs:
        raise RenderError("The rig has no such source or output any more.")
    plan = to_output(plan, job.output)
    place = _place(rig, plan, job)
    reason = "" if place is None else place.reason
    if (
        place is not None
        and not reason
        and any(loop.above for loop in held_points(plan, material.moves).values())
    ):
        reason = GROWING
    live = place is not None and not reason
    plans: list[tuple[StemOut | None, Plan]] = [(None, plan)]
    if place is not None and live:
        plans = [(stem, only(rig, plan, place.id, [stem.id])) for stem in place.stems]
        rest = only(rig, plan, place.id, [])
        if any(a.target == rest.outputs[job.output] for a in (*rest.arcs, *rest.back)):
            plans.append((StemOut(id=REST, name="the rest", wet=False, level_db=None), rest))
    files = [folder / f"stem-{i}.wav" for i in range(len(plans))]
    shared = _Shared(len(plans))
    gauged = shared_out(plan, [part for _, part in plans])
    with ThreadPoolExecutor(min(_AT_ONCE, len(plans))) as pool:
        waiting = [
            pool.submit(
                _stem_file, p, job, clip, name, file, material, shared.reporter(i), gauged[i]
            )
            for i, ((_, p), file) in enumerate(zip(plans, files, strict=True))
        ]
        try:
            while wait(waiting, timeout=_POLL_S).not_done:
                failed = [w for w in waiting if w.done() and w.exception() is not None]
                if failed:
                    failed[0].result()
                progress(0.8 * sum(shared.shares) / len(plans), "Rendering")
        except BaseException:
            shared.stop.set()
            raise
        frames = max(w.result()[0] for w in waiting)
        renderers = [w.result()[2] for w in waiting]
        held = sorted({name for one in renderers for name in one.held_back()})
    wide = plan.channels[plan.outputs[job.output]] == 2
    report, detail = _gather(files, frames, 2 if wide else 1, folder, live, progress)
    more = {
        "before_dbfs": _bands_before(job, clip, name, frames),
        "plan": plan.digest,
        "stages": stage_gauges(plan, renderers, waiting[0].result()[1]),
    }
    detail = detail.model_copy(update=more)
    for file in files:
        file.unlink()
    stems = [
        StemReport(**stem.model_dump(), loudness_lufs=loudness, peak_dbfs=peak)
        for (stem, _), (loudness, peak) in zip(plans, report.levels, strict=True)
        if stem is not None
    ]
    said = f"{report.sound.seconds:.1f} s rendered"
    if job.start_s or job.length_s is not None:
        said += f" from {job.start_s:.2f} s of the clip"
    return RenderReport(
        **report.sound.model_dump(), start_s=job.start_s, place=job.place, stems=stems,
        needs_render=reason, sentence=said + ".", alarm=_alarm(rig, held),
    ), detail  # fmt: skip


def _alarm(rig: Rig, held: list[str]) -> str:
    if not held:
        return ""
    names = " and ".join(
        rig.nodes[h if h in rig.nodes else h.rpartition(".")[0]].shown for h in held
    )
    return (
        f"{names} {'feeds' if len(held) == 1 else 'feed'} back at or above unity. Here a limiter "
        "holds it at 0 dBFS, and the tail ends after 8 s; a real loop grows until something clips. "
        "Turn monitors down before you close such a loop."
    )


def _bands_before(job: RenderJob, clip: Path, name: str, rendered: int) -> list[float]:
    """Third-octave levels of the stretch of the clip, its energy spread over the render's frames.

    A render lasts longer than its clip, by its tail: means over their own lengths would differ by
    that alone.
    """
    with open_audio(clip, name) as sound:
        first, frames = _region(job, sound.frames, sound.rate_hz, name)
        channels = min(2, sound.channels)
        meter = SoundMeter(channels, sound.rate_hz, frames)
        for start in range(0, frames, _BLOCK):
            block = sound.read(first + start, min(_BLOCK, frames - start))[:channels]
            meter.push(np.asarray(block, np.float64))
    shorter = power_decibels(frames / max(frames, rendered))
    return [round(level + shorter, 2) for level in meter.curves().band_dbfs]


def load_impulse(path: Path, name: str, rate_hz: int) -> np.ndarray:
    """An impulse response (channels, n) at a rate, at most stereo. Raises AudioError."""
    with open_audio(path, name) as sound:
        count = min(sound.frames, round((LONGEST_S + 1) * sound.rate_hz))
        samples = np.asarray(sound.read(0, count), np.float64)[:2]
        if sound.rate_hz == rate_hz:
            return samples
        return np.asarray(soxr.resample(samples.T, sound.rate_hz, rate_hz, "HQ").T)


@lru_cache(maxsize=32)
def impulse_of(path: str, name: str, rate_hz: int) -> Impulse:
    """What the plan counts of an impulse response that is stored by its content. Raises AudioError."""
    return impulse_facts(load_impulse(Path(path), name, rate_hz), rate_hz)


def _place(rig: Rig, plan: Plan, job: RenderJob) -> PlaceOut | None:
    if job.place is None:
        return None
    for place in find_places(rig, plan, job.output):
        if place.id == job.place:
            return place
    raise RenderError("There is nothing to balance at the place that was chosen, or not any more.")


@dataclass
class _Gathered:
    sound: SoundReport
    levels: list[tuple[float | None, float | None]]


def _gather(
    files: list[Path], frames: int, channels: int, folder: Path, stems: bool, progress: Progress
) -> tuple[_Gathered, RenderDetail]:
    """Add the stems up, write mix and stems, and measure both, block by block."""
    inputs = [soundfile.SoundFile(str(file)) for file in files]
    rate, count = inputs[0].samplerate, len(inputs)
    meter = SoundMeter(channels, rate, frames)
    energies = EnergyMeter(rate, count)
    peaks = np.zeros(count)
    mix = soundfile.SoundFile(str(folder / "mix.wav"), "w", rate, channels, "FLOAT", format="WAV")
    parts = (
        soundfile.SoundFile(
            str(folder / "stems.wav"), "w", rate, channels * count, "FLOAT", format="WAV"
        )
        if stems
        else None
    )
    try:
        for start in range(0, frames, _BLOCK):
            size = min(_BLOCK, frames - start)
            blocks = np.zeros((count, channels, size))
            for i, sound in enumerate(inputs):
                some = sound.read(size, dtype="float64", always_2d=True).T[:channels]
                blocks[i, :, : some.shape[1]] = some
            whole = blocks.sum(axis=0)
            mix.write(whole.T.astype(np.float32))
            meter.push(whole)
            peaks = np.maximum(peaks, np.abs(blocks).max(axis=(1, 2)))
            if parts is not None:
                parts.write(blocks.reshape(-1, size).T.astype(np.float32))
                energies.push(blocks)
            progress(0.8 + 0.2 * start / max(1, frames), "Measuring")
    finally:
        for sound in (*inputs, mix, *([parts] if parts is not None else [])):
            sound.close()
    rows: list[list[float]] = []
    levels: list[tuple[float | None, float | None]] = [(None, None)] * count
    if parts is not None:
        tenths = energies.tenths()
        upper = np.triu_indices(count)
        rows = [[float(f"{v:.6g}") for v in step[upper]] for step in tenths]
        levels = [(gated_lufs(tenths[:, i, i]), to_dbfs(float(peaks[i]))) for i in range(count)]
    detail = RenderDetail(**meter.curves().model_dump(), energies=rows, before_dbfs=[])
    return _Gathered(meter.report(), levels), detail
