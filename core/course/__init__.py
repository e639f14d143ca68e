"""What a whole rig comes to along its course: levels, several returns together, tails in gaps."""

from core.course.levels import CourseLevels, CourseRequest, course_levels
from core.course.returns import ReturnsOut, returns_view, wet_low_db
from core.course.tails import TailGap, TailOut, TailRequest, tail_view

__all__ = [
    "CourseLevels", "CourseRequest", "ReturnsOut", "TailGap", "TailOut", "TailRequest",
    "course_levels", "wet_low_db", "returns_view", "tail_view",
]  # fmt: skip
