"""Where pedals stand on a board of some size."""

from dataclasses import dataclass

from core.routing.document import kinds as k
from core.routing.document.rig import Rig

_GAP_MM = 10.0


@dataclass(frozen=True)
class Layout:
    """Where footprints stand: (node, x mm, y mm), and what found no room."""

    placed: list[tuple[str, float, float]]
    left_over: list[str]


def lay_out(rig: Rig) -> Layout | None:
    """Footprints in rows, deepest first, 10 mm apart; None without a board size."""
    board = rig.board
    if board.width_mm is None or board.depth_mm is None:
        return None
    pedals = [
        n for n in rig.nodes.values()
        if isinstance(n, k.Stage) and n.width_mm is not None and n.depth_mm is not None
    ]  # fmt: skip
    pedals.sort(key=lambda n: (-(n.depth_mm or 0), n.id))
    x = y = row = 0.0
    placed: list[tuple[str, float, float]] = []
    left: list[str] = []
    for pedal in pedals:
        width, depth = pedal.width_mm or 0.0, pedal.depth_mm or 0.0
        if x and x + width > board.width_mm:
            x, y, row = 0.0, y + row + _GAP_MM, 0.0
        if width > board.width_mm or y + depth > board.depth_mm:
            left.append(pedal.id)
            continue
        placed.append((pedal.id, x, y))
        x += width + _GAP_MM
        row = max(row, depth)
    return Layout(placed, left)
