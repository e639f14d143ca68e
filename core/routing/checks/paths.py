"""Checks of what arrives: leaks, late and inverted paths, loops, silence, doubles, mono."""

import math
from collections.abc import Iterator

from core.routing.checks.base import (
    Found,
    before,
    has_dry_beside,
    on_return,
    rule,
    sounding,
)
from core.routing.document import kinds as k
from core.routing.edit.actions import Action, Connect, Disconnect, Insert, Set, SetStrip
from core.routing.evaluate.arrivals import Evaluation, comb_notches
from core.routing.evaluate.report import ArrivalOut
from core.routing.plan.build import SILENT_DB
from core.units import format as fmt

_WET = (k.Delay, k.Reverb, k.Convolution, k.Chorus)


def _leaks(e: Evaluation, on_a_return: bool) -> Iterator[Found]:
    for node in sounding(e.rig, *_WET):
        if node.mix_percent >= 100 or on_return(e.rig, node.id) != on_a_return:
            continue
        if not has_dry_beside(e, node.id):
            continue
        leak = next(
            (
                (b, a)
                for b in e.boards
                for a in b.arrivals
                if a.leak and node.id in a.through and a.level_db > -60
            ),
            None,
        )
        if leak is None:
            continue
        board, arrival = leak
        late = arrival.time_ms - board.reference_ms
        word = "return" if on_a_return else "rail"
        said = (
            f"{node.shown} on this {word} is {fmt.significant(node.mix_percent, 4)} % wet: a second "
            f"dry signal at {fmt.number(arrival.level_db, 1)} dB"
        )
        if late > 0.02:
            ratio = min(1.0, 10 ** (arrival.level_db / 20))
            hz = comb_notches(late / 1e3, ratio, arrival.polarity == 1, 1)[0][0]
            said += f" arrives {fmt.number(late, 2)} ms late and cuts a notch at {hz:.0f} Hz."
        else:
            said += " adds to the dry one, and the fader no longer sets the wet alone."
        yield Found(
            node.id, said, node.mix_percent, "%",
            ("Set to 100 % wet", Set(node=node.id, values={"mix_percent": 100})),
        )  # fmt: skip


_LEAK = (
    "Beside a dry path, a device's own dry share is a second dry signal: later by the device's "
    "latency, so the two comb, and the fader behind it makes the whole path quieter instead of "
    "less wet. At 100 % the fader is a wet fader."
)


@rule("return-not-wet", "returns fully wet", "caution", _LEAK)
def return_not_wet(e: Evaluation) -> Iterator[Found]:
    yield from _leaks(e, True)
    for node in e.rig.of_type(_WET):
        # Switched off, a device that lets its input through makes the return a second dry path.
        if not node.bypassed or not k.passes_input(node) or not on_return(e.rig, node.id):
            continue
        if has_dry_beside(e, node.id):
            yield Found(
                node.id,
                f"{node.shown} is bypassed and lets its input through: the return carries the dry "
                "signal a second time.",
                0, "",
                ("Let nothing pass when it is off", Set(node=node.id, values={"bypass_is": "mute"})),
            )  # fmt: skip


@rule("parallel-not-wet", "parallel rails fully wet", "caution", _LEAK)
def parallel_not_wet(e: Evaluation) -> Iterator[Found]:
    yield from _leaks(e, False)


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
            lap = fmt.number(loop.lap_s * 1e3, 0)
            yield Found(
                loop.port,
                f"{source.shown} feeds itself with {fmt.signed(loop.gain_db, 1)} dB a lap: it grows "
                f"by that every {lap} ms, without limit.",
                loop.gain_db, "dB", fix, "alarm",
            )  # fmt: skip
        elif loop.gain_db > -6:
            laps = math.ceil(60 / -loop.gain_db)
            yield Found(
                loop.port,
                f"{source.shown} feeds itself: loop gain {shown} dB. It takes {laps} laps to die "
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
        growth = (
            20 * math.log10(node.feedback_percent / 100) if node.feedback_percent > 0 else -99.0
        )
        if node.feedback_percent < 100:
            continue
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
    "polarity", "polarity agrees", "caution",
    "Two copies of one signal with opposite polarity take low frequencies away from each other "
    "first, whatever their delay. One inverted cable is enough.",
)  # fmt: skip
def polarity(e: Evaluation) -> Iterator[Found]:
    for board in e.boards:
        main = next((a for a in board.arrivals if a.wet_percent == 0 and not a.diffuse), None)
        if main is None:
            continue
        for a in board.arrivals:
            if a is main or a.diffuse or a.polarity == main.polarity or a.level_db < -30:
                continue
            if a.wet_percent or abs(a.time_ms - main.time_ms) > 10 or _crossed(e, a, main):
                continue
            left = 1 - 10 ** (-abs(a.level_db - main.level_db) / 20)
            loss = 20 * math.log10(left) if left > 1e-6 else None
            where = _inverter(e, a.through, main.through)
            amount = (
                "cancels the low end entirely"
                if loss is None
                else f"takes {fmt.number(-loss, 1)} dB of the low end"
            )
            yield Found(
                where[0] if where else board.output,
                f"{a.name} ({a.detail}) is inverted against {main.name.lower()} and {amount}.",
                loss, "dB", where[1] if where else None,
            )  # fmt: skip


def _crossed(e: Evaluation, one: ArrivalOut, other: ArrivalOut) -> bool:
    """Whether the two are the rails of one crossover, which may need to be inverted."""
    shared = set(one.through) & set(other.through)
    return any(
        isinstance(n := e.rig.nodes.get(part), k.Split) and n.mode == "crossover" for part in shared
    )


def _inverter(
    e: Evaluation, through: list[str], other: list[str]
) -> tuple[str, tuple[str, Action]] | None:
    """What inverts the one path and not the other, with the action that turns it upright."""
    for way in (through, other):
        for part in way:
            if part in (other if way is through else through):
                continue
            if part in e.rig.rails and e.rig.rails[part].strip.inverted:
                return part, (
                    "Turn this input upright",
                    SetStrip(rail=part, values={"inverted": False}),
                )
            node = e.rig.nodes.get(part)
            if node is not None and k.field_of(node, "inverted", False):
                return part, (
                    f"Turn {node.shown} upright",
                    Set(node=part, values={"inverted": False}),
                )
    return None


@rule(
    "polarity-far", "distant arrivals upright", "note",
    "An inverted echo cannot cancel the dry sound, but it may cancel the next one that comes back "
    "upright, and it defeats a null test.",
)  # fmt: skip
def polarity_far(e: Evaluation) -> Iterator[Found]:
    said: set[str] = set()
    for board in e.boards:
        for a in board.arrivals:
            late = a.time_ms - board.reference_ms
            if a.polarity == -1 and late > 10 and not a.diffuse and a.level_db > -40:
                where = _inverter(e, a.through, [])
                if where and where[0] not in said:
                    said.add(where[0])
                    yield Found(
                        where[0],
                        f"{a.name} is inverted. At {fmt.number(late, 0)} ms it cannot cancel the dry sound.",
                        late,
                        "ms",
                        where[1],
                    )


@rule(
    "late-path", "dry paths arrive together", "caution",
    "The same sound twice with a short delay between is a comb filter. Converters, digital devices "
    "and microphones at a distance bring latencies that nobody asked for; the early rail can wait.",
)  # fmt: skip
def late_path(e: Evaluation) -> Iterator[Found]:
    align = {a.rail: a for a in e.align()}
    for board in e.boards:
        dry = [a for a in board.arrivals if a.wet_percent == 0 and not a.leak and not a.diffuse]
        if len(dry) < 2:
            continue
        first = min(dry, key=lambda a: a.latency_ms)
        for a in dry:
            late = a.latency_ms - first.latency_ms
            if a is first or late < 0.02 or late > 40 or a.level_db < -30 or a.intended:
                continue
            here = [r for r in align if r in first.through]
            ratio = min(1.0, 10 ** (-abs(a.level_db - first.level_db) / 20))
            hz = comb_notches(late / 1e3, ratio, a.polarity == first.polarity, 1)[0][0]
            fix = None
            if here:
                rail = here[-1]
                delay = e.rig.rails[rail].strip.delay_ms + align[rail].add_ms
                fix = (
                    f"Delay the early rail by {fmt.number(align[rail].add_ms, 2)} ms",
                    SetStrip(rail=rail, values={"delay_ms": round(delay, 6)}),
                )
            yield Found(
                next((t for t in reversed(a.through) if t in e.rig.nodes and t not in first.through), board.output),
                f"{a.name} ({a.detail}) is {fmt.number(late, 2)} ms late: the first notch is at {hz:.0f} Hz.",
                late, "ms", fix,
            )  # fmt: skip
            break


@rule(
    "same-twice", "nothing arrives twice", "caution",
    "A signal that reaches the output over a bus and directly as well is up to 6 dB louder, and "
    "the two no longer move with one fader.",
)  # fmt: skip
def same_twice(e: Evaluation) -> Iterator[Found]:
    for board in e.boards:
        plain = [
            a for a in board.arrivals
            if a.wet_percent == 0 and not a.leak and a.level_db > -20 and a.polarity == 1
            and _unprocessed(e, a.through)
        ]  # fmt: skip
        if (
            len(plain) > 1
            and abs(plain[0].time_ms - plain[1].time_ms) < 0.05
            and abs(plain[0].pan_percent - plain[1].pan_percent) < 50
        ):
            total = 20 * math.log10(sum(10 ** (a.level_db / 20) for a in plain[:2]))
            rail = next(
                (t for t in plain[1].through if t in e.rig.rails and t not in plain[0].through),
                None,
            )
            fix = ("Take the second way out", Disconnect(port=rail, feed=True)) if rail else None
            yield Found(
                rail or board.output,
                f"{e.rig.nodes[board.source].shown} arrives twice, unprocessed and at once: {fmt.signed(total, 1)} dB.",
                total, "dB", fix,
            )  # fmt: skip


def _unprocessed(e: Evaluation, through: list[str]) -> bool:
    quiet = (k.Source, k.Send, k.Return, k.Split, k.Merge, k.Bus, k.Output, k.Level, k.Fader)
    for part in through:
        node = e.rig.nodes.get(part)
        if node is not None and not isinstance(node, quiet) and not k.is_bypassed(node):
            return False
        if isinstance(node, k.Split) and node.mode != "full":
            return False
    return True


@rule(
    "silent-path", "no silent path", "note",
    "A path that passes nothing is easily taken for a broken one. The stage that silences it is "
    "named here.",
)  # fmt: skip
def silent_path(e: Evaluation) -> Iterator[Found]:
    for node in e.rig.nodes.values():
        if k.field_of(node, "muted", False):
            yield Found(
                node.id,
                f"{node.shown} is muted: nothing passes.",
                None,
                "dB",
                ("Unmute", Set(node=node.id, values={"muted": False})),
            )
        elif k.field_of(node, "level_db", 0) <= SILENT_DB and not isinstance(node, k.Source):
            yield Found(
                node.id,
                f"{node.shown} stands at minus infinity.",
                None,
                "dB",
                ("Set to 0 dB", Set(node=node.id, values={"level_db": 0})),
            )
        elif isinstance(node, k.VolumePedal) and node.position_percent == 0 and not node.bypassed:
            yield Found(
                node.id,
                f"{node.shown} is at the heel: nothing passes.",
                0,
                "%",
                ("Set to the toe", Set(node=node.id, values={"position_percent": 100})),
            )
    for port, rail in e.rig.rails.items():
        if rail.strip.muted:
            shown = e.rig.nodes[port.rpartition(".")[0]].shown
            yield Found(
                port,
                f"The input from {shown} is muted.",
                None,
                "dB",
                ("Unmute", SetStrip(rail=port, values={"muted": False})),
            )


@rule(
    "solo-on", "no solo left on", "note",
    "A solo silences every other input of its merge, except returns that are solo-safe.",
)  # fmt: skip
def solo_on(e: Evaluation) -> Iterator[Found]:
    for port, rail in e.rig.rails.items():
        if rail.strip.solo:
            shown = e.rig.nodes[port.rpartition(".")[0]].shown
            yield Found(
                port,
                f"{shown} is soloed: other inputs are silent.",
                None,
                "",
                ("Solo off", SetStrip(rail=port, values={"solo": False})),
            )


@rule(
    "dangling", "every rail leads somewhere", "caution",
    "What goes nowhere is not heard, and its device still costs power and noise.",
)  # fmt: skip
def dangling(e: Evaluation) -> Iterator[Found]:
    reaching = {n for o in e.rig.of_kind("output") for n in [o.id, *before(e.rig, o.id)]}
    for node in e.rig.nodes.values():
        if (
            node.id not in reaching
            and not e.rig.outputs_of(node.id)
            and not isinstance(node, k.Output)
        ):
            target = next((o.id for o in e.rig.of_kind("output")), None)
            fix = (
                (f"Lead it to {e.rig.nodes[target].shown}", Connect(port=f"{node.id}.0", to=target))
                if target
                else None
            )
            yield Found(node.id, f"{node.shown} goes nowhere.", None, "", fix)


@rule(
    "nothing-in", "every stage is fed", "note",
    "A stage without anything before it has nothing to work on.",
)  # fmt: skip
def nothing_in(e: Evaluation) -> Iterator[Found]:
    for node in e.rig.nodes.values():
        if not e.rig.inputs[node.id] and not isinstance(node, k.Source):
            yield Found(node.id, f"Nothing goes into {node.shown}.")


@rule(
    "wet-missing", "returns have a device", "caution",
    "A send whose return carries no effect is the dry signal once more, only louder.",
)  # fmt: skip
def wet_missing(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Return):
        chain = before(e.rig, node.id)
        if not any(isinstance(e.rig.nodes[n], k.Send) for n in chain):
            continue
        between = _since_send(e, node.id)
        if not any(
            isinstance(
                e.rig.nodes[n],
                (
                    *_WET,
                    k.Outboard,
                    k.Generic,
                    k.Compressor,
                    k.Drive,
                    k.Frame,
                    k.Filter,
                    k.Equaliser,
                    k.Tremolo,
                ),
            )
            for n in between
        ):
            came = e.rig.inputs[node.id]
            fix = (
                (
                    "Put a reverb on it",
                    Insert(at=came[0], kind="reverb", values={"locked": True, "low_cut_hz": 150}),
                )
                if came
                else None
            )
            yield Found(
                node.id, f"{node.shown} has no device: it is the dry sound again.", None, "", fix
            )


def _since_send(e: Evaluation, id: str) -> list[str]:
    found: list[str] = []
    todo = [id]
    while todo:
        node = todo.pop()
        for port in e.rig.inputs[node]:
            source = port.rpartition(".")[0]
            if not isinstance(e.rig.nodes[source], k.Send) and source not in found:
                found.append(source)
                todo.append(source)
    return found


@rule(
    "mono-fold", "mono holds", "caution",
    "Many listeners and most stages hear both sides added up. What differs between the sides in "
    "time or polarity is lost there.",
)  # fmt: skip
def mono_fold(e: Evaluation) -> Iterator[Found]:
    for board in e.boards:
        if board.sums and board.sums.mono_db is not None and board.sums.mono_db < -4:
            yield Found(
                board.output,
                f"In mono {e.rig.nodes[board.source].shown} loses {fmt.number(-board.sums.mono_db, 1)} dB at {e.rig.nodes[board.output].shown}.",
                board.sums.mono_db, "dB",
            )  # fmt: skip


@rule(
    "width-delay", "width survives mono", "note",
    "One side a few milliseconds later sounds wide and fused up to about 20 to 30 ms, and turns "
    "into a comb when the sides are added. The earlier side pulls the image: trade about 5 dB for "
    "1 ms, rising to about 10 dB at 5 ms and beyond (rough figures).",
)  # fmt: skip
def width_delay(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Delay):
        time = e.plan.times_s.get(node.id, 0.0)
        if node.side != "both" and node.feedback_percent == 0 and time < 0.035:
            hz = 1 / (2 * time)
            yield Found(
                node.id,
                f"{node.shown} widens by {fmt.number(time * 1e3, 1)} ms on one side: in mono the first notch is at {hz:.0f} Hz.",
                hz,
                "Hz",
            )


@rule(
    "latency-total", "playing feels immediate", "note",
    "From about 10 ms on, players feel that the sound comes late.",
)  # fmt: skip
def latency_total(e: Evaluation) -> Iterator[Found]:
    for board in e.boards:
        late = min(a.latency_ms for a in board.arrivals)
        if late > 10:
            yield Found(
                board.output,
                f"Everything from {e.rig.nodes[board.source].shown} is at least {fmt.number(late, 1)} ms late.",
                late,
                "ms",
            )


@rule(
    "crossover-sum", "crossover rails add up", "caution",
    "A Linkwitz-Riley crossover of 12 dB per octave leaves its two rails in opposite phase at the "
    "crossover: added up, they cancel there, unless one is inverted.",
)  # fmt: skip
def crossover_sum(e: Evaluation) -> Iterator[Found]:
    for node in sounding(e.rig, k.Split):
        if node.mode != "crossover" or node.slope != 12:
            continue
        ways = [
            [p, *(q for n in after_rail(e, p) for q in e.rig.outputs_of(n))]
            for p in e.rig.outputs_of(node.id)
        ]
        flips = [sum(_flips(e, q) for q in way) for way in ways]
        if len(ways) == 2 and flips[0] % 2 == flips[1] % 2:
            end = ways[1][-1]
            many = e.rig.nodes[e.rig.rails[end].target].many_inputs if end in e.rig.rails else False
            fix = (
                ("Invert the high rail", SetStrip(rail=end, values={"inverted": True}))
                if many
                else None
            )
            yield Found(
                node.id,
                f"{node.shown}: the rails cancel at {node.crossover_hz:.0f} Hz.",
                node.crossover_hz,
                "Hz",
                fix,
            )


def after_rail(e: Evaluation, port: str) -> list[str]:
    """Single stages from a rail on, up to where rails join."""
    found: list[str] = []
    while port in e.rig.rails:
        node = e.rig.rails[port].target
        if e.rig.nodes[node].many_inputs or node in found:
            break
        found.append(node)
        port = f"{node}.0"
    return found


def _flips(e: Evaluation, port: str) -> int:
    node = e.rig.nodes[port.rpartition(".")[0]]
    strip = e.rig.rails[port].strip.inverted if port in e.rig.rails else False
    return int(strip) + int(
        bool(k.field_of(node, "inverted", False)) and not isinstance(node, k.Split)
    )
