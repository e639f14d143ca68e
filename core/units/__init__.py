"""Parse what people type and format what they read."""

from core.units.note_value import MODIFIERS, Metre, NoteValue, note_length_s, parse_note_value
from core.units.quantity import (
    Quantity,
    QuantityRequest,
    TempoFrame,
    parse_frequency_hz,
    parse_level_db,
    parse_number,
    parse_percent,
    parse_quantity,
    parse_tempo_bpm,
    parse_time,
)

__all__ = [
    "MODIFIERS",
    "Metre",
    "NoteValue",
    "Quantity",
    "QuantityRequest",
    "TempoFrame",
    "note_length_s",
    "parse_frequency_hz",
    "parse_level_db",
    "parse_note_value",
    "parse_number",
    "parse_percent",
    "parse_quantity",
    "parse_tempo_bpm",
    "parse_time",
]
