"""What every reading of a take shares: its halts as files, what was read at each, rows beside the plan."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from pydantic import Field

from core.audio.floats import write_float
from core.bench.plan import BenchPlan, Readings
from core.bench.results import (
    DecayMeasured,
    DelayMeasured,
    DynamicsMeasured,
    LoopMeasured,
    MixMeasured,
    Refused,
)
from core.bench.signal import BenchKind, sound_of
from core.bench.take import Take, TakeReport
from core.edge import Edge
from core.measure.results import Picture
from core.units import format as fmt

Progress = Callable[[float, str], None]


class Compared(Edge):
    """One figure beside the plan."""

    name: str
    unit: str
    planned: float | None
    measured: float | None
    digits: int = Field(2, description="Digits after the point that are worth showing")
    holds_within: float | None = Field(None, description="How far off the reading may be")
    words: str = Field("", description="In place of figures: 'inverted'")
    planned_words: str = ""


class HaltRead(Edge):
    name: str
    words: str
    start_s: float
    length_s: float
    said: str
    read: bool


class BenchResult(Edge):
    """What a device really does, beside what was planned."""

    kind: BenchKind
    device: str
    sentence: str
    about: str
    take: TakeReport
    halts: list[HaltRead]
    compared: list[Compared]
    readings: Readings | None = None
    delay: DelayMeasured | None = None
    decay: DecayMeasured | None = None
    loop: LoopMeasured | None = None
    dynamics: DynamicsMeasured | None = None
    mix: MixMeasured | None = None
    pictures: list[Picture]
    refused: list[Refused]
    cautions: list[str]


class Bench:
    """Files of single halts, as the readers of files want them."""

    def __init__(self, take: Take, folder: Path) -> None:
        self.take, self.folder = take, folder
        self.rate = take.signal.rate_hz
        self.sent = sound_of(take.signal)

    def _write(self, name: str, sound: np.ndarray) -> Path:
        path = self.folder / name
        write_float(path, sound, self.rate)
        return path

    def back(self, name: str, before_s: float = 0.01) -> Path:
        return self._write(f"{name} back.wav", self.take.cut(name, before_s))

    def out(self, name: str, before_s: float = 0.01) -> Path:
        halt = self.take.signal.halt(name)
        first = round((halt.start_s - before_s) * self.rate)
        cut = self.sent[first : first + round((halt.length_s + before_s) * self.rate)]
        return self._write(f"{name} sent.wav", cut[None])

    def late_ms(self, samples: float) -> float:
        """From sent to back in ms, where recording and playing began together."""
        return 1e3 * (self.take.first + samples) / self.rate

    def both(self, first: str, last: str) -> tuple[Path, Path]:
        """From the beginning of one halt to the end of another: what was sent, and what came back."""
        a, b = self.take.signal.halt(first), self.take.signal.halt(last)
        low, high = round(a.start_s * self.rate), round((b.start_s + b.length_s) * self.rate)
        return (
            self._write("sent.wav", self.sent[None, low:high]),
            self._write("back.wav", self.take.samples[:, low:high]),
        )


def halts_read(take: Take, said: dict[str, str]) -> list[HaltRead]:
    report = take.report
    common = {
        "Marker": f"found at {fmt.number(report.found_s, 2)} s",
        "Stillness": "digital silence"
        if report.noise_dbfs is None
        else f"{fmt.number(report.noise_dbfs, 1)} dBFS",
    }
    found = []
    for halt in take.signal.halts:
        words = said.get(halt.name, common.get(halt.name, ""))
        found.append(HaltRead(**halt.model_dump(), said=words or "not read", read=bool(words)))
    return found


def noise_row(take: Take) -> Compared:
    return Compared(
        name="Noise",
        unit="dBFS",
        planned=None,
        measured=take.report.noise_dbfs,
        digits=1,
        holds_within=1.0,
    )


def polarity_row(turned: bool, plan: BenchPlan) -> Compared:
    words = {True: "inverted", False: "same", None: ""}
    return Compared(
        name="Polarity", unit="", planned=None, measured=None,
        words=words[turned], planned_words=words[plan.inverted],
    )  # fmt: skip


def name_of(plan: BenchPlan, else_: str) -> str:
    return plan.device or else_
