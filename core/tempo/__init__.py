"""Tempo, tapping, and note values in milliseconds, hertz and samples."""

from core.tempo.from_delay import TempoFromDelay, TempoFromDelayRequest, tempo_from_delay
from core.tempo.ruler import (
    NoteReading,
    TimeRuler,
    TimeRulerRequest,
    clock_time_s,
    read_time,
    time_ruler,
)
from core.tempo.tap import TapRequest, TapTempo, tap_tempo

__all__ = [
    "NoteReading",
    "TapRequest",
    "TapTempo",
    "TempoFromDelay",
    "TempoFromDelayRequest",
    "TimeRuler",
    "TimeRulerRequest",
    "clock_time_s",
    "read_time",
    "tap_tempo",
    "tempo_from_delay",
    "time_ruler",
]
