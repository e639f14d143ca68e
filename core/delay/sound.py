"""A figure made audible: clicks or plucked notes, with their echoes, and as a MIDI click."""

import io
from functools import lru_cache
from typing import Literal

import mido
import numpy as np
import soundfile
from pydantic import Field

from core.audio.demo import RATE, pluck
from core.delay.lattice import Grid, LatticeRequest, lattice
from core.tempo.midi import meta_of
from core.tempo.song import TempoSection
from core.units.decibel import amplitude

_PEAK = 0.5
_TAIL_S = 1.2
_CLICK_S = 0.05
_LOOPS = 16
_LONGEST_S = 40.0
_TICKS = 480


class FigureRequest(LatticeRequest):
    voice: Literal["click", "pluck"] = "pluck"
    echoes: bool = Field(True, description="With the echoes, or the played notes alone")
    backing: bool = Field(False, description="A quiet click on every slot to play against")
    loops: int = Field(2, ge=1, le=_LOOPS)


@lru_cache(maxsize=64)
def _voice(voice: str, midi: int) -> np.ndarray:
    """One note of (samples,), peak 1."""
    hz = 440.0 * 2 ** ((midi - 69) / 12)
    if voice == "pluck":
        return pluck(hz, 0.9, seed=midi, brightness=0.8)
    n = round(_CLICK_S * RATE)
    t = np.arange(n) / RATE
    sound: np.ndarray = np.sin(2 * np.pi * 2 * hz * t) * np.exp(-t / 0.008)
    return sound


def figure_sound(request: FigureRequest) -> np.ndarray:
    """The figure as (samples, 2) float32 at 48 kHz; dry in the middle, echoes on their sides.

    Peaks lie at -6 dBFS at most, with the levels between notes and echoes as computed.
    """
    found = lattice(request)
    grid = Grid(request.frame, request.pattern)
    loops = max(1, min(request.loops, int(_LONGEST_S / grid.length_s)))
    last = max((e.time_ms for e in found.echoes), default=0.0) / 1e3 if request.echoes else 0.0
    tail = max(0.0, last - grid.length_s) + _TAIL_S
    total = np.zeros((round((loops * grid.length_s + tail) * RATE), 2))

    def place(note: np.ndarray, at_s: float, left: float, right: float) -> None:
        start = round(at_s * RATE)
        end = min(len(total), start + len(note))
        if end > start:
            total[start:end, 0] += left * note[: end - start]
            total[start:end, 1] += right * note[: end - start]

    sides = {"both": (1.0, 1.0), "left": (1.0, 0.0), "right": (0.0, 1.0)}
    for loop in range(loops):
        begin = loop * grid.length_s
        for note in request.pattern.played:
            sound = _voice(request.voice, note.midi or (76 if request.voice == "click" else 52))
            place(sound, begin + float(grid.times_s[note.slot]), 1.0, 1.0)
        for echo in found.echoes if request.echoes else []:
            sound = _voice(request.voice, echo.midi or (76 if request.voice == "click" else 52))
            gain = amplitude(echo.level_db)
            left, right = sides[echo.side]
            place(sound, begin + echo.time_ms / 1e3, gain * left, gain * right)
        if request.backing:
            for i, time in enumerate(grid.times_s):
                level = 0.18 if i % grid.in_bar % request.pattern.slots_per_beat == 0 else 0.07
                place(_voice("click", 88), begin + float(time), level, level)
    peak = float(np.abs(total).max())
    if peak > 0:
        total *= _PEAK / peak
    fade = round(0.02 * RATE)
    total[-fade:] *= np.linspace(1, 0, fade)[:, None]
    return total.astype(np.float32)


def figure_wav(request: FigureRequest) -> bytes:
    """The figure as a 24-bit WAV file at 48 kHz."""
    out = io.BytesIO()
    soundfile.write(out, figure_sound(request), RATE, format="WAV", subtype="PCM_24")
    return out.getvalue()


def figure_midi(request: FigureRequest) -> bytes:
    """The figure as a MIDI file of format 1: played notes and echoes on tracks of their own."""
    frame, pattern = request.frame, request.pattern
    found = lattice(request)
    section = TempoSection(
        bars=pattern.bars, tempo_bpm=frame.tempo_bpm, beat_unit=frame.beat_unit,
        metre_count=frame.metre_count, metre_unit=frame.metre_unit,
    )  # fmt: skip
    quarter_s = 60 / frame.quarter_bpm
    file = mido.MidiFile(type=1, ticks_per_beat=_TICKS)
    head = mido.MidiTrack(meta_of(section))
    file.tracks.append(head)
    dry = [(n.slot, n.midi or 76) for n in pattern.played]
    grid = Grid(frame, pattern)
    played = [(float(grid.times_s[slot]), midi, 100) for slot, midi in dry]
    echoes = [
        (e.time_ms / 1e3, e.midi or 77, max(1, min(127, round(100 * 10 ** (e.level_db / 40)))))
        for e in found.echoes
    ]
    length = round(grid.length_s / quarter_s * _TICKS)
    for name, channel, notes in (("played", 9, played), ("echoes", 8, echoes)):
        if name == "echoes" and not request.echoes:
            continue
        events: list[tuple[int, int, mido.Message]] = []
        for loop in range(request.loops):
            for time, midi, velocity in notes:
                tick = loop * length + round(time / quarter_s * _TICKS)
                on = mido.Message("note_on", channel=channel, note=midi, velocity=velocity)
                off = mido.Message("note_off", channel=channel, note=midi)
                events += [(tick, 1, on), (tick + _TICKS // 8, 0, off)]
        events.sort(key=lambda e: (e[0], e[1]))
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=name)])
        before = 0
        for tick, _, message in events:
            track.append(message.copy(time=tick - before))
            before = tick
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()
