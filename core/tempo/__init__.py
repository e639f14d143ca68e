"""Tempo, tapping, and note values in milliseconds, hertz and samples."""

from core.tempo.from_delay import TempoFromDelay, TempoFromDelayRequest, tempo_from_delay
from core.tempo.map import TempoMap, TempoMapOut, TempoMapRequest, read_tempo_map
from core.tempo.midi import MidiTempoMap, read_midi, write_midi
from core.tempo.ruler import (
    NoteReading,
    TimeRuler,
    TimeRulerRequest,
    clock_time_s,
    read_time,
    time_ruler,
)
from core.tempo.song import TempoSection, check_sections
from core.tempo.table import Clock, ClockRequest, TableRequest, ValueTable, clock, value_table
from core.tempo.tap import TapRequest, TapTempo, tap_tempo

__all__ = [
    "Clock", "ClockRequest", "MidiError", "MidiTempoMap", "NoteReading", "TableRequest",
    "TapRequest", "TapTempo", "TempoFromDelay", "TempoFromDelayRequest", "TempoMap", "TempoMapOut",
    "TempoMapRequest", "TempoSection", "TimeRuler", "TimeRulerRequest", "ValueTable",
    "check_sections", "clock", "clock_time_s", "read_midi", "read_time", "read_tempo_map",
    "tap_tempo", "tempo_from_delay", "time_ruler", "value_table", "write_midi",
]  # fmt: skip
