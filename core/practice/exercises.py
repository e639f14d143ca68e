"""Exercises on a user's own rig, delay, clip and tests. Each is found by doing, not by answering."""

from typing import Literal

from pydantic import Field

from core.blend import ParallelOut
from core.edge import Edge
from core.routing.checks.base import CheckReport
from core.space import SpaceOut
from core.tempo.ruler import TimeRuler
from core.units import format as fmt

Step = Literal["route", "time", "space", "blend", "listen", "verify"]
QUESTIONS = 8
LIFT_DB = 6.0
_LIFT_WITHIN_DB = 0.25
_PEAK_MOST_DB = 1.0
_NEAR = 0.97
_SHORTEST_S = 0.05


class Exercise(Edge):
    """One thing to find."""

    id: str = Field(description="The same thing has the same id; another rig's caution another one")
    step: Step
    tool: str = Field("", description="Tool of the step that it is found with")
    ask: str
    met: bool = Field(description="What is on the screen now is what was asked")
    explain: str = Field(description="Two sentences, once it is found")


def follow_the_caution(report: CheckReport, selected: str) -> Exercise | None:
    """Select what the heaviest open caution is about; a rig without one has nothing to find."""
    open_ = [f for f in report.findings if f.severity != "note" and not f.intended and f.at]
    found = next((f for f in open_ if f.check == "parallel-not-wet"), open_[0] if open_ else None)
    if found is None:
        return None
    if found.check == "parallel-not-wet":
        ask = "Find the return that is not fully wet: select it."
        explain = (
            "A stage on a return that lets dry sound through brings it a second time, a little "
            "later, and the two cut notches into each other. At 100 % wet the return adds only "
            "what is new, and its fader sets how much."
        )
    else:
        ask = "Find what the first caution is about: select it."
        explain = f"{found.sentence} Its fix is one press beside it, and undone as quickly."
    return Exercise(
        id=f"route {found.check}", step="route", ask=ask, explain=explain,
        met=selected == found.at or selected.split(".")[0] == found.at.split(".")[0],
    )  # fmt: skip


def longest_dotted(ruler: TimeRuler, device: str) -> Exercise | None:
    """Choose the longest dotted value that a device can be set to."""
    dotted = [n for n in ruler.notes if n.row == "dotted" and n.in_reach]
    if not dotted:
        return None
    longest = max(dotted, key=lambda n: n.ms)
    beyond = next((n for n in ruler.notes if n.row == "dotted" and n.ms > longest.ms), None)
    after = (
        f"the next one, {beyond.name}, is {fmt.number(beyond.ms, 1)} ms and out of its reach"
        if beyond
        else "all of them are within its reach"
    )
    return Exercise(
        id=f"time {device}", step="time",
        ask=f"Find the longest dotted value that “{device}” can be set to: choose it.",
        met=ruler.chosen.id == longest.id,
        explain=f"At this tempo a {longest.name} is {fmt.number(longest.ms, 1)} ms; {after}. "
        "The hatched part of the ruler is where a device ends.",
    )  # fmt: skip


def clear_the_gaps(space: SpaceOut, rt60_s: float) -> Exercise | None:
    """The longest decay with which every gap is clear, within 3 %."""
    longest = min((g.longest_rt60_s for g in space.gaps), default=0.0)
    if longest < _SHORTEST_S:
        return None
    return Exercise(
        id="space gaps", step="space", tool="gaps",
        ask="Find the longest decay with which every gap is clear.",
        met=space.clear == len(space.gaps) and rt60_s >= _NEAR * longest,
        explain=f"The shortest gap decides: {fmt.number(longest, 2)} s is down in time there, and "
        "everywhere else. Where that is too short for the song, ducking makes the same room "
        "without giving up the decay.",
    )  # fmt: skip


def lift_the_quiet(view: ParallelOut) -> Exercise:
    """Quiet sounds 6 dB up, a peak at full scale less than 1 dB."""
    return Exercise(
        id="blend lift", step="blend", tool="lift",
        ask="Lift quiet sounds by 6 dB and a peak at full scale by less than 1 dB.",
        met=abs(view.quiet_boost_db - LIFT_DB) <= _LIFT_WITHIN_DB
        and view.peak_db < _PEAK_MOST_DB,
        explain="Under the threshold both ways bring the same sound in step, so equal shares add "
        "6 dB; on peaks the compressed way is far below the dry one and adds next to nothing. "
        "That is why a blend lifts what is quiet and leaves the hits alone.",
    )  # fmt: skip


def by_ear(variants: int, answered: int) -> Exercise | None:
    """A test by ear of at least 8 questions. variants: of the rig in hand."""
    if variants < 2:
        return None
    return Exercise(
        id="listen ear",
        step="listen",
        ask=f"Find out whether you hear two variants apart: {QUESTIONS} questions, by ear alone.",
        met=answered >= QUESTIONS,
        explain="At equal loudness and without names only the sound is left to answer by. "
        "Seven of eight right are rare by guessing; what is not heard needs no more work.",
    )


def every_cause(done: int, turned: int, with_turned: bool) -> Exercise:
    """A null test whose cause is read. with_turned: the song has a pair that is turned over.

    done: finished tests; turned: those of them that found every channel inverted.
    """
    if with_turned:
        return Exercise(
            id="verify turned",
            step="verify",
            ask="Find the pair that is one sound, turned over.",
            met=turned > 0,
            explain="Turned over and added, two equal sounds leave nothing; subtracted as they "
            "are, they leave twice themselves. The test turns one over before it subtracts, and "
            "says so.",
        )
    return Exercise(
        id="verify cause",
        step="verify",
        ask="Find out what keeps two of your clips from being one sound.",
        met=done > 0,
        explain="Time, polarity and level are taken away one after the other, and what is left is "
        "the difference. The step that takes most away is the first thing to set.",
    )
