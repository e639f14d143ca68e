"""`fonodrome delay VALUE`: how long a note value lasts, what a device is set to for it, how it repeats."""

import argparse
import json
import re
import sys
from typing import Any

from pydantic import ValidationError

from core.command import Parser
from core.delay.line import DelayLine
from core.delay.repeats import RepeatsRequest, repeats
from core.devices import DeviceProfile, nearest_setting
from core.errors import FonodromeError
from core.units import TempoFrame
from core.units import format as fmt

_SIXTEENTHS_OF_A_QUARTER = 4
_METRE = re.compile(r"(\d+)/(\d+)")


def delay_of(
    frame: TempoFrame, line: DelayLine, threshold_db: float, device: DeviceProfile | None
) -> dict[str, Any]:
    """Figures by name: times in ms and samples, rate in Hz, repeats, and what to set.

    Raises FonodromeError for a value that is none, or a time of 0.
    """
    left, right = line.times_s(frame)
    found = repeats(RepeatsRequest(frame=frame, line=line, threshold_db=threshold_db))
    out: dict[str, Any] = {
        "value": line.value,
        "ms": left * 1e3, "right_ms": right * 1e3, "samples": left * frame.sample_rate_hz,
        "hz": 1 / left,
        "feedback_db": found.feedback_db, "repeats": found.count, "silence_s": found.silence_s,
        "rt60_s": found.rt60_s,
        "echoes": [e.model_dump() for e in found.echoes], "cautions": found.cautions,
        "set": None,
    }  # fmt: skip
    if device is not None:
        sixteenth_ms = 60e3 / frame.quarter_bpm / _SIXTEENTHS_OF_A_QUARTER
        setting = nearest_setting(device, left * 1e3, sixteenth_ms)
        out["set"] = setting.model_dump()
    return out


def _parser() -> argparse.ArgumentParser:
    parser = Parser(
        prog="fonodrome delay",
        description="How long a note value lasts, what a device is set to for it, how it repeats.",
    )
    parser.add_argument("value", metavar="VALUE", help="1/8., 1/4t, 3/16, 350 ms, 2.857 Hz")
    parser.add_argument("--tempo", type=float, default=120.0, metavar="BPM")
    parser.add_argument("--beat", default="1/4", metavar="NOTE", help="what the tempo counts (1/4)")
    parser.add_argument("--metre", default="4/4", metavar="N/N")
    parser.add_argument("--rate", type=int, default=48_000, metavar="HZ", help="for samples")
    parser.add_argument(
        "--mode", choices=("single", "dual", "ping-pong", "cascade"), default="single"
    )
    parser.add_argument("--second", default="", metavar="VALUE", help="of the right side")
    parser.add_argument("--feedback", type=float, default=0.0, metavar="PERCENT")
    parser.add_argument("--first", type=float, default=-3.0, metavar="DB", help="repeat 1 (-3)")
    parser.add_argument("--gone", type=float, default=40.0, metavar="DB", help="what is gone (40)")
    parser.add_argument("--step", type=float, metavar="MS", help="a device's steps: what to set")
    parser.add_argument("--longest", type=float, default=2000.0, metavar="MS", help="of the device")
    parser.add_argument("--reads", type=float, default=0.0, metavar="PERCENT",
                        help="how much longer it does than it reads")  # fmt: skip
    parser.add_argument("--json", action="store_true", help="all results as JSON")
    return parser


def _asked(given: argparse.Namespace) -> tuple[TempoFrame, DelayLine, DeviceProfile | None]:
    metre = _METRE.fullmatch(given.metre)
    if metre is None:
        raise FonodromeError(f"“{given.metre}” is no metre: 4/4, 6/8 and so on.")
    frame = TempoFrame.model_validate({
        "tempo_bpm": given.tempo, "beat_unit": given.beat, "metre_count": int(metre[1]),
        "metre_unit": int(metre[2]), "sample_rate_hz": given.rate,
    })  # fmt: skip
    line = DelayLine.model_validate({
        "value": given.value, "mode": given.mode, "second": given.second,
        "feedback_percent": given.feedback, "first_db": given.first,
    })  # fmt: skip
    if given.step is None:
        return frame, line, None
    device = DeviceProfile.model_validate({
        "name": "the device", "min_ms": 0, "max_ms": given.longest, "step_ms": given.step,
        "offset_percent": given.reads,
    })  # fmt: skip
    return frame, line, device


def main(arguments: list[str]) -> int:
    """0: computed; 2: one sentence says why not."""
    given = _parser().parse_args(arguments)
    try:
        frame, line, device = _asked(given)
        RepeatsRequest(frame=frame, line=line, threshold_db=given.gone)
        found = delay_of(frame, line, given.gone, device)
    except ValidationError as error:
        first = error.errors()[0]
        where = str(first["loc"][-1]).replace("_", " ") if first["loc"] else "what was given"
        print(f"{where[:1].upper()}{where[1:]}: {first['msg'].lower()}.", file=sys.stderr)
        return 2
    except FonodromeError as error:
        print(error.sentence, file=sys.stderr)
        return 2
    if given.json:
        print(json.dumps(found, indent=2, ensure_ascii=False, allow_nan=False))
        return 0
    print(
        f"{found['value']}: {fmt.number(found['ms'], 3)} ms, {fmt.number(found['samples'], 1)} samples"
    )
    if found["right_ms"] != found["ms"]:
        print(f"  right side: {fmt.number(found['right_ms'], 3)} ms")
    if found["set"] is not None:
        print(f"  set {fmt.significant(found['set']['set_ms'], 6)} ms. {found['set']['sentence']}")
    if found["repeats"] is None:
        print("  it never dies")
    elif found["silence_s"] is not None:
        print(
            f"  {fmt.plural(found['repeats'], 'repeat')}, the last at {fmt.number(found['silence_s'], 3)} s"
        )
    for caution in found["cautions"]:
        print(f"  {caution}")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
