"""What a change would make of a rig, shown before it is kept: while a setting is dragged, and while
somebody walks the places where a rail may land.
"""

from pydantic import Field

from core.edge import Edge
from core.routing.checks import CheckReport, run_checks
from core.routing.document.rig import Rig, RigError
from core.routing.edit.actions import Action, Lay
from core.routing.edit.lay import Landing, landings
from core.routing.edit.perform import perform
from core.routing.evaluate.arrivals import Evaluation
from core.routing.evaluate.report import RigReport
from core.routing.plan.build import Context
from core.routing.show.layout import RigLayout, lay_out_rig
from core.units import format as fmt

_EFFECTS = 12
"""So many landings are worked out at once; a rig of the largest size answers within a second."""


class Trial(Edge):
    """A rig as an action would make it: what the course, the board and the checks would show."""

    document: Rig
    layout: RigLayout
    report: RigReport
    checks: CheckReport
    select: str
    said: str


class LandingOut(Landing):
    effect: str = Field(
        "", description="What it does to the outputs; empty where it was not worked out"
    )
    loop_db: float | None = Field(None, description="Gain of the loop that it closes")


def try_action(rig: Rig, action: Action, context: Context = Context()) -> Trial:
    """Raises RigError where the action cannot be done or its rig not be computed."""
    done = perform(rig, action)
    e = Evaluation(done.rig, context)
    return Trial.model_construct(
        document=done.rig, layout=lay_out_rig(done.rig, e.plan), report=e.report(),
        checks=run_checks(e), select=done.select, said=done.said,
    )  # fmt: skip


def landing_view(
    rig: Rig, lay: Lay, end: str | None, context: Context = Context(), limit: int = _EFFECTS
) -> list[LandingOut]:
    """Every place where a rail may land, the first of them with what each does to the sound."""
    found = landings(rig, lay.by, lay.starts, end)
    now = Evaluation(rig, context)
    before = {o.output: o.nominal_dbfs for o in now.report().outputs}
    loops = {loop.rail for loop in now.report().loops}
    shown = []
    for number, one in enumerate(found):
        out = LandingOut(**one.model_dump())
        if one.possible and (number < limit or (one.closes and number < 3 * limit)):
            try:
                done = perform(rig, lay.model_copy(update={"to": one.place}))
                then = Evaluation(done.rig, context).report()
            except RigError as fault:
                out = out.model_copy(update={"possible": False, "why": fault.sentence})
            else:
                new = [loop for loop in then.loops if loop.rail not in loops]
                gain = max((x.gain_db for x in new if x.gain_db is not None), default=None)
                after = {o.output: o.nominal_dbfs for o in then.outputs}
                endless = any(loop.grows for loop in new)
                out = out.model_copy(
                    update={
                        "effect": "it has no end" if endless else _changed(done.rig, before, after),
                        "loop_db": gain,
                        "closes": bool(new),
                    }
                )
        shown.append(out)
    return shown


def _changed(rig: Rig, before: dict[str, float | None], after: dict[str, float | None]) -> str:
    """'Main +0.5 dB', 'nothing else changes', 'Desk 5 −14.0 dBFS, new'."""
    said = []
    for output, level in after.items():
        shown = rig.nodes[output].shown
        was = before.get(output)
        if output not in before:
            said.append(
                f"{shown} new" + (f", {fmt.signed(level, 1)} dBFS" if level is not None else "")
            )
        elif level is None or was is None:
            if level != was:
                said.append(f"{shown} {'falls silent' if level is None else 'sounds'}")
        elif abs(level - was) >= 0.05:
            said.append(f"{shown} {fmt.signed(level - was, 1)} dB")
    return ", ".join(said[:3]) or "no level changes"
