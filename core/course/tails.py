"""A reverb's tail at the next entry after all stages of its return, dynamics counted."""

from collections.abc import Callable

from pydantic import Field
from scipy.optimize import brentq

from core.edge import Edge
from core.errors import FonodromeError
from core.routing import Context, Evaluation
from core.routing.document import kinds as k
from core.routing.document.rig import Rig
from core.routing.plan.cells import pink
from core.routing.plan.laws import Heard, operate
from core.units import format as fmt
from core.units.decibel import SILENT_DB, gain_db, power_of

LONGEST_S = 60.0
_DEEPEST_DB = 160.0


class TailRequest(Edge):
    gaps_s: list[float] = Field(max_length=2000, description="Lengths of the gaps")
    drop_db: float = Field(20, gt=0, le=90)
    reverb: str | None = Field(None, description="Which reverb; the first where none is named")


class TailGap(Edge):
    """One gap, with the whole return counted."""

    tail_db: float = Field(description="At the entry, against the dry phrase")
    undone_db: float = Field(description="What dynamics on the return lift back")
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


def tail_of(e: Evaluation, request: TailRequest) -> TailOut:
    """The same of a rig that is evaluated already."""
    rig = e.rig
    reverbs = [n for n in rig.of_type((k.Reverb,)) if not n.bypassed]
    if request.reverb is not None:
        reverbs = [n for n in reverbs if n.id == request.reverb]
    if not reverbs:
        raise FonodromeError("This rig has no reverb that sounds.")
    reverb = reverbs[0]
    stages = _after(rig, reverb.id)
    start_level = e.plan.carried[e.plan.outlet[f"{reverb.id}.0"]].level_dbfs
    if start_level is None:
        raise FonodromeError(f"Nothing comes into {reverb.shown}: it has no tail.")
    start = max(
        (
            a.level_db for board in e.boards for a in board.arrivals
            if a.diffuse and reverb.id in a.through
        ),
        default=-120.0,
    )  # fmt: skip
    sides = e.plan.channels[e.plan.outlet[f"{reverb.id}.0"]]
    pre_s = e.plan.times_s.get(reverb.id, 0.0)
    top = through_db(stages, start_level, sides)

    def fallen(drop: float) -> float:
        """How far the tail has come down behind the stages, `drop` dB down before them."""
        return top - through_db(stages, start_level - drop, sides)

    need = request.drop_db + start
    most = _needed(fallen, need)
    gaps = []
    for gap in request.gaps_s:
        before = 60 * max(0.0, gap - pre_s) / reverb.rt60_s
        left = start - fallen(before)
        longest: float | None = LONGEST_S
        if need > 0:
            longest = None if most is None else min(LONGEST_S, 60 * max(0.0, gap - pre_s) / most)
            if longest is not None and longest < 0.05:
                longest = None
        gaps.append(
            TailGap(
                tail_db=left, undone_db=max(0.0, before - fallen(before)), longest_rt60_s=longest,
                clear=left <= -request.drop_db + 0.05,
            )
        )  # fmt: skip
    grid = [2.0 * i for i in range(41)]
    worst = max((g.undone_db for g in gaps), default=0.0)
    behind = ", ".join(s.shown for s in stages) or "nothing"
    said = f"Behind {reverb.shown} stands {behind}."
    if worst > 0.1:
        said += (
            f" It undoes up to {fmt.number(worst, 1)} dB of the tail's fall before the next entry."
        )
    clear = sum(g.clear for g in gaps)
    if gaps:
        said += f" {clear} of {len(gaps)} gaps are clear."
    return TailOut(
        reverb=reverb.id, name=reverb.shown, rt60_s=reverb.rt60_s, pre_delay_ms=pre_s * 1e3,
        start_db=start, stages=[s.shown for s in stages], gaps=gaps,
        levels_db=[-v for v in grid], after_db=[round(-fallen(v), 3) for v in grid], sentence=said,
    )  # fmt: skip


def _needed(fallen: Callable[[float], float], need: float) -> float | None:
    """The fall before the stages after which `need` dB are reached behind them; None if never."""
    if need <= 0:
        return 0.0
    if fallen(_DEEPEST_DB) < need:
        return None
    return float(brentq(lambda drop: fallen(drop) - need, 0.0, _DEEPEST_DB))
