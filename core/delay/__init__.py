"""Delays of a song: their repeats, the rhythm they make with what is played, and how it sounds."""

from core.delay.figures import Figure, figures
from core.delay.lattice import (
    KeptFigure,
    LatticeOut,
    LatticeRequest,
    Pattern,
    PlayedNote,
    SearchOut,
    SearchRequest,
    lattice,
    search,
)
from core.delay.line import DelayLine, check_lines, slug
from core.delay.repeats import RepeatsOut, RepeatsRequest, repeats
from core.delay.sound import FigureRequest, figure_midi, figure_wav
from core.delay.take import TakeOut, TakeRequest, against_slots
from core.delay.written import PatternRead, PatternText, read_pattern

__all__ = [
    "DelayLine", "Figure", "FigureRequest", "KeptFigure", "LatticeOut", "LatticeRequest", "Pattern", "PatternRead", "PatternText",
    "PlayedNote",
    "RepeatsOut", "RepeatsRequest", "SearchOut", "SearchRequest", "TakeOut", "TakeRequest",
    "against_slots", "check_lines", "figure_midi", "figure_wav", "figures", "lattice", "read_pattern", "repeats",
    "search", "slug",
]  # fmt: skip
