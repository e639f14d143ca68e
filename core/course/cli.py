"""`fonodrome rig` and `fonodrome render`: the plan, and its sound, for scripts. No server, no database."""

import argparse
import json
import math
import sys
from collections.abc import Callable, Mapping
from contextlib import ExitStack
from pathlib import Path
from typing import Any, NoReturn

import numpy as np
import soundfile
import soxr
from pydantic import ValidationError

from core.audio import examine, open_audio
from core.audio.floats import float_wav
from core.course.table import as_table
from core.errors import FonodromeError
from core.render.clip import load_impulse
from core.render.gauges import stage_gauges
from core.render.rig import Renderer
from core.render.run import run
from core.render.stems import to_output
from core.routing import (
    Context,
    Evaluation,
    Rig,
    clip_facts,
    compile_rig,
    impulses_used,
    load_rig,
    parse_rig,
    run_checks,
)
from core.routing.document.kinds import Source
from core.routing.edit.edits import with_scene
from core.routing.plan.carried import Carried
from core.routing.plan.cells import ClipFacts
from core.routing.plan.spread import impulse_facts
from core.units import TempoFrame, parse_time
from core.units.decibel import audible_db

_READ_MOST = 4_000_000
"""Characters of a rig file."""
_RATE_HZ = 48_000
_STRETCH = 65_536
_LOUDEST_DBFS = 40.0
"""Above this a file's numbers are not samples against full scale."""


class Wrong(FonodromeError):
    """A command's words, or a file that it names, cannot be used."""


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise Wrong(f"{message[:1].upper()}{message[1:]}. See fonodrome {self.prog} --help.")


def _pair(text: str) -> tuple[str, Path]:
    name, _, path = text.partition("=")
    if not name or not path:
        raise argparse.ArgumentTypeError(f"“{text}” does not read NAME=FILE")
    return name, Path(path)


def _common(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("file", metavar="FILE", type=Path, help="a rig: its notation, or JSON")
    parser.add_argument(
        "--clip", metavar="SOURCE=AUDIO", type=_pair, action="append", default=[],
        help="what plays into a source",
    )  # fmt: skip
    parser.add_argument(
        "--impulse", metavar="NAME=AUDIO", type=_pair, action="append", default=[],
        help="an impulse response that the rig names",
    )  # fmt: skip
    parser.add_argument("--tempo", type=float, default=120.0, help="beats a minute (default 120)")
    parser.add_argument(
        "--unit", default="1/4", help="what is counted: 1/4, 1/4. ... (default 1/4)"
    )
    parser.add_argument("--scene", metavar="NAME", help="a scene of the rig that is called up")
    parser.add_argument("--json", action="store_true", help="everything as JSON")


def read_rig(path: Path) -> Rig:
    """A rig from a file. Raises FonodromeError with one sentence for what cannot be read."""
    try:
        if path.stat().st_size > _READ_MOST:
            raise Wrong(f"“{path.name}” is too large for a rig.")
        text = path.read_text("utf-8")
    except OSError as error:
        raise Wrong(f"“{path}” cannot be read: {error.strerror or 'no such file'}.") from None
    except UnicodeDecodeError:
        raise Wrong(f"“{path.name}” is no text.") from None
    if not text.lstrip().startswith("{"):
        return parse_rig(text)
    try:
        data = json.loads(text)
    except json.JSONDecodeError as error:
        raise Wrong(f"“{path.name}” is not JSON: {error.msg} in line {error.lineno}.") from None
    except RecursionError:
        raise Wrong(f"“{path.name}” is no rig: it is nested without end.") from None
    return load_rig(data)


def _examined(path: Path) -> dict[str, Any]:
    """What is known of a clip. Raises FonodromeError for one that cannot play into a source."""
    with open_audio(path, path.name) as sound:
        if sound.channels > 2:
            raise Wrong(
                f"“{path.name}” has {sound.channels} channels; a source takes one or two. Export a "
                "stereo file."
            )
    found = examine(path).model_dump()
    if found["peak_dbfs"] is not None and found["peak_dbfs"] > _LOUDEST_DBFS:
        raise Wrong(
            f"“{path.name}” reaches {found['peak_dbfs']:+.0f} dBFS: that is no level of sound. "
            "Export it again."
        )
    return found


def _rig_and_context(given: argparse.Namespace) -> tuple[Rig, Context, dict[str, np.ndarray]]:
    """The rig as the scene sets it, what it is computed under, and its impulse responses."""
    rig = read_rig(given.file)
    if given.scene is not None:
        scene = next((s for s in rig.scenes if s.name == given.scene), None)
        if scene is None:
            names = ", ".join(f"“{s.name}”" for s in rig.scenes) or "none"
            raise Wrong(f"The rig has no scene “{given.scene}”; it has {names}.")
        rig = with_scene(rig, scene)
    try:
        frame = TempoFrame(tempo_bpm=given.tempo, beat_unit=given.unit)
        parse_time("1/4", frame)
    except ValidationError as error:
        raise Wrong(f"This is no tempo: {error.errors()[0]['msg'].lower()}.") from None
    clips: dict[str, ClipFacts] = {}
    for name, path in given.clip:
        node = rig.nodes.get(name)
        if not isinstance(node, Source):
            have = ", ".join(n.id for n in rig.of_kind("source")) or "none"
            raise Wrong(f"The rig has no source “{name}”; it has {have}.")
        if name in clips:
            raise Wrong(f"Source “{name}” was given two clips.")
        clips[name] = clip_facts(path.name, _examined(path), stereo=node.stereo)
    wanted = impulses_used(rig)
    sounds = {}
    for name, path in given.impulse:
        if name not in wanted:
            raise Wrong(f"Nothing in the rig names an impulse response “{name}”.")
        sounds[name] = load_impulse(path, path.name, _RATE_HZ)
    facts = {name: impulse_facts(sound, _RATE_HZ) for name, sound in sounds.items()}
    return rig, Context(frame, clips=clips, impulses=facts), sounds


def _number(value: float | None) -> float | None:
    """Rounded to a ten-thousandth; null for what does not exist."""
    return None if value is None or not math.isfinite(value) else round(value, 4)


def _levels(carried: Carried) -> list[float | None] | None:
    sides = [_number(v) for v in carried.sides_dbfs[: carried.channels]]
    return None if carried.grows or all(v is None for v in sides) else sides


def _peaks(carried: Carried) -> list[float | None] | None:
    found = [_number(audible_db(p * p)) for p in carried.peak[: carried.channels]]
    return None if carried.grows or all(v is None for v in found) else found


def rig_report(rig: Rig, context: Context) -> dict[str, Any]:
    """What the plan says of a rig, ready for JSON. Raises FonodromeError."""
    e = Evaluation(rig, context)
    plan = e.plan
    stages, outputs = [], []
    for name in plan.order:
        node = rig.nodes[name]
        point = plan.outputs.get(name, plan.outlet.get(f"{name}.0", plan.inlet[name]))
        carried = plan.carried[point]
        row: dict[str, Any] = {
            "id": name, "name": node.shown, "level_dbfs": _levels(carried),
            "peak_bound_dbfs": _peaks(carried),
        }  # fmt: skip
        if name not in plan.outputs:
            stages.append(row)
            continue
        row["mono_dbfs"] = (
            None if carried.channels == 1 else _number(audible_db(carried.mono_power))
        )
        row["arrivals"] = [
            {
                "source": board.source, "name": a.name, "detail": a.detail,
                "level_db": _number(a.level_db), "gain_db": _number(a.gain_db),
                "time_ms": _number(a.time_ms), "polarity": a.polarity,
                "wet_percent": a.wet_percent, "pan_percent": _number(a.pan_percent),
                "quiet_db": _number(a.quiet_db), "loud_db": _number(a.loud_db),
                "through": a.through,
            }
            for board in e.boards if board.output == name
            for a in board.arrivals
        ]  # fmt: skip
        row["sums"] = [
            {
                "source": board.source, "level_db": _number(board.sums.level_db),
                "in_step_db": _number(board.sums.headroom_db),
                "mono_db": _number(board.sums.mono_db), "cancels": board.sums.cancels,
            }
            for board in e.boards if board.output == name and board.sums is not None
        ]  # fmt: skip
        outputs.append(row)
    return {
        "title": rig.title,
        "stages": stages,
        "outputs": outputs,
        "loops": [
            {
                "rail": loop.port, "gain_db": _number(loop.gain_db),
                "grows": loop.gain_db is None or loop.gain_db >= 0,
            }
            for loop in e.loops
        ],
        "stable": e.stable,
        "checks": [
            {
                "id": f.check, "severity": f.severity, "where": f.at, "sentence": f.sentence,
                "number": _number(f.value), "unit": f.unit, "intended": f.intended,
                "consequences": [
                    {"id": c.check, "where": c.at, "sentence": c.sentence, "number": _number(c.value)}
                    for c in f.consequences
                ],
            }
            for f in run_checks(e).findings
        ],
        "spectra": {
            name: context.clips[name].name if name in context.clips else "pink, 40 Hz to 16 kHz"
            for name in plan.sources
        },
    }  # fmt: skip


def show_rig(arguments: list[str]) -> int:
    """0: computed; 2: cannot be."""
    parser = _Parser(
        prog="rig", description="What arrives where, how loud, how late, and what to mend."
    )
    _common(parser)
    given = parser.parse_args(arguments)
    rig, context, _ = _rig_and_context(given)
    found = rig_report(rig, context)
    print(json.dumps(found, indent=2, ensure_ascii=False) if given.json else as_table(found))
    return 0


# Rendering -------------------------------------------------------------------------------------
class _Resampled:
    """A sound at another rate, read from front to back without holding more than a stretch of it."""

    def __init__(self, sound: Any, rate: int) -> None:
        self.sound, self.channels = sound, min(2, sound.channels)
        self.frames = math.ceil(sound.frames * rate / sound.rate_hz)
        self.stream = soxr.ResampleStream(
            sound.rate_hz, rate, self.channels, dtype="float64", quality="HQ"
        )
        self.taken = 0
        self.waiting = np.zeros((self.channels, 0))

    def read(self, start: int, count: int) -> np.ndarray:
        """(channels, count) from where the last one ended; silence behind the end."""
        while self.waiting.shape[1] < count and self.taken < self.sound.frames:
            given = min(_STRETCH, self.sound.frames - self.taken)
            part = np.asarray(self.sound.read(self.taken, given), np.float64)[: self.channels]
            self.taken += given
            made = self.stream.resample_chunk(
                np.ascontiguousarray(part.T), last=self.taken >= self.sound.frames
            )
            new = np.asarray(made).reshape(-1, self.channels).T
            self.waiting = np.concatenate([self.waiting, new], axis=1)
        found, self.waiting = self.waiting[:, :count], self.waiting[:, count:]
        return np.pad(found, ((0, 0), (0, count - found.shape[1])))


def _readers(
    clips: list[tuple[str, Path]], stack: ExitStack
) -> tuple[int, int, dict[str, Callable[[int, int], np.ndarray]]]:
    """Rate, frames of the longest clip, and what reads (channels, count) of each from a place on.

    The first clip's rate is that of the render; others are resampled to it.
    """
    rate, longest = 0, 0
    readers: dict[str, Callable[[int, int], np.ndarray]] = {}
    for name, path in clips:
        sound = stack.enter_context(open_audio(path, path.name))
        rate = rate or sound.rate_hz
        if sound.rate_hz == rate:
            frames = sound.frames

            def straight(start: int, count: int, sound: Any = sound) -> np.ndarray:
                have = max(0, min(count, sound.frames - start))
                out = np.zeros((min(2, sound.channels), count))
                if have:
                    out[:, :have] = sound.read(start, have)[:2]
                return out

            readers[name] = straight
        else:
            stream = _Resampled(sound, rate)
            frames, readers[name] = stream.frames, stream.read
        longest = max(longest, frames)
    return rate, longest, readers


def render_sources(
    rig: Rig, context: Context, clips: list[tuple[str, Path]], output: str, target: Path,
    tail_s: float | None = None, impulses: Mapping[str, np.ndarray] | None = None,
) -> dict[str, Any]:  # fmt: skip
    """Render a rig with all its clips at once into a 32-bit float WAV; what was measured on the way.

    Sources without a clip are silent. Raises FonodromeError; a file that was begun is removed then.
    """
    plan = to_output(compile_rig(rig, context), output)
    with ExitStack() as stack:
        rate, frames, readers = _readers(clips, stack)
        at_rate = {
            name: sound
            if rate == _RATE_HZ
            else np.asarray(soxr.resample(sound.T, _RATE_HZ, rate, "HQ").T)
            for name, sound in (impulses or {}).items()
        }
        renderer = Renderer(plan, rate, at_rate, metered=True)
        channels = plan.channels[plan.outputs[output]]
        try:
            with float_wav(target, rate, channels) as out:
                written = run(
                    renderer, lambda start, count: {n: read(start, count) for n, read in readers.items()},
                    frames, lambda b: out.write(b[output][:channels].T.astype(np.float32)),
                    tail_s=tail_s,
                )  # fmt: skip
        except soundfile.LibsndfileError as error:
            raise Wrong(f"“{target}” cannot be written: {error}") from None
        except FonodromeError:
            target.unlink(missing_ok=True)
            raise
    gauges = {g.node: g for g in stage_gauges(plan, [renderer], frames)}
    rows = [
        {
            "id": name, "name": rig.nodes[name].shown,
            "level_dbfs": [_number(v) for v in g.rms_dbfs] if any(v is not None for v in g.rms_dbfs) else None,
            "peak_dbfs": [_number(v) for v in g.peak_dbfs],
            "true_peak_dbtp": [_number(v) for v in g.true_peak_dbtp],
            "gain_db": {
                "least": _number(min((v for v in g.gain_db if v is not None), default=None)),
                "most": _number(max((v for v in g.gain_db if v is not None), default=None)),
                "acting_percent": _number(None if g.acting is None else 100 * g.acting),
            } if g.gain_db else None,
        }
        for name, g in gauges.items()
    ]  # fmt: skip
    return {
        "title": rig.title, "file": str(target), "rate_hz": rate, "seconds": round(written / rate, 4),
        "output": output,
        "stages": [row for row in rows if row["id"] != output],
        "outputs": [row for row in rows if row["id"] == output],
        "held": renderer.held_back(),
    }  # fmt: skip


def render_rig(arguments: list[str]) -> int:
    """0: rendered; 2: cannot be."""
    parser = _Parser(prog="render", description="A rig with all its sources as a WAV file.")
    _common(parser)
    parser.add_argument("--output", metavar="OUT.wav", type=Path, required=True)
    parser.add_argument("--at", metavar="OUTPUT", help="which output (default: the first)")
    parser.add_argument(
        "--tail-s", type=float, metavar="S", help="tail (default: until it has died away)"
    )
    given = parser.parse_args(arguments)
    if not given.clip:
        raise Wrong("Nothing to render: give a source its clip with --clip SOURCE=AUDIO.")
    if given.tail_s is not None and not 0 <= given.tail_s <= 600:
        raise Wrong("A tail lasts from 0 to 600 s.")
    rig, context, impulses = _rig_and_context(given)
    outputs = [n.id for n in rig.of_kind("output")]
    output = given.at or next(iter(outputs), None)
    if output is None or output not in outputs:
        raise Wrong(
            f"The rig has no output “{given.at or ''}”; it has {', '.join(outputs) or 'none'}."
        )
    if not given.output.resolve().parent.is_dir():
        raise Wrong(f"There is no folder “{given.output.parent}” to write into.")
    read = [given.file, *(path for _, path in (*given.clip, *given.impulse))]
    if given.output.resolve() in {path.resolve() for path in read}:
        raise Wrong(f"“{given.output}” is read from: give the result another name.")
    found = render_sources(rig, context, given.clip, output, given.output, given.tail_s, impulses)
    print(json.dumps(found, indent=2, ensure_ascii=False) if given.json else as_table(found))
    return 0


def main(arguments: list[str]) -> int:
    """Errors are one sentence and exit status 2."""
    commands = {"rig": show_rig, "render": render_rig}
    try:
        return commands[arguments[0]](arguments[1:])
    except FonodromeError as error:
        print(error.sentence, file=sys.stderr)
        return 2


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
