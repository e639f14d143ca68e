"""`fonodrome measure delay|decay|loop|dynamics`: a device's figures, without server or database."""

import argparse
import sys

from core.audio.source import only_numbers
from core.bench import measure_decay, measure_delay, measure_dynamics, measure_loop
from core.bench.results import DecayMeasured, DelayMeasured, DynamicsMeasured, LoopMeasured
from core.errors import FonodromeError

Measured = DelayMeasured | DecayMeasured | LoopMeasured | DynamicsMeasured


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="fonodrome measure", description="Measure a device from recordings through it.")  # fmt: skip
    kinds = parser.add_subparsers(dest="kind", required=True)
    delay = kinds.add_parser("delay", help="time, first repeat, feedback, sides")
    delay.add_argument("file", metavar="FILE", help="a click, burst or phrase through the delay")
    delay.add_argument("--dry", metavar="DRY", help="what was sent, from the same start")
    delay.add_argument("--planned", type=float, metavar="MS", help="the time it should have")
    decay = kinds.add_parser("decay", help="EDT, T20, T30, C50, C80, pre-delay, by octave")
    decay.add_argument("file", metavar="FILE", help="an impulse, or a sweep, through the reverb")
    decay.add_argument("--sweep", metavar="SWEEP", help="the sweep that was sent")
    for kind, first, second, words in (
        ("loop", "SENT", "RETURNED", "latency, polarity, gain, response, distortion, noise, drift"),
        ("dynamics", "DRY", "WET", "threshold, ratio, attack, release, curve, gain over time"),
    ):
        one = kinds.add_parser(kind, help=words)
        one.add_argument("a", metavar=first)
        one.add_argument("b", metavar=second)
        one.add_argument("--search", type=float, default=2.0, metavar="S", help="offsets up to S seconds (default 2)")  # fmt: skip
    for one in kinds.choices.values():
        one.add_argument("--json", action="store_true", help="all figures as JSON")
    return parser


def _table(found: Measured) -> str:
    lines = [found.sentence, ""]
    for name, value in found.model_dump(exclude={"refused", "sentence"}).items():
        if isinstance(value, list):
            lines.append(f"  {name}: {len(value)}")
            lines += ["    " + ", ".join(f"{k} {v}" for k, v in row.items()) for row in value[:12]]
        elif value is not None:
            lines.append(f"  {name:<20} {value}")
    lines += [f"  Not stated: {r.what or 'all'}. {r.why}" for r in found.refused]
    return "\n".join(lines)


def main(arguments: list[str]) -> int:
    """0: measured; 2: the files cannot be measured."""
    parser = _parser()
    given = parser.parse_args(arguments)
    found: Measured
    try:
        if given.kind == "delay":
            found = measure_delay(given.file, given.dry, planned_ms=given.planned)
        elif given.kind == "decay":
            found = measure_decay(given.file, given.sweep)
        else:
            if not 0 <= given.search <= 30:
                parser.error("the search range goes from 0 to 30 s")
            only_numbers(given.a)
            only_numbers(given.b)
            measure = measure_loop if given.kind == "loop" else measure_dynamics
            found = measure(given.a, given.b, search_s=given.search)
    except FonodromeError as error:
        print(error.sentence, file=sys.stderr)
        return 2
    print(found.model_dump_json(indent=2) if given.json else _table(found))
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
