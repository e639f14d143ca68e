"""Delays in the plan: a dry arc, and wet ones into points that feed themselves."""

from typing import TYPE_CHECKING

from core.blend import law_gains
from core.routing.document import kinds as k
from core.routing.document.rig import RigError
from core.routing.plan import responses as rs
from core.routing.plan.model import SWAP, UNIT, Matrix, SelfLoop, scaled, times

if TYPE_CHECKING:
    from core.routing.plan.build import Builder

FUSED_S = 0.035
_LEFT: Matrix = (1.0, 0.0, 0.0, 0.0)
_RIGHT: Matrix = (0.0, 0.0, 0.0, 1.0)
_ACROSS: Matrix = (0.0, 0.0, 1.0, 0.0)


def loop_insert(node: k.Delay) -> k.Stage | None:
    """The stage in a delay's loop: a soft drive of up to 24 dB from -12 dBFS, or a slow chorus."""
    amount = node.insert_percent / 100
    if node.insert == "drive":
        gain_db = 24 * amount
        return k.Drive(id=node.id, gain_db=gain_db, ceiling_dbfs=-12, output_db=-gain_db)
    if node.insert == "chorus":
        return k.Chorus(id=node.id, depth_ms=2 * amount, centre_ms=4, rate_hz=0.6, mix_percent=100)
    return None


def expand_delay(
    b: "Builder", node: k.Delay, here: int, out: int, shape: Matrix, late: float, wanted: float,
    *, opened: bool,
) -> None:  # fmt: skip
    """Raises RigError for a time, an offset or a tempo that leaves nothing to wait for."""
    dry, wet = law_gains(node.mix_law, node.mix_percent / 100)
    time = b.seconds(node.time, node)
    if time <= 0:
        raise RigError(f"{node.shown}: a delay time must be above 0 ms.", part=node.time)
    b.plan.times_s[node.id] = time
    back = node.feedback_percent / 100
    side, mode = node.side, node.mode
    if b.plan.channels[out] == 1:
        b.idle(
            node.id, *(x for x, on in (("side", side != "both"), ("mode", mode != "single")) if on)
        )
        side, mode = "both", "single"
    width_only = back == 0 and node.mix_percent == 100 and side != "both" and time <= FUSED_S
    is_wet = node.counts_as == "wet" or (node.counts_as == "auto" and not width_only)
    loop = rs.cuts(node.low_cut_hz, node.high_cut_hz, 1)
    meant = wanted + (time if node.delay_is != "latency" else 0.0)

    def leg(target: int, matrix: Matrix, after: float) -> None:
        b.arc(
            here, target, matrix, node.id, delay_s=late + after, wet=is_wet,
            wanted_s=meant + after - time if node.delay_is != "latency" else wanted,
        )  # fmt: skip

    def ring(matrix: Matrix, after: float) -> int:
        point = b.point(b.plan.channels[out])
        if back > 0:
            b.plan.loops[point] = SelfLoop(
                scaled(matrix, back), after, node.id, loop, loop_insert(node), point
            )
        return point

    def heard(point: int) -> None:
        b.arc(point, out, UNIT, node.id, wet=is_wet)

    b.arc(
        here, out, scaled(shape, dry), node.id, delay_s=late, wanted_s=wanted,
        leak=node.mix_percent > 0,
    )  # fmt: skip
    # One signal, from two equal sides or from two that differ.
    gather: Matrix = (2**-0.5, 2**-0.5, 0.0, 0.0) if opened else (0.5, 0.5, 0.0, 0.0)
    if side != "both":
        own, other = (_LEFT, _RIGHT) if side == "left" else (_RIGHT, _LEFT)
        b.arc(here, out, times(other, scaled(shape, wet)), node.id, delay_s=late, wanted_s=wanted)
        point = ring(UNIT, time)
        leg(point, times(own, scaled(shape, wet)), time)
        heard(point)
    elif mode == "dual":
        right = time + node.offset_ms / 1e3
        if right <= 0:
            raise RigError(f"{node.shown}: the offset makes the right side early.")
        for after, keep in ((time, _LEFT), (right, _RIGHT)):
            point = ring(UNIT, after)
            leg(point, times(keep, scaled(shape, wet)), after)
            heard(point)
    elif mode == "ping-pong":
        point = ring(SWAP, time)
        leg(point, times(gather, scaled(shape, wet)), time)
        heard(point)
    elif mode == "cascade":
        second = time + node.offset_ms / 1e3
        if second <= 0:
            raise RigError(
                f"{node.shown}: the offset makes the second delay come before the first."
            )
        left_point, right_point = ring(UNIT, time), ring(UNIT, second)
        leg(left_point, times(gather, scaled(shape, wet)), time)
        heard(left_point)
        b.arc(
            left_point, right_point, _ACROSS, node.id, delay_s=second, wanted_s=second, wet=is_wet
        )
        heard(right_point)
    else:
        point = ring(UNIT, time)
        leg(point, scaled(shape, wet), time)
        heard(point)
