"""A rig on clips: from files to others, whole or in stems, with what was measured on the way.

Samples stream from disk to disk, so that memory does not grow with the length. Stems are independent
of each other and rendered side by side, one thread each; a second pass adds them up and measures.
"""

import threading
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import FIRST_EXCEPTION, ThreadPoolExecutor, wait
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path

import numpy as np
import soxr

from core.audio import open_audio
from core.audio.floats import float_wav
from core.errors import Cancelled
from core.render.feeds import ClipFile, SongReader
from core.render.gauges import shared_out, stage_gauges
from core.render.holding import held_points
from core.render.keeping import Keeping
from core.render.meters import SoundMeter
from core.render.moves import Moves
from core.render.parts import PartStore, TooShort
from core.render.processors.convolution import LONGEST_S
from core.render.report import RenderDetail, RenderJob, RenderReport, StemReport
from core.render.rig import Renderer, RenderError
from core.render.run import LONGEST_TAIL_S, NotSilent, run, tail_class_s
from core.render.sound_files import BLOCK, measure_sound, write_sound
from core.render.stems import (
    GROWING,
    MOST_STEMS,
    PlaceOut,
    StemOut,
    find_places,
    parts_of,
    to_output,
)
from core.render.voices import alone, sources_heard, why_one
from core.routing import load_rig, parse_rig
from core.routing.document.rig import Rig
from core.routing.plan.model import Plan
from core.routing.plan.spread import Impulse, impulse_facts
from core.units.decibel import power_decibels

_POLL_S = 0.2
_AT_ONCE = 2
MOST_PLACES = 3
"""That are balanced at once."""
LONGEST_KEPT_S = 120.0
"""Of longer stretches no parts are kept: a point of two sides takes 768 kB a second."""
Progress = Callable[[float, str], None]


def bare_rig(job: RenderJob, wide: Mapping[str, bool]) -> Rig:
    """What leads clips to where the rig would, through nothing at all. wide: sources whose clips have
    two sides. Mono goes to two sides as it does everywhere: at the loudness that it has.
    """
    out = f"{job.output}: output (stereo)"
    sounding = [f.source for f in job.feeds if f.sounds] or ["source"]
    lines = []
    for i, source in enumerate(sounding):
        sides = " (stereo)" if wide.get(source, True) else ""
        lines.append(f"{source}: source{sides} > {out if i == 0 else job.output}")
    # As it comes out of a store: so both count as the same.
    return load_rig(parse_rig("\n".join(lines)).model_dump(mode="json"))


Publish = Callable[[RenderReport], None]


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


@dataclass
class _Voice:
    """A part of the sum that is rendered by itself, and what renders it."""

    stem: StemOut | None
    plan: Plan
    moves: Moves
    target: Path
    renderer: Renderer | None = None
    apart: bool = False
    """One source of several that share a way."""


class _Run:
    """One render: the same stretch, blocks and tail for all of its voices, and what is kept of them."""

    def __init__(
        self, plan: Plan, job: RenderJob, clips: Mapping[str, ClipFile], material: Material,
        store: PartStore | None,
    ) -> None:  # fmt: skip
        self.plan, self.job, self.clips, self.material = plan, job, clips, material
        with self.song() as song:
            self.rate, self.frames = song.rate_hz, song.frames
        whole = Renderer(plan, self.rate, material.impulses, material.moves, start_s=job.start_s)
        self.block, self.late = whole.block, max(whole.latency.values(), default=0)
        short = self.frames <= LONGEST_KEPT_S * self.rate
        self.store = store if short else None
        self.tail_s = tail_class_s(whole)
        self.fed = {
            feed.source: repr([(self._content(p.clip), p) for p in feed.placements])
            for feed in job.feeds
            if feed.sounds
        }

    def _content(self, clip: str) -> str:
        return str(self.clips[clip].path)

    def song(self) -> SongReader:
        return SongReader(self.job.feeds, self.clips, self.job.start_s, self.job.length_s)

    def renderer(self, plan: Plan, moves: Moves, gauged: frozenset[int] | None) -> Renderer:
        return Renderer(
            plan, self.rate, self.material.impulses, moves, metered=gauged != frozenset(),
            gauged=gauged, most_block=self.block, start_s=self.job.start_s,
        )  # fmt: skip

    def keeping(self, renderer: Renderer, wanted: set[int] | None = None) -> Keeping:
        assert self.store is not None
        tail = self.tail_s if self.job.tail else 0.0
        stretch = (self.job.start_s, self.frames, self.late, tail)
        return Keeping(renderer, self.store, self.fed, stretch, wanted)

    def stream(
        self, renderer: Renderer, write: Callable[[dict[str, np.ndarray]], None],
        progress: Callable[[float], None],
    ) -> int:  # fmt: skip
        with self.song() as song:
            try:
                written = run(
                    renderer, song.read, self.frames, write,
                    tail_s=None if self.job.tail else 0.0, progress=progress,
                    whole_s=self.tail_s if renderer.keeping is not None else None,
                    most_late=self.late,
                )  # fmt: skip
            except BaseException:
                if renderer.keeping is not None:
                    renderer.keeping.drop()
                raise
        if renderer.keeping is not None:
            renderer.keeping.finish()
        return written


def _voice_file(
    task: _Run, voice: _Voice, gauged: frozenset[int], report: Callable[[float], None]
) -> int:
    """Render one voice into a float WAV of two channels; its frames."""
    voice.renderer = renderer = task.renderer(voice.plan, voice.moves, gauged)
    if task.store is not None:
        renderer.keep(task.keeping(renderer))
    with float_wav(voice.target, task.rate, 2) as out:
        name = task.job.output
        return task.stream(renderer, lambda b: out.write(b[name].T.astype(np.float32)), report)


def _tails(plan: Plan) -> int:
    """How many stages of a plan take many times as long as the others."""
    return sum(arc.stage is not None and arc.stage.has_tail for arc in plan.arcs)


def _trunk(
    task: _Run, voices: Sequence[_Voice], gauged: Sequence[frozenset[int]],
    report: Callable[[float], None],
) -> None:  # fmt: skip
    """Compute once, before all else, what several voices have in common; it is kept for them, with
    what was measured on the way.
    """
    if task.store is None or len(voices) < 2:
        return
    ready = []
    for voice in voices:
        renderer = task.renderer(voice.plan, voice.moves, frozenset())
        renderer.keep(task.keeping(renderer))
        assert renderer.keeping is not None
        ready.append(renderer.keeping)
    seen: dict[str, int] = {}
    for one in ready:
        for point in one.keepers:
            seen[one.keys[point]] = seen.get(one.keys[point], 0) + 1
    shared = {key for key, count in seen.items() if count > 1}
    for one in ready:
        one.drop()
    for voice, one, seen_here in zip(voices, ready, gauged, strict=True):
        here = {p for p, key in one.keys.items() if key in shared and p in one.reached}
        here = {p for p in here if one.store.facts(one.keys[p]) is None}
        if not here:
            continue
        trunk = replace(voice.plan, outputs={})
        renderer = task.renderer(trunk, voice.moves, frozenset())
        # The keys are those of the voice: what leads to a point is the same with or without an end.
        keeping = task.keeping(renderer, here)
        passed = seen_here & keeping.reached
        if passed:
            keeping.drop()
            renderer = task.renderer(trunk, voice.moves, passed)
            keeping = task.keeping(renderer, here)
        renderer.keep(keeping)
        task.stream(renderer, lambda _: None, report)


def _voices(
    rig: Rig, plan: Plan, places: Sequence[PlaceOut], job: RenderJob, moves: Moves, folder: Path
) -> list[_Voice]:
    """The whole, or a voice for every way through places and every source that can be told apart."""
    parts: Sequence[tuple[StemOut | None, Plan]] = [(None, plan)]
    if places:
        parts = parts_of(rig, plan, places, job.output)
    sounding = {f.source for f in job.feeds if f.sounds}
    heard = [[s for s in sources_heard(p) if s in sounding] for _, p in parts]
    split = [
        len(s) > 1 and not why_one(p) for s, (_, p) in zip(heard, parts, strict=True)
    ]  # fmt: skip
    if sum(len(s) if apart else 1 for s, apart in zip(heard, split, strict=True)) > MOST_STEMS:
        split = [False] * len(parts)
    if held_points(plan, moves):
        split = [False] * len(parts)
    found: list[_Voice] = []

    def add(stem: StemOut | None, one: Plan, its: Moves, apart: bool = False) -> None:
        target = folder / f"stem-{len(found)}.wav"
        found.append(_Voice(stem, one, its, target, apart=apart))

    for (stem, part), sources, apart in zip(parts, heard, split, strict=True):
        if not apart:
            add(stem and stem.model_copy(update={"sources": tuple(sources)}), part, moves)
            continue
        for source in sources:
            shown = rig.nodes[source].shown
            base = stem or StemOut(id=source, name=shown, wet=False, level_db=None)
            name = base.name if stem is None else f"{base.name}, {shown}"
            its = base.model_copy(update={"name": name, "sources": (source,)})
            add(its, *alone(part, moves, source), True)
    return found


def render_file(
    rig: Rig, plan: Plan, job: RenderJob, clips: Mapping[str, ClipFile], folder: Path,
    progress: Progress, material: Material = Material(), store: PartStore | None = None,
    publish: Publish | None = None,
) -> tuple[RenderReport, RenderDetail]:  # fmt: skip
    """Render a stretch of the song into `folder`: mix.wav, and stems.wav where there are stems.

    32-bit float at the highest rate of the clips; stems.wav has two channels a stem, in the report's
    order. store: what was computed before is read from there, bit for bit as it would be again.
    publish: told as soon as the files can be heard, with a report that has no levels yet.
    Raises RenderError, FeedError, AudioError and what `progress` raises; nothing is left in the
    folder then but what its owner removes.
    """
    known = all(f.source in plan.sources for f in job.feeds if f.sounds)
    if job.output not in plan.outputs or not known:
        raise RenderError("The rig has no such source or output any more.")
    plan = to_output(plan, job.output)
    places = _places(rig, plan, job)
    reason = next((place.reason for place in places if place.reason), "")
    if (
        places
        and not reason
        and any(loop.above for loop in held_points(plan, material.moves).values())
    ):
        reason = GROWING
    live = [] if reason else places
    task = _Run(plan, job, clips, material, store)
    while True:
        try:
            return _render(task, rig, live, reason, folder, progress, publish)
        except NotSilent:
            task.tail_s = min(LONGEST_TAIL_S, 2 * task.tail_s)
        except TooShort:
            # Kept by a run that was shorter, against all expectation: compute all of it.
            task.store = None


def _render(
    task: _Run,
    rig: Rig,
    places: Sequence[PlaceOut],
    reason: str,
    folder: Path,
    progress: Progress,
    publish: Publish | None,
) -> tuple[RenderReport, RenderDetail]:
    plan, job = task.plan, task.job
    voices = _voices(rig, plan, places, job, task.material.moves, folder)
    shared = _Shared(len(voices) + 2)
    shared.shares[-1] = 0.0 if any(voice.apart for voice in voices) else 1.0
    gauged = shared_out(plan, [voice.plan for voice in voices])

    def said() -> None:
        progress(0.8 * sum(shared.shares) / len(shared.shares), "Rendering")

    def trunk(share: float) -> None:
        shared.shares[0] = share
        said()

    _trunk(task, voices, gauged, trunk)
    shared.shares[0] = 1.0
    # Where sources are heard one by one, what left each stage is that of all of them together.
    seen = frozenset().union(*gauged)
    unseen = frozenset({*plan.outlet.values(), *plan.outputs.values()} - seen)
    together = _Voice(None, plan, task.material.moves, folder / "unheard.wav")
    extra = [together] if any(voice.apart for voice in voices) else []
    with ThreadPoolExecutor(_AT_ONCE) as pool:
        # The longest first: so that none of them is left for one core alone at the end.
        order = sorted(enumerate(voices), key=lambda one: -_tails(one[1].plan))
        waiting = [
            pool.submit(_voice_file, task, voice, gauged[i], shared.reporter(i + 1))
            for i, voice in order
        ]
        aside = [
            pool.submit(_voice_file, task, one, unseen, shared.reporter(len(voices) + 1))
            for one in extra
        ]
        try:
            both = [*waiting, *aside]
            while wait(both, timeout=_POLL_S, return_when=FIRST_EXCEPTION).not_done:
                failed = [w for w in both if w.done() and w.exception() is not None]
                if failed:
                    failed[0].result()
                said()
        except BaseException:
            shared.stop.set()
            raise
        frames = max(w.result() for w in waiting)
        for one in aside:
            one.result()
    renderers = [one.renderer for one in (*voices, *extra) if one.renderer is not None]
    held = sorted({name for one in renderers for name in one.held_back()})
    wide = plan.channels[plan.outputs[job.output]] == 2
    files = [voice.target for voice in voices]
    stems = [voice.stem for voice in voices if voice.stem is not None]
    channels = 2 if wide else 1
    write_sound(files, frames, channels, folder, bool(stems))
    if publish is not None:
        publish(_unmeasured(task, frames, channels, stems, reason))
    for file in (*files, *(one.target for one in extra)):
        file.unlink()
    if task.store is not None:
        task.store.tidy()
    report, detail = measure_sound(len(files), frames, channels, folder, bool(stems), progress)
    more = {
        "before_dbfs": _bands_before(task, frames),
        "plan": plan.digest,
        "stages": stage_gauges(plan, renderers, task.frames),
    }
    detail = detail.model_copy(update=more)
    told = [
        StemReport(**stem.model_dump(), loudness_lufs=loudness, peak_dbfs=peak)
        for stem, (loudness, peak) in zip(stems, report.levels, strict=False)
    ]
    said_s = f"{report.sound.seconds:.1f} s rendered"
    if job.start_s or job.length_s is not None:
        said_s += f" from {job.start_s:.2f} s of the song"
    return RenderReport(
        **report.sound.model_dump(), start_s=job.start_s, place=job.place, stems=told,
        needs_render=reason, sentence=said_s + ".", alarm=_alarm(rig, held),
    ), detail  # fmt: skip


def _unmeasured(
    task: _Run, frames: int, channels: int, stems: list[StemOut], reason: str
) -> RenderReport:
    told = [StemReport(**s.model_dump(), loudness_lufs=None, peak_dbfs=None) for s in stems]
    return RenderReport(
        seconds=frames / task.rate, rate_hz=task.rate, channels=channels, loudness_lufs=None,
        peak_dbfs=None, true_peak_dbtp=None, correlation=None, start_s=task.job.start_s,
        place=task.job.place, needs_render=reason, stems=told, sentence="Not measured yet.",
    )  # fmt: skip


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


def _bands_before(task: _Run, rendered: int) -> list[float]:
    """Third-octave levels of all clips of the stretch together, their energy spread over the render's
    frames.

    A render lasts longer than its clips, by its tail: means over their own lengths would differ by
    that alone.
    """
    with task.song() as song:
        meter = SoundMeter(2, task.rate, task.frames)
        for start in range(0, task.frames, BLOCK):
            count = min(BLOCK, task.frames - start)
            both = np.zeros((2, count))
            for one in song.read(start, count).values():
                # Mono on two sides is as loud as it was.
                both += one if len(one) > 1 else np.sqrt(0.5) * one
            meter.push(both)
    shorter = power_decibels(task.frames / max(task.frames, rendered))
    return [round(level + shorter, 2) for level in meter.curves().band_dbfs]


def load_impulse(path: Path, name: str, rate_hz: int) -> np.ndarray:
    """An impulse response (channels, n) at a rate, at most stereo. Raises AudioError."""
    return load_sound(path, name, rate_hz, LONGEST_S + 1)


def load_sound(path: Path, name: str, rate_hz: int, longest_s: float) -> np.ndarray:
    """The beginning of a file (channels, n) at a rate, at most stereo. Raises AudioError."""
    with open_audio(path, name) as sound:
        count = min(sound.frames, round(longest_s * sound.rate_hz))
        samples = np.asarray(sound.read(0, count), np.float64)[:2]
        if sound.rate_hz == rate_hz:
            return samples
        return np.asarray(soxr.resample(samples.T, sound.rate_hz, rate_hz, "HQ").T)


@lru_cache(maxsize=32)
def impulse_of(path: str, name: str, rate_hz: int) -> Impulse:
    """What the plan counts of an impulse response that is stored by its content. Raises AudioError."""
    return impulse_facts(load_impulse(Path(path), name, rate_hz), rate_hz)


def _places(rig: Rig, plan: Plan, job: RenderJob) -> list[PlaceOut]:
    """Where it is balanced: one place, or several with a + between them."""
    if job.place is None:
        return []
    wanted = list(dict.fromkeys(job.place.split("+")))
    known = {place.id: place for place in find_places(rig, plan, job.output)}
    if len(wanted) > MOST_PLACES or any(name not in known for name in wanted):
        raise RenderError(
            "There is nothing to balance at the place that was chosen, or not any more."
        )
    return [known[name] for name in wanted]
