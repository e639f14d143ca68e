"""Room and tail: pre-delay and decay by three schools, phrase gaps, what a tail leaves at an entry."""

from core.space.fit import FitOut, FitRequest, fit_length
from core.space.gaps import Levels, clip_levels, find_phrases
from core.space.room import (
    RoomOut,
    RoomRequest,
    density_time_s,
    eyring_s,
    loop_rt60_s,
    pre_delay_from_distance_s,
    room_view,
    sabine_s,
)
from core.space.tail import ducking_needed_db, longest_rt60_s, low_end_sum_db, tail_db
from core.space.view import KeptSpace, SpaceOut, SpaceRequest, space_view

__all__ = [
    "FitOut", "FitRequest", "KeptSpace", "Levels", "RoomOut", "RoomRequest", "SpaceOut", "SpaceRequest", "clip_levels", "density_time_s",
    "ducking_needed_db", "eyring_s", "find_phrases", "fit_length", "longest_rt60_s", "loop_rt60_s",
    "low_end_sum_db", "pre_delay_from_distance_s", "room_view", "sabine_s", "space_view", "tail_db",
]  # fmt: skip
