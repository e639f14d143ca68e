"""A measurement as a whole: a take is found and judged, its halts are read, and set beside the plan."""

import io
import tempfile
from collections.abc import Callable
from pathlib import Path

import soundfile

from core.audio.floats import write_float
from core.bench.halts import Bench, BenchResult, Progress
from core.bench.mixing import read_mix
from core.bench.passing import read_cable, read_dynamics, read_filter, read_loop
from core.bench.plan import BenchPlan
from core.bench.ringing import read_decay, read_delay
from core.bench.signal import BenchKind, TestSignal, sound_of
from core.bench.stand_in import Asked, take_of
from core.bench.take import read_take

_READERS: dict[BenchKind, Callable[[Bench, BenchPlan, Progress], BenchResult]] = {
    "delay": read_delay,
    "decay": read_decay,
    "loop": read_loop,
    "dynamics": read_dynamics,
    "filter": read_filter,
    "cable": read_cable,
    "mix": read_mix,
}


def measure_take(
    path: Path | str, signal: TestSignal, plan: BenchPlan | None = None, *,
    name: str | None = None, progress: Progress = lambda *_: None, scratch: Path | None = None,
) -> BenchResult:  # fmt: skip
    """Read a recording of a test signal through a device, and set it beside the plan.

    Raises AudioError for what is no audio, and MeasureError where the take cannot be read.
    """
    plan = plan or BenchPlan()
    progress(0.02, "Looking for the marker")
    take = read_take(path, signal, name)
    read = _READERS[signal.kind]
    with tempfile.TemporaryDirectory(prefix="bench-", dir=scratch) as held:
        return read(Bench(take, Path(held)), plan, progress)


def signal_wav(signal: TestSignal) -> bytes:
    """The signal as the bytes of a 24-bit WAV, mono."""
    out = io.BytesIO()
    soundfile.write(out, sound_of(signal), signal.rate_hz, format="WAV", subtype="PCM_24")
    return out.getvalue()


def write_take(path: Path, stand_in: str, signal: TestSignal, asked: Asked) -> None:
    """A simulated take of the signal as a 32-bit float WAV. Raises KeyError for no such stand-in."""
    take = take_of(stand_in, signal, asked)
    write_float(path, take, signal.rate_hz)
