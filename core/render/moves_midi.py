"""Written moves as a Standard MIDI File: one controller for each setting, over the song's tempo map."""

import io
from collections.abc import Mapping, Sequence

import mido

from core.errors import FonodromeError
from core.render.moves import MovePoint, WrittenMove
from core.tempo import TempoMap, TempoSection, write_midi
from core.tempo.midi import TICKS
from core.units import format as fmt

FIRST_CONTROLLER, LAST_CONTROLLER = 20, 31
"""Controllers that MIDI leaves undefined; twelve of them to a channel."""
_EACH = TICKS // 24
"""A ramp has a value at every clock, or as often as it changes."""


def moves_midi(
    moves: Sequence[WrittenMove], sections: Sequence[TempoSection], title: str = "",
    names: Mapping[tuple[str, str], str] | None = None,
) -> bytes:  # fmt: skip
    """A track for each move, behind the track of the tempo map; 960 ticks a quarter.

    The smallest value of a move is 0, the largest 127; a switch is 0 or 127. What the two ends stand for
    is the name of its track. names: of a part and its field, in words. Raises FonodromeError where there
    is nothing to write, or more than channels and controllers.
    """
    if not moves:
        raise FonodromeError("No move is written yet: there is nothing to put into the file.")
    each = LAST_CONTROLLER - FIRST_CONTROLLER + 1
    if len(moves) > 16 * each:
        raise FonodromeError(f"A file holds {16 * each} moves; there are {len(moves)}.")
    tempo = TempoMap(sections)
    file = mido.MidiFile(file=io.BytesIO(write_midi(list(sections), title)))
    for n, move in enumerate(moves):
        channel, control = n // each, FIRST_CONTROLLER + n % each
        name = (names or {}).get((move.part, move.field), f"{move.part} {move.field}")
        low, high = _ends(move)
        flag = all(isinstance(p.value, bool) for p in move.points)
        ends = (
            "0 off, 127 on"
            if flag
            else f"0 is {fmt.significant(low)}, 127 is {fmt.significant(high)}"
        )
        said = f"CC{control} {name}: {ends}".replace(fmt.MINUS, "-").replace(fmt.THIN, "")
        plain = said.encode("ascii", "replace").decode()
        track = mido.MidiTrack([mido.MetaMessage("track_name", name=plain)])
        before = 0
        for tick, value in _values(move, tempo, low, high):
            message = mido.Message("control_change", channel=channel, control=control, value=value)
            track.append(message.copy(time=tick - before))
            before = tick
        file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _ends(move: WrittenMove) -> tuple[float, float]:
    values = [float(p.value) for p in move.points]
    low, high = min(values), max(values)
    return (0.0, 1.0) if all(isinstance(p.value, bool) for p in move.points) else (low, high)


def _values(move: WrittenMove, tempo: TempoMap, low: float, high: float) -> list[tuple[int, int]]:
    """Ticks from the song's start and what is sent there; only what is another than before."""

    def scaled(value: float) -> int:
        return 127 if high == low else round(127 * (value - low) / (high - low))

    found: list[tuple[int, int]] = []
    last: tuple[int, MovePoint] | None = None
    for point in sorted(move.points, key=lambda p: tempo.quarters_of(p.bar, p.beat)):
        tick = round(tempo.quarters_of(point.bar, point.beat) * TICKS)
        if point.ramp and last is not None and tick > last[0]:
            start, value = last[0], float(last[1].value)
            for at in range(start + _EACH, tick, _EACH):
                share = (at - start) / (tick - start)
                found.append((at, scaled(value + share * (float(point.value) - value))))
        found.append((tick, scaled(float(point.value))))
        last = tick, point
    return [one for i, one in enumerate(found) if i == 0 or one[1] != found[i - 1][1]]
