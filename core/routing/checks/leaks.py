"""Checks of dry sound where only wet belongs, and of what arrives twice."""

from collections.abc import Iterator

from core.routing.checks.base import Found, has_dry_beside, on_return, rule, with_trait
from core.routing.document import kinds as k
from core.routing.edit.actions import Disconnect, Set
from core.routing.evaluate.arrivals import Evaluation, comb_notches
from core.units import format as fmt
from core.units.decibel import db_gain, gain_db


def _leaks(e: Evaluation, on_a_return: bool) -> Iterator[Found]:
    for node in with_trait(e.rig, "wet_by_nature"):
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
            ratio = min(1.0, db_gain(arrival.level_db))
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
    for node in e.rig.nodes.values():
        if not isinstance(node, k.Stage) or not node.wet_by_nature:
            continue
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
            total = gain_db(sum(db_gain(a.level_db) for a in plain[:2]))
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
    for part in through:
        node = e.rig.nodes.get(part)
        if node is not None and not node.transparent and not k.is_bypassed(node):
            return False
        if isinstance(node, k.Split) and node.mode != "full":
            return False
    return True
