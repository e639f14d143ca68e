"""Things to find on a song, one a step: what is asked, whether it is found, and what it teaches."""

from core.practice.exercises import (
    Exercise,
    by_ear,
    clear_the_gaps,
    every_cause,
    follow_the_caution,
    lift_the_quiet,
    longest_dotted,
)

__all__ = [
    "Exercise",
    "by_ear",
    "clear_the_gaps",
    "every_cause",
    "follow_the_caution",
    "lift_the_quiet",
    "longest_dotted",
]
