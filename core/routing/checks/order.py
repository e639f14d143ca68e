"""Checks of order: what stands before what. There is no right or wrong, only consequences."""

from collections.abc import Iterator

from core.routing.checks.base import (
    Found,
    before,
    on_return,
    rule,
    serial_pairs,
    series_before,
    sounding,
    with_trait,
)
from core.routing.document import kinds as k
from core.routing.edit.actions import Move, Remove, Set
from core.routing.evaluate.arrivals import Evaluation


def _space(e: Evaluation) -> Iterator[k.Stage]:
    """What goes on sounding: delays, reverbs, impulse responses."""
    return with_trait(e.rig, "has_tail")


def _before(e: Evaluation, node: k.Node, later: k.Node) -> Move | None:
    """Move `node` to just before `later`, where that is one rail."""
    came = e.rig.inputs[later.id]
    if len(came) != 1 or later.id not in e.rig.nodes or node.id == came[0].rpartition(".")[0]:
        return None
    return Move(node=node.id, to=came[0])


@rule(
    "trails-cut", "trails ring on", "note",
    "A volume pedal, or a switched loop, behind a delay or reverb cuts its tail along with the "
    "sound. Before it, what has been played rings on.",
)  # fmt: skip
def trails_cut(e: Evaluation) -> Iterator[Found]:
    for space, pedal in serial_pairs(e.rig, _space(e), sounding(e.rig, k.VolumePedal)):
        if space.id not in series_before(e.rig, pedal.id):
            continue
        fix = _before(e, pedal, space)
        yield Found(
            pedal.id,
            f"{pedal.shown} behind {space.shown} cuts its trails.",
            None,
            "",
            (f"Move it before {space.shown}", fix) if fix else None,
        )
    for node in _space(e):
        if node.loop is not None and not k.has_trails(node):
            yield Found(
                node.id,
                f"{node.shown} sits in loop {node.loop} and stops dead when it is switched off.",
                node.loop,
                "",
                ("It has trails", Set(node=node.id, values={"bypass_is": "trails"})),
            )


@rule(
    "volume-before-drive", "volume and drive in order", "note",
    "Before a drive a volume pedal changes how hard the drive is hit, and repeats the guitar's own "
    "volume control; behind it, it changes only the level.",
)  # fmt: skip
def volume_before_drive(e: Evaluation) -> Iterator[Found]:
    for pedal, drive in serial_pairs(
        e.rig, sounding(e.rig, k.VolumePedal), sounding(e.rig, k.Drive)
    ):
        if e.rig.outputs_of(drive.id) and pedal.id in series_before(e.rig, drive.id):
            yield Found(
                pedal.id,
                f"{pedal.shown} before {drive.shown} changes the drive, not only the level.",
                None,
                "",
                (f"Move it behind {drive.shown}", Move(node=pedal.id, to=f"{drive.id}.0")),
            )


@rule(
    "volume-twice", "one volume pedal a path", "caution",
    "Two volume pedals in one path multiply: either alone at the heel silences it. One on the "
    "common feed and one on the wet feed is an arrangement of its own and not meant here.",
)  # fmt: skip
def volume_twice(e: Evaluation) -> Iterator[Found]:
    for first, second in serial_pairs(
        e.rig, sounding(e.rig, k.VolumePedal), sounding(e.rig, k.VolumePedal)
    ):
        if first.id in series_before(e.rig, second.id):
            yield Found(
                second.id,
                f"{first.shown} and {second.shown} stand in one path.",
                2,
                "pedals",
                (f"Take {second.shown} out", Remove(nodes=(second.id,))),
            )


@rule(
    "drive-after-space", "drive before space", "note",
    "A drive behind a delay or reverb smears: repeats and tail are pressed up to the level of the "
    "notes and mix with them. It is an effect of its own.",
)  # fmt: skip
def drive_after_space(e: Evaluation) -> Iterator[Found]:
    for space, drive in serial_pairs(e.rig, _space(e), sounding(e.rig, k.Drive)):
        fix = _before(e, drive, space) if space.id in series_before(e.rig, drive.id) else None
        yield Found(
            drive.id,
            f"{drive.shown} behind {space.shown} smears its tail.",
            None,
            "",
            (f"Move it before {space.shown}", fix) if fix else None,
        )


@rule(
    "chorus-before-drive", "chorus is not masked", "note",
    "Heavy drive flattens the level changes that make a chorus audible: before it, the chorus is "
    "mostly masked.",
)  # fmt: skip
def chorus_before_drive(e: Evaluation) -> Iterator[Found]:
    for chorus, drive in serial_pairs(e.rig, sounding(e.rig, k.Chorus), sounding(e.rig, k.Drive)):
        if (
            isinstance(drive, k.Drive)
            and drive.gain_db >= 15
            and chorus.id in series_before(e.rig, drive.id)
        ):
            yield Found(
                chorus.id,
                f"{chorus.shown} before {drive.gain_db:g} dB of drive is masked.",
                drive.gain_db,
                "dB",
                (f"Move it behind {drive.shown}", Move(node=chorus.id, to=f"{drive.id}.0")),
            )


@rule(
    "compressor-drive", "compressor and drive in order", "note",
    "A compressor before a drive evens how the drive is hit; behind it, it lifts sustain and noise. "
    "Both schools are in use.",
)  # fmt: skip
def compressor_drive(e: Evaluation) -> Iterator[Found]:
    for drive, compressor in serial_pairs(
        e.rig, sounding(e.rig, k.Drive), sounding(e.rig, k.Compressor)
    ):
        if drive.id in series_before(e.rig, compressor.id):
            yield Found(
                compressor.id,
                f"{compressor.shown} behind {drive.shown} lifts its sustain and its noise.",
            )


@rule(
    "modulation", "nothing defeats a null", "note",
    "Modulation that is not locked starts somewhere else each time: a second run never nulls "
    "against the first, however well all else is matched.",
)  # fmt: skip
def modulation(e: Evaluation) -> Iterator[Found]:
    for node in with_trait(e.rig, "moving"):
        lock = ("Lock its modulation", Set(node=node.id, values={"locked": True}))
        yield Found(
            node.id,
            f"{node.shown} moves by itself: no null against another run.",
            None,
            "",
            lock if "locked" in type(node).model_fields else None,
        )


@rule(
    "wet-into-wet", "effects side by side", "note",
    "A delay inserted before a reverb sends every repeat into it, and a reverb before a delay is "
    "repeated whole. Side by side, each keeps its own level.",
)  # fmt: skip
def wet_into_wet(e: Evaluation) -> Iterator[Found]:
    for first, second in serial_pairs(e.rig, _space(e), _space(e)):
        if (
            first.id in before(e.rig, second.id)
            and first.id in series_before(e.rig, second.id)
            and isinstance(first, k.Mixed)
            and first.mix_percent < 100
            and not on_return(e.rig, second.id)
        ):
            yield Found(
                second.id,
                f"{first.shown} goes through {second.shown} as well.",
                first.mix_percent,
                "%",
            )
