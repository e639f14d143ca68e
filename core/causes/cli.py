"""`fonodrome null A B`: the null test for scripts, without server or database."""

import argparse
import sys

from core.audio.source import only_numbers
from core.causes import explained_test
from core.errors import FonodromeError
from core.measure import Limit, NullOptions, NullResult, judged
from core.units import format as fmt
from core.units import parse_number


def _limit(text: str) -> Limit:
    try:
        value, unit = parse_number(text)
    except FonodromeError as error:
        raise argparse.ArgumentTypeError(error.sentence) from None
    if unit.lower() in {"", "db"} and 0 < value <= 300:
        return Limit(value_db=value)
    if unit.lower() == "dbfs" and -300 <= value < 0:
        return Limit(kind="dbfs", value_db=-value)
    raise argparse.ArgumentTypeError(
        f"“{text}” is no limit: 90 is 90 dB down against A, -100dBFS is a level of the residual."
    )


def _table(result: NullResult) -> str:
    lines = [result.sentence, ""]
    for step in result.steps:
        depth = "silent" if step.null_db is None else f"{fmt.number(step.null_db, 2)} dB"
        lines.append(f"  {step.name:<28} {depth:>12}")
    lines.append("")
    for cause in result.causes:
        takes = f"{fmt.number(cause.takes_db, 1)} dB" if cause.takes_db > 0.05 else ""
        lines.append(f"  {cause.title:<44} {takes:>9}  {cause.sure}")
        lines.append(f"    {cause.evidence}")
    if result.to_set:
        lines += ["", "  To set, in this order:"]
        for number, item in enumerate(result.to_set, 1):
            left = "" if item.leaves_db is None else f"{fmt.number(item.leaves_db, 1)} dB"
            lines.append(f"  {number}. {item.words} {item.value} {item.beside}".ljust(62) + left)
    lines += [f"  Note: {note}" for note in result.notes]
    lines.append(f"\n{'Passed' if result.passed else 'Not passed'}: limit {result.limit_text}.")
    return "\n".join(lines)


def main(arguments: list[str]) -> int:
    """0: the limit holds; 1: it is missed; 2: the files cannot be compared."""
    parser = argparse.ArgumentParser(
        prog="fonodrome null", description="Match B to A, subtract, and say what is left."
    )
    parser.add_argument("a", metavar="A", help="the reference")
    parser.add_argument("b", metavar="B", help="what is matched to it")
    parser.add_argument("--json", action="store_true", help="all results as JSON")
    parser.add_argument(
        "--limit",
        type=_limit,
        default=Limit(),
        help="dB down against A (default 90), or a level such as -100dBFS",
    )
    parser.add_argument(
        "--search", type=float, default=2.0, metavar="S", help="offsets up to S seconds (default 2)"
    )
    parser.add_argument(
        "--stem", action="append", default=[], metavar="FILE",
        help="what A was mixed of, from the same start: shares that differ are told (repeatable)",
    )  # fmt: skip
    given = parser.parse_args(arguments)
    if not 0 <= given.search <= 30:
        parser.error("the search range goes from 0 to 30 s")
    try:
        for path in (given.a, given.b, *given.stem):
            only_numbers(path)
        found = explained_test(
            given.a, given.b, NullOptions(search_s=given.search), stems=given.stem
        )
    except FonodromeError as error:
        print(error.sentence, file=sys.stderr)
        return 2
    result = judged(found, given.limit)
    print(result.model_dump_json(indent=2) if given.json else _table(result))
    return 0 if result.passed else 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
