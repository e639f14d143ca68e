"""An insert as a parallel path or a return, and back: one action, with what breaks it."""

from typing import Literal, cast

from pydantic import Field

from core.blend import equal_insert, law_gains, nearest_steps
from core.edge import Edge
from core.errors import FonodromeError
from core.routing.document import kinds as k
from core.routing.document.rig import PLAIN, Rail, Rig, RigError, Strip
from core.routing.edit.draft import Draft
from core.routing.evaluate.arrivals import Evaluation
from core.routing.plan.build import crossfade_gains, split_shares
from core.units import format as fmt
from core.units.decibel import db_gain as gain
from core.units.decibel import gain_db

MIX_STEP, LEVEL_STEP_DB = 0.01, 0.1


class Conversion(Edge):
    """A converted rig, or why there is none."""

    exact: bool
    sentence: str
    breaks: list[str] = Field(description="What stands in the way, one a line")
    null_db: float | None = Field(
        description="Expected null at 1 % and 0.1 dB steps; null: nothing left, or no conversion"
    )
    rig: Rig | None


def _breaks(node: k.Mixed, front: float = 1.0) -> tuple[list[str], list[str]]:
    """What keeps a null from proving the two equal, and what makes them unequal.

    A device that treats loud and quiet differently still hears the same beside a dry rail as in an
    insert, as long as nothing changes the level in front of it: `front` is that gain.
    """
    said, hard = [], []
    if not node.linear and abs(front - 1) > 1e-9:
        hard.append(
            f"{fmt.signed(gain_db(front), 2)} dB in front of {node.shown} would be missing: it does "
            "not treat loud and quiet alike, and would work at another level"
        )
    if node.moving:
        said.append(f"{node.shown} is modulated and not locked: no null against another run")
    return [*hard, *said], hard


def to_parallel(e: Evaluation, id: str) -> Conversion:
    """An insert with a mix of its own as a dry rail beside a fully wet one."""
    rig = e.rig
    node = rig.node(id)
    if not isinstance(node, k.Mixed):
        raise RigError(f"{node.shown} has no mix of its own.", part=id)
    breaks, hard = _breaks(node)
    came, goes = rig.inputs[id], rig.rails.get(f"{id}.0")
    if len(came) != 1 or goes is None:
        raise RigError(f"{node.shown} does not stand on a rail.", part=id)
    dry, wet = law_gains(node.mix_law, node.mix_percent / 100)
    draft = Draft(rig)
    draft.set(id, {"mix_percent": 100.0, "output_db": 0.0, "mix_law": "linear", "inverted": False})
    split = draft.add("split")
    trim = node.output_db
    draft.rails[came[0]] = Rail(target=split)
    draft.rails[f"{split}.1"] = Rail(target=id)
    merge = draft.add("merge")
    late = node.latency_ms
    draft.rails[f"{split}.0"] = Rail(target=merge, strip=_strip(dry, trim, node.inverted, late))
    draft.rails[f"{id}.0"] = Rail(target=merge, strip=_strip(wet, trim, node.inverted, 0.0))
    draft.rails[f"{merge}.0"] = goes
    return _said(draft.done(), breaks, hard, None, f"{node.shown} stands beside a dry rail now")


def _strip(level: float, trim_db: float, inverted: bool, delay_ms: float) -> Strip:
    level_db = -120.0 if level <= 0 else gain_db(level) + trim_db
    return Strip(level_db=level_db, inverted=inverted, delay_ms=delay_ms, muted=level <= 0)


def to_insert(e: Evaluation, id: str) -> Conversion:
    """A device on a rail beside a bare dry rail as one insert with a mix and a trim."""
    rig = e.rig
    node = rig.node(id)
    if not isinstance(node, k.Mixed):
        raise RigError(f"{node.shown} has no mix of its own.", part=id)
    breaks, _ = _breaks(node)
    came = rig.inputs[id]
    start = came[0].rpartition(".")[0] if len(came) == 1 else ""
    split = rig.nodes.get(start)
    goes = rig.rails.get(f"{id}.0")
    if not isinstance(split, k.Split) or split.mode not in ("full", "balance") or goes is None:
        return _impossible(
            f"{node.shown} does not stand alone on a rail of a full or balanced split", breaks
        )
    shares = split_shares(split)
    front = shares[int(came[0].rpartition(".")[2])]
    breaks, hard = _breaks(node, front)
    merge = rig.nodes[goes.target]
    others = [p for p in rig.outputs_of(start) if p != came[0]]
    if (
        not isinstance(merge, (k.Merge, k.Output))
        or len(others) != 1
        or rig.rails[others[0]].target != merge.id
    ):
        return _impossible(
            "the other rail is not bare: what stands on it cannot go into one insert", breaks
        )
    dry_strip, wet_strip = rig.rails[others[0]].strip, goes.strip
    if (
        dry_strip.pan_percent != wet_strip.pan_percent
        or dry_strip.width_percent != wet_strip.width_percent
    ):
        return _impossible("dry and wet are panned apart: one insert has one place", breaks)
    if abs(dry_strip.delay_ms - wet_strip.delay_ms - node.latency_ms) > 1e-6:
        return _impossible(
            f"dry and wet differ by {abs(dry_strip.delay_ms - wet_strip.delay_ms - node.latency_ms):.2f} ms "
            "of latency: an insert delays both alike", breaks,
        )  # fmt: skip
    fades = crossfade_gains(rig, merge)
    ends = {others[0], f"{id}.0"}
    if fades and set(fades) != ends:
        return _impossible(
            f"{merge.shown} fades between other inputs than these two: one insert cannot", breaks
        )
    beside = shares[int(others[0].rpartition(".")[2])]
    sign_dry, sign_wet = (-1 if s.inverted else 1 for s in (dry_strip, wet_strip))
    mute = [0.0 if s.muted else gain(s.level_db) for s in (dry_strip, wet_strip)]
    mute[0] *= beside * fades.get(others[0], 1.0)
    mute[1] *= front * fades.get(f"{id}.0", 1.0)
    flip = -1 if node.inverted else 1
    try:
        equal = equal_insert(
            mute[0] * sign_dry, mute[1] * sign_wet * flip * gain(node.output_db),
            node.mix_percent / 100, "linear",
        )  # fmt: skip
    except FonodromeError as error:
        return _impossible(error.sentence.rstrip("."), breaks)
    draft = Draft(rig)
    trim_db = gain_db(equal.trim)
    draft.set(
        id,
        {"mix_percent": 100 * equal.mix, "mix_law": "linear", "output_db": trim_db, "inverted": equal.trim < 0},
    )  # fmt: skip
    del draft.rails[others[0]], draft.rails[f"{id}.0"], draft.rails[came[0]]
    before = draft.into(start)
    for port in before:
        draft.rails[port] = Rail(target=id)
    del draft.nodes[start]
    if fades:
        draft.set(merge.id, {"crossfade_percent": None})
        merge = cast(k.Merge, draft.nodes[merge.id])
    if isinstance(merge, k.Merge) and not draft.into(merge.id) and merge == k.Merge(id=merge.id):
        onward = draft.rails.pop(f"{merge.id}.0", None)
        del draft.nodes[merge.id]
        if onward is not None:
            draft.rails[f"{id}.0"] = onward
    else:
        strip = Strip(pan_percent=dry_strip.pan_percent, width_percent=dry_strip.width_percent)
        draft.rails[f"{id}.0"] = Rail(target=merge.id, strip=strip)
    null = None
    if equal.effective_dry > 0 and equal.effective_wet > 0:
        null = nearest_steps(equal.effective_dry, equal.effective_wet, MIX_STEP, LEVEL_STEP_DB)[2]
    said = (
        f"{node.shown} is an insert at {100 * equal.mix:.1f} % with {trim_db:+.2f} dB of trim now"
    )
    return _said(draft.done(), breaks, hard, null, said)


def to_return(e: Evaluation, id: str) -> Conversion:
    """An insert as a send with a shared return, where nothing but level follows it."""
    rig = e.rig
    node = rig.node(id)
    if not isinstance(node, k.Mixed):
        raise RigError(f"{node.shown} has no mix of its own.", part=id)
    breaks, hard = _breaks(node)
    came = rig.inputs[id]
    goes = rig.rails.get(f"{id}.0")
    if len(came) != 1 or goes is None:
        raise RigError(f"{node.shown} does not stand on a rail.", part=id)
    level, port = 0.0, f"{id}.0"
    chain: list[str] = []
    while not rig.nodes[rig.rails[port].target].many_inputs:
        onward = rig.nodes[rig.rails[port].target]
        if not isinstance(onward, (k.Level, k.Fader)) or f"{onward.id}.0" not in rig.rails:
            breaks.append(f"{onward.shown} follows it and would no longer work on both")
            return _impossible(f"{onward.shown} stands behind it", breaks)
        level += -120.0 if onward.muted else onward.level_db + onward.output_db
        chain.append(onward.id)
        port = f"{onward.id}.0"
    strip = rig.rails[port].strip
    target = rig.rails[port].target
    dry, wet = law_gains(node.mix_law, node.mix_percent / 100)
    if dry <= 0:
        return _impossible("it is fully wet: there is no dry sound to leave on the rail", breaks)
    draft = Draft(rig)
    draft.set(id, {"mix_percent": 100.0, "mix_law": "linear", "output_db": 0.0, "inverted": False})
    send, bus = draft.add("send"), draft.add("bus")
    back = draft.add("return", {"solo_safe": True})
    trim = draft.add(
        "level",
        {
            "name": "Dry trim",
            "level_db": gain_db(dry) + node.output_db,
            "latency_ms": node.latency_ms,
        },
    )
    draft.rails[came[0]] = Rail(target=send)
    draft.rails[f"{send}.0"] = Rail(target=trim)
    draft.rails[f"{trim}.0"] = goes
    draft.rails[f"{send}.1"] = Rail(target=bus)
    draft.rails[f"{bus}.0"] = Rail(target=id)
    draft.rails[f"{id}.0"] = Rail(target=back)
    wet_db = max(-120.0, gain_db(wet) + node.output_db + level) if wet > 0 else -120.0
    draft.set(back, {"level_db": wet_db})
    draft.rails[f"{back}.0"] = Rail(target=target, strip=strip if strip != PLAIN else PLAIN)
    return _said(draft.done(), breaks, hard, None, f"{node.shown} hangs on a send and return now")


def _impossible(why: str, breaks: list[str]) -> Conversion:
    return Conversion(
        exact=False, sentence=f"Impossible: {why}.", breaks=[why, *breaks], null_db=None, rig=None
    )


def _said(
    rig: Rig, breaks: list[str], hard: list[str], null: float | None, said: str
) -> Conversion:
    if hard:
        return _impossible(hard[0], breaks)
    word = "Exact" if not breaks else "Equal, but not to be proved by a null"
    return Conversion(
        exact=not breaks, sentence=f"{word}: {said}.", breaks=breaks, null_db=null, rig=rig
    )


Form = Literal["parallel", "insert", "return"]


def convert(e: Evaluation, id: str, to: Form) -> Conversion:
    """Convert a device. Raises RigError where it is no device with a mix on a rail."""
    return {"parallel": to_parallel, "insert": to_insert, "return": to_return}[to](e, id)
