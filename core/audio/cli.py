"""`fonodrome loudness FILE`: loudness and peaks for scripts, without server or database."""

import json
import sys
from pathlib import Path

import numpy as np

from core.audio.layout import layout_of
from core.audio.loudness import EnergyMeter, loudness_of
from core.audio.oversample import LATENCY, Oversampler, true_peak
from core.audio.source import BLOCK_FRAMES, open_audio
from core.command import Parser
from core.errors import AudioError, FonodromeError
from core.units.decibel import decibels

_ROWS = (
    ("integrated_lufs", "Integrated", "LUFS"), ("momentary_max_lufs", "Momentary, largest", "LUFS"),
    ("short_term_max_lufs", "Short-term, largest", "LUFS"), ("range_lu", "Range", "LU"),
    ("true_peak_dbtp", "True peak", "dBTP"), ("sample_peak_dbfs", "Sample peak", "dBFS"),
)  # fmt: skip


def measure(path: Path) -> dict[str, float | str | None]:
    """Loudness and peaks of a file, read once. None where a figure does not exist.

    Raises AudioError for what is not audio, for samples that are no numbers, and for a number of
    channels without a usual layout.
    """
    with open_audio(path, path.name) as sound:
        layout = layout_of(sound.channels)
        meter, over = EnergyMeter(sound.rate_hz), Oversampler(sound.channels)
        peak = true = 0.0
        for start in range(0, sound.frames, BLOCK_FRAMES):
            block = sound.read(start, min(BLOCK_FRAMES, sound.frames - start))
            if not np.isfinite(block).all():
                raise AudioError(f"“{path.name}” holds samples that are no numbers.")
            meter.push(np.asarray(block, np.float64)[None])
            peak = max(peak, float(np.abs(block).max(initial=0.0)))
            true = max(true, true_peak(block, over))
        true = max(true, peak, true_peak(np.zeros((sound.channels, LATENCY)), over))
    loud = loudness_of(meter)
    return {
        "integrated_lufs": loud.integrated_lufs, "momentary_max_lufs": loud.momentary_max_lufs,
        "short_term_max_lufs": loud.short_term_max_lufs, "range_lu": loud.range_lu,
        "true_peak_dbtp": decibels(true) if true > 0 else None,
        "sample_peak_dbfs": decibels(peak) if peak > 0 else None,
        "layout": layout.said,
    }  # fmt: skip


def main(arguments: list[str]) -> int:
    """0: measured; 2: one sentence says why not."""
    parser = Parser(prog="fonodrome loudness", description="How loud a file is, and its peaks.")
    parser.add_argument("file", metavar="FILE", type=Path)
    parser.add_argument("--json", action="store_true", help="all results as JSON")
    given = parser.parse_args(arguments)
    try:
        found = measure(given.file)
    except FonodromeError as error:
        print(error.sentence, file=sys.stderr)
        return 2
    if given.json:
        print(json.dumps(found, indent=2, ensure_ascii=False))
        return 0
    print(f"{given.file.name}, {found['layout']}")
    for key, name, unit in _ROWS:
        value = found[key]
        print(f"  {name:<20} {f'{value:9.2f} {unit}' if value is not None else '        -'}")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
