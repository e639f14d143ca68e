"""Pre-delay and decay that fill a length: two of the three fixed give the third."""

from pydantic import Field

from core.edge import Edge
from core.errors import FonodromeError
from core.units import TempoFrame, parse_time
from core.units import format as fmt

_ALIKE_S = 0.0005
SHORTEST_S, LONGEST_S = 0.05, 60.0


class FitRequest(Edge):
    """What is fixed; null for what is to be found."""

    frame: TempoFrame
    pre_delay: str | None = Field(None, max_length=40)
    rt60_s: float | None = Field(None, gt=0, le=60)
    length: str | None = Field(None, max_length=40, description="Pre-delay and RT60 together")


class FitOut(Edge):
    """All three, one of them found."""

    pre_delay_ms: float
    rt60_s: float
    length_ms: float
    found: str = Field(
        description="pre-delay, RT60, length, or empty where all were fixed and agree"
    )
    sentence: str


def fit_length(request: FitRequest) -> FitOut:
    """The school that fits a length: `pre-delay + RT60 = length`.

    Raises FonodromeError where fewer than two are fixed, where three contradict each other, or where
    nothing is left for what is to be found; QuantityError for a text that is no time.
    """
    frame = request.frame
    pre = None if request.pre_delay is None else parse_time(request.pre_delay, frame)[0]
    length = None if request.length is None else parse_time(request.length, frame)[0]
    rt60, found = request.rt60_s, ""
    fixed = sum(v is not None for v in (pre, rt60, length))
    if fixed < 2:
        raise FonodromeError("Fix two of pre-delay, RT60 and length: the third follows from them.")
    if pre is not None and rt60 is not None and length is not None:
        over = pre + rt60 - length
        if abs(over) > _ALIKE_S:
            raise FonodromeError(
                f"All three are fixed and do not agree: {_ms(pre)} and {_ms(rt60)} make {_ms(pre + rt60)}, "
                f"{_ms(abs(over))} {'more' if over > 0 else 'less'} than {_ms(length)}. Free one of them."
            )
    elif pre is not None and rt60 is not None:
        length, found = pre + rt60, "length"
    elif length is not None and pre is not None:
        rt60, found = length - pre, "RT60"
        if not SHORTEST_S <= rt60 <= LONGEST_S:
            raise FonodromeError(
                f"After a pre-delay of {_ms(pre)} a length of {_ms(length)} leaves {_ms(rt60)} for the "
                "decay; between 50 ms and 60 s can be set."
            )
    else:
        assert length is not None
        assert rt60 is not None
        pre, found = length - rt60, "pre-delay"
        if pre < -_ALIKE_S:
            raise FonodromeError(
                f"A decay of {_ms(rt60)} is {_ms(-pre)} longer than {_ms(length)}: there is no room for a "
                "pre-delay."
            )
        pre = max(0.0, pre)
    assert pre is not None
    assert rt60 is not None
    assert length is not None
    said = {
        "": "All three are fixed, and agree.", "length": f"Together they last {_ms(length)}.",
        "RT60": f"An RT60 of {fmt.significant(rt60, 4)} s fills it.",
        "pre-delay": f"A pre-delay of {_ms(pre)} fills it.",
    }[found]  # fmt: skip
    return FitOut(
        pre_delay_ms=pre * 1e3, rt60_s=rt60, length_ms=length * 1e3, found=found, sentence=said
    )


def _ms(seconds: float) -> str:
    return f"{fmt.number(seconds * 1e3, 1)} ms"
