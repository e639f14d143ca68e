"""From a measurement to a verdict and a sentence."""

from core.measure.results import (
    Judgement,
    Limit,
    Measurement,
    NullResult,
    ScaleMark,
    Verdict,
)
from core.units import format as fmt

SCALE: tuple[tuple[Verdict, str, float | None, float | None], ...] = (
    ("unrelated", "Unrelated", 0.0, 10.0),
    ("related", "Related", 10.0, 30.0),
    ("changed", "Same part, changed sound", 30.0, 60.0),
    ("nearly_same", "Nearly the same", 60.0, 90.0),
    ("same", "Same sound", 90.0, None),
    ("rounding", "Identical within rounding", None, None),
    ("bit_identical", "Bit-identical", None, None),
)
_NAMES = {verdict: name for verdict, name, _, _ in SCALE}
# What differs by less than this is not worth a word.
_LEVEL_DB = 0.005
_NUMBERS = dict(enumerate(("no", "one", "two", "three", "four", "five", "six", "seven", "eight")))
_OFFSET_SAMPLES = 0.005


def verdict_of(found: Measurement) -> Verdict:
    """Grade on the scale of null depths; rounding and exact silence come first."""
    if found.bit_identical or found.null_depth_db is None:
        return "bit_identical"
    if found.within_rounding:
        return "rounding"
    if not found.related:
        return "unrelated"
    # Related but far apart is not different material; where causes were not looked for (as in tests
    # of before), the depth is all there is to go by.
    down = -found.null_depth_db
    if found.explained:
        down = max(down, 10.0)
    for verdict, _, low, high in SCALE:
        if low is not None and down < (high if high is not None else float("inf")):
            return verdict
    return "unrelated"


def has_passed(found: Measurement, limit: Limit) -> bool:
    """Against a relative limit or one in dBFS. Rounding alone always passes."""
    if found.null_depth_db is None or found.within_rounding:
        return True
    if limit.kind == "relative":
        return -found.null_depth_db >= limit.value_db
    level = found.residual_rms_dbfs
    return level is None or level <= -limit.value_db


def _db(value: float) -> str:
    return fmt.number(value, 2 if abs(value) < 10 else 1)


def _samples(value: float) -> str:
    whole = abs(value - round(value)) < _OFFSET_SAMPLES
    number = fmt.number(abs(value), 0 if whole else 2)
    return f"{number} {'sample' if number == '1' else 'samples'}"


def _differences(found: Measurement) -> str:
    """', 3.37 dB apart, 38 400.37 samples late and inverted'; channels that differ are named."""
    gain, offset = found.gain_db or 0.0, found.offset_samples or 0.0
    parts = []
    if abs(gain) >= _LEVEL_DB:
        parts.append(f"{_db(abs(gain))} dB apart")
    if abs(offset) >= _OFFSET_SAMPLES:
        parts.append(f"{_samples(offset)} {'late' if offset > 0 else 'early'}")
    live = [c for c in found.channels if not c.silent]
    gains = [c.gain_db or 0.0 for c in live]
    lags = [c.offset_samples or 0.0 for c in live]
    if live and max(gains) - min(gains) >= 2 * _LEVEL_DB:
        parts.append(f"channels {_db(max(gains) - min(gains))} dB from each other")
    if live and max(lags) - min(lags) >= _OFFSET_SAMPLES:
        parts.append(f"channels {_samples(max(lags) - min(lags))} from each other")
    flipped = [c.name for c in found.channels if c.polarity < 0 and not c.silent]
    if flipped and len(flipped) == sum(not c.silent for c in found.channels):
        parts.append("inverted")
    elif flipped:
        parts.append(f"{' and '.join(flipped)} inverted")
    if found.swapped:
        parts.append("left and right swapped")
    if not parts:
        return ""
    joined = parts[0] if len(parts) == 1 else ", ".join(parts[:-1]) + " and " + parts[-1]
    return ", " + joined


def sentence_of(found: Measurement, verdict: Verdict) -> str:
    """The verdict in one sentence with its numbers."""
    said = _differences(found)
    if verdict == "bit_identical":
        rest = "nothing is left." if said else "every sample is the same."
        return f"Bit-identical{said}: {'matched, ' if said else ''}{rest}"
    down = -(found.null_depth_db or 0.0)
    depth = f"{fmt.number(abs(down), 0 if abs(down) >= 20 else 1)} dB {'down' if down >= 0 else 'above A'}"
    if verdict == "rounding":
        return (
            f"Identical within rounding{said}: what is left, {depth}, is the rounding of the files."
        )
    if verdict == "unrelated":
        return "Unrelated: no offset, no level and no band brings the two together."
    if found.explained and found.gain_db is None and found.causes:
        return f"{found.causes[0].title}: {found.causes[0].evidence}"
    better = found.explained_db
    if found.to_set and better is not None and better < (found.null_depth_db or 0.0) - 6:
        before = found.raw_null_db or 0.0
        start = f"{fmt.number(abs(before), 1)} dB {'down' if before < 0 else 'over A'}"
        count = _NUMBERS.get(len(found.to_set), str(len(found.to_set)))
        word = "correction brings" if len(found.to_set) == 1 else "corrections bring"
        return (
            f"Not the same sound yet: {count} {word} it from {start} to "
            f"{fmt.number(-better, 0)} dB down."
        )
    if verdict == "related":
        return f"Related, not the same{said}: matched, the residual is {depth}."
    return f"{_NAMES[verdict]}{said}: matched, the residual is {depth}."


def judge(found: Measurement, limit: Limit) -> Judgement:
    """Judge a stored measurement against a limit; cheap, so the limit can be tried out."""
    verdict = verdict_of(found)
    text = (
        f"{fmt.significant(limit.value_db, 4)} dB down against A"
        if limit.kind == "relative"
        else f"residual at or below {fmt.significant(-limit.value_db, 4)} dBFS"
    )
    return Judgement(
        verdict=verdict,
        verdict_name=_NAMES[verdict],
        passed=has_passed(found, limit),
        limit=limit,
        limit_text=text,
        sentence=sentence_of(found, verdict),
        scale=[ScaleMark(verdict=v, name=n, from_db=lo, to_db=hi) for v, n, lo, hi in SCALE],
    )


def judged(found: Measurement, limit: Limit) -> NullResult:
    """A measurement and its judgement in one flat result."""
    fields = {name: getattr(found, name) for name in Measurement.model_fields}
    opinion = judge(found, limit)
    return NullResult.model_construct(
        **fields, **{name: getattr(opinion, name) for name in type(opinion).model_fields}
    )
