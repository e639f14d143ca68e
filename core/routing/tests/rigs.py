"""Rigs that several tests share, in their own notation."""

from core.routing import Context, Evaluation, Rig, parse_rig
from core.units import TempoFrame

LIGHTHOUSE = Context(TempoFrame(tempo_bpm=94, beat_unit="1/4.", metre_count=6, metre_unit=8))

# A return that is not fully wet, and late: the rig that the whole tool is about.
TWO_SENDS = """
rig "Two sends"
guitar: source "Guitar" > ways: split > mix: merge > main: output (stereo)
ways > level1 (level -4 dB) > echo: delay (time 1/8., feedback 40 %) > mix [level -2.5 dB]
ways > hall: reverb (pre-delay 1/64, latency 2.71 ms, mix 27 %) > mix [level -3 dB]
"""


def rig(text: str) -> Rig:
    return parse_rig(text)


def looked_at(text: str) -> Evaluation:
    return Evaluation(parse_rig(text), LIGHTHOUSE)


def arrivals(text: str, output: int = 0) -> dict[str, tuple[float, float]]:
    """Name to (level dB, time ms) on a board."""
    board = looked_at(text).boards[output]
    return {a.name: (a.level_db, a.time_ms) for a in board.arrivals}
