"""Bench: what a device really does, from recordings through it."""

from core.bench.course import measure_take, signal_wav, write_take
from core.bench.decay import measure_decay
from core.bench.delay import measure_delay
from core.bench.halts import BenchResult
from core.bench.loop import measure_dynamics, measure_loop
from core.bench.plan import BenchPlan
from core.bench.results import DecayMeasured, DelayMeasured, DynamicsMeasured, LoopMeasured
from core.bench.signal import KINDS, BenchKind, TestSignal

__all__ = [
    "KINDS",
    "BenchKind",
    "BenchPlan",
    "BenchResult",
    "DecayMeasured",
    "DelayMeasured",
    "DynamicsMeasured",
    "LoopMeasured",
    "measure_decay",
    "measure_delay",
    "measure_dynamics",
    "measure_loop",
    "measure_take",
    "signal_wav",
    "TestSignal",
    "write_take",
]
