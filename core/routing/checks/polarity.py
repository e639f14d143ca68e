"""Checks of polarity and of times: what cancels, combs, or folds down."""

from collections.abc import Iterator

from core.routing.checks.base import Found, rule, sounding
from core.routing.document import kinds as k
from core.routing.edit.actions import Action, Set, SetStrip
from core.routing.evaluate.arrivals import Evaluation, comb_notches
from core.routing.evaluate.report import ArrivalOut
from core.units import format as fmt
from core.units.decibel import db_gain, gain_db


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
            if abs(a.time_ms - main.time_ms) > 10 or _crossed(e, a, main) or _moves(e, a, main):
                continue
            # A wet rail that is late on purpose cannot take the whole away; at the same time it can.
            if a.wet_percent and abs(a.time_ms - main.time_ms) > 0.05:
                continue
            left = 1 - db_gain(-abs(a.level_db - main.level_db))
            loss = gain_db(left) if left > 1e-6 else None
            where = _inverter(e, a.through, main.through)
            at_once = abs(a.time_ms - main.time_ms) < 0.005 and not _filtered(e, a, main)
            what = "everything" if at_once else "the low end"
            amount = (
                f"cancels {what}{'' if at_once else ' entirely'}"
                if loss is None
                else f"takes {fmt.number(-loss, 1)} dB of {what}"
            )
            yield Found(
                where[0] if where else board.output,
                f"{a.name} ({a.detail}) is inverted against {main.name.lower()} and {amount}.",
                loss, "dB", where[1] if where else None,
            )  # fmt: skip


def _filtered(e: Evaluation, one: ArrivalOut, other: ArrivalOut) -> bool:
    """Whether a processor stands on one of two ways and not on the other."""
    apart = set(one.through) ^ set(other.through)
    return any(getattr(e.rig.nodes.get(part), "processes", False) for part in apart)


def _moves(e: Evaluation, one: ArrivalOut, other: ArrivalOut) -> bool:
    """Whether something modulated keeps two arrivals from standing against each other."""
    apart = set(one.through) ^ set(other.through)
    return any(getattr(e.rig.nodes.get(part), "moving", False) for part in apart)


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
            ratio = min(1.0, db_gain(-abs(a.level_db - first.level_db)))
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
