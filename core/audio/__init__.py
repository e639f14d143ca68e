"""Audio as blocks of samples: files, levels, peaks, and the made-up demo sounds."""

from core.audio.examine import ClipReport, examine, salvage
from core.audio.source import AudioSource, open_audio, worked_frames

__all__ = ["AudioSource", "ClipReport", "examine", "open_audio", "salvage", "worked_frames"]
