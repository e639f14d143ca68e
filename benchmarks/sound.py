"""Speed of the renderer: processors against one-pole filtering, rigs against their processors."""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from statistics import median
from unittest.mock import patch

import numpy as np
import pyloudnorm
import scipy.signal
import soundfile
import soxr

from core.audio.loudness import EnergyMeter, loudness_of
from core.render.clip import render_file
from core.render.feeds import ClipFile, one_clip
from core.render.processors import Setting, processor_for
from core.render.report import RenderJob
from core.render.rig import Renderer
from core.render.ring import Ring
from core.render.run import render_clip
from core.render.stems import only, to_output
from core.render.tests.decays import OCTAVES, mean_decays
from core.routing import Context, Rig, compile_rig, parse_rig
from core.routing.document import kinds as k
from core.routing.document.demo import DEMO_RIGS
from core.routing.plan.model import SWAP, UNIT, Plan, SelfLoop, scaled
from core.routing.plan.responses import cuts
from core.units import TempoFrame

RATE = 48_000
BLOCK = 16_384
ROUNDS = 5
Line = Callable[[str, float, str, str], None]
_OCTAVES = {
    "rt60_125_s": 2.4, "rt60_250_s": 2.2, "rt60_500_s": 2.0, "rt60_1000_s": 1.8,
    "rt60_2000_s": 1.4, "rt60_4000_s": 1.0,
}  # fmt: skip


def _cpu(work: Callable[[], object]) -> float:
    began = time.process_time()
    work()
    return time.process_time() - began


def _ratio(work: Callable[[], object], against: Callable[[], object]) -> float:
    work()
    return median(_cpu(work) / _cpu(against) for _ in range(ROUNDS))


def _feed(process: Callable[[np.ndarray], np.ndarray], sound: np.ndarray) -> None:
    for start in range(0, sound.shape[1], BLOCK):
        process(sound[:, start : start + BLOCK])


def bench_processors(line: Line, seconds: int = 60) -> None:
    """Against SciPy's one-pole lfilter on the same stereo samples in float64."""
    sound = 0.1 * np.random.default_rng(1).standard_normal((2, seconds * RATE))

    def one_pole() -> None:
        scipy.signal.lfilter([0.1], [1, -0.9], sound, axis=1)

    setting = Setting(RATE, 2)
    works = (
        ("compressor", k.Compressor(id="c"), "at most 1.0"),
        ("reverb, even decay", k.Reverb(id="r", locked=True), "at most 1.0"),
        ("reverb, one pole", k.Reverb(id="r", locked=True, high_decay_percent=40), "at most 1.0"),
        ("reverb, by octave", k.Reverb(id="r", locked=True, **_OCTAVES), "at most 4.0"),
        ("reverb, modulated", k.Reverb(id="r"), "-"),
        ("chorus", k.Chorus(id="h"), "at most 1.1"),
        ("swept filter", k.Swept(id="s", moved_by="lfo"), "-"),
        ("three bands", k.ThreeBand(id="t"), "-"),
    )
    for name, stage, goal in works:
        work = processor_for(stage, setting)
        line(
            f"{name} / one-pole lfilter", _ratio(lambda w=work: _feed(w, sound), one_pole), goal, ""
        )
    loop = cuts(None, 4000, 1)
    for name, matrix in (("feedback delay", UNIT), ("ping-pong", SWAP)):
        ring = Ring(SelfLoop(scaled(matrix, 0.5), 0.35, "d", loop), RATE)
        line(
            f"{name} / one-pole lfilter",
            _ratio(lambda r=ring: _feed(r, sound), one_pole),
            "at most 0.35",
            "",
        )

    drive = processor_for(k.Drive(id="d"), setting)

    def soxr_drive() -> None:
        up = soxr.resample(sound.T.astype(np.float32), RATE, 4 * RATE, "HQ")
        soxr.resample(np.tanh(up), 4 * RATE, RATE, "HQ")

    line(
        "drive through soxr HQ / drive, 4x",
        1 / _ratio(lambda: _feed(drive, sound), soxr_drive),
        "at least 2",
        "",
    )
    meter = pyloudnorm.Meter(RATE)
    frames = np.ascontiguousarray(sound.T)

    def every_figure() -> None:
        own = EnergyMeter(RATE)
        for start in range(0, sound.shape[1], 1 << 16):
            own.push(sound[None, :, start : start + (1 << 16)])
        loudness_of(own)

    theirs = _ratio(every_figure, lambda: meter.integrated_loudness(frames))
    line(
        "pyloudnorm / loudness, largest values every 10 ms and range too",
        1 / theirs,
        "at least 8",
        "",
    )


def bench_decays(line: Line) -> None:
    """RT60 as rendered against what was asked, by octave, mean of eight seeds; and the worst of all."""
    print("decay asked, s; per cent off at " + ", ".join(f"{hz} Hz" for hz in OCTAVES))
    worst = {True: 0.0, False: 0.0}
    for rt60_s in (0.15, 0.3, 0.5, 1.0, 2.0, 4.0, 10.0):
        for locked in (True, False):
            stage = k.Reverb(id="r", rt60_s=rt60_s, locked=locked)
            off = 100 * (mean_decays(stage) / rt60_s - 1)
            print(
                f"  {rt60_s:5g} {'locked   ' if locked else 'modulated'} "
                + " ".join(f"{value:6.1f}" for value in off)
            )
            worst[rt60_s >= 0.3] = max(worst[rt60_s >= 0.3], float(np.abs(off).max()))
    line("decay, 0.3 to 10 s, worst octave", worst[True], "at most 5", " %")
    line("decay, below 0.3 s, worst octave", worst[False], "at most 10", " %")


def bench_rigs(line: Line, seconds: int = 60) -> None:
    """A whole demo rig against its processors alone, and two stems on two cores against one."""
    context = Context(TempoFrame(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8))
    rig = parse_rig(DEMO_RIGS[0][2][0][1])
    plan = compile_rig(rig, context)
    sound = 0.1 * np.random.default_rng(2).standard_normal((2, seconds * RATE))
    source = next(iter(plan.sources))

    def whole() -> None:
        render_clip(plan, RATE, {source: sound[:1]}, tail_s=0)

    renderer = Renderer(plan, RATE)
    parts = [w.work for w in renderer.ways if w.work is not None]
    filters = [w.filter for w in renderer.ways if w.filter is not None]
    lines = [w.line for w in renderer.ways if w.line is not None and w.line.whole]

    def alone() -> None:
        for work in (*parts, *filters, *renderer.rings.values()):
            _feed(work, sound)
        for held in lines:
            for start in range(0, sound.shape[1], BLOCK):
                held.push(sound[:, start : start + BLOCK])
                held.read(min(BLOCK, sound.shape[1] - start))

    line("demo rig / its processors", _ratio(whole, alone), "at most 1.2", "")
    began = time.process_time()
    whole()
    line("demo rig, real time / CPU time", seconds / (time.process_time() - began), "-", "")

    line("a render with gauges / without", _gauges(rig, plan, source, sound), "at most 1.1", "")

    text = (
        "g: source (stereo) > s: split > m: merge > o: output (stereo)\n"
        "s > r1: reverb (locked) > m\ns > r2: reverb (locked, RT60 3 s) > m"
    )
    two = parse_rig(text)
    plans = [
        only(two, to_output(compile_rig(two, context), "o"), "m", [p]) for p in ("r1.0", "r2.0")
    ]

    def stem(plan: object) -> None:
        render_clip(plan, RATE, {"g": sound}, tail_s=0)  # type: ignore[arg-type]

    def wall(workers: int) -> float:
        began = time.perf_counter()
        with ThreadPoolExecutor(workers) as pool:
            list(pool.map(stem, plans))
        return time.perf_counter() - began

    wall(2)
    line(
        "two stems on one core / on two",
        median(wall(1) / wall(2) for _ in range(ROUNDS)),
        "at least 1.6",
        "",
    )


def _gauges(rig: Rig, plan: Plan, source: str, sound: np.ndarray) -> float:
    """A whole render of a file, gauged and not."""

    def nowhere(_: Plan, parts: Sequence[Plan]) -> list[frozenset[int]]:
        return [frozenset() for _ in parts]

    with tempfile.TemporaryDirectory() as held:
        clip = Path(held) / "clip.wav"
        soundfile.write(clip, sound[:, : 20 * RATE].T, RATE, "PCM_24")
        job = RenderJob(feeds=one_clip(source, "clip"), output=next(iter(plan.outputs)))

        def render() -> None:
            render_file(
                rig, plan, job, {"clip": ClipFile(clip, "clip")}, Path(held), lambda *_: None
            )

        def bare() -> None:
            with patch("core.render.clip.shared_out", nowhere):
                render()

        return _ratio(render, bare)


_PEAK = """
import sys
from pathlib import Path
from core.render.clip import render_file
from core.render.report import RenderJob
from core.render.feeds import ClipFile, one_clip
from core.routing import compile_rig, parse_rig
rig = parse_rig("g: source (stereo) > s: split > m: merge > o: output (stereo)\\ns > reverb (RT60 2 s, mix 100 %) > m\\ns > delay (mix 100 %, feedback 40 %) > m")
job = RenderJob(feeds=one_clip("g", "clip"), output="o", place="m")
clips = {"clip": ClipFile(Path(sys.argv[1]), "clip")}
render_file(rig, compile_rig(rig), job, clips, Path(sys.argv[2]), lambda *_: None)
print(next(line.split()[1] for line in open("/proc/self/status") if line.startswith("VmHWM")))
"""


def bench_memory(line: Line) -> None:
    """Peak memory of a process that renders three stems of a long file."""
    with tempfile.TemporaryDirectory() as held:
        for seconds in (10, 300, 1800):
            clip = Path(held) / f"{seconds}.wav"
            piece = 0.1 * np.random.default_rng(3).standard_normal((10 * RATE, 2))
            with soundfile.SoundFile(str(clip), "w", RATE, 2, "PCM_24") as out:
                for _ in range(seconds // 10):
                    out.write(piece)
            target = Path(held) / f"out-{seconds}"
            target.mkdir()
            said = subprocess.run(
                [sys.executable, "-c", _PEAK, str(clip), str(target)],
                capture_output=True, text=True, check=True,
            ).stdout  # fmt: skip
            line(f"peak memory rendering {seconds} s", int(said) / 1024, "below 300", " MB")
