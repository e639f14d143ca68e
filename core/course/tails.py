"""A reverb's tail at the next entry after all stages of its return, dynamics counted."""

from collections.abc import Callable

import scipy
from pydantic import Field

from core.course.turned import opened_db
from core.edge import Edge, Word
from core.errors import FonodromeError
from core.routing import Context, Evaluation
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.evaluate.report import BoardOut
from core.routing.plan.cells import pink
from core.routing.plan.laws import Heard, operate
from core.units import format as fmt
from core.units.decibel import SILENT_DB, gain_db, power_db, power_of

LONGEST_S, _SHORTEST_S = 60.0, 0.05
_DEEPEST_DB = 160.0
_FEEDS = 0.01
"""Share of a tail from which on it is said what feeds it."""


class TailRequest(Edge):
    gaps_s: list[float] = Field(max_length=2000, description="Lengths of the gaps")
    drop_db: float = Field(20, gt=0, le=90)
    reverb: Word | None = Field(None, description="Which reverb; the first where none is named")


class TailGap(Edge):
    """One gap, with the whole return counted."""

    tail_db: float = Field(description="At the entry, against the dry phrase")
    undone_db: float = Field(
        description="What dynamics on the return lift back, and keyed stages give free again"
    )
    longest_rt60_s: float | None = Field(description="That is clear; null where none is")
    clear: bool


class TailOut(Edge):
    reverb: str
    name: str
    rt60_s: float
    pre_delay_ms: float
    start_db: float = Field(
        description="Where the tail begins, against the dry sound at the output"
    )
    stages: list[str] = Field(description="After the reverb, in order")
    gaps: list[TailGap]
    levels_db: list[float] = Field(description="Tail before the stages, from 0 down, every 2 dB")
    after_db: list[float] = Field(description="The same after them, against where it begins")
    sentence: str


def _after(rig: Rig, reverb: str) -> list[k.Stage]:
    """Stages behind a reverb, up to where its return meets others."""
    found: list[k.Stage] = []
    at = reverb
    while True:
        leaving = [rig.rails[p].target for p in rig.outputs_of(at) if p in rig.rails]
        if len(leaving) != 1:
            return found
        node = rig.nodes[leaving[0]]
        if node.many_inputs or not isinstance(node, k.Stage):
            return found
        found.append(node)
        at = node.id


def through_db(stages: list[k.Stage], level_dbfs: float, sides: int = 2) -> float:
    """Level (dBFS) behind stages, of a tail that comes in at a level, `sides` of them unlike.

    Each stage that works by level is taken where it would settle at that level; attack and release
    along the fall are left out. What else stands there does the same to loud and quiet.
    """
    level = level_dbfs
    for stage in stages:
        if stage.bypassed:
            continue
        if not stage.linear and level > SILENT_DB:
            power = power_of(level)
            heard = Heard(power, power if sides == 2 else 0.0, 0.0, cells=pink().weights * power)
            level += gain_db(max(operate(stage, heard, None).rms))
        level += stage.output_db
    return level


def tail_view(rig: Rig, context: Context, request: TailRequest) -> TailOut:
    """The tail of a rig's reverb in gaps. Raises FonodromeError for a rig without one."""
    return tail_of(Evaluation(rig, context), request)


class _Tail:
    """A reverb of a rig, what feeds it, and how its tail falls behind all stages of its return."""

    def __init__(self, e: Evaluation, reverb: str | None) -> None:
        found = [n for n in e.rig.of_type((k.Reverb,)) if not n.bypassed]
        if reverb is not None:
            found = [n for n in found if n.id == reverb]
        if not found:
            raise FonodromeError("This rig has no reverb that sounds.")
        self.reverb = found[0]
        self.stages = _after(e.rig, self.reverb.id)
        outlet = e.plan.outlet[f"{self.reverb.id}.0"]
        level = e.plan.carried[outlet].level_dbfs
        if level is None:
            raise FonodromeError(f"Nothing comes into {self.reverb.shown}: it has no tail.")
        self.level, self.sides = level, e.plan.channels[outlet]
        self.plan = e.plan
        self.start, self.fed = _fed(e, self.reverb.id)
        self.pre_s = e.plan.times_s.get(self.reverb.id, 0.0)
        self.top = through_db(self.stages, level, self.sides)

    def before(self, gap_s: float) -> float:
        """How far it has come down at the end of a gap, before the stages."""
        return _before(self.fed, gap_s - self.pre_s, self.reverb.rt60_s)

    def opened(self, gap_s: float) -> float:
        """How far what is keyed on the return has opened at the end of a gap: the key rests there."""
        return sum(opened_db(self.plan, s, gap_s) for s in self.stages if not s.bypassed)

    def fallen(self, drop: float) -> float:
        """How far it has come down behind the stages, `drop` dB down before them."""
        return self.top - through_db(self.stages, self.level - drop, self.sides)


def tail_at_db(e: Evaluation, gap_s: float, reverb: str | None = None) -> float:
    """The tail at the end of a gap against the dry phrase, dB. Raises FonodromeError as `tail_view`."""
    tail = _Tail(e, reverb)
    return tail.start - tail.fallen(tail.before(gap_s)) + tail.opened(gap_s)


def tail_of(e: Evaluation, request: TailRequest) -> TailOut:
    """The same of a rig that is evaluated already."""
    tail = _Tail(e, request.reverb)
    reverb, start, fallen = tail.reverb, tail.start, tail.fallen
    gaps = []
    for gap in request.gaps_s:
        before, opened = tail.before(gap), tail.opened(gap)
        left = start - fallen(before) + opened
        need = request.drop_db + start + opened
        most = _needed(fallen, need)
        longest: float | None = LONGEST_S
        if need > 0:
            longest = None if most is None else _longest(tail.fed, gap - tail.pre_s, most)
        gaps.append(
            TailGap(
                tail_db=left, undone_db=max(0.0, before - fallen(before) + opened),
                longest_rt60_s=longest,
                clear=left <= -request.drop_db + 0.05,
            )
        )  # fmt: skip
    grid = [2.0 * i for i in range(41)]
    worst = max((g.undone_db for g in gaps), default=0.0)
    behind = ", ".join(s.shown for s in tail.stages) or "nothing"
    said = f"Behind {reverb.shown} stands {behind}."
    if worst > 0.1:
        said += (
            f" It undoes up to {fmt.number(worst, 1)} dB of the tail's fall before the next entry."
        )
    late = max((t for share, t in tail.fed if share >= _FEEDS), default=0.0)
    if late > 0.001:
        said += f" What feeds it goes on for {fmt.number(late * 1e3, 0)} ms after the dry sound."
    clear = sum(g.clear for g in gaps)
    if gaps:
        said += f" {clear} of {len(gaps)} gaps are clear."
    return TailOut(
        reverb=reverb.id, name=reverb.shown, rt60_s=reverb.rt60_s, pre_delay_ms=tail.pre_s * 1e3,
        start_db=start, stages=[s.shown for s in tail.stages], gaps=gaps,
        levels_db=[-v for v in grid], after_db=[round(-fallen(v), 3) for v in grid], sentence=said,
    )  # fmt: skip


Fed = list[tuple[float, float]]
"""Share of a tail's power, and how much later than the dry sound and the pre-delay it comes in (s)."""


def _fed(e: Evaluation, reverb: str) -> tuple[float, Fed]:
    """Where a tail begins (dB against the dry sound), all that feeds it added, and what feeds it when.

    An echo before the reverb feeds it after the dry sound has ended: the tail begins to fall later.
    """
    best: tuple[float, Fed] = (SILENT_DB, [(1.0, 0.0)])
    pre_ms = e.plan.times_s.get(reverb, 0.0) * 1e3
    for board in e.boards:
        places = [i for i, a in enumerate(board.arrivals) if a.diffuse and reverb in a.through]
        found = [board.arrivals[i] for i in places]
        # With what filters take of the source's spectrum, against the strongest dry arrival.
        coupled = e.coupled[board.output, board.source]
        against = float(coupled[_reference(board), _reference(board)])
        powers = [float(coupled[i, i]) / against if against > 0 else 0.0 for i in places]
        total = sum(powers)
        if total > 0 and power_db(total) > best[0]:
            late = [max(0.0, (a.time_ms - board.reference_ms - pre_ms) / 1e3) for a in found]
            best = power_db(total), [(p / total, t) for p, t in zip(powers, late, strict=True)]
    return best


def _reference(board: BoardOut) -> int:
    """Place of the arrival that levels are against."""
    return min(range(len(board.arrivals)), key=lambda i: abs(board.arrivals[i].level_db) + 1e3 * (board.arrivals[i].name != board.reference))  # fmt: skip


def _before(fed: Fed, after_s: float, rt60_s: float) -> float:
    """How far a tail has fallen (dB, before the stages) so long after the pre-delay."""
    left = sum(p * 10 ** (-6 * max(0.0, after_s - t) / rt60_s) for p, t in fed)
    return -power_db(max(left, power_of(-_DEEPEST_DB)))


def _longest(fed: Fed, after_s: float, wanted_db: float) -> float | None:
    """The longest decay after which a tail has fallen so far; None where none is short enough."""

    def over(rt60_s: float) -> float:
        return _before(fed, after_s, rt60_s) - wanted_db

    if over(_SHORTEST_S) < 0:
        return None
    if over(LONGEST_S) >= 0:
        return LONGEST_S
    return float(scipy.optimize.brentq(over, _SHORTEST_S, LONGEST_S, xtol=1e-9))


def _needed(fallen: Callable[[float], float], need: float) -> float | None:
    """The fall before the stages after which `need` dB are reached behind them; None if never."""
    if need <= 0:
        return 0.0
    if fallen(_DEEPEST_DB) < need:
        return None
    return float(scipy.optimize.brentq(lambda drop: fallen(drop) - need, 0.0, _DEEPEST_DB))
