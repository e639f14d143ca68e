"""Checks of loops: gain, delay, feedback."""

import math
from collections.abc import Iterator

from core.routing.checks.base import Found, rule, sounding
from core.routing.document import kinds as k
from core.routing.edit.actions import Disconnect, Set, SetStrip
from core.routing.evaluate.arrivals import Evaluation
from core.units import format as fmt
from core.units.decibel import gain_db


@rule(
    "loop-gain", "loops die away", "caution",
    "A return that feeds its own send goes round again and again. At 0 dB and above it grows "
    "without limit. The figure is the largest over frequency with the filters in the loop, and a "
    "safe bound: phase may make the real loop quieter. Turn monitors down before closing a loop.",
)  # fmt: skip
def loop_gain(e: Evaluation) -> Iterator[Found]:
    for loop in e.loops:
        source = e.rig.nodes[loop.port.rpartition(".")[0]]
        strip = e.rig.rails[loop.port].strip
        many = e.rig.nodes[e.rig.rails[loop.port].target].many_inputs
        if loop.gain_db is None:
            yield Found(
                loop.port,
                f"The rest of this loop runs away by itself, without {source.shown}.",
                severity="alarm",
            )
            continue
        if loop.lap_s <= 0:
            continue
        down = loop.gain_db + 6.5
        fix = None
        if many and down > 0:
            level = round(strip.level_db - down, 1)
            fix = (
                "Limit the loop to −6.5 dB",
                SetStrip(rail=loop.port, values={"level_db": max(-120, level)}),
            )
        shown = fmt.number(loop.gain_db, 1)
        if loop.gain_db >= 0:
            lap = fmt.number(e.lap_s(loop) * 1e3, 0)
            yield Found(
                loop.port,
                f"{source.shown} feeds itself with {fmt.signed(loop.gain_db, 1)} dB a lap: it grows "
                f"by that every {lap} ms, without limit.",
                loop.gain_db, "dB", fix, "alarm",
            )  # fmt: skip
        elif loop.gain_db > -6:
            laps = math.ceil(60 / -loop.gain_db)
            tail = " (a peak of the reverb in it counted)" if _has_tail(e) else ""
            yield Found(
                loop.port,
                f"{source.shown} feeds itself: loop gain {shown} dB{tail}. It takes {laps} laps to die "
                f"away; {fmt.number(-loop.gain_db, 1)} dB more and it never stops.",
                loop.gain_db, "dB", fix,
            )  # fmt: skip
        elif loop.gain_db > -40:
            yield Found(
                loop.port,
                f"{source.shown} feeds itself: loop gain {shown} dB.",
                loop.gain_db,
                "dB",
                severity="note",
            )


def _has_tail(e: Evaluation) -> bool:
    """Whether a reverb stands in a loop of the rig."""
    return any(getattr(e.rig.nodes[name], "diffuse", False) for name in e.plan.in_cycle)


@rule(
    "loop-without-delay", "no loop without delay", "alarm",
    "A cycle without any delay has no sound that can be computed: each sample would need itself. "
    "It is never given a hidden delay. Take the rail away, or put a delay into the cycle.",
)  # fmt: skip
def loop_without_delay(e: Evaluation) -> Iterator[Found]:
    for loop in e.loops:
        if loop.lap_s <= 0:
            source = e.rig.nodes[loop.port.rpartition(".")[0]]
            yield Found(
                loop.port, f"{source.shown} goes back into its own path without any delay: refused.",
                0, "ms", ("Take this rail away", Disconnect(port=loop.port, feed=True)),
            )  # fmt: skip


@rule(
    "runaway", "feedback below unity", "alarm",
    "At 100 % feedback a delay never dies; above it every repeat is louder than the last until "
    "something clips. Declared as hold, it is meant, and limited by the device.",
)  # fmt: skip
def runaway(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Delay):
        laps = [loop.most for loop in e.plan.loops.values() if loop.owner == node.id]
        # At 100 % the smallest filter takes the loop below unity, at 102 % it need not.
        if not laps or max(laps) < 1:
            continue
        growth = gain_db(max(laps))
        point = e.plan.inlet[node.id]
        level = e.plan.carried[point].level_dbfs
        said = f"{node.shown} is set to {node.feedback_percent:g} % feedback: "
        if growth < 0.005:
            said += "the repeats never die."
        else:
            count = math.ceil(-(level if level is not None else -18.0) / growth)
            said += f"repeats grow by {fmt.number(growth, 2)} dB and meet full scale after {count}."
        fix = ("Set feedback to 50 %", Set(node=node.id, values={"feedback_percent": 50}))
        if node.hold:
            yield Found(
                node.id,
                said + " Hold is declared: the device limits it.",
                node.feedback_percent,
                "%",
                severity="caution",
            )
        else:
            yield Found(node.id, said, node.feedback_percent, "%", fix)


@rule(
    "long-feedback", "repeats end in time", "note",
    "The only loss in most feedback loops is the feedback itself. Close to unity the repeats pile "
    "up for many seconds and cloud what is played next.",
)  # fmt: skip
def long_feedback(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Delay):
        if 0 < node.feedback_percent < 100 and node.id in e.plan.times_s:
            rt60 = 3 * e.plan.times_s[node.id] / -math.log10(node.feedback_percent / 100)
            if rt60 > 15:
                yield Found(
                    node.id, f"{node.shown} takes {fmt.number(rt60, 0)} s to fall by 60 dB.",
                    rt60, "s", ("Set feedback to 40 %", Set(node=node.id, values={"feedback_percent": 40})),
                )  # fmt: skip


@rule(
    "device-feedback", "feedback within the device's range", "caution",
    "A delay of the song's plan stands for a device, and that can be set no further than its own knob "
    "goes. What the plan asks beyond it will not be heard.",
)  # fmt: skip
def device_feedback(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Delay):
        device = e.context.feedback_of(node)
        if device is None or device[0] <= node.feedback_percent <= device[1]:
            continue
        nearest = min(max(node.feedback_percent, device[0]), device[1])
        yield Found(
            node.id,
            f"{node.shown} asks for {node.feedback_percent:g} % feedback; its device goes from "
            f"{device[0]:g} to {device[1]:g} %.",
            node.feedback_percent, "%",
            (f"Set feedback to {nearest:g} %", Set(node=node.id, values={"feedback_percent": nearest})),
        )  # fmt: skip
