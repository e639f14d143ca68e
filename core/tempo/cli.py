"""`fonodrome tempo FILE.mid`: the tempo map of a MIDI file for scripts."""

import json
import sys
from pathlib import Path

from core.command import Parser
from core.errors import FonodromeError
from core.tempo.map import TempoMap
from core.tempo.midi import MOST_BYTES, MidiError, read_midi
from core.units import format as fmt


def sections_of(path: Path) -> dict[str, object]:
    """Sections with where they begin. Raises MidiError for what cannot be read."""
    try:
        with path.open("rb") as file:
            data = file.read(MOST_BYTES + 1)
    except OSError:
        raise MidiError(f"“{path}” cannot be read.") from None
    found = read_midi(data)
    rows = []
    for stretch in TempoMap(found.sections).stretches:
        section = stretch.section
        bar: int | float = stretch.first_bar
        rows.append(
            {
                "seconds": round(stretch.seconds_from, 9), "bar": bar, "beat": stretch.first_beat,
                "bpm": section.tempo_bpm,
                "end_bpm": section.tempo_bpm if section.ramp_to_bpm is None else section.ramp_to_bpm,
                "beat_unit": section.beat_unit,
                "metre": f"{section.metre_count}/{section.metre_unit}",
                "name": section.name or None,
            }
        )  # fmt: skip
    return {"sections": rows, "notes": found.notes}


def main(arguments: list[str]) -> int:
    """0: read; 2: one sentence says why not."""
    parser = Parser(prog="fonodrome tempo", description="The tempo map of a MIDI file.")
    parser.add_argument("file", metavar="FILE.mid", type=Path)
    parser.add_argument("--json", action="store_true", help="all results as JSON")
    given = parser.parse_args(arguments)
    try:
        found = sections_of(given.file)
    except FonodromeError as error:
        print(error.sentence, file=sys.stderr)
        return 2
    if given.json:
        print(json.dumps(found, indent=2, ensure_ascii=False))
        return 0
    for row in found["sections"]:  # type: ignore[attr-defined]
        goes = "" if row["end_bpm"] == row["bpm"] else f" to {row['end_bpm']:g}"
        place = f"{row['bar']}.{row['beat']:g}"
        print(
            f"  {fmt.clock(row['seconds']):>10}  {place:>8}  {row['bpm']:g}{goes} BPM, "
            f"{row['metre']}{'  ' + row['name'] if row['name'] else ''}"
        )
    for note in found["notes"]:  # type: ignore[attr-defined]
        print(f"Note: {note}")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
